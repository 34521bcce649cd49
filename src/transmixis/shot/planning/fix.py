"""Fix it there or later?"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from transmixis.core.plan.cautions import HEIGHT, ROPES
from transmixis.core.plan.estimate import Hours, Work, adjusted, hours_for, there_or_later
from transmixis.shot.model import Film, Shot
from transmixis.shot.planning.contract import Answer, Entry, Question
from transmixis.shot.planning.work import NOTHING_LEARNT, USUAL, learnt, scenario_of
from transmixis.shot.steps.params import Params, choice, number, words

REPAIRS = ("paint", "clean plate patch", "roto", "cut by hand", "key", "track")


class FixParams(Params):
    what: str = words("", "What", "The thing that is in the way: a stand, a smear on the lens, a sign.")
    repair: str = choice("paint", REPAIRS, "Repaired by", "How it would be mended afterwards.")
    minutes: float = number(3.0, 0.0, 600.0, "min", "Mending it there", "Minutes in which the set waits.", step=1)
    people: float = number(6.0, 1.0, 200.0, "", "People waiting", "Everybody who stands by meanwhile.", step=1)
    frames: float = number(0.0, 0.0, 100_000.0, "frames", "Frames to repair", "0 is the whole shot.", step=1)
    edge: float = number(0.3, 0.05, 6.0, "× width", "Edge length", "Of the thing, in widths of the frame.", step=0.05)
    motion: float = number(0.3, 0.0, 1.0, "", "Motion", "0 stands still, 1 crosses the frame in a second.", step=0.05)
    takes: float = number(1.0, 1.0, 30.0, "", "Takes that show it", "Each take that is used must be repaired.", step=1)
    fails: float = number(
        0.25, 0.0, 1.0, "%", "Done twice", "Chance that the repair is seen and must be done again.", percent=True
    )


@dataclass(frozen=True)
class FixDrawing:
    """Person-hours there; hours after, their deviation, and the hours if it must be done twice."""

    there: float
    later: float
    deviation: float
    twice: float


class FixQuestion(Question):
    kind, title = "fix", "Fix it there or later?"
    says = "Minutes in which the set waits against hours of repair afterwards, and the risk that they are spent twice."
    Params = FixParams

    def answer(self, params: Any, shot: Shot) -> Answer:
        return self.within(params, shot, None)

    def within(self, params: Any, shot: Shot, film: Film | None) -> Answer:
        p = params
        scenario, known = (scenario_of(film), learnt(film)) if film else (USUAL, {})
        frames = round(p.frames) or shot.length
        one = adjusted(
            hours_for(Work(p.repair, frames, p.edge, p.motion, quality=scenario.quality)), known.get(p.repair, NOTHING_LEARNT)
        )
        after = Hours(one.mean * p.takes, one.deviation * p.takes)
        found = there_or_later(p.minutes, round(p.people), after, p.fails)
        there = found.saved > 0
        name = p.what.strip() or "it"
        return Answer(
            f"Mend {name} {'there' if there else 'later'}: {found.there:.1f} person-hours there, {found.later:.1f} h after, give or take {after.deviation:.1f}.",
            (),
            (
                ("there", f"{p.minutes:g} min × {p.people:g} people"), ("after, once", f"{after.mean:.1f} h"),
                ("if done twice", f"{2 * after.mean:.1f} h"), ("costs the same at", f"{60 * found.later / p.people:.0f} min on the set"),
                ("frames", f"{frames}" + (f" × {p.takes:g} takes" if p.takes > 1 else "")),
            ),
            cautions=(ROPES, HEIGHT, "A rig that keeps somebody safe is never taken away for the picture: that is repaired afterwards."),
            entries=(Entry(f"stop and mend {name} before the take", f"{p.minutes:g} minutes against {found.later:.1f} hours", True),) if there else (
                Entry(f"a clean plate of what is behind {name}", "it is repaired afterwards from that", True),),
            drawing=FixDrawing(found.there, after.mean, after.deviation, 2 * after.mean),
        )  # fmt: skip
