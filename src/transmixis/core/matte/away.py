"""Difference matte: what stands in a take and not in its empty frame, with the empty frame seen through its soft edge.

First the empty frame is brought to stand and to be lit as the take. What is unlike it beyond noise and shadow, with the shortest border
around it, is the thing (core.matte.unlike, core.matte.cut). In the band around that border every pixel is solved as the thing's colours over the
empty frame in the light that falls there (core.matte.solve), which puts the edge where it is and leaves no line of background around it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise

import cv2
import numpy as np
from scipy.optimize import nnls

from transmixis.core.errors import UserError
from transmixis.core.matte.convolve import fill_unknown, shrink
from transmixis.core.matte.cut import cut, stepped
from transmixis.core.matte.solve import AGAIN, PRIORS, solve_pixels
from transmixis.core.matte.subject import (
    NO_CLUSTERS,
    Clusters,
    colour_distance,
    edge_colours,
    local_colours,
    shot_clusters,
    unpacked,
)
from transmixis.core.matte.unlike import AROUND, MOST, Unlike, misfit, spread, unlike, worn
from transmixis.core.matte.veil import seen_through
from transmixis.core.motion.camera import Move, anchor_of, follow
from transmixis.core.motion.coding import grey_of
from transmixis.core.motion.steady import moved
from transmixis.core.survey.clean_fit import evened, light_over, median_move
from transmixis.core.survey.noise import noise_law, noise_over_time
from transmixis.core.types import Array, Mask, Matte, Rgb

THING = 10.0  # misfit at which a pixel is as likely thing as background: noise alone gives 3, and 10 in one of fifty
SURE = 40.0  # misfit beyond which a pixel is plainly no background
LENGTH = 4.0  # what a pixel of border costs where there is no edge
LIKE = 5.0  # of the cost of being inside that goes where the colour is one of the things' own
TEXTURE = 12.0  # times the noise's variance: texture that proves
SOME = 20000  # pixels that a law is drawn from
NOISE_ONLY = 9.0  # misfit about a pixel that noise alone reaches
BAND = 16.0 / 640  # of the width: how far about the border edges are soft (hair, blur)
CUT = 960  # px: a wider frame's border is first found smaller
BARE_FLOOR = 0.15  # the least prior of bare background in the second solution; the results change little from 0.05 to 0.3
NO_SCREEN, NO_SCREEN_AGAIN = PRIORS.copy(), AGAIN.copy()
NO_SCREEN[0] = NO_SCREEN_AGAIN[0] = 0.0


@dataclass(frozen=True)
class AwayModel:
    """What was learnt of a take: its empty frame as it stands in it, where it is `known`, the noise's law and how many noises lie
    between the two (h, w, 1), the things' colours, and how the empty frame was moved. What a person
    sets: `doubt`, the misfit from which a pixel is rather thing; `reach`, a factor on how far about the border edges are soft; `clear`: look
    for what can be seen through."""

    empty: Rgb
    known: Mask
    law: Array
    grains: Array
    clusters: Clusters
    move: Move
    doubt: float = THING
    reach: float = 1.0
    clear: bool = True
    wear: Array | float = 1.0


@dataclass(frozen=True)
class Seen:
    """What is seen in one frame: the thing's `mask` (h, w), the empty frame as it is lit `behind` it (h, w, 3), the `light` (h, w) that is left there, 1 but in
    shadow, the `gain` (3,) of the whole frame, how `unlike` it is, and how much each pixel's colour is `like` the things' own (h, w) 0..1."""

    mask: Mask
    behind: Rgb
    light: Array
    gain: Array
    unlike: Unlike = field(repr=False)
    like: Array = field(repr=False)

    @property
    def misfit(self) -> Array:
        """How badly (h, w) the empty frame explains each pixel, in shadow or out of it; 3 where it does but for noise."""
        return np.minimum(self.unlike.plain, self.unlike.shaded)

    def beside(self, px: int) -> Mask:
        """What lies at least `px` beside the thing (h, w)."""
        return np.asarray(cv2.dilate(self.mask.astype(np.uint8), np.ones((2 * px + 1, 2 * px + 1), np.uint8)) == 0)


@dataclass(frozen=True)
class Away:
    """One frame: `alpha`, premultiplied `foreground`, and what was `seen`."""

    alpha: Matte
    foreground: Rgb
    seen: Seen


def learn_away(frames: Sequence[Rgb], empty: Rgb) -> AwayModel:
    """Learn a take from sampled `frames` and its `empty` frame, all (h, w, 3) scene linear. Raises UserError where they cannot be compared."""
    if any(f.shape != empty.shape for f in frames):
        raise UserError("The empty frame has another size than the take; bring it to the take's size.")
    anchor = anchor_of(grey_of(empty))
    move = median_move([m for m in (follow(anchor, grey_of(f)).move for f in frames) if m])
    stands, known = _standing(empty, move)
    law, grains = _noise(frames, empty)
    model = AwayModel(stands, known, law, grains, NO_CLUSTERS, move)
    lit = [model.empty * frame_gain(f, model) for f in frames]
    model = replace(model, wear=worn(frames, lit, [known] * len(frames), law, grains, shares=1))
    seen = [see(f, model) for f in frames]
    bare = [known & s.beside(4) for s in seen]
    model = replace(model, wear=worn(frames, [s.behind for s in seen], bare, law, grains))
    seen = [see(f, model) for f in frames]
    model = replace(model, clusters=shot_clusters(frames, [_core(s) for s in seen]))
    return _cleared(model, frames, seen)


def _standing(empty: Rgb, move: Move) -> tuple[Rgb, Mask]:
    """The empty frame where it stands in the take, and where it is known there; beyond its border it is as it was."""
    if not move or move.length < 2 * move.error:
        return empty, np.ones(empty.shape[:2], bool)
    likeness = move.similarity(empty.shape)
    known = moved(np.ones((*empty.shape[:2], 1), np.float32), likeness).reshape(empty.shape[:2]) > 0.999
    return np.where(known[..., None], moved(empty, likeness), empty).astype(np.float32), known


def _noise(frames: Sequence[Rgb], empty: Rgb) -> tuple[Array, Array]:
    """The law of the take's noise, and how many of it lie between take and empty frame."""
    everywhere = np.ones(empty.shape[:2], bool)
    own = np.median([noise_law(f, everywhere) for f in frames[:3]], axis=0)
    there = noise_law(empty, everywhere)
    told = noise_over_time(list(pairwise([evened(f, frames[0]) for f in frames]))) if len(frames) > 1 else None
    law = (own if told is None else told.law).astype(np.float32)
    grey = 0.18
    share = float(np.mean((there[:, 0] * grey + there[:, 1]) / np.maximum(own[:, 0] * grey + own[:, 1], 1e-9)))
    return law, np.full((*empty.shape[:2], 1), 1 + min(share, 1.5), np.float32)


def _cleared(model: AwayModel, frames: Sequence[Rgb], seen: Sequence[Seen]) -> AwayModel:
    """The model with less noise in its empty frame: the mean of it and of what the take shows of it bare and in the same light."""
    total, times = model.empty.copy(), np.ones(model.known.shape, np.float32)
    for f, s in zip(frames, seen, strict=True):
        bare = (cv2.dilate(s.unlike.plain, np.ones((5, 5), np.uint8)) < NOISE_ONLY) & s.beside(4)
        total += np.where(bare[..., None], f / s.gain, 0)
        times += bare
    grains = 1 + (model.grains - 1) / times[..., None]
    return replace(model, empty=(total / times[..., None]).astype(np.float32), grains=grains.astype(np.float32))


def _core(seen: Seen) -> Mask:
    """What is plainly thing: deep inside it, and far from the background's colour."""
    deep = cv2.distanceTransform(seen.mask.astype(np.uint8), cv2.DIST_L2, 5)
    sure = seen.misfit > SURE
    core = sure & (deep > BAND * deep.shape[1] / 3)
    return np.asarray(core if core.any() else sure & (deep > 2))


def see(frame: Rgb, model: AwayModel) -> Seen:
    """Where the thing is in one (h, w, 3) scene linear frame of the take that `model` was learnt from. The frame is unchanged."""
    frame = np.ascontiguousarray(frame, np.float32)
    gain = frame_gain(frame, model)
    lit = (model.empty * gain).astype(np.float32)
    found = unlike(frame, lit, model.law, model.grains, model.wear)
    like = _likeness(frame, model.clusters)
    mask = _thing(frame, lit, found, like, model)
    light = _fallen(found, mask)
    return Seen(mask, (lit * light[..., None]).astype(np.float32), light, gain, found, like)


def left_over(frame: Rgb, seen: Seen, model: AwayModel) -> Array:
    """Each pixel's misfit (h, w) to the empty frame in the frame's gain, against noise and a small error alone: neither shadow nor what was measured to be
    more than noise (`worn`) is allowed for, since they would allow for anything."""
    return misfit(frame, model.empty * seen.gain, model.law, model.grains)


def take_away(frame: Rgb, model: AwayModel) -> Away:
    """The thing in one frame as `see` takes it, with its soft edge."""
    frame = np.ascontiguousarray(frame, np.float32)
    seen = see(frame, model)
    alpha, fore = _solved(frame, seen, model)
    if model.clear:
        _veiled(frame, seen, model, alpha, fore)
    return Away(alpha, fore, seen)


def frame_gain(frame: Rgb, model: AwayModel) -> Array:
    """The light (3,) of a frame over that of the take's empty frame; 1 where it cannot be told."""
    found = light_over(model.empty, frame, model.known)
    return np.ones(3, np.float32) if found is None else np.exp2(found[0]).astype(np.float32)


def _thing(frame: Rgb, lit: Rgb, found: Unlike, like: Array, model: AwayModel) -> Mask:
    """The thing's pixels (h, w) by the cheapest border, on a grid of at most CUT pixels across: its edge is solved afterwards."""
    h, w = frame.shape[:2]
    k = max(1, -(-w // CUT))
    size = (max(2, w // k), max(2, h // k))
    away = np.minimum(found.plain, found.shaded)
    doubt = like * (1 - _told_by_texture(lit, model.law))
    costs = np.dstack([np.where(model.known, away, model.doubt - LIKE), model.doubt - LIKE * doubt]).astype(np.float32)
    shown, behind = np.sqrt(np.maximum(frame, 0)), np.sqrt(np.maximum(lit * found.light[..., None], 0))
    if k > 1:
        costs, shown, behind = (shrink(x, *size) for x in (costs, shown, behind))
    steps = [np.minimum(a, b) for a, b in zip(stepped(shown), stepped(shown - behind), strict=True)]
    mask = cut(costs[..., 1], costs[..., 0], steps, LENGTH)
    return mask if k == 1 else cv2.resize(mask.astype(np.uint8), (w, h), interpolation=cv2.INTER_LINEAR) > 0


def _told_by_texture(lit: Rgb, law: Array) -> Array:
    """How far the empty frame's own texture (h, w) proves what shows it to be background, 0..1: a thing of its colour alone is no proof."""
    noise = (law[:, 0] * np.maximum(lit, 0) + law[:, 1]).sum(axis=2)
    mean = cv2.GaussianBlur(lit, (0, 0), AROUND)
    power = cv2.GaussianBlur((lit * lit).sum(axis=2), (0, 0), AROUND) - (mean * mean).sum(axis=2)
    return np.asarray(np.clip((power / noise - 1) / TEXTURE, 0, 1), np.float32)


def _likeness(frame: Rgb, clusters: Clusters) -> Array:
    """How much each pixel's colour is one of the things', 0..1 (h, w)."""
    best = np.full(frame.shape[:2], 1e3, np.float32)
    for mean, cov in zip(clusters.mean, clusters.cov, strict=True):
        np.minimum(best, colour_distance(frame, mean, unpacked(cov)), out=best)
    return np.asarray(cv2.exp(-np.maximum(best - 3, 0) / 4))


def _fallen(found: Unlike, mask: Mask) -> Array:
    """The light (h, w) that falls on the background, carried on behind the thing: 1 but in shadow."""
    free = (cv2.dilate(mask.astype(np.uint8), np.ones((7, 7), np.uint8)) == 0).astype(np.float32)
    h, w = mask.shape
    if free.sum() < 100:
        return np.ones((h, w), np.float32)
    return fill_unknown(found.light[..., None], free, (1.0, 3.0, 9.0, 27.0))[..., 0]


def _solved(frame: Rgb, seen: Seen, model: AwayModel) -> tuple[Matte, Rgb]:
    """Alpha and premultiplied colour, solved in the band about the border."""
    mask, behind = seen.mask, seen.behind
    h, w = mask.shape
    reach = BAND * w * model.reach
    inner = cv2.distanceTransform(mask.astype(np.uint8), cv2.DIST_L2, 5)
    outer = cv2.distanceTransform((~mask).astype(np.uint8), cv2.DIST_L2, 5)
    small = shrink(frame, max(2, w // 4), max(2, h // 4))
    core = shrink((inner > 2.5).astype(np.float32), small.shape[1], small.shape[0])
    local = local_colours(small, core, 8 / 640 * small.shape[1], 24 / 640 * small.shape[1]).packed()
    off = misfit(frame, behind, model.law, model.grains, model.wear)
    inner = _depth(mask, off, inner < reach)
    like = np.where(mask, np.maximum(seen.like, np.minimum(inner / reach, 1) ** 2), 0)
    bare = _bare(off, like, outer > reach)
    law = _law_of(spread(frame, behind, model.law, model.grains, model.wear), frame, ~mask if not mask.all() else mask)
    first = solve_pixels(frame, behind, law, inner, reach, bare, local, model.clusters, green=True, priors=NO_SCREEN)
    local, bare = edge_colours(*first), np.maximum(bare, BARE_FLOOR)
    alpha, fore = solve_pixels(frame, behind, law, inner, reach, bare, local, NO_CLUSTERS, green=True, priors=NO_SCREEN_AGAIN)
    alone = _alone(alpha, mask) | (outer > reach)
    alpha[alone], fore[alone] = 0, 0
    return alpha, fore


def _law_of(variance: Array, level: Rgb, where: Mask) -> Array:
    """The noise law (3, 2) that comes nearest to variances (h, w, 3) at levels (h, w, 3), in proportion to them, `where` it is looked at."""
    some = np.flatnonzero(where)[:: max(1, int(where.sum()) // SOME)]
    out = np.zeros((3, 2))
    for c in range(3):
        v = np.maximum(variance[..., c].ravel()[some], 1e-12)
        x = np.stack([np.maximum(level[..., c].ravel()[some], 0), np.ones(len(some))], 1) / v[:, None]
        out[c] = nnls(x, np.ones(len(some)))[0]
    return np.maximum(out, 1e-9).astype(np.float32)


def _depth(mask: Mask, off: Array, near: Mask) -> Array:
    """px (h, w) from what may be background: outside, and what looks like it `near` the border, as between hairs. Deeper in, what looks like the
    background is closed."""
    maybe = ~mask | (near & (cv2.GaussianBlur(off, (0, 0), 0.7) < NOISE_ONLY))
    return np.asarray(cv2.distanceTransform((~maybe).astype(np.uint8), cv2.DIST_L2, 5))


def _alone(alpha: Matte, mask: Mask) -> Mask:
    """What hangs on no part of the thing: specks that noise makes."""
    count, labels = cv2.connectedComponents(((alpha > 0.02) | mask).astype(np.uint8), connectivity=8)
    hangs = np.zeros(count, bool)
    hangs[labels[mask]] = True
    return np.asarray(~hangs[labels])


def _veiled(frame: Rgb, seen: Seen, model: AwayModel, alpha: Matte, fore: Rgb) -> None:
    """Put in what comes through glass, smoke or gauze, in place: told by the background's texture, carried on to where that has none."""
    mask, behind = seen.mask, seen.behind
    share, trust = seen_through(frame, behind, spread(frame, behind, model.law, model.grains, model.wear))
    trust = np.asarray(cv2.erode(trust * mask, np.ones((3, 3), np.uint8)), np.float32)
    told = np.where(share > 0, trust, 0)
    if told.max() < 0.5:
        return
    whole = _clear_parts(mask, told, trust)
    known = np.where(
        whole[..., None],
        fill_unknown(np.dstack([share, told]), told * whole, (1.0, 3.0, 9.0, 27.0)),
        fill_unknown(np.dstack([share, told]), trust, (1.0, 3.0)),
    )
    within = cv2.erode(mask.astype(np.float32), np.ones((5, 5), np.uint8))
    weight = np.clip(2 * cv2.GaussianBlur(known[..., 1] * within, (0, 0), 1.0), 0, 1)
    alpha += weight * (1 - known[..., 0] - alpha)
    fore += weight[..., None] * (np.maximum(frame - known[..., :1] * behind, 0) - fore)


def _clear_parts(mask: Mask, told: Array, trust: Array) -> Mask:
    """The parts of the thing that are see-through as a whole, such as a pane: what was told of them says so nearly everywhere."""
    count, labels = cv2.connectedComponents(mask.astype(np.uint8), connectivity=8)
    area = np.maximum(np.bincount(labels.ravel(), minlength=count), 1)
    clear = np.bincount(labels.ravel(), told.ravel(), minlength=count)
    opaque = np.bincount(labels.ravel(), (trust - told).ravel(), minlength=count)
    chosen = (clear > 0.05 * area) & (clear > 3 * opaque)
    chosen[0] = False
    return np.asarray(chosen[labels])


def _bare(away: Array, like: Array, far: Mask) -> Array:
    """Prior (h, w) of a pixel being bare background: high where it differs from it no more than pixels do `far` from the
    thing, less where it may as well be the thing itself (`like`, 0..1)."""
    around = cv2.GaussianBlur(away, (0, 0), 0.7)
    usual = float(np.quantile(around[far], 0.99)) if far.sum() > 100 else 0.0
    odds = np.exp(np.minimum((around - np.clip(usual, NOISE_ONLY, MOST / 2)) * 0.7, 40))
    return np.asarray(0.01 + 0.98 * (1 - like) / (1 + odds), np.float32)
