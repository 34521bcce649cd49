"""The frame between two: both carried along their motion to its moment. Flow is laid where it leads (splatting: Niklaus & Liu, 2020), what is seen in both frames before what is about to be
covered, so that what one frame alone shows comes from that frame, and near things go before far ones."""

from __future__ import annotations

import cv2
import numpy as np
from numba import njit

from transmixis.core.colour.curves import LUMA, linear_to_srgb
from transmixis.core.types import Array

LEAST_FLOW = 12  # px of a side, under which flow tells nothing
SHARP = 12.0  # how decidedly what agrees goes before what does not, for each 0.1 of the code
BEST = 3.0  # the same between the two frames
ALIKE = 0.015  # of the code: so much both are off by resampling alone
LEAST = 0.05  # of a pixel that must lie at a place for it to be known
HOLES = 5  # px: holes up to that wide are filled from about them


def between(a: Array, b: Array, share: float) -> Array:
    """The frame `share` 0..1 of the way from `a` to `b`, (h, w, c) linear."""
    return Pair(a, b).at(share)


class Pair:
    """Two frames and the flow between them, from which frames in between are made. `there` and `back` (h, w, 2) px are where it is looked for, if that is known."""

    def __init__(self, a: Array, b: Array, there: Array | None = None, back: Array | None = None) -> None:
        self.a, self.b = (np.ascontiguousarray(p, np.float32) for p in (a, b))
        codes = [linear_to_srgb(np.clip(p[..., :3], 0, 1)).astype(np.float32) for p in (self.a, self.b)]
        grey = [_grey(p) for p in (self.a, self.b)]
        self.there, self.back = _flow(grey[0], grey[1], there), _flow(grey[1], grey[0], back)
        self.off_a, self.off_b = _off(codes[0], codes[1], self.there), _off(codes[1], codes[0], self.back)

    def at(self, share: float) -> Array:
        """The frame `share` of the way."""
        from_a, sure_a, known_a = _carried(self.a, self.there, self.off_a, share)
        from_b, sure_b, known_b = _carried(self.b, self.back, self.off_b, 1 - share)
        wa = (1 - share) * known_a * np.exp(-BEST * 10 * np.maximum(sure_a - ALIKE, 0)) + 1e-6 * (1 - share)
        wb = share * known_b * np.exp(-BEST * 10 * np.maximum(sure_b - ALIKE, 0)) + 1e-6 * share
        total = np.maximum(wa + wb, 1e-12)
        out = (from_a * wa[..., None] + from_b * wb[..., None]) / total[..., None]
        return np.asarray(np.maximum(out, 0), np.float32)

    def first_carried(self, picture: Array, share: float) -> Array:
        """A picture that lies as the first frame does, `share` of the way to where the second one has it."""
        return _carried(np.ascontiguousarray(picture, np.float32), self.there, self.off_a, share)[0]

    def second_carried(self, picture: Array, share: float) -> Array:
        """One that lies as the second does, `share` of the way to where the first has it."""
        return _carried(np.ascontiguousarray(picture, np.float32), self.back, self.off_b, share)[0]


def flow_between(a: Array, b: Array) -> Array:
    """(h, w, 2) px: where in b lies what a shows, both (h, w, c) linear."""
    return _flow(_grey(a), _grey(b))


def _grey(p: Array) -> Array:
    """(h, w) 8 bit, as bright as it looks."""
    return np.asarray(cv2.convertScaleAbs(np.clip(p[..., :3] @ LUMA, 0, 1) ** (1 / 2.2), alpha=255.0))


def looked_up(picture: Array, flow: Array) -> Array:
    """A picture (h, w, c) looked up along a flow."""
    return _looked_up(np.ascontiguousarray(picture, np.float32), flow)


def _flow(one: Array, other: Array, start: Array | None = None) -> Array:
    """(h, w, 2) px: where in the other lies what one shows (Kroeger et al., 2016), to the finest; found about `start`, where it is given."""
    if max(one.shape) < LEAST_FLOW:
        return np.zeros((*one.shape, 2), np.float32) if start is None else start
    dis = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
    dis.setFinestScale(0)
    dis.setVariationalRefinementIterations(8)
    if start is None:
        return np.asarray(dis.calc(one, other, None), np.float32)  # type: ignore[call-overload]
    near = _looked_up(other[..., None].astype(np.float32), start)[..., 0]
    rest = np.asarray(dis.calc(one, np.clip(near, 0, 255).astype(np.uint8), None), np.float32)  # type: ignore[call-overload]
    return np.asarray(_looked_up(np.ascontiguousarray(start), rest) + rest, np.float32)


def _off(one: Array, other: Array, flow: Array) -> Array:
    """(h, w) how far the other is off what one shows, along the flow; codes."""
    return np.asarray(cv2.GaussianBlur(np.abs(_looked_up(other, flow) - one).mean(axis=2), (0, 0), 1.0))


def _looked_up(picture: Array, flow: Array) -> Array:
    h, w = flow.shape[:2]
    x, y = np.meshgrid(np.arange(w, dtype=np.float32), np.arange(h, dtype=np.float32))
    out = cv2.remap(picture, x + flow[..., 0], y + flow[..., 1], cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(out if out.ndim == 3 else out[..., None])


def _carried(picture: Array, flow: Array, off: Array, share: float) -> tuple[Array, Array, Array]:
    """A picture `share` of the way along its flow; how far off (h, w) what lies at each place is, and 0..1 whether anything does."""
    h, w = off.shape
    total, weight, raw = np.zeros((h, w, 3), np.float32), np.zeros((h, w), np.float32), np.zeros((h, w), np.float32)
    _splat(flow, off, np.exp(-SHARP * 10 * off).astype(np.float32) + 1e-5, np.float32(share), total, weight, raw)
    known = raw > LEAST
    laid = total / np.maximum(weight, 1e-12)[..., None]
    laid = _filled(laid, known)
    out = _looked_up(picture, np.ascontiguousarray(-share * laid[..., :2]))
    return out, laid[..., 2], np.clip(raw, 0, 1) * known


def _filled(laid: Array, known: Array) -> Array:
    """What no flow leads to goes on from about it."""
    if known.all():
        return np.asarray(laid)
    weight = known.astype(np.float32)
    out = np.where(known[..., None], laid, 0)
    for size in (HOLES, 4 * HOLES, 16 * HOLES):
        part = cv2.GaussianBlur(weight, (0, 0), size / 2)
        soft = (
            cv2.GaussianBlur(np.ascontiguousarray(np.where(known[..., None], laid, 0)), (0, 0), size / 2)
            / np.maximum(part, 1e-6)[..., None]
        )
        empty = (weight <= 0) & (part > 0.01) & (np.abs(out).sum(axis=2) == 0)
        out = np.where(empty[..., None], soft, out)
    return np.asarray(out, np.float32)


@njit(cache=True, nogil=True)
def _splat(flow, off, importance, share, total, weight, raw):  # type: ignore[no-untyped-def]
    h, w = off.shape
    for y in range(h):
        for x in range(w):
            fx, fy = flow[y, x, 0], flow[y, x, 1]
            px, py = x + share * fx, y + share * fy
            i, j = int(np.floor(px)), int(np.floor(py))
            for n in range(2):
                for m in range(2):
                    u, v = i + m, j + n
                    if u < 0 or v < 0 or u >= w or v >= h:
                        continue
                    part = (1 - abs(px - u)) * (1 - abs(py - v))
                    k = part * importance[y, x]
                    total[v, u, 0] += k * fx
                    total[v, u, 1] += k * fy
                    total[v, u, 2] += k * off[y, x]
                    weight[v, u] += k
                    raw[v, u] += part
