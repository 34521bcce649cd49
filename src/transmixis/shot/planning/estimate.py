"""How long will it take?"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from transmixis.core.plan.estimate import Hours, simulated_learning, together
from transmixis.core.readings import Reading
from transmixis.core.types import Array
from transmixis.shot.model import Film, Shot
from transmixis.shot.planning.contract import Answer, Question
from transmixis.shot.planning.work import USUAL, expected, hours_of, learnt, record, scenario_of, shot_hours, tasks_in, work_from
from transmixis.shot.steps.params import Params, number

SURE = 50.0  # %: an estimate whose deviation is half of itself is a guess (judgement)


class EstimateParams(Params):
    edge: float = number(
        1.0, 0.05, 6.0, "× width", "Edge length", "Length of the edges that must be right, in widths of the frame.", step=0.05
    )
    motion: float = number(0.3, 0.0, 1.0, "", "Motion", "0 stands still, 1 crosses the frame in a second.", step=0.05)
    blur: float = number(0.2, 0.0, 1.0, "", "Blur and hair", "0 sharp hard edges, 1 nothing but blur, hair and smoke.", step=0.05)
    layers: float = number(1.0, 1.0, 50.0, "", "Layers", "Pictures laid over each other; a heavy shot has 30 to 50.", step=1)


@dataclass(frozen=True)
class Bar:
    """A task: name, stage, expected hours, spent, done, and how many tasks its estimate has learnt from."""

    name: str
    stage: str
    hours: Hours
    spent: float
    done: bool
    count: int


@dataclass(frozen=True)
class EstimateDrawing:
    """The tasks; the simulated production's error by shot; this film's finished tasks (took, plain estimate, with what was learnt)."""

    bars: tuple[Bar, ...]
    simulated: Array
    record: tuple[tuple[str, float, float, float], ...]


@lru_cache(maxsize=1)
def simulated() -> Array:
    """The error of a simulated production of 40 shots."""
    return simulated_learning(40, runs=400)


class EstimateQuestion(Question):
    kind, title = "estimate", "How long will it take?"
    says = "Hours of each task from frames, edges, motion and layers, bettered by what this film has taken so far."
    Params = EstimateParams
    slow = True

    def answer(self, params: Any, shot: Shot) -> Answer:
        return self.within(params, shot, None)

    def within(self, params: Any, shot: Shot, film: Film | None) -> Answer:
        p = params
        shot = shot.model_copy(update={"plan": {**shot.plan, "estimate": p.model_dump()}})
        scenario, known = (scenario_of(film), learnt(film)) if film else (USUAL, {})
        work = tasks_in(shot) or work_from(shot)
        bars = tuple(
            Bar(
                w.name or w.kind, w.stage, expected(w, hours_of(w, shot, scenario, known), bool(shot.delivered)), w.spent, w.done,
                known[w.kind].count if w.kind in known else 0,
            )
            for w in work
        )  # fmt: skip
        by_hand = not tasks_in(shot)
        of_order = together([b.hours for b in bars])
        total = shot_hours(film, shot, known).hours if film and by_hand else of_order  # the board says the same
        spent = shot.hours_spent if by_hand else sum(b.spent for b in bars)
        unsure = 100 * total.deviation / max(total.mean, 1e-9)
        past = tuple(record(film)) if film else ()
        off = _mean_error(past)
        heaviest = max(bars, key=lambda b: b.hours.mean)
        return Answer(
            f"{total.mean:.1f} h, give or take {total.deviation:.1f} h; " + (f"set by hand, {of_order.mean:.1f} h by the work order." if by_hand else f"most of it {heaviest.name}."),
            (
                Reading("unsure by", unsure, "%", SURE, note="of the whole; it falls as tasks are finished and their hours set"),
                *(() if shot.delivered else (Reading("spent", spent, "h", max(total.mean, 0.1), note="of what it should take in all"),)),
            ),
            (
                ("version", f"{scenario.name}, quality {scenario.quality:.1f}"), ("to plan with", f"{total.mean + total.deviation:.1f} h"),
                ("learnt from", f"{len(past)} finished task{'s' if len(past) != 1 else ''} of this film"),
                *((("error so far", off),) if off else ()),
                ("tasks", "none kept; the hours were set by hand" if by_hand else "from the work order, not kept yet" if not shot.work else f"{len(work)}, {sum(w.done for w in work)} done"),
            ),
            drawing=EstimateDrawing(bars, simulated(), past),
        )  # fmt: skip


def _mean_error(past: tuple[tuple[str, float, float, float], ...]) -> str:
    """Mean error of the plain estimate and of the one that had learnt."""
    if len(past) < 2:
        return ""
    plain = sum(abs(r[2] - r[1]) / r[1] for r in past) / len(past)
    taught = sum(abs(r[3] - r[1]) / r[1] for r in past) / len(past)
    return f"{100 * plain:.0f} % by the rates, {100 * taught:.0f} % having learnt"
