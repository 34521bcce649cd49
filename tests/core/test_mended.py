"""Readings of a mend: a step of light, other texture, another thing beside it, its grain, boil and standing still, each made on purpose."""

from __future__ import annotations

import numpy as np
import pytest

from transmixis.core.colour.curves import linear_to_srgb, srgb_to_linear
from transmixis.core.repair.border import border_readings, near, ring_of, soft_edge, step_beside
from transmixis.core.repair.mended import grain_reading, stir_readings

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


def code_up(x: np.ndarray, levels: float | np.ndarray) -> np.ndarray:
    """Lighter by so many 8-bit levels as shown."""
    by = np.asarray(levels, np.float32)
    return np.asarray(srgb_to_linear(linear_to_srgb(x) + (by[..., None] if by.ndim else by) / 255), np.float32)


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


def test_the_edge_is_wider_where_the_light_steps() -> None:
    """Four levels of step want some 12 px of feather to either side, none the feather that is set; a hard edge stays hard."""
    m = patch()
    step = np.zeros(m.shape, np.float32)
    step[:, :80] = 4.0
    soft = soft_edge(m, 2.0, step)
    right, left = (int((soft[60, s] > 0.01).sum()) for s in (slice(100, None), slice(None, 60)))
    assert right <= 4
    assert 18 <= left <= 24
    np.testing.assert_array_equal(soft_edge(m, 0, step), m)
    wild = soft_edge(m, 2.0, np.full(m.shape, 100, np.float32))
    assert int((wild[60, 100:] > 0).sum()) <= 32
    assert not (ring_of(wild) & ~near(m > 0, 2.0)).any()


def test_the_step_beside_is_told_and_another_thing_is_none() -> None:
    m = patch()
    for by in (1.0, 4.0):
        lit = code_up(base(), by)
        told = step_beside(base(), lit, m)
        assert told[60, 105] == pytest.approx(by, abs=0.15 * by)
        assert told[30, 80] == pytest.approx(by, abs=0.15 * by)
    far = code_up(base(), 60.0)
    assert step_beside(base(), far, m).max() < 0.5
    front = np.zeros_like(m)
    front[:, 96:] = 1
    half = np.where(front[..., None] > 0, code_up(base(), 8.0), base())
    assert step_beside(base(), half, m, front).max() < 0.5


def test_a_seam_shows_less_where_much_goes_on_and_where_it_is_soft() -> None:
    """Beside a rough ground (rms 10 levels at its scale) the same step reads less by a power of their ratio (Legge & Foley, 1980); over a feather less of it lies within 8 px."""
    m, plain = patch(), np.full((H, W, 3), 0.2, np.float32)
    even = by_name(border_readings(plain, code_up(plain, 4.0), m, LAW * plain), "seam")
    assert even == pytest.approx(4.0, abs=0.2)
    y, x = np.mgrid[0:H, 0:W]
    waves = code_up(plain, 14.1 * np.sin(x / 4.5) * np.sin(y / 4.5) * 1.41)
    rough = by_name(border_readings(waves, code_up(waves, 4.0), m, LAW * plain), "seam")
    assert 0.3 * even < rough < 0.65 * even
    wide = soft_edge(m, 2.0, np.full(m.shape, 4.0, np.float32))
    assert 0.4 * even < by_name(border_readings(plain, code_up(plain, 4.0), wide, LAW * plain), "seam") < 0.65 * even
    near_ = soft_edge(m, 2.0)
    assert by_name(border_readings(plain, code_up(plain, 4.0), near_, LAW * plain), "seam") == pytest.approx(even, abs=0.2)


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
