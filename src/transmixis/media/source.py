"""A plate's material behind one face: an image sequence, a single still or a movie, read as linear frames."""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.matte.chroma import chroma_is_halved, restore_chroma
from transmixis.core.types import Array
from transmixis.media import colour
from transmixis.media.colour import SPACES
from transmixis.media.files import said, why
from transmixis.media.movie import MovieReader, movie_info
from transmixis.media.sequence import SequenceFiles, find_sequence, is_movie, is_picture
from transmixis.media.still import as_unit_float, jpeg_chroma_halved, read_coded, still_info, to_linear

DEFAULT_RATE = Fraction(24)
TURNED = "turned"


@dataclass(frozen=True)
class SourceInfo:
    """What the material is. Frames are counted 1..count; `first_number` is the file number of frame 1."""

    path: str
    kind: str  # sequence, still, movie
    width: int
    height: int
    count: int
    first_number: int
    rate: Fraction | None  # None: pictures say no rate
    pixel_aspect: float
    space: str
    depth: str
    chroma_halved: bool
    holes: tuple[int, ...] = ()  # frame numbers (1..count) with no file
    variable_rate: bool = False
    notes: tuple[str, ...] = ()
    turn: int = 0  # degrees anticlockwise by which frames are turned when read; width and height are those after it
    sound: bool = False
    screen: bool | None = None  # shows a green or blue screen; None: not looked at


def with_full_chroma(linear: Array, space: str) -> Array:
    """A working-space frame whose chroma was recorded at half size in `space`, with its chroma brought back along the edges."""
    coded = restore_chroma(colour.from_working(linear[..., :3], space))
    rgb = colour.to_working(coded, space)
    return rgb if linear.shape[2] == 3 else np.concatenate([rgb, linear[..., 3:]], axis=2)


class Source:
    """Frames of one plate. `space` and `halved` may differ from the guess when a person has changed them."""

    def __init__(self, info: SourceInfo, files: SequenceFiles | None, movie: MovieReader | None) -> None:
        self.info = info
        self._files, self._movie = files, movie

    def with_settings(self, *, space: str | None = None, chroma_halved: bool | None = None, turn: int | None = None) -> Source:
        """The same material read in another colour space, or with its chroma taken as full or half size. Raises UserError."""
        if space is not None and space not in SPACES:
            raise UserError(f"'{said(space)[:60]}' is no colour space; use one of {', '.join(SPACES)}.")
        info = replace(
            self.info,
            space=space or self.info.space,
            chroma_halved=self.info.chroma_halved if chroma_halved is None else chroma_halved,
        )
        if turn is not None and turn % 360 != info.turn:
            info = replace(_unturned(info), turn=0)
            info = _turned(info, turn % 360)
        return Source(info, self._files, self._movie)

    def file_of(self, frame: int) -> Path:
        """The file that holds frame 1..count."""
        if self._files is None:
            return Path(self.info.path)
        number = self.info.first_number + frame - 1
        if number not in self._files.files:
            raise UserError(f"Frame {frame} of '{self._files.name}' is missing: there is no file numbered {number}.")
        return self._files.files[number]

    def read(self, frame: int) -> Array:
        """Frame 1..count as working-space float32 (h, w, 3), or (h, w, 4) premultiplied if it has alpha."""
        if not 1 <= frame <= self.info.count:
            raise UserError(f"'{Path(self.info.path).name}' has frames 1 to {self.info.count}, so there is no frame {frame}.")
        coded = self._movie.read(frame - 1) if self._movie else self._read_file(frame)
        if self.info.turn:
            coded = np.ascontiguousarray(np.rot90(coded, self.info.turn // 90))
        return to_linear(coded, self.info.space)

    def _read_file(self, frame: int) -> Array:
        path = self.file_of(frame)
        coded = read_coded(path)
        plain = _unturned(self.info)
        if coded.shape[:2] != (plain.height, plain.width):
            got, want = f"{coded.shape[1]} x {coded.shape[0]}", f"{plain.width} x {plain.height}"
            raise UserError(f"'{path.name}' is {got}, but the sequence is {want}; export that frame at the right size.")
        return coded

    def close(self) -> None:
        if self._movie:
            self._movie.close()


def open_source(path: Path | str) -> Source:
    """Open a sequence, a still or a movie. Raises UserError with one clear sentence."""
    path = Path(path)
    try:
        return _open(path)
    except (OSError, ValueError) as e:
        raise UserError(f"'{said(path)}' cannot be looked at ({why(e)}); check the name and the folder's rights.") from e


def _open(path: Path) -> Source:
    if is_movie(path) and not path.is_dir():
        return _open_movie(path)
    if path.suffix and not path.is_dir() and not is_picture(path):
        raise UserError(
            f"'{said(path.name)}' is neither a picture nor a movie that can be read; use PNG, TIFF, JPEG, EXR, DPX, MOV or MP4."
        )
    if path.is_dir():
        inside = sorted(path.iterdir())
        movies = [p for p in inside if is_movie(p)]
        if movies and not any(is_picture(p) for p in inside):
            return _open_movie(movies[0])
    return _open_files(find_sequence(path))


def _open_movie(path: Path) -> Source:
    m = movie_info(path)
    notes = list(m.notes)
    if m.variable:
        notes.append("the frame times are uneven (variable rate); frames are used one by one at the usual rate")
    if m.interlaced:
        notes.append("the movie is interlaced; edges will comb in motion")
    info = SourceInfo(
        path=str(path), kind="movie", width=m.width, height=m.height, count=m.frames, first_number=1, rate=m.rate,
        pixel_aspect=m.pixel_aspect, space=m.space, depth=f"{m.codec} {m.pixel_format}", chroma_halved=m.chroma_halved,
        variable_rate=m.variable, notes=tuple(notes), sound=m.sound,
    )  # fmt: skip
    return Source(_turned(info, m.turn), None, MovieReader(path, m))


def _turned(info: SourceInfo, turn: int) -> SourceInfo:
    """The same material turned by quarters, degrees anticlockwise, and a note that says so."""
    if turn % 360 == 0:
        return info
    w, h = (info.height, info.width) if turn % 180 else (info.width, info.height)
    aspect = 1 / info.pixel_aspect if turn % 180 else info.pixel_aspect
    note = f"{TURNED} by {turn}° to stand upright"
    return replace(info, width=w, height=h, pixel_aspect=aspect, turn=turn % 360, notes=(*info.notes, note))


def _unturned(info: SourceInfo) -> SourceInfo:
    """The material as its frames lie in the file."""
    out = _turned(info, info.turn) if info.turn % 180 else info
    return replace(out, turn=0, notes=tuple(n for n in info.notes if not n.startswith(TURNED)))


def _open_files(found: SequenceFiles) -> Source:
    head, coded, notes = None, None, []
    for number, path in found.files.items():  # the first file that can be read tells what the sequence is
        try:
            coded = read_coded(path)
            head = still_info(path)
            break
        except UserError as e:
            notes.append(f"frame {number - found.first + 1}: {e}")
    if head is None or coded is None:
        raise UserError(notes[0].split(": ", 1)[1] if notes else f"'{found.name}' cannot be read.")
    if found.others:
        notes.append(f"{found.others} files with numbers far from these are taken for other takes or stills")
    holes = tuple(n - found.first + 1 for n in found.holes)
    if holes:
        notes.append(f"{len(holes)} frames are missing: file numbers {_spans(found.holes)}")
    said_so = jpeg_chroma_halved(found.any_file)
    halved = said_so if said_so is not None else coded.dtype == np.uint8 and chroma_is_halved(as_unit_float(coded[..., :3]))
    if halved and said_so is None:
        notes.append("colour repeats in blocks of 2 x 2, so it was recorded at half size (a guess: the file does not say)")
    info = SourceInfo(
        path=str(next(iter(found.files.values()))), kind="still" if len(found.files) == 1 else "sequence",
        width=head.width, height=head.height, count=found.last - found.first + 1, first_number=found.first, rate=None,
        pixel_aspect=head.pixel_aspect, space=head.space, depth=head.kind, chroma_halved=halved, holes=holes, notes=tuple(notes),
    )  # fmt: skip
    return Source(_turned(info, head.turn), found, None)


def _spans(numbers: list[int]) -> str:
    """1, 2, 3, 7 as '1–3, 7'."""
    out: list[list[int]] = []
    for n in numbers:
        if out and n == out[-1][1] + 1:
            out[-1][1] = n
        else:
            out.append([n, n])
    return ", ".join(f"{a}" if a == b else f"{a}–{b}" for a, b in out[:8]) + (" …" if len(out) > 8 else "")
