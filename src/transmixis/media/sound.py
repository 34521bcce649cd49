"""The sound of a movie: cut to a span of time and written along with pictures, in step with them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import av
import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.types import Array
from transmixis.media.files import decoding, said

CODECS = {"prores": "pcm_s16le", "h264": "aac", "ffv1": "flac"}  # by kind of movie
FORM = "fltp"  # planes of float samples
AAC_RATES = (96000, 88200, 64000, 48000, 44100, 32000, 24000, 22050, 16000, 12000, 11025, 8000)  # ISO/IEC 14496-3
MOST_RATE = 384_000  # samples a second
STEP = 1024  # samples written at a time


@dataclass(frozen=True)
class Sound:
    """A movie's first sound track from `start` for `seconds` (s, counted from its first picture)."""

    path: Path
    start: float
    seconds: float


class SoundTrack:
    """Adds a sound to a movie that is being written; call `until` after each picture, and `finish` before the box is closed."""

    def __init__(self, box: Any, kind: str, sound: Sound) -> None:
        with decoding(sound.path, f"The sound of '{said(sound.path.name)}'"):
            self._rate, self._layout = _shape_of(sound.path)
            if CODECS[kind] == "aac" and self._rate not in AAC_RATES:
                self._rate = 48_000
            self._stream = box.add_stream(CODECS[kind], rate=self._rate, layout=self._layout)
        self._box, self._sound, self._written = box, sound, 0
        self._samples = samples(sound, self._rate)

    def until(self, seconds: float) -> None:
        """Write what sounds before a moment."""
        while self._written < seconds * self._rate:
            with decoding(self._sound.path, f"The sound of '{said(self._sound.path.name)}'"):
                block = next(self._samples, None)
            if block is None:
                return
            frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(block), format=FORM, layout=self._layout)
            frame.sample_rate, frame.pts = self._rate, self._written
            self._written += block.shape[1]
            self._box.mux(self._stream.encode(frame))

    def finish(self) -> None:
        """Write the rest."""
        self.until(self._sound.seconds + 1)
        self._box.mux(self._stream.encode(None))


def _shape_of(path: Path) -> tuple[int, str]:
    with av.open(str(path), options={"protocol_whitelist": "file"}, metadata_errors="replace") as box:
        ctx: Any = box.streams.audio[0].codec_context
        if not 0 < ctx.sample_rate <= MOST_RATE:
            raise UserError(f"'{said(path.name)}' has a sound of {ctx.sample_rate} samples a second, which cannot be kept.")
        return int(ctx.sample_rate), "mono" if ctx.layout.nb_channels == 1 else "stereo"


def samples(sound: Sound, rate: int) -> Iterator[Array]:
    """The sound as blocks of (channels, n) float32, exactly as long as asked for: silence where the movie has none."""
    whole, given = round(sound.seconds * rate), 0
    held = np.zeros((0, 0), np.float32)
    for at, block in _decoded(sound.path, rate):
        first = round((at - sound.start) * rate) - given - held.shape[1]
        if held.shape[0] == 0:
            held = np.zeros((block.shape[0], 0), np.float32)
        if first < 0:  # before the span, or over what is there already
            block = block[:, -first:]
        elif first > max(2, rate // 500):  # a gap; steps of rounding are none
            held = np.concatenate([held, np.zeros((block.shape[0], min(first, whole)), np.float32)], axis=1)
        held = np.concatenate([held, block], axis=1)
        while held.shape[1] >= STEP and given < whole:
            out = held[:, : min(STEP, whole - given)]
            held, given = held[:, STEP:], given + out.shape[1]
            yield out
        if given >= whole:
            return
    channels = max(held.shape[0], 1)
    rest = np.zeros((channels, whole - given), np.float32)
    n = min(held.shape[1], rest.shape[1])
    rest[:, :n] = held[:, :n] if held.size else 0
    for i in range(0, rest.shape[1], STEP):
        yield rest[:, i : i + STEP]


def _decoded(path: Path, rate: int) -> Iterator[tuple[float, Array]]:
    """Moments (s after the first picture) and samples of the first sound track."""
    with av.open(str(path), options={"protocol_whitelist": "file"}, metadata_errors="replace") as box:
        stream: Any = box.streams.audio[0]
        picture: Any = box.streams.video[0]
        zero = float((picture.start_time or 0) * (picture.time_base or 0))
        layout = "mono" if stream.codec_context.layout.nb_channels == 1 else "stereo"
        even = av.AudioResampler(format=FORM, layout=layout, rate=rate)
        packets = box.demux(stream)
        while True:
            try:
                packet = next(packets, None)
                if packet is None:
                    return
                frames = [made for frame in packet.decode() for made in even.resample(frame)]
            except av.EOFError:
                return
            except av.FFmpegError:
                continue  # a damaged packet is a gap, and a gap is silence
            for made in frames:
                if made.pts is not None:
                    yield float(made.pts * (made.time_base or 0)) - zero, np.asarray(made.to_ndarray(), np.float32)
