"""Where points hold: the foretold error beside the one that following has, and what is offered."""

from __future__ import annotations

import numpy as np
import pytest
from walls import seen_through, wall

from transmixis.core.motion.follow import Way, found_in
from transmixis.core.motion.holds import foretold, grain_of, held_near, holds, neighbours
from transmixis.core.motion.motion import moved_points
from transmixis.core.motion.point import about_point

GRAIN = 0.004


def grainy(picture: np.ndarray, seed: int) -> np.ndarray:
    return np.asarray(picture + np.random.default_rng(seed).normal(0, GRAIN, picture.shape), np.float32)


def test_the_grain_is_measured_beside_detail() -> None:
    flat = np.full((120, 160), 0.3, np.float32)
    rng = np.random.default_rng(1)
    assert grain_of(flat + rng.normal(0, GRAIN, flat.shape).astype(np.float32)) == pytest.approx(GRAIN, rel=0.05)
    edges = flat.copy()
    edges[:, ::16] = 0.9
    assert grain_of(edges + rng.normal(0, GRAIN, flat.shape).astype(np.float32)) == pytest.approx(GRAIN, rel=0.35)
    code = np.array([118.0, 119.0]) / 255  # middle grey, 18 %, in the curve of sRGB
    step = np.diff(((code + 0.055) / 1.055) ** 2.4)[0]
    assert grain_of(flat) == pytest.approx(step / np.sqrt(12), rel=0.1)


def test_what_is_foretold_orders_places_as_following_does() -> None:
    """Errors of following through grain, at places of much and little detail, against what the one picture foretold."""
    clean = 0.3 + (wall(5, (140, 200)) - 0.3) * np.geomspace(0.3, 3.0, 200, dtype=np.float32)[None, :, None]
    shift = np.array([[1, 0, 2.3], [0, 1, -1.4], [0, 0, 1.0]])
    moved, half = seen_through(clean, shift), 8
    told = foretold(grainy(clean, 0)[..., :3].mean(axis=2), half)
    said, true = [], []
    for x in range(24, 180, 12):
        at = np.array([x + 0.5, 70.5])
        miss = []
        for seed in range(20):
            pattern = about_point(grainy(clean, seed), at, half)
            laid = found_in(pattern, grainy(moved, 100 + seed), Way(np.eye(3), np.eye(3)), 12)
            miss.append(np.hypot(*(moved_points(laid.matrix, at)[0] - (at + np.array([2.3, -1.4])))))
        said.append(float(told[70, x]))
        true.append(float(np.sqrt(np.mean(np.square(miss)))))
    rank = np.corrcoef(np.argsort(np.argsort(said)), np.argsort(np.argsort(true)))[0, 1]
    assert rank > 0.9
    ratio = np.array(true) / np.array(said)
    assert 0.5 < np.median(ratio) < 2.5


def test_an_edge_alone_does_not_hold_and_a_corner_does() -> None:
    picture = np.full((80, 120, 3), 0.2, np.float32)
    picture[:, :40] = 0.8  # an edge
    picture[30:, 80:] = 0.8  # a corner
    told = foretold(grainy(picture, 2).mean(axis=2), 6)
    assert told[30, 80] < 0.1 * told[40, 40]
    found = holds(grainy(picture, 2), 6)
    assert np.hypot(found.best[0, 0] - 80, found.best[0, 1] - 30) < 6 * 1.5  # it may stand anywhere in the pattern
    assert found.best[0, 2] == pytest.approx(told[int(found.best[0, 1]), int(found.best[0, 0])])
    assert found.error.shape == (20, 30)
    assert found.error[7, 20] == pytest.approx(told[30, 82])


def test_places_are_apart_inside_and_not_barred() -> None:
    half = 8
    barred = np.zeros((140, 200), np.float32)
    barred[:, 120:] = 1
    found = holds(grainy(wall(5, (140, 200)), 1), half, barred=barred)
    at = found.best[:, :2]
    assert len(at) > 10
    assert at.min() >= half
    assert (at <= [120, 140 - half]).all()
    apart = np.hypot(*(at[:, None] - at[None]).transpose(2, 0, 1)) + 1e9 * np.eye(len(at))
    assert apart.min() >= half * 0.7
    assert (np.diff(found.best[:, 2]) >= 0).all()
    assert np.isinf(found.error[:, 31:]).all()


def test_neighbours_are_near_but_not_the_place_itself() -> None:
    found = holds(grainy(wall(5, (140, 200)), 1), 8)
    at = found.best[0, :2]
    near = neighbours(found.best, at, 60, 8)
    away = np.hypot(*(near[:, :2] - at).T)
    assert len(near)
    assert (away <= 60).all()
    assert (away > 8).all()
    assert len(neighbours(found.best, at, 5, 8)) == 0


def test_of_a_part_the_same_is_told_as_of_the_whole() -> None:
    picture, at = grainy(wall(5, (140, 200)), 1), np.array([90.5, 66.5])
    near, own = held_near(picture, at, 8, 40)
    whole = holds(picture, 8)
    told = foretold(picture.mean(axis=2), 8)[66, 90]
    assert own == pytest.approx(told, rel=0.1)  # the grain is that of the part
    inner = neighbours(whole.best, at, 30, 0)[:, :2]
    assert {tuple(p) for p in inner} <= {tuple(p) for p in near.best[:, :2]}
    assert held_near(picture, np.array([-30.0, 0]), 8, 4)[1] == np.inf


@pytest.mark.parametrize("tall", [(0.2, 0.2), (0.2, 0.07), (0.07, 0.2)])
def test_the_error_is_that_of_the_textbook(tall: tuple[float, float]) -> None:
    """Of waves across and down, A sin kx + B sin ky, the squared slopes' means are A² k² / 2 and B² k² / 2, so that n² pixels through
    grain s tell the place along the weaker to s / (n B k / √2) (Cramér and Rao's bound)."""
    k, half = 2 * np.pi / 24, 11  # a pattern of 23 px about one wave
    y, x = np.mgrid[0:120, 0:144].astype(np.float32)
    waves = (0.5 + tall[0] * np.sin(k * x) + tall[1] * np.sin(k * y)).astype(np.float32)
    grainy_waves = waves + np.random.default_rng(3).normal(0, GRAIN, waves.shape).astype(np.float32)
    told = foretold(grainy_waves, half)
    bound = grain_of(grainy_waves) / (23 * min(tall) * k / np.sqrt(2))
    assert told[60, 72] == pytest.approx(bound, rel=0.08)
    across = foretold(waves - tall[0] * np.sin(k * x).astype(np.float32), half)  # nothing tells of moves across any more
    assert across[60, 72] > 20 * told[60, 72]


@pytest.mark.parametrize("at", [(10.5, 9.5), (191.5, 131.5), (30.0, 131.5)])
def test_near_the_border_places_are_those_of_the_frame(at: tuple[float, float]) -> None:
    ramp = (
        np.geomspace(0.4, 2.5, 200, dtype=np.float32)[None, :, None]
        * np.geomspace(0.5, 2.0, 140, dtype=np.float32)[:, None, None]
    )
    picture = grainy(0.3 + (wall(5, (140, 200)) - 0.3) * ramp, 1)
    near, own = held_near(picture, at, 8, 24)
    told = foretold(picture.mean(axis=2), 8)
    x, y = (int(v) for v in at)
    assert own == pytest.approx(told[y, x], rel=0.15)
    for bx, by, error in near.best:
        assert error == pytest.approx(told[int(by), int(bx)], rel=0.15)
    assert held_near(picture, (3.0, 3.0), 8, 0)[1] > 0
