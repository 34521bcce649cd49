"""Dust: takes spots on the sensor out of a plate."""

from __future__ import annotations

from typing import Any

from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.repair.dusting import HIDES, filled, put_light_back
from transmixis.core.survey.dust import Spot
from transmixis.core.survey.findings import spots_words
from transmixis.shot.contract import Effect, Inputs, Product, Proposal, Slot, StepKind
from transmixis.shot.steps.marks import SPOT
from transmixis.shot.steps.params import Params, choice, hidden, number

LIFT, FILL = "put the light back", "fill from around"


class DustParams(Params):
    how: str = choice(
        LIFT, (LIFT, FILL), "How", "Putting the light back keeps the picture under the spot; filling invents it from around."
    )
    strength: float = number(0.0, 0.0, 1.0, "%", "Strength", "How much of the missing light is put back.", percent=True)
    by_hand: tuple[tuple[float, float, float], ...] = hidden(())  # x, y, radius px of spots set by hand; these are filled


class DustOut(StepKind):
    kind, title, stage, product = "dust", "Dust", "Survey", "picture"
    says = "takes spots on the sensor out"
    slots = (Slot("plate", "the plate with the spots"),)
    mends = True
    Params = DustParams
    other_frames = True

    def compute(self, inputs: Inputs, params: Any, frame: int) -> Product:
        picture = inputs.picture("plate", frame)
        dust = inputs.survey("plate").dust
        hand = [Spot(x, y, r, 1.0) for x, y, r in params.by_hand]
        if params.strength > 0 and dust.spots:
            hiding = [s for s in dust.spots if s.depth > HIDES or params.how == FILL]
            if params.how == LIFT:
                picture = put_light_back(picture, dust.lack, params.strength)
            hand = hiding + hand
        return Product(picture=filled(picture, hand, seed=frame) if hand else picture)

    def read(self, inputs: Inputs, params: Any, product: Product, frame: int) -> list[Reading]:
        dust = inputs.survey("plate").dust
        if dust.reason and not params.by_hand:
            return [Reading("dust left", None, "%", SPOT, note=dust.reason)]
        deepest = max((s.depth for s in dust.spots), default=0.0)
        left = 0.0 if params.how == FILL and params.strength > 0 else 1 - (1 - deepest) ** (1 - params.strength)
        return [
            Reading(
                "dust left",
                100 * left,
                "%",
                SPOT,
                note=f"{spots_words(len(dust.spots))} found, {len(params.by_hand)} set by hand; by the settings, survey the mended plate to measure it",
            )
        ]

    def propose(self, inputs: Inputs, params: Any, progress: Progress) -> Proposal | None:
        dust = inputs.survey("plate").dust
        if not dust.spots or params.strength == 1.0:
            return None
        worst = max(dust.spots, key=lambda s: s.depth)
        words = f"{spots_words(len(dust.spots))} at a fixed place of the frame; the darkest takes {100 * worst.depth:.0f} % of the light."
        now = 100 * (1 - (1 - worst.depth) ** (1 - params.strength))
        return Proposal({"strength": 1.0, "how": LIFT}, words, (Effect("dust left", now, 0.0, "%", SPOT),))
