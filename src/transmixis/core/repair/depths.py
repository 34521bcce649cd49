"""How things nearer and farther lie aside of one surface, told from all frames together: what one frame hides another shows, and a thing that stands still goes aside from frame to frame by
one number of its own, its depth, times what is the frame's, the way of its camera (Irani, 1999: such flows are of low rank). So what is hidden lies where its depth says, and is not bent
towards what happens to be seen beside it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from transmixis.core.motion.coding import coded_luma
from transmixis.core.repair.backing import Backing, carried_on, light_of
from transmixis.core.repair.intime import Look, sampled_at
from transmixis.core.repair.parallax import DOUBT, FARTHEST, FEW, FEW_PLACES, REACH, textured
from transmixis.core.repair.wind import Bridge, bridge_at, flow, grid_of, on_grid
from transmixis.core.types import Array, Mask

ROUNDS = 20
STEADY, SHALLOW = 0.5, 0.3  # frames' worth of doubt that a place is off by itself, and that it has a depth of its own
OFTEN = 4  # frames that must show a place
OFF = 0.3  # px: what flow errs by
RIGHT = 0.5  # px that the model may be off in the median; else it is not believed
BESIDE = 1.2  # cells over which a depth goes on where no frame tells it


@dataclass(frozen=True)
class Seen:
    """How a frame lies aside: `flow` (2, gh, gw) px of the anchor, from where a place is seen in the frame, laid over the anchor, to where it lies in the backing; and the `bridge` of where that is known."""

    flow: Array
    bridge: Bridge


def laid_aside(
    backing: Backing, matrices: Mapping[int, Array], look: Look, frames: Sequence[int], anchor: int
) -> dict[int, Array]:
    """For each of the `frames` that can tell, (2, gh, gw) px on the anchor's grid from where the backing's things would lie by `matrices` to where they do; empty where the depths cannot be told."""
    seen = {n: s for n in frames if (s := _seen(backing, matrices[n], look, n, anchor)) is not None}
    if len(seen) < OFTEN:
        return {}
    numbers = sorted(seen)
    values = np.stack([np.moveaxis(seen[n].flow, 0, -1).reshape(-1, 2) for n in numbers])
    known = np.stack([seen[n].bridge.known.ravel() for n in numbers])
    x, y = grid_of(backing.count.shape)
    told, off = told_together(values, known, np.stack([x.ravel(), y.ravel()], 1), x.shape)
    if off > RIGHT:
        return {}
    out = {}
    for k, n in enumerate(numbers):
        model = np.moveaxis(told[k].reshape(*x.shape, 2), -1, 0)
        whole = seen[n].bridge.over(seen[n].flow - model) + model
        out[n] = (whole * np.minimum(1, FARTHEST / np.maximum(np.hypot(*whole), 1e-6))).astype(np.float32)
    return out


def _seen(backing: Backing, matrix: Array, look: Look, n: int, anchor: int) -> Seen | None:
    h, w = backing.count.shape
    y, x = np.mgrid[0:h, 0:w]
    picture, gone = look(n)
    places = np.stack([x.ravel() + backing.left + 0.5, y.ravel() + backing.top + 0.5], 1)
    values, there = sampled_at(picture, gone, matrix, places)
    now, open_ = values.reshape(h, w, 3), there.reshape(h, w) & backing.known
    if open_.sum() < FEW:
        return None
    behind = carried_on(backing.picture, backing.known) * light_of(backing.picture, now, open_)
    luma = coded_luma(now)
    u = flow(coded_luma(behind), luma, open_.astype(np.float32), np.zeros((2, h, w), np.float32))
    over = bridge_at(~open_, textured(luma, open_), REACH, DOUBT)
    return Seen(on_grid(u), over) if over.known.sum() >= FEW_PLACES else None


def told_together(values: Array, known: Mask, places: Array, shape: tuple[int, ...]) -> tuple[Array, float]:
    """`values` (f, p, 2) px aside in f frames at p `places` (p, 2), on a grid of `shape`, where `known` (f, p). Gives (f, p, 2) at all of them, and by how much it is off what is known, px in the median."""
    middle, size = places.mean(axis=0), max(float(np.ptp(places)) / 2, 1.0)
    basis = np.column_stack([np.ones(len(places)), (places - middle) / size])
    count, spots = known.shape
    weight = known.astype(np.float64)
    own, depth = np.zeros((spots, 2)), np.zeros(spots)
    even, way = np.zeros((count, 3, 2)), np.zeros((count, 2))
    for k in range(count):
        even[k] = _evened(basis, values[k], weight[k])
    for round_ in range(ROUNDS):
        left = values - basis @ even
        if round_ == 0:
            depth, way = _first(left, weight)
        own, depth = _of_places(left, way, weight)
        own, depth = _gone_on(own, depth, weight.sum(axis=0), shape)
        depth = depth - basis @ np.linalg.lstsq(basis, depth, rcond=None)[0]
        even, way = _of_frames(values - own, basis, depth, weight)
        scale = float(np.sqrt((way**2).mean())) or 1.0
        way, depth = way / scale, depth * scale
        off = values - (basis @ even + own + depth[None, :, None] * way[:, None])
        weight = known / (1 + (off**2).sum(axis=2) / OFF**2)
    told = basis @ even + own + depth[None, :, None] * way[:, None]
    far = np.hypot(*np.moveaxis(values - told, -1, 0))[known]
    return told, float(np.median(far)) if len(far) else float("inf")


def _evened(basis: Array, values: Array, weight: Array) -> Array:
    root = np.sqrt(weight)[:, None]
    return np.asarray(np.linalg.lstsq(basis * root, values * root, rcond=None)[0])


def _first(left: Array, weight: Array) -> tuple[Array, Array]:
    """Depths (p,) and ways (f, 2) to begin with: the strongest direction of what is left."""
    count, spots = weight.shape
    mean = (left * weight[..., None]).sum(axis=0) / np.maximum(weight.sum(axis=0), 1)[:, None]
    flat = ((left - mean) * weight[..., None]).transpose(1, 0, 2).reshape(spots, 2 * count)
    a, s, b = np.linalg.svd(flat, full_matrices=False)
    way = b[0].reshape(count, 2)
    scale = float(np.sqrt((way**2).mean())) or 1.0
    return a[:, 0] * s[0] * scale, way / scale


def _of_places(left: Array, way: Array, weight: Array) -> tuple[Array, Array]:
    """What each place is off by itself (p, 2), and its depth (p,): least squares over the frames that show it."""
    n, wx, wy = weight.sum(axis=0), weight.T @ way[:, 0], weight.T @ way[:, 1]
    square = weight.T @ (way**2).sum(axis=1)
    sums = (left * weight[..., None]).sum(axis=0)
    along = (left * way[:, None] * weight[..., None]).sum(axis=(0, 2))
    normal = np.zeros((len(n), 3, 3))
    normal[:, 0, 0] = normal[:, 1, 1] = n + STEADY
    normal[:, 2, 2] = square + SHALLOW
    normal[:, 0, 2] = normal[:, 2, 0] = wx
    normal[:, 1, 2] = normal[:, 2, 1] = wy
    found = np.linalg.solve(normal, np.column_stack([sums, along])[..., None])[..., 0]
    return found[:, :2], found[:, 2]


def _gone_on(own: Array, depth: Array, often: Array, shape: tuple[int, ...]) -> tuple[Array, Array]:
    """The same, going on from their neighbours where few frames show them."""
    trust = np.clip(often / OFTEN, 0, 1).reshape(shape)
    if not (trust > 0).any():
        return own, depth
    every = np.column_stack([own, depth]).reshape(*shape, 3)
    total, part = np.zeros_like(every), np.zeros(shape)
    for sigma, share in ((BESIDE, 1.0), (3 * BESIDE, 1e-3), (12 * BESIDE, 1e-6)):  # the nearest that knows
        weight = cv2.GaussianBlur(trust, (0, 0), sigma) * share
        total += cv2.GaussianBlur(every * trust[..., None], (0, 0), sigma) * share
        part += weight
    beside = total / np.maximum(part, 1e-12)[..., None]
    out = trust[..., None] * every + (1 - trust[..., None]) * beside
    flat = out.reshape(-1, 3)
    return flat[:, :2], flat[:, 2]


def _of_frames(left: Array, basis: Array, depth: Array, weight: Array) -> tuple[Array, Array]:
    """How each frame lies evenly aside (f, 3, 2), and its camera's way (f, 2)."""
    terms = np.column_stack([basis, depth])
    even, way = np.zeros((len(weight), 3, 2)), np.zeros((len(weight), 2))
    doubt = np.diag([1e-6, 1e-6, 1e-6, 1e-3])
    for k, w in enumerate(weight):
        if w.sum() < FEW_PLACES / 2:
            continue
        found = np.linalg.solve(terms.T @ (terms * w[:, None]) + doubt, terms.T @ (left[k] * w[:, None]))
        even[k], way[k] = found[:3], found[3]
    return even, way
