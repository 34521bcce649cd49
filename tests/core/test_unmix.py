"""A blurred arm before a rig that goes: its edge freed of the rig, its blur found from a shape that lies aside, against the truth and a feathered shape."""

from __future__ import annotations

from functools import cache

import cv2
import numpy as np
import pytest
from armtakes import ArmFrame, arm_frame
from keyplates import srgb_encode
from rigtakes import grained

from transmixis.core.repair.unmix import Edge, fitted_edge, laid_shape, old_background, two_colours, unmixed

Array = np.ndarray
arm = cache(arm_frame)


def db(made: Array, truth: Array, where: Array) -> float:
    a, b = (np.clip(srgb_encode(np.clip(x, 0, 1)), 0, 1) for x in (made, truth))
    return float(-10 * np.log10(((a - b)[where] ** 2).mean()))


def band(f: ArmFrame) -> Array:
    edge = cv2.dilate(((f.alpha > 0.01) & (f.alpha < 0.99)).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    return np.asarray((f.gone > 0) & edge)


def found(f: ArmFrame) -> tuple[Edge | None, Array]:
    about = cv2.dilate(f.shape, np.ones((41, 41), np.uint8))
    e = fitted_edge(f.plate, f.shape, old_background(f.plate, f.behind, about, f.gone > 0))
    return e, f.shape if e is None else laid_shape(f.shape, e)


def feathered(f: ArmFrame) -> Array:
    soft = cv2.GaussianBlur(f.shape, (0, 0), 3)
    return f.plate + (f.gone * (1 - soft))[..., None] * (f.behind - f.plate)


@pytest.mark.parametrize("contrast", [0.03, 0.15, 0.30])
@pytest.mark.parametrize("rig", [0.02, 0.18])
def test_a_blurred_edge_is_freed_of_the_rig(contrast: float, rig: float) -> None:
    """The shape lies 3 px off and has no blur. At least 8 dB better than it feathered; beside the exact alpha's 33 to 37 dB, which grain and the old background's guess leave
    (docs/limits.md)."""
    f = arm(contrast, rig)
    e, alpha = found(f)
    assert e is not None
    made = unmixed(f.plate, f.behind, f.gone, alpha, f.gone > 0)
    exact = unmixed(f.plate, f.behind, f.gone, f.alpha, f.gone > 0)
    assert db(made, f.truth, band(f)) > db(feathered(f), f.truth, band(f)) + 8
    assert db(made, f.truth, band(f)) > min(36.0, db(exact, f.truth, band(f)) - 2.5)
    assert db(exact, f.truth, band(f)) > 33


def test_the_shape_is_laid_where_it_passes() -> None:
    f = arm(0.03, 0.02)
    e, alpha = found(f)
    assert e is not None
    assert (e.right, e.down) == pytest.approx((-2.2, -2.0), abs=0.5)
    assert e.angle == pytest.approx(20, abs=12)
    assert 6 < e.length < 20
    assert np.sqrt(((alpha - f.alpha)[band(f)] ** 2).mean()) < 0.03


def test_what_is_not_behind_the_edge_stays() -> None:
    f = arm(0.15, 0.02)
    made = unmixed(f.plate, f.behind, f.gone, f.alpha, f.gone > 0)
    np.testing.assert_array_equal(made[f.gone == 0], f.plate[f.gone == 0])
    solid = f.alpha >= 1
    np.testing.assert_allclose(made[solid], f.plate[solid], atol=1e-6)
    bare = (f.alpha < 0.001) & (f.gone > 0)
    np.testing.assert_allclose(made[bare], f.behind[bare], atol=1e-3)


def test_the_old_background_goes_on_behind_what_passes() -> None:
    f = arm(0.03, 0.02)
    old = old_background(f.plate, f.behind, f.alpha, f.gone > 0)
    seen = f.alpha < 0.02
    np.testing.assert_array_equal(old[seen], f.plate[seen])
    hidden = (f.rig > 0.99) & (f.alpha > 0.2)
    assert np.quantile(np.abs(old[hidden] - 0.02), 0.95) < 0.05
    beside = (f.gone == 0) & (f.alpha > 0.5)
    np.testing.assert_array_equal(old[beside], f.behind[beside])


def test_where_two_colours_do_not_tell_nothing_is_claimed() -> None:
    f = arm(0.03, 0.02)
    flat = grained(np.full_like(f.plate, 0.3), np.random.default_rng(1))
    assert fitted_edge(flat, f.shape, np.full_like(f.plate, 0.3)) is None
    assert fitted_edge(f.plate, np.zeros_like(f.shape), f.behind) is None
    alpha, tells = two_colours(f.plate, f.shape, old_background(f.plate, f.behind, f.alpha, f.gone > 0), 8)
    inner = (f.alpha > 0.999) & (tells > 0.5)
    assert np.median(alpha[inner]) == pytest.approx(1, abs=0.05)


def test_a_shape_is_moved_and_smeared() -> None:
    s = np.zeros((40, 60), np.float32)
    s[15:25, 20:30] = 1
    np.testing.assert_array_equal(laid_shape(s, Edge(0, 0, 0, 0, 0)), s)
    np.testing.assert_allclose(laid_shape(s, Edge(3, -2, 0, 0, 0)), np.roll(s, (-2, 3), (0, 1)), atol=1e-6)
    level = laid_shape(s, Edge(0, 0, 8, 0, 0))
    assert level[20, 17] > 0.05
    assert level[12, 25] == 0
    upright = laid_shape(s, Edge(0, 0, 8, 90, 0))
    assert upright[12, 25] > 0.05
    assert upright[20, 17] == 0
    rising = laid_shape(s, Edge(0, 0, 12, 45, 0))  # anticlockwise as seen: up at the right
    assert rising[13, 31] > rising[13, 18]
