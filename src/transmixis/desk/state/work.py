"""What is being measured: every step on every frame, in the background."""

from __future__ import annotations

import time
from itertools import chain

from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.desk.engine import MEASURE
from transmixis.desk.measuring import Measuring, Taken
from transmixis.desk.state.answers import Answers
from transmixis.desk.state.chosen import Chosen
from transmixis.desk.state.edits import Edits
from transmixis.desk.state.known import Known
from transmixis.shot.contract import SurveyKind
from transmixis.shot.render import Renderer
from transmixis.shot.steps import kind_of


class Work:
    """What is being measured: every step on every frame, in the background."""

    def __init__(self, state: Chosen, known: Known, answers: Answers, edits: Edits) -> None:
        self._s, self._known, self._answers, self._edits = state, known, answers, edits
        self.stopped = False  # measuring was told to stop, and is not to go on by itself
        self._measured = self._to_measure = self._known_before = 0
        self._progress = Progress()
        self._told_at = 0.0
        self._weighed: set[str] = set()  # steps asked for a proposal after all their frames were read

    def measure(self) -> None:
        """Measure every step on every frame in the background, the frames near the playhead first."""
        self._s.engine.drop("measure")
        self._s.engine.drop("propose")
        self._answers.forget_asked()
        self._weighed.clear()
        renderer, shot = self._s.renderer(), self._s.shot
        if not renderer or not shot or not shot.steps:
            self._s.measuring.emit(0, 0, "")
            return
        if self.stopped:
            return
        renderer.progress = self._progress = Progress(self._tell)
        again = [s.id for s in shot.steps if isinstance(kind_of(s.kind), SurveyKind)]
        self._measured, self._to_measure = 0, (len(shot.steps) + len(again)) * shot.length
        self._s.measuring.emit(0, self._to_measure, "")
        order = sorted(range(1, shot.length + 1), key=lambda n: abs(n - self._s.frame))
        self._s.engine.ask(MEASURE, lambda: self._at_hand(renderer), self._take_known, tag="measure")
        first = ((step.id, n) for n in order for step in shot.steps)
        # once all frames have been looked at, the survey can say more of each
        then = ((step_id, n) for n in order for step_id in again)
        Measuring(self._s.engine, renderer, chain(first, then), self._take).start()
        self._answers.want(self._s.step_id)

    def stop(self) -> None:
        """Give up what is being measured, at its next frame; what was measured so far stays."""
        self.stopped = True
        self._s.engine.drop("measure")
        self._s.engine.drop("propose")
        self._answers.forget_asked()  # what was asked for is dropped, and may be asked for again
        self._progress.cancel()
        renderer = self._s.renderer()
        if renderer:
            renderer.progress = Progress()
        self._s.measuring.emit(self._measured, self._to_measure, "")

    def go_on(self) -> None:
        """Measure what is still to be measured."""
        self.stopped = False
        self.measure()

    def _tell(self, share: float, words: str, left: float | None) -> None:
        """Called by the worker within one long piece of work, such as a survey; told at most ten times a second."""
        now = time.monotonic()
        if words and now - self._told_at > 0.1:
            self._told_at = now
            self._s.working.emit(share, words, left)

    def _at_hand(self, renderer: Renderer) -> dict[str, dict[int, list[Reading]]]:
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
            self._known.readings.setdefault(step_id, {}).update(table)
        self._s.readings_changed.emit("")

    def _take(self, taken: list[Taken]) -> None:
        for step_id, n, readings in taken:
            self._known.readings.setdefault(step_id, {})[n] = readings
            self._known.let_go_of_mended(step_id, n, readings)
        self._measured += len(taken)
        shot = self._s.shot
        step = next((s for s in shot.steps if s.id == taken[-1][0]), None) if shot else None
        self._s.measuring.emit(self._measured, self._to_measure, step.name if step else "")
        for step_id in dict.fromkeys(t[0] for t in taken):
            self._s.readings_changed.emit(step_id)
            self._weigh(step_id)
        if self._measured == self._to_measure and self._known_before < self._to_measure and self._s.session and shot:
            faults = len(self._known.findings())
            self._s.session.document.log.add(
                "measured",
                f"Every step of {shot.code} measured on {shot.length} frames: {faults} open finding{'' if faults == 1 else 's'}.",
                shot.code,
            )

    def _weigh(self, step_id: str) -> None:
        """Once all its frames have been read, a step whose proposals look at its readings is asked again."""
        shot = self._s.shot
        step = next((s for s in shot.steps if s.id == step_id), None) if shot else None
        if shot is None or step is None or not kind_of(step.kind).weighs_itself or step_id in self._weighed:
            return
        if len(self._known.readings.get(step_id, {})) >= shot.length:
            self._weighed.add(step_id)
            self._answers.again(step_id)

    def again(self) -> None:
        """Look at the files anew, the documents among them, and measure all."""
        self.stopped = False
        if self._s.session:
            if not self._s.session.document.read_only or self._s.session.document.outside():
                self._edits.attempt(lambda document: document.take_in())
            self._s.session.refresh()
            self._answers.made.clear()
            self._known.refresh()
            self._s.shot_changed.emit()
            self.measure()
