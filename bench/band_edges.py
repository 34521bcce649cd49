"""The soft edge in a band about a drawn shape: taken from a difference matte over the empty frame by Join mattes, beside the best feather of the shape.

python bench/band_edges.py [--frames N]

SAD a frame (thousands) within 12 px of the shape's outline, which runs smoothly through the hair; the feather is the best of 49, chosen with the truth.
`hard` looks at those parts of the band alone whose true edge is no wider than two pixels. The pane of glass is left out.
"""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

import cv2
import numpy as np

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "tests" / "support"))
import awaytakes as at

from transmixis.core.matte.away import learn_away, take_away
from transmixis.core.matte.combine import Joined, feathered, joined_mattes
from transmixis.core.matte.edges import shrink_matte

BAND = 12  # px
SIZE = (270, 480)
WIDTHS = (0.0, 1.0, 2.0, 3.0, 5.0, 8.0, 12.0)


def main() -> None:
    """Print one line a take and the mean."""
    args = argparse.ArgumentParser()
    args.add_argument("--frames", type=int, default=4)
    a = args.parse_args()
    print(f"{'take':8} {'feather':>8} {'joined':>8} {'ratio':>6} {'hard, feather':>14} {'joined':>8}")
    total = np.zeros(4)
    for name in at.TAKES:
        row = _told(at.away_take(name, a.frames, SIZE))
        print(f"{name:8} {row[0]:8.2f} {row[1]:8.2f} {row[1] / row[0]:6.2f} {row[2]:14.3f} {row[3]:8.3f}")
        total += row
    print(f"all: {total[1] / total[0]:.2f}, hard edges {total[3] / total[2]:.2f}")


def _told(take: at.AwayTake) -> np.ndarray:
    model = learn_away(list(take.plate), take.empty)
    feather, ours, hard, joined_hard = np.zeros((len(WIDTHS), len(WIDTHS))), 0.0, np.zeros((len(WIDTHS), len(WIDTHS))), 0.0
    for frame, truth in zip(take.plate, take.alpha, strict=True):
        shape = (cv2.GaussianBlur(truth, (0, 0), 4) > 0.5).astype(np.float32)
        band, firm = _band(shape), None
        band[:, : truth.shape[1] // 3] = False  # the pane stands there
        firm = band & _firm(truth)
        for i, inside in enumerate(WIDTHS):
            for j, outside in enumerate(WIDTHS):
                off = np.abs(feathered(shape, inside, outside) - truth)
                feather[i, j] += off[band].sum()
                hard[i, j] += off[firm].sum()
        around = Joined(within=(shrink_matte(shape, -BAND),), cores=(shape,), inset=BAND)
        off = np.abs(joined_mattes(take_away(frame, model).alpha, around) - truth)
        ours += off[band].sum()
        joined_hard += off[firm].sum()
    best = np.unravel_index(feather.argmin(), feather.shape)
    return np.array([feather[best], ours, hard[best], joined_hard]) / 1000 / len(take.plate)


def _band(shape: np.ndarray) -> np.ndarray:
    mask = shape.astype(np.uint8)
    return (
        np.minimum(cv2.distanceTransform(mask, cv2.DIST_L2, 5), BAND + 1)
        + np.minimum(cv2.distanceTransform(1 - mask, cv2.DIST_L2, 5), BAND + 1)
        <= BAND
    )


def _firm(truth: np.ndarray) -> np.ndarray:
    """Within 3 px of an edge that falls from solid to nothing over two pixels, and far from anything softer."""
    soft = ((truth > 0.02) & (truth < 0.98)).astype(np.uint8)
    broad = cv2.morphologyEx(soft, cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
    thin = cv2.morphologyEx((truth > 0.5).astype(np.uint8), cv2.MORPH_TOPHAT, np.ones((9, 9), np.uint8))
    near = cv2.dilate(soft, np.ones((7, 7), np.uint8)) > 0
    return near & (cv2.dilate(broad | thin, np.ones((15, 15), np.uint8)) == 0)


if __name__ == "__main__":
    main()
