"""Figures of the plan against worked examples: angles about a camera, hours of shadows, lenses, models, falls, estimates."""

from __future__ import annotations

import math
from datetime import UTC, datetime, timedelta, timezone

import numpy as np
import pandas as pd
import pvlib
import pytest
from scipy.stats import t as student

from transmixis.core.errors import UserError
from transmixis.core.plan import cautions, estimate, lens, miniature, setups, sun, timing

SUMMER = timezone(timedelta(hours=1))
ISLAND = sun.Place(57.6, -5.8)


@pytest.mark.parametrize(
    ("bearing", "camera", "seen"),
    [(0, 0, 0), (90, 0, 90), (0, 90, -90), (350, 10, -20), (10, 350, 20), (180, 0, -180), (200, 45, 155), (300, 45, -105)],
)
def test_a_bearing_as_the_camera_sees_it(bearing: float, camera: float, seen: float) -> None:
    """Right of where it looks is above zero: east of a camera that looks north is +90."""
    assert sun.in_camera(bearing, camera) == pytest.approx(seen)
    assert sun.apart(bearing, camera) == pytest.approx(abs(seen))


def test_a_shadow_falls_away_from_the_sun() -> None:
    assert [sun.shadow_bearing(a) for a in (0, 90, 180, 270, 359)] == [180, 270, 0, 90, 179]
    assert sun.shadow_length(30) == pytest.approx(math.sqrt(3))
    assert sun.shadow_length(60) == pytest.approx(1 / math.sqrt(3))
    assert sun.shadow_length(0) == math.inf


def test_a_day_is_cut_into_even_steps_of_local_time() -> None:
    day = datetime(2026, 5, 22, 15, 37, 12, tzinfo=SUMMER)
    times, azimuth, elevation = sun.day_of(ISLAND, day, step=30)
    assert len(times) == 49
    assert (times[0], times[-1]) == (datetime(2026, 5, 22, tzinfo=SUMMER), datetime(2026, 5, 23, tzinfo=SUMMER))
    theirs = pvlib.solarposition.get_solarposition(pd.DatetimeIndex(times), ISLAND.latitude, ISLAND.longitude)
    assert np.abs(azimuth - theirs["azimuth"].to_numpy()).max() < 0.01
    up = theirs["apparent_elevation"].to_numpy() > 1  # nearer the horizon the refraction is anyone's guess
    assert np.abs(elevation - theirs["apparent_elevation"].to_numpy())[up].max() < 0.02


@pytest.mark.parametrize("turned", [0.0, 35.0])
def test_the_hours_that_agree_are_those_of_a_plain_search(turned: float) -> None:
    """Every two minutes by pvlib's positions: direction to 10 degrees and height to 5, the second camera turned by some."""
    shot = sun.sun_at(ISLAND, datetime(2026, 5, 9, 10, 40, tzinfo=SUMMER))
    day = datetime(2026, 6, 22, tzinfo=SUMMER)
    found = sun.hours_that_agree(shot, 285, ISLAND, day, 285 + turned, 10, 5)
    times = pd.date_range(day, periods=721, freq="2min")
    theirs = pvlib.solarposition.get_solarposition(times, ISLAND.latitude, ISLAND.longitude)
    off = (theirs["azimuth"] - turned - shot.azimuth + 180) % 360 - 180
    higher = theirs["apparent_elevation"] - shot.elevation
    fits = ((off.abs() <= 10) & (higher.abs() <= 5)).to_numpy()
    assert fits.any() == bool(found.spans)
    if found.spans:
        inside = times[fits]
        assert abs(found.spans[0][0] - inside[0].to_pydatetime()) <= timedelta(minutes=2)
        assert abs(found.spans[-1][1] - inside[-1].to_pydatetime()) <= timedelta(minutes=2)
    up = theirs["apparent_elevation"].to_numpy() >= 1
    worse = np.where(up, np.maximum(off.abs() / 10, higher.abs() / 5).to_numpy(), np.inf)
    assert found.best is not None
    assert abs(found.best - times[int(np.argmin(worse))].to_pydatetime()) <= timedelta(minutes=2)
    assert found.ratio.min() == pytest.approx(worse.min(), abs=0.01)


def test_at_night_no_hour_agrees() -> None:
    pole = sun.Place(80, 0)
    found = sun.hours_that_agree(sun.Sun(180, 20), 0, pole, datetime(2026, 12, 21, tzinfo=UTC), 0, 10, 5)
    assert (found.spans, found.best) == ((), None)
    assert not np.isfinite(found.ratio).any()


def test_a_low_sun_moves_its_shadows_by_its_path() -> None:
    when = datetime(2026, 3, 20, 7, 0, tzinfo=UTC)
    place = sun.Place(0, 0)  # at the equinox on the equator it climbs straight up, a degree in four minutes
    assert sun.minutes_until_moved(place, when, 5) == pytest.approx(20, abs=1)
    assert sun.minutes_until_moved(place, when, 10) == pytest.approx(40, abs=1)
    assert sun.minutes_until_moved(place, when, 400) == math.inf


@pytest.mark.parametrize("place", [sun.Place(91, 0), sun.Place(-91, 0), sun.Place(0, -181), sun.Place(0, 361)])
def test_what_is_no_place_is_told(place: sun.Place) -> None:
    with pytest.raises(UserError, match="no place"):
        sun.sun_at(place, datetime(2026, 5, 9, tzinfo=UTC))


def test_lamps_by_hand() -> None:
    """4 m high, 3 m away, 0.5 m across: 5 m off, 5.72 degrees; over a thing of 1 m it stands at 45 degrees."""
    lamp = sun.Lamp(90, 3, 4, 0.5)
    assert lamp.elevation(1.0) == pytest.approx(45)
    assert lamp.across() == pytest.approx(2 * math.degrees(math.atan(0.05)))
    assert lamp.shadow() == pytest.approx(-90)
    assert sun.Lamp(0, 0, 0, 1).across() == 180
    assert sun.lamp_stops(4, 2) == pytest.approx(-2)
    for near, far in ((0, 1), (1, 0), (-1, 2)):
        with pytest.raises(UserError):
            sun.lamp_stops(near, far)


def test_lenses_by_hand() -> None:
    """A person of 1.8 m, 5 m from a 50 mm lens on 36 mm: half the frame. f/4 and 0.03 mm: hyperfocal at 20.88 m."""
    assert lens.size_px(1.8, 5, 50, 36, 1920) == pytest.approx(960)
    assert lens.distance_for(1.8, 960, 50, 36, 1920) == pytest.approx(5)
    assert lens.focal_for(36, lens.field_of_view(36, 85)) == pytest.approx(85)
    d = lens.depth_of_field(50, 4, 5, 0.03)
    assert d.hyperfocal == pytest.approx(2500 / 0.12 / 1000 + 0.05)
    # by the lens's own equation: the two distances whose blur on the sensor is as wide as the circle
    for far in (d.near, d.far):
        image, focus = 1 / (1 / 50 - 1 / (1000 * far)), 1 / (1 / 50 - 1 / 5000)
        assert abs(image - focus) / image * (50 / 4) == pytest.approx(0.03, rel=1e-6)
    assert lens.depth_of_field(50, 4, 30, 0.03).far == math.inf
    assert lens.circle_for(36, 1920, 2) == pytest.approx(0.0375)
    assert lens.growth(2, 3) == pytest.approx(1.5)
    assert lens.distance_for_growth(1, 1.1) == pytest.approx(11)
    assert lens.growth(11 - 1, 11) == pytest.approx(1.1)
    with pytest.raises(UserError, match="inside the lens"):
        lens.depth_of_field(50, 4, 0.05, 0.03)
    for angle in (0, 180):
        with pytest.raises(UserError):
            lens.focal_for(36, angle)
    with pytest.raises(UserError):
        lens.distance_for_growth(1, 1.0)


def test_models_and_positions_by_hand() -> None:
    """1 : 16 is filmed at four times the rate; what takes a second at 4 m/s takes it at 1/16 of the way and four times as fast."""
    m = miniature.filmed(16, 25, 8.0, 4.0, 1.0)
    assert (m.rate, m.distance, m.speed, m.stop) == pytest.approx((100, 0.5, 1.0, 16))
    done = miniature.stop_motion(7, 24, 2, hours_a_second=2.0, hours_a_day=6.0)
    assert (done.positions, done.hours, done.days) == (84, 7.0, pytest.approx(7 / 6))
    assert miniature.stop_motion(1, 25, 3).positions == 9  # eight and a third
    assert miniature.stop_motion(2, 24, 0).positions == 48
    assert miniature.froude_rate(1, 24) == 24
    for real, model in ((0, 1), (1, 0)):
        with pytest.raises(UserError):
            miniature.apparent_scale(real, model)


def test_timing_by_hand() -> None:
    assert timing.fall_time(0) == 0
    assert timing.fall_time(20) == pytest.approx(2.0196, abs=1e-4)
    assert timing.landing_time(10, 30, 0) == pytest.approx(10 / 9.80665)  # 2 v sin(a) / g
    assert timing.landing_time(10, -90, 5) == pytest.approx((-10 + math.sqrt(100 + 2 * 9.80665 * 5)) / 9.80665)
    assert timing.landing_time(20, 90, -10) == pytest.approx(
        (20 + math.sqrt(400 - 2 * 9.80665 * 10)) / 9.80665
    )  # on its way down
    assert timing.eased(2, 6, 1) == pytest.approx([6])
    assert len(timing.eased(2, 6, 0)) == 0
    assert timing.eased(2, 6, 3) == pytest.approx([2, 4, 6])
    assert timing.wrap_speed(1920, 24, 0.01) == (1, 1920)
    assert timing.loop_frames(7, 3) == (4, 4)
    with pytest.raises(UserError):
        timing.loop_frames(6, 3)
    assert timing.speed_to_hit(1, 11, 1, 6) == (0.5, 1.0)
    for cues in ((5, 5, 1, 2), (1, 2, 5, 5)):
        with pytest.raises(UserError):
            timing.speed_to_hit(*cues)
    with pytest.raises(UserError, match="floats"):
        timing.landing_time(0, 0, 5, 0.005)
    for length, degrees in ((0, 10), (1, -1), (1, 180)):
        with pytest.raises(UserError):
            timing.pendulum_period(length, degrees)


def test_a_small_swing_is_a_cosine() -> None:
    """Small angles: a cosine of 2 pi sqrt(l / g); 1 m swings by 9.9 degrees as by the series to within a hundredth."""
    swing = timing.pendulum(1.0, 1.0, 100, 201)
    assert np.abs(swing - np.cos(np.sqrt(9.80665) * np.arange(201) / 100)).max() < 1e-3


def test_a_throw_through_air_is_that_of_small_steps() -> None:
    """Euler's method with steps of a ten-thousandth of a second."""
    x = y = 0.0
    vx, vy = 12 * math.cos(0.5), 12 * math.sin(0.5)
    for _ in range(10000):
        v = math.hypot(vx, vy)
        x, y = x + vx * 1e-4, y + vy * 1e-4
        vx, vy = vx - 9.80665 / 81 * v * vx * 1e-4, vy - (9.80665 + 9.80665 / 81 * v * vy) * 1e-4
    assert timing.thrown(12, math.degrees(0.5), 24, 25, terminal=9.0)[24] == pytest.approx([x, y], abs=2e-3)


def test_what_a_second_set_up_leaves_bare_by_hand() -> None:
    """A level camera with its subject's feet at 0.9 of the frame's height, the second at 0.8 and shown at half its size: the second
    then spans from 0.9 - 0.4 to 0.9 + 0.1, so the upper half of the frame is bare."""
    shape = 9 / 16
    first = setups.Setup(36 * shape, 36, 10, 0.4 * 10, 0)  # feet at 0.5 + f / (sensor * shape) * height / distance
    assert 0.5 + first.focal / (36 * shape) * 0.4 == pytest.approx(0.9)
    second = setups.Setup(2 * 36 * shape, 36, 10, 0.15 * 10, 0)
    bare, side = setups.left_bare(first, second, shape)
    assert (bare, side) == (pytest.approx(0.5), "top")
    assert setups.left_bare(first, first, shape)[0] == 0


def test_cautions_come_where_they_are_due() -> None:
    assert cautions.of_height(1.9) == ()
    assert cautions.of_height(2.0) == (cautions.HEIGHT, cautions.ALONE)
    assert cautions.OVERHEAD in cautions.of_lamp(3.0, 60)
    assert cautions.OVERHEAD not in cautions.of_lamp(3.0, 59)
    assert set(cautions.of_lamp(1.0, 10)) == {cautions.HEAT, cautions.ELECTRIC}
    assert cautions.WIND in cautions.of_lamp(2.0, 10)
    assert cautions.DEBRIS in cautions.of_flight(2.0, 0)
    assert cautions.DEBRIS in cautions.of_flight(0.0, 5.0)
    assert cautions.of_flight(1.9, 4.9) == ()
    assert cautions.of_motion(4.0) == (cautions.ROAD,)
    assert cautions.of_motion(3.9) == ()
    assert cautions.WIND in cautions.of_cloth(3.2, 1.9)
    assert cautions.of_cloth(3.1, 1.9) == ()  # under six square metres
    assert cautions.HEIGHT in cautions.of_cloth(2.9, 2.0)


def test_an_estimate_by_hand() -> None:
    """Roto of 48 frames: 30 min and 2 min a frame, made (1 + 1.5 * 0.3) * 1.2 * 1 times as hard; 0.7, 1 and 2 times that as points."""
    likely = (30 + 2.0 * 48 * 1.45 * 1.2) / 60
    low, high = 0.7 * likely, likely * (1.6 + 0.3 + 0.5 * 0.2)
    found = estimate.hours_for(estimate.Work("roto", 48))
    assert found.mean == pytest.approx((low + 4 * likely + high) / 6)
    assert found.deviation == pytest.approx((high - low) / 6)
    twice = estimate.hours_for(estimate.Work("roto", 48, layers=3))
    assert twice.mean == pytest.approx(2 * found.mean)
    best = estimate.hours_for(estimate.Work("roto", 48, quality=1.0))
    assert best.mean > found.mean > estimate.hours_for(estimate.Work("roto", 48, quality=0.0)).mean
    stills = [estimate.hours_for(estimate.Work("cut by hand", 60, motion=m)) for m in (0.0, 1.0)]
    assert stills[0].mean == stills[1].mean  # a still stands still
    assert 2.4 < stills[0].mean < 3.6  # sixty stills are about three hours (common practice)
    with pytest.raises(UserError, match="no kind of work"):
        estimate.hours_for(estimate.Work("magic", 1))
    for points in ((-1, 0, 1), (2, 1, 3), (1, 3, 2)):
        with pytest.raises(UserError, match="must rise"):
            estimate.three_point(*points)


def test_tasks_add_up_and_what_was_learnt_scales() -> None:
    both = estimate.together([estimate.Hours(3, 0.3), estimate.Hours(5, 0.4)])
    assert (both.mean, both.deviation) == (8, pytest.approx(0.5))
    later = estimate.adjusted(estimate.Hours(10, 3), estimate.Learnt(1.5, 0.4, 3))
    assert (later.mean, later.deviation) == (15, pytest.approx(15 * 0.5))
    plain = estimate.learn([])
    assert (plain.factor, plain.count) == (1.0, 0)
    assert plain.deviation == pytest.approx(estimate.PRIOR)
    there = estimate.there_or_later(30, 6, estimate.Hours(4, 1), 0.25)
    assert (there.there, there.later, there.saved) == (3.0, 5.0, 2.0)


def test_many_tasks_that_agree_are_believed() -> None:
    """A hundred tasks that took twice their estimate: a factor near two, and its error falls with the square root of their number."""
    rng = np.random.default_rng(1)
    logs = np.log(2) + estimate.NOISE * rng.normal(0, 1, 100)
    found = estimate.learn([(1.0, float(np.exp(v))) for v in logs])
    assert math.log(found.factor) == pytest.approx(float(logs.mean()), abs=3 * estimate.NOISE / 10)
    assert found.deviation == pytest.approx(estimate.NOISE / 10, rel=0.2)
    # the same by maximising Student's likelihood with the prior on a fine grid
    few = [0.4, 0.5, 0.6, 3.0]
    spread = math.hypot(estimate.NOISE, estimate.PRIOR / math.sqrt(1 + len(few)))
    grid = np.linspace(-1, 2, 30001)
    score = sum(student.logpdf((v - grid) / spread, estimate.TAILS) for v in few)
    best = grid[int(np.argmax(score))]
    assert math.log(estimate.learn([(1.0, math.exp(v)) for v in few]).factor) == pytest.approx(best, abs=0.2)
