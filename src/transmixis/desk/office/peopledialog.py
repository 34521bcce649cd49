"""People with their hours and days off, versions with their dates, and when each shot's plates come in."""

from __future__ import annotations

from datetime import date
from functools import partial
from pathlib import Path
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QTabWidget,
    QVBoxLayout,
    QWidget,
)

from transmixis.core.errors import UserError
from transmixis.desk.tables import open_table
from transmixis.media.calendar import read_days
from transmixis.shot.model import Film, Shot
from transmixis.shot.office import Scenario, Worker
from transmixis.shot.planning.calendar import with_days_off
from transmixis.shot.record import STAGES

DAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")
PEOPLE = ("Name", *DAYS, "Does (stages; none: all)", "Days off (2026-05-25, …)")
VERSIONS = ("Version", "Deadline", "Quality 0–1", "Days for the director to look")
SHOTS = ("Shot", "Title", "Due (else the version's)", "Plates come in", "Waits for", "Hours, if it has no tasks")

_OF_A_SHOT = ("due", "plates_due", "waits_for", "hours_estimate")


M = TypeVar("M", bound=BaseModel)


class PeopleDialog(QDialog):
    """Three tables; what cannot be is told in a sentence and the dialog stays. `film` gives the film with what was written."""

    def __init__(self, film: Film, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("People and dates")
        self._film = film
        self.tabs = QTabWidget()
        self.people = open_table(PEOPLE, (110, *(44,) * 7, 180, 210), 28)
        self.versions = open_table(VERSIONS, (200, 130, 120, 220), 28)
        self.shots = open_table(SHOTS, (90, 190, 170, 130, 170, 160), 28)
        self.day = QLineEdit(film.production.day)
        self.day.setPlaceholderText("the clock's")
        self.day.setToolTip("The day from which work is laid out, such as 2026-05-12; empty: today.")
        self.note = QLabel("Dates are written like 2026-05-22.")
        self.note.setObjectName("note")
        self.note.setWordWrap(True)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        self.off = QPushButton("Days off from a calendar …")
        self.off.setToolTip("Takes every day of a calendar file (.ics) as a day off of the chosen person.")
        self.off.clicked.connect(self.ask_calendar)
        self._lay_out()
        self._fill(film)
        self.resize(1040, 460)

    def _lay_out(self) -> None:
        for words, table, extra in (
            ("People", self.people, self.off),
            ("Versions", self.versions, None),
            ("Shots", self.shots, None),
        ):
            page = QWidget()
            box = QVBoxLayout(page)
            box.addWidget(table, 1)
            row = QHBoxLayout()
            if table is not self.shots:
                add, take = QPushButton("Add a line"), QPushButton("Take the line out")
                add.clicked.connect(partial(_add_line, table))
                take.clicked.connect(partial(_take_line, table))
                row.addWidget(add)
                row.addWidget(take)
            if extra is not None:
                row.addWidget(extra)
            row.addStretch(1)
            box.addLayout(row)
            self.tabs.addTab(page, words)
        low = QHBoxLayout()
        low.addWidget(QLabel("Lay out from"))
        self.day.setMaximumWidth(110)
        low.addWidget(self.day)
        low.addWidget(self.note, 1)
        low.addWidget(self.buttons)
        box = QVBoxLayout(self)
        box.addWidget(self.tabs, 1)
        box.addLayout(low)

    def _fill(self, film: Film) -> None:
        people = film.production.people or (Worker(name="Me"),)
        versions = film.production.scenarios or (Scenario(name="the film"),)
        _rows(self.people, [[p.name, *(f"{h:g}" for h in p.week), ", ".join(p.does), ", ".join(p.off)] for p in people])
        _rows(self.versions, [[v.name, v.deadline, f"{v.quality:g}", f"{v.review_days:g}"] for v in versions])
        _rows(
            self.shots,
            [
                [s.code, s.title, s.due, s.plates_due, s.waits_for, "" if s.hours_estimate is None else f"{s.hours_estimate:g}"]
                for s in film.shots
            ],
            fixed=2,
        )

    def merged_into(self, now: Film) -> Film:
        """`now`, the film as it is by then, with what a person changed here and nothing else. Raises UserError naming the line
        that is wrong."""
        wanted = self.film()
        if wanted.production != self._film.production:
            names = ("people", "scenarios", "day", "scenario")
            changed = {
                n: getattr(wanted.production, n)
                for n in names
                if getattr(wanted.production, n) != getattr(self._film.production, n)
            }
            now = now.model_copy(update={"production": now.production.model_copy(update=changed)})
        before = {s.code: s for s in self._film.shots}
        dates = {
            s.code: {n: getattr(s, n) for n in _OF_A_SHOT if getattr(s, n) != getattr(before[s.code], n)} for s in wanted.shots
        }
        return now.model_copy(update={"shots": tuple(s.model_copy(update=dates.get(s.code, {})) for s in now.shots)})

    def film(self) -> Film:
        """The film that was shown, with what is written. Raises UserError naming the line that is wrong."""
        people = [self._worker(r, line) for r, line in enumerate(_lines(self.people), 1) if line[0]]
        if len({p.name for p in people}) != len(people):
            raise UserError("Two people have the same name; tell them apart.")
        versions = [self._version(r, line) for r, line in enumerate(_lines(self.versions), 1) if line[0]]
        day = self.day.text().strip()
        _checked_day(day, "Lay out from")
        shots = tuple(self._shot(s, line) for s, line in zip(self._film.shots, _lines(self.shots), strict=True))
        names = [v.name for v in versions]
        production = self._film.production.model_copy(
            update={
                "people": tuple(people), "scenarios": tuple(versions), "day": day,
                "scenario": self._film.production.scenario if self._film.production.scenario in names else (names[0] if names else ""),
            }
        )  # fmt: skip
        return self._film.model_copy(update={"production": production, "shots": shots})

    def _worker(self, row: int, line: list[str]) -> Worker:
        does = _split(line[8])
        for s in does:
            if s not in STAGES:
                raise UserError(f"People, line {row}: '{s}' is no stage; use {', '.join(STAGES)}.")
        for d in _split(line[9]):
            _checked_day(d, f"People, line {row}")
        return _made(
            Worker,
            f"People, line {row}",
            name=line[0],
            week=[_figure(h, f"People, line {row}") for h in line[1:8]],
            does=does,
            off=_split(line[9]),
        )

    def _version(self, row: int, line: list[str]) -> Scenario:
        where = f"Versions, line {row}"
        _checked_day(line[1], where)
        return _made(
            Scenario,
            where,
            name=line[0],
            deadline=line[1],
            quality=_figure(line[2] or "0.5", where),
            review_days=_figure(line[3] or "0", where),
        )

    def _shot(self, shot: Shot, line: list[str]) -> Shot:
        for d in line[2:4]:
            _checked_day(d, shot.code)
        hours = _figure(line[5], shot.code) if line[5].strip() else None
        if hours is not None and hours < 0:
            raise UserError(f"{shot.code}: hours cannot be below zero.")
        return shot.model_copy(update={"due": line[2], "plates_due": line[3], "waits_for": line[4], "hours_estimate": hours})

    def accept(self) -> None:
        try:
            self.film()
        except UserError as e:
            self.note.setText(str(e))
            return
        super().accept()

    def ask_calendar(self) -> None:
        """Ask for a calendar file."""
        name, _ = QFileDialog.getOpenFileName(self, "Days off from a calendar", "", "Calendar (*.ics)")
        if name:
            self.take_calendar(Path(name))

    def take_calendar(self, path: Path) -> None:
        """Take a calendar's days as days off of the chosen person."""
        row = max(self.people.currentRow(), 0)
        lines = _lines(self.people)
        if not lines or not lines[row][0]:
            self.note.setText("Choose the person whose days off they are first.")
            return
        try:
            days = read_days(path)
            for d in _split(lines[row][9]):
                _checked_day(d, lines[row][0])
        except UserError as e:
            self.note.setText(str(e))
            return
        worker = Worker(name=lines[row][0], off=tuple(_split(lines[row][9])))
        film = self._film.model_copy(update={"production": self._film.production.model_copy(update={"people": (worker,)})})
        after = with_days_off(film, worker.name, days).production.people[0].off
        self.people.setItem(row, 9, QTableWidgetItem(", ".join(after)))
        self.note.setText(f"{len(after)} days off of {worker.name}.")


def _rows(table: QTableWidget, lines: list[list[str]], fixed: int = 0) -> None:
    table.setRowCount(len(lines))
    for r, line in enumerate(lines):
        for c, words in enumerate(line):
            item = QTableWidgetItem(words)
            if c < fixed:
                item.setFlags(Qt.ItemFlag.ItemIsEnabled)
            table.setItem(r, c, item)


def _lines(table: QTableWidget) -> list[list[str]]:
    return [
        [(item.text().strip() if (item := table.item(r, c)) else "") for c in range(table.columnCount())]
        for r in range(table.rowCount())
    ]


def _add_line(table: QTableWidget, _: bool = False) -> None:
    r = table.rowCount()
    table.insertRow(r)
    usual = ["", "8", "8", "8", "8", "8", "0", "0", "", ""] if table.columnCount() == len(PEOPLE) else ["", "", "0.5", "0"]
    for c, words in enumerate(usual):
        table.setItem(r, c, QTableWidgetItem(words))
    table.setCurrentCell(r, 0)


def _take_line(table: QTableWidget, _: bool = False) -> None:
    table.removeRow(table.currentRow() if table.currentRow() >= 0 else table.rowCount() - 1)


def _split(words: str) -> list[str]:
    return [w.strip() for w in words.replace(";", ",").split(",") if w.strip()]


def _figure(words: str, where: str) -> float:
    try:
        return float(words.replace(",", ".") or 0)
    except ValueError:
        raise UserError(f"{where}: '{words}' is not a number.") from None


def _checked_day(words: str, where: str) -> None:
    if words:
        try:
            date.fromisoformat(words)
        except ValueError:
            raise UserError(f"{where}: '{words}' is not a day; write it like 2026-05-22.") from None


def _made(kind: type[M], where: str, **values: Any) -> M:
    try:
        return kind.model_validate(values)
    except ValidationError as e:
        first = e.errors()[0]
        raise UserError(f"{where}, {first['loc'][0]}: {first['msg'].lower()}.") from None
