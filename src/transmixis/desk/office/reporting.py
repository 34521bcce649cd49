"""Asking where a report goes, and writing it beside the window."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QWidget

from transmixis.core.errors import UserError
from transmixis.desk.engine import LOOK
from transmixis.desk.printing import form_of, write_report
from transmixis.desk.state import State
from transmixis.media.files import write_atomically
from transmixis.shot.logbook import Entry, folded
from transmixis.shot.outputs import refuse
from transmixis.shot.planning.overview import overview
from transmixis.shot.planning.picture import shot_png
from transmixis.shot.planning.report import report

REPORTS = {
    "breakdown": "Breakdown", "schedule": "Schedule", "shoot": "Shoot list of the chosen shot", "brief": "Brief of the chosen shot",
    "log": "Log book",
}  # fmt: skip
OF_A_SHOT = ("shoot", "brief")


def ask_where(parent: QWidget, state: State, kind: str) -> Path | None:
    """Where a person wants a report; its form goes by the name's ending. None if they do not."""
    forms = "Page to print (*.pdf);;Page (*.html)" + ("" if kind == "brief" else ";;Table (*.csv)")
    code = f"{state.code}_" if kind in OF_A_SHOT else ""
    name, _ = QFileDialog.getSaveFileName(parent, REPORTS[kind], f"{code}{kind}.pdf", forms)
    return Path(name) if name else None


def write(state: State, kind: str, path: Path, drawing: bytes | None = None) -> None:
    """Write a report of the production or of the chosen shot; what is wrong is said. `drawing`: the schedule as it is seen (PNG)."""
    session, code = state.session, state.code
    if not session:
        return
    film = session.document.film
    known = state.planner.now
    renderer = state.renderer() if kind == "brief" else None

    def make() -> None:
        refuse([path], productions=[session.document.folder], overwrite=True)  # the dialog has asked about other files
        picture = shot_png(renderer) if renderer else drawing
        write_report(path, report(kind, film, code, known or overview(film, search=False), entries(), form_of(path), picture))

    def entries() -> list[Entry]:
        return folded(session.document.log.entries()) if kind == "log" else []

    state.engine.ask(
        LOOK, make, lambda _: state.said.emit(f"Written: {path}", "note"), lambda e: state.said.emit(e, "trouble"), tag="report"
    )


def write_file(folder: Path, path: Path, content: bytes) -> None:
    """Write what a person chose a name for, unless it belongs to the production. Raises UserError."""
    refuse([path], productions=[folder], overwrite=True)
    write_atomically(path, content)


def told(state: State, path: Path, act: Callable[[], None]) -> None:
    """Write a file and say so, or say why not."""
    try:
        act()
    except UserError as e:
        state.said.emit(str(e), "trouble")
        return
    state.said.emit(f"Written: {path}", "note")
