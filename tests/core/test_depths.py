"""Depths told from all frames together: places and ways that are known come back, what one frame hides lies where the others say."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from transmixis.core.repair.backing import Backing, brought_in
from transmixis.core.repair.depths import laid_aside, told_together
from transmixis.core.repair.wind import read_grid

Array = np.ndarray
H, W, FRAMES, ANCHOR = 160, 240, 11, 6
BAND = slice(102, 146)  # columns of a nearer post
AWAY = 0.6  # px a frame that it goes aside


def made(seed: int = 2, share: float = 0.4) -> tuple[Array, Array, Array, Array]:
    """(f, p, 2) flows of low rank with noise, known or not, their places, and the truth without noise."""
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[0:12, 0:18]
    places = np.stack([8.0 * x.ravel(), 8.0 * y.ravel()], 1)
    depth = np.where(places[:, 0] > 70, 1.0, -0.4) + 0.3 * np.sin(places[:, 1] / 20)
    way = np.stack([np.linspace(-3, 3, FRAMES), 0.4 * np.sin(np.arange(FRAMES))], 1)
    even = rng.normal(0, 0.3, (FRAMES, 2))[:, None] + np.linspace(-0.2, 0.2, FRAMES)[:, None, None] * places[None] / 50
    truth = even + depth[None, :, None] * way[:, None]
    known = rng.random((FRAMES, len(places))) > share
    values = truth + rng.normal(0, 0.08, truth.shape)
    values[~known] = 50.0  # nothing of it may be looked at
    return values, known, places, truth


def test_what_is_hidden_is_told_by_its_depth() -> None:
    values, known, places, truth = made()
    told, off = told_together(values, known, places, (12, 18))
    assert off < 0.2
    assert np.abs(told - truth)[~known].mean() < 0.1
    assert np.quantile(np.hypot(*np.moveaxis(told - truth, -1, 0))[~known], 0.95) < 0.35


def test_a_tenth_of_wild_flows_does_not_draw_it_astray() -> None:
    values, known, places, truth = made()
    rng = np.random.default_rng(5)
    wild = known & (rng.random(known.shape) < 0.1)
    values[wild] += rng.normal(0, 6, values[wild].shape)
    told, _ = told_together(values, known, places, (12, 18))
    assert np.abs(told - truth)[~known].mean() < 0.15


def test_a_place_that_no_frame_shows_goes_on_from_beside_it() -> None:
    values, known, places, truth = made()
    nowhere = (np.abs(places[:, 0] - 104) < 9) & (np.abs(places[:, 1] - 48) < 9)
    known[:, nowhere] = False
    told, _ = told_together(values, known, places, (12, 18))
    assert np.abs(told - truth)[:, nowhere].mean() < 0.4


def test_what_follows_no_depth_is_said_to_be_far_off() -> None:
    values, known, places, _ = made(share=0.2)
    values = np.random.default_rng(8).normal(0, 3, values.shape)
    assert told_together(values, known, places, (12, 18))[1] > 1.0


def scene() -> tuple[list[Array], list[Array], Array]:
    """A wall, a nearer post that goes aside, and a thing that passes and hides the post on the middle frames; the frames without it."""
    rng = np.random.default_rng(7)
    wall, post = (cv2.GaussianBlur(rng.random((H, W + 40, 3)).astype(np.float32), (0, 0), 1.5) * k + 0.1 for k in (0.5, 0.35))
    bare, gone = [], []
    x, y = np.meshgrid(np.arange(W, dtype=np.float32), np.arange(H, dtype=np.float32))
    for n in range(1, FRAMES + 1):
        shift = AWAY * (n - ANCHOR)
        cover = np.clip(np.minimum(x - BAND.start - shift + 0.5, BAND.stop + shift - x + 0.5), 0, 1)[..., None]
        moved = cv2.remap(post, x + 20 - shift, y, cv2.INTER_CUBIC)
        bare.append((wall[:, 20 : W + 20] * (1 - cover) + moved * cover).astype(np.float32))
        hidden = np.zeros((H, W), bool)
        left = 30 + 18 * (n - 1)
        hidden[40:120, left : left + 40] = True
        gone.append(hidden)
    return bare, gone, wall


def test_a_thin_thing_behind_the_hole_stands_where_its_depth_says() -> None:
    """Nothing of the post is seen beside the hole at its middle: by flow of that frame alone it stays where the wall is; told from all of them it lies right."""
    bare, gone, _ = scene()
    near = ANCHOR - 1
    backing = Backing(bare[near], np.full((H, W), 6.0, np.float32), 0, 0, np.full((3, 2), 1e-7))

    def look(n: int) -> tuple[Array, Array]:
        return np.where(gone[n - 1][..., None], 0.02, bare[n - 1]).astype(np.float32), gone[n - 1]

    matrices = {n: np.eye(3) for n in range(1, FRAMES + 1)}
    aside = laid_aside(backing, matrices, look, range(1, FRAMES + 1), ANCHOR)
    assert sorted(aside) == list(range(1, FRAMES + 1))
    at = np.array([[BAND.start + 22.0, 20.0], [BAND.start + 22.0, 145.0]])
    for n in (3, 9):
        moved = AWAY * (n - ANCHOR)
        assert read_grid(aside[n], at + np.array([moved, 0.0]))[:, 0] == pytest.approx(-moved, abs=0.45)
    n = 4  # its hole lies left of the post's middle, and over it
    gone[n - 1][:] = False
    gone[n - 1][40:120, 92:154] = True
    aside = laid_aside(backing, matrices, look, range(1, FRAMES + 1), ANCHOR)
    where = cv2.dilate(gone[n - 1].astype(np.uint8), np.ones((91, 91), np.uint8)) > 0
    picture, hidden = look(n)
    core = np.zeros((H, W), bool)
    core[70:90, 98:148] = True
    alone, told = (brought_in(backing, np.eye(3), picture, hidden, where, True, a)[0] for a in (None, aside[n]))
    off = [float(np.abs(p - bare[n - 1])[core].mean()) for p in (alone, told)]
    assert off[1] < 0.6 * off[0]


def test_too_few_frames_or_plain_ones_tell_nothing() -> None:
    bare, gone, _ = scene()
    backing = Backing(bare[5], np.full((H, W), 6.0, np.float32), 0, 0, np.full((3, 2), 1e-7))
    matrices = {n: np.eye(3) for n in range(1, FRAMES + 1)}
    assert laid_aside(backing, matrices, lambda n: (bare[n - 1], gone[n - 1]), (5, 6, 7), ANCHOR) == {}
    plain = np.full((H, W, 3), 0.3, np.float32)
    flat = Backing(plain, backing.count, 0, 0, backing.law)
    assert laid_aside(flat, matrices, lambda n: (plain, gone[n - 1]), range(1, FRAMES + 1), ANCHOR) == {}
