"""How long it will take: hours from three points a task, made better by what a production's own work has taken so far.

Three points after Malcolm et al., 1959 (PERT). What is learnt is a factor for each kind of work: hours spent over hours
estimated, taken as log-normal about a factor that starts at 1 and moves with every task that is finished.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.types import Array

PRIOR, NOISE = 0.45, 0.35  # natural log: how far a new production may be off, and how far one task is off its kind (judgement)


@dataclass(frozen=True)
class Hours:
    """Expected hours and their deviation."""

    mean: float
    deviation: float


@dataclass(frozen=True)
class Learnt:
    """Factor on estimates of a kind of work, and how sure it is (deviation of its natural log); from how many tasks."""

    factor: float
    deviation: float
    count: int


@dataclass(frozen=True)
class Work:
    """What a task is made of: frames, edge length as a share of the frame's width, motion 0..1, blur 0..1, layers, quality 0..1."""

    kind: str
    frames: int
    edge: float = 1.0
    motion: float = 0.3
    blur: float = 0.2
    layers: int = 1
    quality: float = 0.5


# minutes to set up, minutes a frame at an edge of 1, no motion, and usual quality; common practice or judgement
RATES: dict[str, tuple[float, float]] = {
    "key": (45, 0.25), "cut by hand": (10, 2.2), "roto": (30, 2.0), "track": (20, 0.3), "camera solve": (60, 0.5), "paint": (15, 4.0),
    "clean plate patch": (40, 0.8), "place and match": (40, 0.3), "element": (40, 0.4), "set extension": (240, 0.6), "check": (15, 0.1),
}  # fmt: skip
OF_STILLS = ("cut by hand",)  # each frame is cut for itself: that things move makes none of them harder, their blur does


def three_point(low: float, likely: float, high: float) -> Hours:
    """(O + 4 M + P) / 6 and (P - O) / 6. Raises UserError unless low <= likely <= high."""
    if not 0 <= low <= likely <= high:
        raise UserError(
            f"Three points must rise: {low:g}, {likely:g}, {high:g} do not; give the best, the likely and the worst case."
        )
    return Hours((low + 4 * likely + high) / 6, (high - low) / 6)


def hours_for(work: Work) -> Hours:
    """Hours of a task from what it is made of; the worst case grows with motion and blur."""
    if work.kind not in RATES:
        raise UserError(f"'{work.kind}' is no kind of work that is known; use one of {', '.join(RATES)}.")
    setup, each = RATES[work.kind]
    motion = 0.0 if work.kind in OF_STILLS else work.motion
    harder = (1 + 1.5 * motion) * (1 + work.blur) * (0.6 + 0.8 * work.quality)
    likely = (setup + each * work.frames * max(work.edge, 0.1) * harder) * (1 + 0.5 * (max(work.layers, 1) - 1)) / 60
    return three_point(0.7 * likely, likely, likely * (1.6 + motion + 0.5 * work.blur))


TAILS = 3.0  # degrees of freedom of Student's t: a slip of the pen moves the factor little, many tasks that agree move it fully


def learn(spent: list[tuple[float, float]]) -> Learnt:
    """What (estimated, spent) hours of finished tasks of one kind say of the next.

    Entries are taken as about a common factor with heavy tails (Student's t by reweighting; Lange, Little, Taylor, 1989), begun
    from the middle of what they say and of no change at all, so that one absurd entry is not believed.
    """
    logs = np.array([math.log(s / e) for e, s in spent if e > 0 and s > 0])
    middle = float(np.median([0.0, 0.0, *logs])) if len(logs) else 0.0
    held = np.ones(len(logs))
    for _ in range(30):
        spread = math.hypot(NOISE, PRIOR / math.sqrt(1 + len(logs)))
        held = np.minimum((TAILS + 1) / (TAILS + ((logs - middle) / spread) ** 2), 1.0)
        middle = float((held * logs).sum() / NOISE**2 / (1 / PRIOR**2 + held.sum() / NOISE**2))
    weight = 1 / PRIOR**2 + float(held.sum()) / NOISE**2
    return Learnt(math.exp(middle), math.sqrt(1 / weight), len(logs))


def adjusted(hours: Hours, known: Learnt) -> Hours:
    """An estimate with what was learnt; its deviation takes in what is not yet known and what no task keeps to."""
    mean = hours.mean * known.factor
    relative = math.hypot(hours.deviation / max(hours.mean, 1e-9), known.deviation)
    return Hours(mean, mean * relative)


def simulated_learning(shots: int = 40, runs: int = 120, seed: int = 0) -> Array:
    """(shots,) mean error (share of the hours a task really took, natural log) of the estimate for each shot of a simulated
    production, as its log grows: its people work off the rates by a factor that nobody knows, tasks vary about it."""
    rng = np.random.default_rng(seed)
    errors = np.zeros((runs, shots))
    for run in range(runs):
        true = math.exp(rng.normal(0, PRIOR))
        log: list[tuple[float, float]] = []
        for k in range(shots):
            guess = hours_for(Work("roto", int(rng.integers(20, 120)), motion=float(rng.random())))
            spent = guess.mean * true * math.exp(rng.normal(0, NOISE))
            errors[run, k] = abs(math.log(adjusted(guess, learn(log)).mean / spent))
            log.append((guess.mean, spent))
    return np.asarray(errors.mean(axis=0))


def together(tasks: list[Hours]) -> Hours:
    """The sum of tasks that do not depend on each other's luck."""
    return Hours(sum(t.mean for t in tasks), math.sqrt(sum(t.deviation**2 for t in tasks)))


@dataclass(frozen=True)
class ThereOrLater:
    """Person-hours on the set against expected hours after, and what is saved by doing it there (above zero: do it there)."""

    there: float
    later: float
    saved: float


def there_or_later(minutes: float, people: int, later: Hours, fails: float) -> ThereOrLater:
    """A mend on the set that costs `minutes` of `people`, against `later`; `fails` 0..1: the chance that it fails after, and is
    done again."""
    there = minutes / 60 * people
    after = later.mean * (1 + fails)
    return ThereOrLater(there, after, after - there)
