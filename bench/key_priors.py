"""How much the key's prior weights matter: each one halved and doubled, on made plates with known alpha.

python bench/key_priors.py
"""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "tests" / "support"))
import keyplates as kp
import plainkeys as plain

from transmixis.core.matte import solve
from transmixis.core.matte.keyer import KeyModel, key_frame, learn_shot

NAMES = ("neutral weight", "neutral range", "opaque share", "cluster weight", "local weight", "neutral spread")


def scored(plates: list[tuple[kp.MadePlate, KeyModel]]) -> tuple[float, float]:
    """Mean SAD (thousands a frame) and PSNR (dB) over the plates."""
    out = []
    for p, model in plates:
        keyed = [key_frame(f, model) for f in p.plate]
        s = plain.scores(p, ([k.alpha for k in keyed], [k.foreground for k in keyed]))
        out.append((s["sad"], s["psnr"]))
    sad, db = np.mean(out, axis=0)
    return float(sad), float(db)


def main() -> None:
    """Print the table of docs/keying.md."""
    plates = []
    for kind in ("green", "blue"):
        p = kp.make_plate(kind)
        model = learn_shot(list(p.plate))
        assert isinstance(model, KeyModel)
        plates.append((p, model))
    base = scored(plates)
    print(f"as they are: SAD {base[0]:.3f}, {base[1]:.2f} dB")
    print("| prior | halved: SAD, dB | doubled: SAD, dB |\n|---|---|---|")
    both = (solve.PRIORS, solve.AGAIN)  # of both solutions; changed in place, since they are bound where they are used
    usual = [p.copy() for p in both]
    for i, name in enumerate(NAMES):
        cells = []
        for factor in (0.5, 2.0):
            for p, was in zip(both, usual, strict=True):
                p[:] = was
                p[i] *= factor
            sad, db = scored(plates)
            cells.append(f"{100 * (sad / base[0] - 1):+.1f} %, {db - base[1]:+.2f}")
        print(f"| {name} | {cells[0]} | {cells[1]} |")
    for p, was in zip(both, usual, strict=True):
        p[:] = was


if __name__ == "__main__":
    main()
