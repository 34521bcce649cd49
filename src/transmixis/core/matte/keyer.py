"""Keying a shot: learn the screen and the subject once, then key any frame of it."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

import cv2
import numpy as np

from transmixis.core.matte.convolve import grow, shrink
from transmixis.core.matte.difference import Channels, ScreenKind, channels_of
from transmixis.core.matte.edges import edge_adjust
from transmixis.core.matte.empty import BARE, EmptyScreen, empty_screen, refined, seen_bare
from transmixis.core.matte.expand import compare_halves, remove_spill, spread_screen
from transmixis.core.matte.screen import (
    NoScreen,
    find_screen,
    frame_screen,
    grid_size,
    neutral_matte,
    quiet_clean,
    ratio_of,
    screen_ratio,
)
from transmixis.core.matte.solve import AGAIN, solve_pixels
from transmixis.core.matte.subject import NO_CLUSTERS, Clusters, core_distance, edge_colours, local_colours, shot_clusters
from transmixis.core.survey.noise import noise_law
from transmixis.core.types import Array, Mask, Matte, Rgb

if TYPE_CHECKING:
    from collections.abc import Sequence

REACH = 11.0 / 640  # of the frame's width: how deep behind the outline blur and translucency are looked for
# Variance over signal, and beside it: a camera in good light has no less. A plate with less was smoothed or coded, which took detail of the
# noise's size too, so that a pixel may well be further off than what is left of the noise says (docs/keying.md has what it brings).
LEAST_LAW = np.array([3e-5, 3e-7])
AGAIN_ROUNDS = 2  # a third wins a tenth of what the first two did
WIDE = 1200  # px: from this width depth is measured on a grid of half the size
BARE_FLOOR = 0.05  # the least prior of bare screen in the second solution; the results change little from 0.05 to 0.15


@dataclass(frozen=True)
class KeySettings:
    """What a person can set. Points are raw matte values; shrink and soften are px; spill is 0..1; reach is a factor."""

    black: float = 0.0
    white: float = 1.0
    shrink: float = 0.0
    soften: float = 0.0
    spill: float = 1.0
    reach: float = 1.0


@dataclass(frozen=True)
class KeyModel:
    """What was learnt of a shot. `base` is (3,) or (h, w, 3); `marks` (h, w) True where a still mark was left to the frame."""

    kind: ScreenKind
    base: Array
    law: Array
    clusters: Clusters
    screen_colour: Array
    notes: tuple[str, ...] = ()
    picture_base: bool = False
    marks: Mask | None = None
    _small: dict[tuple[int, int], Array] = field(default_factory=dict, repr=False, compare=False)

    @property
    def cautious(self) -> Array:
        """The noise law that pixels are judged by: the measured one, but no less than any camera's."""
        return _cautious(self.law)

    def base_for(self, width: int, height: int) -> Array:
        """The base as (height, width, 3), or (1, 1, 3) for one colour; a picture of another size is resized."""
        if self.base.ndim == 1:
            return self.base[None, None]
        return self.base if self.base.shape[:2] == (height, width) else grow(self.base, width, height)

    def small_base(self, width: int, height: int) -> Array:
        """The base on the screen model's grid, or (3,) for one colour."""
        if self.base.ndim == 1:
            return self.base
        size = grid_size(width, height)
        if size not in self._small:
            self._small[size] = shrink(self.base, *size)
        return self._small[size]


@dataclass(frozen=True)
class KeyResult:
    """One keyed frame: the final `alpha`, premultiplied `foreground`, and what it was made from."""

    alpha: Matte
    foreground: Rgb
    raw: Matte
    screen: Rgb
    sure_screen: Matte  # 0..1 on the model's grid: plainly screen, by colour alone
    depth: Array = field(repr=False)  # px from what may be screen, on a grid of half the size
    reach: float = 0.0


def learn_shot(
    frames: Sequence[Rgb],
    *,
    kind: ScreenKind | None = None,
    clean: Rgb | None = None,
    still_camera: bool = True,
    reach: float = 1.0,
) -> KeyModel | NoScreen:
    """Learn screen and subject from sampled `frames` of one shot, and from a frame of the empty screen if there is one.

    `still_camera` allows pixels of the screen to be taken from other frames where somebody stands in this one.
    """
    found = [find_screen(f, kind) for f in frames]
    good = [s for s in found if not isinstance(s, NoScreen)]
    if not good:
        return found[0] if found and isinstance(found[0], NoScreen) else NoScreen("there is no frame to look at")
    chosen: ScreenKind = max({s.kind for s in good}, key=lambda k: sum(s.share for s in good if s.kind == k))
    ch = channels_of(chosen)
    same = [(f, s) for f, s in zip(frames, found, strict=True) if not isinstance(s, NoScreen) and s.kind == chosen]
    colour = np.median([s.colour for _, s in same], axis=0).astype(np.float32)
    law = np.median([noise_law(f, _inner(s.mask)) for f, s in same[:4]], axis=0).astype(np.float32)
    empty = _learn_empty([f for f, _ in same], colour, _cautious(law), ch, clean, still_camera)
    model = KeyModel(chosen, empty.base, law, NO_CLUSTERS, colour, empty.notes, empty.base.ndim == 3, empty.marks)
    model = replace(model, clusters=_learn_clusters([f for f, _ in same], model, reach))
    return model if empty.kept is None else _seen_again([f for f, _ in same], model, empty.kept)


def _seen_again(frames: Sequence[Rgb], model: KeyModel, kept: Mask) -> KeyModel:
    """The model with the base of its screen made once more from what it keys as bare, twice: the second key is the better for the first."""
    for _ in range(AGAIN_ROUNDS):
        keyed = ((r.raw, r.screen) for r in (key_frame(f, model) for f in frames))  # one at a time: they are large
        model = replace(model, base=seen_bare(model.base, frames, keyed, model.screen_colour, kept), _small={})
    return model


def _cautious(law: Array) -> Array:
    return np.asarray(np.maximum(law, LEAST_LAW), np.float32)


def _inner(mask: Mask) -> Mask:
    return np.asarray(cv2.erode(mask.astype(np.uint8), np.ones((9, 9), np.uint8)) > 0)


def _learn_empty(frames: Sequence[Rgb], colour: Array, law: Array, ch: Channels, clean: Rgb | None, still: bool) -> EmptyScreen:
    if clean is not None and clean.shape == frames[0].shape:
        base, words = quiet_clean(clean, law), "screen taken from the clean plate"
        if still and len(frames) >= 3:
            base, share = refined(base, frames, law, ch)
            words += f", {share:.0f} % of it made clearer from {len(frames)} frames of the take"
        return EmptyScreen(base, (words,), None)
    notes = () if clean is None else ("the clean plate has another size than the take and was left out",)
    made = empty_screen(frames, colour, law, ch, still=still)
    base = refined(made.base, frames, law, ch)[0] if made.base.ndim == 3 else made.base
    return replace(made, base=base, notes=notes + made.notes)


def _learn_clusters(frames: Sequence[Rgb], model: KeyModel, reach: float) -> Clusters:
    cores, ch = [], channels_of(model.kind)
    for f in frames:
        scr = frame_screen(f, model.base, model.cautious, ch, picture_base=model.picture_base)
        px = REACH * f.shape[1] * reach
        depth, _ = core_distance(neutral_matte(f, scr.colour, ch), px, 0.8)
        deep = depth > px
        if deep.mean() < 0.002:  # a thin subject has no deep core: take its ridges
            ridge = depth >= 0.8 * cv2.dilate(depth, np.ones((9, 9), np.uint8))
            deep = (depth > 0.25 * px) & ridge
        cores.append(deep)
    return shot_clusters(frames, cores)


def key_frame(frame: Rgb, model: KeyModel, settings: KeySettings | None = None) -> KeyResult:
    """Key one scene-linear (h, w, 3) frame of the shot `model` was learnt from. The frame is unchanged."""
    s = settings or KeySettings()
    ch = channels_of(model.kind)
    index = np.array([ch.screen, ch.first, ch.second])
    frame = np.ascontiguousarray(frame, np.float32)
    h, w = frame.shape[:2]
    base, small_base = model.base_for(w, h), model.small_base(w, h)
    grid = screen_ratio(frame, small_base, model.cautious, ch, picture_base=model.picture_base)
    halves = np.empty((2, h // 2, w // 2, 3), np.float32)
    neutral, power = np.empty((h // 2, w // 2), np.float32), np.empty((h // 2, w // 2), np.float32)
    compare_halves(frame, base, grid.ratio, model.cautious, index, halves, neutral, power)
    screen = np.empty((h, w, 3), np.float32)
    reach = REACH * w * s.reach
    if w < WIDE:
        spread_screen(base, grid.ratio, screen)
    depth = _depth(frame, screen, neutral, reach, ch)
    bare, local = _bare_prior(power, grid.sure), _local(grid.small, depth > reach, w)
    green = model.kind == "green"
    first = solve_pixels(halves[0], halves[1], model.cautious / 2, depth, reach, bare, local, model.clusters, green=green)
    sure = grid.sure * _bare_blocks(first[0], grid.sure.shape)
    ratio = ratio_of(grid.small, small_base, sure, picture_base=model.picture_base)
    spread_screen(base, ratio, screen)
    bare, local = np.maximum(bare, BARE_FLOOR), edge_colours(*first)
    raw, fore = solve_pixels(frame, screen, model.cautious, depth, reach, bare, local, NO_CLUSTERS, green=green, priors=AGAIN)
    if model.marks is not None and model.marks.shape == raw.shape:
        raw[model.marks], fore[model.marks] = 0, 0
    alpha, fore = _finish(raw, fore, screen, s, index)
    return KeyResult(alpha, fore, raw, screen, grid.sure, depth, reach)


def _bare_blocks(alpha: Matte, shape: tuple[int, ...]) -> Matte:
    """Where a first solution finds nothing at all before the screen, on the model's grid (1 or 0)."""
    bare = shrink((alpha < BARE).astype(np.float32), shape[1], shape[0])
    return (bare > 0.99).astype(np.float32)


def _depth(frame: Rgb, screen: Rgb, half_neutral: Matte, reach: float, ch: Channels) -> Array:
    """Distance (px of the frame) from what may be screen; at half size for large frames, where that loses nothing."""
    if frame.shape[1] < WIDE:
        return core_distance(neutral_matte(frame, screen, ch), reach, 0.8)[0]
    return core_distance(half_neutral, reach / 2, 0.6)[0] * 2


def _local(small: Rgb, core: Mask, width: int) -> Array:
    """(gh, gw, 10) of the core's colour around each pixel: support, mean, packed covariance."""
    gh, gw = max(2, small.shape[0] // 2), max(2, small.shape[1] // 2)
    weight = shrink(core.astype(np.float32), gw, gh)
    return local_colours(shrink(small, gw, gh), weight, 8 / 640 * gw, 24 / 640 * gw).packed()


def _bare_prior(power: Array, sure: Matte) -> Matte:
    """Prior of each 2 x 2 block being bare screen: high where its surroundings differ from the screen by noise only."""
    power = np.asarray(cv2.GaussianBlur(power, (0, 0), 0.7))
    plain = cv2.resize(sure, power.shape[::-1], interpolation=cv2.INTER_NEAREST)[::3, ::3] > 0
    usual = max(float(np.median(power[::3, ::3][plain])) if plain.any() else 2.4, 1.0)
    power = cv2.dilate(power, np.ones((3, 3), np.uint8)) / np.float32(usual)
    odds = np.asarray(cv2.exp(np.minimum((power - np.float32(9)) * np.float32(0.7), np.float32(40))))
    return np.asarray(0.01 + 0.98 / (1 + odds), np.float32)


def _finish(raw: Matte, fore: Rgb, screen: Rgb, s: KeySettings, index: Array) -> tuple[Matte, Rgb]:
    """Apply the person's settings: spill, black and white point, edge shrink and soften."""
    if s.spill > 0:
        remove_spill(fore, screen, raw, index, np.float32(s.spill))
    if s.black <= 0 and s.white >= 1 and s.shrink == 0 and s.soften == 0:
        return raw, fore
    alpha = np.clip((raw - s.black) / max(s.white - s.black, 1e-3), 0, 1).astype(np.float32)
    alpha = edge_adjust(alpha, s.shrink, s.soften)
    gain = alpha / np.maximum(raw, 1e-4)
    # where the matte grew, the colour of the pixel itself carries on; never more than four times, which is noise
    return alpha, (fore * np.minimum(gain, 4.0)[..., None]).astype(np.float32)
