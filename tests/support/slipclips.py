"""Clips in which tracks slip, and what is counted of them: slips that are named, asks that are none, frames that a hand has to set."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from pointclips import Clip, clip

from transmixis.core.motion.agree import from_behind, jumps, strains
from transmixis.core.motion.follow import STRETCH, Way, follow
from transmixis.core.motion.motion import moved_points
from transmixis.core.motion.point import about_point
from transmixis.core.progress import Progress
from transmixis.media.still import write_still
from transmixis.shot.material import Material
from transmixis.shot.model import Pin, Plate, Shot
from transmixis.shot.pins import set_pin
from transmixis.shot.products import StepInputs
from transmixis.shot.render import Renderer
from transmixis.shot.steps import kind_of
from transmixis.shot.steps.slips import slips
from transmixis.shot.steps.trackreadings import BOTH_WAYS, ERROR, JUMP, UNLIKE
from transmixis.shot.stored import AnalysisStore
from transmixis.shot.workorder import add_step

WRONG = 1.0  # px off its place: a slip
WITHIN = 2  # frames between a slip and what names it
JOINED = 3  # frames between runs that are one
FRAMES = 36


@dataclass(frozen=True)
class Count:
    slips: int = 0
    named: int = 0
    asks: int = 0
    false: int = 0

    def __add__(self, other: Count) -> Count:
        return Count(*(a + b for a, b in zip(vars(self).values(), vars(other).values(), strict=True)))


def slipping(seed: int) -> tuple[Clip, list[np.ndarray]]:
    """A clip of fast, blurred, turning things under changing light, and its frames with a bar or a textured band that crosses them."""
    c = clip(
        seed + 40, frames=FRAMES, fast=(4, 10, 20)[seed % 3], shutter=(0.2, 0.5, 0.9)[(seed // 3) % 3],
        turn=(25 if seed % 4 == 1 else 0) + (0 if seed % 2 else 10), grow=0.15 * (seed % 2), light=0.2 * (seed % 2), hidden=seed % 5 == 0, points=5,
    )  # fmt: skip
    r = np.random.default_rng(seed)
    out, (h, w) = [f.copy() for f in c.frames], c.frames[0].shape[:2]
    if seed % 3 == 0:
        start, speed, wide, colour = r.uniform(100, 380), r.uniform(1, 5), r.uniform(8, 30), r.uniform(0.05, 0.6, 3)
        for i, f in enumerate(out):
            x = int(start + speed * (i - FRAMES / 2))
            f[:, max(x, 0) : max(int(x + wide), 0)] = colour
    elif seed % 3 == 1:
        band = cv2.GaussianBlur(r.uniform(0, 0.6, (h, 60, 3)).astype(np.float32), (0, 0), 2)
        start, speed = r.uniform(100, 380), r.uniform(-4, 4)
        for i, f in enumerate(out):
            x = int(np.clip(start + speed * (i - FRAMES / 2), 0, w - 60))
            f[:, x : x + 60] = band
    return c, out


def counted(seed: int) -> Count:
    """Of all points of a clip, each followed with the reading's own limits."""
    c, frames = slipping(seed)
    model = ("position", "similarity")[seed % 2]
    total = Count()
    for k in range(c.truth.shape[1]):
        at = c.truth[0, k]
        x, y = (int(v) for v in at)
        about = np.s_[max(y - 20, 0) : y + 20, max(x - 20, 0) : x + 20]
        if c.shown[0, k] and np.array_equal(frames[0][about], c.frames[0][about]):  # what is pressed is the thing itself
            total += _point(frames, c.truth[:, k], (7, 11, 16)[(seed + k) % 3], model)
    return total


def _point(frames: list[np.ndarray], truth: np.ndarray, half: int, model: str) -> Count:
    pattern = about_point(frames[0], truth[0], half, model)
    freer = about_point(frames[0], truth[0], half, "similarity") if model == "position" else None
    way, found, back, jump, strain = Way(np.eye(3), np.eye(3)), [], [], [], []
    for first in range(1, len(frames), STRETCH):
        part, begun = range(first, min(first + STRETCH, len(frames))), way
        laid, way = follow(pattern, frames.__getitem__, part, way, 24)
        share = way.shutter.share
        found += laid
        back += list(from_behind(pattern, frames.__getitem__, part, laid, share, Progress()))
        jump += list(jumps(pattern, begun, laid))
        none = np.zeros(len(part))
        strain += list(none if freer is None else strains(freer, pattern, frames.__getitem__, part, laid, share, Progress()))
    lost = np.array([f.lost for f in found])
    off = np.array(
        [np.nan if f.lost else np.hypot(*(moved_points(f.matrix, truth[0])[0] - truth[n])) for n, f in enumerate(found, 1)]
    )
    with np.errstate(invalid="ignore"):
        told = np.hypot([f.error for f in found], np.nan_to_num(strain)) > ERROR
        told |= np.array([100 * (1 - f.alike) for f in found]) > UNLIKE
        told |= np.isfinite(back) & (np.array(back) > BOTH_WAYS)
        told |= np.array(jump) > JUMP
        told &= ~lost
        wrong = ~lost & (off > WRONG)
    named = [bool((told | lost)[max(a - WITHIN, 0) : a + WITHIN + 1].any()) for a, _ in _runs(wrong)]
    false = []
    for a, b in _runs(told):
        near = np.s_[max(a - WITHIN, 0) : b + WITHIN + 1]
        false.append(not lost[near].any() and not (off[near] > ERROR / 2).any())
    return Count(len(named), sum(named), len(false), sum(false))


def _runs(marked: np.ndarray) -> list[tuple[int, int]]:
    out: list[list[int]] = []
    for i in np.flatnonzero(marked):
        if out and i - out[-1][1] <= JOINED:
            out[-1][1] = int(i)
        else:
            out.append([int(i), int(i)])
    return [(a, b) for a, b in out]


# -- hands


def hard_clip(seed: int, points: int) -> Clip:
    """Fast, with a shutter that is open nearly all the time, turning, growing, under changing light, hidden for some frames."""
    return clip(seed, frames=60, fast=14.0, shutter=0.9, turn=20, grow=0.2, light=0.25, hidden=True, points=points)


def hands_plainly(c: Clip, k: int) -> int:
    """Frames that a person sets who follows forwards by pyramidal flow and corrects at the first frame that is wrong."""
    greys = [cv2.cvtColor((np.clip(f, 0, 1) ** (1 / 2.2) * 255).astype(np.uint8), cv2.COLOR_RGB2GRAY) for f in c.frames]
    hands, at = 0, c.truth[0, k] - 0.5
    for n in range(1, len(greys)):
        there, state, _ = cv2.calcOpticalFlowPyrLK(
            greys[n - 1], greys[n], at.reshape(1, 1, 2).astype(np.float32), None, winSize=(41, 41), maxLevel=4  # type: ignore[call-overload]
        )  # fmt: skip
        at = there[0, 0].astype(np.float64)
        if c.shown[n, k] and (state[0, 0] == 0 or np.hypot(*(at + 0.5 - c.truth[n, k])) > WRONG):
            hands, at = hands + 1, c.truth[n, k] - 0.5
    return hands


def hands_asked(c: Clip, k: int, folder: Path, most: int = 30) -> int:
    """Frames that a person sets who is led by what the track asks, takes a proposal whose places are right, and takes it back unless
    less is wrong then."""
    shot = _shot(c, k, folder)
    material, kept, hands, refused = Material(folder), AnalysisStore(None), 0, False
    before: tuple[Shot, int] | None = None
    while hands < most:
        renderer, step = Renderer(shot, material, analyses=kept), shot.steps[0]
        kind, inputs = kind_of(step.kind), StepInputs(renderer, step)
        params = kind.Params(**step.params)
        motions = [kind.told(inputs, params, n).motion for n in range(1, len(c.frames) + 1)]  # type: ignore[attr-defined]
        wrong = [n for n, m in enumerate(motions) if c.shown[n, k] and (not m.known or _off(c, k, n, m.matrix) > WRONG)]
        if not wrong:
            break
        if before is not None and len(wrong) >= before[1]:
            shot, before, refused = before[0], None, True
            continue
        before = None
        proposal = None if refused else renderer.propose(step.id)
        if proposal is not None and proposal.sets and proposal.instead is None:  # another track is another take of the count
            places = [(p.frame - 1, p.value["places"][0]) for v in proposal.pins.values() for p in v]
            refused = any(np.hypot(*(np.array(at) - c.truth[n, k])) > WRONG for n, at in places)
            if not refused:
                before, shot = (shot, len(wrong)), shot.with_step(proposal.used(step))
                continue
        refused = False
        asked = [(s.look or s.worst) - 1 for s in slips(kind, inputs, params)]  # type: ignore[arg-type]
        asked = [n for n in asked if c.shown[n, k]]
        n = (asked or wrong)[0]
        shot, hands = shot.with_step(set_pin(step, "seat", Pin(frame=n + 1, value=[c.truth[n, k].tolist()]))), hands + 1
    return hands


def _off(c: Clip, k: int, n: int, matrix: np.ndarray) -> float:
    return float(np.hypot(*(moved_points(matrix, c.truth[0, k])[0] - c.truth[n, k])))


def _shot(c: Clip, k: int, folder: Path) -> Shot:
    if not (folder / "f.0001.png").exists():
        for n, f in enumerate(c.frames, 1):
            write_still(folder / f"f.{n:04d}.png", np.clip(f, 0, 1), kind="uint16")
    h, w = c.frames[0].shape[:2]
    plates = (Plate(id="hero", role="hero", path="f.0001.png"),)
    shot, step = add_step(Shot(code="A", length=len(c.frames), width=w, height=h, plates=plates), "point_track")
    params = {"point": [c.truth[0, k].tolist()], "half": 12, "follows": "position, turn and size", "reach": 40}
    return shot.with_step(step.model_copy(update={"params": params}))
