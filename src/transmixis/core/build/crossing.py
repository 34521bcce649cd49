"""One picture going over into another without losing what a dissolve loses: by bands of detail, each as strong as both were, or along the way between them."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np

from transmixis.core.types import Array

BANDS, FLOW, PLAIN = "bands", "flow", "plain"
WAYS = (BANDS, FLOW)
SMALLEST = 12  # px: what is coarser is one picture
LOCAL = 3.0  # times a band's size over which its strength is compared
MOST = 1.9  # times that a band is made stronger at most: two pictures of nothing in common come to 1.41
TURNS, FINE = 4, 1.5  # px: detail is what is finer
LEAST_FLOW = 12  # px of a side, under which flow tells nothing
LITTLE = 1e-6  # of the code's variance


def crossed(one: Array, other: Array, share: float, way: str = BANDS) -> Array:
    """`one` going over into the `other`, both (h, w, c) float32 codes, 0 black; `share` 0..1 of the other. Nothing comes out darker than black or brighter than both."""
    if way == FLOW:
        return _carried(one, other, share)
    if way == BANDS:
        return _by_bands(one, other, share)
    return np.asarray((1 - share) * one + share * other, np.float32)


def _by_bands(one: Array, other: Array, share: float) -> Array:
    """Blended band by band, each as strong at every place as the weighted pair is there; then as contrasty as a whole."""
    a, b = _parted(one), _parted(other)
    out: Array = np.asarray((1 - share) * a[-1] + share * b[-1], np.float32)
    for p, q in zip(a[-2::-1], b[-2::-1], strict=True):
        up = cv2.pyrUp(out, dstsize=(p.shape[1], p.shape[0]))
        out = np.asarray(up.reshape(p.shape) + _strong(p, q, share), np.float32)
    return _as_contrasty(out, one, other, share)


def _parted(picture: Array) -> list[Array]:
    """Its bands, from fine to coarse, the rest last (Burt & Adelson, 1983)."""
    out, now = [], np.ascontiguousarray(picture, np.float32)
    while min(now.shape[:2]) >= 2 * SMALLEST:
        small = cv2.pyrDown(now)
        small = small if small.ndim == 3 else small[..., None]
        up = cv2.pyrUp(small, dstsize=(now.shape[1], now.shape[0]))
        out.append(now - (up if up.ndim == 3 else up[..., None]))
        now = np.asarray(small, np.float32)
    return [*out, now]


def _strong(p: Array, q: Array, share: float) -> Array:
    """The blend of two bands, as strong as both by their shares."""
    mixed = np.asarray((1 - share) * p + share * q, np.float32)

    def strength(x: Array) -> Array:
        return np.asarray(cv2.GaussianBlur((x * x).sum(axis=2), (0, 0), LOCAL))

    want, have = (1 - share) * strength(p) + share * strength(q), strength(mixed)
    return np.asarray(mixed * np.clip(np.sqrt(want / np.maximum(have, LITTLE**2)), 1, MOST)[..., None], np.float32)


def _as_contrasty(out: Array, one: Array, other: Array, share: float) -> Array:
    """The same with the detail and the deviation of the weighted pair: what would be darker than black is cut, so it is done in turns."""

    def wanted(measure: Callable[[Array], float]) -> float:
        return (1 - share) * measure(one) + share * measure(other)

    top = np.maximum(one.max(axis=(0, 1)), other.max(axis=(0, 1)))
    out = np.clip(out, 0, top)
    sharp, broad = wanted(lambda x: float(_fine(x).std())), wanted(lambda x: float(x.std()))
    for _ in range(TURNS):
        fine = _fine(out)
        out = np.clip(out + fine * (_times(sharp, float(fine.std())) - 1), 0, top)
        mean = out.mean(axis=(0, 1))
        out = np.clip(mean + (out - mean) * _times(broad, float(out.std())), 0, top)
    return np.asarray(out, np.float32)


def _times(want: float, have: float) -> float:
    return float(np.clip(want / have, 0.8, 1.3)) if have > LITTLE else 1.0


def _fine(x: Array) -> Array:
    """What is finer than a few pixels."""
    return np.asarray(x - cv2.GaussianBlur(x, (0, 0), FINE).reshape(x.shape))


def _carried(one: Array, other: Array, share: float) -> Array:
    """Both carried towards each other along the flow between them, then blended and made as contrasty as the pair."""
    if max(one.shape[:2]) < LEAST_FLOW:
        return _by_bands(one, other, share)
    grey = [(np.clip(p[..., :3].mean(axis=2), 0, 1) * 255).astype(np.uint8) for p in (one, other)]
    dis = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
    there, back = (np.asarray(dis.calc(p, q, None)) for p, q in (grey, grey[::-1]))  # type: ignore[call-overload]
    a, b = _moved(one, -share * _settled(there, share)), _moved(other, -(1 - share) * _settled(back, 1 - share))
    return _as_contrasty(np.asarray((1 - share) * a + share * b, np.float32), one, other, share)


def _settled(flow: Array, share: float) -> Array:
    """The flow as it stands at the places that it leads to, looked up where it came from."""
    out = np.array(flow)
    for _ in range(3):
        out = _moved(flow, -share * out)
    return out


def _moved(picture: Array, by: Array) -> Array:
    """A picture looked up `by` (h, w, 2) px aside."""
    h, w = picture.shape[:2]
    x, y = np.meshgrid(np.arange(w, dtype=np.float32), np.arange(h, dtype=np.float32))
    out = cv2.remap(picture, x + by[..., 0], y + by[..., 1], cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(out if out.ndim == picture.ndim else out[..., None])
