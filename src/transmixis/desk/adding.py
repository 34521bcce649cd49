"""Shots and plates added in the window: chosen, dropped, or planned before there are any."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QDialog, QFileDialog, QWidget

from transmixis.core.errors import UserError
from transmixis.desk.addplates import AddPlates
from transmixis.desk.dialogs import NewShot
from transmixis.desk.engine import LOOK
from transmixis.desk.productions import Productions
from transmixis.desk.state import State
from transmixis.media.source import SourceInfo
from transmixis.shot.dropped import Dropped, dropped
from transmixis.shot.model import Plate
from transmixis.shot.session import Session
from transmixis.shot.workorder import planned_shot, with_groups

KINDS_OF_FILES = "Movies and pictures (*.mov *.mp4 *.mkv *.avi *.webm *.png *.tif *.tiff *.jpg *.jpeg *.exr *.dpx)"


class Adding(QObject):
    """Asks for what is to be added, and adds it."""

    shot_wanted = pyqtSignal(str, str)  # code and stage

    def __init__(self, window: QWidget, state: State, productions: Productions) -> None:
        super().__init__(window)
        self._window, self._state, self._productions = window, state, productions

    def _tell(self, words: str) -> None:
        self._state.said.emit(words, "trouble")

    def ask_plates(self, code: str = "") -> None:
        """Choose files for a shot (the one that is open, if none is named)."""
        files, _ = QFileDialog.getOpenFileNames(
            self._window,
            "Add plates",
            "",
            KINDS_OF_FILES,
        )
        if files:
            self.offer_plates([Path(f) for f in files], code)

    def offer_plates(self, paths: list[Path], code: str = "") -> None:
        """Show what was chosen or dropped, and add it. Without a production, one is made first."""
        if not self._state.session:
            folder = _free_folder(Path.home() / "Transmixis" / "My film")
            if not self._productions.make_new(folder, folder.name):
                return
        session = self._state.session
        assert session is not None
        folder, shots, now = session.document.folder, session.document.film.shots, code or self._state.code
        self._state.engine.ask(LOOK, lambda: dropped(folder, paths, shots, now), partial(self._list_plates, session), self._tell)

    def _list_plates(self, session: Session, found: Dropped) -> None:
        """The list of what was found; for the production that it was dropped on."""
        if session is not self._state.session:
            return
        if not found.pieces:
            self._tell("\n".join(found.left_out) or "There is nothing to add.")
            return
        dialog = AddPlates(found, session.document.film.shots, self._window)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            self.add_groups(dialog.groups(), dialog.title.text().strip())
        dialog.deleteLater()

    def add_plates(self, code: str, title: str, plates: list[tuple[Plate, SourceInfo]]) -> None:
        """Add plates to one shot."""
        self.add_groups({code: plates}, title)

    def add_groups(self, groups: dict[str, list[tuple[Plate, SourceInfo]]], title: str = "") -> None:
        """Add plates to shots as one change; a shot that is not there is made with a first work order."""
        session = self._state.session
        groups = {code: plates for code, plates in groups.items() if plates}
        if not session or not groups:
            return
        if self._state.edits.change_film(
            f"Add plates to {', '.join(groups)[:80]}", lambda film: with_groups(film, groups, title)
        ):
            for code, plates in groups.items():
                session.document.log.add("plates", f"{len(plates)} plates added to {code}.", code)
            if len(groups) == 1:
                self.shot_wanted.emit(next(iter(groups)), "")
            else:
                self._state.choose_shot(next(iter(groups)))
                self._state.page_wanted.emit("board")

    def ask_shot(self) -> None:
        """Ask for a shot that is still to be filmed, and make it."""
        session = self._state.session
        if not session:
            return
        dialog = NewShot({s.code for s in session.document.film.shots}, self._window)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            self.make_shot(dialog.code.text().strip(), dialog.title.text().strip(), dialog.frames.value())

    def make_shot(self, code: str, title: str, frames: int) -> None:
        """Make a shot without plates, to be planned."""
        session = self._state.session
        if not session:
            return
        try:
            shot = planned_shot(session.document.film, code, title, frames)
        except UserError as e:
            self._state.said.emit(str(e), "trouble")
            return
        if self._state.edits.change(f"Add {code}", lambda: shot):
            self.shot_wanted.emit(code, "Plan")


def _free_folder(wanted: Path) -> Path:
    n, folder = 1, wanted
    while folder.exists() and any(folder.iterdir()):
        n += 1
        folder = wanted.with_name(f"{wanted.name} {n}")
    return folder
