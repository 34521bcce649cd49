"""What can serve: answers first which ways could take something out, how much each gives back, and what it takes; the best is proposed as a step of its own."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial
from typing import Any

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.plan.estimate import Work, hours_for
from transmixis.core.plot import Plot, Stills
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.repair import ways
from transmixis.core.repair.laying import bounds
from transmixis.core.repair.ways import Choice, Way
from transmixis.core.types import Array
from transmixis.shot.contract import Analysis, Handle, Inputs, Product, Proposal, Slot, StepKind
from transmixis.shot.offers import Instead
from transmixis.shot.sampling import sample_frames
from transmixis.shot.steps.backed import FOUND, STANDS, laid_over
from transmixis.shot.steps.clean_patch import CleanPatch
from transmixis.shot.steps.coverage import drawn, map_of
from transmixis.shot.steps.made_up import MadeUp
from transmixis.shot.steps.mending import GONE_SLOT, look_at, readable
from transmixis.shot.steps.params import Params, number
from transmixis.shot.steps.patch import Patch
from transmixis.shot.steps.time_patch import LEFT, MADE, TimePatch
from transmixis.shot.steps.wire_out import WireOut

MARKS = ("rings: the clean plate", "upright strokes: other frames", "level pairs: a neighbour", "triangles: made up")
LOOKED, TRIED = 12, 3  # frames that are looked at; that neighbours are tried on
KINDS: dict[str, type[StepKind[Any]]] = {
    ways.CLEAN: CleanPatch,
    ways.TIME: TimePatch,
    ways.WIRE: WireOut,
    ways.SPACE: Patch,
    ways.MADE: MadeUp,
}
# which kind of work each is (core.plan.estimate), and how much care it takes, 0.5 the usual (judgement)
EFFORT = {ways.PUNCH: ("check", 0.3), ways.CLEAN: ("clean plate patch", 0.5), ways.TIME: ("clean plate patch", 0.7), ways.WIRE: ("clean plate patch", 0.6),
          ways.SPACE: ("clean plate patch", 0.6), ways.MADE: ("paint", 0.6)}  # fmt: skip


class WaysParams(Params):
    delivered: float = number(
        0, 0, 16000, "px", "Delivered", "How wide the picture is delivered. 0: as wide as the plate.", step=2
    )


class Ways(StepKind[WaysParams]):
    kind, title, stage, product = "ways", "What can serve", "Repair", "readings"
    says = "answers which ways can take something out"
    slots = (
        Slot("plate", "the take to mend", ground=True),
        GONE_SLOT,
        Slot("clean", "a clean plate, if there is one", optional=True, learnt=True, usual=("plate:clean",)),
        Slot("motion", "the motion of what lies behind it, instead of what is seen", takes="motion", optional=True, usual=()),
    )
    Params = WaysParams
    analyses = True
    analysis_params = ("delivered",)
    plots = "whole"
    tools = ("coverage",)

    def analyse(self, inputs: Inputs, params: WaysParams, progress: Progress) -> Analysis:
        look = partial(look_at, inputs)
        hidden = {n: look(n)[1] for n in readable(look, sample_frames(inputs.shot.length, LOOKED))}
        where = [n for n, m in hidden.items() if m.any()]
        if not where:
            raise UserError("Nothing has to go on the frames that were looked at; give a matte of what must go.")
        if all(m.all() for m in hidden.values()):
            raise UserError("The matte of what must go covers the whole frame; draw it about what must go alone.")
        anchor = where[len(where) // 2]

        progress.at(0, 4, "looking how frames lie over one another")
        box = bounds([hidden[n] for n in where])
        assert box is not None
        try:
            matrices = laid_over(inputs, FOUND, look, tuple(hidden), anchor, box)
        except UserError:
            matrices = {}
        found = [ways.punched([hidden[n] for n in where], (inputs.shot.width, params.delivered or inputs.shot.width))]
        progress.at(1, 4, "comparing with the clean plate")
        found.append(_clean(inputs, look, where, matrices))
        progress.at(2, 4, "looking what other frames show")
        found.append(
            ways.in_time(hidden, matrices, anchor)
            if matrices
            else Way(ways.TIME, None, ways.LEFT, "%", "what lies about it shows too little to lay frames over one another")
        )
        found.append(ways.as_string(hidden[anchor]))
        progress.at(3, 4, "trying neighbours")
        tried = sorted({where[0], anchor, where[-1]})[:TRIED]
        found.append(ways.from_beside(look, tried, matrices or {n: np.eye(3) for n in tried}, anchor))
        found.append(ways.made_up(found, hidden[anchor]))
        best = ways.chosen({w.name: w for w in found})
        return {**_kept(found, hidden[anchor].shape), "anchor": np.array(anchor), "best": np.array([best.name, best.reason], np.str_), "rest": np.array(best.rest),
                "gone": hidden[anchor], "stands": np.array(bool(matrices) and all(np.array_equal(m, np.eye(3)) for m in matrices.values()))}  # fmt: skip

    def compute(self, inputs: Inputs, params: WaysParams, frame: int) -> Product:
        return Product()

    def read(self, inputs: Inputs, params: WaysParams, product: Product, frame: int) -> list[Reading]:
        a = inputs.analysis()
        best = choice_of(a).name
        told = [w for w in ways_of(a) if w.name == best or w.serves]  # one that does not serve is no fault of the shot
        told.sort(key=lambda w: w.name != best)
        return [Reading(w.name, w.reading, w.unit, w.limit, note=w.words) for w in told]

    def propose(self, inputs: Inputs, params: WaysParams, progress: Progress) -> Proposal | None:
        a = inputs.analysis()
        best, found = choice_of(a), {w.name: w for w in ways_of(a)}
        way = found[best.name]
        hours = hours_of(way, inputs.shot.length, a["gone"])
        if best.name == ways.PUNCH:
            return Proposal({}, f"{best.reason} Set it where the picture is delivered, or by Place.", costs=f"{hours:.1f} h")
        kind, title, values = settings_of(a, best)
        return Proposal({}, best.reason, costs=f"about {hours:.1f} h", instead=Instead(kind, title.lower(), values))

    def handles(self, inputs: Inputs, params: WaysParams, frame: int) -> tuple[Handle, ...]:
        """The coverage map over the picture, at the frame that it was told of."""
        a = inputs.analysis_if_there()
        if a is None:
            return ()
        anchor = int(a["anchor"])
        if frame != anchor:
            return (
                Handle(
                    "coverage",
                    "delivered",
                    "Coverage",
                    f"Which way gives back what is told at frame {anchor}; go there.",
                    None,
                    live=False,
                ),
            )
        where = map_of(a["gone"], ways_of(a))
        return (Handle("coverage", "delivered", "Coverage", _shares(where), None, live=False, facts={"map": where}),)

    def plot(self, inputs: Inputs, params: WaysParams, frame: int) -> Plot | None:
        a = inputs.analysis_if_there()
        if a is None:
            return None
        found = ways_of(a)
        anchor = int(a["anchor"])
        picture = drawn(inputs.picture("plate", anchor)[..., :3], a["gone"], found)
        tip = "What must go, by the soundest way that gives each place back: open rings clean plate, upright strokes other frames, level pairs a neighbour, triangles made up."
        words = "; ".join(_told(w, hours_of(w, inputs.shot.length, a["gone"])) for w in found)
        return Plot(
            "What can serve", tip, (Stills("coverage", (picture,), (f"frame {anchor}",), lines=False),), _upper(f"{words}.")
        )


def _told(w: Way, hours: float) -> str:
    """A way with its reading and hours, short."""
    if w.reading is None:
        return f"{w.name} no"
    return f"{w.name} {w.reading:.0f} {w.unit}{'' if w.serves else ' (too much)'}, {hours:.1f} h"


def _shares(where: Array) -> str:
    """How much of what must go each way gives back, soundest first, in the words of the map."""
    total = max(int((where > 0).sum()), 1)
    shares = {w: 100 * float((where == k).sum()) / total for k, w in enumerate(MARKS, 1)}
    return "; ".join(f"{w} {v:.0f} %" for w, v in shares.items() if v >= 0.5)


def _upper(words: str) -> str:
    return words[:1].upper() + words[1:]


def settings_of(a: Analysis, best: Choice) -> tuple[str, str, dict[str, Any]]:
    """The kind of step that goes a way, its title, and what is set of it."""
    found = {w.name: w for w in ways_of(a)}
    kind = KINDS[best.name]
    values: dict[str, Any] = {}
    if best.name == ways.TIME:
        values["rest"] = MADE if best.rest else LEFT
    if best.name in (ways.TIME, ways.MADE) and bool(a["stands"]):
        values["moves"] = STANDS
    if best.name == ways.SPACE:
        values = dict(found[best.name].values)
    return kind.kind, kind.title, values


def choice_of(a: Analysis) -> Choice:
    """What is proposed."""
    return Choice(str(a["best"][0]), bool(a["rest"]), str(a["best"][1]))


def ways_of(a: Analysis) -> list[Way]:
    """The ways that were kept."""
    out = []
    for k, name in enumerate(ways.NAMES):
        reading, limit = (float(v) for v in a["readings"][k])
        gives = a["maps"][k]
        values: Mapping[str, float] = (
            dict(zip(("right", "down"), (float(v) for v in a["offset"]), strict=True)) if name == ways.SPACE else {}
        )
        out.append(
            Way(
                name,
                reading if np.isfinite(reading) else None,
                limit,
                str(a["units"][k]),
                str(a["words"][k]),
                gives if gives.any() else None,
                values,
                bool(a["fails"][k]),
            )
        )
    return out


def hours_of(way: Way, frames: int, gone: Array) -> float:
    """About how many hours a way takes, before anything was learnt from this production's own."""
    kind, quality = EFFORT[way.name]
    edge = 4 * float(np.sqrt(gone.sum())) / gone.shape[1]
    return hours_for(Work(kind, frames, edge=edge, quality=quality)).mean


def _kept(found: list[Way], shape: tuple[int, ...]) -> dict[str, Array]:
    space = next(w for w in found if w.name == ways.SPACE)
    nothing = np.zeros(shape, bool)
    return {
        "readings": np.array([[np.nan if w.reading is None else w.reading, w.limit] for w in found]),
        "fails": np.array([w.fails for w in found]),
        "units": np.array([w.unit for w in found], np.str_),
        "words": np.array([w.words for w in found], np.str_),
        "maps": np.stack([nothing if w.gives is None else w.gives > 0.5 for w in found]),
        "offset": np.array([space.values.get("right", 0.0), space.values.get("down", 0.0)]),
    }


def _clean(inputs: Inputs, look: Any, where: list[int], matrices: Mapping[int, Array]) -> Way:
    if not inputs.has("clean"):
        return Way(ways.CLEAN, None, ways.LEFT, "%", "there is none; film the same view without it, or connect one")
    stands = not matrices or all(np.abs(m - np.eye(3))[:2].max() < 1.0 for m in matrices.values())
    some = where[:: max(1, len(where) // 4)]
    return ways.by_clean([look(n)[0] for n in some], [look(n)[1] for n in some], inputs.picture("clean", 1)[..., :3], stands)
