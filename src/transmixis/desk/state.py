"""What the window is looking at: production, shot, step, frame, view. Widgets watch it and write back here."""

from __future__ import annotations

import time
from collections.abc import Callable
from itertools import chain
from pathlib import Path
from typing import Any

from pydantic import ValidationError
from PyQt6.QtCore import QObject, pyqtSignal

from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.core.readings import FAULT, SOUND, UNKNOWN, WATCH, Reading, worst
from transmixis.desk.engine import AHEAD, LOOK, MEASURE, PROPOSE, Engine
from transmixis.desk.measuring import Measuring, Taken
from transmixis.desk.office.planner import Planner
from transmixis.desk.spans import Finding, spans
from transmixis.shot.contract import Proposal, SurveyKind
from transmixis.shot.document import Document
from transmixis.shot.model import Film, Pin, Shot, Step
from transmixis.shot.pins import params_at, remove_pin, set_pin
from transmixis.shot.planning import plan_state
from transmixis.shot.record import words_of
from transmixis.shot.render import Renderer, output_ref
from transmixis.shot.session import Session
from transmixis.shot.steps import kind_of, steps_with

VIEWS = ("Plate", "Matte", "Result", "Difference", "Beside")


class State(QObject):
    """The one place where the window's choices live."""

    opened = pyqtSignal()  # another production, or none
    shot_changed = pyqtSignal()  # another shot, or the shot was edited
    frame_changed = pyqtSignal(int)
    step_changed = pyqtSignal(str)
    view_changed = pyqtSignal(str)
    readings_changed = pyqtSignal(str)  # step id; '' for all
    proposal_changed = pyqtSignal(str)
    measuring = pyqtSignal(int, int, str)  # done, total, what
    working = pyqtSignal(float, str, object)  # share, what, seconds left: of one long piece of it
    said = pyqtSignal(str, str)  # text, kind: note or trouble
    page_wanted = pyqtSignal(str)
    not_saved = pyqtSignal()  # told by the thread that writes
    trial_changed = pyqtSignal()  # what is dragged in the picture would look otherwise

    def __init__(self, engine: Engine) -> None:
        super().__init__()
        self.engine = engine
        self.session: Session | None = None
        self.code = ""
        self.frame = 1
        self.step_id = ""
        self.view = "Result"
        self.readings: dict[str, dict[int, list[Reading]]] = {}
        self._worst: dict[str, dict[int, tuple[list[Reading], Reading | None]]] = {}
        self.stale: dict[str, dict[int, list[Reading]]] = {}  # readings before the last edit, until they are taken anew
        self.proposals: dict[str, Proposal | None] = {}
        self.proposal_troubles: dict[str, str] = {}  # why none could be made
        self.folded: set[str] = set()
        self.current_finding: Finding | None = None
        self.trial: Shot | None = None
        self._plan_known: tuple[Shot, tuple[str, int]] | None = None
        self._measured = 0
        self._to_measure = 0
        self._known_before = 0
        self._asked: set[str] = set()  # steps whose proposals are being worked out
        self.stopped = False  # measuring was told to stop, and is not to go on by itself
        self._progress = Progress()
        self._told_at = 0.0
        self.planner = Planner(engine)
        engine.trouble.connect(self._trouble)
        self.not_saved.connect(self._take_back)

    # -- opening and closing

    def open(self, session: Session | None) -> None:
        """Show a production (or none); closes the one before."""
        self.close()
        self.session = session
        if session:
            session.document.watch(self._document_changed)
            session.document.save_beside(self.not_saved.emit)
            self.engine.ask(AHEAD, session.document.prime, tag="prime")
            if session.document.recovered:
                self.said.emit("The program was cut off last time; everything up to the last change is here.", "note")
            shots = session.document.film.shots
            self.code = shots[0].code if shots else ""
        self._plan_office()
        self._enter_shot()
        self.opened.emit()

    def close(self) -> None:
        # what is under way for this production must not reach the next one
        for tag in (
            "measure",
            "propose",
            "look",
            "ahead",
            "play",
            "plot",
            "survey-plot",
            "findings",
            "shelf",
            "put",
            "plan",
            "plan-state",
            "schedule",
            "report",
            "pick",
            "hands",
            "prime",
            "survey-freeze",
            "survey-join",
            "survey-clean",
            "survey-screen",
        ):
            self.engine.drop(tag)
        if self.session:
            self._try(lambda document: document.wait())
            self.session.close()
        self.session, self.code, self.step_id, self.frame = None, "", "", 1
        self._plan_office()
        self.readings, self.proposals, self.stale = {}, {}, {}

    @property
    def folder(self) -> Path | None:
        return self.session.document.folder if self.session else None

    @property
    def shot(self) -> Shot | None:
        if not self.session or not self.code:
            return None
        try:
            return self.session.document.shot(self.code)
        except KeyError:
            return None

    @property
    def step(self) -> Step | None:
        shot = self.shot
        return next((s for s in shot.steps if s.id == self.step_id), None) if shot else None

    def renderer(self) -> Renderer | None:
        """A renderer for the shot as it is now; None if there is no shot or its steps are wrongly connected."""
        if not self.session or self.shot is None:
            return None
        try:
            return self.session.renderer(self.code)
        except UserError as e:
            self.said.emit(str(e), "trouble")
            return None

    def try_out(self, shot: Shot | None) -> None:
        """Show the shot as it would be (None: as it is) without changing anything: while something is dragged in the picture."""
        self.trial = shot
        self.trial_changed.emit()

    def shown_renderer(self) -> Renderer | None:
        """The renderer of what is shown: of a trial while there is one."""
        if self.trial is None or not self.session or self.trial.code != self.code:
            return self.renderer()
        try:
            return self.session.renderer_of_trial(self.trial)
        except UserError:
            return self.renderer()

    def _document_changed(self, title: str) -> None:
        self.trial = None
        if self.shot is None and self.session:
            shots = self.session.document.film.shots
            self.code = shots[0].code if shots else ""
        if self.shot and self.step is None:
            self.step_id = self.shot.steps[-1].id if self.shot.steps else ""
        self._plan_office()
        self._refresh_readings()
        self.proposals.clear()
        self.shot_changed.emit()
        self.measure()

    def _take_back(self) -> None:
        """The last change could not be written: it is taken back, and said."""
        words = self.session.document.take_back() if self.session else ""
        if words:
            self.said.emit(words, "trouble")

    def _plan_office(self) -> None:
        """Hours and dates follow the document."""
        self.planner.follow(self.session.document.film if self.session else None, self.folder)

    # -- choosing

    def choose_shot(self, code: str) -> None:
        if code != self.code:
            self.code = code
            self._enter_shot()

    def _enter_shot(self) -> None:
        self.frame, self.current_finding, self.stopped, self.trial = 1, None, False, None
        self.readings, self.proposals, self.stale = {}, {}, {}
        shot = self.shot
        key = next((s.id for s in steps_with(shot, "key")), "") if shot else ""
        self.step_id = key or (shot.steps[0].id if shot and shot.steps else "")
        self._refresh_readings()
        self.shot_changed.emit()
        self.frame_changed.emit(1)
        self.step_changed.emit(self.step_id)
        self.measure()

    def set_frame(self, frame: int) -> None:
        shot = self.shot
        if not shot:
            return
        frame = max(1, min(shot.length, frame))
        if frame != self.frame:
            self.frame = frame
            self.frame_changed.emit(frame)

    def set_step(self, step_id: str) -> None:
        if step_id != self.step_id:
            self.step_id = step_id
            self.step_changed.emit(step_id)
            self.want_proposal(step_id)

    def set_view(self, view: str) -> None:
        if view != self.view:
            self.view = view
            self.view_changed.emit(view)

    # -- changing

    def change(self, title: str, make: Callable[[], Shot]) -> bool:
        """Change the shot by a named command; what is wrong is said, and nothing changes."""
        if not self.session:
            return False
        return self._try(lambda document: document.change_shot(title, make()))

    def change_there(self, session: Session, code: str, title: str, make: Callable[[Shot], Shot]) -> bool:
        """Change the shot that something was asked for, as it is now, whichever shot is shown by then. False if that production
        is closed or the shot is gone."""
        if session is not self.session:
            return False
        shot = next((s for s in session.document.film.shots if s.code == code), None)
        return shot is not None and self._try(lambda document: document.change_shot(title, make(shot)))

    def _try(self, act: Callable[[Document], None]) -> bool:
        """Change the document; what is wrong is said, and nothing changes."""
        assert self.session is not None
        try:
            act(self.session.document)
            return True
        except UserError as e:
            self.said.emit(str(e), "trouble")
        except ValidationError as e:
            self.said.emit(f"That cannot be kept: {words_of(e)}.", "trouble")
        return False

    def change_film(self, title: str, make: Callable[[Film], Film]) -> bool:
        """Change the production or several shots by a named command; what is wrong is said, and nothing changes."""
        if not self.session:
            return False
        return self._try(lambda document: document.apply(title, make(document.film)))

    def set_param(self, name: str, value: Any, *, at_frame: bool = False) -> None:
        """Set a parameter of the chosen step: a pin here if it has pins or `at_frame`, else for the whole shot."""
        shot, step = self.shot, self.step
        if not shot or not step:
            return
        pinned = at_frame or bool(step.pins.get(name))
        if pinned:
            new = set_pin(step, name, Pin(frame=self.frame, value=value))
        else:
            new = step.model_copy(update={"params": {**step.params, name: value}})
        if self.change(f"{step.name}: {name}", lambda: shot.with_step(new)) and pinned:
            self.log("pin", f"{step.name}: {name} pinned at frame {self.frame}.", step=step.id, frame=self.frame, value=value)

    def unpin(self, name: str, frame: int) -> None:
        shot, step = self.shot, self.step
        if not shot or not step or not step.pins.get(name):
            return
        if self.change(f"{step.name}: take out a pin", lambda: shot.with_step(remove_pin(step, name, frame))):
            self.log("pin", f"{step.name}: pin of {name} at frame {frame} taken out.", step=step.id, frame=frame)

    def log(self, kind: str, text: str, **data: Any) -> None:
        """Write down what a person did in the chosen shot."""
        if self.session:
            self.session.document.log.add(kind, text, self.code, **data)

    def param(self, name: str) -> Any:
        """The chosen step's parameter at the playhead."""
        step = self.step
        if not step:
            return None
        values = params_at(step, self.frame)
        return values.get(name, kind_of(step.kind).Params.model_fields[name].default)

    def undo(self) -> None:
        self._history("undo")

    def redo(self) -> None:
        self._history("redo")

    def _history(self, which: str) -> None:
        if not self.session:
            return
        try:
            title = getattr(self.session.document, which)()
        except UserError as e:
            self.said.emit(str(e), "trouble")
            return
        words = {"undo": "Undone", "redo": "Done again"}[which]
        if title:
            self.log(which, f"{words}: {title}")
        self.said.emit(f"{words}: {title}" if title else f"Nothing to {which}", "note")

    # -- readings

    def _refresh_readings(self) -> None:
        """Readings are taken anew; those of before stay to be seen, as out of date, until then."""
        held = {sid: {**self.stale.get(sid, {}), **self.readings.get(sid, {})} for sid in {*self.stale, *self.readings}}
        self.readings, self.stale = {}, held
        renderer = self.renderer()
        if not renderer:
            return
        for step in renderer.shot.steps:
            self.readings[step.id] = {}

    def measure(self) -> None:
        """Measure every step on every frame in the background, the frames near the playhead first."""
        self.engine.drop("measure")
        self.engine.drop("propose")
        self._asked.clear()
        renderer, shot = self.renderer(), self.shot
        if not renderer or not shot or not shot.steps:
            self.measuring.emit(0, 0, "")
            return
        if self.stopped:
            return
        renderer.progress = self._progress = Progress(self._tell_work)
        again = [s.id for s in shot.steps if isinstance(kind_of(s.kind), SurveyKind)]
        self._measured, self._to_measure = 0, (len(shot.steps) + len(again)) * shot.length
        self.measuring.emit(0, self._to_measure, "")
        order = sorted(range(1, shot.length + 1), key=lambda n: abs(n - self.frame))
        self.engine.ask(MEASURE, lambda: self._known(renderer), self._take_known, tag="measure")
        first = ((step.id, n) for n in order for step in shot.steps)
        # once all frames have been looked at, the survey can say more of each
        then = ((step_id, n) for n in order for step_id in again)
        Measuring(self.engine, renderer, chain(first, then), self._take_readings).start()
        self.want_proposal(self.step_id)

    def stop_measuring(self) -> None:
        """Give up what is being measured, at its next frame; what was measured so far stays."""
        self.stopped = True
        self.engine.drop("measure")
        self.engine.drop("propose")
        self._asked.clear()  # what was asked for is dropped, and may be asked for again
        self._progress.cancel()
        renderer = self.renderer()
        if renderer:
            renderer.progress = Progress()
        self.measuring.emit(self._measured, self._to_measure, "")

    def go_on_measuring(self) -> None:
        """Measure what is still to be measured."""
        self.stopped = False
        self.measure()

    def _tell_work(self, share: float, words: str, left: float | None) -> None:
        """Called by the worker within one long piece of work, such as a survey; told at most ten times a second."""
        now = time.monotonic()
        if words and now - self._told_at > 0.1:
            self._told_at = now
            self.working.emit(share, words, left)

    def _known(self, renderer: Renderer) -> dict[str, dict[int, list[Reading]]]:
        out: dict[str, dict[int, list[Reading]]] = {}
        for step in renderer.shot.steps:
            if not renderer.has_analysis(step.id):
                continue
            for n in range(1, renderer.shot.length + 1):
                known = renderer.known_readings(step.id, n)
                if known is not None:
                    out.setdefault(step.id, {})[n] = known
        return out

    def _take_known(self, known: dict[str, dict[int, list[Reading]]]) -> None:
        self._known_before = sum(len(t) for t in known.values())
        for step_id, table in known.items():
            self.readings.setdefault(step_id, {}).update(table)
        self.readings_changed.emit("")

    def _take_readings(self, taken: list[Taken]) -> None:
        for step_id, n, readings in taken:
            self.readings.setdefault(step_id, {})[n] = readings
            self._let_go_of_mended(step_id, n, readings)
        self._measured += len(taken)
        shot = self.shot
        step = next((s for s in shot.steps if s.id == taken[-1][0]), None) if shot else None
        self.measuring.emit(self._measured, self._to_measure, step.name if step else "")
        for step_id in dict.fromkeys(t[0] for t in taken):
            self.readings_changed.emit(step_id)
        if self._measured == self._to_measure and self._known_before < self._to_measure and self.session and shot:
            faults = len(self.findings())
            self.session.document.log.add(
                "measured",
                f"Every step of {shot.code} measured on {shot.length} frames: {faults} open finding{'' if faults == 1 else 's'}.",
                shot.code,
            )

    def _let_go_of_mended(self, step_id: str, n: int, readings: list[Reading]) -> None:
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
        shot = self.shot
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
        shot = self.shot
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
            film = self.session.document.film if self.session else None
            self.engine.ask(LOOK, lambda: plan_state(shot, film), lambda found: self._take_plan(shot, found), tag="plan-state")
        return self._plan_known[1]

    def _take_plan(self, shot: Shot, found: tuple[str, int]) -> None:
        self._plan_known = (shot, found)
        self.readings_changed.emit("plan")

    def go_to(self, finding: Finding) -> None:
        """Go to a finding's worst frame, its step, and its place in the picture."""
        self.current_finding = finding
        self.set_step(finding.step)
        self.set_frame(finding.worst_frame)
        self.readings_changed.emit("")

    def next_fault(self, back: bool = False) -> None:
        found = self.findings()
        if not found:
            self.said.emit("No reading is over its limit.", "note")
            return
        at = found.index(self.current_finding) if self.current_finding in found else (0 if back else -1)
        self.go_to(found[(at + (-1 if back else 1)) % len(found)])

    # -- proposals

    def want_proposal(self, step_id: str) -> None:
        """Measure a proposal for a step in the background."""
        renderer = self.renderer()
        if not renderer or not step_id or step_id in self.proposals or step_id in self._asked:
            return
        self._asked.add(step_id)
        frame = self.frame
        self.engine.ask(
            PROPOSE,
            lambda: renderer.propose(step_id, renderer.progress, frame),
            lambda p: self._take_proposal(step_id, p),
            lambda e: self._take_proposal(step_id, None, e),
            tag="propose",
        )

    def want_proposals(self) -> None:
        """Measure the proposals of all steps."""
        for step in self.shot.steps if self.shot else ():
            if step.on and kind_of(step.kind).known:
                self.want_proposal(step.id)

    def proposals_waiting(self) -> tuple[list[str], list[str]]:
        """Names of steps whose proposals wait for an answer, and of those of which none is known yet."""
        steps = [s for s in self.shot.steps if s.on and kind_of(s.kind).known] if self.shot else []
        waits = [s.name for s in steps if (p := self.proposals.get(s.id)) is not None and p.values and s.id not in self.folded]
        return waits, [s.name for s in steps if s.id not in self.proposals]

    def _take_proposal(self, step_id: str, proposal: Proposal | None, trouble: str = "") -> None:
        self._asked.discard(step_id)
        self.proposals[step_id] = proposal
        self.proposal_troubles[step_id] = trouble
        self.proposal_changed.emit(step_id)

    def use_proposal(self, only: str = "") -> None:
        """Take the proposed values (or one of them) for the chosen step."""
        shot, step = self.shot, self.step
        proposal = self.proposals.get(self.step_id)
        if not shot or not step or not proposal or not self.session:
            return
        values = {k: v for k, v in proposal.values.items() if not only or k == only}
        pins = {k: v for k, v in step.pins.items() if k not in values}
        new = step.model_copy(update={"params": {**step.params, **values}, "pins": pins})
        if not self.change(f"{step.name}: use proposal", lambda: shot.with_step(new)):
            return
        if not only:
            self.proposals.pop(step.id, None)
        self.log("proposal used", f"{step.name}: {proposal.reason}", step=step.id, values=values)

    def keep_mine(self) -> None:
        """Fold the proposal away; it can be opened again."""
        shot, step = self.shot, self.step
        proposal = self.proposals.get(self.step_id)
        if shot and step and proposal and self.session:
            self.folded.add(step.id)
            self.session.document.log.add("proposal declined", f"{step.name}: {proposal.reason}", shot.code, step=step.id)
            self.proposal_changed.emit(step.id)

    def measure_again(self) -> None:
        """Look at the files anew, the documents among them, and measure all."""
        self.stopped = False
        if self.session:
            if not self.session.document.read_only or self.session.document.outside():
                self._try(lambda document: document.take_in())
            self.session.refresh()
            self.proposals.clear()
            self._refresh_readings()
            self.shot_changed.emit()
            self.measure()

    # -- what the viewer shows

    def refs(self) -> tuple[str | None, str | None]:
        """What the views Plate and Result show for the chosen step: the plate, and the step's (or the shot's) picture."""
        shot, step = self.shot, self.step
        if not shot:
            return None, None
        hero = shot.plate_of_role("hero") or (shot.plates[0] if shot.plates else None)
        plate = f"plate:{hero.id}" if hero else None
        final = output_ref(shot)
        if step and step.on and self.view == "Matte" and kind_of(step.kind).product == "matte":
            return plate, f"step:{step.id}"
        shown_in = kind_of(step.kind).shown_in if step else ""
        if step and shown_in:
            placed = next((s for s in shot.steps if s.inputs.get(shown_in) == f"step:{step.id}"), None)
            return plate, f"step:{placed.id}" if placed else f"step:{step.id}"
        return plate, final

    def _trouble(self, text: str) -> None:
        if self.session:
            self.session.document.log.add("trouble", text.strip().splitlines()[-1], self.code, trace=text)
        self.said.emit("Something went wrong inside the program; it was written to the log book.", "trouble")
