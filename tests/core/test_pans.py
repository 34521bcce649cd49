"""Light of a plate whose camera pans: only what frames share tells of it, so a steady pan is left alone."""

from __future__ import annotations

import numpy as np
import pytest
from movingplates import made_picture, recorded, scans_of

from transmixis.core.motion.similarity import Similarity
from transmixis.core.progress import Progress
from transmixis.core.repair.evening import factors, target_stops
from transmixis.core.survey.exposure import gains_by_overlap, measure_drift
from transmixis.core.survey.plate import survey_plate

SIZE, FRAMES, STEP = (216, 384), 30, 29  # no whole number of px in the small pictures


def pan(seed: int, gains: np.ndarray) -> list[np.ndarray]:
    """A pan of two and a half frame widths over a scene that gets brighter to the right by a stop and more."""
    wide = np.concatenate([made_picture(30 * seed + s) for s in range(1, 5)], axis=1)
    wide = wide * np.linspace(0.6, 1.5, wide.shape[1])[None, :, None]
    cut = [wide[24 : 24 + SIZE[0], 24 + STEP * i : 24 + STEP * i + SIZE[1]] for i in range(len(gains))]
    return [recorded((c * g).astype(np.float32), i) for i, (c, g) in enumerate(zip(cut, gains, strict=True))]


@pytest.mark.parametrize("seed", range(6))
def test_an_evened_pan_is_right_to_a_tenth_of_a_per_cent(seed: int) -> None:
    for flicker in (0.0, 0.03) if seed < 3 else (0.0,):
        gains = 1 + flicker * np.random.default_rng(seed).normal(0, 1, FRAMES)
        frames = pan(seed, gains)
        s = survey_plate(scans_of(frames), 24, lambda n, f=frames: f[n - 1], Progress())
        evened = factors(s.gains, target_stops(s.gains, 24, [1], keep_drift=False), 1.0, by_channel=True)
        off = evened / (gains[0] / gains)[:, None] - 1
        told = np.isfinite(s.gains.error)
        assert told.mean() > 0.9
        assert np.sqrt((off[told] ** 2).mean()) < 0.001
        assert np.abs(off[told]).max() < (0.001 if flicker == 0 else 0.0025)
        assert np.nanmax(s.gains.error) < 0.001
        if flicker == 0:
            assert (evened == 1).all()  # not a single pixel of a steady pan is touched


def test_what_frames_do_not_share_is_not_compared() -> None:
    frames = pan(1, np.ones(12))
    far = measure_drift(frames[0], frames[11], None)
    assert abs(far.exposure) > 0.05  # the scene itself is brighter there
    same = measure_drift(frames[0], frames[4], Similarity(-4 * STEP, 0))
    assert abs(same.exposure) < 0.005
    apart = measure_drift(frames[0], frames[11], Similarity(-390, 0))
    assert not apart
    assert "seen in both" in apart.reason
    thumbs: list[np.ndarray | None] = [f[::3, ::3] for f in frames[:3]]
    lone = gains_by_overlap(thumbs, [None, None, None])
    assert lone.reason
    assert np.isnan(lone.stops).all()


def test_a_truck_past_near_and_far_whose_light_stands_is_not_told_to_drift() -> None:
    """A near fence goes faster than a far sky with a gradient of its own; no one movement fits both."""
    rng = np.random.default_rng(3)
    far = np.repeat(np.linspace(0.5, 0.15, 1200, dtype=np.float32)[None, :], SIZE[0], 0)[..., None] * np.ones(3, np.float32)
    far = far * (1 + 0.25 * rng.random((SIZE[0] // 6, 200, 1)).repeat(6, 0).repeat(6, 1)[: SIZE[0], :1200])
    near = made_picture(44, (SIZE[0], 1152))[24:-24, :1200]
    frames = []
    for n in range(24):
        f = far[:, 2 * n : 2 * n + SIZE[1]].copy()
        f[SIZE[0] // 2 :] = near[SIZE[0] // 2 :, 7 * n : 7 * n + SIZE[1]]
        frames.append(recorded(f.astype(np.float32), n))
    s = survey_plate(scans_of(frames), 24, lambda n: frames[n - 1], Progress())
    drift = np.abs(s.gains.against(1).mean(axis=1))
    assert np.nanmax(drift) < 0.05
    evened = factors(s.gains, target_stops(s.gains, 24, [1], keep_drift=False), 1.0, by_channel=True)
    assert np.abs(evened - 1).max() < 0.03
