"""What can serve: each way told on made takes of which it is known, and what is proposed of them."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from rigtakes import rig_take
from timetakes import SIZE, person_take, truck_take, wall_matrix
from wireplates import hung

from transmixis.core.errors import UserError
from transmixis.core.repair.ways import (
    CLEAN,
    LEFT,
    MADE,
    PUNCH,
    SPACE,
    TIME,
    WIRE,
    Way,
    as_string,
    by_clean,
    chosen,
    from_beside,
    in_time,
    made_up,
    punched,
)

Array = np.ndarray
H, W = SIZE


def box(x0: int, y0: int, x1: int, y1: int) -> Array:
    m = np.zeros(SIZE, bool)
    m[y0:y1, x0:x1] = True
    return m


def test_punching_in_costs_detail() -> None:
    edge = punched([box(370, 0, 384, 40), box(365, 0, 384, 30)], (384, 384))
    assert edge.values["zoom"] == pytest.approx(384 / 365)
    assert edge.reading == pytest.approx(100 * (1 - 365 / 384))
    assert "cut at the right" in edge.words
    assert punched([box(370, 0, 384, 40)], (3840, 1920)).reading == 0  # filmed twice as large as it is delivered
    assert punched([box(100, 200, 200, 216)], (384, 384)).words.split("cut at the ")[1].startswith("bottom")
    middle = punched([box(20, 15, 360, 200)], (384, 384))
    assert middle.reading is None or middle.reading > 80
    whole = punched([box(0, 0, 384, 216)], (384, 384))
    assert whole.reading is None


def test_a_clean_plate_fits_or_does_not() -> None:
    take = rig_take(False, 6, 3)
    gone = take.region > 0
    way = by_clean(list(take.plate[::2]), [gone] * 3, take.clean[1], True)
    assert way.serves
    assert "1.6 px aside" in way.words
    assert way.gives is not None
    assert (np.asarray(way.gives)[~gone] == 0).all()
    other = np.ascontiguousarray(take.clean[1][:, ::-1])
    assert not by_clean(list(take.plate[::2]), [gone] * 3, other, True).serves
    moves = by_clean(list(take.plate[::2]), [gone] * 3, take.clean[1], False)
    assert moves.reading is None
    assert "steady" in moves.words
    assert by_clean([take.plate[0]], [gone], take.clean[1][:100], True).reading is None


def test_what_other_frames_show_is_counted() -> None:
    truck, frames = truck_take(), range(1, 25, 2)
    hidden = {n: truck.gone[n - 1] > 0 for n in frames}
    matrices = {n: wall_matrix(n - 1) @ np.linalg.inv(wall_matrix(12)) for n in frames}
    way = in_time(hidden, matrices, 13)
    truth = [100 * (1 - truck.shown[n - 1][hidden[n]].mean()) for n in frames]
    assert way.reading == pytest.approx(max(truth), abs=4)
    assert way.serves
    person = person_take()
    stays = {n: person.gone[n - 1] > 0 for n in range(1, 8)}
    still = {n: np.eye(3) for n in stays}
    none = in_time(stays, still, 4)
    assert none.reading == pytest.approx(100)
    assert in_time({1: stays[1]}, {1: np.eye(3)}, 1).reading is None


def test_strings_are_told_from_things() -> None:
    assert as_string(hung(3) > 0.02).serves
    assert not as_string(box(100, 50, 200, 150)).serves
    both = (hung(3) > 0.02)[:, :300].copy()
    both[20:120, 40:160] = True
    assert not as_string(both).serves


def test_a_neighbour_that_goes_over_it() -> None:
    rng = np.random.default_rng(1)
    cloth = 0.3 + 0.004 * cv2.GaussianBlur(rng.standard_normal((*SIZE, 3)).astype(np.float32), (0, 0), 1)
    mark = box(180, 100, 196, 112)
    cloth[mark] = 0.02

    def look(n: int) -> tuple[Array, Array]:
        return cloth.astype(np.float32), mark

    way = from_beside(look, [1, 2], {1: np.eye(3), 2: np.eye(3)}, 1)
    assert way.serves
    assert np.hypot(way.values["right"], way.values["down"]) > 12
    large = from_beside(lambda n: (cloth.astype(np.float32), box(50, 10, 340, 200)), [1], {1: np.eye(3)}, 1)
    assert large.reading is None
    take = truck_take()
    sign = from_beside(lambda n: (take.plate[n - 1], take.gone[n - 1] > 0), [1, 13], {1: np.eye(3), 13: np.eye(3)}, 13)
    assert not sign.serves


def way(name: str, reading: float | None, **more: object) -> Way:
    limits = {PUNCH: 10.0, CLEAN: 10.0, TIME: 10.0, WIRE: 10.0, SPACE: 12.0, MADE: 5.0}
    return Way(name, reading, limits[name], "%", "words", **more)  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("readings", "name", "rest"),
    [
        ({PUNCH: 1.0, CLEAN: 0.0, TIME: 0.0}, PUNCH, False),
        ({PUNCH: 6.0, CLEAN: 4.0, TIME: 0.0}, CLEAN, False),
        ({CLEAN: 30.0, TIME: 0.2}, TIME, False),
        ({CLEAN: None, TIME: 6.0, SPACE: 2.0}, TIME, True),
        ({TIME: 90.0, WIRE: 3.0, SPACE: 2.0}, WIRE, False),
        ({TIME: 90.0, WIRE: 40.0, SPACE: 2.0}, SPACE, False),
        ({TIME: 40.0, SPACE: 30.0}, TIME, True),
        ({TIME: 90.0, SPACE: 30.0}, MADE, True),
    ],
)
def test_what_was_there_goes_before_what_imitates_it(readings: dict[str, float | None], name: str, rest: bool) -> None:
    got = chosen({k: way(k, v) for k, v in {MADE: 100.0, **readings}.items()})
    assert (got.name, got.rest) == (name, rest)
    assert got.reason.endswith(".")


def test_a_seam_rules_a_neighbour_out_and_nothing_is_refused() -> None:
    got = chosen({SPACE: way(SPACE, 2.0, fails=True), MADE: way(MADE, 100.0)})
    assert got.name == MADE
    with pytest.raises(UserError):
        chosen({})


def test_what_is_left_to_be_made_up() -> None:
    gone = box(100, 50, 200, 150)
    half, low = gone.astype(np.float32), gone.astype(np.float32)
    half[:, 150:] = 0
    low[:100] = 0
    rest = made_up([way(CLEAN, 50, gives=half), way(TIME, 50, gives=low), way(SPACE, 1, gives=gone.astype(np.float32))], gone)
    assert rest.reading == pytest.approx(25)
    assert made_up([way(CLEAN, LEFT, gives=gone.astype(np.float32))], gone).reading == 0
