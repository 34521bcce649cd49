"""Which frame of which outline wants a hand next, as a proposal."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from transmixis.core.roto.asking import Ask, asked
from transmixis.core.types import Array
from transmixis.shot.contract import Effect, Inputs, Proposal
from transmixis.shot.steps.outlines import OneShape, pinned
from transmixis.shot.steps.shapeparams import ShapesParams
from transmixis.shot.steps.shapesheet import foretold_all

MOST = 12  # pins that are foreseen
NAMED = 5  # frames that are named in words


def limit_of(inputs: Inputs, reading: str, usual: float) -> float:
    """A reading's limit, which a person may have set for this step."""
    return inputs.shot.step(inputs.step_id).limits.get(reading, usual)


def next_pin(shapes: Sequence[OneShape], inputs: Inputs, params: ShapesParams, limit: float) -> Proposal | None:
    """The frame to pin next of the outline that is foretold to be off most; else where one is carried no farther; None where nothing wants a hand,
    or is not known yet."""
    best: tuple[OneShape, tuple[Ask, ...]] | None = None
    ends: list[tuple[OneShape, int]] = []
    for shape in shapes:
        px = foretold_all(shape, inputs, params)
        if px is None:
            continue
        asks = asked([h.frame for h in pinned(shape, params, inputs.pins())], px, limit, MOST)
        if asks and (best is None or asks[0].worst > best[1][0].worst):
            best = (shape, asks)
        ends += [(shape, n) for n in _ends(px)]
    if best is not None:
        return _of_asks(*best, limit)
    return _of_end(*ends[0]) if ends else None


def _ends(px: Array) -> list[int]:
    """Frames up to which it is carried, where that is not the end of the shot."""
    known = np.flatnonzero(np.isfinite(px))
    return [n + 1 for n, end in ((int(known[0]), 0), (int(known[-1]), len(px) - 1)) if n != end]


def _name(shape: OneShape) -> str:
    return f"{shape.name}: pin" if shape.name else "Pin"


def _of_asks(shape: OneShape, asks: tuple[Ask, ...], limit: float) -> Proposal:
    first, more = asks[0], asks[1:]
    named = ", ".join(str(a.frame) for a in more[:NAMED]) + (" …" if len(more) > NAMED else "")
    under = f"every frame is thought to be under {limit:g} px"
    if asks[-1].then >= limit:
        rest = f" Then at least {len(more)} more, at {named}." if more else ""
    else:
        rest = f" Then {len(more)} more, at {named}, and {under}." if more else f" Then {under}."
    return Proposal(
        values={},
        reason=f"{_name(shape)} frame {first.frame} next, in the stretch that is foretold to be off most.{rest}",
        effects=(Effect("foretold", first.worst, first.then, "px", limit),),
        costs=f"{len(asks)} pin{'s' if len(asks) > 1 else ''} by hand.",
        frames=(first.frame, first.frame),
        asks=tuple(a.frame for a in asks),
    )


def _of_end(shape: OneShape, frame: int) -> Proposal:
    return Proposal(
        values={},
        reason=f"{_name(shape)} frame {frame} next: it is carried no farther than that, and only eased beyond.",
        frames=(frame, frame),
        asks=(frame,),
    )
