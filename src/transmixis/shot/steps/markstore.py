"""Followed marks as plain arrays, as they are kept with an analysis."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from transmixis.core.repair.marklinks import Path
from transmixis.core.repair.marks import Found
from transmixis.core.repair.sweep import Source
from transmixis.core.types import Array
from transmixis.shot.contract import Analysis


def kept(paths: Sequence[Path], sources: Sequence[Sequence[Source]]) -> dict[str, Array]:
    """Marks and their sources as arrays."""
    rows = [(k, n, f) for k, p in enumerate(paths) for n, f in sorted(p.found.items())]
    masks = [np.packbits(f.mask.ravel()) for _, _, f in rows]
    return {
        "of": np.array([[k, n] for k, n, _ in rows], int).reshape(-1, 2),
        "at": np.array([[*f.at, *f.box] for _, _, f in rows], float).reshape(-1, 6),
        "looks": np.array([[*f.colour, *f.surface] for _, _, f in rows], float).reshape(-1, 6),
        "sizes": np.array([[*f.mask.shape, len(m)] for (_, _, f), m in zip(rows, masks, strict=True)], int).reshape(-1, 3),
        "masks": np.concatenate(masks) if masks else np.zeros(0, np.uint8),
        "paths": np.array([[*p.colour, *p.surface] for p in paths], float).reshape(-1, 6),
        "sources": np.array([[k, s.since, s.right, s.down] for k, own in enumerate(sources) for s in own], float).reshape(-1, 4),
    }


def marks_of(a: Analysis) -> list[tuple[Path, tuple[Source, ...]]]:
    """The marks that were kept, each with its sources."""
    found: list[dict[int, Found]] = [{} for _ in a["paths"]]
    at = 0
    for (k, n), place, look, (h, w, packed) in zip(a["of"], a["at"], a["looks"], a["sizes"], strict=True):
        mask = np.unpackbits(a["masks"][at : at + packed])[: h * w].reshape(h, w) > 0
        at += packed
        x0, y0, x1, y1 = (int(v) for v in place[2:])
        found[k][int(n)] = Found((float(place[0]), float(place[1])), (x0, y0, x1, y1), look[:3], look[3:], mask)
    out = []
    for k, (frames, colours) in enumerate(zip(found, a["paths"], strict=True)):
        own = tuple(Source(int(s[1]), float(s[2]), float(s[3])) for s in a["sources"] if int(s[0]) == k)
        out.append((Path(frames, colours[:3], colours[3:]), own))
    return out
