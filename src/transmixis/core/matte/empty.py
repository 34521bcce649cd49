"""A picture of the empty screen made from the take itself, and the tracking marks that stand on it.

With a still camera, a pixel that shows plain screen in some frames is known there in all of them, wrinkles and seams
included. A small thing that stands still, alone on the screen, is a mark on it.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import cv2
import numpy as np

from transmixis.core.matte.convolve import fill_unknown, grow
from transmixis.core.matte.difference import Channels, colour_difference
from transmixis.core.matte.screen import LEAST_DIFFERENCE, frame_screen, neutral_matte, screen_detail
from transmixis.core.types import Array, Mask, Matte, Rgb

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

MARK_AREA = 0.003  # of the frame: the largest mark, its softness included; a cross 3 % of the width across covers half
MARK_SPAN = 0.06  # of the width: the longest side of a mark
BARE = 0.01  # alpha under which a key finds nothing before the screen
NO_MARKS = "no marks found on the screen"


@dataclass(frozen=True)
class EmptyScreen:
    """`base` (3,) or (h, w, 3); `notes` say how it came about; `marks` (h, w) are to be keyed out as screen; `kept` (h, w) are marks that
    stand in the base."""

    base: Array
    notes: tuple[str, ...]
    marks: Mask | None
    kept: Mask | None = None


def empty_screen(frames: Sequence[Rgb], colour: Array, law: Array, ch: Channels, *, still: bool) -> EmptyScreen:
    """Make the empty screen from sampled frames. One frame, or a moving camera, gives one colour and its marks."""
    screens = [frame_screen(f, colour, law, ch, picture_base=False) for f in frames]
    if len(frames) < 3 or not still:
        if len(frames) > 1:
            return EmptyScreen(colour, ("the camera moves or few frames are at hand: screen modelled frame by frame",), None)
        marks = lone_marks(frames[0], screens[0].colour, ch)
        count = cv2.connectedComponents(marks.astype(np.uint8))[0] - 1
        note = f"{count} marks found on the screen" if count else NO_MARKS
        return EmptyScreen(colour, (note,), marks if count else None)
    h, w = frames[0].shape[:2]
    seen, total = np.zeros((h, w), np.float32), np.zeros((h, w, 3), np.float32)
    level = float(np.median([colour_difference(s.colour, ch).mean() for s in screens]))
    for f, s in zip(frames, screens, strict=True):
        gain = level / max(float(colour_difference(s.colour, ch).mean()), LEAST_DIFFERENCE)
        weight = (grow(s.sure, w, h) > 0.999).astype(np.float32)
        total += f * (weight * gain)[..., None]
        seen += weight
    marks = _still_marks(frames, [s.colour for s in screens], ch)
    if marks.any():
        middle = np.median(np.stack(frames), axis=0)
        total[marks], seen[marks] = middle[marks], 1
    base = _complete(total, seen, colour)
    count = cv2.connectedComponents(marks.astype(np.uint8))[0] - 1
    share = 100 * float((seen > 0).mean())
    words = f"screen made from {len(frames)} frames of the take; {share:.0f} % of it seen bare, {count} marks"
    return EmptyScreen(base, (words,), None, cv2.dilate(marks.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0)


def seen_bare(base: Rgb, frames: Sequence[Rgb], keyed: Iterable[tuple[Matte, Rgb]], colour: Array, kept: Mask) -> Rgb:
    """A made base once more, from where a first key with it finds nothing before the screen; elsewhere carried on from there.

    Colour alone takes thin dark hair for screen in shadow, and a base with such shadows in it takes of the hair; a key knows better, since it
    looks at every pixel on its own. `keyed` gives alpha and screen of each frame, one after the other. `kept` (h, w) stays where it is never found bare: a mark.
    """
    total, seen = np.zeros_like(base), np.zeros(base.shape[:2], np.float32)
    for f, (alpha, screen) in zip(frames, keyed, strict=True):
        bare = (alpha < BARE).astype(np.float32)
        total += f * base / np.maximum(screen, 1e-4) * bare[..., None]
        seen += bare
    twice = seen >= 2
    left = kept & ~twice
    total[~twice], seen[~twice] = 0, 0
    total[left], seen[left] = base[left], 1
    made = _complete(total, seen, colour)
    return np.where(left[..., None], base, made).astype(np.float32)


def refined(base: Rgb, frames: Sequence[Rgb], law: Array, ch: Channels) -> tuple[Rgb, float]:
    """Clear up a base by the take's own bare screen; gives the new base and the share (%) of it that changed.

    A single clean frame is as noisy as the take, which shows most where marks and seams keep it from being smoothed. A
    pixel of the take counts as bare if its surroundings differ from the base's screen by no more than noise; on
    marks and seams by no more than a tenth, since compression and denoising change fine detail from take to take.
    """
    room = 0.01 + 0.09 * cv2.dilate(screen_detail(base, law), np.ones((5, 5), np.uint8))[..., None]
    total, seen = base.copy(), np.ones(base.shape[:2], np.float32)
    for f in frames:
        screen = frame_screen(f, base, law, ch, picture_base=True).colour
        bare = _noise_only(f, screen, law, room)
        total += np.where(bare[..., None], f * base / np.maximum(screen, 1e-4), 0)
        seen += bare
    often = seen >= 1 + max(2, 0.3 * len(frames))  # what is bare in a frame or two may be hair that looked like noise
    out = np.where(often[..., None], total / seen[..., None], base).astype(np.float32)
    return out, 100 * float(often.mean())


def _noise_only(frame: Rgb, screen: Rgb, law: Array, room: Array) -> Mask:
    """Where frame and screen differ by noise and `room` (a part of the screen, (h, w, 1)) alone, all around.

    The clean plate's noise counts too, hence twice.
    """
    variance = 2 * (law[:, 0] * np.maximum(screen, 0) + law[:, 1]) + (room * screen) ** 2
    misfit = cv2.GaussianBlur(((frame - screen) ** 2 / variance).sum(axis=2), (0, 0), 1.2)
    return np.asarray(cv2.dilate(misfit, np.ones((5, 5), np.uint8)) < 6.0)  # three channels give 3, and 6 is rare


def _complete(total: Rgb, seen: Array, colour: Array) -> Rgb:
    """Mean where seen; elsewhere carried on from around. Little-seen pixels are smoothed against noise."""
    mean = total / np.maximum(seen, 1)[..., None]
    known = (seen > 0).astype(np.float32)
    scale = total.shape[1] / 640
    far = fill_unknown(mean / colour, known, tuple(s * scale for s in (5.0, 20.0, 60.0, 200.0))) * colour
    trust = np.clip(seen / 6, 0, 1)[..., None] * known[..., None]
    soft = cv2.GaussianBlur(np.where(known[..., None] > 0, mean, far).astype(np.float32), (0, 0), 1.2)
    near = np.where(known[..., None] > 0, soft * (1 - trust) + mean * trust, far)
    return np.asarray(near, np.float32)


def off_screen(frame: Rgb, screen: Rgb, ch: Channels) -> Mask:
    """Where a frame has plainly less of the screen's colour than the screen itself (h, w)."""
    return np.asarray(cv2.GaussianBlur(neutral_matte(frame, screen, ch), (0, 0), 0.8) > 0.08)


def small_pieces(off: Mask) -> list[tuple[Mask, tuple[slice, slice]]]:
    """Pieces of a mark's size that stand clear of everything else, grown by two pixels, with their window."""
    h, w = off.shape
    count, labels, stats, _ = cv2.connectedComponentsWithStats(
        cv2.dilate(off.astype(np.uint8), np.ones((3, 3), np.uint8)), connectivity=8
    )
    out = []
    for i in range(1, count):
        x, y, bw, bh, area = stats[i]
        if not 12 <= area <= MARK_AREA * h * w or max(bw, bh) > MARK_SPAN * w or max(bw, bh) > 4 * min(bw, bh) + 4:
            continue
        win = (slice(max(0, y - 5), min(h, y + bh + 5)), slice(max(0, x - 5), min(w, x + bw + 5)))
        own = labels[win] == i
        if ((labels[win] > 0) & ~own).any():
            continue
        out.append((cv2.dilate(own.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0, win))
    return out


def _still_marks(frames: Sequence[Rgb], screens: Sequence[Rgb], ch: Channels) -> Mask:
    """Small pieces that stand clear in most sampled frames at the same place."""
    votes = np.zeros(frames[0].shape[:2], np.float32)
    for f, s in zip(frames, screens, strict=True):
        for own, win in small_pieces(off_screen(f, s, ch)):
            votes[win] += own
    return np.asarray(votes >= max(2, 0.6 * len(frames)))


def lone_marks(frame: Rgb, screen: Rgb, ch: Channels) -> Mask:
    """In a single frame, small lone pieces count as marks only if there are at least three of like size."""
    marks = np.zeros(frame.shape[:2], bool)
    pieces = small_pieces(off_screen(frame, screen, ch))
    sizes = np.array([own.sum() for own, _ in pieces], float)
    for (own, win), size in zip(pieces, sizes, strict=True):
        if ((sizes > 0.5 * size) & (sizes < 2 * size)).sum() >= 3:
            marks[win] |= own
    return marks
