"""Tracks as CSV and JSON: one row a frame, px with pixel centres at +0.5, frames counted from 1."""

from __future__ import annotations

import csv
import io
import json
import math
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from transmixis.core.errors import UserError
from transmixis.media.files import make_folder, said, write_atomically

HEADS = ("track", "frame", "x", "y", "valid", "error")
LARGEST = 200_000_000  # bytes of a file that is read
FARTHEST = 1e7  # px


@dataclass(frozen=True)
class Row:
    """Where it is at a frame, px; None where it is not known. `error` px as foretold, None: not told."""

    frame: int
    x: float | None
    y: float | None
    error: float | None = None

    @property
    def valid(self) -> bool:
        return self.x is not None and self.y is not None


@dataclass(frozen=True)
class Track:
    """A named track, its rows in the order of the frames."""

    name: str
    rows: tuple[Row, ...]


def write_csv(path: Path, tracks: Sequence[Track]) -> None:
    """Write tracks below each other. Numbers are written in full, so that they read back as they were."""
    out = io.StringIO()
    w = csv.writer(out, lineterminator="\n")
    w.writerow(HEADS)
    for t in tracks:
        for r in t.rows:
            x, y = (repr(float(v)) if v is not None and r.valid else "" for v in (r.x, r.y))
            error = "" if r.error is None else repr(float(r.error))
            w.writerow((t.name, r.frame, x, y, int(r.valid), error))
    make_folder(path.parent)
    write_atomically(path, out.getvalue().encode())


def read_csv(path: Path) -> list[Track]:
    """Tracks of a file as `write_csv` makes it; the columns may stand in any order, `valid` and `error` may be missing. Raises UserError
    with the line where it is no such file."""
    rows: dict[str, dict[int, Row]] = {}
    try:
        lines = list(csv.reader(io.StringIO(_text(path)), strict=True))
    except csv.Error as e:
        raise UserError(f"'{said(path.name)}' is no table of tracks ({e}); write its columns {', '.join(HEADS)}.") from e
    if not lines or not {"frame", "x", "y"} <= {c.strip().lower() for c in lines[0]}:
        raise UserError(f"'{said(path.name)}' has no columns frame, x and y in its first line; write {', '.join(HEADS)}.")
    heads = [c.strip().lower() for c in lines[0]]
    for i, cells in enumerate(lines[1:], 2):
        if not any(c.strip() for c in cells):
            continue
        row = dict(zip(heads, (c.strip() for c in cells), strict=False))
        made = _row(row, f"line {i} of '{said(path.name)}'")
        mine = rows.setdefault(row.get("track", "") or "1", {})
        if made.frame in mine:
            raise UserError(f"Frame {made.frame} stands twice for one track in line {i} of '{said(path.name)}'; take one out.")
        mine[made.frame] = made
    if not rows:
        raise UserError(f"'{said(path.name)}' holds no rows; nothing is tracked in it.")
    return [Track(name, tuple(r[n] for n in sorted(r))) for name, r in rows.items()]


def read_json(path: Path) -> list[Track]:
    """Tracks of what the commands for points write, or of a plain list of tracks. Raises UserError where it is none."""
    try:
        data = json.loads(_text(path))
        listed = data["points"] if "points" in data else data["tracks"]
        out = []
        for k, t in enumerate(listed, 1):
            rows = [_row({n: _plain(v) for n, v in f.items()}, f"track {k} of '{said(path.name)}'") for f in t["frames"]]
            out.append(Track(str(t.get("name", k)), tuple(sorted(rows, key=lambda r: r.frame))))
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError) as e:
        raise UserError(f"'{said(path.name)}' holds no tracks; give what a track command has written, or a table in CSV.") from e
    return out


def read_tracks(path: Path) -> list[Track]:
    """Tracks of a .csv or .json file."""
    return read_csv(path) if path.suffix.lower() == ".csv" else read_json(path)


def _plain(value: Any) -> str:
    return "" if value is None else str(int(value)) if isinstance(value, bool) else str(value)


def _row(row: dict[str, str], where: str) -> Row:
    try:
        frame = int(row["frame"])
        x, y = (float(row[n]) if row.get(n) else None for n in ("x", "y"))
        error = float(row["error"]) if row.get("error") else None
        valid = row.get("valid", "1").lower() not in ("0", "false", "no")
    except (KeyError, ValueError) as e:
        raise UserError(f"{where} is not frame, x and y as numbers; mend it.") from e
    if not 0 <= frame <= 10_000_000 or any(v is not None and not abs(v) < FARTHEST for v in (x, y)):
        raise UserError(
            f"{where} names frame {frame} at {x}, {y}: frames count from 0 or 1 on, places are px of the frame; mend it."
        )
    if error is not None and not math.isfinite(error):
        error = None
    return Row(frame, x if valid else None, y if valid else None, error)


def _text(path: Path) -> str:
    try:
        if not path.is_file():  # nor a pipe, which would be waited for
            raise UserError(f"'{said(path)}' is no file; give a .csv or .json file with tracks.")
        if path.stat().st_size > LARGEST:
            raise UserError(f"'{said(path.name)}' is larger than any track file; is it the right one?")
        return path.read_text(encoding="utf-8-sig")
    except (OSError, UnicodeDecodeError) as e:
        raise UserError(f"'{said(path)}' cannot be read as text; give a .csv or .json file with tracks.") from e
