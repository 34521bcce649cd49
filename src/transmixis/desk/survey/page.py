"""The Survey page: a row of sections above, the chosen one below."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QLabel, QStackedWidget, QVBoxLayout, QWidget

from transmixis.desk.state import State
from transmixis.desk.survey.cleanplate import CleanSection
from transmixis.desk.survey.findings import FindingsSection
from transmixis.desk.survey.freeze import FreezeSection
from transmixis.desk.survey.join import JoinSection
from transmixis.desk.survey.screen import ScreenSection
from transmixis.desk.survey.section import Section
from transmixis.desk.words import Words

SECTIONS = {
    "Findings": "what a survey of every plate says, and your answers",
    "Frames to freeze": "the best frames of a take to hold or cut out",
    "Joins": "where two takes can be joined",
    "Clean plate": "whether it fits the take, where not and why",
    "Screen": "evenness and all else of a green or blue screen",
}


class SurveyPage(QWidget):
    """Holds the sections; each looks when it is seen."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self.setObjectName("page")
        self._state = state
        self.findings, self.freeze, self.join = FindingsSection(state), FreezeSection(state), JoinSection(state)
        self.clean, self.set_screen = CleanSection(state), ScreenSection(state)
        self._stack = QStackedWidget()
        made: tuple[Section, ...] = (self.findings, self.freeze, self.join, self.clean, self.set_screen)
        self._sections = dict(zip(SECTIONS, made, strict=True))
        for w in self._sections.values():
            self._stack.addWidget(w)
        self.words = Words(tuple(SECTIONS), "Findings", SECTIONS)
        self.words.chosen.connect(self.show_section)
        self._title = QLabel("Survey")
        self._title.setObjectName("title")
        head = QHBoxLayout()
        head.addWidget(self._title)
        head.addSpacing(16)
        head.addWidget(self.words)
        head.addStretch(1)
        box = QVBoxLayout(self)
        box.setContentsMargins(16, 8, 16, 12)
        box.addLayout(head)
        box.addWidget(self._stack, 1)
        state.shot_changed.connect(self._name)
        state.opened.connect(self._name)

    def _name(self) -> None:
        self._title.setText(f"Survey of {self._state.code}" if self._state.code else "Survey")

    def show_section(self, name: str) -> None:
        """Show a section by its name in SECTIONS."""
        self.words.choose(name)
        self._stack.setCurrentWidget(self._sections[name])
