"""Frames in between against exact ones, beside OpenCV's DIS flow with both frames warped; moments of rates, lengths and curves."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from betweenclips import NAMES, moment, uncovered
from hypothesis import given, settings
from hypothesis import strategies as st

from transmixis.core.colour.curves import linear_to_srgb
from transmixis.core.errors import UserError
from transmixis.core.time.inbetween import Pair, between
from transmixis.core.time.retime import by_curve, by_rate, retime_readings, shown, to_length

Array = np.ndarray


def code(x: Array) -> Array:
    return np.asarray(linear_to_srgb(np.clip(x, 0, 1)) * 255)


def warped_both(a: Array, b: Array) -> Array:
    """The middle as a general-purpose library gives it."""
    grey = [np.clip(code(p).mean(axis=2), 0, 255).astype(np.uint8) for p in (a, b)]
    dis = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
    there, back = dis.calc(grey[0], grey[1], None), dis.calc(grey[1], grey[0], None)
    y, x = np.mgrid[0 : a.shape[0], 0 : a.shape[1]].astype(np.float32)
    way = [
        cv2.remap(p, x + f[..., 0] / 2, y + f[..., 1] / 2, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
        for p, f in ((a, back), (b, there))
    ]
    return np.asarray((way[0] + way[1]) / 2)


def db(made: Array, truth: Array, where: Array | None = None) -> float:
    off = code(made) - code(truth)
    off = off if where is None else off[where]
    return float(20 * np.log10(255 / np.sqrt((off**2).mean())))


@pytest.mark.parametrize("name", NAMES)
def test_a_frame_in_between_is_nearer_than_warping_both(name: str) -> None:
    """All of it at least as near; where things uncover each other a decibel nearer."""
    every, open_ = [], []
    for t in (0.0, 4.0, 8.0):
        a, b, truth = (moment(name, t + d)[0] for d in (0, 1, 0.5))
        where = uncovered(name, t)
        ours, plain = between(a, b, 0.5), warped_both(a, b)
        every.append(db(ours, truth) - db(plain, truth))
        open_.append(db(ours, truth, where) - db(plain, truth, where))
    assert np.mean(every) > 0
    assert np.mean(open_) > 1


def test_any_share_of_the_way() -> None:
    a, b = moment("goes", 2.0)[0], moment("goes", 3.0)[0]
    pair = Pair(a, b)
    for share in (0.2, 0.8):
        assert db(pair.at(share), moment("goes", 2.0 + share)[0]) > 38
    np.testing.assert_array_equal(pair.at(0.5), between(a, b, 0.5))
    assert db(pair.at(0.0), a) > 45
    assert db(pair.at(1.0), b) > 45
    four = np.dstack([a, np.ones(a.shape[:2], np.float32)])
    assert between(four, np.dstack([b, np.ones(b.shape[:2], np.float32)]), 0.5).shape[2] == 4


def test_moments_of_rates_and_lengths() -> None:
    np.testing.assert_allclose(by_rate(25, 25, 50), np.arange(1, 25.1, 0.5))
    np.testing.assert_allclose(by_rate(61, 60, 24), 1 + 2.5 * np.arange(25))
    assert len(by_rate(10, 24, 24)) == 10
    np.testing.assert_allclose(to_length(10, 19), np.arange(1, 10.1, 0.5))
    assert to_length(10, 1).tolist() == [1]
    with pytest.raises(UserError, match="cannot be made"):
        by_rate(10_000, 1, 1000)


def test_moments_of_curves() -> None:
    np.testing.assert_allclose(by_curve({"speed": [[1, 2.0], [11, 2.0]]}, 40), 1 + 2 * np.arange(11))
    exact = by_curve({"speed": [[1, 1.0], [20, 0.2], [40, 1.5]], "ends": "exact"}, 60)
    assert (exact[0], exact[-1]) == (1, pytest.approx(60))
    assert (np.diff(exact) > 0).all()
    slow, fast = np.diff(exact)[19], np.diff(exact)[-1]
    assert fast / slow == pytest.approx(1.5 / 0.2, rel=0.1)
    held = by_curve({"shows": [[1, 1], [10, 12], [20, 12], [30, 24]]}, 24)
    np.testing.assert_allclose(held[9:20], 12)
    back = by_curve({"shows": [[1, 10], [10, 1]]}, 10)  # reversed
    np.testing.assert_allclose(back, np.arange(10, 0, -1))


@pytest.mark.parametrize(
    ("curve", "words"),
    [
        ([], "A curve has"),
        ({"speed": [], "shows": []}, "A curve has"),
        ({"speed": []}, "list of pairs"),
        ({"speed": [[1]]}, "list of pairs"),
        ({"speed": [[1, "x"]]}, "list of pairs"),
        ({"shows": [[1, float("nan")]]}, "list of pairs"),
        ({"speed": [[0, 1]]}, "begin at 1"),
        ({"speed": [[5, 1], [2, 1]]}, "rise from pair"),
        ({"speed": [[1, 9], [40, 9]]}, "asks for frame"),
        ({"speed": [[1, 0], [9, 0]], "ends": "exact"}, "no way at all"),
        ({"shows": [[1, 1], [1e7, 5]]}, "cannot be made"),
    ],
)
def test_a_curve_that_says_nothing_is_told(curve: object, words: str) -> None:
    with pytest.raises(UserError, match=words):
        by_curve(curve, 24)


def test_every_frame_says_what_it_shows_and_what_stutters() -> None:
    assert shown(3.01, 10).words == "frame 3"
    assert shown(3.4, 10).words == "40 % of the way from frame 3 to 4"
    assert shown(10.0, 10).share == 0
    assert shown(3.5, 10, hold=True).low == 4
    moments = [1.0, 1.5, 2.0, 5.0, 5.0]
    read = [
        {r.name: r for r in retime_readings(moments, 10, n, hold=h)}
        for h, n in ((True, 2), (False, 2), (False, 4), (False, 5), (True, 3))
    ]
    assert read[0]["off its time"].value == pytest.approx(0.5)
    assert read[0]["off its time"].state == "fault"
    assert read[1]["off its time"].value == 0
    assert read[1]["off its time"].note == "shows 50 % of the way from frame 1 to 2"
    assert read[2]["skipped"].value == 0  # three frames further, as asked
    assert read[3]["doubled"].value == 0
    assert read[3]["doubled"].note == "as asked"
    assert read[4]["doubled"].value == 1  # held: frame 2 again
    jumps = [{r.name: r for r in retime_readings([1.4, 2.6, 3.8, 6.8], 10, n, hold=True)}["skipped"] for n in (2, 3, 4)]
    assert [j.value for j in jumps] == pytest.approx([0.8, 0, 0])  # from 1 to 3 at a pace of 1.2, then to 4, then to 7 as asked
    assert [j.state for j in jumps] == ["fault", "sound", "sound"]
    assert "doubled" not in {r.name for r in retime_readings(moments, 10, 1, hold=True)}


@settings(max_examples=40, deadline=None)
@given(st.integers(2, 300), st.integers(2, 300))
def test_exact_ends(count: int, frames: int) -> None:
    moments = to_length(count, frames)
    assert (moments[0], moments[-1]) == (1, count)
    assert (np.diff(moments) > 0).all()
    assert all(1 <= shown(m, count).low <= count for m in moments)
