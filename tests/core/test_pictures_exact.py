"""Placing, frames in between, the outline's check and looks: what they do to pictures whose outcome is known."""

from __future__ import annotations

import math

import colour
import cv2
import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from movingplates import centred, made_picture, seen
from scipy import ndimage

from transmixis.core.build.match import Look, grain_after, look_differences, measure_look, propose_grade
from transmixis.core.build.place import fit_scale, placed, placing_matrix
from transmixis.core.check.edges import FRINGE_LIMIT, fringe_reading, lightness
from transmixis.core.colour.curves import linear_to_srgb, srgb_to_linear
from transmixis.core.colour.lab import delta_e_2000, linear_to_lab
from transmixis.core.time.conform import blended, source_time, without_repeats
from transmixis.core.time.inbetween import between


def blob(h: int, w: int, x: float, y: float, sigma: float) -> np.ndarray:
    """A gaussian blob whose middle lies at x, y px (pixel centres at whole numbers), in three channels."""
    v, u = np.mgrid[0:h, 0:w].astype(np.float64)
    one = np.exp(-((u - x) ** 2 + (v - y) ** 2) / (2 * sigma**2))
    return np.repeat(one[..., None], 3, 2).astype(np.float32)


def middle_and_sigma(x: np.ndarray) -> tuple[float, float, float]:
    v, u = np.mgrid[0 : x.shape[0], 0 : x.shape[1]]
    total = x.sum()
    a, b = (x * u).sum() / total, (x * v).sum() / total
    return float(a), float(b), float(np.sqrt((x * ((u - a) ** 2 + (v - b) ** 2)).sum() / total / 2))


@pytest.mark.parametrize(
    ("x", "y", "scale", "turn"), [(5, -3, 1.0, 0), (0.3, 0.7, 1.0, 0), (4, 2, 1.6, 0), (-2, 3, 1.0, 25), (3, 1, 0.5, -70), (1, 2, 0.25, 0)]
)  # fmt: skip
def test_a_blob_lands_where_it_is_placed(x: float, y: float, scale: float, turn: float) -> None:
    """Off the picture's middle by (20, 10): turned anticlockwise as seen (y points down), scaled, moved; as wide as scale says."""
    h, w, sigma = 120, 160, 6.0
    picture = blob(h, w, (w - 1) / 2 + 20, (h - 1) / 2 + 10, sigma)
    out = placed(picture, placing_matrix((h, w), (200, 240), x, y, scale, turn), (200, 240))[..., 0]
    a = math.radians(turn)
    dx, dy = math.cos(a) * 20 + math.sin(a) * 10, -math.sin(a) * 20 + math.cos(a) * 10
    u, v, wide = middle_and_sigma(out)
    assert u == pytest.approx(239 / 2 + x + scale * dx, abs=0.02)
    assert v == pytest.approx(199 / 2 + y + scale * dy, abs=0.02)
    softened = 0.5 * math.sqrt(1 / scale**2 - 1) if scale < 1 else 0.0  # half an output pixel less what the input has
    assert wide == pytest.approx(scale * math.hypot(sigma, softened), rel=0.01)


def test_the_cubic_is_that_of_keys() -> None:
    """Keys (1981), a = -0.5: a single bright column moved by a quarter shows the kernel itself where nothing limits it."""
    column = np.zeros((9, 41, 3), np.float32)
    column[:, 20] = 1.0
    out = placed(column, placing_matrix((9, 41), (9, 41), 0.25, 0, 1, 0), (9, 41))[4, :, 0]

    def keys(t: float) -> float:
        t = abs(t)
        if t < 1:
            return 1.5 * t**3 - 2.5 * t**2 + 1
        return -0.5 * t**3 + 2.5 * t**2 - 4 * t + 2 if t < 2 else 0.0

    assert out[20] == pytest.approx(keys(0.25), abs=1e-6)
    assert out[21] == pytest.approx(keys(0.75), abs=1e-6)
    assert out[19] == out[22] == 0  # where the kernel is below zero: no dark line rings around it
    dark = placed(1 - column, placing_matrix((9, 41), (9, 41), 0.25, 0, 1, 0), (9, 41))[4, :, 0]
    assert dark[19] == dark[22] == 1  # nor a bright one
    assert np.all(dark[2:19] == 1)


@pytest.mark.parametrize("move", [(7.3, -4.6), (-3.2, 5.5)])
def test_a_smooth_picture_is_placed_as_by_splines(move: tuple[float, float]) -> None:
    rng = np.random.default_rng(4)
    smooth = ndimage.gaussian_filter(rng.random((90, 130)), 4)
    smooth = ((smooth - smooth.min()) / np.ptp(smooth)).astype(np.float32)
    out = placed(np.repeat(smooth[..., None], 3, 2), placing_matrix((90, 130), (90, 130), *move, 1, 0), (90, 130))[..., 1]
    want = ndimage.shift(smooth, move[::-1], order=5)
    assert np.abs(out - want)[12:-12, 12:-12].max() < 2e-3


def test_beyond_the_border_it_is_empty_or_carried_on() -> None:
    picture = np.full((20, 30, 4), 0.5, np.float32)
    picture[:, -1] = 0.8
    matrix = placing_matrix((20, 30), (20, 30), -10, 0, 1, 0)
    clear, carried = placed(picture, matrix, (20, 30)), placed(picture, matrix, (20, 30), "carry")
    assert np.all(clear[:, 23:] == 0)
    assert np.all(carried[:, 22:] == pytest.approx(0.8))
    assert np.all(clear[3:-3, :17] == pytest.approx(0.5))
    far = placed(picture, placing_matrix((20, 30), (20, 30), 500, 500, 1, 0), (20, 30))
    assert np.all(far == 0)
    assert placed(picture, matrix, (20, 30))[..., 3].max() <= 1


@pytest.mark.parametrize(
    ("shape", "size", "scale"), [((100, 200), (50, 50), 0.5), ((50, 50), (100, 50), 2.0), ((10, 10), (10, 10), 1)]
)
def test_a_picture_just_fills_its_frame(shape: tuple[int, int], size: tuple[int, int], scale: float) -> None:
    assert fit_scale(shape, size) == scale


def test_which_recorded_frame_a_frame_shows() -> None:
    assert [source_time(n, 5, 0.5) for n in (1, 2, 5)] == [5, 5.5, 7]
    kept = [1, 2, 4, 5, 7]  # 3 and 6 are doubled
    assert [without_repeats(p, kept) for p in (1, 2.5, 3, 4.5, 5)] == [1, 3, 4, 6, 7]


def test_a_mix_is_in_linear_light() -> None:
    a, b = np.zeros((2, 2, 3), np.float32), np.ones((2, 2, 3), np.float32)
    assert blended(a, b, 0.25)[0, 0, 0] == 0.25
    assert blended(b, a, 0.25)[0, 0, 0] == 0.75


@pytest.mark.parametrize("share", [0.25, 0.5, 0.8])
def test_a_frame_in_between_lies_on_the_way(share: float) -> None:
    """A picture that moves by (9, -4) px: the frame between is the picture moved by a share of it, nearer than a mix by far."""
    picture = made_picture(3)
    a, b, want = (seen(picture, centred(9 * s, -4 * s)).astype(np.float32) for s in (0.0, 1.0, share))
    inside = (slice(16, -16), slice(16, -16))
    off = np.abs(linear_to_srgb(between(a, b, share)) - linear_to_srgb(want))[inside].mean()
    mixed = np.abs(linear_to_srgb(blended(a, b, share)) - linear_to_srgb(want))[inside].mean()
    assert off < 0.25 * mixed
    assert off * 255 < 2.5
    # whichever way round it is told
    other = between(b, a, 1 - share)
    assert np.abs(other - between(a, b, share))[inside].mean() < 0.002


def test_the_ends_of_the_way_are_the_frames_themselves() -> None:
    picture = made_picture(5)
    a, b = (seen(picture, centred(6 * s, 2 * s)).astype(np.float32) for s in (0.0, 1.0))
    for share, frame in ((0.0, a), (1.0, b)):
        assert np.abs(between(a, b, share) - frame)[16:-16, 16:-16].mean() < 0.004


def test_what_comes_from_behind_does_not_ghost() -> None:
    """A dark thing crosses a bright ground by 24 px: half way it is there once, as dark as it was."""
    rng = np.random.default_rng(2)
    ground = 0.4 + 0.25 * ndimage.gaussian_filter(rng.normal(0, 1, (120, 200)), 2)[..., None] * np.ones(3) * 4

    def frame(x: int) -> np.ndarray:
        out = ground.copy()
        body = 0.05 + 0.03 * np.random.default_rng(9).random((60, 40, 1))
        out[30:90, x : x + 40] = body
        return cv2.GaussianBlur(out.astype(np.float32), (0, 0), 0.8)

    out = between(frame(60), frame(84), 0.5)
    dark = out[40:80, :, 1].mean(axis=0) < 0.15
    where = np.flatnonzero(dark)
    assert where.size == pytest.approx(40, abs=4)
    assert where.mean() == pytest.approx(72 + 19.5, abs=1.5)


@pytest.mark.parametrize("blur", [0.8, 1.2, 2.0, 3.0])
def test_softness_of_a_clean_edge_to_a_tenth(blur: float) -> None:
    rng = np.random.default_rng(1)
    checks = np.kron(rng.random((10, 12)), np.ones((24, 24)))
    coded = 0.2 + 0.6 * ndimage.gaussian_filter(checks, blur)
    found = measure_look(np.repeat(srgb_to_linear(coded)[..., None], 3, 2).astype(np.float32), np.ones(coded.shape, bool))
    assert found is not None
    assert found.softness == pytest.approx(blur, abs=max(0.1 * blur, 0.18))


@settings(max_examples=200)
@given(*[st.floats(0, 100), st.floats(-90, 90), st.floats(-90, 90)] * 2)
def test_colour_differences_by_a_reference_library(l1: float, a1: float, b1: float, l2: float, a2: float, b2: float) -> None:
    """CIEDE2000 (CIE 142, Sharma et al., 2005), hues that lie across from each other included."""
    apart = np.degrees(np.arctan2(b1, a1) - np.arctan2(b2, a2))
    assume(abs(abs((apart + 180) % 360 - 180) - 180) > 3)  # exactly across, the formula itself jumps
    x, y = np.array([l1, a1, b1]), np.array([l2, a2, b2])
    assert float(delta_e_2000(x, y)) == pytest.approx(float(colour.delta_E(x, y, method="CIE 2000")), abs=1e-3)


def test_lightness_is_that_of_the_cie() -> None:
    """CIE 15: L* of a relative luminance, against a reference library, dark ones too."""
    y = np.concatenate([np.linspace(0, 0.02, 50), np.linspace(0.02, 1, 50)])
    grey = np.repeat(y[:, None], 3, 1)[None]
    want = colour.colorimetry.lightness_CIE1976(100 * y, 100)
    assert lightness(grey)[0] == pytest.approx(want, abs=0.01)
    assert lightness(np.full((1, 1, 3), -0.1)) == 0


def figure(line: float | None, inside: float = 0.3, behind: float = 0.5) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A disc over a plain ground with a soft edge; along half of its edge a `line` of light is laid."""
    v, u = np.mgrid[0:240, 0:320].astype(np.float32)
    r = np.hypot(u - 160, v - 120)
    alpha = np.clip((70 - r) / 6 + 0.5, 0, 1).astype(np.float32)
    back = np.full((240, 320, 3), behind, np.float32)
    out = alpha[..., None] * inside + (1 - alpha[..., None]) * back
    if line is not None:
        there = (np.abs(r - 70) < 1.5) & (u > 160)
        out[there] = line
    return out.astype(np.float32), back, alpha


def test_a_line_along_the_outline_is_read_as_much_as_there_is_of_it() -> None:
    clean = fringe_reading(*figure(None))
    assert (clean.value, clean.limit) == (0, FRINGE_LIMIT)
    for line in (0.95, 0.02):  # brighter, and darker, than both sides
        found = fringe_reading(*figure(line))
        assert 15 < found.value < 50
        assert found.spot is not None
        x, y = found.spot[0] + found.spot[2] / 2, found.spot[1] + found.spot[3] / 2
        assert x > 0.5 if x <= 1 else x > 160
        assert y == pytest.approx(0.5 if y <= 1 else 120, abs=0.08 if y <= 1 else 20)
    between_both = fringe_reading(*figure(0.4))
    assert between_both.value == 0

    # six of L*: just under it is seen past, well over it is not
    def light(value: float) -> float:
        return float(lightness(np.full((1, 1, 3), value))[0, 0])

    from_top = light(0.5)
    under, over = (float(((from_top + more + 16) / 116) ** 3) for more in (4.0, 14.0))
    assert fringe_reading(*figure(under)).value == 0
    assert fringe_reading(*figure(over)).value > 10


def test_without_an_outline_nothing_is_read() -> None:
    flat = np.full((60, 80, 3), 0.3, np.float32)
    found = fringe_reading(flat, flat, np.ones((60, 80), np.float32))
    assert found.value is None
    assert "no edge" in found.note


def test_differences_of_looks_have_a_size_and_a_sign() -> None:
    """CIEDE2000 by a reference library; below zero where the subject is darker, has less grain, is sharper."""
    a = Look(np.full(3, 0.01), np.array([0.3, 0.25, 0.2]), np.full(3, 0.9), 1.0, 1.2)
    b = Look(np.full(3, 0.03), np.array([0.25, 0.25, 0.25]), np.full(3, 0.7), 2.5, 2.0)
    found = look_differences(a, b)

    def theirs(x: np.ndarray, y: np.ndarray) -> float:
        lab = [colour.XYZ_to_Lab(colour.RGB_to_XYZ(v, "sRGB", apply_cctf_decoding=False), [0.3127, 0.3290]) for v in (x, y)]
        return float(colour.delta_E(*lab, method="CIE 2000"))

    assert found["black"] == pytest.approx(-theirs(a.black, b.black), abs=0.05)
    assert found["white"] == pytest.approx(theirs(a.white, b.white), abs=0.05)
    assert abs(found["middle"]) == pytest.approx(theirs(a.middle, b.middle), abs=0.05)
    assert found["grain"] == -1.5
    assert found["softness"] == pytest.approx(-0.8)
    assert delta_e_2000(linear_to_lab(a.black), linear_to_lab(a.black)) == 0


def test_a_grade_goes_no_further_than_it_may() -> None:
    dim = Look(np.full(3, 0.0), np.full(3, 0.05), np.full(3, 0.1), 1, 1)
    bright = Look(np.full(3, 0.3), np.full(3, 0.6), np.full(3, 0.9), 1, 1)
    up, down = propose_grade(dim, bright, 1.0), propose_grade(bright, dim, 1.0)
    assert (up.gain, up.lift) == ((2.0,) * 3, (pytest.approx(0.1),) * 3)
    assert down.gain == (0.5,) * 3
    assert down.lift == (pytest.approx(-0.05),) * 3


def test_softening_takes_grain_away_as_measured() -> None:
    noise = np.random.default_rng(1).normal(0, 1, (600, 600)).astype(np.float32)
    for sigma in (0.8, 1.5, 3.0):
        left = float(cv2.GaussianBlur(noise, (0, 0), sigma).std())
        assert grain_after(1.0, sigma) == pytest.approx(left, rel=0.06)
    assert grain_after(2.0, 0.0) == 2.0
    assert grain_after(2.0, 0.1) == 2.0


def test_grain_is_read_where_it_is_smooth_and_texture_is_not_taken_for_it() -> None:
    rng = np.random.default_rng(6)
    coded = np.full((300, 300), 0.5)
    coded[:, 150:] += 0.12 * ndimage.gaussian_filter(rng.normal(0, 1, (300, 150)), 0.8)  # half of it is coarse cloth
    coded += rng.normal(0, 1.5 / 255, coded.shape)
    linear = np.repeat(((coded + 0.055) / 1.055)[..., None] ** 2.4, 3, 2).astype(np.float32)
    found = measure_look(linear, np.ones((300, 300), bool))
    assert found is not None
    assert found.grain == pytest.approx(1.5, rel=0.1)
