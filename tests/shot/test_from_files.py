"""Tracks and cameras that were made elsewhere as steps: read from files, kept with the production, measured and used like any other."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from camerapaths import turns
from clirun import here
from pointclips import clip
from test_track_jobs import written

from transmixis.core.errors import UserError
from transmixis.core.motion.motion import moved_points
from transmixis.core.motion.pose import Camera
from transmixis.core.motion.views import likeness, places_about
from transmixis.core.plot import Solid
from transmixis.media.exchange.tracks import Row, Track, write_csv
from transmixis.media.exchange.usd import Scene, write_scene
from transmixis.shot.document import Document
from transmixis.shot.edits import run
from transmixis.shot.exchange import read_back, read_scene, scene_of, told_scene, write_json
from transmixis.shot.model import Shot, Step
from transmixis.shot.session import Session
from transmixis.shot.stepjob import added_from_file, from_file
from transmixis.shot.steps import KINDS, endings_read
from transmixis.shot.workorder import add_step

SHOT = Shot(code="S", title="s", length=6, rate="24", width=400, height=300)
TRACK, CAMERA = "track_file", "camera_file"


def square(n: int) -> np.ndarray:
    """Four places that move, turn and grow."""
    a = 0.05 * n
    corners = np.array([[100.0, 80], [200, 80], [200, 160], [100, 160]])
    return (corners - 150) @ np.array([[np.cos(a), np.sin(a)], [-np.sin(a), np.cos(a)]]) * (1 + 0.02 * n) + 150 + 3.0 * n


def table(path: Path, places: int, first: int = 1, *, lost: tuple[int, ...] = ()) -> Path:
    """Of the first places, over six frames."""
    rows = lambda k: tuple(  # noqa: E731
        Row(first + n, None, None) if n in lost else Row(first + n, *map(float, square(n)[k]), 0.1) for n in range(6)
    )
    write_csv(path, [Track(f"t{k}", rows(k)) for k in range(places)])
    return path


class Given:
    """What a kind asks for, without a plate."""

    shot, step_id = SHOT, "t"

    def has(self, slot: str) -> bool:
        return False


def motion_of(step: Step, frame: int, **more: object):
    kind = KINDS[TRACK]
    params = kind.Params.model_validate({**step.params, **more})
    made = kind.compute(Given(), params, frame)
    return made.motion, kind.read(Given(), params, made, frame)


@pytest.mark.parametrize("places", [1, 2, 3, 4])
@pytest.mark.parametrize("first", [1, 0, 1001])
def test_tracks_become_the_motion_that_they_tell(tmp_path: Path, places: int, first: int) -> None:
    """A shift from one, turn and size from two, stretch from three, perspective from four; however the file counts its frames."""
    _, step = added_from_file(SHOT, table(tmp_path / "corner tracks.csv", places, first))
    assert (step.kind, step.name) == (TRACK, "corner tracks")
    for frame in (1, 4, 6):
        motion, readings = motion_of(step, frame)
        assert motion.known
        assert motion.about == pytest.approx(square(0)[:places])
        assert moved_points(motion.matrix, motion.about) == pytest.approx(square(frame - 1)[:places])
        assert motion.error == pytest.approx(0.1)
        assert {r.name: r.value for r in readings} == {"error": pytest.approx(0.1), "unlike": None}
    assert "connect the plate" in readings[1].note


def test_other_ways_to_count_are_brought_to_ours(tmp_path: Path) -> None:
    """Rows from below, pixel centres at whole numbers, and pictures of half the size."""
    ours = square(0)[:1]
    theirs = ours / 2 - 0.5
    theirs[:, 1] = 150 - 1 - theirs[:, 1]
    write_csv(tmp_path / "t.csv", [Track("1", (Row(1, *map(float, theirs[0])),))])
    _, step = added_from_file(SHOT, tmp_path / "t.csv")
    motion, (error, _) = motion_of(step, 1, rows="from below", centres="at whole numbers", size=2.0)
    assert motion.about == pytest.approx(ours)
    assert error.value is None
    assert "does not tell" in error.note


def test_places_and_trail_are_shown_where_the_file_says(tmp_path: Path) -> None:
    _, step = added_from_file(SHOT, table(tmp_path / "t.csv", 2, lost=(3,)))
    kind = KINDS[TRACK]
    params = kind.Params.model_validate(step.params)
    (handle,) = kind.handles(Given(), params, 3)
    assert [d[:2] for d in handle.facts["dots"]] == [pytest.approx(p) for p in square(2)[:2]]
    assert [d[2:] for d in handle.facts["dots"]] == [(0.1, True)] * 2
    assert [t[0] for t in handle.facts["trail"]] == [1, 2, 3, 5, 6]  # nothing where it is lost
    assert handle.facts["trail"][4][1:] == pytest.approx((*square(5)[:2].mean(axis=0), 0.1))
    (lost,) = kind.handles(Given(), params, 4)
    assert lost.facts["dots"] == []
    assert "Not known here" in lost.note
    assert kind.handles(Given(), kind.Params.model_validate({}), 1) == ()


def test_where_the_file_knows_nothing_nothing_is_claimed(tmp_path: Path) -> None:
    _, step = added_from_file(SHOT, table(tmp_path / "t.csv", 2, lost=(2, 3)))
    motion, readings = motion_of(step, 4)
    assert not motion.known
    assert "does not know it here" in motion.why
    assert [(r.name, r.value) for r in readings] == [("error", None), ("unlike", None), ("gap", 2.0)]
    assert motion_of(step, 5)[0].known
    late, _ = motion_of(step, 6, starts=20)
    assert "in no frame of the shot" in late.why
    fresh, readings = motion_of(step.model_copy(update={"params": {}}), 1)
    assert "no file was read yet" in fresh.why
    assert [r.name for r in readings] == ["error", "unlike"]
    some = table(tmp_path / "half.csv", 4).read_text().splitlines()
    (tmp_path / "half.csv").write_text("\n".join(r for r in some if not r.startswith(("t2,4", "t3,4"))))
    _, step = added_from_file(SHOT, tmp_path / "half.csv")
    assert "too few of its tracks" in motion_of(step, 4)[0].why
    assert motion_of(step, 3)[0].known


def test_of_an_endless_file_what_the_shot_may_need_is_kept(tmp_path: Path) -> None:
    write_csv(tmp_path / "t.csv", [Track("1", tuple(Row(n, float(n), 2.0) for n in range(1, 5001)))])
    _, step = added_from_file(SHOT, tmp_path / "t.csv")
    ((_, rows),) = step.params["tracks"]
    assert (rows[0][0], rows[-1][0]) == (1, 1000)
    assert motion_of(step, 6, starts=900)[0].known


def test_places_on_one_spot_are_told(tmp_path: Path) -> None:
    write_csv(tmp_path / "t.csv", [Track(k, (Row(1, 10.0 + i, 20.0), Row(2, 30.0, 40.0))) for i, k in enumerate("ab")])
    _, step = added_from_file(SHOT, tmp_path / "t.csv")
    assert "one spot" in motion_of(step, 2)[0].why


def test_what_no_step_can_be_set_from_is_told(tmp_path: Path) -> None:
    (tmp_path / "a.csv").write_text("frame,x,y\n1,,\n")
    (tmp_path / "b.csv").write_text("track,frame,x,y\n" + "".join(f"{k},1,2,3\n" for k in range(70)))
    (tmp_path / "c.json").write_text("{}")
    for name, words in (
        ("a.csv", "in no frame"),
        ("b.csv", "70 tracks"),
        ("c.json", "holds no tracks.*holds no camera"),
        ("d.png", "ends? with"),
    ):
        with pytest.raises(UserError, match=words):
            added_from_file(SHOT, tmp_path / name)
    shot, place = add_step(SHOT, "place")
    with pytest.raises(UserError, match="reads no file"):
        from_file(shot, place.id, tmp_path / "a.csv")
    assert set(endings_read()) >= {".csv", ".json", ".usda"}


# -- cameras


def cameras(size: tuple[int, int] = (400, 300)) -> Scene:
    turn = turns(np.c_[0.02 * np.arange(6), -0.05 * np.arange(6), np.zeros(6)])
    out = [
        Camera(500.0 + n, (201.0, 149.0), turn[n], np.array([0.1 * n, 0, 0.02]), -0.05, 0.01, n != 3, 0.2 + 0.01 * n, "" if n != 3 else "lost", True, True)
        for n in range(6)
    ]  # fmt: skip
    points = np.array([[0.1, 0.2, 5.0], [1, -1, 7]])
    return scene_of(out, points, np.array([0.1, np.nan]), size, 24.0)


@pytest.mark.parametrize("ending", [".json", ".usda"])
def test_a_camera_is_read_as_it_was_written(tmp_path: Path, ending: str) -> None:
    path = tmp_path / f"solve{ending}"
    if ending == ".json":
        write_json(path, told_scene(cameras()))
    else:
        write_scene(path, cameras())
    back, want = read_scene(path), cameras()
    assert back.points == pytest.approx(want.points, abs=1e-6)
    assert back.errors == pytest.approx(want.errors, nan_ok=True)
    assert (back.size, back.rate) == (want.size, want.rate)
    assert read_back(path)["frames"][2]["valid"]
    new, step = added_from_file(SHOT, path)
    assert step.kind == CAMERA
    kind = KINDS[CAMERA]
    params = kind.Params.model_validate(new.step(step.id).params)
    for n in (1, 3, 6):
        made = kind.compute(Given(), params, n)
        c, w = made.camera, want.cameras[n - 1]
        assert (c.focal, *c.middle, c.k1, c.k2, c.error) == pytest.approx((w.focal, *w.middle, w.k1, w.k2, w.error))
        assert c.turn == pytest.approx(w.turn)
        assert c.shift == pytest.approx(w.shift)
        assert (c.level, c.metres) == (True, True)
        assert made.cloud[:, :3] == pytest.approx(want.points, abs=1e-6)
        assert kind.read(Given(), params, made, n)[0].value == pytest.approx(w.error)
    (handle,) = kind.handles(Given(), params, 6)
    assert [d[:2] for d in handle.facts["dots"]] == [pytest.approx(p) for p in want.cameras[5].project(want.points)]
    assert [d[2] for d in handle.facts["dots"]] == [pytest.approx(0.1), 0.0]  # of one the file does not tell how sure it is
    (handle,) = kind.handles(Given(), params, 4)
    assert "Not known here" in handle.note
    lost = kind.compute(Given(), params, 4)
    assert not lost.camera.known
    assert kind.read(Given(), params, lost, 4)[0].value is None
    (solid,) = kind.plot(Given(), params, 1).panels
    assert isinstance(solid, Solid)
    assert np.isnan(solid.way[3]).all()
    assert solid.way[5] == pytest.approx(want.cameras[5].place)


def test_a_camera_of_a_smaller_copy_fits_the_plate(tmp_path: Path) -> None:
    path = tmp_path / "solve.json"
    write_json(path, told_scene(cameras((200, 150))))
    _, step = added_from_file(SHOT, path)
    kind = KINDS[CAMERA]
    params = kind.Params.model_validate({**step.params, "metres": 0.1, "starts": 2})
    c = kind.compute(Given(), params, 1).camera
    want = cameras().cameras[1]
    assert (c.focal, *c.middle) == pytest.approx((2 * want.focal, 402, 298))
    assert c.shift == pytest.approx(0.1 * want.shift)
    assert c.metres
    assert "nothing of this frame" in kind.compute(Given(), params, 6).camera.why
    empty = kind.Params.model_validate({})
    assert "no file was read yet" in kind.compute(Given(), empty, 1).camera.why
    assert kind.plot(Given(), empty, 1) is None
    write_json(path, told_scene(cameras((300, 300))))
    with pytest.raises(UserError, match="another shape"):
        added_from_file(SHOT, path)


@pytest.mark.parametrize(
    "change",
    [
        {"frames": []}, {"width": 0}, {"middle": [1]}, {"points": [{"xyz": [1, 2]}]}, {"frames": [{"frame": 1, "valid": False, "focal_px": "x"}]},
        {"frames": [{"frame": 1, "valid": True, "R": [2, 0, 0, 0, 1, 0, 0, 0, 1], "t": [0, 0, 0]}]},
        {"frames": [{"frame": 1, "valid": True, "R": [1, 0, 0], "t": [0, 0, 0]}]}, {"frames": [3]},
    ],
)  # fmt: skip
def test_broken_cameras_are_told(tmp_path: Path, change: dict[str, object]) -> None:
    path = tmp_path / "solve.json"
    path.write_text(json.dumps({**json.loads(json.dumps(told_scene(cameras()), default=float).replace("NaN", "null")), **change}))
    with pytest.raises(UserError, match="holds no camera"):
        read_scene(path)


# -- on a plate


def test_a_read_track_is_measured_on_its_plate_and_kept(tmp_path: Path) -> None:
    """Followed by the command without a project, written as a table, read into a production: like itself where it is right, unlike
    where it is off; and the file is needed no longer."""
    c = clip(3, frames=6, fast=4.0, shutter=0.0, points=1)
    plate = written(tmp_path / "take", c.frames)
    path = tmp_path / "point.csv"
    rows = [Row(1001 + n, *map(float, c.truth[n, 0] + (12.0 if n == 4 else 0.0))) for n in range(6)]
    write_csv(path, [Track("nail", tuple(rows))])
    film = tmp_path / "film"
    here("new", film, "--name", "F")
    here("add", film, "SH010", plate / "take.0001.png")
    told = json.loads(here("step", "read", film, "SH010", path, "--json").stdout)
    assert told["kind"] == TRACK
    assert told["params"]["starts"] == 1001
    path.unlink()
    session = Session.open(film)
    try:
        renderer = session.renderer("SH010")
        values = [{r.name: r.value for r in renderer.measure(told["id"], n)}["unlike"] for n in range(1, 7)]
        motion = renderer.product(f"step:{told['id']}", 3).motion
    finally:
        session.close()
    assert moved_points(motion.matrix, motion.about)[0] == pytest.approx(c.truth[2, 0])
    assert values[0] == 0
    assert max(values[1], values[2], values[3], values[5]) < 10
    assert values[4] > 25


def test_the_edit_by_name_sets_the_step(tmp_path: Path) -> None:
    shot, step = add_step(SHOT, TRACK)
    done = run(shot, "step.file", {"step": step.id, "file": str(table(tmp_path / "t.csv", 1))})
    assert done.shot.step(step.id).params["source"] == "t.csv"
    assert done.title == f"Read {tmp_path / 't.csv'} into {step.name}"
    folder = tmp_path / "film"
    doc = Document.create(folder, "F", "24")
    doc.change_shot("Add", SHOT)
    doc.change_shot("Read", done.shot.model_copy(update={"code": SHOT.code}))
    doc.close()
    doc = Document.open(folder)
    assert doc.shot(SHOT.code).step(step.id).params == done.shot.step(step.id).params
    doc.close()


def test_likeness_is_a_correlation_without_the_light() -> None:
    rng = np.random.default_rng(3)
    picture = rng.random((60, 80, 3)).astype(np.float32)
    assert likeness(picture, 0.5 * picture + 0.1, np.eye(3), places_about(np.array([40.5, 30.5]), 10)) == pytest.approx(
        1, abs=1e-4
    )
    assert (
        abs(likeness(picture, rng.random((60, 80, 3)).astype(np.float32), np.eye(3), places_about(np.array([40.5, 30.5]), 10)))
        < 0.15
    )
    shifted = np.roll(picture, 7, axis=1)
    move = np.array([[1.0, 0, 7], [0, 1, 0], [0, 0, 1]])
    assert likeness(picture, shifted, move, places_about(np.array([40.5, 30.5]), 10)) == pytest.approx(1, abs=1e-4)
    assert likeness(picture, picture, np.eye(3), places_about(np.array([-30.0, 30.5]), 10)) is None
    assert likeness(np.ones_like(picture), picture, np.eye(3), places_about(np.array([40.5, 30.5]), 10)) is None
    inner = places_about(np.array([[10.0, 10], [50, 10], [10, 50]]), 4)
    assert ((inner >= 10) & (inner <= 50)).all()
    assert (inner.sum(axis=1) <= 60 + 1e-6).all()  # below the slope of the triangle
    assert 40 < len(inner) < 50
