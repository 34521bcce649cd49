"""The cheapest border between two sets of pixels: a graph cut (Boykov & Jolly, 2001; Boykov & Kolmogorov, 2004, by PyMaxflow).

What a pixel costs on either side is given; the border costs its length, less where the picture has an edge of its own. An edge that the
background has too draws no border (Sun, Zhang, Tang, Shum: Background Cut, 2006).
"""

from __future__ import annotations

from collections.abc import Sequence

import maxflow
import numpy as np

from transmixis.core.types import Array, Mask

RIGHT = np.array([[0, 0, 0], [0, 0, 1], [0, 0, 0]])
DOWN = np.array([[0, 0, 0], [0, 0, 0], [0, 1, 0]])
RIGHT_DOWN = np.array([[0, 0, 0], [0, 0, 0], [0, 0, 1]])
LEFT_DOWN = np.array([[0, 0, 0], [0, 0, 0], [1, 0, 0]])
STEPS = ((0, 1, RIGHT, 1.0), (1, 0, DOWN, 1.0), (1, 1, RIGHT_DOWN, 2**-0.5), (1, -1, LEFT_DOWN, 2**-0.5))
LEAST = 0.04  # of the border's cost that is left at the strongest edge, so that it stays short along edges too


def cut(inside: Array, outside: Array, steps: Sequence[Array], length: float) -> Mask:
    """The pixels (h, w) that are inside at least cost. `inside`, `outside` (h, w): what a pixel costs there, 0 or more; `steps`: how much the
    picture changes from every pixel to its neighbour (see `stepped`), 1 being usual; `length`: what a pixel of border costs where it does not."""
    h, w = inside.shape
    graph = maxflow.GraphFloat(h * w, 4 * h * w)
    nodes = graph.add_grid_nodes((h, w))
    for (_, _, structure, weight), step in zip(STEPS, steps, strict=True):
        cost = length * weight * (LEAST + (1 - LEAST) * np.exp(-0.5 * step))
        graph.add_grid_edges(nodes, weights=cost, structure=structure, symmetric=True)
    graph.add_grid_tedges(nodes, outside, inside)
    graph.maxflow()
    return ~np.asarray(graph.get_grid_segments(nodes), bool)


def stepped(picture: Array, noise: float = 1e-3) -> list[Array]:
    """Squared difference (h, w) of every pixel from its neighbour, a way after the other of STEPS, over the mean of it (Rother, Kolmogorov,
    Blake: GrabCut, 2004); 0 where there is none. `noise`: what it must be over at least."""
    h, w = picture.shape[:2]
    out = []
    for dy, dx, _, _ in STEPS:
        step = np.zeros((h, w), np.float32)
        there, here = picture[dy:, max(dx, 0) : w + min(dx, 0)], picture[: h - dy, max(-dx, 0) : w - max(dx, 0)]
        step[: h - dy, max(-dx, 0) : w - max(dx, 0)] = ((there - here) ** 2).sum(axis=2)
        out.append(step)
    usual = max(float(np.mean([s.mean() for s in out])), noise**2)
    return [s / usual for s in out]
