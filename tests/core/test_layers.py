"""Layers against the formulas of Compositing and Blending Level 1 (W3C, 2015) and of Porter & Duff (1984), written out here anew."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from transmixis.core.build import blend
from transmixis.core.build.blend import DISPLAY, LIES, MODES, OVER, SHARES, blended, composed
from transmixis.core.build.codes import from_codes, to_codes
from transmixis.core.build.straight import ends_in_frame
from transmixis.core.errors import UserError

unit = st.floats(0, 1, allow_nan=False)
Rgb3 = tuple[float, float, float]


def hard(b: float, s: float) -> float:
    return b * 2 * s if s <= 0.5 else b + (2 * s - 1) - b * (2 * s - 1)


def soft(b: float, s: float) -> float:
    d = ((16 * b - 12) * b + 4) * b if b <= 0.25 else math.sqrt(b)
    return b - (1 - 2 * s) * b * (1 - b) if s <= 0.5 else b + (2 * s - 1) * (d - b)


def dodge(b: float, s: float) -> float:
    return 0 if b == 0 else 1 if s == 1 else min(1, b / (1 - s))


def burn(b: float, s: float) -> float:
    return 1 if b == 1 else 0 if s == 0 else 1 - min(1, (1 - b) / s)


SEPARABLE: dict[str, Callable[[float, float], float]] = {
    blend.OVER: lambda b, s: s,
    blend.MULTIPLY: lambda b, s: b * s,
    blend.SCREEN: lambda b, s: b + s - b * s,
    blend.OVERLAY: lambda b, s: hard(s, b),
    blend.DARKEN: min,
    blend.LIGHTEN: max,
    blend.DODGE: dodge,
    blend.BURN: burn,
    blend.HARD: hard,
    blend.SOFT: soft,
    blend.DIFFERENCE: lambda b, s: abs(b - s),
    blend.EXCLUSION: lambda b, s: b + s - 2 * b * s,
}


def lum(c: Rgb3) -> float:
    return 0.3 * c[0] + 0.59 * c[1] + 0.11 * c[2]


def set_lum(c: Rgb3, want: float) -> Rgb3:
    d = want - lum(c)
    r = [v + d for v in c]
    low, high, at = min(r), max(r), lum((r[0], r[1], r[2]))
    if low < 0:
        r = [at + (v - at) * at / (at - low) for v in r]
    if high > 1:
        r = [at + (v - at) * (1 - at) / (high - at) for v in r]
    return r[0], r[1], r[2]


def sat(c: Rgb3) -> float:
    return max(c) - min(c)


def set_sat(c: Rgb3, want: float) -> Rgb3:
    order = sorted(range(3), key=lambda i: c[i])
    out = [0.0, 0.0, 0.0]
    if c[order[2]] > c[order[0]]:
        out[order[1]] = (c[order[1]] - c[order[0]]) * want / (c[order[2]] - c[order[0]])
        out[order[2]] = want
    return out[0], out[1], out[2]


TOGETHER: dict[str, Callable[[Rgb3, Rgb3], Rgb3]] = {
    blend.HUE: lambda b, s: set_lum(set_sat(s, sat(b)), lum(b)),
    blend.SATURATION: lambda b, s: set_lum(set_sat(b, sat(s)), lum(b)),
    blend.COLOUR: lambda b, s: set_lum(s, lum(b)),
    blend.LUMINOSITY: lambda b, s: set_lum(b, lum(s)),
}


def standard(mode: str, s: Rgb3, sa: float, b: Rgb3, ba: float) -> tuple[list[float], float]:
    """Premultiplied result by the standard's sum."""
    mixed = TOGETHER[mode](b, s) if mode in TOGETHER else tuple(SEPARABLE[mode](x, y) for x, y in zip(b, s, strict=True))
    out = [(1 - ba) * sa * y + (1 - sa) * ba * x + sa * ba * m for x, y, m in zip(b, s, mixed, strict=True)]
    return out, sa + ba - sa * ba


def pixel(c: Rgb3, a: float) -> np.ndarray:
    return np.array([[[c[0] * a, c[1] * a, c[2] * a, a]]], np.float32)


@given(
    st.sampled_from(sorted({*SEPARABLE, *TOGETHER} - {blend.SCREEN})),
    st.tuples(unit, unit, unit),
    unit,
    st.tuples(unit, unit, unit),
    unit,
)
def test_modes_are_those_of_the_standard(mode: str, s: Rgb3, sa: float, b: Rgb3, ba: float) -> None:
    s, b = (tuple(round(v, 3) for v in c) for c in (s, b))  # type: ignore[assignment]
    sa, ba = max(round(sa, 3), 0.01), max(round(ba, 3), 0.01)
    want, alpha = standard(mode, s, sa, b, ba)
    got = blended(pixel(s, sa), pixel(b, ba), mode)[0, 0]
    assert got[:3] == pytest.approx(want, abs=2e-3 if mode in (blend.DODGE, blend.BURN) else 3e-5)
    assert got[3] == pytest.approx(alpha, abs=1e-5)


@given(st.tuples(unit, unit, unit), unit, st.tuples(unit, unit, unit))
def test_screen_and_every_mode_over_an_opaque_picture(s: Rgb3, sa: float, b: Rgb3) -> None:
    want, _ = standard(blend.SCREEN, s, sa, b, 1)
    assert blended(pixel(s, sa), pixel(b, 1)[..., :3], blend.SCREEN)[0, 0] == pytest.approx(want, abs=1e-5)


def test_known_values_of_soft_light_and_luminosity() -> None:
    """Worked by hand from the standard's formulas."""
    back, front = pixel((0.2, 0.5, 0.9), 1)[..., :3], pixel((0.75, 0.25, 1.0), 1)
    got = blended(front, back, blend.SOFT)[0, 0]
    assert got == pytest.approx(
        [0.2 + 0.5 * (((16 * 0.2 - 12) * 0.2 + 4) * 0.2 - 0.2), 0.5 - 0.5 * 0.25, math.sqrt(0.9)], abs=1e-6
    )
    grey = blended(pixel((1, 0, 0), 1), pixel((0.5, 0.5, 0.5), 1)[..., :3], blend.LUMINOSITY)[0, 0]
    assert grey == pytest.approx([0.3, 0.3, 0.3], abs=1e-6)


def test_light_adds_and_screens_and_never_darkens() -> None:
    front = np.zeros((1, 3, 4), np.float32)
    front[0, :, :3] = [[0.5], [0.2], [0.4]]
    back = np.array([[[0.5] * 3, [0.0] * 3, [4.0] * 3]], np.float32)
    assert blended(front, back, blend.ADD)[0, :, 0] == pytest.approx([1.0, 0.2, 4.4])
    assert blended(front, back, blend.SCREEN)[0, :, 0] == pytest.approx([0.75, 0.2, 4.0])
    with_matte = np.concatenate([back, np.full((1, 3, 1), 0.3, np.float32)], 2)
    for mode in (blend.ADD, blend.SCREEN):
        assert blended(front, with_matte, mode)[..., 3] == pytest.approx(0.3)


@pytest.mark.parametrize("mode", [m for m in MODES if m not in (blend.MULTIPLY, blend.DARKEN, blend.DIFFERENCE)])
def test_what_is_brighter_than_white_behind_a_grey_stays_brighter(mode: str) -> None:
    if mode in (OVER, blend.LUMINOSITY, blend.COLOUR):
        return
    out = blended(pixel((0.5, 0.5, 0.5), 0.5), np.full((1, 1, 3), 6.0, np.float32), mode)
    assert out.max() > 3
    assert np.isfinite(out).all()


@pytest.mark.parametrize("mode", MODES)
def test_what_is_not_there_changes_nothing(mode: str) -> None:
    back = np.random.default_rng(1).random((4, 5, 4)).astype(np.float32)
    back[..., :3] *= back[..., 3:]
    assert blended(np.zeros((4, 5, 4), np.float32), back, mode) == pytest.approx(back, abs=1e-6)


@pytest.mark.parametrize("mode", [OVER, blend.MULTIPLY, blend.OVERLAY, blend.HUE])
def test_as_the_display_has_it_is_the_same_sum_of_codes(mode: str) -> None:
    front, back = pixel((0.6, 0.3, 0.1), 0.5), np.array([[[0.2, 0.5, 0.05]]], np.float32)
    s, b = (tuple(to_codes(np.array([[c]], np.float32))[0, 0].tolist()) for c in ((0.6, 0.3, 0.1), (0.2, 0.5, 0.05)))
    want, _ = standard(mode, s, 0.5, b, 1)  # type: ignore[arg-type]
    assert blended(front, back, mode, DISPLAY)[0, 0] == pytest.approx(from_codes(np.array([[want]]))[0, 0], abs=1e-5)
    with_alpha = blended(front, pixel((0.2, 0.5, 0.05), 0.4), mode, DISPLAY)[0, 0]
    want, alpha = standard(mode, s, 0.5, b, 0.4)  # type: ignore[arg-type]
    assert with_alpha[3] == pytest.approx(alpha)
    assert with_alpha[:3] / alpha == pytest.approx(from_codes(np.array([[want]]) / alpha)[0, 0], abs=1e-5)


# from the table of the paper: shares of A and B, (front's alpha, back's alpha)
PAPER = {
    blend.TOP: lambda a, b: (1, 1 - a),
    blend.UNDER: lambda a, b: (1 - b, 1),
    blend.INSIDE: lambda a, b: (b, 1 - a),
    blend.HOLE: lambda a, b: (0, 1 - a),
    blend.WITHIN: lambda a, b: (0, a),
    blend.OUTSIDE: lambda a, b: (1 - b, 0),
    blend.EITHER: lambda a, b: (1 - b, 1 - a),
}


@given(st.sampled_from(sorted(PAPER)), unit, unit, unit, unit)
def test_operators_are_those_of_porter_and_duff(lies: str, fc: float, fa: float, bc: float, ba: float) -> None:
    of_front, of_back = PAPER[lies](fa, ba)
    got = composed(pixel((fc, fc, fc), fa), pixel((bc, bc, bc), ba), lies)[0, 0]
    assert got[0] == pytest.approx(of_front * fc * fa + of_back * bc * ba, abs=1e-5)
    assert got[3] == pytest.approx(of_front * fa + of_back * ba, abs=1e-5)


def test_all_operators_are_tried_and_offered_ones_are_among_them() -> None:
    assert set(PAPER) == set(SHARES) >= set(LIES)
    out = composed(pixel((1, 1, 1), 0.25), np.full((1, 1, 3), 0.5, np.float32), blend.HOLE)
    assert out[0, 0] == pytest.approx([0.375] * 3)


def shift(x: float, y: float) -> np.ndarray:
    return np.array([[1, 0, x], [0, 1, y], [0, 0, 1.0]])


def test_a_straight_end_is_read_where_it_lies_in_the_frame() -> None:
    rng = np.random.default_rng(2)
    under = np.full((120, 200, 3), 0.2, np.float32) + rng.normal(0, 0.004, (120, 200, 3)).astype(np.float32)
    front = np.zeros((200, 300, 4), np.float32)
    front[..., :3] = 0.01 + rng.normal(0, 0.001, (200, 300, 1))

    def add(a: np.ndarray, b: np.ndarray) -> np.ndarray:
        return blended(a, b, blend.ADD)

    worst, spot = ends_in_frame(front, under, shift(60, -20), add)  # its left side alone lies in the frame
    assert worst is not None
    assert spot is not None
    want = 255 * float((to_codes(np.full((1, 1, 3), 0.21)) - to_codes(np.full((1, 1, 3), 0.2)))[0, 0, 0])
    assert worst == pytest.approx(want, abs=0.15)
    assert 60 <= spot[0] <= 63
    assert spot[2] <= 2
    assert 16 <= spot[3] <= 33
    half, _ = ends_in_frame(front, under, shift(60, -20), add, np.full((120, 200), 0.5, np.float32))
    assert half == pytest.approx(worst / 2, abs=0.1)
    assert ends_in_frame(front, under, shift(-50, -50), add) == (None, None)
    cut = np.zeros((200, 300, 4), np.float32)
    cut[50:150, 100:200] = 1  # a cut-out has no ends of its own
    assert ends_in_frame(cut, under, shift(20, 10) @ np.diag([0.4, 0.4, 1.0]), lambda a, b: blended(a, b))[0] == pytest.approx(0)


@pytest.mark.parametrize("how", [OVER, blend.ADD, blend.HUE, "underneath", "display"])
def test_layers_of_other_sizes_are_refused(how: str) -> None:
    """Compiled loops do not look whether they are within an array: they read on, or crashed."""

    def laid(a: np.ndarray, b: np.ndarray) -> np.ndarray:
        if how == "underneath":
            return composed(a, b, how)
        return blended(a, b, blend.MULTIPLY, DISPLAY) if how == "display" else blended(a, b, how)

    front, back = np.ones((40, 60, 4), np.float32), np.ones((4, 6, 3), np.float32)
    for a in (front, front[:3, :5]):
        with pytest.raises(UserError, match="put Place between"):
            laid(a, back)


@given(st.sampled_from(MODES), st.floats(0, 40), st.floats(0, 40), st.floats(0.05, 1))
def test_the_display_s_values_are_those_of_the_curve(mode: str, s: float, b: float, sa: float) -> None:
    """By a table as by the curve itself, far beyond white too."""
    front, back = pixel((s, 0.5 * s, 0.2), sa), pixel((b, 0.3, 0.1 * b), 1)[..., :3]
    codes = to_codes(np.concatenate([front[..., :3] / front[..., 3:], front[..., 3:]], 2))
    codes[..., :3] *= front[..., 3:]
    want = from_codes(blended(codes, to_codes(back), mode))
    got = blended(front, back, mode, DISPLAY)
    assert to_codes(got) == pytest.approx(to_codes(want), abs=2e-4, rel=2e-4)
