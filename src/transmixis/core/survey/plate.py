"""The survey of a whole plate, put together from the scans of its frames and a few frames looked at again."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.motion.similarity import Similarity
from transmixis.core.progress import Progress
from transmixis.core.survey.blur import Blur, agrees, measure_blur
from transmixis.core.survey.camera_path import CameraPath, Steadiness, judge, path_of
from transmixis.core.survey.dust import Dust, find_dust, frames_apart, half_log
from transmixis.core.survey.dust_seen import could_see, seen_words
from transmixis.core.survey.exposure import Gains, gains_by_overlap, gains_over_time, mired_change
from transmixis.core.survey.flashing import flashes_per_second
from transmixis.core.survey.intruder import Intruder, find_intruders
from transmixis.core.survey.noise import TimeNoise, noise_over_time
from transmixis.core.survey.scan import LAPLACE_NOISE, Scan, is_absent
from transmixis.core.survey.thumbs import Thumbs
from transmixis.core.survey.timing import Timing, time_of
from transmixis.core.types import Array, Rgb

ReadFrame = Callable[[int], Rgb]  # frame 1..n as linear (h, w, 3); UserError where it cannot be read
NOISE_PAIRS = 4
SHARP_FRAMES = 0.5  # of the best detail: a frame below it is blurred enough to be compared with the best ones
CODE_POWER = 0.45
TOLD = 1.0  # of the noise's own share: less detail in the best frames is a guess
MANY_MOVE = 0.2  # of the followed points: fewer movers smear too little of the frame to be read from its spectrum
FAR = 0.06  # of the width: beyond it near and far move apart, and frames laid over each other do not fit
STILL_FOR_NOISE = 0.15  # px between two frames: more motion and their difference is not noise alone


@dataclass(frozen=True)
class PlateSurvey:
    """Everything found; arrays are per frame (n,), nan where not measured."""

    count: int
    rate: float
    path: CameraPath
    steadiness: Steadiness
    gains: Gains
    flicker: Array  # (n, 3) stops off the slow trend
    clipped: Array  # (n, 2) shares at white and at black
    noise_levels: Array  # 8-bit sRGB levels
    sharpness: Array  # detail over the best frames' (1 = best)
    blurs: tuple[Blur, ...]
    timing: Timing
    flashes: Array
    intruders: tuple[Intruder, ...]
    intruders_told: bool
    dust: Dust
    noise: TimeNoise | None
    absent: dict[int, str]  # frame: reason

    def colour_drift(self, frame: int) -> Array:
        """Change of colour temperature of every frame against `frame`, mired; above zero is warmer."""
        against = self.gains.against(frame)
        return np.array([mired_change(s - s.mean()) if np.isfinite(s[0]) else np.nan for s in against])


def survey_plate(
    scans: Sequence[Scan], rate: float, read: ReadFrame, progress: Progress, missing: tuple[int, ...] = ()
) -> PlateSurvey:
    """Judge a plate. `scans` of frames 1..n in order; `missing` frames have no file. A few frames are read again by `read`."""
    n = len(scans)
    path = path_of(scans)
    steadiness = judge(path)
    thumbs = Thumbs(scans)
    if np.nanmax(path.shift, initial=0.0) > FAR * path.size[1]:
        gains = gains_by_overlap(thumbs, _thumb_moves(path, thumbs))
    else:
        gains = gains_over_time(thumbs, _thumb_moves(path, thumbs))
    levels = np.array([np.full(5, np.nan) if is_absent(s) else s["levels"] for s in scans], float)
    sharpness = _relative(levels[:, 3], levels[:, 2], gains)
    progress.at(1, 4, "looking for dust")
    dust = _dust(path, read)
    progress.at(2, 4, "measuring the noise")
    noise = _noise(path, scans, read)
    progress.at(3, 4, "measuring blur")
    still = steadiness.verdict in ("locked", "nearly")
    return PlateSurvey(
        count=n, rate=rate, path=path, steadiness=steadiness, gains=gains, flicker=gains.stops - gains.trend(rate),
        clipped=levels[:, :2], noise_levels=levels[:, 2], sharpness=sharpness, blurs=_blurs(scans, sharpness, path),
        timing=time_of(scans, rate, missing), flashes=flashes_per_second(thumbs, rate),
        intruders=tuple(find_intruders(thumbs, gains.stops)) if still else (), intruders_told=still and n >= 5,
        dust=dust, noise=noise,
        absent={i + 1: str(s["absent"]) for i, s in enumerate(scans) if is_absent(s)},
    )  # fmt: skip


def _thumb_moves(path: CameraPath, thumbs: Sequence[Array | None]) -> list[Similarity | None]:
    scale = next((t.shape[1] for t in thumbs if t is not None), 1) / max(path.size[1], 1)
    return [path.similarity(i).scaled(scale) if path.known[i] else None for i in range(len(thumbs))]


def _relative(detail: Array, noise: Array, gains: Gains) -> Array:
    """Detail over that of the best tenth of the frames; nan where even that is lost in what the noise adds.

    A darker frame has less contrast and so less of the Laplacian without being softer: the known gain is taken out, by the
    power that codes go with light (about 0.45), squared.
    """
    brighter = np.nan_to_num(gains.stops.mean(axis=1)) if len(gains.stops) == len(detail) else np.zeros(len(detail))
    even = detail * np.exp2(-2 * CODE_POWER * brighter)
    if not np.isfinite(even).any():
        return even
    best = float(np.nanquantile(even, 0.9))
    told = best > LAPLACE_NOISE * float(np.nanmedian(noise)) ** 2 * TOLD
    return np.asarray(even / best) if best > 0 and told else np.full(len(detail), np.nan)


def _blurs(scans: Sequence[Scan], sharpness: Array, path: CameraPath) -> tuple[Blur, ...]:
    """Blur per frame; clearly softer frames are compared with the sharpest one, which takes the scene's own grain out.

    A picture can look smeared and be sharp (roofs, bricks). So where motion was measured a smear must agree with it, the
    camera's or that of what moves; else it is not told. A still or a plate without known motion must be smeared beyond doubt.
    """
    there = [i for i, s in enumerate(scans) if not is_absent(s)]
    none = Blur(0.0, 0.0, 0.0)
    if not there:
        return tuple(none for _ in scans)
    best = max(there, key=lambda i: sharpness[i] if np.isfinite(sharpness[i]) else -1.0)
    base = scans[best]["spectrum"].astype(np.float32)
    motions = [_motions(i, scans, path) for i in range(len(scans))]
    known = len(there) > 2 and any(motions)
    base_blur = measure_blur(base, alone=not known)
    out = []
    for i, s in enumerate(scans):
        if is_absent(s):
            out.append(none)
            continue
        here = base_blur if i == best else measure_blur(s["spectrum"].astype(np.float32), alone=not known)
        if i != best and sharpness[i] < SHARP_FRAMES and base_blur.length == 0:
            here = measure_blur(s["spectrum"].astype(np.float32), base)
        told = here.length == 0 or not known or any(agrees(here, m) for m in motions[i])
        out.append(here if told else Blur(0.0, 0.0, here.likeness))
    return tuple(out)


def _motions(i: int, scans: Sequence[Scan], path: CameraPath) -> list[Array]:
    """Motions (x, y) px from frame to frame about frame i (0-based): the camera's before and after it, and the movers'."""
    at = np.stack([path.x, path.y], 1)
    out = [at[k] - at[k - 1] for k in (i, i + 1) if 0 < k < len(at)]
    out = [m for m in out if np.isfinite(m).all()]
    camera = out[0] if out else np.zeros(2)
    for k in (i, i + 1):
        if k < len(scans) and not is_absent(scans[k]) and "movers" in scans[k] and scans[k]["movers"][2] > MANY_MOVE:
            out.append(scans[k]["movers"][:2] + camera)
    return out


def _dust(path: CameraPath, read: ReadFrame) -> Dust:
    chosen = frames_apart(path.x, path.y)
    logs, moves = [], []
    for i in chosen:
        try:
            logs.append(half_log(read(i + 1)))
        except UserError:
            continue
        moves.append(path.similarity(i).scaled(0.5))
    if len(logs) < 4:
        return Dust((), np.zeros((1, 1), np.float32), "too few frames could be laid over each other")
    found = find_dust(logs, moves)
    if found.reason:
        return found
    return replace(found, seen=seen_words(could_see(logs, moves, found.spots)))


def _noise(path: CameraPath, scans: Sequence[Scan], read: ReadFrame) -> TimeNoise | None:
    """Noise from pairs of neighbours between which the camera stands still."""
    steps = np.hypot(np.diff(path.x), np.diff(path.y))
    still = [i for i in np.flatnonzero(np.nan_to_num(steps, nan=9.0) < STILL_FOR_NOISE) if "change" in scans[int(i) + 1]]
    chosen = [still[int(k)] for k in np.linspace(0, len(still) - 1, min(NOISE_PAIRS, len(still)))] if still else []
    pairs = []
    for i in dict.fromkeys(chosen):
        try:
            pairs.append((read(int(i) + 1), read(int(i) + 2)))
        except UserError:
            continue
    return noise_over_time(pairs) if pairs else None
