"""The key's parts one by one, against their definitions computed plainly (numpy, scipy)."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage

from transmixis.core.matte import error, expand
from transmixis.core.matte.convolve import fill_unknown, grow, shrink, weighted_blur
from transmixis.core.matte.difference import channels_of, colour_difference
from transmixis.core.matte.edges import shrink_matte
from transmixis.core.matte.empty import lone_marks
from transmixis.core.matte.measure import (
    boil_reading,
    edge_width_reading,
    evenness_reading,
    holes_reading,
    leak_reading,
    region_box,
)
from transmixis.core.matte.points import HOLE_LIMIT, LEAK_LIMIT, inside_and_pits, propose_points, visible_share
from transmixis.core.matte.shape import fill_shape, hull_around

RNG = np.random.default_rng(3)
GREEN, BLUE = channels_of("green"), channels_of("blue")


def channels(kind: str) -> np.ndarray:
    ch = channels_of(kind)  # type: ignore[arg-type]
    return np.array([ch.screen, ch.first, ch.second])


def test_the_colour_difference_of_vlahos() -> None:
    colours = np.array([[0.1, 0.5, 0.2], [0.4, 0.5, 0.1], [0.6, 0.5, 0.9], [0.3, 0.3, 0.3]])
    assert colour_difference(colours, GREEN) == pytest.approx([0.3, 0.1, -0.4, 0])
    assert colour_difference(colours, BLUE) == pytest.approx([-0.3, -0.4, 0.3, 0])


@pytest.mark.parametrize("channels", [2, 4, 6, 9])
def test_means_of_areas_whatever_the_number_of_channels(channels: int) -> None:
    x = RNG.random((12, 20, channels)).astype(np.float32)
    want = x.reshape(4, 3, 5, 4, channels).mean(axis=(1, 3))
    assert np.abs(shrink(x, 5, 4) - want).max() < 1e-6
    flat = np.full((3, 5, channels), 0.7, np.float32)
    assert np.allclose(grow(flat, 11, 7), 0.7)
    assert grow(flat, 11, 7).shape == (7, 11, channels)
    ramp = np.repeat(np.arange(5, dtype=np.float32)[None, :, None], 3, 0).repeat(channels, 2)
    assert grow(ramp, 10, 3)[1, 2:8, -1] == pytest.approx(np.arange(2, 8) / 2 - 0.25, abs=1e-6)  # pixel centres at +0.5


@pytest.mark.parametrize("sigma", [1.5, 6.0])
def test_a_mean_of_what_is_known_is_normalised_convolution(sigma: float) -> None:
    """Knutsson & Westin, 1993: blurred value times weight over blurred weight, here by scipy on the full grid."""
    x = RNG.random((60, 80, 5)).astype(np.float32)
    w = (RNG.random((60, 80)) < 0.4).astype(np.float32)
    num, den = weighted_blur(x, w, sigma)
    want_den = ndimage.gaussian_filter(w, sigma, mode="mirror", truncate=6)
    want = np.stack([ndimage.gaussian_filter(x[..., c] * w, sigma, mode="mirror", truncate=6) for c in range(5)], -1)
    inside = (slice(12, -12), slice(12, -12))
    off = np.abs(num / den[..., None] - want / want_den[..., None])[inside]
    assert off.mean() < 0.004
    assert off.max() < 0.03
    assert np.abs(den - want_den)[inside].max() < 0.02


def test_the_unknown_is_filled_from_around_and_the_known_is_kept_smooth() -> None:
    v, u = np.mgrid[0:64, 0:96].astype(np.float32)
    plane = (0.2 + 0.003 * u + 0.002 * v)[..., None].repeat(3, 2)
    known = np.ones((64, 96), np.float32)
    known[20:44, 30:60] = 0
    broken = plane.copy()
    broken[20:44, 30:60] = 9.0
    out = fill_unknown(broken, known, (2.0, 6.0, 20.0, 60.0))
    assert np.abs(out - plane)[known > 0].max() < 0.06
    assert np.abs(out - plane).mean() < 0.01
    assert out.max() < 0.7  # nothing of what is unknown gets in
    alone = np.zeros((64, 96), np.float32)
    alone[:8, :8] = 1
    assert (
        np.abs(fill_unknown(np.where(alone[..., None] > 0, 0.3, 7.0).astype(np.float32), alone, (2.0, 90.0)) - 0.3).max() < 0.01
    )
    with pytest.raises(ValueError, match="sigma"):
        fill_unknown(plane, known, ())


def test_a_constant_stays_what_it_is_however_little_is_known() -> None:
    w = np.zeros((40, 50), np.float32)
    w[5, 7] = w[30, 40] = 0.5
    out = fill_unknown(np.full((40, 50, 4), 0.4, np.float32), w, (3.0, 9.0, 80.0), support=0.5)
    assert np.abs(out - 0.4).max() < 1e-3


@given(st.integers(0, 9999))
@settings(max_examples=20)
def test_errors_of_a_matte_by_their_definitions(seed: int) -> None:
    """Rhemann et al., CVPR 2009."""
    rng = np.random.default_rng(seed)
    a, t = rng.random((2, 3, 20, 24))
    assert error.sad(a[0], t[0]) == pytest.approx(np.abs(a[0] - t[0]).sum())
    assert error.mse(a[0], t[0]) == pytest.approx(((a[0] - t[0]) ** 2).sum() / 480)
    ga, gt = (np.hypot(*(ndimage.gaussian_filter(x[0], 1.4, order=o, mode="nearest") for o in ((0, 1), (1, 0)))) for x in (a, t))
    assert error.gradient_error(a[0], t[0]) == pytest.approx(((ga - gt) ** 2).sum())
    steps = [np.abs((a[k + 1] - t[k + 1]) - (a[k] - t[k])).mean() for k in range(2)]
    assert error.chatter(a, t) == pytest.approx(np.mean(steps))
    assert error.chatter(t + 0.1, t) == pytest.approx(0, abs=1e-12)  # a constant bias does not boil
    assert error.chatter(a[:1], t[:1]) == 0
    assert error.psnr(a[0], t[0]) == pytest.approx(-10 * np.log10(((a[0] - t[0]) ** 2).mean()))
    assert error.psnr(t[0], t[0]) == np.inf


@pytest.mark.parametrize("kind", ["green", "blue"])
def test_spill_is_the_screens_own_light(kind: str) -> None:
    """What goes is the same multiple of the screen in all three channels: as much as brings the colour difference down by `amount`."""
    ch = channels_of(kind)  # type: ignore[arg-type]
    screen = np.full((2, 3, 3), [0.05, 0.3, 0.08] if kind == "green" else [0.03, 0.08, 0.3], np.float32)
    clean = np.float32([0.4, 0.3, 0.3])
    for amount in (0.0, 0.5, 1.0):
        fore = np.broadcast_to(clean + 0.7 * screen[0, 0], (2, 3, 3)).copy()
        before = float(colour_difference(fore[0, 0], ch))
        expand.remove_spill(fore, screen, np.ones((2, 3), np.float32), channels(kind), np.float32(amount))
        part = amount * max(before, 0) / float(colour_difference(screen[0, 0], ch))
        want = clean + 0.7 * screen[0, 0] - part * screen[0, 0]
        assert fore[1, 2] == pytest.approx(want, abs=1e-5)
    untouched = np.broadcast_to(np.float32([0.4, 0.2, 0.2]), (2, 3, 3)).copy()
    expand.remove_spill(untouched, screen, np.ones((2, 3), np.float32), channels(kind), np.float32(1))
    assert untouched[0, 0] == pytest.approx([0.4, 0.2, 0.2])


@pytest.mark.parametrize(("h", "w"), [(8, 12), (9, 13)])
@pytest.mark.parametrize("picture", [True, False])
def test_the_screen_is_its_base_times_a_smooth_ratio(h: int, w: int, picture: bool) -> None:
    """Spread to full size; beside it the difference matte of a neutral subject, and the power against the noise law, in 2 x 2 blocks."""
    rng = np.random.default_rng(h)
    base = rng.uniform(0.05, 0.4, (h, w, 3) if picture else (1, 1, 3)).astype(np.float32) * np.float32([0.3, 1.0, 0.4])
    ratio = np.full((3, 4, 3), np.float32(1.2))
    truth = np.broadcast_to(base * 1.2, (h, w, 3)).astype(np.float32)
    frame = truth.copy()
    frame[2:4, 4:6] += np.float32([0.3, -0.05, 0.2])
    law = np.array([[1e-3, 1e-5], [2e-3, 2e-5], [3e-3, 3e-5]], np.float32)
    screen, halves = np.zeros((h, w, 3), np.float32), np.zeros((2, h // 2, w // 2, 3), np.float32)
    neutral, power = np.zeros((h // 2, w // 2), np.float32), np.zeros((h // 2, w // 2), np.float32)
    expand.spread_screen(base, ratio, screen)
    assert np.abs(screen - truth).max() < 1e-5
    expand.compare_halves(frame, base, ratio, law, channels("green"), halves, neutral, power)
    blocks = (slice(0, h // 2 * 2), slice(0, w // 2 * 2))
    s = truth[blocks].reshape(h // 2, 2, w // 2, 2, 3).mean(axis=(1, 3))
    f = frame[blocks].reshape(h // 2, 2, w // 2, 2, 3).mean(axis=(1, 3))
    assert halves == pytest.approx(np.stack([f, s]), abs=1e-6)
    want = (4 * (f - s) ** 2 / (law[:, 0] * s + law[:, 1] + 4e-4 * s * s)).sum(axis=2)
    assert power == pytest.approx(want, rel=1e-3, abs=1e-4)
    left = 1 - colour_difference(f, GREEN) / np.maximum(colour_difference(s, GREEN), 1e-4)
    assert neutral == pytest.approx(left, abs=2e-4)


def test_the_ratio_runs_evenly_from_one_place_to_the_next() -> None:
    """A ratio that rises from left to right is spread as a straight line between the centres of its grid."""
    h, w, gw = 4, 40, 5
    ratio = np.repeat(np.linspace(1.0, 2.0, gw, dtype=np.float32)[None, :, None], 2, 0).repeat(3, 2)
    screen = np.zeros((h, w, 3), np.float32)
    base = np.full((1, 1, 3), 0.5, np.float32)
    expand.spread_screen(base, np.ascontiguousarray(ratio), screen)
    frame, law = np.zeros((h, w, 3), np.float32), np.full((3, 2), 1e-3, np.float32)
    halves, rest = np.zeros((2, h // 2, w // 2, 3), np.float32), np.zeros((2, h // 2, w // 2), np.float32)
    expand.compare_halves(frame, base, np.ascontiguousarray(ratio), law, channels("green"), halves, rest[0], rest[1])
    assert halves[1, 0] == pytest.approx(screen[1, ::2], abs=1e-6)
    middles = (np.arange(0, w, 2) + 1) * gw / w - 0.5  # of blocks of two, in grid places
    want = 0.5 * (1 + np.clip(middles, 0, gw - 1) / (gw - 1))
    assert screen[1, ::2, 1] == pytest.approx(want, abs=2e-3)
    turned = np.zeros((w, h, 3), np.float32)
    expand.spread_screen(base, np.ascontiguousarray(ratio.transpose(1, 0, 2)), turned)
    assert turned.transpose(1, 0, 2)[1, ::2, 1] == pytest.approx(want, abs=2e-3)
    low = np.zeros((2, w // 2, h // 2, 3), np.float32)
    rest = np.zeros((2, w // 2, h // 2), np.float32)
    down = np.ascontiguousarray(ratio.transpose(1, 0, 2))
    expand.compare_halves(np.zeros((w, h, 3), np.float32), base, down, law, channels("green"), low, rest[0], rest[1])
    assert low[1, :, 0] == pytest.approx(turned[::2, 1], abs=1e-6)


@pytest.mark.parametrize("px", [1.0, 2.0, 3.0, -1.0, -2.0, -3.0])
def test_whole_pixels_are_grey_erosion_by_a_disc(px: float) -> None:
    a = ndimage.gaussian_filter(RNG.random((40, 50)), 2).astype(np.float32)
    r = int(abs(px))
    v, u = np.mgrid[-r : r + 1, -r : r + 1]
    disc = u**2 + v**2 <= (r + 0.3) ** 2
    way = ndimage.minimum_filter if px > 0 else ndimage.maximum_filter
    inside = (slice(4, -4), slice(4, -4))
    assert np.abs(shrink_matte(a, px) - way(a, footprint=disc))[inside].max() < 1e-6
    half = shrink_matte(a, px + 0.25 * np.sign(px))
    more = np.mgrid[-r - 1 : r + 2, -r - 1 : r + 2]
    further = way(a, footprint=(more**2).sum(axis=0) <= (r + 1.3) ** 2)
    assert np.abs(half - (0.75 * way(a, footprint=disc) + 0.25 * further))[inside].max() < 1e-6


def test_a_box_is_filled_to_the_part_of_a_pixel_that_it_covers() -> None:
    """Pixel n reaches from n to n + 1: a box from 2.5 to 6.25 takes half of pixel 2 and a quarter of pixel 6."""
    m = fill_shape([(2.5, 1), (6.25, 1), (6.25, 4), (2.5, 4)], 6, 9)
    assert m[2] == pytest.approx([0, 0, 0.5, 1, 1, 1, 0.25, 0, 0], abs=1e-6)
    assert (m[0].max(), m[4:].max()) == (0, 0)
    assert m.sum() == pytest.approx(3.75 * 3, abs=1e-5)
    narrow = fill_shape([(3.2, 0.5), (3.6, 0.5), (3.6, 2), (3.2, 2)], 4, 8)
    assert narrow[:, 3] == pytest.approx([0.2, 0.4, 0, 0], abs=1e-6)
    crossed = fill_shape([(0, 0), (8, 8), (8, 0), (0, 8)], 8, 8)  # an hour glass on its side: two triangles
    assert crossed.sum() == pytest.approx(32, abs=0.1)


@given(st.integers(0, 10_000))
@settings(max_examples=25)
def test_shapes_of_any_kind_have_their_area_even_beyond_the_frame(seed: int) -> None:
    """The shoelace formula for a triangle, clipped against the frame by counting on a fine grid."""
    rng = np.random.default_rng(seed)
    p = rng.uniform(-20, 80, (3, 2))
    m = fill_shape([tuple(q) for q in p], 60, 60)
    u, v = np.meshgrid((np.arange(600) + 0.5) / 10, (np.arange(600) + 0.5) / 10)
    sides = [(p[(k + 1) % 3, 0] - p[k, 0]) * (v - p[k, 1]) - (p[(k + 1) % 3, 1] - p[k, 1]) * (u - p[k, 0]) for k in range(3)]
    inside = np.all([s >= 0 for s in sides], axis=0) | np.all([s <= 0 for s in sides], axis=0)
    assert m.sum() == pytest.approx(inside.mean() * 3600, abs=2.5)
    assert 0 <= m.min() <= m.max() <= 1


def test_a_feather_keeps_the_area_and_spreads_the_edge() -> None:
    hard, soft = (fill_shape([(20, 20), (60, 20), (60, 60), (20, 60)], 80, 80, f) for f in (0.0, 3.0))
    assert soft.sum() == pytest.approx(hard.sum(), rel=1e-3)
    step = np.gradient(soft[40, :40])
    at = np.arange(40)
    mean = (step * at).sum() / step.sum()
    assert mean == pytest.approx(19.5, abs=0.1)  # the edge itself stays
    assert np.sqrt((step * (at - mean) ** 2).sum() / step.sum()) == pytest.approx(3.0, abs=0.25)


def test_a_hull_keeps_its_distance() -> None:
    m = np.zeros((200, 300), np.float32)
    cv2.circle(m, (150, 100), 40, 1.0, -1)
    m[5, 5] = 1.0  # a single grain is none of it
    for margin in (4.0, 15.0):
        points = np.array(hull_around(m, margin))
        away = np.hypot(*(points - [150.5, 100.5]).T)
        assert away == pytest.approx(np.full(len(points), 40 + margin), abs=1.5)
        assert len(points) <= 12


def test_the_largest_piece_is_named() -> None:
    mask = np.zeros((30, 40), bool)
    mask[2:5, 3:7] = True
    mask[10:20, 20:29] = True
    assert region_box(mask) == (20, 10, 9, 10)
    assert region_box(np.zeros((5, 5), bool)) is None


def test_what_cannot_be_read_says_so_instead_of_a_number() -> None:
    none = np.zeros((60, 80), np.float32)
    assert leak_reading(none, none > 1).value is None
    assert holes_reading(none).value is None
    assert edge_width_reading(none).value is None
    result = type("R", (), {"sure_screen": none, "screen": np.ones((60, 80, 3), np.float32)})()
    assert evenness_reading(result).value is None  # type: ignore[arg-type]


def test_what_a_garbage_matte_hides_is_no_leak() -> None:
    alpha, screen, inside = np.zeros((60, 80), np.float32), np.ones((60, 80), bool), np.ones((60, 80), np.float32)
    alpha[:6], inside[:3] = 0.2, 0
    assert leak_reading(alpha, screen).value == pytest.approx(10)
    hidden = leak_reading(alpha, screen, inside)
    assert hidden.value == pytest.approx(5)
    assert hidden.spot == (0, 3, 80, 3)
    alpha[:6] = 0.029  # below what is seen: 3 % (docs/limits.md)
    assert leak_reading(alpha, screen).value == 0
    alpha[:6] = 0.031
    assert leak_reading(alpha, screen).value == pytest.approx(10)


def test_boil_is_what_changes_where_the_plate_did_not() -> None:
    rng = np.random.default_rng(5)
    law = np.tile(np.array([[0.0, 1e-5]]), (3, 1))
    frame, before = (0.3 + rng.normal(0, np.sqrt(1e-5), (100, 140, 3)).astype(np.float32) for _ in range(2))
    alpha = np.zeros((100, 140), np.float32)
    alpha[:, 60:80] = 0.5
    held = alpha - 0.04
    found = boil_reading(alpha, np.maximum(held, 0), frame, before, law)
    assert found.value == pytest.approx(4.0, abs=0.1)  # % of alpha
    assert found.spot is None
    worse = alpha.copy()
    worse[20:30, 60:80] = 0.1
    assert boil_reading(worse, alpha, frame, before, law).spot == (60, 20, 20, 10)
    moving = frame.copy()
    moving[:, 50:90] += 0.2
    assert boil_reading(alpha, held, moving, before, law).value is None
    few = np.zeros_like(alpha)
    few[:10, :19] = 0.5
    assert boil_reading(few, few, frame, frame, law).value is None
    few[:10, :21] = 0.5
    assert boil_reading(few, few, frame, frame, law).value == 0


def ring(holes: list[tuple[int, int, int, int]]) -> np.ndarray:
    """A solid block of 120 x 200 in a frame of 200 x 300, with thin places x, y, w, h."""
    alpha = np.zeros((200, 300), np.float32)
    alpha[40:160, 50:250] = 1.0
    for x, y, w, h in holes:
        alpha[y : y + h, x : x + w] = 0.5
    return alpha


def test_small_gaps_of_the_inside_are_pits_and_large_ones_are_meant() -> None:
    """Under 0.05 % of the frame (30 px) it is a pit; what is larger, as between arm and body, is no part of the inside."""
    inner, pits = inside_and_pits(ring([(100, 80, 4, 6)]))
    assert pits.sum() == 24
    assert inner[80:86, 100:104].all()
    _, none = inside_and_pits(ring([(100, 80, 40, 30)]))
    assert none.sum() == 0
    open_to_the_edge = ring([])
    open_to_the_edge[:, 200:] = 1.0  # the block reaches the frame's right side
    open_to_the_edge[100:105, 297:300] = 0.2
    assert inside_and_pits(open_to_the_edge)[1][:, 294:].sum() == 0  # a nick of the outline is no pit
    shallow = ring([])
    shallow[80:86, 100:104] = 0.98
    assert inside_and_pits(shallow)[1].sum() == 0


def screen_with(crosses: list[tuple[int, int, int]]) -> tuple[np.ndarray, np.ndarray]:
    """A green screen with crosses x, y and half their size, and the bare screen."""
    screen = np.full((200, 320, 3), [0.05, 0.3, 0.08], np.float32)
    frame = screen.copy()
    for x, y, r in crosses:
        frame[y - 1 : y + 2, x - r : x + r + 1] = frame[y - r : y + r + 1, x - 1 : x + 2] = 0.2
    return frame, screen


@pytest.mark.parametrize(
    ("crosses", "found"),
    [
        ([(50, 50, 4), (150, 60, 4), (250, 70, 4)], 3),
        ([(50, 50, 4), (150, 60, 4)], 0),  # two may be anything
        ([(50, 50, 4), (150, 60, 4), (250, 70, 4), (100, 150, 1)], 3),  # a speck is none of the set
        ([(50, 50, 4), (150, 60, 4), (250, 70, 4), (258, 78, 4)], 0),  # two of them stand too near each other
        ([(50, 60, 40), (150, 60, 40), (250, 60, 40)], 0),  # too large
    ],
)
def test_lone_marks_are_three_of_a_size_that_stand_clear(crosses: list[tuple[int, int, int]], found: int) -> None:
    frame, screen = screen_with(crosses)
    marks = lone_marks(frame, screen, GREEN)
    assert cv2.connectedComponents(marks.astype(np.uint8))[0] - 1 == found
    if found:
        for x, y, _ in crosses[:3]:
            assert marks[y, x]
        assert marks.mean() < 0.02


def test_points_bring_leak_and_holes_under_half_of_their_limits() -> None:
    rng = np.random.default_rng(1)
    leaky = np.abs(rng.normal(0, 0.02, 20_000))
    share = visible_share(leaky, 0.0, 1.0)
    p = propose_points(leaky, share, np.zeros(0), 0.0)
    assert share > LEAK_LIMIT
    assert visible_share(leaky, p.black, p.white) < 0.6 * LEAK_LIMIT
    assert p.white == 1.0
    pits = 1 - rng.uniform(0.03, 0.06, 100)
    q = propose_points(leaky, 0.0, pits, 2 * HOLE_LIMIT)
    assert q.black == 0
    assert 0.95 <= q.white < 1
    assert (propose_points(leaky, 0.0, pits, 0.0).black, propose_points(leaky, 0.0, pits, 0.0).white) == (0, 1)
    close = propose_points(leaky, 0.0, np.full(50, 0.935), 2 * HOLE_LIMIT)  # all alike: 0.935 / 0.96 is within 3 % of solid
    assert close.white == 0.96
    assert propose_points(np.r_[np.zeros(990), np.full(10, 0.0591)], 1.0, pits, 0.0).black == 0.03  # hundredths, to the safe side
    assert propose_points(np.r_[np.zeros(990), np.full(10, 0.0602)], 1.0, pits, 0.0).black == 0.04
    assert propose_points(np.r_[np.zeros(990), np.full(10, 0.0301)], 1.0, pits, 0.0).black == 0.01
    just = np.r_[np.zeros(990), np.full(10, 0.129)]  # what lies at 0.126 or under shows no more with a point of 0.10
    assert propose_points(just, 1.0, pits, 0.0).black == 0.10  # and no further
    assert propose_points(np.full(100, 0.9), 100.0, pits, 0.0).black == 0.0  # which would take hair and clear nothing
    assert propose_points(leaky, 0.0, np.full(50, 0.5), 2 * HOLE_LIMIT).white == 1.0  # nor does a white point close that
    assert visible_share(np.zeros(0), 0, 1) == 0


def test_a_plate_without_grain_is_judged_as_if_a_camera_had_made_it() -> None:
    """What is read keeps to what was measured; pixels are judged by no less than the least law, and by the plate's own above it."""
    from transmixis.core.matte.keyer import LEAST_LAW, KeyModel, learn_shot

    plate = np.full((120, 200, 3), (0.05, 0.3, 0.06), np.float32)
    plate[40:, 80:130] = (0.4, 0.3, 0.25)
    quiet = learn_shot([plate, plate])
    assert isinstance(quiet, KeyModel)
    assert (quiet.law < LEAST_LAW).all()
    np.testing.assert_allclose(quiet.cautious, np.broadcast_to(LEAST_LAW, (3, 2)), rtol=1e-6)
    loud = learn_shot([(plate + RNG.normal(0, 0.01, plate.shape)).astype(np.float32) for _ in range(2)])
    assert isinstance(loud, KeyModel)
    assert (loud.cautious >= loud.law).all()
    assert (loud.cautious[:, 1] + loud.cautious[:, 0] * 0.1 > 5e-5).all()
