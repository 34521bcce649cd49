"""What gives a mend away, each made on purpose: softness, a ghost of what was removed, standing still where all else moves; and good mends that show none of it."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from transmixis.core.readings import Reading
from transmixis.core.repair.tells import FROZEN, GHOST, SOFTER, frozen_reading, ghost_reading, sharpness_reading

H, W = 160, 200
LAW = 4e-5
Array = np.ndarray


def texture(seed: int, soft: float = 1.0) -> Array:
    x = cv2.GaussianBlur(np.random.default_rng(seed).random((H, W, 3)).astype(np.float32), (0, 0), soft)
    return np.asarray(0.25 + (x - x.mean()) / x.std() * 0.05, np.float32)


def noisy(x: Array, seed: int) -> Array:
    return np.asarray(x + np.random.default_rng(seed).normal(size=x.shape) * np.sqrt(LAW * x), np.float32)


def patch() -> Array:
    m = np.zeros((H, W), np.float32)
    m[50:110, 70:130] = 1
    return m


def value(r: Reading) -> float:
    assert r.value is not None, r.note
    return r.value


NONE = np.zeros((H, W, 3), np.float32)


def test_a_background_as_sharp_as_the_plate() -> None:
    t = texture(1)
    assert value(sharpness_reading(noisy(t, 2), t, patch(), NONE)) < 4
    both = sharpness_reading(noisy(t, 2), noisy(t, 3), patch(), LAW * t)  # its own grain is no detail
    assert value(both) < 6


@pytest.mark.parametrize("blur", [0.8, 1.5])
def test_a_softer_background_and_a_sharper_one(blur: float) -> None:
    t = texture(1)
    soft = cv2.GaussianBlur(t, (0, 0), blur)
    read = sharpness_reading(noisy(t, 2), soft, patch(), NONE)
    assert value(read) > SOFTER
    assert read.note.startswith("0.")
    other = sharpness_reading(noisy(soft, 2), t, patch(), NONE)
    assert value(other) > SOFTER
    assert not other.note.startswith("0.")


def test_what_cannot_be_compared_says_so() -> None:
    flat = np.full((H, W, 3), 0.25, np.float32)
    assert "plain" in sharpness_reading(noisy(flat, 1), flat, patch(), NONE).note
    assert sharpness_reading(flat, flat, np.zeros((H, W), np.float32), NONE).value is None
    t = texture(1)
    front = np.ones((H, W), np.float32)
    assert sharpness_reading(noisy(t, 1), t, patch(), NONE, front).value is None
    assert (
        sharpness_reading(noisy(t, 2), np.where(patch()[..., None] > 0, t, 0), patch(), NONE).value is None
    )  # nothing was laid beside it


def rig() -> Array:
    x = np.zeros((H, W, 1), np.float32)
    x[:, 90:97] = 1
    x[70:76, 70:130] = 1
    return cv2.GaussianBlur(x, (0, 0), 0.6)[..., None] if x.ndim == 2 else cv2.GaussianBlur(x[..., 0], (0, 0), 0.6)[..., None]


def test_a_ghost_is_known_by_the_form_of_what_was_removed() -> None:
    t = texture(4)
    plate = noisy(t * (1 - rig()) + 0.01 * rig(), 5)
    clean = ghost_reading(plate, noisy(t, 6), patch())
    assert value(clean) < 1.0
    left = ghost_reading(plate, noisy(t * (1 - 0.2 * rig()) + 0.2 * 0.01 * rig(), 6), patch())
    assert value(left) > GHOST
    more = ghost_reading(plate, noisy(t * (1 - 0.4 * rig()) + 0.4 * 0.01 * rig(), 6), patch())
    assert value(more) > value(left) + 2


def test_what_still_shows_through_is_no_ghost() -> None:
    """A shadow lies over the texture, which is in plate and mend alike."""
    t = texture(4)
    read = ghost_reading(noisy(0.85 * t, 5), noisy(t, 6), patch())
    assert read.value is None
    assert "stands out" in read.note


def test_a_patch_that_is_frozen_among_moving_leaves() -> None:
    now, before = texture(7, 1.6), np.roll(texture(7, 1.6), 3, axis=1)
    inside = patch()[..., None] > 0
    frozen = frozen_reading(noisy(np.where(inside, before, now), 1), noisy(before, 2), patch())
    assert value(frozen) > FROZEN
    assert value(frozen_reading(noisy(now, 1), noisy(before, 2), patch())) < 20
    still = frozen_reading(noisy(now, 1), noisy(now, 2), patch())
    assert still.value == 0
    assert "nothing moves" in still.note
    dull = np.full((H, W, 3), 0.2, np.float32)
    assert frozen_reading(noisy(dull, 1), noisy(dull, 2), patch()).value == 0
    assert frozen_reading(now, before, np.zeros((H, W), np.float32)).value is None
