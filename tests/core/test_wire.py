"""Wires: found in a matte, crossings cut, their sides brought together along the texture, against the truth and OpenCV's inpainting."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from rigtakes import grained
from wireplates import H, W, code, hung, photograph

from transmixis.core.repair.wire import BEND, lines_of, without_wire
from transmixis.core.repair.wire import _cheapest as cheapest

Array = np.ndarray


def test_the_middle_and_width_of_a_string() -> None:
    (line,) = lines_of(hung(4))
    inside = (line.points[:, 0] > 5) & (line.points[:, 0] < W - 5) & (line.points[:, 1] < H - 5)
    x, y = line.points[inside].T
    off = np.abs(y - (50 + 0.0022 * (x - 150) ** 2 + 0.2 * x)) / np.sqrt(1 + (0.0044 * (x - 150) + 0.2) ** 2)
    assert np.median(off) < 0.4
    assert off.max() < 1.2
    assert 2 < line.half < 5
    np.testing.assert_allclose(np.linalg.norm(np.diff(line.points, axis=0), axis=1), 1, atol=0.05)
    np.testing.assert_allclose(np.linalg.norm(line.across, axis=1), 1, atol=1e-6)


def test_crossings_are_cut_and_blobs_are_no_strings() -> None:
    both = np.maximum(hung(3), hung(3)[:, ::-1])
    assert len(lines_of(both)) >= 4
    blob = np.zeros((H, W), np.float32)
    blob[40:180, 40:200] = 1
    assert lines_of(blob) == []
    assert lines_of(np.zeros((H, W), np.float32)) == []


@pytest.mark.parametrize(("name", "most", "crisp"), [("coffee", 0.9, 1.1), ("brick", 1.2, 1.1), ("chelsea", 1.15, 0.75)])
@pytest.mark.parametrize("width", [3.0, 6.0])
def test_sides_are_brought_together(name: str, width: float, most: float, crisp: float) -> None:
    """About as near to the truth as the better of OpenCV's two inpaintings, which blur, and with more of the detail where there are lines (docs/limits.md)."""
    picture, cover = photograph(name), hung(width)
    plate = grained(picture * (1 - cover[..., None]) + 0.03 * cover[..., None], np.random.default_rng(2))
    hidden = cover > 0.02
    made = without_wire(plate, hidden, lines_of(cover))
    np.testing.assert_array_equal(made[~hidden], plate[~hidden])
    eight, mask = np.clip(code(plate), 0, 255).astype(np.uint8), hidden.astype(np.uint8) * 255
    plain = [cv2.inpaint(eight, mask, 5, way).astype(float) for way in (cv2.INPAINT_TELEA, cv2.INPAINT_NS)]

    def off(x: Array) -> float:
        return float(np.sqrt(((x - code(picture))[hidden] ** 2).mean()))

    def detail(x: Array) -> float:
        return float((x - cv2.GaussianBlur(x, (0, 0), 2))[hidden].std())

    assert off(code(made)) < most * min(off(p) for p in plain)
    assert detail(code(made)) > crisp * max(detail(p) for p in plain)


@pytest.mark.parametrize("lean", [-0.9, 0.0, 0.9])
def test_stripes_go_on_in_their_own_direction(lean: float) -> None:
    """Slanting stripes meet across a level wire, where what is level would leave a step."""
    y, x = np.mgrid[0:120, 0:240] + 0.5
    stripes = (0.25 + 0.2 * np.sin((x - lean * y) / 4))[..., None].repeat(3, 2).astype(np.float32)
    cover = np.clip(4 - np.abs(y - 60), 0, 1).astype(np.float32)
    plate = stripes * (1 - cover[..., None])
    made = without_wire(plate, cover > 0, lines_of(cover))
    inner = (cover > 0) & (x > 20) & (x < 220)
    assert np.abs(code(made) - code(stripes))[inner].mean() < 8


def test_the_cheapest_way_changes_only_for_good_reason() -> None:
    cost = np.full((30, 5), 10.0)
    cost[:, 2] = 1
    cost[14, 4] = -5  # a px that shows something else
    assert (cheapest(cost) == 2).all()
    cost[10:25, 2], cost[10:25, 4] = 3 * BEND, 0
    way = cheapest(cost)
    assert (way[11:24] == 4).all()
    assert way[0] == way[-1] == 2
