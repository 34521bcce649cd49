"""Slips are named where they are, and few asks are none; the whole count is bench/track_slips.py."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from slipclips import Count, counted, hands_asked, hands_plainly, hard_clip
from walls import wall

from transmixis.core.motion.follow import searched
from transmixis.core.motion.point import about_point


def test_slips_are_named_and_few_asks_are_none() -> None:
    total = sum((counted(seed) for seed in (1, 2, 8)), Count())
    assert total.slips >= 8
    assert total.named >= 0.95 * total.slips
    assert total.false <= 0.05 * max(total.asks, 1)


def test_a_take_that_fails_plainly_asks_for_few_hands(tmp_path: Path) -> None:
    c = hard_clip(70, 2)
    plain, asked = (sum(f) for f in zip(*((hands_plainly(c, k), hands_asked(c, k, tmp_path)) for k in range(2)), strict=True))
    assert plain >= 10
    assert asked <= plain / 2


def test_of_look_alikes_the_nearest_is_taken() -> None:
    tile = wall(3, (40, 40))
    picture = np.tile(tile, (4, 6, 1))
    at = np.array([100.5, 80.5])
    pattern = about_point(picture, at, 9)
    for dx, dy in ((0, 0), (4, -3), (-9, 6)):
        start = np.array([[1, 0, dx], [0, 1, dy], [0, 0, 1.0]])
        found = searched(pattern, picture, start, 48)  # three or four alike lie within so far
        assert found is not None
        assert np.abs(found[:2, 2]).max() < 0.5
