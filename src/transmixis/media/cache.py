"""A cache of frames bounded in bytes, shared by all threads; the least recently used goes first."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Any

from transmixis.core.types import Array


def size_of(value: Any) -> int:
    """Bytes that an array, or the arrays of a tuple, list or dictionary hold."""
    if isinstance(value, (tuple, list)):
        return sum(size_of(v) for v in value)
    if isinstance(value, dict):
        return sum(size_of(v) for v in value.values())
    return int(getattr(value, "nbytes", 64))


class FrameCache:
    """Keep made values by key, up to `limit` bytes. A value larger than the limit is given but not kept."""

    def __init__(self, limit: int) -> None:
        self.limit = limit
        self._held: OrderedDict[Hashable, tuple[Any, int]] = OrderedDict()
        self._bytes = 0
        self._lock = threading.Lock()
        self._making: dict[Hashable, threading.Event] = {}

    @property
    def used(self) -> int:
        """Bytes held now."""
        return self._bytes

    def __contains__(self, key: Hashable) -> bool:
        return key in self._held

    def get(self, key: Hashable) -> Any | None:
        """The value, or None; marks it as just used."""
        with self._lock:
            if key not in self._held:
                return None
            self._held.move_to_end(key)
            return self._held[key][0]

    def put(self, key: Hashable, value: Any) -> None:
        """Keep a value, dropping the oldest ones until all fit."""
        size = size_of(value)
        with self._lock:
            self._drop(key)
            if size > self.limit:
                return
            while self._held and self._bytes + size > self.limit:
                _, (_, gone) = self._held.popitem(last=False)
                self._bytes -= gone
            self._held[key] = (value, size)
            self._bytes += size

    def _drop(self, key: Hashable) -> None:
        if key in self._held:
            self._bytes -= self._held.pop(key)[1]

    def get_or_make(self, key: Hashable, make: Callable[[], Any]) -> Any:
        """The held value, or `make()`; two threads that want the same key make it once."""
        while True:
            with self._lock:
                if key in self._held:
                    self._held.move_to_end(key)
                    return self._held[key][0]
                event = self._making.get(key)
                if event is None:
                    event = self._making[key] = threading.Event()
                    break
            event.wait()
        try:
            value = make()
            self.put(key, value)
            return value
        finally:
            with self._lock:
                del self._making[key]
            event.set()

    def clear(self) -> None:
        with self._lock:
            self._held.clear()
            self._bytes = 0


def frozen(array: Array) -> Array:
    """The array, made read-only, so that nobody changes what the cache hands to others."""
    array.setflags(write=False)
    return array
