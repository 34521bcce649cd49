"""Large surfaces: under glare that moves, behind somebody who walks past, after large moves; against made clips."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from pointclips import texture
from surfaceclips import SurfaceClip, surface_clip
from walls import wall

from transmixis.core.matte.shape import fill_shape
from transmixis.core.motion import fit, slopes
from transmixis.core.motion.evened import LONGER, Grid, _evened, _lessen, _longer, _ratios, _spread, in_parts
from transmixis.core.motion.features import Features, features_of, matched, perspective
from transmixis.core.motion.follow import Way, found_in
from transmixis.core.motion.frame import Frame
from transmixis.core.motion.level import Laid
from transmixis.core.motion.motion import moved_points
from transmixis.core.motion.point import follow_patterns
from transmixis.core.motion.surface import Surface


def followed(c: SurfaceClip) -> tuple[list[Laid], np.ndarray]:
    """What was found, and the mean px that the corners are off in each frame, nan where lost."""
    h, w = c.frames[0].shape[:2]
    surface = Surface(c.frames[0], c.corners, fill_shape(c.corners, h, w))
    (found,) = follow_patterns(lambda i: c.frames[i], [surface], 0, len(c.frames))
    off = [
        np.nan if f.lost else float(np.hypot(*(moved_points(f.matrix, c.corners) - moved_points(t, c.corners)).T).mean())
        for f, t in zip(found, c.truth, strict=True)
    ]
    return found, np.array(off)


@pytest.fixture(scope="module")
def hard() -> SurfaceClip:
    return surface_clip(1, (360, 640), 14)


def test_glare_and_a_passer_by_do_not_pull(hard: SurfaceClip) -> None:
    found, off = followed(hard)
    assert not any(f.lost for f in found)
    assert off[1:].mean() < 0.03
    assert np.quantile(off[1:], 0.95) < 0.06
    said = np.array([f.error for f in found[1:]])
    assert 0.2 < np.sqrt((said**2).mean() / (off[1:] ** 2).mean()) < 3


def test_a_plain_surface_is_followed_to_a_hundredth() -> None:
    _, off = followed(surface_clip(5, (270, 480), 8, glare=False, passer=False, noise=0.5))
    assert off[1:].mean() < 0.012


def test_what_an_alpha_takes_out_does_not_count(hard: SurfaceClip) -> None:
    h, w = hard.frames[0].shape[:2]
    frames = []
    for i, f in enumerate(hard.frames[:4]):
        there = np.ones((h, w), np.float32)
        there[: h // 2] = 0 if i else 1  # from the second frame on the upper half is held out
        junk = f.copy()
        if i:
            junk[: h // 2] = 0.9
        frames.append(np.dstack([junk, there]))
    surface = Surface(frames[0], hard.corners, fill_shape(hard.corners, h, w))
    (found,) = follow_patterns(lambda i: frames[i], [surface], 0, 4)
    assert not any(f.lost for f in found)
    off = [
        np.hypot(*(moved_points(f.matrix, hard.corners) - moved_points(t, hard.corners)).T).mean()
        for f, t in zip(found, hard.truth, strict=False)
    ]
    assert max(off) < 0.2
    assert 0.2 < found[2].seen < 0.7


def test_after_a_large_move_features_say_where_to_begin() -> None:
    picture = texture(9, 300)
    corners = np.array([[60.0, 60], [240, 60], [240, 240], [60, 240]])
    surface = Surface(picture, corners, fill_shape(corners, 300, 300))
    turn = cv2.getRotationMatrix2D((149.5, 149.5), 50, 0.8)
    there = cv2.warpAffine(picture, turn, (300, 300), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)
    shift = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])
    truth = shift @ np.vstack([turn, [0, 0, 1]]) @ np.linalg.inv(shift)
    found = found_in(surface, there, Way(np.eye(3), np.eye(3)), 20)
    assert not found.lost
    assert np.abs(moved_points(found.matrix, corners) - moved_points(truth, corners)).max() < 0.1
    nothing = found_in(surface, np.full_like(picture, 0.2), Way(np.eye(3), np.eye(3)), 20)
    assert nothing.lost


# -- parts


def test_features_are_matched_both_ways_and_only_where_clear() -> None:
    looks = np.zeros((4, 128), np.float32)
    looks[:, :4] = np.eye(4) * 100
    other = looks[[2, 0, 1]].copy()
    pairs = matched(Features(np.zeros((4, 2)), looks), Features(np.zeros((3, 2)), other))
    assert sorted(pairs.tolist()) == [[0, 1], [1, 2], [2, 0]]
    twice = np.vstack([other + 5, other[1:2] - 5])  # two that look alike: neither is clear
    assert [0, 1] not in matched(Features(np.zeros((4, 2)), looks), Features(np.zeros((4, 2)), twice)).tolist()
    none = Features(np.zeros((0, 2)), np.zeros((0, 128), np.float32))
    assert matched(none, none).shape == (0, 2)
    assert perspective(none, none) is None


def test_features_lie_where_they_are_seen() -> None:
    """A blob in the middle of pixel (40, 30) lies at 40.5, 30.5."""
    picture = np.full((80, 100, 3), 0.1, np.float32)
    ys, xs = np.mgrid[0:80, 0:100]
    picture += 0.6 * np.exp(-((xs - 40) ** 2 + (ys - 30) ** 2) / 18)[..., None].astype(np.float32)
    found = features_of(picture)
    near = found.places[np.argmin(np.hypot(*(found.places - (40.5, 30.5)).T))]
    assert near == pytest.approx([40.5, 30.5], abs=0.06)
    where = np.zeros((80, 100), bool)
    where[50:] = True
    assert (features_of(wall(2, (80, 100)), where).places[:, 1] > 49).all()


def test_the_light_is_evened_over_the_same_pixels() -> None:
    """What is twice as bright with a veil over it is the same once evened; white pixels are taken out."""
    rng = np.random.default_rng(1)
    ys, xs = (g.ravel() for g in np.mgrid[0:30, 0:40])
    values = rng.uniform(0.1, 0.4, (1200, 3)).astype(np.float32)
    seen = 2 * values + 0.05
    seen[700] = 1.0
    inside = np.ones(1200, bool)
    grid = Grid(ys, xs, 1, 1.0)
    assert (grid.cell, grid.window, grid.shape) == (3, 5, (10, 14))
    sums, kind = np.full((140, 9), 9.0, np.float32), (0,) * 3
    _spread(seen, values, inside, np.ones(1200, np.float32), 0.985, grid.place, sums, kind)
    assert sums[0, 0] == 9  # pixels of a whole cell
    assert sums[(700 // 40) // 3 * 14 + (700 % 40) // 3, 0] == 8  # without the white one
    assert sums[0, 3:6] == pytest.approx(seen.reshape(30, 40, 3)[:3, :3].sum(axis=(0, 1)), rel=1e-5)
    assert sums[0, 2] == pytest.approx((values.reshape(30, 40, 3)[:3, :3] ** 2).sum(), rel=1e-5)
    means = _ratios(grid.summed(sums), 3)
    one, two, size = np.empty_like(values), np.empty_like(values), np.empty(1200, np.float32)
    _evened(seen, values, inside, 0.985, means, grid.place, one, two, size, kind)
    assert not inside[700]
    assert inside.sum() == 1199
    assert one[inside] == pytest.approx(two[inside], abs=2e-3)
    assert size == pytest.approx(np.sqrt(((one - two) ** 2).mean(axis=1)), abs=1e-6)
    assert abs(float(two[inside].mean())) < 0.01
    alone = Grid(ys, xs, 1, 4.0)
    assert (alone.cell, alone.window) == (1, 13)  # coarse levels want so many


def test_surroundings_that_are_not_known_are_told() -> None:
    means = np.array(
        [[0.01, 1, 1, 0.5, 0.5], [1.0, 0.25 + 0.04, 0.25 + 0.01, 0.5, 0.5], [1.0, 0.25, 0.25 + 1, 0.5, 0.5]], np.float32
    )
    made = _ratios(means.copy(), 1)
    assert made[0, 0] == 0
    assert made[1, 1] == pytest.approx(0.5, abs=1e-3)  # half the contrast's root
    assert made[1, 2] == pytest.approx(0.01, rel=1e-3)
    assert made[2, 1] == pytest.approx(5.0)  # no more than that


def test_places_that_are_off_as_a_whole_count_less() -> None:
    """By the cube of how far off they are beside the usual, and not at all where nothing is to be seen."""
    means = np.array([[1, 1], [1, 1], [1, 1], [1, 9]], np.float32)
    own, looks = np.array([[1, 1]] * 4, np.float32), np.full((4, 9), 1e6, np.float32)
    weights = np.ones(4, np.float32)
    looks[1, 2] = 0  # its reference shows nothing
    share = _lessen(means, own, np.arange(4), weights, looks)
    near, off = 2 * 3 / (1 + 3.6), 2 * 3 / (9 + 3.6)
    assert weights[0] == pytest.approx(near**3, rel=1e-4)
    assert weights[3] == pytest.approx(off**3, rel=1e-4)
    assert weights[1] == pytest.approx(near**3 * (1 - 1 / 3), rel=1e-4)
    assert share == pytest.approx((3 + off) / 4)


def test_steps_are_as_long_as_the_last_one_tells() -> None:
    """One that leaves a half of itself was half as long as it should have been."""
    normal, last = np.diag([1.0, 4.0]), np.array([1.0, 1.0])
    assert _longer(last / 2, last, 1.0, normal) == pytest.approx(2.0)
    assert _longer(last * 0.25, last, 1.5, normal) == pytest.approx(2.0)
    assert _longer(-last / 2, last, 1.0, normal) == 1.0  # too long already: as the equations say
    assert _longer(last, last, 1.0, normal) == LONGER


def test_work_on_many_pixels_is_shared() -> None:
    assert in_parts(10, lambda p: (p.start, p.stop)) == [(0, 10)]
    assert in_parts(100_001, lambda p: (p.start, p.stop)) == [(0, 50_000), (50_000, 100_001)]


@pytest.mark.parametrize("free", [2, 4, 6, 8])
def test_slopes_tell_what_the_tables_tell(free: int) -> None:
    dice = np.random.default_rng(3)
    one, two, right, down = (dice.random((60, 3)).astype(np.float32) for _ in range(4))
    own, weights = dice.uniform(-1, 1, (60, 2)), dice.random(60).astype(np.float32)
    weights[::7] = 0
    columns, products = fit.answers(two, right, down, own, free)
    columns = columns[:, :free]  # without the light
    rest = (weights[:, None] * (one - two)).ravel()
    assert slopes.pull(one, two, weights, right, down, own, (0,) * 3)[:free] == pytest.approx(rest @ columns, abs=1e-4)
    want = np.empty((free + fit.LIGHT,) * 2)
    fit.normal_equations(products, weights, want)
    want = want[:free, :free]
    made = slopes.moments(slopes.squares(right, down), weights, own)
    assert slopes.normal(made, float(weights.sum()), free) == pytest.approx(want, rel=1e-4, abs=1e-4)
    blocks = np.arange(60) % 4
    parts = slopes.pulls(one, two, weights, right, down, own, blocks, 4, (0,) * 3)
    for k in range(4):
        here = np.where(np.repeat(blocks == k, 3), rest, 0)
        assert parts[k, :free] == pytest.approx(here @ columns, abs=1e-4)


def test_what_is_beside_white_is_not_clear() -> None:
    picture = np.full((64, 64, 3), 0.3, np.float32)
    picture[30, 40, 1] = 1.0
    frame = Frame(picture, np.array([[0.0, 0.0], [64.0, 64.0]]), 0)
    clear = frame.clear(1)
    assert not clear[28:33, 38:43].any()
    assert clear.sum() == 64 * 64 - 25
    assert not frame.clear(4)[7, 10]
    assert Frame(np.minimum(picture, 0.9), frame_all := np.array([[0.0, 0.0], [64.0, 64.0]]), 0).clear(1).size == 0
    assert Frame(picture * 3, frame_all, 0).clear(1).size == 0  # goes on beyond 1: nothing was lost


def test_without_the_look_at_all_pixels() -> None:
    picture = wall(3, (240, 320))
    corners = np.array([[40.0, 30], [280, 30], [280, 210], [40, 210]])
    surface = Surface(picture, corners, fill_shape(corners, 240, 320))
    thin = surface.thinned()
    assert len(thin.levels) == len(surface.levels) - 1
    assert thin.thinned() is thin
    frame = Frame(picture, corners, 12)
    whole, some = surface.lay(frame, np.eye(3)), surface.lay(frame, np.eye(3), 2.0)
    assert whole.weights is not None
    assert some.weights is not None
    assert len(whole.weights) == len(surface.levels[-1].looks.points)
    assert len(some.weights) == len(surface.levels[-2].looks.points)
    assert thin.smeared(np.array([8.0, 0.0])).levels[0].looks.values == pytest.approx(
        thin.levels[-1].as_in(Frame(picture, corners, 8, (8.0, 0.0))).looks.values
    )


def test_weights_are_lent_to_the_finer_grid() -> None:
    ys, xs = (g.ravel() for g in np.mgrid[0:6:2, 0:8:2])
    coarse = Grid(ys, xs, 2, 1.0)
    fy, fx = (g.ravel() for g in np.mgrid[0:6, 0:8])
    fine = Grid(fy, fx, 1, 1.0)
    lent = coarse.lent(np.arange(12, dtype=np.float32), fine).reshape(6, 8)
    assert lent[0].tolist() == [0, 0, 1, 1, 2, 2, 3, 3]
    assert lent[5].tolist() == [8, 8, 9, 9, 10, 10, 11, 11]


def test_a_picture_that_goes_beyond_one_has_no_white() -> None:
    """In scene light a bright wall is no burnt-out one: it is followed as it is at a tenth of its light."""
    picture = texture(5, 200)
    corners = np.array([[50.0, 50], [150, 50], [150, 150], [50, 150]])
    for gain in (1.0, 10.0):
        bright = picture * np.float32(gain)
        surface = Surface(bright, corners, fill_shape(corners, 200, 200))
        moved = np.roll(bright, (2, 3), (0, 1))
        found = found_in(surface, moved, Way(np.eye(3), np.eye(3)), 20)
        assert not found.lost
        assert np.abs(moved_points(found.matrix, corners) - corners - (3, 2)).max() < 0.02
        assert found.seen > 0.6
