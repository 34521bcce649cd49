"""The screen itself: which colour it is, and what it would be at every pixel if nobody stood before it.

The model of a frame is a base (one colour, or a picture of the empty screen) times a smooth ratio that is measured
where the frame plainly shows screen and carried on underneath the subject. Falloff, wrinkles and shadows change the
ratio of all channels alike and smoothly; glass and blur add another colour, so they are not taken for shadow.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numba import njit, prange

from transmixis.core.matte.convolve import fill_unknown, grow, shrink
from transmixis.core.matte.difference import Channels, ScreenKind, channels_of, colour_difference
from transmixis.core.types import Array, Mask, Matte, Rgb

GRID = 320  # px: width of the grid on which the ratio is modelled; the screen has no detail that needs more
LEAST_DIFFERENCE = 1e-4
# What cloth looks like at a width of 240 px: colour difference over the screen's channel, spread of the hue and slope of the
# brightness, stops. Made and rendered screens: 0.72 to 0.85, up to 0.26 and 0.017; skies, lawns and things of 40 photographs
# fail at least one by far.
CLOTH_WIDTH, CLOTH_STRENGTH, CLOTH_HUES, CLOTH_ROUGH = 240, 0.48, 0.4, 0.06
CLOTH_ONE_HUE = 0.12  # deep folds are rough, but of one hue


@dataclass(frozen=True)
class ScreenColour:
    """The screen as found: its kind, its median colour (3,) scene linear, and the share of the frame it fills."""

    kind: ScreenKind
    colour: Array
    share: float
    mask: Mask


@dataclass(frozen=True)
class NoScreen:
    """No screen was found, with the reason in plain words. Falsy."""

    reason: str

    def __bool__(self) -> bool:
        return False


def find_screen(frame: Rgb, kind: ScreenKind | None = None) -> ScreenColour | NoScreen:
    """Find a green or blue screen in one frame. Needs 4 % of the frame to be screen.

    Skies, lawns and painted things are green or blue too: unless `kind` says which colour it is, what is found must look like
    cloth, which is of one hue, strongly coloured and smooth.
    """
    best: ScreenColour | None = None
    best_score = 0.0
    strange = ""
    for k in (kind,) if kind else ("green", "blue"):
        found = _candidate(frame, k)
        if kind is None and found.share >= 0.04 and not looks_like_cloth(frame, found.kind):
            strange = strange or found.kind
            continue
        score = found.share * float(colour_difference(found.colour, channels_of(found.kind)) / (found.colour.max() + 1e-6))
        if found.share >= 0.04 and score > best_score:
            best, best_score = found, score
    if best is None and strange:
        return NoScreen(
            f"what is {strange} here is not of one hue and smooth, as cloth is; set Screen to {strange} if it is one all the same"
        )
    if best is None:
        return NoScreen(f"no {kind or 'green or blue'} area of at least 4 % of the frame stands out from the other colours")
    return best


def looks_like_cloth(frame: Rgb, kind: ScreenKind) -> bool:
    """True if the green or blue of a frame is of one hue, strongly coloured and smooth (figures in docs/limits.md)."""
    h, w = frame.shape[:2]
    small = shrink(frame, CLOTH_WIDTH, max(2, round(h * CLOTH_WIDTH / w))) if w > CLOTH_WIDTH else frame
    ch, found = channels_of(kind), _candidate(small, kind)
    if not found.mask.any():
        return False
    strength = float(colour_difference(found.colour, ch) / max(found.colour[ch.screen], 1e-6))
    px = np.maximum(small[found.mask], 1e-4)
    hues = [np.log2(px[:, c] / px[:, ch.screen]) for c in (ch.first, ch.second)]
    spread = max(1.48 * float(np.median(np.abs(v - np.median(v)))) for v in hues)
    gy, gx = np.gradient(np.log2(np.maximum(cv2.GaussianBlur(small[..., ch.screen], (0, 0), 1.0), 1e-4)))
    rough = float(np.median(np.hypot(gx, gy)[found.mask]))
    return strength > CLOTH_STRENGTH and spread < CLOTH_HUES and (rough < CLOTH_ROUGH or spread < CLOTH_ONE_HUE)


def neutral_matte(frame: Rgb, screen: Rgb, ch: Channels) -> Matte:
    """The plain difference matte (h, w): right where the subject's own colour difference is zero."""
    return np.asarray(1 - colour_difference(frame, ch) / np.maximum(colour_difference(screen, ch), LEAST_DIFFERENCE), np.float32)


def _candidate(frame: Rgb, kind: ScreenKind) -> ScreenColour:
    ch = channels_of(kind)
    d = colour_difference(frame, ch)
    saturated = d > 0.25 * np.maximum(frame[..., ch.screen], 1e-3)
    high = float(np.quantile(d[saturated], 0.9)) if saturated.any() else 0.0
    mask = saturated & (d > 0.22 * high) & (d > 2e-3)
    if not mask.any():
        return ScreenColour(kind, np.zeros(3, np.float32), 0.0, mask)
    return ScreenColour(kind, np.median(frame[mask], axis=0).astype(np.float32), float(mask.mean()), mask)


def quiet_clean(clean: Rgb, law: Array) -> Rgb:
    """Take the noise out of one frame of the empty screen, leaving what stands above it (crosses, seams)."""
    soft, keep = cv2.GaussianBlur(clean, (0, 0), 1.5), screen_detail(clean, law)[..., None]
    return (soft * (1 - keep) + clean * keep).astype(np.float32)


def screen_detail(clean: Rgb, law: Array) -> Matte:
    """(h, w) 0..1: where a frame of the empty screen holds more than noise."""
    soft = cv2.GaussianBlur(clean, (0, 0), 1.5)
    sd = np.sqrt(law[:, 0] * np.maximum(soft, 0) + law[:, 1])
    detail = cv2.GaussianBlur((np.abs(clean - soft) / sd).max(axis=2), (0, 0), 1.0)
    return np.asarray(np.clip(detail - 1.5, 0, 1), np.float32)


@dataclass(frozen=True)
class ScreenRatio:
    """The screen of one frame as a multiple of its base, on a small grid: `ratio` (gh, gw, 3), `sure` (gh, gw) 0..1."""

    ratio: Array
    sure: Matte
    small: Rgb  # the frame, averaged to the grid


def screen_ratio(frame: Rgb, small_base: Array, law: Array, ch: Channels, *, picture_base: bool) -> ScreenRatio:
    """Model the screen of `frame`. `small_base` is (3,) or the base averaged to the grid; `law` the plate's noise law."""
    h, w = frame.shape[:2]
    gw, gh = grid_size(w, h)
    small = shrink(frame, gw, gh)
    base = small_base if small_base.ndim == 3 else np.broadcast_to(small_base, (gh, gw, 3))
    averaged = max(1.0, (w / gw) ** 2 * 0.5)  # noise that area averaging leaves; half, since noise is correlated
    ratio, sure = _ratio(small, base, law / averaged, ch, picture_base)
    return ScreenRatio(np.ascontiguousarray(ratio, np.float32), sure, small)


def ratio_of(small: Rgb, small_base: Array, sure: Matte, *, picture_base: bool) -> Array:
    """The ratio (gh, gw, 3) of a frame's screen to its base where `sure` (gh, gw) 0..1 says that it is bare, carried on to everywhere else.
    `small` is the frame and `small_base` the base on the model's grid."""
    base = small_base if small_base.ndim == 3 else np.broadcast_to(small_base, small.shape)
    ratios = np.clip(small / np.maximum(base, 1e-4), 0, 4).astype(np.float32)
    scale = small.shape[1] / GRID
    return np.ascontiguousarray(fill_unknown(ratios, sure, tuple(s * scale for s in _finest(picture_base))), np.float32)


def _finest(picture_base: bool) -> tuple[float, ...]:
    """Sigmas (px of a grid of GRID): a picture holds the fine detail already."""
    return (4.5, 10.0, 25.0, 75.0) if picture_base else (1.75, 4.5, 10.0, 25.0, 75.0)


def grid_size(width: int, height: int) -> tuple[int, int]:
    """Width and height of the model's grid for a frame of this size."""
    gw = min(GRID, width)
    return gw, max(2, round(height * gw / width))


@dataclass(frozen=True)
class FrameScreen:
    """The screen of one frame: its colour (h, w, 3), and where the frame plainly shows it, on the model's grid."""

    colour: Rgb
    sure: Matte


def frame_screen(frame: Rgb, base: Array, law: Array, ch: Channels, *, picture_base: bool) -> FrameScreen:
    """The screen of `frame` at full size. `base` is (3,) or (h, w, 3)."""
    h, w = frame.shape[:2]
    small_base = shrink(base, *grid_size(w, h)) if base.ndim == 3 else base
    r = screen_ratio(frame, small_base, law, ch, picture_base=picture_base)
    return FrameScreen((grow(r.ratio, w, h) * base).astype(np.float32), r.sure)


def _ratio(x: Array, base: Array, law: Array, ch: Channels, picture_base: bool) -> tuple[Array, Matte]:
    """(h, w, 3) ratio of the screen to its base, and the weight of the pixels that plainly show screen."""
    scale = x.shape[1] / GRID
    d_base = np.maximum(colour_difference(base, ch), LEAST_DIFFERENCE)
    level = colour_difference(x, ch) / d_base
    plausible = (level > 0.25) & (level < 2.5)
    now = np.full(level.shape, np.median(level[plausible]) if plausible.any() else 1.0, np.float32)
    ratios = np.clip(x / np.maximum(base, 1e-4), 0, 4).astype(np.float32)
    rounds = (((20.0, 60.0), 1.2, 0.18), ((8.0, 20.0, 60.0), 0.18, 0.06), (_finest(picture_base), 0.10, 0.06))
    spread = np.zeros_like(level)
    index = np.array([ch.screen, ch.first, ch.second])
    for sigmas, stops, tint in rounds:
        plain = np.empty(level.shape, np.uint8)
        _plain_screen(x, base, level, now, spread, law, index, np.array([stops, tint], np.float32), plain)
        sure = _guard(plain)
        filled = fill_unknown(ratios, sure, tuple(s * scale for s in sigmas))
        screen = filled * base
        d_screen = np.maximum(colour_difference(screen, ch), LEAST_DIFFERENCE)
        now = np.maximum(d_screen / d_base, 0.05)
        sd = np.sqrt(2 * (law[ch.screen, 0] * np.maximum(screen[..., ch.screen], 0) + law[ch.screen, 1]))
        spread = 1.44 * sd / d_screen
    return filled, sure


@njit(parallel=True, cache=True, error_model="numpy", nogil=True)
def _plain_screen(x, base, level, now, spread, law, index, room, out):  # type: ignore[no-untyped-def]
    """Fill `out` with 1 where the brightness `level` is within room[0] stops of `now`, and the two other channels are
    those of the screen at this brightness within noise and room[1] of the screen's channel."""
    for v in prange(level.shape[0]):
        for u in range(level.shape[1]):
            n = max(level[v, u], np.float32(0))
            ok = n > np.float32(0.25) and n < np.float32(2.5)
            ok = ok and abs(np.log2(max(n, np.float32(1e-3)) / now[v, u])) < room[0] + 3 * spread[v, u]
            for i in range(1, 3):
                c = index[i]
                e = n * base[v, u, c]
                sd = np.sqrt(law[c, 0] * max(e, np.float32(0)) + law[c, 1])
                ok = ok and abs(x[v, u, c] - e) < np.float32(2.5) * sd + room[1] * n * base[v, u, index[0]]
            out[v, u] = 1 if ok else 0


def _guard(sure: Array) -> Matte:
    """Close pinholes, then step back from every border so that no edge pixel enters the model."""
    m = cv2.morphologyEx(sure, cv2.MORPH_CLOSE, np.ones((3, 3), np.uint8))
    return cv2.erode(m, np.ones((3, 3), np.uint8)).astype(np.float32)
