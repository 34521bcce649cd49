"""What is held of analyses is bounded: the longest not asked for goes first, a few always stay, and what went is made or read again."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from transmixis.shot.held import LEAST, Held
from transmixis.shot.stored import AnalysisStore


def analysis(n: int, many: int = 1000) -> dict[str, np.ndarray]:
    return {"a": np.full(many, n, np.float64)}


def test_the_longest_not_asked_for_goes_first() -> None:
    held = Held(most=6 * 8000)
    for n in range(6):
        held.put(str(n), analysis(n))
    assert held.get("0") is not None
    held.put("6", analysis(6))
    assert "1" not in held
    assert "0" in held
    held.put("6", analysis(6))  # again: counted once
    assert "2" in held
    assert held.get("nothing") is None
    for key in ("6", "6"):
        held.drop(key)
    assert "6" not in held
    held.put("7", analysis(7))  # there is room again
    assert "2" in held


def test_some_stay_however_large() -> None:
    held = Held(most=10)
    for n in range(LEAST + 3):
        held.put(str(n), analysis(n))
    assert [str(n) in held for n in range(LEAST + 3)] == [False] * 3 + [True] * LEAST


def test_what_went_is_read_again(tmp_path: Path) -> None:
    store = AnalysisStore(tmp_path)
    store._held = Held(most=10)
    asked = []

    def make(n: int) -> dict[str, np.ndarray]:
        asked.append(n)
        return analysis(n)

    for n in range(LEAST + 2):
        store.get_or_make(f"{n:064d}", lambda n=n: make(n))  # type: ignore[misc]
    again = store.get_or_make(f"{0:064d}", lambda: make(99))
    assert again["a"][0] == 0
    assert asked == list(range(LEAST + 2))
    one = store.held(f"{1:064d}")
    assert one is not None
    assert one["a"][0] == 1
