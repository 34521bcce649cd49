"""A lens told from edges that are straight in truth."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from transmixis.core.build.place import sampled_at
from transmixis.core.errors import UserError
from transmixis.core.motion.lens import Lens
from transmixis.core.solve.lines import edges_along, lens_of_edges, off_all, off_straight

SIZE = (360, 640)
TRUE = Lens(600.0, (320.0, 180.0), -0.12, 0.02)
BIG = np.array([160.0, 120.0])  # px by which the drawing reaches further than the frame
# the upper or left edges of bars in the straight picture, px of the drawing
EDGES = (((0, 158), (960, 175)), ((0, 440), (960, 420)), ((205, 0), (190, 600)), ((735, 0), (760, 600)))


def recorded() -> np.ndarray:
    """Bars as the lens records them, with grain."""
    drawn = np.full((4 * 600, 4 * 960, 3), 0.25, np.float32)
    for (ax, ay), (bx, by) in EDGES:
        aside = np.array([0, 14]) if ax == 0 else np.array([14, 0])
        wide = np.array([(ax, ay), (bx, by), np.array([bx, by]) + aside, np.array([ax, ay]) + aside])
        cv2.fillPoly(drawn, [np.round(4 * wide).astype(np.int32)], (0.6, 0.5, 0.3))
    drawn = cv2.GaussianBlur(cv2.resize(drawn, (960, 600), interpolation=cv2.INTER_AREA), (0, 0), 0.8)
    made = sampled_at(drawn, TRUE.bent_map(SIZE) + BIG)
    return made + np.random.default_rng(1).normal(0, 0.004, made.shape).astype(np.float32)


def stroke(edge: tuple[tuple[int, int], tuple[int, int]], shaky: float = 1.5) -> np.ndarray:
    """Drawn along it by a hand that trembles."""
    a, b = (np.array(p, float) - BIG for p in edge)
    seen = TRUE.seen(a + np.linspace(0, 1, 90)[:, None] * (b - a))
    inside = ((seen > 14) & (seen < (SIZE[1] - 14, SIZE[0] - 14))).all(axis=1)
    there = seen[inside][::4]
    return there + np.random.default_rng(2).uniform(-shaky, shaky, there.shape)


def test_edges_are_found_beside_strokes() -> None:
    picture = recorded()
    every = edges_along(picture, [stroke(e) for e in EDGES])
    assert len(every) == len(EDGES)
    for found in every:
        assert len(found) > 40
        assert np.sqrt((off_straight(TRUE, found) ** 2).mean()) < 0.12  # straight, once the lens is out
    plain = np.full((*SIZE, 3), 0.3, np.float32)
    assert edges_along(plain, [stroke(EDGES[0])]) == []
    assert edges_along(picture, [np.array([[100.0, 100.0]]), np.array([[100.0, 100.0], [101.0, 100.0]])]) == []
    whole = off_all(TRUE, every)
    assert whole is not None
    assert whole**2 * sum(map(len, every)) == pytest.approx(sum((off_straight(TRUE, e) ** 2).sum() for e in every))
    assert off_all(TRUE, []) is None


def test_the_bend_is_told_from_four_edges() -> None:
    picture = recorded()
    found = lens_of_edges(edges_along(picture, [stroke(e) for e in EDGES]), 600.0, SIZE)
    assert found.edges == 4
    assert found.before > 0.8
    assert found.after < 0.12
    corner = np.array([[20.0, 15.0], [620, 340], [20, 340]])
    assert found.lens.straightened(corner) == pytest.approx(TRUE.straightened(corner), abs=1.0)  # of 30 px


def test_exact_edges_give_the_lens_itself() -> None:
    edges = []
    for edge in EDGES:
        a, b = (np.array(p, float) - BIG for p in edge)
        edges.append(TRUE.seen(a + np.linspace(0.2, 0.8, 50)[:, None] * (b - a)))
    found = lens_of_edges(edges, 600.0, SIZE)
    assert (found.lens.k1, found.lens.k2) == pytest.approx((TRUE.k1, TRUE.k2), abs=1e-4)
    one = lens_of_edges(edges[:1], 600.0, SIZE)
    assert one.lens.k2 == 0
    assert one.after < one.before
    other = lens_of_edges(edges, 1200.0, SIZE)  # another focal length: the same bend in px
    assert other.lens.straightened(edges[0]) == pytest.approx(found.lens.straightened(edges[0]), abs=0.02)


def test_off_straight_is_in_px_of_the_frame() -> None:
    bow = np.stack([np.linspace(100, 500, 41), 100 + 2.0 * np.sin(np.linspace(0, np.pi, 41))], 1)
    off = off_straight(Lens(1.0, (0.0, 0.0), 0.0), bow)
    assert np.ptp(off) == pytest.approx(2.0, abs=0.05)
    assert len(off_straight(TRUE, np.zeros((0, 2)))) == 0


def test_too_little_is_refused() -> None:
    short = np.stack([np.linspace(100, 150, 20), np.full(20, 50.0)], 1)
    for edges in ([], [short], [np.zeros((0, 2))]):
        with pytest.raises(UserError, match="too few or too short"):
            lens_of_edges(edges, 600.0, SIZE)
