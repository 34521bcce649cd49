"""Values that follow from definitions and standards, to the last figure that counts."""

from __future__ import annotations

from fractions import Fraction
from types import SimpleNamespace

import colour
import numpy as np
import pytest
from scipy import ndimage

from transmixis.core.build.match import Grade, apply_grade
from transmixis.core.colour.curves import linear_to_srgb, luminance, srgb_to_linear
from transmixis.core.easing import progress
from transmixis.core.matte.measure import evenness_reading
from transmixis.core.motion.similarity import Similarity
from transmixis.core.motion.steady import moved
from transmixis.core.timecode import timecode


def test_the_srgb_curve_where_its_two_parts_meet() -> None:
    """IEC 61966-2-1, against a reference library, on a fine grid about the threshold and over the whole range."""
    x = np.concatenate([np.linspace(0, 0.012, 4001), np.linspace(0, 1, 1001)])
    assert np.abs(linear_to_srgb(x) - colour.models.eotf_inverse_sRGB(x)).max() < 1e-9
    c = np.concatenate([np.linspace(0, 0.12, 4001), np.linspace(0, 1, 1001)])
    assert np.abs(srgb_to_linear(c) - colour.models.eotf_sRGB(c)).max() < 1e-9
    assert linear_to_srgb(np.array([-0.5]))[0] == -linear_to_srgb(np.array([0.5]))[0]


@pytest.mark.parametrize(
    ("frame", "rate", "code"),
    [
        (1799, "30000/1001", "00:00:59;29"), (1800, "30000/1001", "00:01:00;02"), (17981, "30000/1001", "00:09:59;29"),
        (17982, "30000/1001", "00:10:00;00"), (35964, "30000/1001", "00:20:00;00"), (107892, "30000/1001", "01:00:00;00"),
        (6 * 107892 + 1800, "30000/1001", "06:01:00;02"), (215784, "60000/1001", "01:00:00;00"), (3600, "60000/1001", "00:01:00;04"),
        (24 * 3600 * 24 - 1, "24", "23:59:59:23"), (24 * 3600 * 24, "24", "00:00:00:00"), (1440, "24000/1001", "00:01:00:00"), (1800, "30", "00:01:00:00"),
    ],
)  # fmt: skip
def test_time_code_over_hours(frame: int, rate: str, code: str) -> None:
    """SMPTE ST 12-1: ten minutes of drop-frame counting are 17982 frames, an hour 107892."""
    assert timecode(frame, Fraction(rate)) == code


@pytest.mark.parametrize("t", [0.0, 0.1, 0.25, 0.5, 0.8, 1.0])
def test_easings_are_what_they_are_called(t: float) -> None:
    assert progress("linear", t) == pytest.approx(t)
    assert progress("hold", t) == (1.0 if t >= 1 else 0.0)
    smooth = progress("smooth", t)
    assert smooth == pytest.approx(1 - progress("smooth", 1 - t), abs=1e-6)  # the way in is the way out
    hermite = np.polynomial.polynomial.polyval(t, [0, 0, 3, -2])  # the cubic with level ends (Hermite)
    assert smooth == pytest.approx(float(hermite), abs=1e-12)
    css = progress("custom", 0.25, (0.42, 0.0, 0.58, 1.0))  # W3C CSS Easing: ease-in-out at a quarter
    assert css == pytest.approx(0.1292, abs=1e-3)


def test_evenness_is_told_in_doublings() -> None:
    """A screen whose light is spread evenly from 0.1 to 0.4: from 5 to 95 % it goes from 0.115 to 0.385."""
    level = np.tile(np.linspace(0.1, 0.4, 400, dtype=np.float32), (20, 1))
    screen = np.repeat(level[..., None], 3, axis=2)
    found = evenness_reading(SimpleNamespace(sure_screen=np.ones((20, 400)), screen=screen))  # type: ignore[arg-type]
    assert found.value == pytest.approx(np.log2(0.385 / 0.115), abs=0.01)


def test_enlarging_keeps_the_frame_s_middle() -> None:
    """A blob in the middle stays there, whether the frame has a middle pixel or not."""
    for h, w in ((41, 61), (40, 60)):
        y, x = np.mgrid[0:h, 0:w].astype(np.float32)
        blob = np.exp(-((x - (w - 1) / 2) ** 2 + (y - (h - 1) / 2) ** 2) / 50).astype(np.float32)
        out = moved(np.repeat(blob[..., None], 3, 2), Similarity(), 1.5)[..., 0]
        v, u = ndimage.center_of_mass(np.maximum(out, 0))
        assert (u, v) == pytest.approx(((w - 1) / 2, (h - 1) / 2), abs=0.01)
        assert np.sqrt((out * (x - u) ** 2).sum() / out.sum()) > 1.3 * np.sqrt((blob * (x - u) ** 2).sum() / blob.sum())


def test_a_lift_counts_as_much_as_there_is_of_the_picture() -> None:
    picture = np.zeros((4, 4, 4), np.float32)
    picture[..., :3], picture[..., 3] = 0.2, 0.5
    out = apply_grade(picture, Grade(gain=(2.0, 1.0, 0.5), lift=(0.1, 0.1, 0.1)), seed=1)
    assert out[0, 0] == pytest.approx([0.45, 0.25, 0.15, 0.5])
    assert np.all(apply_grade(picture, Grade(lift=(-1.0, -1.0, -1.0)), seed=1)[..., :3] == 0)


@pytest.mark.parametrize("levels", [1.0, 4.0])
@pytest.mark.parametrize("alpha", [1.0, 0.4])
def test_grain_is_as_strong_as_asked(levels: float, alpha: float) -> None:
    """In steps of 255 of the sRGB code, on the straight colour, neutral."""
    picture = np.full((700, 700, 4), 0.3 * alpha, np.float32)
    picture[..., 3] = alpha
    out = apply_grade(picture, Grade(grain=levels), seed=3)
    coded = 255 * linear_to_srgb(out[..., :3] / alpha)
    assert coded.std(axis=(0, 1)) == pytest.approx([levels] * 3, rel=0.0035)
    assert coded.mean() == pytest.approx(255 * float(linear_to_srgb(np.array(0.3))), abs=0.1)
    assert np.abs(coded[..., 0] - coded[..., 2]).max() < 1e-3
    assert luminance(out)[0, 0] < 1
