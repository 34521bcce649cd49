"""Analyses at hand, bounded in bytes: what was asked for longest ago is let go first, so that memory does not grow with the length of a take."""

from __future__ import annotations

import threading
from collections import OrderedDict

import numpy as np

from transmixis.shot.contract import Analysis

MOST = 512 << 20  # bytes; about forty backgrounds of a fifth of a 1920 x 1080 frame
LEAST = 4  # analyses that are kept however large they are


class Held:
    """Analyses by key, the last asked for longest."""

    def __init__(self, most: int = MOST) -> None:
        self._most, self._bytes = most, 0
        self._all: OrderedDict[str, Analysis] = OrderedDict()
        self._guard = threading.Lock()

    def __contains__(self, key: str) -> bool:
        return key in self._all

    def get(self, key: str) -> Analysis | None:
        with self._guard:
            if key in self._all:
                self._all.move_to_end(key)
            return self._all.get(key)

    def put(self, key: str, analysis: Analysis) -> None:
        with self._guard:
            if key in self._all:
                self._bytes -= _size(self._all.pop(key))
            self._all[key] = analysis
            self._bytes += _size(analysis)
            while self._bytes > self._most and len(self._all) > LEAST:
                self._bytes -= _size(self._all.popitem(last=False)[1])

    def drop(self, key: str) -> None:
        """Let one go."""
        with self._guard:
            if key in self._all:
                self._bytes -= _size(self._all.pop(key))


def _size(analysis: Analysis) -> int:
    return sum(int(np.asarray(v).nbytes) for v in analysis.values())
