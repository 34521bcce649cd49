"""Do two set-ups agree? Background and foreground, or two takes of one thing, as filmed by two cameras."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

from transmixis.core.plan.cautions import of_height
from transmixis.core.plan.lens import field_of_view
from transmixis.core.plan.setups import Setup, compared, horizon, left_bare
from transmixis.core.readings import Reading
from transmixis.shot.model import Shot
from transmixis.shot.planning.contract import Answer, Entry, PlanProposal, Question
from transmixis.shot.steps.params import Params, number

DISTANCE_LIMIT = 10.0  # %: further, and the figure's shape differs from what its ground says (judgement)
HEIGHT_LIMIT = 5.0  # %
HORIZON_LIMIT = 1.0  # % of the frame's height (judgement)
BARE = 1.0  # %: an enlarging of so little is not seen, and covers them (judgement)
ENLARGED = 25.0  # %: common practice for material beside untouched material


def _side(words: str, focal: float, distance: float, height: float, tilt: float) -> tuple[Any, ...]:
    return (
        number(focal, 4.0, 400.0, "mm", f"{words} lens", "Focal length.", step=1),
        number(24.0, 3.0, 60.0, "mm", f"{words} sensor", "Width of the part of the sensor that is recorded.", step=0.1),
        number(distance, 0.1, 500.0, "m", f"{words} distance", "From the camera to where the subject stands.", step=0.1),
        number(height, 0.0, 100.0, "m", f"{words} height", "Of the camera over the ground where the subject stands.", step=0.05),
        number(tilt, -80.0, 80.0, "°", f"{words} tilt", "Down is above zero.", step=0.5),
    )


_B, _F = _side("First", 35.0, 6.0, 1.5, 4.0), _side("Second", 50.0, 6.5, 1.2, 0.0)


class SetupsParams(Params):
    first_focal: float = _B[0]
    first_sensor: float = _B[1]
    first_distance: float = _B[2]
    first_height: float = _B[3]
    first_tilt: float = _B[4]
    second_focal: float = _F[0]
    second_sensor: float = _F[1]
    second_distance: float = _F[2]
    second_height: float = _F[3]
    second_tilt: float = _F[4]
    second_pixels: float = number(
        0.0, 0.0, 20000.0, "px", "Second recorded", "Pixels across that its camera records; 0: as many as the shot has.", step=10
    )
    scale: float = number(1.0, 1.0, 200.0, ": 1", "Second is made", "1 is full size; a model of 1 : 6 is 6.", step=1)


@dataclass(frozen=True)
class SetupsDrawing:
    """Both set-ups (the second at full size), and where each has its horizon (0 top, 1 bottom of the frame)."""

    first: Setup
    second: Setup
    horizons: tuple[float, float]


class SetupsQuestion(Question):
    kind, title = "setups", "Do the two set-ups agree?"
    says = "Background and foreground join when both cameras stood at one distance, height and tilt; the lens only crops."
    Params = SetupsParams

    def answer(self, params: Any, shot: Shot) -> Answer:
        p = params
        first = Setup(p.first_focal, p.first_sensor, p.first_distance, p.first_height, p.first_tilt)
        second = Setup(p.second_focal, p.second_sensor, p.second_distance * p.scale, p.second_height * p.scale, p.second_tilt)
        shape = shot.height / shot.width
        found = compared(first, second, shape)
        pixels = found.enlarge * shot.width / (p.second_pixels or shot.width)
        bare, side = left_bare(first, second, shape)
        readings = (
            Reading("distance apart", found.distance, "%", DISTANCE_LIMIT, note="perspective follows from the distance alone"),
            Reading(
                "height apart", found.height, "%", HEIGHT_LIMIT, note="of the distance: the ground is seen from another height"
            ),
            Reading(
                "horizon apart",
                found.horizon,
                "%",
                HORIZON_LIMIT,
                note="of the frame's height, after the second is brought to size",
            ),
            Reading(
                "enlarged by",
                max(pixels - 1, 0) * 100,
                "%",
                ENLARGED,
                note="its pixels, for the subject to come out alike in size",
            ),
            Reading("left bare", 100 * bare, "%", BARE, note=f"of the frame, at its {side}: the second does not reach there"),
        )
        agrees = all((r.ratio or 0) < 1 for r in readings)
        lens = first.focal / first.sensor * second.sensor
        proposal = None if agrees else self._proposal(p, first, lens)
        angles = [field_of_view(s.sensor, s.focal) for s in (first, second)]
        return Answer(
            "Yes: they join." if agrees else "No. " + "; ".join(f"{r.name} {r.value:.0f} {r.unit}" for r in readings if (r.ratio or 0) >= 1 and r.value is not None) + ".",
            readings,
            (
                ("angles of view", f"{angles[0]:.1f}° and {angles[1]:.1f}°"), ("bring the second to", f"{100 * pixels:.1f} % of its size"),
                ("horizons", " and ".join("out of the frame" if not 0 <= h <= 1 else f"{100 * h:.0f} % down" for h in (horizon(first, shape), horizon(second, shape)))),
                ("camera of the second", f"{second.distance / p.scale:.2f} m away, {second.height / p.scale:.2f} m up"),
            ),
            entries=(
                Entry("tape measure, level and lens noted for both set-ups", "distance, height and tilt cannot be told afterwards", True),
                Entry(f"second set-up: lens {second.focal:g} mm, {p.second_distance:g} m away, {p.second_height:g} m up, tilted {p.second_tilt:g}°", "perspective of the first", setting=True),
            ),
            cautions=of_height(max(p.first_height, p.second_height)),
            proposal=proposal,
            drawing=SetupsDrawing(first, second, (horizon(first, shape), horizon(second, shape))),
        )  # fmt: skip

    def _proposal(self, p: Any, first: Setup, lens: float) -> PlanProposal | None:
        """The first's set-up at the second's scale; none where that lies beyond what can be set."""
        values: dict[str, Any] = {
            "second_distance": round(first.distance / p.scale, 3), "second_height": round(first.height / p.scale, 3),
            "second_tilt": first.tilt, "second_focal": math.floor(10 * lens + 1e-6) / 10,
        }  # fmt: skip
        if not self._can_be_set(p, values):
            return None
        return PlanProposal(
            values,
            f"From {values['second_distance']:g} m and {values['second_height']:g} m up, tilted {first.tilt:g}°, "
            f"a lens of {values['second_focal']:g} mm shows the same picture.",
        )
