"""Made things: their shapes against geometry, their motion against closed forms, the same for the same seed."""

from __future__ import annotations

import math

import numpy as np
import pytest

from transmixis.core.made.particles import Particles, strokes_at
from transmixis.core.made.patterns import DISC, DOTS, LINES, pattern, roughened
from transmixis.core.made.strokes import added, arc, beam, between_outlines, coloured, drawn, streak


def test_a_beam_is_as_wide_at_its_ends_as_it_is_told() -> None:
    light = drawn(beam((20.0, 50.0), (180.0, 50.0), 20.0, 4.0), (100, 200))
    widths = light.sum(axis=0)
    assert widths[30] == pytest.approx(20 - 16 * 10 / 160, abs=0.3)
    assert widths[100] == pytest.approx(12, abs=0.3)
    assert widths[170] == pytest.approx(5, abs=0.3)
    assert widths[5] == 0
    assert light.max() == pytest.approx(1)


def test_a_thin_stroke_is_fainter_not_gone() -> None:
    light = drawn(beam((10.0, 20.3), (90.0, 20.3), 0.25, 0.25), (40, 100))
    assert light.sum(axis=0)[50] == pytest.approx(0.25, abs=0.03)


def test_a_soft_beam_falls_off_smoothly_and_strokes_add_or_do_not() -> None:
    hard, soft = (drawn(beam((10.0, 50.0), (90.0, 50.0), 20.0, 20.0), (100, 100), s)[:, 50] for s in (0.0, 1.0))
    assert np.abs(np.diff(soft)).max() < 0.25
    assert np.abs(np.diff(hard)).max() > 0.4
    two = np.concatenate([beam((10.0, 50.0), (90.0, 50.0), 10.0, 10.0, 0.5)] * 2)
    assert drawn(two, (100, 100))[50, 50] == pytest.approx(0.5)
    assert added(two, (100, 100))[50, 50] == pytest.approx(1.0)
    assert drawn(np.zeros((0, 7)), (5, 5)).max() == 0
    assert drawn(np.full((1, 7), np.nan), (5, 5)).max() == 0


def test_a_streak_flies_and_fades_behind() -> None:
    a, b = (0.0, 10.0), (100.0, 10.0)
    half = streak(a, b, 4.0, 0.5, 0.3)
    assert half[-1, 2] == pytest.approx(50)
    assert half[0, 0] == pytest.approx(20)
    assert half[-1, 6] > 0.9
    assert half[0, 6] < 0.1
    assert len(streak(a, b, 4.0, 1.3, 0.3)) == 0
    assert streak(a, b, 4.0, 1.15, 0.3)[-1, 2] == pytest.approx(100)


def test_an_arc_joins_its_ends_jaggedly() -> None:
    rows = arc((10.0, 40.0), (190.0, 60.0), 3.0, 0.1, 0, 5)
    assert rows[0, :2] == pytest.approx([10, 40])
    assert rows[-1, 2:4] == pytest.approx([190, 60])
    assert rows[1:, :2] == pytest.approx(rows[:-1, 2:4])
    length = np.hypot(rows[:, 2] - rows[:, 0], rows[:, 3] - rows[:, 1]).sum()
    assert 1.1 < length / math.hypot(180, 20) < 4
    assert np.array_equal(rows, arc((10.0, 40.0), (190.0, 60.0), 3.0, 0.1, 0, 5))
    assert not np.array_equal(rows, arc((10.0, 40.0), (190.0, 60.0), 3.0, 0.1, 0, 6))
    assert len(arc((10.0, 40.0), (190.0, 60.0), 3.0, 0.1, 3, 5)) == 4 * len(rows)
    assert arc((0.0, 0.0), (10.0, 0.0), 1.0, 0.0, 0, 1)[:, [1, 3]] == pytest.approx(0)


def test_lines_join_two_outlines_the_same_way_round() -> None:
    a = np.array([[10.0, 10], [30, 10], [30, 30], [10, 30]])
    b = a[::-1] * 2 + 50  # drawn the other way round
    rows = between_outlines(a, b, 8, 1.0)
    assert rows[:, 2:4] == pytest.approx(2 * rows[:, :2] + 50)


def test_colour_is_white_where_it_is_whole() -> None:
    out = coloured(np.array([[0.2, 1.0]], np.float32), (2.0, 1.0, 0.5), 1.0)
    assert out[0, 1, :3] == pytest.approx([2, 2, 2])
    assert out[0, 0, 2] / out[0, 0, 0] == pytest.approx(0.25, abs=0.02)
    assert out[0, :, 3] == pytest.approx([0.2, 1.0])


def test_particles_fall_as_gravity_has_it_whatever_frame_is_asked_for() -> None:
    p = Particles(rate=1.0, speed=0.0, life=4.0, pull=100.0, size=2.0, seed=3, fades=False)
    one = strokes_at(p, 0.9, 0.0, (50.0, 20.0))
    assert len(one) == 1
    assert one[0, 1] == pytest.approx(20 + 100 * 0.9**2 / 2)
    assert one[0, :2] == pytest.approx(one[0, 2:4])
    smear = strokes_at(p, 0.9, 0.02, (50.0, 20.0))
    assert smear[0, 3] - smear[0, 1] == pytest.approx(100 * 0.9 * 0.02, rel=1e-6)
    assert smear[0, 6] * (smear[0, 3] - smear[0, 1] + smear[0, 4]) == pytest.approx(
        one[0, 6] * one[0, 4], rel=0.01
    )  # light is kept


def test_particles_are_born_at_their_rate_live_and_end() -> None:
    p = Particles(rate=50.0, speed=100.0, life=1.0, begin=1.0, end=3.0, seed=1)
    assert len(strokes_at(p, 0.9, 0.01, (0, 0))) == 0
    full = len(strokes_at(p, 2.5, 0.01, (0, 0)))
    assert full == pytest.approx(50 * 0.75, abs=8)  # lives spread evenly from a half to one second
    assert 0 < len(strokes_at(p, 3.4, 0.01, (0, 0))) < full
    assert len(strokes_at(p, 4.1, 0.01, (0, 0))) == 0
    braked = Particles(rate=30.0, speed=100.0, life=5.0, drag=2.0, seed=1, cone=0.0, angle=0.0)
    assert strokes_at(braked, 5.0, 0.0, (0, 0))[:, 0].max() <= 1.5 * 100 / 2 + 1e-6  # speed over drag


def test_a_pattern_has_its_pitch_its_light_and_goes_with_its_surface() -> None:
    lines = pattern(LINES, np.eye(3), (120, 40), 12.0, 0.4, 0.0, 1)
    assert lines.mean() == pytest.approx(0.4, abs=0.02)
    assert lines[:108] == pytest.approx(lines[12:], abs=1e-5)
    dots = pattern(DOTS, np.eye(3), (120, 120), 10.0, 0.3, 0.0, 1)
    assert dots.mean() == pytest.approx(0.3, abs=0.02)
    assert dots[:, :110] == pytest.approx(dots[:, 10:], abs=1e-5)
    moved = pattern(LINES, np.array([[1, 0, 0], [0, 1, -5.0], [0, 0, 1]]), (120, 40), 12.0, 0.4, 0.0, 1)
    assert moved[5:] == pytest.approx(lines[:-5], abs=1e-5)
    fine = pattern(LINES, np.diag([10.0, 10, 1]), (60, 60), 4.0, 0.4, 0.0, 1)
    assert fine == pytest.approx(0.4, abs=1e-3)  # finer than a pixel: its mean, no moiré


def test_a_disc_spins_and_ends_at_its_radius() -> None:
    back = np.array([[1, 0, -60.0], [0, 1, -60.0], [0, 0, 1]])
    still, turned, round_ = (pattern(DISC, back, (121, 121), 40.0, 0.5, a, 3) for a in (0.0, 90.0, 360.0))
    assert still[60, 105] == 0
    assert round_ == pytest.approx(still, abs=1e-4)
    quarter = np.rot90(still[:120, :120])
    assert np.abs(turned[:120, :120] - quarter)[30:90, 30:90].mean() < 0.03
    assert np.abs(turned - still)[30:90, 30:90].mean() > 0.05


def test_a_rough_edge_keeps_inside_and_outside() -> None:
    matte = np.zeros((100, 100), np.float32)
    matte[25:75, 25:75] = 1
    out = roughened(matte, 5.0, 6.0, 2)
    assert out[35:65, 35:65].min() == 1
    assert out[:15].max() == 0
    assert np.abs(out - matte)[20:80, 20:80].sum() > 150
    assert out.sum() == pytest.approx(matte.sum(), rel=0.15)
    assert np.array_equal(out, roughened(matte, 5.0, 6.0, 2))
    assert roughened(matte, 0.0, 6.0, 2) is matte
    assert roughened(np.zeros((9, 9), np.float32), 3.0, 2.0, 1).max() == 0
