"""Pictures as codes: as a display shows them, so that what is blended and measured goes with what is seen; and back. Alpha stays as it is."""

from __future__ import annotations

import numpy as np

from transmixis.core.colour.curves import linear_to_srgb, srgb_to_linear
from transmixis.core.types import Array


def to_codes(linear: Array) -> Array:
    """(h, w, 3 or 4) linear light as codes; what is darker than black is black."""
    out = np.array(linear, np.float32)
    out[..., :3] = linear_to_srgb(np.maximum(out[..., :3], 0))
    return out


def from_codes(codes: Array) -> Array:
    """The same back."""
    out = np.array(codes, np.float32)
    out[..., :3] = srgb_to_linear(np.maximum(out[..., :3], 0))
    return out
