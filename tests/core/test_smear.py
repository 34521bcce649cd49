"""Following through motion blur, against made clips whose truth is exact."""

from __future__ import annotations

import numpy as np
import pytest
from pointclips import Clip, clip, texture

from transmixis.core.errors import Cancelled
from transmixis.core.motion import follow as following
from transmixis.core.motion.follow import Way, follow
from transmixis.core.motion.frame import Frame, streak
from transmixis.core.motion.level import Laid
from transmixis.core.motion.motion import moved_points
from transmixis.core.motion.point import about_point
from transmixis.core.motion.smear import Shutter, _bend, _moves, _share, smeared, through_blur
from transmixis.core.progress import Progress

STILL = Way(np.eye(3), np.eye(3))


@pytest.fixture(scope="module", params=[(4, 0.75), (9, 0.4)])
def blurred(request: pytest.FixtureRequest) -> tuple[Clip, float]:
    seed, shutter = request.param
    return clip(seed, frames=16, fast=15.0, shutter=shutter, points=3, noise=1.0), shutter


def errors(c: Clip) -> np.ndarray:
    """px, of all points from the sharpest frame on, one way and the other."""
    out = []
    ref = int(np.argmin(c.blur))
    for k in range(c.truth.shape[1]):
        pattern = about_point(c.frames[ref], c.truth[ref, k], 18)
        for order in (range(ref + 1, len(c.frames)), range(ref - 1, -1, -1)):
            found, _ = follow(pattern, lambda i: c.frames[i], order, STILL, 30)
            assert not any(f.lost for f in found)
            out += [moved_points(f.matrix, c.truth[ref, k])[0] - c.truth[i, k] for i, f in zip(order, found, strict=True)]
    return np.hypot(*np.array(out).T)


def test_blurred_frames_are_followed_to_a_twentieth_of_a_pixel(
    blurred: tuple[Clip, float], monkeypatch: pytest.MonkeyPatch
) -> None:
    off = errors(blurred[0])
    assert off.mean() < 0.05
    assert off.max() < 0.2
    monkeypatch.setattr(following, "through_blur", lambda surface, frames, found, before, lay, shutter, *_: (found, shutter))
    assert errors(blurred[0]).mean() > 2 * off.mean()  # what it is good for


def test_a_bent_path_is_told_at_the_middle_of_the_exposure() -> None:
    """Three places of a thrown thing: with the shutter open all the time the smear's mean lies a / 24 beside its middle (the mean of
    a t² / 2 for t from -1/2 to 1/2), and with it open for half of the time a quarter of that."""
    at = np.array([[0.0, 0.0], [10.0, 1.0], [22.4, 2.0]])
    assert _bend(at, 1.0) == pytest.approx((2.4 / 24, 0))
    assert _bend(at, 0.5) == pytest.approx((0.6 / 24, 0))
    assert _bend(at * [np.nan, 1], 1.0) == (0, 0)
    assert _bend(at * 30, 1.0) == (0, 0)  # no bend but a leap
    pattern = about_point(texture(8, 120), np.array([60.0, 60.0]), 14)
    xs = [0.0, 20, 38, 54, 68]  # slower by 2 px with every frame
    found = [Laid(np.array([[1, 0, x], [0, 1, 0], [0, 0, 1.0]]), alike=0.9) for x in xs]
    told, shutter = through_blur(pattern, range(4), found[1:], np.eye(3), lambda s, n, m: Laid(m, alike=0.1), Shutter(0.6))
    assert shutter == Shutter(0.6, pytest.approx((-2 * 0.36 / 24, 0)))
    assert [f.matrix[0, 2] for f in told] == pytest.approx(xs[1:], abs=1e-9)  # all bend alike, the reference too
    later, after = through_blur(pattern, range(3), found[2:], found[1].matrix, lambda s, n, m: Laid(m, alike=0.1), shutter)
    assert after == shutter
    assert [f.matrix[0, 2] for f in later] == pytest.approx(xs[2:], abs=1e-9)
    alone, _ = through_blur(
        pattern, range(3), found[2:], found[1].matrix, lambda s, n, m: Laid(m, alike=0.1), Shutter(0.6, (0.0, 0.0))
    )
    assert [f.matrix[0, 2] for f in alone] == pytest.approx([x + 0.03 for x in xs[2:]], abs=1e-9)


def test_the_shutters_share_is_found(blurred: tuple[Clip, float]) -> None:
    c, shutter = blurred
    ref = int(np.argmin(c.blur))
    pattern = about_point(c.frames[ref], c.truth[ref, 0], 18)
    order = list(range(ref + 1, len(c.frames))) or list(range(ref - 1, -1, -1))
    told: list[float] = []

    def look(*args: object) -> float:
        told.append(_share(*args))  # type: ignore[arg-type]
        return told[-1]

    with pytest.MonkeyPatch.context() as m:
        m.setattr("transmixis.core.motion.smear._share", look)
        follow(pattern, lambda i: c.frames[i], order, STILL, 30)
    assert told == [pytest.approx(shutter, abs=0.12)]


def test_what_stands_is_left_alone() -> None:
    still = texture(3, 120)[::1, ::1]
    pattern = about_point(still, np.array([60.0, 60.0]), 14)
    found, _ = follow(pattern, lambda i: still, range(4), STILL, 10)
    assert not pattern._smears
    for f in found:
        assert f.matrix == pytest.approx(np.eye(3), abs=1e-4)


@pytest.mark.parametrize(("x", "y"), [(6.0, 0.0), (0.0, -9.5), (4.0, 7.0), (-12.0, 3.0), (0.0, 0.0)])
def test_astreak_is_a_line_of_its_length(x: float, y: float) -> None:
    """A line's second moments are length² / 12; reading between pixels adds a sixth at most."""
    k = streak(x, y)
    v, u = np.mgrid[: k.shape[0], : k.shape[1]] - k.shape[0] // 2
    assert k.sum() == pytest.approx(1)
    assert ((k * u).sum(), (k * v).sum()) == pytest.approx((0, 0), abs=1e-6)
    assert (k * u * u).sum() == pytest.approx(x * x / 12, abs=0.26)
    assert (k * v * v).sum() == pytest.approx(y * y / 12, abs=0.26)
    assert (k * u * v).sum() == pytest.approx(x * y / 12, abs=0.05)


def test_the_smear_turns_with_the_thing() -> None:
    """What moves to the right in a frame where the thing stands on its side is a smear along its height."""
    pattern = about_point(texture(8, 120), np.array([60.0, 60.0]), 14)
    side = np.array([[0.0, 1, 0], [-1, 0, 120], [0, 0, 1]])  # a quarter turn about the middle
    smeared(pattern, side, np.array([8.0, 0.0]))
    assert [tuple(abs(v) for v in k) for k in pattern._smears] == [(0.0, 8.0)]
    twice = np.diag([2.0, 2.0, 1.0])
    smeared(pattern, twice, np.array([8.0, 0.0]))
    assert (4.0, 0.0) in pattern._smears
    smeared(pattern, np.eye(3), np.array([900.0, 0.0]))
    assert max(k[0] for k in pattern._smears) == 80.0


def test_pictures_of_one_channel_are_smeared_too() -> None:
    grey = texture(8, 120)[..., :1]
    pattern = about_point(grey, np.array([60.0, 60.0]), 14)
    colour = about_point(np.repeat(grey, 3, axis=2), np.array([60.0, 60.0]), 14)
    one, three = (p.smeared(np.array([6.0, 2.0])).levels[-1].looks.values for p in (pattern, colour))
    assert one[:, 0] == pytest.approx(three[:, 0], abs=1e-6)


def test_moves_are_taken_from_both_sides_and_over_no_gap() -> None:
    pattern = about_point(texture(8, 120), np.array([60.0, 60.0]), 14)

    def at(x: float) -> Laid:
        return Laid(np.array([[1, 0, x], [0, 1, 0], [0, 0, 1.0]]))

    found = [at(2.0), at(6.0), Laid(np.eye(3), why="lost"), at(20.0), at(25.0)]
    moves = _moves(pattern, found, np.eye(3))
    assert moves[:, 0] == pytest.approx([3, 4, 0, 5, 5])
    assert moves[:, 1] == pytest.approx(0)
    after_a_gap = _moves(pattern, found[:2], np.full((3, 3), np.nan))
    assert after_a_gap[:, 0] == pytest.approx([4, 4])


def test_where_a_smear_fits_worse_what_was_found_stands() -> None:
    pattern = about_point(texture(8, 120), np.array([60.0, 60.0]), 14)
    at = [Laid(np.array([[1, 0, 24.0 * i], [0, 1, 0], [0, 0, 1.0]]), alike=0.9) for i in range(1, 4)]
    aside = np.array([[1, 0, 3.0], [0, 1, 0], [0, 0, 1]])
    for looked in (Laid(aside, alike=0.7), Laid(aside, alike=0.95, why="lost")):
        told, _ = through_blur(pattern, range(1, 4), at, np.eye(3), lambda s, n, m: looked, Shutter(0.5))  # noqa: B023
        assert [f.matrix[0, 2] for f in told] == pytest.approx([24, 48, 72])
    better, _ = through_blur(pattern, range(1, 4), at, np.eye(3), lambda s, n, m: Laid(aside, alike=0.95), Shutter(0.5))
    assert [f.matrix[0, 2] for f in better] == pytest.approx([3, 3, 3], abs=0.05)


def test_a_smear_that_leaves_nothing_to_see_is_no_error() -> None:
    pattern = about_point(texture(8, 120), np.array([60.0, 60.0]), 6)
    found = smeared(pattern, np.eye(3), np.array([80.0, 0.0])).lay(
        Frame(np.full((120, 120, 3), 0.2), pattern.corners, 12), np.eye(3)
    )
    assert found.lost


def test_looking_through_blur_can_be_called_off(blurred: tuple[Clip, float]) -> None:
    c, _ = blurred
    ref = int(np.argmin(c.blur))
    pattern = about_point(c.frames[ref], c.truth[ref, 0], 18)
    order = list(range(ref + 1, len(c.frames))) or list(range(ref - 1, -1, -1))
    seen: list[str] = []

    class Once(Progress):
        def at(self, done: int, of: int, words: str = "") -> None:
            seen.append(words)
            if "blur" in words:
                raise Cancelled

    with pytest.raises(Cancelled):
        follow(pattern, lambda i: c.frames[i], order, STILL, 30, Once())
    assert len(seen) == len(order) + 1
