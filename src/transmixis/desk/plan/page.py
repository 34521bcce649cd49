"""The Plan page: questions on the left, the chosen one's inputs, drawing, readings, proposal and what to film on the right."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from transmixis.core.errors import UserError
from transmixis.core.readings import FAULT
from transmixis.desk.marks import hline, mark, text, wrapped
from transmixis.desk.page import Page
from transmixis.desk.plan.drawings import DRAWINGS
from transmixis.desk.plan.inputs import Inputs
from transmixis.desk.plan.shootlist import ShootList
from transmixis.desk.sheets.readings import paint_bar
from transmixis.desk.state import State
from transmixis.desk.theme import BLUE, EDGE, INK, INK2, PANEL, PAPER, PURPLE, RULE, VERMILION_TEXT, figure
from transmixis.shot.model import Shot
from transmixis.shot.planning import QUESTIONS, question_of
from transmixis.shot.planning.contract import Answer, with_plan, worst_ratio
from transmixis.shot.planning.timing import TimingDrawing, with_path

ROW, WIDE = 60, 288


def mark_of(answer: Answer | None, answered: bool) -> str:
    """The mark of a question: not begun, sound, watch or fault."""
    if answer is None or not answered:
        return "open"
    ratio = worst_ratio(answer)
    return "sound" if ratio is None or ratio < 0.85 else "watch" if ratio < 1 else "fault"


class QuestionList(QWidget):
    """The questions with their marks and short answers."""

    chosen = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.now = next(iter(QUESTIONS))
        self.answers: dict[str, tuple[Answer | None, bool]] = {}
        self.setFixedSize(WIDE, ROW * len(QUESTIONS) + 4)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Questions before the shoot")

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        for i, (kind, q) in enumerate(QUESTIONS.items()):
            y = i * ROW
            if kind == self.now:
                p.fillRect(QRectF(0, y, WIDE, ROW), QColor(PAPER))
                p.fillRect(QRectF(0, y, 3, ROW), QColor(BLUE))
            answer, answered = self.answers.get(kind, (None, False))
            mark(p, mark_of(answer, answered), 22, y + 19)
            text(p, 36, y + 19, q.title, 12, 600 if kind == self.now else 500, INK, room=WIDE - 48)
            words = answer.words if answer and answered else "Not answered yet."
            wrapped(p, 36, y + 36, WIDE - 52, words, 11, 13, 400, INK2, 2)
            hline(p, 16, WIDE - 16, y + ROW, RULE)
        if self.hasFocus():
            p.setPen(QPen(QColor(INK), 2))
            p.drawRect(QRectF(1, list(QUESTIONS).index(self.now) * ROW + 1, WIDE - 2, ROW - 2))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        i = int(event.position().y() // ROW)
        if 0 <= i < len(QUESTIONS):
            self.choose(list(QUESTIONS)[i])

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        move = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()))
        kinds = list(QUESTIONS)
        if move is None:
            super().keyPressEvent(event)
        else:
            self.choose(kinds[(kinds.index(self.now) + move) % len(kinds)])

    def choose(self, kind: str) -> None:
        """Choose a question and say so."""
        self.now = kind
        self.update()
        self.chosen.emit(kind)


class AnswerView(QWidget):
    """Readings and figures, and the drawing below them."""

    def __init__(self) -> None:
        super().__init__()
        self.kind = ""
        self.answer: Answer | None = None
        self.trouble = ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(260)

    def sizeHint(self) -> QSize:
        return QSize(680, 420)

    def show_answer(self, kind: str, answer: Answer | None, trouble: str) -> None:
        """Show this answer, or what is wrong with the inputs."""
        self.kind, self.answer, self.trouble = kind, answer, trouble
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.answer is None:
            wrapped(p, 4, 16, self.width() - 8, self.trouble, 13, 18, 500, VERMILION_TEXT, 4)
            return
        a = self.answer
        wrapped(p, 4, 12, self.width() - 8, a.words, 13, 17, 600, INK, 2)
        top = 42.0
        half = self.width() / 2 - 12
        for i, r in enumerate(a.readings):
            y = top + 26 * i
            text(p, 4, y, r.name, 12)
            value = "not measured" if r.value is None else f"{figure(r.value, 2)} {r.unit} of {figure(r.limit, 2)}"
            ink = VERMILION_TEXT if r.state == FAULT else INK
            text(p, half, y, value, 12, 600, ink, "right")
            if r.ratio is not None:
                paint_bar(p, 4, y + 12, half - 4, r.ratio)
        for i, (name, value) in enumerate(a.rows):
            y = top + 17 * i
            taken = text(p, half + 24, y, name, 12, 400, INK2)
            text(p, self.width() - 4, y, value, 12, 600, INK, "right", room=self.width() - half - taken - 44)
        below = top + max(26 * len(a.readings), 17 * len(a.rows)) + 8
        draw = DRAWINGS.get(self.kind)
        if draw and a.drawing is not None and self.height() - below > 120:
            draw(p, QRectF(0, below, self.width(), self.height() - below - 12), a.drawing)


class PlanPage(Page):
    """Lays the parts out and keeps them in step with the document."""

    def __init__(self, state: State) -> None:
        super().__init__(state)
        self.setObjectName("page")
        self.questions, self.view = QuestionList(), AnswerView()
        self.inputs, self.list = Inputs(), ShootList(state)
        self.title, self.says = QLabel(""), QLabel("")
        self.title.setStyleSheet("font-size: 16px; font-weight: 600;")
        self.says.setObjectName("note")
        self.reason, self.cautions = QLabel(""), QLabel("")
        self.use = QPushButton("Use proposal")
        self.use.setObjectName("main")
        self.use.setToolTip("Sets the proposed inputs; can be undone.")
        self.put = QPushButton("Put it on Place")
        self.put.setToolTip("Sets a pin a frame on the shot's Place step, so that what is placed moves like this; can be undone.")
        for label in (self.reason, self.cautions):
            label.setWordWrap(True)
        self._lay_out()
        self.questions.chosen.connect(self._choose)
        self.inputs.dragged.connect(self._try)
        self.inputs.settled.connect(self._set)
        self.use.clicked.connect(self.use_proposal)
        self.put.clicked.connect(self.put_on_place)

    def _lay_out(self) -> None:
        left = QVBoxLayout()
        left.setContentsMargins(0, 0, 0, 8)
        left.addWidget(self.questions)
        left.addWidget(self.list, 1)
        side = QWidget()
        side.setFixedWidth(WIDE)
        side.setLayout(left)
        scroll = QScrollArea()
        scroll.setWidget(self.inputs)
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setFixedWidth(272)
        middle = QHBoxLayout()
        middle.setSpacing(16)
        middle.addWidget(scroll)
        middle.addWidget(self.view, 1)
        card = QVBoxLayout()
        head = QLabel("Proposal")
        head.setStyleSheet(f"color: {PURPLE}; font-weight: 600;")
        card.addWidget(head)
        card.addWidget(self.reason, 1)
        card.addWidget(self.use)
        self.card = QFrame()
        self.card.setLayout(card)
        self.card.setObjectName("card")
        self.card.setStyleSheet(
            f"QFrame#card {{ background: {PAPER}; border: 1px solid {EDGE}; border-top: 3px solid {PURPLE}; }}"
        )
        self.card.setFixedWidth(340)
        warned = QVBoxLayout()
        title = QLabel("Cautions")
        title.setObjectName("title")
        warned.addWidget(title)
        warned.addWidget(self.cautions)
        warned.addStretch(1)
        low = QHBoxLayout()
        low.setSpacing(16)
        low.addLayout(warned, 1)
        low.addWidget(self.put, 0, Qt.AlignmentFlag.AlignBottom)
        low.addWidget(self.card)
        right = QVBoxLayout()
        right.setContentsMargins(16, 10, 16, 12)
        right.addWidget(self.title)
        right.addWidget(self.says)
        right.addLayout(middle, 1)
        right.addLayout(low)
        box = QHBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(side)
        box.addLayout(right, 1)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), QColor(PANEL))
        p.fillRect(QRectF(WIDE, 0, 1, self.height()), QColor(RULE))

    # -- following the document

    def refresh(self) -> None:
        """Follow the shot."""
        shot = self._state.shot
        if shot is None:
            return
        question = question_of(self.questions.now)
        found = {k: _answer(shot, k) for k in QUESTIONS if k in shot.plan or k == question.kind}
        self.questions.answers = {k: (a, k in shot.plan) for k, (a, _) in found.items()}
        self.questions.update()
        self.title.setText(question.title)
        self.says.setText(question.says)
        self.inputs.show_question(question, shot.plan.get(question.kind, {}))
        self._show(*found[question.kind])
        self.list.show_answers([(q.title, a) for k, q in QUESTIONS.items() if k in shot.plan and (a := found[k][0])])

    def _show(self, answer: Answer | None, trouble: str) -> None:
        self.view.show_answer(self.questions.now, answer, trouble)
        proposal = answer.proposal if answer else None
        self.card.setVisible(proposal is not None)
        self.put.setVisible(answer is not None and isinstance(answer.drawing, TimingDrawing))
        self.reason.setText(proposal.reason if proposal else "")
        cautions = answer.cautions if answer else ()
        self.cautions.setText("\n".join(f"•  {c}" for c in cautions) or "None for this question.")

    def _choose(self, kind: str) -> None:
        self.refresh()

    def _try(self, name: str, value: Any) -> None:
        """Answer while a number is dragged, without touching the document."""
        shot = self._state.shot
        if shot:
            self._show(*_answer(with_plan(shot, self.questions.now, {name: value}), self.questions.now))

    def _set(self, name: str, value: Any) -> None:
        shot, kind = self._state.shot, self.questions.now
        if shot:
            self._state.change(f"{question_of(kind).title} {name}", lambda: with_plan(shot, kind, {name: value}))
            self.refresh()

    def use_proposal(self) -> None:
        """Set the proposed inputs."""
        shot, kind = self._state.shot, self.questions.now
        proposal = self.view.answer.proposal if self.view.answer else None
        if shot and proposal and self._state.change("Use the plan's proposal", lambda: with_plan(shot, kind, proposal.values)):
            if self._state.session:
                self._state.session.document.log.add("plan", f"{question_of(kind).title} {proposal.reason}", shot.code)
            self.refresh()

    def put_on_place(self) -> None:
        """Put a timed movement on the shot's Place step as pins."""
        shot, answer = self._state.shot, self.view.answer
        step = next((s for s in shot.steps if s.kind == "place"), None) if shot else None
        if not shot or not answer:
            return
        if step is None:
            self._state.said.emit("This shot has no Place step yet; add one with Add step above the ledger.", "trouble")
        elif self._state.change(f"{step.name}: {answer.words}", lambda: with_path(shot, answer, step.id)):
            self._state.said.emit(f"{len(answer.drawing.frames)} pins set on {step.name}.", "note")


def _answer(shot: Shot, kind: str) -> tuple[Answer | None, str]:
    """The answer to a question of a shot, or what is wrong with its inputs."""
    try:
        return question_of(kind).of_shot(shot), ""
    except UserError as e:
        return None, str(e)
