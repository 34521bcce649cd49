"""Analyses (.npz without pickles) and readings (JSON lines) kept with the project, by content key."""

from __future__ import annotations

import contextlib
import io
import json
import threading
import zipfile
from collections.abc import Callable, Mapping
from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.readings import Reading
from transmixis.core.types import Array
from transmixis.media.files import make_folder, write_atomically
from transmixis.shot.contract import Analysis
from transmixis.shot.held import Held
from transmixis.shot.plainjson import cleaned

NAME = "__of__"  # the member of a kept file that says which key it was made for
DRAFT = ".half"  # after the key of an analysis, of what is half made
LARGEST = 1 << 30  # bytes that the arrays of one kept file may take


def always() -> bool:
    """For stores whose folder needs no watching."""
    return True


class AnalysisStore:
    """Analyses by key, the last ones in memory, and under `folder` (None: memory only). A file that is broken, or was made for something
    else, is made anew; one that cannot be made is not tried again until `try_again`. Nothing is written
    while `may_write` says no."""

    def __init__(self, folder: Path | None, may_write: Callable[[], bool] = always) -> None:
        self._folder, self._may_write = folder, may_write
        self._held = Held()
        self._failed: dict[str, UserError] = {}
        self._locks: dict[str, threading.Lock] = {}
        self._guard = threading.Lock()

    def _path(self, key: str) -> Path | None:
        return self._folder / f"{key}.npz" if self._folder else None

    def has(self, key: str) -> bool:
        path = self._path(key)
        return key in self._held or bool(path and path.exists())

    def held(self, key: str) -> Analysis | None:
        """The analysis of a key if it is here or stored, and can be read."""
        found = self._held.get(key)
        if found is None and (found := self._load(key)) is not None:
            self._held.put(key, found)
        return found

    def get_or_make(self, key: str, make: Callable[[], Analysis]) -> Analysis:
        with self._guard:
            lock = self._locks.setdefault(key, threading.Lock())
        with lock:
            if key in self._failed:
                raise self._failed[key]
            found = self._held.get(key)
            if found is None:
                found = self._load(key)
                if found is None:
                    found = self._store(key, self._made(key, make))
                    self._drop_draft(key)
                self._held.put(key, found)
            return found

    def _made(self, key: str, make: Callable[[], Analysis]) -> Analysis:
        try:
            return make()
        except UserError as e:
            self._failed[key] = e  # every frame that asks would else look at the whole plate again, in vain
            raise

    def try_again(self) -> None:
        """Forget what could not be made: files may have come back."""
        self._failed.clear()

    # -- what is half made

    def draft(self, key: str) -> Analysis | None:
        """What was kept of an analysis that was cut off while it was made."""
        return self._load(key + DRAFT)

    def keep_draft(self, key: str, half: Analysis) -> None:
        """Keep what there is of an analysis so far; that it cannot be written ends nothing."""
        with contextlib.suppress(UserError):
            self._store(key + DRAFT, half)

    def _drop_draft(self, key: str) -> None:
        path = self._path(key + DRAFT)
        if path and self._may_write():
            with contextlib.suppress(OSError):
                path.unlink(missing_ok=True)

    def _load(self, key: str) -> Analysis | None:
        path = self._path(key)
        return read_arrays(path, key) if path else None

    def _store(self, key: str, analysis: Analysis) -> Analysis:
        path = self._path(key)
        if path and self._may_write():
            make_folder(path.parent)
            write_atomically(path, arrays_bytes(analysis, key))
        return analysis


def arrays_bytes(arrays: Mapping[str, Any], key: str) -> bytes:
    """Arrays as an .npz file that knows its key."""
    buffer = io.BytesIO()
    np.savez(buffer, **{k: np.asarray(v) for k, v in arrays.items()}, **{NAME: np.asarray(key)})  # type: ignore[arg-type]
    return buffer.getvalue()


def read_arrays(path: Path, key: str) -> dict[str, Array] | None:
    """The arrays of an .npz file without pickles; None if it is not there, broken, too large, or made for another key."""
    try:
        if not path.is_file() or path.stat().st_size > LARGEST:
            return None
        with zipfile.ZipFile(path) as box:
            if sum(i.file_size for i in box.infolist()) > LARGEST:
                return None
        with np.load(path, allow_pickle=False) as f:
            if NAME not in f.files or str(f[NAME]) != key:
                return None
            return {name: f[name] for name in f.files if name != NAME}
    except Exception:  # whatever a damaged file makes the reader say, it is made anew
        return None


class Draft:
    """What is half made of one analysis; its key is asked for only when something is read or kept."""

    def __init__(self, store: AnalysisStore, key: Callable[[], str]) -> None:
        self._store, self._key = store, key

    def read(self) -> Analysis | None:
        return self._store.draft(self._key())

    def keep(self, half: Analysis) -> None:
        self._store.keep_draft(self._key(), half)


class ReadingStore:
    """Readings by key; appended line by line, so nothing measured is lost when the program is cut off."""

    def __init__(self, path: Path | None, may_write: Callable[[], bool] = always) -> None:
        self._path, self._may_write = path, may_write
        self._held: dict[str, list[Reading]] = {}
        self._lock = threading.Lock()
        if path and path.exists():
            self._read(path)

    def _read(self, path: Path) -> None:
        """Take over what can be read; a file that cannot is left as it is, and everything is measured again."""
        try:
            if not path.is_file():
                raise OSError("not a plain file")
            lines = path.read_text(encoding="utf-8", errors="replace").splitlines()
        except (OSError, MemoryError):
            self._path = None
            return
        for line in lines:
            try:
                d = json.loads(line)
                self._held[str(d["key"])] = [_reading(r) for r in d["readings"]]
            except (ValueError, KeyError, TypeError, AttributeError, OverflowError, RecursionError):
                continue  # a line cut off by a crash, or damaged

    def get(self, key: str) -> list[Reading] | None:
        return self._held.get(key)

    def put(self, key: str, readings: list[Reading]) -> None:
        line = json.dumps(cleaned({"key": key, "readings": [asdict(r) for r in readings]}), ensure_ascii=False)
        with self._lock:
            self._held[key] = readings
            if self._path and self._may_write():
                with contextlib.suppress(OSError):  # readings can be measured again; the work goes on
                    self._path.parent.mkdir(exist_ok=True)
                    with open(self._path, "a", encoding="utf-8") as f:
                        f.write(line + "\n")


def _reading(d: dict[str, Any]) -> Reading:
    spot = d.get("spot")
    value = d["value"]
    if not float(d["limit"]) > 0:
        raise ValueError("a limit of nothing")
    return Reading(
        str(d["name"]), None if value is None else float(value), str(d["unit"]), float(d["limit"]),
        "high" if d.get("better") == "high" else "low", tuple(int(v) for v in spot) if spot else None, str(d.get("note", "")),  # type: ignore[arg-type]
    )  # fmt: skip
