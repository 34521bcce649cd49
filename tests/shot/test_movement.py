"""The step Movement, and a picture that hangs on it."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from transmixis.core.motion.motion import moved_points
from transmixis.core.plan.timing import G
from transmixis.core.progress import Progress
from transmixis.media.still import write_still
from transmixis.shot.material import Material
from transmixis.shot.model import Pin, Plate, Shot, Step
from transmixis.shot.planning.contract import with_plan
from transmixis.shot.render import Renderer
from transmixis.shot.workorder import add_step

WIDE, HIGH, FRAMES = 320, 180, 24


@pytest.fixture
def shot(tmp_path: Path) -> Shot:
    wall = np.full((HIGH, WIDE, 3), 0.2, np.float32)
    card = np.zeros((30, 30, 4), np.float32)
    card[4:26, 4:26] = (0.6, 0.3, 0.1, 1)
    write_still(tmp_path / "wall.exr", wall, kind="half")
    write_still(tmp_path / "card.exr", card, kind="half")
    plates = (Plate(id="wall", role="background", path="wall.exr"), Plate(id="card", role="element", path="card.exr"))
    out = Shot(code="A", length=FRAMES, rate="24", width=WIDE, height=HIGH, plates=plates)
    out, moves = add_step(out, "movement")
    out, place = add_step(out, "place")
    inputs = {"front": "plate:card", "back": "plate:wall", "motion": f"step:{moves.id}"}
    return out.with_step(place.model_copy(update={"inputs": inputs}))


def set_to(shot: Shot, step_id: str, **values: object) -> Shot:
    step = shot.step(step_id)
    return shot.with_step(step.model_copy(update={"params": {**step.params, **values}}))


def made(shot: Shot, tmp_path: Path) -> Renderer:
    return Renderer(shot, Material(tmp_path))


def of(shot: Shot, kind: str) -> Step:
    return next(s for s in shot.steps if s.kind == kind)


def middle(matte: np.ndarray) -> np.ndarray:
    yy, xx = np.mgrid[0:HIGH, 0:WIDE] + 0.5
    return np.array([(xx * matte).sum(), (yy * matte).sum()]) / matte.sum()


def test_a_fall_moves_what_hangs_on_it_and_is_read_as_heavy_as_gravity(shot: Shot, tmp_path: Path) -> None:
    shot = set_to(shot, "movement", what="fall", begins=3.0, height=0.5, metre=100.0)
    r = made(shot, tmp_path)
    rest = r.product("step:place", 2).matte
    assert rest is not None
    for n, seconds in ((4, 1 / 24), (8, 5 / 24)):
        matte = r.product("step:place", n).matte
        assert matte is not None
        # the middle of a smear lies the square of the open time over 24 of the acceleration further
        want = 100 * G / 2 * (seconds**2 + (0.5 / 24) ** 2 / 12)
        assert (middle(matte) - middle(rest))[1] == pytest.approx(want, abs=0.15)
    readings = {x.name: x for x in r.measure("movement", 6)}
    assert readings["weight"].value == pytest.approx(0, abs=0.5)
    assert readings["hangs"].value == 0
    assert {x.name: x for x in r.measure("movement", 2)}["weight"].value is None
    for n in range(1, FRAMES + 1):  # neither setting out nor landing is a fall
        found = {x.name: x for x in r.measure("movement", n)}["weight"]
        assert found.value is None or found.value < 1, n


def test_what_hangs_is_smeared_by_its_own_way_at_the_usual_shutter(shot: Shot, tmp_path: Path) -> None:
    shot = set_to(shot, "movement", what="streak", begins=4.0, frames=8.0, way=320.0, angle=0.0)
    shot = set_to(shot, "place", x=-140.0)
    read = {x.name: x for x in made(shot, tmp_path).measure("place", 7)}["motion blur"]
    assert read.value == pytest.approx(0, abs=1e-6)
    assert "20.0 px at 180°" in read.note
    sharp = {x.name: x for x in made(set_to(shot, "place", shutter=0.0), tmp_path).measure("place", 7)}["motion blur"]
    assert sharp.value == pytest.approx(20, abs=0.01)
    assert sharp.state == "fault"
    matte = made(shot, tmp_path).product("step:place", 7).matte
    assert matte is not None
    assert np.count_nonzero(matte[HIGH // 2] > 0.02) == pytest.approx(42, abs=3)  # 22 wide, smeared over 20


def test_by_hand_it_turns_and_grows_about_its_pivot(shot: Shot, tmp_path: Path) -> None:
    step = of(shot, "movement")
    pins = {
        "turn": (Pin(frame=1, value=0.0, easing="linear"), Pin(frame=11, value=90.0)),
        "size": (Pin(frame=1, value=1.0, easing="linear"), Pin(frame=11, value=2.0)),
    }
    shot = shot.with_step(step.model_copy(update={"params": {"pivot": [[100.0, 50.0]]}, "pins": pins}))
    motion = made(shot, tmp_path).product(f"step:{step.id}", 11).motion
    assert motion is not None
    assert moved_points(motion.matrix, np.array([[100.0, 50], [110, 50]])) == pytest.approx(
        np.array([[100, 50], [100, 30]]), abs=1e-9
    )
    assert motion.within is not None
    early = motion.within[0]  # half a frame before: eased there, not stepped
    assert moved_points(early, np.array([[110.0, 50]]))[0] == pytest.approx(
        [100 + 19.5 * np.cos(np.radians(85.5)), 50 - 19.5 * np.sin(np.radians(85.5))], abs=1e-6
    )


def test_a_rest_of_one_frame_is_read(shot: Shot, tmp_path: Path) -> None:
    step = of(shot, "movement")
    ways = [0, 0, 10, 20, 30, 30, 40, 50, 60]
    pins = {"x": tuple(Pin(frame=n, value=float(v), easing="linear") for n, v in enumerate(ways, 1))}
    r = made(shot.with_step(step.model_copy(update={"pins": pins})), tmp_path)
    found = [n for n in range(1, FRAMES + 1) if {x.name: x for x in r.measure(step.id, n)}["hangs"].value]
    assert found == [6]


def test_it_takes_what_was_planned(shot: Shot, tmp_path: Path) -> None:
    planned = with_plan(shot, "timing", {"what": "throw", "start": 5.0, "speed": 4.0, "angle": 60.0, "metre": 90.0})
    proposal = made(planned, tmp_path).propose("movement", Progress())
    assert proposal is not None
    assert proposal.values | {"what": "throw", "begins": 5.0, "speed": 4.0, "angle": 60.0, "metre": 90.0} == proposal.values
    taken = planned.with_step(proposal.used(planned.step("movement")))
    assert made(taken, tmp_path).propose("movement", Progress()) is None
    assert made(shot, tmp_path).propose("movement", Progress()) is None
    plot = made(taken, tmp_path).plot("movement", 1)
    assert plot is not None
    assert "px a frame" in plot.words


def test_a_spring_that_goes_back_too_early_is_refused(shot: Shot, tmp_path: Path) -> None:
    from transmixis.core.errors import UserError

    shot = set_to(shot, "movement", what="spring out", begins=4.0, frames=5.0, back=6.0)
    with pytest.raises(UserError, match="before it is out"):
        made(shot, tmp_path).product("step:movement", 4)


def test_on_a_track_it_is_smeared_through_the_frames_beside(shot: Shot, tmp_path: Path) -> None:
    """A motion that knows nothing of itself between frames: known in the middle, at its ends, and where its neighbours are not."""
    made_, track = add_step(shot, "track_file")
    rows = [[n, 50.0 + 12.0 * (n - 1), 60.0, None] for n in (1, 2, 3, 4, 8)]
    made_ = made_.with_step(track.model_copy(update={"params": {"tracks": [["a", rows]]}, "inputs": {}}))
    place = made_.step("place")
    made_ = made_.with_step(
        place.model_copy(update={"inputs": {**place.inputs, "motion": f"step:{track.id}"}, "params": {"x": -100.0}})
    )
    for n, wide in ((1, 6), (2, 6), (4, 6), (8, 0)):
        read = {x.name: x for x in made(made_, tmp_path).measure("place", n)}["motion blur"]
        assert f"it has {wide:.1f} px" in read.note
    matte = made(made_, tmp_path).product("step:place", 2).matte
    assert matte is not None
    assert np.count_nonzero(matte[HIGH // 2] > 0.02) == pytest.approx(28, abs=2)
    assert "motion blur" not in {x.name for x in made(made_, tmp_path).measure("place", 6)}


def test_the_usual_shutter_is_proposed_where_there_is_no_blur(shot: Shot, tmp_path: Path) -> None:
    shot = set_to(shot, "movement", what="streak", begins=4.0, frames=8.0, way=320.0, angle=0.0)
    sharp = set_to(shot, "place", x=-140.0, shutter=0.0)
    proposal = made(sharp, tmp_path).propose("place", Progress())
    assert proposal is not None
    assert proposal.values == {"shutter": 180}
    assert proposal.effects[0].now == pytest.approx(20, abs=0.1)
    used = sharp.with_step(proposal.used(sharp.step("place")))
    assert made(used, tmp_path).propose("place", Progress()) is None
