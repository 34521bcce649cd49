"""What is proposed for the steps, and what a person answered."""

from __future__ import annotations

from transmixis.desk.engine import PROPOSE
from transmixis.desk.state.chosen import Chosen
from transmixis.desk.state.edits import Edits
from transmixis.shot.contract import Proposal
from transmixis.shot.stepjob import taken
from transmixis.shot.steps import kind_of


class Answers:
    """What is proposed for the steps, and what a person answered."""

    def __init__(self, state: Chosen, edits: Edits) -> None:
        self._s, self._edits = state, edits
        self.made: dict[str, Proposal | None] = {}
        self.troubles: dict[str, str] = {}  # why none could be made
        self.folded: set[str] = set()
        self._asked: set[str] = set()  # steps whose proposals are being worked out
        self._once_more: set[str] = set()  # those that are to be asked again after that

    def forget_asked(self) -> None:
        """What was asked for has been dropped, and may be asked for again."""
        self._asked.clear()
        self._once_more.clear()

    def want(self, step_id: str) -> None:
        """Measure a proposal for a step in the background."""
        renderer = self._s.renderer()
        if not renderer or not step_id or step_id in self.made or step_id in self._asked:
            return
        self._asked.add(step_id)
        frame = self._s.frame
        self._s.engine.ask(
            PROPOSE,
            lambda: renderer.propose(step_id, renderer.progress, frame),
            lambda p: self._take(step_id, p),
            lambda e: self._take(step_id, None, e),
            tag="propose",
        )

    def again(self, step_id: str) -> None:
        """More is known of a step: what was found before is measured anew, if anybody looks at it."""
        if step_id in self._asked:
            self._once_more.add(step_id)
            return
        self.made.pop(step_id, None)
        if step_id == self._s.step_id:
            self.want(step_id)

    def want_all(self) -> None:
        """Measure the proposals of all steps."""
        for step in self._s.shot.steps if self._s.shot else ():
            if step.on and kind_of(step.kind).known:
                self.want(step.id)

    def waiting(self) -> tuple[list[str], list[str]]:
        """Names of steps whose proposals wait for an answer, and of those of which none is known yet."""
        steps = [s for s in self._s.shot.steps if s.on and kind_of(s.kind).known] if self._s.shot else []
        waits = [s.name for s in steps if (p := self.made.get(s.id)) is not None and p.sets and s.id not in self.folded]
        return waits, [s.name for s in steps if s.id not in self.made]

    def _take(self, step_id: str, proposal: Proposal | None, trouble: str = "") -> None:
        self._asked.discard(step_id)
        if step_id in self._once_more:
            self._once_more.discard(step_id)
            self.again(step_id)
            return
        self.made[step_id] = proposal
        self.troubles[step_id] = trouble
        self._s.proposal_changed.emit(step_id)

    def use(self, only: str = "") -> None:
        """Take the proposed values (or one of them) for the chosen step."""
        shot, step = self._s.shot, self._s.step
        proposal = self.made.get(self._s.step_id)
        if not shot or not step or not proposal or not self._s.session:
            return
        values = {k: v for k, v in proposal.values.items() if not only or k == only}
        if not proposal.sets or not self._edits.change(
            f"{step.name}: use proposal", lambda: taken(shot, step.id, proposal, only)
        ):
            return
        if not only:
            self.made.pop(step.id, None)
        self._edits.log("proposal used", f"{step.name}: {proposal.reason}", step=step.id, values=values)

    def keep_mine(self) -> None:
        """Fold the proposal away; it can be opened again."""
        shot, step = self._s.shot, self._s.step
        proposal = self.made.get(self._s.step_id)
        if shot and step and proposal and self._s.session:
            self.folded.add(step.id)
            self._s.session.document.log.add("proposal declined", f"{step.name}: {proposal.reason}", shot.code, step=step.id)
            self._s.proposal_changed.emit(step.id)
