"""Copies that are unlike, and backgrounds that turn round exactly."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from loopclips import flame

from transmixis.core.build.copies import Copy, likeness, small_grey, spread_out
from transmixis.core.build.wrap import seam_of, way_at, wrapped
from transmixis.core.easing import cubic_bezier


@given(st.integers(1, 40), st.integers(1, 200), st.integers(0, 99))
def test_copies_lie_within_their_field_each_at_its_own_time(count: int, frames: int, seed: int) -> None:
    found = spread_out(count, 400, 100, 0.2, frames, True, seed)
    assert len(found) == count
    assert all(abs(c.x) <= 200 and abs(c.y) <= 50 and 0.8 <= c.size <= 1.2 and 0 <= c.late < frames for c in found)
    assert Copy(0.0, 0.0, 1.0, False, 0) in found
    if frames >= count:
        assert len({c.late for c in found}) == count
    assert found == spread_out(count, 400, 100, 0.2, frames, True, seed)
    assert [c.y for c in found] == sorted(c.y for c in found)


def test_copies_keep_apart() -> None:
    found = spread_out(8, 800, 200, 0.0, 50, False, 3)
    gaps = [np.hypot(a.x - b.x, a.y - b.y) for i, a in enumerate(found) for b in found[:i]]
    assert min(gaps) > 60
    assert not any(c.flipped for c in found)
    assert spread_out(0, 1, 1, 0, 1, False, 1) == ()


def test_flames_at_their_own_times_are_unlike_and_twins_are_found() -> None:
    frames = flame(1)[:40]
    small = [small_grey(f, False) for f in frames]
    mean = np.mean(small, axis=0)
    alike, pair = likeness([small[3], small[17], small[3]], mean)
    assert alike == pytest.approx(1)
    assert pair == (0, 2)
    assert likeness([small[3], small[17], small[30]], mean)[0] < 0.7
    assert small_grey(frames[0], True) == pytest.approx(small_grey(frames[0], False)[:, ::-1])


def round_picture(w: int = 120) -> np.ndarray:
    x = np.arange(w) * 2 * np.pi / w
    row = 0.5 + 0.2 * np.sin(3 * x) + 0.1 * np.sin(11 * x + 1)
    return np.repeat(np.repeat(row[None, :, None], 20, 0), 3, 2).astype(np.float32)


def test_whole_pixels_roll_and_a_whole_turn_is_nothing() -> None:
    p = np.random.default_rng(1).random((10, 64, 3)).astype(np.float32)
    assert wrapped(p, 5.0, 5.0) == pytest.approx(np.roll(p, 5, 1), abs=1e-6)
    assert wrapped(p, -3.0, -3.0) == pytest.approx(np.roll(p, -3, 1), abs=1e-6)
    assert wrapped(p, 64.0, 64.0) == pytest.approx(p, abs=1e-6)


@pytest.mark.parametrize(("begin", "end"), [(7.3, 7.3), (0.0, 9.0), (-20.5, 12.25), (100.0, 140.0)])
def test_a_smear_is_the_mean_of_the_way(begin: float, end: float) -> None:
    """Against the closed form for sine waves: damped by sinc, moved by the middle."""
    w = 120
    x = (np.arange(w)) * 2 * np.pi / w
    middle, length = (begin + end) / 2, end - begin
    want = 0.5 + sum(
        a * np.sinc(k * length / w) * np.sin(k * (x - middle * 2 * np.pi / w) + p) for a, k, p in ((0.2, 3, 0), (0.1, 11, 1))
    )
    assert wrapped(round_picture(w), begin, end)[5, :, 0] == pytest.approx(want, abs=0.004)


def test_the_way_is_whole_turns_with_ease() -> None:
    assert way_at(0, 24, 2, 500, 0.0) == 0
    assert way_at(24, 24, 2, 500, 0.7) == pytest.approx(1000)
    assert way_at(99, 24, 2, 500, 0.7) == pytest.approx(1000)
    assert way_at(6, 24, 1, 480, 0.0) == pytest.approx(120)
    assert way_at(6, 24, 1, 480, 1.0) == pytest.approx(480 * cubic_bezier(0.5, 0, 0.5, 1, 0.25))
    assert way_at(6, 24, 1, 480, 1.0) < 120


def test_a_seam_is_read() -> None:
    assert seam_of(round_picture()) < 3
    ramp = np.repeat(np.repeat(np.linspace(0, 1, 100, dtype=np.float32)[None, :, None], 10, 0), 3, 2)
    assert seam_of(ramp) > 50
