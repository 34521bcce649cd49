"""Findings: what a survey of every plate of the shot says in plain words, its picture and plot, and a person's answer to each."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QIcon, QImage, QPainter, QPaintEvent, QPixmap
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QHeaderView,
    QInputDialog,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from transmixis.core.errors import UserError
from transmixis.core.plot import Plot
from transmixis.core.survey.findings import Finding
from transmixis.core.survey.plate import PlateSurvey
from transmixis.core.survey.plots import detail_plot, exposure_plot, marks_plot, path_plot, timing_plot
from transmixis.desk.marks import mark
from transmixis.desk.plots.view import paint_plot
from transmixis.desk.state import State
from transmixis.desk.survey.mapview import Laid, MapView, Ringed
from transmixis.desk.survey.scanning import when_scanned
from transmixis.desk.survey.section import Section, small_image
from transmixis.desk.tables import plain_table
from transmixis.shot.contract import AnyKind
from transmixis.shot.looks import plate_findings
from transmixis.shot.model import Verdict
from transmixis.shot.render import Renderer
from transmixis.shot.steps import KINDS, kind_of
from transmixis.shot.workorder import add_step

PLOTS: dict[str, Callable[[PlateSurvey], Plot]] = {
    "camera": path_plot, "exposure": exposure_plot, "colour": exposure_plot, "flashing": exposure_plot,
    "sharpness": detail_plot, "blur": detail_plot, "noise": detail_plot, "timing": timing_plot, "dust": marks_plot,
    "intruder": marks_plot,
}  # fmt: skip
WIDE = 640  # px of the picture
HEADS = ("", "Plate", "Frames", "What was found", "What to do", "Answer")


def mend_for(topic: str) -> AnyKind | None:
    """The step kind that mends what a finding of this topic tells."""
    return next((k for k in KINDS.values() if topic in k.mends_topics), None)


@dataclass(frozen=True)
class Row:
    """A finding of one plate."""

    plate: str
    name: str
    finding: Finding


class FindingsSection(Section):
    """A table of findings with buttons that go there, mend, accept or ask for a reshoot; below it the chosen one's picture."""

    tag = "findings"

    def __init__(self, state: State) -> None:
        super().__init__(state)
        self._rows: list[Row] = []
        self._waiting = 0
        self._shown: Row | None = None
        self.table = plain_table(HEADS, (28, 110, 80), (3, 4))
        self.view, self.plot = MapView("Choose a finding to see it."), FindingPlot()
        self.go, self.mend = QPushButton("Go there"), QPushButton("Add the mend")
        self.accept, self.reshoot, self.back = (
            QPushButton("Accept …"),
            QPushButton("Reshoot"),
            QPushButton("Take the answer back"),
        )
        self.mend.setObjectName("act")
        self._lay_out()
        self.go.clicked.connect(self._go)
        self.mend.clicked.connect(self._mend)
        self.accept.clicked.connect(self.ask_reason)
        self.reshoot.clicked.connect(lambda: self.answer("reshoot", ""))
        self.back.clicked.connect(self._take_back)
        self.table.itemSelectionChanged.connect(self._follow)
        self.table.itemDoubleClicked.connect(lambda _: self._go())
        self._follow()

    def _lay_out(self) -> None:
        self.table.setSelectionMode(QTableWidget.SelectionMode.SingleSelection)
        rows = self.table.verticalHeader()
        assert rows is not None
        rows.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self.table.setColumnWidth(5, 190)
        self.table.setStyleSheet("QTableWidget::item { padding: 3px 4px; }")
        self.go.setToolTip("Opens the step that measured it, at the first frame of the finding.")
        self.mend.setToolTip("Adds the step that mends it, with its measured proposal; you can still refuse it.")
        self.accept.setToolTip("It stays as it is. The reason is kept in the log book.")
        self.reshoot.setToolTip("It must be filmed again; kept in the log book.")
        foot = QHBoxLayout()
        for b in (self.go, self.mend, self.accept, self.reshoot, self.back):
            foot.addWidget(b)
        foot.addStretch(1)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self.note)
        box.addWidget(self.table, 1)
        box.addLayout(foot)
        seen = QHBoxLayout()
        seen.addWidget(self.view, 1)
        seen.addWidget(self.plot, 1)
        box.addLayout(seen)
        for w in (self.view, self.plot):
            w.setFixedHeight(250)

    # -- filling

    def refresh(self) -> None:
        """Survey every plate of the shot, frame by frame in the background, and list what is found."""
        renderer = self._state.renderer()
        if renderer is None or not renderer.shot.plates:
            self._rows, self._asked = [], None
            self._fill("Add plates to the shot first: drop movies or pictures on the window.")
            return
        if renderer is self._asked:
            self._fill("")
            return
        self._asked, self._rows = renderer, []
        self._state.engine.drop("findings")
        plates = renderer.shot.plates
        self._waiting = len(plates)
        self._fill(f"Looking at {len(plates)} plates, frame by frame. What is found appears here.")
        for plate in plates:
            ref, name = f"plate:{plate.id}", plate.name or plate.id
            when_scanned(
                self._state.engine, renderer, (ref,), partial(plate_findings, renderer, ref), partial(self._take, ref, name),
                partial(self._broken, ref, name), self.tag,
            )  # fmt: skip

    def _take(self, ref: str, name: str, found: list[Finding]) -> None:
        self._waiting -= 1
        self._rows += [Row(ref, name, f) for f in found]
        self._rows.sort(key=lambda r: not r.finding.bad)
        self._fill("")

    def _broken(self, ref: str, name: str, why: str) -> None:
        self._take(ref, name, [Finding("timing", 1, 1, why, "Choose the file again, or take the plate out.")])

    def _fill(self, words: str) -> None:
        bad = sum(r.finding.bad and not self.verdict_of(r) for r in self._rows)
        done = f"{bad} of {len(self._rows)} findings want an answer." if self._rows else words
        self.note.setText(done if not self._waiting or not self._rows else f"{done} Still looking at {self._waiting} plates.")
        if words and not self._rows:
            self.note.setText(words)
        held = self.table.currentRow()
        self.table.setRowCount(len(self._rows))
        for i, r in enumerate(self._rows):
            f = r.finding
            frames = (
                "all" if f.last - f.first + 1 >= self._length(r) else f"{f.first}" if f.first == f.last else f"{f.first}–{f.last}"
            )
            v = self.verdict_of(r)
            said = "" if v is None else v.answer + (f": {v.reason}" if v.reason else "")
            words_of = f"{f.topic}: {f.words}"
            for column, value in enumerate(("", r.name, frames, words_of[0].upper() + words_of[1:], f.advice, said)):
                item = QTableWidgetItem(value)
                item.setToolTip(value)
                if column == 0:
                    item.setIcon(_icon("done" if v else "fault" if f.bad else "sound"))
                self.table.setItem(i, column, item)
        if 0 <= held < len(self._rows):
            self.table.selectRow(held)
        self._follow()

    def _length(self, row: Row) -> int:
        shot = self._state.shot
        return shot.length if shot and row.plate else 1

    # -- answers

    def chosen(self) -> Row | None:
        """The row that is selected."""
        at = self.table.currentRow()
        return self._rows[at] if 0 <= at < len(self._rows) and self.table.selectedItems() else None

    def verdict_of(self, row: Row) -> Verdict | None:
        """What a person has answered to a finding."""
        shot = self._state.shot
        same = (row.plate, row.finding.topic)
        return next((v for v in shot.verdicts if (v.step, v.reading) == same), None) if shot else None

    def _follow(self) -> None:
        row = self.chosen()
        for b in (self.go, self.accept, self.reshoot):
            b.setEnabled(row is not None)
        self.mend.setEnabled(row is not None and mend_for(row.finding.topic) is not None)
        self.back.setEnabled(row is not None and self.verdict_of(row) is not None)
        self._show_chosen(row)

    def _show_chosen(self, row: Row | None) -> None:
        """The finding's own picture and plot; what is shown already stays."""
        renderer = self._state.renderer()
        if row is None or renderer is None:
            self._shown = None
            self.view.lay(None)
            self.plot.show_plot(None, 1)
        elif row != self._shown:
            self._shown = row
            self.look(partial(_seen, renderer, row), partial(self._lay, row))

    def _lay(self, row: Row, seen: tuple[PlateSurvey | None, Laid]) -> None:
        if row == self._shown:
            self.view.lay(seen[1])
            make = PLOTS.get(row.finding.topic)
            self.plot.show_plot(make(seen[0]) if make and seen[0] else None, row.finding.first)

    def _go(self) -> None:
        row, shot = self.chosen(), self._state.shot
        if not row or not shot:
            return
        steps = [s for s in shot.steps if row.plate in s.inputs.values() and kind_of(s.kind).surveys]
        step = next((s for s in steps if row.finding.topic in kind_of(s.kind).tells_topics), steps[0] if steps else None)
        if step is None:
            self._state.said.emit("No step of this shot measures that plate; add one with Add step.", "note")
            return
        self._state.page_wanted.emit("bench")
        self._state.set_step(step.id)
        self._state.set_frame(row.finding.first)

    def _mend(self) -> None:
        row, shot = self.chosen(), self._state.shot
        if not row or not shot or mend_for(row.finding.topic) is None:
            return
        kind = mend_for(row.finding.topic)
        assert kind is not None
        more, step = add_step(shot, kind.kind, plate=row.plate)
        verdict = Verdict(step=row.plate, reading=row.finding.topic, first=row.finding.first, last=row.finding.last,
                          answer="mended", reason=f"by {step.name}")  # fmt: skip
        more = more.model_copy(update={"verdicts": (*self._others(row), verdict)})
        if self._state.edits.change(f"Add {step.name} to {row.name}", lambda: more):
            self._write(f"{row.name}: {row.finding.words}. To be mended by {step.name}.")
            self._state.page_wanted.emit("bench")
            self._state.set_step(step.id)

    def ask_reason(self) -> None:
        """Ask why it may stay, and keep the answer."""
        reason, fine = QInputDialog.getText(self, "Accept the finding", "It stays as it is, because")
        if fine and reason.strip():
            self.answer("accepted", reason.strip())

    def answer(self, answer: str, reason: str) -> None:
        """Keep a person's answer to the chosen finding."""
        row, shot = self.chosen(), self._state.shot
        if not row or not shot:
            return
        f = row.finding
        verdict = Verdict(step=row.plate, reading=f.topic, first=f.first, last=f.last, answer=answer, reason=reason)  # type: ignore[arg-type]
        if self._state.edits.change(
            f"{row.name}: {f.topic} {answer}", lambda: shot.model_copy(update={"verdicts": (*self._others(row), verdict)})
        ):
            self._write(f"{row.name}: {f.words}. {answer.capitalize()}{': ' + reason if reason else ''}.")

    def _take_back(self) -> None:
        row, shot = self.chosen(), self._state.shot
        if row and shot:
            self._state.edits.change(
                f"{row.name}: take the answer back", lambda: shot.model_copy(update={"verdicts": self._others(row)})
            )

    def _others(self, row: Row) -> tuple[Verdict, ...]:
        shot = self._state.shot
        return tuple(v for v in (shot.verdicts if shot else ()) if (v.step, v.reading) != (row.plate, row.finding.topic))

    def _write(self, words: str) -> None:
        if self._state.session:
            self._state.session.document.log.add("verdict", words, self._state.code)


def _seen(r: Renderer, row: Row) -> tuple[PlateSurvey | None, Laid]:
    """The survey of the plate, and the first frame of the finding with what was found marked on it."""
    survey = r.surveys.if_complete(r, row.plate)
    try:
        image = small_image(r, row.plate, row.finding.first, WIDE)
    except UserError:
        return survey, Laid(QImage(), (1, 1))
    if survey is None:
        return None, Laid(image, (image.width(), image.height()))
    h, w = survey.path.size
    rings: tuple[Ringed, ...] = ()
    boxes: tuple[tuple[float, float, float, float], ...] = ()
    if row.finding.topic == "dust":
        spots = survey.dust.spots or survey.dust.suspects
        rings = tuple(Ringed(s.x, s.y, s.radius, f"{100 * s.depth:.0f} %") for s in spots)
    if row.finding.topic == "intruder":
        here = [i for i in survey.intruders if i.first <= row.finding.last and i.last >= row.finding.first]
        boxes = tuple((x * w, y * h, bw * w, bh * h) for x, y, bw, bh in (i.box for i in here))
    return survey, Laid(image, (int(w), int(h)), rings=rings, boxes=boxes)


class FindingPlot(QWidget):
    """The plot of the survey that belongs to a finding."""

    def __init__(self) -> None:
        super().__init__()
        self._plot: Plot | None = None
        self._frame = 1

    def show_plot(self, plot: Plot | None, frame: int) -> None:
        """Show this."""
        self._plot, self._frame = plot, frame
        self.setToolTip(plot.tip if plot else "")
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_plot(p, QRectF(self.rect()), self._plot, self._frame, titled=False)


def _icon(state: str) -> QIcon:
    pixmap = QPixmap(16, 16)
    pixmap.fill(Qt.GlobalColor.transparent)
    p = QPainter(pixmap)
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    mark(p, state, 8, 8)
    p.end()
    return QIcon(pixmap)
