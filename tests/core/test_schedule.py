"""Estimates and schedules: the three-point rule, learning, and the best schedules known by exhaustive search."""

from __future__ import annotations

import itertools
import math
import random
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from transmixis.core.errors import UserError
from transmixis.core.plan.drivers import chain
from transmixis.core.plan.estimate import RATES, Hours, Work, adjusted, hours_for, learn, there_or_later, three_point, together
from transmixis.core.plan.schedule import Person, Task, _cost, _laid, schedule, working_days_late

WEEK = (8.0, 8.0, 8.0, 8.0, 8.0, 0.0, 0.0)


def test_three_points_after_pert() -> None:
    """Malcolm et al., 1959: (O + 4 M + P) / 6 and (P - O) / 6."""
    assert three_point(2, 4, 12) == Hours(5.0, pytest.approx(10 / 6))
    with pytest.raises(UserError):
        three_point(4, 2, 6)
    assert together([Hours(2, 0.3), Hours(3, 0.4)]) == Hours(5, pytest.approx(0.5))


def test_sixty_stills_cut_by_hand_take_about_three_hours() -> None:
    """Common practice: three minutes each."""
    assert hours_for(Work("cut by hand", 60)).mean == pytest.approx(3.0, abs=0.2)
    # a still stands still, however fast what it shows moves
    assert hours_for(Work("cut by hand", 60, motion=1.0)) == hours_for(Work("cut by hand", 60, motion=0.0))


@given(kind=st.sampled_from(sorted(RATES)), frames=st.integers(1, 500), motion=st.floats(0, 1))
def test_more_work_takes_longer(kind: str, frames: int, motion: float) -> None:
    less, more = hours_for(Work(kind, frames, motion=motion)), hours_for(Work(kind, 2 * frames, motion=motion, quality=0.9))
    assert 0 < less.mean < more.mean
    assert hours_for(Work(kind, frames, motion=motion, layers=3)).mean > less.mean


def test_the_error_falls_as_the_log_grows() -> None:
    """A simulated production of 40 shots whose people are slower at some work than the rates say."""
    errors = np.zeros((60, 40))
    for run in range(60):
        rng = np.random.default_rng(run)
        true = math.exp(rng.normal(0, 0.45))
        log: list[tuple[float, float]] = []
        for shot in range(40):
            estimate = hours_for(Work("roto", int(rng.integers(20, 120)), motion=float(rng.random())))
            spent = estimate.mean * true * math.exp(rng.normal(0, 0.3))
            errors[run, shot] = abs(math.log(adjusted(estimate, learn(log)).mean / spent))
            log.append((estimate.mean, spent))
    first, last = errors[:, :3].mean(), errors[:, 30:].mean()
    assert last < 0.75 * first
    assert learn(log).deviation < 0.2 * learn([]).deviation
    assert learn([]).factor == 1


def test_a_minute_on_the_set_against_days_after() -> None:
    found = there_or_later(2, 10, Hours(16, 4), 0.2)
    assert found.saved == pytest.approx(16 * 1.2 - 2 / 60 * 10)


def _case(seed: int) -> tuple[list[Task], list[Person], dict[str, float]]:
    dice = random.Random(seed)
    shots = ["A", "B", "C"][: dice.randint(2, 3)]
    tasks = [
        Task(
            f"t{i}",
            dice.choice(shots),
            dice.choice([2, 4, 6, 8, 12]),
            dice.choice([0, 0, 0, 1, 2]),
            dice.choice([(), (), ("Ada",), ("Ben",)]),
        )
        for i in range(dice.randint(4, 6))
    ]
    people = [Person("Ada", WEEK), Person("Ben", (4.0, 4.0, 0.0, 8.0, 8.0, 0.0, 0.0), frozenset({3}))]
    return tasks, people, {s: float(dice.randint(1, 4)) for s in shots}


@pytest.mark.parametrize("seed", range(14))
def test_the_schedule_is_as_good_as_the_best_of_all(seed: int) -> None:
    tasks, people, deadlines = _case(seed)
    orders: dict[tuple[str, ...], list[int]] = {}  # a shot's tasks keep their order, so orders of shots are all there are
    for order in itertools.permutations(range(len(tasks))):
        orders.setdefault(tuple(tasks[i].shot for i in order), list(order))
    best = min(
        _cost(_laid(order, dict(enumerate(who)), tasks, people, deadlines))
        for order in orders.values()
        for who in itertools.product(("Ada", "Ben"), repeat=len(tasks))
    )
    assert _cost(schedule(tasks, people, deadlines))[:2] <= best[:2]


@settings(max_examples=40, deadline=None)
@given(seed=st.integers(0, 10_000))
def test_nobody_is_over_booked_and_orders_are_kept(seed: int) -> None:
    tasks, people, deadlines = _case(seed)
    found = schedule(tasks, people, deadlines)
    assert len(found.blocks) == len(tasks)
    for p in people:
        own = sorted((b.start, b.end) for b in found.blocks if b.person == p.name)
        assert all(a[1] <= b[0] + 1e-6 for a, b in itertools.pairwise(own))
        for b in found.blocks:
            if b.person == p.name:
                there = sum(
                    p.hours(d) * max(0.0, min(b.end, d + 1) - max(b.start, d)) for d in range(int(b.start), math.ceil(b.end) + 1)
                )
                assert there == pytest.approx(b.task.hours, abs=1e-5)
                assert b.start >= b.task.first_day
                assert not b.task.people or b.person in b.task.people
    for shot in deadlines:
        own = [b for b in found.blocks if b.task.shot == shot]
        own.sort(key=lambda b: tasks.index(b.task))
        assert all(a.end <= b.start + 1e-6 for a, b in itertools.pairwise(own))


def test_a_date_that_cannot_be_kept_is_said_and_what_would_help() -> None:
    tasks = [Task("roto", "A", 30, first_day=2), Task("check", "A", 2), Task("key", "B", 4)]
    people = [Person("Ada", WEEK)]
    found = schedule(tasks, people, {"A": 4.0, "B": 10.0})
    assert found.drives == "A"
    assert found.late["A"] > 0
    assert found.late["B"] == 0
    with pytest.raises(UserError, match="Nobody"):
        schedule([Task("x", "A", 1, people=("Eve",))], people, {})
    with pytest.raises(UserError, match="hours"):
        schedule(tasks, [Person("Eve", (0.0,) * 7)], {})
    assert schedule([], people, {}).end == 0


def test_three_hundred_shots_are_laid() -> None:
    dice = random.Random(4)
    tasks = [Task(k, f"S{i:03d}", dice.choice([1, 2, 4, 6])) for i in range(300) for k in ("matte", "build", "check")]
    people = [Person(n, WEEK) for n in ("Ada", "Ben", "Cem")]
    found = schedule(tasks, people, {f"S{i:03d}": 10.0 + i for i in range(300)})
    assert len(found.blocks) == 900
    hours = sum(t.hours for t in tasks)
    assert found.end <= hours / 24 * 7 / 5 + 10  # three people of eight hours, five days of seven


def test_one_absurd_entry_is_not_believed_and_many_that_agree_are() -> None:
    slip = learn([(2.9, 290.0)])
    assert slip.factor < 1.5  # 2.9 hours become 4, not 53
    assert slip.deviation > 0.9 * learn([]).deviation  # and it makes nothing surer
    mixed = learn([(4, 4.2), (3, 2.9), (5, 5.4), (2.9, 290.0)])
    assert mixed.factor == pytest.approx(learn([(4, 4.2), (3, 2.9), (5, 5.4)]).factor, rel=0.06)
    slow = learn([(2.0, 6.1), (3.0, 9.2), (1.0, 2.9), (4.0, 11.8), (2.0, 6.3)])
    assert 2.4 < slow.factor < 3.1
    assert learn([(2.0, 4.0)]).factor > 1.15


def test_the_chain_of_a_long_film_is_read_by_looking_up_not_by_searching() -> None:
    """Each link names the block that ended last before it, of its shot or of its person; checked against plain search."""
    dice = random.Random(4)
    tasks = [
        Task(k, f"S{i:02d}", dice.choice([1, 2, 4, 6]), wait=1.0 if k == "check" else 0.0)
        for i in range(30)
        for k in ("matte", "check")
    ]
    people = [Person(n, WEEK) for n in ("Ada", "Ben")]
    found = schedule(tasks, people, {f"S{i:02d}": 2.0 + i / 4 for i in range(30)}, search=False)
    links = chain(found, tuple(people), found.drives)
    assert links[-1].block.task.shot == found.drives
    assert links[0].cause == "start"
    for a, b in itertools.pairwise(links):
        assert b.after is a.block
        rest = [x for x in found.blocks if x is not b.block and x.end <= b.block.start + 1e-6]
        own = max((x.end + b.block.task.wait for x in rest if x.task.shot == b.block.task.shot), default=0.0)
        mine = max((x.end for x in rest if x.person == b.block.person), default=0.0)
        assert b.until == pytest.approx(max(own, mine))
    late = working_days_late(found, {f"S{i:02d}": 2.0 + i / 4 for i in range(30)}, people)
    for shot, n in late.items():
        first, last = 2.0 + int(shot[1:]) / 4, found.done[shot]
        assert n == sum(WEEK[d % 7] > 0 for d in range(int(first), int(last - 1e-6) + 1))
    assert late


def test_a_schedule_goes_on_from_one_that_is_given() -> None:
    """What a person has laid in an order of their own is no worse afterwards, and an order that is better than by deadlines is kept."""
    people = [Person("Ada", (8.0,) * 7), Person("Ben", (8.0,) * 7)]
    # by deadlines alone the long one comes last and ends late for all
    tasks = [Task(f"t{i}", f"S{i}", h) for i, h in enumerate((4.0, 4.0, 6.0, 6.0, 16.0, 12.0))]
    due = {"S0": 1.0, "S1": 1.0, "S2": 1.5, "S3": 1.5, "S4": 2.5, "S5": 3.0}
    plain = schedule(tasks, people, due, search=False)
    good = schedule(tasks, people, due)
    assert _cost(good) <= _cost(plain)
    again = schedule(tasks, people, due, search=False, like=good)
    assert _cost(again) == _cost(good)
    assert again.order == good.order
    worse = schedule(tasks[::-1], people, {}, search=False)
    kept = schedule(tasks, people, due, search=False, like=replace(worse, order=tuple(range(6))[::-1]))
    assert _cost(kept) <= _cost(plain)
    bettered = schedule(tasks, people, due, like=plain)
    assert _cost(bettered) <= _cost(plain)
