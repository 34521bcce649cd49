"""A shot's tasks and their hours: taken from its work order and tricks, estimated, and bettered by what this film has taken so far."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

from transmixis.core.plan.estimate import Hours, Learnt, adjusted, hours_for, learn, together
from transmixis.core.plan.estimate import Work as Kind
from transmixis.core.plan.takes import TRICKS, take_list
from transmixis.shot.model import Film, Shot
from transmixis.shot.office import Scenario, Work
from transmixis.shot.record import STAGES, Stage
from transmixis.shot.steps import kind_of

BY_HAND = 0.3  # deviation of hours that were set by hand, as a share (judgement)
LEAST_LEFT = 0.1  # of an estimate that is spent while the task is not done

STAGE_OF_KIND: dict[str, Stage] = {
    "key": "Matte", "cut by hand": "Matte", "roto": "Matte", "track": "Motion", "camera solve": "Motion", "paint": "Repair",
    "clean plate patch": "Repair", "place and match": "Build", "element": "Build", "set extension": "Build", "check": "Check",
}  # fmt: skip
FREEZE = "freeze a moment and move it"
# what a trick asks for beyond its steps
KINDS_OF_TRICK: dict[str, tuple[str, ...]] = {
    "float or throw an object": ("cut by hand", "clean plate patch"), "remove a rig, person, sign, marker or reflection": ("clean plate patch",),
    "duplicate a performer": ("roto",), FREEZE: ("cut by hand",), "transform one thing into another": ("roto",),
    "attach an element to a hand or tool": ("track", "element"), "put a picture on a screen or visor": ("track",),
    "extend the set": ("camera solve", "set extension"), "replace the sky or a window": ("roto",), "light that the added thing gives": ("element",),
}  # fmt: skip
USUAL = Scenario(name="the film")
NOTHING_LEARNT = learn([])  # kept: it is asked for with every task of every shot


@dataclass(frozen=True)
class Spent:
    """Hours of a stage or a shot: what it took so far, what it should take in all with its deviation, and whether it is done."""

    spent: float
    hours: Hours
    done: bool


def scenario_of(film: Film) -> Scenario:
    """The version that is worked towards."""
    all_ = film.production.scenarios
    return next((s for s in all_ if s.name == film.production.scenario), all_[0] if all_ else USUAL)


def work_from(shot: Shot) -> tuple[Work, ...]:
    """Tasks from the work order, the tricks of the plan, and the camera; in the order of the stages."""
    tricks = tuple(t for t in shot.plan.get("takes", {}).get("tricks", ()) if t in TRICKS)
    camera = str(shot.plan.get("takes", {}).get("camera", "locked off"))
    kinds = [kind_of(s.kind).work for s in shot.steps]
    if not shot.steps:
        kinds += take_list(tricks, camera).work
    kinds += [k for t in tricks for k in KINDS_OF_TRICK.get(t, ())]
    if camera in ("moving", "hand-held") and "camera solve" not in kinds:
        kinds.append("track")
    wanted = [k for k in dict.fromkeys(kinds) if k and k != "check"]
    made = [_work(k, tricks) for k in wanted]
    made.append(Work(id="check", stage="Check", kind="check", name="look at every frame"))
    return tuple(sorted(made, key=lambda w: STAGES.index(w.stage)))


def _work(kind: str, tricks: tuple[str, ...]) -> Work:
    """What is only cut out to freeze it is cut on one frame."""
    once = kind == "cut by hand" and set(tricks) & {t for t, ks in KINDS_OF_TRICK.items() if kind in ks} == {FREEZE}
    return Work(id=kind.replace(" ", "_"), stage=STAGE_OF_KIND[kind], kind=kind, name=kind, frames=1 if once else None)


def tasks_in(shot: Shot) -> tuple[Work, ...]:
    """A shot's tasks: those that are kept, else those that its work order asks for; none where hours were set by hand instead."""
    return shot.work or (work_from(shot) if shot.hours_estimate is None else ())


def with_work_from_order(shot: Shot) -> Shot:
    """The shot with the tasks of its work order; those that it has already keep what was set and spent."""
    have = {w.id: w for w in shot.work}
    fresh = [have.pop(w.id, w) for w in work_from(shot)]
    kept = [*fresh, *have.values()]
    return shot.model_copy(update={"work": tuple(sorted(kept, key=lambda w: STAGES.index(w.stage)))})


def with_work(shot: Shot, work: Work) -> Shot:
    """The shot with one task replaced."""
    return shot.model_copy(update={"work": tuple(work if w.id == work.id else w for w in shot.work)})


def with_more(shot: Shot, work: Work) -> Shot:
    """The shot with one more task, among those of its stage."""
    return shot.model_copy(update={"work": tuple(sorted((*shot.work, work), key=lambda w: STAGES.index(w.stage)))})


def without_moves(film: Film) -> Film:
    """The film with every task free again: whoever is free, as early as can be."""
    shots = tuple(
        s.model_copy(update={"work": tuple(w.model_copy(update={"who": (), "not_before": ""}) for w in s.work)})
        for s in film.shots
    )
    return film.model_copy(update={"shots": shots})


def raw_hours(work: Work, shot: Shot, scenario: Scenario) -> Hours:
    """Three-point hours of a task before anything was learnt."""
    p = shot.plan.get("estimate", {})
    number = {k: float(p.get(k, d)) for k, d in (("edge", 1.0), ("motion", 0.3), ("blur", 0.2), ("layers", 1.0))}
    frames = work.frames or shot.length
    return hours_for(
        Kind(work.kind, frames, number["edge"], number["motion"], number["blur"], round(number["layers"]), scenario.quality)
    )


def as_finished(work: Work, shot: Shot, film: Film, day: str) -> Work:
    """The task done on a day, with what the rates said of it then: later changes of the shot or the version do not change what it
    teaches."""
    return work.model_copy(update={"done": True, "finished": day, "estimated": raw_hours(work, shot, scenario_of(film)).mean})


def said_by_rates(work: Work, shot: Shot, film: Film) -> float:
    """Hours that the rates say, or said when the task was done."""
    return work.estimated if work.done and work.estimated else raw_hours(work, shot, scenario_of(film)).mean


def learnt(film: Film) -> dict[str, Learnt]:
    """What this film's finished tasks say of each kind of work."""
    by_kind: dict[str, list[tuple[float, float]]] = {}
    for shot, w in finished(film):
        by_kind.setdefault(w.kind, []).append((said_by_rates(w, shot, film), w.spent))
    return {k: learn(v) for k, v in by_kind.items()}


def finished(film: Film) -> list[tuple[Shot, Work]]:
    """Finished tasks with hours, in the order in which they were finished."""
    done = [(s, w) for s in film.shots for w in s.work if w.done and w.spent > 0]
    return sorted(done, key=lambda d: (d[1].finished, d[0].code))


def record(film: Film) -> list[tuple[str, float, float, float]]:
    """Each finished task: its shot, the hours it took, the estimate without and with what had been learnt until then."""
    out: list[tuple[str, float, float, float]] = []
    so_far: dict[str, list[tuple[float, float]]] = {}
    for shot, w in finished(film):
        raw = said_by_rates(w, shot, film)
        known = so_far.setdefault(w.kind, [])
        out.append((shot.code, w.spent, raw, raw * learn(known).factor))
        known.append((raw, w.spent))
    return out


def hours_of(work: Work, shot: Shot, scenario: Scenario, known: dict[str, Learnt]) -> Hours:
    """Hours that a task should take in all."""
    return adjusted(raw_hours(work, shot, scenario), known.get(work.kind, NOTHING_LEARNT))


def left_of(work: Work, hours: Hours) -> float:
    """Hours still to be worked."""
    return 0.0 if work.done else max(hours.mean - work.spent, LEAST_LEFT * hours.mean)


def stage_hours(film: Film, shot: Shot, known: dict[str, Learnt] | None = None) -> dict[str, Spent]:
    """Hours by stage, of stages that have tasks. Of a shot that was delivered nothing is left: it took what it took."""
    known = learnt(film) if known is None else known
    scenario = scenario_of(film)
    by_stage: dict[str, list[Work]] = {}
    for w in tasks_in(shot):
        by_stage.setdefault(w.stage, []).append(w)
    return {s: _sum(ws, shot, scenario, known) for s, ws in by_stage.items()}


def _sum(ws: Iterable[Work], shot: Shot, scenario: Scenario, known: dict[str, Learnt]) -> Spent:
    ws = list(ws)
    hours = together([expected(w, hours_of(w, shot, scenario, known), bool(shot.delivered)) for w in ws])
    return Spent(sum(w.spent for w in ws), hours, bool(shot.delivered) or all(w.done for w in ws))


def expected(w: Work, hours: Hours, delivered: bool = False) -> Hours:
    """A task that is done, or whose shot was delivered, takes what it took."""
    if w.done or delivered:
        return Hours(w.spent, 0.0)
    return Hours(max(hours.mean, w.spent + left_of(w, hours)), hours.deviation)


def shot_hours(film: Film, shot: Shot, known: dict[str, Learnt] | None = None) -> Spent:
    """Hours of a whole shot; without tasks, those that were set by hand."""
    if not tasks_in(shot):
        by_hand = shot.hours_estimate or 0.0
        whole = Hours(shot.hours_spent, 0.0) if shot.delivered else Hours(by_hand, BY_HAND * by_hand)
        return Spent(shot.hours_spent, whole, bool(shot.delivered))
    return _sum(tasks_in(shot), shot, scenario_of(film), learnt(film) if known is None else known)


def left_in(film: Film, shot: Shot, known: dict[str, Learnt] | None = None) -> float:
    """Hours still to be worked on a shot."""
    if shot.delivered:
        return 0.0
    if not tasks_in(shot):
        return max((shot.hours_estimate or 0.0) - shot.hours_spent, 0.0)
    known = learnt(film) if known is None else known
    scenario = scenario_of(film)
    return math.fsum(left_of(w, hours_of(w, shot, scenario, known)) for w in tasks_in(shot))
