"""Glow: how it falls off, what it keeps, what glows."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from scipy.ndimage import gaussian_filter

from transmixis.core.light.glow import _blurred, bright_part, glowing, radii, spread


def lamp(h: int, w: int, y: int, x: int) -> np.ndarray:
    out = np.zeros((h, w, 3), np.float32)
    out[y, x] = (100.0, 50.0, 20.0)
    return out


def test_it_falls_with_the_square_of_the_distance() -> None:
    """The inverse-square law, between the least and the widest radius."""
    light = spread(lamp(801, 801, 400, 400), 128.0, 2.0)[400, 400:, 0]
    r = np.array([8, 16, 32, 64, 96])
    slope = np.polyfit(np.log(r), np.log(light[r]), 1)[0]
    assert slope == pytest.approx(-2.0, abs=0.15)
    assert np.all(np.diff(light) <= 1e-7)


def test_it_keeps_all_light_and_says_what_leaves_the_frame() -> None:
    source = lamp(400, 600, 200, 300)
    picture = 0.1 + source
    out, lost = glowing(picture, source, 24.0, 0.4, kept=True)
    assert out.sum() == pytest.approx(picture.sum(), rel=1e-3)
    assert lost < 2e-3
    added, _ = glowing(picture, source, 24.0, 0.4, kept=False)
    assert (added - picture).sum() == pytest.approx(0.4 * source.sum(), rel=2e-3)
    assert (added - picture)[..., 1].sum() == pytest.approx(0.5 * (added - picture)[..., 0].sum(), rel=1e-3)
    corner, left = glowing(lamp(200, 200, 0, 0), lamp(200, 200, 0, 0), 40.0, 1.0, kept=True)
    assert left == pytest.approx(0.75 - 0.06, abs=0.08)  # three quarters lie beyond the corner, less of the small radii's middle
    assert corner.sum() < 0.5 * lamp(200, 200, 0, 0).sum()


@pytest.mark.parametrize("sigma", [6.0, 17.0, 40.0, 90.0])
def test_wide_blurs_on_smaller_pictures_are_those_of_the_whole(sigma: float) -> None:
    rng = np.random.default_rng(4)
    light = cv2.GaussianBlur(rng.random((301, 403, 3)).astype(np.float32), (0, 0), 2)
    want = np.stack([gaussian_filter(light[..., c], sigma, mode="constant") for c in range(3)], 2)
    assert np.abs(_blurred(light, sigma) - want).max() < 0.01 * want.max()


def test_what_glows_is_above_the_threshold_softly_or_in_the_matte() -> None:
    ramp = np.repeat(np.linspace(0, 3, 301, dtype=np.float32)[None, :, None], 3, 2)
    part = bright_part(ramp, 1.0)[0, :, 0]
    assert part[50] == 0
    assert part[300] == pytest.approx(2.0, abs=1e-4)
    assert np.all(np.diff(part) >= -1e-6)
    assert np.abs(np.diff(np.diff(part))).max() < 0.002  # no corner
    matte = np.zeros((1, 301), np.float32)
    matte[0, 200:] = 0.5
    assert bright_part(ramp, 0.0, matte)[0, 250, 0] == pytest.approx(1.25)
    assert bright_part(ramp, 0.0, matte)[0, 100, 0] == 0


def test_radii_halve_down_to_the_least() -> None:
    assert radii(32.0, 4.0) == [32, 16, 8, 4]
    assert radii(3.0, 4.0) == [3.0]


def test_alpha_stays_and_the_input_is_unchanged() -> None:
    picture = np.concatenate([lamp(40, 40, 20, 20), np.zeros((40, 40, 1), np.float32)], 2)
    before = picture.copy()
    out, _ = glowing(picture, picture[..., :3], 6.0, 1.0, kept=False)
    assert np.array_equal(out[..., 3], picture[..., 3])
    assert np.array_equal(picture, before)
    assert out[20, 26, 0] > 0
