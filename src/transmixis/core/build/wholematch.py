"""The look of one picture brought to another's as a whole, for two pictures of one kind of scene: black, middle and white of every colour, softness, and grain colour by colour; what made anything worse is left out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from transmixis.core.build.corners import corners_of
from transmixis.core.build.grainlaw import law_of, mean_zone_grains, worst_zone_off
from transmixis.core.build.match import Grade, Look, apply_grade, colour_missing, look_differences, mean_look, measure_look
from transmixis.core.build.over import with_alpha
from transmixis.core.build.zones import worst_zone, zone_knots, zones_of
from transmixis.core.types import Array, Mask, Rgba

POWERS = (0.4, 2.5)  # of a grade: beyond it the picture is another one
SLOPES = (0.2, 5.0)
TURNS = 3  # of the fit: what is darkest is told after what is softer
SOFTEST = 5.0  # px
LEAST_GRAIN = 0.05  # levels
ZONE_GAIN = 1.0  # level of contrast that a curve must gain
ZONE_COSTS = 1.5  # ΔE that black, middle and white may be off after it
LEAST_CORNERS = 0.1  # stops
WORSE = {
    "black": 0.5,
    "white": 0.5,
    "middle": 0.5,
    "grain": 0.1,
    "softness": 0.05,
    "colour softness": 0.2,
}  # ΔE, levels, px that count as worse


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
    target = mean_look([_look_of(p) for p in plates])
    before = mean_look([_look_of(s) for s in subjects])
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
        now = mean_look([_look_of(apply_grade(s, tried, 1)) for s in subjects])
        if now is None:
            return grade
        # what lies beyond a point of three by the mean of many is told by trying
        for n in aim:
            aim[n] = np.clip(aim[n] + want[n] - getattr(now, n), 0, None)
        grade = replace(tried, soften=_softer(tried.soften, now, target))
    grade = _zoned(grade, subjects, plates, target)
    now = mean_look([_look_of(apply_grade(s, replace(grade, soften=0.0), 1)) for s in subjects])
    if now is not None:
        grade = replace(grade, colour_soften=colour_missing(now, target, grade.soften))
    grade = replace(grade, corners=darker_corners(subjects, plates))
    grade = _grained(grade, subjects, plates)
    return _not_worse(grade, subjects, before, target)


def mean_zones(pictures: Sequence[Array]) -> Array | None:
    """(5,) the zones of several pictures together; None where one is too small."""
    found = [zones_of(f[..., :3], f[..., 3] > 0.98) for f in map(with_alpha, pictures)]
    return None if any(z is None for z in found) else np.mean(np.stack([z for z in found if z is not None]), axis=0)


def _zoned(grade: Grade, subjects: Sequence[Rgba], plates: Sequence[Array], target: Look) -> Grade:
    """With a curve for what three points leave between them, if it brings the contrasts nearer and nothing else away."""
    theirs = mean_zones(plates)
    before = [apply_grade(s, grade, 1) for s in subjects]
    mine = mean_zones(before)
    if mine is None or theirs is None:
        return grade
    tried = replace(grade, zones=zone_knots(mine, theirs))
    after = [apply_grade(s, tried, 1) for s in subjects]
    now = mean_zones(after)
    was, is_ = mean_look([_look_of(p) for p in before]), mean_look([_look_of(p) for p in after])
    if not tried.zones or now is None or was is None or is_ is None:
        return grade
    nearer = abs(worst_zone(now, theirs)[0]) < abs(worst_zone(mine, theirs)[0]) - ZONE_GAIN
    off = look_differences(is_, target)
    near = all(abs(off[n] or 0.0) <= ZONE_COSTS for n in ("black", "middle", "white"))
    return tried if nearer and (near or not _worse(look_differences(was, target), off)) else grade


def darker_corners(subjects: Sequence[Rgba], plates: Sequence[Array]) -> float:
    """Stops by which the plate's corners are darker than the subject's, where both are told; what is cut out has none of its own that could be."""
    theirs = corners_of(plates)
    if theirs is None or not theirs.told:
        return 0.0
    whole = all(bool((s[..., 3] > 0.98).mean() > 0.98) for s in subjects)
    mine = corners_of(subjects) if whole else None
    if whole and (mine is None or not mine.told):
        return 0.0
    off = theirs.stops - (mine.stops if mine else 0.0)
    return round(min(off, 5.0), 2) if off > LEAST_CORNERS else 0.0


def _triple(values: Sequence[float] | Array) -> tuple[float, float, float]:
    a, b, c = (float(v) for v in values)
    return a, b, c


def _softer(soften: float, now: Look, target: Look) -> float:
    if now.softness is None or target.softness is None:
        return soften
    missing = target.softness**2 - now.softness**2
    return round(float(np.clip(np.sqrt(max(soften**2 + missing, 0.0)), 0, SOFTEST)), 3)


def _grained(grade: Grade, subjects: Sequence[Rgba], plates: Sequence[Array]) -> Grade:
    """With the grain that is missing after all else, colour by colour and zone by zone."""
    plain = _with_grains(grade, subjects, plates)
    levels = np.array(plain.grains)
    if levels.max() <= 0:
        return plain
    want = mean_zone_grains([with_alpha(p) for p in plates])
    own = mean_zone_grains([apply_grade(s, grade, 1) for s in subjects])
    missing = np.sqrt(np.maximum(want**2 - np.nan_to_num(own) ** 2, 0))
    shaped = _with_grains(replace(grade, law=law_of(missing, levels)), subjects, plates)
    off = [worst_zone_off(mean_zone_grains([apply_grade(s, g, 1) for s in subjects]), want) for g in (plain, shaped)]
    return shaped if off[1] < off[0] else plain


def _with_grains(grade: Grade, subjects: Sequence[Rgba], plates: Sequence[Array]) -> Grade:
    """The strength of each colour's grain; tried, since grain is told a little short where the picture has detail."""
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
    for without in (
        {},
        {"colour_soften": 0.0},
        {"soften": 0.0},
        {"grains": (0.0, 0.0, 0.0)},
        {"soften": 0.0, "grains": (0.0, 0.0, 0.0)},
    ):
        tried = replace(grade, **without)
        now = mean_look([_look_of(apply_grade(s, tried, 1)) for s in subjects])
        if now is not None and not _worse(was, look_differences(now, target)):
            return tried
    return Grade()


def _worse(was: dict[str, float | None], now: dict[str, float | None]) -> bool:
    return any(a is not None and b is not None and abs(b) > abs(a) + WORSE[n] for n, a in was.items() for b in (now[n],))


def _look_of(picture: Array) -> Look | None:
    full = with_alpha(picture)
    return measure_look(np.asarray(full[..., :3], np.float32), full[..., 3] > 0.98)
