"""Outlines carried by the picture and by tracks; their error foretold; the next pin."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from rotoclips import blob, photo, swinging
from shapeshot import SIZE, picture, truth

from transmixis.core.colour.curves import linear_to_srgb
from transmixis.core.progress import Cancelled, Progress
from transmixis.core.roto.asking import Ask, asked, beyond, foretold
from transmixis.core.roto.carry import Look, Pinned, along, carried
from transmixis.core.roto.path import Between, Way, apart, between, chosen, off_line
from transmixis.core.roto.sheet import edge_row
from transmixis.core.roto.stretch import FLOW, SEATED, STILL, TRACK, Carrier
from transmixis.core.roto.strip import edges_of, seen_at, settled, turned_about

CORNER = np.ones(96, bool)


def drawn(n: int) -> Look:
    """The take's frame with noise of 1.5 levels, 8 bit."""
    light = picture(n)
    levels = linear_to_srgb(light) * 255 + np.random.default_rng(n).normal(0, 1.5, light.shape)
    return Look(np.clip(levels, 0, 255).round().astype(np.float32), np.zeros(SIZE, bool))


LOOKS = {n: drawn(n) for n in range(1, 10)}


def look(n: int) -> Look:
    return LOOKS[n]


def pin(n: int) -> Pinned:
    return Pinned(look(n), truth(n), CORNER)


def guide(a: int, b: int) -> np.ndarray:
    """The affine motion of the outline, exactly."""
    one, two = np.c_[truth(a), np.ones(96)], truth(b)
    return np.vstack([np.linalg.lstsq(one, two, rcond=None)[0].T, [0, 0, 1]])


# -- the strip


def test_a_strip_finds_back_to_its_place() -> None:
    p = pin(5)
    off = p.at + np.array([1.2, -0.8])
    seen = settled(p.strips[1], look(5).soft(0.8), look(5).hidden, off)
    assert float(np.hypot(*(seen.places - p.at).T).mean()) < 0.1
    assert float(np.median(seen.left)) < 1
    there, here = (seen_at(p.strips[1], look(5).soft(0.8), look(5).hidden, q) for q in (p.at, off))
    assert there.left.max() < 1e-3
    assert (here.left > there.left).all()
    assert there.seen.min() == 1
    # what a px of shift makes is what the difference grows by
    near = seen_at(p.strips[1], look(5).soft(0.8), look(5).hidden, p.at + np.array([0.1, 0]))
    assert float(np.median(near.left)) == pytest.approx(0.01 * float(np.median(there.slope)), rel=0.6)


def test_what_is_hidden_is_not_looked_at() -> None:
    hidden = np.zeros(SIZE, bool)
    hidden[:, :150] = True
    seen = seen_at(pin(5).strips[1], look(5).soft(0.8), hidden, pin(5).at)
    assert (seen.seen[pin(5).at[:, 0] < 135] < 0.05).all()
    assert (seen.seen[pin(5).at[:, 0] > 165] > 0.95).all()


def test_how_an_outline_has_turned_about_each_place() -> None:
    p = truth(5)
    a = np.radians(20)
    turn = 1.1 * np.array([[np.cos(a), -np.sin(a)], [np.sin(a), np.cos(a)]])
    assert np.allclose(turned_about(p, p @ turn.T + 7), turn, atol=1e-6)
    assert np.allclose(edges_of(p, True).sum(axis=0), 0)
    assert len(edges_of(p, False)) == 95
    assert np.allclose(edges_of(p, False)[3], p[4] - p[3])


def test_places_along_a_line() -> None:
    square = np.array([[0.0, 0], [40, 0], [40, 40], [0, 40]])
    places, own = along(square, np.arange(4))
    assert len(places) == 40
    assert np.allclose(places[own.astype(int)], square)
    assert np.allclose(np.hypot(*np.diff(places, axis=0).T), 4)
    places, own = along(square, np.arange(4), closed=False)
    assert np.allclose(places[-1], (0, 40))
    assert own[-1] == pytest.approx(len(places) - 1)


def test_points_and_places_of_a_pin_go_together() -> None:
    p = pin(5)
    assert np.allclose(p.places(p.points), p.at)
    assert np.allclose(p.places(p.points + np.array([3, -2])), p.at + np.array([3, -2]))
    assert np.allclose(p.spread(np.full((len(p.at), 2), 2.5)), 2.5)
    bent = p.points + np.stack([np.sin(np.arange(96) / 96 * 2 * np.pi), np.zeros(96)], 1)
    assert np.abs(p.spread(p.places(bent) - p.at) - (bent - p.points)).max() < 0.12


# -- carried


def off(points: np.ndarray, n: int) -> float:
    return float(apart(points, truth(n)))


def test_the_picture_carries_an_outline_both_ways() -> None:
    for end in (9, 1):
        found = dict(carried(look, pin(5), 5, end))
        assert sorted(found) == sorted(set(range(min(5, end), max(5, end) + 1)) - {5})
        assert max(off(c.points, n) for n, c in found.items()) < 0.5
        still = max(off(truth(5), n) for n in found)
        assert still > 8


def test_a_track_says_where_to_look() -> None:
    found = dict(carried(look, pin(5), 5, 9, lambda n: guide(5, n)))
    assert max(off(c.points, n) for n, c in found.items()) < 0.4


def test_a_strand_is_carried_too() -> None:
    inner = swinging(blob(25, 3), photo("chelsea"), lambda t: (150 + 5 * t, 100 + 8 * np.sin(t / 3), 3 * t, 1 + 0.01 * t), 2.0, 1)
    p = Pinned(look(5), inner.outline(0.0)[10:40], np.ones(30, bool), closed=False)
    points = dict(carried(look, p, 5, 7))[7].points
    assert points.shape == (30, 2)
    assert np.hypot(*(points - inner.outline(2.0)[10:40]).T).mean() < 0.5


def test_a_stretch_tells_where_it_lies_and_how_far_off() -> None:
    told = Carrier(look, guide, (TRACK, SEATED, FLOW), Progress()).told(1, 9, pin(1), pin(9))
    assert (told.first, told.last, len(told.points), len(told.foretold)) == (1, 9, 9, 9)
    assert np.allclose(told.points[0], truth(1))
    assert np.allclose(told.points[-1], truth(9))
    errors = np.array([off(told.points[n - 1], n) for n in range(1, 10)])
    assert errors.max() < 0.5
    assert told.foretold[0] == told.foretold[-1] == 0
    assert (told.foretold[1:-1] > 0).all()
    assert told.foretold.max() < 1.2
    assert told.way in (TRACK, SEATED, FLOW)


def test_plain_easing_is_foretold_to_be_off() -> None:
    """The thing goes 8 px up and down beside the straight way: by easing alone the outline is off in the middle, and that is said."""
    told = Carrier(look, None, (STILL,), Progress()).told(1, 9, pin(1), pin(9))
    assert told.way == STILL
    errors = np.array([off(told.points[n - 1], n) for n in range(1, 10)])
    assert errors[3:6].min() > 1
    assert told.foretold[3:6].min() > 1
    better = Carrier(look, None, (STILL, FLOW), Progress()).told(1, 9, pin(1), pin(9))
    assert better.way == FLOW
    assert better.foretold.max() < told.foretold.max() / 3


def test_without_a_motion_what_needs_one_is_left_out() -> None:
    assert Carrier(look, None, (TRACK, SEATED, FLOW), Progress()).ways == [FLOW]
    assert Carrier(look, None, (TRACK,), Progress()).ways == [STILL]


def test_beyond_the_last_pin_it_is_carried_on() -> None:
    carrier = Carrier(look, guide, (TRACK, SEATED, FLOW), Progress())
    on = carrier.beyond(5, 9, pin(5))
    back = Carrier(look, None, (TRACK, FLOW), Progress()).beyond(5, 1, pin(5))
    assert (on.first, on.last, on.way) == (5, 9, TRACK)
    assert (back.first, back.last, back.way) == (1, 5, FLOW)
    assert off(on.points[-1], 9) < 1.5
    assert off(back.points[0], 1) < 1
    assert np.allclose(back.points[-1], truth(5))
    assert back.foretold[-1] == 0
    assert on.foretold[0] == 0
    assert on.foretold[-1] > on.foretold[1] > 0


def test_a_carry_is_called_off() -> None:
    progress = Progress()
    progress.cancel()
    with pytest.raises(Cancelled):
        Carrier(look, guide, (FLOW,), progress).told(1, 9, pin(1), pin(9))


# -- ways and what they tell


def way(points: np.ndarray, doubt: np.ndarray | None = None, seated: bool = False) -> Way:
    return Way(points, np.arange(float(len(points))) if doubt is None else doubt, seated)


SQUARE = np.array([[0.0, 0], [30, 0], [30, 30], [0, 30]])
RING = np.stack([40 * np.cos(np.arange(48) * np.pi / 24), 40 * np.sin(np.arange(48) * np.pi / 24)], 1)


def test_points_that_slide_along_an_outline_are_not_off() -> None:
    assert off_line(RING * 1.05, RING) == pytest.approx(2.0, abs=0.02)
    a = 0.5 * np.pi / 24
    slid = RING @ np.array([[np.cos(a), np.sin(a)], [-np.sin(a), np.cos(a)]])
    assert off_line(slid, RING).max() < 0.1
    assert apart(RING * 1.05, RING) == pytest.approx(2.0, abs=0.02)
    line = np.stack([np.arange(10.0), np.zeros(10)], 1)
    assert off_line(line + np.array([0.3, 2]), line, closed=False) == pytest.approx(2.0)


def test_both_directions_count_by_their_doubt() -> None:
    forth, back = np.stack([RING * (1 + 0.01 * k) for k in range(5)]), np.stack([RING for _ in range(5)])
    told = between(1, 5, "a", way(forth), way(back))
    assert told.share.tolist() == pytest.approx([0, 0.1, 0.5, 0.9, 1])
    assert told.points[2] == pytest.approx(RING * 1.01)
    assert told.closes == pytest.approx(0.8, abs=0.05)  # 1.6 px at one end, nothing at the other
    assert told.apart[4] == pytest.approx(1.6, abs=0.05)
    sure = between(1, 5, "a", way(forth, np.array([0, 0.1, 0.1, 0.1, 0.1])), way(back, np.array([0, 5.0, 5, 5, 5])))
    assert sure.share[1:4].max() < 0.01


def test_the_way_that_closes_serves_and_of_like_ones_the_one_that_looks_right() -> None:
    def closing(name: str, px: float, seated: bool = False) -> Between:
        return Between(1, 5, name, np.stack([RING] * 5), px, np.zeros(5), np.linspace(0, 1, 5), seated)

    a, b, c = closing("a", 0.5), closing("b", 0.9, True), closing("c", 9.0)
    assert chosen([a, c], {"a": 20.0, "c": 1.0}) is a
    assert chosen([a, b], {"a": 10.0, "b": 2.0}) is b
    assert chosen([a, b], {"a": 10.0, "b": 9.0}) is a  # one that is fitted to the picture must look better by more
    assert chosen([closing("x", 0.0), closing("y", 0.2)], {"x": 9.0, "y": 1.0}).way == "y"


def test_the_error_is_foretold_from_its_signs() -> None:
    def path(closes: float, aside: float = 0.0) -> Between:
        return Between(1, 9, "a", np.stack([RING * (1 + aside / 40)] * 9), closes, np.full(9, closes / 2), np.linspace(0, 1, 9))

    quiet, wild = path(0.2), path(6.0)
    none, much = np.full(9, 0.1), np.full(9, 5.0)
    assert foretold(quiet, [], none).max() < foretold(wild, [], none).max() < foretold(wild, [], much).max()
    assert foretold(wild, [], much)[[0, -1]].tolist() == [0, 0]
    assert foretold(wild, [], much)[4] > foretold(wild, [], much)[1]
    assert foretold(wild, [path(3.0, 8.0)], much).max() > foretold(wild, [path(3.0, 0.1)], much).max()
    unseen = foretold(wild, [], np.full(9, np.nan))
    assert np.isfinite(unseen).all()
    gaps = np.where(np.arange(9) == 4, np.nan, much)
    assert foretold(wild, [], gaps)[4] == pytest.approx(foretold(wild, [], much)[4])


def test_beyond_the_last_pin_the_error_grows() -> None:
    px = beyond(6, np.full(7, np.nan))
    assert px[0] == 0
    assert (np.diff(px) > 0).all()
    assert beyond(6, np.full(7, 0.1))[6] < px[6] < beyond(6, np.full(7, 9.0))[6]
    gap = np.where(np.arange(7) == 4, np.nan, 9.0)
    assert beyond(6, gap) == pytest.approx(beyond(6, np.full(7, 9.0)))


# -- asking


def test_the_middle_of_the_worst_stretch_is_asked_for() -> None:
    px = np.zeros(21)
    px[2:9], px[12:18] = 1.5, 3.0
    asks = asked([1, 11, 21], px, 1.0)
    assert asks[0] == Ask(16, 3.0, 1.5)
    assert asks[1].worst == asks[0].then
    assert asks[-1].then < 1
    assert [a.frame for a in asks[1:3]] == [6, 13] or [a.frame for a in asks[1:3]] == [13, 6]
    assert asked([1, 11, 21], px, 3.5) == ()
    assert asked([], px, 1.0) == ()


def test_where_no_pin_follows_the_end_is_asked_for() -> None:
    px = np.linspace(0, 4, 12)
    assert asked([1], px, 1.0)[0].frame == 12
    assert asked([12], px[::-1], 1.0)[0].frame == 1


@given(st.lists(st.floats(0, 50), min_size=3, max_size=60), st.data())
@settings(max_examples=60, deadline=None)
def test_asking_comes_to_an_end(px: list[float], data: st.DataObject) -> None:
    pins = data.draw(st.lists(st.integers(1, len(px)), min_size=1, max_size=5))
    for n in pins:
        px[n - 1] = 0.0  # what was set is right
    asks = asked(pins, np.array(px), 1.0)
    frames = [a.frame for a in asks]
    assert len(asks) <= 12
    assert all(1 <= f <= len(px) for f in frames)
    assert len(set(frames)) == len(frames)
    assert (max(px) < 1) == (not asks)
    if asks:
        assert asks[0].worst == max(px)


def test_what_is_not_known_at_the_ends_is_left_out() -> None:
    px = np.array([np.nan, np.nan, 0, 0.5, 3.0, 4.0, np.nan])
    assert asked([3], px, 1.0)[0] == Ask(6, 4.0, 1.5)
    assert asked([3], np.full(7, np.nan), 1.0) == ()
    assert asked([1], px, 1.0) == ()  # the pin lies outside of what is known


# -- the edge sheet


def test_the_unrolled_outline_shows_what_lies_just_inside() -> None:
    """Left half red, right half blue, green outside: one row of red and blue only, which way round the outline is drawn or not."""
    levels = np.zeros((100, 100, 3), np.float32)
    levels[:] = (0, 200, 0)
    levels[20:80, 20:50], levels[20:80, 50:80] = (200, 0, 0), (0, 0, 200)
    square = np.array([[20.0, 20], [80, 20], [80, 80], [20, 80]])
    for line in (square, square[::-1]):
        row = edge_row(levels, line, places=120)
        assert row.shape == (120, 3)
        assert row.dtype == np.uint8
        assert row[:, 1].mean() < 4
        assert (row[:, 0] > 150).sum() == pytest.approx(60, abs=4)
    assert (edge_row(levels, square)[:19, 0] > 150).all()  # it begins at the outline's first point: the upper side from the left
    thread = edge_row(levels, np.array([[10.0, 50], [90, 50]]), closed=False, places=80)
    assert thread[5, 1] == 200
    assert thread[20, 0] == 200
    assert thread[60, 2] == 200
    assert thread[78, 1] == 200
    outside = edge_row(levels, square + 90)
    assert np.isfinite(outside).all()
