"""What steps give, frame by frame: from the cache or computed, with the analyses that they rest on."""

from __future__ import annotations

import contextlib
import threading
from functools import partial
from typing import Any

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.motion.motion import Motion
from transmixis.core.motion.pose import Camera
from transmixis.core.progress import Progress
from transmixis.core.survey.plate import PlateSurvey
from transmixis.core.types import Array, Matte
from transmixis.media.cache import FrameCache, frozen
from transmixis.media.source import with_full_chroma
from transmixis.shot.contract import Analysis, Facts, Handle, Piece, Pins, Product
from transmixis.shot.digests import KeptKeys
from transmixis.shot.given import kept_product, nothing_given, refuse_cycles
from transmixis.shot.keys import Keys
from transmixis.shot.material import Material
from transmixis.shot.model import Shot, Step
from transmixis.shot.refs import base_of, checked, passed_through, product_of, refs_of, slot_name, split_ref
from transmixis.shot.sizes import sizes_told
from transmixis.shot.steps import kind_of
from transmixis.shot.stored import AnalysisStore, Draft, ReadingStore
from transmixis.shot.surveys import Surveys

DEFAULT_CACHE = 1 << 30  # bytes


class Products:
    """What one state of one shot gives at full size (see shot.small for others). Making another for a changed shot is cheap: cache and stores are shared."""

    by = 1

    def __init__(
        self,
        shot: Shot,
        material: Material,
        cache: FrameCache | None = None,
        analyses: AnalysisStore | None = None,
        readings: ReadingStore | None = None,
        surveys: Surveys | None = None,
        kept: KeptKeys | None = None,
    ) -> None:
        self.shot, self.material = shot, material
        self.cache = cache or FrameCache(DEFAULT_CACHE)
        self.analyses, self.readings = analyses or AnalysisStore(None), readings or ReadingStore(None)
        self.surveys = surveys or Surveys(None)
        self.progress = Progress()
        self.kept = kept
        self._keys = Keys(shot, material, kept)
        self._lock = threading.RLock()
        refuse_cycles(shot)

    @property
    def prepared(self) -> bool:
        """True if every plate's material is open, so that keys can be had without waiting for the disk."""
        return all(self.material.is_open(p) for p in self.shot.plates)

    def prepare(self) -> None:
        """Open every plate's material; what cannot be opened is told where it is used."""
        for p in self.shot.plates:
            with contextlib.suppress(UserError):
                self.material.source(p)

    # -- keys: see shot.keys

    def key(self, ref: str, frame: int) -> str:
        """Content key of 'plate:ID', 'step:ID' or 'step:ID/NAME' at a frame."""
        with self._lock:
            return self._keys.frame(ref, frame)

    def whole_key(self, ref: str) -> str:
        """Key of everything that the product's whole range depends on."""
        with self._lock:
            return self._keys.whole(ref)

    # -- products

    def product(self, ref: str, frame: int) -> Product:
        """The product without its working parts, from the cache if it is there. Raises UserError for missing frames."""
        if product_of(ref):
            return self._named(ref, frame)
        ref = self._shown(ref)
        key = self.key(ref, frame)
        made: Product = self.cache.get_or_make(("product", key), lambda: kept_product(self.fresh(ref, frame)))
        return made

    def _named(self, ref: str, frame: int) -> Product:
        """One of a step's further products."""
        step, name = self._step(split_ref(ref)[1]), product_of(ref)
        kind = kind_of(step.kind)
        given = next((g for g in kind.also if g.name == name), None)
        if kind.known and given is None:
            raise UserError(f"Step '{step.name}' gives no '{name}'; connect another.")
        if not (step.on and kind.known):
            return nothing_given(given.kind if given else "picture", self.shot)
        made = self.product(base_of(ref), frame).also.get(name)
        if made is None:
            raise UserError(f"Step '{step.name}' gives no {given.words if given else name} at frame {frame}.")
        return made

    def _shown(self, ref: str) -> str:
        """What is shown in place of a step that lets something through; it has the same key, and is made once."""
        what, name = split_ref(ref)
        while what == "step" and not product_of(ref):
            step = self._step(name)
            kind = kind_of(step.kind)
            first = None if step.on and kind.known else passed_through(step, kind)
            if first is None:
                break
            ref = first
            what, name = split_ref(ref)
        return ref

    def is_cached(self, ref: str, frame: int) -> bool:
        """True if the product can be had at once."""
        try:
            return ("product", self.key(base_of(ref), frame)) in self.cache
        except UserError:
            return False

    def fresh(self, ref: str, frame: int) -> Product:
        """Compute the product now, working parts included."""
        if product_of(ref):
            return self._named(ref, frame)
        ref = self._shown(ref)
        what, name = split_ref(ref)
        if what == "plate":
            plate = self._keys.plate(name)
            return Product(picture=self.material.source(plate).read(self.material.frame_in(plate, frame)))
        step = self._step(name)
        kind = kind_of(step.kind)
        if not (step.on and kind.known):  # and there is nothing that it could let through
            return nothing_given(kind.product if kind.known else "picture", self.shot)
        with sizes_told(self.product, self.shot, step, frame):
            return kind.compute(StepInputs(self, step), self._params(step, frame), frame)

    # -- analyses

    def analysis(self, step_id: str) -> Analysis:
        """The step's whole-range analysis; made now if it is not stored."""
        step = self._step(step_id)
        key = self.analysis_key(step_id)

        def made() -> Analysis:
            with sizes_told(self.product, self.shot, step, 1):
                return kind_of(step.kind).analyse(StepInputs(self, step), self._params(step, 1), self.progress)

        return self.analyses.get_or_make(key, made)

    def piece(self, step_id: str, frame: int, *, name: str = "", make: bool = True) -> Analysis | None:
        """The piece of a step's analysis that tells of a frame, or that of a `name`, with those that it starts from; if it is not stored it is
        made now, unless `make` is False. None where there is none; the first where several tell of the frame."""
        step = self._step(step_id)
        with self._lock:
            plan = self._keys.plan(step_id)
        wanted = plan.pieces.get(name) if name else next(iter(plan.at(frame)), None)
        if wanted is None:
            return None
        made = self.analyses.held(plan.keys[wanted.name])
        if made is not None or not make:
            return made
        chain = [wanted]
        while made is None and chain[-1].after:
            made = self.analyses.held(plan.keys[chain[-1].after])
            if made is None:
                chain.append(plan.pieces[chain[-1].after])
        for p in reversed(chain):
            made = self.analyses.get_or_make(plan.keys[p.name], partial(self._made_piece, step, p, made))
        return made

    def motion_if_there(self, step_id: str, frame: int) -> Motion | None:
        """What a track gives at a frame, if that piece of it was made before."""
        step = self._step(step_id)
        with self._lock:
            plan = self._keys.plan(step_id)
        if any(self.analyses.held(plan.keys[p.name]) is None for p in plan.at(frame)):
            return None
        with sizes_told(self.product, self.shot, step, frame):
            return kind_of(step.kind).compute(StepInputs(self, step), self._params(step, frame), frame).motion

    def handles(self, step_id: str, frame: int) -> tuple[Handle, ...]:
        """What tools on the picture can take hold of in a step at a frame."""
        step = self._step(step_id)
        kind = kind_of(step.kind)
        if not (kind.known and kind.tools):
            return ()
        with sizes_told(self.product, self.shot, step, frame):
            return kind.handles(StepInputs(self, step), self._params(step, frame), frame)

    def _made_piece(self, step: Step, piece: Piece, before: Analysis | None) -> Analysis:
        with sizes_told(self.product, self.shot, step, piece.first):
            return kind_of(step.kind).analyse_piece(StepInputs(self, step), self._params(step, 1), piece, before, self.progress)

    def has_analysis(self, step_id: str) -> bool:
        return not kind_of(self._step(step_id).kind).analyses or self.analyses.has(self.analysis_key(step_id))

    def analysis_key(self, step_id: str) -> str:
        with self._lock:
            return self._keys.analysis(step_id)

    def halved_in(self, ref: str) -> str | None:
        """The colour space in which the chroma of what `ref` gives was recorded at half size; None where it was not, or where
        pixels have been moved since."""
        for _ in range(len(self.shot.steps) + 1):
            if product_of(ref):  # whether its pixels are the plate's is not known
                return None
            what, name = split_ref(ref)
            if what == "plate":
                info = self.material.source(self._keys.plate(name)).info
                return info.space if info.chroma_halved else None
            step = self._step(name)
            kind = kind_of(step.kind)
            if step.on and not kind.keeps_pixels:
                return None
            first = step.inputs.get(kind.slots[0].name) if kind.slots else None
            if not first:
                return None
            ref = first
        return None

    # -- the document

    def _step(self, name: str) -> Step:
        return self._keys.step(name)

    def _params(self, step: Step, frame: int) -> Any:
        return checked(step, kind_of(step.kind), frame)


class StepInputs:
    """What one step may ask of the renderer (contract.Inputs)."""

    def __init__(self, renderer: Products, step: Step) -> None:
        self._r, self._step = renderer, step
        self.shot, self.step_id = renderer.shot, step.id
        self.draft = Draft(renderer.analyses, lambda: renderer.analysis_key(step.id))

    def has(self, slot: str) -> bool:
        return bool(self._step.inputs.get(slot))

    def pins(self) -> Pins:
        return self._step.pins

    def _ref(self, slot: str) -> str:
        ref = self._step.inputs.get(slot)
        if not ref:
            words = next((s.words for s in kind_of(self._step.kind).slots if s.name == slot_name(slot)), slot)
            raise UserError(f"Step '{self._step.name}' needs {words}; connect it in the step sheet.")
        return ref

    def picture(self, slot: str, frame: int) -> Array:
        ref = self._ref(slot)
        p = _valid(self._r, self._step, ref, slot, frame).picture
        if p is None:
            raise UserError(f"What '{self._step.name}' takes as {slot} gives no picture; connect another.")
        if not kind_of(self._step.kind).full_chroma or (space := self._r.halved_in(ref)) is None:
            return p
        key = ("full chroma", self._r.key(ref, frame))
        return self._r.cache.get_or_make(key, lambda: frozen(with_full_chroma(p, space)))  # type: ignore[no-any-return]

    def matte(self, slot: str, frame: int) -> Matte:
        p = _valid(self._r, self._step, self._ref(slot), slot, frame)
        if p.matte is not None:
            return p.matte
        if p.picture is not None and p.picture.shape[2] == 4:
            return np.ascontiguousarray(p.picture[..., 3])
        raise UserError(f"What '{self._step.name}' takes as {slot} gives no matte; connect another.")

    def mattes(self, slot: str, frame: int) -> list[Matte]:
        """Those of a slot that takes many, in order; none where nothing is connected."""
        named = next(s for s in kind_of(self._step.kind).slots if s.name == slot)
        return [self.matte(key, frame) for key in refs_of(self._step, named)]

    def motion(self, slot: str, frame: int) -> Motion:
        p = self._r.product(self._ref(slot), frame)
        if p.motion is None:
            raise UserError(f"What '{self._step.name}' takes as {slot} gives no motion; connect a track.")
        return p.motion

    def camera(self, slot: str, frame: int) -> Camera:
        p = self._r.product(self._ref(slot), frame)
        if p.camera is None:
            raise UserError(f"What '{self._step.name}' takes as {slot} gives no camera; connect a solved one.")
        return p.camera

    def shape(self, slot: str, frame: int) -> tuple[Array, ...]:
        p = _valid(self._r, self._step, self._ref(slot), slot, frame)
        if p.shape is None:
            raise UserError(f"What '{self._step.name}' takes as {slot} gives no outlines; connect a shape.")
        return p.shape

    def piece(self, frame: int, *, name: str = "", make: bool = True) -> Analysis | None:
        return self._r.piece(self.step_id, frame, name=name, make=make)

    def motion_if_there(self, frame: int) -> Motion | None:
        """The step's own motion at a frame if it is known without following anything now."""
        return self._r.motion_if_there(self.step_id, frame)

    def survey_if_there(self, slot: str) -> PlateSurvey | None:
        """The survey if all frames have been looked at."""
        return self._r.surveys.if_complete(self._r, self._ref(slot), self._r.progress)

    def fresh(self, slot: str, frame: int) -> Product:
        return self._r.fresh(self._ref(slot), frame)

    def own(self, frame: int) -> Product:
        return self._r.product(f"step:{self.step_id}", frame)

    def is_still(self, slot: str) -> bool:
        what, name = split_ref(self._ref(slot))
        return what == "plate" and self._r.material.source(self.shot.plate(name)).info.count == 1

    def facts(self, slot: str) -> Facts | None:
        """What the file of a plate says; None for what a step makes."""
        what, name = split_ref(self._ref(slot))
        if what != "plate":
            return None
        plate = self.shot.plate(name)
        info = self._r.material.source(plate).info
        rate = float(info.rate) if info.rate and info.count > 1 else None
        return Facts(rate, self._r.material.pixel_aspect(plate), info.width, info.height, max(1, info.count - plate.offset))

    def analysis(self) -> Analysis:
        return self._r.analysis(self.step_id)

    def analysis_if_there(self) -> Analysis | None:
        """The step's own analysis if it was made before: what is drawn on the picture must not wait for it."""
        return self._r.analysis(self.step_id) if self._r.has_analysis(self.step_id) else None

    def survey(self, slot: str) -> PlateSurvey:
        return self._r.surveys.whole(self._r, self._ref(slot), self._r.progress)


def _valid(products: Products, step: Step, ref: str, slot: str, frame: int) -> Product:
    """A product that must be valid at the frame; motions and cameras say themselves where they are not."""
    p = products.product(ref, frame)
    if p.why:
        raise UserError(f"What '{step.name}' takes as {slot} is not valid at frame {frame}: {p.why}.")
    return p
