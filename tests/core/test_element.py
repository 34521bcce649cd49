"""Cards of stock elements against made ones."""

from __future__ import annotations

import colorsys

import cv2
import numpy as np
import pytest

from transmixis.core.colour.curves import srgb_to_linear
from transmixis.core.survey.element import card_of, hue_word


def ball(frames: int, ground: float, level: float, dx: float, dy: float, first: int = 0) -> list[np.ndarray]:
    """A soft ball that flies, from frame `first` on."""
    yy, xx = np.mgrid[0:72, 0:128].astype(np.float32)
    out = []
    for n in range(frames):
        f = np.full((72, 128, 3), ground, np.float32)
        if n >= first:
            x, y = 40 + dx * (n - first), 36 + dy * (n - first)
            shape = np.exp(-((xx - x) ** 2 + (yy - y) ** 2) / 40)[..., None]
            f = f * (1 - shape) + shape * np.float32([level, 0.5 * level, 0.1 * level])
        out.append(f)
    return out


@pytest.mark.parametrize(("ground", "level", "word"), [(0.0, 0.9, "black"), (0.95, 0.1, "white"), (0.3, 0.9, "picture")])
def test_the_ground_and_the_times_of_the_action(ground: float, level: float, word: str) -> None:
    c = card_of(ball(20, ground, level, 2.0, 0.0, first=5), None, 24.0)
    assert c
    assert c.ground == word
    if word != "picture":
        assert c.first == 6
        assert c.last == 20
    x, y, w, h = c.box
    assert x < 40 / 128
    assert x + w > 68 / 128
    assert y < 0.5 < y + h


@pytest.mark.parametrize(
    ("dx", "dy", "word"),
    [(2.0, 0.0, "right"), (-1.5, 0.0, "left"), (0.0, -1.2, "up"), (0.4, 0.4, "down right"), (0.0, 0.0, "no one way")],
)
def test_direction_and_speed(dx: float, dy: float, word: str) -> None:
    c = card_of(ball(14, 0.0, 0.9, dx, dy), None, 24.0)
    assert c
    assert c.direction == word
    assert c.speed == pytest.approx(np.hypot(dx, dy) * 24 / 128, rel=0.35)


def test_a_whole_turn_loops_and_a_flight_does_not() -> None:
    yy, xx = np.mgrid[0:72, 0:128].astype(np.float32)
    turning = []
    for n in range(24):
        a = 2 * np.pi * n / 24
        shape = np.exp(-((xx - 64 - 20 * np.cos(a)) ** 2 + (yy - 36 - 20 * np.sin(a)) ** 2) / 60)
        turning.append(np.repeat(shape[..., None], 3, 2).astype(np.float32))
    c, flight = card_of(turning, None, 24.0), card_of(ball(20, 0.0, 0.9, 2.0, 0.0), None, 24.0)
    assert c
    assert flight
    assert c.loops
    assert c.seam < 1.3
    assert not flight.loops


def test_alpha_colour_and_nothing() -> None:
    frames = ball(8, 0.0, 0.9, 1.0, 0.0)
    c = card_of(frames, [f[..., 0] for f in frames], 24.0)
    assert c
    assert c.ground == "alpha"
    assert c.hue == "orange"
    assert card_of([np.zeros((72, 128, 3), np.float32)] * 5, None, 24.0) is None
    words = [hue_word(c) for c in ((0.9, 0.1, 0.1), (0.2, 0.7, 0.2), (0.1, 0.2, 0.9), (0.5, 0.5, 0.5))]
    assert words == ["red", "green", "blue", "grey"]


@pytest.mark.parametrize(("dx", "dy", "word"), [(0.0, -0.45, "up"), (0.5, 0.0, "right"), (0.3, 0.3, "down right")])
def test_slow_soft_smoke_tells_its_speed(dx: float, dy: float, word: str) -> None:
    """Soft puffs drift through a plume that itself stands still."""
    rng = np.random.default_rng(12)
    wide = cv2.GaussianBlur(rng.normal(0, 1, (160, 220)).astype(np.float32), (0, 0), 4.0)
    wide = np.clip(0.5 + wide / (3 * wide.std()), 0, 1)
    yy, xx = np.mgrid[0:72, 0:128]
    plume = 0.3 * np.exp(-((xx - 64) ** 2) / 800 - ((yy - 36) ** 2) / 500).astype(np.float32)
    thumbs = []
    for n in range(24):
        m = np.float32([[1, 0, 46 - dx * n], [0, 1, 44 - dy * n]])
        puffs = cv2.warpAffine(wide, m, (128, 72), flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP)
        thumbs.append(np.repeat((plume * puffs)[..., None], 3, axis=2))
    c = card_of(thumbs, None, 24.0)
    assert c is not None
    assert c.direction == word
    assert c.speed == pytest.approx(np.hypot(dx, dy) * 24 / 128, rel=0.2)


def squares(frames: int, at: tuple[int, int], size: tuple[int, int], colour: tuple[float, float, float]) -> list[np.ndarray]:
    out = []
    for n in range(frames):
        f = np.zeros((72, 128, 3), np.float32)
        f[at[1] : at[1] + size[1], at[0] + n : at[0] + n + size[0]] = colour
        out.append(f)
    return out


def test_the_card_of_a_hard_square_to_the_pixel() -> None:
    c = card_of(squares(6, (30, 20), (12, 9), (0.8, 0.4, 0.1)), None, 24.0)
    assert c is not None
    assert c.box == pytest.approx((30 / 128, 20 / 72, 17 / 128, 9 / 72))  # it goes five pixels on
    assert c.colour == pytest.approx((0.8, 0.4, 0.1), rel=1e-4)
    assert (c.first, c.last, c.black) == (1, 6, 0)


def test_the_peak_is_the_frame_with_most_in_it() -> None:
    frames = squares(9, (40, 20), (10, 10), (0.5, 0.5, 0.5))
    frames[6] *= 1.5
    for n in (0, 1, 8):
        frames[n] *= 0.02
    c = card_of(frames, None, 24.0)
    assert c is not None
    assert (c.first, c.peak, c.last) == (3, 7, 8)


def test_the_seam_is_the_jump_over_the_usual_change() -> None:
    """A grey that climbs by steps of its square root: the jump back is as many steps as there are."""
    frames = [np.full((72, 128, 3), (0.5 + 0.01 * n) ** 2, np.float32) for n in range(11)]
    for n, f in enumerate(frames):
        f[30:40, 50:60] = 0.9 - 0.02 * n  # something that happens
    c = card_of(frames, None, 24.0)
    assert c is not None
    assert c.seam == pytest.approx(10, rel=0.05)
    assert not c.loops
    short = card_of(frames[:3], None, 24.0)
    assert short is not None
    assert short.seam == float("inf")


@pytest.mark.parametrize(
    ("hue", "word"),
    [
        (0, "red"),
        (30, "orange"),
        (55, "yellow"),
        (120, "green"),
        (180, "cyan"),
        (230, "blue"),
        (280, "violet"),
        (320, "pink"),
        (350, "red"),
    ],
)
@pytest.mark.parametrize("saturation", [0.9, 0.2])
def test_hues_have_their_words(hue: float, word: str, saturation: float) -> None:
    rgb = srgb_to_linear(np.array(colorsys.hsv_to_rgb(hue / 360, saturation, 0.8)))
    assert hue_word(tuple(rgb)) == word  # type: ignore[arg-type]
    faint = srgb_to_linear(np.array(colorsys.hsv_to_rgb(hue / 360, 0.08, 0.8)))
    assert hue_word(tuple(faint)) == "grey"  # type: ignore[arg-type]
