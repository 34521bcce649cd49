"""Match: brings black, white, colour, grain and softness of what is placed to those of the plate behind it."""

from __future__ import annotations

import numpy as np

from transmixis.core.build.match import Grade, Look, apply_grade, look_differences, mean_look, measure_look, propose_grade
from transmixis.core.build.over import with_alpha
from transmixis.core.build.wholematch import whole_match
from transmixis.core.plot import Patches, Plot
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.types import Array
from transmixis.shot.contract import BACKGROUND, Effect, Inputs, Product, Proposal, Slot, StepKind, sampled
from transmixis.shot.steps.matchread import contrast_reading, corners_reading, light_reading
from transmixis.shot.steps.params import Params, choice, hidden, number

# name: (limit, unit); docs/limits.md says why
LIMITS = {
    "black": (8.0, "ΔE"),
    "white": (25.0, "ΔE"),
    "middle": (40.0, "ΔE"),
    "grain": (1.0, "levels"),
    "softness": (0.8, "px"),
    "colour softness": (1.2, "px"),
}
SOFT_COST = "Costs fine detail; soften less if the plate is out of focus on purpose."
Triple = tuple[float, float, float]
Pairs = tuple[tuple[float, float], ...]
BESIDE, AS_ONE = "sits in it", "is of one scene with it"


class MatchParams(Params):
    what: str = choice(
        BESIDE,
        (BESIDE, AS_ONE),
        "The subject",
        "Sits in the plate with whites and darks of its own, so that it is brought most of the way; or shows the same sort of scene, such as another take or a stock element, and is brought all the way.",
    )
    strength: float = number(1.0, 0.0, 1.0, "%", "Strength", "How much of the grade below is applied.", percent=True)
    lift: Triple = hidden((0.0, 0.0, 0.0))
    gain: Triple = hidden((1.0, 1.0, 1.0))
    power: Triple = hidden((1.0, 1.0, 1.0))
    grains: Triple = hidden((0.0, 0.0, 0.0))
    grain: float = number(
        0.0, 0.0, 20.0, "levels", "Grain added", "Adds grain, so that what is placed is as grainy as the plate.", step=0.1
    )
    soften: float = number(
        0.0, 0.0, 5.0, "px", "Soften", "Softens what is placed, edges included, to the plate's softness.", step=0.05
    )
    law: tuple[Triple, ...] = hidden(())
    zones: Pairs = hidden(())
    colour_soften: float = number(
        0.0,
        0.0,
        5.0,
        "px",
        "Soften colours",
        "Softens its colours and not its brightness, as coding at half size does.",
        step=0.05,
    )
    corners: float = number(0.0, 0.0, 5.0, "stops", "Darker corners", "As the plate's lens makes them.", step=0.05)


class Match(StepKind[MatchParams]):
    kind, title, stage, product = "match", "Match", "Build", "picture"
    says = "brings the subject's look to the plate's"
    begins = BACKGROUND
    roles = ("subject", "front")
    work = "place and match"
    shown_in = "front"
    slots = (
        Slot("subject", "what is placed", usual=("step:key",)),
        Slot("plate", "the plate it must sit in", usual=("plate:background", "plate:still")),
        Slot("lit", "something in the plate that is lit as it should be", takes="matte", optional=True, usual=()),
    )
    version = 2
    scales = True
    Params = MatchParams

    def compute(self, inputs: Inputs, params: MatchParams, frame: int) -> Product:
        return Product(picture=apply_grade(with_alpha(inputs.picture("subject", frame)), grade_of(params), seed=frame))

    def read(self, inputs: Inputs, params: MatchParams, product: Product, frame: int) -> list[Reading]:
        assert product.picture is not None
        behind = inputs.picture("plate", frame)
        subject, plate = _look(product.picture), _plate_look(behind)
        more = self._more(inputs, params, product.picture, behind, frame)
        if subject is None or plate is None:
            note = "too little of the subject is opaque" if subject is None else "the plate is too small to measure"
            return [*(Reading(n, None, u, limit, note=note) for n, (limit, u) in LIMITS.items()), *more]
        found = look_differences(subject, plate)
        # a subject with more grain or softer than the plate reads below zero or above; both count
        return [*(_reading(name, found[name]) for name in LIMITS), *more]

    def _more(self, inputs: Inputs, params: MatchParams, made: Array, behind: Array, frame: int) -> list[Reading]:
        """What is only read of scenes of one kind, and where there is something to compare the light with."""
        out = [contrast_reading(made, behind), corners_reading(made, behind)] if params.what == AS_ONE else []
        if inputs.has("lit"):
            out.append(light_reading(made, behind, inputs.matte("lit", frame)))
        return out

    plots = "frame"

    def plot(self, inputs: Inputs, params: MatchParams, frame: int) -> Plot:
        """Black, middle and white of what is placed, graded, beside those of the plate."""
        made = inputs.own(frame).picture
        subject = None if made is None else _look(with_alpha(made))
        columns = (_patches("Subject", subject), _patches("Plate", _plate_look(inputs.picture("plate", frame))))
        tip = "The darkest 2 %, the middle and the brightest 2 % of what is placed and of the plate, with the grain and softness of both."
        return Plot("", tip, columns)

    def propose(self, inputs: Inputs, params: MatchParams, progress: Progress) -> Proposal | None:
        if params.what == AS_ONE:
            return self._as_one(inputs, params, progress)

        def looks(n: int) -> tuple[Look | None, Look | None]:
            return _look(with_alpha(inputs.picture("subject", n))), _plate_look(inputs.picture("plate", n))

        found = sampled(inputs.shot.length, 4, looks, progress, "measuring both looks")
        names = list(found)
        subjects = [a for a, b in found.values() if a and b]
        plates = [b for a, b in found.values() if a and b]
        if not subjects:
            return None
        subject, plate = mean_look(subjects), mean_look(plates)
        assert subject is not None
        assert plate is not None
        grade = propose_grade(subject, plate, 0.7)
        graded = _graded(subject, grade)
        current = _graded(subject, grade_of(params))
        before, after = look_differences(current, plate), look_differences(graded, plate)
        effects = tuple(
            Effect(n, abs(was), abs(will), LIMITS[n][1], LIMITS[n][0])
            for n in LIMITS
            if (was := before[n]) is not None and (will := after[n]) is not None
        )
        if all(abs(e.now - e.then) < 0.05 * e.limit for e in effects):
            return None
        effects = tuple(sorted(effects, key=lambda e: (e.now - e.then) / e.limit, reverse=True))
        return Proposal(
            values={
                "lift": grade.lift,
                "gain": grade.gain,
                "power": (1.0, 1.0, 1.0),
                "grains": (0.0, 0.0, 0.0),
                "grain": grade.grain,
                "soften": grade.soften,
                "zones": (),
                "law": (),
                "colour_soften": grade.colour_soften,
                "corners": 0.0,
                "strength": 1.0,
            },
            reason=_reason(subject, plate),
            effects=effects,
            costs=SOFT_COST if grade.soften else "",
            frames=(names[0], names[-1]),
        )

    def _as_one(self, inputs: Inputs, params: MatchParams, progress: Progress) -> Proposal | None:
        """All of its look brought to the plate's, tried on some frames."""
        found = sampled(
            inputs.shot.length,
            3,
            lambda n: (with_alpha(inputs.picture("subject", n)), inputs.picture("plate", n)),
            progress,
            "measuring both looks",
        )
        grade = whole_match([a for a, _ in found.values()], [b for _, b in found.values()])
        if grade is None:
            return None
        n, (subject, plate) = next(iter(found.items()))
        target = _plate_look(plate)
        looks = [_look(apply_grade(subject, g, n)) for g in (grade_of(params), grade)]
        now, then = looks
        if target is None or now is None or then is None:
            return None
        before, after = look_differences(now, target), look_differences(then, target)
        effects = tuple(
            Effect(k, abs(was), abs(will), LIMITS[k][1], LIMITS[k][0])
            for k in LIMITS
            if (was := before[k]) is not None and (will := after[k]) is not None
        )
        if all(abs(e.now - e.then) < 0.05 * e.limit for e in effects):
            return None
        values = {
            "lift": grade.lift,
            "gain": grade.gain,
            "power": grade.power,
            "grain": 0.0,
            "grains": grade.grains,
            "soften": grade.soften,
            "zones": grade.zones,
            "law": grade.law,
            "colour_soften": grade.colour_soften,
            "corners": grade.corners,
            "strength": 1.0,
        }
        reason = "Black, middle and white of every colour are brought to the plate's, with the contrast of its darks and lights, its softness, its corners and the grain of each colour in darks, middle tones and lights."
        return Proposal(
            values,
            reason,
            tuple(sorted(effects, key=lambda e: (e.now - e.then) / e.limit, reverse=True)),
            costs=SOFT_COST if grade.soften else "",
        )


def _patches(words: str, look: Look | None) -> Patches:
    if look is None:
        return Patches(words, why="too small")
    rows = (("white", look.white), ("middle", look.middle), ("black", look.black))
    soft = "soft not read" if look.softness is None else f"soft {look.softness:.1f}"
    return Patches(words, tuple((n, (float(c[0]), float(c[1]), float(c[2]))) for n, c in rows), (f"grain {look.grain:.1f}", soft))


def _reading(name: str, difference: float | None) -> Reading:
    limit, unit = LIMITS[name]
    if difference is None:
        return Reading(name, None, unit, limit, note="no edge to read softness from")
    return Reading(name, abs(difference), unit, limit, note=f"{difference:+.2f} {unit}")


def grade_of(params: MatchParams) -> Grade:
    """The grade at the strength that is set."""
    s = params.strength
    gain = tuple(1 + s * (g - 1) for g in params.gain)
    lift = tuple(s * v for v in params.lift)
    power = tuple(1 + s * (v - 1) for v in params.power)
    return Grade(
        (gain[0], gain[1], gain[2]),
        (lift[0], lift[1], lift[2]),
        params.grain,
        params.soften,
        (power[0], power[1], power[2]),
        params.grains,
        tuple((x, x + s * (y - x)) for x, y in params.zones),
        params.colour_soften,
        params.corners,
        params.law if len(params.law) == 3 else (),
    )


def _look(picture: Array) -> Look | None:
    return measure_look(picture[..., :3], picture[..., 3] > 0.98)


def _plate_look(plate: Array) -> Look | None:
    return measure_look(plate[..., :3], np.ones(plate.shape[:2], bool))


def _graded(look: Look, g: Grade) -> Look:
    """What a grade would make of a look."""

    def c(v: Array) -> Array:
        return np.maximum(np.asarray(v) * g.gain + g.lift, 0)

    grain = float(np.hypot(look.grain, g.grain))
    soft = float(np.hypot(look.softness, g.soften)) if look.softness is not None else None
    colour = (
        float(np.hypot(np.hypot(look.colour_softness, g.soften), g.colour_soften)) if look.colour_softness is not None else None
    )
    return Look(c(look.black), c(look.middle), c(look.white), grain, soft, colour)


def _reason(subject: Look, plate: Look) -> str:
    black = np.log2(max(float(plate.black.mean()), 1e-4) / max(float(subject.black.mean()), 1e-4))
    grain = f"grain {subject.grain:.1f} against {plate.grain:.1f} levels"
    side = "below" if black > 0 else "above"
    soft = f"edges {_soft_words(subject)} against {_soft_words(plate)}"
    return f"Blacks lie {abs(black):.1f} stops {side} the plate's; {soft}, {grain}."


def _soft_words(look: Look) -> str:
    return f"{look.softness:.1f} px soft" if look.softness is not None else "not to be read (no edge)"
