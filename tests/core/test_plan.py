"""Planning arithmetic against handbook values and worked examples, and its properties."""

from __future__ import annotations

import math
from datetime import UTC, datetime, timedelta, timezone

import numpy as np
import pandas as pd
import pvlib
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.special import ellipk

from transmixis.core.errors import UserError
from transmixis.core.plan import lens, miniature, setups, shutter, sun, timing
from transmixis.core.plan.takes import CAMERAS, TRICKS, take_list

LENGTHS = st.floats(0.5, 500)


@pytest.mark.parametrize(("sensor", "focal", "angle"), [(36, 50, 39.598), (24.89, 35, 39.148)])
def test_field_of_view(sensor: float, focal: float, angle: float) -> None:
    """Pinhole geometry."""
    assert lens.field_of_view(sensor, focal) == pytest.approx(angle, abs=5e-4)
    assert lens.focal_for(sensor, angle) == pytest.approx(focal, rel=1e-4)


def test_hyperfocal_and_depth_of_field() -> None:
    """Thin-lens formula f^2 / (N c) + f: 50 mm, f/8, 0.03 mm is 10.467 m; focused there, all from half of it is sharp."""
    found = lens.depth_of_field(50, 8, 10.467, 0.03)
    assert found.hyperfocal == pytest.approx(10.467, abs=5e-4)
    assert found.near == pytest.approx(found.hyperfocal / 2, rel=0.003)
    assert lens.depth_of_field(50, 8, 10.5, 0.03).far == math.inf


@given(focal=st.floats(8, 300), stop=st.floats(1.4, 22), distance=st.floats(0.5, 200))
def test_depth_of_field_holds_the_distance_and_grows_with_the_stop(focal: float, stop: float, distance: float) -> None:
    if distance * 1000 <= focal * 1.5:
        return
    a, b = lens.depth_of_field(focal, stop, distance, 0.02), lens.depth_of_field(focal, 2 * stop, distance, 0.02)
    assert a.near <= distance * (1 + 1e-9)
    assert a.far >= distance * (1 - 1e-9)
    assert b.near <= a.near
    assert b.far >= a.far


@given(size=st.floats(0.01, 20), distance=LENGTHS, focal=st.floats(8, 300))
def test_size_and_distance_are_each_other_s_inverse(size: float, distance: float, focal: float) -> None:
    px = lens.size_px(size, distance, focal, 24.0, 1920)
    assert lens.distance_for(size, px, focal, 24.0, 1920) == pytest.approx(distance, rel=1e-9)
    assert lens.size_px(size, 2 * distance, focal, 24.0, 1920) == pytest.approx(px / 2, rel=1e-9)
    back = lens.distance_for_growth(1.0, 1.1)
    assert lens.growth(back - 1.0, back) == pytest.approx(1.1, rel=1e-9)


def test_lens_says_what_is_wrong() -> None:
    for wrong in (
        lambda: lens.field_of_view(36, 0),
        lambda: lens.focal_for(36, 190),
        lambda: lens.depth_of_field(50, 8, 0.03, 0.03),
    ):
        with pytest.raises(UserError):
            wrong()


def test_shutter_times_and_stops() -> None:
    """180 degrees at 24 is 1/48 s (definition); doubling the rate costs a stop."""
    assert shutter.exposure_time(24, 180) == pytest.approx(1 / 48)
    assert shutter.stops_against(48, 180, 24, 180) == pytest.approx(-1)
    assert shutter.blur_px(960, 24, 180) == pytest.approx(20)
    assert shutter.angle_for_blur(960, 24, 10) == pytest.approx(90)
    assert shutter.slow_motion(60, 24) == pytest.approx(2.5)
    assert shutter.pan_strobes(7, 24) == pytest.approx(1)


def test_mains_lights_are_steady_at_their_own_angles() -> None:
    """25 pictures under 50 Hz never flicker; 24 under 50 Hz do at 180 degrees and not at 172.8 (common practice)."""
    assert shutter.mains_flicker(25, 180, 50) == 0
    assert shutter.mains_flicker(24, 172.8, 50) == pytest.approx(0, abs=1e-9)
    assert shutter.mains_flicker(24, 180, 50) > 0.01
    assert 172.8 in shutter.safe_angles(24, 50)
    assert 144.0 in shutter.safe_angles(24, 60)
    assert {100.0, 50.0, 25.0} <= set(shutter.safe_rates(50))


def seen_by_a_camera(rate: float, angle: float, mains: float, frames: int) -> np.ndarray:
    """The light that every frame of a take gathers, by integrating the waveform; rows: phases of the lights at the start."""
    begins = np.linspace(0, 1 / (2 * mains), 48, endpoint=False)[:, None, None]
    opens = np.arange(frames)[None, :, None] / rate
    t = begins + opens + (np.arange(400) + 0.5) / 400 * shutter.exposure_time(rate, angle)
    return (1 - np.cos(2 * np.pi * 2 * mains * t)).mean(axis=2)


@given(
    rate=st.sampled_from([24.0, 24000 / 1001, 25.0, 30000 / 1001, 30.0, 48.0, 50.0, 60000 / 1001, 60.0, 120.0]),
    angle=st.floats(20, 360), mains=st.sampled_from([50.0, 60.0]),
)  # fmt: skip
@settings(max_examples=25)
def test_flicker_as_computed_is_what_the_light_gives_over_the_whole_beat(rate: float, angle: float, mains: float) -> None:
    light = seen_by_a_camera(rate, angle, mains, 600)  # 10 s and more: every beat of these rates is shorter
    seen, said = float(np.ptp(light, axis=1).max()), shutter.mains_flicker(rate, angle, mains)
    assert seen == pytest.approx(said, rel=0.02, abs=0.004)


@pytest.mark.parametrize(("rate", "angle", "mains", "share"), [(30000 / 1001, 45, 60, 1.27), (24000 / 1001, 180, 60, 0.25)])
def test_a_slow_beat_is_judged_whole(rate: float, angle: float, mains: float, share: float) -> None:
    """Neighbouring frames hardly differ, the beat of eight seconds does."""
    assert shutter.mains_flicker(rate, angle, mains) == pytest.approx(share, abs=0.01)
    assert shutter.beat_seconds(rate, mains) == pytest.approx(8.34, abs=0.02)
    light = seen_by_a_camera(rate, angle, mains, 300)
    assert np.abs(np.diff(light, axis=1)).max() < 0.1 * share
    assert shutter.beat_seconds(25, 50) == math.inf


def test_rows_of_a_rolling_shutter_see_bands() -> None:
    rows = np.arange(1080)[:, None] / 1080 * 0.02 + (np.arange(400) + 0.5) / 400 * shutter.exposure_time(25, 18)
    light = (1 - np.cos(2 * np.pi * 100 * rows)).mean(axis=1)
    assert np.ptp(light) == pytest.approx(1.87, abs=0.01)
    assert shutter.rolling_bands(25, 18, 50) == pytest.approx(1.87, abs=0.01)
    assert shutter.rolling_bands(25, 180, 50) == pytest.approx(0, abs=1e-9)  # open for two whole pulses


def test_sixty_pictures_a_second_find_a_sharp_moment_and_thirty_hardly() -> None:
    slow, fast = (shutter.sharp_moment(3000, 0.5, rate, 180, 3) for rate in (30, 60))
    assert fast.frames > slow.frames
    assert fast.chance > 2 * slow.chance
    assert shutter.sharp_moment(0, 0.5, 30, 180, 3).chance == 1


def test_the_sun_of_the_published_example() -> None:
    """Reda & Andreas, NREL SPA, 2004: zenith 50.11162, azimuth 194.34024 degrees."""
    place = sun.Place(39.742476, -105.1786, 1830.14, 820, 11)
    s = sun.sun_at(place, datetime(2003, 10, 17, 12, 30, 30, tzinfo=timezone(timedelta(hours=-7))))
    assert 90 - s.elevation == pytest.approx(50.11162, abs=1e-4)
    assert s.azimuth == pytest.approx(194.34024, abs=2e-4)


def test_shadows_agree_at_the_same_hour_and_say_when_else() -> None:
    place, summer = sun.Place(57.6, -5.8), timezone(timedelta(hours=1))
    shot = sun.sun_at(place, datetime(2026, 5, 9, 10, 40, tzinfo=summer))
    day = datetime(2026, 5, 22, tzinfo=summer)
    found = sun.hours_that_agree(shot, 285, place, day, 285, 10, 5)
    assert len(found.spans) == 1
    first, last = found.spans[0]
    assert first < datetime(2026, 5, 22, 10, 40, tzinfo=summer) < last
    noon = sun.sun_at(place, datetime(2026, 5, 22, 13, 20, tzinfo=summer))
    assert sun.apart(sun.in_camera(shot.azimuth, 285), sun.in_camera(noon.azimuth, 285)) > 10
    assert sun.shadow_length(45) == pytest.approx(1)
    assert sun.shadow_length(-3) == math.inf
    assert 5 < sun.minutes_until_moved(place, day.replace(hour=12), 5) < 60
    # a high Sun turns its shadows fast: counted minute by minute from pvlib's own positions
    high = sun.Place(47.4, 8.5)
    noon = datetime(2026, 6, 21, 11, 30, tzinfo=UTC)
    times = pd.date_range(noon, periods=60, freq="min")
    where = pvlib.solarposition.get_solarposition(times, high.latitude, high.longitude)
    turned = (where["azimuth"] - where["azimuth"].iloc[0]).abs()
    expected = int((turned >= 5).to_numpy().argmax())
    assert sun.minutes_until_moved(high, noon, 5) == pytest.approx(expected, abs=1)
    assert expected in (8, 9, 10)
    with pytest.raises(UserError):
        sun.sun_at(place, datetime(2026, 5, 9))


@given(a=st.floats(0, 360), b=st.floats(0, 360), turn=st.floats(-360, 360))
def test_turning_all_changes_nothing(a: float, b: float, turn: float) -> None:
    first = sun.apart(sun.in_camera(a, 10), sun.in_camera(b, 50))
    turned = sun.apart(sun.in_camera(a + turn, 10 + turn), sun.in_camera(b + turn, 50 + turn))
    assert turned == pytest.approx(first, abs=1e-6)
    assert 0 <= first <= 180


@given(side=st.floats(-180, 180), away=st.floats(0.5, 50), height=st.floats(1, 30), size=st.floats(0.01, 3))
def test_a_lamp_far_off_is_like_a_sun(side: float, away: float, height: float, size: float) -> None:
    lamp = sun.Lamp(side, away, height, size)
    far = sun.Lamp(side, 1000 * away, 1000 * height, 1000 * size)
    assert abs(sun.apart(lamp.shadow(), side) - 180) < 1e-6  # shadows fall away from it
    assert far.across() == pytest.approx(lamp.across())  # as far off as it is larger, it is as soft
    assert far.elevation(1.0) == pytest.approx(math.degrees(math.atan2(height, away)), abs=0.2)  # height matters no more
    assert lamp.elevation(height) == 0


def test_the_suns_size_and_a_lamps_falloff() -> None:
    """The Sun is 0.53 degrees across (1.39 million km at 149.6 million km); twice as far is two stops less (inverse square)."""
    assert sun.Lamp(0, 149.6e6, 0, 1.3914e6).across() == pytest.approx(sun.SUN_ACROSS, abs=0.002)
    assert sun.lamp_stops(2, 4) == pytest.approx(2.0)


@given(direction=st.floats(-170, 170), length=st.floats(0.3, 3), tilt=st.floats(5, 40))
def test_a_shadow_is_measured_in_the_picture_that_it_was_projected_into(direction: float, length: float, tilt: float) -> None:
    height, size, angle = 1.6, (1920, 1080), 50.0
    base = np.array([0.4, 6.0])
    tip = base + length * np.array([math.sin(math.radians(direction)), math.cos(math.radians(direction))])
    f, t = size[0] / (2 * math.tan(math.radians(angle) / 2)), math.radians(tilt)

    def pixel(ground: np.ndarray) -> tuple[float, float]:
        depth = ground[1] * math.cos(t) + height * math.sin(t)
        down = height * math.cos(t) - ground[1] * math.sin(t)
        return float(size[0] / 2 + f * ground[0] / depth), float(size[1] / 2 + f * down / depth)

    found = sun.shadow_in_picture(pixel(base), pixel(tip), size, angle, tilt, height, thing=1.0)
    assert found.direction == pytest.approx(direction, abs=1e-3)
    assert found.length * height == pytest.approx(length, rel=1e-4)
    assert found.elevation == pytest.approx(math.degrees(math.atan(1 / length)), abs=1e-2)
    with pytest.raises(UserError, match="horizon"):
        sun.shadow_in_picture((960, -4000), (960, 900), size, angle, 10, height)


def test_lamps_fall_off_with_the_square() -> None:
    assert sun.lamp_stops(1, 2) == pytest.approx(2)
    assert sun.lamp_stops(2, 2) == 0


def test_miniatures_after_froude() -> None:
    """1 : 25 runs 5 times as fast: 24 becomes 120 (handbook rule)."""
    assert miniature.froude_rate(25, 24) == pytest.approx(120)
    m = miniature.filmed(25, 24, 50.0, 5.0, 0.5)
    assert (m.distance, m.speed, m.stop) == pytest.approx((2.0, 1.0, 12.5))
    assert miniature.apparent_scale(30, 1.2) == pytest.approx(25)
    assert miniature.nearer_for_scale(4, 10, 20) == pytest.approx(2)
    done = miniature.stop_motion(10, 24, 2)
    assert (done.positions, done.hours) == (120, 5.0)
    with pytest.raises(UserError):
        miniature.froude_rate(0.5, 24)


def test_falls_swings_and_laps() -> None:
    """Standard gravity: 4.903 m in a second. A 1 m pendulum: 2.00641 s, and by the complete elliptic integral beyond small swings."""
    assert timing.fall_time(4.903325) == pytest.approx(1, rel=1e-9)
    assert timing.pendulum_period(1) == pytest.approx(2.00641, abs=1e-5)
    for degrees, factor in ((30, 1.01741), (45, 1.03997), (60, 1.07318), (90, 1.18034)):
        assert timing.pendulum_period(1, degrees) / timing.pendulum_period(1) == pytest.approx(factor, abs=1e-5)
        assert factor == pytest.approx(2 / math.pi * ellipk(math.sin(math.radians(degrees) / 2) ** 2), abs=1e-5)
    assert timing.lapse_length(90, 3, 25) == pytest.approx(10.8)  # common practice: the worked example
    assert timing.wrap_speed(1920, 24, 10) == (240, 8.0)
    assert timing.loop_frames(48) == (45, 45)
    assert timing.speed_to_hit(10, 34, 5, 53) == (2.0, -13.0)


def test_throws_fall_as_the_formula_and_air_slows_them_to_the_terminal_speed() -> None:
    free = timing.thrown(10, 45, 24, 25)
    assert free[24] == pytest.approx([10 * math.cos(math.pi / 4), 10 * math.sin(math.pi / 4) - timing.G / 2])
    slow = timing.thrown(0.001, 0, 24, 24 * 20, terminal=8.0)
    assert np.diff(slow[:, 1])[-1] * 24 == pytest.approx(-8.0, rel=1e-3)
    assert timing.thrown(10, 45, 24, 25, terminal=1e6) == pytest.approx(free, abs=1e-4)


def test_a_pendulum_is_let_go_at_its_height_and_comes_back_after_a_period() -> None:
    rate = 240.0
    period = timing.pendulum_period(0.7, 60)
    swing = timing.pendulum(0.7, 60, rate, round(period * rate) + 1)
    assert swing[0] == pytest.approx(60, abs=1e-6)
    assert swing[-1] == pytest.approx(60, abs=0.1)
    assert swing.min() == pytest.approx(-60, abs=0.1)


def test_easing_of_the_standard() -> None:
    """W3C CSS Easing Functions: (.42, 0, .58, 1) at a quarter and three quarters."""
    moved = timing.eased(0, 1, 5)
    assert moved == pytest.approx([0, 0.12916, 0.5, 0.87084, 1], abs=1e-5)


@given(tricks=st.lists(st.sampled_from(sorted(TRICKS)), min_size=1, max_size=4), camera=st.sampled_from(CAMERAS))
def test_tricks_combine_without_asking_twice(tricks: list[str], camera: str) -> None:
    found = take_list(tuple(tricks), camera)
    assert len(set(found.takes)) == len(found.takes)
    for t in tricks:
        assert set(take_list((t,), camera).takes) <= set(found.takes)
    assert all(t.why for t in found.takes)


def test_two_set_ups_in_perspective() -> None:
    """By hand: 35 and 50 mm on the same sensor from the same place join at 70 % of the size, with one horizon; a model at a sixth of
    distance and height is the same picture."""
    first = setups.Setup(35, 24, 6, 1.5, 4)
    same = setups.compared(first, setups.Setup(50, 24, 6, 1.5, 4), 9 / 16)
    assert (same.distance, same.height) == (0, 0)
    assert same.enlarge == pytest.approx(0.7)
    assert same.horizon == pytest.approx(0, abs=0.5)  # tilted frames enlarge about their feet, not exactly
    level = setups.compared(setups.Setup(35, 24, 6, 1.5, 0), setups.Setup(50, 24, 6, 1.5, 0), 9 / 16)
    assert level.horizon == pytest.approx(0, abs=1e-9)
    assert setups.horizon(setups.Setup(35, 24, 6, 1.5, 0), 9 / 16) == 0.5
    far = setups.compared(first, setups.Setup(35, 24, 12, 1.5, 4), 9 / 16)
    assert far.distance == pytest.approx(100)
    assert far.enlarge == pytest.approx(2.0)
    with pytest.raises(UserError):
        setups.size_on_frame(setups.Setup(0, 24, 6, 1.5, 4))


def test_every_danger_has_its_caution_and_none_is_a_recipe() -> None:
    """Where work can hurt, somebody who is licensed or trained, or a rule, is named; the usual dangers are all there."""
    said = " ".join(c for t in TRICKS.values() for c in t.cautions).lower()
    for danger in (
        "rope",
        "height",
        "water",
        "vehicle",
        "fire",
        "charge",
        "compressed air",
        "hot",
        "mains",
        "overhead",
        "flash",
        "alone",
    ):
        assert danger in said, danger
    for who in ("licensed", "trained", "qualified", "local rules", "permit", "lifeguard"):
        assert who in said


def test_a_slow_fall_is_followed_to_the_ground() -> None:
    """From rest with drag by the square of the speed: t = v / g * acosh(exp(g h / v^2)) (any textbook of mechanics)."""
    assert timing.landing_time(0, 0, 20, 2.0) == pytest.approx(2 / 9.80665 * math.acosh(math.exp(9.80665 * 20 / 4)))
    assert math.ceil(timing.landing_time(0, 0, 20, 2.0) * 24) == 244
    assert timing.landing_time(0, 0, 4.903325, 0) == pytest.approx(1)
    assert timing.landing_time(0, 0, 500, 0.5) == pytest.approx(500 / 0.5 + 0.5 / 9.80665 * math.log(2), rel=1e-3)


@given(st.floats(0.5, 30), st.floats(-90, 90), st.floats(0, 40), st.sampled_from([0.0, 3.0, 20.0]))
def test_a_throw_lands_where_it_is_said_to(speed: float, angle: float, below: float, drag: float) -> None:
    if below < 0.01 and math.sin(math.radians(angle)) * speed < 0.05:
        return
    seconds = timing.landing_time(speed, angle, below, drag)
    at = timing.thrown(speed, angle, 1 / seconds, 2, drag)[1]
    assert at[1] == pytest.approx(-below, abs=2e-3)


def test_what_never_rises_so_high_is_told() -> None:
    with pytest.raises(UserError, match="never"):
        timing.landing_time(3, 10, -5)
    with pytest.raises(UserError, match="never"):
        timing.landing_time(3, 10, -5, 10)


def test_two_set_ups_in_figures() -> None:
    """By hand: 6.5 m for 6 m is 8.33 % further, 0.3 m lower is 5 % of 6 m, and 35 mm at 6 m to 50 mm at 6.5 m is 75.8 %."""
    a, b = setups.Setup(35, 24, 6.0, 1.5, 4.0), setups.Setup(50, 24, 6.5, 1.2, 0.0)
    found = setups.compared(a, b, 9 / 16)
    assert found.distance == pytest.approx(100 * 0.5 / 6)
    assert found.height == pytest.approx(5.0)
    assert found.enlarge == pytest.approx(35 / 6 / (50 / 6.5))
    same = setups.compared(a, a, 9 / 16)
    assert (same.distance, same.height, same.horizon, same.enlarge) == (0, 0, pytest.approx(0, abs=1e-9), 1)
    # the horizon of a level camera is in the middle; tilted down by 4 degrees it rises by 35 tan 4 of 13.5 mm
    assert setups.horizon(b, 9 / 16) == 0.5
    assert setups.horizon(a, 9 / 16) == pytest.approx(0.5 - 35 * math.tan(math.radians(4)) / 13.5)
    bare, side = setups.left_bare(a, setups.Setup(70, 24, 6.0, 1.5, 4.0), 9 / 16)
    feet = 0.5 + 35 * math.tan(math.atan2(1.5, 6) - math.radians(4)) / 13.5
    feet_long = 0.5 + 70 * math.tan(math.atan2(1.5, 6) - math.radians(4)) / 13.5
    assert bare == pytest.approx(max(feet - feet_long / 2, 1 - (feet - feet_long / 2) - 0.5))
    assert side in ("top", "bottom")
