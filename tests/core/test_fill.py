"""Filling: texture goes on, lines meet, nothing but the hole is touched; and a background completed, the same at the next anchor."""

from __future__ import annotations

import cv2
import numpy as np
import skimage.data
from keyplates import srgb_decode, srgb_encode
from rigtakes import SIGMA, grained

from transmixis.core.repair.backing import Backing
from transmixis.core.repair.fill import filled
from transmixis.core.repair.makeup import CLEAN, completed

Array = np.ndarray


def code(x: Array) -> Array:
    return np.asarray(srgb_encode(np.clip(x, 0, 1)) * 255, np.float64)


def photograph(name: str) -> Array:
    p = getattr(skimage.data, name)()[:260, :340]
    p = np.repeat(p[..., None], 3, 2) if p.ndim == 2 else p
    return np.asarray(srgb_decode(p.astype(np.float32) / 255), np.float32)


def hole(shape: tuple[int, ...], y: int, x: int, h: int, w: int) -> Array:
    out = np.zeros(shape[:2], bool)
    out[y : y + h, x : x + w] = True
    return out


def test_lines_go_on_better_than_smooth_inpainting() -> None:
    picture = photograph("brick")
    gone = hole(picture.shape, 100, 140, 50, 70)
    made = filled(picture, gone, ~gone)
    np.testing.assert_array_equal(made[~gone], picture[~gone])
    off = np.sqrt(((code(made) - code(picture))[gone] ** 2).mean())
    plain = cv2.inpaint(code(picture).astype(np.uint8), gone.astype(np.uint8) * 255, 5, cv2.INPAINT_TELEA)
    assert off < 0.9 * np.sqrt(((plain - code(picture))[gone] ** 2).mean())
    np.testing.assert_array_equal(made, filled(picture, gone, ~gone))  # the same whenever it is made


def test_texture_is_not_averaged_away() -> None:
    picture = photograph("grass")
    gone = hole(picture.shape, 100, 140, 40, 60)
    made = code(filled(picture, gone, ~gone)).mean(axis=2)
    fine = made - cv2.GaussianBlur(made, (0, 0), 2)
    share = fine[gone].std() / fine[~gone].std()
    assert 0.7 < share < 1.3
    assert abs(made[gone].mean() - made[~gone].mean()) < 15


def test_nothing_is_taken_from_where_it_may_not_be() -> None:
    picture = np.full((80, 120, 3), 0.2, np.float32)
    picture[:, 60:] = (0.6, 0.1, 0.1)
    gone = hole(picture.shape, 30, 20, 16, 16)
    source = ~gone
    source[:, 50:] = False
    np.testing.assert_allclose(filled(picture, gone, source)[gone], 0.2, atol=2e-3)
    none = np.zeros_like(gone)
    np.testing.assert_array_equal(filled(picture, none, ~none), picture)
    tiny = hole(picture.shape, 2, 2, 3, 3)  # no whole patch to take from
    np.testing.assert_allclose(filled(picture, gone, tiny)[gone], 0.2, atol=2e-3)


def test_before_is_gone_on_from() -> None:
    """A start is bettered, not thrown away: the same pattern in another phase stays as it was begun."""
    x = np.arange(160)
    stripes = np.repeat(np.where((x // 8) % 2 == 0, 0.1, 0.6)[None, :, None], 100, 0).repeat(3, 2).astype(np.float32)
    gone = hole(stripes.shape, 40, 40, 24, 60)
    made = filled(stripes, gone, ~gone, before=stripes)
    assert np.abs(made - stripes)[gone].max() < 0.05


def backing(picture: Array, known: Array, left: int, top: int, shape: tuple[int, int]) -> Backing:
    h, w = shape
    part = (slice(top, top + h), slice(left, left + w))
    count = np.where(known[part], 6, 0).astype(np.float32)
    return Backing(picture[part] * (count > 0)[..., None], count, left, top, np.array([[2.7 * SIGMA**2, 1e-7]] * 3))


def test_a_background_is_completed_and_the_next_anchor_keeps_it() -> None:
    picture = grained(photograph("brick"), np.random.default_rng(5))
    gone = hole(picture.shape, 110, 150, 30, 40)
    b = backing(picture, ~gone, 130, 90, (70, 80))
    want = np.ones((70, 80), bool)
    made, what = completed(b, want, picture, gone)
    assert (what == (b.count == 0)).all()
    np.testing.assert_array_equal(made.picture[~what], b.picture[~what])
    assert (made.count[what] == CLEAN).all()
    inner = made.picture[what]
    assert 0.5 < code(inner).std() / code(picture[gone]).std() < 1.5
    # at another anchor, which lies 5 px to the right, what was made up is there again
    shift = np.array([[1, 0, 5], [0, 1, 0], [0, 0, 1.0]])
    moved, away = np.roll(picture, 5, axis=1), np.roll(gone, 5, axis=1)
    again, also = completed(backing(moved, ~away, 135, 90, (70, 80)), want, moved, away, (made, shift))
    core = cv2.erode(what.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    assert np.abs(again.picture - made.picture)[core & also].max() < 1e-3
    same, nothing = completed(made, want, picture, gone)
    assert same is made
    assert not nothing.any()
