"""The open production: every change is one named command, can be undone, and is on disk at once."""

from __future__ import annotations

import contextlib
import shutil
from pathlib import Path

from pydantic import ValidationError

from transmixis.core.errors import UserError
from transmixis.media.files import make_folder, said, why
from transmixis.shot.lock import Lock
from transmixis.shot.logbook import LogBook
from transmixis.shot.model import Film, Production, Shot, Step
from transmixis.shot.record import CODE, words_of
from transmixis.shot.saved import Change, SavedFilm
from transmixis.shot.store import Store, save_film
from transmixis.shot.texts import JOURNAL

MOST_UNDO = 500


class Document(SavedFilm):
    """An open production folder, with what can be undone and the log book."""

    def __init__(self, store: Store, film: Film, lock: Lock | None) -> None:
        super().__init__(store, film, read_only=lock is None)
        self._lock = lock
        self.log = LogBook(self.folder, self.may_write)
        self.recovered = bool(lock and lock.after_crash)

    @staticmethod
    def open(folder: Path, *, read_only: bool = False) -> Document:
        """Open a production: first the lock, then the files, so that nobody writes in between. Raises UserError (Locked
        if another program holds it); nothing on disk changes but the lock."""
        store = Store(folder)
        if read_only:
            return Document(store, store.load(), None)
        if not (folder / "production.json").exists() and not (folder / JOURNAL).exists():
            store.load()  # says why it is none, without leaving a lock in a folder that is no production
        lock = Lock(folder)
        lock.take()
        try:
            film = store.load()
            store.recover()
        except BaseException:
            lock.release()
            raise
        doc = Document(store, film, lock)
        if doc.recovered:
            for left in [*folder.glob(".*.part"), *folder.glob("shots/*/.*.part"), *folder.glob("shots/*/steps/.*.part")]:
                with contextlib.suppress(OSError):
                    left.unlink(missing_ok=True)
            doc.log.add("opened", "Opened after the program had been cut off; everything up to the last change is there.")
        return doc

    @staticmethod
    def create(folder: Path, name: str, rate: str = "24") -> Document:
        """Make a new production in a folder that is empty or not there yet. Raises UserError."""
        try:
            film = Film(production=Production(name=name, rate=rate))
        except ValidationError as e:
            raise UserError(f"A production cannot be made so: {words_of(e)}.") from e
        _require_empty(folder, "the production")
        make_folder(folder)
        save_film(folder, film)
        doc = Document.open(folder)
        doc.log.add("made", f"Production '{name}' made.")
        return doc

    def shot(self, code: str) -> Shot:
        """The shot with this code. Raises UserError."""
        found = next((s for s in self._film.shots if s.code == code), None)
        if found is None:
            there = ", ".join(s.code for s in self._film.shots[:20]) or "none yet"
            raise UserError(f"There is no shot '{said(code)[:40]}'; the production has {there}.")
        return found

    def prime(self) -> None:
        """Make ready for the first edit; may be called beside the interface's thread."""
        if not self.read_only:
            self._store.prime(self.film)

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
        with contextlib.suppress(Exception):  # whatever it was is told by `lost`; the lock must be let go all the same
            self.wait()
        if self._writer:
            self._writer.shutdown()
        if self._lock:
            if self._store.disk.at_home:
                self._store.recover()
            self._lock.release()

    # -- the world outside

    def outside(self) -> str:
        """What happened to the folder from outside since it was read, as one sentence; '' if nothing did."""
        if not self._store.disk.at_home:
            return (
                f"'{said(self.folder)}' was moved, renamed or taken away. Nothing more is written; bring it back, or close the "
                "production and open it where it is now."
            )
        changed = self._store.disk.changed_outside()
        if changed:
            return f"{', '.join(changed[:3])} {'was' if len(changed) == 1 else 'were'} changed by another program. Press M to take it in."
        return ""

    def take_in(self) -> None:
        """Read the folder anew, as a command that can be undone; a document without changes outside stays as it is."""
        self.wait()
        before = self._film
        film = self._store.load()
        if film != before:
            self._undo.append(Change("Take in what was changed outside", before, film))
            self._redo.clear()
            self._become(film, "Take in what was changed outside")


def _require_empty(folder: Path, what: str) -> None:
    try:
        full = folder.exists() and (not folder.is_dir() or any(folder.iterdir()))
    except (OSError, ValueError) as e:
        raise UserError(f"'{said(folder)}' cannot be looked at ({why(e)}); choose another place.") from e
    if full:
        raise UserError(f"'{said(folder)}' is not empty; choose a new or empty folder for {what}.")


def copy_production(source: Path, target: Path) -> None:
    """Copy a production so that the shipped one is never changed. Locks and half-written files stay behind."""
    _require_empty(target, "the copy")
    try:
        shutil.copytree(source, target, dirs_exist_ok=True, ignore=shutil.ignore_patterns(".lock.json", ".*.part", "truth"))
    except (OSError, shutil.Error) as e:
        raise UserError(
            f"Cannot copy the production to '{said(target)}' ({why(e)}); choose a place with room that you may write."
        ) from e
