"""The open production: every change is one named command, can be undone, and is on disk at once."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from transmixis.core.errors import UserError
from transmixis.shot.logbook import LogBook
from transmixis.shot.model import Film, Production, Shot, Step
from transmixis.shot.store import CODE, Lock, load_film, save_film

MOST_UNDO = 500


@dataclass(frozen=True)
class Change:
    """One command that can be undone."""

    title: str
    before: Film
    after: Film


class Document:
    """An open production folder. Watchers are called after every change with the change's title."""

    def __init__(self, folder: Path, film: Film, lock: Lock | None) -> None:
        self.folder, self._film, self._lock = folder, film, lock
        self.log = LogBook(folder)
        self._undo: list[Change] = []
        self._redo: list[Change] = []
        self._watchers: list[Callable[[str], None]] = []
        self.read_only = lock is None
        self.recovered = bool(lock and lock.after_crash)

    @staticmethod
    def open(folder: Path, *, read_only: bool = False) -> Document:
        """Open a production. Raises UserError; nothing on disk changes but the lock."""
        film = load_film(folder)
        lock = None
        if not read_only:
            lock = Lock(folder)
            lock.take()
        doc = Document(folder, film, lock)
        if doc.recovered:
            for left in [*folder.glob(".*.part"), *folder.glob("shots/*/.*.part")]:
                left.unlink(missing_ok=True)
            doc.log.add("opened", "Opened after the program had been cut off; everything up to the last change is there.")
        return doc

    @staticmethod
    def create(folder: Path, name: str, rate: str = "24") -> Document:
        """Make a new production in a folder that is empty or not there yet."""
        if folder.exists() and any(folder.iterdir()):
            raise UserError(f"'{folder}' is not empty; choose a new or empty folder for the production.")
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError as e:
            raise UserError(f"Cannot make '{folder}' ({e.strerror}); choose a place you may write.") from e
        film = Film(production=Production(name=name, rate=rate))
        save_film(folder, film)
        doc = Document.open(folder)
        doc.log.add("made", f"Production '{name}' made.")
        return doc

    @property
    def film(self) -> Film:
        return self._film

    def watch(self, watcher: Callable[[str], None]) -> None:
        self._watchers.append(watcher)

    def shot(self, code: str) -> Shot:
        return self._film.shot(code)

    def apply(self, title: str, film: Film) -> None:
        """Make `film` the state of the document, save it, and remember how to go back."""
        if film == self._film:
            return
        self._save(film)
        self._undo.append(Change(title, self._film, film))
        del self._undo[:-MOST_UNDO]
        self._redo.clear()
        self._become(film, title)

    def change_shot(self, title: str, shot: Shot) -> None:
        """Replace or add one shot."""
        if not CODE.match(shot.code):
            raise UserError(f"'{shot.code}' cannot be a shot code; use letters, digits, - and _, at most 32.")
        self.apply(title, self._film.with_shot(shot))

    def change_step(self, title: str, code: str, step: Step) -> None:
        """Replace one step of a shot."""
        self.change_shot(title, self.shot(code).with_step(step))

    def _save(self, film: Film) -> None:
        if self.read_only:
            raise UserError(f"'{self.folder}' is open for looking only; copy it to a place you may write to change it.")
        save_film(self.folder, film, self._film)

    def _become(self, film: Film, title: str) -> None:
        self._film = film
        for w in list(self._watchers):
            w(title)

    @property
    def undo_title(self) -> str | None:
        return self._undo[-1].title if self._undo else None

    @property
    def redo_title(self) -> str | None:
        return self._redo[-1].title if self._redo else None

    def undo(self) -> str | None:
        """Go one command back; gives its title, or None when there is nothing to undo."""
        if not self._undo:
            return None
        change = self._undo[-1]
        self._save(change.before)
        self._redo.append(self._undo.pop())
        self._become(change.before, f"Undo: {change.title}")
        return change.title

    def redo(self) -> str | None:
        """Do the undone command again."""
        if not self._redo:
            return None
        change = self._redo[-1]
        self._save(change.after)
        self._undo.append(self._redo.pop())
        self._become(change.after, f"Redo: {change.title}")
        return change.title

    def close(self) -> None:
        if self._lock:
            self._lock.release()


def copy_production(source: Path, target: Path) -> None:
    """Copy a production so that the shipped one is never changed. Locks and half-written files stay behind."""
    if target.exists() and any(target.iterdir()):
        raise UserError(f"'{target}' is not empty; choose a new or empty folder for the copy.")
    try:
        shutil.copytree(source, target, dirs_exist_ok=True, ignore=shutil.ignore_patterns(".lock.json", ".*.part", "truth"))
    except (OSError, shutil.Error) as e:
        raise UserError(f"Cannot copy the production to '{target}' ({e}); choose a place with room that you may write.") from e
