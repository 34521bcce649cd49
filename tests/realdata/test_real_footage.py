"""The survey on real pictures and footage from a Debian package. Skipped, with the reason, where it cannot be had."""

from __future__ import annotations

import contextlib
import json
import math
import subprocess
import sys
from pathlib import Path

import cv2
import numpy as np
import pytest

from transmixis.core.errors import UserError
from transmixis.core.matte.shape import fill_shape
from transmixis.core.motion.follow import Way, found_in
from transmixis.core.motion.motion import moved_points
from transmixis.core.motion.surface import Surface
from transmixis.core.progress import Progress
from transmixis.media.source import open_source
from transmixis.shot.bare import bare_shot
from transmixis.shot.lensjob import tell_lens
from transmixis.shot.material import Material
from transmixis.shot.render import Renderer
from transmixis.shot.surveyjob import survey_report

pytestmark = pytest.mark.realdata
PACKAGE = "opencv-doc"
MOST = 12  # frames of each movie


@pytest.fixture(scope="session")
def data(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The package's example data, unpacked into a temporary folder and never installed."""
    folder = tmp_path_factory.mktemp("real")
    try:
        subprocess.run(["apt-get", "download", "-q", PACKAGE], cwd=folder, check=True, capture_output=True, timeout=120)
        deb = next(folder.glob("*.deb"))
        subprocess.run(["dpkg-deb", "-x", str(deb), str(folder / "x")], check=True, capture_output=True, timeout=120)
        return next((folder / "x").rglob("examples/data"))
    except (OSError, subprocess.SubprocessError, StopIteration) as e:
        pytest.skip(f"the Debian package {PACKAGE} cannot be had here: {e}")


def surveyed(path: Path, frames: int) -> dict:
    shot, source = bare_shot(path)
    shot = shot.model_copy(update={"length": min(frames, source.info.count)})
    renderer = Renderer(shot, Material(Path.cwd()))
    whole = renderer.surveys.whole(renderer, "plate:hero", Progress())
    return {"survey": whole, "shot": shot}


def test_every_movie_is_surveyed_and_plausible(data: Path) -> None:
    movies = [p for p in sorted(data.iterdir()) if p.suffix in (".avi", ".mp4", ".webm", ".mkv")]
    assert movies
    for movie in movies:
        s = surveyed(movie, MOST)["survey"]
        assert s.count == min(MOST, s.count)
        known = s.path.known
        assert known.mean() > 0.5, movie.name
        assert 0 <= float(s.noise_levels[0]) < 30, movie.name
        assert all(0 <= b.length < 80 for b in s.blurs), movie.name
        assert all(math.isfinite(v) for v in s.flashes), movie.name


def test_the_surveillance_camera_stands_still_while_people_walk(data: Path) -> None:
    s = surveyed(data / "vtest.avi", 24)["survey"]
    assert s.steadiness.verdict == "locked"
    assert s.steadiness.tremble < 0.05
    assert not s.dust.spots


def test_the_two_halves_of_a_stereo_pair_are_no_smeared_pictures(data: Path) -> None:
    for name in ("rubberwhale1.png", "leuvenA.jpg", "fruits.jpg", "aloeL.jpg"):
        s = surveyed(data / name, 1)["survey"]
        assert s.blurs[0].length == 0, name


def test_the_smeared_number_plate_is_told_as_its_example_says(data: Path) -> None:
    """The package's example examples/python/deconvolution.py undoes this picture's smear with 22 px at 135 degrees."""
    blur = surveyed(data / "licenseplate_motion.jpg", 1)["survey"].blurs[0]
    assert abs(blur.length - 22) < 1
    assert abs(blur.direction - 135) < 10


def test_no_picture_there_brings_the_survey_down(data: Path) -> None:
    pictures = [p for p in sorted(data.iterdir()) if p.suffix in (".png", ".jpg", ".jpeg", ".tif", ".tiff")]
    assert len(pictures) > 50
    for picture in pictures[::3]:
        with contextlib.suppress(UserError):  # what cannot be opened is said in a sentence; anything else fails here
            surveyed(picture, 1)
    report = survey_report(data / "home.jpg", None, None, Progress())
    assert json.dumps(report, default=str)


def test_the_command_line_says_it_in_plain_words(data: Path) -> None:
    done = subprocess.run(
        [sys.executable, "-m", "transmixis.cli", "survey", str(data / "tree.avi")], capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stderr
    assert "camera:" in done.stdout
    assert "exposure:" in done.stdout


def test_a_painted_wall_from_two_sides_lies_where_it_is_published(data: Path) -> None:
    """graf1 and graf3 with H1to3p.xml (Mikolajczyk and others, 2005), whose own error is about half a pixel."""
    pictures = [open_source(data / "graf1.png").read(n) for n in (1, 3)]
    store = cv2.FileStorage(str(data / "H1to3p.xml"), cv2.FILE_STORAGE_READ)
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])
    truth = half @ store.getFirstTopLevelNode().mat() @ np.linalg.inv(half)
    h, w = pictures[0].shape[:2]
    corners = np.array([[100.0, 100], [600, 100], [600, 500], [100, 500]])
    surface = Surface(pictures[0], corners, fill_shape(corners, h, w))
    found = found_in(surface, pictures[1], Way(np.eye(3), np.eye(3)), 40)
    assert not found.lost
    off = np.hypot(*(moved_points(found.matrix, corners) - moved_points(truth, corners)).T)
    assert off.mean() < 0.7  # features with random samples alone: 1.4 in the mean


def test_the_published_lens_is_found(data: Path) -> None:
    """left01..14.jpg with left_intrinsics.yml: f 535.92 px, middle 342.28, 235.57 (first pixel's centre at 0), k1 -0.26637."""
    made = tell_lens(sorted(data.glob("left??.jpg")), "9x6", None, Progress())
    assert [s["found"] for s in made["stills"]] == [True] * 13
    assert made["focal_px"] == pytest.approx(535.92, rel=3e-3)
    assert made["middle"] == pytest.approx([342.78, 236.07], abs=1)
    assert made["k1"] == pytest.approx(-0.26637, abs=3e-3)
    assert made["error"] < 0.39
