"""The page to hand a shot over: what, how, where; progress with time left, cancel, and going on after a cut."""

from __future__ import annotations

import time
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from PyQt6.QtCore import Qt, QUrl, pyqtSignal
from PyQt6.QtGui import QDesktopServices, QImage, QPixmap
from PyQt6.QtWidgets import (
    QFileDialog,
    QMessageBox,
    QVBoxLayout,
)  # fmt: skip

from transmixis.core.progress import Progress, words_for_seconds
from transmixis.desk.deliverform import DeliverForm
from transmixis.desk.engine import LOOK, PLAY, Engine
from transmixis.desk.page import Page
from transmixis.desk.state import State
from transmixis.desk.theme import span_words
from transmixis.desk.viewimage import matte_image, picture_image
from transmixis.shot.deliver import FORMATS, Report, deliver, picture_of, refuse_target
from transmixis.shot.outputs import Standing
from transmixis.shot.planning.reportpage import said_day
from transmixis.shot.render import Renderer, output_ref
from transmixis.shot.session import Session
from transmixis.shot.steps import kind_of


@dataclass(frozen=True)
class _Job:
    """A delivery: the production and the shot it was asked for, as it was then."""

    session: Session
    renderer: Renderer
    ref: str
    target: Path
    frames: range

    def what_stands(self) -> str:
        """What is there already that this shot has not delivered itself, in words; '' if nothing. Raises UserError for what
        must never be written over."""
        try:
            refuse_target(self.renderer, self.target, self.frames)
        except Standing as e:
            return str(e)
        return ""

    def run(self, progress: Progress, *, overwrite: bool) -> Report:
        return deliver(self.renderer, self.ref, self.target, self.frames, progress, overwrite=overwrite)


class DeliverPage(Page):
    """Delivers one step of the chosen shot."""

    _progressed = pyqtSignal(float, str, object)
    finished = pyqtSignal(object)  # Report, or None when it failed or was cancelled

    def __init__(self, state: State, engine: Engine) -> None:
        super().__init__(state)
        self.setObjectName("page")
        self._engine = engine
        self._progress: Progress | None = None
        self._began = 0.0
        self.form = f = DeliverForm()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(f)
        # by their own names here: the page works with them all the time
        self.what, self.how, self.where, self.first, self.last = f.what, f.how, f.where, f.first, f.last
        self.go, self.stop, self.bar, self.note = f.go, f.stop, f.bar, f.note
        f.folder.clicked.connect(self._show_folder)
        f.browse.clicked.connect(self._choose)
        self.go.clicked.connect(self.start)
        self.stop.clicked.connect(self.cancel)
        self.what.activated.connect(lambda _: self._show_picture())
        self.how.currentIndexChanged.connect(lambda _: self._suggest())
        self._progressed.connect(self._show_progress)
        state.proposal_changed.connect(lambda _: self._show_waiting() if self.isVisible() else None)
        state.readings_changed.connect(lambda _: self._show_findings() if self.isVisible() else None)

    @property
    def running(self) -> bool:
        return self._progress is not None

    def showEvent(self, event: object) -> None:
        self.refresh()
        self._show_picture()

    def _show_picture(self) -> None:
        """The frame at the playhead, as it would be delivered."""
        shot, renderer, ref = self._state.shot, self._state.renderer(), self.what.currentData()
        if not shot or not renderer or not ref:
            return
        frame = self._state.frame
        self._engine.drop("deliver picture")
        self._engine.ask(
            LOOK,
            lambda: _picture(renderer, ref, frame),
            lambda image: self.form.picture.setPixmap(_scaled(image)),
            lambda e: self.form.picture.setText(e),
            tag="deliver picture",
        )

    def refresh(self) -> None:
        """Follow the chosen shot."""
        shot = self._state.shot
        ready = shot is not None
        self.go.setEnabled(ready and not self.running)
        self.stop.setEnabled(self.running)
        if not shot:
            self.note.setText("Choose a shot on the board first.")
            return
        held = self.what.currentData()
        self.what.clear()
        final = output_ref(shot)
        for step in reversed(shot.steps):
            if kind_of(step.kind).product != "readings":
                ref = f"step:{step.id}"
                self.what.addItem(f"{step.name} ({'result' if ref == final else kind_of(step.kind).product})", ref)
        for plate in shot.plates:
            self.what.addItem(f"{plate.name or plate.id} (plate)", f"plate:{plate.id}")
        at = self.what.findData(held or final)
        self.what.setCurrentIndex(max(0, at))
        for box in (self.first, self.last):
            box.setRange(1, shot.length)
        if self.last.property("shot") != shot.code:
            self.last.setProperty("shot", shot.code)
            self.first.setValue(1)
            self.last.setValue(shot.length)
            self.where.clear()
            self.note.clear()
            self.bar.setValue(0)
        self._suggest(keep=bool(self.where.text()))
        self._show_findings()
        self._state.answers.want_all()
        self._show_waiting()
        self._show_past()

    def _suggest(self, keep: bool = False) -> None:
        """A place inside the production, with the ending of the kind of file."""
        shot, folder = self._state.shot, self._state.folder
        if not shot or not folder or self.how.currentData() is None:
            return
        f = FORMATS[self.how.currentData()]
        if not keep:
            name = f"{shot.code}{f.suffix}" if f.movie else f"{shot.code}.####{f.suffix}"
            self.where.setText(str(folder / "delivered" / name))

    def _choose(self) -> None:
        path, _ = QFileDialog.getSaveFileName(self, "Where to deliver", self.where.text())
        if path:
            self.where.setText(path)

    def _show_findings(self) -> None:
        found = self._state.known.findings()
        shot = self._state.shot
        if not shot:
            return
        if not found:
            self.form.findings.setText("No reading is over its limit.")
            self.form.findings.setObjectName("note")
        else:
            names = {s.id: s.name for s in shot.steps}
            lines = [f"{names.get(f.step, f.step)}: {f.words}, {span_words(f.first, f.last)}" for f in found[:4]]
            more = f"\nand {len(found) - 4} more" if len(found) > 4 else ""
            self.form.findings.setText("\n".join(lines) + more)
            self.form.findings.setObjectName("fault")
        style = self.form.findings.style()
        if style:
            style.polish(self.form.findings)

    def _show_waiting(self) -> None:
        """Proposals that nobody has answered yet, and steps of which it is still worked out whether there is one."""
        shot = self._state.shot
        if not shot:
            return
        waits, unknown = self._state.answers.waiting()
        words = [f"{', '.join(waits)} wait{'s' if len(waits) == 1 else ''} for an answer" if waits else "None waits"]
        if unknown:
            words.append(f"{len(unknown)} step{'' if len(unknown) == 1 else 's'} still to be looked at")
        self.form.waiting.setText("; ".join(words) + ".")

    def _show_past(self) -> None:
        session, shot = self._state.session, self._state.shot
        if not session or not shot:
            return
        lines = [
            f"{said_day(e.when)}  {e.text}"
            for e in session.document.log.entries()
            if e.kind == "delivered" and e.shot == shot.code
        ]
        self.form.past.setText("\n".join(lines[-6:]) or "Nothing yet. What is delivered is written here and in the log book.")

    def _show_folder(self) -> None:
        folder = Path(self.where.text().strip()).parent
        if folder.is_dir():
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(folder)))
        else:
            self.note.setText("The folder is not there yet; it is made when the files are written.")

    # -- delivering

    def start(self) -> None:
        """Deliver in the background."""
        session, shot = self._state.session, self._state.shot
        if not session or not shot or self.running:
            return
        ref, target = self.what.currentData(), Path(self.where.text().strip())
        if not self.where.text().strip():
            self.note.setText("Say where it shall be written first.")
            return
        if self.first.value() > self.last.value():
            self.note.setText("The first frame lies behind the last; turn them round.")
            return
        job = _Job(session, session.renderer_for(shot), ref, target, range(self.first.value(), self.last.value() + 1))
        self._progress = Progress(lambda share, words, left: self._progressed.emit(share, words, left))
        self._began = time.monotonic()
        self.go.setEnabled(False)
        self.stop.setEnabled(True)
        self.note.setText("Looking at what stands there.")
        # measuring waits until the delivery is through; it goes on by itself afterwards
        self._engine.drop("measure")
        self._engine.ask(PLAY, job.what_stands, partial(self._begin, job), self._failed, tag="deliver")

    def _begin(self, job: _Job, stands: str) -> None:
        """Render, after asking whether what stands there may go."""
        progress = self._progress
        if progress is None:
            return
        if stands and not self.may_overwrite(stands):
            self._failed("Nothing was written. Choose another name or folder.")
            return
        self.note.setText("Rendering.")
        self._engine.ask(
            PLAY, lambda: job.run(progress, overwrite=bool(stands)), partial(self._done, job), self._failed, tag="deliver"
        )  # fmt: skip

    def may_overwrite(self, stands: str) -> bool:
        """Ask whether what stands there may be overwritten."""
        words = stands.split(";")[0] + ".\nOverwrite what stands there?"
        answer = QMessageBox.question(self, "Overwrite?", words, defaultButton=QMessageBox.StandardButton.No)
        return answer == QMessageBox.StandardButton.Yes

    def leave(self) -> None:
        """The production is closed: what is under way for it stops and is answered nowhere; finished frames stay."""
        self.cancel()
        self._engine.drop("deliver")
        self._progress = None

    def cancel(self) -> None:
        """Stop at the next frame; finished frames stay and are used when it goes on."""
        if self._progress:
            self._progress.cancel()

    def _show_progress(self, share: float, words: str, left: object) -> None:
        self.bar.setValue(round(1000 * share))
        seconds = left if isinstance(left, float) else None
        self.note.setText(f"{words}   {words_for_seconds(seconds)}")

    def _done(self, job: _Job, report: Report) -> None:
        self._progress = None
        took = time.monotonic() - self._began
        words = f"{report.made} frames made, {report.kept} kept from before, in {took:.0f} s: {report.path}"
        if report.failed:
            n, why = next(iter(report.failed.items()))
            words += f"\n{len(report.failed)} frames could not be made; the first is {n}: {why}"
        words += f"\n{report.sound}" if report.sound else ""
        code = job.renderer.shot.code
        self.note.setText(words if code == self._state.code else f"{code}: {words}")
        job.session.document.log.add("delivered", words.split("\n")[0], code, failed=list(report.failed))
        if not report.failed:
            self._state.edits.change_there(
                job.session, code, "Delivered", lambda shot: shot.model_copy(update={"delivered": report.path})
            )
        self._finish(report)

    def _failed(self, why: str) -> None:
        self._progress = None
        self.note.setText("Cancelled. Finished frames stay; it goes on where it stopped." if why == "cancelled" else why)
        self._finish(None)

    def _finish(self, report: Report | None) -> None:
        self.refresh()
        self._state.work.measure()
        self.finished.emit(report)


def _picture(renderer: Renderer, ref: str, frame: int) -> QImage:
    made = picture_of(renderer, ref, frame)
    return matte_image(made) if made.ndim == 2 else picture_image(made)


def _scaled(image: QImage) -> QPixmap:
    return QPixmap.fromImage(image).scaledToWidth(380, Qt.TransformationMode.SmoothTransformation)
