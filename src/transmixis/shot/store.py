"""The project on disk: readable JSON, written atomically, one writer at a time.

A file that does not parse is reported with file, place and reason, and is never overwritten.
"""

from __future__ import annotations

import contextlib
import getpass
import json
import os
import re
import socket
import time
from pathlib import Path
from typing import Any, TypeVar

import psutil
from pydantic import ValidationError

from transmixis.core.errors import UserError
from transmixis.shot.model import SCHEMA, Film, Production, Record, Shelf, Shot

R = TypeVar("R", bound=Record)
CODE = re.compile(r"[A-Za-z0-9][A-Za-z0-9_\-]{0,31}\Z")
LOCK = ".lock.json"


def write_atomically(path: Path, data: bytes) -> None:
    """Write a file so that at any moment either the old or the new content stands there."""
    part = path.with_name(f".{path.name}.{os.getpid()}.part")
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with open(part, "wb") as f:
            f.write(data)
            f.flush()
            os.fsync(f.fileno())
        os.replace(part, path)
    except OSError as e:
        with contextlib.suppress(OSError):
            part.unlink(missing_ok=True)
        raise UserError(f"Cannot save '{path}' ({e.strerror}); free some space or make the folder writable, then go on.") from e


def read_record(path: Path, kind: type[R]) -> R:
    """Read one JSON document. Raises UserError naming file, place and reason."""
    try:
        text = path.read_text(encoding="utf-8")
    except FileNotFoundError as e:
        raise UserError(f"'{path}' is missing; restore it from a copy, or take the shot out of production.json.") from e
    except (OSError, UnicodeDecodeError) as e:
        raise UserError(f"'{path}' cannot be read ({e}); it was left as it is.") from e
    try:
        data = json.loads(text)
    except json.JSONDecodeError as e:
        raise UserError(
            f"'{path}', line {e.lineno}, column {e.colno}: {e.msg}; mend it or restore a copy. It was left as it is."
        ) from e
    return _checked(path, data, kind)


def _checked(path: Path, data: Any, kind: type[R]) -> R:
    if isinstance(data, dict) and isinstance(data.get("schema_number"), int) and data["schema_number"] > SCHEMA:
        raise UserError(
            f"'{path}' was written by a newer Transmixis (format {data['schema_number']}, this one knows {SCHEMA}); "
            "open it with the newer one. It was left as it is."
        )
    try:
        return kind.model_validate(data)
    except ValidationError as e:
        first = e.errors()[0]
        place = "$" + "".join(f"[{p}]" if isinstance(p, int) else f".{p}" for p in first["loc"])
        raise UserError(f"'{path}' at {place}: {first['msg'].lower()}; mend it or restore a copy. It was left as it is.") from e


def load_film(folder: Path) -> Film:
    """Read a production folder. Raises UserError."""
    if not (folder / "production.json").exists():
        raise UserError(
            f"'{folder}' is not a production: it has no production.json. Choose a production's folder, or make a new one."
        )
    production = read_record(folder / "production.json", Production)
    for code in production.shots:
        if not CODE.match(code):
            raise UserError(
                f"'{folder / 'production.json'}' at $.shots: '{code}' is not a shot code; mend it. It was left as it is."
            )
    shots = tuple(read_record(folder / "shots" / code / "shot.json", Shot) for code in production.shots)
    shelf = read_record(folder / "shelf.json", Shelf) if (folder / "shelf.json").exists() else Shelf()
    return Film(production=production, shots=shots, shelf=shelf)


def save_film(folder: Path, film: Film, before: Film | None = None) -> None:
    """Write what differs from `before`; shots first, so that production.json never names one that is not there."""
    old = {s.code: s for s in before.shots} if before else {}
    for shot in film.shots:
        if old.get(shot.code) != shot:
            write_atomically(folder / "shots" / shot.code / "shot.json", _json(shot))
    if film.shelf != (before.shelf if before else Shelf()):
        write_atomically(folder / "shelf.json", _json(film.shelf))
    if before is None or before.production != film.production:
        write_atomically(folder / "production.json", _json(film.production))


def _json(record: Record) -> bytes:
    return (json.dumps(record.model_dump(mode="json"), indent=1, ensure_ascii=False) + "\n").encode()


def stored_path(folder: Path, path: Path) -> str:
    """How a path is kept: relative where it lies under the project."""
    full = path.resolve()
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


class Lock:
    """One writer at a time; a lock whose owner no longer runs is taken over."""

    def __init__(self, folder: Path) -> None:
        self._path = folder / LOCK
        self.held = False
        self.after_crash = False

    def take(self) -> None:
        """Raises UserError naming the owner if another running program holds it."""
        me = {
            "pid": os.getpid(),
            "started": psutil.Process().create_time(),
            "host": socket.gethostname(),
            "user": _user(),
            "since": time.strftime("%Y-%m-%d %H:%M"),
        }
        for _ in range(2):
            try:
                fd = os.open(self._path, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o644)
            except FileExistsError:
                owner = self._owner()
                if owner and _runs(owner):
                    raise UserError(
                        f"'{self._path.parent}' is open in another Transmixis ({owner.get('user')} on {owner.get('host')}, "
                        f"since {owner.get('since')}); close it there first."
                    ) from None
                self.after_crash = True
                with contextlib.suppress(FileNotFoundError):
                    self._path.unlink()
                continue
            except OSError as e:
                raise UserError(
                    f"Cannot write in '{self._path.parent}' ({e.strerror}); copy the production to a place you may write."
                ) from e
            with os.fdopen(fd, "w") as f:
                json.dump(me, f)
            self.held = True
            return
        raise UserError(f"'{self._path}' cannot be taken over; delete it if no other Transmixis is open.")

    def _owner(self) -> dict[str, Any] | None:
        try:
            data = json.loads(self._path.read_text())
            return data if isinstance(data, dict) else None
        except (OSError, ValueError):
            return None

    def release(self) -> None:
        if self.held:
            with contextlib.suppress(OSError):
                self._path.unlink()
            self.held = False


def _user() -> str:
    try:
        return getpass.getuser()
    except (KeyError, OSError):
        return "somebody"


def _runs(owner: dict[str, Any]) -> bool:
    if owner.get("host") != socket.gethostname():
        return True  # cannot be asked; better to refuse than to have two writers
    try:
        return bool(abs(psutil.Process(int(owner["pid"])).create_time() - float(owner["started"])) < 2)
    except (psutil.Error, KeyError, ValueError, TypeError):
        return False
