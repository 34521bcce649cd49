"""Whether the camera stands still, told by the marks on the screen.

Hair, a wire or a thin limb before the screen looks like a mark to what aligns whole pictures, and has more of an outline than all marks together;
small things that stand clear of everything else, several of them, at the same place in every frame, are nothing but marks.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from transmixis.core.matte.difference import channels_of
from transmixis.core.matte.empty import off_screen, small_pieces
from transmixis.core.matte.screen import NoScreen, find_screen, frame_screen, neutral_matte
from transmixis.core.survey.noise import noise_law
from transmixis.core.types import Array, Rgb

ENOUGH = 3  # marks
MOST_OFF = 0.7  # px: what noise may put the centre of a soft mark off by
OFTEN = 0.6  # of the frames: somebody may pass before a mark


def marks_stand(frames: Sequence[Rgb]) -> bool:
    """Whether at least three marks of the screen stand at the same place in most of the linear `frames`. False says nothing: there may be
    no marks."""
    if len(frames) < 2:
        return False
    first = _marks(frames[0])
    again = np.zeros(len(first))
    for f in frames[1:]:
        then = _marks(f)
        if len(first) and len(then):
            off = np.hypot(*(then[None] - first[:, None]).transpose(2, 0, 1)).min(axis=1)
            again += off < MOST_OFF
    return bool((again >= OFTEN * (len(frames) - 1)).sum() >= ENOUGH)


def _marks(frame: Rgb) -> Array:
    """Centres (n, 2) of the small things that stand clear of everything on the screen, px."""
    found = find_screen(frame)
    if isinstance(found, NoScreen):
        return np.zeros((0, 2))
    ch = channels_of(found.kind)
    screen = frame_screen(frame, found.colour, noise_law(frame, found.mask), ch, picture_base=False).colour
    part = neutral_matte(frame, screen, ch)
    centres = []
    for own, (rows, columns) in small_pieces(off_screen(frame, screen, ch)):
        weight = np.clip(part[rows, columns], 0, 1) * own
        y, x = np.mgrid[rows, columns]
        centres.append((float((weight * x).sum()), float((weight * y).sum())) / np.maximum(weight.sum(), 1e-6))
    return np.array(centres).reshape(-1, 2)
