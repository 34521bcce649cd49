"""The files of a production's folder as this program has seen them, with the journal of a command that touches several.

A file that somebody else has changed since it was read is never overwritten, nor is one that belongs to nothing that was opened.
"""

from __future__ import annotations

import contextlib
import os
import threading
from pathlib import Path
from typing import Any

from transmixis.core.errors import UserError
from transmixis.media.files import said, write_atomically
from transmixis.media.files import writing as told
from transmixis.shot.plainjson import LARGEST, dumps, parse, read_json
from transmixis.shot.texts import JOURNAL, PRODUCTION, is_document

Stamp = tuple[int, int, int] | None  # of a file: inode, time, size; None: not there


class Disk:
    """One production's folder."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.seen: dict[str, Stamp] = {}
        self.pending: dict[str, bytes | None] = {}  # in the journal, not yet in their own files; None: to be taken away
        self.guard = threading.RLock()
        self._home = _identity(folder)

    # -- reading

    def raw(self, name: str) -> Any:
        """A document as it stands, in the journal or in its file. Raises UserError."""
        path = self.folder / name
        if not path.resolve().is_relative_to(self.folder.resolve()):
            raise UserError(f"'{said(path)}' is a link that leads out of the production; put the file itself there.")
        self.seen[name] = _stamp(path)
        waiting = self.pending.get(name)
        return read_json(path) if waiting is None else parse(path, waiting)

    def read_journal(self) -> dict[str, bytes | None]:
        """What a journal holds that was left; nothing where there is none."""
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

    def read_own(self, name: str) -> bytes | None:
        """A shot's own file as it stands; None if it is not there, is not as it was read, or is to be replaced."""
        path = self.folder / name
        if name in self.pending or name not in self.seen or _stamp(path) != self.seen[name]:
            return None
        with contextlib.suppress(OSError):
            return path.read_bytes()
        return None

    @property
    def journal(self) -> Stamp:
        """What the journal is, to be compared."""
        return _stamp(self.folder / JOURNAL)

    # -- writing

    def write(self, content: dict[str, bytes | None]) -> None:
        """Write documents, all or nothing (None: taken away). Raises UserError; then the disk holds what it held."""
        if len(content) == 1 and not self.pending:
            self._write(*next(iter(content.items())))
        else:
            self._write_together(content)

    def _write_together(self, content: dict[str, bytes | None]) -> None:
        together = {**self.pending, **content}
        journal = dumps({k: None if v is None else v.decode() for k, v in together.items()})
        if len(journal) > LARGEST:
            raise UserError("This change is too large to be made in one go; make it in parts.")
        write_atomically(self.folder / JOURNAL, journal)
        self.pending = together
        self.settle()

    def settle(self) -> None:
        """Give every file what the journal holds for it. What cannot be written now stays in the journal, and is safe there."""
        with contextlib.suppress(UserError, OSError):
            for name in sorted(self.pending, key=lambda n: n == PRODUCTION):
                self._write(name, self.pending[name])
            self.pending = {}
            (self.folder / JOURNAL).unlink(missing_ok=True)

    def _write(self, name: str, content: bytes | None) -> None:
        path = self.folder / name
        if content is None:
            with told(path):
                path.unlink(missing_ok=True)
            self.seen.pop(name, None)
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
        self.seen[name] = _stamp(path)

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
        with self.guard:  # not while this program itself is writing
            return [name for name, stamp in list(self.seen.items()) if _stamp(self.folder / name) != stamp]

    def refuse_changed(self, names: list[str]) -> None:
        """Raises UserError if one of the documents was changed from outside, or the folder is another."""
        self.require_home()
        for name in names:
            if name in self.seen and _stamp(self.folder / name) != self.seen[name]:
                raise UserError(
                    f"'{said(self.folder / name)}' was changed by another program while it was open here; nothing was written. "
                    "Press M to take in what stands there now, then make the change again."
                )

    def spare_strangers(self, names: list[str]) -> None:
        """A file that stands where a new one goes, but belongs to nothing that was opened, is kept under another name."""
        for name in names:
            path = self.folder / name
            if name in self.seen or name in self.pending or _stamp(path) is None:
                continue
            n = 1
            while (spare := path.with_name(f"{path.stem}.before-{n}{path.suffix}")).exists():
                n += 1
            with told(spare):
                os.replace(path, spare)


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
