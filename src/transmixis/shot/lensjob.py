"""A lens told from stills of a chessboard, without a project."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.core.solve.chart import board_corners, lens_of
from transmixis.core.types import Array
from transmixis.media.files import said
from transmixis.media.source import open_source


def tell_lens(paths: list[Path], board: str, space: str | None, progress: Progress) -> dict[str, Any]:
    """The lens of stills of a board with so many inner corners ('9x6'). Raises UserError where they do not tell it."""
    columns, rows = _board(board)
    found: list[Array] = []
    rows_said: list[dict[str, Any]] = []
    size: tuple[int, int] | None = None
    for path, n, picture, of in _stills(paths, space):
        progress.at(len(rows_said), of, "looking for the board")
        h, w = picture.shape[:2]
        if size is not None and size != (w, h):
            raise UserError(
                f"'{said(path.name)}' is {w} x {h}, but the stills before are {size[0]} x {size[1]}; take all with one camera setting."
            )
        size = (w, h)
        corners = board_corners(picture, columns, rows)
        if corners is not None:
            found.append(corners)
        rows_said.append({"path": str(path), "frame": n, "found": corners is not None, "error": None})
    if size is None:
        raise UserError("Give stills of a chessboard, taken with the lens.")
    lens = lens_of(found, columns, rows, size)
    for row, error in zip((r for r in rows_said if r["found"]), lens.errors, strict=True):
        row["error"] = error
    return {
        "focal_px": lens.focal, "middle": list(lens.middle), "k1": lens.k1, "k2": lens.k2, "k3": lens.k3, "p1": lens.p1, "p2": lens.p2,
        "error": lens.error, "width": size[0], "height": size[1], "stills": rows_said,
    }  # fmt: skip


def _stills(paths: list[Path], space: str | None) -> Any:
    """Path, frame, picture and the count of all of them; a named file is itself, not its whole sequence."""
    sources = []
    for path in paths:
        source = open_source(path)
        source = source.with_settings(space=space) if space is not None else source
        if path.is_file() and source.info.kind == "sequence":
            frames = [
                n for n in range(1, source.info.count + 1) if n not in source.info.holes and source.file_of(n).name == path.name
            ]
        else:
            frames = [n for n in range(1, source.info.count + 1) if n not in source.info.holes]
        sources.append((path, source, frames))
    of = sum(len(f) for _, _, f in sources)
    for path, source, frames in sources:
        for n in frames:
            yield path, n, source.read(n), of
        source.close()


def _board(text: str) -> tuple[int, int]:
    m = re.fullmatch(r"(\d{1,2})x(\d{1,2})", text.lower())
    if not m or not (3 <= int(m[1]) <= 60 and 3 <= int(m[2]) <= 60):
        raise UserError(f"'{said(text)[:40]}' is no board; give its inner corners across and down, like 9x6.")
    return int(m[1]), int(m[2])
