"""Names of the arrays that travel through the core; all float32 unless a docstring says otherwise."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

Array = NDArray[Any]
Rgb = NDArray[np.float32]  # (h, w, 3) scene linear
Rgba = NDArray[np.float32]  # (h, w, 4) scene linear, premultiplied
Matte = NDArray[np.float32]  # (h, w) 0..1
Mask = NDArray[np.bool_]  # (h, w)
