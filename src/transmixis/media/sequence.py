"""Finding the frames of an image sequence on disk, holes included."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path

from transmixis.core.errors import UserError
from transmixis.media.files import require_file, said, why

IMAGE_SUFFIXES = frozenset({".png", ".tif", ".tiff", ".jpg", ".jpeg", ".exr", ".dpx"})
MOVIE_SUFFIXES = frozenset({".mov", ".mp4", ".mkv", ".avi", ".webm", ".m4v", ".mxf", ".mpg"})


MOST_FRAMES = 1_000_000  # as many as a shot may have


@dataclass(frozen=True)
class SequenceFiles:
    """Files by frame number, in order. `name` is the pattern with # for digits; `others`: files of the same pattern whose numbers
    lie too far away to belong to it."""

    files: dict[int, Path]
    name: str
    others: int = 0

    @property
    def first(self) -> int:
        return min(self.files)

    @property
    def last(self) -> int:
        return max(self.files)

    @property
    def any_file(self) -> Path:
        return next(iter(self.files.values()))

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

    A file without a number in its name is a sequence of one frame. Numbers that lie further apart than there are files (dates,
    counters of a camera) are separate takes or stills: the one that was named, else the longest. Raises UserError when there
    is nothing.
    """
    path = Path(path)
    try:
        if path.is_dir():
            return _in_folder(path)
        pattern = _pattern(path.name)
        if pattern is None:
            require_file(path)
            return SequenceFiles({1: path}, path.name)
        files = _matching(path.parent, pattern)
    except (OSError, ValueError) as e:
        raise UserError(f"'{said(path)}' cannot be looked at ({why(e)}); check the name and the folder's rights.") from e
    if not files:
        raise UserError(f"No frame matches '{said(path)}'; check the name and the number of digits.")
    takes = _takes(sorted(files))
    named = next((t for t in takes for n in t if files[n].name == path.name), None)
    chosen = named or max(takes, key=len)
    before, after, width = pattern
    return SequenceFiles({n: files[n] for n in chosen}, f"{before}{'#' * width}{after}", len(files) - len(chosen))


def _matching(folder: Path, pattern: tuple[str, str, int]) -> dict[int, Path]:
    """Files of a pattern by their number."""
    if not folder.is_dir():
        raise UserError(f"There is no folder '{said(folder)}'; check where the frames lie.")
    rule = _rule(*pattern)
    files: dict[int, Path] = {}
    for entry in folder.iterdir():
        number = rule(entry.name)
        if number is not None and entry.is_file():
            files[number] = entry
    return files


def _takes(numbers: list[int]) -> list[list[int]]:
    """Sorted numbers parted where more are missing in a row than there are files."""
    takes = [[numbers[0]]]
    for a, b in pairwise(numbers):
        if b - a - 1 > len(numbers) or b - takes[-1][0] >= MOST_FRAMES:
            takes.append([])
        takes[-1].append(b)
    return takes


def _rule(before: str, after: str, width: int) -> Callable[[str], int | None]:
    """Gives the frame's number of a file name, or None if it does not belong to the pattern."""
    rule = re.compile(re.escape(before) + r"(\d{1,18})" + re.escape(after) + r"\Z", re.ASCII)

    def number(name: str) -> int | None:
        m = rule.match(name)
        return int(m.group(1)) if m and _width_fits(m.group(1), width) else None

    return number


def name_rule(name: str) -> Callable[[str], bool] | None:
    """Says of another file name whether it would belong to the same sequence; None if a name has no number."""
    pattern = _pattern(name)
    if pattern is None:
        return None
    rule = _rule(*pattern)
    return lambda other: rule(other) is not None


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
        return name[: m.start()], name[m.end() :], int((m.group(1) or "0")[:3])
    stem, dot, suffix = name.rpartition(".")
    found = list(re.finditer(r"\d+", stem, re.ASCII))
    if not found or not dot or len(found[-1].group()) > 18:
        return None
    last = found[-1]
    return stem[: last.start()], stem[last.end() :] + "." + suffix, len(last.group())


def _in_folder(folder: Path) -> SequenceFiles:
    """The longest sequence of a folder."""
    names = sorted(p for p in folder.iterdir() if p.is_file() and is_picture(p))
    if not names:
        raise UserError(f"The folder '{said(folder)}' holds no picture; give a folder with a sequence, or a movie.")
    groups: dict[tuple[str, str], SequenceFiles] = {}
    best: SequenceFiles | None = None
    for p in names:
        pattern = _pattern(p.name)
        group = pattern[:2] if pattern else (p.name, "")
        if group not in groups:
            groups[group] = find_sequence(folder / f"{pattern[0]}{'#' * pattern[2]}{pattern[1]}" if pattern else p)
        if best is None or len(groups[group].files) > len(best.files):
            best = groups[group]
    assert best is not None
    return best
