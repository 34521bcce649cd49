"""A shadow that was not drawn round: found where it hangs together with what must go, read in levels; wind, grain and other things are none."""

from __future__ import annotations

import cv2
import numpy as np
from rigtakes import rig_of, rig_take

from transmixis.core.repair.clean import gain_of, learn_clean
from transmixis.core.repair.leftover import LEFT, left_beside, left_reading

Array = np.ndarray


def stood(region: Array) -> tuple[Array, Array, Array, Array]:
    take = rig_take()
    plate = learn_clean(list(take.plate[::2]), list(take.clean), region)
    return take.plate[3], plate.stands * gain_of(take.plate[3], plate, region), region, plate.moving


def rig_alone() -> Array:
    rig, _ = rig_of(270, 480)
    return cv2.dilate((rig > 0).astype(np.uint8), np.ones((7, 7), np.uint8)) > 0


def test_a_shadow_is_found_where_it_falls() -> None:
    frame, behind, hidden, moving = stood(rig_alone())
    found, most = left_beside(frame, behind, hidden, moving)
    _, shadow = rig_of(270, 480)
    core = (shadow > 0.6) & ~hidden & (moving < 0.1)
    assert (found > 0.5)[core].mean() > 0.8
    far = cv2.dilate(((shadow > 0.02) | hidden).astype(np.uint8), np.ones((41, 41), np.uint8)) == 0
    assert (found[far] < 0.05).mean() > 0.99
    assert most > 8
    read = left_reading(found, most)
    assert read.state == "fault"
    assert read.spot is not None
    x, y, w, h = read.spot
    assert (x, y, w, h) != (0, 0, 480, 270)


def test_where_all_was_drawn_round_nothing_is_left() -> None:
    frame, behind, hidden, moving = stood(rig_take().region > 0)
    found, most = left_beside(frame, behind, hidden, moving)
    assert most <= LEFT * 1.5
    if most == 0:
        assert left_reading(found, most).value == 0


def test_what_passes_and_what_stands_apart_is_no_shadow() -> None:
    frame = np.full((160, 240, 3), 0.3, np.float32)
    behind, still = frame.copy(), np.zeros((160, 240), np.float32)
    hidden = np.zeros((160, 240), bool)
    hidden[40:120, 50:70] = True
    frame[30:130, 180:220] = 0.2  # another thing, far from it
    assert left_beside(frame, behind, hidden, still)[1] == 0
    frame[60:110, 72:100] = 0.25  # a hand in front, beside it
    assert left_beside(frame, behind, hidden, still)[1] > LEFT
    front = np.zeros((160, 240), np.float32)
    front[58:112, 70:102] = 1
    assert left_beside(frame, behind, hidden, still, front)[1] == 0
    assert left_beside(frame, behind, hidden, np.ones_like(still))[1] == 0  # leaves
