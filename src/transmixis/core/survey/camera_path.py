"""The path of the camera over a plate, and whether it is locked off, nearly so, or moving."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from transmixis.core.motion.camera import Move
from transmixis.core.motion.similarity import Similarity
from transmixis.core.motion.smooth import smoothed
from transmixis.core.survey.scan import Scan, is_absent, move_of
from transmixis.core.types import Array

TREND = 4.0  # frames: sigma of the smooth part of a path; faster is trembling
LOCKED_TREMBLE = 0.05  # px rms: three times the measuring error with a third of the frame covered by people
LOCKED_DRIFT = 0.25  # px from end to end
NEARLY = 1.5  # px: within it a static patch still serves once the plate is steadied (common practice)
MEANT = 0.03  # of the frame's width, from end to end: nobody's tripod sags that far
KNOCK = 0.4  # px in one frame, and six times the usual step
DISAGREE = 4.0  # px: a far frame measured against the first may be mistaken; the steps from frame to frame then decide


@dataclass(frozen=True)
class CameraPath:
    """Per frame: x, y px, turn degrees anticlockwise as seen, grow, error px (nan where not measured), step from the frame before px."""

    x: Array
    y: Array
    turn: Array
    grow: Array
    error: Array
    size: tuple[int, int]  # h, w
    by: str = "scene"  # what the motion was read from: 'scene', or 'screen' and its marks
    rival: Array = field(
        default_factory=lambda: np.zeros((0, 3))
    )  # (n, 3) x, y px and share of a movement that competes; 0: none

    @property
    def known(self) -> Array:
        return np.isfinite(self.error)

    @property
    def shift(self) -> Array:
        """How far the picture has moved since the reference frame, at the worst corner; px, nan where not measured."""
        reach = np.hypot(*self.size) / 2
        away = np.hypot(self.x, self.y) + reach * np.hypot(np.radians(self.turn), self.grow - 1)
        return np.where(self.known, away, np.nan)

    def similarity(self, i: int) -> Similarity:
        """Motion of frame i (0-based) as a transform from the reference frame."""
        h, w = self.size
        return Similarity(float(self.x[i]), float(self.y[i]), float(self.turn[i]), float(self.grow[i]), (w / 2, h / 2))


@dataclass(frozen=True)
class Steadiness:
    """Verdict locked, nearly, moving or unknown; `tremble` px rms, `drift` px from end to end, `error` px, frames of knocks.

    `meant`: it goes so far that somebody moved it on purpose. `off` (n,): px off the smooth path, nan where not known.
    """

    verdict: str
    words: str
    tremble: float
    drift: float
    error: float
    knocks: tuple[int, ...]
    meant: bool
    off: tuple[float, ...]


def path_of(scans: Sequence[Scan]) -> CameraPath:
    """Join the scans' motions: against the reference frame where that could be measured, else from frame to frame."""
    size = next(((int(s["size"][0]), int(s["size"][1])) for s in scans if not is_absent(s)), (2, 2))
    pivot = (size[1] / 2, size[0] / 2)
    rows = np.full((len(scans), 5), np.nan)
    last: tuple[Similarity, float] | None = None
    start = _begins(scans)
    for i, s in enumerate(scans):
        if is_absent(s):
            last = None
            continue
        direct, step = move_of(s["shift"]), move_of(s["step"]) if "step" in s else Move(reason="none")
        here = _where(direct, step, last, pivot, first=i == start)
        if here is not None:
            t = here[0]
            rows[i] = t.x, t.y, t.turn, t.grow, here[1]
        last = here
    x, y, turn, grow, error = rows.T
    by = "screen" if any(str(s.get("by", "")) == "screen" for s in scans) else "scene"
    rival = np.array([np.zeros(3) if is_absent(s) or "rival" not in s else s["rival"] for s in scans], float).reshape(-1, 3)
    return CameraPath(x, y, turn, grow, error, size, by, rival)


def _begins(scans: Sequence[Scan]) -> int:
    """The frame (from 0) that the path begins at: the first, unless nothing was found that ties others to it, as of a film that begins
    black; then the first from which a step leads on."""
    steps = [not is_absent(s) and "step" in s and bool(move_of(s["step"])) for s in scans]
    tied = any(not is_absent(s) and bool(move_of(s["shift"])) for s in scans[1:])
    if tied or len(scans) < 3 or steps[1] or is_absent(scans[1]) or "step" not in scans[1]:
        return 0
    return next((i for i in range(1, len(scans) - 1) if steps[i + 1]), 0)


def _where(
    direct: Move, step: Move, last: tuple[Similarity, float] | None, pivot: tuple[float, float], *, first: bool
) -> tuple[Similarity, float] | None:
    straight = Similarity(direct.x, direct.y, direct.turn, direct.grow, pivot)
    chained = None
    if last is not None and step:
        joined = Similarity(step.x, step.y, step.turn, step.grow, pivot).after(last[0])
        chained = (joined, float(np.hypot(last[1], step.error)))
    if not direct:
        return (straight, 0.0) if first else chained
    if chained is not None:
        apart = float(np.hypot(straight.x - chained[0].x, straight.y - chained[0].y))
        if apart > max(DISAGREE, 6 * chained[1]):
            return chained
    return straight, direct.error


_UNKNOWN = {
    "scene": "the camera's motion could not be measured: too little still texture",
    "screen": "the camera's motion could not be measured: the screen shows too little; put marks on it",
}
RIVALS = 0.3  # of the frames: as often as this another movement must compete to be told


def judge(path: CameraPath) -> Steadiness:
    """Tell a locked-off camera from one that trembles, drifts, was knocked, or moves."""
    known = path.known
    if known.sum() < max(2, 0.5 * len(known)):
        return Steadiness("unknown", _UNKNOWN[path.by], 0, 0, 0, (), False, (float("nan"),) * len(known))
    p = np.stack([_filled(path.x, known), _filled(path.y, known)], 1)
    trend = _trend(p)
    error = float(np.sqrt(np.mean(path.error[known] ** 2)))
    tremble = float(np.sqrt(np.mean(((p - trend)[known] ** 2).sum(axis=1))))
    drift = float(np.hypot(*np.ptp(trend, axis=0)))
    knocks = _knocks(p)
    jolts = _jolts(p, knocks)
    far = float(np.nanmax(path.shift))
    trembles, drifts = tremble > max(LOCKED_TREMBLE, 2 * error), drift > max(LOCKED_DRIFT, 4 * error)
    verdict = "locked" if not (trembles or drifts or knocks or jolts) else "nearly" if far <= NEARLY else "moving"
    off = tuple(float(v) for v in np.where(known, np.hypot(*(p - trend).T), np.nan))
    words = _words(verdict, tremble, drift, error, knocks, jolts, trembles, drifts) + _whose(path)
    return Steadiness(verdict, words, tremble, drift, error, tuple(sorted((*knocks, *jolts))), drift > MEANT * path.size[1], off)


def _whose(path: CameraPath) -> str:
    """Whose motion was measured, where that is not plain."""
    if path.by == "screen":
        return ", read on the screen and its marks"
    there = path.rival[:, 2] > 0 if len(path.rival) else np.zeros(0, bool)
    if there.sum() < max(2, RIVALS * path.known.sum()):
        return ""
    other = path.rival[there]
    far = float(np.hypot(*(other[:, :2] - np.stack([path.x, path.y], 1)[there]).T).max())
    return (
        f"; two motions compete: this one is shared by more of the frame's edges, {100 * float(np.median(other[:, 2])):.0f} % of "
        f"the points go up to {far:.1f} px otherwise. Look which of them is the camera"
    )


def _trend(p: Array) -> Array:
    """The slow part of a path (n, 2)."""
    return np.asarray(p.mean(axis=0) + 0 * p) if len(p) <= 4 else smoothed(p, TREND)


def _filled(v: Array, known: Array) -> Array:
    i = np.arange(len(v))
    return np.interp(i, i[known], v[known])


def _knocks(p: Array) -> tuple[int, ...]:
    """Frames (1-based) where the picture jumps and stays there."""
    step = np.diff(p, axis=0)
    size = np.hypot(step[:, 0], step[:, 1])
    usual = 1.4826 * float(np.median(np.abs(size - np.median(size)))) + float(np.median(size))
    out = []
    for i in np.flatnonzero(size > max(KNOCK, 6 * usual)):
        before, after = p[max(0, i - 3) : i + 1].mean(axis=0), p[i + 1 : i + 5].mean(axis=0)
        if np.hypot(*(after - before)) > 0.6 * size[i]:
            out.append(int(i) + 2)
    return tuple(out)


def _jolts(p: Array, knocks: tuple[int, ...]) -> tuple[int, ...]:
    """Frames (1-based) where the picture jumps for one frame, or two, and is back where it was."""
    step = np.hypot(*np.diff(p, axis=0).T)
    usual = 1.4826 * float(np.median(np.abs(step - np.median(step)))) + float(np.median(step))
    least = max(KNOCK, 6 * usual)
    out: list[int] = []
    for i in range(1, len(p) - 1):
        for long in (1, 2):
            if i + long >= len(p) or out[-1:] == [i] or i + 1 in knocks:
                continue
            away = np.hypot(*(p[i : i + long] - (p[i - 1] + p[i + long]) / 2).T).min()
            back = np.hypot(*(p[i + long] - p[i - 1]))
            if away > least and back < 0.3 * away:
                out.append(i + 1)
                break
    return tuple(out)


def _words(
    verdict: str,
    tremble: float,
    drift: float,
    error: float,
    knocks: tuple[int, ...],
    jolts: tuple[int, ...],
    trembles: bool,
    drifts: bool,
) -> str:
    if verdict == "locked":
        return f"locked off: trembles {tremble:.2f} px, drifts {drift:.2f} px, measured to ± {error:.3f} px"
    parts = []
    if trembles:
        parts.append(f"trembles by {tremble:.2f} px rms")
    if drifts:
        parts.append(f"drifts {drift:.1f} px")
    if knocks:
        parts.append("is knocked at frame " + ", ".join(str(k) for k in knocks[:4]))
    if jolts:
        parts.append("is jolted and comes back at frame " + ", ".join(str(k) for k in jolts[:4]))
    head = "nearly locked" if verdict == "nearly" else "moving"
    return f"{head}: {', '.join(parts)} (measured to ± {error:.3f} px)"
