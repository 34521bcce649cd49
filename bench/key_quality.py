"""Quality of the key on made plates with known alpha, beside three plain ways. No setting is made by hand.

python bench/key_quality.py [--frames N] [--size WxH] [--seed S]

The frames are written as 8-bit PNG, keyed by `transmixis key`, and its files are read back and scored.
"""

from __future__ import annotations

import argparse
import sys
import tempfile
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "tests" / "support"))
import curlplates as cp
import keyplates as kp
import plainkeys as plain

from transmixis.core.progress import Progress
from transmixis.media.still import read_coded, write_still
from transmixis.shot.keyjob import KeyJob, run_key


def keyed_by_files(p: kp.MadePlate, folder: Path, *, with_clean: bool) -> plain.Mattes:
    """Write the plate, key it as the command line does, read the result."""
    plates = folder / "plates"
    plates.mkdir(parents=True)
    for i, code in enumerate(p.code):
        write_still(plates / f"{i:04d}.png", kp.srgb_decode(code / np.float32(255)), kind="uint8")
    write_still(folder / "clean.png", p.clean, kind="uint8")
    job = KeyJob(plates / "0000.png", clean=folder / "clean.png" if with_clean else None)
    run_key(job, folder / "out", Progress())
    alphas = [read_coded(folder / "out" / f"matte.{i:04d}.exr")[..., 0] for i in range(len(p.code))]
    fores = [read_coded(folder / "out" / f"foreground.{i:04d}.exr")[..., :3] for i in range(len(p.code))]
    return alphas, fores


def main() -> None:
    """Print one table a plate."""
    args = argparse.ArgumentParser()
    args.add_argument("--frames", type=int, default=6)
    args.add_argument("--size", default="640x360")
    args.add_argument("--seed", type=int, default=3)
    a = args.parse_args()
    w, h = (int(v) for v in a.size.split("x"))
    for kind in ("green", "blue"):
        full = kp.make_plate(kind, a.frames, (h, w), a.seed)
        for name, p in ((f"{kind} 4:4:4", full), (f"{kind} 4:2:0", kp.as_420(full))):
            _table(name, p)
        curls = cp.curl_plate(kind, a.frames, (h, w), a.seed)
        for name, p in ((f"{kind}, curls 4:4:4", curls), (f"{kind}, curls 4:2:0", kp.as_420(curls))):
            _table(name, p)


def _table(name: str, p: kp.MadePlate) -> None:
    rows = {
        "(a) difference on codes": plain.scores(p, plain.difference_on_codes(p), coded=True),
        "(b) difference, empty frame": plain.scores(p, plain.difference_with_empty_frame(p)),
        "(c) KNN, trimap from truth": plain.scores(p, plain.knn_with_trimap(p)),
    }
    with tempfile.TemporaryDirectory() as t:
        rows["Transmixis, no empty frame"] = plain.scores(p, keyed_by_files(p, Path(t) / "a", with_clean=False))
        rows["Transmixis, --clean"] = plain.scores(p, keyed_by_files(p, Path(t) / "b", with_clean=True))
    print(f"\n{name}: {p.code.shape[2]} x {p.code.shape[1]}, {len(p.code)} frames")
    print(f"{'':30}{'SAD/1000':>9}{'MSE e-3':>9}{'gradient':>9}{'chatter':>9}{'PSNR dB':>9}")
    for label, s in rows.items():
        print(f"{label:30}{s['sad']:9.2f}{s['mse']:9.2f}{s['gradient']:9.1f}{s['chatter']:9.2f}{s['psnr']:9.2f}")
    ours, clean, first, second = rows["Transmixis, no empty frame"], rows["Transmixis, --clean"], *list(rows.values())[:2]
    print(f"without: SAD {ours['sad'] / first['sad']:.2f} x (a), {ours['psnr'] - first['psnr']:+.1f} dB", end="; ")
    print(f"with: SAD {clean['sad'] / second['sad']:.2f} x (b), {clean['psnr'] - second['psnr']:+.1f} dB")


if __name__ == "__main__":
    main()
