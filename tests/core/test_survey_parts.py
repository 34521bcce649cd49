"""The survey's parts one by one, on made readings: timing, flashes, intruders, gains, noise, spots, sums over time."""

from __future__ import annotations

import colour
import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage
from skimage.transform import SimilarityTransform

from transmixis.core.errors import UserError
from transmixis.core.motion.similarity import Similarity, fit_similarity
from transmixis.core.repair.dusting import filled, put_light_back
from transmixis.core.repair.evening import factors, target_stops
from transmixis.core.survey import exposure
from transmixis.core.survey.dust import Spot
from transmixis.core.survey.exposure import Gains, gains_by_overlap, gains_over_time, measure_drift, mired_change
from transmixis.core.survey.flashing import flashes_per_second
from transmixis.core.survey.intruder import find_intruders
from transmixis.core.survey.noise import noise_law, noise_over_time
from transmixis.core.survey.scan import absent, combed_share, prepare, scan_frame
from transmixis.core.survey.spots import match_spots, peaks, place_spot, radii_for
from transmixis.core.survey.thumbs import Thumbs, some_of
from transmixis.core.survey.timing import time_of

RATE = 24.0


# -- timing, from made scans


def made_scans(steps: list[float], *, noise: float = 1.0, movers: bool = False, same: tuple[int, ...] = ()) -> list[dict]:
    """Scans of a picture that moves by so many px before each frame; `same` (1-based) frames repeat the one before."""
    rng = np.random.default_rng(2)
    out = []
    for i, s in enumerate(steps):
        change = np.abs(rng.normal(1.128 * noise, 0.02, (12, 20))).astype(np.float16)
        change[4:8, 5:12] += abs(s) * 4
        row = np.array([s, 0.0, 0, 1, 0.01 if not movers else np.nan, 100])
        scan = {"levels": np.array([0, 0, noise, 1, 0.0], np.float32), "step": row,
                "movers": np.array([s, 0.0, 0.2 if movers else 0.0]), "change": change}  # fmt: skip
        if i + 1 in same:
            scan["change"] = np.zeros((12, 20), np.float16)
            scan["step"] = np.array([0.0, 0, 0, 1, 0.01, 100])
        if i == 0:
            del scan["change"], scan["step"]
        out.append(scan)
    return out


@pytest.mark.parametrize("movers", [False, True])
def test_a_step_twice_as_long_is_a_dropped_frame(movers: bool) -> None:
    steps = [2.0] * 16
    steps[9] = 4.0
    found = time_of(made_scans(steps, movers=movers), RATE)
    assert (found.dropped, found.told_drops, found.doubled, found.still) == ((10,), True, (), False)
    for factor, drop in ((1.5, False), (1.7, True), (3.0, True), (3.6, False)):
        steps[9] = 2.0 * factor
        assert (time_of(made_scans(steps, movers=movers), RATE).dropped == (10,)) == drop, factor


@pytest.mark.parametrize("at", [7, 8, 10, 11])
def test_a_jump_is_compared_with_two_steps_on_either_side(at: int) -> None:
    """If one of those four is another speed as well, what moves does so unevenly, and nothing is told there."""
    steps = [2.0] * 18
    steps[9] = steps[at] = 4.0
    assert 10 not in time_of(made_scans(steps), RATE).dropped
    steps[at] = 2.0
    assert time_of(made_scans(steps), RATE).dropped == (10,)


@pytest.mark.parametrize("frame", [3, 4, 13, 14])
def test_a_jump_near_the_ends_is_told_as_far_as_it_can_be_compared(frame: int) -> None:
    steps = [2.0] * 16
    steps[frame - 1] = 4.0
    assert time_of(made_scans(steps), RATE).dropped == (frame,)
    doubled = made_scans(steps, same=(frame,))
    assert frame not in time_of(doubled, RATE).dropped


def test_what_creeps_or_hurries_unevenly_cannot_show_a_dropped_frame() -> None:
    slow = [0.8] * 16
    slow[9] = 1.6
    assert (time_of(made_scans(slow), RATE).dropped, time_of(made_scans(slow), RATE).told_drops) == ((), False)
    uneven = [2.0, 4.0] * 8
    assert not time_of(made_scans(uneven), RATE).told_drops
    aside = [2.0] * 16
    scans = made_scans(aside)
    scans[9]["step"] = np.array([4.0, 3.0, 0, 1, 0.01, 100])  # as far across as to jump out of the way
    assert time_of(scans, RATE).dropped == ()
    few = made_scans(aside)
    for s in few:
        s["movers"] = np.array([4.0, 0.0, 0.03])
        s.pop("step", None)
    assert not time_of(few, RATE).told_drops  # too few points move


def test_a_frame_without_even_new_noise_is_doubled() -> None:
    found = time_of(made_scans([2.0] * 14, same=(6, 11)), RATE)
    assert (found.doubled, found.still) == ((6, 11), False)
    assert time_of(made_scans([0.0] * 14, same=(6,)), RATE).doubled == (6,)
    assert time_of(made_scans([0.0] * 14), RATE).doubled == ()
    still = time_of(made_scans([0.0] * 6, same=(2, 3, 4, 5, 6)), RATE)
    assert (still.still, still.doubled) == (True, ())


@pytest.mark.parametrize(
    ("every", "rate", "word"), [(2, 24, "second"), (3, 30, "third"), (5, 30, "fifth"), (6, 60, "sixth"), (7, 24, "7th")]
)
def test_the_real_rate_behind_doubled_frames(every: int, rate: float, word: str) -> None:
    n = 6 * every
    found = time_of(made_scans([2.0] * n, same=tuple(range(every, n + 1, every))), rate)
    assert f"every {word} frame is doubled" in found.cadence
    assert f"{rate * (every - 1) / every:.3g} real pictures a second, not {rate:.3g}" in found.cadence


def test_most_frames_doubled_and_a_few() -> None:
    tripled = tuple(i for i in range(2, 31) if i % 3 != 1)
    found = time_of(made_scans([2.0] * 30, same=tripled), 24)
    assert "most frames are doubled: about 8 real pictures a second, not 24" in found.cadence
    assert time_of(made_scans([2.0] * 30, same=(5, 17, 22)), 24).cadence == ""


def test_a_film_thinned_to_another_rate_is_told_at_every_leap() -> None:
    """Pictures of a higher rate of which every third to fourth was left out: all leaps are told, however few move evenly."""
    leap = [5, 8, 12, 15, 19, 22, 26, 29, 33, 36]
    found = time_of(made_scans([4.0 if i + 1 in leap else 2.0 for i in range(40)], movers=True), 10)
    assert set(leap) <= set(found.dropped)
    assert found.cadence.startswith("the picture leaps every 3 to 4 frames")
    every = time_of(made_scans([4.0 if i % 4 == 0 else 2.0 for i in range(40)], movers=True), 10)
    assert "every fourth frame" in every.cadence
    few = time_of(made_scans([4.0 if i + 1 in leap[:4] else 2.0 for i in range(40)], movers=True), 10)
    assert few.cadence == ""
    rng = np.random.default_rng(5)
    uneven = time_of(made_scans([float(v) for v in rng.uniform(0.5, 6, 60)], movers=True), 10)
    assert uneven.cadence == ""
    assert time_of(made_scans([2.0] * 40, movers=True, same=tuple(range(4, 40, 4))), 24).cadence.startswith(
        "every fourth frame is doubled"
    )


def test_a_mover_that_seems_to_jump_while_the_picture_does_not_drops_no_frame() -> None:
    """Of several people now one is followed, now another: without more change than beside it that is no missing frame."""
    scans = made_scans([2.0] * 16, movers=True)
    scans[9]["movers"] = np.array([4.2, 0.0, 0.2])
    assert time_of(scans, RATE).dropped == ()
    scans[9]["change"][4:8, 5:12] += 8
    assert time_of(scans, RATE).dropped == (10,)


def combs(n: int, which: tuple[int, ...]) -> list[dict]:
    scans = made_scans([2.0] * n)
    for i in which:
        scans[i - 1]["levels"][4] = 0.7
    return scans


def test_patterns_of_combed_frames() -> None:
    pulled = time_of(combs(20, (2, 3, 7, 8, 12, 13, 17, 18)), 30)
    assert pulled.combed == (2, 3, 7, 8, 12, 13, 17, 18)
    assert "3:2 pulldown of 24 pictures" in pulled.cadence
    assert "interlaced" in time_of(combs(20, tuple(range(1, 14))), 25).cadence
    assert time_of(combs(20, (2, 9, 11)), 25).cadence == ""
    under = combs(20, ())
    under[3]["levels"][4] = 0.6  # the limit itself is none
    assert time_of(under, 25).combed == ()


def test_frames_that_are_not_there_are_listed_once() -> None:
    scans = made_scans([2.0] * 8)
    scans[4] = absent("gone")
    assert time_of(scans, RATE, missing=(2, 5)).missing == (2, 5)


# -- flashes: WCAG 2.3.1


def lit(values: list[float], share: float = 1.0, red: bool = False) -> list[np.ndarray]:
    out = []
    for v in values:
        t = np.full((72, 128, 3), 0.3 if not red else 0.0, np.float32)
        part = t[: round(72 * share**0.5), : round(128 * share**0.5)]
        part[...] = [v, 0, 0] if red else v
        out.append(t)
    return out


@pytest.mark.parametrize(
    ("dark", "light", "counted"), [(0.2, 0.29, False), (0.2, 0.31, True), (0.79, 0.9, True), (0.81, 0.95, False)]
)
def test_a_flash_is_a_pair_of_changes_of_a_tenth_from_below_eight_tenths(dark: float, light: float, counted: bool) -> None:
    found = flashes_per_second(lit([dark, light] * 12), 24)
    assert (found[-1] > 10) == counted
    assert (found.max() == 0) != counted


def test_flashes_are_counted_within_a_second_and_forgotten_after() -> None:
    """Two flashes (four changes after the first frame of light): 2 while they lie within a second, then none."""
    values = [0.2] * 10 + [0.6, 0.2, 0.6, 0.2] + [0.2] * 40
    found = flashes_per_second(lit(values), 24)
    assert found[13] == 2
    assert found[13 + 23 - 3] == 2  # the first change came in frame 11
    assert found[-1] == 0
    slow = flashes_per_second(lit(list(np.linspace(0.1, 0.7, 30))), 24)
    assert slow.max() == 0.5  # one rise is half a flash
    gone = lit(values)
    assert flashes_per_second([*gone[:5], None, *gone[6:]], 24)[13] == 2


def test_an_area_counts_from_a_quarter_of_a_block_on() -> None:
    small, large = (
        flashes_per_second(lit([0.1, 0.7] * 12, share=0.008), 24),
        flashes_per_second(lit([0.1, 0.7] * 12, share=0.2), 24),
    )
    assert small.max() == 0
    assert large.max() > 10


def test_saturated_red_is_counted_by_its_own_rule() -> None:
    """R - G - B changes by more than 20 / 320: a luminance change of 0.02 that no general flash would be."""
    red = flashes_per_second(lit([0.05, 0.15] * 12, red=True), 24)
    assert red.max() > 10
    assert flashes_per_second(lit([0.05, 0.10] * 12, red=True), 24).max() == 0


# -- intruders


def with_thing(boxes: dict[int, tuple[int, int, int, int]], n: int = 30) -> list[np.ndarray]:
    """Small pictures of a quiet wall; in some frames (1-based) something dark fills a box x, y, w, h."""
    rng = np.random.default_rng(4)
    wall = 0.2 + 0.1 * ndimage.gaussian_filter(rng.random((72, 128)), 3)[..., None] * np.ones(3)
    out = []
    for i in range(n):
        f = (wall + rng.normal(0, 0.001, wall.shape)).astype(np.float32)
        if i + 1 in boxes:
            x, y, w, h = boxes[i + 1]
            f[y : y + h, x : x + w] *= 0.4
        out.append(f)
    return out


@pytest.mark.parametrize(
    ("box", "edge"),
    [((50, 0, 20, 14), "top"), ((0, 20, 30, 10), "left"), ((100, 20, 28, 10), "right"), ((50, 65, 20, 7), "bottom")],
)
def test_what_reaches_in_over_an_edge_and_goes_again_is_named(box: tuple[int, int, int, int], edge: str) -> None:
    found = find_intruders(with_thing(dict.fromkeys(range(8, 14), box)), np.zeros((30, 3)))
    assert [(f.first, f.last, f.edge) for f in found] == [(8, 13, edge)]
    x, y, w, h = box
    assert found[0].box == pytest.approx((x / 128, y / 72, w / 128, h / 72), abs=0.02)


@pytest.mark.parametrize(
    "boxes",
    [
        dict.fromkeys(range(8, 9), (50, 0, 20, 14)),  # a single frame
        dict.fromkeys(range(3, 29), (50, 0, 20, 14)),  # there all the time
        dict.fromkeys(range(8, 14), (50, 0, 20, 40)),  # reaches too far in: somebody
        dict.fromkeys(range(8, 14), (50, 60, 20, 12)),  # from below, where people stand
        dict.fromkeys(range(8, 14), (20, 0, 80, 14)),  # as wide as a cloud
        dict.fromkeys(range(8, 14), (50, 30, 20, 14)),  # never at an edge
        dict.fromkeys(range(8, 14), (50, 0, 3, 2)),  # too small
        {**dict.fromkeys(range(8, 12), (50, 0, 20, 14)), **dict.fromkeys(range(12, 16), (50, 3, 20, 14))},  # comes off it
    ],
)
def test_other_things_are_no_intruders(boxes: dict[int, tuple[int, int, int, int]]) -> None:
    assert find_intruders(with_thing(boxes), np.zeros((30, 3))) == []


def test_a_dark_channel_that_coding_moved_by_a_step_is_no_intruder() -> None:
    """Grass whose blue lies at 0.003: a code more or less is a sixth of a stop, and happens all over after a key frame."""
    frames = []
    for i in range(30):
        f = np.full((72, 128, 3), [0.06, 0.1, 0.003], np.float32)
        if i < 2:
            f[62:, 30:60, 2] += 0.0011  # 3.6 codes
        frames.append(f)
    assert find_intruders(frames, np.zeros((30, 3))) == []
    for f in frames[:2]:
        f[62:, 30:60] *= 0.6
        f[:5, 60:80] *= 0.6
    assert [x.edge for x in find_intruders(frames, np.zeros((30, 3)))] == ["top"]  # below, it reaches in too far for a stand


def test_a_change_of_the_whole_light_is_no_intruder() -> None:
    frames = [f * 2 ** (0.5 * (i % 2)) for i, f in enumerate(with_thing({}))]
    stops = np.array([[0.5 * (i % 2)] * 3 for i in range(30)])
    assert find_intruders(frames, stops) == []
    assert find_intruders(frames[:4], stops) == []


# -- small pictures


def test_thumbs_are_given_one_at_a_time() -> None:
    scans = [{"thumb": np.full((2, 3, 3), k, np.float16)} for k in range(4)]
    scans[2] = absent("gone")
    thumbs = Thumbs(scans)
    assert len(thumbs) == 4
    assert thumbs[2] is None
    assert thumbs[3].dtype == np.float32  # type: ignore[union-attr]
    assert [None if t is None else float(t[0, 0, 0]) for t in thumbs[1:]] == [1, None, 3]


@given(st.integers(1, 900), st.integers(2, 300))
def test_some_of_many_are_evenly_spread(n: int, most: int) -> None:
    there = [3 * i for i in range(n)]
    few = some_of(there, most)
    assert len(few) <= most
    assert (few[0], few[-1]) == (0, 3 * (n - 1))
    assert set(few) <= set(there)
    assert n > most or few == there
    assert np.ptp(np.diff(few)) <= 3 if len(few) > 1 else True


# -- scan


def test_clipping_is_the_share_of_what_lies_at_white_and_black() -> None:
    picture = np.full((100, 100, 3), 0.2, np.float32)
    picture[:, :, 0] = np.linspace(0.1, 0.6, 100)
    picture[:10] = 1.0
    picture[90:, :, 2] = 0.0
    levels = scan_frame(prepare(picture), None, None)["levels"]
    assert levels[:2] == pytest.approx([0.1, 0.1], abs=0.002)
    assert scan_frame(prepare(picture[10:90]), None, None)["levels"][:2] == pytest.approx([0, 0])


@pytest.mark.parametrize("sigma", [0.8, 2.0, 5.0])
def test_noise_of_a_frame_in_levels(sigma: float) -> None:
    """Gaussian noise on a ramp, 8-bit: found with its rounding (1 / 12 of a level squared)."""
    rng = np.random.default_rng(1)
    code = np.tile(np.linspace(60, 180, 400), (300, 1))
    luma = np.clip(np.round(code + rng.normal(0, sigma, code.shape)), 0, 255).astype(np.uint8)
    grey = ((luma / 255 + 0.055) / 1.055) ** 2.4
    found = scan_frame(prepare(np.repeat(grey[..., None], 3, 2).astype(np.float32)), None, None)["levels"]
    assert found[2] == pytest.approx(np.sqrt(sigma**2 + 1 / 12), rel=0.06)
    assert found[3] < 0.12 * 20 * sigma**2  # a ramp has no detail of its own


def test_teeth_are_told_from_texture() -> None:
    rng = np.random.default_rng(3)
    calm = np.full((100, 160), 90, np.uint8)
    comb = calm.copy()
    comb[1::2, 40:80] += 30
    assert combed_share(calm) == 0
    assert combed_share(comb) == pytest.approx(25, abs=2)
    faint = calm.copy()
    faint[1::2, 40:80] += 8
    assert combed_share(faint) == 0
    checks = calm.copy()
    checks[1::2, ::2] += 30
    checks[::2, 1::2] += 30
    assert combed_share(checks) < 3
    assert combed_share(rng.integers(0, 255, (100, 160)).astype(np.uint8)) < 3
    assert combed_share(calm[:2]) == 0


def test_change_from_frame_to_frame_is_in_levels() -> None:
    a = np.full((64, 96, 3), 0.2, np.float32)
    b = a.copy()
    coded = 1.055 * 0.2 ** (1 / 2.4) - 0.055
    b[:32, :48] = ((coded + 10 / 255 + 0.055) / 1.055) ** 2.4
    first = prepare(a)
    change = scan_frame(prepare(b), first, None)["change"]
    assert change.shape == (4, 6)
    assert change[:2, :3] == pytest.approx(np.full((2, 3), 10), abs=1)
    assert change[2:].max() == 0
    with pytest.raises(UserError, match="at least 16"):
        prepare(np.zeros((15, 40, 3), np.float32))
    assert prepare(np.full((16, 16, 3), 0.1, np.float32)).luma.shape == (16, 16)


# -- gains


def textured(seed: int, shape: tuple[int, int] = (72, 128)) -> np.ndarray:
    rng = np.random.default_rng(seed)
    x = ndimage.gaussian_filter(rng.random((*shape, 3)), (1.2, 1.2, 0))
    return (0.1 + 0.5 * (x - x.min()) / np.ptp(x)).astype(np.float32)


def test_gains_are_told_in_stops_by_channel_about_their_middle() -> None:
    base = textured(1)
    wanted = np.array([[0, 0, 0], [0.1, 0.1, 0.1], [-0.2, -0.1, 0.0], [0, 0, 0.05], [0, 0, 0], [0, 0, 0], [0, 0, 0]])
    found = gains_over_time([base * np.exp2(w).astype(np.float32) for w in wanted])
    assert found.stops - np.median(found.stops, axis=0) == pytest.approx(wanted - np.median(wanted, axis=0), abs=2e-3)
    assert found.exposure == pytest.approx(found.stops.mean(axis=1))
    against = found.against(2)
    assert against[1] == pytest.approx([0, 0, 0])
    assert against[0] == pytest.approx([-0.1] * 3, abs=2e-3)
    assert np.all(found.error < 0.002)


def test_frames_that_cannot_be_read_have_no_gain() -> None:
    base = textured(2)
    black = np.zeros_like(base)
    found = gains_over_time([base, None, base, black, base])
    assert np.isnan(found.stops[[1, 3]]).all()
    assert found.stops[[0, 2, 4]] == pytest.approx(np.zeros((3, 3)), abs=1e-3)
    assert found.against(2)[0] == pytest.approx([0, 0, 0], abs=1e-3)  # the first that was measured
    assert "no frame" in gains_over_time([None, None]).reason
    assert "too little" in gains_over_time([black, black]).reason


def test_gains_along_a_pan_are_those_of_what_is_shared() -> None:
    """A wide picture seen through a window that goes 4 px a frame; light that rises by a stop over the pan and drops at one frame."""
    wide = textured(5, (72, 400))
    n = 40
    stops = np.linspace(0, 1, n)
    stops[20] -= 0.1
    thumbs = [(wide[:, 4 * i : 4 * i + 128] * 2 ** (s - 0.5)).astype(np.float32) for i, s in enumerate(stops)]
    moves = [Similarity(-4.0 * i, 0.0) for i in range(n)]
    found = gains_by_overlap(thumbs, moves)
    off = found.exposure - stops
    assert np.ptp(off) < 0.01
    steady = gains_by_overlap([wide[:, 4 * i : 4 * i + 128] for i in range(n)], moves)
    assert np.abs(steady.stops).max() < 2e-3
    assert found.error[0] > found.error[n // 2] > 0  # little adds up, but it does
    assert "share too little" in gains_by_overlap(thumbs, [None] * n).reason


def test_of_a_long_pan_the_error_is_worked_out_at_some_frames(monkeypatch: pytest.MonkeyPatch) -> None:
    """There is no longest pan; between the frames whose error is solved for it runs in a line, and hardly differs."""
    wide = textured(6, (48, 300))
    thumbs = [wide[:, 4 * i : 4 * i + 96] for i in range(40)]
    moves: list[Similarity | None] = [Similarity(-4.0 * i) for i in range(40)]
    whole = gains_by_overlap(thumbs, moves)
    monkeypatch.setattr(exposure, "MOST_ERRORS", 12)
    some = gains_by_overlap(thumbs, moves)
    assert np.array_equal(some.stops, whole.stops)
    assert some.error == pytest.approx(whole.error, rel=0.25)
    assert whole.error.min() > 0


def test_the_slow_part_is_drift_and_the_rest_is_flicker() -> None:
    n = 96
    slow = 0.3 * np.linspace(-1, 1, n)
    quick = 0.05 * (-1.0) ** np.arange(n)
    g = Gains((slow + quick)[:, None].repeat(3, 1), np.full(n, 1e-3))
    trend = g.trend(24)
    assert np.abs(trend[:, 0] - slow)[8:-8].max() < 0.06
    assert np.abs(np.diff(trend[:, 0])).max() < 0.02
    holes = g.stops.copy()
    holes[40:44] = np.nan
    assert np.isfinite(Gains(holes, g.error).trend(24)).all()
    assert np.array_equal(Gains(g.stops[:2], g.error[:2]).trend(24), g.stops[:2])


def test_drift_of_two_frames_by_channel() -> None:
    a = textured(7, (90, 160))
    found = measure_drift(a, a * np.exp2(np.float32([0.1, 0.0, -0.1])))
    assert found.exposure == pytest.approx(0, abs=1e-3)
    assert found.colour == pytest.approx(0.1, abs=2e-3)


@pytest.mark.parametrize("stops", [(0.1, 0.0, -0.1), (-0.05, 0.0, 0.08), (0, 0, 0)])
def test_mired_by_a_reference_library(stops: tuple[float, float, float]) -> None:
    """McCamy (1992) of the chromaticity that the gains give the white of BT.709."""

    def temperature(gains: np.ndarray) -> float:
        xyz = colour.RGB_to_XYZ(gains, "sRGB", apply_cctf_decoding=False)
        return float(colour.temperature.xy_to_CCT_McCamy1992(colour.XYZ_to_xy(xyz)))

    want = 1e6 / temperature(np.exp2(np.array(stops))) - 1e6 / temperature(np.ones(3))
    assert mired_change(np.array(stops)) == pytest.approx(want, abs=0.15)
    assert mired_change(np.array([0.1, 0, -0.1])) > 0 > mired_change(np.array([-0.1, 0, 0.1]))  # warmer is above zero


def gains_of(values: list[float], error: float = 1e-4) -> Gains:
    v = np.array(values)
    return Gains(v[:, None].repeat(3, 1), np.full(len(v), error))


def test_where_evening_leads_and_by_how_much() -> None:
    g = gains_of([0.0, 0.1, 0.2, 0.3, 0.4])
    one = target_stops(g, 24, [3], keep_drift=False)
    assert one[:, 0] == pytest.approx([0.2] * 5)
    two = target_stops(g, 24, [1, 5], keep_drift=False)
    assert two[:, 0] == pytest.approx([0, 0.1, 0.2, 0.3, 0.4])
    assert target_stops(g, 24, [9, -1, 0], keep_drift=False)[:, 0] == pytest.approx([0] * 5)  # none of them: the first frame
    f = factors(g, one, 1.0, by_channel=True)
    assert f[:, 0] == pytest.approx(2 ** np.array([0.2, 0.1, 0.0, -0.1, -0.2]))
    assert factors(g, one, 0.5, by_channel=True)[0, 0] == pytest.approx(2**0.1)


def test_what_may_be_no_change_is_left_alone() -> None:
    g = gains_of([0.0, 0.0019, 0.0021, 0.05])
    target = np.zeros((4, 3))
    assert factors(g, target, 1.0, by_channel=True)[:, 0] == pytest.approx([1, 1, 2**-0.0021, 2**-0.05])
    unsure = gains_of([0.0, 0.0, 0.039, 0.041], error=0.02)
    assert factors(unsure, target, 1.0, by_channel=True)[:, 0] == pytest.approx([1, 1, 1, 2**-0.041])
    mixed = Gains(np.array([[0.3, 0.0, 0.0], [np.nan] * 3]), np.array([0.0, np.nan]))
    assert factors(mixed, np.zeros((2, 3)), 1.0, by_channel=False)[0] == pytest.approx([2**-0.1] * 3)
    assert factors(mixed, np.zeros((2, 3)), 1.0, by_channel=False)[1] == pytest.approx([1] * 3)


# -- noise


@pytest.mark.parametrize(("a", "b"), [(3e-4, 4e-6), (0.0, 2e-5)])
def test_the_law_of_one_frame_beside_falloff(a: float, b: float) -> None:
    rng = np.random.default_rng(9)
    v, u = np.mgrid[0:240, 0:400]
    frame = (0.05 + 0.4 * u / 400 + 0.05 * v / 240)[..., None].repeat(3, 2)
    frame = frame + rng.normal(0, 1, frame.shape) * np.sqrt(a * frame + b)
    law = noise_law(frame.astype(np.float32), np.ones((240, 400), bool))
    at = np.array([0.1, 0.25, 0.4])
    assert law[:, :1] * at + law[:, 1:] == pytest.approx(np.tile(a * at + b, (3, 1)), rel=0.1)
    assert noise_law(np.full((64, 64, 3), 0.2, np.float32), np.ones((64, 64), bool))[0] == pytest.approx([0, 1e-8])


def test_noise_in_levels_at_middle_grey() -> None:
    """Variance 4e-6 at 0.18: two thousandths, times the sRGB curve's slope there, times 255."""
    rng = np.random.default_rng(3)
    pairs = [tuple((0.18 + rng.normal(0, 2e-3, (160, 240, 3))).astype(np.float32) for _ in range(2)) for _ in range(2)]
    found = noise_over_time(pairs)  # type: ignore[arg-type]
    assert found is not None
    step = 1e-5
    slope = (colour.models.eotf_inverse_sRGB(0.18 + step) - colour.models.eotf_inverse_sRGB(0.18 - step)) / (2 * step)
    assert found.level == pytest.approx(2e-3 * slope * 255, rel=0.03)
    assert abs(found.neighbours) < 0.02
    flat = np.full((160, 240, 3), 0.18, np.float32)
    assert noise_over_time([(flat, flat)]) is None
    assert noise_over_time([(flat[:32, :32], flat[:32, :32])]) is None


# -- spots


@pytest.mark.parametrize("radius", [2.5, 4.0, 6.0])
def test_a_made_spot_is_placed_and_its_depth_found(radius: float) -> None:
    v, u = np.mgrid[0:120, 0:200].astype(np.float64)
    x, y, depth = 83.4, 51.7, 0.12
    picture = -depth * np.exp(-((u - x) ** 2 + (v - y) ** 2) / (2 * (0.75 * radius) ** 2)) + 0.05 + 1e-4 * u
    noisy = (picture + np.random.default_rng(1).normal(0, 0.004, picture.shape)).astype(np.float32)
    trust = np.full(noisy.shape, 1 / 0.004**2, np.float32)
    found = match_spots(noisy, trust)
    places = peaks(found, least_sure=8, least_depth=0.03)
    assert len(places) == 1
    px, py, r = places[0]
    assert np.hypot(px - x, py - y) < 2
    assert found.explains[py, px] > 0.5
    cx, cy, cr, amplitude = place_spot(noisy, trust, px, py, r, float(found.amplitude[py, px]))
    assert (cx, cy) == (pytest.approx(x, abs=0.1), pytest.approx(y, abs=0.1))
    assert cr == pytest.approx(radius, rel=0.08)
    assert amplitude == pytest.approx(-depth, rel=0.08)
    bright = match_spots(-noisy, trust)
    assert peaks(bright, 8, 0.03) == []


def test_spots_are_searched_from_small_to_a_share_of_the_width() -> None:
    radii = radii_for(960)
    assert (radii[0], radii[-1]) == (pytest.approx(1.6), pytest.approx(12))
    ratio = np.diff(np.log(radii))
    assert np.ptp(ratio) < 1e-9
    assert np.exp(ratio[0]) <= 1.39 + 1e-9


def test_what_is_not_trusted_finds_nothing() -> None:
    picture = np.zeros((60, 80), np.float32)
    picture[30, 40] = -1
    found = match_spots(cv2.GaussianBlur(picture, (0, 0), 3), np.zeros((60, 80), np.float32))
    assert peaks(found, 4, 1e-4) == []


# -- dust taken out


def test_light_is_put_back_as_much_as_is_missing() -> None:
    lack = np.full((10, 15), -0.2, np.float32)
    lack[:, 8:] = 0.1  # never taken away
    out = put_light_back(np.full((20, 30, 4), 0.5, np.float32), lack, 1.0)
    assert out[5, 5] == pytest.approx([0.5 * np.exp(0.2)] * 3 + [0.5], rel=1e-3)
    assert out[5, 25, :3] == pytest.approx([0.5] * 3)
    half = put_light_back(np.full((20, 30, 3), 0.5, np.float32), lack, 0.5)
    assert half[5, 5, 0] == pytest.approx(0.5 * np.exp(0.1), rel=1e-3)


def test_a_hidden_place_is_filled_from_around_with_its_grain() -> None:
    rng = np.random.default_rng(2)
    v, u = np.mgrid[0:80, 0:100].astype(np.float32)
    truth = (0.2 + 0.002 * u)[..., None].repeat(3, 2)
    picture = (truth + rng.normal(0, 0.004, truth.shape)).astype(np.float32)
    hurt = picture.copy()
    hurt[np.hypot(u - 50, v - 40) < 6] = 0.01
    spot = Spot(50.0, 40.0, 6.0, 0.9)
    out = filled(hurt, [spot], 1)
    there = np.hypot(u - 50, v - 40) < 6
    assert np.abs((out - truth)[there]).mean() < 0.01
    assert 0.4 * 0.004 < (out - truth)[there].std() < 2.5 * 0.004
    far = np.hypot(u - 50, v - 40) > 13
    assert np.array_equal(out[far], hurt[far])
    assert np.array_equal(filled(hurt, [spot], 1), out)
    assert not np.array_equal(filled(hurt, [spot], 2), out)


# -- similarity


@settings(max_examples=50)
@given(
    st.floats(-50, 50), st.floats(-50, 50), st.floats(-3, 3), st.floats(0.3, 3), st.floats(-100, 100), st.floats(-100, 100)
)  # fmt: skip
def test_similarities_are_those_of_scikit_image(x: float, y: float, turn: float, grow: float, px: float, py: float) -> None:
    s = Similarity(x, y, turn, grow, (px, py))
    there = SimilarityTransform(translation=(px + x, py + y)).params @ SimilarityTransform(scale=grow, rotation=turn).params
    want = there @ SimilarityTransform(translation=(-px, -py)).params
    assert s.matrix == pytest.approx(want[:2], abs=1e-6)
    points = np.array([[0.0, 0.0], [10.0, 3.0], [-4.0, 20.0]])
    assert s.inverse().apply(s.apply(points)) == pytest.approx(points, abs=1e-6)
    assert s.about((7, -3)).apply(points) == pytest.approx(s.apply(points), abs=1e-6)
    other = Similarity(1, 2, 0.3, 1.1, (5, 5))
    assert other.after(s).apply(points) == pytest.approx(other.apply(s.apply(points)), abs=1e-6)
    # pixel centres stay centres: point p of the full picture lies at (p + 0.5) / 2 - 0.5 of the half
    half = s.scaled(0.5)
    assert half.apply((points + 0.5) * 0.5 - 0.5) == pytest.approx((s.apply(points) + 0.5) * 0.5 - 0.5, abs=1e-6)
    fitted = fit_similarity(points, s.apply(points), np.array([1.0, 2.0, 0.5]), (px, py))
    assert fitted.apply(points) == pytest.approx(s.apply(points), abs=1e-6)


def test_points_on_one_spot_tell_no_similarity() -> None:
    with pytest.raises(UserError, match="one spot"):
        fit_similarity(np.ones((3, 2)), np.zeros((3, 2)))
    source, target = np.array([[0.0, 0], [10, 0], [0, 10], [5, 5]]), np.array([[1.0, 0], [11, 0], [1, 10], [40, 40]])
    assert fit_similarity(source, target, np.array([1, 1, 1, 1e-9])).x == pytest.approx(1, abs=1e-5)  # weights are heeded
