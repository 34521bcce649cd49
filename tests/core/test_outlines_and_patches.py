"""Outlines with identities, motion blur of what is placed, patches: against known pictures and definitions."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from transmixis.core.build.place import local_scale, placed
from transmixis.core.colour.curves import linear_to_srgb, srgb_to_linear
from transmixis.core.errors import UserError
from transmixis.core.matte.outline import at_places, completed, marks_of, off_the_edge, with_point, xy
from transmixis.core.matte.shape import fill_shape
from transmixis.core.motion.motion import moved_points, through
from transmixis.core.repair import patch
from transmixis.core.repair.border import masking
from transmixis.core.repair.patch import best_beside, patched

SQUARE = marks_of([(10, 10), (50, 10), (50, 50), (10, 50)])


# -- outlines


def test_bare_places_get_identities_by_their_order_and_others_keep_theirs() -> None:
    assert [m[0] for m in SQUARE] == [1, 2, 3, 4]
    assert marks_of([[7, 1.5, 2.5]]) == ((7, 1.5, 2.5),)
    assert xy(at_places(SQUARE, xy(SQUARE) + 3)) == pytest.approx(xy(SQUARE) + 3)


@pytest.mark.parametrize("odd", [["a"], [[1]], [[1, "x", 2]], [[1, float("nan"), 2]], [None], [[1e999, 1, 1]]])
def test_what_is_no_outline_is_said(odd: list) -> None:
    with pytest.raises(UserError, match="draw it anew"):
        marks_of(odd)


@pytest.mark.parametrize("count", [2, 3, 4])
def test_places_on_one_spot_or_line_give_no_matrix(count: int) -> None:
    good = np.array([[0.0, 0], [9, 0], [9, 7], [0, 7]])[:count]
    for bad in (np.zeros((count, 2)), np.stack([np.arange(count), np.arange(count)], 1) if count > 2 else np.ones((2, 2))):
        for a, b in ((bad, good), (good, bad)):
            with pytest.raises(UserError, match="set them apart"):
                through(a, b)


@pytest.mark.parametrize(
    "points", [[{"x": 1, "y": 2}], [[2**40, 1, 2]], [["a", "b"]], [[1]], 7, [[1, float("nan"), 2]], [[float("inf"), 1, 2]]]
)
def test_what_is_no_outline_is_told(points: object) -> None:
    with pytest.raises(UserError, match="cannot be read"):
        marks_of(points)  # type: ignore[arg-type]


def test_a_point_that_is_added_changes_nothing_elsewhere() -> None:
    """Set on a side at one pin, it lies on that side at the other, however that one is turned and sized."""
    more = with_point(SQUARE, 1, 50, 30)
    assert [m[0] for m in more] == [1, 2, 5, 3, 4]
    turned = at_places(SQUARE, xy(SQUARE) @ np.array([[0.0, 2], [-2, 0]]) + 100)
    for a, b in ((more, turned), (turned, more)):
        both = completed(a, b)
        assert both is not None
        made = both[1] if b is turned else both[0]
        assert [m[0] for m in made] == [1, 2, 5, 3, 4]
        p = {m[0]: np.array(m[1:]) for m in made}
        assert p[5] == pytest.approx((p[2] + p[3]) / 2)
        assert xy([m for m in made if m[0] != 5]) == pytest.approx(xy(turned))
    again = with_point(SQUARE, 3, 10, 30, taken=[5, 9])
    assert again[-1][0] == 10  # an identity that no other pin has


def test_outlines_without_common_points_cannot_be_brought_together() -> None:
    assert completed(SQUARE, tuple((m[0] + 10, m[1], m[2]) for m in SQUARE)) is None


@pytest.mark.parametrize("away", [0.0, 1.5, -2.25])
def test_how_far_an_outline_stands_off_the_edge_is_read(away: float) -> None:
    truth = np.array([[30.0, 30], [90, 30], [90, 80], [30, 80]])
    picture = np.repeat(fill_shape(truth, 120, 120, 0.8)[..., None], 3, 2) * 0.5 + 0.2
    grown = truth + np.array([[-away, -away], [away, -away], [away, away], [-away, away]])
    found = off_the_edge(picture, grown)
    assert found is not None
    assert found[0] == pytest.approx(abs(away), abs=0.26)
    assert off_the_edge(np.full((120, 120, 3), 0.4, np.float32), grown) is None
    assert off_the_edge(picture, truth + 500) is None


# -- laying in, and light on light


def test_a_picture_laid_into_corners_fills_them() -> None:
    picture = np.ones((40, 60, 4), np.float32) * np.array([0.2, 0.4, 0.6, 1], np.float32)
    corners = np.array([[20.0, 15], [95, 25], [88, 75], [25, 80]])
    frame = np.array([[0.0, 0], [60, 0], [60, 40], [0, 40]])
    made = placed(picture, through(frame, corners), (100, 120))
    cover = fill_shape(corners, 100, 120)
    assert np.abs(made[..., 3] - cover).max() < 0.6  # along the edge the two soften otherwise
    assert np.abs(made[..., 3] - cover).mean() < 0.01
    assert made[50, 60] == pytest.approx([0.2, 0.4, 0.6, 1])
    assert made[50, 10].max() == 0


def test_local_scale_is_the_root_of_the_area_s_growth() -> None:
    matrix = np.array([[1.3, 0.2, 5], [-0.1, 0.9, 2], [1e-3, -5e-4, 1]])
    at, d = np.array([40.0, 30.0]), 1e-3
    p, q, r = moved_points(matrix, at + d * np.array([[0, 0], [1, 0], [0, 1]]))
    area = abs((q - p)[0] * (r - p)[1] - (q - p)[1] * (r - p)[0]) / d**2
    assert local_scale(matrix, (40.0, 30.0)) == pytest.approx(np.sqrt(area), rel=1e-3)
    assert local_scale(np.diag([3.0, 3, 1]), (0, 0)) == pytest.approx(3)


# -- patches


def wood(seed: int = 3) -> np.ndarray:
    """Upright streaks under a slow fall of light, linear."""
    rng = np.random.default_rng(seed)
    fine = cv2.GaussianBlur(rng.standard_normal((100, 120, 3)).astype(np.float32), (0, 0), 1.2, sigmaY=12)
    code = 0.45 + 0.1 * fine + np.linspace(-0.1, 0.1, 120, dtype=np.float32)[None, :, None]
    return np.asarray(srgb_to_linear(code), np.float32)


def marked(picture: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The picture with a dark spot, and the matte of what must go."""
    spot = fill_shape(circle(60, 50, 5), 100, 120, 0.6)[..., None]
    return (picture * (1 - 0.8 * spot)).astype(np.float32), fill_shape(circle(60, 50, 8.5), 100, 120, 1.0)


def circle(x: float, y: float, r: float) -> np.ndarray:
    a = np.linspace(0, 2 * np.pi, 40, endpoint=False)
    return np.stack([x + r * np.cos(a), y + r * np.sin(a)], 1)


def levels(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    return np.asarray(linear_to_srgb(np.clip(a, 0, None)) - linear_to_srgb(np.clip(b, 0, None))) * 255


def offset(right: float, down: float) -> np.ndarray:
    return np.array([[1, 0, right], [0, 1, down], [0, 0, 1.0]])


def test_a_patch_brings_the_light_over_and_leaves_the_rest_alone() -> None:
    truth = wood()
    plate, matte = marked(truth)
    for shift_ in (offset(0, 24), offset(30, 0)):  # along the streaks, and across them to where it is lighter
        made = patched(plate, matte, shift_, 1)
        assert made is not None
        inside = matte > 0.5
        assert np.abs(levels(made.picture, truth)[inside].mean(axis=0)).max() < 2.5
        assert np.array_equal(made.picture[matte == 0], plate[matte == 0])
        assert made.overlap == 0
        assert made.outside == 0
    along, across = (patched(plate, matte, s, 1) for s in (offset(0, 24), offset(30, 0)))
    assert along is not None
    assert across is not None
    assert along.rough < across.rough  # streaks go on along themselves


def test_a_source_of_other_light_leaves_no_step_and_one_that_is_not_brought_over_would() -> None:
    truth = wood()
    darker = truth.copy()
    darker[66:] *= 0.5  # the source lies in shade
    plate, matte = marked(darker)
    made = patched(plate, matte, offset(0, 32), 1)
    assert made is not None
    assert np.abs(levels(made.picture, truth)[matte > 0.5].mean(axis=0)).max() < 4
    assert made.seam < 2


def test_light_that_is_not_brought_over_is_read_as_a_seam(monkeypatch: pytest.MonkeyPatch) -> None:
    """Without its light a source that is a stop darker stands out by what the display shows of a stop."""
    truth = wood()
    truth[66:] *= 0.5
    plate, matte = marked(truth)
    monkeypatch.setattr(patch, "_light_between", lambda own, source, m, ring: np.zeros_like(own))
    made = patched(plate, matte, offset(0, 32), 1)
    assert made is not None
    step = float(np.median(levels(truth[42:58, 52:68], truth[42:58, 52:68] * 0.5)))
    shows = step / float(
        np.median(masking(linear_to_srgb(truth) * 255, matte <= 0.01)[36:64, 46:74])
    )  # the wood's streaks mask it
    assert made.seam == pytest.approx(shows, rel=0.3)


def test_new_grain_is_no_more_than_sampling_took_and_of_the_same_colour() -> None:
    """Beside a source that is calmer than what lies about the place nothing is added to it but what resampling took; grey grain stays grey."""
    rng = np.random.default_rng(6)
    matte = np.zeros((120, 120), np.float32)
    matte[40:64, 48:72] = 1
    grey = rng.normal(0, 0.01, (120, 120, 1))
    grey[:70] *= 4  # rough about the place
    plate = (np.full((120, 120, 3), 0.2) + grey).astype(np.float32)
    made = patched(plate, matte, offset(0.5, 36.5), 3)
    assert made is not None
    inside = made.picture[44:60, 52:68]
    assert inside[..., 1].std() == pytest.approx(0.01, rel=0.25)
    assert (inside[..., 0] - inside[..., 1]).std() < 0.35 * inside[..., 1].std()


def test_a_source_that_shows_the_place_or_lies_outside_is_told() -> None:
    plate, matte = marked(wood())
    near, far = patched(plate, matte, offset(6, 0), 1), patched(plate, matte, offset(0, -60), 1)
    assert near is not None
    assert far is not None
    assert near.overlap > 0.3
    assert far.outside > 0.5
    assert patched(plate, np.zeros_like(matte), offset(0, 24), 1) is None


def test_grain_is_as_strong_in_the_patch_as_around_it() -> None:
    rng = np.random.default_rng(8)
    flat = np.full((100, 120, 3), 0.2, np.float32)
    grainy = flat + rng.normal(0, 0.01, flat.shape).astype(np.float32)
    matte = fill_shape(circle(60, 50, 16), 100, 120, 1.0)
    made = patched(grainy, matte, offset(0.5, 34.5), 3)  # between pixels, where resampling takes the most
    assert made is not None
    inside, outside = matte > 0.98, matte < 0.01
    assert made.picture[inside].std() == pytest.approx(grainy[outside].std(), rel=0.12)
    again = patched(grainy, matte, offset(0.5, 34.5), 3)
    assert again is not None
    assert np.array_equal(made.picture, again.picture)
    other = patched(grainy, matte, offset(0.5, 34.5), 4)
    assert other is not None
    assert not np.array_equal(made.picture, other.picture)  # grain is another at each frame


def test_the_best_source_lies_along_the_streaks_and_is_free() -> None:
    plate, matte = marked(wood())
    found = best_beside([(plate, matte, np.eye(3))], (40.0, 5.0))
    assert found is not None
    assert abs(found.right) < 4
    assert abs(found.down) > 12
    made = patched(plate, matte, offset(found.right, found.down), 1)
    assert made is not None
    assert made.overlap < 0.05
    assert found.then == pytest.approx(made.seam, abs=1e-6)
    assert found.tried > 20
    assert best_beside([(plate, np.zeros_like(matte), np.eye(3))], (0, 0)) is None
    assert best_beside([(plate, np.ones_like(matte), np.eye(3))], (0, 0)) is None  # nothing is left beside it


@pytest.mark.parametrize("direct", [True, False])
def test_the_skin_is_the_harmonic_one(direct: bool, monkeypatch: pytest.MonkeyPatch) -> None:
    """In a disc the values cos(n a) at the rim give (r / R)^n cos(n a) inside (Poisson's formula); slopes stay slopes."""
    if not direct:
        monkeypatch.setattr(patch, "DIRECT", 100)
    radius, middle = 40, 50
    yy, xx = np.mgrid[:100, :100] - middle
    r, a = np.hypot(xx, yy), np.arctan2(yy, xx)
    inner = r < radius
    rim = (r < radius + 3) & ~inner
    values = np.stack([(np.minimum(r / radius, 1) ** 3) * np.cos(3 * a), 0.01 * xx, np.ones_like(r)], axis=2)
    found = patch._stretched(np.where(rim[..., None], values, 0), inner, rim)
    off = np.abs(found - values)[inner]
    assert off[:, 0].max() < 0.06  # the rim is as jagged as its pixels
    assert off[:, 1].max() < (1e-4 if direct else 0.02)
    assert off[:, 2].max() < 1e-4
    assert np.array_equal(found[rim], np.where(rim[..., None], values, 0)[rim].astype(np.float32))


def test_a_skin_is_free_where_the_frame_ends() -> None:
    """A place that runs out of the frame: nothing is known there, so nothing pulls."""
    inner = np.zeros((30, 40), bool)
    inner[:20, 10:30] = True
    rim = np.zeros_like(inner)
    rim[20:23, 10:30] = rim[:20, 7:10] = rim[:20, 30:33] = True
    found = patch._stretched(np.full((30, 40, 3), 0.25), inner, rim)
    assert found[inner] == pytest.approx(0.25, abs=1e-5)
