"""Short hashes of plain values, and keys that are kept between the states of a shot."""

from __future__ import annotations

import hashlib
import json
import threading
from collections.abc import Callable
from typing import Any


def digest(*parts: Any) -> str:
    """A short hash of plain values: texts, numbers, truths, nothing, and lists and tables of them. Raises TypeError for others, whose
    text might stay the same while they change, or change while they stay."""
    return hashlib.sha1(text_of(*parts)).hexdigest()[:24]


def text_of(*parts: Any) -> bytes:
    """Plain values as they are hashed."""
    return json.dumps(parts, sort_keys=True).encode()


class Gap(str):
    """Stands for the key of a frame that cannot be had, and says why."""


Chunk = tuple[str, ...]


class KeptKeys:
    """Chunks and whole keys as they were made last, with what they were made from. Shared by the states of a production's shots."""

    def __init__(self) -> None:
        self._held: dict[tuple[Any, ...], tuple[tuple[Any, ...], Any]] = {}
        self._lock = threading.Lock()

    def same_or_made(self, name: tuple[Any, ...], makers: tuple[Any, ...], make: Callable[[], Any]) -> Any:
        """What is kept under a name if it was made from the same things, else made now. What comes out equal stays the same object,
        so that what is made from it need not be made anew either."""
        with self._lock:
            old = self._held.get(name)
        if old is not None and _same(old[0], makers):
            return old[1]
        made = make()
        return self.same(name, made, makers)

    def same(self, name: tuple[Any, ...], made: Any, makers: tuple[Any, ...] = ()) -> Any:
        """What is kept under a name if it is equal to what was made now, else that, which is kept from now on."""
        with self._lock:
            old = self._held.get(name)
            if old is not None and old[1] == made:
                made = old[1]
            self._held[name] = (makers, made)
        return made


def _same(a: tuple[Any, ...], b: tuple[Any, ...]) -> bool:
    return len(a) == len(b) and all(x is y or (isinstance(x, (str, int)) and x == y) for x, y in zip(a, b, strict=True))
