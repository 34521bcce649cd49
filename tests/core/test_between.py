"""Which of two backgrounds serves where, against a frame of which both are partly wrong."""

from __future__ import annotations

import numpy as np

from transmixis.core.repair.between import better_by

H, W = 120, 200
RNG = np.random.default_rng(3)
FRAME = np.asarray(0.2 + 0.1 * RNG.random((H, W, 3)), np.float32)
HIDDEN = np.zeros((H, W), bool)
HIDDEN[45:75, 20:180] = True


def wrong(where: slice) -> np.ndarray:
    """The frame, lit otherwise in some columns."""
    out = FRAME.copy()
    out[:, where] *= 1.3
    return out


def test_each_serves_where_it_fits() -> None:
    share = better_by(FRAME, wrong(slice(0, 100)), wrong(slice(100, None)), HIDDEN)
    assert share[60, :70].min() > 0.9
    assert share[60, 130:].max() < 0.1
    assert share.min() >= 0
    assert share.max() <= 1


def test_two_that_fit_alike_are_mixed_and_none_is_taken_for_nothing() -> None:
    even = better_by(FRAME, FRAME, FRAME.copy(), HIDDEN)
    np.testing.assert_allclose(even, 0.5, atol=1e-6)
    empty = np.zeros_like(FRAME)
    empty[:, 100:] = FRAME[:, 100:]
    assert np.isfinite(better_by(FRAME, FRAME, empty, HIDDEN)).all()


def test_what_passes_in_front_does_not_judge() -> None:
    passed = FRAME.copy()
    passed[:44, :90] = 0.9
    front = np.zeros((H, W), np.float32)
    front[:44, :90] = 1
    plain = better_by(FRAME, FRAME, wrong(slice(0, None)), HIDDEN)
    told = better_by(passed, FRAME, wrong(slice(0, None)), HIDDEN, front)
    assert told[HIDDEN].max() < 0.1
    assert plain[HIDDEN].max() < 0.1
    unlike = better_by(passed, FRAME, np.where(front[..., None] > 0, passed, wrong(slice(0, None))), HIDDEN)
    assert unlike[50, 50] > 0.3  # without its matte what passes would decide
