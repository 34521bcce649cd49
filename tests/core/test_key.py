"""The key on made plates with known alpha, beside plain ways; and its parts."""

import keyplates as kp
import numpy as np
import plainkeys as plain
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from transmixis.core.matte import error
from transmixis.core.matte.chroma import chroma_is_halved, restore_chroma
from transmixis.core.matte.keyer import KeyModel, KeySettings, key_frame, learn_shot
from transmixis.core.matte.points import populations, propose_points, visible_share
from transmixis.core.matte.screen import NoScreen, find_screen
from transmixis.core.survey.noise import noise_law


def _key(p: kp.MadePlate, *, clean: bool) -> plain.Mattes:
    plate, empty = p.plate, p.clean
    if chroma_is_halved(p.code[0] / np.float32(255)):
        plate = np.stack([kp.srgb_decode(restore_chroma(c / np.float32(255))) for c in p.code])
        empty = kp.srgb_decode(restore_chroma(p.clean_code / np.float32(255)))
    model = learn_shot(list(plate), clean=empty if clean else None)
    assert isinstance(model, KeyModel)
    results = [key_frame(x, model) for x in plate]
    return [r.alpha for r in results], [r.foreground for r in results]


@pytest.mark.xdist_group("pymatting")  # which compiles itself for a minute when first imported: once is enough
@pytest.mark.parametrize("kind", ["green", "blue"])
@pytest.mark.parametrize("chroma", ["444", "420"])
def test_key_against_three_plain_ways(kind: str, chroma: str, green: kp.MadePlate, blue: kp.MadePlate) -> None:
    p = green if kind == "green" else blue
    p = kp.as_420(p) if chroma == "420" else p
    a = plain.scores(p, plain.difference_on_codes(p), coded=True)
    b = plain.scores(p, plain.difference_with_empty_frame(p))
    c = plain.scores(p, plain.knn_with_trimap(p))
    without, with_clean = plain.scores(p, _key(p, clean=False)), plain.scores(p, _key(p, clean=True))
    # the slice's bar, and better than the matting method that was given the truth's trimap
    assert without["sad"] <= 0.85 * a["sad"]
    assert without["psnr"] >= a["psnr"] + 2.5
    assert with_clean["sad"] <= 0.8 * b["sad"]
    assert with_clean["psnr"] >= b["psnr"] + 1.5
    assert max(without["sad"], with_clean["sad"]) < c["sad"]
    assert min(without["psnr"], with_clean["psnr"]) > c["psnr"]
    assert with_clean["chatter"] < b["chatter"]


def test_key_leaves_its_input_alone_and_repeats_exactly(green: kp.MadePlate) -> None:
    model = learn_shot(list(green.plate))
    assert isinstance(model, KeyModel)
    frame = green.plate[0].copy()
    one, two = key_frame(frame, model), key_frame(frame, model)
    assert np.array_equal(frame, green.plate[0])
    assert np.array_equal(one.alpha, two.alpha)
    assert np.array_equal(one.foreground, two.foreground)


@pytest.mark.parametrize("size", [(48, 64), (49, 65), (31, 200), (200, 31)])
def test_key_of_odd_sizes_stays_in_range(size: tuple[int, int]) -> None:
    rng = np.random.default_rng(0)
    frame = np.full((*size, 3), (0.05, 0.3, 0.07), np.float32) + rng.normal(0, 0.003, (*size, 3)).astype(np.float32)
    frame[size[0] // 4 : size[0] // 2, size[1] // 4 : size[1] // 2] = (0.4, 0.2, 0.1)
    model = learn_shot([frame])
    assert isinstance(model, KeyModel)
    r = key_frame(frame, model)
    assert r.alpha.shape == size
    assert r.alpha.min() >= 0
    assert r.alpha.max() <= 1
    assert np.isfinite(r.foreground).all()
    assert r.alpha[0, 0] < 0.02


def test_tracking_marks_become_screen_without_hand_work(green: kp.MadePlate) -> None:
    model = learn_shot(list(green.plate))
    assert isinstance(model, KeyModel)
    alpha = key_frame(green.plate[1], model).alpha
    h, w = alpha.shape
    for cx, cy in ((0.1, 0.2), (0.9, 0.22), (0.1, 0.75), (0.9, 0.8)):
        y, x = int(cy * h), int(cx * w)
        around = alpha[y - 9 : y + 10, x - 9 : x + 10]
        # of a mark's 36 pixels, single ones may flicker up by noise
        assert around.mean() < 0.03
        assert (around > 0.25).sum() <= 4


def test_glass_stays_partly_transparent(green: kp.MadePlate) -> None:
    model = learn_shot(list(green.plate), clean=green.clean)
    assert isinstance(model, KeyModel)
    alpha = key_frame(green.plate[0], model).alpha
    pane = np.abs(green.alpha[0] - 0.4) < 0.01
    assert pane.sum() > 500
    assert float(np.median(alpha[pane])) == pytest.approx(0.4, abs=0.1)


def test_screen_kind_is_found_by_itself(green: kp.MadePlate, blue: kp.MadePlate) -> None:
    for p, kind in ((green, "green"), (blue, "blue")):
        found = find_screen(p.plate[0])
        assert found
        assert found.kind == kind  # type: ignore[union-attr]


def test_a_picture_without_a_screen_says_so() -> None:
    grey = np.full((60, 80, 3), 0.2, np.float32)
    found = learn_shot([grey])
    assert isinstance(found, NoScreen)
    assert not found
    assert "4 %" in found.reason


def test_settings_do_what_they_say(green: kp.MadePlate) -> None:
    model = learn_shot(list(green.plate), clean=green.clean)
    assert isinstance(model, KeyModel)
    plain_area = key_frame(green.plate[0], model).alpha.sum()
    assert key_frame(green.plate[0], model, KeySettings(shrink=1.0)).alpha.sum() < plain_area
    assert key_frame(green.plate[0], model, KeySettings(shrink=-1.0)).alpha.sum() > plain_area
    black = key_frame(green.plate[0], model, KeySettings(black=0.3)).alpha
    assert (black[green.alpha[0] < 0.2] < 0.2).mean() > 0.99
    spilled = key_frame(green.plate[0], model, KeySettings(spill=0.0)).foreground
    clean = key_frame(green.plate[0], model).foreground
    assert clean[..., 1].sum() < spilled[..., 1].sum()


@given(st.floats(0.0, 3e-4), st.floats(1e-6, 1e-4), st.integers(0, 5))
@settings(max_examples=12, deadline=None)
def test_noise_law_is_recovered(a: float, b: float, seed: int) -> None:
    # variance = a * signal + b (photon transfer, EMVA 1288)
    rng = np.random.default_rng(seed)
    level = np.repeat(np.linspace(0.05, 0.8, 256, dtype=np.float32)[None], 256, 0)
    frame = np.stack([level + rng.normal(0, 1, level.shape) * np.sqrt(a * level + b) for _ in range(3)], -1).astype(np.float32)
    law = noise_law(frame, np.ones(level.shape, bool))
    for x in (0.1, 0.4, 0.7):
        assert law[1, 0] * x + law[1, 1] == pytest.approx(a * x + b, rel=0.12)


def test_half_size_chroma_is_told_and_brought_back(green: kp.MadePlate) -> None:
    half = kp.as_420(green)
    assert chroma_is_halved(half.code[0] / np.float32(255))
    assert not chroma_is_halved(green.code[0] / np.float32(255))
    coded = half.code[0] / np.float32(255)
    want = green.code[0] / np.float32(255)
    edge = (green.alpha[0] > 0.05) & (green.alpha[0] < 0.95)
    before, after = np.abs(coded - want)[edge].mean(), np.abs(restore_chroma(coded) - want)[edge].mean()
    assert after < 0.9 * before


def test_points_move_only_when_something_shows(green: kp.MadePlate) -> None:
    model = learn_shot(list(green.plate), clean=green.clean)
    assert isinstance(model, KeyModel)
    found, screen, _ = populations([key_frame(green.plate[0], model)])
    assert found.screen[0] == found.screen.max()
    points = propose_points(screen, leak=0.1, pits=np.array([]), holes=0.0)
    assert (points.black, points.white) == (0.0, 1.0)
    dirty = np.concatenate([np.zeros(900), np.linspace(0.03, 0.09, 100)])
    points = propose_points(dirty, visible_share(dirty, 0, 1), np.array([]), 0.0)
    assert 0.01 <= points.black <= 0.10
    assert visible_share(dirty, points.black, points.white) < 0.6


def test_matte_errors_follow_their_definitions() -> None:
    # Rhemann et al., CVPR 2009
    truth, alpha = np.zeros((8, 8), np.float32), np.full((8, 8), 0.25, np.float32)
    assert error.sad(alpha, truth) == pytest.approx(16.0)
    assert error.mse(alpha, truth) == pytest.approx(0.0625)
    assert error.gradient_error(alpha, truth) == pytest.approx(0.0, abs=1e-9)
    assert error.chatter(np.stack([alpha, alpha]), np.stack([truth, truth])) == 0
    assert error.psnr(truth, truth) == float("inf")
    assert error.psnr(truth + 0.1, truth) == pytest.approx(20.0)


def test_two_backings_give_the_alpha_that_the_key_should_find() -> None:
    # Smith & Blinn 1996, theorem 4: alpha from the subject before two known backings
    rng = np.random.default_rng(4)
    yy, xx = np.mgrid[0:180, 0:320]
    alpha = np.clip((60 - np.hypot(xx - 160, yy - 90)) / 5, 0, 1).astype(np.float32)
    fore = np.float32([0.35, 0.22, 0.15])
    backings = np.float32([[0.05, 0.3, 0.07], [0.3, 0.1, 0.4]])
    shots = [alpha[..., None] * fore + (1 - alpha[..., None]) * b + rng.normal(0, 1e-3, (180, 320, 3)) for b in backings]
    d, db = shots[0] - shots[1], backings[0] - backings[1]
    solved = 1 - (d @ db) / (db @ db)
    assert np.allclose(solved, alpha, atol=0.02)
    empty = (backings[0] + rng.normal(0, 1e-3, (180, 320, 3))).astype(np.float32)
    for clean in (None, empty):
        model = learn_shot([shots[0].astype(np.float32)], clean=clean)
        assert isinstance(model, KeyModel)
        got = key_frame(shots[0].astype(np.float32), model).alpha
        soft = (alpha > 0.02) & (alpha < 0.98)
        assert np.abs(got - solved)[soft].mean() < 0.03
        assert np.abs(got - solved)[~soft].mean() < 0.01
