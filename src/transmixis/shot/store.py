"""The project on disk: readable JSON, each command all there or not at all.

A change of one file is that file, written beside the old one and given its name. A change of several goes through a journal:
one file that holds them all, written in the same way. From that moment on the command counts; the files are brought up to
it at once, or, if the program ends before, when the production is opened next. Readers look into the journal first.

A file that does not parse is reported with file, place and reason, and is never overwritten. Neither is one that
somebody else has changed since it was read.
"""

from __future__ import annotations

import contextlib
import json
import os
from pathlib import Path
from typing import Any, TypeVar

from pydantic import ValidationError

from transmixis.core.errors import UserError
from transmixis.media.files import said, write_atomically, writing
from transmixis.shot.migrate import SCHEMA, number_of, to_present
from transmixis.shot.model import Film, Production, Record, Shelf, Shot, Step, one_each
from transmixis.shot.plainjson import LARGEST, dumps, parse, read_json
from transmixis.shot.record import CODE, words_of

R = TypeVar("R", bound=Record)
PRODUCTION, SHELF, JOURNAL = "production.json", "shelf.json", ".journal.json"
Stamp = tuple[int, int, int] | None  # of a file: inode, time, size; None: not there


def shot_file(code: str) -> str:
    """Where a shot is kept, below the production's folder."""
    return f"shots/{code}/shot.json"


def record_from(path: Path, data: Any, kind: type[R]) -> R:
    """A document's record from its data. Raises UserError naming file, place and reason."""
    number = number_of(data)
    if number is not None and number > SCHEMA:
        raise UserError(
            f"'{said(path)}' was written by a newer Transmixis (format {number}, this one knows {SCHEMA}); "
            "open it with the newer one. It was left as it is."
        )
    try:
        return kind.model_validate(to_present(data))
    except ValidationError as e:
        raise UserError(f"'{said(path)}' at {words_of(e)}; mend it or restore a copy. It was left as it is.") from e


def bytes_of(record: Record, name: str, depth: int = 0) -> bytes:
    """A record as it is kept. Raises UserError if it could not be read again; then nothing should be written at all."""
    try:
        content = dumps(record.model_dump(mode="json", warnings=False), depth)
        again = type(record).model_validate(json.loads(content))
    except ValidationError as e:
        raise UserError(f"{name} cannot be kept so: {words_of(e)}; nothing was changed.") from e
    except (ValueError, TypeError, RecursionError) as e:
        why = str(e).encode("utf-8", "replace").decode()[:160]
        raise UserError(f"{name} cannot be kept so: {why}; nothing was changed.") from e
    if again != record and again.model_dump(mode="json") != record.model_dump(mode="json", warnings=False):
        raise UserError(f"{name} cannot be kept so: it would be read as something else; nothing was changed.")
    return content


class StepTexts:
    """Steps as they stand in their shot's file, kept as long as they are the same: an edit of one writes out one. A shot's file is
    what `bytes_of` would give, to the byte."""

    def __init__(self) -> None:
        self._held: dict[str, dict[int, tuple[Step, str]]] = {}  # by shot, by object

    def of_shot(self, shot: Shot, name: str) -> bytes:
        """The shot's file. Raises UserError as `bytes_of`."""
        if not all(isinstance(s, Step) for s in shot.steps):
            return bytes_of(shot, name)
        try:
            one_each(shot)
        except ValueError as e:
            raise UserError(f"{name} cannot be kept so: {e}; nothing was changed.") from e
        bare = bytes_of(shot.model_copy(update={"steps": ()}), name).decode()
        held = self._held.get(shot.code, {})
        texts = {id(s): (s, held[id(s)][1] if id(s) in held else self._text(s, name)) for s in shot.steps}
        self._held[shot.code] = texts
        if not shot.steps:
            return bare.encode()
        listed = ",\n".join(texts[id(s)][1] for s in shot.steps)
        return bare.replace('\n "steps": []', f'\n "steps": [\n{listed}\n ]', 1).encode()

    @staticmethod
    def _text(step: Step, name: str) -> str:
        lines = bytes_of(step, name, depth=2).decode().rstrip("\n").split("\n")
        return "\n".join(f"  {line}" for line in lines)


class Store:
    """The documents of one production's folder, as this program has read and written them."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._seen: dict[str, Stamp] = {}
        self._pending: dict[str, bytes] = {}  # in the journal, not yet in their own files
        self._home = _identity(folder)
        self._steps = StepTexts()

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
            film = self._read_film()
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
        shot = self._record(name, Shot)
        if shot.code != code:
            raise UserError(
                f"'{said(self.folder / name)}' at $.code: '{shot.code}' is not the code of its folder, {code}; "
                "mend it. It was left as it is."
            )
        return shot

    def _record(self, name: str, kind: type[R]) -> R:
        path = self.folder / name
        if not path.resolve().is_relative_to(self.folder.resolve()):
            raise UserError(f"'{said(path)}' is a link that leads out of the production; put the file itself there.")
        self._seen[name] = _stamp(path)
        if name in self._pending:
            return record_from(path, parse(path, self._pending[name]), kind)
        return record_from(path, read_json(path), kind)

    def _read_journal(self) -> dict[str, bytes]:
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
        if not isinstance(data, dict) or not all(_is_document(k) and isinstance(v, str) for k, v in data.items()):
            raise UserError(
                f"'{said(path)}' is not a journal of ours; move it away to open the production as it was before. It was left as it is."
            )
        return {k: v.encode() for k, v in data.items()}

    # -- writing

    def recover(self) -> None:
        """Bring the files up to a journal that was left; only for the one who may write."""
        self._settle()

    def save(self, film: Film, before: Film | None) -> None:
        """Write what differs from `before`, all or nothing. Raises UserError; then the disk holds what it held."""
        content = _contents(film, before, self._steps)
        if not content:
            return
        self._refuse_changed(list(content))
        self._spare_strangers(list(content))
        if len(content) == 1 and not self._pending:
            self._write(*next(iter(content.items())))
            return
        together = {**self._pending, **content}
        journal = dumps({k: v.decode() for k, v in together.items()})
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

    def _write(self, name: str, content: bytes) -> None:
        path = self.folder / name
        if "/" in name:
            for folder in (self.folder / "shots", path.parent):
                try:
                    folder.mkdir(exist_ok=True)
                except OSError as e:
                    raise UserError(f"Cannot save '{said(path)}' ({e.strerror}); make the folder writable, then go on.") from e
            if not path.parent.resolve().is_relative_to(self.folder.resolve()):
                raise UserError(f"'{said(path.parent)}' is a link that leads out of the production; put the folder itself there.")
        write_atomically(path, content)
        self._seen[name] = _stamp(path)

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
            with writing(spare):
                os.replace(path, spare)


def load_film(folder: Path) -> Film:
    """Read a production folder for looking. Raises UserError."""
    return Store(folder).load()


def save_film(folder: Path, film: Film) -> None:
    """Write a whole production into a folder that holds none yet."""
    Store(folder).save(film, None)


def _contents(film: Film, before: Film | None, steps: StepTexts) -> dict[str, bytes]:
    """Name and content of every document that differs."""
    if len({s.code for s in film.shots}) < len(film.shots):
        raise UserError("Two shots of a production cannot have the same code; choose another for one of them.")
    old = {s.code: s for s in before.shots} if before else {}
    changed: list[tuple[str, Record, str]] = [
        (shot_file(s.code), s, f"Shot {s.code}") for s in film.shots if old.get(s.code) is not s and old.get(s.code) != s
    ]
    if film.shelf != (before.shelf if before else Shelf()):
        changed.append((SHELF, film.shelf, "The shelf"))
    if before is None or before.production != film.production:
        changed.append((PRODUCTION, film.production, "The production"))
    return {name: steps.of_shot(r, words) if isinstance(r, Shot) else bytes_of(r, words) for name, r, words in changed}


def _is_document(name: Any) -> bool:
    if not isinstance(name, str):
        return False
    parts = name.split("/")
    return name in (PRODUCTION, SHELF) or (
        len(parts) == 3 and (parts[0], parts[2]) == ("shots", "shot.json") and bool(CODE.match(parts[1]))
    )


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
