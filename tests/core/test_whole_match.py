"""Looks brought together on ten made pairs: one scene seen by two cameras in two lights."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from transmixis.core.build.match import apply_grade, look_differences, measure_look
from transmixis.core.build.over import with_alpha
from transmixis.core.build.wholematch import grains_of, three_points, whole_match
from transmixis.core.colour.curves import linear_to_srgb, srgb_to_linear


def scene(seed: int) -> np.ndarray:
    """Shapes of many tones with hard edges and texture, (240, 320, 3) linear."""
    dice = np.random.default_rng(seed)
    out = np.full((240, 320, 3), 0.18, np.float32) * np.linspace(0.5, 1.6, 320, dtype=np.float32)[None, :, None]
    for _ in range(60):
        x, y, r = dice.integers(0, 320), dice.integers(0, 240), int(dice.integers(8, 36))
        cv2.circle(
            out,
            (int(x), int(y)),
            r,
            tuple(float(v) for v in dice.uniform(0.01, 0.8) * dice.uniform(0.7, 1.3, 3)),
            -1,
            cv2.LINE_AA,
        )
    wave = cv2.GaussianBlur(dice.standard_normal((240, 320, 1)).astype(np.float32), (0, 0), 3).reshape(240, 320, 1)
    return np.asarray(np.clip(out * (1 + 0.5 * wave), 0.002, 1), np.float32)


def seen(picture: np.ndarray, seed: int, gain: tuple, lift: tuple, power: float, soft: float, grain: tuple) -> np.ndarray:
    out = np.maximum(picture * np.float32(gain) + np.float32(lift), 0) ** power
    out = cv2.GaussianBlur(out.astype(np.float32), (0, 0), soft) if soft else out
    noise = np.random.default_rng(seed).standard_normal(out.shape).astype(np.float32) * np.float32(grain) / 255
    return np.asarray(srgb_to_linear(np.maximum(linear_to_srgb(out) + noise, 0)), np.float32)


def looks(k: int) -> tuple[dict, dict]:
    """How the subject and the plate of pair `k` were seen."""
    dice = np.random.default_rng(100 + k)

    def one(clean: bool) -> dict:
        return {
            "gain": tuple(dice.uniform(0.7, 1.25, 3)),
            "lift": tuple(dice.uniform(0, 0.03, 3)),
            "power": float(dice.uniform(0.85, 1.2)),
            "soft": 0.0 if clean else float(dice.uniform(0.4, 1.4)),
            "grain": tuple(dice.uniform(0.2, 0.8, 3) if clean else dice.uniform(1.0, 3.0, 3)),
        }

    return one(True), one(False)


def look(picture: np.ndarray):  # type: ignore[no-untyped-def]
    return measure_look(picture[..., :3], np.ones(picture.shape[:2], bool))


@pytest.mark.parametrize("k", range(10))
def test_ten_pairs_come_together_and_nothing_gets_worse(k: int) -> None:
    one, other = looks(k)
    # the same sort of scene, not the same picture: other places, the same tones
    subject, plate = seen(scene(k), 1, **one), seen(scene(k)[::-1, ::-1], 2, **other)
    grade = whole_match([with_alpha(subject)], [plate])
    assert grade is not None
    made = apply_grade(with_alpha(subject), grade, 7)
    before, after = (look_differences(look(p), look(plate)) for p in (subject, made))
    for n in ("black", "middle", "white"):
        assert abs(after[n]) <= 3.0
        assert abs(after[n]) <= max(abs(before[n]), 1.0)
    want, got = grains_of(with_alpha(plate)), grains_of(made)
    assert got == pytest.approx(want, rel=0.1)
    assert look(made).grain == pytest.approx(look(plate).grain, rel=0.1)
    assert after["softness"] is None or abs(after["softness"]) <= abs(before["softness"]) + 0.05


@given(*(st.floats(0.001, 0.9) for _ in range(6)))
def test_three_values_go_to_three_others(a: float, b: float, c: float, d: float, e: float, f: float) -> None:
    dark, middle, light = sorted((a, b, c))
    to_dark, to_middle, to_light = sorted((d, e, f))
    gain, lift, power = three_points(dark, middle, light, to_dark, to_middle, to_light)
    if light - dark < 1e-3 or to_light - to_dark < 1e-3:
        return

    def at(x: float) -> float:
        return float(max(gain * x + lift, 0) ** power)

    assert at(dark) == pytest.approx(to_dark, abs=1e-5)
    assert at(light) == pytest.approx(to_light, abs=1e-5)
    if 0.41 < power < 2.49:
        assert at(middle) == pytest.approx(to_middle, abs=1e-4)


def test_alike_pictures_are_left_alone_and_small_ones_not_told() -> None:
    picture = seen(scene(3), 1, (1, 1, 1), (0, 0, 0), 1.0, 0.8, (1.5, 1.2, 1.8))
    grade = whole_match([with_alpha(picture)], [picture])
    assert grade is not None
    assert grade.gain == pytest.approx((1, 1, 1), abs=0.02)
    assert grade.power == pytest.approx((1, 1, 1), abs=0.02)
    assert max(grade.grains) < 0.2
    assert whole_match([np.zeros((4, 4, 4), np.float32)], [picture]) is None
