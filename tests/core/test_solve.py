"""Solving cameras: from features seen by cameras with a known path, of each kind of move."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest
from camerapaths import FOCAL, SIZE, laid_over, pan, past_a_wall, path_error, truck, zoomed
from hypothesis import given, settings
from hypothesis import strategies as st
from othersolver import solved_otherwise
from scipy.spatial.transform import Rotation

from transmixis.core.errors import Cancelled, UserError
from transmixis.core.motion.bending import bent, flat_of, unbent
from transmixis.core.progress import Progress
from transmixis.core.solve import between
from transmixis.core.solve.bundle import Bundle, _rotation, adjusted
from transmixis.core.solve.camera import FLAT, LOCKED, PARALLAX, TURN, _angles, _depth, _noise, solved
from transmixis.core.solve.flat import _with_focal, flat
from transmixis.core.solve.grow import Scene, flat_rest, start_pair
from transmixis.core.solve.kernels import jacobian, step_of
from transmixis.core.solve.tracks import Tracks
from transmixis.core.solve.turning import turned_by

NOISE = 0.03


def tracks(at: np.ndarray, error: float = NOISE) -> Tracks:
    return Tracks(at.copy(), np.where(np.isfinite(at[..., 0]), error, np.nan))


# -- whole solves


def test_a_moving_camera_is_solved() -> None:
    at, turn, place, things = truck()
    made = solved(tracks(at), SIZE, FOCAL, bend=False)
    assert made.kind == PARALLAX
    assert all(c.known for c in made.cameras)
    assert path_error(list(made.cameras), place) < 3e-4
    # the first camera is the beginning, the farthest stands 1 from it
    assert made.cameras[0].turn == pytest.approx(np.eye(3), abs=1e-9)
    assert made.cameras[0].shift == pytest.approx(np.zeros(3), abs=1e-9)
    assert max(np.linalg.norm(c.place) for c in made.cameras) == pytest.approx(1)
    for n in (7, 29):
        left = Rotation.from_matrix(made.cameras[n].turn @ (turn[n] @ turn[0].T).T).magnitude()
        assert np.degrees(left) < 0.02
    # what is told of a frame is what its points do
    off = np.array([c.error for c in made.cameras])
    assert off == pytest.approx(NOISE * np.sqrt(2), rel=0.25)
    assert np.median(made.errors) == pytest.approx(NOISE * np.sqrt(2), rel=0.25)
    assert len(made.points) > 0.95 * len(things)


def test_an_independent_solver_finds_the_same_way(tmp_path: Path) -> None:
    """The same tracks: as near to the truth as ours, and nearer to ours than either is to the truth."""
    at, _, place, _ = truck(points=120, frames=20)
    ours = np.array([c.place for c in solved(tracks(at), SIZE, FOCAL, bend=False).cameras])
    other = solved_otherwise(at, SIZE, FOCAL, tmp_path)
    assert np.isfinite(other).all()
    length = np.linalg.norm(np.diff(place, axis=0), axis=1).sum()
    off, theirs = (np.linalg.norm(laid_over(p, place) - place, axis=1) for p in (ours, other))
    between = np.linalg.norm(laid_over(ours, other) - other, axis=1) / np.linalg.norm(np.diff(other, axis=0), axis=1).sum()
    assert off.mean() / length < 1.2 * theirs.mean() / length < 3e-4
    assert between.mean() < 0.3 * off.mean() / length


def test_focal_length_and_bend_are_found() -> None:
    at, _, place, _ = truck(k1=-0.08)
    made = solved(tracks(at), SIZE, None, bend=True)
    assert made.focal == pytest.approx(FOCAL, rel=5e-3)
    assert made.cameras[0].k1 == pytest.approx(-0.08, abs=2e-3)
    assert path_error(list(made.cameras), place) < 1e-3


@pytest.mark.parametrize(("most", "move", "dolly"), [(1.8, 1.4, 0.3), (0.6, 1.4, 0.3), (1.4, 0.8, -2.0)])
def test_a_focal_length_that_changes_is_found_for_every_frame(most: float, move: float, dolly: float) -> None:
    """Zoomed in and out while it goes past, and zoomed in while it goes back, so that things hardly grow."""
    zoom = zoomed(30, most)
    at, _, place, _ = truck(points=120, move=move, dolly=dolly, zoom=zoom)
    made = solved(tracks(at), SIZE, None, bend=False, zoom=True)
    assert made.kind == PARALLAX
    assert [c.focal for c in made.cameras] == pytest.approx(FOCAL * zoom, rel=7e-3)
    assert path_error(list(made.cameras), place) < 1e-3


def test_a_zoom_on_a_tripod_is_found() -> None:
    zoom = zoomed(30, 1.8)
    at, turn = pan(zoom=zoom)
    made = solved(tracks(at), SIZE, None, bend=False, zoom=True)
    assert made.kind == TURN
    assert [c.focal for c in made.cameras] == pytest.approx(FOCAL * zoom, rel=1e-3)
    left = [Rotation.from_matrix(c.turn @ (t @ turn[0].T).T).magnitude() for c, t in zip(made.cameras, turn, strict=True)]
    assert np.degrees(left).max() < 0.01


def test_a_zoom_is_not_solved_together_with_a_bend_or_a_given_length() -> None:
    at, *_ = truck(frames=8, points=40)
    for focal, bend in ((None, True), (FOCAL, False)):
        with pytest.raises(UserError, match="give none"):
            solved(tracks(at), SIZE, focal, bend=bend, zoom=True)


def test_frames_between_known_ones_begin_with_the_zoom_found_beside_them() -> None:
    """And an even zoom over frames of which some are missing is even."""
    at, turn, place, things = truck(frames=6, points=40, zoom=zoomed(6, 1.5))
    scene = Scene(
        turn, -np.einsum("nij,nj->ni", turn, place), things, np.array([True, True, False, True, False, True]),
        np.ones(len(things), bool), np.array([FOCAL, 0, 0]), np.array(SIZE) / 2, at, np.array([1, 1.1, 1.2, 1.3, 1.4, 1.5]),
    )  # fmt: skip
    b = scene.bundle()
    assert b.uneven() @ b.zoomed == pytest.approx([0, 0], abs=1e-9)
    assert b.uneven()[0] == pytest.approx(SIZE[0] / 2 * np.array([-1 / 1.5, 1, -1 / 3, 0]))
    scene.taken(replace(b, zooms=2 * b.zoomed))
    assert scene.focals == pytest.approx(2 * FOCAL * np.array([1, 1.1, 1.2, 1.3, 1.4, 1.5]))


def test_things_that_move_are_left_out() -> None:
    at, _, place, _ = truck(points=180)
    third = at.shape[1] // 3
    rng = np.random.default_rng(5)
    at[:, :third] += np.cumsum(rng.normal([2, 0.5], 0.3, (len(at), 1, 2)), axis=0)
    made = solved(tracks(at), SIZE, FOCAL, bend=False)
    assert path_error(list(made.cameras), place) < 6e-4


def test_how_far_aside_points_are_seen_from() -> None:
    stood = np.array([[0.0, 0, 0], [1, 0, 0], [0.5, 0, 0], [3, 0, 0]])
    points = np.array([[0.5, 0, 0.5], [0, 0, 3], [9, 9, 9]])
    seen = np.array([[True, True, False], [True, False, False], [True, False, False], [False, True, True]])
    assert _angles(points, stood, seen) == pytest.approx([90, 45, 0])
    at, *_ = truck()
    made = solved(tracks(at), SIZE, FOCAL, bend=False)
    assert len(made.angles) == len(made.points)
    assert 4 < np.median(made.angles) < 16  # 1.4 m past things 4 to 14 m away


def test_where_little_of_what_was_followed_fits_it_is_said() -> None:
    """Two thirds of the features go their own ways: the camera may be that of any of them."""
    at, *_ = truck(points=240)
    assert "hold out" not in solved(tracks(at), SIZE, FOCAL, bend=False).words
    some = 2 * at.shape[1] // 3
    rng = np.random.default_rng(5)
    at[:, :some] += np.cumsum(rng.normal([0, 0.5], 1.5, (len(at), some, 2)), axis=0)
    words = solved(tracks(at), SIZE, FOCAL, bend=False).words
    assert "hold out by a matte" in words
    assert 25 < float(words.split("Only ")[1].split(" %")[0]) < 40


@pytest.mark.parametrize("focal", [FOCAL, None])
def test_a_camera_on_a_tripod_is_told_and_solved(focal: float | None) -> None:
    at, turn = pan()
    made = solved(tracks(at), SIZE, focal, bend=False)
    assert made.kind == TURN
    assert made.focal == pytest.approx(FOCAL, rel=2e-3)
    for c, t in zip(made.cameras, turn, strict=True):
        assert np.degrees(Rotation.from_matrix(c.turn @ (t @ turn[0].T).T).magnitude()) < 0.01
        assert c.shift == pytest.approx(np.zeros(3))
    assert np.linalg.norm(made.points, axis=1) == pytest.approx(1, abs=0.01)


def test_a_camera_that_stands_is_told() -> None:
    rng = np.random.default_rng(2)
    at = rng.uniform(20, 500, (80, 2))[None] + NOISE * rng.standard_normal((20, 80, 2))
    at[:, :20] += np.cumsum(rng.normal(2, 1, (20, 20, 2)), axis=0)  # somebody walks
    made = solved(tracks(at), SIZE, None, bend=False)
    assert made.kind == LOCKED
    assert np.isnan(made.focal)  # nothing tells it
    assert all(c.known and (c.turn == np.eye(3)).all() for c in made.cameras)
    # a quarter walks and counts as half a pixel, the rest are off by their noise
    most = np.sqrt(0.25 * 0.5**2 + 0.75 * 2 * NOISE**2)
    assert all(NOISE < c.error < most + 0.01 for c in made.cameras)


@pytest.mark.parametrize(("tilt", "swing", "focal"), [(0.0, 7.0, FOCAL), (35.0, 7.0, None), (0.0, -40.0, None)])
def test_a_path_before_a_flat_wall_is_told_and_solved(tilt: float, swing: float, focal: float | None) -> None:
    """Straight before it with the focal length given; aslant, and swung round it, without."""
    at, turn, place, wall = past_a_wall(tilt=tilt, swing=swing, move=6.0 if swing < 0 else 1.4)
    made = solved(tracks(at), SIZE, focal, bend=False)
    assert made.kind == FLAT
    assert "one flat thing" in made.words
    assert made.focal == pytest.approx(FOCAL, rel=2e-3)
    assert path_error(list(made.cameras), place) < 6e-4
    left = [Rotation.from_matrix(c.turn @ (t @ turn[0].T).T).magnitude() for c, t in zip(made.cameras, turn, strict=True)]
    assert np.degrees(left).max() < 0.05
    # the points lie where the wall is, in the first camera's directions and the path's own length
    faces = np.linalg.svd(made.points - made.points.mean(axis=0))[2][2]
    assert abs(faces @ turn[0] @ wall) == pytest.approx(1, abs=1e-5)


def test_a_focal_length_that_a_flat_wall_does_not_tell_is_asked_for() -> None:
    at, *_ = past_a_wall(swing=0.0, nod=0.0)
    made = solved(tracks(at), SIZE, None, bend=False)
    assert made.kind == FLAT
    assert not any(c.known for c in made.cameras)
    assert "give it in px" in made.words


def test_a_zoom_before_a_flat_wall_is_refused() -> None:
    at, *_ = past_a_wall(tilt=35.0)
    made = solved(tracks(at), SIZE, None, bend=False, zoom=True)
    assert made.kind == FLAT
    assert not any(c.known for c in made.cameras)
    assert "flat" in made.cameras[3].why
    assert "surface track" in made.words


def test_of_two_paths_before_a_flat_wall_the_doubt_is_said() -> None:
    """Straight towards a slanted wall without turning: a wall that faces along the path is seen alike from a path along its slant."""
    at, _, place, _ = past_a_wall(tilt=20.0, move=1.0, dolly=2.0, bob=0.0, swing=0.0, nod=0.0)
    made = solved(tracks(at), SIZE, FOCAL, bend=False)
    assert "explains the take as well" in made.words
    assert path_error(list(made.cameras), place) < 6e-4


def test_points_that_slide_do_not_tell_the_lens() -> None:
    """Of a scene with two fifths of points that creep over the take the lens is that of the others; the rest is adjusted to it."""
    at, _, place, _ = truck(seed=3, points=200, k1=-0.08)
    rng = np.random.default_rng(3)
    creeps = rng.random(at.shape[1]) < 0.4
    t = np.linspace(-1, 1, len(at))[:, None, None]
    at[:, creeps] += t**2 * np.stack([-rng.uniform(0.1, 0.6, at.shape[1]), rng.normal(0, 0.1, at.shape[1])], 1)[None, creeps]
    made = solved(tracks(at), SIZE, None, bend=True)
    assert made.focal == pytest.approx(FOCAL, rel=1.5e-3)  # 0.0034 by all alike
    assert made.cameras[0].k1 == pytest.approx(-0.08, abs=1e-3)  # 0.0036 off by all alike
    assert path_error(list(made.cameras), place) < 3e-4


def test_how_sure_a_focal_length_is_is_how_far_it_lies_off() -> None:
    """Over draws of the noise: of the order of what is said; and begun a little off it comes back."""
    off, told = [], []
    for seed in range(6):
        at, *_ = past_a_wall(seed, tilt=25.0, points=60, frames=12)
        scene = flat(at, 1.02 * FOCAL, np.array(SIZE) / 2, bend=False)
        scene, unsure = _with_focal(scene, Progress(), bend=False)
        off.append(scene.lens[0] / FOCAL - 1)
        told.append(unsure)
    assert 0.4 < np.sqrt(np.mean(np.square(off))) / np.median(told) < 2.5
    assert np.median(told) < 0.01


def test_a_bend_before_a_flat_wall_is_found() -> None:
    at, _, place, _ = past_a_wall(tilt=35.0, k1=-0.08)
    scene = flat(at, FOCAL, np.array(SIZE) / 2, bend=True)
    assert scene.lens[1] == pytest.approx(-0.08, abs=4e-3)
    assert not scene.points[scene.solid, 2].any()  # all on the wall
    own = -np.einsum("nji,nj->ni", scene.turns, scene.shifts)
    off = np.linalg.norm(laid_over(own, place) - place, axis=1)
    assert off.max() < 0.01


def test_frames_of_a_wall_are_chained_where_none_is_seen_from_all() -> None:
    """A long way past: the last frame shares nothing with the first, and the wall is told in all."""
    at, _, place, _ = past_a_wall(move=9.0, swing=0.0, points=400)
    assert not (np.isfinite(at[0, :, 0]) & np.isfinite(at[-1, :, 0])).any()
    made = solved(tracks(at), SIZE, FOCAL, bend=False)
    assert made.kind == FLAT
    assert all(c.known for c in made.cameras)
    assert path_error(list(made.cameras), place) < 1e-3
    gone = at.copy()
    gone[12:18] = np.nan  # the chain is cut: what cannot be reached is not claimed
    held = flat(gone, FOCAL, np.array(SIZE) / 2, bend=False)
    assert not held.known[12:18].any()
    with pytest.raises(UserError, match="Too few features"):
        flat(at[[0, 29]], FOCAL, np.array(SIZE) / 2, bend=False)


def test_too_few_features_are_told() -> None:
    at, *_ = truck()
    with pytest.raises(UserError, match="Only 12 features"):
        solved(tracks(at[:, :12]), SIZE, FOCAL, bend=False)
    with pytest.raises(UserError, match="share 30 features"):
        start_pair(at[:, :25])


def test_the_errors_of_features_raise_what_counts_as_depth() -> None:
    assert _noise(Tracks(np.zeros((2, 3, 2)), np.array([[0, 0, 0], [0.1, 0.2, np.nan]]))) == pytest.approx(0.15)
    assert _noise(Tracks(np.zeros((1, 2, 2)), np.zeros((1, 2)))) == 0  # first sightings alone tell none
    at, *_ = truck()
    assert _depth(tracks(at))[0]
    assert not _depth(tracks(at, error=5.0))[0]


# -- parts


def test_the_pair_shows_depth() -> None:
    at, *_ = truck(noise=0)
    i, j = start_pair(at)
    assert j - i > 15  # far apart, as the camera moves evenly
    both = np.isfinite(at[i, :, 0]) & np.isfinite(at[j, :, 0])
    assert flat_rest(at[i, both], at[j, both]) > 1
    assert flat_rest(at[i, both], at[i, both] * 1.1 + 3) < 1e-4


@given(st.floats(-0.3, 0.3), st.floats(-0.1, 0.1))
@settings(max_examples=40, deadline=None)
def test_bending_is_undone(k1: float, k2: float) -> None:
    flat = np.array([[0.0, 0], [0.1, -0.2], [0.45, 0.25], [-0.3, 0.28]])
    assert unbent(bent(flat, k1, k2), k1, k2) == pytest.approx(flat, abs=1e-10)


def test_bending_is_opencvs() -> None:
    flat = np.array([[0.1, -0.2], [0.45, 0.25], [-0.3, 0.28]])
    want, _ = cv2.projectPoints(np.c_[flat, np.ones(3)], np.zeros(3), np.zeros(3), np.eye(3), np.array([-0.2, 0.05, 0, 0]))
    assert bent(flat, -0.2, 0.05) == pytest.approx(want.reshape(-1, 2), abs=1e-12)
    places = np.array([480.0, 270]) + 1000 * bent(flat, -0.2, 0.05)
    assert flat_of(places, 1000.0, np.array([480.0, 270]), -0.2, 0.05) == pytest.approx(flat, abs=1e-10)


def test_derivatives_are_those_of_small_steps() -> None:
    r, t, p = Rotation.from_rotvec([0.1, -0.2, 0.05]).as_matrix(), np.array([0.2, -0.1, 0.3]), np.array([0.7, -0.4, 5.0])
    lens, middle = np.array([1000.0, -0.1, 0.03]), np.array([480.0, 270])

    def at(r: np.ndarray, t: np.ndarray, p: np.ndarray, lens: np.ndarray, zoom: float = 1.3) -> np.ndarray:
        one = Bundle(r[None], t[None], p[None], lens, middle, np.array([0]), np.array([0]), np.zeros((1, 2)), np.array([zoom]))
        return one.off()[0]

    cam, lns, pnt = np.zeros((2, 7)), np.zeros((2, 3)), np.zeros((2, 3))
    assert jacobian(r, t, p, lens, 1.3, cam, lns, pnt)
    h = 1e-6
    assert cam[:, 6] == pytest.approx((at(r, t, p, lens, 1.3 + h) - at(r, t, p, lens, 1.3 - h)) / (2 * h), rel=1e-4)
    for k in range(3):
        d = np.zeros(3)
        d[k] = h
        assert cam[:, k] == pytest.approx(
            (at(_rotation(d) @ r, t, p, lens) - at(_rotation(-d) @ r, t, p, lens)) / (2 * h), rel=1e-4
        )
        assert cam[:, 3 + k] == pytest.approx((at(r, t + d, p, lens) - at(r, t - d, p, lens)) / (2 * h), rel=1e-4, abs=1e-4)
        assert pnt[:, k] == pytest.approx((at(r, t, p + d, lens) - at(r, t, p - d, lens)) / (2 * h), rel=1e-4, abs=1e-4)
        assert lns[:, k] == pytest.approx((at(r, t, p, lens + d) - at(r, t, p, lens - d)) / (2 * h), rel=1e-4, abs=1e-3)
    assert not jacobian(r, t, -p, lens, 1.0, cam, lns, pnt)  # behind the camera


def test_both_ways_of_taking_points_out_give_the_same_step() -> None:
    """Where all see all it is done at once, where few see each point by point; with zooms, a bend and places free."""
    at, turn, place, things = truck(frames=6, points=40)
    rng = np.random.default_rng(2)
    for share in (1.0, 0.25):
        seen = np.isfinite(at[..., 0]) & (rng.random(at.shape[:2]) < share)
        seen[:2] = np.isfinite(at[:2, :, 0])
        j, i = np.nonzero(seen.T)
        starts = np.searchsorted(j, np.arange(len(things) + 1))
        shifts = -np.einsum("nij,nj->ni", turn, place) + 0.01
        zooms, even = np.linspace(1, 1.1, 6), 0.02 * np.eye(4, 6)
        made = [
            step_of.py_func(
                turn, shifts, things, np.array([FOCAL, 0.01, 0]), zooms, even, np.array(SIZE) / 2, i, at[i, j], starts,
                np.ones(3, bool), True, 0, 7, 0.3, 1e-3, many,
            )
            for many in (True, False)
        ]  # fmt: skip
        for a, b in zip(*made, strict=True):
            assert a == pytest.approx(b, rel=1e-5, abs=1e-9)


def test_what_is_adjusted_falls_into_place_and_strangers_do_not_pull() -> None:
    at, turn, place, things = truck(noise=0, frames=6, points=60)
    rng = np.random.default_rng(4)
    j, i = np.nonzero(np.isfinite(at[..., 0]).T)
    shifts = -np.einsum("nij,nj->ni", turn, place)
    seen = at[i, j]
    seen[::40] += 30  # wrong ones
    start = Bundle(
        turn, shifts + 0.01 * rng.standard_normal(shifts.shape), things + 0.05 * rng.standard_normal(things.shape),
        np.array([1050.0, 0, 0]), np.array(SIZE) / 2, i, j, seen,
    )  # fmt: skip
    made = adjusted(start, rounds=60, focal=True)
    right = np.ones(len(seen), bool)
    right[::40] = False
    assert np.linalg.norm(made.off()[right], axis=1).max() < 0.02
    assert made.lens[0] == pytest.approx(FOCAL, rel=1e-3)
    assert made.lens[1:] == pytest.approx([0, 0])  # was not free
    held = adjusted(start, rounds=20, moving=False)
    assert held.shifts == pytest.approx(start.shifts)
    assert held.lens == pytest.approx(start.lens)
    assert start.lens[0] == 1050  # the beginning is left as it was


def test_a_turn_is_found_among_strangers() -> None:
    rng = np.random.default_rng(6)
    a = rng.normal(size=(60, 3))
    a /= np.linalg.norm(a, axis=1, keepdims=True)
    turn = Rotation.from_rotvec([0.2, 0.4, -0.1]).as_matrix()
    b = a @ turn.T
    b[:15] = rng.normal(size=(15, 3))
    b[:15] /= np.linalg.norm(b[:15], axis=1, keepdims=True)
    assert turned_by(a, b) == pytest.approx(turn, abs=1e-6)


class _StopsAt(Progress):
    """Cancels itself when it has been asked so often."""

    def __init__(self, asks: int) -> None:
        super().__init__()
        self.left = asks

    def check(self) -> None:
        self.left -= 1
        if self.left < 0:
            self.cancel()
        super().check()


@pytest.mark.parametrize("asks", [0, 3, 40, 100])
@pytest.mark.parametrize("focal", [FOCAL, None])
def test_a_solve_stops_wherever_it_is_when_it_is_told_to(asks: int, focal: float | None) -> None:
    """In every round and at every point, so that nobody waits for a whole adjustment."""
    at, *_ = truck(frames=10, points=60)
    progress = _StopsAt(asks)
    with pytest.raises(Cancelled):
        solved(tracks(at), SIZE, focal, bend=False, progress=progress)
    assert progress.left == -1  # at the first that it was told


def test_each_round_and_each_row_of_pairs_asks() -> None:
    at, turn, place, things = truck(noise=0.5, frames=6, points=60)
    j, i = np.nonzero(np.isfinite(at[..., 0]).T)
    shifts = -np.einsum("nij,nj->ni", turn, place)
    start = Bundle(turn, shifts + 0.01, things, np.array([1000.0, 0, 0]), np.array(SIZE) / 2, i, j, at[i, j])
    with pytest.raises(Cancelled):
        adjusted(start, rounds=30, progress=_StopsAt(2))
    with pytest.raises(Cancelled):
        start_pair(at, _StopsAt(2))
    pans, _ = pan(frames=8)
    with pytest.raises(Cancelled):
        solved(tracks(pans), SIZE, FOCAL, bend=False, progress=_StopsAt(14))


# -- long takes


def test_frames_between_those_that_are_solved_are_placed(monkeypatch: pytest.MonkeyPatch) -> None:
    """Of every kind: as exact as if all were solved together, and a frame that sees nothing is not claimed."""
    for at, turn, place in (truck(frames=40)[:3], (*pan(frames=40), None), past_a_wall(frames=40, tilt=25.0)[:3]):
        at = at.copy()
        at[21] = np.nan
        monkeypatch.setattr(between, "MOST", 12)
        made = solved(tracks(at), SIZE, FOCAL, bend=False)
        assert [n for n, c in enumerate(made.cameras) if not c.known] == [21]
        left = [
            Rotation.from_matrix(c.turn @ (t @ turn[0].T).T).magnitude()
            for c, t in zip(made.cameras, turn, strict=True)
            if c.known
        ]
        assert np.degrees(left).max() < 0.03
        if place is not None:
            seen = np.delete(np.arange(40), 21)
            assert path_error([made.cameras[n] for n in seen], place[seen]) < 1e-3
        off = [c.error for c in made.cameras if c.known]
        assert max(off) < 3 * min(off)


def test_a_zoom_of_a_long_take_is_found_between_too(monkeypatch: pytest.MonkeyPatch) -> None:
    zoom = zoomed(40, 1.5)
    at, *_ = truck(frames=40, points=120, zoom=zoom)
    monkeypatch.setattr(between, "MOST", 20)
    made = solved(tracks(at), SIZE, None, bend=False, zoom=True)
    assert [c.focal for c in made.cameras] == pytest.approx(FOCAL * zoom, rel=7e-3)


def test_some_frames_reach_both_ends() -> None:
    assert between.some_frames(1).tolist() == [0]
    assert between.some_frames(between.MOST).tolist() == list(range(between.MOST))
    some = between.some_frames(2 * between.MOST + 2)
    assert (some[0], some[-1]) == (0, 2 * between.MOST + 1)
    assert len(some) <= between.MOST + 1
    assert set(np.diff(some)[:-1]) == {3}
