"""Edges, garbage mattes, readings, steadiness and exposure."""

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from transmixis.core.check.edges import fringe_reading
from transmixis.core.matte.edges import edge_adjust, shrink_matte
from transmixis.core.matte.measure import edge_width_reading, holes_reading, leak_reading
from transmixis.core.matte.shape import fill_shape, hull_around
from transmixis.core.motion.camera import measure_shift
from transmixis.core.motion.coding import grey_of
from transmixis.core.readings import Reading, worst
from transmixis.core.survey.exposure import measure_drift


@given(st.floats(-2.5, 2.5))
@settings(max_examples=25, deadline=None)
def test_shrink_moves_a_straight_edge_by_its_fraction(px: float) -> None:
    ramp = np.clip((np.arange(60) - 25) / 8, 0, 1).astype(np.float32)[None].repeat(21, 0)
    assert float(ramp[10].sum() - shrink_matte(ramp, px)[10].sum()) == pytest.approx(px, abs=0.02)


def test_soften_keeps_the_amount() -> None:
    a = np.zeros((40, 40), np.float32)
    a[10:30, 10:30] = 1
    assert edge_adjust(a, 0, 1.5).sum() == pytest.approx(400, rel=1e-4)


def test_filled_shape_has_the_area_of_its_polygon() -> None:
    m = fill_shape([(10, 10), (50, 12), (40, 45)], 60, 60)
    assert m.sum() == pytest.approx(abs((40 * 35 - 30 * 2) / 2), rel=0.03)
    assert fill_shape([(1, 1), (5, 5)], 10, 10).sum() == 0


def test_hull_keeps_everything_inside() -> None:
    m = np.zeros((100, 160), np.float32)
    cv2.circle(m, (80, 50), 20, 1.0, -1)
    m[45:50, 90:130] = 1
    points = hull_around(m, 6)
    assert 3 <= len(points) <= 12
    inside = fill_shape(points, 100, 160)
    assert (inside[m > 0] > 0.99).all()
    assert hull_around(np.zeros((20, 20), np.float32), 3) == []


def test_readings_know_their_state() -> None:
    assert Reading("a", 0.5, "px", 1.0).state == "sound"
    assert Reading("a", 0.9, "px", 1.0).state == "watch"
    assert Reading("a", 1.0, "px", 1.0).state == "fault"
    assert Reading("a", None, "px", 1.0).state == "unknown"
    assert Reading("a", 4.0, "steps", 8.0, "high").ratio == pytest.approx(2.0)
    both = [Reading("a", 0.5, "px", 1.0), Reading("b", 3.0, "px", 4.0), Reading("c", None, "px", 1.0)]
    assert worst(both) is both[1]
    assert worst([both[2]]) is None


def _disc(h: int = 200, w: int = 300) -> np.ndarray:
    yy, xx = np.mgrid[0:h, 0:w]
    return np.clip(60 - np.hypot(xx - w / 2, yy - h / 2), 0, 1).astype(np.float32)


def test_leak_and_holes_are_counted_where_they_are() -> None:
    a = _disc()
    screen = np.hypot(*(np.mgrid[0:200, 0:300] - np.array([100, 150])[:, None, None])) > 70
    assert leak_reading(a, screen).value == 0
    a[5:15, 5:25] = 0.3
    r = leak_reading(a, screen)
    assert r.value == pytest.approx(100 * 200 / screen.sum(), rel=0.01)
    assert r.spot == (5, 5, 20, 10)
    assert holes_reading(a).value == 0
    a[100:104, 148:153] = 0.5
    h = holes_reading(a)
    assert h.value is not None
    assert h.value > 0
    assert h.spot is not None
    assert abs(h.spot[0] - 148) <= 1


def test_edge_width_of_a_known_ramp() -> None:
    yy, xx = np.mgrid[0:200, 0:300]
    for width in (4.0, 10.0):
        a = np.clip((60 - np.hypot(xx - 150, yy - 100)) / width + 0.5, 0, 1).astype(np.float32)
        # 0.1 to 0.9 of the ramp is 80 % of its width
        assert edge_width_reading(a).value == pytest.approx(0.8 * width, rel=0.15)


def test_fringe_is_seen_dark_and_bright_and_not_without() -> None:
    a = _disc()
    a = cv2.GaussianBlur(a, (0, 0), 1.5)
    fore, back = np.float32([0.4, 0.3, 0.2]), np.full((200, 300, 3), 0.25, np.float32)
    good = a[..., None] * fore + (1 - a[..., None]) * back
    assert fringe_reading(good, back, a).value == pytest.approx(0, abs=0.5)
    rim = ((a > 0.1) & (a < 0.9))[..., None]
    assert (fringe_reading(np.where(rim, 0.01, good).astype(np.float32), back, a).value or 0) > 50
    assert (fringe_reading(np.where(rim, 0.95, good).astype(np.float32), back, a).value or 0) > 50


def _walk(rng: np.random.Generator) -> np.ndarray:
    wall = cv2.GaussianBlur(rng.random((240, 320, 3)).astype(np.float32), (0, 0), 2.0) * 1.2
    return np.clip((wall - wall.min()) / np.ptp(wall) * 0.5 + 0.05, 0, 1)


@pytest.mark.parametrize(("dx", "dy"), [(0.0, 0.0), (0.15, 0.0), (1.4, -0.8), (3.0, 2.0)])
def test_camera_shift_is_found_while_somebody_walks_through(dx: float, dy: float) -> None:
    rng = np.random.default_rng(7)
    big = _walk(rng)
    person = _walk(rng)[:, :100] * np.float32([1.2, 0.6, 0.5])
    first, second = (
        big.copy(),
        cv2.warpAffine(
            big, np.float32([[1, 0, dx], [0, 1, dy]]), (320, 240), flags=cv2.INTER_LANCZOS4, borderMode=cv2.BORDER_REFLECT
        ),
    )
    first[60:240, 90:190], second[63:240, 97:197] = person[:180], person[:177]
    noise = [x + rng.normal(0, 0.002, x.shape).astype(np.float32) for x in (first, second)]
    s = measure_shift(grey_of(noise[0]), grey_of(noise[1]))
    assert s
    assert (s.x, s.y) == (pytest.approx(dx, abs=0.04), pytest.approx(dy, abs=0.04))


def test_shift_without_texture_is_not_measured() -> None:
    flat = np.full((100, 100), 128, np.uint8)
    s = measure_shift(flat, flat)
    assert not s
    assert s.reason


@pytest.mark.parametrize("stops", [0.0, 0.03, -0.2])
def test_exposure_drift_is_found_beside_a_passer_by(stops: float) -> None:
    rng = np.random.default_rng(8)
    a = _walk(rng)
    b = a * np.float32(2**stops)
    b[50:200, 100:200] = 0.03
    d = measure_drift(a, b)
    assert d
    assert d.exposure == pytest.approx(stops, abs=0.004)
    assert d.colour < 0.004
    assert not measure_drift(np.zeros((50, 50, 3), np.float32), np.zeros((50, 50, 3), np.float32))
