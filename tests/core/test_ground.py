"""Elements off their ground, and mattes from brightness and colour."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from transmixis.core.matte.ground import (
    brightness,
    found_ground,
    given_back,
    ground_alpha,
    like_colour,
    off_ground,
    ranged,
    sampled_colour,
)

GROUNDS = ((0.0, 0.0, 0.0), (1.0, 1.0, 1.0), (0.2, 0.3, 0.06))


@settings(max_examples=40, deadline=None)
@given(st.integers(0, 10_000), st.sampled_from(GROUNDS))
def test_over_its_own_ground_the_element_gives_the_picture_back(seed: int, ground: tuple[float, float, float]) -> None:
    """Porter & Duff's over, undone and done again, to 1e-4; and no more of it is taken than is needed."""
    rng = np.random.default_rng(seed)
    g = np.float32(ground)
    colour, alpha = rng.random((9, 11, 3)).astype(np.float32), rng.random((9, 11)).astype(np.float32)
    picture = colour * alpha[..., None] + (1 - alpha[..., None]) * g
    least = ground_alpha(picture, g)
    front = off_ground(picture, least, g)
    assert np.abs(front + (1 - least[..., None]) * g - picture).max() < 1e-4
    assert (least <= alpha + 1e-3).all()
    assert (front <= least[..., None] + 1e-3).all()  # its colour can be
    assert given_back(picture, front, least, g) < 0.05


def test_on_black_it_is_the_strongest_channel_and_on_white_what_the_weakest_lacks() -> None:
    picture = np.float32([[[0.2, 0.5, 0.1], [0.0, 0.0, 0.0], [1.0, 0.3, 0.2]]])
    assert ground_alpha(picture, np.zeros(3, np.float32))[0] == pytest.approx([0.5, 0, 1])
    assert ground_alpha(picture, np.ones(3, np.float32))[0] == pytest.approx([0.9, 1, 0.8])
    assert ground_alpha(picture, np.zeros(3, np.float32), white=2.0)[0, 2] == pytest.approx(0.5)


def test_the_noise_of_a_ground_stays_out() -> None:
    rng = np.random.default_rng(0)
    for level in (0.012, 0.95):
        ground = np.full(3, level, np.float32)
        picture = (level + rng.normal(0, 0.003, (50, 50, 3))).astype(np.float32)
        assert ground_alpha(picture, ground).max() < 0.02


def rimmed(level: float, noise: float = 0.002) -> list[np.ndarray]:
    rng = np.random.default_rng(0)
    out = []
    for _ in range(3):
        f = np.full((60, 80, 3), level, np.float32) + rng.normal(0, noise, (60, 80, 3)).astype(np.float32)
        f[20:40, 30:50] = [0.5, 0.2, 0.1]
        out.append(f.clip(0, 1))
    return out


def test_the_ground_is_told_by_the_rim() -> None:
    assert found_ground(rimmed(0.01))[0] == "black"
    name, colour = found_ground(rimmed(0.9))
    assert name == "white"
    assert colour == pytest.approx([0.9] * 3, abs=0.01)
    assert found_ground(rimmed(0.2))[0] is None
    assert found_ground(rimmed(0.9, noise=0.4))[0] is None  # a rim that varies so is no ground


def test_a_halo_that_is_cut_away_shows_in_what_is_given_back() -> None:
    """Off white with too high a beginning the faint parts go; over white they would be missed."""
    picture = np.ones((40, 40, 3), np.float32)
    picture[10:30, 10:30] = 0.8
    g = np.ones(3, np.float32)
    alpha = ranged(ground_alpha(picture, g), 0.0, 1.0)
    assert given_back(picture, off_ground(picture, alpha, g), alpha, g) < 0.01
    alpha = ranged(ground_alpha(picture, g), 0.3, 1.0)
    assert given_back(picture, off_ground(picture, alpha, g), alpha, g) > 5


def test_ranges_are_even_between_their_ends() -> None:
    assert ranged(np.float32([0, 0.2, 0.4, 0.6, 1]), 0.2, 0.6) == pytest.approx([0, 0, 0.5, 1, 1])
    assert brightness(np.float32([[[0.0] * 3, [0.2140411] * 3, [1.0] * 3]]))[0] == pytest.approx(
        [0, 0.5, 1], abs=1e-4
    )  # IEC 61966-2-1


def test_a_sampled_colour_is_kept_in_light_and_shade_and_others_are_not() -> None:
    red = np.float32([0.3, 0.03, 0.02])
    frame = np.stack([red, red * 0.6, red * 1.4, red * 0.05, np.float32([0.05, 0.2, 0.05]), np.float32([0.3, 0.3, 0.3])])[None]
    m = like_colour(frame, red, along=25, across=12, soft=0.2)[0]
    assert m[0] == 1
    assert m[3] == m[4] == m[5] == 0
    wide = like_colour(frame, red, along=25, across=200, soft=0.2)[0]
    assert wide[4] > m[4]
    strict = like_colour(frame, red, along=2, across=12, soft=0.2)[0]
    assert strict[1] < m[1]
    assert like_colour(frame, red, 25, 12, 3.0)[0][4] >= m[4]


def test_a_colour_is_sampled_about_a_place_and_at_the_border() -> None:
    frame = np.zeros((20, 30, 3), np.float32)
    frame[5:15, 10:20] = [0.1, 0.2, 0.3]
    assert sampled_colour(frame, 15, 10) == pytest.approx([0.1, 0.2, 0.3])
    assert sampled_colour(frame, -5, 500) == pytest.approx([0, 0, 0])
