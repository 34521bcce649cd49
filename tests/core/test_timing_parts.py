"""Timing judged from made scans, and flashes by their published limits."""

from __future__ import annotations

import numpy as np
import pytest

from transmixis.core.survey.flashing import flashes_per_second
from transmixis.core.survey.scan import absent
from transmixis.core.survey.timing import time_of

RATE = 24.0


# -- timing, from made scans


def made_scans(steps: list[float], *, noise: float = 1.0, movers: bool = False, same: tuple[int, ...] = ()) -> list[dict]:
    """Scans of a picture that moves by so many px before each frame; `same` (1-based) frames repeat the one before."""
    rng = np.random.default_rng(2)
    out = []
    for i, s in enumerate(steps):
        change = np.abs(rng.normal(1.128 * noise, 0.02, (12, 20))).astype(np.float16)
        change[4:8, 5:12] += abs(s) * 4
        row = np.array([s, 0.0, 0, 1, 0.01 if not movers else np.nan, 100])
        scan = {"levels": np.array([0, 0, noise, 1, 0.0], np.float32), "step": row,
                "movers": np.array([s, 0.0, 0.2 if movers else 0.0]), "change": change}  # fmt: skip
        if i + 1 in same:
            scan["change"] = np.zeros((12, 20), np.float16)
            scan["step"] = np.array([0.0, 0, 0, 1, 0.01, 100])
        if i == 0:
            del scan["change"], scan["step"]
        out.append(scan)
    return out


@pytest.mark.parametrize("movers", [False, True])
def test_a_step_twice_as_long_is_a_dropped_frame(movers: bool) -> None:
    steps = [2.0] * 16
    steps[9] = 4.0
    found = time_of(made_scans(steps, movers=movers), RATE)
    assert (found.dropped, found.told_drops, found.doubled, found.still) == ((10,), True, (), False)
    for factor, drop in ((1.5, False), (1.7, True), (3.0, True), (3.6, False)):
        steps[9] = 2.0 * factor
        assert (time_of(made_scans(steps, movers=movers), RATE).dropped == (10,)) == drop, factor


@pytest.mark.parametrize("at", [7, 8, 10, 11])
def test_a_jump_is_compared_with_two_steps_on_either_side(at: int) -> None:
    """If one of those four is another speed as well, what moves does so unevenly, and nothing is told there."""
    steps = [2.0] * 18
    steps[9] = steps[at] = 4.0
    assert 10 not in time_of(made_scans(steps), RATE).dropped
    steps[at] = 2.0
    assert time_of(made_scans(steps), RATE).dropped == (10,)


@pytest.mark.parametrize("frame", [3, 4, 13, 14])
def test_a_jump_near_the_ends_is_told_as_far_as_it_can_be_compared(frame: int) -> None:
    steps = [2.0] * 16
    steps[frame - 1] = 4.0
    assert time_of(made_scans(steps), RATE).dropped == (frame,)
    doubled = made_scans(steps, same=(frame,))
    assert frame not in time_of(doubled, RATE).dropped


def test_what_creeps_or_hurries_unevenly_cannot_show_a_dropped_frame() -> None:
    slow = [0.8] * 16
    slow[9] = 1.6
    assert (time_of(made_scans(slow), RATE).dropped, time_of(made_scans(slow), RATE).told_drops) == ((), False)
    uneven = [2.0, 4.0] * 8
    assert not time_of(made_scans(uneven), RATE).told_drops
    aside = [2.0] * 16
    scans = made_scans(aside)
    scans[9]["step"] = np.array([4.0, 3.0, 0, 1, 0.01, 100])  # as far across as to jump out of the way
    assert time_of(scans, RATE).dropped == ()
    few = made_scans(aside)
    for s in few:
        s["movers"] = np.array([4.0, 0.0, 0.03])
        s.pop("step", None)
    assert not time_of(few, RATE).told_drops  # too few points move


def test_a_frame_without_even_new_noise_is_doubled() -> None:
    found = time_of(made_scans([2.0] * 14, same=(6, 11)), RATE)
    assert (found.doubled, found.still) == ((6, 11), False)
    assert time_of(made_scans([0.0] * 14, same=(6,)), RATE).doubled == (6,)
    assert time_of(made_scans([0.0] * 14), RATE).doubled == ()
    still = time_of(made_scans([0.0] * 6, same=(2, 3, 4, 5, 6)), RATE)
    assert (still.still, still.doubled) == (True, ())


@pytest.mark.parametrize(
    ("every", "rate", "word"), [(2, 24, "second"), (3, 30, "third"), (5, 30, "fifth"), (6, 60, "sixth"), (7, 24, "7th")]
)
def test_the_real_rate_behind_doubled_frames(every: int, rate: float, word: str) -> None:
    n = 6 * every
    found = time_of(made_scans([2.0] * n, same=tuple(range(every, n + 1, every))), rate)
    assert f"every {word} frame is doubled" in found.cadence
    assert f"{rate * (every - 1) / every:.3g} real pictures a second, not {rate:.3g}" in found.cadence


def test_most_frames_doubled_and_a_few() -> None:
    tripled = tuple(i for i in range(2, 31) if i % 3 != 1)
    found = time_of(made_scans([2.0] * 30, same=tripled), 24)
    assert "most frames are doubled: about 8 real pictures a second, not 24" in found.cadence
    assert time_of(made_scans([2.0] * 30, same=(5, 17, 22)), 24).cadence == ""


def test_a_film_thinned_to_another_rate_is_told_at_every_leap() -> None:
    """Pictures of a higher rate of which every third to fourth was left out: all leaps are told, however few move evenly."""
    leap = [5, 8, 12, 15, 19, 22, 26, 29, 33, 36]
    found = time_of(made_scans([4.0 if i + 1 in leap else 2.0 for i in range(40)], movers=True), 10)
    assert set(leap) <= set(found.dropped)
    assert found.cadence.startswith("the picture leaps every 3 to 4 frames")
    every = time_of(made_scans([4.0 if i % 4 == 0 else 2.0 for i in range(40)], movers=True), 10)
    assert "every fourth frame" in every.cadence
    few = time_of(made_scans([4.0 if i + 1 in leap[:4] else 2.0 for i in range(40)], movers=True), 10)
    assert few.cadence == ""
    rng = np.random.default_rng(5)
    uneven = time_of(made_scans([float(v) for v in rng.uniform(0.5, 6, 60)], movers=True), 10)
    assert uneven.cadence == ""
    assert time_of(made_scans([2.0] * 40, movers=True, same=tuple(range(4, 40, 4))), 24).cadence.startswith(
        "every fourth frame is doubled"
    )


def test_a_mover_that_seems_to_jump_while_the_picture_does_not_drops_no_frame() -> None:
    """Of several people now one is followed, now another: without more change than beside it that is no missing frame."""
    scans = made_scans([2.0] * 16, movers=True)
    scans[9]["movers"] = np.array([4.2, 0.0, 0.2])
    assert time_of(scans, RATE).dropped == ()
    scans[9]["change"][4:8, 5:12] += 8
    assert time_of(scans, RATE).dropped == (10,)


def combs(n: int, which: tuple[int, ...]) -> list[dict]:
    scans = made_scans([2.0] * n)
    for i in which:
        scans[i - 1]["levels"][4] = 0.7
    return scans


def test_patterns_of_combed_frames() -> None:
    pulled = time_of(combs(20, (2, 3, 7, 8, 12, 13, 17, 18)), 30)
    assert pulled.combed == (2, 3, 7, 8, 12, 13, 17, 18)
    assert "3:2 pulldown of 24 pictures" in pulled.cadence
    assert "interlaced" in time_of(combs(20, tuple(range(1, 14))), 25).cadence
    assert time_of(combs(20, (2, 9, 11)), 25).cadence == ""
    under = combs(20, ())
    under[3]["levels"][4] = 0.6  # the limit itself is none
    assert time_of(under, 25).combed == ()


def test_frames_that_are_not_there_are_listed_once() -> None:
    scans = made_scans([2.0] * 8)
    scans[4] = absent("gone")
    assert time_of(scans, RATE, missing=(2, 5)).missing == (2, 5)


# -- flashes: WCAG 2.3.1


def lit(values: list[float], share: float = 1.0, red: bool = False) -> list[np.ndarray]:
    out = []
    for v in values:
        t = np.full((72, 128, 3), 0.3 if not red else 0.0, np.float32)
        part = t[: round(72 * share**0.5), : round(128 * share**0.5)]
        part[...] = [v, 0, 0] if red else v
        out.append(t)
    return out


@pytest.mark.parametrize(
    ("dark", "light", "counted"), [(0.2, 0.29, False), (0.2, 0.31, True), (0.79, 0.9, True), (0.81, 0.95, False)]
)
def test_a_flash_is_a_pair_of_changes_of_a_tenth_from_below_eight_tenths(dark: float, light: float, counted: bool) -> None:
    found = flashes_per_second(lit([dark, light] * 12), 24)
    assert (found[-1] > 10) == counted
    assert (found.max() == 0) != counted


def test_flashes_are_counted_within_a_second_and_forgotten_after() -> None:
    """Two flashes (four changes after the first frame of light): 2 while they lie within a second, then none."""
    values = [0.2] * 10 + [0.6, 0.2, 0.6, 0.2] + [0.2] * 40
    found = flashes_per_second(lit(values), 24)
    assert found[13] == 2
    assert found[13 + 23 - 3] == 2  # the first change came in frame 11
    assert found[-1] == 0
    slow = flashes_per_second(lit(list(np.linspace(0.1, 0.7, 30))), 24)
    assert slow.max() == 0.5  # one rise is half a flash
    gone = lit(values)
    assert flashes_per_second([*gone[:5], None, *gone[6:]], 24)[13] == 2


def test_an_area_counts_from_a_quarter_of_a_block_on() -> None:
    small, large = (
        flashes_per_second(lit([0.1, 0.7] * 12, share=0.008), 24),
        flashes_per_second(lit([0.1, 0.7] * 12, share=0.2), 24),
    )
    assert small.max() == 0
    assert large.max() > 10


def test_saturated_red_is_counted_by_its_own_rule() -> None:
    """R - G - B changes by more than 20 / 320: a luminance change of 0.02 that no general flash would be."""
    red = flashes_per_second(lit([0.05, 0.15] * 12, red=True), 24)
    assert red.max() > 10
    assert flashes_per_second(lit([0.05, 0.10] * 12, red=True), 24).max() == 0
