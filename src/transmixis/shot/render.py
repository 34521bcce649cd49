"""Rendering a work order: what its steps give, how that reads, and what would be better."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from transmixis.core.errors import UserError
from transmixis.core.plot import Plot
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.survey.scan import is_absent
from transmixis.shot.contract import Product, Proposal, SurveyKind
from transmixis.shot.given import kept_product
from transmixis.shot.model import Shot, Step
from transmixis.shot.products import Products, StepInputs
from transmixis.shot.refs import base_of
from transmixis.shot.sizes import sizes_told
from transmixis.shot.steps import kind_of


class Renderer(Products):
    """Renders one state of one shot: its products, their readings, and proposals."""

    def measure(self, step_id: str, frame: int) -> list[Reading]:
        """Readings of a step at a frame, stored ones if nothing has changed. A broken frame gives a reading that says so."""
        step = self._step(step_id)
        if not step.on:
            return []
        kind = kind_of(step.kind)
        if not kind.known:
            return kind.read(None, None, Product(), frame)  # type: ignore[arg-type]
        if isinstance(kind, SurveyKind):
            return [self._with_limit(step, r) for r in self._measure_survey(step, kind, frame)]
        try:
            key = self._readings_key(step_id, frame)
        except UserError as e:
            return [Reading("frame", None, "", 1.0, note=str(e))]
        known = self.readings.get(key)
        if known is None:
            known = self._measure_now(step, frame)
            self.readings.put(key, known)
        return [self._with_limit(step, r) for r in known]

    def _survey_key(self, step: Step, kind: SurveyKind[Any], frame: int) -> str:
        with self._lock:
            return self._keys.survey(step.id, kind.slots[0].name, frame)

    def _measure_survey(self, step: Step, kind: SurveyKind[Any], frame: int) -> list[Reading]:
        """Readings from the whole survey if all frames have been looked at, else from this frame's scan alone."""
        try:
            ref = self._keys.inputs(step)[kind.slots[0].name]
            key = self._survey_key(step, kind, frame)
            known = self.readings.get(key)
            if known is not None:
                return known
            params = self._params(step, frame)
            if frame > self.surveys.frames(self, ref):
                return [Reading("frame", None, "", 1.0, note="the plate has no such frame")]
            scan = self.surveys.scan(self, ref, frame)
            survey = self.surveys.if_complete(self, ref, self.progress)
        except UserError as e:
            return [Reading("frame", None, "", 1.0, note=str(e))]
        if is_absent(scan):
            return [Reading("frame", None, "", 1.0, note=str(scan["absent"]))]
        if survey is None:
            return kind.read_scan(scan, params, frame)
        made = kind.read_survey(survey, params, frame)
        self.readings.put(key, made)
        return made

    def _readings_key(self, step_id: str, frame: int) -> str:
        with self._lock:
            return self._keys.readings(step_id, frame)

    def known_readings(self, step_id: str, frame: int) -> list[Reading] | None:
        """Stored readings, or None if they would have to be measured."""
        step = self._step(step_id)
        if not step.on:
            return []
        kind = kind_of(step.kind)
        if not kind.known:
            return kind.read(None, None, Product(), frame)  # type: ignore[arg-type]
        try:
            if isinstance(kind, SurveyKind):
                known = self.readings.get(self._survey_key(step, kind, frame))
                return None if known is None else [self._with_limit(step, r) for r in known]
            known = self.readings.get(self._readings_key(step_id, frame))
        except UserError as e:
            return [Reading("frame", None, "", 1.0, note=str(e))]
        return None if known is None else [self._with_limit(step, r) for r in known]

    def _measure_now(self, step: Step, frame: int) -> list[Reading]:
        kind, inputs = kind_of(step.kind), StepInputs(self, step)
        params = self._params(step, frame)
        try:
            with sizes_told(self.product, self.shot, step, frame):
                product = kind.compute(inputs, params, frame)
                if kind.product != "readings":
                    self.cache.put(("product", self.key(f"step:{step.id}", frame)), kept_product(product))
                return kind.read(inputs, params, product, frame)
        except UserError as e:
            return [Reading("frame", None, "", 1.0, note=str(e))]

    @staticmethod
    def _with_limit(step: Step, r: Reading) -> Reading:
        if r.name not in step.limits:
            return r
        return Reading(r.name, r.value, r.unit, step.limits[r.name], r.better, r.spot, r.note)

    def plot(self, step_id: str, frame: int) -> Plot | None:
        """What is drawn beside a step's controls; None while it is not known yet. Raises UserError where it cannot be."""
        step = self._step(step_id)
        with sizes_told(self.product, self.shot, step, frame):
            return kind_of(step.kind).plot(StepInputs(self, step), self._params(step, frame), frame)

    def propose(self, step_id: str, progress: Progress | None = None, frame: int = 1) -> Proposal | None:
        """Measured settings for a step, compared with what is set at `frame`."""
        step = self._step(step_id)
        with sizes_told(self.product, self.shot, step, frame):
            return kind_of(step.kind).propose(StepInputs(self, step), self._params(step, frame), progress or Progress())

    def acted(self, step_id: str, name: str, frame: int) -> Step:
        """A step after one of its acts at a frame. Raises UserError where that cannot be done there."""
        step = self._step(step_id)
        with sizes_told(self.product, self.shot, step, frame):
            return kind_of(step.kind).act(name, StepInputs(self, step), step, self._params(step, frame), frame)

    def to_file(self, step_id: str, frame: int, path: Path) -> str:
        """Write a step to a file, as its kind does; says what was written."""
        step = self._step(step_id)
        return kind_of(step.kind).to_file(StepInputs(self, step), step, self._params(step, frame), frame, path)


def output_ref(shot: Shot) -> str | None:
    """What is delivered: the chosen step; else the last that gives a picture of which no other picture is made, however the list is
    ordered; else the hero plate."""
    if shot.output:
        return f"step:{shot.output}"
    # a survey lets through what it looks at, which may be a clean plate
    pictures = [s for s in shot.steps if kind_of(s.kind).product == "picture" and not isinstance(kind_of(s.kind), SurveyKind)]
    used = {base_of(ref) for s in pictures for ref in s.inputs.values()}
    ends = [ref for s in pictures if (ref := f"step:{s.id}") not in used]
    if ends or pictures:
        return ends[-1] if ends else f"step:{pictures[-1].id}"
    hero = shot.plate_of_role("hero") or (shot.plates[0] if shot.plates else None)
    return f"plate:{hero.id}" if hero else None
