"""Contrast by zones, darker corners, and colours softened as coding does."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from test_whole_match import scene

from transmixis.core.build.corners import Corners, corners_of
from transmixis.core.build.grainlaw import law_of, strengths, worst_zone_off, zone_grains
from transmixis.core.build.match import Grade, apply_grade, colours_softened, measure_look
from transmixis.core.build.over import with_alpha
from transmixis.core.build.wholematch import darker_corners, mean_zones, whole_match
from transmixis.core.build.zones import STEEP, contrasts, worst_zone, zone_knots, zoned, zones_of
from transmixis.core.colour.curves import linear_to_srgb, luminance, srgb_to_linear
from transmixis.core.finish.framing import vignetted

EVERYWHERE = np.ones((240, 320), bool)


def shaped(picture: np.ndarray, bend: float) -> np.ndarray:
    """The same with its codes along an S: flat darks and lights, steep middle tones."""
    code = linear_to_srgb(picture)
    return np.asarray(srgb_to_linear(code + bend * np.sin(2 * np.pi * (code - 0.5)) / (2 * np.pi)), np.float32)


def test_zones_are_quantiles_of_the_code() -> None:
    ramp = np.repeat(np.linspace(0, 1, 401)[None, :, None], 40, 0).repeat(3, 2)
    found = zones_of(np.asarray(srgb_to_linear(ramp), np.float32), np.ones((40, 401), bool))
    assert found is not None
    assert found == pytest.approx([0.05, 0.25, 0.5, 0.75, 0.95], abs=0.004)
    assert contrasts(found) == pytest.approx([51, 127.5, 51], abs=1.5)
    assert zones_of(np.zeros((10, 10, 3), np.float32), np.ones((10, 10), bool)) is None


def test_a_curve_brings_the_contrasts_together() -> None:
    mine, theirs = scene(3), shaped(scene(3)[::-1, ::-1], 0.5)
    a, b = (zones_of(p, EVERYWHERE) for p in (mine, theirs))
    assert a is not None
    assert b is not None
    off, zone = worst_zone(a, b)
    assert abs(off) > 8
    assert zone == "middle tones"
    knots = zone_knots(a, b)
    made = zones_of(zoned(with_alpha(mine), knots)[..., :3], EVERYWHERE)
    assert made is not None
    assert np.abs(contrasts(made) - contrasts(b)).max() < 2.5
    # hues stay: the ratios of the colours are what they were
    before, after = with_alpha(mine)[..., :3], zoned(with_alpha(mine), knots)[..., :3]
    assert after[..., 0] / after[..., 1] == pytest.approx(before[..., 0] / before[..., 1], rel=1e-3)


def test_alphas_are_kept_and_no_curve_changes_nothing() -> None:
    picture = with_alpha(scene(1)) * np.float32(0.5)
    made = zoned(picture, ((0.0, 0.0), (0.2, 0.3), (0.9, 0.95)))
    assert np.array_equal(made[..., 3], picture[..., 3])
    assert zoned(picture, ()) is picture
    # the solid colour goes along the curve, whatever its alpha
    whole = zoned(with_alpha(scene(1)), ((0.0, 0.0), (0.2, 0.3), (0.9, 0.95)))
    assert made[..., :3] == pytest.approx(0.5 * whole[..., :3], rel=1e-3, abs=1e-5)


@given(st.lists(st.floats(0.02, 0.25), min_size=5, max_size=5), st.lists(st.floats(0.0, 0.25), min_size=5, max_size=5))
def test_curves_rise_and_keep_to_their_slopes(one: list[float], other: list[float]) -> None:
    a, b = np.cumsum(one), np.cumsum(other)
    knots = np.array(zone_knots(a, b))
    assert knots[3] == pytest.approx([a[2], b[2]], abs=1e-4)  # the middle goes where it shall
    slopes = np.diff(knots[1:, 1]) / np.diff(knots[1:, 0])
    assert (slopes <= STEEP[1] + 0.01).all()
    assert (np.diff(knots[:, 1]) >= 0).all()


def test_zones_too_near_to_tell_have_no_curve() -> None:
    assert zone_knots(np.array([0.1, 0.1, 0.5, 0.6, 0.7]), np.array([0.1, 0.2, 0.5, 0.6, 0.7])) == ()


def test_a_whole_match_takes_the_contrasts_along() -> None:
    subject, plate = scene(5), shaped(scene(5)[::-1, ::-1], 0.6)
    grade = whole_match([with_alpha(subject)], [plate])
    assert grade is not None
    theirs = mean_zones([plate])
    plain, made = (mean_zones([apply_grade(with_alpha(subject), g, 1)]) for g in (Grade(), grade))
    assert theirs is not None
    assert plain is not None
    assert made is not None
    assert abs(worst_zone(made, theirs)[0]) < 0.5 * abs(worst_zone(plain, theirs)[0])


def test_corners_are_told_as_they_were_made() -> None:
    dice = np.random.default_rng(4)
    flat = np.full((240, 320, 3), 0.3, np.float32) * dice.normal(1, 0.03, (240, 320, 1)).astype(np.float32)
    flat *= np.linspace(0.8, 1.2, 320, dtype=np.float32)[None, :, None]
    for stops in (0.0, 0.5, 1.2):
        found = corners_of([vignetted(flat, stops)])
        assert found is not None
        assert found.told
        assert found.stops == pytest.approx(stops, abs=0.06)
    assert corners_of([np.zeros((240, 320, 3), np.float32)]) is None


def test_corners_of_busy_pictures_are_not_told_or_told_with_their_error() -> None:
    for k in range(6):
        found = corners_of([vignetted(scene(k), 0.8)])
        assert found is not None
        if found.told:
            assert abs(found.stops - 0.8) < 3 * found.error
    assert not Corners(0.5, 0.5).told
    assert not Corners(0.3, 0.2).told
    assert Corners(0.6, 0.2).told
    assert Corners(0.0, 0.05).told


def test_the_corners_that_a_subject_lacks_are_given() -> None:
    flat = np.full((120, 160, 3), 0.3, np.float32)
    dark = vignetted(flat, 1.0)
    assert darker_corners([with_alpha(flat)], [dark]) == pytest.approx(1.0, abs=0.05)
    assert darker_corners([with_alpha(vignetted(flat, 0.6))], [dark]) == pytest.approx(0.4, abs=0.05)
    assert darker_corners([with_alpha(dark)], [flat]) == 0
    cut = with_alpha(flat)
    cut[:, :80] = 0
    assert darker_corners([cut], [dark]) == pytest.approx(1.0, abs=0.05)


def half_coded(picture: np.ndarray) -> np.ndarray:
    """Its colour differences recorded at half size."""
    code = linear_to_srgb(picture).astype(np.float32)
    luma = luminance(code)[..., None]
    small = cv2.resize(code - luma, (160, 120), interpolation=cv2.INTER_AREA)
    return np.asarray(
        srgb_to_linear(np.clip(luma + cv2.resize(small, (320, 240), interpolation=cv2.INTER_LINEAR), 0, 1)), np.float32
    )


def bars() -> np.ndarray:
    """Hard edges between colours."""
    out = np.zeros((240, 320, 3), np.float32)
    for k in range(10):
        out[:, 32 * k : 32 * k + 32] = ((0.5, 0.1, 0.1), (0.1, 0.15, 0.5))[k % 2]
    return cv2.GaussianBlur(out, (0, 0), 0.5)


def test_colours_recorded_at_half_size_are_told_and_brought_about() -> None:
    sharp, coded = (measure_look(p, EVERYWHERE) for p in (bars(), half_coded(bars())))
    assert sharp is not None
    assert coded is not None
    assert sharp.colour_softness is not None
    assert coded.colour_softness is not None
    assert coded.colour_softness > sharp.colour_softness + 0.3
    grade = whole_match([with_alpha(bars())], [half_coded(bars())])
    assert grade is not None
    made = measure_look(apply_grade(with_alpha(bars()), grade, 1)[..., :3], EVERYWHERE)
    assert made is not None
    assert made.colour_softness == pytest.approx(coded.colour_softness, abs=0.3)


def test_softened_colours_leave_the_brightness() -> None:
    picture = with_alpha(bars())
    picture[:, 200:] = 0
    made = colours_softened(picture, 2.0)
    assert luminance(made) == pytest.approx(luminance(picture), abs=2e-2)
    inner = (slice(20, 220), slice(20, 180))
    assert luminance(made)[inner] == pytest.approx(luminance(picture)[inner], abs=1e-5)
    assert not made[:, 202:].any()
    assert np.array_equal(made[..., 3], picture[..., 3])
    assert (
        np.abs(np.diff(made[100, 20:180, 0] - made[100, 20:180, 2])).max()
        < 0.7 * np.abs(np.diff(picture[100, 20:180, 0] - picture[100, 20:180, 2])).max()
    )


def grainy(picture: np.ndarray, law: tuple[float, float], seed: int) -> np.ndarray:
    """With a sensor's noise: variance a x + b of linear light."""
    noise = np.random.default_rng(seed).standard_normal(picture.shape).astype(np.float32)
    return np.maximum(picture + noise * np.sqrt(law[0] * picture + law[1]), 0).astype(np.float32)


def steps_of_tone() -> np.ndarray:
    """Wide flat fields from dark to light."""
    codes = np.repeat(np.repeat(np.linspace(0.06, 0.92, 12).reshape(3, 4), 80, 0), 80, 1)[..., None].repeat(3, 2)
    return np.asarray(srgb_to_linear(codes), np.float32)


def test_grain_is_told_by_zones() -> None:
    codes = linear_to_srgb(steps_of_tone())
    noise = np.random.default_rng(3).standard_normal(codes.shape)
    levels = np.interp(codes, (0.15, 0.46, 0.8), (3.0, 2.0, 1.0)) * [1.0, 0.7, 1.3]
    found = zone_grains(with_alpha(np.asarray(srgb_to_linear(np.clip(codes + noise * levels / 255, 0, 2)), np.float32)))
    for c, by in enumerate((1.0, 0.7, 1.3)):
        assert found[c] == pytest.approx(by * np.array([2.9, 2.0, 1.15]), rel=0.15)
    dark = with_alpha(np.full((60, 60, 3), 0.01, np.float32))
    assert np.isnan(zone_grains(dark)[:, 1:]).all()
    assert np.isfinite(zone_grains(dark)[:, 0]).all()


def test_a_law_says_how_strong_grain_is_in_each_zone() -> None:
    law = law_of(np.array([[4.0, 2.0, 1.0], [np.nan, 3.0, np.nan], [np.nan] * 3]), np.array([2.0, 1.5, 1.0]))
    assert law == ((2.0, 1.0, 0.5), (2.0, 2.0, 2.0), (1.0, 1.0, 1.0))
    assert law_of(np.array([[90.0, 1, 0.01]] * 3), np.ones(3))[0] == (4.0, 1.0, 0.25)
    codes = np.array([[[0.15, 0.46, 0.8]]])
    assert strengths(codes, ((2.0, 1.0, 0.5), (2.0, 1.0, 0.5), (2.0, 1.0, 0.5)))[0, 0] == pytest.approx([2, 1, 0.5])
    assert worst_zone_off(np.array([[2.0, np.nan]]), np.array([[1.0, 5.0]])) == pytest.approx(1.0)
    assert worst_zone_off(np.array([[np.nan]]), np.array([[1.0]])) == 0


def test_a_camera_s_grain_is_matched_in_every_zone() -> None:
    """The plate's sensor noise, a subject without any: grain of one strength is far off in darks or lights, by its law it is not."""
    plate, subject = grainy(steps_of_tone(), (2e-4, 6e-6), 5), grainy(steps_of_tone(), (0.0, 1e-8), 6)
    grade = whole_match([with_alpha(subject)], [plate])
    assert grade is not None
    assert len(grade.law) == 3
    want = zone_grains(with_alpha(plate))
    with_law, without = (
        worst_zone_off(zone_grains(apply_grade(with_alpha(subject), g, 9)), want) for g in (grade, replace(grade, law=()))
    )
    assert with_law < 0.3  # of a doubling
    assert with_law < 0.6 * without
