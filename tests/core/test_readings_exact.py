"""Small parts of the survey, the key and the paths, each against values that follow from their definition."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import OpenImageIO as oiio
import pytest

from transmixis.core.matte.chroma import chroma_is_halved, restore_chroma
from transmixis.core.matte.error import mse, sad
from transmixis.core.matte.keyer import KeyModel, KeySettings, key_frame, learn_shot
from transmixis.core.matte.measure import separation_reading
from transmixis.core.matte.screen import NoScreen
from transmixis.core.matte.subject import _without_islands
from transmixis.core.motion.backdrop import backdrop_of
from transmixis.core.motion.coding import coded, coded_luma
from transmixis.core.motion.point import follow_points
from transmixis.core.motion.sampling import Splined
from transmixis.core.motion.similarity import Similarity
from transmixis.core.plan.screen import measured_boxes
from transmixis.core.plan.sun import apart
from transmixis.core.repair.background import Background, background_words
from transmixis.core.survey import noise
from transmixis.core.survey.blur import _is_smear
from transmixis.core.survey.camera_path import CameraPath, judge
from transmixis.core.survey.dust_seen import _add
from transmixis.core.survey.flashing import flashes_per_second
from transmixis.core.survey.overlay import _level, overlay
from transmixis.core.survey.screen_report import ScreenReport, _advice
from transmixis.core.survey.spots import SPOT, WINDOW, window_of
from transmixis.media.still import still_info


def test_the_law_is_found_beside_blocks_that_move() -> None:
    """Variances of 63 degrees of freedom about a known law; one block in ten moves, and has ten times as much."""
    dice = np.random.default_rng(3)
    mean = dice.uniform(0.02, 0.8, 4000)
    var = (2e-4 * mean + 3e-5) * dice.chisquare(63, 4000) / 63
    moving = np.arange(4000) % 10 == 0
    var[moving] *= 10
    (a, b), kept = noise._law_of_the_still(mean, var, 1e-9)
    assert a == pytest.approx(2e-4, rel=0.03)
    assert b == pytest.approx(3e-5, rel=0.06)
    assert not kept[moving].any()
    assert kept[~moving].mean() > 0.98


def test_half_the_variance_of_a_difference_is_the_noise() -> None:
    """EMVA 1288: white noise of a known variance, unlinked from pixel to pixel, at the mean of both frames."""
    dice = np.random.default_rng(4)
    level = np.broadcast_to(np.float32([0.2, 0.4, 0.1]), (480, 640, 3))
    a, b = (level + dice.normal(0, 0.02, level.shape).astype(np.float32) for _ in range(2))
    mean, var, link = noise._block_noise(a, b)
    assert len(mean) > 0.99 * 60 * 80
    np.testing.assert_allclose(mean.mean(axis=0), [0.2, 0.4, 0.1], atol=5e-4)
    np.testing.assert_allclose(var.mean(axis=0), 4e-4, rtol=0.01)  # 4800 blocks of 63: a standard error of 0.3 %
    assert abs(link.mean() + 1 / 63) < 0.01  # the mean of each block of 64 is taken out
    wide = cv2.GaussianBlur(dice.normal(0, 1, level.shape).astype(np.float32), (0, 0), 0.8)
    assert noise._block_noise(level + 0.02 * wide, level)[2].mean() > 0.4  # what is linked is told as linked


def test_blocks_that_differ_have_moved_and_white_ones_tell_nothing() -> None:
    dice = np.random.default_rng(5)
    a = np.full((64, 64, 3), 0.3, np.float32) + dice.normal(0, 0.01, (64, 64, 3)).astype(np.float32)
    b = np.full((64, 64, 3), 0.3, np.float32) + dice.normal(0, 0.01, (64, 64, 3)).astype(np.float32)
    b[:, :32] += 0.1
    a[:8, 32:], b[:8, 32:] = 0.95, 0.95
    assert 20 <= len(noise._block_noise(a, b)[0]) <= 28  # 4 of 8 columns, 7 of 8 rows


def test_what_lies_beyond_the_coded_range_is_its_end() -> None:
    values = np.float32([-1, 0, 0.0031308, 0.18, 1, 3])
    np.testing.assert_allclose(coded(values), [0, 0, 0.04045, 0.46136, 1, 1], atol=4e-3)  # IEC 61966-2-1
    assert coded(np.float32([0.0]))[0] == 0
    assert coded(np.float32([1.0]))[0] == pytest.approx(1, abs=1e-6)
    picture = np.zeros((4, 4, 3), np.float32)
    picture[..., 1] = 1
    np.testing.assert_allclose(coded_luma(picture), 0.8625, atol=2e-3)  # the curve at 0.7152 (ITU-R BT.709)


def test_repeated_colour_is_told_in_frames_of_odd_sizes_too() -> None:
    dice = np.random.default_rng(6)
    fine = dice.random((121, 163, 3)).astype(np.float32)
    assert not chroma_is_halved(fine)
    ycc = cv2.cvtColor(fine, cv2.COLOR_RGB2YCrCb)
    small = ycc[::2, ::2, 1:]
    ycc[..., 1:] = np.repeat(np.repeat(small, 2, axis=0), 2, axis=1)[:121, :163]
    assert chroma_is_halved(cv2.cvtColor(ycc, cv2.COLOR_YCrCb2RGB))
    assert not chroma_is_halved(fine[:4, :40])  # too few rows to tell


@pytest.mark.parametrize(("told", "taken"), [(None, 1.0), (2.0, 2.0), (0.5, 0.5), (50.0, 1.0), (0.01, 1.0)])
def test_shapes_of_pixels_are_read_and_nonsense_is_square(tmp_path: Path, told: float | None, taken: float) -> None:
    spec = oiio.ImageSpec(8, 6, 3, "half")
    if told is not None:
        spec.attribute("PixelAspectRatio", told)
    out = oiio.ImageOutput.create(str(tmp_path / "a.exr"))
    out.open(str(tmp_path / "a.exr"), spec)
    out.write_image(np.zeros((6, 8, 3), np.float32))
    out.close()
    assert still_info(tmp_path / "a.exr").pixel_aspect == pytest.approx(taken)


def blinking(low: list[float], high: list[float], n: int, every: int) -> list[np.ndarray]:
    return [np.full((40, 40, 3), high if (i // every) % 2 else low, np.float32) for i in range(n)]


def test_flashes_are_pairs_of_opposing_changes_within_a_second() -> None:
    """WCAG 2.2, 2.3.1: at 24 frames a second a change every fourth frame is three flashes a second."""
    told = flashes_per_second(blinking([0.1] * 3, [0.5] * 3, 96, 4), 24)
    assert told[-1] == pytest.approx(3.0)
    assert told.max() == pytest.approx(3.0)
    assert told[3] == 0
    assert flashes_per_second(blinking([0.9] * 3, [1.0] * 3, 96, 4), 24).max() == 0  # both ends are bright
    assert flashes_per_second(blinking([0.1] * 3, [0.18] * 3, 96, 4), 24).max() == 0  # under a tenth


def test_red_of_just_the_share_that_counts_is_saturated() -> None:
    """WCAG 2.2: R / (R + G + B) >= 0.8."""
    dark = [0.3125, 0.3125, 0.0]
    assert flashes_per_second(blinking(dark, [0.5, 0.125, 0.0], 48, 4), 24).max() > 0
    assert flashes_per_second(blinking(dark, [0.5, 0.14, 0.0], 48, 4), 24).max() == 0


@pytest.mark.parametrize(("x", "y", "radius"), [(10, 12, 2.0), (1, 2, 3.0), (48, 37, 1.5)])
def test_a_spot_and_its_window_lie_about_it(x: int, y: int, radius: float) -> None:
    rows, columns, spot, window = window_of(x, y, radius, (40, 50))
    room = int(np.ceil(3 * radius + 3))
    assert (rows.start, rows.stop) == (max(0, y - room), min(40, y + room + 1))
    assert (columns.start, columns.stop) == (max(0, x - room), min(50, x + room + 1))
    assert spot.shape == window.shape == (rows.stop - rows.start, columns.stop - columns.start)
    at = (y - rows.start, x - columns.start)
    assert spot[at] == window[at] == 1
    aside = (at[0], at[1] + 1)
    assert spot[aside] == pytest.approx(np.exp(-1 / (2 * (SPOT * radius) ** 2)))
    assert window[aside] == pytest.approx(np.exp(-1 / (2 * (WINDOW * radius + 1) ** 2)))


@pytest.mark.parametrize(("x", "y"), [(20.3, 15.8), (1.5, 28.0), (38.9, 0.2)])
def test_a_spot_for_trial_has_its_form_everywhere(x: float, y: float) -> None:
    dark = np.zeros((30, 40), np.float32)
    _add(dark, x, y, 2.0, -0.3)
    v, u = np.mgrid[0:30, 0:40]
    whole = -0.3 * np.exp(-((u - x) ** 2 + (v - y) ** 2) / (2 * (SPOT * 2.0) ** 2))
    np.testing.assert_allclose(dark, whole, atol=2e-6)  # beyond its reach it is under 1e-6


def test_the_backdrop_is_the_screen_and_not_what_stands_before_it() -> None:
    picture = np.full((270, 480, 3), (0.05, 0.3, 0.06), np.float32)
    picture += np.random.default_rng(7).normal(0, 0.002, picture.shape).astype(np.float32)
    picture[90:270, 180:300] = (0.4, 0.3, 0.25)
    found = backdrop_of(picture)
    assert found is not None
    where = cv2.resize(found.where, (480, 270), interpolation=cv2.INTER_NEAREST)
    assert where[150:, 200:280].max() == 0
    assert where[:60, :].min() == 1
    assert where[:, :150].min() == 1
    assert backdrop_of(np.full((270, 480, 3), 0.3, np.float32)) is None


@pytest.mark.parametrize(
    ("length", "direction", "like", "zero", "smear"),
    [
        (10, 30, 0.5, 0.3, True), (10, 30, 0.40, 0.3, False), (10, 30, 0.5, 0.2, False),
        (10, 88, 0.5, 0.3, False), (10, 92, 0.5, 0.3, False), (10, 2, 0.5, 0.3, False), (10, 178, 0.5, 0.3, False),
        (10, 88, 0.5, 0.6, True), (10, 85, 0.5, 0.3, True), (5, 30, 0.55, 0.2, True), (5, 89, 0.55, 0.2, False),
        (3.5, 30, 0.9, 0.9, False), (5, 30, 0.45, 0.9, False),
    ],
)  # fmt: skip
def test_level_and_upright_smears_need_more(length: float, direction: float, like: float, zero: float, smear: bool) -> None:
    assert _is_smear(length, direction, like, zero, with_baseline=False) is smear


def test_with_a_sharp_frame_of_the_scene_the_likeness_is_enough() -> None:
    assert _is_smear(3.0, 90, 0.34, 0.0, with_baseline=True)
    assert not _is_smear(30.0, 30, 0.32, 0.9, with_baseline=True)


def test_what_belongs_to_the_frame_is_told_from_the_scene() -> None:
    """A dark speck stays put while the scene moves under it by known steps; frames differ in brightness."""
    dice = np.random.default_rng(8)
    scene = cv2.GaussianBlur(dice.normal(0, 1, (90, 140)).astype(np.float32), (0, 0), 3) * 2
    frames, moves = [], []
    for i in range(9):
        move = Similarity(2.0 * i - 8, 1.5 * (i % 3), 0, 1.0, (0, 0))
        frame = cv2.warpAffine(scene, move.matrix, (140, 90), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT) + 0.05 * i
        frame[40:46, 60:66] -= 0.4
        frames.append(frame.astype(np.float32))
        moves.append(move)
    laid = overlay(frames, moves, np.zeros((90, 140), np.float32))
    middle = np.median(laid.rest, axis=0)
    assert middle[42:44, 62:64].mean() == pytest.approx(-0.4, abs=0.05)
    away = middle[10:80, 20:50]
    assert abs(away.mean()) < 0.01
    for rest in laid.rest:  # each frame's own brightness is taken out
        assert abs(np.median(rest)) < 0.01
    known = np.zeros((90, 140), np.float32)
    known[40:46, 60:66] = -0.4
    again = overlay(
        frames, moves, known
    )  # what is known to be the frame's own does not get into the scene, and stays in the rest
    assert np.median(again.rest, axis=0)[42:44, 62:64].mean() == pytest.approx(-0.4, abs=0.03)


def test_a_difference_that_is_known_nowhere_has_no_level() -> None:
    assert _level(np.full((4, 4), np.nan)) == 0
    assert _level(np.float32([[np.nan, 2.0], [1.0, 9.0]])) == 2


def test_islands_far_from_the_subject_are_dropped_and_near_ones_stay() -> None:
    maybe = np.zeros((400, 400), np.uint8)
    maybe[150:300, 150:250] = 1
    maybe[150:154, 256:260] = 1  # 6 px away
    maybe[20:24, 20:24] = 1  # far away
    kept = _without_islands(maybe, 40.0)
    assert kept[20:24, 20:24].max() == 0
    assert kept[150:154, 256:260].min() == 1
    assert kept[150:300, 150:250].min() == 1
    lone = np.zeros((400, 400), np.uint8)
    lone[20:24, 20:24] = 1
    assert _without_islands(lone, 40.0).sum() == 16  # the only piece there is


def test_chroma_that_follows_the_luma_comes_back_whole() -> None:
    """Colour that is a straight function of the luma near by is told by the luma (He, Sun & Tang 2010): it comes back; alone it does not."""
    dice = np.random.default_rng(9)
    luma = np.clip(0.5 + 0.5 * cv2.GaussianBlur(dice.normal(0, 1, (80, 120)).astype(np.float32), (0, 0), 1.2), 0, 1)
    full = cv2.cvtColor(
        np.dstack([luma, 0.5 + 0.4 * (luma - 0.5), 0.5 - 0.3 * (luma - 0.5)]).astype(np.float32), cv2.COLOR_YCrCb2RGB
    )
    ycc = cv2.cvtColor(full, cv2.COLOR_RGB2YCrCb)
    small = cv2.resize(ycc[..., 1:], (60, 40), interpolation=cv2.INTER_AREA)
    ycc[..., 1:] = np.repeat(np.repeat(small, 2, axis=0), 2, axis=1)
    halved = cv2.cvtColor(ycc, cv2.COLOR_YCrCb2RGB)
    inner = np.s_[4:-4, 4:-4]
    before = np.abs(halved - full)[inner].mean()
    assert np.abs(restore_chroma(halved) - full)[inner].mean() < 0.15 * before


def test_slopes_are_those_of_the_picture() -> None:
    """A plane's slopes are constant; a wave's are its derivative (within what a cubic spline errs by at eight px a wave)."""
    yy, xx = np.mgrid[0:40, 0:60] + 0.5
    points = np.random.default_rng(10).uniform(8, 32, (50, 2))
    right, down = Splined((0.3 * xx - 0.7 * yy).astype(np.float32)).slopes(points)
    np.testing.assert_allclose(right[:, 0], 0.3, atol=2e-3)
    np.testing.assert_allclose(down[:, 0], -0.7, atol=2e-3)
    k = 2 * np.pi / 8
    right, down = Splined(np.sin(k * xx).astype(np.float32)).slopes(points)
    np.testing.assert_allclose(right[:, 0], k * np.cos(k * points[:, 0]), atol=0.01)
    np.testing.assert_allclose(down[:, 0], 0, atol=2e-3)
    assert Splined(np.ones((40, 60), np.float32)).slopes(np.array([[100.0, 5.0]]))[0][0, 0] == 0


def test_a_point_that_stands_is_found_where_it_stands() -> None:
    dice = np.random.default_rng(11)
    still = cv2.GaussianBlur(dice.random((60, 80)).astype(np.float32), (0, 0), 1.5)
    found = follow_points(lambda i: still[..., None], np.array([[40.25, 30.5]]), 1, 3, 8)
    assert found[1, 0].tolist() == [40.25, 30.5]
    assert found[[0, 2], 0] == pytest.approx(np.array([[40.25, 30.5]] * 2), abs=1e-3)


@pytest.mark.parametrize(
    ("a", "b", "angle"), [(350, 10, 20), (10, 350, 20), (0, 180, 180), (90, 90, 0), (10, 200, 170), (-30, 45, 75), (720, 1, 1)]
)
def test_directions_are_apart_by_the_shorter_way(a: float, b: float, angle: float) -> None:
    assert apart(a, b) == pytest.approx(angle)


@pytest.mark.parametrize(("shadow", "told"), [(0.01, False), (0.03, True)])
def test_shadow_on_the_screen_is_advised_on_from_a_fiftieth_on(shadow: float, told: bool) -> None:
    report = ScreenReport("green", (0.05, 0.3, 0.06), 0.5, 0.1, np.zeros((14, 24)), shadow, 0.0, 0.0, 20.0, 0.5, (), "good", ())
    assert any("lies in shadow" in a for a in _advice(report)) is told


def test_frames_without_the_screen_teach_nothing_of_it() -> None:
    dice = np.random.default_rng(12)
    green = np.full((120, 200, 3), (0.05, 0.3, 0.06), np.float32)
    green[40:, 80:130] = (0.4, 0.3, 0.25)
    frames = [(green + dice.normal(0, 0.002, green.shape)).astype(np.float32) for _ in range(2)]
    grey = np.full((120, 200, 3), 0.3, np.float32)
    model = learn_shot([grey, frames[0], grey, frames[1]])
    assert isinstance(model, KeyModel)
    assert model.kind == "green"
    np.testing.assert_allclose(model.screen_colour, (0.05, 0.3, 0.06), atol=0.01)
    assert isinstance(learn_shot([grey, grey]), NoScreen)
    blue = frames[0][..., ::-1].copy()  # a frame of another take has slipped in
    slipped = learn_shot([frames[0], blue, frames[1]])
    assert isinstance(slipped, KeyModel)
    np.testing.assert_allclose(slipped.screen_colour, model.screen_colour, atol=1e-4)
    np.testing.assert_allclose(slipped.law, model.law, rtol=0.2)


@pytest.mark.parametrize("sigma", [0.002, 0.006])
def test_separation_is_told_in_steps_of_the_noise(sigma: float) -> None:
    """The screen's colour difference is 0.3 - 0.06, the grey subject's 0, the noise of a difference of two channels sqrt(2) sigma."""
    frames = []
    for n in range(3):
        f = np.full((180, 320, 3), (0.05, 0.3, 0.06), np.float32)
        f[50:, 120:200] = 0.3
        frames.append((f + np.random.default_rng(n).normal(0, sigma, f.shape)).astype(np.float32))
    model = learn_shot(frames)
    assert isinstance(model, KeyModel)
    told = separation_reading(frames[0], key_frame(frames[0], model, KeySettings()), model)
    # the reading takes the 5 % and 95 % of both, so noise itself takes some steps away
    expected = 0.24 / (np.sqrt(2) * sigma)
    assert told.value is not None
    assert 0.75 * expected < told.value < 1.05 * expected


@pytest.mark.parametrize(("drift", "verdict"), [(0.6, "locked"), (0.9, "nearly"), (3.0, "moving")])
def test_a_drift_counts_from_four_errors_on(drift: float, verdict: str) -> None:
    """A slow way of so many px over 60 frames, measured to 0.2 px each."""
    x = np.linspace(0, drift, 60)
    still, turned = np.zeros(60), np.ones(60)
    path = CameraPath(x, still, still, turned, np.full(60, 0.2), (540, 960))
    assert judge(path).verdict == verdict


def test_errors_of_a_matte_are_those_of_their_definitions() -> None:
    """Rhemann et al., 2009: sums and means over all pixels."""
    a, b = np.float32([[0.5, 1.0], [0.0, 0.25]]), np.float32([[0.25, 1.0], [0.5, 0.25]])
    assert sad(a, b) == pytest.approx(0.75)
    assert mse(a, b) == pytest.approx((0.25**2 + 0.5**2) / 4)


def test_swatches_of_boxes_are_what_lies_in_them_and_as_large() -> None:
    picture = np.zeros((40, 60, 3), np.float32)
    picture[10:20, 5:35] = (0.2, 0.5, 0.1)
    picture[25:30, 40:50] = (0.6, 0.1, 0.1)
    cloth, coat = measured_boxes(picture, (("cloth", (5, 10, 30, 10)), ("coat", (40, 25, 10, 5))))
    np.testing.assert_allclose(cloth.rgb, (0.2, 0.5, 0.1), atol=1e-6)
    np.testing.assert_allclose(coat.rgb, (0.6, 0.1, 0.1), atol=1e-6)
    assert cloth.share / coat.share == pytest.approx(300 / 50)


def test_a_background_says_how_much_was_never_seen() -> None:
    shown = np.ones((10, 10), bool)
    shown[:2] = False
    share = np.ones((10, 10), np.float32)
    share[2] = 0.1
    made = Background(np.zeros((10, 10, 3), np.float32), share, shown, (1, 5, 9))
    words = background_words(made)
    assert words.startswith("Made from 3 frames. 20.0 % of the frame is not shown")
    assert "another 10.0 %" in words
