"""How many threads a compiled loop takes: waking others costs more than a small picture does."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from numba import get_num_threads, set_num_threads

SMALL = 150_000  # pixels, under which one thread has done before the others are awake


@contextmanager
def threads_for(pixels: int) -> Iterator[None]:
    """Inside it, loops over so few pixels run in the thread that calls them."""
    if pixels >= SMALL:
        yield
        return
    usual = get_num_threads()
    set_num_threads(1)
    try:
        yield
    finally:
        set_num_threads(usual)
