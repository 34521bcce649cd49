"""The patch's own view: a line through the mend, laid along with the background, rows below each other with their changes made stronger."""

from __future__ import annotations

import numpy as np
import pytest

from transmixis.core.repair.strip import PLACES, ROOM, STRONGER, line_through, row_of, stacked


def test_the_line_goes_along_the_longer_side() -> None:
    gone = np.zeros((100, 160), bool)
    assert line_through(gone) is None
    gone[40:50, 30:110] = True
    level = line_through(gone)
    assert level is not None
    assert level.shape == (PLACES, 2)
    assert np.ptp(level[:, 1]) == 0
    assert level[0, 1] == pytest.approx(45)
    assert level[0, 0] == pytest.approx(30 - 80 * ROOM - 4)
    assert level[-1, 0] == pytest.approx(110 + 80 * ROOM + 4)
    upright = line_through(gone.T)
    assert upright is not None
    np.testing.assert_allclose(upright, level[:, ::-1])


def test_a_row_follows_the_background() -> None:
    """A ramp that moves to the right reads the same along a line that moves with it."""
    x = np.arange(200, dtype=np.float32)
    ramp = np.repeat((0.1 + 0.002 * x)[None, :, None], 60, 0).repeat(3, 2)
    line = np.stack([np.linspace(40, 120, PLACES), np.full(PLACES, 30.0)], 1)
    still = row_of(np.ascontiguousarray(ramp), line, np.eye(3))
    moved = row_of(np.ascontiguousarray(np.roll(ramp, 12, axis=1)), line, np.array([[1, 0, 12], [0, 1, 0], [0, 0, 1.0]]))
    np.testing.assert_allclose(moved, still, atol=0.05)
    assert (np.diff(still[:, 0]) > 0).all()
    other = row_of(np.ascontiguousarray(np.roll(ramp, 12, axis=1)), line, np.eye(3))
    assert np.abs(other - still).min() > 1
    bright = ramp.copy()
    bright[31] += 0.3  # one row of the three that are averaged
    third = row_of(np.ascontiguousarray(bright), line, np.eye(3))
    assert (third > still + 5).all()


def test_changes_are_shown_stronger_about_what_is_usual() -> None:
    rows = {2: np.full((PLACES, 3), 100.0), 3: np.full((PLACES, 3), 100.0), 5: np.full((PLACES, 3), 104.0)}
    out, known = stacked(rows, 6)
    assert known.tolist() == [False, True, True, False, True, False]
    assert (out[1] == 100).all()
    assert (out[4] == 100 + STRONGER * 4).all()
    assert (out[0] == 0).all()
    none, nothing = stacked({}, 3)
    assert none.shape == (3, PLACES, 3)
    assert not nothing.any()
