"""The strip under the picture while something is built: the section, and what would give the shot away."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import partial

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.desk.engine import AHEAD, PROPOSE, Engine
from transmixis.desk.section.giveaways import Giveaway, Giveaways
from transmixis.desk.section.side import DEPTH, ORDER, Side, told_reach
from transmixis.desk.section.tying import Tying
from transmixis.desk.state import State
from transmixis.desk.words import Words
from transmixis.shot.parts import stack_of
from transmixis.shot.section import Advice, Card, advice, cards
from transmixis.shot.steps import kind_of

HEIGHT = 162
REST = 200  # ms that the playhead rests before the section follows
SHORT = "light short"
NOTE = "slide a foot to change the order"
TIP = "Each card is thick as it is opaque and high as it stands in the frame, the nearest first; slide its foot past another to change places."
TAG, ADVICE_TAG = "section", "section-order"


class SectionStrip(QWidget):
    """Follows the state; asks for the cards beside the interface."""

    def __init__(self, state: State, engine: Engine) -> None:
        super().__init__()
        self._state, self._engine = state, engine
        self._advice: tuple[Advice, ...] = ()
        self.side, self.giveaways = Side(), Giveaways()
        self.tying = Tying(state, self.side)
        self.by = Words(
            (ORDER, DEPTH), ORDER, {ORDER: "cards stand evenly", DEPTH: "cards stand where the solved place has them"}
        )
        self.better = QPushButton("")
        self.better.setObjectName("word")
        self.better.setVisible(False)
        title, note = QLabel("From the side"), QLabel(NOTE)
        self._note = note
        title.setObjectName("title")
        note.setObjectName("note")
        note.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        note.setToolTip(TIP)
        head = QHBoxLayout()
        head.setContentsMargins(16, 4, 8, 0)
        head.addWidget(title)
        head.addSpacing(12)
        head.addWidget(note, 1)
        head.addWidget(self.better)
        head.addWidget(self.by)
        left = QVBoxLayout()
        left.setContentsMargins(0, 0, 0, 0)
        left.setSpacing(0)
        left.addLayout(head)
        left.addWidget(self.side, 1)
        box = QHBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addLayout(left, 1)
        box.addWidget(self.giveaways)
        self.setFixedHeight(HEIGHT)
        self._later = QTimer(self)  # so that playing is not held up by it
        self._later.setSingleShot(True)
        self._later.setInterval(REST)
        self._later.timeout.connect(self._want_cards)
        self._connect()
        self._show_or_hide()

    def _connect(self) -> None:
        s = self._state
        self.side.chosen.connect(lambda step: s.set_step(step) if step else None)
        self.side.slid.connect(self._slid)
        self.side.moved.connect(self._say)
        self.by.chosen.connect(self._stand_by)
        self.better.clicked.connect(self.put_right)
        self.giveaways.pressed.connect(self._go)
        s.shot_changed.connect(self._shot_changed)
        s.frame_changed.connect(lambda _: self._later.start())
        s.step_changed.connect(lambda _: self._show_or_hide())
        s.readings_changed.connect(lambda _: self._show_giveaways())

    # -- what is shown

    @property
    def wanted(self) -> bool:
        """It is shown while the chosen step is of Build."""
        step = self._state.step
        return step is not None and kind_of(step.kind).stage == "Build"

    def _show_or_hide(self) -> None:
        was = not self.isHidden()
        self.setVisible(self.wanted)
        if self.wanted:
            self._want_cards()
            self._show_giveaways()
            if not was:
                self._want_advice()

    def _shot_changed(self) -> None:
        self._advice = ()
        self._show_or_hide()
        if self.wanted:
            self._want_advice()

    def _want_cards(self) -> None:
        renderer = self._state.renderer()
        self._engine.drop(TAG)
        if not self.wanted or renderer is None:
            return
        self._engine.ask(PROPOSE, partial(cards, renderer, self._state.frame), self._take_cards, lambda e: None, tag=TAG)

    def _take_cards(self, found: tuple[Card, ...]) -> None:
        s = self._state
        if s.shot is not None:
            self.side.frame_width = s.shot.width
        self.side.short = self._short(found)
        self.side.show_cards(found, self._state.step_id, self._advice[0].step if self._advice else "")
        self._say()
        if not self.side.measured and self.by.now == DEPTH:
            self.by.choose(ORDER)
            self.side.by = ORDER

    def _want_advice(self) -> None:
        renderer = self._state.renderer()
        self._engine.drop(ADVICE_TAG)
        if renderer is not None:
            self._engine.ask(AHEAD, lambda: advice(renderer, Progress()), self._take_advice, lambda e: None, tag=ADVICE_TAG)

    def _take_advice(self, found: tuple[Advice, ...]) -> None:
        self._advice = found
        self.better.setVisible(bool(found))
        if found:
            shot = self._state.shot
            name = stack_of(shot, found[0].step)[0] if shot else ""
            self.better.setText(f"Bring {name} to the front")
            self.better.setToolTip(found[0].words)
        self.side.show_cards(self.side.cards, self._state.step_id, found[0].step if found else "")

    def _show_giveaways(self) -> None:
        s = self._state
        if not self.wanted or s.shot is None:
            return
        rows: list[Giveaway] = []
        left = 0
        for step in s.shot.steps:
            if kind_of(step.kind).stage != "Build" or not step.on:
                continue
            left += s.shot.length - len(s.known.readings.get(step.id, {}))
            rows += worst_rows(step.id, step.name, s.known.readings.get(step.id, {}))
        rows.sort(key=lambda r: -(r.reading.ratio or 0.0))
        self.giveaways.show_rows(tuple(rows), left)
        self.side.short = self._short(self.side.cards)
        self.side.show_cards(self.side.cards, s.step_id, self._advice[0].step if self._advice else "")

    # -- acting

    def _stand_by(self, words: str) -> None:
        if words == DEPTH and not self.side.measured:
            self._state.said.emit(
                "No two of them stand at known depths: a solved camera and Stand in the place tell them.", "note"
            )
            self.by.choose(ORDER)
            return
        self.side.by = words
        self.side.update()

    def _slid(self, step: str, forward: bool) -> None:
        self._state.edits.run("step.front" if forward else "step.back", step=step)

    def _say(self) -> None:
        self._note.setText(told_reach(self.side) or NOTE)

    def _short(self, found: tuple[Card, ...]) -> dict[str, Reading]:
        """What the lights lack at the playhead, as far as it is read."""
        s = self._state
        out = {}
        for c in found:
            rows = s.known.readings.get(c.light.step, {}).get(s.frame) if c.light else None
            if c.light and rows:
                out[c.light.step] = next((r for r in rows if r.name == SHORT), rows[0])
        return out

    def nearer(self, *, forward: bool) -> None:
        """The chosen step's layer one place nearer, or farther."""
        if self._state.step_id:
            self._slid(self._state.step_id, forward)

    def put_right(self) -> None:
        """Do what is advised first."""
        first = self._advice[0] if self._advice else None  # the change asks for other advice
        if first is not None and self._state.edits.run("step.front", step=first.step):
            self._state.edits.log("order", first.words, step=first.step)

    def _go(self, row: Giveaway) -> None:
        self._state.set_step(row.step)
        self._state.set_frame(row.frame)


def worst_rows(step: str, name: str, table: Mapping[int, Sequence[Reading]]) -> list[Giveaway]:
    """The worst of each of a step's readings over its frames."""
    best: dict[str, Giveaway] = {}
    for frame, readings in table.items():
        for r in readings:
            if r.ratio is not None and (r.name not in best or r.ratio > (best[r.name].reading.ratio or 0)):
                best[r.name] = Giveaway(step, name, frame, r)
    return list(best.values())
