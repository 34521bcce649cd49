"""The project on disk: readable JSON, each command all there or not at all.

A change of one file is that file, written beside the old one and given its name. A change of several goes through a journal:
one file that holds them all, written in the same way. From that moment on the command counts; the files are brought up to
it at once, or, if the program ends before, when the production is opened next. Readers look into the journal first.

A file that does not parse is reported with file, place and reason, and is never overwritten. Neither is one that
somebody else has changed since it was read.
"""

from __future__ import annotations

import contextlib
import os
import threading
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any, TypeVar

from transmixis.core.errors import UserError
from transmixis.media.files import said, write_atomically
from transmixis.media.files import writing as told
from transmixis.shot.model import Film, Production, Record, Shelf, Shot, Step
from transmixis.shot.plainjson import LARGEST, dumps, parse, read_json
from transmixis.shot.texts import (
    JOURNAL,
    PRODUCTION,
    SHELF,
    StepFile,
    StepTexts,
    apart_ids,
    bytes_of,
    is_document,
    put_together,
    record_from,
    shot_file,
    step_bytes,
    step_file,
)

R = TypeVar("R", bound=Record)
Stamp = tuple[int, int, int] | None  # of a file: inode, time, size; None: not there


class Store:
    """The documents of one production's folder, as this program has read and written them."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._seen: dict[str, Stamp] = {}
        self._pending: dict[str, bytes | None] = {}  # in the journal, not yet in their own files; None: to be taken away
        self._home = _identity(folder)
        self._steps = StepTexts()
        self._guard = threading.RLock()
        self._apart: dict[str, Step] = {}  # steps in files of their own, as they were read or written

    # -- reading

    def load(self) -> Film:
        """Read the production as it stands. Raises UserError."""
        if not (self.folder / PRODUCTION).exists() and not (self.folder / JOURNAL).exists():
            raise UserError(
                f"'{said(self.folder)}' is not a production: it has no {PRODUCTION}. Choose a production's folder, or make a new one."
            )
        for _ in range(20):  # somebody may be writing while we look: what was read is one state only if nothing changed meanwhile
            journal_before = _stamp(self.folder / JOURNAL)
            self._seen = {}
            self._pending = self._read_journal()
            self._apart = {}
            try:
                film = self._read_film()
            except UserError:
                if journal_before == _stamp(self.folder / JOURNAL) and not self.changed_outside():
                    raise
                continue
            if journal_before == _stamp(self.folder / JOURNAL) and not self.changed_outside():
                return film
        raise UserError(
            f"'{said(self.folder)}' is being written all the time; close the program that writes it, then open it again."
        )

    def _read_film(self) -> Film:
        production = self._record(PRODUCTION, Production)
        shots = tuple(self._shot(code) for code in production.shots)
        there = SHELF in self._pending or (self.folder / SHELF).exists()
        shelf = self._record(SHELF, Shelf) if there else Shelf()
        return Film(production=production, shots=shots, shelf=shelf)

    def _shot(self, code: str) -> Shot:
        name = shot_file(code)
        if not (self.folder / name).exists() and name not in self._pending:
            raise UserError(
                f"'{said(self.folder / name)}' is missing; restore it from a copy, or take the shot out of {PRODUCTION}."
            )
        data = self._raw(name)
        apart = {i: self._step_data(code, i) for i in apart_ids(data)}
        shot = record_from(self.folder / name, put_together(data, apart) if apart else data, Shot)
        if shot.code != code:
            raise UserError(
                f"'{said(self.folder / name)}' at $.code: '{shot.code}' is not the code of its folder, {code}; "
                "mend it. It was left as it is."
            )
        self._apart.update({step_file(code, s.id): s for s in shot.steps if s.id in apart})
        return shot

    def _step_data(self, code: str, step_id: str) -> Any:
        """A step that lies in a file of its own, looked at by itself, so that what is wrong is told with its file."""
        name = step_file(code, step_id)
        path = self.folder / name
        if self._pending.get(name, b"") is None or (name not in self._pending and not path.exists()):
            raise UserError(f"'{said(path)}' is missing; restore it from a copy, or take the step '{step_id}' out of the shot.")
        step = record_from(path, self._raw(name), StepFile).step
        if step.id != step_id:
            raise UserError(
                f"'{said(path)}' at $.step.id: '{step.id[:40]}' is not the id of its file, {step_id}; mend it. It was left as it is."
            )
        return step.model_dump(mode="json", warnings=False)

    def _record(self, name: str, kind: type[R]) -> R:
        return record_from(self.folder / name, self._raw(name), kind)

    def _raw(self, name: str) -> Any:
        path = self.folder / name
        if not path.resolve().is_relative_to(self.folder.resolve()):
            raise UserError(f"'{said(path)}' is a link that leads out of the production; put the file itself there.")
        self._seen[name] = _stamp(path)
        waiting = self._pending.get(name)
        return read_json(path) if waiting is None else parse(path, waiting)

    def _read_journal(self) -> dict[str, bytes | None]:
        path = self.folder / JOURNAL
        try:
            there = path.exists()
        except OSError:
            there = False
        if not there:
            return {}
        try:
            data = read_json(path)
        except UserError:
            if not path.exists():  # taken up by its writer while we looked
                return {}
            raise
        if not isinstance(data, dict) or not all(is_document(k) and isinstance(v, (str, type(None))) for k, v in data.items()):
            raise UserError(
                f"'{said(path)}' is not a journal of ours; move it away to open the production as it was before. It was left as it is."
            )
        return {k: None if v is None else v.encode() for k, v in data.items()}

    # -- writing

    def recover(self) -> None:
        """Bring the files up to a journal that was left; only for the one who may write."""
        self._settle()

    def save(self, film: Film, before: Film | None) -> None:
        """Write what differs from `before`, all or nothing. Raises UserError; then the disk holds what it held."""
        self.writing(film, before)()

    def writing(self, film: Film, before: Film | None) -> Callable[[], None]:
        """The write of what differs from `before`, to be done now or on another thread before the next one is asked for. What could not be
        kept at all raises UserError at once."""
        content, apart = self._contents(film, before)
        if content:
            self._refuse_changed(list(content))
        return partial(self._write_all, content, apart)

    def _write_all(self, content: dict[str, bytes | None], apart: dict[str, Step]) -> None:
        if not content:
            return
        with self._guard:
            self._refuse_changed(list(content))
            self._spare_strangers(list(content))
            if len(content) == 1 and not self._pending:
                self._write(*next(iter(content.items())))
            else:
                self._write_together(content)
            self._apart = apart

    def _write_together(self, content: dict[str, bytes | None]) -> None:
        together = {**self._pending, **content}
        journal = dumps({k: None if v is None else v.decode() for k, v in together.items()})
        if len(journal) > LARGEST:
            raise UserError("This change is too large to be made in one go; make it in parts.")
        write_atomically(self.folder / JOURNAL, journal)
        self._pending = together
        self._settle()

    def prime(self, film: Film) -> None:
        """Write out every step in memory, so that the first edit need not; what could not be kept is told when it is to be."""
        for shot in film.shots:
            with contextlib.suppress(UserError):
                self._steps.of_shot(shot, f"Shot {shot.code}")

    def _settle(self) -> None:
        """Give every file what the journal holds for it. What cannot be written now stays in the journal, and is safe there."""
        with contextlib.suppress(UserError, OSError):
            for name in sorted(self._pending, key=lambda n: n == PRODUCTION):
                self._write(name, self._pending[name])
            self._pending = {}
            (self.folder / JOURNAL).unlink(missing_ok=True)

    def _write(self, name: str, content: bytes | None) -> None:
        path = self.folder / name
        if content is None:
            with told(path):
                path.unlink(missing_ok=True)
            self._seen.pop(name, None)
            return
        if "/" in name:
            for folder in reversed(path.relative_to(self.folder).parents[:-1]):
                folder = self.folder / folder
                try:
                    folder.mkdir(exist_ok=True)
                except OSError as e:
                    raise UserError(f"Cannot save '{said(path)}' ({e.strerror}); make the folder writable, then go on.") from e
            if not path.parent.resolve().is_relative_to(self.folder.resolve()):
                raise UserError(f"'{said(path.parent)}' is a link that leads out of the production; put the folder itself there.")
        write_atomically(path, content)
        self._seen[name] = _stamp(path)

    def _contents(self, film: Film, before: Film | None) -> tuple[dict[str, bytes | None], dict[str, Step]]:
        """Name and content of every document that differs (None: is no longer), and the steps in files of their own."""
        if len({s.code for s in film.shots}) < len(film.shots):
            raise UserError("Two shots of a production cannot have the same code; choose another for one of them.")
        old = {s.code: s for s in before.shots} if before else {}
        out: dict[str, bytes | None] = {}
        apart = dict(self._apart)
        for shot in film.shots:
            if old.get(shot.code) is not shot and old.get(shot.code) != shot:
                out.update(self._contents_of(shot, apart))
        for name, record, was, words in (
            (SHELF, film.shelf, before.shelf if before else Shelf(), "The shelf"),
            (PRODUCTION, film.production, before.production if before else None, "The production"),
        ):
            if record != was:
                out[name] = bytes_of(record, words)
        return out, apart

    def _contents_of(self, shot: Shot, apart: dict[str, Step]) -> dict[str, bytes | None]:
        """The files of a shot that differ; `apart` is brought up to it."""
        own, large = self._steps.of_shot(shot, f"Shot {shot.code}")
        out: dict[str, bytes | None] = {}
        for name, (step, text) in large.items():
            if apart.get(name) is not step and apart.get(name) != step:
                out[name] = step_bytes(text)
            apart[name] = step
        for name in [n for n in apart if n.startswith(step_file(shot.code, "")[:-5]) and n not in large]:
            out[name] = None
            del apart[name]
        name = shot_file(shot.code)
        if own != self._read_own(name):
            out[name] = own
        return out

    def _read_own(self, name: str) -> bytes | None:
        """A shot's own file as it stands; None if it is not there, is not as it was read, or is to be replaced."""
        path = self.folder / name
        if name in self._pending or name not in self._seen or _stamp(path) != self._seen[name]:
            return None
        with contextlib.suppress(OSError):
            return path.read_bytes()
        return None

    # -- the world outside

    def require_home(self) -> None:
        """Raises UserError if the folder is not the one that was opened."""
        if _identity(self.folder) != self._home or self._home is None:
            raise UserError(
                f"'{said(self.folder)}' was moved, renamed or taken away while it was open; nothing was written. "
                "Bring it back, or close the production and open it where it is now."
            )

    @property
    def at_home(self) -> bool:
        """True if the folder is still the one that was opened."""
        return self._home is not None and _identity(self.folder) == self._home

    def changed_outside(self) -> list[str]:
        """Documents that somebody else has written since they were read."""
        with self._guard:  # not while this program itself is writing
            return [name for name, stamp in list(self._seen.items()) if _stamp(self.folder / name) != stamp]

    def _refuse_changed(self, names: list[str]) -> None:
        self.require_home()
        for name in names:
            if name in self._seen and _stamp(self.folder / name) != self._seen[name]:
                raise UserError(
                    f"'{said(self.folder / name)}' was changed by another program while it was open here; nothing was written. "
                    "Press M to take in what stands there now, then make the change again."
                )

    def _spare_strangers(self, names: list[str]) -> None:
        """A file that stands where a new one goes, but belongs to nothing that was opened, is kept under another name."""
        for name in names:
            path = self.folder / name
            if name in self._seen or name in self._pending or _stamp(path) is None:
                continue
            n = 1
            while (spare := path.with_name(f"{path.stem}.before-{n}{path.suffix}")).exists():
                n += 1
            with told(spare):
                os.replace(path, spare)


def load_film(folder: Path) -> Film:
    """Read a production folder for looking. Raises UserError."""
    return Store(folder).load()


def save_film(folder: Path, film: Film) -> None:
    """Write a whole production into a folder that holds none yet."""
    Store(folder).save(film, None)


def _stamp(path: Path) -> Stamp:
    try:
        st = path.stat()
    except (OSError, ValueError):
        return None
    return st.st_ino, st.st_mtime_ns, st.st_size


def _identity(folder: Path) -> tuple[int, int] | None:
    try:
        st = os.stat(folder)
    except (OSError, ValueError):
        return None
    return st.st_dev, st.st_ino


def stored_path(folder: Path, path: Path) -> str:
    """How a path is kept: relative where it lies under the project. Raises UserError for a name that cannot be kept."""
    full = path.resolve()
    if said(full) != str(full):
        raise UserError(f"'{said(full)}' has a name that is not UTF-8; rename it, then add it.")
    try:
        return full.relative_to(folder.resolve()).as_posix()
    except ValueError:
        return str(full)


def real_path(folder: Path, stored: str) -> Path:
    """Where a kept path leads."""
    p = Path(stored)
    return p if p.is_absolute() else folder / p


def leaves_project(folder: Path, stored: str) -> bool:
    """True if a kept path leads outside the project's folder."""
    return not real_path(folder, stored).resolve().is_relative_to(folder.resolve())
