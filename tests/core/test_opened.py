"""How long a shutter was open, from smears over ways."""

from __future__ import annotations

from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from transmixis.core.survey.blur import Blur
from transmixis.core.survey.camera_path import CameraPath
from transmixis.core.survey.opened import open_share


def survey(ways: list[float], lengths: list[float]) -> Any:
    x = np.cumsum(ways)
    none = np.zeros(len(ways))
    path = CameraPath(x=x, y=none, turn=none, grow=none + 1, error=none + 0.1, size=(540, 960))
    return SimpleNamespace(path=path, blurs=tuple(Blur(v, 0.0, 0.8) for v in lengths), count=len(ways))


def test_half_of_the_way_is_180_degrees() -> None:
    assert open_share(survey([20.0] * 8, [10.0] * 8)) == pytest.approx(0.5)
    assert open_share(survey([20.0] * 8, [5.0] * 8)) == pytest.approx(0.25)
    assert open_share(survey([20.0] * 8, [24.0] * 8)) == 1.0


def test_too_little_is_not_told() -> None:
    assert open_share(survey([2.0] * 8, [1.0] * 8)) is None  # hardly moves
    assert open_share(survey([20.0] * 8, [0.0] * 8)) is None  # not smeared
    assert open_share(survey([20.0] * 8, [10.0, 10.0, 0, 0, 0, 0, 0, 0])) is None  # too few
    assert open_share(survey([20.0] * 8, [60.0] * 8)) is None  # smeared by something else
