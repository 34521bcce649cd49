"""Shapes in files: all of a step's as JSON, one frame's as SVG, and both read back."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from pydantic import ValidationError

from transmixis.core.errors import UserError
from transmixis.core.matte.outline import Mark, marks_of, xy
from transmixis.core.roto.curve import controls, drawn, on_cubic
from transmixis.media.exchange.outlines import Curve, read_svg, write_svg
from transmixis.media.files import said
from transmixis.shot.exchange import write_json
from transmixis.shot.model import Pin, Step
from transmixis.shot.pins import parameter
from transmixis.shot.plainjson import read_json
from transmixis.shot.refs import modelled
from transmixis.shot.steps.outlines import MOST, SOME, WHOLE, OneShape, pinned
from transmixis.shot.steps.shapeparams import ShapesParams, shapes_of

JSON, SVG = ".json", ".svg"
OFF, ROUNDS, MOST_POINTS = (
    0.2,
    5,
    2000,
)  # px that a line through points may be off a file's curve; how often its cubics are halved at most
KEPT = ("carry", "feather", "shutter", "turned", "takes", "calm", "way", "lost")


def told(step: Step) -> dict[str, Any]:
    """A step's shapes and their pins as plain values."""
    params = modelled(step, ShapesParams, step.params)
    rows = []
    for shape in shapes_of(params):
        row = shape.model_dump()
        row["pins"] = [{"frame": h.frame, "points": [list(m) for m in h.marks]} for h in pinned(shape, params, step.pins)]
        row["points"] = [{"frame": p.frame, "points": p.value} for p in step.pins.get(shape.some, ())]
        rows.append(row)
    return {"shapes": rows, **{k: getattr(params, k) for k in KEPT}}


def write_shapes(path: Path, step: Step) -> None:
    """All shapes of a step with their pins."""
    write_json(path, told(step))


def read_shapes(path: Path, step: Step, frame: int = 1) -> Step:
    """The step with the shapes of a JSON file; or with those of an SVG file, pinned at `frame`. Raises UserError for what holds none."""
    if path.suffix.lower() == SVG:
        return _with(step, _of_curves(read_svg(path), frame), {}, path)
    data = read_json(path)
    rows = data.get("shapes") if isinstance(data, dict) else None
    if not isinstance(rows, list) or not rows or not all(isinstance(r, dict) for r in rows):
        raise UserError(f"{said(path.name)} holds no list 'shapes'; write it as `matte shapes --help` says.")
    return _with(step, rows, {k: data[k] for k in KEPT if k in data}, path)


def _with(step: Step, rows: Sequence[dict[str, Any]], settings: dict[str, Any], path: Path) -> Step:
    if len(rows) > MOST:
        raise UserError(f"{said(path.name)} holds {len(rows)} shapes; a step can have at most {MOST}.")
    shapes, pins = [], {k: v for k, v in step.pins.items() if parameter(k) not in (WHOLE, SOME)}
    where = ""
    try:
        for k, row in enumerate(rows, 1):
            where = f"shape {k}"
            shape = OneShape.model_validate({**{n: v for n, v in row.items() if n not in ("pins", "points")}, "id": k})
            shapes.append(shape)
            for name, of in ((shape.whole, row.get("pins", ())), (shape.some, row.get("points", ()))):
                its = tuple(sorted((_pin(p) for p in of), key=lambda p: p.frame))
                if its:
                    pins[name] = its
            if shape.whole not in pins or any(len(p.value) < shape.least for p in pins[shape.whole]):
                raise ValueError(f"needs pins of at least {shape.least} points")
        where = "its settings"
        params = {k: v for k, v in step.params.items() if k not in ("outline", "shapes")}
        params |= {**settings, "shapes": [s.model_dump() for s in shapes], "at": min(p.frame for p in pins[shapes[0].whole])}
        modelled(step, ShapesParams, params)
    except (ValidationError, ValueError, TypeError, KeyError, UserError) as e:
        words = str(e.errors()[0]["msg"]) if isinstance(e, ValidationError) else str(e)
        raise UserError(f"{said(path.name)}: {where} {said(words)[:160]}.") from e
    return step.model_copy(update={"params": params, "pins": pins})


def _pin(p: Any) -> Pin:
    frame = p["frame"]
    if isinstance(frame, bool) or not isinstance(frame, int) or not 1 <= frame <= 1_000_000:
        raise ValueError("has a pin without a frame counted from 1")
    if len(p["points"]) > MOST_POINTS:
        raise ValueError(f"has {len(p['points'])} points at frame {frame}; {MOST_POINTS} are the most")
    marks = marks_of(p["points"])
    if len({m[0] for m in marks}) < len(marks):
        raise ValueError(f"has two points of one number at frame {frame}")
    return Pin(frame=frame, value=[list(m) for m in marks], easing="linear")


def _of_curves(curves: Sequence[Curve], frame: int) -> list[dict[str, Any]]:
    """Shapes through the ends of a file's cubics; a point where the line turns sharply is a corner."""
    rows = []
    for given in curves:
        c = _fitted(given)
        ends = _ends(c)
        corner = _turns(c, len(ends))
        marks = [[i, round(float(x), 3), round(float(y), 3)] for i, (x, y) in enumerate(ends, 1)]
        rows.append(
            {
                "name": c.name[:200], "closed": c.closed, "joins": c.joins, "wide": c.wide,
                "styles": {str(i): {"corner": True} for i, sharp in enumerate(corner, 1) if sharp},
                "pins": [{"frame": frame, "points": marks}],
            }
        )  # fmt: skip
    return rows


def _ends(c: Curve) -> Any:
    """(n, 2) the points that a curve's cubics meet in."""
    ends = np.array([c.start, *c.segments[:, 2]])
    return ends[:-1] if c.closed and len(ends) > 3 and np.hypot(*(ends[-1] - ends[0])) < 1e-3 else ends


def _fitted(c: Curve) -> Curve:
    """The same curve with so many points that a line drawn smoothly through them keeps to it."""
    for _ in range(ROUNDS):
        ends = _ends(c)
        line = drawn(ends, np.array(_turns(c, len(ends))), c.closed)[0]
        ring = np.vstack([line, line[:1]]) if c.closed else line
        starts = np.vstack([[c.start], c.segments[:-1, 2]])
        segments: list[Any] = []
        for start, s in zip(starts, c.segments, strict=True):
            some = on_cubic(np.array([start, *s]), np.array([0.25, 0.5, 0.75])[:, None])
            if max(_away(p, ring) for p in some) < OFF or len(c.segments) > MOST_POINTS:
                segments.append(s)
                continue
            a, b, d = (start + s[0]) / 2, (s[0] + s[1]) / 2, (s[1] + s[2]) / 2
            segments += [np.array([a, (a + b) / 2, some[1]]), np.array([(b + d) / 2, d, s[2]])]
        if len(segments) == len(c.segments):
            break
        c = replace(c, segments=np.array(segments))
    return c


def _away(p: Any, ring: Any) -> float:
    """px from a place to a line."""
    a, b = ring[:-1], ring[1:]
    t = np.clip(((p - a) * (b - a)).sum(axis=1) / np.maximum(((b - a) ** 2).sum(axis=1), 1e-12), 0, 1)
    return float(np.hypot(*(a + t[:, None] * (b - a) - p).T).min())


def _turns(c: Curve, many: int) -> list[bool]:
    """Where the direction of coming and going differ by more than 15 degrees."""
    starts = np.vstack([[c.start], c.segments[:-1, 2]])
    leaves = np.array([_first_way(s, g) for s, g in zip(starts, c.segments, strict=True)])
    comes = np.array([_first_way(g[2], np.array([g[1], g[0], s])) for s, g in zip(starts, c.segments, strict=True)]) * -1
    out = []
    for k in range(many):
        a, b = comes[k - 1], leaves[k % len(leaves)]
        ends = not c.closed and k in (0, many - 1)
        out.append(bool(ends or float(a @ b) < np.cos(np.radians(15))))
    return out


def _first_way(start: Any, controls_: Any) -> Any:
    """The direction in which a cubic leaves its start."""
    for p in controls_:
        d = np.asarray(p) - np.asarray(start)
        if np.hypot(*d) > 1e-6:
            return d / np.hypot(*d)
    return np.array([1.0, 0.0])


def write_frame(path: Path, outlines: Sequence[tuple[OneShape, Sequence[Mark]]], width: int, height: int) -> None:
    """One frame's outlines as SVG."""
    curves = []
    for shape, marks in outlines:
        c = controls(xy(marks), shape.corners(marks), shape.closed)
        start = (float(c[0, 0, 0]), float(c[0, 0, 1]))
        curves.append(Curve(shape.name or f"outline {shape.id}", start, c[:, 1:], shape.closed, shape.wide, shape.joins))
    write_svg(path, curves, width, height)
