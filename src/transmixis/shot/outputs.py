"""What may be written where: inputs are never written over, and nothing else that stands there without being asked for.

Checked before any work begins. An output is refused if it is, by whatever name or link,
- an input of the command, or any file of a sequence that is an input,
- a plate or shelf element of a production in reach, or any file of its sequence,
- a frame that would join such a sequence by its name, though no such file is there yet,
- one of a production's own documents.
In reach are the production that is worked on, those that were given, those that the output lies in, and those that lie beside
its folders.
"""

from __future__ import annotations

import json
import os
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from transmixis.core.errors import UserError
from transmixis.media.files import said, why
from transmixis.media.sequence import find_sequence, is_movie, name_rule
from transmixis.shot.lock import LOCK
from transmixis.shot.logbook import FILE as LOG
from transmixis.shot.store import real_path
from transmixis.shot.texts import JOURNAL, PRODUCTION, SHELF

MOST_BESIDE = 2000  # folders looked at beside an output's folders
LARGEST_READ = 64 << 20

DOCUMENTS = frozenset({PRODUCTION, SHELF, JOURNAL, LOCK, LOG})
OWN_FOLDERS = frozenset({"shots", "analysis"})


@dataclass
class Inputs:
    """Files that must stay as they are, with words for what each is."""

    _files: dict[tuple[int, int], str] = field(default_factory=dict)  # by device and inode, so that links are seen through
    _paths: dict[Path, str] = field(default_factory=dict)
    _rules: list[tuple[Path, Callable[[str], bool], str]] = field(default_factory=list)

    def add(self, path: Path, words: str) -> None:
        """Guard a movie, a still, a sequence by any of its names, or everything in a folder."""
        try:
            if path.is_dir():
                for p in path.iterdir():
                    self._one(p, words)
            if is_movie(path) or (path.is_file() and name_rule(path.name) is None):
                self._one(path, words)
                return
            found = find_sequence(path)
        except (UserError, OSError, ValueError):
            self._one(path, words)
            return
        for p in found.files.values():
            self._one(p, words)
        rule = name_rule(found.any_file.name)
        if rule is not None:
            self._rules.append((_real(found.any_file.parent), rule, words))

    def _one(self, path: Path, words: str) -> None:
        key = _identity(path)
        if key is not None:
            self._files.setdefault(key, words)
        self._paths.setdefault(_real(path), words)

    def what_is(self, path: Path) -> str:
        """Words for the input that `path` is or would join; '' if it is none."""
        key, full = _identity(path), _real(path)
        if key in self._files:
            return self._files[key]
        if full in self._paths:
            return self._paths[full]
        for folder, rule, words in self._rules:
            if full.parent == folder and rule(full.name):
                return f"a name that would join {words}"
        return ""


def refuse(
    outputs: Iterable[Path], *, inputs: Iterable[Path] = (), productions: Iterable[Path] = (), overwrite: bool = False,
    own: Callable[[Path], bool] = lambda p: False,
) -> None:  # fmt: skip
    """Raises UserError, one sentence, if any of `outputs` must not be written. `own`: what an earlier run of the same job made."""
    wanted = list(outputs)
    guarded = inputs_in_reach([p.parent for p in wanted], inputs, productions)
    for path in wanted:
        _refuse_one(path, guarded)
    if overwrite:
        return
    standing = [p for p in wanted if os.path.lexists(p) and not own(p)]
    if standing:
        more = f" and {len(standing) - 1} more" if len(standing) > 1 else ""
        are = "are" if more else "is"
        raise Standing(
            f"'{said(standing[0])}'{more} {are} there already; choose another name, or allow it to be overwritten (--overwrite)."
        )


class Standing(UserError):
    """Something stands where an output goes; it may be overwritten if a person says so."""


def _refuse_one(path: Path, guarded: Inputs) -> None:
    try:
        folder = path.is_dir()
    except (OSError, ValueError) as e:
        raise UserError(f"'{said(path)}' is no name that can be written ({why(e)}); choose another.") from e
    if folder:
        raise UserError(f"'{said(path)}' is a folder; give a file's name in it.")
    if os.path.lexists(path) and not path.is_file() and not path.is_symlink():
        raise UserError(f"'{said(path)}' is not a plain file; choose another name.")
    what = guarded.what_is(path)
    if what:
        raise UserError(f"'{said(path)}' is {what}, which is never written over; choose another name or folder.")
    home = _document_of(path)
    if home is not None:
        raise UserError(
            f"'{said(path)}' is kept for the documents of the production '{said(home)}'; choose another name or folder."
        )


def _document_of(path: Path) -> Path | None:
    """The production whose own document or folder a path is, if it is one."""
    full = _real(path)
    for folder in full.parents:
        if not (folder / PRODUCTION).exists():
            continue
        first = full.relative_to(folder).parts[0]
        if (full.parent == folder and full.name in DOCUMENTS) or first in OWN_FOLDERS:
            return folder
    return None


def inputs_in_reach(folders: Iterable[Path], inputs: Iterable[Path], productions: Iterable[Path]) -> Inputs:
    """Everything that must not be written over when something is written into `folders`."""
    out = Inputs()
    for path in inputs:
        out.add(path, "an input of this job")
    near = {_real(p): None for p in productions}
    for folder in dict.fromkeys([*folders, *(p.parent for p in inputs)]):
        near |= dict.fromkeys(_productions_near(_real(folder)))
    for home in near:
        for stored, kind in _recordings(home):
            out.add(real_path(home, stored), f"a {kind} of the production '{said(home.name)}'")
    return out


def _productions_near(folder: Path) -> list[Path]:
    out = []
    for above in (folder, *folder.parents):
        if (above / PRODUCTION).exists():
            out.append(above)
        try:
            with os.scandir(above) as entries:
                beside = [e.path for e, _ in zip(entries, range(MOST_BESIDE), strict=False)]
            out += [Path(p) for p in beside if os.path.exists(os.path.join(p, PRODUCTION))]
        except OSError:
            continue
    return out


def _recordings(home: Path) -> list[tuple[str, str]]:
    """Path and kind of every recording that a production's files name; read leniently, since a damaged shot has plates too."""
    out: list[tuple[str, str]] = []
    for path in [home / SHELF, home / JOURNAL, *home.glob("shots/*/shot*.json")]:
        try:
            if not path.is_file() or path.stat().st_size > LARGEST_READ:
                continue
            data = json.loads(path.read_text(encoding="utf-8", errors="replace"))
        except (OSError, ValueError, RecursionError):
            continue
        if path.name == JOURNAL and isinstance(data, dict):
            for text in data.values():
                try:
                    out += _named_in(json.loads(text))
                except (ValueError, TypeError, RecursionError):
                    continue
        out += _named_in(data)
    return out


def _named_in(data: Any) -> list[tuple[str, str]]:
    if not isinstance(data, dict):
        return []
    out = []
    for key, kind in (("plates", "plate"), ("elements", "shelf element")):
        rows = data.get(key)
        for row in rows if isinstance(rows, list) else []:
            if isinstance(row, dict) and isinstance(row.get("path"), str) and "\0" not in row["path"]:
                out.append((row["path"], kind))
    return out


def _real(path: Path) -> Path:
    try:
        return path.resolve()
    except (OSError, ValueError, RuntimeError):
        return path.absolute()


def _identity(path: Path) -> tuple[int, int] | None:
    try:
        st = path.stat()
    except (OSError, ValueError):
        return None
    return st.st_dev, st.st_ino
