"""Outlines in files of other programs: as SVG, a picture of one frame, and its paths read back.

SVG 1.1 paths of moves, lines and cubics; what else a path may hold is turned into these. Places are px of the frame, as SVG counts them: the
first pixel's corner is 0, so that pixel centres lie at +0.5 as here.
"""

from __future__ import annotations

import re
import xml.etree.ElementTree as ET
from dataclasses import dataclass
from pathlib import Path
from xml.sax.saxutils import quoteattr

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.types import Array
from transmixis.media.files import make_folder, said, why, write_atomically

LARGEST = 32 << 20  # bytes of a file that are read
MOST = 2000  # paths of a file
_TOKEN = re.compile(r"[MmLlHhVvCcSsQqTtZzAa]|[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?")
_TAKES = {"M": 2, "L": 2, "H": 1, "V": 1, "C": 6, "S": 4, "Q": 4, "T": 2}


@dataclass(frozen=True)
class Curve:
    """A line of cubics: `start` px and `segments` (k, 3, 2) px, two controls and the end of each. A strand is `wide` px."""

    name: str
    start: tuple[float, float]
    segments: Array
    closed: bool
    wide: float = 0.0
    joins: str = "add"


def write_svg(path: Path, curves: list[Curve], width: int, height: int) -> None:
    """One frame's outlines as a picture of this size."""
    make_folder(path.parent)
    rows = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="{height}" viewBox="0 0 {width} {height}">',
        *(_row(c) for c in curves),
        "</svg>",
    ]
    write_atomically(path, ("\n".join(rows) + "\n").encode())


def _row(c: Curve) -> str:
    d = f"M{_pair(c.start)} " + " ".join(f"C{' '.join(_pair(p) for p in s)}" for s in c.segments) + (" Z" if c.closed else "")
    look = 'fill="black"' if c.closed else f'fill="none" stroke="black" stroke-linecap="round" stroke-width="{c.wide:g}"'
    return f'<path id={quoteattr(c.name)} data-joins={quoteattr(c.joins)} {look} d="{d}"/>'


def _pair(p: Array | tuple[float, float]) -> str:
    return f"{p[0]:.3f},{p[1]:.3f}"


def read_svg(path: Path) -> list[Curve]:
    """The paths, polygons and polylines of an SVG file, without groups' transforms. Raises UserError for what cannot be read."""
    try:
        if path.stat().st_size > LARGEST:
            raise UserError(f"{said(path.name)} is larger than {LARGEST >> 20} MB; write fewer outlines into a file.")
        text = path.read_bytes()
        if b"<!ENTITY" in text:
            raise UserError(f"{said(path.name)} holds entities, which are not read; save it as plain SVG.")
        root = ET.fromstring(text)
    except OSError as e:
        raise UserError(f"{said(path.name)} cannot be read: {why(e)}.") from e
    except (ET.ParseError, ValueError, LookupError) as e:
        raise UserError(f"{said(path.name)} is no SVG: {said(str(e))[:120]}.") from e
    out: list[Curve] = []
    for node in root.iter():
        tag = node.tag.rpartition("}")[2] if isinstance(node.tag, str) else ""
        if tag in ("path", "polygon", "polyline"):
            if "transform" in node.attrib:
                raise UserError(
                    f"{said(path.name)}: a path has a transform, which is not read; save it with its transforms applied."
                )
            out += _curves(node, tag, path)
        if len(out) > MOST:
            raise UserError(f"{said(path.name)} holds more than {MOST} outlines; write fewer into a file.")
    if not out:
        raise UserError(f"{said(path.name)} holds no path; draw outlines as paths.")
    return out


def _curves(node: ET.Element, tag: str, path: Path) -> list[Curve]:
    name, wide = node.get("id", ""), _number(node.get("stroke-width", "0"))
    joins = node.get("data-joins", "add")
    d = node.get("d", "") if tag == "path" else "M" + node.get("points", "") + ("Z" if tag == "polygon" else "")
    try:
        return [
            Curve(name, start, np.array(segments).reshape(-1, 3, 2), closed, wide, joins)
            for start, segments, closed in _parsed(d)
            if segments
        ]
    except (ValueError, IndexError, OverflowError) as e:
        raise UserError(f"{said(path.name)}: the path '{said(name)[:40]}' cannot be read: {said(str(e))[:80]}.") from e


def _number(text: str) -> float:
    try:
        return max(0.0, float(text.removesuffix("px")))
    except ValueError:
        return 0.0


def _parsed(d: str) -> list[tuple[tuple[float, float], list[list[complex]], bool]]:
    """Runs of a path: where each starts, its cubics, and whether it is closed."""
    tokens = _TOKEN.findall(d)
    runs: list[tuple[complex, list[list[complex]], bool]] = []
    at, start, last, i, letter = 0j, 0j, None, 0, ""
    segments: list[list[complex]] = []
    while i < len(tokens):
        if tokens[i].isalpha():
            letter, i = tokens[i], i + 1
        elif letter in ("", "Z", "z"):
            raise ValueError("numbers without a letter")
        kind, own = letter.upper(), letter.islower()
        if kind == "Z":
            if segments:
                runs.append((start, segments, True))
            at, segments, last = start, [], None
            continue
        if kind == "A":
            raise ValueError("arcs are not read; turn them into curves")
        values = [float(v) for v in tokens[i : i + _TAKES[kind]]]
        if len(values) < _TAKES[kind] or not np.isfinite(values).all() or np.abs(values).max(initial=0) > 1e6:
            raise ValueError("numbers are missing")
        i += _TAKES[kind]
        if kind == "M":
            if segments:
                runs.append((start, segments, False))
            at = start = complex(*values) + (at if own else 0)
            segments, last, letter = [], None, "l" if own else "L"
            continue
        cubic = _cubic(kind, values, at, own, last)
        segments.append(cubic)
        last, at = (kind, cubic[1]), cubic[2]
    if segments:
        runs.append((start, segments, False))
    return [((s.real, s.imag), [[(z.real, z.imag) for z in c] for c in g], closed) for s, g, closed in runs]  # type: ignore[misc]


def _cubic(kind: str, v: list[float], at: complex, own: bool, last: tuple[str, complex] | None) -> list[complex]:
    """One piece of a path as a cubic's two controls and its end."""
    base = at if own else 0j
    if kind in "HV":
        end = (
            complex(v[0] + (base.real if own else 0), at.imag)
            if kind == "H"
            else complex(at.real, v[0] + (base.imag if own else 0))
        )
        return [at + (end - at) / 3, at + 2 * (end - at) / 3, end]
    z = [complex(a, b) + base for a, b in zip(v[::2], v[1::2], strict=True)]
    if kind == "L":
        return [at + (z[0] - at) / 3, at + 2 * (z[0] - at) / 3, z[0]]
    if kind == "C":
        return z
    if kind == "S":
        return [2 * at - last[1] if last and last[0] in "CS" else at, *z]
    control = z[0] if kind == "Q" else at
    return [at + 2 * (control - at) / 3, z[-1] + 2 * (control - z[-1]) / 3, z[-1]]
