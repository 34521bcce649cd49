"""Easing against the CSS standard; time code against SMPTE."""

from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from transmixis.core.easing import cubic_bezier, progress
from transmixis.core.timecode import timecode

NTSC = Fraction(30000, 1001)


@pytest.mark.parametrize(
    ("curve", "want"),
    [((0.25, 0.1, 0.25, 1.0), (0.40851, 0.80240, 0.96046)), ((0.42, 0.0, 0.58, 1.0), (0.12916, 0.5, 0.87084))],
)
def test_cubic_bezier_of_the_css_standard(curve: tuple, want: tuple) -> None:
    # W3C CSS Easing Functions: ease and ease-in-out
    for t, w in zip((0.25, 0.5, 0.75), want, strict=True):
        assert cubic_bezier(*curve, t) == pytest.approx(w, abs=1e-5)


@given(st.sampled_from(["hold", "linear", "smooth", "bezier"]), st.floats(0, 1))
def test_every_easing_stays_between_its_ends(easing: str, t: float) -> None:
    assert -1e-9 <= progress(easing, t) <= 1 + 1e-9
    assert progress(easing, 0.0) == pytest.approx(0)
    assert progress(easing, 1.0) == pytest.approx(1)


@pytest.mark.parametrize(
    ("frame", "code"),
    [(0, "00:00:00;00"), (1799, "00:00:59;29"), (1800, "00:01:00;02"), (17982, "00:10:00;00"), (107892, "01:00:00;00")],
)
def test_drop_frame_time_code(frame: int, code: str) -> None:
    # SMPTE ST 12-1
    assert timecode(frame, NTSC) == code


def test_plain_time_code() -> None:
    assert timecode(30, Fraction(24)) == "00:00:01:06"
    assert timecode(24 * 3600, Fraction(24)) == "01:00:00:00"


@given(st.integers(0, 2_000_000))
def test_drop_frame_numbers_never_repeat_or_use_dropped_names(n: int) -> None:
    a, b = timecode(n, NTSC), timecode(n + 1, NTSC)
    assert a != b
    minutes, frames = int(a[3:5]), int(a[9:11])
    assert not (a[6:8] == "00" and frames < 2 and minutes % 10)
