"""Outlines as cubics, what they cover, and soft borders by true distance."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage
from scipy.interpolate import BPoly, CubicHermiteSpline

from transmixis.core.roto.cover import cover_into, covered, crosses_itself
from transmixis.core.roto.curve import controls, drawn, on_cubic, tangents
from transmixis.core.roto.soft import distances, softened, strand

SQUARE = np.array([[10.0, 10], [40, 10], [40, 30], [10, 30]])
coordinate = st.floats(-9, 25, allow_nan=False)
outlines = st.lists(st.tuples(coordinate, coordinate), min_size=3, max_size=8).map(np.array)


def counted(line: np.ndarray, side: int, fine: int) -> np.ndarray:
    """The cover by samples, `fine` x `fine` a pixel: a place is inside if the outline runs round it (non-zero winding)."""
    at = (np.arange(side * fine) + 0.5) / fine
    wind = np.zeros((side * fine, side * fine), np.int32)
    for (xa, ya), (xb, yb) in zip(line, np.roll(line, -1, axis=0), strict=True):
        rows = np.flatnonzero((ya <= at) != (yb <= at))
        if len(rows):
            x = xa + (at[rows] - ya) * (xb - xa) / (yb - ya)
            wind[rows] += np.where(at[None] >= x[:, None], 1 if yb > ya else -1, 0)
    return np.asarray((wind != 0).reshape(side, fine, side, fine).mean(axis=(1, 3)))


@given(outlines)
@settings(max_examples=40, deadline=None)
def test_cover_is_what_samples_count(line: np.ndarray) -> None:
    """Within 1/255 and what the samples themselves are off by: half a sample a row, for each of the sides in a pixel."""
    fine = 200
    assert np.abs(covered(line, 16, 16) - counted(line, 16, fine)).max() < 1 / 255 + len(line) / fine / 4


@given(outlines, st.floats(-3, 3), st.floats(-3, 3))
@settings(max_examples=40, deadline=None)
def test_area_inside_the_frame_stays_where_the_outline_goes(line: np.ndarray, dx: float, dy: float) -> None:
    there = covered(line + np.array([30 + dx, 30 + dy]), 90, 90).sum()
    assert there == pytest.approx(covered(line + np.array([30, 30]), 90, 90).sum(), abs=0.6)
    if len(np.unique(line, axis=0)) == len(line) and not crosses_itself(line):
        x, y = line.T
        area = abs(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1))) / 2
        assert there == pytest.approx(area, abs=1e-3 + 1e-5 * area)


def test_cover_of_known_shapes() -> None:
    m = covered(SQUARE + 0.25, 50, 50)
    assert m.sum() == pytest.approx(600, abs=1e-3)
    assert m[10, 20] == pytest.approx(0.75)
    assert m[10, 10] == pytest.approx(0.75**2)
    assert m[20, 20] == 1
    assert (covered(SQUARE[::-1] + 0.25, 50, 50) == m).all()
    eight = np.array([[5.0, 5], [25, 25], [25, 5], [5, 25]])  # two triangles that meet in a point, run round each other's way
    assert covered(eight, 30, 30).sum() == pytest.approx(200, abs=0.2)
    twice = np.vstack([SQUARE, SQUARE + 0.001])  # run round twice: still once covered
    assert covered(twice, 50, 50).max() == 1
    assert crosses_itself(eight)
    assert not crosses_itself(SQUARE)


def test_cover_beyond_the_frame_and_of_nothing() -> None:
    assert covered(SQUARE * 10 - 200, 20, 20).min() == 1
    assert covered(SQUARE + 100, 50, 50).sum() == 0
    assert covered(SQUARE - 20, 50, 50).sum() == pytest.approx(20 * 10)
    assert covered(SQUARE[:2], 50, 50).sum() == 0
    assert covered(SQUARE * np.nan, 50, 50).sum() == 0
    out = np.full((50, 50), 0.5, np.float32)
    assert cover_into(SQUARE, out) == (10, 10, 40, 30)
    assert out[0, 0] == 0.5
    assert out[20, 20] == 1


def test_a_smooth_line_is_the_hermite_spline_of_its_tangents() -> None:
    rng = np.random.default_rng(1)
    p = rng.uniform(0, 100, (7, 2))
    corner = np.zeros(7, bool)
    leaves, comes = tangents(p, corner)
    line, at = drawn(p, corner)
    for k in range(7):
        curve = CubicHermiteSpline([0, 1], [p[k], p[(k + 1) % 7]], [leaves[k], comes[k]])
        on = (at >= k) & (at < k + 1)
        assert np.allclose(line[on], curve(at[on] - k), atol=1e-9)
    # the direction goes on through a smooth point
    one, two = comes, np.roll(leaves, -1, axis=0)
    assert np.allclose(one[:, 0] * two[:, 1] - one[:, 1] * two[:, 0], 0, atol=1e-6)
    assert ((one * two).sum(axis=1) > 0).all()


def test_a_drawn_line_keeps_to_its_cubic() -> None:
    rng = np.random.default_rng(2)
    p = rng.uniform(0, 300, (9, 2))
    corner = np.array([1, 0, 0, 1, 1, 0, 0, 0, 0], bool)
    line, _ = drawn(p, corner)
    t = np.linspace(0, 1, 60)[:, None]
    ring = np.vstack([line, line[:1]])
    for c in controls(p, corner):
        curve = (1 - t) ** 3 * c[0] + 3 * (1 - t) ** 2 * t * c[1] + 3 * (1 - t) * t * t * c[2] + t**3 * c[3]
        for q in curve:
            a, b = ring[:-1], ring[1:]
            s = np.clip(((q - a) * (b - a)).sum(axis=1) / np.maximum(((b - a) ** 2).sum(axis=1), 1e-12), 0, 1)
            assert np.hypot(*(a + s[:, None] * (b - a) - q).T).min() < 0.03


def test_corners_run_straight() -> None:
    line, at = drawn(SQUARE, np.ones(4, bool))
    assert np.allclose(line, SQUARE)
    assert at.tolist() == [0, 1, 2, 3]
    open_line, _ = drawn(SQUARE, np.zeros(4, bool), closed=False)
    assert np.allclose(open_line[[0, -1]], SQUARE[[0, -1]])
    assert len(controls(SQUARE, np.zeros(4, bool), closed=False)) == 3
    leaves, comes = tangents(SQUARE, np.array([1, 0, 0, 0], bool))
    assert np.allclose(leaves[0], 1.5 * (SQUARE[1] - SQUARE[0]) - 0.5 * comes[0])
    assert np.allclose(comes[3], 1.5 * (SQUARE[0] - SQUARE[3]) - 0.5 * leaves[3])
    circle = 50 + 20 * np.stack([np.cos(np.arange(8) * np.pi / 4), np.sin(np.arange(8) * np.pi / 4)], 1)
    r = np.hypot(*(drawn(circle, np.zeros(8, bool))[0] - 50).T)
    assert np.abs(r - 20).max() < 0.25


def test_places_on_cubics() -> None:
    c = controls(SQUARE, np.zeros(4, bool))
    assert np.allclose(on_cubic(c, 0.0), SQUARE)
    assert np.allclose(on_cubic(c, 1.0), np.roll(SQUARE, -1, axis=0))
    for k, t in itertools.product(range(4), (0.2, 0.5, 0.9)):
        bernstein = BPoly(c[k][:, None], [0, 1])
        assert np.allclose(on_cubic(c[k], t), bernstein(t))
    assert np.allclose(on_cubic(controls(SQUARE, np.ones(4, bool))[1], 0.25), (40, 15))


def test_distances_are_true() -> None:
    line = np.array([[20.0, 10], [70, 30], [60, 80], [30, 50]])
    d = distances(line, 100, 100)
    ys, xs = np.mgrid[0:100, 0:100] + 0.5
    best = np.full((100, 100), np.inf)
    for a, b in zip(line, np.roll(line, -1, axis=0), strict=True):
        v = b - a
        t = np.clip(((xs - a[0]) * v[0] + (ys - a[1]) * v[1]) / (v @ v), 0, 1)
        best = np.minimum(best, np.hypot(xs - a[0] - t * v[0], ys - a[1] - t * v[1]))
    assert np.abs(d - best).max() < 1e-9
    near = distances(line, 100, 100, reach=5)
    assert np.abs(near - best)[best < 5].max() < 1e-9
    assert (near[best > 25] > 25).all()
    # SciPy's transform tells the distance to pixels of a line drawn eight times as large
    fine = distances(line * 8, 800, 800) < 0.75
    assert np.abs(d - ndimage.distance_transform_edt(~fine)[4::8, 4::8] / 8).max() < 0.2
    assert distances(line, 100, 100, closed=False)[30, 25] > d[30, 25]


def test_feather_goes_by_distance() -> None:
    """A straight border 8 px wide inwards, 4 outwards: smoothly from 1 to 0, nothing beyond."""
    line = np.array([[30.0, -200], [500, -200], [500, 300], [30, 300]])
    row = softened(line, np.array(8.0), np.array(4.0), 60, 60)[30]
    x = np.arange(60) + 0.5 - 30
    t = np.clip((x + 4) / 12, 0, 1)
    assert np.abs(row - t * t * (3 - 2 * t)).max() < 0.004
    assert row[25] == 0
    assert row[39] == 1
    own = softened(line, np.array([8.0, 8, 8, 0]), np.array([4.0, 4, 4, 0]), 300, 60)
    assert own[280, 32] > own[150, 32] > own[20, 32]  # softest where the points are soft


@given(st.floats(0.05, 6.0), st.floats(0.0, 6.0))
@settings(max_examples=20, deadline=None)
def test_a_soft_border_keeps_the_amount_of_a_straight_edge(inward: float, outward: float) -> None:
    """Half of the border lies where the middle of it is."""
    line = np.array([[30.3, -200], [500, -200], [500, 300], [30.3, 300]])
    row = softened(line, np.array(inward), np.array(outward), 40, 80)[20]
    assert row.sum() == pytest.approx(80 - 30.3 + (outward - inward) / 2, abs=0.15)


def test_no_feather_is_the_cover() -> None:
    assert (softened(SQUARE + 0.3, np.array(0.0), np.array(0.0), 50, 50) == covered(SQUARE + 0.3, 50, 50)).all()
    assert softened(SQUARE[:2], np.array(1.0), np.array(1.0), 50, 50).sum() == 0


def test_strands_have_their_width() -> None:
    line = np.array([[20.0, 30.2], [80, 30.2]])
    for wide in (0.3, 1.0, 4.0):
        m = strand(line, np.array(wide), np.array(0.0), np.array(0.0), 60, 100)
        assert m[:, 50].sum() == pytest.approx(wide, abs=0.02)
        assert m[:, 10].sum() == 0
    tapered = strand(line, np.array([2.0, 10.0]), np.array(0.0), np.array(0.0), 60, 100)
    assert tapered[:, 50].sum() == pytest.approx(6, abs=0.2)
    round_end = strand(line, np.array(20.0), np.array(0.0), np.array(0.0), 60, 100)
    assert round_end[30, 10:20].min() > 0.5
    assert round_end[22, 11] == 0
    soft = strand(line, np.array(8.0), np.array(2.0), np.array(2.0), 60, 100)
    assert 0.4 < soft[26, 50] < 0.65  # its centre lies 0.3 px inside the border's middle
    assert strand(line[:1], np.array(3.0), np.array(0.0), np.array(0.0), 60, 100).sum() == 0
