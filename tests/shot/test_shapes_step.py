"""The Shapes step: outlines carried from pin to pin, several joined, single points, what it reads and proposes, its files."""

from __future__ import annotations

import json
import re
import shutil
from pathlib import Path

import numpy as np
import pytest
from clirun import here
from shapeshot import LENGTH, SIZE, marks, shapes_step, shot_of, truth, written

from transmixis.core.errors import UserError
from transmixis.core.plot import Trace, Unrolled
from transmixis.core.roto.asking import Ask
from transmixis.core.roto.cover import covered
from transmixis.core.roto.curve import drawn
from transmixis.core.roto.path import apart
from transmixis.media.cache import FrameCache
from transmixis.media.still import read_coded, write_still
from transmixis.shot.material import Material
from transmixis.shot.model import Pin, Shot, Step
from transmixis.shot.parts import moved_step
from transmixis.shot.pins import set_pin
from transmixis.shot.render import Renderer
from transmixis.shot.small import SmallProducts
from transmixis.shot.steps import kind_of
from transmixis.shot.steps.outlinefile import read_shapes
from transmixis.shot.steps.outlines import OneShape, alike, pinned, stretch_at, stretches
from transmixis.shot.steps.shapeask import _of_asks
from transmixis.shot.steps.shapethings import OUTLINE

SQUARE = [[1, 40.0, 40.0], [2, 120.0, 40.0], [3, 120.0, 120.0], [4, 40.0, 120.0]]


@pytest.fixture(scope="module")
def plate(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return written(tmp_path_factory.mktemp("shapes"))


def rendered(shot: Shot) -> Renderer:
    return Renderer(shot, Material(Path.cwd()), FrameCache(1 << 28))


def made(plate: Path, step: Step) -> Renderer:
    return rendered(shot_of(plate, step))


def outline(r: Renderer, frame: int) -> np.ndarray:
    shape = r.product("step:shapes", frame).shape
    assert shape
    return shape[0]


def off(line: np.ndarray, frame: int) -> float:
    """Mean px from the truth's points to a line."""
    fine = np.concatenate([line + t * (np.roll(line, -1, axis=0) - line) for t in np.linspace(0, 1, 8, endpoint=False)])
    return float(np.min(np.hypot(*(truth(frame)[:, None] - fine[None]).transpose(2, 0, 1)), axis=1).mean())


def plain(shapes: list[dict[str, object]], pins: dict[str, list[list[float]]], **params: object) -> Step:
    """Shapes that stand still."""
    held = {name: (Pin(frame=1, value=value, easing="linear"),) for name, value in pins.items()}
    given = {"carry": "nothing, eased", "feather": 0.0, "shapes": shapes, **params}
    return Step(id="shapes", kind="shapes", name="Cut out", inputs={"plate": "plate:hero"}, params=given, pins=held)


def matte(plate: Path, step: Step, frame: int = 1) -> np.ndarray:
    m = made(plate, step).product("step:shapes", frame).matte
    assert m is not None
    return m


# -- carried


def test_two_pins_carry_an_outline_over_the_frames_between(plate: Path) -> None:
    r = made(plate, shapes_step(1, LENGTH))
    errors = [off(outline(r, n), n) for n in range(1, LENGTH + 1)]
    assert max(errors) < 0.6
    eased = made(plate, shapes_step(1, LENGTH, carry="nothing, eased"))
    assert max(off(outline(eased, n), n) for n in range(1, LENGTH + 1)) > 1.2
    (foretold,) = [x for x in r.measure("shapes", 5) if x.name == "foretold"]
    assert foretold.value is not None
    assert 0 < foretold.value < 1
    assert "picture" in foretold.note
    at_pin = {x.name: x for x in r.measure("shapes", 1)}
    assert at_pin["foretold"].value == 0
    assert at_pin["foretold"].note == "set here"
    unknown = {x.name: x for x in eased.measure("shapes", 5)}["foretold"]
    assert unknown.value is None
    assert unknown.note


def asks_of(step: Step, plate: Path, limit: float | None = None) -> tuple[int, ...]:
    """The frames that are asked for once all is carried."""
    r = made(plate, step if limit is None else step.model_copy(update={"limits": {"foretold": limit}}))
    for n in range(1, LENGTH + 1):
        r.product("step:shapes", n)
    found = r.propose("shapes")
    return found.asks if found else ()


def test_one_pin_is_carried_on_and_the_end_is_asked_for(plate: Path) -> None:
    r = made(plate, shapes_step(1))
    assert off(outline(r, LENGTH), LENGTH) < 1.5
    assert asks_of(shapes_step(1), plate, 0.05)[0] == LENGTH
    assert asks_of(shapes_step(LENGTH), plate, 0.05)[0] == 1


def test_where_it_is_foretold_to_be_off_a_pin_is_asked_for(plate: Path) -> None:
    """By the limit that a person has set for this step; over it the middle of the stretch."""
    assert asks_of(shapes_step(1, LENGTH), plate) == ()  # it stops asking
    r = made(plate, shapes_step(1, LENGTH).model_copy(update={"limits": {"foretold": 0.05}}))
    assert r.propose("shapes") is None  # nothing is known before it was carried
    r.measure("shapes", 4)
    found = r.propose("shapes")
    assert found is not None
    assert found.asks[0] == 5
    assert not found.sets
    assert found.frames == (5, 5)
    assert "frame 5 next" in found.reason
    (effect,) = found.effects
    assert effect.limit == 0.05
    assert effect.now == max(x.value or 0 for n in range(1, LENGTH + 1) for x in r.measure("shapes", n) if x.name == "foretold")
    assert effect.now > effect.then
    assert found.costs == f"{len(found.asks)} pins by hand."


def test_words_say_no_more_than_is_foreseen() -> None:
    shape = OneShape(id=1, name="Cat")
    done = _of_asks(shape, (Ask(5, 3.0, 1.5), Ask(3, 1.5, 0.8)), 1.0)
    assert done.reason.startswith("Cat: pin frame 5 next")
    assert "Then 1 more, at 3, and every frame is thought to be under 1 px." in done.reason
    assert done.effects[0].then == 1.5
    cut_short = _of_asks(shape, tuple(Ask(n, 9.0, 8.0) for n in range(2, 14)), 1.0)
    assert "at least 11 more, at 3, 4, 5, 6, 7 …" in cut_short.reason
    assert "under" not in cut_short.reason
    assert _of_asks(shape, (Ask(5, 1.2, 0.6),), 1.0).reason.endswith("Then every frame is thought to be under 1 px.")


def test_where_it_is_carried_no_farther_that_end_is_asked_for(plate: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("transmixis.shot.steps.outlinecarry.FARTHEST", 3)
    assert asks_of(shapes_step(2), plate, 50.0) == (5,)
    r = made(plate, shapes_step(2))
    (reading,) = [x for x in r.measure("shapes", 8) if x.name == "foretold"]
    assert reading.value is None
    assert "only eased" in reading.note


def test_what_is_off_is_not_asked_for(plate: Path) -> None:
    two = shapes_step(1, LENGTH, shapes=[{"id": 1}, {"id": 2, "on": False}])
    wild = two.model_copy(update={"pins": {**two.pins, "outline.2": (Pin(frame=1, value=SQUARE, easing="linear"),)}})
    assert asks_of(wild, plate, 1.0) == ()
    on = wild.model_copy(update={"params": {**wild.params, "shapes": [{"id": 1}, {"id": 2, "name": "Ground"}]}})
    assert asks_of(on, plate, 1.0) != ()


def test_a_calmed_motion_counts_as_far_as_it_is_looked_at() -> None:
    kind = kind_of("shapes")
    pieces = kind.pieces(99, kind.Params(calm=2.0, at=50), shapes_step(40, 50).pins)
    (piece,) = [p for p in pieces if p.name == "1:40-50"]
    assert (piece.first, piece.last) == (40, 50)
    assert piece.frames == tuple(range(32, 59))


def test_a_pin_makes_its_own_stretch_anew(plate: Path) -> None:
    shot = shot_of(plate, shapes_step(1, 5, LENGTH))
    r = rendered(shot)
    before = dict(r._keys.plan("shapes").keys)
    assert set(before) == {"1:1-5", "1:5-9"}
    later = shot.with_step(set_pin(shot.steps[0], "outline", Pin(frame=LENGTH, value=marks(8), easing="linear")))
    after = rendered(later)._keys.plan("shapes").keys
    assert after["1:1-5"] == before["1:1-5"]
    assert after["1:5-9"] != before["1:5-9"]


def test_the_key_pins_what_is_shown(plate: Path) -> None:
    r = made(plate, shapes_step(1, LENGTH))
    line = outline(r, 4)
    step = r.acted("shapes", "seat", 4)
    assert [p.frame for p in step.pins["outline"]] == [1, 4, LENGTH]
    again = outline(made(plate, step), 4)
    assert float(apart(again[:: len(again) // 40][:40], line[:: len(line) // 40][:40])) < 0.3
    with pytest.raises(UserError, match="no outline to pin"):
        made(plate, shapes_step()).acted("shapes", "seat", 4)


def test_without_an_outline_nothing_is_cut(plate: Path) -> None:
    r = made(plate, shapes_step())
    assert r.product("step:shapes", 3).matte is not None
    assert r.product("step:shapes", 3).matte.max() == 0  # type: ignore[union-attr]
    assert all(x.value is None and "nothing is drawn" in x.note for x in r.measure("shapes", 3))


# -- points


def test_a_point_added_at_one_pin_changes_nothing_at_others(plate: Path) -> None:
    step = shapes_step(1, LENGTH, line="corners")
    more = [
        *marks(LENGTH)[:3],
        [77, *((np.array(marks(LENGTH)[2][1:]) + marks(LENGTH)[3][1:]) / 2 + np.array([6, 0]))],
        *marks(LENGTH)[3:],
    ]
    with_one = set_pin(step, "outline", Pin(frame=LENGTH, value=more, easing="linear"))
    a, b = matte(plate, step, 1), matte(plate, with_one, 1)
    assert (a == b).all()
    assert np.abs(matte(plate, step, LENGTH) - matte(plate, with_one, LENGTH)).max() > 0.5
    assert np.abs(matte(plate, step, 2) - matte(plate, with_one, 2)).max() < 0.35  # nor does it jump beside that pin


def test_single_points_are_set_by_themselves(plate: Path) -> None:
    whole = shapes_step(1, LENGTH, line="corners")
    here = {m[0]: m for m in made(plate, whole).handles("shapes", 5)[0].value}
    r = made(plate, whole)
    r.product("step:shapes", 5)
    here = {m[0]: m for m in r.handles("shapes", 5)[0].value}
    moved = [[7, here[7][1] + 10, here[7][2] - 4]]
    step = set_pin(whole, "points", Pin(frame=5, value=moved, easing="linear"))

    def at(frame: int, of: Step) -> dict[int, np.ndarray]:
        one = made(plate, of)
        one.product("step:shapes", frame)
        return {m[0]: np.array(m[1:]) for m in one.handles("shapes", frame)[0].value}

    assert at(5, step)[7] == pytest.approx(moved[0][1:], abs=0.01)
    assert at(5, step)[8] == pytest.approx(here[8][1:], abs=0.01)
    assert np.hypot(*(at(3, step)[7] - at(3, whole)[7])) == pytest.approx(np.hypot(10, 4) / 2, rel=0.05)
    assert at(1, step)[7] == pytest.approx(at(1, whole)[7])
    assert at(LENGTH, step)[7] == pytest.approx(at(LENGTH, whole)[7])
    assert made(plate, step).handles("shapes", 5)[0].facts["here"] == [7]
    beyond = set_pin(shapes_step(1, line="corners"), "points", Pin(frame=5, value=moved, easing="linear"))
    assert np.hypot(*(at(9, beyond)[7] - at(9, shapes_step(1, line="corners"))[7])) == pytest.approx(
        np.hypot(*(np.array(moved[0][1:]) - at(5, shapes_step(1, line="corners"))[7])), rel=0.05
    )


def test_outlines_without_points_in_common_are_refused(plate: Path) -> None:
    step = set_pin(shapes_step(1), "outline", Pin(frame=LENGTH, value=[[100 + m[0], *m[1:]] for m in marks(9)], easing="linear"))
    (reading,) = made(plate, step).measure("shapes", 5)
    assert "no points in common" in reading.note


# -- several


def test_outlines_join_in_order(plate: Path) -> None:
    box = covered(np.array(SQUARE)[:, 1:], *SIZE)
    right = [[i, x + 40, y] for i, x, y in SQUARE]
    low = [[i, x, y + 60] for i, x, y in SQUARE]
    pins = {"outline": SQUARE, "outline.2": right, "outline.3": low}
    two, three = covered(np.array(right)[:, 1:], *SIZE), covered(np.array(low)[:, 1:], *SIZE)
    for joins, expected in (("add", np.maximum(box, two)), ("subtract", box * (1 - two)), ("meet", box * two)):
        shapes = [{"id": 1, "line": "corners"}, {"id": 2, "line": "corners", "joins": joins}]
        assert np.abs(matte(plate, plain(shapes, {k: pins[k] for k in ("outline", "outline.2")})) - expected).max() < 1e-6
    grouped = [
        {"id": 1, "line": "corners"},
        {"id": 2, "line": "corners", "joins": "subtract", "group": "arm"},
        {"id": 3, "line": "corners", "joins": "meet", "group": "arm"},
    ]
    assert np.abs(matte(plate, plain(grouped, pins)) - box * (1 - two * three)).max() < 1e-6  # type: ignore[arg-type]
    off_ = [{"id": 1, "line": "corners"}, {"id": 2, "line": "corners", "on": False}]
    assert np.abs(matte(plate, plain(off_, pins)) - box).max() < 1e-6  # type: ignore[arg-type]
    outside = plain([{"id": 1, "line": "corners"}], {"outline": SQUARE}, turned="outside")
    assert np.abs(matte(plate, outside) - (1 - box)).max() < 1e-6


def test_points_have_their_own_softness_and_corners(plate: Path) -> None:
    styles = {
        "2": {"corner": True, "outward": 12.0},
        "3": {"corner": True, "outward": 12.0},
        "1": {"corner": True},
        "4": {"corner": True},
    }
    m = matte(plate, plain([{"id": 1, "styles": styles}], {"outline": SQUARE}))
    assert m[80, 125] > 0.3  # soft at the right, outwards only
    assert m[80, 115] == 1
    assert m[80, 36] == 0  # hard at the left
    shape = OneShape.model_validate(
        {"id": 2, "line": "corners", "inward": 1, "wide": 7, "styles": {"5": {"corner": False, "inward": 2, "wide": 3}}}
    )
    four = ((5, 0.0, 0.0), (6, 1.0, 1.0))
    assert shape.corners(four).tolist() == [False, True]
    assert shape.softness(four)[0].tolist() == [3, 1]
    assert shape.softness(four)[1].tolist() == [0, 0]
    assert shape.widths(four).tolist() == [3, 7]


def test_a_strand_is_a_line_with_a_width(plate: Path) -> None:
    m = matte(plate, plain([{"id": 1, "closed": False, "wide": 6.0, "line": "corners"}], {"outline": SQUARE[:2]}))
    assert m[:, 80].sum() == pytest.approx(6, abs=0.01)
    assert m[:, 20].sum() == 0
    r = made(plate, plain([{"id": 1, "closed": False}], {"outline": SQUARE[:2]}))
    assert r.handles("shapes", 1)[0].facts["closed"] is False
    told = {x.name: x for x in r.measure("shapes", 1)}
    assert told["foretold"].value == 0  # a step of strands alone is read too
    assert "no edge" in told["off the edge"].note


def test_the_border_is_blurred_by_its_motion(plate: Path) -> None:
    """A square that goes 20 px a frame: with the shutter open for half of it its upright sides are ramps of 10 px, its level ones are hard."""
    step = plain([{"id": 1, "line": "corners"}], {"outline": SQUARE}, shutter=180.0)
    step = set_pin(step, "outline", Pin(frame=5, value=[[i, x + 80, y] for i, x, y in SQUARE], easing="linear"))
    m = matte(plate, step, 3)
    assert ((m[80] > 0.01) & (m[80] < 0.99)).sum() == pytest.approx(20, abs=3)
    assert m[80, 75:85] == pytest.approx(np.linspace(0.05, 0.95, 10), abs=0.06)
    assert ((m[:, 120] > 0.01) & (m[:, 120] < 0.99)).sum() == 0
    assert m.sum() == pytest.approx(80 * 80, rel=1e-3)
    bent = set_pin(step, "points", Pin(frame=3, value=[[1, 60.0, 40.0]], easing="linear"))
    corner = made(plate, bent).product("step:shapes", 3).shape
    assert corner
    assert corner[0][:, 0].min() == pytest.approx(60, abs=1)  # a single point that was set, in the middle of the exposure
    first = matte(plate, step, 1)  # nothing is known before it: it goes on as behind
    assert ((first[80] > 0.01) & (first[80] < 0.99)).sum() > 10


def test_feather_is_as_wide_as_said(plate: Path) -> None:
    row = matte(plate, plain([{"id": 1, "line": "corners"}], {"outline": SQUARE}, feather=4.0))[80]
    assert ((row[:80] > 0.001) & (row[:80] < 0.999)).sum() == pytest.approx(12, abs=2)
    assert row[:80].sum() == pytest.approx(40, abs=0.2)


# -- stretches


def test_stretches_between_and_beyond_pins() -> None:
    params = kind_of("shapes").Params()
    shape = OneShape(id=1)
    held = pinned(shape, params, {"outline": tuple(Pin(frame=n, value=SQUARE) for n in (3, 4, 8))})
    assert [s.name for s in stretches(held, 9)] == ["4-8", "-3", "8-"]
    assert [s.inner for s in stretches(held, 9)] == [5, 2, 9]
    assert stretches((), 9) == ()
    assert stretch_at(held, 4) is None
    assert stretch_at((), 4) is None
    assert stretch_at(held, 6).name == "4-8"  # type: ignore[union-attr]
    assert stretch_at(held, 1).name == "-3"  # type: ignore[union-attr]
    set_at = kind_of("shapes").Params(outline=SQUARE, at=4)
    assert [h.frame for h in pinned(shape, set_at, {})] == [4]
    assert pinned(OneShape(id=2), set_at, {}) == ()
    one, two = alike(
        OneShape(id=1, line="corners"),
        held[0],
        pinned(shape, params, {"outline": (Pin(frame=9, value=[*SQUARE, [9, 30, 80]]),)})[0],
    )
    assert [m[0] for m in one] == [m[0] for m in two] == [1, 2, 3, 4, 9]
    assert one[4][1:] == pytest.approx((40, 80))  # on the line between its neighbours


# -- moved and small


def test_all_outlines_move_with_their_part_and_scale(plate: Path) -> None:
    step = plain(
        [{"id": 1, "line": "corners"}, {"id": 2, "line": "corners"}],
        {"outline": SQUARE, "outline.2": [[i, x + 100, y] for i, x, y in SQUARE]},
    )
    moved = moved_step(step, 10, 5)
    assert np.abs(np.roll(matte(plate, step), (5, 10), (0, 1)) - matte(plate, moved)).max() < 1e-6
    shot = shot_of(plate, step)
    small = SmallProducts(rendered(shot), 2).product("step:shapes", 1).matte
    assert small is not None
    full = matte(plate, step)
    assert np.abs(small - full.reshape(100, 2, 150, 2).mean(axis=(1, 3))).max() < 1e-6


# -- files


def test_shapes_go_to_json_and_back(plate: Path, tmp_path: Path) -> None:
    step = plain([{"id": 1, "name": "Kite", "line": "corners"}, {"id": 2, "name": "Tail", "closed": False, "wide": 5.0, "joins": "subtract"}],
                 {"outline": SQUARE, "outline.2": SQUARE[:3]}, feather=2.0)  # fmt: skip
    step = set_pin(step, "points", Pin(frame=3, value=[[2, 130.0, 50.0]], easing="linear"))
    r = made(plate, step)
    assert r.to_file("shapes", 1, tmp_path / "a.json") == "2 shapes written"
    back = read_shapes(tmp_path / "a.json", step.model_copy(update={"pins": {}, "params": {}}))
    assert back.pins == step.pins
    assert np.abs(matte(plate, back, 2) - matte(plate, step, 2)).max() < 1e-6
    assert back.params["feather"] == 2.0


def test_a_frame_goes_to_svg_and_back(plate: Path, tmp_path: Path) -> None:
    step = shapes_step(5)
    r = made(plate, step)
    assert r.to_file("shapes", 5, tmp_path / "a.svg") == "1 outlines of frame 5 written"
    assert "<path" in (tmp_path / "a.svg").read_text()
    back = read_shapes(tmp_path / "a.svg", step.model_copy(update={"pins": {}}), 5)
    assert np.abs(matte(plate, back, 5) - matte(plate, step, 5)).max() < 0.02
    with pytest.raises(UserError, match="no outline at frame"):
        made(plate, shapes_step()).to_file("shapes", 5, tmp_path / "b.svg")


@pytest.mark.parametrize(
    ("name", "text", "words"),
    [
        ("a.json", "{", "line 1, column 2"),
        ("a.json", "[]", "no list 'shapes'"),
        ("a.json", '{"shapes": [1]}', "no list 'shapes'"),
        ("a.json", '{"shapes": [{"pins": []}]}', "shape 1 needs pins"),
        ("a.json", '{"shapes": [{"pins": [{"frame": 0, "points": [[1, 2], [3, 4], [5, 6]]}]}]}', "frame counted from 1"),
        ("a.json", '{"shapes": [{"pins": [{"frame": true, "points": [[1, 2], [3, 4], [5, 6]]}]}]}', "frame counted from 1"),
        ("a.json", '{"shapes": [{"pins": [{"frame": 1, "points": [[1, 2], [3, NaN], [5, 6]]}]}]}', "NaN stands where"),
        ("a.json", '{"shapes": [{"joins": "melt", "pins": [{"frame": 1, "points": [[1, 2], [3, 4], [5, 6]]}]}]}', "shape 1"),
        (
            "a.json",
            '{"carry": "magic", "shapes": [{"pins": [{"frame": 1, "points": [[1, 2], [3, 4], [5, 6]]}]}]}',
            "its settings",
        ),
        (
            "a.json",
            '{"shapes": [{"pins": [{"frame": 1, "points": [[1, 2, 3], [1, 4, 5], [2, 6, 7]]}]}]}',
            "two points of one number",
        ),
        (
            "a.json",
            json.dumps({"shapes": [{"pins": [{"frame": 1, "points": [[k, k] for k in range(2001)]}]}]}),
            "2001 points",
        ),
        ("a.svg", "<svg", "is no SVG"),
        ("a.svg", "<svg xmlns='http://www.w3.org/2000/svg'/>", "no path"),
        ("a.svg", "<svg xmlns='http://www.w3.org/2000/svg'><path d='M0,0 A1,1 0 0 0 5,5'/></svg>", "arcs"),
        ("a.svg", "<svg xmlns='http://www.w3.org/2000/svg'><path transform='scale(2)' d='M0,0L1,1L2,0Z'/></svg>", "transform"),
        ("a.svg", "<svg xmlns='http://www.w3.org/2000/svg'><path d='5,5 L1'/></svg>", "cannot be read"),
        ("a.svg", "<!DOCTYPE x [<!ENTITY a 'b'>]><svg><path d='M0,0L1,1L2,0Z'/></svg>", "entities"),
    ],
)
def test_broken_files_are_told(tmp_path: Path, name: str, text: str, words: str) -> None:
    (tmp_path / name).write_text(text)
    with pytest.raises(UserError, match=words) as e:
        read_shapes(tmp_path / name, shapes_step())
    assert name in str(e.value)
    for none in ("none.json", "none.svg"):
        with pytest.raises(UserError, match=none):
            read_shapes(tmp_path / none, shapes_step())


def test_paths_of_other_programs_are_read(tmp_path: Path) -> None:
    d = "m10,10 h20 v20 h-20 z M50,50 Q60,40 70,50 T90,50 S95,80 70,80 l-20,-5 Z"
    (tmp_path / "a.svg").write_text(
        f"<svg xmlns='http://www.w3.org/2000/svg'><g><path id='p' d='{d}'/></g><polygon points='1,1 9,1 9,9'/><polyline points='1,1 5,5 9,1' stroke-width='3px'/></svg>"
    )
    step = read_shapes(tmp_path / "a.svg", shapes_step(), 4)
    shapes = [OneShape.model_validate(s) for s in step.params["shapes"]]
    assert [s.closed for s in shapes] == [True, True, True, False]
    assert shapes[3].wide == 3
    square = [m[1:] for m in step.pins["outline"][0].value]
    assert square == [[10, 10], [30, 10], [30, 30], [10, 30]]
    assert step.pins["outline"][0].frame == 4
    assert shapes[0].corners(tuple((i, 0.0, 0.0) for i in range(1, 5))).all()
    curve = np.array([m[1:] for m in step.pins["outline.2"][0].value])
    assert all(p in curve.tolist() for p in ([50, 50], [70, 50], [90, 50], [70, 80], [50, 75]))
    line, _ = drawn(curve, shapes[1].corners([tuple(m) for m in step.pins["outline.2"][0].value]))  # type: ignore[misc]
    assert line[:, 1].min() == pytest.approx(45, abs=0.3)  # the first bow's top: a quarter of its control and half of its ends
    assert line[line[:, 0] < 75][:, 1].max() > 75


def test_the_command_cuts_out_what_shapes_say(plate: Path, tmp_path: Path) -> None:
    told = {"shapes": [{"name": "Cat", "pins": [{"frame": n, "points": marks(n)} for n in (1, LENGTH)]}], "feather": 0}
    (tmp_path / "cat.json").write_text(json.dumps(told))
    said = here("matte", "shapes", plate, tmp_path / "cat.json", "--out", tmp_path / "out", "--over", plate).stdout
    assert "9 frames written" in said
    assert sorted(p.name for p in (tmp_path / "out").iterdir())[0] == "comp.0001.exr"
    m = read_coded(tmp_path / "out" / "matte.0005.exr")[..., 0]
    assert np.abs(m - covered(truth(5), *SIZE)).mean() < 0.01
    front = read_coded(tmp_path / "out" / "foreground.0005.exr")
    assert front.shape[2] == 4
    assert np.abs(front[..., 3] - m).max() < 1e-6
    report = json.loads((tmp_path / "out" / "readings.json").read_text())
    assert len(report["frames"]) == LENGTH
    assert report["frames"][4]["readings"][0]["name"] == "foretold"
    write_still(tmp_path / "back.png", np.full((50, 50, 3), 0.25, np.float32), kind="uint16")
    here("matte", "shapes", plate, tmp_path / "cat.json", "--out", tmp_path / "over", "--over", tmp_path / "back.png")
    comp, bare = (read_coded(tmp_path / "over" / f"{kind}.0005.exr") for kind in ("comp", "matte"))
    assert comp[..., 0][bare[..., 0] == 0] == pytest.approx(0.25, abs=0.002)  # a still of any size fills every frame
    again = here("matte", "shapes", plate, tmp_path / "cat.json", "--out", tmp_path / "out", code=1).stderr
    assert re.search("overwrite", again)


def test_the_outline_is_unrolled_over_the_frames_that_were_carried(plate: Path) -> None:
    r = made(plate, shapes_step(1, LENGTH))
    before = r.plot("shapes", 3)
    assert before is not None
    sheet, trace = before.panels
    assert isinstance(sheet, Unrolled)
    assert isinstance(trace, Trace)
    assert not sheet.known.any()
    assert np.isnan(trace.values[1:-1]).all()
    r.measure("shapes", 3)
    drawn_now = r.plot("shapes", 3)
    assert drawn_now is not None
    sheet, trace = drawn_now.panels
    assert isinstance(sheet, Unrolled)
    assert isinstance(trace, Trace)
    assert sheet.known.all()
    assert sheet.pins == (1, LENGTH)
    assert np.isfinite(trace.values).all()
    assert trace.limit == 1.0
    # it keeps to its stuff: rows next to each other are alike, more than places next to each other
    rows = sheet.rows.astype(float)
    assert np.abs(np.diff(rows, axis=0)).mean() < 0.6 * np.abs(rows - np.roll(rows, 8, axis=1)).mean()
    nothing = made(plate, shapes_step()).plot("shapes", 1)
    assert nothing is not None
    assert [type(p) for p in nothing.panels] == [Trace]
    assert made(plate, shapes_step(1, LENGTH, carry="nothing, eased")).plot("shapes", 1) is not None


def test_borders_creep_and_idle_shapes_are_read(plate: Path) -> None:
    """A border as it should be, one far too soft; a shape within another is named."""
    by = {name: made(plate, shapes_step(1, 5, 9, **more)) for name, more in (("right", {}), ("soft", {"feather": 4.0}))}
    found = {name: {x.name: x for x in r.measure("shapes", 3)} for name, r in by.items()}
    right, soft = found["right"], found["soft"]
    assert right["edge softness off"].value is not None
    assert right["edge softness off"].value < 0.5
    assert soft["edge softness off"].state == "fault"
    assert "softer" in soft["edge softness off"].note
    assert (soft["shown beside"].value or 0) > 4 * (right["shown beside"].value or 1)
    assert right["creep"].value == 0  # it moves, and so does the thing
    assert right["idle shapes"].value == 0
    assert "creep" not in {x.name for x in by["right"].measure("shapes", 1)}
    step, second = kind_of("shapes").with_thing(shapes_step(1, 5, 9), OUTLINE)
    inner = truth(3).mean(axis=0) + 0.3 * (truth(3)[::12] - truth(3).mean(axis=0))
    points = [[i, float(x), float(y)] for i, (x, y) in enumerate(inner, 1)]
    step = set_pin(step, second, Pin(frame=3, value=points, easing="linear"))
    told = next(x for x in made(plate, step).measure("shapes", 3) if x.name == "idle shapes")
    assert told.value == 1
    assert told.state == "fault"
    assert "changes nothing" in told.note


def test_a_broken_frame_before_leaves_the_other_readings(plate: Path, tmp_path: Path) -> None:
    broken = tmp_path / "broken"
    shutil.copytree(plate.parent, broken)
    (broken / "take.0002.png").write_bytes(b"no picture")
    found = {x.name: x for x in made(broken / "take.####.png", shapes_step(*range(1, LENGTH + 1))).measure("shapes", 3)}
    assert found["creep"].value is None
    assert "2" in found["creep"].note
    assert found["off the edge"].value is not None
    assert found["idle shapes"].value == 0
