"""Surfaces and points followed: against pictures warped by known perspectives, in and out of sight, through changes of light."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage
from walls import seen_through, wall

from transmixis.core.errors import UserError
from transmixis.core.matte.shape import fill_shape
from transmixis.core.motion import fit
from transmixis.core.motion.follow import STRETCH, Way, _without_strangers, follow, found_in, stretches
from transmixis.core.motion.frame import NOWHERE, Frame, shrunk
from transmixis.core.motion.level import Laid
from transmixis.core.motion.motion import (
    EVERYTHING,
    FLAT,
    SHIFT,
    SHIFT_SIZE,
    grown,
    moved_points,
    similarity_matrix,
    taken,
    through,
    turned,
)  # fmt: skip
from transmixis.core.motion.sampling import Splined
from transmixis.core.motion.similarity import Similarity
from transmixis.core.motion.surface import Surface

H, W = 120, 160
BOX = np.array([[50.0, 40.0], [110.0, 40.0], [110.0, 84.0], [50.0, 84.0]])


def surface(picture: np.ndarray, model: str = "perspective") -> Surface:
    return Surface(picture, BOX, fill_shape(BOX, H, W), model)


def off(found: np.ndarray, truth: np.ndarray) -> float:
    return float(np.abs(moved_points(found, BOX) - moved_points(truth, BOX)).max())


# -- positions, and what is taken of a motion


def test_splines_give_the_pixels_back_and_straight_ramps_between_them() -> None:
    picture = wall()
    ys, xs = np.mgrid[0:H, 0:W]
    values, inside = Splined(picture).at(np.stack([xs.ravel() + 0.5, ys.ravel() + 0.5], 1))
    assert inside.all()
    assert np.abs(values.reshape(picture.shape) - picture).max() < 1e-5
    ramp = (0.1 + 0.02 * xs + 0.005 * ys)[..., None].astype(np.float32)
    at = np.array([[40.2, 30.9], [81.77, 60.01]])
    values, _ = Splined(ramp).at(at)
    assert values[:, 0] == pytest.approx(0.1 + 0.02 * (at[:, 0] - 0.5) + 0.005 * (at[:, 1] - 0.5), abs=1e-4)
    right, down = Splined(ramp).slopes(at)
    assert right[:, 0] == pytest.approx(0.02, abs=1e-4)
    assert down[:, 0] == pytest.approx(0.005, abs=1e-4)


def test_beyond_the_border_there_is_nothing() -> None:
    _, inside = Splined(wall()).at(np.array([[-0.1, 5], [W + 0.1, 5], [5, H + 0.1], [0.1, 0.1], [W - 0.1, H - 0.1]]))
    assert inside.tolist() == [False, False, False, True, True]


def test_shrunk_pictures_are_means() -> None:
    picture = np.arange(64, dtype=np.float32).reshape(8, 8)
    assert shrunk(picture, 4)[0, 0] == pytest.approx(picture[:4, :4].mean())
    assert shrunk(picture[:7, :7], 4).shape == (1, 1)


places = st.tuples(st.floats(-40, 40), st.floats(-40, 40))


@given(st.lists(places, min_size=4, max_size=4), st.lists(places, min_size=4, max_size=4))
def test_a_matrix_through_places_takes_each_to_its_own(jitter: list, other: list) -> None:
    a = np.array([[0.0, 0], [200, 0], [200, 150], [0, 150]]) + 0.5 * np.array(jitter)
    b = np.array([[10.0, 5], [230, 9], [215, 170], [4, 160]]) + 0.5 * np.array(other)
    for k in (1, 2, 3, 4):
        assert moved_points(through(a[:k], b[:k]), a[:k]) == pytest.approx(b[:k], abs=1e-6)


def test_many_places_are_fitted_by_perspective() -> None:
    truth = np.array([[1.02, 0.03, 4], [-0.02, 0.98, -3], [1e-4, -2e-4, 1]])
    a = np.random.default_rng(2).uniform(0, 200, (12, 2))
    found = through(a, moved_points(truth, a))
    assert found / found[2, 2] == pytest.approx(truth, abs=1e-9)


def test_turn_is_anticlockwise_as_seen_and_size_a_factor() -> None:
    """y points down: what is seen to turn anticlockwise has its right end go up."""
    c, s = np.cos(np.radians(10)), np.sin(np.radians(10))
    matrix = np.array([[1.2 * c, 1.2 * s, 5], [-1.2 * s, 1.2 * c, 9], [0, 0, 1]])
    assert moved_points(matrix, np.array([[100.0, 0]]))[0, 1] < moved_points(matrix, np.array([[0.0, 0]]))[0, 1]
    assert turned(matrix, BOX) == pytest.approx(10)
    assert grown(matrix, BOX) == pytest.approx(1.2)
    assert np.allclose(taken(matrix, EVERYTHING, BOX), matrix)
    assert np.allclose(taken(matrix, FLAT, BOX), matrix)
    still = taken(matrix, SHIFT, BOX)
    assert np.allclose(still[:2, :2], np.eye(2))
    sized = taken(matrix, SHIFT_SIZE, BOX)
    assert sized[:2, :2] == pytest.approx(1.2 * np.eye(2))
    for part in (still, sized):  # the thing's middle goes along whatever is left out
        middle = BOX.mean(axis=0)
        assert moved_points(part, middle) == pytest.approx(moved_points(matrix, middle))
    one = taken(matrix, FLAT, BOX[:1])
    assert one == pytest.approx(matrix, abs=1e-9)


def test_a_similarity_has_the_one_convention_and_leads_to_that_of_opencv() -> None:
    """Degrees anticlockwise as seen, pixel centres at halves; OpenCV has them at whole numbers."""
    move = Similarity(3.0, -2.0, 6.0, 1.1, (40.0, 30.0))
    p = np.array([[12.0, 55.0]])
    assert moved_points(similarity_matrix(move), p) == pytest.approx(move.apply(p))
    assert turned(similarity_matrix(move), BOX) == pytest.approx(6.0)
    picture = np.zeros((80, 100), np.float32)
    picture[55, 12] = 1
    there = cv2.warpAffine(picture, move.index_matrix, (100, 80))
    ys, xs = np.mgrid[:80, :100]
    middle = np.array([(there * xs).sum(), (there * ys).sum()]) / there.sum() + 0.5
    assert middle == pytest.approx(move.apply(np.array([[12.5, 55.5]]))[0], abs=0.05)
    right = Similarity(turn=90).apply(np.array([[1.0, 0.0]]))[0]
    assert right == pytest.approx((0, -1))  # the right end goes up


# -- following


@pytest.mark.parametrize(
    ("model", "matrix"),
    [
        ("position", [[1, 0, 2.37], [0, 1, -1.61], [0, 0, 1]]),
        ("similarity", [[1.03, -0.02, 1.2], [0.02, 1.03, -3.7], [0, 0, 1]]),
        ("affine", [[1.03, 0.04, -4.1], [0.01, 0.97, 1.3], [0, 0, 1]]),
        ("perspective", [[1.02, 0.03, -4], [-0.01, 0.98, 3], [1.5e-4, -2e-4, 1]]),
    ],
)
def test_a_surface_is_found_to_a_hundredth_of_a_pixel(model: str, matrix: list) -> None:
    picture, truth = wall(), np.array(matrix, float)
    found = surface(picture, model).lay(Frame(seen_through(picture, truth), BOX, 40), np.eye(3))
    assert not found.lost
    assert off(found.matrix, truth) < 0.01
    assert found.alike > 0.999
    assert found.seen > 0.85


def test_a_change_of_light_across_it_does_not_move_it() -> None:
    picture = wall()
    truth = np.array([[1, 0, 1.3], [0, 1, 0.6], [0, 0, 1.0]])
    xs = np.mgrid[0:H, 0:W][1][..., None]
    lit = 0.02 + seen_through(picture, truth) * (0.6 + 0.3 * xs / W).astype(np.float32)
    found = surface(picture).lay(Frame(lit, BOX, 40), np.eye(3))
    assert off(found.matrix, truth) < 0.03


def test_what_passes_in_front_is_left_out_and_shown() -> None:
    picture = wall()
    truth = np.array([[1, 0, 1.5], [0, 1, -0.8], [0, 0, 1.0]])
    frame = seen_through(picture, truth)
    frame[30:100, 85:103] = (0.7, 0.05, 0.05)
    found = surface(picture).lay(Frame(frame, BOX, 40), np.eye(3))
    assert off(found.matrix, truth) < 0.1
    assert 0.5 < found.seen < 0.8
    assert found.weights is not None
    assert found.weights.min() == 0


def test_the_stated_error_grows_with_noise_and_covers_it() -> None:
    """Fifty noisy frames of a still surface: the spread of what is found is what each says of itself, within a third."""
    picture, rng = wall(), np.random.default_rng(4)
    flat = surface(picture)
    places, stated = [], []
    for _ in range(50):
        noisy = picture + rng.normal(0, 0.02, picture.shape).astype(np.float32)
        found = flat.lay(Frame(noisy, BOX, 40), np.eye(3))
        places.append(moved_points(found.matrix, BOX))
        stated.append(found.error)
    spread = float(np.sqrt(((np.array(places) - BOX) ** 2).sum(axis=2).mean()))
    assert 0.66 * spread < float(np.mean(stated)) < 1.5 * spread
    quiet = flat.lay(Frame(picture + rng.normal(0, 0.002, picture.shape).astype(np.float32), BOX, 40), np.eye(3))
    assert quiet.error < 0.3 * float(np.mean(stated))


def test_too_little_to_follow_is_said() -> None:
    plain = np.full((H, W, 3), 0.3, np.float32)
    with pytest.raises(UserError, match="too little"):
        surface(plain)
    with pytest.raises(UserError, match="too little"):  # stripes: nothing holds it along them
        surface(np.tile(wall()[:1], (H, 1, 1)))
    tiny = np.array([[50.0, 40], [54, 40], [54, 44], [50, 44]])
    with pytest.raises(UserError, match="too small"):
        Surface(wall(), tiny, fill_shape(tiny, H, W))


def test_another_wall_is_not_taken_for_it() -> None:
    found = found_in(surface(wall(1)), wall(99), Way(np.eye(3), np.eye(3)), 10)
    assert found.lost
    assert found.why
    gone = found_in(surface(wall(1)), wall(1), Way(np.array([[1.0, 0, 500], [0, 1, 0], [0, 0, 1]]), np.eye(3)), 5)
    assert gone.lost


def test_a_jump_beyond_the_fit_is_searched_for() -> None:
    picture = wall(3)
    truth = np.array([[1, 0, 21.4], [0, 1, -13.7], [0, 0, 1.0]])
    frame = seen_through(picture, truth)
    still = Way(np.eye(3), np.eye(3))
    assert off(found_in(surface(picture), frame, still, 30).matrix, truth) < 0.02


def test_it_is_found_again_after_it_was_hidden() -> None:
    picture = wall(5)
    paths = {n: np.array([[1, 0, 1.7 * n], [0, 1, -0.9 * n], [0, 0, 1.0]]) for n in range(1, 9)}

    def frame(n: int) -> np.ndarray:
        if n == 6:
            raise UserError("frame 6 is damaged")
        shown = seen_through(picture, paths[n])
        if n in (3, 4):
            shown[20:110, 40:150] = 0.1
        return shown

    found, way = follow(surface(picture), frame, list(paths), Way(np.eye(3), np.eye(3)), 12)
    assert [f.lost for f in found] == [False, False, True, True, False, True, False, False]
    assert found[5].why == "frame 6 is damaged"
    for n in (1, 2, 5, 7, 8):
        assert off(found[n - 1].matrix, paths[n]) < 0.02
    assert way.lost == 0


def test_the_way_goes_on_as_it_went() -> None:
    step = np.array([[1, 0, 3.0], [0, 1, 1.0], [0, 0, 1]])
    assert np.allclose(Way(step @ step, step).expected(), step @ step @ step)
    assert np.allclose(Way(step, np.eye(3), lost=2).expected(), step)  # where it was seen last


@given(st.integers(1, 200), st.integers(0, 199), st.lists(st.integers(1, 200), min_size=1, max_size=5, unique=True))
def test_stretches_hold_every_frame_once_and_lead_away_from_the_nearest_seat(first: int, more: int, seats: list[int]) -> None:
    last = min(200, first + more)
    made = stretches(first, last, seats)
    every = [n for s in made for n in s.frames]
    assert len(every) == len(set(every))
    assert set(range(first, last + 1)) - set(seats) <= set(every)
    assert not set(every) & set(seats)
    by_name = {s.name: s for s in made}
    for s in made:
        assert len(s.frames) <= STRETCH
        assert all(abs(n - s.start) <= min(abs(n - t) for t in seats) + 1 for n in s.frames)
        before = by_name[s.after].frames[-1] if s.after else s.start
        assert abs(s.frames[0] - before) == 1
        assert all(abs(b - a) == 1 for a, b in zip(s.frames, s.frames[1:], strict=False))


def test_a_new_seat_leaves_stretches_elsewhere_as_they_were() -> None:
    a, b = ({s.name: s.frames for s in stretches(1, 300, seats)} for seats in ([10, 200], [10, 200, 290]))
    same = [name for name in a if b.get(name) == a[name]]
    assert "10+0" in same
    assert "200-0" in same
    assert len(same) >= 15  # of 20: all but those behind the middle of the new stretch


@settings(max_examples=15)
@given(st.floats(-6, 6), st.floats(-6, 6), st.floats(-0.03, 0.03), st.floats(0.96, 1.04))
def test_any_small_move_is_found(dx: float, dy: float, turn: float, grow: float) -> None:
    picture = wall(7)
    c, s = grow * np.cos(turn), grow * np.sin(turn)
    about = np.array([80.0, 62.0])
    shift = about + np.array([dx, dy]) - np.array([[c, -s], [s, c]]) @ about
    truth = np.array([[c, -s, shift[0]], [s, c, shift[1]], [0, 0, 1]])
    found = found_in(surface(picture, "similarity"), seen_through(picture, truth), Way(np.eye(3), np.eye(3)), 10)
    assert off(found.matrix, truth) < 0.02


# -- what is before it


def _likes(*alike: float) -> list[Laid]:
    return [Laid(np.eye(3), alike=a, why="" if a else "lost") for a in alike]


def test_what_is_all_at_once_unlike_is_lost() -> None:
    told, usual = _without_strangers(_likes(0.98, 0.97, 0.8, 0, 0.96), None, 0.1)
    assert [f.why for f in told] == ["", "", "something is before it", "lost", ""]
    assert usual == pytest.approx(0.97)
    # where grain makes all of it unlike, the same is no stranger
    told, _ = _without_strangers(_likes(0.8, 0.82, 0.79), 0.85, 0.1)
    assert not any(f.lost for f in told)
    # 0.1 and 2.5 times what is usual
    told, usual = _without_strangers(_likes(0.751, 0.749), 0.94, 0.1)
    assert [f.lost for f in told] == [False, True]
    assert usual == 0.94  # of so few nothing is learnt
    told, usual = _without_strangers(_likes(0, 0), 0.9, 0.1)
    assert ([f.why for f in told], usual) == (["lost", "lost"], 0.9)


def test_the_way_goes_on_over_what_is_hidden() -> None:
    def at(x: float, why: str = "") -> Laid:
        return Laid(np.array([[1, 0, x], [0, 1, 0], [0, 0, 1.0]]), why=why)

    way = Way(np.eye(3), np.eye(3)).on(at(2.0)).on(at(5.0))
    assert way.expected()[0, 2] == pytest.approx(8)
    hidden = way.on(at(0.0, "lost")).on(at(0.0, "lost"))
    assert (hidden.lost, hidden.expected()[0, 2]) == (2, 5)
    again = hidden.on(at(20.0))
    assert (again.lost, again.expected()[0, 2]) == (0, 20)  # over a gap no speed is known


# -- splines and the compiled parts


@pytest.mark.parametrize("shape", [(1, 5, 3), (2, 3, 1), (3, 2, 3), (5, 17, 2), (40, 30, 3), (1, 1, 1)])
def test_splines_are_those_of_scipy(shape: tuple[int, int, int]) -> None:
    p = np.random.default_rng(1).random(shape).astype(np.float32)
    want = np.stack([ndimage.spline_filter(p[..., c].astype(float), order=3, mode="mirror") for c in range(shape[2])], -1)
    assert Splined(p).spline == pytest.approx(want, abs=2e-6)


def test_pixels_are_read_as_at_their_middles() -> None:
    s = Splined(wall())
    ys, xs = np.array([0, 5, H - 1, 60]), np.array([0, W - 1, 7, 80])
    values, right, down = s.pixels(ys, xs)
    at = np.stack([xs + 0.5, ys + 0.5], 1)
    assert values == pytest.approx(s.at(at)[0], abs=1e-6)
    for got, want in zip((right, down), s.slopes(at), strict=True):
        assert got == pytest.approx(want, abs=1e-6)


def test_the_quick_look_is_the_plain_one() -> None:
    s = Splined(wall())
    m = np.array([[1.02, 0.1, -3.0], [-0.08, 0.97, 2.0], [2e-4, -1e-4, 1]])
    ys, xs = np.mgrid[0:H:7, 0:W:5]
    points = np.stack([xs.ravel() + 0.5, ys.ravel() + 0.5], 1)
    seen, inside = np.empty((len(points), 3), np.float32), np.empty(len(points), np.bool_)
    count = fit.look(s.spline, NOWHERE, m, points, seen, inside, (0,) * 3)
    want, there = s.at(moved_points(m, points))
    assert 0 < count == there.sum() < len(points)
    assert (inside == there).all()
    assert seen == pytest.approx(want, abs=2e-6)


def test_the_table_of_products_gives_the_normal_equations() -> None:
    dice = np.random.default_rng(3)
    values, right, down = (dice.random((50, 3)).astype(np.float32) for _ in range(3))
    own, weights = dice.uniform(-1, 1, (50, 2)), dice.random(50).astype(np.float32)
    columns, products = fit.answers(values, right, down, own, 8)
    u, v = (np.repeat(own[:, k], 3) for k in (0, 1))
    r, d, g = right.ravel(), down.ravel(), values.ravel()
    want = [r, d, u * r + v * d, u * d - v * r, u * r - v * d, v * r + u * d, u * (u * r + v * d), v * (u * r + v * d)]
    want += [g, g * u, g * v, np.ones_like(g)]
    assert columns == pytest.approx(np.array(want).T, abs=1e-6)
    normal = np.empty((12, 12))
    fit.normal_equations(products, weights, normal)
    assert normal == pytest.approx(columns.T @ (np.repeat(weights, 3)[:, None] * columns), rel=1e-4, abs=1e-4)
