"""Gains over time, evening by them, and the law of the noise, on made pictures."""

from __future__ import annotations

import colour
import numpy as np
import pytest
from scipy import ndimage

from transmixis.core.motion.similarity import Similarity
from transmixis.core.repair.evening import factors, target_stops
from transmixis.core.survey import exposure
from transmixis.core.survey.exposure import Gains, gains_by_overlap, gains_over_time, measure_drift, mired_change
from transmixis.core.survey.noise import noise_law, noise_over_time

RATE = 24.0


# -- gains


def textured(seed: int, shape: tuple[int, int] = (72, 128)) -> np.ndarray:
    rng = np.random.default_rng(seed)
    x = ndimage.gaussian_filter(rng.random((*shape, 3)), (1.2, 1.2, 0))
    return (0.1 + 0.5 * (x - x.min()) / np.ptp(x)).astype(np.float32)


def test_gains_are_told_in_stops_by_channel_about_their_middle() -> None:
    base = textured(1)
    wanted = np.array([[0, 0, 0], [0.1, 0.1, 0.1], [-0.2, -0.1, 0.0], [0, 0, 0.05], [0, 0, 0], [0, 0, 0], [0, 0, 0]])
    found = gains_over_time([base * np.exp2(w).astype(np.float32) for w in wanted])
    assert found.stops - np.median(found.stops, axis=0) == pytest.approx(wanted - np.median(wanted, axis=0), abs=2e-3)
    assert found.exposure == pytest.approx(found.stops.mean(axis=1))
    against = found.against(2)
    assert against[1] == pytest.approx([0, 0, 0])
    assert against[0] == pytest.approx([-0.1] * 3, abs=2e-3)
    assert np.all(found.error < 0.002)


def test_frames_that_cannot_be_read_have_no_gain() -> None:
    base = textured(2)
    black = np.zeros_like(base)
    found = gains_over_time([base, None, base, black, base])
    assert np.isnan(found.stops[[1, 3]]).all()
    assert found.stops[[0, 2, 4]] == pytest.approx(np.zeros((3, 3)), abs=1e-3)
    assert found.against(2)[0] == pytest.approx([0, 0, 0], abs=1e-3)  # the first that was measured
    assert "no frame" in gains_over_time([None, None]).reason
    assert "too little" in gains_over_time([black, black]).reason


def test_gains_along_a_pan_are_those_of_what_is_shared() -> None:
    """A wide picture seen through a window that goes 4 px a frame; light that rises by a stop over the pan and drops at one frame."""
    wide = textured(5, (72, 400))
    n = 40
    stops = np.linspace(0, 1, n)
    stops[20] -= 0.1
    thumbs = [(wide[:, 4 * i : 4 * i + 128] * 2 ** (s - 0.5)).astype(np.float32) for i, s in enumerate(stops)]
    moves = [Similarity(-4.0 * i, 0.0) for i in range(n)]
    found = gains_by_overlap(thumbs, moves)
    off = found.exposure - stops
    assert np.ptp(off) < 0.01
    steady = gains_by_overlap([wide[:, 4 * i : 4 * i + 128] for i in range(n)], moves)
    assert np.abs(steady.stops).max() < 2e-3
    assert found.error[0] > found.error[n // 2] > 0  # little adds up, but it does
    assert "share too little" in gains_by_overlap(thumbs, [None] * n).reason


def test_of_a_long_pan_the_error_is_worked_out_at_some_frames(monkeypatch: pytest.MonkeyPatch) -> None:
    """There is no longest pan; between the frames whose error is solved for it runs in a line, and hardly differs."""
    wide = textured(6, (48, 300))
    thumbs = [wide[:, 4 * i : 4 * i + 96] for i in range(40)]
    moves: list[Similarity | None] = [Similarity(-4.0 * i) for i in range(40)]
    whole = gains_by_overlap(thumbs, moves)
    monkeypatch.setattr(exposure, "MOST_ERRORS", 12)
    some = gains_by_overlap(thumbs, moves)
    assert np.array_equal(some.stops, whole.stops)
    assert some.error == pytest.approx(whole.error, rel=0.25)
    assert whole.error.min() > 0


def test_the_slow_part_is_drift_and_the_rest_is_flicker() -> None:
    n = 96
    slow = 0.3 * np.linspace(-1, 1, n)
    quick = 0.05 * (-1.0) ** np.arange(n)
    g = Gains((slow + quick)[:, None].repeat(3, 1), np.full(n, 1e-3))
    trend = g.trend(24)
    assert np.abs(trend[:, 0] - slow)[8:-8].max() < 0.06
    assert np.abs(np.diff(trend[:, 0])).max() < 0.02
    holes = g.stops.copy()
    holes[40:44] = np.nan
    assert np.isfinite(Gains(holes, g.error).trend(24)).all()
    assert np.array_equal(Gains(g.stops[:2], g.error[:2]).trend(24), g.stops[:2])


def test_drift_of_two_frames_by_channel() -> None:
    a = textured(7, (90, 160))
    found = measure_drift(a, a * np.exp2(np.float32([0.1, 0.0, -0.1])))
    assert found.exposure == pytest.approx(0, abs=1e-3)
    assert found.colour == pytest.approx(0.1, abs=2e-3)


@pytest.mark.parametrize("stops", [(0.1, 0.0, -0.1), (-0.05, 0.0, 0.08), (0, 0, 0)])
def test_mired_by_a_reference_library(stops: tuple[float, float, float]) -> None:
    """McCamy (1992) of the chromaticity that the gains give the white of BT.709."""

    def temperature(gains: np.ndarray) -> float:
        xyz = colour.RGB_to_XYZ(gains, "sRGB", apply_cctf_decoding=False)
        return float(colour.temperature.xy_to_CCT_McCamy1992(colour.XYZ_to_xy(xyz)))

    want = 1e6 / temperature(np.exp2(np.array(stops))) - 1e6 / temperature(np.ones(3))
    assert mired_change(np.array(stops)) == pytest.approx(want, abs=0.15)
    assert mired_change(np.array([0.1, 0, -0.1])) > 0 > mired_change(np.array([-0.1, 0, 0.1]))  # warmer is above zero


def gains_of(values: list[float], error: float = 1e-4) -> Gains:
    v = np.array(values)
    return Gains(v[:, None].repeat(3, 1), np.full(len(v), error))


def test_where_evening_leads_and_by_how_much() -> None:
    g = gains_of([0.0, 0.1, 0.2, 0.3, 0.4])
    one = target_stops(g, 24, [3], keep_drift=False)
    assert one[:, 0] == pytest.approx([0.2] * 5)
    two = target_stops(g, 24, [1, 5], keep_drift=False)
    assert two[:, 0] == pytest.approx([0, 0.1, 0.2, 0.3, 0.4])
    assert target_stops(g, 24, [9, -1, 0], keep_drift=False)[:, 0] == pytest.approx([0] * 5)  # none of them: the first frame
    f = factors(g, one, 1.0, by_channel=True)
    assert f[:, 0] == pytest.approx(2 ** np.array([0.2, 0.1, 0.0, -0.1, -0.2]))
    assert factors(g, one, 0.5, by_channel=True)[0, 0] == pytest.approx(2**0.1)


def test_what_may_be_no_change_is_left_alone() -> None:
    g = gains_of([0.0, 0.0019, 0.0021, 0.05])
    target = np.zeros((4, 3))
    assert factors(g, target, 1.0, by_channel=True)[:, 0] == pytest.approx([1, 1, 2**-0.0021, 2**-0.05])
    unsure = gains_of([0.0, 0.0, 0.039, 0.041], error=0.02)
    assert factors(unsure, target, 1.0, by_channel=True)[:, 0] == pytest.approx([1, 1, 1, 2**-0.041])
    mixed = Gains(np.array([[0.3, 0.0, 0.0], [np.nan] * 3]), np.array([0.0, np.nan]))
    assert factors(mixed, np.zeros((2, 3)), 1.0, by_channel=False)[0] == pytest.approx([2**-0.1] * 3)
    assert factors(mixed, np.zeros((2, 3)), 1.0, by_channel=False)[1] == pytest.approx([1] * 3)


# -- noise


@pytest.mark.parametrize(("a", "b"), [(3e-4, 4e-6), (0.0, 2e-5)])
def test_the_law_of_one_frame_beside_falloff(a: float, b: float) -> None:
    rng = np.random.default_rng(9)
    v, u = np.mgrid[0:240, 0:400]
    frame = (0.05 + 0.4 * u / 400 + 0.05 * v / 240)[..., None].repeat(3, 2)
    frame = frame + rng.normal(0, 1, frame.shape) * np.sqrt(a * frame + b)
    law = noise_law(frame.astype(np.float32), np.ones((240, 400), bool))
    at = np.array([0.1, 0.25, 0.4])
    assert law[:, :1] * at + law[:, 1:] == pytest.approx(np.tile(a * at + b, (3, 1)), rel=0.1)
    assert noise_law(np.full((64, 64, 3), 0.2, np.float32), np.ones((64, 64), bool))[0] == pytest.approx([0, 1e-8])


def test_noise_in_levels_at_middle_grey() -> None:
    """Variance 4e-6 at 0.18: two thousandths, times the sRGB curve's slope there, times 255."""
    rng = np.random.default_rng(3)
    pairs = [tuple((0.18 + rng.normal(0, 2e-3, (160, 240, 3))).astype(np.float32) for _ in range(2)) for _ in range(2)]
    found = noise_over_time(pairs)  # type: ignore[arg-type]
    assert found is not None
    step = 1e-5
    slope = (colour.models.eotf_inverse_sRGB(0.18 + step) - colour.models.eotf_inverse_sRGB(0.18 - step)) / (2 * step)
    assert found.level == pytest.approx(2e-3 * slope * 255, rel=0.03)
    assert abs(found.neighbours) < 0.02
    flat = np.full((160, 240, 3), 0.18, np.float32)
    assert noise_over_time([(flat, flat)]) is None
    assert noise_over_time([(flat[:32, :32], flat[:32, :32])]) is None
