"""Tracks, cameras and lenses of plates without a project, as the command line gives them."""

from __future__ import annotations

import json
from pathlib import Path

import cv2
import numpy as np
import pytest
from camerapaths import laid_over
from cardscenes import card_scene
from clirun import here
from keyplates import srgb_encode
from pointclips import Clip, clip, texture

from transmixis.core.errors import UserError
from transmixis.core.motion.lens import Lens
from transmixis.core.progress import Progress
from transmixis.media.exchange.lensfiles import read_st_map
from transmixis.shot.camerajob import _focal
from transmixis.shot.lensjob import _board
from transmixis.shot.trackjob import _colour, bars, outlines_of, place_of, track_surface


def written(folder: Path, frames: list[np.ndarray], name: str = "take") -> Path:
    folder.mkdir(exist_ok=True)
    for i, f in enumerate(frames, 1):
        code = np.round(np.clip(srgb_encode(np.clip(f, 0, 1).astype(np.float32)), 0, 1) * 255).astype(np.uint8)
        cv2.imwrite(str(folder / f"{name}.{i:04d}.png"), code[..., ::-1])
    return folder


@pytest.fixture(scope="module")
def take(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, Clip]:
    c = clip(3, frames=8, fast=6.0, shutter=0.3, points=2, dab=(0.9, 0.05, 0.1))
    return written(tmp_path_factory.mktemp("points") / "take", c.frames), c


def test_points_are_told_for_every_frame(take: tuple[Path, Clip], tmp_path: Path) -> None:
    plate, c = take
    at = [f"{x:.3f},{y:.3f}" for x, y in c.truth[3]]
    table = tmp_path / "t.csv"
    made = json.loads(here("track", "point", plate, "--at", at[0], "--at", at[1], "--from", 4, "--json", "--out", table).stdout)
    assert len(made["points"]) == 2
    back = json.loads(here("read", table, "--json").stdout)["tracks"]
    for p, t in zip(made["points"], back, strict=True):
        assert [{k: f[k] for k in ("frame", "x", "y", "valid", "error")} for f in p["frames"]] == t["frames"]
    for k, p in enumerate(made["points"]):
        assert p["at"] == pytest.approx(c.truth[3, k], abs=1e-3)
        assert [f["frame"] for f in p["frames"]] == list(range(1, 9))
        assert all(f["valid"] for f in p["frames"])
        told = np.array([(f["x"], f["y"]) for f in p["frames"]])
        assert np.hypot(*(told - c.truth[:, k]).T).max() < 0.15
        assert p["frames"][3]["error"] == 0
        assert all(0 < f["error"] < 0.5 and f["alike"] > 0.9 for f in p["frames"] if f["frame"] != 4)


@pytest.mark.parametrize("colour", ["red", "#e01020"])
def test_marks_are_told_by_their_colour(take: tuple[Path, Clip], colour: str) -> None:
    plate, c = take
    at = f"{c.truth[0, 0, 0]:.2f},{c.truth[0, 0, 1]:.2f}"
    made = json.loads(here("track", "point", plate, "--at", at, "--mark", colour, "--json").stdout)
    told = np.array([(f["x"], f["y"]) for f in made["points"][0]["frames"]])
    assert np.hypot(*(told - c.truth[:, 0]).T).max() < 0.2


def test_what_cannot_be_followed_is_said(take: tuple[Path, Clip], tmp_path: Path) -> None:
    plate, _ = take
    grey = written(tmp_path / "grey", [np.full((80, 120, 3), 0.2)] * 3)
    assert "too little" in here("track", "point", grey, "--at", "60,40", "--json", code=1).stderr
    assert "no frame 9" in here("track", "point", plate, "--at", "60,40", "--from", 9, code=1).stderr
    assert "not a place" in here("track", "point", plate, "--at", "60;40", code=1).stderr
    assert "no colour" in here("track", "point", plate, "--at", "60,40", "--mark", "loud", code=1).stderr
    assert "an outline" in here("track", "surface", plate, "--region", "1,2", "--region", "3,4", code=1).stderr
    assert "no model" in here("track", "surface", plate, "--region", "1,2 50,2 50,50", "--model", "elastic", code=1).stderr
    assert ".json" in here("track", "point", plate, "--at", "60,40", "--out", tmp_path / "t.txt", code=1).stderr
    assert "focal length" in here("track", "camera", plate, "--focal", "wide", code=1).stderr
    assert "give none" in here("track", "camera", plate, "--focal", "changing", "--lens", "solve", code=1).stderr
    assert "neither none nor solve" in here("track", "camera", plate, "--lens", "maybe", code=1).stderr
    two = written(tmp_path / "two", [texture(3, 120)] * 2)
    assert "2 frames" in here("track", "camera", two, code=1).stderr


@pytest.fixture(scope="module")
def shifted(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, np.ndarray]:
    """A picture that shifts by whole pixels, and by how much."""
    big = texture(7, 300)
    shifts = np.array([(0, 0), (3, 1), (6, 3), (8, 6)])
    return written(
        tmp_path_factory.mktemp("surface") / "take", [big[40 - y : 220 - y, 40 - x : 280 - x] for x, y in shifts]
    ), shifts


def test_surfaces_are_told_as_nine_numbers(shifted: tuple[Path, np.ndarray], tmp_path: Path) -> None:
    plate, shifts = shifted
    region = [a for p in ("60,40", "180,40", "180,140", "60,140") for a in ("--region", p)]
    made = json.loads(here("track", "surface", plate, *region, "--from", 2, "--json", "--out", tmp_path / "t.json").stdout)
    assert made["region"] == [[60, 40], [180, 40], [180, 140], [60, 140]]
    for f, (x, y) in zip(made["frames"], shifts - shifts[1], strict=True):
        assert f["valid"]
        assert np.array(f["matrix"]).reshape(3, 3) == pytest.approx(np.array([[1, 0, x], [0, 1, y], [0, 0, 1]]), abs=0.02)
    assert json.loads((tmp_path / "t.json").read_text()) == made
    text = here("track", "surface", plate, *region, "--model", "similarity", "--out", tmp_path / "t.csv").stdout
    assert "4 of 4 frames followed" in text
    tracks = {t["name"]: t for t in json.loads(here("read", tmp_path / "t.csv", "--json").stdout)["tracks"]}
    assert list(tracks) == ["top left", "top right", "bottom right", "bottom left"]
    there = [(f["x"], f["y"]) for f in tracks["bottom right"]["frames"]]
    assert np.array(there) == pytest.approx(np.array([180.0, 140]) + shifts - shifts[0], abs=0.05)
    assert "top left: 4 of 4" in here("read", tmp_path / "t.csv").stdout


def test_mattes_hold_out(shifted: tuple[Path, np.ndarray], tmp_path: Path) -> None:
    plate, shifts = shifted
    matte = np.zeros((180, 240, 3))
    matte[:, :120] = 1
    still = written(tmp_path / "still", [matte])
    region = [[[60.0, 40], [180, 40], [180, 140], [60, 140]]]
    made = track_surface(plate, region, [], 1, still, "position", None, Progress())
    assert all(f["valid"] for f in made["frames"])
    assert np.array(made["frames"][3]["matrix"]).reshape(3, 3)[:2, 2] == pytest.approx(shifts[3], abs=0.05)
    held = bars(still, 4, (240, 180))
    assert held(3)[:, :118].all()
    assert not held(3)[:, 122:].any()
    with pytest.raises(UserError, match="has 2 frames, but the plate has 4"):
        bars(written(tmp_path / "two", [matte, matte]), 4, (240, 180))
    with pytest.raises(UserError, match="30 x 20, but the plate is 240 x 180"):
        track_surface(plate, region, [], 1, written(tmp_path / "small", [np.zeros((20, 30, 3))]), "position", None, Progress())
    assert "30 x 20" in here("track", "camera", plate, "--holdout", tmp_path / "small", code=1).stderr


def test_a_camera_that_stands_is_told_as_numbers(tmp_path: Path) -> None:
    still = texture(11, 260)[:180]
    rng = np.random.default_rng(1)
    plate = written(tmp_path / "still", [still + 0.004 * rng.standard_normal(still.shape) for _ in range(5)])
    made = json.loads(here("track", "camera", plate, "--json").stdout)
    assert made["kind"] == "locked"
    assert made["focal_px"] is None  # nothing tells it
    assert [f["R"] for f in made["frames"]] == [[1, 0, 0, 0, 1, 0, 0, 0, 1]] * 5
    assert made["points"] == []
    assert "stands still" in here("track", "camera", plate).stdout


def test_a_pan_is_told_as_numbers(tmp_path: Path) -> None:
    """A picture far away seen by a camera that turns: every frame through K R K^-1 (Hartley & Zisserman, 2004, 8.4)."""
    big = np.clip(texture(13, 700), 0, 1)
    k = np.array([[400.0, 0, 130], [0, 400, 90], [0, 0, 1]])
    shift = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])
    place = np.array([[1, 0, -350.0 + 130], [0, 1, -350 + 90], [0, 0, 1]])
    frames, turns = [], []
    for n in range(8):
        turn = cv2.Rodrigues(np.array([0.004 * n, -0.012 * n, 0.002 * n]))[0]
        m = np.linalg.inv(shift) @ k @ turn @ np.linalg.inv(k) @ place @ shift
        frames.append(cv2.warpPerspective(big, m, (260, 180), flags=cv2.INTER_LINEAR))
        turns.append(turn)
    plate = written(tmp_path / "pan", frames)
    made = json.loads(here("track", "camera", plate, "--focal", 400, "--json").stdout)
    assert made["kind"] == "turn"
    assert made["focal_px"] == 400
    for f, turn in zip(made["frames"], turns, strict=True):
        left = np.array(f["R"]).reshape(3, 3) @ (turn @ turns[0].T).T
        assert np.degrees(np.arccos(np.clip((np.trace(left) - 1) / 2, -1, 1))) < 0.02
        assert f["t"] == pytest.approx([0, 0, 0])
        assert f["reprojection"] < 0.2
    assert "only turns" in here("track", "camera", plate, "--focal", 400).stdout


def test_a_camera_that_passes_things_is_told_as_numbers(tmp_path: Path) -> None:
    c = card_scene(2, (270, 480), 14)
    plate = written(tmp_path / "cards", c.frames)
    matte = np.zeros((270, 480, 3))
    matte[:20] = 1
    still = written(tmp_path / "matte", [matte])
    usd = tmp_path / "c.usda"
    given = ("--focal", f"{c.focal:.3f}", "--holdout", still, "--json", "--out", usd)
    made = json.loads(here("track", "camera", plate, *given).stdout)
    back = json.loads(here("read", usd, "--json").stdout)
    for a, b in zip(made["frames"], back["frames"], strict=True):
        assert b["R"] == pytest.approx(a["R"], abs=1e-9)
        assert b["t"] == pytest.approx(a["t"], abs=1e-9)
        assert b["reprojection"] == pytest.approx(a["reprojection"])
    assert np.array([p["xyz"] for p in back["points"]]) == pytest.approx(
        np.array([p["xyz"] for p in made["points"]]), rel=1e-5, abs=1e-5
    )
    assert (back["width"], back["height"], back["focal_px"]) == (480, 270, pytest.approx(made["focal_px"]))
    assert "14 of 14 frames" in here("read", usd).stdout
    assert made["kind"] == "parallax"
    assert made["focal_px"] == pytest.approx(c.focal, abs=1e-3)
    assert (made["k1"], made["k2"]) == (0, 0)
    assert [f["frame"] for f in made["frames"]] == list(range(1, 15))
    assert all(f["valid"] and f["reprojection"] < 0.5 for f in made["frames"])
    turn = np.array([f["R"] for f in made["frames"]]).reshape(-1, 3, 3)
    own = -np.einsum("nji,nj->ni", turn, np.array([f["t"] for f in made["frames"]]))
    off = np.linalg.norm(laid_over(own, c.place) - c.place, axis=1)
    assert np.sqrt((off**2).mean()) / np.linalg.norm(np.diff(c.place, axis=0), axis=1).sum() < 1e-3
    assert len(made["points"]) > 40
    # x_cam = R X + t: the points lie before the first camera, at the depths of the cards
    depth = np.array([p["xyz"] for p in made["points"]])[:, 2]
    far = np.linalg.norm(np.diff(c.place[[0, -1]], axis=0)) / np.linalg.norm(own[-1] - own[0])
    assert 4 < np.quantile(depth, 0.05) * far < 8
    assert 7.5 < np.quantile(depth, 0.95) * far < 15


# -- what is typed


def test_outlines_are_read_in_both_ways() -> None:
    one = [[1.0, 2.0], [3.0, 4.0], [5.0, 6.5]]
    assert outlines_of(["1,2", "3,4", "5,6.5"]) == [one]
    assert outlines_of(["1,2 3,4 5,6.5", "1,2 3,4 5,6.5"]) == [one, one]
    assert outlines_of([]) == []
    for bad in (["1,2", "3,4"], ["1,2 3,4"], ["1,2 3,4 x,6"]):
        with pytest.raises(UserError):
            outlines_of(bad)
    assert place_of("412.5,230") == [412.5, 230]
    for bad_place in ("nan,3", "1e9,2", "4", ""):
        with pytest.raises(UserError, match="not a place"):
            place_of(bad_place)


def test_colours_focal_lengths_and_boards_are_read() -> None:
    assert _colour("#ffffff") == pytest.approx([1, 1, 1])
    assert _colour("#7f0000")[0] == pytest.approx(0.2122, abs=1e-3)  # IEC 61966-2-1
    assert _colour("Red")[0] > 0.6
    assert _focal("free") is None
    assert _focal("1103.9") == 1103.9
    for bad in ("0", "-5", "nan", "inf"):
        with pytest.raises(UserError):
            _focal(bad)
    assert _board("9x6") == (9, 6)
    for bad_board in ("9", "2x6", "9x6x2", "9 x 6", "99x6"):
        with pytest.raises(UserError):
            _board(bad_board)


def test_stills_of_a_lens_are_told_one_by_one(tmp_path: Path) -> None:
    board = np.ones((400, 520))
    for y in range(7):
        for x in range(10):
            if (x + y) % 2 == 0:
                board[60 + 40 * y : 100 + 40 * y, 60 + 40 * x : 100 + 40 * x] = 0.03
    k = np.array([[600.0, 0, 320], [0, 600, 240], [0, 0, 1]])
    stills = []
    for turn in ((0.4, 0.1, 0), (-0.4, 0.2, 0.1), (0.1, 0.5, -0.1), (0.1, -0.5, 0.2), (0.3, -0.3, 0.1)):
        r = cv2.Rodrigues(np.array(turn))[0]
        centre = np.array([[1 / 40, 0, -260 / 40], [0, 1 / 40, -200 / 40], [0, 0, 1]])
        m = k @ np.c_[r[:, 0], r[:, 1], [0, 0, 13]] @ centre
        stills.append(np.repeat(cv2.warpPerspective(board, m, (640, 480), borderValue=1.0)[..., None], 3, axis=2))
    stills.append(np.full((480, 640, 3), 0.5))
    folder = written(tmp_path / "stills", stills, "still")
    files = sorted(folder.iterdir())
    made = json.loads(here("lens", *files, "--board", "9x6", "--json").stdout)
    assert [s["found"] for s in made["stills"]] == [True] * 5 + [False]
    assert made["focal_px"] == pytest.approx(600, rel=0.01)
    assert made["error"] < 0.3
    text = here("lens", *files, "--out", tmp_path / "l.yaml").stdout
    back = json.loads(here("read", tmp_path / "l.yaml", "--json").stdout)
    assert {k: back[k] for k in ("k1", "k2", "k3", "p1", "p2", "width")} == {
        k: made[k] for k in ("k1", "k2", "k3", "p1", "p2", "width")
    }
    assert back["focal_px"] == pytest.approx(made["focal_px"])
    here("lens", *files, "--out", tmp_path / "l.exr")
    size = (640, 480)
    straight, bent = (read_st_map(p, size) for p in (tmp_path / "l.exr", tmp_path / "l-bend.exr"))
    lens = Lens(made["focal_px"], tuple(made["middle"]), made["k1"], made["k2"])
    assert straight[100, 200] == pytest.approx(lens.seen(np.array([[200.5, 100.5]]))[0], abs=1e-3)
    assert bent[100, 200] == pytest.approx(lens.straightened(np.array([[200.5, 100.5]]))[0], abs=1e-3)
    assert "there already" in here("lens", *files, "--out", tmp_path / "l.exr", code=1).stderr
    assert "5 of 6 stills show the board" in text
    assert "at least 3" in here("lens", files[0], code=1).stderr
