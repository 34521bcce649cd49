"""A pattern beside itself: laid back onto its reference, lit as there, and what is left."""

from __future__ import annotations

import numpy as np
import pytest
from walls import seen_through, wall

from transmixis.core.motion.frame import Frame
from transmixis.core.motion.level import CELLS
from transmixis.core.motion.surface import Surface
from transmixis.core.motion.views import LEFT_TIMES, pattern_views

AT, HALF = np.array([80.5, 60.5]), 9
WAY = np.array([[1.05, 0.06, 3.0], [-0.06, 1.05, -2.0], [0, 0, 1.0]])


def test_what_is_found_looks_like_the_reference_whatever_its_light() -> None:
    picture = wall(5, (120, 160))
    lit = 0.6 * seen_through(picture, WAY) + 0.05
    views = pattern_views(picture, AT, HALF, lit, WAY)
    assert views is not None
    assert views.found is not None
    assert views.left is not None
    assert views.reference.shape == views.found.shape == views.left.shape == (19, 19, 3)
    assert views.reference == pytest.approx(picture[51:70, 71:90], abs=1e-5)
    assert np.abs(views.found - views.reference).mean() < 0.01
    grey = views.reference.mean()
    assert np.abs(views.left - grey).mean() < 0.02
    other = pattern_views(picture, AT, HALF, lit, WAY @ np.array([[1, 0, 2], [0, 1, 0], [0, 0, 1.0]]))
    assert other is not None
    assert other.left is not None
    assert other.found is not None
    assert np.abs(other.left - grey).mean() > 5 * np.abs(views.left - grey).mean()  # off by two px it is seen
    inner = np.s_[2:-2, 2:-2]
    assert other.left[inner] == pytest.approx(np.maximum(grey + LEFT_TIMES * (other.found - other.reference)[inner], 0), abs=0.05)


def test_at_its_reference_alone_and_at_the_border() -> None:
    picture = wall(5, (120, 160))
    views = pattern_views(picture, AT, HALF)
    assert views is not None
    assert views.found is None
    assert pattern_views(picture, np.array([-20.0, 40]), HALF) is None
    gone = pattern_views(picture, AT, HALF, picture, np.array([[1, 0, 400.0], [0, 1, 0], [0, 0, 1]]))
    assert gone is not None
    assert gone.found is None
    flat = pattern_views(np.full_like(picture, 0.3), AT, HALF, picture, np.eye(3))
    assert flat is not None
    assert np.isfinite(flat.left).all()  # type: ignore[arg-type]


@pytest.mark.parametrize("side", [70, 130])  # lit alike all over, and evened from place to place
def test_where_something_is_before_a_surface_is_known(side: int) -> None:
    picture = wall(6, (200, 240))
    corners = np.array([[40.0, 30], [40 + side, 30], [40 + side, 30 + side], [40, 30 + side]])
    mask = np.zeros(picture.shape[:2], np.float32)
    mask[30 : 30 + side, 40 : 40 + side] = 1
    surface = Surface(picture, corners, mask, "affine")
    seen = picture.copy()
    half = side // 2
    seen[30 : 30 + half, 40 : 40 + half] = wall(9, (200, 240))[30 : 30 + half, 40 : 40 + half] + 0.3
    laid = surface.lay(Frame(seen, corners, 12), np.eye(3))
    assert laid.seen_where is not None
    assert laid.seen_where.shape == (CELLS, CELLS)
    covered = laid.seen_where[: CELLS // 2 - 1, : CELLS // 2 - 1]
    free = laid.seen_where[CELLS // 2 + 1 :, CELLS // 2 + 1 :]
    assert np.nanmean(covered) < 0.25
    assert np.nanmean(free) > 0.7
