"""The project on disk: readable JSON, each command all there or not at all.

A change of one file is that file, written beside the old one and given its name. A change of several goes through a journal:
one file that holds them all, written in the same way. From that moment on the command counts; the files are brought up to
it at once, or, if the program ends before, when the production is opened next. Readers look into the journal first.

A file that does not parse is reported with file, place and reason, and is never overwritten. Neither is one that
somebody else has changed since it was read.
"""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any, TypeVar

from transmixis.core.errors import UserError
from transmixis.media.files import said
from transmixis.shot.disk import Disk
from transmixis.shot.model import Film, Production, Record, Shelf, Shot, Step
from transmixis.shot.texts import (
    JOURNAL,
    PRODUCTION,
    SHELF,
    StepFile,
    StepTexts,
    apart_ids,
    bytes_of,
    put_together,
    record_from,
    shot_file,
    step_bytes,
    step_file,
)

R = TypeVar("R", bound=Record)


class Store:
    """The documents of one production's folder, as this program has read and written them."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.disk = Disk(folder)
        self._steps = StepTexts()
        self._apart: dict[str, Step] = {}  # steps in files of their own, as they were read or written

    # -- reading

    def load(self) -> Film:
        """Read the production as it stands. Raises UserError."""
        if not (self.folder / PRODUCTION).exists() and not (self.folder / JOURNAL).exists():
            raise UserError(
                f"'{said(self.folder)}' is not a production: it has no {PRODUCTION}. Choose a production's folder, or make a new one."
            )
        for _ in range(20):  # somebody may be writing while we look: what was read is one state only if nothing changed meanwhile
            journal_before = self.disk.journal
            self.disk.seen = {}
            self.disk.pending = self.disk.read_journal()
            self._apart = {}
            try:
                film = self._read_film()
            except UserError:
                if journal_before == self.disk.journal and not self.disk.changed_outside():
                    raise
                continue
            if journal_before == self.disk.journal and not self.disk.changed_outside():
                return film
        raise UserError(
            f"'{said(self.folder)}' is being written all the time; close the program that writes it, then open it again."
        )

    def _read_film(self) -> Film:
        production = self._record(PRODUCTION, Production)
        shots = tuple(self._shot(code) for code in production.shots)
        there = SHELF in self.disk.pending or (self.folder / SHELF).exists()
        shelf = self._record(SHELF, Shelf) if there else Shelf()
        return Film(production=production, shots=shots, shelf=shelf)

    def _shot(self, code: str) -> Shot:
        name = shot_file(code)
        if not (self.folder / name).exists() and name not in self.disk.pending:
            raise UserError(
                f"'{said(self.folder / name)}' is missing; restore it from a copy, or take the shot out of {PRODUCTION}."
            )
        data = self.disk.raw(name)
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
        if self.disk.pending.get(name, b"") is None or (name not in self.disk.pending and not path.exists()):
            raise UserError(f"'{said(path)}' is missing; restore it from a copy, or take the step '{step_id}' out of the shot.")
        step = record_from(path, self.disk.raw(name), StepFile).step
        if step.id != step_id:
            raise UserError(
                f"'{said(path)}' at $.step.id: '{step.id[:40]}' is not the id of its file, {step_id}; mend it. It was left as it is."
            )
        return step.model_dump(mode="json", warnings=False)

    def _record(self, name: str, kind: type[R]) -> R:
        return record_from(self.folder / name, self.disk.raw(name), kind)

    # -- writing

    def recover(self) -> None:
        """Bring the files up to a journal that was left; only for the one who may write."""
        self.disk.settle()

    def save(self, film: Film, before: Film | None) -> None:
        """Write what differs from `before`, all or nothing. Raises UserError; then the disk holds what it held."""
        self.writing(film, before)()

    def writing(self, film: Film, before: Film | None) -> Callable[[], None]:
        """The write of what differs from `before`, to be done now or on another thread before the next one is asked for. What could not be
        kept at all raises UserError at once."""
        content, apart = self._contents(film, before)
        if content:
            self.disk.refuse_changed(list(content))
        return partial(self._write_all, content, apart)

    def _write_all(self, content: dict[str, bytes | None], apart: dict[str, Step]) -> None:
        if not content:
            return
        with self.disk.guard:
            self.disk.refuse_changed(list(content))
            self.disk.spare_strangers(list(content))
            self.disk.write(content)
            self._apart = apart

    def prime(self, film: Film) -> None:
        """Write out every step in memory, so that the first edit need not; what could not be kept is told when it is to be."""
        for shot in film.shots:
            with contextlib.suppress(UserError):
                self._steps.of_shot(shot, f"Shot {shot.code}")

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
        if own != self.disk.read_own(name):
            out[name] = own
        return out


def load_film(folder: Path) -> Film:
    """Read a production folder for looking. Raises UserError."""
    return Store(folder).load()


def save_film(folder: Path, film: Film) -> None:
    """Write a whole production into a folder that holds none yet."""
    Store(folder).save(film, None)


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
