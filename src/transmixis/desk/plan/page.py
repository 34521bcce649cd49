"""The Plan page: questions on the left, the chosen one's inputs, drawing, readings, proposal and what to film on the right."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QDialog, QFrame, QHBoxLayout, QLabel, QPushButton, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from transmixis.core.errors import UserError
from transmixis.desk.page import Page
from transmixis.desk.plan.agreements import AgreeForm
from transmixis.desk.plan.answerview import AnswerView
from transmixis.desk.plan.asking import Asking
from transmixis.desk.plan.inputs import Inputs
from transmixis.desk.plan.pick import CLOTH, PickDialog
from transmixis.desk.plan.questionlist import WIDE, QuestionList
from transmixis.desk.plan.shootlist import ShootList
from transmixis.desk.plan.tasks import TaskTable
from transmixis.desk.state import State
from transmixis.desk.theme import EDGE, PANEL, PAPER, PURPLE, RULE
from transmixis.shot.planning import QUESTIONS, answered, question_of
from transmixis.shot.planning.contract import Answer, with_plan
from transmixis.shot.planning.screen import measured_from
from transmixis.shot.planning.timing import TimingDrawing, with_path
from transmixis.shot.steps import steps_with


class PlanPage(Page):
    """Lays the parts out and keeps them in step with the document."""

    def __init__(self, state: State) -> None:
        super().__init__(state)
        self.setObjectName("page")
        self.questions, self.view = QuestionList(), AnswerView()
        self.inputs, self.list, self.asking = Inputs(), ShootList(state), Asking(state)
        self.tasks, self.agree = TaskTable(state), AgreeForm(state)
        self.title, self.says = QLabel(""), QLabel("")
        self.title.setStyleSheet("font-size: 16px; font-weight: 600;")
        self.says.setObjectName("note")
        self.reason, self.cautions = QLabel(""), QLabel("")
        self.use = QPushButton("Use proposal")
        self.use.setObjectName("main")
        self.use.setToolTip("Sets the proposed inputs; can be undone.")
        self.put = QPushButton("Put it on Place")
        self.draw = QPushButton("Measure on a still …")
        self.draw.setToolTip("Opens a frame of a plate to draw on.")
        self.forget = QPushButton("Forget what was measured")
        self.forget.setToolTip("Takes out the colours that were measured on a still; can be undone.")
        self.put.setToolTip("Sets a pin a frame on the shot's Place step, so that what is placed moves like this; can be undone.")
        for label in (self.reason, self.cautions):
            label.setWordWrap(True)
            label.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
        self._lay_out()
        self.questions.chosen.connect(self._choose)
        self.inputs.dragged.connect(self._try)
        self.inputs.settled.connect(self._set)
        self.use.clicked.connect(self.use_proposal)
        self.put.clicked.connect(self.put_on_place)
        self.draw.clicked.connect(self.draw_on_plate)
        self.forget.clicked.connect(self.forget_measured)
        self.asking.came.connect(self._came)

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
        self.asked = scroll
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
        warned.setSpacing(2)
        self.warned = QLabel("Cautions")
        self.warned.setObjectName("title")
        for label in (self.warned, self.cautions):
            label.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
        warned.addWidget(self.warned)
        warned.addWidget(self.cautions)
        warned.addStretch(1)
        low = QHBoxLayout()
        low.setSpacing(16)
        low.addLayout(warned, 1)
        low.addWidget(self.forget, 0, Qt.AlignmentFlag.AlignBottom)
        low.addWidget(self.draw, 0, Qt.AlignmentFlag.AlignBottom)
        low.addWidget(self.put, 0, Qt.AlignmentFlag.AlignBottom)
        low.addWidget(self.card)
        right = QVBoxLayout()
        right.setContentsMargins(16, 10, 16, 12)
        right.addWidget(self.title)
        right.addWidget(self.says)
        right.addLayout(middle, 1)
        right.addWidget(self.tasks)
        right.addWidget(self.agree)
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
        question, has = question_of(self.questions.now), answered(shot)
        found = {k: self.asking.of(shot, k) for k in QUESTIONS if k in has or k == question.kind}
        self.questions.answers = {k: (a, k in has) for k, (a, _) in found.items()}
        self.questions.update()
        self.title.setText(question.title)
        self.says.setText(question.says)
        self.inputs.show_question(question, shot.plan.get(question.kind, {}))
        self.asked.setVisible(bool(question.Params.model_fields))
        self.tasks.setVisible(question.kind == "estimate")
        self.agree.setVisible(question.kind == "agree")
        self.draw.setVisible(question.kind in ("screen", "shadow"))
        screen = shot.plan.get("screen", {})
        self.forget.setVisible(question.kind == "screen" and bool(screen.get("measured") or screen.get("measured_cloth")))
        self.draw.setText("Draw a shadow on the plate …" if question.kind == "shadow" else "Measure on a still …")
        if question.kind == "estimate":
            self.tasks.refresh()
        self.agree.refresh()
        self._show(*found[question.kind])
        self.list.show_answers([(QUESTIONS[k].title, a) for k in has if (a := found[k][0])])

    def _came(self, kind: str) -> None:
        """A slow answer has arrived."""
        shot = self._state.shot
        if shot is None or not self.isVisible():
            return
        has = answered(shot)
        self.questions.answers[kind] = (self.asking.known(kind)[0], kind in has)
        self.questions.update()
        if kind == self.questions.now:
            self._show(*self.asking.known(kind))
        self.list.show_answers([(QUESTIONS[k].title, a) for k in has if (a := self.asking.known(k)[0])])

    def _show(self, answer: Answer | None, trouble: str) -> None:
        self.view.show_answer(self.questions.now, answer, trouble)
        proposal = answer.proposal if answer else None
        self.card.setVisible(proposal is not None)
        self.put.setVisible(answer is not None and isinstance(answer.drawing, TimingDrawing))
        self.reason.setText(proposal.reason if proposal else "")
        cautions = answer.cautions if answer else ()
        self.cautions.setText("\n".join(f"•  {c}" for c in cautions))
        self.warned.setVisible(bool(cautions))

    def _choose(self, kind: str) -> None:
        self.refresh()

    def _try(self, name: str, value: Any) -> None:
        """Answer while a number is dragged, without touching the document."""
        shot = self._state.shot
        if shot:
            known = self.asking.try_out(with_plan(shot, self.questions.now, {name: value}), self.questions.now)
            if known is not None:
                self._show(*known)

    def _set(self, name: str, value: Any) -> None:
        shot, kind = self._state.shot, self.questions.now
        if shot:
            title = question_of(kind).title
            if self._state.edits.change(f"{title} {name}", lambda: with_plan(shot, kind, {name: value})) and self._state.session:
                self._state.session.document.log.add(
                    "plan", f"{title} {self.inputs.said(name, value)}", shot.code, input=name, value=value
                )

    def use_proposal(self) -> None:
        """Set the proposed inputs."""
        shot, kind = self._state.shot, self.questions.now
        proposal = self.view.answer.proposal if self.view.answer else None
        if (
            shot
            and proposal
            and self._state.edits.change("Use the plan's proposal", lambda: with_plan(shot, kind, proposal.values))
        ):
            if self._state.session:
                self._state.session.document.log.add("plan", f"{question_of(kind).title} {proposal.reason}", shot.code)
            self.refresh()

    def put_on_place(self) -> None:
        """Put a timed movement on the shot's Place step as pins."""
        shot, answer = self._state.shot, self.view.answer
        step = next(iter(steps_with(shot, "path")), None) if shot else None
        if not shot or not answer:
            return
        if step is None:
            self._state.said.emit("This shot has no Place step yet; add one with Add step above the ledger.", "trouble")
        elif self._state.edits.change(f"{step.name}: {answer.words}", lambda: with_path(shot, answer, step.id)):
            self._state.said.emit(f"{len(answer.drawing.frames)} pins set on {step.name}.", "note")

    def draw_on_plate(self) -> None:
        """Open a frame to draw on: boxes for the screen question, a shadow for that one."""
        shadow = self.questions.now == "shadow"
        dialog = PickDialog(self._state, self, line=shadow)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            self.use_drawn(dialog)
        self._state.engine.drop("pick")  # a frame that comes late must not reach a dialog that is gone
        dialog.deleteLater()

    def forget_measured(self) -> None:
        """Take out what was measured on a still."""
        shot = self._state.shot
        if shot:
            none: dict[str, Any] = {"measured": [], "measured_cloth": None}
            self._state.edits.change("Forget what was measured", lambda: with_plan(shot, "screen", none))

    def use_drawn(self, dialog: PickDialog) -> None:
        """Set what was drawn."""
        shot, kind = self._state.shot, self.questions.now
        if not shot or (kind == "screen" and dialog.picture is None):
            return
        try:
            if kind == "shadow" and dialog.view.line:
                names = ("base_x", "base_y", "tip_x", "tip_y")
                values: dict[str, Any] = {n: round(v, 1) for n, v in zip(names, dialog.view.line, strict=True)}
                values["first_light"] = "a drawn shadow"
            else:
                assert dialog.picture is not None
                boxes = tuple((b.name, b.box) for b in dialog.view.boxes if b.name != CLOTH)
                cloth = next((b.box for b in dialog.view.boxes if b.name == CLOTH), None)
                values = measured_from(dialog.picture, boxes, cloth)
        except UserError as e:
            self._state.said.emit(str(e), "trouble")
            return
        self._state.edits.change(f"{question_of(kind).title} Drawn on the plate", lambda: with_plan(shot, kind, values))
