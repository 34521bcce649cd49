"""The look of one picture brought to another's as a whole, for two pictures of one kind of scene: black, middle and white of every colour, softness, and grain colour by colour; what made anything worse is left out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from transmixis.core.build.match import Grade, Look, apply_grade, look_differences, measure_look
from transmixis.core.build.over import with_alpha
from transmixis.core.types import Array, Mask, Rgba

POWERS = (0.4, 2.5)  # of a grade: beyond it the picture is another one
SLOPES = (0.2, 5.0)
TURNS = 3  # of the fit: what is darkest is told after what is softer
SOFTEST = 5.0  # px
LEAST_GRAIN = 0.05  # levels
WORSE = {"black": 0.5, "white": 0.5, "middle": 0.5, "grain": 0.1, "softness": 0.05}  # ΔE, levels, px that count as worse


def three_points(
    dark: float, middle: float, light: float, to_dark: float, to_middle: float, to_light: float
) -> tuple[float, float, float]:
    """Gain, lift and power with which (gain x + lift) ^ power takes three values of a colour to three others; the middle one as nearly as a power of POWERS can."""
    if light - dark < 1e-5 or to_light - to_dark < 1e-5:
        return 1.0, 0.0, 1.0

    def fitted(p: float) -> tuple[float, float]:
        a, b = max(to_dark, 0.0) ** (1 / p), max(to_light, 1e-6) ** (1 / p)
        gain = (b - a) / (light - dark)
        return gain, a - gain * dark

    low, high = POWERS
    for _ in range(50):  # a larger power makes the middle darker
        p = (low + high) / 2
        gain, lift = fitted(p)
        if max(gain * middle + lift, 0.0) ** p > to_middle:
            low = p
        else:
            high = p
    gain, lift = fitted((low + high) / 2)
    return gain, lift, (low + high) / 2


def whole_match(subjects: Sequence[Rgba], plates: Sequence[Array]) -> Grade | None:
    """The grade that brings the look of `subjects` (h, w, 4) to that of `plates` (h, w, 3 or 4), all frames alike; None if one of them is too small to be measured."""
    target = _mean([_look_of(p) for p in plates])
    before = _mean([_look_of(s) for s in subjects])
    if target is None or before is None:
        return None
    grade = Grade()
    want = {n: np.array(getattr(target, n)) for n in ("black", "middle", "white")}
    aim = {n: v.copy() for n, v in want.items()}
    for _ in range(TURNS):
        rows = [
            three_points(
                *(float(getattr(before, n)[c]) for n in ("black", "middle", "white")),
                *(float(aim[n][c]) for n in ("black", "middle", "white")),
            )
            for c in range(3)
        ]
        gain, lift, power = (tuple(float(r[i]) for r in rows) for i in range(3))
        tried = Grade(gain=_triple(np.clip(gain, *SLOPES)), lift=_triple(lift), power=_triple(power), soften=grade.soften)
        now = _mean([_look_of(apply_grade(s, tried, 1)) for s in subjects])
        if now is None:
            return grade
        # what lies beyond a point of three by the mean of many is told by trying
        for n in aim:
            aim[n] = np.clip(aim[n] + want[n] - getattr(now, n), 0, None)
        grade = replace(tried, soften=_softer(tried.soften, now, target))
    grade = _grained(grade, subjects, plates)
    return _not_worse(grade, subjects, before, target)


def _triple(values: Sequence[float] | Array) -> tuple[float, float, float]:
    a, b, c = (float(v) for v in values)
    return a, b, c


def _softer(soften: float, now: Look, target: Look) -> float:
    if now.softness is None or target.softness is None:
        return soften
    missing = target.softness**2 - now.softness**2
    return round(float(np.clip(np.sqrt(max(soften**2 + missing, 0.0)), 0, SOFTEST)), 3)


def _grained(grade: Grade, subjects: Sequence[Rgba], plates: Sequence[Array]) -> Grade:
    """With the grain that is missing after all else, colour by colour; tried, since grain is told a little short where the picture has detail."""
    want = np.mean([grains_of(with_alpha(p)) for p in plates], axis=0)
    own = np.mean([grains_of(apply_grade(s, grade, 1)) for s in subjects], axis=0)
    added = np.sqrt(np.maximum(want**2 - own**2, 0))
    for _ in range(TURNS):
        got = np.mean([grains_of(apply_grade(s, replace(grade, grains=_triple(added)), 1)) for s in subjects], axis=0)
        missing = want**2 - got**2
        added = np.where(want > own, np.sqrt(np.maximum(added**2 + missing, 0)), 0)
    return replace(grade, grains=_triple(np.where(added > LEAST_GRAIN, np.round(added, 3), 0)))


def grains_of(picture: Rgba) -> Array:
    """(3,) grain of each colour in 8-bit sRGB levels, where the picture is solid and smooth."""
    inside: Mask = np.asarray(picture[..., 3] > 0.98)
    solid = np.asarray(picture[..., :3], np.float32)
    out = []
    for c in range(3):
        one = measure_look(np.repeat(solid[..., c : c + 1], 3, axis=2), inside)
        out.append(0.0 if one is None else one.grain)
    return np.array(out)


def _not_worse(grade: Grade, subjects: Sequence[Rgba], before: Look, target: Look) -> Grade:
    """The grade without what makes something worse than it was."""
    was = look_differences(before, target)
    for without in ({}, {"soften": 0.0}, {"grains": (0.0, 0.0, 0.0)}, {"soften": 0.0, "grains": (0.0, 0.0, 0.0)}):
        tried = replace(grade, **without)
        now = _mean([_look_of(apply_grade(s, tried, 1)) for s in subjects])
        if now is not None and not _worse(was, look_differences(now, target)):
            return tried
    return Grade()


def _worse(was: dict[str, float | None], now: dict[str, float | None]) -> bool:
    return any(a is not None and b is not None and abs(b) > abs(a) + WORSE[n] for n, a in was.items() for b in (now[n],))


def _look_of(picture: Array) -> Look | None:
    full = with_alpha(picture)
    return measure_look(np.asarray(full[..., :3], np.float32), full[..., 3] > 0.98)


def _mean(looks: Sequence[Look | None]) -> Look | None:
    there = [k for k in looks if k is not None]
    if not there:
        return None
    soft = [k.softness for k in there if k.softness is not None]
    black, middle, white = (np.mean([getattr(k, n) for k in there], axis=0) for n in ("black", "middle", "white"))
    return Look(black, middle, white, float(np.mean([k.grain for k in there])), float(np.mean(soft)) if soft else None)
