"""Joined takes: the jump that is left, light and place, what each frame shows."""

from __future__ import annotations

import numpy as np
import pytest
from jointakes import COUNT, PAIRS, Off, takes

from transmixis.core.build.joining import Cut, Fitted, Joined, fitted, jump, stirs
from transmixis.core.errors import UserError

CUT = Cut(12, 13, 5, 3, COUNT)


@pytest.mark.parametrize("name", sorted(PAIRS))
def test_the_jump_falls_to_a_third_at_most(name: str) -> None:
    a, b = takes(PAIRS[name])
    hard = [*a[:12], *b[12:]]
    where = stirs(hard[6:18])
    joined = Joined(lambda n: a[n - 1], lambda n: b[n - 1], CUT)
    soft = [joined.at(n) for n in range(1, COUNT + 1)]
    own = float(np.median([jump(a[n - 1], a[n], a[n + 1], where) for n in range(4, 20)]))
    worst_hard = max(jump(*hard[n - 1 : n + 2], where) for n in range(6, 17)) - own
    worst_soft = max(jump(*soft[n - 1 : n + 2], where) for n in range(6, 17)) - own
    print(name, own, worst_hard, worst_soft, worst_soft / worst_hard)
    assert worst_soft <= worst_hard / 3
    assert np.array_equal(soft[3], a[3])  # before the warp nothing is touched


def test_the_second_take_is_brought_to_place_size_and_light() -> None:
    off = Off(shift=(0, 0), turn=0, phase=0, camera=(4.0, -2.5), grow=1.02, light=(0.9, 0.95, 1.05))
    a, b = takes(off)
    how = fitted(a[12], b[12])
    assert how.gain == pytest.approx(1 / np.array(off.light), abs=0.01)
    corner = how.matrix @ np.array([120 + 4.0, 90 - 2.5, 1])
    assert corner[:2] / corner[2] == pytest.approx([120, 90], abs=0.25)
    assert np.sqrt(np.linalg.det(how.matrix[:2, :2])) == pytest.approx(1 / 1.02, abs=0.002)


def test_takes_that_are_one_are_left_as_they_are() -> None:
    a, _ = takes(Off())
    how = fitted(a[5], a[5])
    assert np.array_equal(how.matrix, np.eye(3))
    assert how.gain == pytest.approx([1, 1, 1])


def test_every_frame_says_what_it_shows() -> None:
    same = Fitted(np.eye(3), np.ones(3, np.float32))
    plain = Joined(
        lambda n: np.full((20, 20, 3), n / 100, np.float32),
        lambda n: np.full((20, 20, 3), n / 100, np.float32),
        Cut(4, 9, 0, 0, 10),
        same,
    )
    assert [plain.takes(n) for n in (4, 5)] == [(4, 0, 0.0), (0, 9, 1.0)]
    assert plain.at(5)[0, 0, 0] == pytest.approx(0.09)
    blended = Joined(plain.one, plain.other, Cut(4, 9, 0, 2, 10), same)
    assert blended.takes(3) == (3, 0, 0.0)
    assert blended.takes(4) == (4, 8, pytest.approx(1 / 3))
    assert blended.takes(5) == (5, 9, pytest.approx(2 / 3))
    assert blended.takes(6) == (0, 10, 1.0)
    end = Joined(plain.one, plain.other, Cut(10, 1, 0, 3, 10), same)
    assert end.takes(11) == (0, 1, 1.0)  # the first take has no frame to blend
    with pytest.raises(UserError, match="no such frames"):
        Joined(plain.one, plain.other, Cut(12, 1, 0, 3, 10), same)
