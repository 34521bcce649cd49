"""From other frames and Made up, as steps and from the command line: what goes, what stays, what is open, by which motion, what is read, what is refused."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from clirun import here, ran
from rigtakes import SIGMA, grained
from timetakes import SIZE, TimeTake, truck_take, wall_matrix

from transmixis.core.errors import UserError
from transmixis.media.cache import FrameCache
from transmixis.media.still import read_coded, write_still
from transmixis.shot.material import Material
from transmixis.shot.model import Pin, Plate, Shot, Step
from transmixis.shot.render import Renderer
from transmixis.shot.steps import kind_of

Array = np.ndarray
FRAMES = 40  # two anchors


def take() -> TimeTake:
    return truck_take(FRAMES)


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    out = tmp_path_factory.mktemp("truck")
    for n in range(FRAMES):
        write_still(out / f"take.{n + 1:04d}.exr", take().plate[n], kind="float")
        write_still(out / f"gone.{n + 1:04d}.png", take().gone[n], kind="uint8")
    return out


def shot(folder: Path, kind: str, length: int = FRAMES, **params: object) -> Shot:
    plates = (
        Plate(id="hero", role="hero", path=str(folder / "take.####.exr")),
        Plate(id="gone", role="element", path=str(folder / "gone.####.png"), space="linear"),
    )
    gone = Step(
        id="gone", kind="luma_matte", name="Gone", inputs={"plate": "plate:gone"}, params={"by": "the picture is a matte"}
    )
    step = Step(id="mend", kind=kind, name="Mend", inputs={"plate": "plate:hero", "gone": "step:gone"}, params=dict(params))
    return Shot(code="A010", length=length, width=SIZE[1], height=SIZE[0], plates=plates, steps=(gone, step))


def rendered(s: Shot) -> Renderer:
    return Renderer(s, Material(Path.cwd()), FrameCache(1 << 28))


@pytest.fixture(scope="module")
def timed(folder: Path) -> Renderer:
    return rendered(shot(folder, "time_patch"))


def rms(made: Array, truth: Array, where: Array) -> float:
    return float(np.sqrt(np.square(made - truth)[where].mean()))


def test_what_was_hidden_comes_from_other_frames(timed: Renderer) -> None:
    """At an anchor, between two and at the ends: as far off the truth as the plate's own grain, all that was not hidden to the bit as it was."""
    for n in (1, 10, 16, 20, 24, 33):
        product = timed.product("step:mend", n)
        assert product.picture is not None
        assert product.matte is not None
        plate, truth = take().plate[n - 1], take().truth[n - 1]
        same = product.matte == 0
        np.testing.assert_array_equal(product.picture[same], plate[same])
        gone = (take().gone[n - 1] > 0) & (product.matte > 0.99)
        if n == 33:
            assert gone.sum() > 500
        off = (product.picture - truth) / np.sqrt(2.7 * SIGMA**2 * truth + 1e-7)
        assert 0.7 < np.sqrt((off[gone] ** 2).mean()) < 1.3  # in deviations of the grain there: it is grained, and hardly more


def test_what_no_frame_shows_is_left_and_said(timed: Renderer, folder: Path) -> None:
    product = timed.product("step:mend", 1)
    open_ = product.also["open"].matte
    assert open_ is not None
    assert product.matte is not None
    left = open_ > 0.5
    assert left.any()
    assert (product.matte[left] < 0.5).all()
    np.testing.assert_array_equal(product.picture[product.matte == 0], take().plate[0][product.matte == 0])
    read = {r.name: r for r in timed.measure("mend", 1)}
    assert read["open"].value == pytest.approx(100 * left.sum() / (take().gone[0] > 0.02).sum(), abs=1.0)
    assert read["open"].spot is not None
    assert read["made up"].value == 0
    whole = rendered(shot(folder, "time_patch", rest="made up"))
    filled = whole.product("step:mend", 1)
    assert not (filled.also["open"].matte > 0).any()
    told = {r.name: r.value for r in whole.measure("mend", 1)}
    assert told["open"] == 0
    assert 0 < told["made up"] < 10


def test_readings_of_a_good_mend_keep_their_limits(timed: Renderer) -> None:
    for n in (12, 20):
        for r in timed.measure("mend", n):
            assert r.value is not None, r.name
            assert r.state != "fault", (n, r)


def test_the_same_bytes_whenever_it_is_made(timed: Renderer, folder: Path) -> None:
    again = rendered(shot(folder, "time_patch"))
    np.testing.assert_array_equal(timed.product("step:mend", 17).picture, again.product("step:mend", 17).picture)


def test_a_motion_goes_before_what_is_seen(folder: Path) -> None:
    """Hung on a track of the wall it lies where that says; on one that does not move the trucking wall comes out wrong."""
    s = shot(folder, "time_patch", 24)
    rows = [wall_matrix(n) @ np.linalg.inv(wall_matrix(0)) for n in range(24)]
    corners = np.array([[40.0, 30], [340, 30], [340, 190], [40, 190]])
    seats = []
    for n, m in enumerate(rows, 1):
        p = np.c_[corners, np.ones(4)] @ m.T
        seats.append(Pin(frame=n, value=(p[:, :2] / p[:, 2:]).tolist(), easing="linear"))
    outline = [[i, float(x), float(y)] for i, (x, y) in enumerate(corners)]
    track = Step(
        id="track", kind="surface_track", name="Wall", inputs={"plate": "plate:hero", "leave": "step:gone"},
        params={"region": [outline]}, pins={"seat": tuple(seats[1:])},
    )  # fmt: skip
    hung = s.step("mend").model_copy(update={"inputs": {**s.step("mend").inputs, "motion": "step:track"}})
    s = s.model_copy(update={"steps": (s.step("gone"), track, hung)})
    gone = take().gone[14] > 0
    by = rendered(s).product("step:mend", 15)
    assert rms(by.picture, take().truth[14], gone) < 1.6 * rms(take().plate[14], take().truth[14], ~gone)
    still = rendered(shot(folder, "time_patch", 24, moves="not at all")).product("step:mend", 15)
    assert rms(still.picture, take().truth[14], gone & (still.matte > 0.9)) > 3 * rms(by.picture, take().truth[14], gone)


def test_made_up_is_the_same_on_every_frame(folder: Path) -> None:
    """It moves with the wall, so that laid back over the anchor two frames agree; and goes over from one anchor's to the next's."""
    r = rendered(shot(folder, "made_up", grain=0.0))
    one, two = r.product("step:mend", 11), r.product("step:mend", 12)
    assert (one.matte[take().gone[10] > 0] > 0.99).all()
    shared = (take().gone[10] > 0) & (take().gone[11] > 0)
    shared[:, :8] = shared[:, -8:] = False
    shift = wall_matrix(11) @ np.linalg.inv(wall_matrix(10))
    y, x = np.nonzero(shared)
    p = shift @ np.stack([x + 0.5, y + 0.5, np.ones(len(x))])
    u, v = (np.floor(p[k] / p[2]).astype(int) for k in (0, 1))
    off = np.abs(one.picture[y, x] - two.picture[v.clip(0, SIZE[0] - 1), u.clip(0, SIZE[1] - 1)])
    assert np.median(off) < 0.02
    told = {x.name: x.value for x in r.measure("mend", 10)}
    assert told["made up"] > 50
    assert told["open"] < 1


def test_nothing_to_go_is_left_alone(folder: Path, tmp_path: Path) -> None:
    write_still(tmp_path / "none.png", np.zeros(SIZE, np.float32), kind="uint8")
    for kind in ("time_patch", "made_up"):
        s = shot(folder, kind, 5)
        plates = tuple(p.model_copy(update={"path": str(tmp_path / "none.png")}) if p.id == "gone" else p for p in s.plates)
        r = rendered(s.model_copy(update={"plates": plates}))
        np.testing.assert_array_equal(r.product("step:mend", 2).picture, take().plate[1])
        assert r.measure("mend", 2)[0].note == "nothing has to go here"


def test_a_plain_place_says_what_to_do(folder: Path, tmp_path: Path) -> None:
    rng = np.random.default_rng(1)
    for n in range(4):
        wall = 0.3 + 0.006 * rng.standard_normal((*SIZE, 3)).astype(np.float32)
        write_still(tmp_path / f"flat.{n + 1:04d}.exr", wall, kind="float")
    s = shot(folder, "time_patch", 4)
    plates = tuple(p.model_copy(update={"path": str(tmp_path / "flat.####.exr")}) if p.id == "hero" else p for p in s.plates)
    with pytest.raises(UserError, match="connect a motion"):
        rendered(s.model_copy(update={"plates": plates})).product("step:mend", 2)


def test_a_cut_off_analysis_goes_on_piece_by_piece() -> None:
    kind = kind_of("time_patch")
    params = kind.Params()
    pieces = kind.pieces(100, params, {})
    assert len(pieces) == 4
    assert all(not p.after for p in pieces)
    chained = kind.pieces(100, kind.Params(rest="made up"), {})
    assert [p.after for p in chained] == ["", *(p.name for p in chained[:-1])]
    assert {n for p in pieces for n in range(p.first, p.last + 1)} == set(range(1, 101))
    assert max(len(p.frames) for p in kind.pieces(3000, params, {})) <= 80


def test_from_the_command_line(folder: Path, tmp_path: Path) -> None:
    small = tmp_path / "short"
    small.mkdir()
    for n in range(1, 9):
        (small / f"take.{n:04d}.exr").write_bytes((folder / f"take.{n * 3:04d}.exr").read_bytes())
        (small / f"gone.{n:04d}.png").write_bytes((folder / f"gone.{n * 3:04d}.png").read_bytes())
    args = (small / "take.0001.exr", "--region", small / "gone.####.png")
    for command, more in (("time", ("--fill",)), ("fill", ("--exr",))):
        out = tmp_path / command
        told = json.loads(here("repair", command, *args, "--out", out, *more, "--json").stdout)
        assert [f["frame"] for f in told["frames"]] == list(range(1, 9))
        assert {"seam", "open", "made up", "grain off", "softer", "ghost", "boil", "frozen"} <= {
            r["name"] for r in told["frames"][3]["readings"]
        }
        assert len(list(out.iterdir())) == 9
    assert read_coded(tmp_path / "time" / "repaired.0005.png").dtype == np.uint16
    assert (tmp_path / "fill" / "repaired.0005.exr").exists()
    itself = ran("repair", "time", *args, "--out", small, "--overwrite", "--exr")
    assert itself.returncode == 0  # other names than the plate's: nothing of it is written over
    assert (small / "take.0001.exr").read_bytes() == (folder / "take.0003.exr").read_bytes()


def test_a_clean_plate_is_carried_along(folder: Path, tmp_path: Path) -> None:
    """One still of the wall without the sign, seen from where the camera stood at frame 12, serves a take that trucks."""
    still = grained(take().truth[11] * np.float32((0.9, 0.85, 0.8)), np.random.default_rng(4))
    write_still(tmp_path / "clean.exr", still, kind="float")
    s = shot(folder, "clean_carried", 24)
    step = s.step("mend").model_copy(update={"inputs": {**s.step("mend").inputs, "clean": "plate:clean"}})
    s = s.with_step(step).model_copy(
        update={"plates": (*s.plates, Plate(id="clean", role="clean", path=str(tmp_path / "clean.exr")))}
    )
    r = rendered(s)
    for n in (4, 12, 20):
        product = r.product("step:mend", n)
        gone = (take().gone[n - 1] > 0) & (product.matte > 0.99)
        off = (product.picture - take().truth[n - 1]) / np.sqrt(2.7 * SIGMA**2 * take().truth[n - 1] + 1e-7)
        assert 0.6 < np.sqrt((off[gone] ** 2).mean()) < 1.6
    read = {x.name: x.value for x in r.measure("mend", 12)}
    assert read["seam"] < 2
    assert read["made up"] == 0
    other = np.ascontiguousarray(np.random.default_rng(1).random((*SIZE, 3)), np.float32)
    write_still(tmp_path / "clean.exr", other, kind="float")
    with pytest.raises(UserError, match="not found in the take"):
        rendered(s).product("step:mend", 4)


def test_a_broken_frame_is_named_and_the_others_are_made(folder: Path, tmp_path: Path) -> None:
    """It stands at the anchor: its neighbour takes its place."""
    for n in range(1, 10):
        (tmp_path / f"take.{n:04d}.exr").write_bytes((folder / f"take.{n * 2:04d}.exr").read_bytes()[: 3000 if n == 5 else None])
        (tmp_path / f"gone.{n:04d}.png").write_bytes((folder / f"gone.{n * 2:04d}.png").read_bytes())
    made = ran(
        "repair", "time", tmp_path / "take.0001.exr", "--region", tmp_path / "gone.####.png", "--out", tmp_path / "out", "--json"
    )
    assert made.returncode == 1
    told = json.loads(made.stdout)
    assert list(told["failed"]) == ["5"]
    assert "take.0005.exr" in told["failed"]["5"]
    assert len(told["frames"]) == 8
    seam = next(r for r in told["frames"][6]["readings"] if r["name"] == "seam")
    assert seam["value"] < 4
