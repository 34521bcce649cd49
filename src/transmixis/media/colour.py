"""Colour spaces through OpenColorIO's built-in configuration.

The names that people see are our own few; each is found in the configuration by capability, since releases rename.
Working space: scene linear with BT.709 primaries.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np
import PyOpenColorIO as ocio

from transmixis.core.types import Array

LINEAR, SRGB, CAMERA_709, ACESCG = "linear", "sRGB", "camera 709", "ACEScg"

# For each space, names that a configuration may give it, best first.
_KNOWN_AS: dict[str, tuple[str, ...]] = {
    LINEAR: ("Linear Rec.709 (sRGB)", "lin_rec709", "lin_srgb"),
    SRGB: ("sRGB Encoded Rec.709 (sRGB)", "sRGB - Texture", "srgb_texture"),
    CAMERA_709: ("Camera Rec.709", "camera_rec709"),
    ACESCG: ("ACEScg", "acescg"),
}
SPACES = tuple(_KNOWN_AS)

PLAIN_WORDS = {
    LINEAR: "scene linear, BT.709 primaries",
    SRGB: "sRGB curve (pictures, screen captures, most phones)",
    CAMERA_709: "BT.709 camera curve (video cameras)",
    ACESCG: "scene linear, ACES primaries",
}


@lru_cache(maxsize=1)
def _config() -> Any:
    """The newest built-in configuration that knows every space of ours."""
    names = [entry[0] for entry in ocio.BuiltinConfigRegistry().getBuiltinConfigs()]
    for name in reversed(names):
        config = ocio.Config.CreateFromBuiltinConfig(name)
        if all(any(config.getColorSpace(n) for n in known) for known in _KNOWN_AS.values()):
            return config
    raise LookupError("none of OpenColorIO's built-in configurations has all the colour spaces that are needed")


@lru_cache(maxsize=16)
def _name(space: str) -> str:
    config = _config()
    for name in _KNOWN_AS[space]:
        found = config.getColorSpace(name)
        if found is not None:
            return str(found.getName())
    raise LookupError(f"OpenColorIO's built-in configuration has no space for '{space}'")


@lru_cache(maxsize=16)
def _processor(source: str, target: str) -> Any:
    # the default takes powers quickly and is off by two codes of 16 bits; white would not be 1
    return _config().getProcessor(_name(source), _name(target)).getOptimizedCPUProcessor(ocio.OPTIMIZATION_LOSSLESS)


def convert(rgb: Array, source: str, target: str) -> Array:
    """Convert (h, w, 3) float32 between two SPACES; gives a new array."""
    out = np.array(rgb, np.float32, order="C", copy=True)
    if source != target:
        _processor(source, target).applyRGB(out)
    return out


def to_working(coded: Array, space: str) -> Array:
    """Coded (h, w, 3) values of `space` to the working space."""
    return convert(coded, space, LINEAR)


def from_working(linear: Array, space: str) -> Array:
    """Working-space (h, w, 3) to coded values of `space`."""
    return convert(linear, LINEAR, space)


@lru_cache(maxsize=8)
def decode_table(space: str, levels: int) -> Array:
    """Linear value of every code of an integer format with `levels` steps (256 or 65536), for spaces that work by channel."""
    ramp = np.repeat((np.arange(levels, dtype=np.float32) / (levels - 1))[None, :, None], 3, axis=2)
    return np.ascontiguousarray(to_working(ramp, space)[0, :, 0])


def works_by_channel(space: str) -> bool:
    """True if the space differs from the working space by a curve only, so a table serves."""
    return space in (LINEAR, SRGB, CAMERA_709)


def warm() -> None:
    """Load the configuration and every processor once; the library holds the interpreter while it does."""
    for space in SPACES:
        if works_by_channel(space):
            decode_table(space, 256)
            decode_table(space, 65536)
        from_working(to_working(np.zeros((1, 1, 3), np.float32), space), space)
