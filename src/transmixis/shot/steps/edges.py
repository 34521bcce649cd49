"""Edges: fringe, boil, holes and leaks of the finished picture."""

from __future__ import annotations

import cv2
import numpy as np

from transmixis.core.check.edges import fringe_reading
from transmixis.core.errors import UserError
from transmixis.core.matte.measure import BOIL_LIMIT, holes_reading, region_box
from transmixis.core.matte.points import LEAK_LIMIT, VISIBLE
from transmixis.core.readings import Reading
from transmixis.core.types import Array, Matte
from transmixis.shot.contract import BACKGROUND, Inputs, Product, Slot, StepKind
from transmixis.shot.steps.params import Params


class EdgesParams(Params):
    pass


class Edges(StepKind[EdgesParams]):
    kind, title, stage, product = "edges", "Edges", "Check", "readings"
    says = "looks along the outline of the finished picture"
    begins = BACKGROUND
    slots = (
        Slot("result", "the placed picture", usual=("step:result",)),
        Slot("plate", "the plate the subject was shot on", optional=True),
    )
    Params = EdgesParams
    frames_back = 1
    timeless = True

    def compute(self, inputs: Inputs, params: EdgesParams, frame: int) -> Product:
        return Product(work=inputs.fresh("result", frame))

    def read(self, inputs: Inputs, params: EdgesParams, product: Product, frame: int) -> list[Reading]:
        placed: Product = product.work
        if placed.picture is None or placed.matte is None:
            return [Reading("fringe", None, "%", 8.0, note="the result has no matte to look along; connect a Place step")]
        under = placed.work if isinstance(placed.work, np.ndarray) else np.zeros_like(placed.picture)
        out = [
            fringe_reading(placed.picture[..., :3], under[..., :3], placed.matte),
            holes_reading(placed.matte),
            _leak(placed.matte),
        ]
        if frame > 1 and inputs.has("plate"):
            out.append(self._boil(inputs, placed.matte, frame))
        return out

    @staticmethod
    def _boil(inputs: Inputs, matte: Matte, frame: int) -> Reading:
        try:
            before = inputs.matte("result", frame - 1)
            now, then = inputs.picture("plate", frame)[..., :3], inputs.picture("plate", frame - 1)[..., :3]
        except UserError as e:
            return Reading("boil", None, "%", BOIL_LIMIT, note=str(e))
        return _still_change(matte, before, now, then)


def _leak(matte: Matte) -> Reading:
    """Visible matte (%) far from the subject: lone pieces smaller than a thousandth of the frame, and thin veils."""
    seen = (matte > VISIBLE).astype(np.uint8)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(seen, connectivity=8)
    body = np.zeros(count, bool)
    for i in range(1, count):
        body[i] = stats[i, cv2.CC_STAT_AREA] >= 0.001 * matte.size and float(matte[labels == i].max()) > 0.5
    lone = (labels > 0) & ~body[labels]
    empty = float((~body[labels]).sum())
    if empty < 100:
        return Reading("leak", None, "%", LEAK_LIMIT, note="the subject fills the frame")
    return Reading("leak", 100 * float(lone.sum()) / empty, "%", LEAK_LIMIT, spot=region_box(lone))


def _still_change(matte: Matte, before: Matte, now: Array, then: Array) -> Reading:
    """Mean change (%) of soft matte pixels where the plate under them did not change by more than its usual noise."""
    diff = cv2.GaussianBlur(np.abs(now - then).mean(axis=2), (0, 0), 1.5)
    usual = float(np.median(diff))
    soft = ((matte > 0.02) & (matte < 0.98)) | ((before > 0.02) & (before < 0.98))
    still = soft & (diff < 1.5 * usual)
    if still.sum() < 200:
        return Reading("boil", None, "%", BOIL_LIMIT, note="no part of the edge keeps still here")
    change = np.abs(matte - before)
    return Reading("boil", 100 * float(change[still].mean()), "%", BOIL_LIMIT, spot=region_box(still & (change > 0.15)))
