"""Analyses (.npz without pickles) and readings (JSON lines) kept with the project, by content key."""

from __future__ import annotations

import io
import json
import threading
import zipfile
from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path

import numpy as np

from transmixis.core.readings import Reading
from transmixis.core.types import Array
from transmixis.shot.contract import Analysis
from transmixis.shot.store import write_atomically


class AnalysisStore:
    """Analyses by key, in memory and under `folder` (None: memory only). A file that is broken is made anew."""

    def __init__(self, folder: Path | None) -> None:
        self._folder = folder
        self._held: dict[str, Analysis] = {}
        self._locks: dict[str, threading.Lock] = {}
        self._guard = threading.Lock()

    def _path(self, key: str) -> Path | None:
        return self._folder / f"{key}.npz" if self._folder else None

    def has(self, key: str) -> bool:
        path = self._path(key)
        return key in self._held or bool(path and path.exists())

    def get_or_make(self, key: str, make: Callable[[], Analysis]) -> Analysis:
        with self._guard:
            lock = self._locks.setdefault(key, threading.Lock())
        with lock:
            if key not in self._held:
                self._held[key] = self._load(key) or self._store(key, make())
            return self._held[key]

    def _load(self, key: str) -> Analysis | None:
        path = self._path(key)
        return read_arrays(path) if path else None

    def _store(self, key: str, analysis: Analysis) -> Analysis:
        path = self._path(key)
        if path:
            buffer = io.BytesIO()
            np.savez(buffer, **{k: np.asarray(v) for k, v in analysis.items()})  # type: ignore[arg-type]
            write_atomically(path, buffer.getvalue())
        return analysis


def read_arrays(path: Path) -> dict[str, Array] | None:
    """The arrays of an .npz file without pickles; None if it is not there or broken."""
    if not path.exists():
        return None
    try:
        with np.load(io.BytesIO(path.read_bytes()), allow_pickle=False) as f:
            return {name: f[name] for name in f.files}
    except (OSError, ValueError, KeyError, EOFError, zipfile.BadZipFile):
        return None


class ReadingStore:
    """Readings by key; appended line by line, so nothing measured is lost when the program is cut off."""

    def __init__(self, path: Path | None) -> None:
        self._path = path
        self._held: dict[str, list[Reading]] = {}
        self._lock = threading.Lock()
        if path and path.exists():
            self._read(path)

    def _read(self, path: Path) -> None:
        for line in path.read_text(encoding="utf-8", errors="replace").splitlines():
            try:
                d = json.loads(line)
                self._held[d["key"]] = [_reading(r) for r in d["readings"]]
            except (ValueError, KeyError, TypeError):
                continue  # a line cut off by a crash

    def get(self, key: str) -> list[Reading] | None:
        return self._held.get(key)

    def put(self, key: str, readings: list[Reading]) -> None:
        line = json.dumps({"key": key, "readings": [asdict(r) for r in readings]}, ensure_ascii=False)
        with self._lock:
            self._held[key] = readings
            if self._path:
                try:
                    self._path.parent.mkdir(parents=True, exist_ok=True)
                    with open(self._path, "a", encoding="utf-8") as f:
                        f.write(line + "\n")
                except OSError:
                    pass  # readings can be measured again; the work goes on


def _reading(d: dict) -> Reading:
    spot = d.get("spot")
    value = d["value"]
    return Reading(
        str(d["name"]), None if value is None else float(value), str(d["unit"]), float(d["limit"]),
        "high" if d.get("better") == "high" else "low", tuple(int(v) for v in spot) if spot else None, str(d.get("note", "")),  # type: ignore[arg-type]
    )  # fmt: skip
