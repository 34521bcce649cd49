"""Over, placing and matching."""

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from skimage.transform import SimilarityTransform

from transmixis.core.build.match import Grade, Look, apply_grade, look_differences, measure_look, propose_grade
from transmixis.core.build.over import join, over, with_alpha
from transmixis.core.build.place import fit_scale, placed, placing_matrix
from transmixis.core.colour.curves import LUMA, srgb_to_linear

unit = st.floats(0, 1, width=32)


@given(unit, unit, unit, unit)
def test_over_is_that_of_porter_and_duff(fc: float, fa: float, bc: float, ba: float) -> None:
    # Porter & Duff 1984: premultiplied, result = F + (1 - alpha_F) B in every channel
    front = np.full((1, 1, 4), [fc * fa] * 3 + [fa], np.float32)
    back = np.full((1, 1, 4), [bc * ba] * 3 + [ba], np.float32)
    want = [fc * fa + (1 - fa) * bc * ba] * 3 + [fa + ba - fa * ba]
    assert over(front, back)[0, 0] == pytest.approx(want, abs=1e-6)


@given(unit, unit, unit)
def test_over_is_associative(a: float, b: float, c: float) -> None:
    x, y, z = (np.full((1, 1, 4), [0.3 * v, 0.2 * v, 0.9 * v, v], np.float32) for v in (a, b, c))
    assert np.allclose(over(over(x, y), z), over(x, over(y, z)), atol=1e-6)


def test_placing_matrix_equals_a_similarity_of_scikit_image() -> None:
    m = placing_matrix((100, 200), (100, 200), 0, 0, 1.5, 30)
    # theirs turns clockwise as seen (y down), ours anticlockwise
    t = SimilarityTransform(scale=1.5, rotation=-np.radians(30))
    centre = SimilarityTransform(translation=(100, 50))
    want = centre.params @ t.params @ np.linalg.inv(centre.params)
    assert np.allclose(m, want)


def test_placed_moves_by_whole_and_half_pixels_exactly() -> None:
    ramp = np.repeat(np.arange(40, dtype=np.float32)[None, :, None], 20, 0).repeat(3, 2)
    for dx in (1.0, 0.5, -2.25):
        out = placed(ramp, placing_matrix((20, 40), (20, 40), dx, 0, 1, 0), (20, 40))
        assert np.allclose(out[5, 8:32, 0], ramp[5, 8:32, 0] - dx, atol=1e-3)


def test_unmoved_picture_is_returned_as_it_is() -> None:
    x = np.random.default_rng(0).random((9, 9, 4)).astype(np.float32)
    assert placed(x, placing_matrix((9, 9), (9, 9), 0, 0, 1, 0), (9, 9)) is x


def test_fit_scale_fills_the_frame() -> None:
    assert fit_scale((100, 100), (50, 200)) == 2.0


def _scene(rng: np.random.Generator, black: float, white: float, noise: float, blur: float) -> np.ndarray:
    checks = np.kron(rng.random((12, 16)), np.ones((20, 20))) * (white - black) + black
    x = cv2.GaussianBlur(checks.astype(np.float32), (0, 0), blur) if blur else checks.astype(np.float32)
    coded = np.clip(1.055 * np.maximum(x, 0) ** (1 / 2.4) - 0.055, 0, 1) + rng.normal(0, noise / 255, x.shape)
    return np.repeat(srgb_to_linear(np.clip(coded, 0, 1))[..., None], 3, 2).astype(np.float32)


@pytest.mark.parametrize(("noise", "blur"), [(1.0, 1.0), (3.0, 2.0), (2.0, 3.0)])
def test_look_recovers_grain_and_softness(noise: float, blur: float) -> None:
    look = measure_look(_scene(np.random.default_rng(2), 0.05, 0.8, noise, blur), np.ones((240, 320), bool))
    assert look is not None
    assert look.grain == pytest.approx(noise, rel=0.15)
    assert look.softness == pytest.approx(blur, rel=0.25)


def test_where_there_is_no_edge_softness_is_not_measured() -> None:
    rng = np.random.default_rng(4)
    ramp = np.linspace(0.1, 0.4, 320, dtype=np.float32) * np.ones((240, 1), np.float32)
    coded = 1.055 * ramp ** (1 / 2.4) - 0.055 + rng.normal(0, 2.0 / 255, ramp.shape)
    everywhere = np.ones((240, 320), bool)
    edgeless = measure_look(np.repeat(srgb_to_linear(coded)[..., None], 3, 2).astype(np.float32), everywhere)
    plate = measure_look(_scene(rng, 0.05, 0.8, 2.0, 2.0), everywhere)
    assert edgeless
    assert plate
    assert edgeless.softness is None
    assert look_differences(edgeless, plate)["softness"] is None
    assert propose_grade(edgeless, plate, 1.0).soften == 0.0


def test_too_small_a_look_is_not_measured() -> None:
    assert measure_look(np.zeros((50, 50, 3), np.float32), np.zeros((50, 50), bool)) is None


def test_match_brings_the_differences_down() -> None:
    rng = np.random.default_rng(3)
    everywhere = np.ones((240, 320), bool)
    subject, plate = _scene(rng, 0.0, 0.9, 1.0, 1.0), _scene(rng, 0.06, 0.7, 3.0, 2.0)
    a, b = measure_look(subject, everywhere), measure_look(plate, everywhere)
    assert a
    assert b
    graded = apply_grade(with_alpha(subject), propose_grade(a, b, 1.0), seed=1)
    c = measure_look(graded[..., :3], everywhere)
    assert c
    before, after = look_differences(a, b), look_differences(c, b)
    for name in ("black", "grain", "softness"):
        assert abs(after[name] or 0.0) < 0.5 * abs(before[name] or 0.0), name


def test_grade_leaves_its_input_and_gives_the_same_grain_twice() -> None:
    x = join(np.full((8, 8, 3), 0.2, np.float32), np.full((8, 8), 0.5, np.float32))
    held = x.copy()
    g = Grade((1.1, 1, 1), (0.01, 0, 0), grain=2.0)
    assert np.array_equal(apply_grade(x, g, 5), apply_grade(x, g, 5))
    assert not np.array_equal(apply_grade(x, g, 5), apply_grade(x, g, 6))
    assert np.array_equal(x, held)


def look(black: float, white: float, grain: float, softness: float | None) -> Look:
    grey = [np.full(3, v) for v in (black, (black + white) / 2, white)]
    return Look(*grey, grain, softness)


@pytest.mark.parametrize("strength", [0.0, 0.5, 1.0])
def test_a_grade_takes_black_and_white_so_far(strength: float) -> None:
    """By hand: 0.02 to 0.8 is to become 0.06 to 0.7, a part of the way."""
    a, b = look(0.02, 0.8, 1.0, 1.0), look(0.06, 0.7, 3.0, 2.0)
    g = propose_grade(a, b, strength)
    black, white = 0.02 + strength * 0.04, 0.8 - strength * 0.1
    assert g.gain[0] * 0.02 + g.lift[0] == pytest.approx(black, abs=1e-9)
    assert g.gain[0] * 0.8 + g.lift[0] == pytest.approx(white, abs=1e-9)


def test_grain_and_softness_that_are_missing_add_in_squares() -> None:
    """Blurs of 1 and sqrt(3) px make one of 2 px; softening by s leaves 1 / (2 s sqrt(pi)) of white noise."""
    g = propose_grade(look(0, 1, 2.0, 1.0), look(0, 1, 3.0, 2.0), 1.0)
    assert g.soften == pytest.approx(np.sqrt(3), abs=0.006)
    left = 2.0 / (2 * g.soften * np.sqrt(np.pi))
    assert g.grain == pytest.approx(np.sqrt(9 - left**2), abs=0.006)
    softer = propose_grade(look(0, 1, 2.0, 3.0), look(0, 1, 2.0, 2.0), 1.0)
    assert (softer.soften, softer.grain) == (0.0, 0.0)  # nothing makes it sharper, and nothing is missing
    assert propose_grade(look(0, 1, 5.0, 1.0), look(0, 1, 3.0, 1.0), 1.0).grain == 0.0


def test_black_and_white_are_the_darkest_and_brightest_parts() -> None:
    rng = np.random.default_rng(3)
    picture = np.full((100, 100, 3), 0.4, np.float32)
    picture[:20, :20], picture[-20:, -20:] = 0.05, 0.9
    picture += rng.normal(0, 0.001, picture.shape).astype(np.float32)
    found = measure_look(picture, np.ones((100, 100), bool))
    assert found is not None
    assert found.black == pytest.approx([0.05] * 3, abs=0.01)
    assert found.middle == pytest.approx([0.4] * 3, abs=0.005)
    assert found.white == pytest.approx([0.9] * 3, abs=0.01)
    only = np.zeros((100, 100), bool)
    only[30:70, 30:70] = True
    inside = measure_look(picture, only)
    assert inside is not None
    assert inside.black == pytest.approx([0.4] * 3, abs=0.01)
    assert inside.grain == pytest.approx(255 * 0.001 * float(linear_slope(0.4)) * np.sqrt((LUMA**2).sum()), rel=0.2)


def linear_slope(x: float) -> float:
    """Slope of the sRGB code at a linear value (IEC 61966-2-1)."""
    return 1.055 / 2.4 * x ** (1 / 2.4 - 1)


def test_each_channel_is_graded_by_its_own_black_and_white() -> None:
    a = Look(np.array([0.01, 0.02, 0.03]), np.full(3, 0.3), np.array([0.5, 0.6, 0.7]), 1.0, 1.0)
    b = Look(np.array([0.05, 0.03, 0.02]), np.full(3, 0.3), np.array([0.7, 0.6, 0.5]), 1.0, 1.0)
    g = propose_grade(a, b, 1.0)
    for c in range(3):
        assert g.gain[c] * a.black[c] + g.lift[c] == pytest.approx(b.black[c], abs=1e-9)
        assert g.gain[c] * a.white[c] + g.lift[c] == pytest.approx(b.white[c], abs=1e-9)
