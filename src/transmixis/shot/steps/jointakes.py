"""Join takes: one take goes over into another so that nobody sees where."""

from __future__ import annotations

from typing import Any

import numpy as np

from transmixis.core.build.joining import Cut, Fitted, Joined, alike, jump, stirs
from transmixis.core.build.loop import small_of
from transmixis.core.errors import UserError
from transmixis.core.plot import Plot, Stills, Trace
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.survey.best import best_joins
from transmixis.core.types import Array
from transmixis.shot.contract import Analysis, Handle, Inputs, Pins, Product, Proposal, Slot, StepKind
from transmixis.shot.model import Step
from transmixis.shot.steps.counted import count_of
from transmixis.shot.steps.params import Params, choice, hidden, number, rounded

JUMP = 2.0  # levels beyond what the takes do by themselves: as a mend's seam (docs/limits.md)
ABOUT = 4  # frames to either side of the warp whose own changes are compared with


AS_JOINED, CUT_HARD = "as joined", "cut hard"


class JoinParams(Params):
    named_one: tuple[tuple[float, float], ...] = hidden(())
    named_other: tuple[tuple[float, float], ...] = hidden(())
    last: float = number(0, 0, 1_000_000, "frame", "Leaves at", "The last frame of the first take.", step=1, zero="its end")
    first: float = number(1, 1, 1_000_000, "frame", "Goes on at", "The frame of the second take that follows it.", step=1)
    warp: float = number(
        5, 0, 60, "frames", "Warp", "Frames on each side over which both are warped towards each other; 5 to 6 are usual.", step=1
    )
    blend: float = number(2, 0, 12, "frames", "Blend", "Frames in which the one goes over into the other; 1 to 3.", step=1)
    shows: str = choice(
        AS_JOINED, (AS_JOINED, CUT_HARD), "Shows", "Cut hard to look at the jump, and to name places that both takes show."
    )


class JoinTakes(StepKind[JoinParams]):
    kind, title, stage, product = "join_takes", "Join takes", "Build", "picture"
    says = "joins two takes"
    roles = ("result",)
    slots = (
        Slot("one", "the first take", whole=True, usual=("plate:hero",)),
        Slot("other", "the second take", whole=True, usual=("plate:element", "plate:any")),
    )
    Params = JoinParams
    analyses = True
    analysis_params = ("last", "first", "warp", "blend", "named_one", "named_other")
    tools = ("line",)
    positions = ("named_one", "named_other")
    keeps_time = False
    other_frames = True
    plots = "whole"

    def handles(self, inputs: Inputs, params: JoinParams, frame: int) -> tuple[Handle, ...]:
        """Places of both takes, named in the frames at the join as they are cut hard."""
        if params.shows != CUT_HARD:
            return ()
        last = int(params.last) or count_of(inputs, "one")
        one = f"At frame {last}: draw through places of the first take that the second shows too."
        other = f"At frame {last + 1}: draw through the same places of the second take, in the same order."
        return (
            Handle("line", "named_one", "Places of the first", one, params.named_one, here=frame == last),
            Handle("line", "named_other", "Of the second", other, params.named_other, here=frame == last + 1),
        )

    def edited(self, step: Step, handle: Handle, frame: int, value: Any) -> Step:
        return step.model_copy(update={"params": {**step.params, handle.param: rounded(value)}})

    def looks_at(self, slot: str, params: JoinParams, pins: Pins, frame: int, length: int) -> tuple[int, ...] | None:
        return None

    def analyse(self, inputs: Inputs, params: JoinParams, progress: Progress) -> Analysis:
        """How the second take is brought to the first, and the jump at each frame about the join, before and after."""
        joined = _joined(inputs, params, None)
        c = joined.cut
        length = min(inputs.shot.length, c.last + count_of(inputs, "other") - c.first + 1)
        span = range(max(1, c.last - c.warp - ABOUT), min(length, c.last + c.warp + 1 + ABOUT) + 1)
        soft = {}
        for k, n in enumerate(span):
            progress.at(k, len(span), "looking at the join")
            soft[n] = joined.at(n)
        hard = {n: joined.hard(n) for n in span}
        where = stirs([hard[n] for n in span])
        before, after = (np.array([_jump(f, n, where) for n in span]) for f in (hard, soft))
        quiet = [before[i] for i, n in enumerate(span) if n not in (c.last, c.last + 1) and np.isfinite(before[i])]
        own = float(np.median(quiet)) if quiet else 0.0
        thumbs = np.stack([small_of(soft[n][..., :3]) for n in (max(span[0], c.last), min(c.last + 1, span[-1]))])
        return {
            "matrix": joined.how.matrix,
            "gain": np.asarray(joined.how.gain),
            "span": np.array([span[0], span[-1]]),
            "before": np.maximum(before - own, 0),
            "after": np.maximum(after - own, 0),
            "ends": thumbs,
        }

    def compute(self, inputs: Inputs, params: JoinParams, frame: int) -> Product:
        a = inputs.analysis()
        joined = _joined(inputs, params, Fitted(a["matrix"], np.asarray(a["gain"], np.float32)))
        takes = joined.takes(frame)
        count = count_of(inputs, "other")
        if takes[1] > count:
            raise UserError(
                f"The second take ends with its frame {count}, before the shot does; make the shot shorter, or leave the first one later."
            )
        return Product(picture=joined.hard(frame) if params.shows == CUT_HARD else joined.at(frame), work=takes)

    def read(self, inputs: Inputs, params: JoinParams, product: Product, frame: int) -> list[Reading]:
        a = inputs.analysis()
        one, other, share = product.work
        shows = f"shows frame {one} of the first" if share <= 0 else f"shows frame {other} of the second"
        if 0 < share < 1:
            shows = f"shows frame {one} of the first and {100 * share:.0f} % frame {other} of the second"
        first, last = (int(v) for v in a["span"])
        if not first <= frame <= last or not np.isfinite(a["after"][frame - first]):
            return [Reading("jump", None, "levels", JUMP, note=f"{shows}; it is read about the join")]
        was = a["before"]
        if params.shows == CUT_HARD:
            return [Reading("jump", float(was[frame - first]), "levels", JUMP, note="as it is cut hard; let it show as joined")]
        note = f"{shows}; cut hard it jumps by {np.nanmax(was):.1f} levels at the join"
        return [Reading("jump", float(a["after"][frame - first]), "levels", JUMP, note=note)]

    def propose(self, inputs: Inputs, params: JoinParams, progress: Progress) -> Proposal | None:
        """The best place to leave the one for the other."""
        takes = []
        like = inputs.picture("one", 1)
        for slot in ("one", "other"):
            count = count_of(inputs, slot)
            rows: list[Array | None] = []
            for n in range(1, count + 1):
                progress.at(n - 1, count, f"looking at frame {n}")
                try:
                    rows.append(small_of(alike(inputs.picture(slot, n), like)[..., :3]))
                except UserError:
                    rows.append(None)
            takes.append(rows)
        if min(sum(r is not None for r in rows) for rows in takes) < 2:
            return None
        found = best_joins(takes[0], takes[1], 1)
        if not found:
            return None
        j = found[0]
        if (int(params.last) or count_of(inputs, "one"), int(params.first)) == (j.last, j.first):
            return None
        return Proposal(
            {"last": float(j.last), "first": float(j.first)},
            f"Frame {j.last} of the first take and frame {j.first} of the second go together best: {j.words}.",
            gains="Least is left to be warped.",
        )

    def plot(self, inputs: Inputs, params: JoinParams, frame: int) -> Plot | None:
        a = inputs.analysis_if_there()
        if a is None:
            return None
        length = inputs.shot.length
        rows = []
        for name in ("before", "after"):
            values = np.full(length, np.nan)
            first, last = (int(v) for v in a["span"])
            values[first - 1 : min(last, length)] = a[name][: min(last, length) - first + 1]
            rows.append(values)
        tip = "How far each frame is from what the two before it lead to, beyond what the takes do by themselves: cut hard, and as it is joined. Below: the two frames at the join."
        panels: tuple[Any, ...] = (
            Trace("cut hard", rows[0], JUMP, unit="levels", floor=True),
            Trace(
                "joined",
                rows[1],
                JUMP,
                unit="levels",
                floor=True,
                top=float(np.nanmax(rows[0])) if np.isfinite(rows[0]).any() else None,
            ),
            Stills("the two frames at the join", tuple(a["ends"]), ("before", "after"), lines=False),
        )
        return Plot("The join", tip, panels, f"The jump falls from {np.nanmax(rows[0]):.1f} to {np.nanmax(rows[1]):.1f} levels.")


def _joined(inputs: Inputs, params: JoinParams, how: Fitted | None) -> Joined:
    count = count_of(inputs, "one")
    cut = Cut(int(params.last) or count, int(params.first), int(params.warp), int(params.blend), count)
    if cut.first > count_of(inputs, "other"):
        raise UserError(f"The second take has no frame {cut.first}; it has {count_of(inputs, 'other')}.")
    return Joined(lambda n: inputs.picture("one", n), lambda n: inputs.picture("other", n), cut, how, _named(params))


def _named(params: JoinParams) -> tuple[Array, Array] | None:
    """The places that both takes have, in their order; None where nothing is named of one of them."""
    count = min(len(params.named_one), len(params.named_other))
    if not count:
        return None
    return np.asarray(params.named_one[:count], float), np.asarray(params.named_other[:count], float)


def _jump(frames: dict[int, Array], n: int, where: Array) -> float:
    """Of a frame to the next; nan at the ends of what is there."""
    if not {n - 1, n, n + 1} <= set(frames):
        return float("nan")
    return jump(frames[n - 1], frames[n], frames[n + 1], where)
