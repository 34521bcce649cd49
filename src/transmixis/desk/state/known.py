"""What is known of the shot: readings, findings, and how its stages stand."""

from __future__ import annotations

from transmixis.core.readings import FAULT, SOUND, UNKNOWN, WATCH, Reading, worst
from transmixis.desk.engine import LOOK
from transmixis.desk.spans import Finding, spans
from transmixis.desk.state.chosen import Chosen
from transmixis.shot.model import Shot
from transmixis.shot.planning import plan_state
from transmixis.shot.steps import kind_of


class Known:
    """What is known of the shot: readings, findings, and how its stages stand."""

    def __init__(self, state: Chosen) -> None:
        self._s = state
        self.readings: dict[str, dict[int, list[Reading]]] = {}
        self.stale: dict[str, dict[int, list[Reading]]] = {}  # readings before the last edit, until they are taken anew
        self.current_finding: Finding | None = None
        self._worst: dict[str, dict[int, tuple[list[Reading], Reading | None]]] = {}
        self._plan_known: tuple[Shot, tuple[str, int]] | None = None

    def forget(self) -> None:
        """Another shot, or none."""
        self.readings, self.stale, self.current_finding = {}, {}, None

    def refresh(self) -> None:
        """Readings are taken anew; those of before stay to be seen, as out of date, until then."""
        held = {sid: {**self.stale.get(sid, {}), **self.readings.get(sid, {})} for sid in {*self.stale, *self.readings}}
        self.readings, self.stale = {}, held
        renderer = self._s.renderer()
        if not renderer:
            return
        for step in renderer.shot.steps:
            self.readings[step.id] = {}

    def let_go_of_mended(self, step_id: str, n: int, readings: list[Reading]) -> None:
        """The chosen finding is chosen no longer once its worst frame reads sound."""
        f = self.current_finding
        if f and (f.step, f.worst_frame) == (step_id, n) and not any(r.name == f.reading and r.state == FAULT for r in readings):
            self.current_finding = None

    def stale_at(self, step_id: str, frame: int) -> Reading | None:
        """The worst reading of before the last edit, if it has not been taken anew yet."""
        if frame in self.readings.get(step_id, {}):
            return None
        return worst(self.stale.get(step_id, {}).get(frame, []))

    @property
    def remeasuring(self) -> int:
        """How many readings are still to be taken."""
        shot = self._s.shot
        return sum(max(0, shot.length - len(self.readings.get(s.id, {}))) for s in shot.steps if s.on) if shot else 0

    def worst_at(self, step_id: str, frame: int) -> Reading | None:
        readings = self.readings.get(step_id, {}).get(frame)
        if not readings:
            return None
        held = self._worst.setdefault(step_id, {}).get(frame)
        if held is None or held[0] is not readings:  # asked for at every repaint
            held = self._worst[step_id][frame] = (readings, worst(readings))
        return held[1]

    def worst_of(self, step_id: str) -> tuple[int, Reading] | None:
        """Frame and reading nearest to or furthest over its limit."""
        best: tuple[int, Reading] | None = None
        for n in self.readings.get(step_id, {}):
            w = self.worst_at(step_id, n)
            if w and (best is None or (w.ratio or 0) > (best[1].ratio or 0)):
                best = (n, w)
        return best

    def state_of_step(self, step_id: str) -> str:
        found = self.worst_of(step_id)
        if found:
            return found[1].state
        return UNKNOWN if self.readings.get(step_id) else "open"

    def findings(self, step_id: str = "") -> list[Finding]:
        """Faults as spans of frames, in the order of frames."""
        out: list[Finding] = []
        for sid, table in self.readings.items():
            if step_id and sid != step_id:
                continue
            names = {r.name for rs in table.values() for r in rs if r.state == FAULT}
            for name in names:
                out += spans(sid, name, table)
        return sorted(out, key=lambda f: (f.first, f.step))

    def stage_state(self, stage: str) -> tuple[str, int]:
        """Mark and number of findings of a stage in the chosen shot."""
        shot = self._s.shot
        if stage == "Plan":
            return self._plan_state(shot)
        steps = [s for s in shot.steps if kind_of(s.kind).stage == stage] if shot else []
        if not steps:
            return "none", 0
        faults = sum(len(self.findings(s.id)) for s in steps)
        states = [self.state_of_step(s.id) for s in steps]
        order = (FAULT, WATCH, UNKNOWN, "open", SOUND)
        return next(o for o in order if o in states), faults

    def _plan_state(self, shot: Shot | None) -> tuple[str, int]:
        """Mark and faults of the plan's answered questions; kept while the shot stays the same."""
        if shot is None:
            return "none", 0
        if self._plan_known is None or self._plan_known[0] is not shot:
            before = self._plan_known[1] if self._plan_known and self._plan_known[0].code == shot.code else ("open", 0)
            self._plan_known = (shot, before)
            film = self._s.session.document.film if self._s.session else None
            self._s.engine.ask(LOOK, lambda: plan_state(shot, film), lambda found: self._take_plan(shot, found), tag="plan-state")
        return self._plan_known[1]

    def _take_plan(self, shot: Shot, found: tuple[str, int]) -> None:
        self._plan_known = (shot, found)
        self._s.readings_changed.emit("plan")

    def go_to(self, finding: Finding) -> None:
        """Go to a finding's worst frame, its step, and its place in the picture."""
        self.current_finding = finding
        self._s.set_step(finding.step)
        self._s.set_frame(finding.worst_frame)
        self._s.readings_changed.emit("")

    def next_fault(self, back: bool = False, *, own: bool = False) -> None:
        """Go to the next finding of the shot, or of the chosen step's `own`; the latter from the playhead on."""
        found = self.findings(self._s.step_id if own else "")
        if not found:
            self._s.said.emit("No reading of this step is over its limit." if own else "No reading is over its limit.", "note")
            return
        if own:
            found = sorted(found, key=lambda f: f.worst_frame)
            here = self._s.frame
            ahead = [f for f in found if (f.worst_frame < here if back else f.worst_frame > here)]
            self.go_to((ahead or found)[-1 if back else 0])
            return
        at = found.index(self.current_finding) if self.current_finding in found else (0 if back else -1)
        self.go_to(found[(at + (-1 if back else 1)) % len(found)])
