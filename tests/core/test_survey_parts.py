"""The survey's parts one by one: intruders, small pictures, a frame's scan, spots, dust taken out, similarities."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage
from skimage.transform import SimilarityTransform

from transmixis.core.errors import UserError
from transmixis.core.motion.similarity import Similarity, fit_similarity
from transmixis.core.repair.dusting import filled, put_light_back
from transmixis.core.survey.dust import Spot
from transmixis.core.survey.intruder import find_intruders
from transmixis.core.survey.scan import absent, combed_share, prepare, scan_frame
from transmixis.core.survey.spots import match_spots, peaks, place_spot, radii_for
from transmixis.core.survey.thumbs import Thumbs, some_of

RATE = 24.0


# -- intruders


def with_thing(boxes: dict[int, tuple[int, int, int, int]], n: int = 30) -> list[np.ndarray]:
    """Small pictures of a quiet wall; in some frames (1-based) something dark fills a box x, y, w, h."""
    rng = np.random.default_rng(4)
    wall = 0.2 + 0.1 * ndimage.gaussian_filter(rng.random((72, 128)), 3)[..., None] * np.ones(3)
    out = []
    for i in range(n):
        f = (wall + rng.normal(0, 0.001, wall.shape)).astype(np.float32)
        if i + 1 in boxes:
            x, y, w, h = boxes[i + 1]
            f[y : y + h, x : x + w] *= 0.4
        out.append(f)
    return out


@pytest.mark.parametrize(
    ("box", "edge"),
    [((50, 0, 20, 14), "top"), ((0, 20, 30, 10), "left"), ((100, 20, 28, 10), "right"), ((50, 65, 20, 7), "bottom")],
)
def test_what_reaches_in_over_an_edge_and_goes_again_is_named(box: tuple[int, int, int, int], edge: str) -> None:
    found = find_intruders(with_thing(dict.fromkeys(range(8, 14), box)), np.zeros((30, 3)))
    assert [(f.first, f.last, f.edge) for f in found] == [(8, 13, edge)]
    x, y, w, h = box
    assert found[0].box == pytest.approx((x / 128, y / 72, w / 128, h / 72), abs=0.02)


@pytest.mark.parametrize(
    "boxes",
    [
        dict.fromkeys(range(8, 9), (50, 0, 20, 14)),  # a single frame
        dict.fromkeys(range(3, 29), (50, 0, 20, 14)),  # there all the time
        dict.fromkeys(range(8, 14), (50, 0, 20, 40)),  # reaches too far in: somebody
        dict.fromkeys(range(8, 14), (50, 60, 20, 12)),  # from below, where people stand
        dict.fromkeys(range(8, 14), (20, 0, 80, 14)),  # as wide as a cloud
        dict.fromkeys(range(8, 14), (50, 30, 20, 14)),  # never at an edge
        dict.fromkeys(range(8, 14), (50, 0, 3, 2)),  # too small
        {**dict.fromkeys(range(8, 12), (50, 0, 20, 14)), **dict.fromkeys(range(12, 16), (50, 3, 20, 14))},  # comes off it
    ],
)
def test_other_things_are_no_intruders(boxes: dict[int, tuple[int, int, int, int]]) -> None:
    assert find_intruders(with_thing(boxes), np.zeros((30, 3))) == []


def test_a_dark_channel_that_coding_moved_by_a_step_is_no_intruder() -> None:
    """Grass whose blue lies at 0.003: a code more or less is a sixth of a stop, and happens all over after a key frame."""
    frames = []
    for i in range(30):
        f = np.full((72, 128, 3), [0.06, 0.1, 0.003], np.float32)
        if i < 2:
            f[62:, 30:60, 2] += 0.0011  # 3.6 codes
        frames.append(f)
    assert find_intruders(frames, np.zeros((30, 3))) == []
    for f in frames[:2]:
        f[62:, 30:60] *= 0.6
        f[:5, 60:80] *= 0.6
    assert [x.edge for x in find_intruders(frames, np.zeros((30, 3)))] == ["top"]  # below, it reaches in too far for a stand


def test_a_change_of_the_whole_light_is_no_intruder() -> None:
    frames = [f * 2 ** (0.5 * (i % 2)) for i, f in enumerate(with_thing({}))]
    stops = np.array([[0.5 * (i % 2)] * 3 for i in range(30)])
    assert find_intruders(frames, stops) == []
    assert find_intruders(frames[:4], stops) == []


# -- small pictures


def test_thumbs_are_given_one_at_a_time() -> None:
    scans = [{"thumb": np.full((2, 3, 3), k, np.float16)} for k in range(4)]
    scans[2] = absent("gone")
    thumbs = Thumbs(scans)
    assert len(thumbs) == 4
    assert thumbs[2] is None
    assert thumbs[3].dtype == np.float32  # type: ignore[union-attr]
    assert [None if t is None else float(t[0, 0, 0]) for t in thumbs[1:]] == [1, None, 3]


@given(st.integers(1, 900), st.integers(2, 300))
def test_some_of_many_are_evenly_spread(n: int, most: int) -> None:
    there = [3 * i for i in range(n)]
    few = some_of(there, most)
    assert len(few) <= most
    assert (few[0], few[-1]) == (0, 3 * (n - 1))
    assert set(few) <= set(there)
    assert n > most or few == there
    assert np.ptp(np.diff(few)) <= 3 if len(few) > 1 else True


# -- scan


def test_clipping_is_the_share_of_what_lies_at_white_and_black() -> None:
    picture = np.full((100, 100, 3), 0.2, np.float32)
    picture[:, :, 0] = np.linspace(0.1, 0.6, 100)
    picture[:10] = 1.0
    picture[90:, :, 2] = 0.0
    levels = scan_frame(prepare(picture), None, None)["levels"]
    assert levels[:2] == pytest.approx([0.1, 0.1], abs=0.002)
    assert scan_frame(prepare(picture[10:90]), None, None)["levels"][:2] == pytest.approx([0, 0])


@pytest.mark.parametrize("sigma", [0.8, 2.0, 5.0])
def test_noise_of_a_frame_in_levels(sigma: float) -> None:
    """Gaussian noise on a ramp, 8-bit: found with its rounding (1 / 12 of a level squared)."""
    rng = np.random.default_rng(1)
    code = np.tile(np.linspace(60, 180, 400), (300, 1))
    luma = np.clip(np.round(code + rng.normal(0, sigma, code.shape)), 0, 255).astype(np.uint8)
    grey = ((luma / 255 + 0.055) / 1.055) ** 2.4
    found = scan_frame(prepare(np.repeat(grey[..., None], 3, 2).astype(np.float32)), None, None)["levels"]
    assert found[2] == pytest.approx(np.sqrt(sigma**2 + 1 / 12), rel=0.06)
    assert found[3] < 0.12 * 20 * sigma**2  # a ramp has no detail of its own


def test_teeth_are_told_from_texture() -> None:
    rng = np.random.default_rng(3)
    calm = np.full((100, 160), 90, np.uint8)
    comb = calm.copy()
    comb[1::2, 40:80] += 30
    assert combed_share(calm) == 0
    assert combed_share(comb) == pytest.approx(25, abs=2)
    faint = calm.copy()
    faint[1::2, 40:80] += 8
    assert combed_share(faint) == 0
    checks = calm.copy()
    checks[1::2, ::2] += 30
    checks[::2, 1::2] += 30
    assert combed_share(checks) < 3
    assert combed_share(rng.integers(0, 255, (100, 160)).astype(np.uint8)) < 3
    assert combed_share(calm[:2]) == 0


def test_change_from_frame_to_frame_is_in_levels() -> None:
    a = np.full((64, 96, 3), 0.2, np.float32)
    b = a.copy()
    coded = 1.055 * 0.2 ** (1 / 2.4) - 0.055
    b[:32, :48] = ((coded + 10 / 255 + 0.055) / 1.055) ** 2.4
    first = prepare(a)
    change = scan_frame(prepare(b), first, None)["change"]
    assert change.shape == (4, 6)
    assert change[:2, :3] == pytest.approx(np.full((2, 3), 10), abs=1)
    assert change[2:].max() == 0
    with pytest.raises(UserError, match="at least 16"):
        prepare(np.zeros((15, 40, 3), np.float32))
    assert prepare(np.full((16, 16, 3), 0.1, np.float32)).luma.shape == (16, 16)


# -- spots


@pytest.mark.parametrize("radius", [2.5, 4.0, 6.0])
def test_a_made_spot_is_placed_and_its_depth_found(radius: float) -> None:
    v, u = np.mgrid[0:120, 0:200].astype(np.float64)
    x, y, depth = 83.4, 51.7, 0.12
    picture = -depth * np.exp(-((u - x) ** 2 + (v - y) ** 2) / (2 * (0.75 * radius) ** 2)) + 0.05 + 1e-4 * u
    noisy = (picture + np.random.default_rng(1).normal(0, 0.004, picture.shape)).astype(np.float32)
    trust = np.full(noisy.shape, 1 / 0.004**2, np.float32)
    found = match_spots(noisy, trust)
    places = peaks(found, least_sure=8, least_depth=0.03)
    assert len(places) == 1
    px, py, r = places[0]
    assert np.hypot(px - x, py - y) < 2
    assert found.explains[py, px] > 0.5
    cx, cy, cr, amplitude = place_spot(noisy, trust, px, py, r, float(found.amplitude[py, px]))
    assert (cx, cy) == (pytest.approx(x, abs=0.1), pytest.approx(y, abs=0.1))
    assert cr == pytest.approx(radius, rel=0.08)
    assert amplitude == pytest.approx(-depth, rel=0.08)
    bright = match_spots(-noisy, trust)
    assert peaks(bright, 8, 0.03) == []


def test_spots_are_searched_from_small_to_a_share_of_the_width() -> None:
    radii = radii_for(960)
    assert (radii[0], radii[-1]) == (pytest.approx(1.6), pytest.approx(12))
    ratio = np.diff(np.log(radii))
    assert np.ptp(ratio) < 1e-9
    assert np.exp(ratio[0]) <= 1.39 + 1e-9


def test_what_is_not_trusted_finds_nothing() -> None:
    picture = np.zeros((60, 80), np.float32)
    picture[30, 40] = -1
    found = match_spots(cv2.GaussianBlur(picture, (0, 0), 3), np.zeros((60, 80), np.float32))
    assert peaks(found, 4, 1e-4) == []


# -- dust taken out


def test_light_is_put_back_as_much_as_is_missing() -> None:
    lack = np.full((10, 15), -0.2, np.float32)
    lack[:, 8:] = 0.1  # never taken away
    out = put_light_back(np.full((20, 30, 4), 0.5, np.float32), lack, 1.0)
    assert out[5, 5] == pytest.approx([0.5 * np.exp(0.2)] * 3 + [0.5], rel=1e-3)
    assert out[5, 25, :3] == pytest.approx([0.5] * 3)
    half = put_light_back(np.full((20, 30, 3), 0.5, np.float32), lack, 0.5)
    assert half[5, 5, 0] == pytest.approx(0.5 * np.exp(0.1), rel=1e-3)


def test_a_hidden_place_is_filled_from_around_with_its_grain() -> None:
    rng = np.random.default_rng(2)
    v, u = np.mgrid[0:80, 0:100].astype(np.float32)
    truth = (0.2 + 0.002 * u)[..., None].repeat(3, 2)
    picture = (truth + rng.normal(0, 0.004, truth.shape)).astype(np.float32)
    hurt = picture.copy()
    hurt[np.hypot(u - 50, v - 40) < 6] = 0.01
    spot = Spot(50.0, 40.0, 6.0, 0.9)
    out = filled(hurt, [spot], 1)
    there = np.hypot(u - 50, v - 40) < 6
    assert np.abs((out - truth)[there]).mean() < 0.01
    assert 0.4 * 0.004 < (out - truth)[there].std() < 2.5 * 0.004
    far = np.hypot(u - 50, v - 40) > 13
    assert np.array_equal(out[far], hurt[far])
    assert np.array_equal(filled(hurt, [spot], 1), out)
    assert not np.array_equal(filled(hurt, [spot], 2), out)


# -- similarity


@settings(max_examples=50)
@given(
    st.floats(-50, 50), st.floats(-50, 50), st.floats(-170, 170), st.floats(0.3, 3), st.floats(-100, 100), st.floats(-100, 100)
)  # fmt: skip
def test_similarities_are_those_of_scikit_image(x: float, y: float, turn: float, grow: float, px: float, py: float) -> None:
    s = Similarity(x, y, turn, grow, (px, py))
    there = (
        SimilarityTransform(translation=(px + x, py + y)).params
        @ SimilarityTransform(scale=grow, rotation=-np.radians(turn)).params
    )
    want = there @ SimilarityTransform(translation=(-px, -py)).params
    assert s.matrix == pytest.approx(want[:2], abs=1e-6)
    points = np.array([[0.0, 0.0], [10.0, 3.0], [-4.0, 20.0]])
    assert s.inverse().apply(s.apply(points)) == pytest.approx(points, abs=1e-6)
    assert s.about((7, -3)).apply(points) == pytest.approx(s.apply(points), abs=1e-6)
    other = Similarity(1, 2, 17.0, 1.1, (5, 5))
    assert other.after(s).apply(points) == pytest.approx(other.apply(s.apply(points)), abs=1e-6)
    half = s.scaled(0.5)
    assert half.apply(points * 0.5) == pytest.approx(s.apply(points) * 0.5, abs=1e-6)
    fitted = fit_similarity(points, s.apply(points), np.array([1.0, 2.0, 0.5]), (px, py))
    assert fitted.apply(points) == pytest.approx(s.apply(points), abs=1e-6)


def test_points_on_one_spot_tell_no_similarity() -> None:
    with pytest.raises(UserError, match="one spot"):
        fit_similarity(np.ones((3, 2)), np.zeros((3, 2)))
    source, target = np.array([[0.0, 0], [10, 0], [0, 10], [5, 5]]), np.array([[1.0, 0], [11, 0], [1, 10], [40, 40]])
    assert fit_similarity(source, target, np.array([1, 1, 1, 1e-9])).x == pytest.approx(1, abs=1e-5)  # weights are heeded
