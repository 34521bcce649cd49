"""Pins that outlines need, by plain easing and carried, evenly spread, halved and asked for; how well the error is foretold. A hand that pins the
truth; made takes with exact truth (tests/support/rotoclips.py). `python bench/roto_pins.py [NAME ...]`; about ten minutes."""

from __future__ import annotations

import sys
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import cv2
import numpy as np
from scipy.spatial import cKDTree
from scipy.stats import rankdata, spearmanr

sys.path.insert(0, str(Path(__file__).parent.parent / "tests" / "support"))
import itertools

from rotoclips import FRAMES, SIZE, RotoClip, clip_named, names

from transmixis.core.colour.curves import linear_to_srgb
from transmixis.core.progress import Progress
from transmixis.core.roto.asking import asked
from transmixis.core.roto.carry import Look, Pinned
from transmixis.core.roto.cover import covered
from transmixis.core.roto.stretch import FLOW, SEATED, STILL, TRACK, Carrier, Told

LIMIT = 1.0  # px


def dense(line: np.ndarray, k: int = 8) -> np.ndarray:
    t = np.linspace(0, 1, k, endpoint=False)[:, None, None]
    return np.asarray(((1 - t) * line + t * np.roll(line, -1, axis=0)).transpose(1, 0, 2).reshape(-1, 2))


def off(line: np.ndarray, truth: np.ndarray) -> float:
    """Mean px between two outlines, both ways, of what lies in the frame."""
    a, b = dense(line), dense(truth)
    a_in, b_in = (((p > 0) & (p < SIZE[::-1])).all(axis=1) for p in (a, b))
    if b_in.sum() < 8:
        return 0.0
    there = cKDTree(a).query(b[b_in])[0].mean()
    return float((there + (cKDTree(b).query(a[a_in])[0].mean() if a_in.any() else there)) / 2)


class Hand:
    """Pins the truth of a clip, and looks at what becomes of it. Frames count from 1."""

    def __init__(self, clip: RotoClip, ways: tuple[str, ...]) -> None:
        self.clip, self.looks = clip, {}
        self.carrier = Carrier(self.look, self.guide, ways, Progress())
        self.told: dict[tuple[int, int], Told] = {}

    def look(self, n: int) -> Look:
        if n not in self.looks:
            levels = np.clip(linear_to_srgb(np.clip(self.clip.frames[n - 1], 0, 1)) * 255, 0, 255).astype(np.float32)
            front = self.clip.front[n - 1]
            hidden = np.zeros(SIZE, bool) if front is None else cv2.dilate(covered(front, *SIZE), np.ones((5, 5))) > 0.02
            self.looks[n] = Look(levels, hidden)
        return self.looks[n]

    def guide(self, a: int, b: int) -> np.ndarray:
        return np.asarray(self.clip.track[b - 1] @ np.linalg.inv(self.clip.track[a - 1]))

    def pin(self, n: int) -> Pinned:
        return Pinned(self.look(n), self.clip.truth[n - 1], np.ones(len(self.clip.truth[0]), bool))

    def made(self, pins: list[int]) -> tuple[np.ndarray, np.ndarray]:
        """(errors, foretold errors) px of all frames between the first and the last, both pinned."""
        error, px = np.zeros(FRAMES), np.zeros(FRAMES)
        for a, b in itertools.pairwise(pins):
            if (a, b) not in self.told:
                self.told[a, b] = self.carrier.told(a, b, self.pin(a), self.pin(b))
            t = self.told[a, b]
            for n in range(a + 1, b):
                error[n - 1], px[n - 1] = off(t.points[n - a], self.clip.truth[n - 1]), t.foretold[n - a]
        return error, px


def evenly(hand: Hand) -> int:
    for k in range(2, FRAMES):
        if hand.made(sorted({round(v) for v in np.linspace(1, FRAMES, k)}))[0].max() < LIMIT:
            return k
    return FRAMES


def halved(hand: Hand) -> int:
    pins = [1, FRAMES]
    while hand.made(pins)[0].max() >= LIMIT and len(pins) < FRAMES:
        _, a, b = max((b - a, a, b) for a, b in itertools.pairwise(pins))
        pins = sorted([*pins, (a + b) // 2])
    return len(pins)


def asking(hand: Hand) -> tuple[int, int, np.ndarray, np.ndarray, np.ndarray]:
    """(pins until all is under the limit, pins when asking stops, errors then, all errors and what was foretold on the way)."""
    pins, enough, told, true = [1, FRAMES], 0, [], []
    while True:
        error, px = hand.made(pins)
        between = np.setdiff1d(np.arange(FRAMES), np.array(pins) - 1)
        told.append(px[between])
        true.append(error[between])
        if not enough and error.max() < LIMIT:
            enough = len(pins)
        asks = asked(pins, px, LIMIT)
        if not asks or asks[0].frame in pins:
            break
        pins = sorted([*pins, asks[0].frame])
    stops, left = len(pins), error
    while not enough:  # it stopped too early: the foretold worst is pinned on
        n = int(px.argmax()) + 1
        a, b = max(p for p in pins if p <= n), min(p for p in pins if p >= n)
        if b - a < 2:
            a, b = max(itertools.pairwise(pins), key=lambda s: s[1] - s[0])
        pins = sorted({*pins, (a + b) // 2})
        error, px = hand.made(pins)
        enough = len(pins) if error.max() < LIMIT or len(pins) >= FRAMES else 0
    return enough, stops, left, np.concatenate(true), np.concatenate(told)


def of_clip(name: str) -> dict[str, object]:
    clip = clip_named(name)
    plain, carried = Hand(clip, (STILL,)), Hand(clip, (TRACK, SEATED, FLOW))
    enough, stops, left, true, told = asking(carried)
    row = {
        "name": name,
        "plain": evenly(plain),
        "evenly": evenly(carried),
        "halved": halved(carried),
        "asked": enough,
        "stops": stops,
    }
    print(f"{name:8s} plain {row['plain']:3d}, carried: evenly {row['evenly']:3d}, halved {row['halved']:3d}, asked {enough:3d}, "
          f"stops at {stops:3d}: {100 * (left > LIMIT).mean():.0f} % of frames over, worst {left.max():.2f} px; rank {spearmanr(true, told)[0]:.2f}", flush=True)  # fmt: skip
    return {**row, "left": left, "true": true, "told": told}


def auc(score: np.ndarray, over: np.ndarray) -> float:
    """How well a score parts what is over from the rest (Hanley & McNeil, 1982)."""
    rank, n = rankdata(score), int(over.sum())
    return float((rank[over].sum() - n * (n + 1) / 2) / max(n * (len(over) - n), 1))


def main() -> None:
    with ProcessPoolExecutor(2) as pool:
        rows = list(pool.map(of_clip, sys.argv[1:] or names()))
    sums = {k: sum(int(r[k]) for r in rows) for k in ("plain", "evenly", "halved", "asked", "stops")}  # type: ignore[call-overload]
    true, told = (np.concatenate([r[k] for r in rows]) for k in ("true", "told"))
    left = np.concatenate([r["left"] for r in rows])
    print(sums)
    print(f"evenly, carried against plain {sums['evenly'] / sums['plain']:.2f} (bar 0.5); asked against halved {sums['asked'] / sums['halved']:.2f} "
          f"(bar 0.8), against evenly {sums['asked'] / sums['evenly']:.2f} (bar 1)")  # fmt: skip
    print(
        f"where asking stops {100 * (left > LIMIT).mean():.1f} % of frames are over {LIMIT:g} px (bar 4), worst {left.max():.2f} px (bar 2)"
    )
    print(f"foretold against true: rank {spearmanr(true, told)[0]:.2f} (bar 0.75), AUC {auc(told, true > LIMIT):.3f} (bar 0.92)")


if __name__ == "__main__":
    main()
