"""A solved place laid out on its ground and in metres; cards and boxes in it; lenses as maps."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from transmixis.core.build.stand import Around, Card, Standing, box_at, card_at, drawn, facing, slip_card, spot_at, spot_on_ground
from transmixis.core.errors import UserError
from transmixis.core.motion.lens import Lens
from transmixis.core.motion.pose import Camera
from transmixis.core.solve.world import Marks, World, laid_out

FOCAL, MIDDLE, SIZE = 600.0, (320.0, 180.0), (360, 640)
# a camera 1.5 m over the ground that looks a little down, and what it sees of the ground and of a post 2 m high
TRUE = Camera(FOCAL, MIDDLE, Rotation.from_euler("x", 8, degrees=True).as_matrix(), np.zeros(3), level=True)
TRUE = Camera(FOCAL, MIDDLE, TRUE.turn, -TRUE.turn @ np.array([0, -1.5, 0]), level=True)
GROUND = np.array([[-1.0, 0, 5], [2, 0, 6], [0.5, 0, 9], [1, 0, 4.5]])
POST = np.array([[0.4, 0, 7], [0.4, -2, 7]])
PLACES = np.vstack([GROUND, POST])


def solve() -> tuple[np.ndarray, Camera, float]:
    """The same as a solve has it: turned, moved and of another size."""
    r, scale, by = Rotation.from_rotvec([0.3, -0.8, 0.5]).as_matrix(), 0.37, np.array([3.0, -1, 2])
    points = scale * (PLACES @ r.T) + by
    camera = Camera(FOCAL, MIDDLE, TRUE.turn @ r.T, scale * TRUE.shift - TRUE.turn @ r.T @ by)
    return points, camera, scale


def test_a_solve_sees_what_the_camera_sees() -> None:
    points, camera, _ = solve()
    assert camera.project(points) == pytest.approx(TRUE.project(PLACES), abs=1e-9)


def marks(**more: object) -> Marks:
    at = [tuple(p) for p in TRUE.project(PLACES)]
    return Marks(ground=tuple(at[:3]), **more)  # type: ignore[arg-type]


def test_ground_origin_and_length_are_as_marked() -> None:
    points, camera, scale = solve()
    at = [tuple(p) for p in TRUE.project(PLACES)]
    world = laid_out(points, camera, marks(origin=(at[3],), span=(at[4], at[5]), metres=2.0))
    assert world.levelled
    assert world.measured
    assert world.scale == pytest.approx(1 / scale)
    there = world.points(points)
    assert there[:4, 1] == pytest.approx(0, abs=1e-9)
    assert there[3] == pytest.approx([0, 0, 0], abs=1e-9)
    assert there[5] - there[4] == pytest.approx([0, -2, 0], abs=1e-9)
    seen = world.camera(camera)
    assert seen.project(there) == pytest.approx(np.array(at), abs=1e-7)
    assert seen.place[1] == pytest.approx(-1.5)
    assert seen.level
    ahead = seen.turn[2] * (1, 0, 1)
    assert ahead / np.linalg.norm(ahead) == pytest.approx([0, 0, 1], abs=1e-9)
    assert np.linalg.det(world.axes) == pytest.approx(1)


def test_the_camera_s_height_tells_lengths_too() -> None:
    points, camera, scale = solve()
    world = laid_out(points, camera, marks(height=1.5))
    assert world.scale == pytest.approx(1 / scale)
    assert world.measured
    assert world.points(points)[0] == pytest.approx([0, 0, 0], abs=1e-9)  # the ground's first mark
    assert not laid_out(points, camera, marks()).measured


def test_an_origin_without_a_ground_is_a_solved_point() -> None:
    points, camera, _ = solve()
    at = TRUE.project(PLACES)
    world = laid_out(points, camera, Marks(origin=(tuple(at[5] + 3),)))
    assert world.points(points)[5] == pytest.approx([0, 0, 0], abs=1e-9)
    assert not world.levelled
    assert laid_out(points, camera, Marks()).scale == 1


@pytest.mark.parametrize(
    ("given_marks", "words"),
    [
        (Marks(ground=((1.0, 1.0), (2.0, 2.0), (3.0, 3.0))), "no solved point"),
        (Marks(height=1.5), "before the ground"),
        (Marks(origin=((5.0, 5.0),)), "origin"),
    ],
)
def test_marks_that_cannot_be_meant_are_refused(given_marks: Marks, words: str) -> None:
    points, camera, _ = solve()
    with pytest.raises(UserError, match=words):
        laid_out(points, camera, given_marks)


def test_ground_on_one_line_and_an_origin_in_the_sky_are_refused() -> None:
    points, camera, _ = solve()
    at = [tuple(p) for p in TRUE.project(PLACES)]
    with pytest.raises(UserError, match="one line"):
        laid_out(points, camera, Marks(ground=(at[0], at[0], at[2])))
    with pytest.raises(UserError, match="horizon"):
        laid_out(points, camera, marks(origin=((320.0, 5.0),)))
    with pytest.raises(UserError, match="same solved point"):
        laid_out(points, camera, marks(span=(at[4], at[4]), metres=1.0))


# -- what stands in it


def test_places_of_the_ground_are_found_again() -> None:
    at = TRUE.project(GROUND)
    for place, px in zip(GROUND, at, strict=True):
        assert spot_on_ground(TRUE, px) == pytest.approx(place, abs=1e-9)
    far = float(np.linalg.norm(POST[1] - TRUE.place))
    assert spot_at(TRUE, TRUE.project(POST[1:])[0], far) == pytest.approx(POST[1])


def test_a_card_stands_on_its_foot_and_faces_the_camera() -> None:
    foot = np.array([1.0, 0, 5])
    turn = facing(TRUE, foot)
    card = card_at(foot, 2.0, 3.0, turn)
    assert card.faces(TRUE)
    assert not card_at(foot, 2.0, 3.0, turn + 180).faces(TRUE)
    low = card.corner + card.down
    assert low[1] == pytest.approx(0)
    assert low + 0.5 * card.along == pytest.approx(foot)
    assert np.linalg.norm(card.along) == pytest.approx(2)
    assert card.corner[1] == pytest.approx(-3)
    assert card.along @ ((foot - TRUE.place) * (1, 0, 1)) == pytest.approx(0, abs=1e-9)
    flat = card_at(foot, 2.0, 3.0, 0.0, lying=True)
    assert flat.corner[1] == flat.down[1] == 0
    assert flat.corner == pytest.approx([0, 0, 8])


def test_a_card_lies_in_the_frame_where_its_corners_are_seen() -> None:
    card = card_at(np.array([1.0, 0, 5]), 2.0, 3.0, 25.0)
    matrix = card.matrix(TRUE, (30, 20))
    assert matrix is not None
    corners = np.array([card.corner, card.corner + card.along, card.corner + card.along + card.down, card.corner + card.down])
    at = np.c_[[[0, 0], [20, 0], [20, 30], [0, 30]], np.ones(4)] @ matrix.T
    assert at[:, :2] / at[:, 2:] == pytest.approx(TRUE.project(corners), abs=1e-9)
    assert card_at(np.array([0.0, 0, -5]), 1.0, 1.0, 0.0).matrix(TRUE, (30, 20)) is None


def test_a_box_has_its_size_and_shows_three_sides() -> None:
    sides = box_at(np.array([0.0, 0, 5]), 2.0, 1.0, 3.0, 0.0)
    ends = np.array([c.corner + u * c.along + v * c.down for c in sides for u in (0, 1) for v in (0, 1)])
    assert ends.min(axis=0) == pytest.approx([-1, -1, 5])
    assert ends.max(axis=0) == pytest.approx([1, 0, 8])
    middle = np.array([0, -0.5, 6.5])
    for c in sides:  # their fronts look outwards
        assert np.cross(c.along, c.down) @ (c.middle - middle) < 0
    assert [c.faces(TRUE) for c in sides] == [True, False, False, False, True]


def around(camera: Camera) -> Around:
    return Around(camera, camera, camera)


def test_the_nearer_card_covers_the_farther() -> None:
    near, far = (card_at(np.array([0.0, -0.5, z]), 1.0, 1.0, 0.0) for z in (4.0, 6.0))
    red, blue = np.zeros((8, 8, 4), np.float32), np.zeros((8, 8, 4), np.float32)
    red[..., (0, 3)] = blue[..., (2, 3)] = 1
    for order in ([(near, red), (far, blue)], [(far, blue), (near, red)]):
        made = drawn([Standing(*one) for one in order], around(TRUE), SIZE, 0.0)
        x, y = TRUE.project(near.middle[None])[0]
        assert made[int(y), int(x)] == pytest.approx([1, 0, 0, 1], abs=1e-4)


def test_a_bending_lens_bends_what_stands_before_it() -> None:
    camera = Camera(FOCAL, MIDDLE, TRUE.turn, TRUE.shift, k1=-0.15)
    card = card_at(np.array([-1.6, 0, 5.0]), 0.5, 0.5, 0.0)
    picture = np.ones((16, 16, 4), np.float32)
    made = drawn([Standing(card, picture)], around(camera), SIZE, 0.0)[..., 3]
    ys, xs = np.mgrid[0 : SIZE[0], 0 : SIZE[1]] + 0.5
    seen = np.array([(xs * made).sum(), (ys * made).sum()]) / made.sum()
    u, v = np.meshgrid((np.arange(20) + 0.5) / 20, (np.arange(20) + 0.5) / 20)
    there = camera.project(card.corner + u.reshape(-1, 1) * card.along + v.reshape(-1, 1) * card.down)
    assert seen == pytest.approx(there.mean(axis=0), abs=0.3)
    assert np.hypot(*(TRUE.project(card.middle[None])[0] - seen)) > 3  # a straight lens would see it elsewhere


def test_what_a_lens_draws_in_from_beside_the_frame_is_there() -> None:
    """A barrel sees further in its corners than a straight lens: a card that fills all of its view has no gap there."""
    camera = Camera(FOCAL, MIDDLE, TRUE.turn, TRUE.shift, k1=-0.2, level=True)
    wall = card_at(np.array([0.0, 8.0, 6.0]), 30.0, 30.0, 0.0)
    made = drawn([Standing(wall, np.ones((16, 16, 4), np.float32))], around(camera), SIZE, 0.0)
    assert made[..., 3].min() > 0.99
    lens = Lens.of(camera)
    edge = lens.margin(SIZE)
    corner = lens.straightened(np.array([[0.5, 0.5], [639.5, 359.5]]))
    assert -edge < corner.min() < 0
    assert 0 < (corner - (640, 360)).max() < edge
    assert lens.bent_map(SIZE) is lens.bent_map(SIZE)  # of one lens all frames are alike
    with pytest.raises(ValueError, match="read-only"):
        lens.bent_map(SIZE)[0, 0] = 0


def test_a_camera_in_its_own_ground_tells_no_height() -> None:
    flat = Camera(FOCAL, MIDDLE, TRUE.turn, np.zeros(3))
    ground = np.array([[-1.0, 0, 5], [2, 0, 6], [0.5, 0, 9]])
    at = tuple(map(tuple, flat.project(ground)))
    with pytest.raises(UserError, match="in the marked ground"):
        laid_out(ground, flat, Marks(ground=at, height=1.5))  # type: ignore[arg-type]


def test_what_passes_by_is_smeared() -> None:
    card = card_at(np.array([0.0, -0.5, 4.0]), 0.5, 0.5, 0.0)
    beside = [Camera(FOCAL, MIDDLE, TRUE.turn, TRUE.shift + np.array([x, 0, 0]), level=True) for x in (-0.2, 0.2)]
    moving = Around(beside[0], TRUE, beside[1])
    sharp, soft = (drawn([Standing(card, slip_card())], moving, SIZE, s)[..., 3] for s in (0.0, 180.0))
    rise = lambda a: int(((a > 0.05) & (a < 0.95)).sum())  # noqa: E731
    assert rise(soft) > 5 * rise(sharp)
    assert soft.sum() == pytest.approx(sharp.sum(), rel=0.02)


def test_the_world_is_as_it_is_where_nothing_was_said() -> None:
    c = World().camera(TRUE)
    assert c.project(PLACES) == pytest.approx(TRUE.project(PLACES))
    assert Card(np.zeros(3), np.array([1.0, 0, 0]), np.array([0, 1.0, 0])).middle == pytest.approx([0.5, 0.5, 0])


# -- lenses


@given(st.floats(-0.25, 0.4), st.floats(-0.03, 0.08), st.floats(500, 3000))
@settings(max_examples=40, deadline=None)
def test_straighten_and_bend_back_are_exact_inverses(k1: float, k2: float, focal: float) -> None:
    """To 0.01 px inside of the frame, or refused as no inverse is there."""
    lens = Lens(focal, (331.0, 172.0), k1, k2)
    try:
        lens.checked(SIZE)
    except UserError:
        return
    at = np.stack(np.meshgrid(np.linspace(0, 640, 33), np.linspace(0, 360, 19)), axis=2).reshape(-1, 2)
    assert np.abs(lens.seen(lens.straightened(at)) - at).max() < 1e-6
    zoom = lens.inside(SIZE)
    assert 0 < zoom <= 1
    there = (lens.straightened(at) - lens.middle) * zoom + lens.middle
    assert there.min() > -0.6
    assert (there[:, 0] < 640.6).all()
    assert (there[:, 1] < 360.6).all()


def test_the_maps_are_what_places_say() -> None:
    lens = Lens(700.0, (320.0, 180.0), -0.1, 0.01)
    straight, bent = lens.straight_map((36, 64), 0.9), lens.bent_map((36, 64), 0.9)
    at = (np.array([10.5, 20.5]) - lens.middle) / 0.9 + lens.middle
    assert straight[20, 10] == pytest.approx(lens.seen(at[None])[0])
    assert bent[20, 10] == pytest.approx((lens.straightened(np.array([[10.5, 20.5]]))[0] - lens.middle) * 0.9 + lens.middle)


def test_a_lens_that_folds_the_frame_is_refused() -> None:
    with pytest.raises(UserError, match="folds"):
        Lens(300.0, (320.0, 180.0), -0.3).bends(SIZE)
    assert Lens(700.0, (320.0, 180.0), -0.1).bends(SIZE) > 5  # a barrel: what is seen lay further out
    assert Lens(700.0, (320.0, 180.0), 0.1).bends(SIZE) < -5
    assert Lens(700.0, (320.0, 180.0), 0.0).straight
    assert Lens.of(Camera(700.0, MIDDLE, np.eye(3), np.zeros(3), 0.1, 0.2)) == Lens(700.0, MIDDLE, 0.1, 0.2)


# -- the last details


def test_without_solved_points_no_mark_can_be_meant() -> None:
    _, camera, _ = solve()
    with pytest.raises(UserError, match="no solved point"):
        laid_out(np.zeros((0, 3)), camera, marks())
    assert laid_out(np.zeros((0, 3)), camera, Marks()).scale == 1


def test_a_thin_triangle_is_refused_by_its_longest_side() -> None:
    """Its first mark lies between the two others, so that neither side from it is the longest."""
    points = np.array([[0.0, 0, 6], [1, 0, 6], [-1, 0, 6.06], [-1, 0, 7.5]])
    at = [tuple(p) for p in TRUE.project(points)]
    with pytest.raises(UserError, match="one line"):
        laid_out(points, TRUE, Marks(ground=(at[0], at[1], at[2])))
    assert laid_out(points, TRUE, Marks(ground=(at[0], at[1], at[3]))).levelled


def test_the_test_card_has_eight_fields_to_a_side_and_a_rim() -> None:
    card = slip_card(0.4)
    assert card.shape == (256, 256, 4)
    assert (card[..., 3] == 1).all()
    row, column = card[16, 4:-4, 0], card[4:-4, 16, 0]
    assert np.count_nonzero(np.diff(row)) == np.count_nonzero(np.diff(column)) == 7
    assert {round(float(v), 3) for v in row} == {0.4, 0.14}
    for edge in (card[:4], card[-4:], card[:, :4], card[:, -4:]):
        assert edge[..., :3] == pytest.approx(0.52)
    assert card[4, 4, 0] < 0.5


def test_lengths_in_the_place_do_not_depend_on_the_solve_s_unit() -> None:
    """A side that was said to be two metres long is, and the camera stands as high as it does."""
    points, camera, _ = solve()
    at = [tuple(p) for p in TRUE.project(PLACES)]
    by_span = laid_out(points, camera, marks(span=(at[0], at[1]), metres=float(np.linalg.norm(GROUND[1] - GROUND[0]))))
    by_height = laid_out(points, camera, marks(height=1.5))
    assert by_span.points(points) == pytest.approx(by_height.points(points), abs=1e-9)
    both = laid_out(points, camera, marks(span=(at[0], at[1]), metres=6.0, height=1.5))  # the length counts
    assert both.scale > by_span.scale
