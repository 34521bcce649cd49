"""What is depended on, as hashes: by a frame of a product, by a product's whole range, by an analysis, by a frame's readings.

Each of the four is made in one place below. Keys are made in chunks of frames, and a chunk is made from the step itself and from the
chunks of what it takes. Those are kept between the states of a shot: a chunk whose makers are the very same objects is the same, so an
edit makes anew only what lies behind it.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from transmixis.core.errors import UserError
from transmixis.shot.contract import AnyKind, Piece
from transmixis.shot.digests import Chunk, Gap, KeptKeys, digest, text_of
from transmixis.shot.material import Material
from transmixis.shot.model import Pin, Plate, Shot, Step
from transmixis.shot.pins import near_pins, parameter, params_at
from transmixis.shot.refs import base_of, checked, passed_through, product_of, refs_of, slot_name, split_ref
from transmixis.shot.steps import kind_of

CHUNK = 64  # frames


class Named:
    """The plates and steps of a shot by their ids."""

    def __init__(self, shot: Shot) -> None:
        self._shot = shot
        self._plates = {p.id: p for p in shot.plates}
        self._steps = {s.id: s for s in shot.steps}

    def plate(self, name: str) -> Plate:
        """The shot's plate. Raises UserError."""
        if name not in self._plates:
            raise UserError(f"Shot {self._shot.code} has no plate '{name}'; add it, or connect the step to another.")
        return self._plates[name]

    def step(self, name: str) -> Step:
        """The shot's step. Raises UserError."""
        if name not in self._steps:
            raise UserError(f"Shot {self._shot.code} has no step '{name}'; connect what uses it to another.")
        return self._steps[name]

    def inputs(self, step: Step) -> dict[str, str]:
        """The inputs that are connected, by slot. Raises UserError for a needed one that is not."""
        kind = kind_of(step.kind)
        out: dict[str, str] = {}
        for slot in kind.slots if kind.known else ():
            refs = refs_of(step, slot)
            out.update(refs)
            if not (refs or slot.optional):
                raise UserError(f"Step '{step.name}' needs {slot.words}; connect it in the step sheet.")
        return out


class Keys(Named):
    """The keys of one state of a shot. Not to be shared by threads without a lock."""

    def __init__(self, shot: Shot, material: Material, kept: KeptKeys | None = None) -> None:
        super().__init__(shot)
        self._material, self._kept = material, kept or KeptKeys()
        self._size = digest(shot.width, shot.height, shot.length, shot.rate)
        self._chunks: dict[tuple[str, int], Chunk] = {}
        self._wholes: dict[str, str] = {}
        self._analyses: dict[str, str] = {}
        self._plans: dict[str, Plan] = {}

    # -- the four

    def frame(self, ref: str, frame: int) -> str:
        """What a frame of 'plate:ID', 'step:ID' or 'step:ID/NAME' depends on. Raises UserError where it cannot be had."""
        key = self._chunk(ref, (frame - 1) // CHUNK)[(frame - 1) % CHUNK]
        if isinstance(key, Gap):
            raise UserError(str(key))
        return key

    def whole(self, ref: str) -> str:
        """What all frames of a product depend on together, with how many the shot has and at which rate."""
        if ref not in self._wholes:
            what, name = split_ref(ref)
            made = self._whole_plate(self.plate(name)) if what == "plate" else self._whole_step(self.step(name))
            self._wholes[ref] = digest("named", made, product_of(ref)) if product_of(ref) else made
        return self._wholes[ref]

    def analysis(self, step_id: str) -> str:
        """What a step's analysis depends on: the parameters that it declares, as they are at frame 1, and its inputs."""
        if step_id not in self._analyses:
            step = self.step(step_id)
            kind = kind_of(step.kind)
            if kind.pieced:
                self._analyses[step_id] = digest("pieces", *self.plan(step_id).keys.values(), self._size)
                return self._analyses[step_id]
            params = checked(step, kind, 1).model_dump()
            declared: dict[str, Any] = {k: params[k] for k in kind.analysis_params}
            if kind.analyses_product:
                declared = {**declared, "": [step.params, _plain(step.pins)]}
            inputs = {s: self.whole(r) for s, r in self.inputs(step).items() if slot_name(s) not in kind.not_analysed}
            self._analyses[step_id] = digest("analysis", step.kind, kind.version, declared, inputs, self._size)
        return self._analyses[step_id]

    def plan(self, step_id: str) -> Plan:
        """The pieces of a step's analysis, each with the key of what it depends on: the plain values that it names, the frames of the
        inputs that it looks at, and the piece that it starts from."""
        if step_id not in self._plans:
            step = self.step(step_id)
            kind = kind_of(step.kind)
            pieces = kind.pieces(self._shot.length, checked(_without_own(step, kind), kind, 1), step.pins)
            inputs = {s: r for s, r in self.inputs(step).items() if slot_name(s) not in kind.not_analysed}
            keys: dict[str, str] = {}
            for p in pieces:
                seen = [
                    [s, *(str(self._chunk(r, (n - 1) // CHUNK)[(n - 1) % CHUNK]) for n in p.frames)] for s, r in inputs.items()
                ]
                before = keys[p.after] if p.after else ""
                keys[p.name] = digest(
                    "piece", step.kind, kind.version, p.name, p.first, p.last, p.depends, seen, before, self._size
                )
            self._plans[step_id] = Plan({p.name: p for p in pieces}, keys)
        return self._plans[step_id]

    def readings(self, step_id: str, frame: int) -> str:
        """What a step's readings at a frame depend on: its product there, in the frames before that it looks back at, and in all
        where it may look at any."""
        kind = kind_of(self.step(step_id).kind)
        ref = f"step:{step_id}"
        frames = [self.frame(ref, n) for n in range(max(1, frame - kind.frames_back), frame + 1)]
        cues = [[c.frame, c.name] for c in self._shot.cues] if kind.cued else ""
        return digest("readings", frames, self.whole(ref) if kind.reads_other_frames else "", cues)

    def survey(self, step_id: str, slot: str, frame: int) -> str:
        """What readings from a survey depend on: all frames of what is surveyed, and the parameters at the frame."""
        step = self.step(step_id)
        kind = kind_of(step.kind)
        return digest("survey", self.whole(self.inputs(step)[slot]), step.kind, kind.version, params_at(step, frame), frame)

    # -- how they are made

    def _chunk(self, ref: str, c: int) -> Chunk:
        if (ref, c) not in self._chunks:
            what, name = split_ref(ref)
            if product_of(ref):
                self._chunks[ref, c] = self._named_chunk(ref, c)
            else:
                self._chunks[ref, c] = self._plate_chunk(self.plate(name), c) if what == "plate" else self._step_chunk(name, c)
        return self._chunks[ref, c]

    def _named_chunk(self, ref: str, c: int) -> Chunk:
        """Of one of a step's further products: what the step depends on, and which it is. A step that is off gives none of them."""
        step, name = self.step(split_ref(ref)[1]), product_of(ref)
        kind = kind_of(step.kind)
        if not (step.on and kind.known):
            return (digest("nothing passed", [g.kind for g in kind.also if g.name == name], self._size),) * CHUNK
        first = self._chunk(base_of(ref), c)
        return self._kept.same_or_made(  # type: ignore[no-any-return]
            ("named", self._shot.code, ref, c),
            (first,),
            lambda: tuple(k if isinstance(k, Gap) else digest("named", k, name) for k in first),
        )

    def _plate_chunk(self, plate: Plate, c: int) -> Chunk:
        # files are looked at for each state; what comes out equal is the same object as before
        stamps = tuple(Gap(str(s)) if isinstance(s, UserError) else s for s in self._material.stamps(plate, _frames(c)))
        name = (self._shot.code, plate.id, c)
        stamps = self._kept.same(("stamps", *name), stamps)
        read = _how_read(plate)
        return self._kept.same_or_made(  # type: ignore[no-any-return]
            ("plate", *name), (stamps, read), lambda: tuple(s if isinstance(s, Gap) else digest("plate", read, s) for s in stamps)
        )

    def _step_chunk(self, step_id: str, c: int) -> Chunk:
        try:
            step = self.step(step_id)
            kind = kind_of(step.kind)
            if not (step.on and kind.known):
                return self._passed_chunk(step, kind, c)
            inputs = self.inputs(step)
            whole = self._beyond_the_frame(step, kind, inputs)
            pieces = self._of_pieces(step_id, c) if kind.pieced else ()
        except UserError as e:
            return (Gap(str(e)),) * CHUNK
        learnt = {slot.name for slot in kind.slots if slot.learnt}
        slots = sorted(s for s in inputs if slot_name(s) not in learnt)
        chunks = tuple(self._chunk(inputs[s], c) for s in slots)
        # where other frames are looked at, the whole stands for them here
        near = [self.whole(inputs[s]) for s in slots if any(slot.whole for slot in kind.slots if slot.name == slot_name(s))]
        makers = (step, self._size, whole, *slots, *chunks, *pieces, *near)
        name = ("step", self._shot.code, step_id, c)
        return self._kept.same_or_made(  # type: ignore[no-any-return]
            name,
            makers,
            lambda: self._of_frames(
                step, kind, whole, {s: inputs[s] for s in slots}, dict(zip(slots, chunks, strict=True)), pieces, c
            ),
        )

    def _others(self, step: Step, kind: AnyKind, hung: Mapping[str, str], params: Any, frame: int) -> list[str]:
        """The keys of the other frames that a frame looks at through slots that let it; the whole where they may be any."""
        out: list[str] = []
        for s, ref in hung.items():
            looked = kind.looks_at(slot_name(s), params, step.pins, frame, self._shot.length)
            if looked is None:
                out.append(self.whole(ref))
            else:
                out += [str(self._chunk(ref, (n - 1) // CHUNK)[(n - 1) % CHUNK]) for n in looked if 1 <= n <= self._shot.length]
        return out

    def _of_pieces(self, step_id: str, c: int) -> Chunk:
        """The key of the piece that tells of each frame; nothing where none does."""
        plan = self.plan(step_id)
        return tuple("+".join(plan.keys[p.name] for p in plan.at(n)) for n in _frames(c))

    def _of_frames(
        self, step: Step, kind: AnyKind, whole: str, refs: Mapping[str, str], inputs: Mapping[str, Chunk], pieces: Chunk, c: int
    ) -> Chunk:
        pinned = any(v for k, v in step.pins.items() if parameter(k) not in kind.own_pins)
        own = _without_own(step, kind)
        same = "" if pinned else params_at(own, 1)
        # what is the same at all frames is hashed once
        base = hashlib.sha1(text_of("step", step.kind, kind.version, same, self._size, whole, list(inputs)))
        near = {k: p for k, p in step.pins.items() if k in kind.near_pins and p}
        hung = {s: r for s, r in refs.items() if any(slot.whole and slot.name == slot_name(s) for slot in kind.slots)}
        params = checked(own, kind, 1) if hung and not pinned else None
        if inputs and not (pinned or hung or pieces or kind.timeless or any(Gap in map(type, k) for k in inputs.values())):
            return tuple(_each(base, zip(*inputs.values(), strict=True), _frames(c)))  # the usual case, a thousand at a time
        out: list[str] = []
        for i, n in enumerate(_frames(c)):
            here = [chunk[i] for chunk in inputs.values()]
            gap = next((k for k in here if isinstance(k, Gap)), None)
            if gap is not None and not kind.other_frames:
                out.append(gap)
                continue
            # a kind that shows other frames may have one where its own is missing; the whole stands for all of them
            texts = ["" if isinstance(k, Gap) else k for k in here] + ["" if kind.timeless else str(n)]
            texts += [pieces[i]] if pieces else []
            if hung and n <= self._shot.length:
                texts += self._others(step, kind, hung, checked(own, kind, n) if pinned else params, n)
            h = base.copy()
            h.update("|".join(texts).encode())
            if pinned:
                h.update(text_of(_values_at(own, kind, n)))
            if near:
                h.update(text_of(n, _plain({k: near_pins(p, n) for k, p in near.items()})))
            out.append(h.hexdigest()[:24])
        return tuple(out)

    def _passed_chunk(self, step: Step, kind: AnyKind, c: int) -> Chunk:
        """Of a step that is off or of an unknown kind: what it lets through."""
        first = passed_through(step, kind)
        if first is None:
            return (digest("nothing passed", kind.product, self._size),) * CHUNK
        return self._chunk(first, c)

    def _beyond_the_frame(self, step: Step, kind: AnyKind, inputs: Mapping[str, str]) -> str:
        """What every frame depends on beside its own frame of the inputs."""
        analysis = self.analysis(step.id) if kind.analyses else ""
        others = {s: self.whole(r) for s, r in inputs.items()} if kind.other_frames else {}
        pins = self._own_pins(step, kind) if any(v for k, v in step.pins.items() if parameter(k) in kind.own_pins) else ""
        return digest(analysis, others, pins) if analysis or others or pins else ""

    def _own_pins(self, step: Step, kind: AnyKind) -> str:
        """Of pins that the kind eases itself; outlines are long, so they are hashed once as long as the step is the same."""
        mine = {k: v for k, v in step.pins.items() if parameter(k) in kind.own_pins}
        made = self._kept.same_or_made(("own pins", self._shot.code, step.id), (step,), lambda: digest("pins", _plain(mine)))
        return str(made)

    def _whole_plate(self, plate: Plate) -> str:
        return digest("whole plate", _how_read(plate), self._material.stamp_all(plate), self._size)

    def _whole_step(self, step: Step) -> str:
        kind = kind_of(step.kind)
        if not (step.on and kind.known):
            first = passed_through(step, kind)
            return self.whole(first) if first else digest("nothing passed", kind.product, self._size)
        inputs = {s: self.whole(r) for s, r in self.inputs(step).items()}
        analysis = self.analysis(step.id) if kind.analyses or kind.pieced else ""
        return digest("whole step", step.kind, kind.version, step.params, _plain(step.pins), inputs, analysis, self._size)


def _each(base: Any, keys: Iterable[tuple[str, ...]], frames: range) -> Iterator[str]:
    """A key for each frame from those of the inputs; `base` has hashed what is the same at all."""
    for n, here in zip(frames, keys, strict=True):
        h = base.copy()
        h.update(f"{'|'.join(here)}|{n}".encode())
        yield h.hexdigest()[:24]


def _frames(c: int) -> range:
    return range(c * CHUNK + 1, (c + 1) * CHUNK + 1)


def _plain(pins: Mapping[str, tuple[Pin, ...]]) -> dict[str, Any]:
    return {k: [p.model_dump() for p in v] for k, v in pins.items()}


def _without_own(step: Step, kind: AnyKind) -> Step:
    """The step without the pins that its kind eases itself: they are hashed as they stand, once."""
    if not kind.own_pins or not step.pins:
        return step
    return step.model_copy(update={"pins": {k: v for k, v in step.pins.items() if parameter(k) not in kind.own_pins}})


def _values_at(step: Step, kind: AnyKind, frame: int) -> dict[str, Any]:
    """The parameters as they count at a frame."""
    out = params_at(step, frame)
    for name in kind.held_pins:
        if step.pins.get(name):
            out[name] = next((p.value for p in step.pins[name] if p.frame == frame), None)
    return out


def _how_read(plate: Plate) -> str:
    """How a plate's files become frames; its role and name have no part in it."""
    return digest(plate.path, plate.space, plate.chroma_halved, plate.turn, plate.pixel_aspect, plate.offset)


@dataclass(frozen=True)
class Plan:
    """The pieces of an analysis by name, those that others start from first, and the key of each."""

    pieces: dict[str, Piece]
    keys: dict[str, str]

    def at(self, frame: int) -> tuple[Piece, ...]:
        """The pieces that tell of a frame, in their order."""
        return self._told.get(frame, ())

    @cached_property
    def _told(self) -> dict[int, tuple[Piece, ...]]:
        out: dict[int, tuple[Piece, ...]] = {}
        for p in self.pieces.values():
            for n in range(p.first, p.last + 1):
                out[n] = (*out.get(n, ()), p)
        return out
