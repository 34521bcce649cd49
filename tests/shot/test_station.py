"""The proving shot, made by commands: tracked, cut out, attached, patched, put together, delivered; held against its truth."""

from __future__ import annotations

import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import station
from camerapaths import path_error
from clirun import here
from station import LENGTH, REFERENCE
from stationshot import CODE, make_station

from transmixis.core.motion.motion import moved_points
from transmixis.core.solve.camera import solved
from transmixis.core.solve.tracks import Tracks, follow_all
from transmixis.shot.contract import Product
from transmixis.shot.render import Renderer
from transmixis.shot.session import Session
from transmixis.shot.stepjob import added, changed

FRAMES = range(1, LENGTH + 1)
pytestmark = pytest.mark.xdist_group("station")  # one worker makes the film for all of them


@pytest.fixture(scope="module")
def film(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return make_station(tmp_path_factory.mktemp("station"))


@pytest.fixture(scope="module")
def renderer(film: Path) -> Iterator[Renderer]:
    session = Session.open(film, read_only=True)
    yield session.renderer(CODE)
    session.close()


def product(renderer: Renderer, name: str, frame: int) -> Product:
    step = next(s for s in renderer.shot.steps if s.name == name)
    return renderer.product(f"step:{step.id}", frame)


def rms(off: list[np.ndarray]) -> float:
    """Root of the mean square distance of places, px."""
    return float(np.sqrt((np.array(off) ** 2).sum(axis=-1).mean()))


def test_the_board_stays_where_it_would_lie(renderer: Renderer) -> None:
    first, off = station.board(REFERENCE), []
    for n in FRAMES:
        motion = product(renderer, "Front", n).motion
        assert motion is not None
        assert motion.known
        off.append(moved_points(motion.matrix, first) - station.board(n))
    assert rms(off) < 0.3  # 0.22 when this was written


def test_a_plane_s_error_is_stated_as_large_as_it_is(renderer: Renderer) -> None:
    """The sign is a plane: its corners come back, and the stated error covers what is found (it knows nothing of the truth)."""
    sign = [[i + 1, *map(float, p)] for i, p in enumerate(station.surface("sign", REFERENCE).round(2))]
    shot, _ = changed(renderer.shot, "Front", [], [f"region={[sign]}"], [])
    there = Renderer(shot, renderer.material)
    off, stated = [], []
    for n in FRAMES:
        if n != REFERENCE:
            motion = product(there, "Front", n).motion
            assert motion is not None
            off.append(moved_points(motion.matrix, station.surface("sign", REFERENCE)) - station.surface("sign", n))
            stated.append(motion.error)
    assert rms(off) < 0.12  # 0.08 when this was written
    assert 0.4 * rms(off) < float(np.mean(stated)) < 2 * rms(off)


def test_the_postbox_is_cut_out_with_five_pins(renderer: Renderer) -> None:
    step = next(s for s in renderer.shot.steps if s.name == "Postbox")
    assert len(step.pins["outline"]) <= 6
    worst = {}
    for n in FRAMES:
        shape = product(renderer, "Postbox", n).shape
        assert shape
        worst[n] = station.apart(shape[0], n)
    assert max(worst.values()) < 1.5, worst  # 1.2 when this was written


def test_the_mark_is_covered(renderer: Renderer) -> None:
    """From the place that was proposed. What the wood itself does under the mark nobody can know: its streaks differ by some levels
    over a few px, and that is what is left (docs/limits.md)."""
    steps = {}
    for n in (*range(1, LENGTH, 4), LENGTH):  # all sixty: docs/limits.md
        mended = product(renderer, "Mark out", n)
        assert mended.picture is not None
        assert mended.matte is not None
        truth = station.bare_frame(n)
        steps[n] = station.steps_at_border(mended.picture, truth, mended.matte)
        away = mended.matte == 0
        plate = renderer.product("plate:hero", n).picture
        assert plate is not None
        assert np.array_equal(mended.picture[away], plate[away])
    assert float(np.median(list(steps.values()))) < 1.3, steps
    assert max(steps.values()) < 2, steps  # 1.83 on the worst of all sixty when this was written


@pytest.mark.parametrize("name", ["lintel", "crE_11"])
def test_points_do_not_slide(renderer: Renderer, name: str) -> None:
    """Surveyed corners whose surroundings lie as deep as they do, held against the camera's truth as long as they are to be seen."""
    shown = {n: station.survey_points(n)[name] for n in FRAMES if name in station.survey_points(n)}
    start = min(shown, key=lambda n: abs(n - REFERENCE))
    shot, _ = changed(renderer.shot, "Chimney", [], [f"point={[shown[start].tolist()]}", f"reference={start}", "half=10"], [])
    there = Renderer(shot, renderer.material)
    off = []
    for n, place in shown.items():
        motion = product(there, "Chimney", n).motion
        assert motion is not None
        if motion.known:
            off.append(moved_points(motion.matrix, shown[start]) - place)
    assert len(off) > 0.8 * len(shown)
    assert rms(off) < 0.5


def test_the_camera_is_solved_as_it_was_recorded(renderer: Renderer, monkeypatch: pytest.MonkeyPatch) -> None:
    """The way beside the truth, and surveyed corners that stand where their lines of sight meet: how far they slide. By the same features
    the focal length is found, though two fifths of them lie on edges before what is deeper and slide."""
    followed: list[Tracks] = []

    def kept(*args: Any, **more: Any) -> Tracks:
        followed.append(follow_all(*args, **more))
        return followed[-1]

    monkeypatch.setattr("transmixis.shot.steps.camera.follow_all", kept)
    focal, true = station.true_camera()
    shot, step = added(renderer.shot, "camera_solve", "Camera", ["plate=plate:hero"], [f"focal={focal}"], [])
    there = Renderer(shot, renderer.material)
    cameras = [there.product(f"step:{step.id}", n).camera for n in FRAMES]
    assert all(c is not None and c.known for c in cameras)
    assert path_error(cameras, true) < 2e-3  # 0.0005 when this was written
    slides = []
    for name in ("lintel", "sill", "crB_1-1", "crC_-11"):
        at = {n: station.survey_points(n)[name] for n in FRAMES if name in station.survey_points(n)}
        a, b = np.zeros((3, 3)), np.zeros(3)
        for n, px in at.items():
            camera = cameras[n - 1]
            assert camera is not None
            way = camera.directions(px[None])[0]
            across = np.eye(3) - np.outer(way, way)
            a, b = a + across, b + across @ camera.place
        spot = np.linalg.solve(a, b)
        slides += [cameras[n - 1].project(spot[None])[0] - px for n, px in at.items()]  # type: ignore[union-attr]
    assert rms(slides) < 0.1  # 0.03 when this was written
    found = solved(followed[0], (renderer.shot.width, renderer.shot.height), None, bend=False)
    assert found.focal == pytest.approx(focal, rel=5e-3)  # 0.001 when this was written; 0.028 by all features alike


def test_every_step_is_read_on_every_frame(renderer: Renderer) -> None:
    silent: dict[str, set[str]] = {}
    for step in renderer.shot.steps:
        for n in (1, 17, REFERENCE, 48, LENGTH):
            readings = renderer.measure(step.id, n)
            assert readings, (step.name, n)
            silent.setdefault(step.name, set()).update(r.note for r in readings if r.value is None and not r.note)
    assert not any(silent.values()), silent
    for name in ("Front", "Postbox", "Mark out", "Board", "Smoke", "Chimney"):
        step = next(s for s in renderer.shot.steps if s.name == name)
        assert any(r.value is not None for r in renderer.measure(step.id, 17)), name


def test_delivered_twice_once_killed_the_frames_are_the_same(film: Path, tmp_path: Path) -> None:
    part = "20-25"
    here("render", film, CODE, "--out", tmp_path / "a" / "KP020.####.png", "--range", part)
    second = tmp_path / "b"
    args = [
        sys.executable,
        "-m",
        "transmixis.cli",
        "render",
        str(film),
        CODE,
        "--out",
        str(second / "KP020.####.png"),
        "--range",
        part,
    ]
    job = subprocess.Popen(args, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    until = time.monotonic() + 120
    while len(list(second.glob("*.png"))) < 2 and job.poll() is None and time.monotonic() < until:
        time.sleep(0.02)  # looked at from outside: there is no signal of another process's file
    job.send_signal(signal.SIGKILL)
    job.wait()
    so_far = len(list(second.glob("*.png")))
    assert 2 <= so_far < 6
    again = here("render", film, CODE, "--out", second / "KP020.####.png", "--range", part, "--json")
    assert '"kept"' in again.stdout
    names = sorted(p.name for p in (tmp_path / "a").glob("*.png"))
    assert len(names) == 6
    for name in names:
        assert (tmp_path / "a" / name).read_bytes() == (second / name).read_bytes(), name
