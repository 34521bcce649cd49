"""Where tracks ask for a hand, and the ways out that are proposed: each was tried, and does what it says it does."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from walls import seen_through, wall

from transmixis.core.errors import Cancelled
from transmixis.core.motion.motion import moved_points
from transmixis.core.progress import Progress
from transmixis.media.still import write_still
from transmixis.shot.contract import Proposal
from transmixis.shot.material import Material
from transmixis.shot.model import Pin, Plate, Shot
from transmixis.shot.pins import set_pin
from transmixis.shot.products import StepInputs
from transmixis.shot.render import Renderer
from transmixis.shot.stepjob import taken
from transmixis.shot.steps import kind_of
from transmixis.shot.steps.instead import surface_about
from transmixis.shot.steps.slips import Slip, _by_hand, _look_to_blame, _set_the_look, slips
from transmixis.shot.workorder import add_step

LENGTH, SIZE = 36, (140, 200)
AT = np.array([100.0, 70.0])


def moved(n: int, turn: float = 0.0, speed: tuple[float, float] = (0.7, 0.2), grow: float = 0.0) -> np.ndarray:
    """From the first frame to another, about the place that is followed."""
    a, s = np.radians(turn) * (n - 1), 1 + grow * (n - 1)
    c, d = s * np.cos(a), s * np.sin(a)
    x, y = AT + (n - 1) * np.array(speed)
    return np.array([[c, -d, x - c * AT[0] + d * AT[1]], [d, c, y - d * AT[0] - c * AT[1]], [0, 0, 1.0]])


def made(folder: Path, name: str, frame: Any) -> None:
    rng = np.random.default_rng(8)
    for n in range(1, LENGTH + 1):
        picture = frame(n)
        write_still(
            folder / f"{name}.{n:04d}.png", picture + rng.normal(0, 0.002, picture.shape).astype(np.float32), kind="uint16"
        )


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A wall that only shifts; one that turns; one whose place is covered by a still card from frame 20 on, and leaves it at the left."""
    root = tmp_path_factory.mktemp("slips")
    big, card = wall(31, SIZE), wall(40, (60, 60))
    made(root, "plain", lambda n: seen_through(big, moved(n)))
    made(root, "turns", lambda n: seen_through(big, moved(n, turn=2.2)))

    def covered(n: int) -> np.ndarray:
        out = seen_through(big, moved(n))
        x, y = (int(v) for v in moved_points(moved(n), AT)[0])
        if n >= 20:
            out[y - 24 : y + 24, x - 24 : x + 24] = card[6:54, 6:54]
        return out

    made(root, "covered", covered)
    made(root, "leaves", lambda n: seen_through(big, moved(n, speed=(-4.1, 0.3))))
    made(root, "white", lambda n: seen_through(big, moved(n)) if n < 18 else np.full((*SIZE, 3), 0.5, np.float32))
    return root


def shot_of(name: str, **params: Any) -> Shot:
    plates = (Plate(id="hero", role="hero", path=f"{name}.0001.png"),)
    shot, step = add_step(Shot(code="A", length=LENGTH, width=SIZE[1], height=SIZE[0], plates=plates), "point_track")
    return shot.with_step(step.model_copy(update={"params": {"point": [AT.tolist()], "half": 9, **params}}))


def followed(shot: Shot, folder: Path) -> Renderer:
    r = Renderer(shot, Material(folder))
    for n in range(1, LENGTH + 1):
        r.measure(shot.steps[0].id, n)
    return r


def found_slips(r: Renderer) -> list[Slip]:
    step = r.shot.steps[0]
    kind = kind_of(step.kind)
    return slips(kind, StepInputs(r, step), kind.Params(**step.params))


def asking(r: Renderer) -> set[int]:
    return {n for s in found_slips(r) for n in s.frames}


def used(proposal: Proposal, r: Renderer, folder: Path) -> Renderer:
    return followed(r.shot.with_step(proposal.used(r.shot.steps[0])), folder)


def worst_off(r: Renderer, truth: Any) -> float:
    """px; of the frames in which it is known."""
    out = []
    for n in range(1, LENGTH + 1):
        m = r.product("step:point_track", n).motion
        if m is not None and m.known:
            out.append(float(np.hypot(*(moved_points(m.matrix, AT)[0] - moved_points(truth(n), AT)[0]))))
    return max(out)


def test_nothing_asks_where_all_is_well(folder: Path) -> None:
    r = followed(shot_of("plain"), folder)
    assert found_slips(r) == []


def test_what_turns_is_followed_as_it_turns(folder: Path) -> None:
    r = followed(shot_of("turns", follows="position"), folder)
    (slip, *_) = found_slips(r)
    assert slip.seat == 1
    assert slip.last == LENGTH
    assert 3 <= slip.first <= 14
    proposal = r.propose("point_track")
    assert proposal is not None
    asked, left = proposal.effects[0].now, proposal.effects[0].then
    assert asked == len(slip.frames)
    after = used(proposal, r, folder)
    assert len(asking(after) & set(slip.frames)) <= left + 1  # what it said it would do
    assert worst_off(after, lambda n: moved(n, turn=2.2)) < 0.3


def test_a_neighbour_of_the_same_thing_carries_on_behind_a_cover(folder: Path) -> None:
    r = followed(shot_of("covered"), folder)
    (slip, *_) = found_slips(r)
    assert slip.first in (19, 20, 21)
    proposal = r.propose("point_track")
    assert proposal is not None
    assert "offset kept" in proposal.reason
    assert proposal.gains == f"Tried on {LENGTH - proposal.pins['reseat'][0].frame} frames."
    assert proposal.frames == (slip.first, slip.last)
    (pin,) = proposal.pins["reseat"]
    assert 14 <= pin.frame < 20
    after = used(proposal, r, folder)
    assert asking(after) == set()
    assert worst_off(after, moved) < 0.15


def test_as_it_leaves_the_frame_another_place_takes_over(folder: Path) -> None:
    r = followed(shot_of("leaves"), folder)
    (slip, *_) = found_slips(r)
    assert slip.last == LENGTH
    assert slip.first > 20
    proposal = r.propose("point_track")
    assert proposal is not None
    assert proposal.pins
    after = used(proposal, r, folder)
    assert len(asking(after)) < len(slip.frames)
    assert worst_off(after, lambda n: moved(n, speed=(-4.1, 0.3))) < 0.3


def test_where_all_about_it_is_covered_the_surface_is_offered_instead(tmp_path: Path) -> None:
    """A card that covers the point and its neighbours for eight frames, on a wall that is seen beside it: what hung on the point hangs
    on the wall then, by one answer that can be undone."""
    big, size, at = wall(33, (240, 340)), (240, 340), np.array([170.0, 120.0])
    card = wall(41, (116, 116))

    def lies(n: int) -> np.ndarray:
        return np.array([[1, 0, 0.6 * (n - 1)], [0, 1, 0.2 * (n - 1)], [0, 0, 1.0]])

    rng = np.random.default_rng(8)
    for n in range(1, 31):
        picture = seen_through(big, lies(n))
        if 13 <= n < 23:
            x, y = (int(v) for v in moved_points(lies(n), at)[0])
            picture[y - 58 : y + 58, x - 58 : x + 58] = card
        write_still(
            tmp_path / f"card.{n:04d}.png", picture + rng.normal(0, 0.002, picture.shape).astype(np.float32), kind="uint16"
        )
    plates = (Plate(id="hero", role="hero", path="card.0001.png"),)
    shot = Shot(code="A", length=30, width=size[1], height=size[0], plates=plates)
    shot, step = add_step(shot, "point_track")
    shot = shot.with_step(step.model_copy(update={"params": {"point": [at.tolist()], "half": 9}}))
    shot, hung = add_step(shot, "shapes", inputs={"motion": f"step:{step.id}"})
    r = Renderer(shot, Material(tmp_path))
    for n in range(1, 31):
        r.measure(step.id, n)
    proposal = r.propose(step.id)
    assert proposal is not None
    assert proposal.sets
    assert proposal.instead is not None
    assert "The surface about it" in proposal.reason
    assert proposal.effects[0].then == 0
    new = taken(shot, step.id, proposal)
    other = new.steps[[s.id for s in new.steps].index(step.id) + 1]
    assert (other.kind, other.name) == (proposal.instead.kind, f"{step.name} surface")
    assert other.inputs["plate"] == step.inputs["plate"]
    assert new.step(hung.id).inputs["motion"] == f"step:{other.id}"
    assert new.step(step.id) == shot.step(step.id)  # the point stays as it is
    after = Renderer(new, Material(tmp_path))
    for n in range(1, 31):
        after.measure(step.id, n)
    again = after.propose(step.id)
    assert again is None or again.instead is None  # it is not offered twice
    gaps = [next(x.value for x in after.measure(step.id, n) if x.name == "gap") for n in range(13, 23)]
    assert max(gaps) == 10  # over the end of a stretch of sixteen frames too
    reference = int(other.params["reference"])
    off = []
    for n in range(1, 31):
        m = after.product(f"step:{other.id}", n).motion
        assert m.known
        off.append(np.hypot(*(moved_points(m.matrix, moved_points(lies(reference), at))[0] - moved_points(lies(n), at)[0])))
    assert max(off) < 0.1


def test_a_surface_that_goes_its_own_way_is_not_offered(tmp_path: Path) -> None:
    """A small card that goes before a wall: the surface about the point is the wall, which did not carry the point before."""
    big, card = wall(33, SIZE), wall(41, (30, 30))
    for n in range(1, 13):
        picture = seen_through(big, moved(n))
        x, y = 85 + 3 * n, 55 + n
        picture[y : y + 30, x : x + 30] = card
        write_still(tmp_path / f"own.{n:04d}.png", picture, kind="uint16")
    plates = (Plate(id="hero", role="hero", path="own.0001.png"),)
    shot, step = add_step(Shot(code="A", length=12, width=SIZE[1], height=SIZE[0], plates=plates), "point_track")
    shot = shot.with_step(step.model_copy(update={"params": {"point": [[103.0, 71.0]], "half": 9}}))
    r = Renderer(shot, Material(tmp_path))
    kind = kind_of(step.kind)
    inputs, params = StepInputs(r, shot.steps[0]), kind.Params(**shot.steps[0].params)
    motion = kind.told(inputs, params, 8).motion  # type: ignore[attr-defined]
    assert moved_points(motion.matrix, np.array([103.0, 71.0]))[0] == pytest.approx([124, 78], abs=0.2)
    assert surface_about(kind, inputs, params, 8, 1, motion, Progress()) == []  # type: ignore[arg-type]


def test_where_nothing_betters_it_the_frames_to_set_are_named(folder: Path) -> None:
    r = followed(shot_of("white"), folder)
    proposal = r.propose("point_track")
    assert proposal is not None
    assert not proposal.sets
    assert "Set it by hand at frames" in proposal.reason
    assert proposal.frames == (18, LENGTH)


def test_what_a_person_hid_does_not_ask(folder: Path) -> None:
    shot = shot_of("white")
    step = shot.steps[0]
    for frame, seen in ((1, True), (18, False)):
        step = set_pin(step, "sight", Pin(frame=frame, value=seen))
    assert found_slips(followed(shot.with_step(step), folder)) == []
    assert found_slips(followed(shot_of("white", last=17), folder)) == []


def test_a_surface_that_changes_more_than_it_may_is_given_its_model(folder: Path) -> None:
    plates = (Plate(id="hero", role="hero", path="turns.0001.png"),)
    shot, step = add_step(Shot(code="A", length=LENGTH, width=SIZE[1], height=SIZE[0], plates=plates), "surface_track")
    region = [[[1, 70.0, 45.0], [2, 130.0, 45.0], [3, 130.0, 95.0], [4, 70.0, 95.0]]]
    shot = shot.with_step(step.model_copy(update={"params": {"region": region, "model": "position"}}))
    r = followed(shot, folder)
    (slip, *_) = found_slips(r)
    assert slip.last == LENGTH
    proposal = r.propose("surface_track")
    assert proposal is not None
    assert proposal.values["model"] in ("similarity", "affine", "perspective")
    assert proposal.gains == "Tried on 15 frames."
    assert (
        proposal.effects[0].then == proposal.effects[0].now - 15
    )  # of those that were tried none asks; what was not is not promised
    after = used(proposal, r, folder)
    assert len(asking(after)) < len(slip.frames) / 2


@pytest.mark.parametrize(
    ("first", "last", "named"),
    [(10, 12, "frame 11"), (10, 10, "frame 10"), (1, 16, "frames 5 and 13"), (1, 90, "frames 15, 45 and 75")],
)
def test_hands_are_spread_over_the_slip(first: int, last: int, named: str) -> None:
    words = _by_hand(Slip(first, last, 1, 0, 0.7, first, "jump")).reason
    assert f"at {named};" in words
    assert "the jump is over its limit" in words
    assert "it is not found" in _by_hand(Slip(first, last, 1, 1, 0.7, first, "gap")).reason


def test_it_can_be_called_off(folder: Path) -> None:
    r = followed(shot_of("covered"), folder)
    progress = Progress()
    progress.cancel()
    with pytest.raises(Cancelled):
        r.propose("point_track", progress)


class _Found:
    """What was found by the new look of frame 9, with or without a place set by hand there."""

    def __init__(self, *, seat: bool) -> None:
        self.seat = seat

    def piece(self, n: int) -> dict[str, np.ndarray] | None:
        return {"by": np.array(9 if n > 9 else 1)} if n != 30 else None

    def pins(self) -> dict[str, tuple[Pin, ...]]:
        pins = {"reseat": (Pin(frame=9, value=1.0),), "seat": (Pin(frame=20, value=1.0),)}
        return {**pins, "seat": (*pins["seat"], Pin(frame=9, value=1.0))} if self.seat else pins


def test_a_new_look_that_is_off_is_named_until_a_hand_has_set_it() -> None:
    found: Any = _Found(seat=False)
    assert _look_to_blame(found, 12) == 9
    assert _look_to_blame(found, 5) == 0  # found by the first look
    assert _look_to_blame(found, 30) == 0  # nothing is known there
    assert _look_to_blame(_Found(seat=True), 12) == 0  # type: ignore[arg-type]
    advice = _set_the_look(Slip(12, 14, 1, 0, 0.8, 13, "drift", look=9))
    assert not advice.sets
    assert "new look of frame 9" in advice.reason
    assert advice.frames == (12, 14)
