"""Joined takes: the jump that is left, light and place, what each frame shows."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from jointakes import COUNT, PAIRS, Off, takes

from transmixis.core.build.joining import Cut, Fitted, Joined, alike, fitted, jump, stirs
from transmixis.core.errors import UserError

CUT = Cut(12, 13, 5, 3, COUNT)


@pytest.mark.parametrize("name", sorted(PAIRS))
def test_the_jump_falls_to_a_third_at_most(name: str) -> None:
    a, b = takes(PAIRS[name])
    hard = [*a[:12], *b[12:]]
    where = stirs(hard[6:18])
    joined = Joined(lambda n: a[n - 1], lambda n: b[n - 1], CUT)
    soft = [joined.at(n) for n in range(1, COUNT + 1)]
    own = float(np.median([jump(a[n - 1], a[n], a[n + 1], where) for n in range(4, 20)]))
    worst_hard = max(jump(*hard[n - 1 : n + 2], where) for n in range(6, 17)) - own
    worst_soft = max(jump(*soft[n - 1 : n + 2], where) for n in range(6, 17)) - own
    print(name, own, worst_hard, worst_soft, worst_soft / worst_hard)
    assert worst_soft <= worst_hard / 3
    assert np.array_equal(soft[3], a[3])  # before the warp nothing is touched


def test_the_second_take_is_brought_to_place_size_and_light() -> None:
    off = Off(shift=(0, 0), turn=0, phase=0, camera=(4.0, -2.5), grow=1.02, light=(0.9, 0.95, 1.05))
    a, b = takes(off)
    how = fitted(a[12], b[12])
    assert how.gain == pytest.approx(1 / np.array(off.light), abs=0.01)
    corner = how.matrix @ np.array([120 + 4.0, 90 - 2.5, 1])
    assert corner[:2] / corner[2] == pytest.approx([120, 90], abs=0.25)
    assert np.sqrt(np.linalg.det(how.matrix[:2, :2])) == pytest.approx(1 / 1.02, abs=0.002)


def test_takes_that_are_one_are_left_as_they_are() -> None:
    a, _ = takes(Off())
    how = fitted(a[5], a[5])
    assert np.array_equal(how.matrix, np.eye(3))
    assert how.gain == pytest.approx([1, 1, 1])


def test_every_frame_says_what_it_shows() -> None:
    same = Fitted(np.eye(3), np.ones(3, np.float32))
    plain = Joined(
        lambda n: np.full((20, 20, 3), n / 100, np.float32),
        lambda n: np.full((20, 20, 3), n / 100, np.float32),
        Cut(4, 9, 0, 0, 10),
        same,
    )
    assert [plain.takes(n) for n in (4, 5)] == [(4, 0, 0.0), (0, 9, 1.0)]
    assert plain.at(5)[0, 0, 0] == pytest.approx(0.09)
    blended = Joined(plain.one, plain.other, Cut(4, 9, 0, 2, 10), same)
    assert blended.takes(3) == (3, 0, 0.0)
    assert blended.takes(4) == (4, 8, pytest.approx(1 / 3))
    assert blended.takes(5) == (5, 9, pytest.approx(2 / 3))
    assert blended.takes(6) == (0, 10, 1.0)
    end = Joined(plain.one, plain.other, Cut(10, 1, 0, 3, 10), same)
    assert end.takes(11) == (0, 1, 1.0)  # the first take has no frame to blend
    with pytest.raises(UserError, match="no such frames"):
        Joined(plain.one, plain.other, Cut(12, 1, 0, 3, 10), same)


def test_named_places_find_what_flow_does_not() -> None:
    """A patch that lies turned by a quarter in the second take: flow alone does not find it, from its named places it is found."""
    dice = np.random.default_rng(8)
    wall = np.full((180, 240, 3), 0.2, np.float32)
    noise = cv2.GaussianBlur(dice.standard_normal((60, 60, 3)).astype(np.float32), (0, 0), 2.0)
    cloth = np.clip(0.5 + 0.6 * noise, 0.05, 1)
    frames = []
    for patch in (cloth, np.rot90(cloth)):
        out = wall.copy()
        out[60:120, 90:150] = patch
        frames.append(out)
    same = Fitted(np.eye(3), np.ones(3, np.float32))
    names = np.array([[92.0, 62], [148, 62], [148, 118], [92, 118], [120, 90]])
    turned = np.array([[92.0, 118], [92, 62], [148, 62], [148, 118], [120, 90]])  # a quarter anticlockwise
    left = {}
    for words, named in (("flow alone", None), ("named", (names, turned))):
        joined = Joined(lambda n: frames[0], lambda n: frames[1], CUT, same, named)
        carried = joined.pair.first_carried(frames[0], 1.0)
        left[words] = float(np.abs(carried[66:114, 96:144] - frames[1][66:114, 96:144]).mean())
    print(left)
    assert left["named"] < 0.02
    assert left["named"] < 0.3 * left["flow alone"]


def test_other_sizes_and_alphas_become_alike() -> None:
    small = np.full((45, 60, 3), 0.4, np.float32)
    assert alike(small, np.zeros((180, 240, 3))).shape == (180, 240, 3)
    assert alike(small, np.zeros((180, 240, 4)))[..., 3].min() == pytest.approx(1)
    wide = alike(np.repeat(np.linspace(0, 1, 100, dtype=np.float32)[None, :, None], 50, 0).repeat(3, 2), np.zeros((100, 100, 3)))
    assert wide[50, 0, 0] == pytest.approx(0.25, abs=0.02)  # it fills the frame, so its sides lie outside
    assert wide[50, 99, 0] == pytest.approx(0.75, abs=0.02)
