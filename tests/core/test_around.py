"""The surroundings' motion: where a thing is looked for from rest, and where it is carried while it is hidden."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pointclips import texture
from walls import seen_through, wall

from transmixis.core.errors import UserError
from transmixis.core.motion.around import NEAR, WIDE, Around, moved_around
from transmixis.core.motion.follow import Way, _after, _brought, _led, follow
from transmixis.core.motion.level import Laid
from transmixis.core.motion.motion import moved_points
from transmixis.core.motion.point import about_point
from transmixis.core.types import Array

MIDDLE = np.array([120.0, 80.0])


def similar(x: float, y: float, degrees: float = 0.0, size: float = 1.0, about: Array = MIDDLE) -> Array:
    c, s = size * np.cos(np.radians(degrees)), size * np.sin(np.radians(degrees))
    m = np.array([[c, -s, x], [s, c, y], [0, 0, 1.0]])
    back = np.array([[1, 0, -about[0]], [0, 1, -about[1]], [0, 0, 1.0]])
    return np.asarray(np.linalg.inv(back) @ m @ back)


@given(st.floats(-18, 18), st.floats(-12, 12), st.floats(-4, 4), st.floats(0.97, 1.03))
@settings(max_examples=12, deadline=None)
def test_what_surrounds_a_place_tells_how_it_moves(x: float, y: float, degrees: float, size: float) -> None:
    picture, truth = wall(4, (160, 240)), similar(x, y, degrees, size)
    m = moved_around(picture, seen_through(picture, truth), MIDDLE, NEAR)
    assert m is not None
    places = MIDDLE + np.array([[0.0, 0], [20, -10], [-25, 15]])
    assert moved_points(m, places) == pytest.approx(moved_points(truth, places), abs=0.6)


def test_where_too_little_agrees_nothing_is_told() -> None:
    picture = wall(4, (160, 240))
    flat = np.full_like(picture, 0.2)
    assert moved_around(flat, flat, MIDDLE, NEAR) is None  # no corners
    assert moved_around(picture, wall(9, (160, 240)), MIDDLE, NEAR) is None  # another picture
    assert moved_around(picture, picture, np.array([-300.0, 80]), NEAR) is None  # outside
    assert moved_around(picture, picture, np.array([np.nan, 80]), NEAR) is None
    grey = picture.mean(axis=2, keepdims=True)
    assert moved_around(grey, grey, MIDDLE, NEAR) == pytest.approx(np.eye(3), abs=0.02)


def crossing() -> tuple[list[Array], list[Array]]:
    """A thing of look-alike tiles that moves 9 px to the right a frame before a ground that goes the other way, and how it lies."""
    ground = texture(31, 400)[:160, :320]
    tile = texture(32, 120)[::6, ::6]
    thing = np.tile(tile, (4, 5, 1)) * 0.85 + 0.15 * texture(33, 100)[:80, :100]
    frames, lies = [], []
    for n in range(8):
        x, y = 30 + 9 * n, 40
        frame = np.roll(ground, -4 * n, axis=1).copy()
        frame[y : y + 80, x : x + 100] = thing
        frames.append(np.ascontiguousarray(frame, np.float32))
        lies.append(np.array([[1, 0, 9.0 * n], [0, 1, 0], [0, 0, 1.0]]))
    return frames, lies


def test_the_radius_is_that_of_what_moves_as_the_thing_does() -> None:
    frames, _ = crossing()
    around, at = Around(frames.__getitem__), np.array([80.0, 80])
    assert around.shared(0, 1, at, at + np.array([9, 0])) in (NEAR, WIDE)
    assert around.shared(0, 1, at, at + np.array([-21, 10])) == 0  # it went its own way
    still = wall(4, (160, 240))
    assert Around(lambda n: still).shared(0, 1, MIDDLE, MIDDLE + np.array([1.5, 0])) == NEAR  # within what it may be off
    assert Around(lambda n: still).shared(0, 1, MIDDLE, MIDDLE + np.array([3.0, 0])) == 0


def test_each_pair_is_looked_at_once_and_what_cannot_be_read_tells_nothing() -> None:
    asked: list[int] = []
    still = wall(4, (160, 240))

    def look(n: int) -> Array:
        asked.append(n)
        if n == 9:
            raise UserError("gone")
        return still

    around = Around(look)
    for _ in range(3):
        assert around.moved(0, 1, MIDDLE, NEAR) == pytest.approx(np.eye(3), abs=0.01)
    assert asked == [0, 1]
    assert around.moved(0, 9, MIDDLE, NEAR) is None


def test_from_rest_the_surroundings_tell_it_from_its_look_alikes() -> None:
    """Tiles of 20 px, and a move of 9: from rest the next tile is nearly as near."""
    frames, lies = crossing()
    pattern = about_point(frames[0], np.array([80.0, 80]), 9)
    found, way = follow(pattern, frames.__getitem__, range(1, 8), Way(np.eye(3), np.eye(3), at=0), 40)
    assert not any(f.lost for f in found)
    for f, truth in zip(found, lies[1:], strict=True):
        assert moved_points(f.matrix, np.array([80.0, 80])) == pytest.approx(moved_points(truth, np.array([80.0, 80])), abs=0.3)
    assert (way.at, way.lost, way.around) == (7, 0, 0)


def test_while_it_is_hidden_what_surrounds_it_brings_it_on() -> None:
    frames, lies = crossing()
    pattern, around = about_point(frames[0], np.array([80.0, 80]), 9), Around(frames.__getitem__)
    way = Way(lies[1], lies[0], at=1)
    for n in (2, 3, 4):
        way = _after(pattern, around, way, Laid(np.eye(3), why="hidden"), n)
        assert (way.lost, way.at) == (n - 1, n)
        assert way.last == pytest.approx(lies[n], abs=0.5)
        assert way.expected() == pytest.approx(way.last)
        assert _led(pattern, around, way, n + 1) == []  # it lies there already
    back = _after(pattern, around, way, Laid(lies[5]), 5)
    assert (back.lost, back.at, back.around) == (0, 5, 0)
    assert back.from_rest


def test_what_moved_otherwise_than_its_surroundings_stays_where_it_was_seen() -> None:
    frames, _ = crossing()
    pattern, around = about_point(frames[0], np.array([80.0, 80]), 9), Around(frames.__getitem__)
    lost = Laid(np.eye(3), why="hidden")
    for way in (Way(similar(0, 30), np.eye(3), at=1), Way(np.eye(3), np.eye(3), at=1), Way(similar(9, 0), np.eye(3))):
        after = _after(pattern, around, way, lost, 2)
        assert after.last == pytest.approx(way.last)
        assert after.around == 0
    assert _led(pattern, around, Way(similar(9, 0), np.eye(3)), 2) == []  # nobody said of which frame it is told


def test_a_pattern_that_only_shifts_is_not_turned_by_its_surroundings() -> None:
    picture, move = wall(4, (160, 240)), similar(5, -3, 10, 1.1)
    base = similar(2, 2)
    only = _brought(about_point(picture, MIDDLE, 9, "position"), move, base)
    assert only[:2, :2] == pytest.approx(np.eye(2))
    assert moved_points(only, MIDDLE) == pytest.approx(moved_points(move @ base, MIDDLE), abs=0.5)
    assert _brought(about_point(picture, MIDDLE, 9, "similarity"), move, base) == pytest.approx(move @ base)


def test_only_what_is_near_tells_and_an_alpha_is_not_looked_at() -> None:
    """Beyond the radius all moves the other way."""
    picture, at = wall(6, (340, 360)), np.array([250.0, 230])
    near = np.zeros((340, 360, 1), np.float32)
    near[230 - NEAR - 12 : 230 + NEAR + 12, 250 - NEAR - 12 : 250 + NEAR + 12] = 1
    moved = near * np.roll(picture, 4, axis=1) + (1 - near) * np.roll(picture, -4, axis=1)
    alpha = np.linspace(0, 1, 360, dtype=np.float32)[None, :, None].repeat(340, 0)
    for a, b in ((picture, moved), (np.dstack([picture, alpha]), np.dstack([moved, alpha[:, ::-1]]))):
        m = moved_around(a, b, at, NEAR)
        assert m is not None
        assert moved_points(m, at)[0] - at == pytest.approx([4, 0], abs=0.2)
