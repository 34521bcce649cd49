"""Clean plates, frames to freeze and frames to join at, against made takes."""

from __future__ import annotations

from itertools import pairwise

import cv2
import numpy as np
import pytest
import skimage.data
from movingplates import SIZE, centred, made_picture, recorded, scans_of, seen, with_people

from transmixis.core.motion.similarity import Similarity
from transmixis.core.progress import Progress
from transmixis.core.repair.background import background_of, background_words
from transmixis.core.survey.best import best_frames, best_joins
from transmixis.core.survey.clean_fit import fit_clean
from transmixis.core.survey.plate import survey_plate


@pytest.mark.parametrize(
    ("x", "y", "gain"), [(0.0, 0.0, (1.0, 1.0, 1.0)), (1.4, -0.6, (1.08, 1.02, 0.95)), (-0.3, 0.2, (0.9, 0.9, 0.9))]
)
def test_the_fit_finds_shift_and_gain(x: float, y: float, gain: tuple[float, float, float]) -> None:
    picture = made_picture(81)
    clean = recorded(seen(picture), 1)
    view = seen(picture, centred(x, y)) * np.float32(gain)
    take = [recorded(with_people(view, n), 10 + n) for n in range(6)]
    fit = fit_clean(take, clean, locked=True)
    assert np.hypot(fit.move.x - x, fit.move.y - y) < 0.1
    assert np.abs(np.exp2(fit.gain) / gain - 1).max() < 0.005
    assert fit.serves
    assert (fit.why == 1).mean() > 0.1  # the people
    assert (fit.why == 3).mean() < 0.05
    assert "serves" in fit.words


def test_a_moved_thing_is_told_from_changed_light() -> None:
    picture = seen(made_picture(82))
    shaded = picture * np.linspace(1.0, 1.35, SIZE[1], dtype=np.float32)[None, :, None]
    light = fit_clean([recorded(shaded, n) for n in range(4)], recorded(picture, 9), locked=True)
    assert (light.why == 2).mean() > 3 * (light.why == 3).mean()
    other = picture.copy()
    other[60:160, 100:300] = seen(made_picture(83))[60:160, 100:300]
    thing = fit_clean([recorded(other, n) for n in range(4)], recorded(picture, 9), locked=True)
    inside, outside = thing.why[9:18, 15:35], np.delete(thing.why, np.s_[6:21], axis=0)
    assert (inside == 3).mean() > 0.5
    assert (outside == 3).mean() < 0.02
    assert not thing.serves
    assert "another clean plate" in thing.words


def test_parallax_is_told_from_a_moved_thing() -> None:
    far, near = made_picture(86), made_picture(87)
    before = (slice(70, 216), slice(120, 260))
    clean, view = seen(far), seen(far)
    clean[before], view[before] = seen(near)[before], seen(near, centred(4.0, 0.0))[before]  # the near thing stands 4 px aside
    fit = fit_clean([recorded(view, n) for n in range(4)], recorded(clean, 9), locked=True)
    inside, outside = fit.why[11:25, 17:31], fit.why[:6]
    assert (inside == 4).mean() > 2 * (inside == 3).mean()
    assert (inside == 4).mean() > 0.3
    assert (outside >= 3).mean() < 0.02
    assert "parallax" in fit.words


def test_a_clean_plate_cannot_serve_a_moving_camera_and_a_plain_one_is_not_aligned() -> None:
    picture = seen(made_picture(84))
    assert "camera moves" in fit_clean([recorded(picture, n) for n in range(3)], recorded(picture, 5), locked=False).words
    plain = np.full((*SIZE, 3), 0.2, np.float32)
    assert "Not aligned" in fit_clean([plain] * 3, plain, locked=True).words


def test_a_clean_plate_from_the_take_shows_what_is_behind() -> None:
    picture = seen(made_picture(85))
    frames = []
    for n in range(16):
        f = picture * np.float32(1 + 0.02 * np.sin(n))
        x = 18 * n
        f[50:, x : x + 90] = (
            np.random.default_rng(n).random((SIZE[0] - 50, min(90, SIZE[1] - x), 1))[:, : f[50:, x : x + 90].shape[1]] * 0.3
        )
        f[150:, 340:] = 0.01 * (1 + n % 3)  # somebody who never goes away, and never keeps still
        frames.append(recorded(f, n))
    gains = np.log2(1 + 0.02 * np.sin(np.arange(16)))[:, None] * np.ones(3)
    made = background_of(frames, [Similarity()] * 16, gains - gains[0], list(range(1, 17)))
    clear = np.ones(SIZE, bool)
    clear[150:, 340:] = False
    off = np.abs(made.plate - picture)[clear]
    assert np.quantile(off, 0.99) < 0.02
    assert made.shown[clear].mean() > 0.98
    assert made.share[clear].mean() > 0.6


def test_the_best_frame_is_sharp_and_at_the_top_of_the_movement() -> None:
    from test_survey import smeared

    picture = seen(made_picture(86))
    frames = []
    for n in range(15):
        f = picture.copy()
        y = round(20 + 0.9 * (n - 7) ** 2)  # thrown up, at rest at frame 8
        body = np.random.default_rng(3).random((10, 8, 3)).repeat(6, 0).repeat(6, 1)[: SIZE[0] - y].astype(np.float32)
        speed = abs(1.8 * (n - 7))
        if body.shape[0] > 10:
            part = smeared(body * 0.5, max(speed, 0.6), 90.0) if speed > 2 else body * 0.5
            f[y : y + part.shape[0], 150 : 150 + part.shape[1]] = part
        frames.append(recorded(f, n))
    scans = scans_of(frames)
    survey = survey_plate(scans, 24.0, lambda n: frames[n - 1], Progress())
    picks = best_frames(scans, survey)
    assert abs(picks[0].frame - 8) <= 1
    assert "detail" in picks[0].words
    assert all(a.score >= b.score for a, b in pairwise(picks))


def test_the_join_goes_on_where_the_movement_does() -> None:
    """The second take is the first one frame later and darker; the join must step over exactly one frame."""
    wide = np.concatenate([made_picture(87), made_picture(88)], axis=1)

    def thumbs(first: int, count: int, gain: float) -> list[np.ndarray]:
        frames = [wide[24 : 24 + SIZE[0], 24 + 5 * (first + i) : 24 + 5 * (first + i) + SIZE[1]] * gain for i in range(count)]
        return [s["thumb"].astype(np.float32) for s in scans_of([recorded(f, 7 * i) for i, f in enumerate(frames)])]

    joins = best_joins(list(thumbs(0, 12, 1.0)), list(thumbs(6, 12, 0.8)))
    best = joins[0]
    assert (6 + best.first - 1) - (best.last - 1) == 1
    assert np.exp2(best.gain[0]) == pytest.approx(1 / 0.8, rel=0.15)
    assert "second take is changed" in best.words


def out_of_focus(picture: np.ndarray, radius: float) -> np.ndarray:
    """A lens out of focus spreads each point over a disc."""
    r = int(np.ceil(radius))
    if r == 0:
        return picture
    y, x = np.mgrid[-r : r + 1, -r : r + 1]
    disc = np.clip(radius + 0.5 - np.hypot(x, y), 0, 1)
    return np.asarray(cv2.filter2D(picture, -1, disc / disc.sum()))


@pytest.mark.parametrize("pull", ["through the focus", "one moment"])
@pytest.mark.parametrize("which", ["made", "coffee", "astronaut", "cat"])
def test_of_a_pull_of_focus_the_frame_in_focus_is_named(which: str, pull: str) -> None:
    if which == "made":
        picture = seen(made_picture(90))
    else:
        photo = getattr(skimage.data, {"cat": "chelsea"}.get(which, which))().astype(np.float32) / 255
        picture = np.asarray(cv2.resize(photo, SIZE[::-1], interpolation=cv2.INTER_AREA)) ** 2.2
    radius = [0.0 if i == 13 else 3.0 if pull == "one moment" else 0.9 * abs(i - 13) for i in range(24)]
    frames = [recorded(out_of_focus(with_people(picture, n), r), n) for n, r in enumerate(radius)]
    scans = scans_of(frames)
    picks = best_frames(scans, survey_plate(scans, 24.0, lambda n: frames[n - 1], Progress()))
    assert picks[0].frame == 14
    assert "100 % of the best detail" in picks[0].words
    assert all(p.score < 0.8 * picks[0].score for p in picks[1:] if radius[p.frame - 1] > 2)


def test_what_wobbles_is_called_doubtful_and_what_stands_cannot_be_told() -> None:
    """A figure that sways about one place, all through: its middle stands still, its sides show the background half of the time."""
    picture = seen(made_picture(91))
    frames = []
    for i in range(24):
        f = recorded(picture, i)
        x = 150 + round(12 * np.sin(1.3 * i))
        f[60:, x : x + 60] = 0.03 + 0.02 * ((np.arange(60) + 3 * i) % 7)[None, :, None] / 7
        frames.append(f)
    made = background_of(frames, [Similarity()] * 24, np.zeros((24, 3)), list(range(1, 25)))
    side = made.share[80:200, 140:150]
    assert 0.01 < made.doubtful < 0.2
    assert side.mean() < 0.9
    words = background_words(made)
    assert "stands still all through" in words
    assert f"{100 * made.doubtful:.1f} % shows something else" in words
    still = background_of([recorded(picture, i) for i in range(8)], [Similarity()] * 8, np.zeros((8, 3)), list(range(1, 9)))
    assert still.doubtful < 0.001
