"""A clean plate brought to a take: its place, light and wind against a made truth, its grain by the law, and how flow is carried through what is hidden."""

from __future__ import annotations

from functools import cache

import cv2
import numpy as np
import pytest
from keyplates import srgb_encode
from rigtakes import BESIDE, CLEAN_LIGHT, DRIFT, RigTake, rig_take

from transmixis.core.errors import UserError
from transmixis.core.repair.clean import Brought, CleanPlate, background, bridge_over, brought, grain, laid, learn_clean
from transmixis.core.repair.wind import STEP, Bridge, bridge, bridge_at, flow, grid_of, off_grid, on_grid


def code(x: np.ndarray) -> np.ndarray:
    return np.asarray(srgb_encode(np.clip(x, 0, 1)), np.float64)


def db(made: np.ndarray, truth: np.ndarray, where: np.ndarray) -> float:
    return float(-10 * np.log10(((code(made) - code(truth))[where] ** 2).mean()))


@cache
def learnt() -> tuple[RigTake, CleanPlate, tuple[Brought, ...], Bridge]:
    take = rig_take()
    gone = take.region > 0
    plate = learn_clean(list(take.plate), list(take.clean), gone)
    told = tuple(brought(f, plate, gone) for f in take.plate)
    return take, plate, told, bridge_over(plate, gone, told)


def test_place_and_light_are_told() -> None:
    take, plate, told, _ = learnt()
    assert (plate.move.x, plate.move.y) == pytest.approx(BESIDE, abs=0.04)
    assert np.abs(plate.way - -np.array(BESIDE, np.float32)[:, None, None]).max() < 0.05
    for n, b in enumerate(told):
        want = 2 ** (DRIFT * (n / (len(told) - 1) - 0.5)) / CLEAN_LIGHT
        np.testing.assert_allclose(b.gain, want, rtol=0.01)
    assert plate.left.max() == plate.left.min() == pytest.approx(1 / 6)
    assert plate.moving[:100, :150].mean() > 0.9
    assert plate.moving[180:, :].mean() < 0.15
    assert take.truth.shape == take.plate.shape


def test_what_was_hidden_is_put_back() -> None:
    """In the still part as well as the plate allows, in the wind as well; a plate that is only laid there makes 26."""
    take, plate, told, over = learnt()
    gone = take.region > 0
    for n in (0, 4, 7):
        made = background(plate, told[n].through(over))
        assert db(made, take.truth[n], gone & ~take.windy) > 40
        assert db(made, take.truth[n], gone & take.windy) > 42
        bias = (code(made) - code(take.truth[n]))[gone].mean(axis=0) * 255
        assert np.abs(bias).max() < 0.4
        still = background(plate, Brought(told[n].gain, np.zeros_like(told[n].flow)))
        assert db(still, take.truth[n], gone & take.windy) < db(made, take.truth[n], gone & take.windy) - 4
        out = laid(take.plate[n], made, take.region)
        np.testing.assert_array_equal(out[~gone], take.plate[n][~gone])
        np.testing.assert_allclose(out[gone], made[gone], atol=1e-6)


def test_grain_is_the_takes_and_new_on_every_frame() -> None:
    take, plate, told, over = learnt()
    behind = background(plate, told[2].through(over))
    one, again, two = (grain(behind, plate, told[2].gain, s) for s in (2, 2, 3))
    np.testing.assert_array_equal(one, again)
    assert abs(np.corrcoef(one.ravel(), two.ravel())[0, 1]) < 0.02
    level = np.maximum(behind, 0)
    want = plate.law[:, 0] * level + plate.law[:, 1]
    share = float((one**2).mean() / want.mean())
    assert 0.75 < share < 0.95  # a sixth of a like noise is left in the mean of six clean frames
    truth = 2.7 * (2.64 / 255) ** 2
    np.testing.assert_allclose(plate.law[:, 0], truth, rtol=0.08)
    for level in (0.01, 0.1):  # wind does not pass for noise in the dark
        np.testing.assert_allclose(plate.law[:, 0] * level + plate.law[:, 1], truth * level + 1e-7, rtol=0.15)
    assert take.clean.shape[0] == 6


def test_a_single_clean_frame_serves_too() -> None:
    take = rig_take()
    gone = take.region > 0
    plate = learn_clean(list(take.plate[::3]), [take.clean[3]], gone)
    told = [brought(f, plate, gone) for f in take.plate[:4]]
    over = bridge_over(plate, gone, told)
    made = background(plate, told[1].through(over))
    assert db(made, take.truth[1], gone & take.windy) > 39
    assert db(made, take.truth[1], gone & ~take.windy) > 38.5
    assert 0.2 < plate.left[gone].mean() < 0.95  # it is textured all over
    np.testing.assert_allclose(plate.own, plate.law, rtol=0.25)  # the same camera


def test_a_clean_plate_without_grain_is_grained_in_full() -> None:
    """A painted or averaged still has none of its own, whatever its texture."""
    take = rig_take()
    gone = take.region > 0
    painted = (take.truth[0] * 0.9).astype(np.float32)
    plate = learn_clean(list(take.plate[::3]), [painted], gone)
    assert float(plate.own[:, 0].max() / plate.law[:, 0].max()) < 0.35
    behind = background(plate, brought(take.plate[0], plate, gone).through(bridge_over(plate, gone, [])))
    want = plate.law[:, 0] * np.maximum(behind, 0) + plate.law[:, 1]
    new = grain(behind, plate, np.ones(3), 1)
    assert float((new[gone] ** 2).mean() / want[gone].mean()) > 0.7


def test_sizes_that_differ_are_refused() -> None:
    take = rig_take()
    with pytest.raises(UserError, match="another size"):
        learn_clean([take.plate[0]], [take.clean[0][:100]], take.region > 0)


def test_a_camera_that_moves_is_refused() -> None:
    take = rig_take()
    frames = [np.roll(f, 2 * n, axis=1) for n, f in enumerate(take.plate[:4])]
    with pytest.raises(UserError, match="camera moves by 3"):
        learn_clean(frames, list(take.clean), take.region > 0)


def texture(h: int = 160, w: int = 220) -> np.ndarray:
    rng = np.random.default_rng(4)
    return np.asarray(cv2.GaussianBlur(rng.random((h, w)).astype(np.float32), (0, 0), 1.5) * 3)


@pytest.mark.parametrize("shift", [(0.0, 0.0), (2.3, -1.4), (-5.0, 3.0)])
def test_flow_leads_back_to_the_reference(shift: tuple[float, float]) -> None:
    """What `now` shows at a px lies in the reference where the flow says, from any start; what is hidden has no part in it."""
    big = texture(220, 280)
    x, y = np.meshgrid(np.arange(220, dtype=np.float32) + 30, np.arange(160, dtype=np.float32) + 30)
    reference = big[30:190, 30:250].copy()
    now = cv2.remap(big, x + shift[0], y + shift[1], cv2.INTER_CUBIC)
    seen = np.ones(now.shape, np.float32)
    seen[60:110, 90:130] = 0
    now[60:110, 90:130] = 0.9
    for start in (np.zeros((2, *now.shape)), np.full((2, *now.shape), 1.0)):
        u = flow(reference, now, seen, start)
        edge = np.zeros(now.shape, bool)
        edge[14:-14, 14:-14] = True
        off = np.hypot(u[0] - shift[0], u[1] - shift[1])
        assert np.median(off[edge & (seen > 0)]) < 0.05
        assert np.quantile(off[edge & (seen > 0)], 0.95) < 0.2


def waves(shape: tuple[int, int], n: int) -> np.ndarray:
    x, y = grid_of(shape)
    return np.stack([np.sin(x / 45 + n) + 0.5 * np.cos(y / 60 - n), 0.7 * np.sin((x + y) / 70 + 2 * n)])


def test_flow_is_carried_through_what_is_hidden() -> None:
    shape = (200, 320)
    hidden = np.zeros(shape, bool)
    hidden[:, 140:175] = True
    moving = np.ones(shape, np.float32)
    flows = [waves(shape, n) + np.random.default_rng(n).normal(0, 0.02, (2, *grid_of(shape)[0].shape)) for n in range(4)]
    found = bridge(hidden, moving, flows)
    assert found.hidden.any()
    assert not (found.hidden & found.known).any()
    assert found.off < 0.1
    assert found.reach >= 32
    broken = flows[1].copy()
    broken[:, found.hidden] = 99
    at = np.argwhere(found.known)[7]
    broken[:, at[0], at[1]] = 5  # one place tells nonsense
    made = found.over(broken)
    off = np.hypot(*(made - waves(shape, 1)))[found.hidden]
    assert off.mean() < 0.08
    assert off.max() < 0.3
    np.testing.assert_array_equal(made[:, found.known], broken[:, found.known])
    # in another frame another place is hidden
    elsewhere = np.roll(hidden, 60, axis=1)
    other = bridge_at(elsewhere, moving, found.reach, found.doubt)
    assert (other.reach, other.doubt) == (found.reach, found.doubt)
    assert np.hypot(*(other.over(flows[2]) - waves(shape, 2)))[other.hidden].mean() < 0.1
    # where nothing moves, nothing is carried
    none = bridge(hidden, np.zeros(shape, np.float32), flows)
    assert (none.over(flows[0])[:, none.hidden] == 0).all()


def test_the_grid_is_read_back_at_every_pixel() -> None:
    shape = (120, 200)
    y, x = np.mgrid[0:120, 0:200].astype(np.float32)
    smooth = np.stack([0.01 * x - 0.02 * y, 0.3 + 0.005 * y])
    back = off_grid(on_grid(smooth), shape)
    inner = (slice(None), slice(STEP, -STEP), slice(STEP, -STEP))
    assert np.abs(back - smooth)[inner].max() < 0.03  # OpenCV looks up to a 32nd of a cell
    assert grid_of(shape)[0].shape == on_grid(smooth).shape[1:]
