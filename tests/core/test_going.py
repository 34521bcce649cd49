"""Where things go, against closed forms and the plan's own figures."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from transmixis.core.build.going import (
    FALL,
    LAUNCH,
    SPRING,
    STREAK,
    SWING,
    THROW,
    Going,
    hangs,
    off_at,
    weighs,
)
from transmixis.core.easing import cubic_bezier
from transmixis.core.plan.timing import G, pendulum, pendulum_period, thrown


@given(st.floats(0.2, 50), st.floats(0, 200), st.sampled_from([24.0, 25.0, 60.0]))
def test_a_fall_is_half_g_t_squared_and_ends_on_the_ground(height: float, t: float, rate: float) -> None:
    going = Going(FALL, rate, height=height, metre=100.0)
    assert going.lasts == pytest.approx(rate * math.sqrt(2 * height / G))
    want = min(G * (t / rate) ** 2 / 2, height)
    assert off_at(going, t).y == pytest.approx(100 * want, rel=1e-9)
    assert off_at(going, -3).y == 0
    assert off_at(going, t).x == 0


def test_air_holds_a_fall_back_as_its_equation_says() -> None:
    """Against the equation of motion, solved in steps, and its terminal speed."""
    going = Going(FALL, 24.0, height=30.0, drag=6.0, metre=1.0)
    by_steps = -thrown(0.0, 0.0, 24.0, 40, 6.0)[:, 1]
    assert [off_at(going, n).y for n in range(40)] == pytest.approx(by_steps.tolist(), abs=1e-5)
    late = off_at(going, 100).y - off_at(going, 99).y
    assert late * 24 == pytest.approx(6.0, rel=1e-3)
    assert off_at(going, 10_000).y == pytest.approx(30.0, rel=1e-6)


@pytest.mark.parametrize("drag", [0.0, 12.0])
def test_a_throw_goes_as_the_plan_has_it(drag: float) -> None:
    going = Going(THROW, 24.0, speed=9.0, angle=50.0, drag=drag, metre=50.0)
    plan = thrown(9.0, 50.0, 24.0, 20, drag)
    for n in range(20):
        off = off_at(going, n)
        assert (off.x / 50, -off.y / 50) == pytest.approx(tuple(plan[n]), abs=1e-4)
    half = off_at(going, 7.5)
    assert off_at(going, 7).x < half.x < off_at(going, 8).x
    assert off_at(going, 1e6).y == pytest.approx(0.0, abs=0.05)


def test_a_swing_takes_as_long_as_its_rope_says() -> None:
    going = Going(SWING, 24.0, height=1.5, angle=40.0)
    assert [off_at(going, n).turn for n in range(60)] == pytest.approx(pendulum(1.5, 40.0, 24.0, 60).tolist(), abs=1e-6)
    period = pendulum_period(1.5, 40.0) * 24
    assert off_at(going, period).turn == pytest.approx(40.0, abs=1e-3)
    assert off_at(going, period / 2).turn == pytest.approx(-40.0, abs=1e-3)
    assert off_at(going, -5).turn == pytest.approx(40.0)
    assert off_at(Going(SWING, 24.0, height=1.5, angle=-40.0), 0).turn == pytest.approx(-40.0)


def test_a_launch_eases_as_css_has_it() -> None:
    going = Going(LAUNCH, 24.0, frames=5, way=500.0, angle=90.0)
    for t in (0.0, 1.0, 2.5, 4.0, 5.0, 9.0):
        want = 500 * cubic_bezier(0.5, 0, 1, 1, min(t / 5, 1))
        assert off_at(going, t).y == pytest.approx(-want, abs=1e-9)
        assert off_at(going, t).x == pytest.approx(0, abs=1e-9)


def test_a_spring_goes_out_and_back_in_the_same_frames() -> None:
    going = Going(SPRING, 24.0, frames=4, way=300.0, angle=0.0, back=20.0)
    assert off_at(going, 4).x == pytest.approx(300)
    assert off_at(going, 20).x == pytest.approx(300)
    for t in (0.5, 1, 2, 3.25):
        assert off_at(going, 24 - t).x == pytest.approx(off_at(going, t).x, abs=1e-9)
    assert off_at(going, 24).x == pytest.approx(0)
    assert off_at(going, 50).x == pytest.approx(0)
    assert off_at(Going(SPRING, 24.0, frames=4, way=300.0, angle=0.0), 500).x == pytest.approx(300)


def test_a_streak_is_even_and_down_is_down() -> None:
    going = Going(STREAK, 24.0, frames=4, way=400.0, angle=-90.0)
    assert [off_at(going, n).y for n in range(6)] == pytest.approx([0, 100, 200, 300, 400, 400])


def test_weight_is_read_from_three_frames() -> None:
    going = Going(FALL, 24.0, height=50.0, metre=80.0)
    places = np.array([[0, off_at(going, n).y] for n in (4, 5, 6)])
    assert weighs(places, 24.0, 80.0) == pytest.approx(G)
    assert weighs(places, 24.0, 160.0) == pytest.approx(G / 2)
    assert weighs(np.zeros((3, 2)), 24.0, 80.0) is None


def test_a_moment_s_rest_between_two_moves_is_found() -> None:
    steps = np.array([0, 5, 5, 0, 6, 6, 0, 0, 6, 0, 0, 0, 4, 0, 0, 0])
    found = [n for n in range(1, len(steps) + 1) if hangs(steps, n)]
    assert found == [4, 7, 8]  # neither the long rest nor the end
