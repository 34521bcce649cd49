"""A track that agrees with itself, one that does not, and what is read of it."""

from __future__ import annotations

import numpy as np
import pytest
from pointclips import clip
from walls import seen_through, wall

from transmixis.core.motion.agree import NOT_FOUND, USUAL, drifts, from_behind, jumps, strains
from transmixis.core.motion.follow import Way, follow
from transmixis.core.motion.level import Laid
from transmixis.core.motion.motion import Motion, moved_points
from transmixis.core.motion.point import about_point
from transmixis.core.motion.straight import slid, straightened
from transmixis.core.progress import Progress
from transmixis.shot.steps.trackreadings import gap_about, lost_readings, seat_readings, track_readings

AT = np.array([80.0, 60.0])


def moved(x: float, y: float = 0.0) -> np.ndarray:
    return np.array([[1, 0, x], [0, 1, y], [0, 0, 1.0]])


def take() -> list[np.ndarray]:
    big = wall(5, (120, 200))
    return [seen_through(big, moved(1.5 * n, -0.5 * n)) for n in range(6)]


def test_a_sound_track_is_the_same_from_both_sides() -> None:
    frames = take()
    pattern = about_point(frames[0], AT, 12)
    found, _ = follow(pattern, lambda n: frames[n], range(1, 6), Way(np.eye(3), np.eye(3)), 20)
    back = from_behind(pattern, lambda n: frames[n], range(1, 6), found, None, Progress())
    assert (back[:-1] < 0.02).all()
    assert np.isnan(back[-1])


def test_a_slip_is_seen_from_the_other_side() -> None:
    """One frame that was laid beside its place is found in it when it is looked for from the next."""
    frames = take()
    pattern = about_point(frames[0], AT, 12)
    found, _ = follow(pattern, lambda n: frames[n], range(1, 6), Way(np.eye(3), np.eye(3)), 20)
    found[2] = Laid(found[2].matrix @ moved(3.0), 0.9, 1.0, 0.02)
    back = from_behind(pattern, lambda n: frames[n], range(1, 6), found, None, Progress())
    assert back[2] == pytest.approx(3.0, abs=0.1)
    assert back[0] < 0.02
    found[3] = Laid(np.eye(3), why="hidden")
    assert np.isnan(from_behind(pattern, lambda n: frames[n], range(1, 6), found, None, Progress())[2:4]).all()
    blank = [np.full_like(f, 0.3) for f in frames]
    told = from_behind(
        pattern, lambda n: blank[n], range(1, 6), [Laid(moved(1.5 * n), 1, 1) for n in range(1, 6)], None, Progress()
    )
    assert (told[:-1] == NOT_FOUND).all()


def test_smeared_frames_are_looked_for_as_smeared_as_they_are() -> None:
    """With what is known of the shutter the two sides agree in blur too."""
    c = clip(3, frames=8, fast=16.0, shutter=0.75, points=1)
    pattern = about_point(c.frames[0], c.truth[0, 0], 16, "similarity")
    found, way = follow(pattern, lambda n: c.frames[n], range(1, 8), Way(np.eye(3), np.eye(3)), 40)
    assert way.shutter.share is not None
    assert c.blur[1:6].min() > 3
    told = from_behind(pattern, lambda n: c.frames[n], range(1, 8), found, way.shutter.share, Progress())[:5]
    plain = from_behind(pattern, lambda n: c.frames[n], range(1, 8), found, None, Progress())[:5]
    assert told.max() < 0.1
    assert told.mean() < plain.mean()


def test_jumps_are_told_beyond_usual_shaking() -> None:
    pattern = about_point(take()[0], AT, 12)
    shaken = [0.0, 0.2, -0.2, 0.2, -0.2, 0.2, 5.0, 0.2]
    found = [Laid(moved(2.0 * n + s), 1, 1) for n, s in enumerate(shaken, 1)]
    jump = jumps(pattern, Way(np.eye(3), np.eye(3)), found)
    assert np.isnan(jump[0])  # from rest no speed is known
    bends = np.abs(np.diff([0.0, *(2.0 * n + s for n, s in enumerate(shaken, 1))], n=2))
    usual = np.median(bends)
    assert jump[6] == pytest.approx(abs(bends[5]) - USUAL * usual)
    assert (jump[1:5] < 0.5).all()
    found[3] = Laid(np.eye(3), why="hidden")
    after = jumps(pattern, Way(np.eye(3), np.eye(3)), found)
    assert np.isnan(after[[3, 5]]).all()  # lost; and no speed is known yet
    assert after[4] < 0.5  # found again where its path led


def test_found_again_off_its_path_is_a_jump() -> None:
    """A look-alike beside it is found as well as the thing itself; the path knows better."""
    pattern = about_point(take()[0], AT, 12)
    still = Way(np.eye(3), np.eye(3))
    places = [2.0, 4.1, 6.0, None, None, 12.1, 14.0]
    for leap in (0.0, 30.0):
        found = [
            Laid(np.eye(3), why="hidden") if x is None else Laid(moved(x + (leap if n > 4 else 0)), 1, 1)
            for n, x in enumerate(places)
        ]
        jump = jumps(pattern, still, found)
        usual = np.median(np.abs(np.diff([0, 2.0, 4.1, 6.0], n=2)))
        beyond = max(abs(12.1 + leap - (6.0 + 3 * 1.9)) - USUAL * usual * 3 * 4 / 2, 0.0)
        assert jump[5] == pytest.approx(beyond, abs=1e-6)
        assert np.isnan(jump[[3, 4, 6]]).all()
    assert np.isnan(jumps(pattern, still, [found[3], *found[5:]])[1])  # of one place before it no speed is known


def test_of_the_last_pair_the_way_that_led_to_it_says_where_to_look() -> None:
    """The frame before the last has but one after it: looked for without its speed it would be lost, and was no slip."""
    big = wall(5, (120, 300))
    frames = [seen_through(big, moved(-21.0 * n)) for n in range(6)]
    pattern = about_point(frames[0], np.array([200.0, 60.0]), 12)
    found, _ = follow(pattern, lambda n: frames[n], range(1, 6), Way(moved(-0.0), moved(21.0)), 30)
    back = from_behind(pattern, lambda n: frames[n], range(1, 6), found, None, Progress())
    assert (back[:-1] < 0.05).all()
    alone = from_behind(pattern, lambda n: frames[n], range(1, 3), found[:2], None, Progress())
    assert np.isnan(alone).all()  # neither side knows a speed


def test_what_changes_more_than_it_may_is_laid_askew_by_so_much() -> None:
    big = wall(5, (120, 200))
    a = np.radians(6.0)
    turn = np.array([[np.cos(a), -np.sin(a), 0], [np.sin(a), np.cos(a), 0], [0, 0, 1]])
    about = moved(*AT) @ turn @ moved(*-AT)
    frames = [seen_through(big, m) for m in (np.eye(3), moved(3.0), about)]
    off_middle = np.array([[AT[0] + 20.0, AT[1]]])  # its place beside the pattern
    plain, free = (about_point(frames[0], AT, 12, m, off_middle[0]) for m in ("position", "similarity"))
    look = frames.__getitem__
    found, _ = follow(plain, look, [1, 2], Way(np.eye(3), np.eye(3)), 20)
    told = strains(free, plain, look, [1, 2], found, None, Progress())
    true = np.hypot(*(moved_points(found[1].matrix, off_middle)[0] - moved_points(about, off_middle)[0]))
    assert told[0] == 0.0  # it only shifts: what a freer fit moves is grain
    assert true > 1.5
    assert told[1] == pytest.approx(true, abs=0.3)
    gone = [found[0], Laid(np.eye(3), why="hidden")]
    assert np.isnan(strains(free, plain, look, [1, 2], gone, None, Progress())[1])


def test_drift_says_how_far_a_later_reference_lies_off_the_first() -> None:
    frames = take()
    first, later = about_point(frames[0], AT, 12), about_point(frames[2], AT + np.array([3.0, -1.0]), 12)
    found, _ = follow(later, lambda n: frames[n], [3, 4, 5], Way(np.eye(3), np.eye(3)), 20)
    for off in (0.0, 0.8):
        seat = moved(3.0 + off, -1.0)
        told = drifts(first, seat, later, lambda n: frames[n], [3, 4, 5], found, None, Progress())
        assert told == pytest.approx([off] * 3, abs=0.03)
    far = drifts(first, moved(33.0), later, lambda n: frames[n], [3, 4, 5], found, None, Progress())
    assert np.isnan(far).all()  # so far off the first one finds nothing
    found[1] = Laid(np.eye(3), why="hidden")
    assert np.isnan(drifts(first, moved(3.0, -1.0), later, lambda n: frames[n], [3, 4, 5], found, None, Progress())[1])


def test_readings_name_what_is_wrong() -> None:
    motion = Motion(moved(10.0), AT[None], error=0.1)
    work = {"alike": 0.9, "seen": 0.3, "back": np.nan, "jump": 2.0, "drift": np.nan}
    read = {r.name: r for r in track_readings(motion, work, surface=True)}
    assert list(read) == ["error", "unlike", "both ways", "jump", "carried by"]
    assert read["unlike"].value == pytest.approx(10)
    assert read["both ways"].value is None
    assert "next frame" in read["both ways"].note
    assert (read["jump"].value, read["carried by"].value) == (2.0, pytest.approx(30))
    assert read["jump"].ratio >= 1  # type: ignore[operator]
    assert read["carried by"].ratio > 1  # type: ignore[operator]
    x, y, w, h = read["error"].spot  # type: ignore[misc]
    assert (x + w / 2, y + h / 2) == pytest.approx((90, 60))
    gone = track_readings(motion, {**work, "back": NOT_FOUND}, surface=False)[2]
    assert gone.value is None  # nobody has measured how far apart
    assert "not found" in gone.note
    assert "carried by" not in [r.name for r in track_readings(motion, work, surface=False)]
    lost = lost_readings(Motion(np.eye(3), AT[None], known=False, why="hidden"), 3.0)
    assert [(r.name, r.value) for r in lost] == [("error", None), ("unlike", None), ("gap", 3.0)]
    drifting = track_readings(motion, {**work, "drift": 0.7}, surface=False)[-1]
    assert (drifting.name, drifting.value, drifting.state) == ("drift", 0.7, "fault")
    assert [r.value for r in seat_readings(0.0, reference=True)] == [0, 0]
    assert [r.value for r in seat_readings(float("nan"), reference=False)] == [None, None]
    assert [r.value for r in seat_readings(0.2, reference=False)] == [0.2, 0]


def test_a_gap_is_as_long_as_it_is_lost() -> None:
    piece = {"why": np.array(["", "x", "x", "", "x"])}
    assert [gap_about(piece["why"] != "", i) for i in (1, 2, 4)] == [2.0, 2.0, 1.0]


# -- straightened


def test_what_is_followed_well_stands_still_and_what_slides_is_measured() -> None:
    frame = wall(5, (160, 220))
    corners = np.array([[40.0, 30], [160, 30], [160, 110], [40, 110]])
    way = np.array([[1.1, 0.08, -12.0], [-0.05, 0.98, 6.0], [3e-4, -1e-4, 1.0]])
    other = seen_through(frame, way)
    base, scale = straightened(frame, np.eye(3), corners, 160)
    assert base.shape == (107, 160, 3)
    assert scale == pytest.approx(160 / (120 * 1.12))
    still, _ = straightened(other, way, corners, 160)
    assert np.abs(still - base).mean() < 0.02
    off = slid(base, still)
    assert off is not None
    assert off / scale < 0.06
    beside, _ = straightened(other, moved(2.0, -1.0) @ way, corners, 160)
    told = slid(base, beside)
    assert told is not None
    there = moved_points(np.linalg.inv(way) @ np.linalg.inv(moved(2.0, -1.0)) @ way, corners.mean(axis=0))[0] - corners.mean(
        axis=0
    )
    assert told / scale == pytest.approx(float(np.hypot(*there)), abs=0.25)
    assert slid(base, np.full_like(base, 0.3)) is None
