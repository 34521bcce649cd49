"""Cues: whether a thing is seen from its cue on, not before and not after it, as a group that kinds which begin something share."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from transmixis.core.plot import Action, Limit
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.types import Array
from transmixis.shot.contract import Effect, Inputs, Proposal
from transmixis.shot.model import Cue, Shot
from transmixis.shot.steps.params import choice

OFF_CUE = 0.5  # frames: a thing that is there one frame before what sets it off gives it away (docs/limits.md)
NEAR = 0.5  # s: a cue that lies farther from where it begins is that of something else
SEEN_MATTE, SEEN_LIGHT = (
    0.02,
    0.004,
)  # alpha; light, of white: some 13 of 255 as it is coded, well above the noise of a film's black
NEAREST, NONE = "the nearest", "none"


def heeds() -> Any:
    """The parameter by which a kind that is `cued` says whether it has a cue; beside it such a kind has `begin` and may have `end`."""
    return choice(NEAREST, (NEAREST, NONE), "Its cue", "The shot's cue that lies nearest to where it begins, or none of them.")


def cue_of(shot: Shot, params: Any) -> Cue | None:
    """The cue that a thing begins at: the nearest within NEAR; None for one that is there from the shot's first frame."""
    begin = int(params.begin)
    if params.heeds == NONE or begin <= 1:
        return None
    reach = NEAR * float(shot.fps)
    near = [c for c in shot.cues if abs(c.frame - begin) <= reach]
    return min(near, key=lambda c: abs(c.frame - begin), default=None)


def cue_reading(inputs: Inputs, params: Any, frame: int, *, seen: bool) -> Reading:
    """How many frames before its cue what is seen here is there; or after it, where it is not there yet."""
    cue = cue_of(inputs.shot, params)
    if cue is None:
        note = "it heeds no cue" if params.heeds == NONE else "no cue of the shot lies near; C sets one"
        note = "it is there from the first frame" if params.begin <= 1 else note
        return Reading("off its cue", None, "frames", OFF_CUE, note=note)
    name = f"'{cue.name}' at {cue.frame}"
    if seen and frame < cue.frame:
        return Reading("off its cue", float(cue.frame - frame), "frames", OFF_CUE, note=f"seen before {name}")
    if not seen and cue.frame <= frame < params.begin:
        return Reading("off its cue", float(params.begin - cue.frame), "frames", OFF_CUE, note=f"not yet seen, after {name}")
    return Reading("off its cue", 0.0, "frames", OFF_CUE, note=f"its cue is {name}")


def cue_proposal(inputs: Inputs, params: Any, seen: Callable[[int], bool], progress: Progress) -> Proposal | None:
    """Begin so that its first frame that shows anything is that of its cue; `seen` tells of a frame of the shot as it is set now."""
    shot, cue = inputs.shot, cue_of(inputs.shot, params)
    if cue is None:
        return None
    begin = int(params.begin)
    last = min(shot.length, begin + round(2 * NEAR * float(shot.fps)))
    first = None
    for n in range(begin, last + 1):
        progress.at(n - begin, last - begin + 1, "looking for its first frame")
        if seen(n):
            first = n
            break
    if first is None or first == cue.frame:
        return None
    to = begin + cue.frame - first
    if to < 1:
        return None
    off = abs(first - cue.frame)
    words = "before" if first < cue.frame else "after"
    return Proposal(
        {"begin": float(to)},
        f"It is first seen at frame {first}, {off} {'frame' if off == 1 else 'frames'} {words} '{cue.name}' at {cue.frame}.",
        (Effect("off its cue", float(off), float(abs(first + to - begin - cue.frame)), "frames", OFF_CUE),),
        gains="It begins when what sets it off does.",
    )


def visible(picture: Array) -> bool:
    """Whether anything is seen of an element: by its alpha, or by its light where it has none."""
    if picture.shape[2] == 4:
        return float(picture[..., 3].max()) > SEEN_MATTE
    return float(picture[..., :3].max()) > SEEN_LIGHT


def action(shot: Shot, words: str, values: Array, params: Any) -> Action:
    """What a thing does over the shot's frames, with its begin and end as jaws."""
    n = shot.length
    begin = float(np.clip(params.begin, 1, n))
    jaws = [Limit("begin", begin, 1.0, float(n))]
    if "end" in type(params).model_fields:
        jaws.append(Limit("end", float(min(params.end or n, n)), 1.0, float(n)))
    return Action(words, values, tuple(jaws), cues=tuple((c.frame, c.name) for c in shot.cues))


def amounts(pictures: Callable[[int], Array], frames: list[int]) -> dict[int, float]:
    """How much of an element is there in its frames, 0..1 of its most: its alpha, or its light where it has none. Told from every fourth pixel."""
    found = {}
    for n in frames:
        small = pictures(n)[::4, ::4]
        found[n] = float((small[..., 3] if small.shape[2] == 4 else np.maximum(small, 0).mean(axis=2)).mean())
    most = max(found.values(), default=0.0)
    return {n: v / most if most > 0 else 0.0 for n, v in found.items()}
