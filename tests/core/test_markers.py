"""Markers: the predicted error against the tracker's own on fifty made plates; layouts; what must always hold."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from markerplates import marked_plate

from transmixis.core.errors import UserError
from transmixis.core.motion.follow import Way, follow, found_in
from transmixis.core.motion.level import Laid
from transmixis.core.motion.motion import moved_points
from transmixis.core.motion.point import about_point
from transmixis.core.plan import markers as m


def _measured(
    shape: str, size: float, blur: float, contrast: float, grain: float, direction: float, seed: int
) -> tuple[float, float]:
    """The tracker's rms error (px, one axis) from each frame to the next, and the share that it lost."""
    plate = marked_plate(shape, size, blur, contrast, grain, direction, seed)
    half, dice = m.half_window(size, blur), np.random.default_rng(seed)
    off, lost, n = [], 0, 0
    for k in range(plate.truth.shape[1]):
        for i in range(1, len(plate.pictures)):
            was, now = plate.truth[i - 1, k], plate.truth[i, k]
            start = np.eye(3)
            start[:2, 2] = now + dice.uniform(-1.5, 1.5, 2) - was
            pattern = about_point(plate.pictures[i - 1][..., None], was, half)
            found = found_in(pattern, plate.pictures[i][..., None], Way(start, start), 3)
            miss = moved_points(found.matrix, was)[0] - now
            n += 1
            if found.lost or np.hypot(*miss) > 1:
                lost += 1
            else:
                off.append(miss)
    return float(np.sqrt(np.mean(np.square(off)))), lost / n


@pytest.mark.parametrize("part", range(4))
def test_the_tracker_errs_as_was_predicted(part: int) -> None:
    """Within a factor of 1.5 on each of fifty made plates, blurred by up to one and a half times their size."""
    for k in range(2 * part, 100, 8):
        dice = np.random.default_rng(1000 + k)
        shape, size = m.SHAPES[k % 2], float(dice.uniform(4, 20))
        blur = min(float(dice.choice([0.0, dice.uniform(1, 14)])), 1.5 * size)
        contrast, grain = float(dice.choice([-0.4, -0.3, 0.2, 0.35, -0.15])), float(dice.uniform(0.8, 3))
        direction = float(dice.uniform(0, 180))
        got, lost = _measured(shape, size, blur, contrast, grain, direction, k)
        light = ((0.5 + contrast + 0.055) / 1.055) ** 2.4  # photon noise, coded: a little more of it on what is dark
        on_marker = grain / 255 * (light / 0.214) ** (0.5 + 1 / 2.4 - 1)
        said = m.marker_error(shape, size, blur, abs(contrast), grain / 255, direction, on_marker=on_marker)
        assert 1 / 1.5 < said.rms / got < 1.5, (k, shape, size, blur, contrast, grain, said, got)
        assert lost - said.lost < 0.1
        # of a marker that is hardly to be seen more losses are told than come: the cloth's own weave helps, which is not counted on
        assert said.lost - lost < 0.1 or said.rms > 0.2


def _followed(pictures: list[np.ndarray], at: np.ndarray, half: int, reach: int) -> tuple[list[Laid], np.ndarray]:
    """How a marker of the first picture lies in the others, and where."""
    pattern, start = about_point(pictures[0][..., None], at, half), Way(np.eye(3), np.eye(3))
    found, _ = follow(pattern, lambda i: pictures[i][..., None], range(1, len(pictures)), start, reach)
    return found, np.array([moved_points(f.matrix, at)[0] for f in found])


def test_a_marker_is_followed_through_a_plate() -> None:
    plate = marked_plate("cross", 12, 3, -0.3, 1.5, 30, 5)
    found, places = _followed(list(plate.pictures), plate.truth[0, 2], m.half_window(12, 3), 12)
    off = places - plate.truth[1:, 2]
    assert np.abs(off).max() < 0.15
    assert not any(f.lost for f in found)
    # the error that the fit tells is of the size of the real one
    told = float(np.mean([f.error for f in found]))
    assert 0.3 < told / float(np.sqrt(np.mean(off**2))) < 3


def test_a_marker_that_is_gone_is_lost() -> None:
    plate = marked_plate("dot", 9, 0, -0.3, 1.5, 0, 7)
    empty = np.full_like(plate.pictures[0], 0.5) + 0.006 * np.random.default_rng(3).standard_normal(plate.pictures[0].shape)
    found, places = _followed([plate.pictures[0], empty, plate.pictures[2]], plate.truth[0, 1], 10, 6)
    assert [f.lost for f in found] == [True, False]
    assert np.hypot(*(places[1] - plate.truth[2, 1])) < 0.1


def test_size_and_blur_in_the_picture() -> None:
    """By hand: 2 cm at 4 m through 35 mm on 24 mm, 1920 px: 14 px; 0.3 m/s for 1/48 s: 4.375 px."""
    found = m.seen(2, 4, 35, 24, 1920, 0.3, 180, 24)
    assert found.size == pytest.approx(14.0)
    assert found.blur == pytest.approx(4.375)
    with pytest.raises(UserError):
        m.seen(0, 4, 35, 24, 1920, 0.3, 180, 24)


def test_about_nine_for_a_face() -> None:
    """Common practice: about nine markers on a face-sized object, away from its edges."""
    assert m.how_many("perspective", 0.2) == 9
    assert m.how_many("position", 0.9) == 10
    with pytest.raises(UserError):
        m.how_many("smell", 0)
    layout = m.laid_out(9, 20, 26, 0.8, 2000)
    assert (layout.columns, layout.rows) == (3, 3)
    with pytest.raises(UserError, match="no clean surface"):
        m.laid_out(9, 5, 5, 3, 2000)


@given(
    count=st.integers(1, 40), wide=st.floats(20, 300), high=st.floats(20, 300), size=st.floats(0.3, 2), metre=st.floats(800, 4000)
)
def test_layouts_keep_away_from_edges(count: int, wide: float, high: float, size: float, metre: float) -> None:
    layout = m.laid_out(count, wide, high, size, metre)
    assert len(layout.places) >= count
    assert layout.columns * layout.rows == len(layout.places)
    edge = size / 2 + size + 100 * m.PATCH / metre
    if layout.columns > 1:
        assert layout.places[:, 0].min() * wide >= edge - 1e-6
        assert (1 - layout.places[:, 0].max()) * wide >= edge - 1e-6


@pytest.mark.parametrize("motion", ["position", "position, rotation and scale", "perspective"])
def test_the_error_of_the_whole_motion(motion: str) -> None:
    """Against ten thousand simulated fits of markers that each err by 0.1 px."""
    places = m.laid_out(9, 40, 30, 2, 700).places
    wide, high = 280.0, 210.0
    dice = np.random.default_rng(2)
    p = (places - 0.5) * (wide, high)
    j = m._design(motion, p, wide)
    corners = m._design(motion, np.array([(-wide, -high), (wide, -high), (-wide, high), (wide, high)]) / 2, wide)
    fits = np.linalg.pinv(j) @ (0.1 * dice.standard_normal((len(j), 10_000)))
    worst = np.sqrt((corners @ fits) ** 2).reshape(4, 2, -1)
    simulated = float(np.sqrt((worst**2).mean(axis=(1, 2))).max())
    assert m.error_at_edge(motion, places, 0.1, wide, high) == pytest.approx(simulated, rel=0.03)
    assert math.isnan(m.error_at_edge("perspective", places[:3], 0.1, wide, high))


def test_larger_markers_and_less_noise_are_followed_better() -> None:
    small, large = (m.marker_error("cross", z, 0, 0.3, 2 / 255, trials=60).rms for z in (5, 16))
    assert large < small
    quiet, loud = (m.marker_error("cross", 8, 4, 0.3, z / 255, trials=60).rms for z in (1, 4))
    assert quiet < loud
    assert m.marker_error("dot", 2, 8, 0.03, 6 / 255, trials=16).lost > 0.5
    with pytest.raises(UserError):
        m.marker_error("dot", 0, 0, 0.3, 0.01)
