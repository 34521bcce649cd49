"""Small parts of keying, matching, planning and following, each against what its definition gives."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from transmixis.core.build.match import LEAST_PIXELS, measure_look
from transmixis.core.colour.curves import srgb_to_linear
from transmixis.core.matte.chroma import restore_chroma
from transmixis.core.matte.keyer import KeyModel, learn_shot
from transmixis.core.matte.measure import EDGE_LIMIT, edge_width_reading
from transmixis.core.matte.points import visible_share
from transmixis.core.motion import bending
from transmixis.core.motion.backdrop import COARSER, SOFT, soft_at
from transmixis.core.motion.follow import WIDER, Way, follow
from transmixis.core.motion.frame import Frame
from transmixis.core.motion.motion import moved_points
from transmixis.core.motion.point import about_point
from transmixis.core.motion.pose import Camera
from transmixis.core.motion.similarity import Similarity
from transmixis.core.plan import markers, takes
from transmixis.core.plan.screen import weighted_quantile
from transmixis.core.plan.takes import take_list
from transmixis.core.survey.dust import Spot, depths_left
from transmixis.core.survey.spots import SPOT


def test_the_look_of_a_thin_thing_is_read_away_from_its_edge() -> None:
    """A square of 24 px: 18 x 18 of it lie clear of its edge, which is enough; a smaller one is read whole."""
    rgb = np.full((60, 60, 3), 0.9, np.float32)
    where = np.zeros((60, 60), bool)
    where[10:34, 10:34] = True
    rgb[13:31, 13:31] = 0.1
    look = measure_look(rgb, where)
    assert LEAST_PIXELS / 2 < 18 * 18
    assert look is not None
    assert look.white.max() < 0.5
    small = np.zeros((60, 60), bool)
    small[10:30, 10:30] = True
    rgb[:] = 0.9
    rgb[13:27, 13:27] = 0.1
    whole = measure_look(rgb, small)
    assert LEAST_PIXELS / 2 > 14 * 14
    assert whole is not None
    assert whole.white.max() > 0.6


def test_the_edges_limit_goes_with_the_frames_width() -> None:
    for width in (200, 800):
        alpha = np.zeros((120, width), np.float32)
        cv2.circle(alpha, (width // 2, 60), 40, 1.0, -1)
        assert edge_width_reading(alpha).limit == pytest.approx(EDGE_LIMIT * width / 100)


def test_a_model_knows_whether_its_screen_is_a_picture() -> None:
    dice = np.random.default_rng(2)
    green = np.full((120, 200, 3), (0.05, 0.3, 0.06), np.float32) * np.linspace(0.8, 1.1, 200, dtype=np.float32)[:, None]
    empty = (green + dice.normal(0, 0.002, green.shape)).astype(np.float32)
    taken = empty.copy()
    taken[40:, 80:130] = (0.4, 0.3, 0.25)
    for clean, picture in ((empty, True), (None, False)):
        model = learn_shot([taken], clean=clean, still_camera=clean is not None)
        assert isinstance(model, KeyModel)
        assert (model.base.ndim == 3) is picture
        assert model.picture_base is picture
        grid = model.small_base(200, 120)
        assert grid.ndim == model.base.ndim
        if picture:  # darker at the left, as the screen is
            assert grid[:, 0, 1].mean() / grid[:, -1, 1].mean() == pytest.approx(0.8 / 1.1, rel=0.08)


def test_what_a_level_was_softened_by() -> None:
    """Variances add: the gaussian, the coarser one, and a box of as many px, (n² - 1) / 12."""
    assert soft_at(1) == pytest.approx(SOFT)
    for level in (2, 4):
        box = np.var(np.arange(level))
        assert soft_at(level) * level == pytest.approx(np.sqrt(SOFT**2 + (COARSER * level) ** 2 + box))


def test_a_weighted_quantile_is_that_of_values_repeated() -> None:
    values, times = np.array([5.0, 1.0, 3.0, 2.0, 4.0]), np.array([1, 6, 2, 4, 7])
    for q in (0.05, 0.3, 0.5, 0.8, 0.99):
        assert weighted_quantile(values, times.astype(float), q) == np.quantile(
            np.repeat(values, times), q, method="inverted_cdf"
        )
    assert weighted_quantile(values, times.astype(float), 1.0) == 5.0
    assert weighted_quantile(values, times.astype(float), 1.01) == 5.0  # rounding never leads outside


def test_a_grid_of_markers_is_as_square_as_it_can_be() -> None:
    assert markers._grid(9, 20.0, 20.0) == (3, 3)
    assert markers._grid(8, 30.0, 10.0) == (4, 2)  # 10 apart both ways
    assert markers._grid(5, 50.0, 1.0) == (5, 1)
    assert markers._grid(5, 1.0, 50.0) == (1, 5)
    c, r = markers._grid(7, 20.0, 20.0)
    assert c * r - 7 <= 2


def test_the_search_widens_while_it_is_lost() -> None:
    """A mark that jumps further than the reach while it is hidden is found once the search has grown to it."""
    dice = np.random.default_rng(7)
    ground = 0.2 + 0.05 * cv2.GaussianBlur(dice.random((160, 240, 1)).astype(np.float32), (0, 0), 1.0)[..., None]
    mark = 0.2 + 0.6 * dice.random((13, 13, 1)).astype(np.float32)

    def frame(x: int | None) -> np.ndarray:
        out = ground.copy()
        if x is not None:
            out[74:87, x - 6 : x + 7] = mark
        return out

    reach, jump = 12, 24
    assert reach * WIDER < jump < reach * WIDER**2
    pattern = about_point(frame(60), np.array([60.5, 80.5]), 6)
    start = Way(np.eye(3), np.eye(3))

    def found_after(hidden: int) -> bool:
        pictures = [frame(None)] * hidden + [frame(60 + jump)]
        found, way = follow(pattern, lambda n: pictures[n], range(hidden + 1), start, reach)
        assert all(f.lost for f in found[:-1])
        assert way.lost == (hidden + 1 if found[-1].lost else 0)
        if not found[-1].lost:
            assert moved_points(found[-1].matrix, np.array([60.5, 80.5]))[0] == pytest.approx((60.5 + jump, 80.5), abs=0.05)
        return not found[-1].lost

    assert not found_after(0)
    assert found_after(2)


def test_what_is_left_of_a_spot_is_told_as_a_share_of_the_light() -> None:
    """Log pictures of a moving scene with a gaussian spot of 10 % that stays; half of it is trusted less."""
    dice = np.random.default_rng(3)
    scene = 0.3 * cv2.GaussianBlur(dice.normal(0, 1, (120, 260)).astype(np.float32), (0, 0), 3.0)
    yy, xx = np.mgrid[:80, :120]
    radius = 5.0
    spot = np.log(0.9) * np.exp(-((xx - 60) ** 2 + (yy - 40) ** 2) / (2 * (SPOT * radius) ** 2))
    logs, moves = [], []
    for i in range(14):
        x = 6 * i
        logs.append((scene[20:100, x : x + 120] + spot + dice.normal(0, 0.004, (80, 120))).astype(np.float32))
        moves.append(Similarity(-6.0 * i, 0.0))

    left = depths_left(
        logs, moves, (Spot(2 * 60 + 1.0, 2 * 40 + 1.0, 2 * radius, 0.1), Spot(2 * 30 + 1.0, 2 * 60 + 1.0, 2 * radius, 0.1))
    )
    assert left[0] == pytest.approx(0.1, abs=0.02)
    assert left[1] == pytest.approx(0.0, abs=0.015)


def test_black_and_white_are_the_means_of_the_darkest_and_brightest_two_in_a_hundred() -> None:
    """10 000 px in a ramp, each px in a flat patch so that softening changes nothing."""
    steps = np.linspace(0.05, 0.95, 100)
    rgb = np.repeat(np.kron(steps.reshape(10, 10), np.ones((24, 24)))[..., None], 3, axis=2).astype(np.float32)
    look = measure_look(rgb, np.ones(rgb.shape[:2], bool))
    assert look is not None
    assert look.black == pytest.approx(steps[:2].mean(), abs=0.01)
    assert look.white == pytest.approx(steps[-2:].mean(), abs=0.01)
    assert look.middle == pytest.approx(0.5, abs=0.02)


def test_grain_is_told_in_levels_of_the_coded_picture() -> None:
    dice = np.random.default_rng(5)
    coded = 0.5 + dice.normal(0, 3 / 255, (200, 200, 1)).repeat(3, axis=2)
    look = measure_look(srgb_to_linear(coded).astype(np.float32), np.ones((200, 200), bool))
    assert look is not None
    assert look.grain == pytest.approx(3.0, rel=0.06)


def test_an_edges_width_is_its_soft_pixels_over_its_length() -> None:
    """A disc whose edge is a ramp of 10 px: 8 of them lie between 0.1 and 0.9."""
    yy, xx = np.mgrid[:200, :200] - 100
    alpha = np.clip((60 - np.hypot(xx, yy)) / 10 + 0.5, 0, 1).astype(np.float32)
    told = edge_width_reading(alpha).value
    assert told == pytest.approx(8.0, rel=0.08)  # the outline of pixels is a little longer than the circle


@pytest.mark.parametrize(("left", "empty"), [(150.0, False), (192.0, False), (200.0, True), (240.0, True), (-40.0, True)])
def test_a_part_of_a_frame_with_too_little_in_it_is_empty(left: float, empty: bool) -> None:
    """A coarse look is four px to one, and wants two of them: 8 px at least. The part begins on a whole px of that look."""
    about = left + np.array([[0.0, 20], [8, 20], [8, 40], [0, 40]])
    about[:, 1] -= left
    assert Frame(np.zeros((80, 200, 3), np.float32), about, 4).empty is empty


def test_chroma_that_goes_with_the_luma_is_brought_back_as_it_was() -> None:
    """Where chroma is a line of the luma, its slope is found from the half-size picture, and the full size follows from the luma."""
    dice = np.random.default_rng(9)
    luma = 0.5 + 0.2 * cv2.GaussianBlur(dice.standard_normal((96, 128)).astype(np.float32), (0, 0), 0.7)
    full = np.stack([luma + 0.8 * (luma - 0.5), luma, luma - 0.56 * (luma - 0.5) + 0.05], axis=2).astype(np.float32)
    ycc = cv2.cvtColor(full, cv2.COLOR_RGB2YCrCb)
    half = cv2.resize(ycc[..., 1:], (64, 48), interpolation=cv2.INTER_AREA)
    ycc[..., 1:] = cv2.resize(half, (128, 96), interpolation=cv2.INTER_LINEAR)
    hurt = cv2.cvtColor(ycc, cv2.COLOR_YCrCb2RGB)
    inner = (slice(8, -8), slice(8, -8))
    before, after = (float(np.abs(x - full)[inner].mean()) for x in (hurt, restore_chroma(hurt)))
    assert after < 0.7 * before


@pytest.mark.parametrize(("black", "white", "share"), [(0.0, 1.0, 75.0), (0.1, 0.6, 50.0), (0.3, 0.3, 25.0), (0.0, 0.1, 75.0)])
def test_the_share_of_the_screen_that_shows(black: float, white: float, share: float) -> None:
    """Raw values of 0, 0.1, 0.3 and 0.5: what shows is (v - black) / (white - black) above 0.03."""
    screen = np.array([0.0, 0.1, 0.3, 0.5])
    assert visible_share(screen, black, white) == share
    assert visible_share(np.zeros(0), black, white) == 0.0
    assert visible_share(np.array([0.016]), 0.0, 0.5) == 100.0
    assert visible_share(np.array([0.014]), 0.0, 0.5) == 0.0


def test_takes_that_a_moving_camera_asks_for_more() -> None:
    plain = take_list(("duplicate a performer",))
    by_hand = take_list(("duplicate a performer",), "hand-held")
    assert takes.REPEATED in by_hand.takes
    assert takes.REPEATED not in plain.takes
    other = take_list(("extend the set",), "hand-held")
    assert takes.REPEATED not in other.takes
    assert takes.DEPTH in other.takes
    assert takes.DEPTH not in by_hand.takes
    assert takes.DEPTH not in take_list(("extend the set",)).takes
    assert takes.LOCKED not in by_hand.takes


def test_a_pixels_direction_settles_soon(monkeypatch: pytest.MonkeyPatch) -> None:
    """Newton's rounds double the digits: eight are enough at the corner of a strongly bent frame."""
    view = Camera(900.0, (480.0, 270.0), np.eye(3), np.zeros(3), -0.1, 0.01)
    at = np.array([[1.0, 2.0], [100.0, 50.0], [479.0, 270.0], [480.0, 270.0]])
    whole = view.directions(at)
    monkeypatch.setattr(bending, "ROUNDS", 8)
    assert np.abs(view.directions(at) - whole).max() < 1e-12
    flat = whole[:, :2] / whole[:, 2:]
    assert np.abs(bending.bent(flat, -0.1, 0.01) * 900.0 + (480.0, 270.0) - at).max() < 1e-9
