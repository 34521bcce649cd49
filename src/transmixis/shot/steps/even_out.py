"""Even out: takes flicker, drift of exposure and drift of colour out of a plate."""

from __future__ import annotations

import numpy as np

from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.repair.evening import factors, target_stops
from transmixis.core.survey.exposure import measure_drift
from transmixis.core.survey.findings import EXPOSURE, FLICKER
from transmixis.core.survey.plate import PlateSurvey
from transmixis.core.types import Array
from transmixis.shot.contract import Effect, Inputs, Product, Proposal, Slot, StepKind
from transmixis.shot.steps.params import Params, choice, number

LEFT = 0.005  # stops: a third of a per cent, below what a difference of two frames shows (docs/limits.md)
ONLY_FLICKER, ALL = "flicker only", "flicker and drift"


class EvenParams(Params):
    takes: str = choice(ALL, (ALL, ONLY_FLICKER), "Takes out", "Flicker only keeps a slow change that is wanted, like a sunset.")
    channels: str = choice(
        "each by itself", ("each by itself", "all alike"), "Channels", "Each by itself also takes colour drift out."
    )
    anchor: float = number(1, 1, 1_000_000, "frame", "Anchor", "The frame whose exposure and colour all others get.", step=1)
    second: float = number(
        0, 0, 1_000_000, "frame", "Second anchor", "0: none. Else it runs evenly from the first anchor to this frame.", step=1
    )
    strength: float = number(0.0, 0.0, 1.0, "%", "Strength", "How much of the difference is taken out.", percent=True)


class EvenOut(StepKind[EvenParams]):
    kind, title, stage, product, version = "even_out", "Even out", "Survey", "picture", 3
    says = "takes flicker and drift out"
    mends_topics = ("exposure", "colour")
    roles = ("mended",)
    slots = (Slot("plate", "the plate to even out"),)
    mends = True
    Params = EvenParams
    reads_other_frames = True
    keeps_pixels = True
    other_frames = True

    def compute(self, inputs: Inputs, params: EvenParams, frame: int) -> Product:
        picture = inputs.picture("plate", frame)
        gains = gain_table(inputs.survey("plate"), params)
        gain = gains[min(frame, len(gains)) - 1]  # a still has one row, which stands for all frames
        if np.allclose(gain, 1):
            return Product(picture=picture)
        out = np.array(picture, np.float32)
        out[..., :3] *= gain
        return Product(picture=out)

    def read(self, inputs: Inputs, params: EvenParams, product: Product, frame: int) -> list[Reading]:
        """Measured on the evened pictures: against the evened anchor, or against the neighbour where drift is kept."""
        assert product.picture is not None
        survey = inputs.survey("plate")
        keep = params.takes == ONLY_FLICKER
        other = frame - 1 if keep else min(int(params.anchor), survey.count)
        if other < 1 or (keep and frame == 1) or survey.count == 1:
            return [Reading("unevenness left", 0.0, "stops", LEFT)]
        path = survey.path
        move = (
            path.similarity(frame - 1).after(path.similarity(other - 1).inverse())
            if path.known[[frame - 1, other - 1]].all()
            else None
        )
        d = measure_drift(inputs.own(other).picture, product.picture, move)  # type: ignore[arg-type]
        if not d:
            return [Reading("unevenness left", None, "stops", LEFT, note=d.reason)]
        wanted = _wanted_step(survey, params, frame, other)
        left = abs(d.exposure - wanted)
        out = [Reading("unevenness left", left, "stops", LEFT, note=f"against frame {other}")]
        if params.channels == "each by itself" and not keep:
            out.append(Reading("colour left", d.colour, "stops", 2 * LEFT))
        return out

    def propose(self, inputs: Inputs, params: EvenParams, progress: Progress) -> Proposal | None:
        survey = inputs.survey("plate")
        if survey.gains.reason:
            return None
        flicker, drift = _worst(survey.flicker), _worst(survey.gains.against(1))
        if flicker < FLICKER and drift < EXPOSURE:
            return None
        takes = ONLY_FLICKER if drift > 6 * max(flicker, FLICKER) else ALL
        anchor = _most_usual(survey)
        now = _left(survey, params)
        if params.strength == 1.0 and now < FLICKER / 2:
            return None  # as good as it gets, whatever frame a person has chosen as the anchor
        then = _left(survey, params.model_copy(update={"takes": takes, "anchor": anchor, "strength": 1.0}))
        why = (
            f"Flickers by up to {flicker:.3f} stops and drifts by {drift:.2f}; frame {anchor} lies nearest to the middle of both."
        )
        costs = (
            "A slow change that is not wanted stays; choose flicker and drift to take it out." if takes == ONLY_FLICKER else ""
        )
        return Proposal(
            values={"takes": takes, "anchor": anchor, "strength": 1.0, "channels": "each by itself"}, reason=why,
            effects=(Effect("flicker", now, then, "stops", FLICKER),), costs=costs, frames=(1, survey.count),
        )  # fmt: skip


def gain_table(survey: PlateSurvey, params: EvenParams) -> Array:
    """What every frame is multiplied by (n, 3)."""
    anchors = [int(params.anchor)] + ([int(params.second)] if params.second >= 1 else [])
    target = target_stops(survey.gains, survey.rate, anchors, keep_drift=params.takes == ONLY_FLICKER)
    return factors(survey.gains, target, params.strength, by_channel=params.channels == "each by itself")


def _wanted_step(survey: PlateSurvey, params: EvenParams, frame: int, other: int) -> float:
    """How much brighter `frame` should be than `other` after evening out, stops."""
    anchors = [int(params.anchor)] + ([int(params.second)] if params.second >= 1 else [])
    target = target_stops(survey.gains, survey.rate, anchors, keep_drift=params.takes == ONLY_FLICKER)
    return float((target[frame - 1] - target[other - 1]).mean())


def _left(survey: PlateSurvey, params: EvenParams) -> float:
    """The largest flicker that the settings leave, from the gains alone."""
    table = np.log2(gain_table(survey, params)) + survey.gains.stops
    rest = table - survey.gains.trend(survey.rate) if params.takes == ONLY_FLICKER else table - np.nanmedian(table, axis=0)
    return _worst(rest)


def _worst(stops: Array) -> float:
    mean = stops.mean(axis=1)
    return float(np.nanmax(np.abs(mean))) if np.isfinite(mean).any() else 0.0


def _most_usual(survey: PlateSurvey) -> int:
    away = np.abs(survey.gains.stops - np.nanmedian(survey.gains.stops, axis=0)).sum(axis=1)
    return int(np.nanargmin(away)) + 1
