"""Broken and strange material gives findings, never a fault of the program."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from movingplates import scans_of

from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.core.survey.best import best_frames, best_joins
from transmixis.core.survey.findings import findings_of
from transmixis.core.survey.plate import survey_plate
from transmixis.core.survey.scan import absent, prepare, scan_frame

frame_kinds = st.sampled_from(["black", "white", "plain", "noise", "bright", "gone"])
sizes = st.tuples(st.integers(16, 70), st.integers(16, 90))


def made(kind: str, size: tuple[int, int], seed: int) -> np.ndarray | None:
    rng = np.random.default_rng(seed)
    h, w = size
    if kind == "gone":
        return None
    level = {"black": 0.0, "white": 1.0, "plain": 0.2, "noise": 0.3, "bright": 9.0}[kind]
    grain = rng.normal(0, 0.1, (h, w, 3)) if kind == "noise" else 0
    return np.asarray(np.full((h, w, 3), level) + grain, np.float32)


@settings(max_examples=40, deadline=None)
@given(st.lists(frame_kinds, min_size=1, max_size=7), sizes, st.floats(1, 120))
def test_any_mixture_of_frames_is_surveyed(kinds: list[str], size: tuple[int, int], rate: float) -> None:
    frames = [made(k, size, i) for i, k in enumerate(kinds)]
    whole = [f for f in frames if f is not None]
    found = iter(scans_of(whole))
    scans = [absent("gone") if f is None else next(found) for f in frames]

    def read(n: int) -> np.ndarray:
        f = frames[n - 1]
        if f is None:
            raise UserError("gone")
        return f

    s = survey_plate(scans, rate, read, Progress())
    assert s.count == len(kinds)
    assert all(f.words and f.advice for f in findings_of(s))
    assert sum(f.topic == "timing" and "cannot be read" in f.words for f in findings_of(s)) == kinds.count("gone")
    assert all(1 <= f.first <= f.last <= s.count for f in findings_of(s))
    assert len(best_frames(scans, s)) <= 5
    thumbs = [None if f is None else scan["thumb"].astype(np.float32) for f, scan in zip(frames, scans, strict=True)]
    if len(whole) >= 2:
        best_joins(list(thumbs), list(thumbs))


def test_a_frame_too_small_to_measure_is_refused_in_one_sentence() -> None:
    with pytest.raises(UserError, match="at least 16 px"):
        prepare(np.zeros((8, 200, 3), np.float32))


@settings(max_examples=30, deadline=None)
@given(sizes, st.integers(0, 5))
def test_one_frame_of_any_size_is_scanned_without_changing_it(size: tuple[int, int], seed: int) -> None:
    f = made("noise", size, seed)
    assert f is not None
    held = f.copy()
    s = scan_frame(prepare(f), None, None)
    assert np.array_equal(f, held)
    assert all(np.isfinite(v).all() for k, v in s.items() if k in ("thumb", "levels", "spectrum"))
