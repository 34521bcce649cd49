"""A smear is told where the frame's own motion bears it out, or where it can be nothing else; never on sharp frames."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from movingplates import made_picture, recorded, scans_of, seen

from transmixis.core.progress import Progress
from transmixis.core.survey.blur import Blur, agrees, measure_blur, spectrum
from transmixis.core.survey.findings import findings_of
from transmixis.core.survey.noise import GREY, TimeNoise
from transmixis.core.survey.plate import PlateSurvey, survey_plate
from transmixis.core.survey.scan import prepare


def surveyed(frames: list[np.ndarray]) -> PlateSurvey:
    return survey_plate(scans_of(frames), 24, lambda n: frames[n - 1], Progress())


def roof(seed: int, size: tuple[int, int] = (270, 480)) -> np.ndarray:
    """Tiles and planks: detail that runs one way, as sharp as can be."""
    rng = np.random.default_rng(seed)
    yy, xx = np.mgrid[0 : size[0], 0 : size[1]].astype(np.float32)
    angle = rng.uniform(0, np.pi)
    across = xx * np.cos(angle) + yy * np.sin(angle)
    period = rng.uniform(6, 22)
    rows = np.floor(across / period)
    tone = 0.15 + 0.12 * np.sin(rows * 12.9898) + 0.25 * ((across / period) % 1 < 0.15)
    grain = cv2.GaussianBlur(rng.normal(0, 1, size).astype(np.float32), (0, 0), 0.8)
    return np.repeat(np.clip(tone * (1 + 0.2 * grain), 0.01, 0.9)[..., None], 3, 2).astype(np.float32)


@pytest.mark.parametrize("seed", range(20))
def test_no_smear_on_sharp_stills_and_plates(seed: int) -> None:
    """Twenty pictures as stills and as locked plates: 40."""
    picture = roof(seed) if seed % 2 else seen(made_picture(seed))
    assert measure_blur(spectrum(prepare(recorded(picture, seed)).luma), alone=True).length == 0
    plate = surveyed([recorded(picture, 10 * seed + n) for n in range(5)])
    assert [b.length for b in plate.blurs] == [0] * 5
    assert not [f for f in findings_of(plate) if f.topic == "blur"]


def test_a_pan_is_smeared_along_its_way_and_a_still_of_it_only_beyond_doubt() -> None:
    wide = np.concatenate([made_picture(s) for s in (21, 22, 23)], axis=1)
    way, open_ = 24, 12
    kernel = np.ones((1, open_), np.float32) / open_
    blurred = cv2.filter2D(wide, -1, kernel)
    frames = [recorded(blurred[24:240, 24 + way * n : 24 + way * n + 384], n) for n in range(8)]
    told = [b for b in surveyed(frames).blurs if b.length]
    assert len(told) >= 6
    assert all(b.length == pytest.approx(open_, abs=1.5) for b in told)
    assert all(min(b.direction, 180 - b.direction) < 8 for b in told)
    # the same pictures without any motion between them: nothing there moves, so nothing is told
    held = [recorded(blurred[24:240, 24:408], n) for n in range(6)]
    assert [b.length for b in surveyed(held).blurs] == [0] * 6


def test_agreement_of_a_smear_with_a_motion() -> None:
    smear = Blur(10, 30, 0.8)
    along = np.array([np.cos(np.radians(30)), np.sin(np.radians(30))])
    for way, fits in ((5, False), (9, True), (20, True), (60, True), (100, False)):
        assert agrees(smear, way * along) == fits
        assert agrees(smear, -way * along) == fits
    assert not agrees(smear, np.array([0.0, 20.0]))
    assert not agrees(smear, np.zeros(2))


def test_the_noise_in_words_is_the_law_s() -> None:
    """Deviation of 0.004 linear at middle grey is 0.004 * 1.055 / 2.4 * 0.18^(1/2.4 - 1) * 255 levels (IEC 61966-2-1)."""
    law = np.array([[0.0, 1.6e-5]] * 3, np.float32)
    noise = TimeNoise(law, np.zeros(1), np.zeros(1), 0.0)
    assert noise.level == pytest.approx(0.004 * 1.055 / 2.4 * GREY ** (1 / 2.4 - 1) * 255, rel=1e-4)
    frames = [recorded(seen(made_picture(5)), n, noise=2.0) for n in range(6)]
    s = surveyed(frames)
    assert s.noise is not None
    assert s.noise.level == pytest.approx(2.0, rel=0.12)
    words = next(f.words for f in findings_of(s) if f.topic == "noise")
    assert words.startswith(f"{s.noise.level:.1f} levels")
    black = np.zeros((216, 384, 3), np.float32)
    assert surveyed([black.copy() for _ in range(4)]).noise is None
