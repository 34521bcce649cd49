"""Writing down what somebody said of the shot, and the one-page brief to show them."""

from __future__ import annotations

from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget

from transmixis.desk.office import reporting
from transmixis.desk.state import State
from transmixis.shot.office import ANSWERS, ROLES_ASKED, Agreement
from transmixis.shot.planning.tasks import today_of


class AgreeForm(QWidget):
    """Who, what they were shown, what they said, and a button that keeps it."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self._state = state
        self.who, self.answer = QComboBox(), QComboBox()
        self.who.addItems(list(ROLES_ASKED))
        self.answer.addItems(list(ANSWERS))
        self.shown, self.said = QLineEdit(), QLineEdit()
        self.shown.setMaxLength(300)
        self.said.setMaxLength(600)
        self.shown.setPlaceholderText("what they were shown, such as the brief of today")
        self.said.setPlaceholderText("what they said")
        self.keep = QPushButton("Keep it")
        self.keep.setObjectName("act")
        self.take_back = QPushButton("Take the last one back")
        self.brief = QPushButton("Save the brief …")
        tips = {
            self.who: "Who was asked.", self.answer: "What they answered.", self.shown: "What they were shown.", self.said: "What they said.",
            self.keep: "Keeps it with today's date; can be undone.", self.take_back: "Takes out what was kept last; can be undone.",
            self.brief: "One page of this shot to show: picture, layers, takes, cost and risks (PDF or HTML).",
        }  # fmt: skip
        for widget, tip in tips.items():
            widget.setToolTip(tip)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        first, second = QHBoxLayout(), QHBoxLayout()
        for widget in (QLabel("Asked"), self.who, QLabel("who"), self.answer):
            first.addWidget(widget)
        first.addWidget(self.shown, 1)
        second.addWidget(self.said, 1)
        for button in (self.keep, self.take_back, self.brief):
            second.addWidget(button)
        box.addLayout(first)
        box.addLayout(second)
        self.keep.clicked.connect(self.keep_it)
        self.take_back.clicked.connect(self.take_last_back)
        self.brief.clicked.connect(self.ask_brief)

    def refresh(self) -> None:
        """Follow the shot."""
        shot = self._state.shot
        self.take_back.setEnabled(bool(shot and shot.agreements))

    def keep_it(self) -> None:
        """Keep what was written."""
        shot, session = self._state.shot, self._state.session
        if not shot or not session:
            return
        a = Agreement.model_validate(
            {
                "who": self.who.currentText(), "when": today_of(session.document.film).isoformat(), "shown": self.shown.text().strip(),
                "said": self.said.text().strip(), "answer": self.answer.currentText(),
            }
        )  # fmt: skip
        if self._state.edits.change(
            f"The {a.who}: {a.answer}", lambda: shot.model_copy(update={"agreements": (*shot.agreements, a)})
        ):
            session.document.log.add("agreed", f"The {a.who}: {a.answer}. {a.said}".strip(), shot.code, shown=a.shown)
            self.said.clear()

    def ask_brief(self) -> None:
        """Ask where the brief goes, and write it."""
        path = reporting.ask_where(self, self._state, "brief")
        if path is not None:
            reporting.write(self._state, "brief", path)

    def take_last_back(self) -> None:
        """Take out the last one."""
        shot = self._state.shot
        if shot and shot.agreements:
            self._state.edits.change(
                "Take back what was said", lambda: shot.model_copy(update={"agreements": shot.agreements[:-1]})
            )
