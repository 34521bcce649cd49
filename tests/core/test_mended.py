"""Readings of a mend: a step of light, other texture, another thing beside it, its grain, boil and standing still, each made on purpose."""

from __future__ import annotations

import numpy as np
import pytest

from transmixis.core.colour.curves import linear_to_srgb, srgb_to_linear
from transmixis.core.repair.mended import border_readings, grain_reading, near, ring_of, soft_edge, stir_readings

H, W = 120, 160
LAW = 4e-5
RNG = np.random.default_rng(8)


def base() -> np.ndarray:
    ramp = np.linspace(0.1, 0.4, W)[None, :, None] * np.ones((H, W, 3))
    return np.asarray(ramp, np.float32)


def noisy(x: np.ndarray, times: float = 1.0) -> np.ndarray:
    return (x + RNG.normal(size=x.shape) * np.sqrt(LAW * x) * times).astype(np.float32)


def patch() -> np.ndarray:
    m = np.zeros((H, W), np.float32)
    m[45:80, 60:100] = 1
    return m


NOISE = 2 * LAW * base()


def by_name(readings: list, name: str) -> float | None:
    return next(r.value for r in readings if r.name == name)


def test_a_step_of_light_is_read_in_levels_at_its_place() -> None:
    sound = border_readings(noisy(base()), noisy(base()), patch(), NOISE)
    assert by_name(sound, "seam") < 1.0
    assert by_name(sound, "unlike") < 1.0
    shown = linear_to_srgb(base())
    shown[:, :80] += 6 / 255
    off = border_readings(noisy(base()), noisy(srgb_to_linear(shown)), patch(), NOISE)
    seam = off[0]
    assert seam.value == pytest.approx(6, abs=0.8)
    assert seam.spot is not None
    assert seam.spot[0] + 12 < 84


def test_other_texture_is_unlike_and_another_thing_is_no_seam() -> None:
    rough = base() + RNG.normal(0, 0.02, (H, W, 1)).astype(np.float32)
    read = border_readings(noisy(base()), noisy(rough), patch(), NOISE)
    assert by_name(read, "unlike") > 4
    assert by_name(read, "seam") < 2
    plate = noisy(base())
    plate[30:60, 96:125] = 0.9
    told = border_readings(plate, noisy(base()), patch(), NOISE)
    assert told[0].value < 2.5
    assert "is another thing" in told[0].note
    front = np.zeros((H, W), np.float32)
    front[30:60, 96:125] = 1
    known = border_readings(plate, noisy(base()), patch(), NOISE, front)
    assert known[0].note == ""
    assert known[0].value < 1.2
    everything = border_readings(plate, noisy(base()), np.ones((H, W), np.float32), NOISE)
    assert [r.value for r in everything] == [None, None]


@pytest.mark.parametrize(("times", "off"), [(1.0, 0.0), (0.5, 50.0), (1.6, 60.0)])
def test_grain_is_compared_with_the_law(times: float, off: float) -> None:
    read = grain_reading(noisy(base()), noisy(base(), times), LAW * base(), patch())
    assert read.value == pytest.approx(off, abs=14)
    assert grain_reading(noisy(base()), noisy(base()), LAW * base(), np.zeros((H, W), np.float32)).value is None
    buried = grain_reading(noisy(base(), 4), noisy(base()), LAW * base(), patch())
    assert buried.value is None
    assert "coding" in buried.note


def test_boil_and_standing_still_are_told_by_the_surroundings() -> None:
    a, b = noisy(base()), noisy(base())
    assert by_name(stir_readings(b, a, patch(), LAW * base()), "boil") == pytest.approx(100, abs=12)
    held = np.where(patch()[..., None] > 0, a, b)
    assert by_name(stir_readings(held, a, patch(), LAW * base()), "stirs") < 5
    wild = np.where(patch()[..., None] > 0, noisy(base(), 3), b)
    assert by_name(stir_readings(wild, a, patch(), LAW * base()), "boil") > 160
    assert stir_readings(b, a, np.zeros((H, W), np.float32), LAW * base()) == []


def test_a_bright_mend_in_dark_surroundings_is_not_said_to_boil() -> None:
    """Its grain is stronger as bright grain is: both are set against what their own light wants."""
    lit = np.where(patch()[..., None] > 0, 8 * base(), base() * 0.1).clip(0.004, 0.9).astype(np.float32)
    read = stir_readings(noisy(lit), noisy(lit), patch(), LAW * lit)
    assert by_name(read, "boil") == pytest.approx(100, abs=15)


def test_a_soft_edge_lies_outside_and_covers_all() -> None:
    m = patch()
    soft = soft_edge(m, 4.0)
    assert (soft[m > 0] == 1).all()
    row = soft[60, 100:112]
    assert (np.diff(row) <= 0).all()
    assert 0.3 < row[3] < 0.7
    assert row[-1] == 0
    np.testing.assert_array_equal(soft_edge(m, 0), m)
    assert not (ring_of(soft) & ~near(m > 0, 4.0)).any()  # all that is compared is made
    ring = ring_of(m)
    assert not (ring & (m > 0)).any()
    assert ring[60, 100]
    assert ring[60, 113]
    assert not ring[60, 115]
