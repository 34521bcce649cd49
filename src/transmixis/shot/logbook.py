"""The log book: append-only lines of what was done, proposed, chosen and measured."""

from __future__ import annotations

import itertools
import json
import os
import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import datetime
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


MEASURED = "measured"
PAUSE = 15 * 60  # s: a longer gap between two lines was not spent on the shot (judgement)


def folded(entries: list[Entry]) -> list[Entry]:
    """The entries with the lines of measuring folded to the last one of each shot and day."""
    last: dict[tuple[str, str], int] = {}
    count: dict[tuple[str, str], int] = {}
    for i, e in enumerate(entries):
        if e.kind == MEASURED:
            at = (e.shot, e.when[:10])
            last[at], count[at] = i, count.get(at, 0) + 1
    out = []
    for i, e in enumerate(entries):
        at = (e.shot, e.when[:10])
        if e.kind != MEASURED:
            out.append(e)
        elif last[at] == i:
            out.append(replace(e, text=f"{e.text} (the last of {count[at]} that day)") if count[at] > 1 else e)
    return out


def time_spent(entries: list[Entry]) -> float:
    """Seconds between what people did, longer pauses left out; measuring by itself is nobody's work."""
    times = sorted(at for e in entries if e.kind != MEASURED and (at := _seconds(e.when)) is not None)
    return sum(b - a for a, b in itertools.pairwise(times) if b - a <= PAUSE)


def _seconds(when: str) -> float | None:
    try:
        return datetime.fromisoformat(when).timestamp()
    except (ValueError, OverflowError, OSError):
        return None


def _cut_off(f: BinaryIO) -> bool:
    """True if the file's last line has no end."""
    if f.seek(0, os.SEEK_END) == 0:
        return False
    f.seek(-1, os.SEEK_END)
    return f.read(1) != b"\n"
