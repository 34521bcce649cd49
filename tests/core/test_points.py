"""Points pressed on: pattern size, blurred references, painted marks; against made clips whose truth is exact."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from pointclips import Clip, clip

from transmixis.core.errors import UserError
from transmixis.core.motion.level import Laid
from transmixis.core.motion.mark import Mark, follow_mark
from transmixis.core.motion.motion import moved_points
from transmixis.core.motion.point import _sharpest, follow_points, follow_presses, proposed_half
from transmixis.core.progress import Progress

RED = (0.9, 0.05, 0.1)


def look(c: Clip) -> Callable[[int], np.ndarray]:
    return lambda i: c.frames[i]


def off(found: list[Laid], c: Clip, k: int, ref: int) -> np.ndarray:
    """px, nan where lost."""
    at = [(np.nan, np.nan) if f.lost else moved_points(f.matrix, c.truth[ref, k])[0] for f in found]
    return np.hypot(*(np.array(at) - c.truth[:, k]).T)


@pytest.fixture(scope="module")
def everything() -> Clip:
    return clip(10, frames=24, fast=20.0, shutter=0.75, turn=12.0, light=0.3, hidden=True, points=3)


def test_through_everything_at_once_none_is_lost_and_none_claimed(everything: Clip) -> None:
    c = everything
    ref = int(np.argmin(c.blur + 1e3 * ~c.shown.all(axis=1)))
    for k, found in enumerate(follow_presses(look(c), list(c.truth[ref]), [20] * 3, ref, len(c.frames))):
        e = off(found, c, k, ref)
        assert np.isfinite(e[c.shown[:, k]]).all()
        assert e[c.shown[:, k]].mean() < 0.06
        assert not (e[~c.shown[:, k]] > 1).any()  # nan: said to be hidden


def test_a_blurred_reference_gives_way_to_a_sharp_frame(everything: Clip) -> None:
    c = everything
    ref = int(np.argmax(np.where(c.shown.all(axis=1), c.blur, 0)))
    assert c.blur[ref] > 8
    (found,) = follow_presses(look(c), [c.truth[ref, 0]], [20], ref, len(c.frames))
    e = off(found, c, 0, ref)
    assert found[ref].matrix == pytest.approx(np.eye(3))
    assert np.nanmean(e) < 0.12
    assert np.nanmedian(found[ref].error + np.zeros(1)) > 0  # how well the reference itself is known counts


def test_the_sharpest_frame_is_looked_for_only_where_it_helps() -> None:
    at = np.cumsum([0, 10, 10, 8, 3, 1, 1.5])
    found = [Laid(np.array([[1, 0, x], [0, 1, 0], [0, 0, 1.0]]), alike=0.95) for x in at]
    place = np.array([50.0, 50.0])
    assert _sharpest(found, place, 1, 0.5) == 5
    assert _sharpest(found, place, 1, None) is None  # nothing is known of the shutter
    assert _sharpest(found, place, 5, 0.5) is None  # it is the sharpest
    assert _sharpest(found, place, 1, 0.2) is None  # 2 px of smear
    assert _sharpest(found[:2], place, 0, 0.5) is None
    lost = [*found[:5], Laid(found[5].matrix, why="lost"), found[6]]
    assert _sharpest(lost, place, 1, 0.5) is None  # beside a gap no speed is known, and the next is not sharp enough
    unlike = [Laid(f.matrix, alike=0.5) for f in found]
    assert _sharpest(unlike, place, 1, 0.5) is None


def test_a_pattern_grows_until_what_lies_behind_is_in_it() -> None:
    c = clip(3, frames=6, fast=10.0, shutter=0.3, points=1)
    ref = 2
    inside = c.truth[ref, 0]
    assert proposed_half(look(c), inside, ref, 6) == 20
    # at the thing's rim, the middle of its right side: the ground behind moves otherwise
    assert proposed_half(lambda i: c.frames[0], inside, 0, 1) == 20  # with one frame nothing speaks against it
    grey = np.full((120, 160, 3), 0.2, np.float32)
    with pytest.raises(UserError, match="too little"):
        proposed_half(lambda i: grey, np.array([80.0, 60.0]), 0, 3)


def test_a_small_thing_before_a_ground_that_moves_otherwise_gets_a_small_pattern() -> None:
    rng = np.random.default_rng(2)
    ground = np.clip(0.5 + 0.3 * rng.standard_normal((160, 240, 3)), 0.05, 0.9).astype(np.float32)
    thing = np.clip(0.3 + 0.08 * rng.standard_normal((17, 17, 3)), 0.05, 0.9).astype(np.float32)

    def frame(i: int) -> np.ndarray:
        out = np.roll(ground, -2 * i, axis=1).copy()
        out[70:87, 100 + 3 * i : 117 + 3 * i] = thing
        return out

    assert proposed_half(frame, np.array([108.5 + 9, 78.5]), 3, 7) in (6, 9, 13)


def test_frames_that_cannot_be_read_and_calling_off() -> None:
    c = clip(3, frames=8, fast=6.0, points=2)

    def broken(i: int) -> np.ndarray:
        if i == 5:
            raise UserError("Frame 6 is missing.")
        return c.frames[i]

    at = follow_points(broken, c.truth[0], 0, 8)
    assert np.isnan(at[5]).all()
    assert np.hypot(*(at[6] - c.truth[6]).T).max() < 0.15
    progress = Progress()
    progress.cancel()
    with pytest.raises(Exception, match="cancelled"):
        follow_points(look(c), c.truth[0], 0, 8, progress=progress)


# -- painted marks


@pytest.fixture(scope="module")
def dabbed() -> Clip:
    return clip(31, frames=20, fast=8.0, shutter=0.5, points=2, dab=RED)


def test_a_mark_is_followed_by_its_colour(dabbed: Clip) -> None:
    c = dabbed
    for k in range(2):
        mark = Mark(c.frames[0], c.truth[0, k], np.array(RED))
        found = follow_mark(mark, mark.surface(c.frames[0]), look(c), c.truth[0, k], range(1, 20), 40)
        e = off([Laid(np.eye(3)), *found], c, k, 0)
        assert np.isfinite(e).all()
        assert e[1:].mean() < 0.06
        assert np.isfinite([f.error for f in found]).all()


def test_a_press_beside_the_mark_keeps_its_offset(dabbed: Clip) -> None:
    c = dabbed
    beside = c.truth[0, 0] + (2.0, -1.0)
    mark = Mark(c.frames[0], beside, np.array(RED))
    seen = mark.find(c.frames[0], beside, 20)
    assert seen.at == pytest.approx(beside, abs=0.05)
    assert seen.alike == pytest.approx(1, abs=0.05)
    seen = mark.find(c.frames[3], c.truth[3, 0], 20)
    assert seen.at == pytest.approx(c.truth[3, 0] + (2, -1), abs=0.3)


def test_where_no_mark_is_it_is_said(dabbed: Clip) -> None:
    c = dabbed
    plain = np.full_like(c.frames[0], 0.2)
    with pytest.raises(UserError, match="of that colour"):
        Mark(plain, np.array([100.0, 100.0]), np.array(RED))
    with pytest.raises(UserError, match="outside"):
        Mark(plain, np.array([900.0, 100.0]), np.array(RED))
    mark = Mark(c.frames[0], c.truth[0, 0], np.array(RED))
    assert "colour" in mark.find(plain, np.array([100.0, 100.0]), 20).why
    assert "outside" in mark.find(plain, np.array([-300.0, 100.0]), 20).why
    found = follow_mark(
        mark, mark.surface(c.frames[0]), lambda i: plain if i in (3, 4) else c.frames[i], c.truth[0, 0], range(1, 8), 40
    )
    assert [f.lost for f in found] == [False, False, True, True, False, False, False]
