"""The small pictures of a plate's scans, one at a time, so that judging a long plate takes no more memory than a short one."""

from __future__ import annotations

from collections.abc import Sequence
from typing import overload

import numpy as np

from transmixis.core.survey.scan import Scan, is_absent
from transmixis.core.types import Array

MOST_FOR_MEDIAN = 200  # frames, evenly spaced: the middle over more of them is the same, and takes memory with their number


class Thumbs(Sequence["Array | None"]):
    """Small linear pictures (h, w, 3) float32 by 0-based index; None for a frame that could not be read."""

    def __init__(self, scans: Sequence[Scan]) -> None:
        self._scans = scans

    def __len__(self) -> int:
        return len(self._scans)

    @overload
    def __getitem__(self, i: int) -> Array | None: ...
    @overload
    def __getitem__(self, i: slice) -> Sequence[Array | None]: ...
    def __getitem__(self, i: int | slice) -> Array | Sequence[Array | None] | None:
        if isinstance(i, slice):
            return [self[k] for k in range(*i.indices(len(self)))]
        scan = self._scans[i]
        return None if is_absent(scan) else np.asarray(scan["thumb"], np.float32)


def some_of(there: list[int], most: int = MOST_FOR_MEDIAN) -> list[int]:
    """At most so many of these, evenly spread, the first and last among them."""
    if len(there) <= most:
        return there
    return [there[i] for i in np.unique(np.linspace(0, len(there) - 1, most).round().astype(int))]
