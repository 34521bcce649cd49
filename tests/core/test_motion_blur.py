"""Motion blur against a render of 256 moments, and what its way asks for against closed forms."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from transmixis.core.build.moving import MOST, Way, asked_blur, between, corners_of, looks_needed, placed_moving, smeared
from transmixis.core.build.place import placed, placing_matrix
from transmixis.core.colour.curves import linear_to_srgb
from transmixis.core.motion.motion import moved_points

SIZE = (240, 400)


def shift(x: float, y: float = 0.0) -> np.ndarray:
    return np.array([[1, 0, x], [0, 1, y], [0, 0, 1.0]])


def thing() -> np.ndarray:
    """A figure with hard edges and texture, 90 x 60, premultiplied."""
    rng = np.random.default_rng(5)
    out = np.zeros((90, 60, 4), np.float32)
    cv2.ellipse(out, (30, 45), (24, 40), 0, 0, 360, (1, 1, 1, 1), -1, cv2.LINE_AA)
    out[..., :3] *= cv2.GaussianBlur(rng.random((90, 60, 3)).astype(np.float32), (0, 0), 1.5) * 1.4 - 0.3
    return np.clip(out, 0, 1)


WAYS: dict[str, Way] = {
    "straight and fast": lambda t: shift(150 + 180 * t, 70 + 60 * t),
    "falling": lambda t: shift(170, 60 + 90 * t + 120 * t * t),
    "swinging": lambda t: _about(placing_matrix((90, 60), SIZE, 0, 0, 1, 0), 50 * t, (200, 10)),
    "spinning": lambda t: placing_matrix((90, 60), SIZE, 20, 10, 1, 90 * t),
    "growing": lambda t: placing_matrix((90, 60), SIZE, 40 * t, 0, 1 + 0.8 * t, 10 * t),
}


def _about(matrix: np.ndarray, degrees: float, pivot: tuple[float, float]) -> np.ndarray:
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    x, y = pivot
    return np.array([[c, s, x - c * x - s * y], [-s, c, y + s * x - c * y], [0, 0, 1]]) @ matrix


@pytest.mark.parametrize("name", sorted(WAYS))
@pytest.mark.parametrize("shutter", [180.0, 360.0])
def test_it_is_the_mean_of_256_moments(name: str, shutter: float) -> None:
    picture, way, share = thing(), WAYS[name], shutter / 360
    truth = np.mean([placed(picture, way(share * ((k + 0.5) / 256 - 0.5)), SIZE) for k in range(256)], axis=0)
    made = smeared(picture, way, SIZE, shutter)
    assert looks_needed(corners_of(picture), way, share) <= 64
    off = 255 * (
        linear_to_srgb(np.clip(made[..., :3] + 0.2 * (1 - made[..., 3:]), 0, 1))
        - linear_to_srgb(np.clip(truth[..., :3] + 0.2 * (1 - truth[..., 3:]), 0, 1))
    )
    there = truth[..., 3] > 0.001
    assert float(np.sqrt((off[there] ** 2).mean())) < 1.0
    assert made[..., 3].sum() == pytest.approx(truth[..., 3].sum(), rel=2e-3)


def test_what_comes_in_from_beside_the_frame_is_there() -> None:
    picture = np.ones((40, 40, 4), np.float32)
    made = smeared(picture, lambda t: shift(-45 + 100 * t, 20), (80, 120), 360.0)
    truth = np.mean([placed(picture, shift(-45 + 100 * ((k + 0.5) / 256 - 0.5), 20), (80, 120)) for k in range(256)], axis=0)
    assert np.abs(made - truth).max() < 0.01


def test_motion_blur_is_as_wide_as_the_way_while_the_shutter_is_open() -> None:
    """A white box that moves 8 px a frame at 180 degrees is smeared over 4 px, half to either side."""
    picture = np.ones((20, 20, 4), np.float32)
    made = placed_moving(picture, shift(22), shift(30), shift(38), (40, 80), 180.0)
    row = made[10, :, 3]
    assert row[28:32] == pytest.approx(np.clip((np.arange(28, 32) + 0.5 - 28) / 4, 0, 1), abs=0.02)
    assert row.sum() == pytest.approx(20, rel=1e-3)
    assert row[27] < 0.02
    assert row[32] > 0.98
    sharp = placed_moving(picture, shift(22), shift(30), shift(38), (40, 80), 0.0)
    assert np.array_equal(sharp, placed(picture, shift(30), (40, 80)))
    still = placed_moving(picture, shift(30), shift(30), shift(30), (40, 80), 180.0)
    assert np.array_equal(still, placed(picture, shift(30), (40, 80)))


def test_where_it_is_between_frames_follows_its_own_way() -> None:
    corners = np.array([[0.0, 0], [10, 0], [10, 10], [0, 10]])
    for t in (-0.5, 0.0, 0.5):  # steady, and as it falls
        assert between(shift(0), shift(4), shift(8), corners, t) == pytest.approx(shift(4 + 4 * t), abs=1e-9)
        fall = [shift(0, 3 * (k - 1) + 2 * (k - 1) ** 2) for k in (1, 2, 3)]
        assert between(*fall, corners, t) == pytest.approx(shift(0, 3 * (1 + t) + 2 * (1 + t) ** 2), abs=1e-9)


def test_a_start_from_rest_does_not_go_back_first() -> None:
    corners = np.array([[0.0, 0], [10, 0], [10, 10], [0, 10]])
    xs = [between(shift(0), shift(0), shift(300), corners, float(t))[0, 2] for t in np.linspace(-0.5, 0.5, 21)]
    assert min(xs) >= -1e-9
    assert np.all(np.diff(xs) >= -1e-9)
    stop = [between(shift(0), shift(300), shift(300), corners, float(t))[0, 2] for t in np.linspace(-0.5, 0.5, 21)]
    assert max(stop) <= 300 + 1e-9


def test_looks_go_by_how_unlike_the_corners_move() -> None:
    corners = np.array([[0.0, 0], [100, 0], [100, 100], [0, 100]])
    assert looks_needed(corners, lambda t: shift(500 * t), 1.0) == 1
    assert looks_needed(corners, lambda t: _about(np.eye(3), 4 * t, (50, 50)), 0.5) > 1
    assert looks_needed(corners, lambda t: _about(np.eye(3), 3600 * t, (50, 50)), 1.0) == MOST


def test_what_speed_asks_for() -> None:
    corners = np.array([[0.0, 0], [10, 0], [10, 10], [0, 10]])
    assert asked_blur(lambda t: shift(30 * t, 40 * t), corners, 180.0) == pytest.approx(25)
    assert asked_blur(lambda t: shift(30 * t, 40 * t), corners, 0.0) == 0
    turn = asked_blur(lambda t: _about(np.eye(3), 36 * t, (5, 5)), corners, 360.0)
    assert turn == pytest.approx(np.hypot(5, 5) * np.radians(36), rel=1e-3)
    assert moved_points(shift(1, 2), corners)[0] == pytest.approx([1, 2])
