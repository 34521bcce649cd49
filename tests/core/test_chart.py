"""Lenses from chessboards, drawn through a known lens."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from transmixis.core.errors import UserError
from transmixis.core.solve.chart import Lens, board_corners, lens_of, seen

LENS = Lens(620.0, (322.0, 238.5), -0.2, 0.06, -0.01, 0.001, -0.0008)
FLAT = np.array([(x, y, 0.0) for y in range(6) for x in range(9)])
POSES = [
    np.array([*turn, x, y, z])
    for turn, x, y, z in (
        ((0.4, 0.1, 0.0), -4, -2.5, 11), ((-0.4, 0.2, 0.1), -4.5, -3, 12), ((0.1, 0.5, -0.1), -3, -2, 12),
        ((0.1, -0.5, 0.2), -4, -2, 10), ((0.3, 0.3, 1.2), 1, -4, 13), ((-0.2, -0.3, -0.3), -5, -1, 10),
    )
]  # fmt: skip


def test_where_points_are_seen_is_opencvs() -> None:
    p = LENS
    want, _ = cv2.projectPoints(
        FLAT, POSES[0][:3], POSES[0][3:], np.array([[p.focal, 0, p.middle[0]], [0, p.focal, p.middle[1]], [0, 0, 1]]),
        np.array([p.k1, p.k2, p.p1, p.p2, p.k3]),
    )  # fmt: skip
    assert seen(p.numbers(), FLAT, POSES[0]) == pytest.approx(want.reshape(-1, 2), abs=1e-9)


def test_a_lens_is_found_again() -> None:
    made = lens_of([seen(LENS.numbers(), FLAT, p) for p in POSES], 9, 6, (640, 480))
    assert made.numbers()[:3] == pytest.approx(LENS.numbers()[:3], abs=1e-3)
    assert made.numbers()[3:] == pytest.approx(LENS.numbers()[3:], abs=1e-4)
    assert made.error < 1e-4
    assert len(made.errors) == len(POSES)
    rng = np.random.default_rng(1)
    noisy = lens_of([seen(LENS.numbers(), FLAT, p) + 0.1 * rng.standard_normal((54, 2)) for p in POSES], 9, 6, (640, 480))
    assert noisy.focal == pytest.approx(620, rel=5e-3)
    assert noisy.error == pytest.approx(0.1 * np.sqrt(np.pi / 2), rel=0.2)  # the mean length of such errors


def test_what_tells_no_lens_is_said() -> None:
    boards = [seen(LENS.numbers(), FLAT, p) for p in POSES]
    with pytest.raises(UserError, match="in 2 stills"):
        lens_of(boards[:2], 9, 6, (640, 480))
    head_on = [seen(Lens(620.0, (320.0, 240.0)).numbers(), FLAT, np.array([0, 0, 0, -4, -2.5, z])) for z in (9.0, 11.0, 13.0)]
    with pytest.raises(UserError):
        lens_of(head_on, 9, 6, (640, 480))


def test_corners_of_a_drawn_board() -> None:
    board = np.full((260, 340), 1.0, np.float32)
    for y in range(7):
        for x in range(10):
            if (x + y) % 2 == 0:
                board[25 + 30 * y : 55 + 30 * y, 20 + 30 * x : 50 + 30 * x] = 0.03
    found = board_corners(np.repeat(board[..., None], 3, axis=2), 9, 6)
    assert found is not None
    # corners lie between pixels, where a position is a whole number
    want = np.array([(50 + 30 * x, 55 + 30 * y) for y in range(6) for x in range(9)], float)
    order = found if found[0, 1] < found[-1, 1] else found[::-1]
    assert order == pytest.approx(want, abs=0.1)
    assert board_corners(np.full((100, 100, 3), 0.5, np.float32), 9, 6) is None
