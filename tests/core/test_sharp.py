"""A clean plate of another sharpness is brought to its take's, whatever the grain; one as sharp, or plain, is left alone."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from rigtakes import grained
from wireplates import photograph

from transmixis.core.repair.sharp import grain_kept, resharpened, sharpness_to

WHERE = np.zeros((200, 320), bool)
WHERE[20:180, 20:300] = True


@pytest.mark.parametrize("blur", [0.7, 1.2])
def test_a_sharper_plate_is_softened(blur: float) -> None:
    plate = cv2.GaussianBlur(photograph("chelsea"), (0, 0), 0.6)
    take = [grained(cv2.GaussianBlur(plate, (0, 0), blur), np.random.default_rng(n)) for n in range(3)]
    by = sharpness_to(take, [plate] * 3, [WHERE] * 3)
    assert by == pytest.approx(blur, rel=0.2)
    made = resharpened(plate, by)
    truth = cv2.GaussianBlur(plate, (0, 0), blur)
    assert np.abs(made - truth)[WHERE].mean() < 0.25 * np.abs(plate - truth)[WHERE].mean()


def test_a_softer_plate_is_sharpened() -> None:
    sharp = cv2.GaussianBlur(photograph("chelsea"), (0, 0), 0.8)
    plate = cv2.GaussianBlur(sharp, (0, 0), 0.7)
    by = sharpness_to([grained(sharp, np.random.default_rng(1))], [plate], [WHERE])
    assert by < -0.2
    made = resharpened(plate, by)
    assert np.abs(made - sharp)[WHERE].mean() < 0.6 * np.abs(plate - sharp)[WHERE].mean()


def test_what_is_as_sharp_or_plain_is_left_alone() -> None:
    plate = cv2.GaussianBlur(photograph("chelsea"), (0, 0), 0.8)
    assert sharpness_to([grained(plate, np.random.default_rng(1))], [plate], [WHERE]) == 0
    flat = np.full_like(plate, 0.3)
    assert sharpness_to([grained(flat, np.random.default_rng(1))], [grained(flat, np.random.default_rng(2))], [WHERE]) == 0
    assert sharpness_to([plate], [plate], [np.zeros_like(WHERE)]) == 0
    other = photograph("coffee")
    assert sharpness_to([other], [plate], [WHERE]) == 0  # they share no detail
    np.testing.assert_array_equal(resharpened(plate, 0.0), plate)


def test_grain_is_weaker_softened_and_stronger_sharpened() -> None:
    assert grain_kept(0.0) == pytest.approx(1, abs=1e-4)
    assert grain_kept(1.0) == pytest.approx(1 / (4 * np.pi), rel=0.1)  # a gaussian's squares sum to that
    assert grain_kept(-0.5) > 1.3
