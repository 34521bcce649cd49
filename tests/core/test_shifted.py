"""Which moment of a take shows a place: one shift where it will do, a looped stretch where it will not, and nothing where no moment shows it."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from transmixis.core.errors import UserError
from transmixis.core.repair.shifted import CELL, OVER, SHORTEST, cells_of, planned


def cells(hidden: list[list[int]], many: int = 12) -> np.ndarray:
    out = np.zeros((len(hidden), many), bool)
    for n, row in enumerate(hidden):
        out[n, row] = True
    return out


def test_the_shortest_shift_is_taken() -> None:
    """Somebody stands there for four frames of twenty: four frames later, or earlier, it is bare."""
    plan = planned(cells([[3, 4] if 6 <= n < 10 else [] for n in range(20)]))
    assert plan.first[6:10].tolist() == [11, 12, 13, 14]
    assert (plan.first[:6] == 0).all()
    assert (plan.second == 0).all()
    assert plan.words == "4 frames later"
    late = planned(cells([[3, 4] if n >= 14 else [] for n in range(20)]))
    assert late.first[14:].tolist() == [9, 10, 11, 12, 13, 14]
    assert late.words == "6 frames earlier"


def test_a_stretch_is_looped_where_no_shift_will_do() -> None:
    hidden = [[3] if n < 25 else [] for n in range(40)]
    plan = planned(cells(hidden))
    period = 15 - OVER
    assert "frames 26 to 40 looped" in plan.words
    assert plan.first[0] == 26
    assert plan.first[period] == 26
    used = plan.first[plan.first > 0]
    assert used.min() >= 26
    assert used.max() <= 40
    assert (plan.second[plan.share > 0] <= 40).all()
    # at the seam what went on before goes over into the beginning
    assert plan.second[period] == plan.first[period - 1] + 1
    assert 0 < plan.share[period + OVER - 1] < plan.share[period] < 1
    assert plan.share[period - 1] == 0


def test_frames_that_cannot_be_read_are_not_taken() -> None:
    rows = cells([[3, 4] if 6 <= n < 10 else [] for n in range(20)])
    usable = np.ones(20, bool)
    usable[11] = False  # four frames later would need it
    plan = planned(rows, usable)
    assert plan.words == "4 frames earlier"
    assert 12 not in plan.first


def test_where_nothing_can_move_says_what_else() -> None:
    with pytest.raises(UserError, match="a neighbour, or a clean take"):
        planned(cells([[3]] * 20))
    nothing = planned(cells([[]] * 4))
    assert (nothing.first == 0).all()


@settings(deadline=None, max_examples=60)
@given(st.lists(st.booleans(), min_size=2, max_size=40))
def test_no_frame_is_taken_from_where_the_place_is_hidden(there: list[bool]) -> None:
    rows = cells([[2, 3] if t else [] for t in there])
    try:
        plan = planned(rows)
    except UserError:
        clear = "".join("." if t else "x" for t in there)
        assert "x" * SHORTEST not in clear
        return
    for n, t in enumerate(there):
        for source, counts in ((plan.first[n], True), (plan.second[n], plan.share[n] > 0)):
            if t and counts:
                assert not there[source - 1]
        assert (plan.first[n] > 0) == t


def test_cells_touch_their_neighbours() -> None:
    mask = np.zeros((8 * CELL, 10 * CELL), bool)
    mask[3 * CELL, 4 * CELL] = True
    got = cells_of(mask).reshape(8, 10)
    assert got.sum() == 9
    assert got[3, 4]
    assert not cells_of(np.zeros_like(mask)).any()
