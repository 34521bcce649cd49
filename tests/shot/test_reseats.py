"""Tracks that go on with another pattern: reseated where the thing has changed, handed over to another part of it, hidden by hand."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from walls import seen_through, wall

from transmixis.core.errors import UserError
from transmixis.core.motion.motion import moved_points
from transmixis.media.still import write_still
from transmixis.shot.material import Material
from transmixis.shot.model import Pin, Plate, Shot
from transmixis.shot.pins import set_pin
from transmixis.shot.render import Renderer
from transmixis.shot.steps.reseats import Reseat, carried, reseats_of
from transmixis.shot.workorder import add_step

LENGTH, SPEED, START = 40, np.array([-2.1, 0.3]), np.array([60.0, 40.0])
POINT, SURFACE = "point_track", "surface_track"
CHANGES = (16, 26)  # frames between which its look is another


def truth(frame: int) -> np.ndarray:
    """Where the point lies."""
    return np.asarray(START + (frame - 1) * SPEED)


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A wall that passes to the left, so that the point leaves the frame at 29, and that is painted over meanwhile."""
    root = tmp_path_factory.mktemp("reseats")
    rng = np.random.default_rng(3)
    old, new = wall(21, (130, 300)), wall(22, (130, 300))
    for n in range(1, LENGTH + 1):
        x, y = (n - 1) * SPEED
        moved = np.array([[1, 0, x], [0, 1, y], [0, 0, 1.0]])
        share = float(np.clip((n - CHANGES[0]) / (CHANGES[1] - CHANGES[0]), 0, 1))
        for name, both in (("kept", (old, old)), ("painted", (old, new))):
            frame = seen_through((1 - share) * both[0] + share * both[1], moved)[20:100, 30:170]
            write_still(root / f"{name}.{n:04d}.png", frame + rng.normal(0, 0.002, frame.shape).astype(np.float32), kind="uint16")
    return root


def shot_of(name: str, kind: str, pins: dict[str, list[tuple[int, Any]]], **params: Any) -> Shot:
    plates = (Plate(id="hero", role="hero", path=f"{name}.0001.png"),)
    shot, step = add_step(Shot(code="A", length=LENGTH, width=140, height=80, plates=plates), kind)
    step = step.model_copy(update={"params": params})
    for param, values in pins.items():
        for frame, value in values:
            step = set_pin(step, param, Pin(frame=frame, value=value))
    return shot.with_step(step)


def point_in(name: str, pins: dict[str, list[tuple[int, Any]]], **params: Any) -> Shot:
    return shot_of(name, POINT, pins, point=[START.tolist()], half=12, **params)


def off(renderer: Renderer, frame: int) -> float | None:
    """px off the truth; None where it is not known."""
    step = renderer.shot.steps[0]
    m = renderer.product(f"step:{step.id}", frame).motion
    assert m is not None
    return float(np.hypot(*(moved_points(m.matrix, START)[0] - truth(frame)))) if m.known else None


def readings(renderer: Renderer, frame: int) -> dict[str, Any]:
    return {r.name: r for r in renderer.measure(renderer.shot.steps[0].id, frame)}


def test_where_its_look_changes_it_goes_on_from_a_reseat(folder: Path) -> None:
    plain = Renderer(point_in("painted", {}), Material(folder))
    assert off(plain, 27) is None
    here = {"places": [truth(22).tolist()]}
    once = Renderer(point_in("painted", {"reseat": [(22, here)]}), Material(folder))
    found = [off(once, n) for n in (20, 22, 24, 26, 28)]
    assert all(f is not None and f < 0.25 for f in found), found  # two fifths of it are another picture by then
    assert [readings(once, n)["error"].value for n in (1, 22)] == [0.0, None]  # by hand: nobody has measured it


def test_a_reseat_that_was_told_keeps_its_error(folder: Path) -> None:
    here = {"places": [truth(12).tolist()], "error": 0.03}
    r = Renderer(point_in("kept", {"reseat": [(12, here)]}), Material(folder))
    told = readings(r, 12)["error"]
    assert told.value == 0.03
    assert "reseated" in told.note


def test_what_goes_on_from_a_reseat_is_as_far_off_as_it_was_there(folder: Path) -> None:
    told, surer = (
        readings(Renderer(point_in("kept", {"reseat": [(12, {"places": [truth(12).tolist()], "error": e})]}), Material(folder)), 14)["error"].value
        for e in (0.4, 0.0)
    )  # fmt: skip
    assert told == pytest.approx(np.hypot(0.4, surer), abs=1e-3)


def test_a_hand_sets_it_over_what_a_new_look_was_told(folder: Path) -> None:
    """Dragged at the frame of a new look it lies where it was dragged, with the look taken there."""
    pins = {"reseat": [(12, {"places": [truth(12).tolist()], "error": 0.2})], "seat": [(12, [(truth(12) + 2.0).tolist()])]}
    r = Renderer(point_in("kept", pins), Material(folder))
    assert off(r, 12) == pytest.approx(np.hypot(2, 2), abs=1e-6)
    assert off(r, 15) == pytest.approx(np.hypot(2, 2), abs=0.05)
    told = readings(r, 12)["error"]
    assert (told.value, told.note) == (None, "set by hand here")


def test_drift_is_read_against_the_first_reference(folder: Path) -> None:
    off_by = 0.7
    here = {"places": [(truth(12) + np.array([off_by, 0])).tolist()]}
    r = Renderer(point_in("kept", {"reseat": [(12, here)]}), Material(folder))
    assert readings(r, 15)["drift"].value == pytest.approx(off_by, abs=0.05)
    assert readings(r, 15)["drift"].state == "fault"
    assert "drift" not in readings(r, 3)  # told from the first reference itself
    painted = Renderer(point_in("painted", {"reseat": [(25, {"places": [truth(25).tolist()]})]}), Material(folder))
    assert "drift" not in readings(painted, 27)  # the first one is not to be seen any more, and says nothing


def test_another_part_carries_on_as_the_point_leaves(folder: Path) -> None:
    plain = Renderer(point_in("kept", {}), Material(folder))
    assert off(plain, 36) is None
    other = {"places": [truth(20).tolist()], "looks": [[(truth(20) + np.array([70, 6])).tolist()]]}
    r = Renderer(point_in("kept", {"reseat": [(20, other)]}), Material(folder))
    found = [off(r, n) for n in range(1, LENGTH + 1)]
    assert all(f is not None and f < 0.06 for f in found), found
    assert readings(r, 38)["error"].value < 0.1


def test_with_turn_and_size_a_place_beside_the_pattern_is_less_sure(folder: Path) -> None:
    """The offset turns with the pattern, so that its error grows with the distance."""
    at = truth(20)
    near, far = (
        Renderer(
            point_in(
                "kept", {"reseat": [(20, {"places": [at.tolist()], "looks": [[(at + np.array([d, 0])).tolist()]]})]}, follows="position, turn and size"
            ),
            Material(folder),
        )
        for d in (14, 80)
    )  # fmt: skip
    assert readings(far, 24)["error"].value > 2 * readings(near, 24)["error"].value


def test_the_region_moves_on_over_the_surface(folder: Path) -> None:
    region = [[[1, 40.0, 20.0], [2, 80.0, 20.0], [3, 80.0, 60.0], [4, 40.0, 60.0]]]
    corners = np.array([[40, 20], [80, 20], [80, 60], [40, 60.0]])
    moved = (19 * SPEED).tolist()
    next_to = [(corners + moved + np.array([45, 4])).tolist()]
    value = {"places": (corners + moved).tolist(), "looks": next_to}
    plain = Renderer(shot_of("kept", SURFACE, {}, region=region, model="affine"), Material(folder))
    r = Renderer(shot_of("kept", SURFACE, {"reseat": [(20, value)]}, region=region, model="affine"), Material(folder))
    assert off(plain, 38) is None
    found = [off(r, n) for n in range(1, LENGTH + 1)]
    assert all(f is not None and f < 0.12 for f in found), found
    same = Renderer(
        shot_of("kept", SURFACE, {"reseat": [(10, {"places": (corners + 9 * SPEED).tolist()})]}, region=region, model="affine"),
        Material(folder),
    )
    late = off(same, 14)  # the region as it was, seen anew
    assert late is not None
    assert late < 0.05


def test_a_matte_holds_out_in_every_frame(folder: Path, tmp_path: Path) -> None:
    """What it covers is no picture, so that a surface under it is lost there and nowhere else."""
    for n in range(1, LENGTH + 1):
        (tmp_path / f"kept.{n:04d}.png").write_bytes((folder / f"kept.{n:04d}.png").read_bytes())
        bar = np.zeros((80, 140, 4), np.float32)
        bar[..., 3] = 1.0 if n == 9 else 0.0
        write_still(tmp_path / f"bar.{n:04d}.png", bar, kind="uint8")
    region = [[[1, 40.0, 20.0], [2, 80.0, 20.0], [3, 80.0, 60.0], [4, 40.0, 60.0]]]
    shot = shot_of("kept", SURFACE, {}, region=region, model="affine")
    bars = Plate(id="bar", role="element", path="bar.0001.png", space="linear")
    shot = shot.model_copy(update={"plates": (*shot.plates, bars)})
    step = shot.steps[0]
    shot = shot.with_step(step.model_copy(update={"inputs": {**step.inputs, "leave": "plate:bar"}}))
    r = Renderer(shot, Material(tmp_path))
    assert [off(r, n) is None for n in (8, 9, 10)] == [False, True, False]


def test_marked_as_hidden_nothing_is_claimed(folder: Path) -> None:
    shot = point_in("kept", {"sight": [(1, True), (10, False), (14, True)]})
    r = Renderer(shot, Material(folder))
    assert [n for n in range(1, 20) if off(r, n) is None] == [10, 11, 12, 13]
    m = r.product("step:point_track", 11).motion
    assert m is not None
    assert m.why == "marked as hidden"
    all_of_it = Renderer(point_in("kept", {"sight": [(1, True), (10, False)]}), Material(folder))
    assert all(off(all_of_it, n) is None for n in range(10, LENGTH + 1))


@pytest.mark.parametrize(
    "value", [None, [], {"places": "here"}, {"places": [[1, 2]], "error": float("nan")}, {"place": [[1, 2]]}, 7]
)
def test_a_reseat_that_cannot_be_read_is_said(value: Any) -> None:
    with pytest.raises(UserError, match="The reseat at frame 9 cannot be read"):
        reseats_of({"reseat": (Pin(frame=9, value=value),)}, 1)


def test_a_look_without_points_or_outside_of_the_frame_is_one_sentence(folder: Path) -> None:
    with pytest.raises(UserError, match="has no points"):
        reseats_of({"reseat": (Pin(frame=2, value={"places": [[1, 2]], "looks": [[]]}),)}, 1)
    for value in ({"places": [[1e9, 5]]}, {"places": [[60.0, 40.0]], "looks": [[[-500, -500]]]}):
        r = Renderer(point_in("kept", {"reseat": [(6, value)]}), Material(folder))
        with pytest.raises(UserError, match="outside of the frame"):
            r.product("step:point_track", 8)
    with pytest.raises(UserError, match="outside of the frame"):
        Renderer(shot_of("kept", POINT, {}, point=[[-900.0, 40.0]]), Material(folder)).product("step:point_track", 2)
    far = [[[1, 4000.0, 20.0], [2, 4080.0, 20.0], [3, 4080.0, 60.0]]]
    with pytest.raises(UserError, match="outside of the frame"):
        Renderer(shot_of("kept", SURFACE, {}, region=far), Material(folder)).product("step:surface_track", 2)


def test_reseats_are_kept_as_plain_values() -> None:
    made = Reseat(places=((1.23456, 2.0),), looks=(((3.0, 4.00049),),), error=0.012345)
    assert made.plain() == {"places": [[1.235, 2.0]], "looks": [[[3.0, 4.0]]], "error": 0.0123}
    assert Reseat.model_validate(made.plain()).plain() == made.plain()
    pins = {"reseat": (Pin(frame=1, value=made.plain()), Pin(frame=4, value=made.plain()))}
    assert list(reseats_of(pins, 4)) == [1]
    with pytest.raises(UserError, match="more than 1000 points"):
        reseats_of({"reseat": (Pin(frame=2, value={"places": [], "looks": [[[0, 0]] * 1001]}),)}, 1)


def test_outlines_are_carried_with_their_identities() -> None:
    shift = np.array([[1, 0, 5], [0, 1, -2], [0, 0, 1.0]])
    assert carried((((7, 1.0, 2.0), (8, 3.0, 4.0)), ((0.0, 0.0),)), shift) == (((7, 6.0, 0.0), (8, 8.0, 2.0)), ((5.0, -2.0),))


def test_a_dab_of_paint_is_followed_by_its_colour(tmp_path: Path) -> None:
    """Six pixels wide, before a pattern that moves otherwise, and through a piece's end."""
    big = wall(31, (130, 300))
    rng = np.random.default_rng(2)
    yy, xx = np.mgrid[0:240, 0:420] / 3.0
    for n in range(1, LENGTH + 1):
        x, y = START + (n - 1) * np.array([1.9, -0.4])
        away = np.hypot(xx + 1 / 6 - x, yy + 1 / 6 - y)
        dab = np.clip(3.0 - away + 0.5, 0, 1).reshape(80, 3, 140, 3).mean(axis=(1, 3))[..., None].astype(np.float32)
        ground = seen_through(big, np.array([[1, 0, -0.8 * n], [0, 1, 0], [0, 0, 1.0]]))[20:100, 30:170]
        frame = ground * (1 - dab) + dab * np.array([0.7, 0.03, 0.05], np.float32)
        write_still(tmp_path / f"dab.{n:04d}.png", frame + rng.normal(0, 0.002, frame.shape).astype(np.float32), kind="uint16")
    r = Renderer(shot_of("dab", POINT, {}, point=[START.tolist()], by="its colour"), Material(tmp_path))
    for n in (2, 15, 17, 18, 33):
        m = r.product("step:point_track", n).motion
        assert m is not None
        assert m.known, (n, m.why)
        at = moved_points(m.matrix, START)[0]
        assert np.hypot(*(at - (START + (n - 1) * np.array([1.9, -0.4])))) < 0.15
    plain = Renderer(shot_of("dab", POINT, {}, point=[[110.0, 20.0]], by="its colour"), Material(tmp_path))
    with pytest.raises(UserError, match="colour"):
        plain.product("step:point_track", 2)


def test_where_a_frame_cannot_be_read_the_point_can_be_taken_hold_of(folder: Path, tmp_path: Path) -> None:
    for n in range(1, LENGTH + 1):
        data = (folder / f"kept.{n:04d}.png").read_bytes()
        (tmp_path / f"kept.{n:04d}.png").write_bytes(data[:60] if n in (1, 7) else data)
    for frame, param in ((1, "point"), (7, "seat")):
        r = Renderer(point_in("kept", {}, reference=1), Material(tmp_path))
        handles = r.handles(POINT, frame)
        assert handles[0].param == param
        assert "views" not in handles[0].facts
