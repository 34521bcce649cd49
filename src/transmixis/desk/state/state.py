"""The window's state as a whole: opening and closing productions, entering shots, following the document."""

from __future__ import annotations

from transmixis.desk.engine import AHEAD, Engine
from transmixis.desk.office.planner import Planner
from transmixis.desk.state.answers import Answers
from transmixis.desk.state.chosen import Chosen
from transmixis.desk.state.edits import Edits
from transmixis.desk.state.known import Known
from transmixis.desk.state.work import Work
from transmixis.shot.session import Session
from transmixis.shot.steps import steps_with


class State(Chosen):
    """What is open and chosen, with what is known of it, what is being measured, what is proposed, and how it is changed."""

    def __init__(self, engine: Engine) -> None:
        super().__init__(engine)
        self.known, self.edits = Known(self), Edits(self)
        self.answers = Answers(self, self.edits)
        self.work = Work(self, self.known, self.answers, self.edits)
        self.planner = Planner(engine)
        engine.trouble.connect(self._trouble)
        self.not_saved.connect(self._take_back)
        self.step_changed.connect(self.answers.want)

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
        if self.session:
            self.edits.attempt(lambda document: document.wait())
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
            self.session.close()
        self.session, self.code, self.step_id, self.frame = None, "", "", 1
        self._plan_office()
        self.known.forget()
        self.answers.made = {}

    def _document_changed(self, title: str) -> None:
        self.trial = None
        if self.shot is None and self.session:
            shots = self.session.document.film.shots
            self.code = shots[0].code if shots else ""
        if self.shot and self.step is None:
            self.step_id = self.shot.steps[-1].id if self.shot.steps else ""
        self._plan_office()
        self.known.refresh()
        self.answers.made.clear()
        self.shot_changed.emit()
        self.work.measure()

    def _take_back(self) -> None:
        """The last change could not be written: it is taken back, and said."""
        words = self.session.document.take_back() if self.session else ""
        if words:
            self.said.emit(words, "trouble")

    def _plan_office(self) -> None:
        """Hours and dates follow the document."""
        self.planner.follow(self.session.document.film if self.session else None, self.folder)

    def choose_shot(self, code: str) -> None:
        if code != self.code:
            self.code = code
            self._enter_shot()

    def _enter_shot(self) -> None:
        self.frame, self.work.stopped, self.trial = 1, False, None
        self.known.forget()
        self.answers.made = {}
        shot = self.shot
        key = next((s.id for s in steps_with(shot, "key")), "") if shot else ""
        self.step_id = key or (shot.steps[0].id if shot and shot.steps else "")
        self.known.refresh()
        self.shot_changed.emit()
        self.frame_changed.emit(1)
        self.step_changed.emit(self.step_id)
        self.work.measure()

    def _trouble(self, text: str) -> None:
        if self.session:
            self.session.document.log.add("trouble", text.strip().splitlines()[-1], self.code, trace=text)
        self.said.emit("Something went wrong inside the program; it was written to the log book.", "trouble")
