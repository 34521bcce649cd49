"""Mattes joined, grown and softened; the colour of the edge."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage

from transmixis.core.matte.combine import Joined, border_distance, edge_cleaned, feathered, joined_mattes

SIZE = (60, 80)


def disc(x: float, y: float, r: float) -> np.ndarray:
    """The exact cover of a disc to a hundredth."""
    yy, xx = np.mgrid[0 : SIZE[0] * 10, 0 : SIZE[1] * 10] / 10 + 0.05
    return cv2.resize(((xx - x) ** 2 + (yy - y) ** 2 < r * r).astype(np.float32), SIZE[::-1], interpolation=cv2.INTER_AREA)


@settings(max_examples=30, deadline=None)
@given(st.integers(0, 10_000))
def test_joins_follow_porter_and_duff(seed: int) -> None:
    a, b, c, d = np.random.default_rng(seed).random((4, 5, 6)).astype(np.float32)
    out = joined_mattes(a, Joined(adds=[b], within=[c], takes=[d]))
    assert out == pytest.approx((a + b - a * b) * c * (1 - d), abs=1e-5)
    assert (out >= 0).all()
    assert (out <= 1).all()
    assert joined_mattes(a, Joined()) == pytest.approx(a)
    assert joined_mattes(a, Joined(cores=[b])) == pytest.approx(np.maximum(a, b))


def test_a_core_begins_inside_its_border() -> None:
    soft = cv2.GaussianBlur(disc(40, 30, 18), (0, 0), 4) * np.float32(0.8)
    out = joined_mattes(soft, Joined(cores=[disc(40, 30, 18)], inset=6))
    assert out[30, 40] == 1
    d = border_distance(disc(40, 30, 18))
    assert out[d < 4] == pytest.approx(soft[d < 4])
    assert out[d > 8].min() == 1


@settings(max_examples=30, deadline=None)
@given(st.floats(30, 50), st.floats(25, 35), st.floats(6, 20))
def test_distance_to_the_border_is_exact_to_a_fraction_of_a_pixel(x: float, y: float, r: float) -> None:
    yy, xx = np.mgrid[0 : SIZE[0], 0 : SIZE[1]] + 0.5
    truth = r - np.hypot(xx - x, yy - y)
    assert np.abs(border_distance(disc(x, y, r)) - truth).max() < 0.2
    assert border_distance(disc(x, y, r), 4.0) == pytest.approx(np.clip(truth, -4, 4), abs=0.2)


def test_on_a_hard_straight_border_it_is_scipys_distance() -> None:
    hard = np.zeros(SIZE, np.float32)
    hard[:, 40:] = 1
    d = border_distance(hard)
    assert d[hard > 0] == pytest.approx(ndimage.distance_transform_edt(hard)[hard > 0] - 0.5, abs=0.02)
    assert -d[hard == 0] == pytest.approx(ndimage.distance_transform_edt(hard == 0)[hard == 0] - 0.5, abs=0.02)
    assert (border_distance(np.ones(SIZE, np.float32)) > 1e5).all()
    assert (border_distance(np.zeros(SIZE, np.float32)) < -1e5).all()


def test_a_feather_ends_where_it_is_said_to() -> None:
    hard = np.zeros(SIZE, np.float32)
    hard[:, 40:] = 1
    row = feathered(hard, 4, 8)[30]
    assert row[:32] == pytest.approx(0)
    assert row[44:] == pytest.approx(1)
    assert (np.diff(row) >= 0).all()
    middle = np.interp(0.5, row[30:46], np.arange(30, 46))
    assert middle == pytest.approx(40 - 0.5 - 2, abs=0.05)  # halfway between 8 outside and 4 inside
    assert feathered(hard, 0, 0) is hard


def test_the_old_background_goes_out_of_the_edge() -> None:
    rng = np.random.default_rng(2)
    alpha = cv2.GaussianBlur(disc(40, 30, 15), (0, 0), 3)
    front = np.float32([0.5, 0.1, 0.05]) * (1 + 0.1 * rng.standard_normal((*SIZE, 1)).astype(np.float32))
    back = np.float32([0.05, 0.1, 0.6]) * np.ones((*SIZE, 3), np.float32)
    frame = alpha[..., None] * front + (1 - alpha[..., None]) * back
    soft = (alpha > 0.05) & (alpha < 0.95)
    out = edge_cleaned(frame, alpha)
    truth = alpha[..., None] * front
    assert np.abs(out - truth)[soft].mean() < 0.1 * np.abs(frame * alpha[..., None] - truth)[soft].mean()
    assert out[30, 40] == pytest.approx(frame[30, 40], abs=1e-5)
    assert not out[alpha == 0].any()
    assert edge_cleaned(frame, np.ones(SIZE, np.float32)) == pytest.approx(frame)
    assert np.abs(edge_cleaned(frame, alpha) - frame * alpha[..., None])[soft].max() > 0.05
