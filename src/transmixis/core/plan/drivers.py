"""Why a shot is done when it is: the chain of what each of its tasks had to wait for, read backwards from its last one."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from transmixis.core.plan.schedule import Block, Person, Schedule

Cause = Literal["start", "plates", "held", "review", "task", "person"]
SAME = 1e-6  # days
# of causes that end at one moment the one that somebody can do something about is named
ORDER: dict[Cause, int] = {"start": 0, "task": 1, "person": 2, "held": 3, "plates": 4, "review": 5}


@dataclass(frozen=True)
class Link:
    """A block and what it waited for: the cause, until when (days), the block waited for, and days after that on which its person
    has no hours."""

    block: Block
    cause: Cause
    until: float
    after: Block | None = None
    idle: int = 0


def chain(schedule: Schedule, people: tuple[Person, ...], shot: str) -> tuple[Link, ...]:
    """Links from the first to the last, ending with the shot's last task; () for a shot without tasks left."""
    links: list[Link] = []
    by_name = {p.name: p for p in people}
    of_shot, of_person = _lists(schedule.blocks, lambda b: b.task.shot), _lists(schedule.blocks, lambda b: b.person)
    block = of_shot[shot][0][-1] if shot in of_shot else None
    while block is not None:
        link = _why(
            block, _before(block, of_shot[block.task.shot]), _before(block, of_person[block.person]), by_name[block.person]
        )
        links.append(link)
        block = link.after
    return tuple(reversed(links))


Ordered = tuple[list[Block], list[float]]  # blocks by their end, and those ends


def _lists(blocks: tuple[Block, ...], name: Callable[[Block], str]) -> dict[str, Ordered]:
    out: dict[str, list[Block]] = {}
    for b in sorted(blocks, key=lambda b: (b.end, b.start)):
        out.setdefault(name(b), []).append(b)
    return {k: (v, [b.end for b in v]) for k, v in out.items()}


def _before(block: Block, ordered: Ordered) -> Block | None:
    """The last of these that is over when a block begins."""
    k = bisect_right(ordered[1], block.start + SAME)
    return next((b for b in reversed(ordered[0][:k]) if b is not block), None)


def _why(block: Block, before: Block | None, mine: Block | None, person: Person) -> Link:
    """The latest of all that had to be over before a block could begin: the shot's task before it, its person's."""
    t = block.task
    found: list[tuple[float, Cause, Block | None]] = [(0.0, "start", None)]
    if t.first_day > 0:
        found.append((float(t.first_day), "plates", None))
    if t.held > 0:
        found.append((float(t.held), "held", None))
    if before is not None:
        found.append((before.end + t.wait, "review" if t.wait > 0 else "task", before))
    if mine is not None:
        found.append((mine.end, "person", mine))
    until, cause, after = max(found, key=lambda f: (round(f[0] / SAME), ORDER[f[1]]))
    idle = sum(person.hours(d) <= 0 for d in range(int(until + SAME), int(block.start + SAME)))
    return Link(block, cause, until, after, idle)
