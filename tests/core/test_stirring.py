"""Where things move, told from errors and flows that are known."""

from __future__ import annotations

import numpy as np
import pytest

from transmixis.core.repair.fine import COARSEST, MOVING, lacking
from transmixis.core.repair.stirring import inner, where_moves

SIZE = (80, 120)
SEEN = np.ones(SIZE, np.float32)


def flows(left: float, right: float) -> np.ndarray:
    """Flow of so many px to either side of the middle."""
    u = np.zeros((2, *SIZE), np.float32)
    u[0, :, :60], u[0, :, 60:] = left, right
    return u


def errors(stands: tuple[float, float], carried: tuple[float, float]) -> list[tuple[np.ndarray, np.ndarray]]:
    halves = [np.repeat(np.float32([[a] * 60 + [b] * 60]), SIZE[0], 0) for a, b in (stands, carried)]
    return [(halves[0], halves[1])] * 2


def test_what_carrying_brings_nearer_moves_and_what_it_harms_stands() -> None:
    told = where_moves(errors((9, 1), (1, 9)), [flows(1.0, 1.0)] * 2, SEEN)
    assert told[:, :54].min() > 0.95
    assert told[:, 66:].max() < 0.05


def test_flow_that_grain_makes_is_no_motion() -> None:
    told = where_moves(errors((9, 9), (1, 1)), [flows(0.04, 1.0)] * 2, SEEN)
    assert told[:, :40].max() < 0.05
    assert told[:, 80:].min() > 0.95


def test_where_neither_tells_the_neighbours_do() -> None:
    """A plain place among leaves goes with them; sampling alone takes a little off the error, which proves nothing."""
    stands, carried = np.full(SIZE, 9.0, np.float32), np.ones(SIZE, np.float32)
    stands[30:50, 50:70] = 1.08
    carried[30:50, 50:70] = 1.0
    told = where_moves([(stands, carried)], [flows(1.0, 1.0)], SEEN)
    assert told[30:50, 50:70].min() > 0.9
    alone = where_moves([(np.full(SIZE, 1.1), np.ones(SIZE))], [flows(1.0, 1.0)], SEEN)
    assert alone.max() == 0


def test_a_little_more_than_sampling_takes_off_is_motion_where_nothing_speaks_against_it() -> None:
    stands, carried = np.full(SIZE, 1.35, np.float32), np.ones(SIZE, np.float32)
    assert where_moves([(stands, carried)], [flows(1.0, 1.0)], SEEN).min() > 0.9


def test_what_is_not_seen_has_no_say() -> None:
    seen = SEEN.copy()
    seen[:, 60:] = 0
    told = where_moves(errors((9, 1), (1, 9)), [flows(1.0, 1.0)] * 2, seen)
    assert told[:, 40:75].min() > 0.9


def test_a_border_tells_little_of_how_it_moves_and_a_thin_thing_a_little() -> None:
    moving = np.zeros(SIZE, np.float32)
    moving[:, :60] = 1
    moving[20:24, 90:100] = 1
    w = inner(moving)
    assert w[40, 30] == 1
    assert w[40, 57] == pytest.approx(0.05)
    assert w[22, 95] == pytest.approx(0.05)
    assert w[40, 62] == 0


def test_most_of_the_grain_is_new_as_long_as_it_does_not_become_too_coarse() -> None:
    want = np.full((200, 200, 3), 4.0, np.float32)
    for have, new in ((0.0, 1.0), (0.1, 0.9), (0.5, MOVING), (0.9, COARSEST - 0.9), (1.6, 0.0)):
        made = lacking(want, np.full_like(want, 4 * have), 3)
        assert float(made.var()) / 4 == pytest.approx(new, abs=0.03)
