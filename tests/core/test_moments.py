"""Which moment each frame shows: exact ends, a held middle, cues, photos; properties for any of them."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from transmixis.core.errors import UserError
from transmixis.core.time.moments import (
    BEFORE_HELD,
    BEFORE_NOTHING,
    at_speed,
    between_ends,
    middle_held,
    photos,
    seen,
)

NAN = float("nan")


@given(st.integers(4, 80), st.integers(1, 30), st.floats(1, 400), st.floats(1, 400), st.data())
def test_exact_ends_are_exact_whatever_the_speeds(
    length: int, begin: int, first: float, last: float, data: st.DataObject
) -> None:
    begin = min(begin, length - 1)
    end = data.draw(st.integers(begin + 1, length))
    speeds = np.array(data.draw(st.lists(st.floats(0.1, 5), min_size=length, max_size=length)))
    out = between_ends(length, first, last, begin, end, speeds)
    assert out[begin - 1] == first
    assert out[end - 1] == pytest.approx(last)
    inside = out[begin - 1 : end]
    assert np.all(np.diff(inside) * np.sign(last - first) >= -1e-9)
    assert np.isnan(out[: begin - 1]).all()
    assert np.isnan(out[end:]).all()


def test_a_speed_adds_up() -> None:
    assert at_speed(np.full(5, 2.0), 10, 1) == pytest.approx([10, 12, 14, 16, 18])
    assert at_speed(np.full(5, 2.0), 10, 3) == pytest.approx([6, 8, 10, 12, 14])
    ramp = at_speed(np.array([0.0, 1, 2, 3]), 1, 1)  # the way under a straight line of speeds
    assert ramp == pytest.approx([1, 1.5, 3, 5.5])
    assert between_ends(4, 1, 10, 1, 4) == pytest.approx([1, 4, 7, 10])


def test_the_middle_is_held_and_the_ends_run_as_they_were() -> None:
    out = middle_held(12, 1, 6, 2, 11, 3)
    assert out[1:11] == pytest.approx([1, 2, 3, 3, 3, 3, 3, 4, 5, 6])
    assert np.isnan(out[[0, 11]]).all()
    assert middle_held(6, 1, 6, 1, 6, 3) == pytest.approx([1, 2, 3, 4, 5, 6])  # just enough room
    with pytest.raises(UserError, match="nothing can be held"):
        middle_held(12, 1, 30, 2, 11, 3)
    with pytest.raises(UserError, match="none of those"):
        middle_held(12, 4, 6, 2, 11, 3)


def test_photos_are_held_for_some_frames_each() -> None:
    out = photos(11, 1, 3, 2, 3)
    assert out[1:10] == pytest.approx([1, 1, 1, 2, 2, 2, 3, 3, 3])
    assert np.isnan(out[[0, 10]]).all()


def test_outside_its_cues_nothing_is_seen_or_its_ends_are_held() -> None:
    line = at_speed(np.ones(8), 1, 3)  # -1 0 1 2 3 4 5 6
    cut = seen(line, 1, 3, 3, 7, BEFORE_NOTHING, BEFORE_NOTHING)
    np.testing.assert_array_equal(cut, [NAN, NAN, 1, 2, 3, NAN, NAN, NAN])
    held = seen(line, 1, 3, 3, 7, BEFORE_HELD, BEFORE_HELD)
    np.testing.assert_array_equal(held, [1, 1, 1, 2, 3, 3, 3, 3])
    np.testing.assert_array_equal(seen(line, 1, 9, 3, 5, BEFORE_HELD, BEFORE_NOTHING), [1, 1, 1, 2, 3, NAN, NAN, NAN])
    assert line[0] == -1  # what came in is unchanged


def test_an_end_before_the_beginning_is_refused() -> None:
    with pytest.raises(UserError, match="set the end later"):
        between_ends(10, 1, 5, 4, 4)
    with pytest.raises(UserError, match="no way at all"):
        between_ends(10, 1, 5, 2, 8, np.zeros(10))
