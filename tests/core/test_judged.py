"""Readings of a drawn border, on pictures whose edges are known by construction."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from scipy import special

from transmixis.core.matte.outline import crossing, sampled
from transmixis.core.roto.cover import covered
from transmixis.core.roto.joined import ADD, MEET, SUBTRACT, Border, idle, joined
from transmixis.core.roto.judged import _stood, crept, edges_across, idle_names

SIZE = (160, 200)
INSIDE, OUTSIDE = np.float32([0.5, 0.2, 0.1]), np.float32([0.05, 0.2, 0.4])
ANGLES = np.linspace(0, 2 * np.pi, 96, endpoint=False)
RNG = np.random.default_rng(2)


def ring(radius: float = 50.0, x: float = 100.0, y: float = 80.0) -> np.ndarray:
    return np.stack([x + radius * np.cos(ANGLES), y + radius * np.sin(ANGLES)], 1)


def fall(sigma: float, radius: float = 50.0) -> np.ndarray:
    """A disc whose edge is a step blurred by a gaussian of `sigma` px."""
    v, u = np.mgrid[0 : SIZE[0], 0 : SIZE[1]] + 0.5
    return (0.5 * special.erfc((np.hypot(u - 100, v - 80) - radius) / (np.sqrt(2) * sigma))).astype(np.float32)


def picture(sigma: float) -> np.ndarray:
    a = fall(sigma)[..., None]
    noisy = a * INSIDE + (1 - a) * OUTSIDE + RNG.normal(0, 0.002, (*SIZE, 3))
    return noisy.astype(np.float32)


@pytest.mark.parametrize("way", [1, -1])
@pytest.mark.parametrize(("own", "edge"), [(2.0, 2.0), (4.0, 2.0), (1.0, 3.0)])
def test_the_border_s_width_is_compared_with_the_picture_s(own: float, edge: float, way: int) -> None:
    """A blurred step falls over sqrt(2 pi) sigma at its steepest; both are smoothed alike by 0.7 px, whichever way round the outline runs."""
    found = edges_across(picture(edge), fall(own), ring()[::way], 3 * max(own, edge))
    want = np.sqrt(2 * np.pi) * (np.hypot(own, 0.7) - np.hypot(edge, 0.7))
    assert len(found.width) > 80
    assert np.median(found.width) == pytest.approx(want, abs=0.3)
    assert found.places.shape == (len(found.width), 2)


def test_what_is_shown_of_the_other_side_is_measured() -> None:
    """What a matte shows too much is the area between both falls: a border 2 px too far out shows nearly 2 px; the right one next to nothing."""
    plate = picture(1.5)
    right = edges_across(plate, fall(1.5), ring(), 5.0)
    assert right.shown.mean() < 0.08
    wide = fall(1.5, 52.0)
    t = np.arange(-12, 12, 0.01)
    m, p = (0.5 * special.erfc((t - r) / (np.sqrt(2) * 1.5)) for r in (2.0, 0.0))
    want = (np.maximum(m - p, 0) * ((m > 0.02) & (m < 0.98))).sum() * 0.01
    assert edges_across(plate, wide, ring(52.0), 5.0).shown.mean() == pytest.approx(want, abs=0.1)


def test_places_lie_on_the_outline_and_samples_where_they_say() -> None:
    """A picture of its own columns and rows: what is read across a vertical side is where it lies."""
    v, u = np.mgrid[0:60, 0:80].astype(np.float64) + 0.5
    places, at, across = crossing(np.array([[40.0, 10], [60, 10], [60, 50], [40, 50]]), 4.0, (60, 80))
    assert across[[0, -1]] == pytest.approx([-4, 4])
    read = sampled(np.dstack([u, v]), at)
    left = np.abs(places[:, 0] - 40) < 1e-6
    assert left.sum() >= 10
    assert np.abs(read[left][:, :, 0] - 40) == pytest.approx(np.broadcast_to(np.abs(across), read[left][:, :, 0].shape))
    assert read[left][:, :, 1] == pytest.approx(np.broadcast_to(places[left][:, 1:], read[left][:, :, 1].shape))
    near = crossing(np.array([[4.0, 10], [20, 10], [20, 50], [4, 50]]), 4.0, (60, 80))[0]
    assert (near[:, 0] > 4 + 1e-6).any()
    assert not (np.abs(near[:, 0] - 4) < 1e-6).any()  # its lines would leave the picture
    assert len(crossing(np.zeros((0, 2)), 4.0, (60, 80))[0]) == 0


def test_sides_that_hardly_differ_or_vary_themselves_are_no_edge() -> None:
    alpha = fall(1.5)[..., None]
    for inner, outer, plain in (((0.2, 0.2, 0.2), (0.205, 0.2, 0.2), False), ((0.2, 0.2, 0.2), (0.22, 0.2, 0.2), True),
                                ((0.003, 0, 0), (0, 0, 0), False), ((0.006, 0, 0), (0, 0, 0), True)):  # fmt: skip
        flat = (alpha * np.float32(inner) + (1 - alpha) * np.float32(outer)).astype(np.float32)
        assert (len(edges_across(flat, fall(1.5), ring(), 5.0).width) > 0) == plain, (inner, outer)
    grain = RNG.normal(0, 1.5, (*SIZE, 1)).astype(np.float32)  # of the very colours that part the sides
    assert len(edges_across(picture(1.5) + grain * (INSIDE - OUTSIDE), fall(1.5), ring(), 5.0).width) < 30
    assert len(edges_across(picture(1.5) + 0.1 * grain * (INSIDE - OUTSIDE), fall(1.5), ring(), 5.0).width) > 90


def test_no_plain_edge_is_no_reading() -> None:
    flat = np.full((*SIZE, 3), 0.2, np.float32)
    assert len(edges_across(flat, fall(1.0), ring(), 3.0).width) == 0
    assert len(edges_across(picture(1.0), np.ones(SIZE, np.float32), ring(), 3.0).width) == 0  # another shape covers it
    assert len(edges_across(picture(1.0), fall(1.0), ring(50, -60, 0), 3.0).width) == 0
    assert len(edges_across(picture(1.0), fall(1.0), np.zeros((0, 2)), 3.0).width) == 0


def test_an_outline_that_wanders_over_still_ground_creeps() -> None:
    """0.8 px a frame over a still texture; the same way with the texture going along; and no texture."""
    texture = 100 + cv2.GaussianBlur(RNG.normal(0, 60, SIZE).astype(np.float32), (0, 0), 1.5)
    line, was = ring(40.0, 100.8), ring(40.0, 100.0)
    told = crept(texture, texture, line, was)
    assert told is not None
    assert told[0] == pytest.approx(0.8, abs=0.05)
    x, _, w, _ = told[1]
    assert abs(x + w / 2 - 100) > 30  # at a side, where the way goes across
    shift = np.float32([[1, 0, 0.8], [0, 1, 0]])
    along = cv2.warpAffine(texture, shift, SIZE[::-1], flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    moved = crept(along, texture, line, was)
    assert moved is not None
    assert moved[0] < 0.1
    stays = crept(texture, texture, was, was)
    assert stays is not None
    assert stays[0] == 0
    assert crept(np.full(SIZE, 90.0), np.full(SIZE, 90.0), line, was) is None
    half = texture.copy()  # the window lies within the outline: what changes outside of it has no say
    v, u = np.mgrid[0 : SIZE[0], 0 : SIZE[1]]
    half[np.hypot(u + 0.5 - 100, v + 0.5 - 80) > 42] += 40
    outside = crept(half, texture, line, was)
    assert outside is not None
    assert outside[0] == pytest.approx(0.8, abs=0.05)
    changed = crept(texture + RNG.normal(0, 25, SIZE).astype(np.float32), texture, line, was)
    assert changed is not None
    assert changed[0] == 0  # neither here nor there: it did not stand still
    around = crept(texture, texture, line[::-1], was[::-1])
    assert around is not None
    assert around[0] == pytest.approx(0.8, abs=0.05)


def border(line: np.ndarray, joins: str = ADD, group: str = "") -> Border:
    return Border((line,), np.zeros(len(line)), np.zeros(len(line)), joins=joins, group=group)


def test_outlines_that_do_nothing_are_found() -> None:
    large, small, apart = ring(50), ring(20), ring(10, 20, 20)
    assert idle([border(large), border(small)], *SIZE) == [1]  # within the first
    assert idle([border(small), border(large)], *SIZE) == [0]  # covered by the second
    assert idle([border(large), border(small, SUBTRACT), border(apart)], *SIZE) == []
    assert idle([border(large), border(apart, SUBTRACT)], *SIZE) == [1]  # takes away where nothing is
    assert idle([border(small), border(large, MEET)], *SIZE) == [1]
    assert idle([border(large, group="a"), border(small, SUBTRACT, "b"), border(apart, ADD, "a")], *SIZE) == []
    assert idle([], *SIZE) == []
    assert joined([border(large)], *SIZE) == pytest.approx(covered(large, *SIZE))


def test_idle_ones_are_named() -> None:
    assert idle_names(["arm", "leg"], [1]) == "leg changes nothing here"
    assert idle_names(["arm", "leg"], [0, 1]) == "arm, leg change nothing here"
    assert idle_names(["arm"], []) == ""


def test_the_window_is_about_its_place() -> None:
    """Eleven pixels square stay the same, all else is another picture: only a window that lies there stood still."""
    rng = np.random.default_rng(6)  # its own: what other tests have drawn before must not decide
    before, now = rng.normal(100, 30, (2, 60, 80))
    now += 150  # another picture by far, so that a single row of it tells
    now[20:31, 40:51] = before[20:31, 40:51]
    places = np.array([[45.5, 25.5], [46.5, 25.5], [44.5, 25.5], [45.5, 26.5], [45.5, 24.5]])
    told, stood = _stood(now, before, places, np.full((5, 2), 3.0))
    assert told.all()
    assert stood.tolist() == [True, False, False, False, False]
    corner = np.array([[5.0, 30.0], [5.5, 30.0], [75.0, 30.0], [74.5, 30.0], [40.0, 55.0], [40.0, 54.5]])
    assert _stood(now, before, corner, np.ones((6, 2)))[0].tolist() == [False, True, False, True, False, True]


def test_what_does_nothing_is_found_on_large_frames_too() -> None:
    """1600 x 1280: outlines, softness and a strand's width are all made smaller alike."""
    k = 8.0

    def large(radius: float, x: float = 100.0, y: float = 80.0, **more: object) -> Border:
        line = k * ring(radius, x, y)
        return Border((line,), np.zeros(len(line)), np.zeros(len(line)), **more)  # type: ignore[arg-type]

    size = (1280, 1600)
    assert idle([large(50), large(20), large(10, 20, 20)], *size) == [1]
    soft = large(50)
    wide = Border(soft.lines, soft.inward, np.full(96, 60.0))  # softer by 60 px outwards: the hard one within it does something
    assert idle([wide, large(40)], *size) == [1]
    assert idle([wide, large(56)], *size) == []
    across = np.array([[300.0, 640], [1300, 640]])
    thin = Border((across,), np.zeros(2), np.zeros(2), closed=False, wide=np.full(2, 40.0))
    assert idle([thin, Border((across,), np.zeros(2), np.zeros(2), closed=False, wide=np.full(2, 80.0))], *size) == [0]
    assert idle([large(70), thin], *size) == [1]
    assert idle([large(40), thin], *size) == []  # its ends reach out
