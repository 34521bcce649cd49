"""What is read from one frame of a plate, kept small so that a whole clip's can be held: the raw material of a survey.

A frame's scan depends on itself, on the frame before it and on the reference frame only, so scans can be made in any order,
kept on disk and taken up again.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from transmixis.core.colour.curves import linear_to_srgb
from transmixis.core.errors import UserError
from transmixis.core.motion.align import align
from transmixis.core.motion.backdrop import Backdrop, backdrop_of
from transmixis.core.motion.camera import Anchor, Followed, Move, anchor_of, follow
from transmixis.core.motion.coding import coded_luma, grey_from_luma
from transmixis.core.survey.blur import spectrum
from transmixis.core.types import Array

THUMB = 128  # px across the small linear picture that exposure, flashes and intruders are read from
BLOCK = 16  # px: side of the blocks that change from frame to frame is read in
LEAST_SIDE = 16  # px
STEP_POINTS = 200  # corners followed from the frame before
COMB_LEVELS = 8  # how far every second line must stand out to count as combed
BLACK = 0.0006  # linear: two 8-bit steps of the sRGB curve; at or below it nothing is left to lift
Scan = dict[str, Array]

_CURVE = linear_to_srgb(np.linspace(0, 1, 4097, dtype=np.float32)).astype(np.float32)
_LAPLACE = np.array([[0, 1, 0], [1, -4, 1], [0, 1, 0]], np.float32)
_SECOND = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32)
LAPLACE_NOISE = 20.0  # what white noise of variance 1 adds to the variance of the Laplacian


@dataclass(frozen=True)
class Prepared:
    """A frame made ready: linear picture, 8-bit luma, tracking picture and (made when asked for) its corners."""

    linear: Array
    luma: Array
    grey: Array
    backdrop: Backdrop | None = None  # of a plate with a screen


def prepare(linear: Array) -> Prepared:
    """Ready a linear (h, w, 3 or 4) frame for scanning. Raises UserError for one too small to measure."""
    if min(linear.shape[:2]) < LEAST_SIDE:
        size = f"{linear.shape[1]} x {linear.shape[0]}"
        raise UserError(f"The frame is {size}; a survey needs at least {LEAST_SIDE} px each way.")
    flat = np.ascontiguousarray(linear[..., :3])
    code = coded_luma(flat)
    return Prepared(flat, np.asarray(cv2.convertScaleAbs(code, alpha=255.0)), grey_from_luma(code), backdrop_of(flat))


def scan_frame(frame: Prepared, before: Prepared | None, reference: Anchor | None) -> Scan:
    """Read one frame. `before` is None for the first frame or after a missing one; `reference` None for the reference itself."""
    luma = frame.luma
    noise, detail = _noise_and_detail(luma)
    out: Scan = {
        "thumb": _thumb(frame.linear).astype(np.float16),  # 0.0007 stops a pixel at most, far less in a mean
        "levels": np.array([*_clipped(frame.linear), noise, detail, combed_share(luma)], np.float32),
        "spectrum": spectrum(luma).astype(np.float16),
        "size": np.array(luma.shape, np.int32),
    }
    found = Followed(Move(points=0), np.zeros(3))
    if reference is not None:
        found = _against(reference, frame)
    out["shift"], out["rival"] = _as_row(found.move), found.rival
    out["by"] = np.array("screen" if (reference or frame).backdrop is not None else "scene")
    if before is not None:
        out.update(_step(before, frame, screen=reference is not None and reference.backdrop is not None))
        out["change"] = _change(before.luma, luma)
    return out


def _against(reference: Anchor, frame: Prepared) -> Followed:
    """Motion against the reference: where that is a plate with a screen, of the screen and its marks; else of what most of the
    frame, its edges before all, shares."""
    if reference.backdrop is None:
        return follow(reference, frame.grey)
    if frame.backdrop is None:
        return Followed(Move(reason="the screen is not seen in this frame"), np.zeros(3))
    return Followed(align(reference.backdrop, frame.backdrop), np.zeros(3))


def absent(reason: str) -> Scan:
    """The scan of a frame that cannot be read."""
    return {"absent": np.array(reason)}


def is_absent(scan: Scan) -> bool:
    return "absent" in scan


def move_of(row: Array) -> Move:
    """A move kept as a row; not measured if its error is not a number."""
    x, y, turn, grow, error, points = (float(v) for v in row)
    return Move(x, y, turn, grow, error, int(points)) if np.isfinite(error) else Move(reason="not measured", points=int(points))


def _as_row(m: Move) -> Array:
    return np.array([m.x, m.y, m.turn, m.grow, m.error if m else np.nan, m.points], np.float64)


def _thumb(linear: Array) -> Array:
    h, w = linear.shape[:2]
    size = (THUMB, max(2, round(THUMB * h / w))) if w >= THUMB else (w, h)
    return np.asarray(cv2.resize(linear, size, interpolation=cv2.INTER_AREA), np.float32)


def _clipped(linear: Array) -> tuple[float, float]:
    """Shares of the pixels whose brightest channel lies at white, and whose darkest lies at black.

    A recording may clip below full code, so white is the brightest level met, where clearly more pixels pile up than in the
    steps below it.
    """
    r, g, b = (linear[::2, ::2, c] for c in range(3))
    top, low = np.maximum(np.maximum(r, g), b), np.minimum(np.minimum(r, g), b)
    return _piled(_CURVE[(np.clip(top, 0, 1) * 4096).astype(np.uint16)]), float((low <= BLACK).mean())


def _piled(code: Array) -> float:
    counts = np.bincount(np.clip(code * 255 + 0.5, 0, 255).astype(np.uint8).ravel(), minlength=256)
    highest = int(np.flatnonzero(counts)[-1])
    pile, below = counts[highest] + counts[max(0, highest - 1)], counts[max(0, highest - 9) : max(1, highest - 1)].mean()
    if highest < 200 or pile < 4 * below:
        return float(counts[254:].sum() / code.size)
    return float(pile / code.size)


def _noise_and_detail(luma: Array) -> tuple[float, float]:
    """Standard deviation of the noise in 8-bit levels (Immerkær, 1996, on the smoother half), and the variance of the
    Laplacian less what that noise adds to it (Pech-Pacheco et al., 2000)."""
    small = luma.astype(np.float32)
    high = np.abs(cv2.filter2D(small, -1, _SECOND))[2:-2:3, 2:-2:2]
    slope = cv2.boxFilter(np.abs(cv2.Sobel(small, -1, 1, 0, ksize=3)), -1, (9, 9))[2:-2:3, 2:-2:2]
    smooth = slope <= np.median(slope)
    noise = 1.4826 * _median_of_whole(high[smooth]) / 6.0 if smooth.any() else 0.0
    detail = float(cv2.meanStdDev(cv2.filter2D(small, -1, _LAPLACE))[1][0, 0]) ** 2
    return noise, max(0.0, detail - LAPLACE_NOISE * noise**2)


def _median_of_whole(values: Array) -> float:
    """Median of whole numbers from 0 on, each standing for the span of one about it: little noise would else be read by whole steps."""
    counts = np.bincount(values.astype(np.int32).ravel())
    upto = np.cumsum(counts)
    k, half = int(np.searchsorted(upto, upto[-1] / 2)), float(upto[-1]) / 2
    below = float(upto[k] - counts[k])
    return 0.0 if k == 0 else k - 0.5 + (half - below) / float(counts[k])  # most of it exactly nought: drawn, not filmed


def combed_share(luma: Array) -> float:
    """Share (%) of the picture where every second line stands out from both its neighbours, as between two fields in motion,
    less the share that does so along the lines (fine texture stands out both ways)."""
    v = _standing_out(luma[:, ::2])
    return max(0.0, 100 * (v - _standing_out(luma[::2].T)))


def _standing_out(x: Array) -> float:
    a = x.astype(np.int16)
    up, down = a[:-2] - a[1:-1], a[2:] - a[1:-1]
    out = (np.minimum(np.abs(up), np.abs(down)) > COMB_LEVELS) & ((up > 0) == (down > 0))
    out &= np.abs(a[2:] - a[:-2]) < COMB_LEVELS
    # a single line may be texture; a comb has many teeth one below the other
    return float((out[:-2] & out[2:]).mean()) if len(out) > 2 else 0.0


def _step(before: Prepared, frame: Prepared, *, screen: bool) -> Scan:
    """Motion since the frame before, and what moves by itself (x, y px, share of the points). `screen`: the plate has one."""
    anchor = anchor_of(before.grey, points=STEP_POINTS)
    if not screen:
        found = follow(anchor, frame.grey)
    else:
        both = before.backdrop is not None and frame.backdrop is not None
        move = align(before.backdrop, frame.backdrop) if both else Move(reason="no screen is seen")  # type: ignore[arg-type]
        found = follow(anchor, frame.grey, known=move)
    return {"step": _as_row(found.move), "movers": found.others}


def _change(a: Array, b: Array) -> Array:
    """Mean absolute difference of the luma in blocks, levels; float16 (h/16, w/16)."""
    h, w = a.shape
    size = (max(1, w // BLOCK), max(1, h // BLOCK))
    return np.asarray(cv2.resize(cv2.absdiff(a, b).astype(np.float32), size, interpolation=cv2.INTER_AREA), np.float16)
