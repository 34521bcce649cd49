"""Finding the frames of an image sequence on disk, holes included."""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path

from transmixis.core.errors import UserError

IMAGE_SUFFIXES = frozenset({".png", ".tif", ".tiff", ".jpg", ".jpeg", ".exr", ".dpx"})
MOVIE_SUFFIXES = frozenset({".mov", ".mp4", ".mkv", ".avi", ".webm", ".m4v", ".mxf", ".mpg"})


@dataclass(frozen=True)
class SequenceFiles:
    """Files by frame number, in order. `name` is the pattern with # for digits."""

    files: dict[int, Path]
    name: str

    @property
    def first(self) -> int:
        return min(self.files)

    @property
    def last(self) -> int:
        return max(self.files)

    @property
    def holes(self) -> list[int]:
        """Numbers between first and last with no file."""
        return [n for n in range(self.first, self.last + 1) if n not in self.files]


def is_movie(path: Path) -> bool:
    return path.suffix.lower() in MOVIE_SUFFIXES


def is_picture(path: Path) -> bool:
    return path.suffix.lower() in IMAGE_SUFFIXES


def find_sequence(path: Path | str) -> SequenceFiles:
    """Find a sequence given as `name.####.png`, `name.%04d.png`, one of its files, or a folder that holds one.

    A file without a number in its name is a sequence of one frame. Raises UserError when there is nothing.
    """
    path = Path(path)
    if path.is_dir():
        return _in_folder(path)
    pattern = _pattern(path.name)
    if pattern is None:
        if not path.exists():
            raise UserError(f"There is no file '{path}'; check the name, or give one frame of the sequence.")
        return SequenceFiles({1: path}, path.name)
    before, after, width = pattern
    folder = path.parent
    if not folder.is_dir():
        raise UserError(f"There is no folder '{folder}'; check where the frames lie.")
    rule = re.compile(re.escape(before) + r"(\d+)" + re.escape(after) + r"\Z")
    files: dict[int, Path] = {}
    for entry in folder.iterdir():
        m = rule.match(entry.name)
        if m and entry.is_file() and _width_fits(m.group(1), width):
            files[int(m.group(1))] = entry
    if not files:
        raise UserError(f"No frame matches '{path}'; check the name and the number of digits.")
    return SequenceFiles(dict(sorted(files.items())), f"{before}{'#' * width}{after}")


def _width_fits(digits: str, width: int) -> bool:
    """Numbers are padded to `width`, or have outgrown it."""
    return len(digits) == width or (len(digits) > width and digits[0] != "0") or width == 0


def _pattern(name: str) -> tuple[str, str, int] | None:
    """Split a file name into what stands before and after its frame number, and the number's width."""
    m = re.search(r"#+", name)
    if m:
        return name[: m.start()], name[m.end() :], len(m.group())
    m = re.search(r"%0?(\d*)d", name)
    if m:
        return name[: m.start()], name[m.end() :], int(m.group(1) or 0)
    stem, dot, suffix = name.rpartition(".")
    found = list(re.finditer(r"\d+", stem))
    if not found or not dot:
        return None
    last = found[-1]
    return stem[: last.start()], stem[last.end() :] + "." + suffix, len(last.group())


def _in_folder(folder: Path) -> SequenceFiles:
    names = sorted(p for p in folder.iterdir() if p.is_file() and is_picture(p))
    if not names:
        raise UserError(f"The folder '{folder}' holds no picture; give a folder with a sequence, or a movie.")
    best: SequenceFiles | None = None
    seen: set[Path] = set()
    for p in names:
        if p in seen:
            continue
        s = find_sequence(p)
        seen.update(s.files.values())
        if best is None or len(s.files) > len(best.files):
            best = s
    assert best is not None
    return best
