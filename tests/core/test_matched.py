"""An outline laid on a matte's border: it keeps its points to their stuff, adds what its curve lacks, and takes the right ring."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from transmixis.core.matte.outline import marks_of, xy
from transmixis.core.roto.fitted import fitted, is_hole, rings_of
from transmixis.core.roto.matched import laid, nearest_ring
from transmixis.core.roto.soft import softened

H, W = 240, 320
ANGLES = np.linspace(0, 2 * np.pi, 400, endpoint=False)


def thing(turn: float = 0.0, size: float = 1.0, shift: tuple[float, float] = (0.0, 0.0)) -> np.ndarray:
    """A lobed thing that can be told at every turn, (400, 2) px."""
    r = size * (60 + 14 * np.cos(3 * ANGLES) + 8 * np.sin(5 * ANGLES))
    x, y = 1.2 * r * np.cos(ANGLES), r * np.sin(ANGLES)
    c, s = np.cos(turn), np.sin(turn)
    return np.stack([160 + c * x - s * y + shift[0], 120 + s * x + c * y + shift[1]], 1)


def matte_of(*lines: np.ndarray) -> np.ndarray:
    return np.max([softened(line, np.zeros(1), np.zeros(1), H, W) for line in lines], axis=0)


def pinned() -> tuple[tuple[tuple[int, float, float], ...], np.ndarray]:
    """An outline of few points round the thing, with identities of its own, and where its points are on the thing."""
    points = fitted(matte_of(thing()), 0.75)[0].points
    marks = tuple((10 + 3 * i, float(x), float(y)) for i, (x, y) in enumerate(points))
    return marks, np.array([int(np.hypot(*(thing() - p).T).argmin()) for p in points])


@settings(max_examples=15, deadline=None)
@given(
    turn=st.floats(-0.25, 0.25),
    size=st.floats(0.9, 1.15),
    dx=st.floats(-8, 8),
    dy=st.floats(-8, 8),
    back=st.booleans(),
    at=st.integers(0, 399),
)
def test_points_stay_on_their_stuff(turn: float, size: float, dx: float, dy: float, back: bool, at: int) -> None:
    marks, own = pinned()
    moved = thing(turn, size, (dx, dy))
    ring = np.roll(rings_of(matte_of(moved))[0], at, axis=0)
    done = laid(marks, np.zeros(len(marks), bool), ring[::-1] if back else ring)
    found = {m[0]: np.array(m[1:]) for m in done.marks}
    slip = [float(np.hypot(*(found[m[0]] - moved[k]))) for m, k in zip(marks, own, strict=True)]
    assert np.mean(slip) < 1.5
    assert max(slip) < 5
    assert done.worst <= 0.75
    assert 0 < done.mean < 0.5
    there = xy(done.marks)
    assert (
        np.hypot(*(there[:, None] - ring[None]).transpose(2, 0, 1)).min(axis=1).max() < 0.75
    )  # all on the border, whose places lie up to 1.4 px apart


def test_a_corner_that_was_not_there_gets_points_of_its_own() -> None:
    marks, _ = pinned()
    dent = matte_of(thing())
    dent[100:112, 150:] = 0
    ring = rings_of(dent)[0]
    done = laid(marks, np.zeros(len(marks), bool), ring, 1.0, taken=(500,))
    ids = [m[0] for m in done.marks]
    assert len(set(ids)) == len(ids)
    assert {m[0] for m in marks} < set(ids)
    new = [i for i in ids if i not in {m[0] for m in marks}]
    assert min(new) > 500
    old = [i for i in ids if i in {m[0] for m in marks}]
    assert old == [m[0] for m in marks]  # in their order
    # those that were added stand at the dent, between their neighbours along the border
    assert all(90 < y < 122 or x > 145 for i, x, y in done.marks if i in new)
    order = [int(np.hypot(*(ring - p).T).argmin()) for p in xy(done.marks)]
    steps = np.diff([*order, order[0]])
    assert (steps < 0).sum() == 1 or (steps > 0).sum() == 1  # once round


def test_the_ring_is_the_near_one_of_its_kind() -> None:
    marks, _ = pinned()
    small = np.stack([40 + 20 * np.cos(ANGLES), 40 + 20 * np.sin(ANGLES)], 1)
    matte = matte_of(thing(), small)
    matte[118:132, 150:166] = 0  # a hole
    rings = rings_of(matte)
    assert [is_hole(r) for r in rings] == [False, False, True]
    assert nearest_ring(marks, rings, False) == 0
    assert nearest_ring(marks_of(small[::40].tolist()), rings, False) == 1
    assert nearest_ring(marks_of([(150.0, 118), (166.0, 118), (166.0, 132), (150.0, 132)]), rings, True) == 2
    assert nearest_ring(marks_of([(300.0, 20), (310.0, 20), (305.0, 28)]), rings, False) is None
    assert nearest_ring(marks, rings[:2], True) is None


@pytest.mark.parametrize("size", [0.3, 4.0])
def test_what_cannot_be_laid_over_still_ends_on_the_border(size: float) -> None:
    marks, _ = pinned()
    ring = rings_of(matte_of(np.stack([160 + 15 * size * np.cos(ANGLES), 120 + 15 * size * np.sin(ANGLES)], 1)))[0]
    done = laid(marks, np.zeros(len(marks), bool), ring)
    assert np.isfinite(xy(done.marks)).all()
    assert done.worst < 2
    assert [m[0] for m in done.marks if m[0] in {k[0] for k in marks}] == [m[0] for m in marks]
