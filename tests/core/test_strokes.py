"""Cutting out by strokes, carrying it on, and outlines of few points."""

from __future__ import annotations

from dataclasses import replace

import cv2
import keyplates as kp
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from transmixis.core.errors import UserError
from transmixis.core.matte import strokes as strokes_module
from transmixis.core.matte.onward import DOUBT_LIMIT, FADED, SHRUNK, Onward, begun, border_contrast, carried_on, why_stopped
from transmixis.core.matte.strokes import Strokes, cut_by_strokes
from transmixis.core.roto.cover import covered
from transmixis.core.roto.curve import drawn
from transmixis.core.roto.fitted import fitted

SIZE = (120, 160)


def scene(
    x: float = 80, y: float = 60, r: float = 30, *, hole: bool = False, twin: bool = False, scale: int = 1
) -> tuple[np.ndarray, np.ndarray]:
    """A reddish textured disc before a bluish textured wall; its mask. `twin`: another such disc elsewhere."""
    h, w = SIZE[0] * scale, SIZE[1] * scale
    rng = np.random.default_rng(4)
    yy, xx = (np.mgrid[0:h, 0:w] + 0.5) / scale
    wall = np.float32([0.1, 0.15, 0.3]) * (1 + 0.2 * kp.smooth_noise(rng, h, w, 6 * scale)[..., None])
    coat = kp.smooth_noise(rng, 2 * h, 2 * w, 5 * scale)
    dx, dy = round((80 - x) * scale), round((60 - y) * scale)
    coat = np.roll(coat, (-dy, -dx), (0, 1))[:h, :w, None]  # it moves with the disc
    red = np.float32([0.35, 0.12, 0.08]) * (1 + 0.2 * coat)
    mask = np.hypot(xx - x, yy - y) < r
    shown = mask & (np.hypot(xx - x, yy - y) > 8) if hole else mask
    if twin:
        shown = shown | (np.hypot(xx - 20, yy - 25) < 12)
    frame = np.where(shown[..., None], red, wall) + rng.normal(0, 0.004, (h, w, 3))
    return frame.clip(0, 1).astype(np.float32), mask


def strokes(*, keep: list | None = None, leave: list | None = None, scale: int = 1) -> Strokes:
    k = [np.array(s, float) * scale for s in (keep if keep is not None else [[[65, 60], [95, 60]]])]
    v = [np.array(s, float) * scale for s in (leave if leave is not None else [[[10, 100], [150, 110]]])]
    return Strokes(k, v, 4.0 * scale)


def overlap(a: np.ndarray, b: np.ndarray) -> float:
    return float((a & b).sum() / (a | b).sum())


def test_two_strokes_cut_a_plain_thing_out() -> None:
    frame, mask = scene()
    found = cut_by_strokes(frame, strokes())
    assert overlap(found.mask, mask) > 0.96
    assert found.matte[60, 80] == pytest.approx(1, abs=1e-3)
    assert found.matte[5, 5] == 0
    assert 0.2 < found.matte[60, 109] < 1  # a soft edge
    again = cut_by_strokes(frame, strokes())
    assert np.array_equal(found.mask, again.mask)


def test_only_what_a_stroke_touches_stays_and_holes_close_unless_left() -> None:
    frame, mask = scene(twin=True)
    assert overlap(cut_by_strokes(frame, strokes()).mask, mask) > 0.95
    both = cut_by_strokes(frame, strokes(keep=[[[65, 60], [95, 60]], [[17, 25], [23, 25]]])).mask
    assert both[25, 20]
    assert not cut_by_strokes(frame, strokes()).mask[25, 20]
    frame, _ = scene(hole=True)
    ring = [[[60, 45], [100, 45]], [[60, 75], [100, 75]]]
    assert cut_by_strokes(frame, strokes(keep=ring)).mask[60, 80]
    left = cut_by_strokes(frame, strokes(keep=ring, leave=[[[10, 100], [150, 110]], [[78, 60], [82, 60]]]))
    assert not left.mask[60, 80]


def test_what_lies_under_a_stroke_is_sure() -> None:
    frame, _ = scene()
    found = cut_by_strokes(
        frame, strokes(leave=[[[10, 100], [150, 110]], [[70, 50], [75, 50]]], keep=[[[85, 65], [95, 60]], [[30, 20], [40, 20]]])
    )
    assert not found.mask[50, 72]
    assert found.mask[20, 35]


def test_large_frames_are_cut_at_full_size_too() -> None:
    frame, mask = scene(scale=8)
    found = cut_by_strokes(frame, strokes(scale=8))
    assert found.mask.shape == mask.shape
    assert overlap(found.mask, mask) > 0.985


def test_a_neck_that_is_cut_at_full_size_takes_what_hung_on_it(monkeypatch: pytest.MonkeyPatch) -> None:
    frame, mask = scene(scale=8)

    divided = strokes_module._divided

    def with_speck(value: np.ndarray, *rest: object) -> np.ndarray:
        mask = divided(value, *rest)
        if not value.any():  # the division at full size
            mask[30, 30] = True
        return mask

    monkeypatch.setattr(strokes_module, "_divided", with_speck)
    found = cut_by_strokes(frame, strokes(scale=8)).mask
    assert cv2.connectedComponents(found.astype(np.uint8))[0] == 2
    assert overlap(found, mask) > 0.95


def test_a_carried_matte_is_set_right_by_a_stroke_of_one_side() -> None:
    frame, mask = scene()
    wrong = np.zeros(SIZE, np.float32)
    wrong[30:90, 50:150] = 1  # carried, and far too wide
    mended = cut_by_strokes(frame, Strokes((), [np.array([[120.0, 40], [120, 80]])], 4), before=wrong, doubt=6).mask
    assert not mended[45:75, 120].any()
    assert mended[60, 80]
    assert overlap(mended, mask) > overlap(wrong > 0.5, mask)


def test_a_thing_that_fills_the_frame_is_carried() -> None:
    frame, _ = scene()
    whole = np.ones(SIZE, np.float32)
    assert cut_by_strokes(frame, Strokes((), ()), before=whole, doubt=4).mask.mean() > 0.9


def test_places_that_are_none_are_left_out() -> None:
    frame, mask = scene()
    odd = strokes(
        keep=[[[65, 60], [float("nan"), 3], [95, 60]], [[float("inf"), 1]]], leave=[[[10, 100], [150, 110]], [[9e9, -9e9]]]
    )
    assert overlap(cut_by_strokes(frame, odd).mask, mask) > 0.95


def test_a_stroke_of_each_side_is_needed() -> None:
    frame, _ = scene()
    for s in (strokes(keep=[]), strokes(leave=[])):
        with pytest.raises(UserError, match="Draw a stroke"):
            cut_by_strokes(frame, s)


def test_a_matte_is_carried_with_the_thing() -> None:
    before, mask = scene()
    at = begun(before, cut_by_strokes(before, strokes()))
    assert at.doubt == 0
    assert at.contrast == pytest.approx(border_contrast(before, at.mask))
    for k in range(1, 5):
        frame, mask = scene(80 + 3 * k, 60 - k)
        now = carried_on(before, frame, at)
        assert now is not None
        assert overlap(now.mask, mask) > 0.93
        assert now.doubt >= at.doubt
        before, at = frame, now
    assert at.doubt < DOUBT_LIMIT


def test_what_is_gone_is_told() -> None:
    before, _ = scene()
    first = begun(before, cut_by_strokes(before, strokes()))
    assert carried_on(before, before, replace(first, mask=np.zeros(SIZE, bool), matte=np.zeros(SIZE, np.float32))) is None
    assert why_stopped(first.contrast, first, None) == "nothing of it is seen any more"
    assert why_stopped(first.contrast, first, first) == ""
    assert "2.0 px off" in why_stopped(first.contrast, first, replace(first, doubt=DOUBT_LIMIT + 0.2))
    assert "hardly shows" in why_stopped(first.contrast, first, replace(first, contrast=0.99 * FADED * first.contrast))
    assert why_stopped(first.contrast, first, replace(first, contrast=1.01 * FADED * first.contrast)) == ""
    half = Onward(first.mask & (np.arange(SIZE[1]) < 80), first.matte, 0, first.contrast)
    assert "size changed by 5" in why_stopped(first.contrast, first, half)
    assert half.mask.sum() < (1 - SHRUNK) * first.mask.sum()


def test_contrast_is_the_difference_of_the_colours_beside_the_border() -> None:
    frame = np.zeros((60, 60, 3), np.float32)
    frame[:, 30:] = 1
    mask = np.zeros((60, 60), bool)
    mask[:, 30:] = True
    assert border_contrast(frame, mask) == pytest.approx(100, abs=3)  # black to white in CIELAB lightness
    assert border_contrast(np.ones_like(frame), mask) == pytest.approx(0, abs=0.1)
    assert border_contrast(frame, np.zeros_like(mask)) == 0


@settings(max_examples=15, deadline=None)
@given(st.integers(0, 500), st.sampled_from([0.5, 1.0, 2.0]))
def test_an_outline_stays_within_its_error(seed: int, error: float) -> None:
    rng = np.random.default_rng(seed)
    a = np.linspace(0, 2 * np.pi, 200, endpoint=False)
    r = 40 + sum(rng.uniform(-6, 6) / k * np.cos(k * a + rng.uniform(0, 6)) for k in range(2, 7))
    line = np.stack([75 + r * np.cos(a), 70 + r * np.sin(a)], 1)
    matte = covered(line, 140, 150)
    found = fitted(matte, error)
    assert len(found) == 1
    assert found[0].worst <= error
    assert found[0].mean <= found[0].worst
    curve = covered(drawn(found[0].points, np.zeros(len(found[0].points), bool))[0], 140, 150)
    assert float(np.abs(curve - matte).sum()) < 260 * error * 0.7  # area between them, against length times error
    assert len(found[0].points) < 60 / np.sqrt(error)


def test_outlines_of_several_pieces_the_longest_first() -> None:
    matte = np.zeros((80, 100), np.float32)
    cv2.circle(matte, (25, 40), 10, 1.0, -1)
    cv2.circle(matte, (65, 40), 22, 1.0, -1)
    matte[2, 2] = 1  # a speck is no outline
    found = fitted(matte)
    assert len(found) == 2
    assert found[0].points.mean(axis=0) == pytest.approx([65.5, 40.5], abs=1.5)
    assert found[1].points.mean(axis=0) == pytest.approx([25.5, 40.5], abs=1.5)
    assert not any(f.hole for f in found)
    cv2.circle(matte, (65, 40), 9, 0.0, -1)
    assert [f.hole for f in fitted(matte)] == [False, False, True]
    with pytest.raises(UserError, match="nothing in the matte"):
        fitted(np.zeros((20, 20), np.float32))
