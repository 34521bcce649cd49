"""Reading movies frame by frame, and writing them, with PyAV."""

from __future__ import annotations

import contextlib
import os
import threading
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.rate import FASTEST
from transmixis.core.types import Array
from transmixis.media import colour
from transmixis.media.files import decoding, require_file, said, why
from transmixis.media.sequence import MOST_FRAMES
from transmixis.media.sound import Sound, SoundTrack
from transmixis.media.still import MAX_PIXELS

_TRC_709, _TRC_SRGB, _TRC_LINEAR = 1, 13, 8  # ISO/IEC 23091-2 transfer characteristics
_SPC_709, _SPC_601 = 1, (5, 6)


LOOKED_AT = 12  # frames at the beginning, among which a wrong order shows
MOST_COUNTED = 4000  # frames of a movie that are counted by decoding them
BEHIND = 16  # frames that are kept of a movie that is counted, so that going backwards begins anew only so often
COUNTED = "the times of its frames are wrong in the file; the frames are counted instead"


@dataclass(frozen=True)
class MovieInfo:
    """What a movie is. `times` are the frames' presentation times in stream ticks, in order."""

    width: int
    height: int
    rate: Fraction
    pixel_aspect: float
    frames: int
    times: tuple[int, ...]
    codec: str
    pixel_format: str
    chroma_halved: bool
    space: str  # guessed
    variable: bool  # frame times are not evenly spaced
    interlaced: bool
    notes: tuple[str, ...] = ()
    counted: bool = False  # the file's times of its frames are wrong: they are counted from the first instead
    turn: int = 0  # degrees anticlockwise by which the file says that the picture is to be turned for showing
    sound: bool = False


def _open(path: Path) -> Any:
    require_file(path)
    try:
        box = av.open(
            str(path), options={"protocol_whitelist": "file"}, metadata_errors="replace"
        )  # it may name other files; none is fetched
    except (av.FFmpegError, OSError, ValueError) as e:
        raise UserError(
            f"'{said(path.name)}' is not a movie that can be read ({why(e)}); copy it again or export it anew."
        ) from e
    if not box.streams.video:
        box.close()
        raise UserError(f"'{said(path.name)}' holds no picture, only sound or data; choose the movie with the picture.")
    return box


def movie_info(path: Path) -> MovieInfo:
    """Read a movie's head and the time of every frame, without decoding them all. Raises UserError."""
    with decoding(path), _open(path) as box:
        stream = box.streams.video[0]
        ctx = stream.codec_context
        times, notes = [], []
        if ctx is None or ctx.codec is None:
            raise UserError(f"'{said(path.name)}' is coded in a way that is not known here; export it anew, as ProRes or H.264.")
        if ctx.width <= 0 or ctx.height <= 0 or ctx.width * ctx.height > MAX_PIXELS:
            raise UserError(f"'{said(path.name)}' says it is {ctx.width} x {ctx.height}, which cannot be opened; export it anew.")
        try:
            for packet in box.demux(stream):
                if packet.pts is not None and packet.size and not packet.is_discard:
                    times.append(packet.pts)
                if len(times) > MOST_FRAMES:
                    raise UserError(f"'{said(path.name)}' has more than {MOST_FRAMES} frames; cut it first.")
        except av.FFmpegError as e:
            notes.append(f"the file ends too early ({why(e)})")
        turn, interlaced = _first_frame(path)
        times.sort()
        counted = len(set(times)) < len(times) or (bool(ctx.has_b_frames) and not _as_timed(path, times))
        if counted:
            times = times[: _count(path, len(times))]
            notes.append(COUNTED)
        if not times:
            raise UserError(f"'{path.name}' holds no frame that can be read; copy it again or export it anew.")
        rate = _rate(stream, times)
        aspect = stream.sample_aspect_ratio
        fmt = ctx.format
        return MovieInfo(
            width=ctx.width, height=ctx.height, rate=rate, pixel_aspect=float(aspect) if aspect and 0.05 < aspect < 20 else 1.0,
            frames=len(times), times=tuple(times), codec=ctx.name, pixel_format=fmt.name if fmt else "",
            chroma_halved=_halved(fmt), space=_space(ctx), variable=not counted and _uneven(times), counted=counted, interlaced=interlaced, turn=turn, sound=bool(box.streams.audio),
            notes=tuple(notes),
        )  # fmt: skip


def _first_frame(path: Path) -> tuple[int, bool]:
    """By how much the file says its pictures are turned (degrees anticlockwise, whole quarters), and whether they are interlaced."""
    with _open(path) as box:
        try:
            frame = next(box.decode(video=0))
            return round(float(frame.rotation) / 90) * 90 % 360, bool(frame.interlaced_frame)
        except (av.FFmpegError, StopIteration, AttributeError, ValueError):
            return 0, False


def _as_timed(path: Path, times: list[int]) -> bool:
    """Whether the first frames come out of the decoder in the order and with the times that the file gives them. Some programs write the
    times in the order in which the frames were coded."""
    found = []
    with _open(path) as box, contextlib.suppress(av.FFmpegError):
        for frame in box.decode(video=0):
            found.append(frame.pts)
            if len(found) == LOOKED_AT:
                break
    return found == times[: len(found)]


def _count(path: Path, packets: int) -> int:
    """How many frames the decoder gives; of a long movie that is taken from the `packets`."""
    if packets > MOST_COUNTED:
        return packets
    count = 0
    with _open(path) as box, contextlib.suppress(av.FFmpegError):
        box.streams.video[0].thread_type = "AUTO"
        for _ in box.decode(video=0):
            count += 1
    return min(count, packets) or packets


def _rate(stream: Any, times: list[int]) -> Fraction:
    stated = stream.average_rate or stream.guessed_rate
    stated = stated if stated and 0 < stated <= FASTEST else None
    if len(times) > 1 and stream.time_base:
        middle = Fraction(int(np.median(np.diff(times)))) * Fraction(stream.time_base)
        if middle > 0 and 1 / middle <= FASTEST and (not stated or abs(float(1 / middle) / float(stated) - 1) > 0.02):
            return _usual(1 / middle)
    return Fraction(stated).limit_denominator(100_000) if stated else Fraction(24)


def _usual(rate: Fraction) -> Fraction:
    """The usual rate within 0.1 %, or the rate as measured."""
    usual = [Fraction(n) for n in (12, 15, 18, 24, 25, 30, 48, 50, 60, 100, 120)]
    usual += [Fraction(n * 1000, 1001) for n in (24, 30, 60, 120)]
    near = min(usual, key=lambda u: abs(float(u / rate) - 1))
    return near if abs(float(near / rate) - 1) < 0.001 else rate.limit_denominator(1001)


def _uneven(times: list[int]) -> bool:
    """True if steps differ by more than a fifth of the usual step (rounding to ticks stays below that)."""
    if len(times) < 3:
        return False
    steps = np.diff(times)
    usual = float(np.median(steps))
    return bool(np.abs(steps - usual).max() > max(1.0, 0.2 * usual))


def _halved(fmt: Any) -> bool:
    """True for 4:2:0, where a component is subsampled both ways."""
    return fmt is not None and ("420" in fmt.name or fmt.name in ("nv12", "nv21", "p010le", "p016le"))


def _space(ctx: Any) -> str:
    trc = getattr(ctx, "color_trc", None)
    if trc == _TRC_709:
        return colour.CAMERA_709
    if trc == _TRC_LINEAR:
        return colour.LINEAR
    return colour.SRGB


class MovieReader:
    """Random access to a movie's frames; keeps the decoder where it stands, so going forwards is cheap. Thread-safe."""

    def __init__(self, path: Path, info: MovieInfo) -> None:
        self._path, self._info = path, info
        self._box: Any = None
        self._frames: Any = None
        self._next = -1
        self._behind: deque[tuple[int, Any]] = deque(maxlen=BEHIND)
        self._lock = threading.Lock()

    def read(self, index: int) -> Array:
        """Frame `index` (0-based) as (h, w, 3) uint8 or uint16 RGB codes. Raises UserError naming the frame."""
        if not 0 <= index < self._info.frames:
            raise UserError(f"'{self._path.name}' has {self._info.frames} frames, so there is no frame {index + 1}.")
        with self._lock:
            try:
                with decoding(self._path, f"Frame {index + 1} of '{said(self._path.name)}'"):
                    return self._read(index)
            except UserError:
                self._close()
                raise

    def _read(self, index: int) -> Array:
        if self._info.counted:
            return self._read_counted(index)
        if self._box is None or not self._next <= index <= self._next + 24:
            self._seek(index)
        wanted = self._info.times[index]
        for frame in self._frames:
            if frame.pts is not None and frame.pts >= wanted:
                self._next = index + 1
                return self._rgb(frame)
        raise EOFError("the file ends before this frame")

    def _read_counted(self, index: int) -> Array:
        """By its number from the first frame on: nothing in the file tells where else to begin."""
        for n, frame in self._behind:
            if n == index:
                return self._rgb(frame)
        if self._box is None or index < self._next:
            self._close()
            self._begin()
            self._next, self._frames = 0, self._box.decode(self._box.streams.video[0])
        for frame in self._frames:
            self._behind.append((self._next, frame))
            self._next += 1
            if self._next > index:
                return self._rgb(frame)
        raise EOFError("the file ends before this frame")

    def _begin(self) -> None:
        self._box = _open(self._path)
        self._box.streams.video[0].thread_type = "AUTO"

    def _seek(self, index: int) -> None:
        if self._box is None:
            self._begin()
        stream = self._box.streams.video[0]
        self._box.seek(self._info.times[index], stream=stream, backward=True)
        self._frames = self._box.decode(stream)

    def _rgb(self, frame: Any) -> Array:
        if (frame.width, frame.height) != (self._info.width, self._info.height):
            raise ValueError(f"it is {frame.width} x {frame.height}, the movie {self._info.width} x {self._info.height}")
        deep = any(c.bits > 8 for c in frame.format.components)
        space = "ITU601" if frame.colorspace in _SPC_601 else "ITU709"
        rgb = frame.reformat(format="rgb48le" if deep else "rgb24", src_colorspace=space)
        return np.asarray(rgb.to_ndarray())

    def _close(self) -> None:
        if self._box is not None:
            self._box.close()
        self._box, self._frames, self._next = None, None, -1
        self._behind.clear()

    def close(self) -> None:
        """Let go of the file."""
        with self._lock:
            self._close()


@dataclass(frozen=True)
class MovieKind:
    """A way of writing movies."""

    codec: str
    pixel_format: str
    suffix: str
    options: dict[str, str]
    words: str


MOVIE_KINDS = {
    "prores": MovieKind("prores_ks", "yuv444p10le", ".mov", {"profile": "4"}, "ProRes 4444, for going on in an edit"),
    "h264": MovieKind("libx264", "yuv420p", ".mp4", {"crf": "16", "preset": "medium"}, "H.264, small, for looking at"),
    "ffv1": MovieKind("ffv1", "gbrp16le", ".mkv", {"level": "3", "slicecrc": "1"}, "FFV1, lossless, for the archive"),
}


class MovieWriter:
    """Write working-space frames to a movie; the file appears under its name only when it is whole."""

    def __init__(self, path: Path, kind: str, width: int, height: int, rate: Fraction, sound: Sound | None = None) -> None:
        self.kind = MOVIE_KINDS[kind]
        self._path, self._part = path, path.with_name(f".{path.stem}.part{path.suffix}")
        if kind == "h264" and (width % 2 or height % 2):
            raise UserError(f"H.264 needs an even width and height, not {width} x {height}; choose FFV1 or ProRes.")
        try:
            # without the time of day and random marks, so that the same frames give the same file
            self._box = av.open(str(self._part), "w", options={"fflags": "+bitexact"})
            stream: Any = self._box.add_stream(self.kind.codec, rate=rate, options=dict(self.kind.options))
        except (av.FFmpegError, OSError) as e:
            raise UserError(f"Cannot write '{path}' ({why(e)}); choose another place.") from e
        self._stream = stream
        stream.width, stream.height, stream.pix_fmt = width, height, self.kind.pixel_format
        self._rate, self._count = rate, 0
        self._sound = SoundTrack(self._box, kind, sound) if sound else None
        ctx = stream.codec_context
        ctx.color_primaries, ctx.color_trc = 1, _TRC_SRGB
        if not self.kind.pixel_format.startswith("gbr"):
            ctx.colorspace, ctx.color_range = _SPC_709, 1

    def write(self, linear: Array) -> None:
        """Add one (h, w, 3 or 4) working-space frame; alpha is left out (over black)."""
        coded = colour.from_working(linear[..., :3], colour.SRGB)
        codes = (np.clip(coded, 0, 1) * 65535 + 0.5).astype(np.uint16)
        frame = av.VideoFrame.from_ndarray(codes, format="rgb48le")
        if not self.kind.pixel_format.startswith("gbr"):
            frame = frame.reformat(format=self.kind.pixel_format, dst_colorspace="ITU709", dst_color_range="MPEG")
        try:
            self._box.mux(self._stream.encode(frame))
            self._count += 1
            if self._sound:
                self._sound.until(self._count / float(self._rate))
        except (av.FFmpegError, OSError) as e:
            raise UserError(f"Cannot write '{self._path}' ({why(e)}); free some space, then render again.") from e

    def finish(self, ready: Callable[[Path], None] = lambda part: None) -> None:
        """Close the file and give it its name; `ready` hears of the whole file before."""
        try:
            self._box.mux(self._stream.encode(None))
            if self._sound:
                self._sound.finish()
            self._box.close()
            ready(self._part)
            os.replace(self._part, self._path)
        except (av.FFmpegError, OSError) as e:
            raise UserError(f"Cannot finish '{self._path}' ({why(e)}); free some space, then render again.") from e

    def abandon(self) -> None:
        """Close and remove what was written."""
        with contextlib.suppress(av.FFmpegError, OSError):  # the file is removed anyway
            self._box.close()
        self._part.unlink(missing_ok=True)
