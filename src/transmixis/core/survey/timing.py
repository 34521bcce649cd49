"""Doubled, dropped, frozen and missing frames, the real rate behind a stated one, and interlacing.

A frame is the one before again when nothing changed in it, not even the noise. A frame is dropped when the picture moves
twice as far in one step as in the steps before and after.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from transmixis.core.survey.scan import Scan, is_absent, move_of
from transmixis.core.types import Array

SAME = 0.35  # of the usual change of the noise: less means that it is the same exposure
BETWEEN = 1.128  # mean difference of two values with noise of deviation 1: 2 / sqrt(pi)
STILL_LEVELS = 0.12  # levels: change below it is none, where the material has no noise to tell by
NEIGHBOURS = 0.25  # of the change before and after a doubled frame: light that flickers may by chance stay nearly the same
RECODED, ANEW = 1.5, 0.12  # levels in the busiest block that coding the same picture anew changes; and of the change about it
MOVES, GOING = 3.0, 0.5  # levels in the busiest block, and px a frame, from which something moves
COMBED = 0.6  # % of the picture with teeth from field to field
LEAST_STEP = 1.0  # px a frame: slower motion cannot show that a frame is missing
LEAST_MOVERS = 0.04  # share of the followed points
STANDS_OUT, LEAST_BUSY = (
    2.0,
    20.0,
)  # times the usual block's change; levels over all blocks, from which the busy ones are compared
LEAP, LEAP_BESIDE = 1.4, 1.2  # times the change of the frames beside: it leaps; so much at least where somebody seems to
LEAPS, LEAP_GAPS = 6, (2, 6)  # of these at least, so many frames apart
ALIKE_LEAPS, ALIKE_STEPS = 0.12, 0.25  # natural log: how far leaps may differ among each other, and the steps between them


@dataclass(frozen=True)
class Timing:
    """Frames (1-based) that repeat the one before, before which one is missing, that are not there, that are combed."""

    doubled: tuple[int, ...]
    dropped: tuple[int, ...]
    missing: tuple[int, ...]
    combed: tuple[int, ...]
    still: bool  # nothing changes anywhere: a still, however long
    told_drops: bool  # there was motion enough to see a dropped frame
    cadence: str  # what a regular pattern of doubled, left out or combed frames says, or ''
    thinned: bool = False  # frames were left out again and again, to bring it to another rate


def time_of(scans: Sequence[Scan], rate: float, missing: tuple[int, ...] = ()) -> Timing:
    """Judge the timing from the scans of all frames in order."""
    gone = tuple(sorted({*missing, *(i + 1 for i, s in enumerate(scans) if is_absent(s))}))
    changes = [s.get("change") for s in scans]
    camera, movers = _steps(scans)
    doubled = _doubled(changes, [float(s["levels"][2]) for s in scans if not is_absent(s)])
    doubled = tuple(sorted({*doubled, *_standing(changes, camera, movers)}))
    combed = tuple(i + 1 for i, s in enumerate(scans) if not is_absent(s) and s["levels"][4] > COMBED)
    known = sum(c is not None for c in changes)
    still = known > 2 and len(doubled) == known
    leaps = _leaps(changes)
    dropped, told = _dropped(camera, movers, set(doubled), leaps)
    words = _cadence(len(scans), () if still else doubled, combed, rate)
    thinned = () if doubled or combed else _thinned(leaps)
    if thinned:  # then each of them is told, not only those at which somebody walks evenly enough to be measured
        dropped, words = tuple(sorted({*dropped, *thinned})), words or _thinned_words(thinned)
    return Timing(() if still else doubled, dropped, gone, combed, still, told, words, bool(thinned))


def _doubled(changes: list[Array | None], levels: list[float]) -> tuple[int, ...]:
    """Frames in which neither the picture nor its noise differs from the frame before."""
    pairs = [(i, c) for i, c in enumerate(changes) if c is not None]
    known = [i for i, _ in pairs]
    if not known:
        return ()
    quiet = np.array([float(np.quantile(c, 0.2)) for _, c in pairs])  # the calmest parts: noise alone
    busy = np.array([float(np.quantile(c, 0.98)) for _, c in pairs])
    usual = _usual(quiet)
    noise = BETWEEN * float(np.median(levels))  # flicker alone changes more than that
    out = []
    for k, i in enumerate(known):
        if busy[k] <= STILL_LEVELS:
            same = True
        elif usual > STILL_LEVELS:  # there is noise to tell by
            around = [busy[j] for j in (k - 1, k + 1) if 0 <= j < len(known)]
            most = max(NEIGHBOURS * min(around, default=0.0), 1.5 * min(usual, noise))
            same = bool(quiet[k] < SAME * usual and busy[k] < most)
        else:  # coded so hard that the noise is gone: nothing may move
            same = False
        if same:
            out.append(i + 1)
    return tuple(out)


def _standing(changes: list[Array | None], camera: Array, movers: Array) -> set[int]:
    """Frames at which all that moves before and after stands still: the same picture, coded anew.

    Whatever turns round stands for a moment too; there the motion before and after differs, and is less the nearer it is.
    """
    most = np.array([np.nan if c is None else float(np.max(c)) for c in changes])
    out: set[int] = set()
    for i in range(2, len(most) - 2):
        near, far = most[[i - 1, i + 1]], most[[i - 2, i + 2]]
        if not np.isfinite(most[i - 2 : i + 3]).all() or most[i] > max(RECODED, ANEW * float(near.min())):
            continue
        if near.min() < MOVES or near.min() < 0.5 * far.max():
            continue
        tracks = [t[[i - 1, i + 1]] for t in (movers, camera) if np.isfinite(t[[i - 1, i + 1]]).all()]
        going = [t for t in tracks if np.hypot(*t.T).min() > GOING]
        if going and all(float(t[0] @ t[1]) > 0.5 * float((t**2).sum(axis=1).max()) for t in going):
            out.add(i + 1)
    return out


def _usual(quiet: Array) -> float:
    """The change of the noise between two different frames, even if most frames are doubled."""
    high = quiet[quiet > 0.5 * np.quantile(quiet, 0.95)]
    return float(np.median(high)) if len(high) else 0.0


def _dropped(camera: Array, movers: Array, doubled: set[int], leaps: Array) -> tuple[tuple[int, ...], bool]:
    """Frames before which one is missing, and whether there was motion enough to tell."""
    found, told = _jumps(camera, doubled)
    # which of several that move is followed may change from frame to frame: the picture must have changed more as well
    hits, enough = _jumps(movers, doubled)
    found |= {f for f in hits if not leaps[f - 1] < LEAP_BESIDE}
    return tuple(sorted(found)), told or enough


def _leaps(changes: list[Array | None]) -> Array:
    """By how much (times) more changes in what moves at each frame than at the two beside it; nan where that is not known."""
    busy = [np.nan if c is None else float(np.maximum(c - STANDS_OUT * np.median(c), 0).sum(dtype=np.float64)) for c in changes]
    out = np.full(len(busy), np.nan)
    for i in range(1, len(busy) - 1):
        beside = (busy[i - 1] + busy[i + 1]) / 2
        out[i] = busy[i] / beside if beside > LEAST_BUSY else np.nan
    return out


def _thinned(leaps: Array) -> tuple[int, ...]:
    """The frames at which the picture leaps, if it does so again and again every few frames: others were left out on the way."""
    at = np.flatnonzero(leaps > LEAP)
    if len(at) < LEAPS or not len(leaps) / LEAP_GAPS[1] <= len(at) <= len(leaps) / LEAP_GAPS[0]:
        return ()
    rest = leaps[np.isfinite(leaps) & (leaps <= LEAP)]
    if np.log(leaps[at]).std() > ALIKE_LEAPS or np.log(np.maximum(rest, 1e-3)).std() > ALIKE_STEPS:
        return ()  # light that flickers makes some frames leap too, each by another measure
    gaps = np.diff(at)
    even = (gaps >= LEAP_GAPS[0]) & (gaps <= LEAP_GAPS[1])
    return tuple(int(i) + 1 for i in at) if even.mean() > 0.8 else ()


def _thinned_words(at: tuple[int, ...]) -> str:
    low, high = (int(np.quantile(np.diff(at), q)) for q in (0.2, 0.8))
    often = f"every {low} to {high} frames" if low < high else f"every {_nth(low)} frame"
    return f"the picture leaps {often}: it was recorded at a higher rate, and frames were left out"


def _steps(scans: Sequence[Scan]) -> tuple[Array, Array]:
    camera, movers = np.full((len(scans), 2), np.nan), np.full((len(scans), 2), np.nan)
    for i, s in enumerate(scans):
        if "step" not in s:
            continue
        m = move_of(s["step"])
        if m:
            camera[i] = m.x, m.y
        if s["movers"][2] > LEAST_MOVERS:
            movers[i] = s["movers"][:2]
    return camera, movers


def _jumps(steps: Array, doubled: set[int]) -> tuple[set[int], bool]:
    """Steps twice as long as, and in the direction of, two on either side which agree among themselves."""
    out: set[int] = set()
    told = False
    n = len(steps)
    for i in range(2, n - 1):
        around = [j for j in (i - 2, i - 1, i + 1, i + 2) if 0 <= j < n and j + 1 not in doubled]
        near = steps[around]
        near = near[np.isfinite(near[:, 0])]
        if len(near) < 3 or not np.isfinite(steps[i, 0]):
            continue
        mean = near.mean(axis=0)
        speed = float(np.hypot(*mean))
        spread = float(np.hypot(*(near - mean).T).max())
        if speed < LEAST_STEP or spread > 0.3 * speed:
            continue
        told = True
        along = float(steps[i] @ mean) / speed**2
        across = float(np.hypot(*(steps[i] - along * mean))) / speed
        if 1.6 < along < 3.4 and across < 0.4 and i + 1 not in doubled:
            out.add(i + 1)
    return out, told


def _cadence(n: int, doubled: tuple[int, ...], combed: tuple[int, ...], rate: float) -> str:
    """Words for a regular pattern."""
    if len(doubled) >= 3:
        gaps = np.diff(doubled)
        usual = int(np.median(gaps))
        if usual >= 2 and (gaps == usual).mean() > 0.8 and len(doubled) > 0.6 * n / usual:
            real = rate * (usual - 1) / usual
            return f"every {_nth(usual)} frame is doubled: {real:.3g} real pictures a second, not {rate:.3g}"
        if len(doubled) > 0.6 * n:
            real = rate * (n - len(doubled)) / n
            return f"most frames are doubled: about {real:.2g} real pictures a second, not {rate:.3g}"
    share = len(combed) / max(n, 1)
    if len(combed) >= 4:
        gaps = np.diff(combed)
        if 0.3 < share < 0.5 and set(np.unique(gaps)) <= {1, 4}:
            return f"two of five frames are combed: 3:2 pulldown of {rate * 0.8:.4g} pictures a second"
        if share > 0.6:
            return "interlaced: two half pictures of different times lie in each frame"
    return ""


def _nth(n: int) -> str:
    return {2: "second", 3: "third", 4: "fourth", 5: "fifth", 6: "sixth"}.get(n, f"{n}th")
