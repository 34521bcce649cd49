"""A known camera, against OpenCV's own projection."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from transmixis.core.motion.pose import Camera

small = st.floats(-0.4, 0.4)


def camera(turn: tuple[float, float, float], k1: float = 0.0, k2: float = 0.0) -> Camera:
    matrix = cv2.Rodrigues(np.array(turn))[0]
    return Camera(900.0, (480.0, 270.0), matrix, np.array([0.3, -0.2, 0.5]), k1, k2)


@given(turn=st.tuples(small, small, small), k1=st.floats(-0.2, 0.2), k2=st.floats(-0.05, 0.05))
def test_points_are_seen_where_opencv_sees_them(turn: tuple[float, float, float], k1: float, k2: float) -> None:
    """OpenCV's camera model (its pixel centres are whole numbers, so its middle lies half a pixel less)."""
    view = camera(turn, k1, k2)
    points = np.random.default_rng(1).uniform((-2, -1, 5), (2, 1, 9), (20, 3))
    matrix = np.array([[900, 0, 479.5], [0, 900, 269.5], [0, 0, 1.0]])
    want = cv2.projectPoints(points, np.array(turn), view.shift, matrix, np.array([k1, k2, 0, 0]))[0].reshape(-1, 2) + 0.5
    assert view.project(points) == pytest.approx(want, abs=1e-6)


@given(turn=st.tuples(small, small, small), k1=st.floats(-0.15, 0.15), k2=st.floats(-0.03, 0.03))
def test_a_pixel_looks_along_what_is_seen_there(turn: tuple[float, float, float], k1: float, k2: float) -> None:
    view = camera(turn, k1, k2)
    pixels = np.array([[480.0, 270.0], [10.0, 20.0], [950.0, 530.0], [700.0, 100.0]])
    ways = view.directions(pixels)
    assert np.linalg.norm(ways, axis=1) == pytest.approx(1)
    assert view.project(view.place + 7 * ways) == pytest.approx(pixels, abs=1e-5)


def test_what_lies_behind_is_not_seen() -> None:
    view = Camera(900.0, (480.0, 270.0), np.eye(3), np.zeros(3))
    seen = view.project(np.array([[0.0, 0, 5], [0, 0, -5], [0, 0, 0]]))
    assert seen[0] == pytest.approx((480, 270))
    assert np.isnan(seen[1:]).all()
    # to the right of the place is right in the picture, below is below
    assert (view.project(np.array([[1.0, 2.0, 5.0]]))[0] > (480, 270)).all()


def test_at_another_size_the_same_is_seen() -> None:
    view = camera((0.1, -0.2, 0.05), -0.1, 0.02)
    points = np.array([[0.5, 0.2, 6.0], [-1.0, 0.4, 8.0]])
    assert view.scaled(0.5).project(points) == pytest.approx(view.project(points) / 2)
