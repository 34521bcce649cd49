"""Some frames of a shot, spread over it."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from transmixis.core.errors import UserError
from transmixis.core.progress import Progress

T = TypeVar("T")


def sampled(length: int, most: int, read: Callable[[int], T], progress: Progress, words: str) -> dict[int, T]:
    """What `read` gives for frames spread over the shot. A frame that cannot be read is passed over; raises UserError, with the
    first one's reason, only if none can."""
    out: dict[int, T] = {}
    first: UserError | None = None
    names = sample_frames(length, most)
    for i, n in enumerate(names):
        progress.at(i, len(names), words)
        try:
            out[n] = read(n)
        except UserError as e:
            first = first or e
    if not out and first is not None:
        raise first
    return out


def sample_frames(length: int, most: int) -> list[int]:
    """At most `most` frames spread evenly over 1..length, both ends among them."""
    if length <= most:
        return list(range(1, length + 1))
    return sorted({1 + round(i * (length - 1) / (most - 1)) for i in range(most)})
