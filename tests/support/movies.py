"""Movies whose frames stand at given times."""

from __future__ import annotations

from collections.abc import Iterable
from fractions import Fraction
from pathlib import Path

import av
import numpy as np


def movie_at(path: Path, ticks: Iterable[int], base: Fraction = Fraction(1, 1000)) -> Path:
    """A movie that states no usual rate; its plain frames are shown at these `ticks` of `base` seconds."""
    with av.open(str(path), "w") as box:
        stream = box.add_stream("ffv1", rate=1000)
        stream.width, stream.height, stream.pix_fmt = 32, 32, "yuv444p"
        stream.time_base = stream.codec_context.time_base = base
        for n, t in enumerate(ticks):
            frame = av.VideoFrame.from_ndarray(np.full((32, 32, 3), n % 256, np.uint8), format="rgb24")
            frame.pts, frame.time_base = t, base
            box.mux(stream.encode(frame))
        box.mux(stream.encode(None))
    return path
