"""Clean patches on made takes with exact truth, beside OpenCV's seamlessClone of an aligned plate, alignment (ECC) with gain per channel, and its two inpaintings.

python bench/clean_patch.py

PSNR (dB, display codes) in what had to go, its still and its windy part; bias; high-pass error and change over time against those of the truth with right
grain, which is the bound; step of low frequencies within the border. `plain` is before grain is laid on. Second, a take whose leaves hide each other.
"""

from __future__ import annotations

import sys
import time
from collections.abc import Callable, Sequence
from itertools import pairwise
from pathlib import Path

import cv2
import numpy as np

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "tests" / "support"))
from keyplates import srgb_decode, srgb_encode
from rigtakes import RigTake, grained, rig_take

from transmixis.core.repair.clean import background, box_about, bridge_over, brought, grain, laid, learn_clean

Array = np.ndarray


def code(x: Array) -> Array:
    return np.asarray(np.clip(srgb_encode(np.clip(x, 0, 1)), 0, 1), np.float64)


def aligned(clean: Array, frame: Array, region: Array) -> Array:
    """The clean plate laid over a frame by OpenCV's ECC, bilinear."""
    a, b = ((code(p) * 255).astype(np.float32).mean(axis=2) for p in (frame, clean))
    warp = np.eye(2, 3, dtype=np.float32)
    mask = ((1 - region) * 255).astype(np.uint8)
    _, warp = cv2.findTransformECC(a, b, warp, cv2.MOTION_EUCLIDEAN, (3, 100, 1e-6), mask, 5)
    flags = cv2.INTER_LINEAR + cv2.WARP_INVERSE_MAP
    return np.asarray(cv2.warpAffine(clean, warp, clean.shape[1::-1], flags=flags, borderMode=cv2.BORDER_REFLECT))


def plain_ways(take: RigTake) -> dict[str, list[Array]]:
    """What general tools make of it."""
    out: dict[str, list[Array]] = {"ECC, gain": [], "seamlessClone": [], "inpaint, Telea": [], "inpaint, Navier-Stokes": []}
    gone = take.region > 0
    mask = (gone * 255).astype(np.uint8)
    inner = mask.copy()
    inner[0] = inner[-1] = 0
    ys, xs = np.nonzero(inner)
    middle = (int(xs.min() + xs.max() + 1) // 2, int(ys.min() + ys.max() + 1) // 2)
    for f in take.plate:
        a = aligned(take.clean[len(take.clean) // 2], f, take.region)
        gain = np.median(f[~gone], axis=0) / np.median(a[~gone], axis=0)
        out["ECC, gain"].append(np.where(gone[..., None], a * gain, f))
        eight = [(code(p) * 255).round().astype(np.uint8) for p in (a, f)]
        out["seamlessClone"].append(
            srgb_decode(cv2.seamlessClone(*eight, inner.copy(), middle, cv2.NORMAL_CLONE).astype(np.float32) / 255)
        )
        for name, way in (("inpaint, Telea", cv2.INPAINT_TELEA), ("inpaint, Navier-Stokes", cv2.INPAINT_NS)):
            out[name].append(srgb_decode(cv2.inpaint(eight[1], mask, 5, way).astype(np.float32) / 255))
    return out


def ours(take: RigTake, cleans: Sequence[Array]) -> tuple[list[Array], list[Array]]:
    """Clean patches without and with grain."""
    gone = take.region > 0
    plate = learn_clean(list(take.plate), cleans, gone)
    told = [brought(f, plate, gone) for f in take.plate]
    over = bridge_over(plate, gone, told)
    behind = [background(plate, b.through(over)) for b in told]
    plain = [laid(f, b, take.region) for f, b in zip(take.plate, behind, strict=True)]
    noisy = [b + grain(b, plate, t.gain, n) for n, (b, t) in enumerate(zip(behind, told, strict=True))]
    return plain, [laid(f, b, take.region) for f, b in zip(take.plate, noisy, strict=True)]


def fine(x: Array) -> Array:
    return np.asarray(x - cv2.GaussianBlur(x, (0, 0), 1.5))


def told(name: str, made: Sequence[Array], take: RigTake) -> None:
    """Print one line."""
    gone = take.region > 0
    still, windy = gone & ~take.windy, gone & take.windy
    rng = np.random.default_rng(77)
    off = [(code(m) - code(t)) * 255 for m, t in zip(made, take.truth, strict=True)]
    bound = [(code(grained(t, rng)) - code(t)) * 255 for t in take.truth]

    def db(where: Array) -> float:
        return float(np.mean([20 * np.log10(255 / np.sqrt((e[where] ** 2).mean())) for e in off]))

    def ratio(measure: Sequence[float], right: Sequence[float]) -> float:
        return float(np.mean(measure) / np.mean(right))

    bias = np.abs(np.mean([e[gone].mean(axis=0) for e in off], axis=0)).max()
    grains = ratio([fine(e)[still].std() for e in off], [fine(e)[still].std() for e in bound])
    boil = ratio(*([np.abs(b - a)[still].mean() for a, b in pairwise(x)] for x in (off, bound)))
    seam = ratio(*([np.abs(cv2.GaussianBlur(e, (0, 0), 3)[gone]).mean() for e in x] for x in (off, bound)))
    print(
        f"{name:24} {db(gone):6.1f} {db(still):6.1f} {db(windy):6.1f} {bias:6.2f} {grains:6.2f} {boil:6.2f} {seam:6.2f}",
        flush=True,
    )


def speed() -> None:
    """Bringing an analysed clean plate to a frame of 1920 x 1080, a fifth of it to mend and wind nearly all over, beside a gaussian blur (sigma 5) of the frame."""
    take = rig_take(False, 3, 3, (1080, 1920))
    gone = np.zeros(take.region.shape, bool)
    gone[100:980, 700:1170] = True
    plate = learn_clean(list(take.plate), list(take.clean), gone)
    box = box_about(gone, 80)
    small, own, hidden = plate.cut(box), np.ascontiguousarray(take.plate[0][box]), gone[box]
    told_ = brought(own, small, hidden)
    over = bridge_over(small, hidden, [told_])
    through = told_.through(over)
    behind = background(small, through, hidden)
    blur = fastest(lambda: cv2.GaussianBlur(take.plate[0], (0, 0), 5))
    print(
        f"\n1920 x 1080, {gone.mean():.0%} of it, {plate.moving[gone].mean():.0%} of that moving; in gaussian blurs of the frame:"
    )
    for name, run in (
        ("looking for how it lies (kept)", lambda: brought(own, small, hidden).through(over)),
        ("aligned and evened (wanted: 4)", lambda: background(small, through, hidden)),
        ("grain", lambda: grain(behind, small, through.gain, 1)),
    ):
        print(f"{name:32} {fastest(run) / blur:5.1f}", flush=True)


def fastest(run: Callable[[], object]) -> float:
    """Seconds of the quickest of five."""
    out = []
    for _ in range(5):
        begun = time.perf_counter()
        run()
        out.append(time.perf_counter() - begun)
    return min(out)


def main() -> None:
    """Both takes, and the speed."""
    for hide in (False, True):
        take = rig_take(hide)
        rng = np.random.default_rng(5)
        print(
            f"\n{'leaves hide each other' if hide else 'smooth wind':24} {'all':>6} {'still':>6} {'windy':>6} {'bias':>6} {'grain':>6} {'boil':>6} {'slow':>6}"
        )
        told("the truth, right grain", [grained(t, rng) for t in take.truth], take)
        for name, made in plain_ways(take).items():
            told(name, made, take)
        for words, cleans in (("clean take of 6", list(take.clean)), ("one clean frame", list(take.clean[3:4]))):
            plain, noisy = ours(take, cleans)
            told(f"{words}, plain", plain, take)
            told(f"{words}", noisy, take)
    speed()


if __name__ == "__main__":
    main()
