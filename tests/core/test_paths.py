"""Paths of a camera, judged and steadied: made paths whose verdict and whose cure follow from arithmetic."""

from __future__ import annotations

import math

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from movingplates import centred, made_picture, seen
from scipy.ndimage import gaussian_filter1d

from transmixis.core.errors import UserError
from transmixis.core.motion.coding import grey_of
from transmixis.core.motion.point import follow_points
from transmixis.core.motion.similarity import Similarity
from transmixis.core.motion.smooth import smoothed
from transmixis.core.motion.steady import corrections, from_points, moved, zoom_needed
from transmixis.core.survey.camera_path import CameraPath, judge, path_of

SIZE = (540, 960)


def path(
    x: np.ndarray, y: np.ndarray | None = None, *, error: float = 0.01, by: str = "scene", rival: np.ndarray | None = None
) -> CameraPath:
    n = len(x)
    y = np.zeros(n) if y is None else y
    away = np.zeros((0, 3)) if rival is None else rival
    return CameraPath(np.asarray(x, float), y, np.zeros(n), np.ones(n), np.full(n, error), SIZE, by, away)


def test_locked_up_to_the_stated_tremble_and_drift() -> None:
    rng = np.random.default_rng(1)
    noise = rng.normal(0, 1, 200)
    noise -= gaussian_filter1d(noise, 4)
    noise /= np.sqrt((noise**2).mean())
    assert judge(path(0.04 * noise)).verdict == "locked"
    shaking = judge(path(0.07 * noise))
    assert shaking.verdict == "nearly"
    assert "trembles by 0.07 px rms" in shaking.words
    assert shaking.tremble == pytest.approx(0.07, rel=0.1)
    assert judge(path(0.07 * noise, error=0.04)).verdict == "locked"  # within twice the error it is none
    assert judge(path(0.09 * noise, error=0.04)).verdict == "nearly"


def test_a_drift_keeps_its_length_and_is_moving_from_a_pixel_and_a_half_on() -> None:
    for length, verdict in ((0.2, "locked"), (0.35, "nearly"), (1.4, "nearly"), (1.6, "moving"), (40.0, "moving")):
        found = judge(path(np.linspace(0, length, 48)))
        assert found.verdict == verdict, length
        assert found.drift == pytest.approx(length, rel=0.02)
        assert found.tremble < 0.02
        assert found.meant == (length > 0.03 * 960)
    diagonal = judge(path(np.linspace(0, 3, 48), np.linspace(0, 4, 48)))
    assert diagonal.drift == pytest.approx(5.0, rel=0.02)
    assert judge(path(np.linspace(0, 0.35, 48), error=0.1)).verdict == "locked"  # under four times the error


def test_turning_and_growing_move_the_corners() -> None:
    n = 5
    half = math.hypot(*SIZE) / 2
    turned = CameraPath(np.zeros(n), np.zeros(n), np.linspace(0, 0.23, n), np.ones(n), np.full(n, 0.01), SIZE)
    assert turned.shift[-1] == pytest.approx(math.radians(0.23) * half)
    grown = CameraPath(np.full(n, 3.0), np.full(n, 4.0), np.zeros(n), np.full(n, 1.003), np.full(n, 0.01), SIZE)
    assert grown.shift[0] == pytest.approx(5 + 0.003 * half)
    s = turned.similarity(4)
    assert (s.turn, s.pivot) == (pytest.approx(0.23), (480, 270))


def test_knocks_stay_and_jolts_return() -> None:
    quiet = 0.01 * np.sin(np.arange(40.0))
    knocked = quiet + np.where(np.arange(40) >= 20, 0.8, 0)
    found = judge(path(knocked))
    assert found.knocks == (21,)
    assert "is knocked at frame 21" in found.words
    for long in (1, 2):
        jolted = quiet + np.where((np.arange(40) >= 20) & (np.arange(40) < 20 + long), 0.9, 0)
        found = judge(path(jolted))
        assert found.knocks == (21,)
        assert "is jolted and comes back at frame 21" in found.words
    slight = quiet + np.where(np.arange(40) >= 20, 0.35, 0)
    assert judge(path(slight)).knocks == ()
    shaken = np.random.default_rng(2).normal(0, 1, 40)
    assert judge(path(shaken)).knocks == ()  # a step among as large ones is no knock


def test_too_little_that_is_known_says_so() -> None:
    p = path(np.zeros(10))
    p.error[:6] = np.nan
    found = judge(p)
    assert found.verdict == "unknown"
    assert np.isnan(found.off).all()
    assert "too little still texture" in found.words
    q = path(np.zeros(10), by="screen")
    q.error[:6] = np.nan
    assert "put marks on it" in judge(q).words
    p.error[:6] = 0.01
    p.error[:5] = np.nan
    assert judge(p).verdict == "locked"  # half of it is enough
    assert np.isnan(judge(p).off[0])
    assert np.isfinite(judge(p).off[9])


def test_a_rival_is_named_from_a_third_of_the_frames_on() -> None:
    def rivals(count: int) -> np.ndarray:
        out = np.zeros((20, 3))
        out[:count] = [6.0, 8.0, 0.25]
        return out

    assert "compete" not in judge(path(np.zeros(20), rival=rivals(5))).words
    named = judge(path(np.zeros(20), rival=rivals(6))).words
    assert "25 % of the points go up to 10.0 px otherwise" in named
    assert "read on the screen" in judge(path(np.zeros(20), by="screen", rival=rivals(20))).words


def scan(shift: tuple[float, float] | None, step: tuple[float, float] | None, error: float = 0.01) -> dict:
    def row(v: tuple[float, float] | None) -> np.ndarray:
        return np.array([*(v or (0, 0)), 0, 1, error if v else np.nan, 50])

    out = {"size": np.array(SIZE), "shift": row(shift), "by": np.array("scene"), "rival": np.zeros(3)}
    return out if step is None else {**out, "step": row(step)}


def test_where_the_reference_is_lost_the_steps_go_on() -> None:
    scans = [scan(None, None), scan((1, 0), (1, 0)), scan(None, (1, 0.5)), scan(None, (1, 0.5)), scan((4, 1), (1, 0))]
    p = path_of(scans)
    assert p.x == pytest.approx([0, 1, 2, 3, 4])
    assert p.y == pytest.approx([0, 0, 0.5, 1, 1])
    assert p.error == pytest.approx([0, 0.01, math.hypot(0.01, 0.01), 0.01 * math.sqrt(3), 0.01])
    broken = [scan(None, None), scan(None, None), scan(None, (1, 0))]
    assert list(path_of(broken).known) == [True, False, False]


def test_a_film_that_begins_black_has_its_path_from_where_it_shows_something() -> None:
    def failed() -> dict:
        return {**scan(None, None), "step": np.array([0, 0, 0, 1, np.nan, 0])}

    scans = [scan(None, None), failed(), scan(None, (1, 0)), scan(None, (1, 0.5))]
    p = path_of(scans)
    assert list(p.known) == [False, True, True, True]
    assert p.x[1:] == pytest.approx([0, 1, 2])
    tied = [scan(None, None), failed(), scan((3, 0), None), scan(None, (1, 0.5))]
    assert list(path_of(tied).known) == [True, False, True, True]  # the first shows what others are found by
    assert list(path_of([scan(None, None), failed(), failed()]).known) == [True, False, False]


def test_a_far_frame_that_disagrees_with_its_steps_is_mistaken() -> None:
    scans = [scan(None, None), scan((1, 0), (1, 0)), scan((30, 0), (1, 0)), scan((6.5, 0), (1, 0))]
    assert path_of(scans).x == pytest.approx([0, 1, 2, 6.5])  # 3.5 px apart is within what steps may miss; 28 is not


# -- steadying


@settings(max_examples=30)
@given(st.integers(0, 9999), st.floats(0, 1))
def test_full_correction_brings_each_frame_to_the_reference(seed: int, strength: float) -> None:
    rng = np.random.default_rng(seed)
    moves: list[Similarity | None] = [
        Similarity(*rng.normal(0, 5, 2), rng.normal(0, 1.2), math.exp(rng.normal(0, 0.02)), (50.0, 40.0)) for _ in range(6)
    ]
    corners = np.array([[0.0, 0.0], [100, 0], [30, 80]])
    for move, correction in zip(moves, corrections(moves, 2, 1.0, 0.0), strict=True):
        assert correction.after(move).apply(corners) == pytest.approx(moves[2].apply(corners), abs=1e-6)  # type: ignore[union-attr]
    part = corrections(moves, 2, strength, 0.0)
    for move, correction in zip(moves, part, strict=True):
        to = correction.after(move).about((50.0, 40.0))  # type: ignore[arg-type]
        assert to.x == pytest.approx(move.x + strength * (moves[2].x - move.x), abs=1e-6)  # type: ignore[union-attr]
        assert to.turn == pytest.approx(move.turn + strength * (moves[2].turn - move.turn), abs=1e-9)  # type: ignore[union-attr]


def test_a_smoothed_path_keeps_a_steady_pan() -> None:
    pan: list[Similarity | None] = [Similarity(2.0 * i + (0.5 if i % 2 else -0.5), 0) for i in range(60)]
    after = [c.x + p.x for c, p in zip(corrections(pan, 0, 1.0, 3.0), pan, strict=True)]  # type: ignore[union-attr]
    assert np.abs(np.array(after) - 2.0 * np.arange(60)).max() < 0.2  # up to the very ends
    alone = corrections([Similarity(3, 4)], 0, 1.0, 5.0)
    assert (alone[0].x, alone[0].y) == (0, 0)


@settings(max_examples=25)
@given(st.integers(0, 9999), st.floats(1.0, 9.0), st.integers(12, 90))
def test_the_slow_part_is_a_local_line(seed: int, sigma: float, n: int) -> None:
    """Against weighted least squares by numpy at each frame; a straight path stays what it is."""
    rng = np.random.default_rng(seed)
    rows = np.stack([np.cumsum(rng.normal(0, 1, n)), 3 - 0.7 * np.arange(n)], 1)
    out = smoothed(rows, sigma)
    at = np.arange(n)
    for i in (0, 1, n // 2, n - 1):
        weight = np.exp(-((at - i) ** 2) / (2 * sigma**2)) * (np.abs(at - i) <= max(1, round(4 * sigma)))
        fit = np.polynomial.polynomial.polyfit(at - i, rows[:, 0], 1, w=np.sqrt(weight))
        assert out[i, 0] == pytest.approx(fit[0], abs=1e-6)
    assert out[:, 1] == pytest.approx(rows[:, 1], abs=1e-6)
    inside = round(4 * sigma)
    if n > 2 * inside + 1:
        mean = gaussian_filter1d(rows[:, 0], sigma, truncate=4.0, radius=max(1, inside))
        assert out[inside:-inside, 0] == pytest.approx(mean[inside:-inside], abs=1e-6)


def test_a_frame_whose_motion_is_not_known_moves_like_its_neighbours() -> None:
    some: list[Similarity | None] = [Similarity(0, 0), None, Similarity(4, 2), None]
    found = corrections(some, 0, 1.0, 0.0)
    assert (found[1].x, found[1].y) == (pytest.approx(-2), pytest.approx(-1))
    assert (found[3].x, found[3].y) == (pytest.approx(-4), pytest.approx(-2))
    assert corrections([None, None], 0, 1.0, 0.0)[1].x == 0


@pytest.mark.parametrize(("x", "y", "zoom"), [(0, 0, 1.0), (10, 0, 99 / 79), (0, -6, 59 / 47), (10, 6, 59 / 47)])
def test_the_least_enlargement_that_shows_no_border(x: float, y: float, zoom: float) -> None:
    """A frame of 100 x 60 moved by x: what is left about the middle is narrower by twice that."""
    found = zoom_needed([Similarity(), Similarity(x, y)], (60, 100))
    assert found == pytest.approx(max(zoom, 99 / (99 - 2 * abs(x)) if x else 1), rel=0.003)
    v = np.ones((60, 100, 4), np.float32)
    for more, bare in ((1.003, False), (0.98, True)):
        out = moved(v, Similarity(x, y), max(found * more, 1.0))[..., 3]
        assert (out.min() < 0.9) == (bare and found > 1)


def test_motion_from_points() -> None:
    one = from_points(np.array([[3.0, 4.0]]), np.array([[5.0, 1.0]]), (50, 40))
    assert (one.x, one.y, one.turn, one.grow, one.pivot) == (2, -3, 0, 1, (50, 40))
    truth = Similarity(2, 1, 3.0, 1.02, (50, 40))
    pair = np.array([[10.0, 10.0], [80.0, 60.0]])
    two = from_points(pair, truth.apply(pair), (50, 40))
    assert (two.x, two.y, two.turn, two.grow) == pytest.approx((2, 1, 3.0, 1.02))


def test_points_are_followed_both_ways_and_lost_where_they_are_hidden() -> None:
    picture = made_picture(3)
    shifts = [(-4.0, 2.0), (-2.0, 1.0), (0.0, 0.0), (2.5, -1.0), (5.0, -2.0)]
    frames = [seen(picture, centred(*s)).astype(np.float32) for s in shifts]
    start = cv2.goodFeaturesToTrack(grey_of(frames[2]), 12, 0.01, 30).reshape(-1, 2) + 0.5  # type: ignore[call-overload]
    inside = start[(start > 40).all(axis=1) & (start[:, 0] < 340) & (start[:, 1] < 170)]

    def follow(points: np.ndarray) -> np.ndarray:
        return follow_points(lambda i: frames[i], points, 2, 5)

    found = follow(inside)
    for i, s in enumerate(shifts):
        off = np.hypot(*(found[i] - inside - s).T)
        assert np.nanmedian(off) < 0.03
    hidden = frames[3].copy()
    x, y = (int(v) for v in inside[0])
    hidden[max(0, y - 25) : y + 25, max(0, x - 25) : x + 25] = np.random.default_rng(1).random((1, 1, 3))
    frames[3] = hidden
    again = follow(inside[:1])
    assert np.isnan(again[3]).all()
    assert np.hypot(*(again[4, 0] - inside[0] - shifts[4])) < 0.1  # and found again

    def damaged(i: int) -> np.ndarray:
        if i == 4:
            raise UserError("This frame cannot be read.")
        return frames[i]

    told = follow_points(damaged, inside[:1], 2, 5)
    assert np.isnan(told[4]).all()
    assert told[0, 0] - inside[0] == pytest.approx(shifts[0], abs=0.05)
