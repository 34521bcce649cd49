"""From where things are lit: rounded things of many colours under known lights."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from transmixis.core.light.direction import LitFrom, apart, lit_from

SIDE = 300


def rounded_thing(angle: float, height: float, everywhere: float, seed: int, cloth: float) -> tuple[np.ndarray, np.ndarray]:
    """Three ellipsoids lit by Lambert's law from `angle` (0 right, 90 up) and `height` degrees towards the camera, with light from everywhere; their albedo varies by `cloth`."""
    dice = np.random.default_rng(seed)
    yy, xx = np.mgrid[:SIDE, :SIDE].astype(float)
    deep, normals, matte = np.zeros((SIDE, SIDE)), np.zeros((SIDE, SIDE, 3)), np.zeros((SIDE, SIDE))
    for cx, cy, rx, ry in ((150, 170, 60, 90), (150, 70, 40, 45), (90, 170, 25, 70)):
        inside = 1 - ((xx - cx) / rx) ** 2 - ((yy - cy) / ry) ** 2
        z = np.sqrt(np.maximum(inside, 0)) * min(rx, ry)
        n = np.stack([(xx - cx) / rx**2, (yy - cy) / ry**2, z / min(rx, ry) ** 2], -1)
        n /= np.linalg.norm(n, axis=2, keepdims=True) + 1e-9
        front = (inside > 0) & (z > deep)
        normals[front], deep = n[front], np.where(front, z, deep)
        matte[inside > 0] = 1
    a, e = np.radians(angle), np.radians(height)
    light = np.array([np.cos(a) * np.cos(e), -np.sin(a) * np.cos(e), np.sin(e)])
    wave = cv2.GaussianBlur(dice.standard_normal((SIDE, SIDE)), (0, 0), 12) * 18
    shade = (everywhere + np.maximum(normals @ light, 0)) * 0.4 * np.exp(cloth * wave) * matte
    return (shade[..., None] * [1, 0.8, 0.6]).astype(np.float32), matte.astype(np.float32)


@pytest.mark.parametrize("angle", [-170, -95, -40, 0, 35, 90, 140])
@pytest.mark.parametrize(("everywhere", "cloth"), [(0.2, 0.0), (0.6, 0.25), (0.2, 0.5)])
def test_directions_are_found(angle: float, everywhere: float, cloth: float) -> None:
    picture, matte = rounded_thing(angle, 25, everywhere, int(angle) + 300, cloth)
    found = lit_from(picture, matte)
    assert found is not None
    assert found.told
    off = apart(found, LitFrom(angle, 0, 1))
    assert off < 25
    assert off < 3 * found.error + 2


def test_light_from_everywhere_or_from_the_camera_tells_no_side() -> None:
    for height, everywhere in ((90, 0.2), (25, 200.0)):
        picture, matte = rounded_thing(40, height, everywhere, 2, 0.4)
        found = lit_from(picture, matte)
        assert found is None or not found.told or found.share < 0.15


def test_more_light_from_the_side_is_a_larger_share() -> None:
    shares = []
    for everywhere in (0.1, 0.5, 2.0):
        found = lit_from(*rounded_thing(60, 20, everywhere, 1, 0.0))
        assert found is not None
        shares.append(found.share)
    assert shares[0] > shares[1] > shares[2]


def test_a_picture_s_own_alpha_is_divided_out_and_small_things_tell_nothing() -> None:
    picture, matte = rounded_thing(30, 25, 0.3, 4, 0.1)
    soft = cv2.GaussianBlur(matte, (0, 0), 1.0)
    own = np.dstack([picture * soft[..., None], soft])
    found = lit_from(own, soft)
    assert found is not None
    assert apart(found, LitFrom(30, 0, 1)) < 12
    tiny = np.zeros((60, 60), np.float32)
    tiny[28:32, 28:32] = 1
    assert lit_from(np.ones((60, 60, 3), np.float32), tiny) is None


def test_a_thing_that_leaves_the_frame_has_no_outline_there() -> None:
    picture, matte = rounded_thing(0, 25, 0.3, 4, 0.0)
    found = lit_from(np.ascontiguousarray(picture[:200]), np.ascontiguousarray(matte[:200]))
    assert found is not None
    assert apart(found, LitFrom(0, 0, 1)) < 12


def test_directions_apart_go_round() -> None:
    assert apart(LitFrom(170, 0, 1), LitFrom(-170, 0, 1)) == pytest.approx(20)
    assert apart(LitFrom(0, 0, 1), LitFrom(180, 0, 1)) == pytest.approx(180)
