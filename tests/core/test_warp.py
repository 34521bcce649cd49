"""Warps against scikit-image, and against geometry."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from skimage.transform import PiecewiseAffineTransform, ThinPlateSplineTransform

from transmixis.core.build.morph import pairs, turned
from transmixis.core.build.warp import along_line, bent, by_triangles, folds, framed, on_cylinder, thin_plate, warped
from transmixis.core.errors import UserError

SIZE = (150, 200)


def some(seed: int, n: int = 7, far: float = 12.0) -> tuple[np.ndarray, np.ndarray]:
    dice = np.random.default_rng(seed)
    a = dice.uniform((20, 20), (180, 130), (n, 2))
    return a, a + dice.normal(0, far / 2, (n, 2))


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_a_thin_plate_is_that_of_scikit_image(seed: int) -> None:
    a, b = some(seed)
    made = thin_plate(a, b, SIZE)
    reference = ThinPlateSplineTransform.from_estimate(b, a)
    plain = np.stack(np.meshgrid(np.arange(200) + 0.5, np.arange(150) + 0.5), -1)
    want = reference(plain.reshape(-1, 2)).reshape(150, 200, 2)
    assert np.abs(made - want).max() < 0.15  # between its knots it is a cubic
    assert np.abs(made - want).mean() < 0.01


def test_places_come_where_they_are_pulled() -> None:
    a, b = framed(*some(4), SIZE)
    at = thin_plate(a, b, SIZE)
    for x, y in zip(a[:7], b[:7], strict=True):
        found = cv2.remap(at.astype(np.float32), np.float32([[y[0] - 0.5]]), np.float32([[y[1] - 0.5]]), cv2.INTER_LINEAR)[0, 0]
        assert found == pytest.approx(x, abs=0.25)
    assert at[0, 0] == pytest.approx([0.5, 0.5], abs=0.2)
    assert at[-1, -1] == pytest.approx([199.5, 149.5], abs=0.4)


@pytest.mark.parametrize("seed", [1, 2])
def test_triangles_are_those_of_scikit_image(seed: int) -> None:
    a, b = framed(*some(seed), SIZE)
    made = by_triangles(a, b, SIZE)
    # its triangles are Delaunay's of what it estimates from: of the targets, as ours
    reference = PiecewiseAffineTransform.from_estimate(b, a)
    dice = np.random.default_rng(9)
    at = np.floor(dice.uniform((2, 2), (198, 148), (400, 2))) + 0.5
    want = reference(at)
    got = made[(at[:, 1] - 0.5).astype(int), (at[:, 0] - 0.5).astype(int)]
    assert np.abs(got - want).max() < 1e-6


def test_triangles_end_at_their_hull_and_want_three_places() -> None:
    three = np.array([[20.0, 20], [100, 30], [60, 120]])
    out = by_triangles(three, three + 5, SIZE)
    assert np.isnan(out[5, 5]).all()
    assert out[60, 65] == pytest.approx([60.5, 55.5])
    with pytest.raises(UserError, match="want as many"):
        by_triangles(three[:2], three[:2], SIZE)
    with pytest.raises(UserError, match="on one line"):
        by_triangles(three, np.array([[0.0, 0], [10, 10], [20, 20]]), SIZE)


def test_few_places_shift_or_turn() -> None:
    one = thin_plate(np.array([[50.0, 50]]), np.array([[60.0, 45]]), SIZE)
    assert one[45, 60] == pytest.approx([50.5, 50.5])
    two = thin_plate(np.array([[50.0, 50], [150, 50]]), np.array([[50.0, 50], [50, 150]]), SIZE)
    assert two[99, 49] == pytest.approx([99.5, 50.5], abs=0.6)
    none = thin_plate(np.zeros((0, 2)), np.zeros((0, 2)), SIZE)
    assert none[3, 4] == pytest.approx([4.5, 3.5])
    with pytest.raises(UserError, match="as many places"):
        thin_plate(np.zeros((3, 2)), np.zeros((2, 2)), SIZE)


def test_a_fold_is_told_and_where() -> None:
    a, b = some(5, 5, 6.0)
    assert folds(thin_plate(*framed(a, b, SIZE), SIZE))[0] > 0
    crossed = np.array([[80.0, 75], [120, 75]])
    least, spot = folds(thin_plate(*framed(crossed, crossed[::-1], SIZE), SIZE))
    assert least < 0
    assert spot is not None
    x, y, w, h = spot
    assert x < 100 < x + w
    assert y < 75 < y + h


def test_a_flame_leans_at_its_tip_and_stands_at_its_base() -> None:
    picture = np.zeros((120, 120, 4), np.float32)
    picture[20:100, 58:62] = 1
    out = warped(picture, bent((120, 120), (60, 100), (60, 20), (20.0, 0.0)))
    xs = np.arange(120) + 0.5

    def middle(y: int) -> float:
        return float((out[y, :, 3] * xs).sum() / out[y, :, 3].sum())

    assert middle(98) == pytest.approx(60, abs=0.3)
    assert middle(60) == pytest.approx(65, abs=0.3)  # half of the height: a quarter of the lean
    assert middle(21) == pytest.approx(60 + 20 * (78.5 / 80) ** 2, abs=0.4)


def test_a_cylinder_shows_its_sides_narrower() -> None:
    corners = np.array([[50.0, 30], [150, 30], [150, 120], [50, 120]])
    at = on_cylinder(SIZE, corners, 0.0, 80.0)
    row = at[75, :, 0]
    assert np.isnan(row[45])
    assert row[100] == pytest.approx(0.5, abs=0.01)
    speed = np.diff(row[51:149])
    assert speed[0] > 2 * speed[48]
    want = (np.arcsin((100.5 + 30 - 100) / 50 * np.sin(np.radians(80))) / np.radians(80) + 1) / 2
    assert row[130] == pytest.approx(want, abs=1e-3)
    bowed = on_cylinder(SIZE, corners, 0.2, 60.0)
    top = [int(np.nonzero(np.isfinite(bowed[:, x, 1]))[0].min()) for x in (52, 100)]
    assert top[1] - top[0] == pytest.approx(0.2 * 90, abs=2)


def test_places_are_spread_evenly_along_a_line() -> None:
    out = along_line(np.array([[0.0, 0], [10, 0], [10, 30]]), 5)
    assert out == pytest.approx(np.array([[0, 0], [10, 0], [10, 10], [10, 20], [10, 30]]))


def disc(x: float, y: float, r: float, colour: tuple[float, float, float]) -> np.ndarray:
    out = np.zeros((*SIZE, 4), np.float32)
    cv2.circle(out, (round(x), round(y)), round(r), (*colour, 1.0), -1, cv2.LINE_AA)
    return out


def ring(x: float, y: float, r: float) -> np.ndarray:
    a = np.linspace(0, 2 * np.pi, 60, endpoint=False)
    return np.stack([x + r * np.cos(a), y + r * np.sin(a)], 1)


def test_one_thing_turns_into_another_in_place_size_and_colour() -> None:
    one, other = disc(60, 60, 20, (1, 0, 0)), disc(120, 80, 40, (0, 0, 1))
    a, b = pairs(ring(60.5, 60.5, 20), ring(120.5, 80.5, 40), np.array([[60.5, 60.5]]), np.array([[120.5, 80.5]]))
    half = turned(one, other, a, b, 0.5, 0.5)
    alpha = half.picture[..., 3]
    yy, xx = np.mgrid[0:150, 0:200] + 0.5
    assert (xx * alpha).sum() / alpha.sum() == pytest.approx(90.5, abs=0.7)
    assert (yy * alpha).sum() / alpha.sum() == pytest.approx(70.5, abs=0.7)
    assert alpha.sum() == pytest.approx(np.pi * 30**2, rel=0.05)
    assert half.picture[70, 90, :3] == pytest.approx([0.5, 0, 0.5], abs=0.02)
    assert half.least > 0
    straight = turned(one, other, a, b, 0.5, 0.5, straight=True).picture[..., 3]
    assert straight.sum() == pytest.approx(np.pi * 30**2, rel=0.08)
    assert turned(one, other, a, b, 0.0, 0.0).picture == pytest.approx(one, abs=0.02)
    assert turned(one, other, a, b, 1.0, 1.0).picture == pytest.approx(other, abs=0.02)


def test_names_must_pair_and_sizes_agree() -> None:
    with pytest.raises(UserError, match="as many on both"):
        pairs(None, None, np.zeros((2, 2)), np.zeros((1, 2)))
    with pytest.raises(UserError, match="not one size"):
        turned(np.zeros((4, 4, 3)), np.zeros((5, 4, 3)), np.zeros((0, 2)), np.zeros((0, 2)), 0.5, 0.5)
