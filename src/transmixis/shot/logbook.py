"""The log book: append-only lines of what was done, proposed, chosen and measured."""

from __future__ import annotations

import json
import os
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, BinaryIO

from transmixis.media.files import said
from transmixis.shot.plainjson import cleaned

FILE = "log.jsonl"


@dataclass(frozen=True)
class Entry:
    """One line: when (ISO, local), what kind, the shot's code or '', one sentence, and numbers."""

    when: str
    kind: str
    shot: str
    text: str
    data: dict[str, Any]


class LogBook:
    """Appends are single writes, so a killed program leaves at most one broken last line, which reading passes over."""

    def __init__(self, folder: Path, may_write: Callable[[], bool] = lambda: True) -> None:
        self._path, self._may_write = folder / FILE, may_write

    def add(self, kind: str, text: str, shot: str = "", **data: Any) -> Entry:
        """Write one entry. A log that cannot be written never stops the work."""
        entry = Entry(time.strftime("%Y-%m-%dT%H:%M:%S"), kind, shot, said(text), cleaned(data))
        if not self._may_write():
            return entry
        line = json.dumps(
            {"when": entry.when, "kind": kind, "shot": shot, "text": entry.text, "data": entry.data}, ensure_ascii=False
        )
        try:
            if self._path.exists() and not self._path.is_file():
                return entry
            with open(self._path, "ab+") as f:
                # a line that was cut off must not swallow the next one
                f.write(b"\n" * _cut_off(f) + line.encode() + b"\n")
        except OSError:
            pass
        return entry

    def entries(self) -> list[Entry]:
        """All entries that can be read, oldest first."""
        try:
            if not self._path.is_file():
                return []
            lines = self._path.read_text(encoding="utf-8", errors="replace").splitlines()
        except OSError:
            return []
        out = []
        for line in lines:
            try:
                d = json.loads(line)
                out.append(Entry(str(d["when"]), str(d["kind"]), str(d["shot"]), str(d["text"]), dict(d["data"])))
            except (ValueError, KeyError, TypeError, RecursionError):
                continue
        return out


def _cut_off(f: BinaryIO) -> bool:
    """True if the file's last line has no end."""
    if f.seek(0, os.SEEK_END) == 0:
        return False
    f.seek(-1, os.SEEK_END)
    return f.read(1) != b"\n"
