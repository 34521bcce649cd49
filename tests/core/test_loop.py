"""Loops out of made flames and water that never repeat: against the bars, beside a dissolve; what a cut shows, and what is refused."""

from __future__ import annotations

from functools import cache

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from loopclips import flame, water

from transmixis.core.build.codes import from_codes, to_codes
from transmixis.core.build.crossing import BANDS, FLOW, PLAIN, crossed
from transmixis.core.build.loop import (
    KEPT,
    LOST,
    SEAM,
    STEP,
    Loop,
    LoopRead,
    best_loop,
    frame_of,
    loop_readings,
    loop_steps,
    read_loop,
)
from transmixis.core.errors import UserError
from transmixis.core.progress import Progress

Array = np.ndarray
CLIPS = {"flame": lambda: flame(1), "another flame": lambda: flame(2), "water": lambda: water(1), "other water": lambda: water(2)}


@cache
def made(name: str) -> tuple[Array, Loop, LoopRead]:
    clip = CLIPS[name]()
    return clip, *best_loop(lambda n: clip[n - 1], 1, len(clip), Progress())


@pytest.mark.parametrize("name", CLIPS)
def test_a_loop_gives_nothing_away(name: str) -> None:
    clip, loop, _ = made(name)
    read = read_loop(loop, lambda n: clip[n - 1])
    assert read.seam <= SEAM
    assert read.step <= STEP
    assert read.contrast >= LOST
    assert read.detail >= LOST
    assert loop.length >= KEPT * len(clip)
    dissolved = read_loop(Loop(13, len(clip), 12, PLAIN), lambda n: clip[n - 1])
    assert dissolved.detail < 0.8  # which is why it is not done so
    assert all(r.state != "fault" for r in loop_readings(read, loop, len(clip)))


def test_its_cycle_ends_on_the_frame_before_it_begins_again() -> None:
    loop = Loop(5, 20, 4)
    assert loop.length == 16
    assert [loop.sources(n) for n in (1, 12)] == [(5, 0, 0.0), (16, 0, 0.0)]
    assert loop.sources(13) == (17, 1, pytest.approx(0.2))
    assert loop.sources(16) == (20, 4, pytest.approx(0.8))  # frame 5 would come next, and is frame 1
    assert Loop(5, 20, 0).sources(16) == (20, 0, 0.0)


def test_its_steps_are_told_frame_by_frame() -> None:
    clip, loop, read = made("water")
    steps = loop_steps(loop, lambda n: clip[n - 1])
    assert len(steps) == loop.length
    assert float(np.median(steps)) == pytest.approx(1)
    assert steps[-1] == pytest.approx(read.seam, rel=0.1)  # each over its own usual step: the element's, the loop's
    assert steps.max() < 1.25


def test_frames_outside_of_the_blend_are_the_elements_own() -> None:
    clip, loop, _ = made("flame")
    for n in (1, loop.length - loop.blend):
        np.testing.assert_array_equal(frame_of(loop, lambda k: clip[k - 1], n), clip[loop.first + n - 2])


def test_an_element_that_repeats_is_cut_at_its_period() -> None:
    y, x = np.mgrid[0:60, 0:80].astype(np.float32)
    clip = [np.repeat((0.5 + 0.3 * np.sin(x / 5 + 2 * np.pi * n / 20) * np.cos(y / 7))[..., None], 3, 2) for n in range(50)]
    loop, read = best_loop(lambda n: clip[n - 1], 1, 50, Progress())
    assert loop.length == 40
    assert read.seam == pytest.approx(1, abs=0.02)
    assert read.contrast == pytest.approx(1, abs=0.01)


def test_length_blend_and_range_are_kept() -> None:
    clip = flame(1)
    loop, _ = best_loop(lambda n: clip[n - 1], 6, 55, Progress(), 36, 5)
    assert (loop.length, loop.blend) == (36, 5)
    assert loop.first - loop.blend >= 6
    assert loop.last <= 55
    with pytest.raises(UserError, match="wants at least 60 frames"):
        best_loop(lambda n: clip[n - 1], 1, 40, Progress(), 55, 5)
    with pytest.raises(UserError, match="at least 8"):
        best_loop(lambda n: clip[n - 1], 1, 5, Progress())


@pytest.mark.parametrize("way", [BANDS, FLOW])
def test_crossing_keeps_contrast_and_detail_and_goes_from_one_to_the_other(way: str) -> None:
    a, b = flame(1)[10], flame(2)[40]
    for share in (0.25, 0.5, 0.75):
        out = crossed(a, b, share, way)
        want = (1 - share) * a.std() + share * b.std()
        assert out.std() == pytest.approx(want, rel=0.02)
        assert out.min() >= 0
        assert (out.max(axis=(0, 1)) <= np.maximum(a.max(axis=(0, 1)), b.max(axis=(0, 1))) + 1e-6).all()
    near_a, near_b = crossed(a, b, 0.05, way), crossed(a, b, 0.95, way)
    assert np.abs(near_a - a).mean() < np.abs(near_a - b).mean()
    assert np.abs(near_b - b).mean() < np.abs(near_b - a).mean()
    plain = crossed(a, b, 0.5, PLAIN)
    np.testing.assert_allclose(plain, (a + b) / 2, atol=1e-6)
    black = np.zeros_like(a)
    np.testing.assert_array_equal(crossed(black, black, 0.5, way), black)
    np.testing.assert_allclose(crossed(a, a, 0.5, way), a, atol=0.01)


def test_flow_carries_a_thing_to_the_middle_of_its_way() -> None:
    """A spot 8 px aside: blended by flow it is one spot half way, by bands two."""
    rng = np.random.default_rng(4)
    texture = rng.random((80, 40, 1)).astype(np.float32)
    a, b = (np.zeros((120, 160, 3), np.float32) for _ in range(2))
    a[20:100, 56:96], b[20:100, 64:104] = texture, texture
    out = crossed(a, b, 0.5, FLOW)
    assert np.abs(out[30:90, 66:94].mean(axis=2) - np.roll(a, 4, 1)[30:90, 66:94].mean(axis=2)).mean() < 0.08


def test_codes_go_there_and_back_and_leave_alpha_alone() -> None:
    linear = np.random.default_rng(1).random((8, 9, 4)).astype(np.float32) * 3
    codes = to_codes(linear)
    np.testing.assert_array_equal(codes[..., 3], linear[..., 3])
    np.testing.assert_allclose(from_codes(codes), linear, rtol=1e-4, atol=1e-6)
    assert (to_codes(-linear)[..., :3] == 0).all()
    assert to_codes(np.full((1, 1, 3), 0.214, np.float32))[0, 0, 0] == pytest.approx(0.5, abs=0.002)  # IEC 61966-2-1


@settings(max_examples=30, deadline=None)
@given(st.integers(2, 200), st.integers(0, 30), st.integers(1, 50))
def test_every_frame_of_a_loop_is_one_of_the_element(length: int, blend: int, before: int) -> None:
    blend = min(blend, length - 1)
    loop = Loop(before + blend, before + blend + length - 1, blend)
    seen = [loop.sources(n) for n in range(1, loop.length + 1)]
    assert all(loop.first <= a <= loop.last for a, _, _ in seen)
    assert all(b == 0 or 1 <= b < loop.first for _, b, _ in seen)
    assert [a for a, _, _ in seen] == list(range(loop.first, loop.last + 1))
    shares = [s for _, b, s in seen if b]
    assert shares == sorted(shares)
    assert all(0 < s < 1 for s in shares)


@pytest.mark.parametrize(("length", "blend"), [(10, None), (3, None), (5, 4)])
def test_short_loops_are_not_all_blend(length: int, blend: int | None) -> None:
    """A loop of few frames takes the blends that are shorter than it."""
    dice = np.random.default_rng(5)
    frames = [dice.random((12, 16, 3)).astype(np.float32) for _ in range(40)]
    loop, read = best_loop(lambda n: frames[n - 1], 1, 40, Progress(), length, blend)
    assert loop.length == length
    assert 0 < loop.blend < length
    assert np.isfinite([read.seam, read.step, read.contrast, read.detail]).all()
    assert len(loop_steps(loop, lambda n: frames[n - 1])) == length


@pytest.mark.parametrize(("length", "blend"), [(10, 10), (10, 12), (1, None)])
def test_a_blend_as_long_as_the_loop_is_refused(length: int, blend: int | None) -> None:
    frames = [np.full((12, 16, 3), k / 40, np.float32) for k in range(40)]
    with pytest.raises(UserError, match="a shorter blend"):
        best_loop(lambda n: frames[n - 1], 1, 40, Progress(), length, blend)
