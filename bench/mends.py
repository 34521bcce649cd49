"""What mends come to on made takes with exact truth, beside plain ways: borrowing in time (and its time against DIS flow), filling, strings, markers, an edge unmixed.

python bench/mends.py
"""

from __future__ import annotations

import sys
import time
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "tests" / "support"))
from armtakes import arm_frame
from keyplates import srgb_encode
from marktakes import MarkTake, cloth_take, face_take
from rigtakes import grained
from timetakes import SIZE, TimeTake, person_take, truck_take
from wireplates import hung, photograph

from transmixis.core.repair.backing import Backing, brought_in
from transmixis.core.repair.fill import filled
from transmixis.core.repair.intime import anchors, gathered, looked_at, told_of, wanted
from transmixis.core.repair.laying import bounds, lay_out, spread, surface_about
from transmixis.core.repair.marklinks import cover_of, gone_on, linked
from transmixis.core.repair.marks import alike, find_marks, seen
from transmixis.core.repair.sweep import barred, covered, sources
from transmixis.core.repair.takelaw import take_law
from transmixis.core.repair.unmix import fitted_edge, laid_shape, old_background, unmixed
from transmixis.core.repair.wire import lines_of, without_wire

Array = np.ndarray


def code(x: Array) -> Array:
    return np.asarray(np.clip(srgb_encode(np.clip(x, 0, 1)), 0, 1) * 255, np.float64)


def rms(a: Array, b: Array, where: Array) -> float:
    return float(np.sqrt(((code(a) - code(b))[where] ** 2).mean()))


def backing_of(take: TimeTake) -> tuple[dict[int, Array], Backing]:
    def look(n: int) -> tuple[Array, Array]:
        return take.plate[n - 1], take.gone[n - 1] > 0

    length = len(take.plate)
    (a,) = anchors(length)
    box = bounds([g > 0 for g in take.gone])
    assert box is not None
    first, last = told_of(length, a, [a])
    matrices = lay_out(surface_about(*look(a), box), look, a, looked_at(length, a, first, last))
    want, left, top = wanted(look, matrices, range(first, last + 1), SIZE)
    return matrices, gathered(look, matrices, a, want, left, top, take_law(look, matrices, a))


def in_time() -> None:
    print(
        "borrowed in time: rms levels off the truth before grain; grain; slow error at most; of what other frames show, given back"
    )
    for name, take in (("trucking past a sign", truck_take()), ("locked, a person", person_take())):
        matrices, backing = backing_of(take)
        off, slow, share = [], [], []
        for n in matrices:
            gone = take.gone[n - 1] > 0
            behind, count = brought_in(backing, matrices[n], take.plate[n - 1], gone, spread(gone, 31))
            known = gone & (count > 0)
            if not known.any():
                continue
            e = (code(behind) - code(take.truth[n - 1])) * known[..., None]
            off.append((e[known] ** 2).mean())
            slow.append(np.abs(cv2.GaussianBlur(e, (0, 0), 2)).max())
            share.append((count[take.shown[n - 1]] > 0).mean())
        grain = float(
            np.mean([(code(p) - code(t))[g == 0].std() for p, t, g in zip(take.plate, take.truth, take.gone, strict=True)])
        )
        print(f"{name:24} {np.sqrt(np.mean(off)):6.2f} {grain:6.2f} {max(slow):6.2f} {100 * np.mean(share):6.1f} %")


def fills() -> None:
    print("\nfilled: rms levels off the photograph, and detail against it; Telea; Navier-Stokes")
    for name in ("brick", "coffee", "grass", "chelsea"):
        p = photograph(name)
        gone = np.zeros(p.shape[:2], bool)
        gone[80:120, 140:190] = True
        plain = [
            cv2.inpaint(code(p).astype(np.uint8), gone.astype(np.uint8) * 255, 5, w) for w in (cv2.INPAINT_TELEA, cv2.INPAINT_NS)
        ]
        _row(name, p, gone, [code(filled(p, gone, ~gone)), *(x.astype(float) for x in plain)])


def strings() -> None:
    print("\nstrings 3 px wide: the same")
    for name in ("coffee", "brick", "chelsea", "rocket"):
        p, cover = photograph(name), hung(3)
        plate = grained(p * (1 - cover[..., None]) + 0.03 * cover[..., None], np.random.default_rng(2))
        gone, eight = cover > 0.02, np.clip(code(plate), 0, 255).astype(np.uint8)
        plain = [cv2.inpaint(eight, gone.astype(np.uint8) * 255, 5, w) for w in (cv2.INPAINT_TELEA, cv2.INPAINT_NS)]
        _row(name, p, gone, [code(without_wire(plate, gone, lines_of(cover))), *(x.astype(float) for x in plain)])


def _row(name: str, truth: Array, where: Array, made: list[Array]) -> None:
    def detail(x: Array) -> float:
        return float((x - cv2.GaussianBlur(x, (0, 0), 2))[where].std())

    t = code(truth)
    cells = [f"{np.sqrt(((m - t)[where] ** 2).mean()):6.1f} {detail(m) / detail(t):5.2f}" for m in made]
    print(f"{name:12} " + "   ".join(cells))


def markers() -> None:
    print(
        "\nmarkers: found of all, invented; levels that covering a mark is off what covering the bare surface is, mean and most"
    )
    for name, take, largest in (("bending cloth", cloth_take(), 30.0), ("turning face", face_take(), 14.0)):
        off, many = _swept(take, largest)
        print(f"{name:16} {many} of {take.count}   {np.mean(off):5.2f} {max(off):5.2f}")


def _swept(take: MarkTake, largest: float) -> tuple[list[float], int]:
    looks = [seen(p, largest) for p in take.plate]
    found = {n: find_marks(s, largest) for n, s in enumerate(looks, 1)}
    every = [(n, f) for n, row in found.items() for f in row]
    kinds = alike([f for _, f in every])
    by_frame = {n: [f for (m, f), ok in zip(every, kinds, strict=True) if ok and m == n] for n in found}
    paths = [gone_on(p, lambda n: looks[n - 1], found) for p in linked(by_frame)]
    bars = {n: (s, barred(s)) for n, s in enumerate(looks, 1)}
    own = [sources(p, bars, list(bars)) for p in paths]
    off = []
    for n in range(1, len(looks) + 1, 2):
        plates = [np.array(take.plate[n - 1]), np.array(take.truth[n - 1], np.float32)]
        for k, (path, source) in enumerate(zip(paths, own, strict=True)):
            cover = cover_of(looks[n - 1], path, n)
            if cover is None or cover.max() < 0.5:
                continue
            plates = [made.picture if (made := covered(p, *bars[n], cover, source, n, 100 * n + k)[0]) else p for p in plates]
        near = cv2.dilate((take.front[n - 1] > 0.01).astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
        for x, y in take.at[n - 1]:
            box = (slice(max(0, int(y) - 9), int(y) + 10), slice(max(0, int(x) - 9), int(x) + 10))
            where = (take.marks[n - 1][box] > 0.3) & ~near[box]
            if where.sum() > 20:
                off.append(float(np.abs((code(plates[0]) - code(plates[1]))[box][where].mean(axis=0)).max()))
    return off, len(paths)


def edges() -> None:
    print(
        "\na blurred arm before a rig, dB in the rig's band: fitted and unmixed, exact alpha unmixed, the shape feathered; texture, rig's level, blur px"
    )
    for contrast in (0.03, 0.15, 0.30):
        for rig in (0.02, 0.18):
            for blur in (6.0, 14.0, 26.0):
                f = arm_frame(contrast, rig, blur)
                edge = cv2.dilate(((f.alpha > 0.01) & (f.alpha < 0.99)).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
                where, gone = (f.gone > 0) & edge, f.gone > 0
                about = cv2.dilate(f.shape, np.ones((41, 41), np.uint8))
                e = fitted_edge(f.plate, f.shape, old_background(f.plate, f.behind, about, gone))
                alpha = f.shape if e is None else laid_shape(f.shape, e)
                soft = cv2.GaussianBlur(f.shape, (0, 0), 3)
                made = [unmixed(f.plate, f.behind, f.gone, a, gone) for a in (alpha, f.alpha)]
                made.append(f.plate + (f.gone * (1 - soft))[..., None] * (f.behind - f.plate))
                print(
                    f"{contrast:5.2f} {rig:5.2f} {blur:5.0f}   "
                    + " ".join(f"{20 * np.log10(255 / rms(m, f.truth, where)):6.1f}" for m in made)
                )


def speed() -> None:
    """At 1920 x 1080, a fifth of the frame hidden: laying what was gathered into a frame against one DIS flow (medium)."""
    h, w = 1080, 1920
    rng = np.random.default_rng(1)
    frame = cv2.resize(rng.random((h // 4, w // 4, 3)).astype(np.float32), (w, h), interpolation=cv2.INTER_CUBIC) * 0.5 + 0.1
    hidden = np.zeros((h, w), bool)
    hidden[200:850, 400:1038] = True
    part = (slice(100, 950), slice(300, 1138))
    backing = Backing(np.ascontiguousarray(frame[part]), np.full((850, 838), 6, np.float32), 0, 0, np.full((3, 2), 1e-5))
    matrix = np.array([[1.0, 0.002, 0.3], [-0.002, 1.0, 0.4], [0, 0, 1.0]])
    own, gone = np.ascontiguousarray(frame[part]), hidden[part]
    grey = [(code(np.roll(frame, k, 1)).mean(axis=2)).astype(np.uint8) for k in (0, 2)]
    dis = cv2.DISOpticalFlow_create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
    mine, flow = _best(lambda: brought_in(backing, matrix, own, gone, spread(gone, 37))), _best(lambda: dis.calc(*grey, None))
    print(f"\nlaying a gathered background into a 1920 x 1080 frame: {mine / flow:.2f} DIS flows")


def _best(run: Callable[[], object]) -> float:
    times = []
    for _ in range(4):
        begin = time.perf_counter()
        run()
        times.append(time.perf_counter() - begin)
    return min(times)


def main() -> None:
    """All of them."""
    for part in (in_time, fills, strings, markers, edges, speed):
        part()
        sys.stdout.flush()


if __name__ == "__main__":
    main()
