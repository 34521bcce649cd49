"""Why a shot is done when it is: the chain of what each of its tasks had to wait for, read backwards from its last one."""

from __future__ import annotations

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
    own = [b for b in schedule.blocks if b.task.shot == shot]
    links: list[Link] = []
    block = max(own, key=lambda b: b.end, default=None)
    by_name = {p.name: p for p in people}
    while block is not None:
        link = _why(block, schedule.blocks, by_name[block.person])
        links.append(link)
        block = link.after
    return tuple(reversed(links))


def _why(block: Block, blocks: tuple[Block, ...], person: Person) -> Link:
    """The latest of all that had to be over before a block could begin."""
    t = block.task
    before = max(
        (b for b in blocks if b.task.shot == t.shot and b is not block and b.end <= block.start + SAME), key=_end, default=None
    )
    mine = max(
        (b for b in blocks if b.person == block.person and b is not block and b.end <= block.start + SAME), key=_end, default=None
    )
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


def _end(b: Block) -> float:
    return b.end
