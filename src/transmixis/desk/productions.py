"""Productions in the window: opened, made, opened for looking, remembered, and watched for what happens to their folder from outside."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QObject, QSettings, QTimer, pyqtSignal
from PyQt6.QtWidgets import QDialog, QFileDialog, QMessageBox, QWidget

from transmixis.core.errors import UserError
from transmixis.demo import copy_demo
from transmixis.desk.dialogs import NewProduction
from transmixis.desk.engine import LOOK
from transmixis.desk.state import State
from transmixis.shot.document import Document
from transmixis.shot.lock import Locked
from transmixis.shot.session import Session

WATCH_EVERY = 3000  # ms between looks at whether the production's folder is still there and unchanged


class Productions(QObject):
    """Opens and closes what the window shows."""

    leaving = pyqtSignal()  # another production is about to be opened
    entered = pyqtSignal()  # it is open
    shot_wanted = pyqtSignal(str, str)  # code and stage

    def __init__(self, window: QWidget, state: State, settings: QSettings) -> None:
        super().__init__(window)
        self._window, self._state, self._settings = window, state, settings
        self._outside = ""
        self._watcher = state.engine.beside()
        self._watch = QTimer(self)
        self._watch.setInterval(WATCH_EVERY)
        self._watch.timeout.connect(self._look_beside)
        self._watch.start()

    def _tell(self, words: str) -> None:
        self._state.said.emit(words, "trouble")

    def open_production(self, folder: Path, *, first_shot: bool) -> bool:
        """Open a production on the board, or on the bench with its first shot's matte; False if it cannot be opened."""
        if not self.open_folder(folder):
            return False
        shots = self._state.session.document.film.shots if self._state.session else ()
        if first_shot and shots:
            self.shot_wanted.emit(shots[0].code, "Matte")
        return True

    def open_folder(self, folder: Path) -> bool:
        """Open a production; says why if it cannot."""
        try:
            session = Session.open(folder, self.cache_bytes())
        except Locked as e:
            if not self.may_look(str(e)):
                self._tell(str(e))
                return False
            return self._open_for_looking(folder)
        except UserError as e:
            self._tell(str(e))
            return False
        self._use(session)
        return True

    def may_look(self, words: str) -> bool:
        """Ask whether a production that another program has open shall be looked at."""
        answer = QMessageBox.question(
            self._window, "Open for looking?", f"{words}\n\nOpen it for looking, without changing anything?"
        )
        return answer == QMessageBox.StandardButton.Yes

    def _open_for_looking(self, folder: Path) -> bool:
        try:
            session = Session.open(folder, self.cache_bytes(), read_only=True)
        except UserError as e:
            self._tell(str(e))
            return False
        self._use(session)
        self._state.said.emit("Open for looking only: another Transmixis has it open for changes.", "note")
        return True

    def cache_bytes(self) -> int:
        """The cache setting, in bytes."""
        return int(self._settings.value("cache_mb", 1024)) << 20

    def _use(self, session: Session) -> None:
        self.leaving.emit()
        self._state.open(session)
        self._remember(session.document.folder)
        self._outside = ""
        self.entered.emit()

    def open_demo(self, into: Path | None = None) -> bool:
        try:
            folder = copy_demo(into or Path.home() / "Transmixis" / "The Kite Post")
        except UserError as e:
            self._tell(str(e))
            return False
        return self.open_production(folder, first_shot=True)

    def ask_new(self) -> None:
        dialog = NewProduction(self._window)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            self.make_new(Path(dialog.folder.text().strip()), dialog.name.text().strip() or "Film", dialog.rate.currentText())

    def make_new(self, folder: Path, name: str, rate: str = "24") -> bool:
        try:
            document = Document.create(folder, name, rate)
        except UserError as e:
            self._tell(str(e))
            return False
        self._use(Session(document, self.cache_bytes()))
        return True

    def ask_open(self) -> None:
        folder = QFileDialog.getExistingDirectory(self._window, "Open a production")
        if folder:
            self.open_folder(Path(folder))

    def recent(self) -> list[str]:
        held = self._settings.value("recent", [])
        folders = [held] if isinstance(held, str) else [str(f) for f in held or []]
        return [f for f in folders if (Path(f) / "production.json").exists()]

    def _remember(self, folder: Path) -> None:
        kept = [str(folder.resolve()), *[f for f in self.recent() if f != str(folder.resolve())]]
        self._settings.setValue("recent", kept[:8])

    def _look_beside(self) -> None:
        """Look on the watcher's thread: a film of many shots has many files, and each look at one may have to wait."""
        session = self._state.session
        if session and not self._watcher.waiting:
            self._watcher.ask(
                LOOK, session.document.outside, lambda words: self.look_outside() if words or self._outside else None
            )

    def look_outside(self) -> None:
        """Say once what happened to the production's folder from outside."""
        session = self._state.session
        words = session.document.outside() if session else ""
        if words and words != self._outside:
            self._tell(words)
        self._outside = words
