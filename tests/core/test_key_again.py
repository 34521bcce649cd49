"""The key's second solution: what is made anew from the first one, against values that follow from the definitions."""

from __future__ import annotations

import curlplates as cp
import cv2
import keyplates as kp
import numpy as np
import plainkeys as plain
import pytest

from transmixis.core.matte.empty import seen_bare
from transmixis.core.matte.gather import gathered
from transmixis.core.matte.keyer import KeyModel, key_frame, learn_shot
from transmixis.core.matte.measure import border_reading, clipped_reading
from transmixis.core.matte.points import hanging, populations, propose_points, visible_share
from transmixis.core.matte.screen import ratio_of
from transmixis.core.matte.standing import marks_stand
from transmixis.core.matte.subject import UPPER, solved_colours

RNG = np.random.default_rng(3)
MADE = {"green": (1.9, 39.5), "blue": (1.8, 37.8)}  # SAD, dB: with one solution alone 2.24, 36.1 and 2.45, 34.4


def test_only_what_is_thin_and_hangs_on_the_subject_is_no_leak() -> None:
    """A strand from the subject and one that lies alone, a broad haze beside the subject and a speck."""
    raw = np.zeros((200, 320), np.float32)
    raw[60:200, 120:200] = 1
    raw[20:60, 150:152] = 0.2  # hangs on the subject's top
    raw[20:60, 40:42] = 0.2  # alone
    raw[150:190, 200:230] = 0.1  # haze, broader than 2 % of the width
    raw[100, 280] = 0.3
    found = hanging(raw)
    assert found[30:50, 150:152].all()
    assert not found[:, 40:42].any()
    assert not found[155:185, 206:225].any()
    assert not found[:, 270:].any()
    assert found.mean() < 0.02


def test_colours_are_gathered_by_alpha_squared() -> None:
    """Against NumPy over whole cells; a colour that is the same everywhere comes back whatever the alpha."""
    alpha = RNG.random((12, 18)).astype(np.float32)
    fore = RNG.random((12, 18, 3)).astype(np.float32)
    found = gathered(alpha, fore, (6, 4))
    cell = (slice(3, 6), slice(6, 9))
    f, a = fore[cell].astype(float), alpha[cell].astype(float)
    assert found[1, 2, :3] == pytest.approx((f * a[..., None]).mean(axis=(0, 1)), rel=1e-5)
    assert found[1, 2, 9] == pytest.approx((a * a).mean(), rel=1e-5)
    products = [(f[..., i] * f[..., j]).mean() for i, j in UPPER]
    assert found[1, 2, 3:9] == pytest.approx(products, rel=1e-5)
    one = np.float32([0.5, 0.2, 0.1])
    wide = RNG.random((60, 90)).astype(np.float32)
    near = solved_colours(wide, one * wide[..., None], (30, 20), 2.0, 6.0)
    assert near.mean[10, 15] == pytest.approx(one, rel=2e-3)
    assert near.cov[10, 15, [0, 3, 5]] == pytest.approx((0.05 * one + 0.002) ** 2, rel=0.1)
    assert near.support.min() == 1
    assert solved_colours(np.zeros_like(wide), one * 0 * wide[..., None], (30, 20), 2.0, 6.0).support.max() == 0


def test_a_base_is_made_again_from_what_is_keyed_as_bare() -> None:
    """A wrong place mends where two frames show it bare, is carried on where none does, and a mark stays."""
    truth = np.full((40, 60, 3), np.float32([0.05, 0.3, 0.08]), np.float32)
    base = truth.copy()
    base[10:14, 10:14] *= 0.7  # hair that passed for shadow, seen bare in two frames
    base[20:24, 30:34] *= 0.7  # the same, never seen bare
    base[30:34, 50:54] = 0.2  # a mark
    kept = np.zeros((40, 60), bool)
    kept[29:35, 49:55] = True
    keyed = []
    for i in range(3):
        alpha = np.zeros((40, 60), np.float32)
        alpha[20:24, 30:34], alpha[30:34, 50:54] = 0.3, 0.4
        if i == 0:
            alpha[10:14, 10:14] = 0.3
        keyed.append((alpha, base))
    made = seen_bare(base, [truth] * 3, keyed, truth[0, 0], kept)
    assert made[:28, :45] == pytest.approx(truth[:28, :45], rel=0.01)
    assert made[30:34, 50:54] == pytest.approx(base[30:34, 50:54])


@pytest.mark.parametrize("picture", [True, False])
def test_the_ratio_comes_from_bare_screen_alone(picture: bool) -> None:
    base = np.float32([0.05, 0.3, 0.08])
    small = np.full((180, 320, 3), 1.2 * base, np.float32)
    small[60:120, 100:160] = 0.01
    sure = np.ones((180, 320), np.float32)
    sure[58:122, 98:162] = 0
    given = np.broadcast_to(base, small.shape) if picture else base
    assert ratio_of(small, given, sure, picture_base=picture) == pytest.approx(1.2, rel=1e-3)


@pytest.fixture(scope="module", params=["green", "blue"])
def curls(request: pytest.FixtureRequest) -> cp.MadePlate:
    return cp.curl_plate(request.param, 4, (270, 480))


def test_dark_hair_is_no_shadow_of_the_screen(curls: cp.MadePlate) -> None:
    """Dark long hair, fur and a wire: without an empty frame the key is about as right as with one, and no black point is asked for."""
    frames = [np.ascontiguousarray(f) for f in curls.plate]
    found = {}
    for clean in (None, curls.clean):
        model = learn_shot(frames, clean=clean)
        assert isinstance(model, KeyModel)
        keyed = [key_frame(f, model) for f in frames]
        found[clean is None] = plain.scores(curls, ([k.alpha for k in keyed], [k.foreground for k in keyed]))
        _, screen, _ = populations(keyed)
        assert propose_points(screen, visible_share(screen, 0, 1), np.zeros(0), 0.0).black == 0
    without, with_it = found[True], found[False]
    most, least = MADE[curls.kind]
    assert without["sad"] < most
    assert without["psnr"] > least
    assert without["sad"] < 1.5 * with_it["sad"]


def test_marks_tell_that_the_camera_stands_whatever_waves_before_them() -> None:
    """Crosses and a waving limb and hair; the same take with the camera 1 px further each frame; and a take without marks."""
    green = kp.make_plate("green", 4, (360, 640))
    frames = [np.ascontiguousarray(f) for f in green.plate]
    assert marks_stand(frames)
    moved = [np.roll(f, i, axis=1) for i, f in enumerate(frames)]
    assert not marks_stand(moved)
    assert not marks_stand([np.broadcast_to(frames[0][5, 5], frames[0].shape).astype(np.float32)] * 3)
    assert not marks_stand(frames[:1])
    three = [np.array(frames[0][5, 5]) + np.zeros((180, 320, 3), np.float32) for _ in range(3)]
    for n, f in enumerate(three):
        for k, (x, y) in enumerate(((60, 50), (200, 60), (260, 140), (100, 130))):
            away = 0.5 * n if k < 2 else 1.2 * n if k == 2 else 0  # of the four two hardly go, one goes, one stays
            cv2.circle(f, (round(16 * (x + away)), round(16 * y)), 16 * 4, (0.3, 0.3, 0.3), -1, cv2.LINE_AA, 4)
    assert not marks_stand(three)  # by a px after two frames: only one still stands
    assert marks_stand(three[:2])  # by half a px


def test_a_clipped_screen_is_told() -> None:
    """A plate far over, cut at white as a recording is; half of it; the plate as it was."""
    plate = kp.make_plate("green", 1, (180, 320)).plate[0]
    over = np.minimum(plate * 6, 1).astype(np.float32)
    half = plate.copy()
    half[:, :160] = over[:, :160]
    shares = []
    for frame in (plate, half, over):
        model = learn_shot([np.ascontiguousarray(frame)])
        assert isinstance(model, KeyModel)
        shares.append(clipped_reading(frame, key_frame(frame, model), model))
    bare, part, most = shares
    assert bare.value == 0
    assert bare.state == "sound"
    assert most.state == "fault"
    assert part.state == "fault"


def test_a_set_beside_the_screen_is_told_and_a_person_is_not() -> None:
    alpha = np.zeros((90, 160), np.float32)
    alpha[30:, 60:100] = 1
    assert border_reading(alpha).value == 0  # what stands on the lower border is a person
    alpha[60:, :60] = 1  # an arm out of the frame
    assert border_reading(alpha).value == pytest.approx(100 * 30 / 340)
    assert not border_reading(alpha).note
    alpha[:, 130:] = 1
    found = border_reading(alpha)
    assert found.value == pytest.approx(100 * (30 + 90 + 30) / 340)
    assert "garbage matte" in found.note
    assert found.spot is not None
    assert found.spot[0] >= 130
