"""The best frame to freeze, and the best pair of frames to join two takes at."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from transmixis.core.survey.plate import CODE_POWER, PlateSurvey
from transmixis.core.survey.scan import LAPLACE_NOISE, Scan, is_absent
from transmixis.core.survey.thumbs import Thumbs, some_of
from transmixis.core.types import Array

SMALL = 64  # px across of the pictures that joins are compared in
CLOSE_BY = 3  # frames: of picks this near each other only the better is shown
LEAST_OVER_NOISE = 0.3  # of what noise adds: less detail than that is not told from it
SOFT = 0.25  # of its score is left to a frame without detail: nothing else makes up for being out of focus (judgement)
WEIGHTS = {"sharp": 0.4, "still": 0.25, "apart": 0.2, "whole": 0.15}


@dataclass(frozen=True)
class Pick:
    """A frame to freeze (1-based), its score 0..1, its parts 0..1 by name, and the reasons in words."""

    frame: int
    score: float
    parts: dict[str, float]
    words: str


@dataclass(frozen=True)
class Join:
    """Last frame of the first take and first frame of the second (1-based); jumps of picture and motion in stops; light."""

    last: int
    first: int
    picture: float
    motion: float
    gain: tuple[float, float, float]
    words: str


def best_frames(scans: Sequence[Scan], survey: PlateSurvey, most: int = 5) -> list[Pick]:
    """Frames to freeze, best first: sharp, near rest, the subject apart from what is behind it and wholly in the frame."""
    n = len(scans)
    if n == 0 or all(is_absent(s) for s in scans):
        return []
    speed = np.array([_speed(s) for s in scans])
    after = np.append(speed[1:], speed[-1])  # the motion into and out of the frame
    speed = np.fmax(np.nan_to_num(speed), np.nan_to_num(after))
    still = 1 - speed / max(float(speed.max()), 1e-6) if speed.max() > 0.2 else np.ones(n)
    blur = np.array([b.length for b in survey.blurs])
    sharp = _focus(scans, survey) * np.exp(-blur / 10)
    apart, whole = _subject(scans, survey)
    parts = {"sharp": sharp, "still": still, "apart": apart, "whole": whole}
    score = sum((WEIGHTS[k] * v for k, v in parts.items()), np.zeros(n)) * (SOFT + (1 - SOFT) * sharp)
    score[[i for i, s in enumerate(scans) if is_absent(s)]] = -1
    picks: list[Pick] = []
    for i in np.argsort(-score):
        if score[i] < 0 or any(abs(int(i) + 1 - p.frame) <= CLOSE_BY for p in picks):
            continue
        own = {k: float(v[i]) for k, v in parts.items()}
        picks.append(Pick(int(i) + 1, float(score[i]), own, _reasons(own, float(speed[i]), float(blur[i]))))
        if len(picks) == most:
            break
    return picks


def _focus(scans: Sequence[Scan], survey: PlateSurvey) -> Array:
    """Detail of every frame over that of the sharpest one, 0..1, as amplitude, without what the noise adds to it; 1 for all where
    no frame has more detail than noise gives.

    The survey's sharpness goes by the best tenth of the frames, which is none of a pull of focus that is sharp for a moment.
    """
    detail = np.array([np.nan if is_absent(s) else float(s["levels"][3]) for s in scans])
    noise = LAPLACE_NOISE * float(np.nanmedian([np.nan if is_absent(s) else float(s["levels"][2]) for s in scans])) ** 2
    stops = survey.gains.stops.mean(axis=1) if len(survey.gains.stops) == len(detail) else np.zeros(len(detail))
    own = np.maximum(np.nan_to_num(detail) - noise, 0) * np.exp2(-2 * CODE_POWER * np.nan_to_num(stops))
    best = float(own.max(initial=0.0))
    return np.sqrt(own / best) if best > LEAST_OVER_NOISE * noise and best > 0 else np.ones(len(detail))


def _speed(s: Scan) -> float:
    """px a frame of what moves by itself."""
    if "movers" not in s:
        return float("nan")
    x, y, share = (float(v) for v in s["movers"])
    return float(np.hypot(x, y)) if share > 0 else 0.0


def _subject(scans: Sequence[Scan], survey: PlateSurvey) -> tuple[Array, Array]:
    """How far the subject stands out of what is behind it, and whether it keeps off the frame's edges; 0..1, per frame."""
    there = [i for i, s in enumerate(scans) if not is_absent(s)]
    thumbs, stops = Thumbs(scans), np.nan_to_num(survey.gains.stops)

    def log_of(i: int) -> Array:
        return np.asarray(np.log2(np.maximum(thumbs[i], 2e-3)) - stops[i])  # type: ignore[arg-type]

    apart, whole = np.full(len(scans), 0.5), np.full(len(scans), 0.5)
    if survey.steadiness.verdict not in ("locked", "nearly") or len(there) < 5:
        return apart, whole  # not told where everything moves
    behind = np.median(np.stack([log_of(i) for i in some_of(there)]), axis=0)
    for i in there:
        differs = np.abs(log_of(i) - behind).max(axis=2)
        mask = differs > 0.25
        if mask.sum() < 8:
            continue
        apart[i] = min(1.0, float(np.median(differs[mask])) / 1.5)
        edge = np.concatenate([mask[0], mask[:, 0], mask[:, -1]])
        whole[i] = 1 - min(1.0, 6 * float(edge.mean()))
    return apart, whole


def _reasons(p: dict[str, float], speed: float, blur: float) -> str:
    words = [f"{100 * p['sharp']:.0f} % of the best detail" + (f", smeared {blur:.0f} px" if blur else "")]
    words.append(f"moves {speed:.1f} px a frame" if speed > 0.2 else "at rest")
    if p["apart"] != 0.5:
        words.append("stands out well" if p["apart"] > 0.5 else "close in tone to what is behind")
    if p["whole"] < 0.4:
        words.append("cut by the frame's edge")
    return "; ".join(words)


def best_joins(first: list[Array | None], second: list[Array | None], most: int = 5) -> list[Join]:
    """Pairs to join two takes at, best first, from their small linear pictures (h, w, 3).

    The light is brought together first.
    """
    a, b = ([_small(t) for t in take] for take in (first, second))
    light = _light(a, b)
    known_a, known_b = [i for i, t in enumerate(a) if t is not None], [j for j, t in enumerate(b) if t is not None]
    level = {j: np.asarray(b[j]) - light for j in known_b}
    rows = []
    for i in known_a:
        for j in known_b:
            jump = _jump(a, level, i, j)
            if jump is not None:
                rows.append((jump[0] + 0.5 * jump[1], *jump, i + 1, j + 1))
    rows.sort()
    out: list[Join] = []
    for _, picture, motion, last_frame, first_frame in rows:
        if any(abs(last_frame - k.last) <= CLOSE_BY and abs(first_frame - k.first) <= CLOSE_BY for k in out):
            continue
        gain = tuple(float(v) for v in -light)
        words = f"jump of {picture:.3f} stops in the picture and {motion:.3f} in its motion"
        if np.abs(light).max() > 0.03:
            words += f", after the second take is changed by {-float(light.mean()):+.2f} stops"
        out.append(Join(last_frame, first_frame, picture, motion, gain, words))  # type: ignore[arg-type]
        if len(out) == most:
            break
    return out


def _jump(a: list[Array | None], b: dict[int, Array], i: int, j: int) -> tuple[float, float] | None:
    """Jumps of picture and of motion from frame i of the first take to frame j of the second; None at their ends.

    The second take should show at j what the first would have shown next, and have shown before it what the first shows last.
    """
    before, last = a[i - 1] if i else None, a[i]
    after = b.get(j + 1)
    if before is None or last is None or after is None:
        return None
    going_on = a[i + 1] if i + 1 < len(a) else None
    pairs = [(going_on, b[j]), (last, b.get(j - 1))]
    seen = [_rms(x - y) for x, y in pairs if x is not None and y is not None]
    picture = float(np.mean(seen)) if seen else _rms(b[j] - (2 * last - before))
    return picture, _rms((last - before) - (after - b[j]))


def _small(t: Array | None) -> Array | None:
    if t is None:
        return None
    h, w = t.shape[:2]
    x = cv2.resize(np.ascontiguousarray(t[..., :3]), (SMALL, max(2, round(SMALL * h / w))), interpolation=cv2.INTER_AREA)
    return np.asarray(np.log2(np.maximum(x, 4e-3)), np.float32)


def _light(a: list[Array | None], b: list[Array | None]) -> Array:
    """Stops (3,) that the second take is brighter by: the median over the places that are alike in both."""
    left = np.median(np.stack([t for t in a if t is not None]), axis=0)
    right = np.median(np.stack([t for t in b if t is not None]), axis=0)
    return np.asarray(np.median((right - left).reshape(-1, 3), axis=0))


def _rms(x: Array) -> float:
    return float(np.sqrt(np.mean(np.square(x))))
