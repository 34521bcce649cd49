"""What dust could have been seen on a plate: spots of known size and depth are laid on its frames, and looked for.

That no spot was found says little by itself; a plate with much texture, noise or people hides more than a plain one.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from transmixis.core.motion.similarity import Similarity
from transmixis.core.survey.dust import Spot, found_spots
from transmixis.core.survey.spots import SPOT, radii_for
from transmixis.core.types import Array

DEPTHS = (0.02, 0.04, 0.08, 0.16, 0.32)  # shares of the light
SIZES = (1, 3)  # which of the radii that are searched: a small spot and a middling one
PLACES = 6  # of each size and depth
ENOUGH = 0.5  # of them must be found: what such a survey finds as often as it misses
NEAR = 1.5  # radii: a spot found so near is the one that was laid there


@dataclass(frozen=True)
class Seen:
    """Diameter px of the full frame, and the least depth (share of the light) at which half of such spots are found; nan
    where not even the deepest are."""

    across: float
    depth: float


def could_see(logs: list[Array], moves: list[Similarity], own: tuple[Spot, ...] = ()) -> tuple[Seen, ...]:
    """Lay spots on `half_log` pictures and look for them as for dust. `own`: spots that are there; none is laid on them."""
    h, w = logs[0].shape
    radii = radii_for(w)
    laid = _laid(h, w, [radii[min(k, len(radii) - 1)] for k in SIZES], own)
    if not laid:
        return ()
    dark = np.zeros((h, w), np.float32)
    for x, y, r, depth in laid:
        _add(dark, x, y, r, float(np.log(1 - depth)))
    found = found_spots([log + dark for log in logs], moves)
    out = []
    for r in dict.fromkeys(s[2] for s in laid):
        share = {d: np.mean([_is_found(s, found) for s in laid if s[2] == r and s[3] == d]) for d in DEPTHS}
        deep = [d for d in DEPTHS if all(share[e] >= ENOUGH for e in DEPTHS if e >= d)]
        out.append(Seen(4 * r, min(deep, default=float("nan"))))
    return tuple(out)


def _laid(h: int, w: int, radii: list[float], own: tuple[Spot, ...]) -> list[tuple[float, float, float, float]]:
    """Places on a grid with some play, apart from each other and from what is there; every size and depth all over the frame."""
    dice = np.random.default_rng(7)
    kinds = [(r, d) for _ in range(PLACES) for r in radii for d in DEPTHS]
    columns = int(np.ceil(np.sqrt(len(kinds) * w / h)))
    rows = int(np.ceil(len(kinds) / columns))
    cell = min(w / columns, h / rows)
    order = dice.permutation(rows * columns)
    out = []
    for k, (r, d) in enumerate(kinds):
        row, column = divmod(int(order[k]), columns)
        play = max(0.0, cell / 2 - 3 * r)
        x = (column + 0.5) * w / columns + dice.uniform(-play, play)
        y = (row + 0.5) * h / rows + dice.uniform(-play, play)
        if all(np.hypot(2 * x - s.x, 2 * y - s.y) > 4 * (2 * r + s.radius) for s in own):
            out.append((float(x), float(y), float(r), d))
    return out


def _add(dark: Array, x: float, y: float, r: float, amplitude: float) -> None:
    reach = int(4 * r) + 2
    x0, y0 = max(int(x) - reach, 0), max(int(y) - reach, 0)
    part = dark[y0 : int(y) + reach + 1, x0 : int(x) + reach + 1]
    v, u = np.mgrid[y0 : y0 + part.shape[0], x0 : x0 + part.shape[1]]
    part += amplitude * np.exp(-((u - x) ** 2 + (v - y) ** 2) / (2 * (SPOT * r) ** 2)).astype(np.float32)


def _is_found(laid: tuple[float, float, float, float], found: list[Spot]) -> bool:
    x, y, r, _ = laid
    return any(np.hypot(s.x - 2 * x - 0.5, s.y - 2 * y - 0.5) < max(NEAR * 2 * r, 4.0) for s in found)


def seen_words(seen: tuple[Seen, ...]) -> str:
    """One sentence part; '' where nothing was tried."""
    parts = [
        f"{s.across:.0f} px across from {100 * s.depth:.0f} % of the light on" if np.isfinite(s.depth)
        else f"{s.across:.0f} px across at no depth"
        for s in seen
    ]  # fmt: skip
    return f"half of all spots would show here: {', '.join(parts)}" if parts else ""
