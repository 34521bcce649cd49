"""Slow shading between a clean plate and its take, of known forms."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from transmixis.core.repair.clean import background, bridge_over, brought, learn_clean
from transmixis.core.repair.shading import gain_field, lit_cells, order_told, shading

H, W = 160, 240
Y, X = ((np.mgrid[0:H, 0:W] + 0.5) * 2 / np.array([H, W])[:, None, None] - 1).astype(np.float32)
SEEN = np.ones((H, W), bool)
SEEN[50:110, 90:150] = False


def textured(seed: int = 4) -> np.ndarray:
    rng = np.random.default_rng(seed)
    return np.asarray(0.2 + 0.1 * rng.random((H, W, 3)), np.float32)


def lit(stops: np.ndarray, seed: int = 4) -> np.ndarray:
    grain = np.random.default_rng(seed + 9).normal(0, 0.004, (H, W, 3))
    return np.asarray(textured(seed) * np.exp2(stops)[..., None] + grain, np.float32)


@pytest.mark.parametrize(
    ("stops", "order"),
    [(np.zeros((H, W)), 0), (0.2 * X + 0.1 * Y, 1), (-0.3 * (X**2 + Y**2), 2), (0.2 * X * Y, 2)],
)
def test_the_order_is_told_and_the_field_found(stops: np.ndarray, order: int) -> None:
    frames = [lit(stops.astype(np.float32), seed) for seed in (4, 5)]
    cells = [lit_cells(f, textured(seed), SEEN) for f, seed in zip(frames, (4, 5), strict=True)]
    assert order_told(cells) == order
    field = gain_field(np.ones(3), shading(frames[0], textured(), SEEN, order), (H, W))
    if order:
        np.testing.assert_allclose(np.log2(field), np.repeat(stops[..., None], 3, 2), atol=0.012)
    else:
        np.testing.assert_array_equal(field, np.ones(3))


def test_somebody_who_stands_there_does_not_bend_it() -> None:
    """A tenth of what is seen is darker by a stop: a person, a shadow."""
    frame = lit((0.2 * X).astype(np.float32))
    frame[:, :24] *= 0.5
    field = gain_field(np.ones(3), shading(frame, textured(), SEEN, 1), (H, W))
    np.testing.assert_allclose(np.log2(field[50:110, 90:150, 1]), 0.2 * X[50:110, 90:150], atol=0.015)


def test_too_little_to_tell_by_is_no_shading() -> None:
    few = np.zeros((H, W), bool)
    few[:40, :40] = True
    assert shading(lit((0.2 * X).astype(np.float32)), textured(), few, 1).shape == (0, 3)
    assert order_told([lit_cells(lit(0.2 * X), textured(), few)]) == 0
    assert order_told([]) == 0
    assert len(lit_cells(np.zeros((H, W, 3), np.float32), textured(), SEEN).at) == 0  # black tells nothing
    assert len(lit_cells(np.full((H, W, 3), 0.95, np.float32), textured(), SEEN).at) == 0


@settings(max_examples=20, deadline=None)
@given(st.lists(st.floats(-0.3, 0.3), min_size=3, max_size=3), st.floats(0.5, 2.0))
def test_a_plane_of_any_slant_comes_back(slant: list[float], gain: float) -> None:
    stops = (slant[0] + slant[1] * X + slant[2] * Y).astype(np.float32)
    clean = textured()
    told = shading(clean * np.exp2(stops)[..., None], clean, SEEN, 1)
    field = gain_field(np.full(3, gain), told, (H, W))
    np.testing.assert_allclose(np.log2(field / gain), np.repeat(stops[..., None], 3, 2), atol=0.01)


def test_a_patch_is_lit_as_its_place_is() -> None:
    """Light from the other side: one gain leaves the patch darker by a step, told it lies within what grain does."""
    clean, frame = textured(), lit((0.25 * X + 0.15).astype(np.float32))
    frames = [frame, lit((0.25 * X + 0.15).astype(np.float32))]
    plate = learn_clean(frames, [clean], ~SEEN)
    assert plate.order == 1
    b = brought(frame, plate, ~SEEN).through(bridge_over(plate, ~SEEN, []))
    truth = clean * np.exp2(0.25 * X + 0.15)[..., None]
    np.testing.assert_allclose(background(plate, b)[~SEEN].mean(axis=0), truth[~SEEN].mean(axis=0), rtol=0.01)
    left, right = (background(plate, b)[50:110, s].mean() / truth[50:110, s].mean() for s in (slice(90, 105), slice(135, 150)))
    assert left == pytest.approx(right, abs=0.01)
