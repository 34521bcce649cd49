"""Rays, halos, ghosts and dirt: where they lie, how they fall off."""

from __future__ import annotations

import numpy as np
import pytest

from transmixis.core.light.rays import dirt, ghosts, halo, rays


def test_rays_go_away_from_where_they_come_from_and_fade() -> None:
    light = np.zeros((120, 160, 3), np.float32)
    light[58:62, 58:62] = 1
    out = rays(light, (20.0, 60.0), 1.0)[60, :, 0]
    assert out[:56].max() == 0  # nothing towards it
    assert out[62] > out[75] > out[90] > 0
    assert out[105:].max() < 0.02  # twice as far is 100
    assert rays(light, (20.0, 60.0), 0.0) == pytest.approx(light, abs=1e-4)
    ramp = rays(light, (20.0, 60.0), 1.0)
    assert ramp[20, 80].max() == 0  # none aside


def test_a_halo_lies_outside_and_falls_off() -> None:
    matte = np.zeros((80, 80), np.float32)
    matte[30:50, 30:50] = 1
    out = halo(matte, 10.0)
    assert out[40, 40] == 0
    assert out[40, 50] == pytest.approx(np.exp(-2 * 0.01), abs=1e-4)
    assert out[40, 59] == pytest.approx(np.exp(-2), abs=1e-3)
    assert out[40, 75] < 1e-4
    assert halo(matte, 0.0).max() == 0
    assert halo(np.zeros((5, 5), np.float32), 4.0).max() == 0


def test_ghosts_lie_across_the_middle() -> None:
    out = ghosts((200, 300), (60.0, 40.0), np.array([1.0, 1.0, 1.0]), 1, 12.0, 3)
    yy, xx = np.mgrid[0:200, 0:300] + 0.5
    light = out.sum(axis=2)
    assert (xx * light).sum() / light.sum() == pytest.approx(240, abs=0.5)
    assert (yy * light).sum() / light.sum() == pytest.approx(160, abs=0.5)
    many = ghosts((200, 300), (60.0, 40.0), np.array([1.0, 1.0, 1.0]), 6, 12.0, 3)
    assert many.sum() > 0
    assert ghosts((200, 300), (60.0, 40.0), np.ones(3), 0, 12.0, 3).max() == 0


def test_dirt_stands_still_and_covers_little() -> None:
    a = dirt((180, 320), 4)
    assert np.array_equal(a, dirt((180, 320), 4))
    assert not np.array_equal(a, dirt((180, 320), 5))
    assert 0.02 < float(a.mean()) < 0.5
    assert a.max() <= 1
