"""Borrowing in time against made takes with the truth; what no frame shows is said; passing ghosts, light and places."""

from __future__ import annotations

from functools import cache

import cv2
import numpy as np
import pytest
from keyplates import srgb_encode
from rigtakes import SIGMA, grained
from timetakes import SIZE, TimeTake, person_take, truck_take, wall_matrix

from transmixis.core.motion.motion import moved_points
from transmixis.core.repair.backing import Backing, brought_in, carried_on, light_of, looked_up
from transmixis.core.repair.fusing import fused
from transmixis.core.repair.intime import anchors, gathered, looked_at, told_of, wanted
from transmixis.core.repair.laying import bounds, lay_out, spread, surface_about
from transmixis.core.repair.parallax import aside
from transmixis.core.repair.quiet import quietened
from transmixis.core.repair.takelaw import take_law

Array = np.ndarray
CORNERS = np.array([[40.0, 30], [340, 30], [340, 190], [40, 190]])


def code(x: Array) -> Array:
    return np.asarray(np.clip(srgb_encode(np.clip(x, 0, 1)), 0, 1) * 255, np.float64)


@cache
def done(name: str) -> tuple[TimeTake, int, dict[int, Array], Backing]:
    take = {"truck": truck_take, "person": person_take}[name]()
    length = len(take.plate)

    def look(n: int) -> tuple[Array, Array]:
        return take.plate[n - 1], take.gone[n - 1] > 0

    (a,) = anchors(length)
    first, last = told_of(length, a, [a])
    box = bounds([g > 0 for g in take.gone])
    assert box is not None
    surface = surface_about(*look(a), box)
    matrices = lay_out(surface, look, a, looked_at(length, a, first, last))
    want, left, top = wanted(look, matrices, range(first, last + 1), SIZE)
    return take, a, matrices, gathered(look, matrices, a, want, left, top, take_law(look, matrices, a))


def brought(name: str, n: int) -> tuple[Array, Array, Array]:
    take, _, matrices, backing = done(name)
    gone = take.gone[n - 1] > 0
    return *brought_in(backing, matrices[n], take.plate[n - 1], gone, spread(gone, 31)), gone


def test_frames_are_laid_over_the_anchor() -> None:
    """To a tenth of a pixel in perspective past a nearer sign; a tripod does not move at all."""
    _, a, matrices, _ = done("truck")
    assert sorted(matrices) == list(range(1, 25))
    for n, m in matrices.items():
        true = wall_matrix(n - 1) @ np.linalg.inv(wall_matrix(a - 1))
        inside = moved_points(true, CORNERS)
        off = np.linalg.norm(moved_points(m, CORNERS) - inside, axis=1)
        assert off.max() < 0.25
    _, _, still, _ = done("person")
    assert all(np.array_equal(m, np.eye(3)) for m in still.values())


@pytest.mark.parametrize("name", ["truck", "person"])
def test_what_other_frames_show_is_put_back(name: str) -> None:
    """Within half of the grain of the truth before new grain is laid on, so within 1.5 of it afterwards; no ghost over 3 levels."""
    take, *_ = done(name)
    grain = float(np.mean([(code(p) - code(t))[g == 0].std() for p, t, g in zip(take.plate, take.truth, take.gone, strict=True)]))
    for n in range(1, 25, 4):
        behind, count, gone = brought(name, n)
        shown = take.shown[n - 1]
        assert (count[shown] > 0).mean() > 0.98
        known = gone & (count > 0)
        off = code(behind) - code(take.truth[n - 1])
        assert np.sqrt((off[known] ** 2).mean()) < 0.6 * grain
        assert np.abs(cv2.GaussianBlur(off * known[..., None], (0, 0), 2.0)).max() < 3
        assert np.abs(off[known].mean(axis=0)).max() < 0.3


def test_what_no_frame_shows_is_not_claimed() -> None:
    take, *_ = done("truck")
    never = 0
    for n in (1, 12, 24):
        _, count, gone = brought("truck", n)
        dark = gone & ~take.shown[n - 1]
        never += int(dark.sum())
        inner = cv2.erode(dark.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
        assert (count[inner] == 0).all()
    assert never > 0


def test_the_takes_grain_is_told_though_it_moves() -> None:
    truth = 2.7 * SIGMA**2
    for name in ("truck", "person"):
        np.testing.assert_allclose(done(name)[3].law[:, 0], truth, rtol=0.3)


def test_values_that_agree_are_averaged() -> None:
    """A passer-by in two of seven frames leaves no ghost; what a frame does not show does not count; most agree, whatever their order."""
    rng = np.random.default_rng(1)
    law = np.array([[1e-4, 1e-6]] * 3)
    truth = rng.uniform(0.2, 0.6, (500, 3))
    values = truth + rng.standard_normal((7, 500, 3)) * np.sqrt(1e-4 * truth)
    values[2:4] = 0.9
    weights = np.ones((7, 500))
    weights[6, :250] = 0
    values[6, :250] = 0
    mean, count = fused(values, weights, law)
    assert np.abs(mean - truth).max() < 6 * np.sqrt(1e-4 * 0.6 / 4)
    assert np.median(count[:250]) == 4
    assert np.median(count[250:]) == 5
    none, zero = fused(values, np.zeros((7, 500)), law)
    assert (zero == 0).all()
    assert (none == 0).all()
    again, _ = fused(values[::-1], weights[::-1], law)
    np.testing.assert_allclose(again, mean, atol=1e-5)
    heavy = weights * np.array([3, 1, 1, 1, 1, 1, 1])[:, None]
    assert 3 < np.median(fused(values, heavy, law)[1][250:]) < 5  # one that counts more makes fewer of them


def test_anchors_stand_so_that_every_frame_is_served() -> None:
    for length in (1, 5, 24, 25, 60, 240, 1000):
        every = anchors(length)
        assert every == sorted(set(every))
        assert every[0] >= 1
        assert every[-1] <= length
        served = {n for a in every for n in range(told_of(length, a, every)[0], told_of(length, a, every)[1] + 1)}
        assert served == set(range(1, length + 1))
        for a in every:
            looked = looked_at(length, a, *told_of(length, a, every))
            assert len(looked) <= 80  # however long the take is
            assert {a, min(a + 1, length)} <= set(looked)


def test_a_backing_tells_what_it_knows() -> None:
    rng = np.random.default_rng(2)
    picture = cv2.GaussianBlur(rng.random((40, 60, 3)).astype(np.float32), (0, 0), 3)
    count = np.full((40, 60), 4, np.float32)
    count[10:20, 30:40] = 0
    b = Backing(picture, count, 100, 50, np.full((3, 2), 1e-5))
    values, many = b.at(np.array([[110.5, 60.5], [135.0, 65.0], [20.0, 20.0], [129.7, 65.0]]))
    np.testing.assert_allclose(values[0], picture[10, 10], atol=1e-4)
    assert many.tolist() == [4, 0, 0, 0]  # known, a hole, outside, too near to the hole
    lit, seen = brought_in(
        b, np.array([[1, 0, -100], [0, 1, -50], [0, 0, 1.0]]), picture * 1.5, count == 0, np.ones((40, 60), bool)
    )
    inner = (slice(3, 8), slice(5, 25))
    np.testing.assert_allclose(lit[inner], (picture * 1.5)[inner], rtol=0.02)
    assert (seen[11:19, 31:39] == 0).all()
    assert looked_up(count, np.array([[30.5, 10.5], [-1, 0], [59.9, 39.9]]), np.float32(7)).tolist() == [0, 7, 4]
    whole = carried_on(picture, count > 0)
    np.testing.assert_array_equal(whole[count > 0], picture[count > 0])
    np.testing.assert_array_equal(whole[10, 35], picture[9, 35])


def test_grain_is_taken_out_where_little_was_averaged() -> None:
    rng = np.random.default_rng(3)
    flat = np.full((60, 60, 3), 0.3, np.float32)
    law = np.array([[2.7 * SIGMA**2, 1e-7]] * 3)
    quiet, left = quietened(grained(flat, rng), law)
    inner = (slice(8, -8), slice(8, -8))
    assert (quiet - flat)[inner].std() < 0.35 * np.sqrt(2.7 * SIGMA**2 * 0.3)
    assert left[inner].mean() < 0.35


def test_bounds_and_spread() -> None:
    m = np.zeros((30, 40), bool)
    assert bounds([m]) is None
    m[10:12, 20:25] = True
    other = np.zeros_like(m)
    other[5, 39] = True
    assert bounds([m, other]) == (20, 5, 40, 12)
    assert bounds([other, np.zeros_like(m)]) == (39, 5, 40, 6)
    assert spread(m, 5).sum() == 6 * 9


def test_light_is_told_from_narrow_surroundings_too() -> None:
    """Where no cell of eight px is seen whole, pixel by pixel; from too few nothing is claimed."""
    rng = np.random.default_rng(6)
    behind = cv2.GaussianBlur(rng.random((60, 90, 3)).astype(np.float32), (0, 0), 2) * 0.4 + 0.1
    gain = np.float32((1.3, 1.1, 0.8))
    frame = grained(behind * gain, rng)
    seen = np.zeros((60, 90), bool)
    seen[20:26, 10:80] = True
    np.testing.assert_allclose(light_of(behind, frame, seen), gain, rtol=0.02)
    few = np.zeros_like(seen)
    few[20:23, 10:14] = True
    assert light_of(behind, frame, few).tolist() == [1, 1, 1]
    wide = np.ones_like(seen)
    np.testing.assert_allclose(light_of(behind, frame, wide), gain, rtol=0.02)


def test_what_lies_nearer_is_laid_aside() -> None:
    """Over one surface's motion a near thing lies 3 px aside: told from about a hole, and carried through it."""
    rng = np.random.default_rng(7)
    wide = cv2.GaussianBlur(rng.random((160, 260, 3)).astype(np.float32), (0, 0), 1.5) * 0.5 + 0.1
    now, laid = wide[:, 20:240], wide.copy()
    laid[80:] = np.roll(wide, 3, axis=1)[80:]  # what is below lies nearer
    laid = laid[:, 20:240]
    seen = np.ones((160, 220), bool)
    seen[90:140, 90:120] = False
    u = aside(np.ascontiguousarray(laid), np.ascontiguousarray(now), seen)
    assert u is not None
    assert u[0][120:138, 95:115].mean() == pytest.approx(2.6, abs=0.5)  # near where it ends it is smoothed (docs/limits.md)
    assert np.abs(u[1][95:135, 95:115]).mean() < 0.3
    assert np.abs(u[0][10:50, 20:200]).mean() < 0.3
    assert aside(np.ascontiguousarray(now), np.ascontiguousarray(now), seen) is None
    assert aside(laid, now, np.zeros_like(seen)) is None
