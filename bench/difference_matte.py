"""The difference matte on made takes with exact truth, beside a thresholded difference whose threshold is chosen with the truth.

python bench/difference_matte.py [--frames N] [--size WxH]

SAD a frame (thousands) of the matte and PSNR of the composite over another background; `pane` gives the SAD without the pane of glass, which
before a background without texture nothing tells from a solid one.
"""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "tests" / "support"))
import awaytakes as at
import keyplates as kp

from transmixis.core.matte.away import learn_away, take_away
from transmixis.core.matte.error import psnr, sad


def main() -> None:
    """Print one line a take and the mean."""
    args = argparse.ArgumentParser()
    args.add_argument("--frames", type=int, default=4)
    args.add_argument("--size", default="480x270")
    a = args.parse_args()
    w, h = (int(v) for v in a.size.split("x"))
    print(f"{'take':8} {'plain':>7} {'dB':>6} {'ours':>7} {'dB':>6} {'ratio':>6} {'without pane':>13}")
    whole = np.zeros(4)
    for name in at.TAKES:
        row = _told(at.away_take(name, a.frames, (h, w)), a.frames)
        print(f"{name:8} {row[0]:7.2f} {row[1]:6.1f} {row[2]:7.2f} {row[3]:6.1f} {row[2] / row[0]:6.2f} {row[5] / row[4]:13.2f}")
        whole += [row[0], row[2], row[4], row[5]]
    print(f"all: {whole[1] / whole[0]:.2f}, without pane {whole[3] / whole[2]:.2f}")


def _told(take: at.AwayTake, frames: int) -> tuple[float, ...]:
    """SAD and PSNR of the plain way and of ours, and both SADs without the pane."""
    plain = at.plain_difference(take)
    model = learn_away(list(take.plate), take.empty)
    found = [take_away(f, model) for f in take.plate]
    ours = np.stack([f.alpha for f in found])
    back = kp.background(*take.alpha.shape[1:])
    truth = [_over(p, m, back) for p, m in zip(take.premult, take.alpha, strict=True)]
    theirs = np.mean([psnr(_over(f * m[..., None], m, back), t) for f, m, t in zip(take.plate, plain, truth, strict=True)])
    mine = np.mean([psnr(_over(f.foreground, f.alpha, back), t) for f, t in zip(found, truth, strict=True)])
    rest = take.alpha.shape[2] // 3  # the pane stands in the left third
    scale = 1000 * frames
    return (
        sad(plain, take.alpha) / scale, float(theirs), sad(ours, take.alpha) / scale, float(mine),
        sad(plain[..., rest:], take.alpha[..., rest:]) / scale, sad(ours[..., rest:], take.alpha[..., rest:]) / scale,
    )  # fmt: skip


def _over(premultiplied: np.ndarray, alpha: np.ndarray, back: np.ndarray) -> np.ndarray:
    return kp.srgb_encode(premultiplied + (1 - alpha[..., None]) * back)


if __name__ == "__main__":
    main()
