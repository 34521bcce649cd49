"""The proposal card: what would change, why, now and then against the limit, and two buttons."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from transmixis.desk.marks import hline, jaws, text, wrapped
from transmixis.desk.plots.readings import paint_bar, paint_readings
from transmixis.desk.state import State
from transmixis.desk.theme import EDGE, INK, INK2, PAPER, PURPLE, VERMILION_TEXT, figure, span_words
from transmixis.shot.contract import Proposal
from transmixis.shot.steps import kind_of
from transmixis.shot.steps.params import facts


class ProposalCard(QWidget):
    """Follows the state's proposal for the chosen step."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self._state = state
        self.setFixedWidth(190)
        self._readings_here = False  # the plot beside it has no room for them
        self.use = QPushButton("Use proposal")
        self.use.setObjectName("main")
        self.use.setToolTip("Takes the measured values for this step, and measures again. Can be undone. Key: U")
        self.keep = QPushButton("Keep mine")
        self.keep.setObjectName("card")
        self.keep.setToolTip("Leaves your values; the proposal folds away and can be opened again. Key: K")
        self.use.clicked.connect(lambda: state.answers.use())
        self.keep.clicked.connect(self._keep_or_open)
        row = QHBoxLayout()
        row.setContentsMargins(10, 0, 10, 10)
        row.setSpacing(6)
        row.addWidget(self.use, 1)
        row.addWidget(self.keep, 1)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addStretch(1)
        box.addLayout(row)
        state.frame_changed.connect(lambda _: self.update())
        for signal in (state.proposal_changed, state.step_changed):
            signal.connect(lambda _: self.refresh())
        state.shot_changed.connect(self.refresh)
        self.refresh()

    def show_readings(self, here: bool) -> None:
        """Where there is nothing to propose, the readings stand here if the plot does not show them."""
        self._readings_here = here
        self.update()

    def _proposal(self) -> Proposal | None:
        return self._state.answers.made.get(self._state.step_id)

    def _folded(self) -> bool:
        return self._state.step_id in self._state.answers.folded

    def refresh(self) -> None:
        proposal = self._proposal()
        there = proposal is not None
        self.use.setVisible(proposal is not None and proposal.sets and not self._folded())
        self.keep.setVisible(there)
        self.keep.setText("Show again" if self._folded() else "Keep mine")
        self.update()

    def _keep_or_open(self) -> None:
        if self._folded():
            self._state.answers.folded.discard(self._state.step_id)
            self.refresh()
        else:
            self._state.answers.keep_mine()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), QColor(PAPER))
        p.setPen(QColor(EDGE))
        p.drawRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5))
        hline(p, 0, self.width(), 0, PURPLE, 3)
        jaws(p, 18, 18, 6)
        text(p, 32, 18, "Proposal", 12, 600, PURPLE)
        proposal = self._proposal()
        room = self.width() - 20.0
        if proposal is None:
            done = self._state.step_id in self._state.answers.made
            words = self._nothing() if done else "Measuring the material for a proposal."
            y = wrapped(p, 10, 42, room, words, 12, 16, 400, INK2, 4)
            readings = self._state.known.readings.get(self._state.step_id, {}).get(self._state.frame)
            if done and readings and self._state.step and self._readings_here:
                paint_readings(p, QRectF(8, y, self.width() - 16, self.height() - y - 8), readings)
            return
        if proposal.frames:
            text(p, self.width() - 10, 18, span_words(*proposal.frames), 11, 400, INK2, "right")
        if self._folded():
            wrapped(p, 10, 42, room, "You kept your own values. It is folded away.", 12, 16, 400, INK2, 3)
            return
        self._paint_open(p, proposal, room)

    def _nothing(self) -> str:
        """Why there is no proposal, by what the readings say."""
        state = self._state
        trouble = state.answers.troubles.get(state.step_id)
        if trouble:
            return f"No proposal could be made: {trouble}"
        table = state.known.readings.get(state.step_id, {})
        if state.shot is None or len(table) < state.shot.length:
            return "Nothing to propose so far; the readings are still being taken."
        if state.known.findings(state.step_id):
            return "No setting of this step betters what is over its limit; look at what it is fed, or at the plate."
        if any(r.value is None for rs in table.values() for r in rs):
            return "Nothing to propose. Some readings could not be measured; they say why."
        return "Measured: nothing to better here. The settings stand as they are."

    def _paint_open(self, p: QPainter, proposal: Proposal, room: float) -> None:
        y = 40.0
        lines = change_lines(self._state, proposal)
        if len(lines) > MOST_LINES:
            rest_of = lines[MOST_LINES - 1 :]
            lines = [*lines[: MOST_LINES - 1], (", ".join(n for n, _ in rest_of), f"{len(rest_of)} more change")]
        for name, words in lines:
            w = text(p, 10 + room, y, words, 12, 600, align="right", room=room * 0.72)
            text(p, 10, y, name, 12, 400, room=room - w - 6)
            y += 17
        y = wrapped(p, 10, y + 3, room, proposal.reason, 11, 14, 400, INK, 4 if proposal.sets else MOST_ADVICE)
        bottom = self.height() - 42
        rest = " ".join(s for s in (proposal.gains, proposal.costs) if s)
        for e in proposal.effects[:2]:
            if y + (56 if rest else 30) > bottom:
                break
            y += 4
            for word, value, ink in (("now", e.now, "#555555"), ("then", e.then, PURPLE)):
                text(p, 10, y, f"{word} {e.reading}", 10, 400, INK2, room=68)
                over = value >= e.limit
                said = f"{value:.0f}" if e.unit == "frames" else figure(value, 2)
                w = text(p, 10 + room, y, f"{said} {e.unit}", 11, 600, VERMILION_TEXT if over else INK, "right")
                paint_bar(p, 80, y, min(room - 128, room - w - 78), value / e.limit, ink)
                y += 14
        if rest and y + 8 < bottom:
            wrapped(p, 10, y + 5, room, rest, 10, 13, 400, INK2, max(1, int((bottom + 6 - y) // 13)))


MOST_ADVICE = 8  # lines of what a person would do by hand
MOST_LINES = 4  # of what changes; more are named together, none is left out


def change_lines(state: State, proposal: Proposal) -> list[tuple[str, str]]:
    """'Black point', '0.00 → 0.06' for each value that would change."""
    step = state.step
    if not step:
        return []
    fields = kind_of(step.kind).Params.model_fields
    out = []
    for name, value in proposal.values.items():
        f = facts(fields[name])
        now = state.edits.param(name)
        label = str(f.get("words", name.capitalize()))
        whole = f.get("step", 0) >= 1
        if _short(now, whole) != _short(value, whole):
            out.append((label, f"{_short(now, whole)} → {_short(value, whole)}"))
    for name, pins in proposal.pins.items():
        frames = ", ".join(str(pin.frame) for pin in pins)
        out.append((name.capitalize(), f"at frame {frames}" if len(pins) == 1 else f"at frames {frames}"))
    return out


def _short(v: Any, whole: bool = False) -> str:
    if isinstance(v, (int, float)):
        return f"{v:.{0 if whole and float(v).is_integer() else 2}f}".replace("-", "\u2212")
    if isinstance(v, (list, tuple)):
        if v and isinstance(v[0], (list, tuple)):
            return f"{len(v)} points"
        return "none" if not v else f"{sum(v) / len(v):.2f}"
    return str(v)
