"""Cutting out by strokes on made clips, beside OpenCV's GrabCut given the same strokes: two strokes, then one more where it is most wrong; and the
truth of the first frame carried on until it stops by itself.

python bench/strokes.py [NAME ...]

J is the overlap of the regions, F that of their borders within 0.8 % of the diagonal, both as defined by Perazzi et al., A Benchmark Dataset and Evaluation
Methodology for Video Object Segmentation, 2016. GrabCut is given the better of its two beginnings (unknown as probably kept, or left) for each clip.
"""

from __future__ import annotations

import sys
from concurrent.futures import ProcessPoolExecutor
from itertools import pairwise
from pathlib import Path

import cv2
import numpy as np

sys.path.insert(0, str(Path(__file__).parent.parent / "tests" / "support"))
from rotoclips import SIZE, RotoClip, clip_named, names

from transmixis.core.colour.curves import linear_to_srgb
from transmixis.core.matte.error import border_match, overlap
from transmixis.core.matte.onward import begun, carried_on, why_stopped
from transmixis.core.matte.strokes import Cutting, Strokes, cut_by_strokes
from transmixis.core.roto.cover import covered

FRAME = 12  # counted from 0: where the clips' difficulties have begun
CORRECTIONS = 6
FAR = 24
WIDTH = 6.0


def truth_of(clip: RotoClip, n: int) -> np.ndarray:
    """What is to be seen of the thing (h, w) bool."""
    mask = covered(clip.truth[n], *SIZE) > 0.5
    front = clip.front[n]
    return mask if front is None else mask & (covered(front, *SIZE) < 0.5)


def middle_line(region: np.ndarray) -> np.ndarray:
    """A line along the middle of a region: its deepest places from one end to the other, as a hand would draw it. (n, 2) px."""
    deep = cv2.distanceTransform(np.pad(region, 1).astype(np.uint8), cv2.DIST_L2, 5)[1:-1, 1:-1]
    ys, xs = np.nonzero(deep >= 0.5 * deep.max())
    p = np.stack([xs, ys], 1).astype(float)
    axis = np.linalg.svd(p - p.mean(axis=0), full_matrices=False)[2][0] if len(p) > 2 else np.array([1.0, 0])
    along = (p - p.mean(axis=0)) @ axis
    bins = np.linspace(along.min(), along.max() + 1e-6, 6)
    line = []
    for a, b in pairwise(bins):
        own = (along >= a) & (along <= b)
        if own.any():
            line.append(p[own][np.argmax(deep[ys[own], xs[own]])])
    return np.array(line) + 0.5


def outside_line(mask: np.ndarray) -> np.ndarray:
    """A line beside the thing, 25 px off, along half of it. (n, 2) px."""
    far = cv2.dilate(mask.astype(np.uint8), cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (51, 51)))
    contour = max(cv2.findContours(far, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)[0], key=len)[:, 0]
    inside = ((contour > 3) & (contour < np.array(SIZE[::-1]) - 4)).all(axis=1)
    contour = contour[inside]
    return contour[: len(contour) // 2 : 8].astype(float) + 0.5


def within(line: np.ndarray, region: np.ndarray) -> np.ndarray:
    """The beginning of a line up to where it would leave the region, which a hand would not cross."""
    for k in range(1, len(line)):
        p = line[k - 1] + np.linspace(0, 1, 40)[:, None] * (line[k] - line[k - 1]) - 0.5
        if not region[np.round(p[:, 1]).astype(int), np.round(p[:, 0]).astype(int)].all():
            return line[:k]
    return line


def most_wrong(mask: np.ndarray, truth: np.ndarray) -> tuple[np.ndarray, bool]:
    """A stroke in the largest wrong place, and whether it is one of keep."""
    best = None
    for wrong, keep in ((truth & ~mask, True), (mask & ~truth, False)):
        count, labels, stats, _ = cv2.connectedComponentsWithStats(wrong.astype(np.uint8), connectivity=4)
        for i in range(1, count):
            area = stats[i, cv2.CC_STAT_AREA]
            if best is None or area > best[0]:
                best = (area, labels == i, keep)
    assert best is not None
    return within(middle_line(best[1]), best[1]), best[2]


def grabbed(levels: np.ndarray, strokes: Strokes, unknown: int) -> np.ndarray:
    """OpenCV's GrabCut by the same strokes."""
    state = np.full(levels.shape[:2], unknown, np.uint8)
    for lines, value in ((strokes.leave, cv2.GC_BGD), (strokes.keep, cv2.GC_FGD)):
        for line in lines:
            cv2.polylines(state, [np.round(line - 0.5).astype(np.int32)], False, int(value), round(strokes.width))
    cv2.setRNGSeed(1)
    cv2.grabCut(levels, state, None, np.zeros((1, 65)), np.zeros((1, 65)), 5, cv2.GC_INIT_WITH_MASK)
    return (state == cv2.GC_FGD) | (state == cv2.GC_PR_FGD)


def worked(clip: RotoClip, how: str) -> list[tuple[float, float]]:
    """J and F after two strokes and after each correction."""
    frame, truth = clip.frames[FRAME], truth_of(clip, FRAME)
    levels = np.ascontiguousarray((np.clip(linear_to_srgb(np.clip(frame, 0, 1)), 0, 1) * 255).astype(np.uint8)[..., ::-1])
    keep, leave = [middle_line(truth)], [outside_line(truth)]
    out = []
    for _ in range(CORRECTIONS + 1):
        strokes = Strokes(keep, leave, WIDTH)
        if how == "ours":
            mask = cut_by_strokes(frame, strokes).mask
        else:
            mask = grabbed(levels, strokes, int(cv2.GC_PR_FGD if how == "kept" else cv2.GC_PR_BGD))
        out.append((overlap(mask, truth), border_match(mask, truth)))
        if (mask != truth).any():
            line, is_keep = most_wrong(mask, truth)
            (keep if is_keep else leave).append(line)
    return out


def carried(name: str) -> tuple[str, list[float], str]:
    """J of every frame that the truth of the first one is carried to (at most FAR), and why it stopped."""
    clip = clip_named(name)
    mask = truth_of(clip, 0)
    first = at = begun(clip.frames[0], Cutting(mask, mask.astype(np.float32)))
    out: list[float] = []
    for n in range(1, FAR + 1):
        new = carried_on(clip.frames[n - 1], clip.frames[n], at)
        why = why_stopped(first.contrast, at, new)
        if why or new is None:
            return name, out, why
        out.append(overlap(new.mask, truth_of(clip, n)))
        at = new
    return name, out, ""


def told(name: str) -> tuple[str, dict[str, list[tuple[float, float]]]]:
    clip = clip_named(name)
    return name, {how: worked(clip, how) for how in ("ours", "kept", "left")}


def main() -> None:
    """A line a clip and way, then the means."""
    chosen = sys.argv[1:] or names()
    with ProcessPoolExecutor(2) as pool:
        rows = dict(pool.map(told, chosen))
        onward = list(pool.map(carried, chosen))
    sums: dict[str, np.ndarray] = {}
    for name, ways in rows.items():
        best = max(("kept", "left"), key=lambda h: np.mean(ways[h]))
        for label, how in (("strokes", "ours"), ("GrabCut", best)):
            values = np.array(ways[how])
            sums[label] = sums.get(label, 0) + values / len(rows)
            print(
                f"{name:12} {label:8} J "
                + " ".join(f"{v:.3f}" for v in values[:, 0])
                + "  F "
                + " ".join(f"{v:.2f}" for v in values[:, 1])
            )
    for label, values in sums.items():
        print(
            f"{'mean':12} {label:8} J "
            + " ".join(f"{v:.3f}" for v in values[:, 0])
            + "  F "
            + " ".join(f"{v:.2f}" for v in values[:, 1])
        )
    for name, values, why in onward:
        print(f"{name:12} carried  J " + " ".join(f"{v:.3f}" for v in values) + f"  {why}")


if __name__ == "__main__":
    main()
