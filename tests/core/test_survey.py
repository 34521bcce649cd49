"""Exposure, timing, blur, noise, dust, intruders and flashes against plates whose truth is known."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from movingplates import SIZE, centred, made_picture, recorded, scans_of, seen, with_people

from transmixis.core.progress import Progress
from transmixis.core.survey.blur import measure_blur, spectrum
from transmixis.core.survey.dust import half_log
from transmixis.core.survey.dust_seen import could_see
from transmixis.core.survey.exposure import gains_over_time, mired_change
from transmixis.core.survey.findings import findings_of
from transmixis.core.survey.flashing import flashes_per_second
from transmixis.core.survey.intruder import find_intruders
from transmixis.core.survey.middle import median_known
from transmixis.core.survey.noise import noise_over_time
from transmixis.core.survey.plate import PlateSurvey, survey_plate
from transmixis.core.survey.scan import absent, combed_share, prepare
from transmixis.core.survey.timing import time_of

RATE = 24.0


def survey(frames: list[np.ndarray]) -> PlateSurvey:
    return survey_plate(scans_of(frames), RATE, lambda n: frames[n - 1], Progress())


def test_gains_are_found_to_three_parts_in_a_thousand_while_somebody_dark_walks_through() -> None:
    picture, rng = seen(made_picture(1)), np.random.default_rng(3)
    n = 20
    gains = (1 + rng.uniform(-0.04, 0.04, (n, 1))) * (1 + rng.uniform(-0.02, 0.02, (n, 3)))
    thumbs = []
    for i in range(n):
        f = picture * gains[i]
        f[40:, 10 + 14 * i : 100 + 14 * i] = 0.015
        thumbs.append(scans_of([recorded(f, i)])[0]["thumb"].astype(np.float32))
    found = gains_over_time(list(thumbs))
    off = np.exp2(found.stops - found.stops.mean(axis=0)) / (gains / np.exp(np.log(gains).mean(axis=0)))
    assert np.abs(off - 1).max() < 0.003
    by_means = np.array([t.mean(axis=(0, 1)) for t in thumbs])
    assert np.abs(by_means / by_means.mean(axis=0) / (gains / gains.mean(axis=0)) - 1).max() > 0.02  # what means would say


def test_gains_of_a_panning_plate_and_of_a_black_one() -> None:
    picture = made_picture(2)
    gains = 2 ** (0.1 * np.sin(np.arange(10)))
    thumbs = [
        scans_of([recorded(seen(picture, centred(-2.0 * i, 0)) * gains[i], i)])[0]["thumb"].astype(np.float32) for i in range(10)
    ]
    found = gains_over_time(list(thumbs), [centred(-2.0 * i, 0).scaled(1 / 3) for i in range(10)])
    assert np.abs(found.against(1).mean(axis=1) - np.log2(gains / gains[0])).max() < 0.01
    assert gains_over_time([np.zeros((72, 128, 3), np.float32)] * 3).reason
    assert gains_over_time([None, None]).reason


def test_mired_against_the_worked_value_of_the_white_points() -> None:
    """D65 to illuminant A (CIE 15: x 0.44757, y 0.40745, 2856 K; D65 6504 K) is 1e6/2856 - 1e6/6504 = 196 mired."""
    x, y = 0.44757, 0.40745
    xyz = np.array([x / y, 1.0, (1 - x - y) / y])
    rgb = np.linalg.inv(np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]])) @ xyz
    assert mired_change(np.log2(rgb)) == pytest.approx(196, abs=4)
    assert mired_change(np.zeros(3)) == 0


@pytest.mark.parametrize(("length", "direction"), [(8.0, 30.0), (14.0, 115.0), (22.0, 75.0)])
def test_blur_is_found_to_a_pixel_and_ten_degrees(length: float, direction: float) -> None:
    picture = seen(made_picture(3, (360, 640)), size=(360, 640))
    blurred = recorded(smeared(picture, length, direction), 4)
    b = measure_blur(spectrum(prepare(blurred).luma))
    assert b.length == pytest.approx(length, abs=1.0)
    assert abs((b.direction - direction + 90) % 180 - 90) < 10


def smeared(picture: np.ndarray, length: float, direction: float) -> np.ndarray:
    """Moved along a straight line while the shutter is open."""
    a = np.radians(direction)
    k = int(length) + 3
    kernel = np.zeros((2 * k + 1, 2 * k + 1))
    for t in np.linspace(-length / 2, length / 2, 257):
        x, y = k + t * np.cos(a), k + t * np.sin(a)
        i, j = int(np.floor(x)), int(np.floor(y))
        fx, fy = x - i, y - j
        kernel[j : j + 2, i : i + 2] += np.outer((1 - fy, fy), (1 - fx, fx))
    return np.asarray(cv2.filter2D(picture, -1, kernel / kernel.sum(), borderType=cv2.BORDER_REFLECT))


@pytest.mark.parametrize("soft", [0.0, 2.0])
def test_sharp_and_defocused_pictures_show_no_smear(soft: float) -> None:
    picture = seen(made_picture(5, (360, 640)), size=(360, 640))
    picture = cv2.GaussianBlur(picture, (0, 0), soft) if soft else picture
    assert measure_blur(spectrum(prepare(recorded(picture, 6)).luma)).length == 0


def test_the_noise_law_is_found_to_a_tenth() -> None:
    rng = np.random.default_rng(7)
    picture = seen(made_picture(8, (360, 640)), size=(360, 640))
    a, b = 3e-4, 4e-6
    pairs = []
    for k in range(3):
        pair = []
        for j in range(2):
            f = with_people(picture, 2 * k + j)
            pair.append((f + rng.normal(0, 1, f.shape) * np.sqrt(a * f + b)).astype(np.float32))
        pairs.append((pair[0], pair[1]))
    found = noise_over_time(pairs)
    assert found is not None
    assert np.abs(found.law[:, 0] / a - 1).max() < 0.1
    assert np.abs((found.law[:, 0] * 0.2 + found.law[:, 1]) / (a * 0.2 + b) - 1).max() < 0.05
    assert abs(found.neighbours) < 0.05
    smooth = [tuple(cv2.GaussianBlur(f, (0, 0), 0.8) for f in p) for p in pairs]
    assert noise_over_time(smooth).neighbours > 0.35  # type: ignore[union-attr, arg-type]


def _walking(n: int, seed: int = 10) -> list[np.ndarray]:
    """A pan at three pixels a frame."""
    wide = np.concatenate([made_picture(seed), made_picture(seed + 1)], axis=1)
    return [recorded(wide[24 : 24 + SIZE[0], 24 + 3 * i : 24 + 3 * i + SIZE[1]], 1000 + i) for i in range(n)]


def test_doubled_and_dropped_frames_are_all_found_and_none_invented() -> None:
    clean = _walking(24)
    t = time_of(scans_of(clean), RATE)
    assert (t.doubled, t.dropped, t.cadence, t.still) == ((), (), "", False)
    assert t.told_drops
    broken = [*clean[:8], clean[7], *clean[8:14], *clean[15:]]  # frame 9 repeats 8; one is missing before 15 of the new count
    t = time_of(scans_of(broken), RATE)
    assert t.doubled == (9,)
    assert t.dropped == (16,)


def test_a_pause_with_grain_is_no_doubled_frame_and_a_frozen_one_is() -> None:
    picture = seen(made_picture(12))
    pause = [recorded(picture, i) for i in range(10)]
    assert time_of(scans_of(pause), RATE).doubled == ()
    frozen = pause[:5] + [pause[4]] * 3 + pause[5:]
    assert time_of(scans_of(frozen), RATE).doubled == (6, 7, 8)
    assert time_of(scans_of([pause[0]] * 5), RATE).still


def test_the_real_rate_and_interlacing_are_named() -> None:
    clean = _walking(16)
    doubled = [f for f in clean[:10] for _ in range(2)]
    assert "12 real pictures a second" in time_of(scans_of(doubled), RATE).cadence
    fields = _walking(24, 20)
    combed = []
    for i in range(11):
        f = fields[2 * i].copy()
        f[1::2] = fields[2 * i + 1][1::2]
        combed.append(f)
    assert combed_share(prepare(combed[3]).luma) > 3 * max(combed_share(prepare(clean[3]).luma), 0.1)
    assert "interlaced" in time_of(scans_of(combed), RATE).cadence


DUSTY = (270, 480)


def _dusty(seed: int, *, people: bool) -> tuple[list[np.ndarray], list[tuple[float, float]]]:
    """A plate that wanders by some 20 px, with three to four spots that take 6 to 20 % of the light."""
    rng = np.random.default_rng(seed)
    picture = made_picture(seed, DUSTY)
    yy, xx = np.mgrid[0 : DUSTY[0], 0 : DUSTY[1]]
    light, spots = np.ones(DUSTY, np.float32), []
    while len(spots) < 3 + seed % 2:
        x, y, r, deep = (float(rng.uniform(*span)) for span in ((30, 450), (30, 240), (3.5, 7), (0.06, 0.2)))
        if all(np.hypot(x - u, y - v) > 50 for u, v in spots):
            light *= 1 - deep * np.clip(1.5 - np.hypot(xx - x, yy - y) / r, 0, 1).astype(np.float32)
            spots.append((x, y))
    path = np.cumsum(rng.normal(0, 5, (16, 2)), axis=0)
    path = 20 * (path - path[0]) / np.abs(path - path[0]).max()
    frames = []
    for i, (x, y) in enumerate(path):
        f = seen(picture, centred(x, y, size=DUSTY), DUSTY)
        frames.append(recorded((_passer_by(f, i, 16) if people else f) * light[..., None], i))
    return frames, spots


def _passer_by(frame: np.ndarray, n: int, count: int) -> np.ndarray:
    """Somebody dark, whose clothes move, crosses the frame."""
    out = frame.copy()
    own = np.random.default_rng(7).random((34, 6)) + 0.3 * np.random.default_rng(100 + n).random((34, 6))
    body = cv2.resize(own.astype(np.float32), (80, 230), interpolation=cv2.INTER_CUBIC)
    x = int(10 + 380 * n / count)
    out[-230:, x : x + 80] = 0.12 * np.clip(body, 0, 1.3)[..., None]
    return out


@pytest.mark.parametrize("seed", range(31, 41))
def test_dust_is_found_where_it_is_and_nowhere_else(seed: int) -> None:
    frames, spots = _dusty(seed, people=seed >= 37)
    found = survey(frames).dust
    assert not found.reason
    for s in found.spots:
        assert min(np.hypot(s.x - x, s.y - y) for x, y in spots) < 2.0
    assert all(any(np.hypot(s.x - x, s.y - y) < 2.0 for s in found.spots) for x, y in spots)


@pytest.mark.parametrize("seed", [41, 42, 43])
def test_a_clean_moving_plate_has_no_dust(seed: int) -> None:
    picture, rng = made_picture(seed), np.random.default_rng(seed)
    path = np.cumsum(rng.normal(0, 4, (10, 2)), axis=0).clip(-20, 20)
    frames = [recorded(with_people(seen(picture, centred(x, y)), i), i) for i, (x, y) in enumerate(path)]
    assert not survey(frames).dust.spots


def test_what_dust_could_have_been_seen_is_said() -> None:
    """Noise hides: what is told of a noisy plate is deeper than of a clean one, and spots of that depth are found as often as said."""
    picture = made_picture(61)
    moves = [centred(2.5 * i, 1.5 * (i % 5)) for i in range(14)]
    plain = [half_log(recorded(seen(picture, m), i)) for i, m in enumerate(moves)]
    dice = np.random.default_rng(1)
    noisy = [log + dice.normal(0, 0.08, log.shape).astype(np.float32) for log in plain]
    halves = [m.scaled(0.5) for m in moves]
    least = [could_see(logs, halves)[0].depth for logs in (plain, noisy)]
    assert np.isfinite(least[0])
    assert not least[1] <= least[0]
    frames = [recorded(seen(picture, m), i) for i, m in enumerate(moves)]
    words = survey(frames).dust.seen
    assert words.startswith("half of all spots would show here: ")
    assert "%" in words


def test_dust_on_a_locked_plate_is_only_suspected_and_said_so() -> None:
    picture = seen(made_picture(34))
    s = survey([recorded(picture, i) for i in range(6)])
    assert not s.dust.spots
    assert "moves too little" in s.dust.reason
    assert any("not told" in f.words for f in findings_of(s))
    yy, xx = np.mgrid[0 : SIZE[0], 0 : SIZE[1]]
    plain = np.full((*SIZE, 3), 0.3, np.float32) * (1 - 0.1 * np.exp(-((xx - 100) ** 2 + (yy - 80) ** 2) / 50))[..., None]
    plain[:, 200:] = picture[:, 200:]
    suspects = survey([recorded(plain, i) for i in range(6)]).dust.suspects
    assert any(np.hypot(d.x - 100, d.y - 80) < 2 for d in suspects)


def _thumbs(n: int) -> list[np.ndarray]:
    rng = np.random.default_rng(40)
    base = cv2.resize(rng.random((6, 10, 3)).astype(np.float32), (128, 72)) * 0.3 + 0.1
    return [base * np.float32(1 + 0.002 * rng.normal()) for _ in range(n)]


def test_an_intruder_is_told_from_somebody_who_walks_in() -> None:
    boom = _thumbs(20)
    for i in range(8, 13):
        boom[i][: 6 + 2 * min(i - 7, 13 - i), 60:66] = 0.01
    found = find_intruders(list(boom), np.zeros((20, 3)))
    assert [(i.first, i.last, i.edge) for i in found] == [(9, 13, "top")]
    walker = _thumbs(20)
    for i in range(20):
        walker[i][20:, max(0, 7 * i - 20) : 7 * i] = 0.01
    assert find_intruders(list(walker), np.zeros((20, 3))) == []


def test_flashes_are_counted_by_the_published_limits() -> None:
    """WCAG 2.3.1: a flash is a pair of opposing changes of 10 % of relative luminance, the darker below 0.80."""

    def film(low: float, high: float, period: int, part: slice = slice(None)) -> list[np.ndarray]:
        out = []
        for i in range(48):
            f = np.full((72, 128, 3), low, np.float32)
            f[:, part] = high if (i // (period // 2)) % 2 else low
            out.append(f)
        return out

    assert flashes_per_second(list(film(0.2, 0.6, 6)), 24)[-1] == pytest.approx(4, abs=0.5)
    assert flashes_per_second(list(film(0.2, 0.6, 12)), 24).max() <= 2.5
    assert flashes_per_second(list(film(0.2, 0.25, 6)), 24).max() == 0
    assert flashes_per_second(list(film(0.85, 0.99, 6)), 24).max() == 0
    assert flashes_per_second(list(film(0.2, 0.6, 6, slice(0, 4))), 24).max() == 0  # too small an area
    red = film(0.0, 0.0, 6)
    for i, f in enumerate(red):
        f[..., 0] = 0.3 if (i // 3) % 2 else 0.05
    assert flashes_per_second(list(red), 24).max() > 3  # luminance changes by 5 % only, but it is saturated red


def test_missing_and_broken_frames_are_findings() -> None:
    picture = seen(made_picture(50))
    scans = scans_of([recorded(picture, i) for i in range(8)])
    scans[3] = absent("'take.0004.png' is empty (0 bytes)")
    s = survey_plate(scans, RATE, lambda n: recorded(picture, n), Progress(), missing=(4,))
    assert s.timing.missing == (4,)
    assert any("empty" in f.words and f.bad for f in findings_of(s))
    assert np.isnan(s.path.error[3])
    nothing = survey_plate([absent("gone")] * 3, RATE, lambda n: picture, Progress())
    assert nothing.steadiness.verdict == "unknown"
    assert findings_of(nothing)


def test_clipping_is_read_also_below_full_code() -> None:
    f = np.full((*SIZE, 3), 0.2, np.float32) * np.linspace(0.5, 1.5, SIZE[1], dtype=np.float32)[None, :, None]
    f[:40] = 0.92  # a camera that stops short of full code
    f[-20:] = 0.0
    white, black = scans_of([f])[0]["levels"][:2]
    assert white == pytest.approx(40 / SIZE[0], abs=0.02)
    assert black == pytest.approx(20 / SIZE[0], abs=0.02)


def test_the_median_of_what_is_known() -> None:
    rng = np.random.default_rng(60)
    x = rng.random((9, 40))
    x[rng.random(x.shape) < 0.3] = np.nan
    x[:, 3] = np.nan
    found, known = median_known(x)
    assert np.isnan(found[3])
    rest = np.delete(x, 3, axis=1)
    assert np.allclose(np.delete(found, 3), np.nanmedian(rest, axis=0))
    assert (known == np.isfinite(x).sum(axis=0)).all()


def test_no_two_findings_say_the_same() -> None:
    picture = seen(made_picture(70))
    frames = [recorded(picture, i) for i in range(30)]
    for first in (4, 14, 22):
        for i in range(first, first + 3):
            frames[i][: 18 + 4 * (i - first), 200:230] = 0.01
    words = [f.words for f in findings_of(survey(frames))]
    assert sum("reaches in at the top edge" in w for w in words) >= 2
    assert len(set(words)) == len(words)
    assert any("frames 5–7" in w for w in words)
