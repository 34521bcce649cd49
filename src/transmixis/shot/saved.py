"""A film in memory and on the disk: a change counts at once, and is on the disk before the next one, or is taken back and said."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass

from transmixis.core.errors import UserError
from transmixis.shot.model import Film
from transmixis.shot.store import Store


@dataclass(frozen=True)
class Change:
    """One command that can be undone."""

    title: str
    before: Film
    after: Film


class SavedFilm:
    """The film of an open folder. Watchers are called after every change with the change's title."""

    def __init__(self, store: Store, film: Film, *, read_only: bool) -> None:
        self.folder, self._store, self._film, self.read_only = store.folder, store, film, read_only
        self._undo: list[Change] = []
        self._redo: list[Change] = []
        self._watchers: list[Callable[[str], None]] = []
        self._writer: ThreadPoolExecutor | None = None
        self._pending: Future[None] | None = None
        self._lost: Callable[[], None] = lambda: None
        self._known = (film, list[Change](), list[Change]())  # what is on the disk for sure, and the commands that led there

    def may_write(self) -> bool:
        """True while what is measured may be kept in the production's folder."""
        return not self.read_only and self._store.disk.at_home

    @property
    def film(self) -> Film:
        return self._film

    def watch(self, watcher: Callable[[str], None]) -> None:
        self._watchers.append(watcher)

    def save_beside(self, lost: Callable[[], None]) -> None:
        """Write on a thread of its own from now on: a change counts at once, and the next one waits until it is on the disk. `lost` is
        called on that thread if it could not be written; `take_back` is to follow."""
        self._writer, self._lost = ThreadPoolExecutor(1, "saving"), lost

    def _save(self, film: Film) -> None:
        if self.read_only:
            raise UserError(f"'{self.folder}' is open for looking only; copy it to a place you may write to change it.")
        self.wait()
        write = self._store.writing(film, self._film)
        if self._writer is None:
            write()
            return
        self._known = (self._film, list(self._undo), list(self._redo))
        self._pending = self._writer.submit(write)
        self._pending.add_done_callback(lambda f: self._lost() if f.exception() else None)

    def wait(self) -> None:
        """Wait until the last change is on the disk. Raises UserError if it could not be written; then it is taken back."""
        if self._pending is not None and (error := self._pending.exception()) is not None:
            self.take_back()
            raise error
        self._pending = None

    def take_back(self) -> str:
        """Go back to what is on the disk if the last change could not be written; gives the reason, or '' if all is well."""
        error = self._pending.exception() if self._pending is not None else None
        if error is None:
            return ""
        self._pending = None
        film, self._undo, self._redo = self._known
        self._become(film, "Taken back: it could not be saved")
        return str(error)

    def _become(self, film: Film, title: str) -> None:
        self._film = film
        for w in list(self._watchers):
            w(title)
