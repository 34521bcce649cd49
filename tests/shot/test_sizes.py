"""Inputs that do not fit each other are named with their sizes; other mistakes come through as they are."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from transmixis.core.errors import UserError
from transmixis.shot.contract import Product
from transmixis.shot.model import Shot, Step
from transmixis.shot.sizes import odd_sizes, sizes_told

SHOT = Shot(code="A", length=1, rate="24", width=64, height=48)
STEP = Step(id="place", kind="place", name="Sky", inputs={"front": "plate:a", "crop": "plate:b", "gone": "plate:c"})


def given(**sizes: tuple[int, int]):  # type: ignore[no-untyped-def]
    def product(ref: str, frame: int) -> Product:
        name = ref.split(":")[1]
        if name not in sizes:
            raise UserError("it is not there")
        w, h = sizes[name]
        return Product(picture=np.zeros((h, w, 3), np.float32)) if name == "a" else Product(matte=np.zeros((h, w), np.float32))

    return product


@pytest.mark.parametrize("error", [ValueError("shapes"), IndexError("axis"), cv2.error("resize")])
def test_odd_sizes_are_told_with_the_step_s_name(error: Exception) -> None:
    with pytest.raises(UserError) as told, sizes_told(given(a=(64, 48), b=(3, 2)), SHOT, STEP, 1):
        raise error
    assert "'Sky'" in str(told.value)
    assert "front 64 × 48, crop 3 × 2, the frame 64 × 48" in str(told.value)
    assert told.value.__cause__ is error


def test_one_that_is_too_small_is_told() -> None:
    small = SHOT.model_copy(update={"width": 7, "height": 1})
    assert "finds too little in front: 7 × 1 pixels" in odd_sizes(given(a=(7, 1), b=(7, 1)), small, STEP, 1)


def test_where_the_sizes_fit_the_error_itself_comes_through() -> None:
    for error in (ValueError("a mistake of ours"), KeyError("another")):
        with pytest.raises(type(error)), sizes_told(given(a=(64, 48), b=(64, 48)), SHOT, STEP, 1):
            raise error
    with pytest.raises(UserError, match="as it was"), sizes_told(given(a=(64, 48), b=(3, 2)), SHOT, STEP, 1):
        raise UserError("as it was")
    with sizes_told(given(a=(64, 48)), SHOT, STEP, 1):
        pass


def test_sixteen_pixels_are_enough_and_four_sizes_are_told() -> None:
    small = SHOT.model_copy(update={"width": 16, "height": 16})
    assert odd_sizes(given(a=(16, 16), b=(16, 16)), small, STEP, 1) == ""
    assert "too little" in odd_sizes(given(a=(15, 15), b=(15, 15)), SHOT.model_copy(update={"width": 15, "height": 15}), STEP, 1)
    many = STEP.model_copy(update={"inputs": {f"m{k}": f"plate:{k}" for k in range(6)}})
    words = odd_sizes(given(**{str(k): (10 + k, 20) for k in range(6)}), SHOT, many, 1)
    assert [f"m{k} {10 + k} × 20" in words for k in range(6)] == [True, True, True, True, False, False]
