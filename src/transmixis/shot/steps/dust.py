"""Dust: takes spots on the sensor out of a plate."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from typing import Any

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.plot import Plot
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.repair.dusting import HIDES, filled, put_light_back
from transmixis.core.survey.dust import Spot, depths_left, frames_apart, half_log
from transmixis.core.survey.findings import spots_words
from transmixis.shot.contract import Analysis, Effect, Handle, Inputs, Product, Proposal, Slot, StepKind
from transmixis.shot.steps.marks import SPOT
from transmixis.shot.steps.params import Params, choice, hidden, number

SPOTS = "Hold Ctrl and press to set a spot, drag it or its rim, right press takes it away."
LIFT, FILL = "put the light back", "fill from around"


BY_HAND = (
    "By hand: hold Ctrl and press the picture to set a spot; drag it to its place, drag its rim to size it; "
    "a right press on it takes it away. Such spots are filled from around."
)


class DustParams(Params):
    how: str = choice(
        LIFT, (LIFT, FILL), "How", "Putting the light back keeps the picture under the spot; filling invents it from around."
    )
    strength: float = number(0.0, 0.0, 1.0, "%", "Strength", "How much of the missing light is put back.", percent=True)
    by_hand: tuple[tuple[float, float, float], ...] = hidden(())  # x, y, radius px of spots set by hand; these are filled


class DustOut(StepKind[DustParams]):
    kind, title, stage, product, version = "dust", "Dust", "Survey", "picture", 2
    says = "takes spots on the sensor out"
    mends_topics = ("dust",)
    roles = ("mended",)
    work = "clean plate patch"
    tools = ("spots",)

    def handles(self, inputs: Inputs, params: DustParams, frame: int) -> tuple[Handle, ...]:
        survey = inputs.survey_if_there("plate")
        found = [(d.x, d.y, d.radius) for d in survey.dust.spots] if survey else []
        return (Handle("spots", "by_hand", "Spots", SPOTS, params.by_hand, live=False, facts={"found": found}),)

    plots = "frame"

    def plot(self, inputs: Inputs, params: DustParams, frame: int) -> Plot:
        count = len(params.by_hand)
        return Plot("", "", (), f"{count} set by hand. {BY_HAND}" if count else BY_HAND, "above")

    slots = (Slot("plate", "the plate with the spots"),)
    mends = True
    Params = DustParams
    keeps_pixels = True
    other_frames = True
    analyses = True
    analysis_params = ("how", "strength", "by_hand")
    analyses_product = True

    def compute(self, inputs: Inputs, params: DustParams, frame: int) -> Product:
        picture = inputs.picture("plate", frame)
        dust = inputs.survey("plate").dust
        hand = [Spot(x, y, r, 1.0) for x, y, r in params.by_hand]
        if params.strength > 0 and dust.spots:
            hiding = [s for s in dust.spots if s.depth > HIDES or params.how == FILL]
            if params.how == LIFT:
                picture = put_light_back(picture, dust.lack, params.strength)
            hand = hiding + hand
        return Product(picture=filled(picture, hand, seed=frame) if hand else picture)

    def analyse(self, inputs: Inputs, params: DustParams, progress: Progress) -> Analysis:
        """What is left of every spot on the mended pictures, as a share of the light (k,), nan where it cannot be told."""
        return {"left": np.array(self._left(inputs, lambda n: inputs.own(n).picture, progress), float)}

    def _mended(self, inputs: Inputs, params: DustParams) -> Callable[[int], Any]:
        return lambda n: self.compute(inputs, params, n).picture

    def _left(self, inputs: Inputs, picture_of: Callable[[int], Any], progress: Progress) -> list[float]:
        survey = inputs.survey("plate")
        chosen = frames_apart(survey.path.x, survey.path.y)
        logs, moves = [], []
        for i, k in enumerate(chosen):
            progress.at(i, len(chosen), "measuring what is left of the dust")
            with contextlib.suppress(UserError):  # a frame that cannot be read says nothing
                picture = picture_of(k + 1)
                assert picture is not None
                logs.append(half_log(picture))
                moves.append(survey.path.similarity(k).scaled(0.5))
        spots = survey.dust.spots
        return list(depths_left(logs, moves, spots)) if spots and len(logs) >= 4 else [np.nan] * len(spots)

    def read(self, inputs: Inputs, params: DustParams, product: Product, frame: int) -> list[Reading]:
        dust = inputs.survey("plate").dust
        if dust.reason and not params.by_hand:
            return [Reading("dust left", None, "%", SPOT, note=dust.reason)]
        note = f"{spots_words(len(dust.spots))} found, {len(params.by_hand)} set by hand"
        if not dust.spots:
            if not params.by_hand:
                return [Reading("dust left", 0.0, "%", SPOT, note="no spot found")]
            return [Reading("dust left", None, "%", SPOT, note=f"{note}; look at those by eye")]
        left = np.asarray(inputs.analysis()["left"])
        if not np.isfinite(left).any():
            return [Reading("dust left", None, "%", SPOT, note=f"{note}; the mended pictures cannot be laid over each other")]
        k = int(np.nanargmax(np.abs(left)))
        worst = dust.spots[k]
        note += "; measured on the mended pictures" + (", brighter than around" if left[k] < 0 else "")
        return [Reading("dust left", 100 * abs(float(left[k])), "%", SPOT, spot=_around(worst), note=note)]

    def propose(self, inputs: Inputs, params: DustParams, progress: Progress) -> Proposal | None:
        dust = inputs.survey("plate").dust
        if not dust.spots or params.strength == 1.0:
            return None
        worst = max(dust.spots, key=lambda s: s.depth)
        words = f"{spots_words(len(dust.spots))} at a fixed place of the frame; the darkest takes {100 * worst.depth:.0f} % of the light."
        full = params.model_copy(update={"strength": 1.0, "how": LIFT})
        now, then = (self._left(inputs, self._mended(inputs, p), progress) for p in (params, full))
        if not (np.isfinite(now).any() and np.isfinite(then).any()):
            return Proposal(
                {"strength": 1.0, "how": LIFT}, words, costs="What it leaves cannot be measured on this plate; look at it."
            )
        before, after = (100 * float(np.nanmax(np.abs(v))) for v in (now, then))
        if after >= before:
            return None
        return Proposal({"strength": 1.0, "how": LIFT}, words, (Effect("dust left", before, after, "%", SPOT),))


def _around(s: Spot) -> tuple[int, int, int, int]:
    """Box (x, y, w, h) px about a spot."""
    room = max(12, round(3 * s.radius))
    return (max(0, round(s.x) - room), max(0, round(s.y) - room), 2 * room, 2 * room)
