"""Curves, CIELAB and CIEDE2000 against published values and colour-science."""

import colour
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from transmixis.core.colour.curves import linear_to_srgb, luminance, srgb_to_linear
from transmixis.core.colour.lab import delta_e_2000, linear_to_lab


def test_srgb_values_of_the_standard() -> None:
    # IEC 61966-2-1
    assert srgb_to_linear(np.array(0.5)) == pytest.approx(0.2140411, abs=1e-6)
    assert linear_to_srgb(np.array(0.18)) == pytest.approx(0.4613561, abs=1e-6)
    assert round(255 * float(linear_to_srgb(np.array(0.18)))) == 118


@given(st.floats(0, 4))
def test_srgb_goes_there_and_back(x: float) -> None:
    assert srgb_to_linear(linear_to_srgb(np.array(x))) == pytest.approx(x, rel=1e-5, abs=1e-6)


def test_luminance_weights_of_bt709() -> None:
    assert luminance(np.eye(3, dtype=np.float32)) == pytest.approx([0.2126, 0.7152, 0.0722])


def test_ciede2000_worked_example() -> None:
    # Sharma, Wu, Dalal 2005, first pair of the test data
    assert delta_e_2000(np.array([50, 2.6772, -79.7751]), np.array([50, 0, -82.7485])) == pytest.approx(2.0425, abs=5e-5)


def test_ciede2000_against_colour_science() -> None:
    rng = np.random.default_rng(0)
    a = rng.uniform([0, -100, -100], [100, 100, 100], (500, 3))
    b = rng.uniform([0, -100, -100], [100, 100, 100], (500, 3))
    near = a + rng.normal(0, 1, a.shape)
    for other in (b, near, a):
        assert np.allclose(delta_e_2000(a, other), colour.delta_E(a, other, method="CIE 2000"), atol=1e-8)


def test_lab_against_colour_science() -> None:
    rgb = np.random.default_rng(1).uniform(0, 1, (200, 3))
    xyz = colour.RGB_to_XYZ(rgb, "sRGB", apply_cctf_decoding=False)
    want = colour.XYZ_to_Lab(xyz, colour.CCS_ILLUMINANTS["CIE 1931 2 Degree Standard Observer"]["D65"])
    # the two round the D65 white differently in the fifth figure
    assert np.allclose(linear_to_lab(rgb), want, atol=0.05)
