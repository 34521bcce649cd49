"""The difference matte on made takes with exact truth, and its parts on made pictures."""

from __future__ import annotations

from functools import cache

import awaytakes as at
import cv2
import keyplates as kp
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from transmixis.core.errors import UserError
from transmixis.core.matte.away import AwayModel, _depth, _law_of, frame_gain, learn_away, take_away
from transmixis.core.matte.cut import STEPS, cut, stepped
from transmixis.core.matte.error import psnr, sad
from transmixis.core.matte.specks import closed_reading, rest_reading, specks_reading
from transmixis.core.matte.subject import shot_clusters
from transmixis.core.matte.unlike import misfit, unlike, worn
from transmixis.core.matte.veil import seen_through
from transmixis.core.motion.camera import Move

SIZE = (135, 240)
LAW = np.array([[2e-4, 2e-6]] * 3, np.float32)


@cache
def taken(name: str) -> tuple[at.AwayTake, AwayModel, list]:
    take = at.away_take(name, 3, SIZE)
    model = learn_away(list(take.plate), take.empty)
    return take, model, [take_away(f, model) for f in take.plate]


@pytest.mark.parametrize(("name", "most"), [("shadow", 0.4), ("beside", 0.3), ("all", 0.6), ("alike", 0.65), ("noise", 0.8)])
def test_far_better_than_a_thresholded_difference(name: str, most: float) -> None:
    take, _, found = taken(name)
    matte = at.plain_difference(take)
    plain = sad(matte, take.alpha)
    ours = sad(np.stack([a.alpha for a in found]), take.alpha)
    assert ours < most * plain
    back = kp.background(*SIZE)
    over = [kp.srgb_encode(p + (1 - a[..., None]) * back) for p, a in zip(take.premult, take.alpha, strict=True)]
    mine = np.mean(
        [psnr(kp.srgb_encode(a.foreground + (1 - a.alpha[..., None]) * back), t) for a, t in zip(found, over, strict=True)]
    )
    theirs = np.mean([psnr(kp.srgb_encode(f * m[..., None] + (1 - m[..., None]) * back), t) for f, m, t in zip(take.plate, matte, over, strict=True)])  # fmt: skip
    assert mine > theirs + 1


def test_what_is_lit_otherwise_and_stands_beside_is_measured() -> None:
    take, model, found = taken("all")
    assert abs(model.move.x - 0.3) < 0.12
    assert abs(model.move.y - 0.2) < 0.12
    for i, a in enumerate(found, 1):
        assert a.seen.gain == pytest.approx(2.0 ** (0.25 * i / 3), rel=0.02)
    take, model, found = taken("shadow")
    free = (take.alpha[-1] < 0.01) & ~found[-1].seen.mask
    free &= np.abs(take.alpha[-1] - found[-1].alpha) < 0.01
    assert float(np.abs(found[-1].seen.light - take.shadow[-1])[free].mean()) < 0.03


def test_the_model_of_an_empty_frame_has_less_noise_than_the_frame() -> None:
    take, model, _ = taken("noise")
    truth = at._picture("coffee.png", SIZE)
    bare = take.alpha.max(axis=0) < 0.01
    before, after = (float(np.abs(e - truth)[bare].mean()) for e in (take.empty, model.empty))
    assert after < 0.8 * before
    assert model.grains[bare].mean() < 1.6
    assert model.grains[~bare].mean() > model.grains[bare].mean()


def test_a_take_without_anything_in_it_gives_nothing() -> None:
    back = at._picture("astronaut.png", SIZE)
    rng = np.random.default_rng(1)
    frames = [at._shot(back, 1.0, rng) for _ in range(3)]
    model = learn_away(frames, at._shot(back, 1.0, rng))
    for f in frames:
        assert float(take_away(f, model).alpha.mean()) < 2e-4


def test_sizes_that_differ_are_told() -> None:
    with pytest.raises(UserError, match="another size"):
        learn_away([np.zeros((10, 10, 3), np.float32)], np.zeros((12, 10, 3), np.float32))


def test_the_gain_is_that_of_most_of_the_frame() -> None:
    rng = np.random.default_rng(0)
    empty = rng.uniform(0.05, 0.6, (96, 128, 3)).astype(np.float32)
    frame = empty * np.float32([1.1, 1.0, 0.9])
    frame[:, :50] = 0.3  # somebody stands there
    model = AwayModel(empty, np.ones((96, 128), bool), LAW, np.full((96, 128, 1), 2, np.float32), shot_clusters([], []), Move())
    assert frame_gain(frame, model) == pytest.approx([1.1, 1.0, 0.9], rel=0.01)
    assert frame_gain(np.zeros_like(empty), model) == pytest.approx([1, 1, 1])


def noisy(clean: np.ndarray, seed: int) -> np.ndarray:
    rng = np.random.default_rng(seed)
    return (clean + rng.standard_normal(clean.shape) * np.sqrt(LAW[:, 0] * clean + LAW[:, 1])).astype(np.float32)


def textured(seed: int = 3) -> np.ndarray:
    rng = np.random.default_rng(seed)
    return (0.25 + 0.1 * kp.smooth_noise(rng, 80, 100, 3)[..., None] * np.float32([1, 0.9, 0.8])).clip(0.02, 1).astype(np.float32)


def test_noise_alone_reads_three_and_less_with_what_the_law_does_not_know() -> None:
    flat = np.full((80, 100, 3), 0.2, np.float32)
    frame, empty = noisy(flat, 1), noisy(flat, 2)
    expected = 3 * 2 * (LAW[0, 0] * 0.2 + LAW[0, 1]) / (2 * (LAW[0, 0] * 0.2 + LAW[0, 1]) + (0.02 * 0.2) ** 2)
    assert float(misfit(frame, empty, LAW, 2.0).mean()) == pytest.approx(expected, rel=0.1)
    assert float(unlike(frame, empty, LAW, 2.0).plain.mean()) == pytest.approx(expected, rel=0.1)


def test_a_shadow_is_told_from_a_thing_by_its_texture_and_its_tint() -> None:
    empty = textured()
    shade = unlike(noisy(0.5 * empty, 1), empty, LAW)
    assert float(np.median(shade.plain)) > 30
    assert float(np.median(shade.shaded)) < 6
    assert float(np.median(shade.light)) == pytest.approx(0.5, abs=0.03)
    other = unlike(noisy(textured(9) * np.float32(0.5), 1), empty, LAW)
    assert float(np.median(other.shaded)) > 3 * float(np.median(shade.shaded))
    tinted = unlike(noisy(empty * np.float32([0.75, 0.5, 0.35]), 1), empty, LAW)
    assert float(np.median(tinted.shaded)) > 20
    night = unlike(noisy(0.05 * empty, 1), empty, LAW)
    assert float(np.median(night.shaded)) > 20  # no shadow is as dark


def test_what_shows_through_is_measured_and_what_hides_is_told() -> None:
    behind = textured()
    spread = np.broadcast_to(2 * (LAW[:, 0] * behind + LAW[:, 1]), behind.shape).astype(np.float32)
    share, trust = seen_through(noisy(0.6 * behind + 0.4 * np.float32([0.5, 0.55, 0.6]), 1), behind, spread)
    assert float(trust.mean()) > 0.7
    assert float(np.median(share[trust > 0.9])) == pytest.approx(0.6, abs=0.04)
    share, trust = seen_through(noisy(textured(8), 1), behind, spread)
    assert float(share[trust > 0.9].mean()) < 0.05
    share, trust = seen_through(noisy(behind, 1), behind, spread)  # bare background is no veil
    assert float(trust[share > 0].mean() if (share > 0).any() else 0) < 0.1


def cut_cost(mask: np.ndarray, inside: np.ndarray, outside: np.ndarray, steps: list, length: float) -> float:
    """The cost of a division, added up by hand."""
    total = float(inside[mask].sum() + outside[~mask].sum())
    h, w = mask.shape
    for (dy, dx, _, weight), step in zip(STEPS, steps, strict=True):
        for y in range(h - dy):
            for x in range(max(-dx, 0), w - max(dx, 0)):
                if mask[y, x] != mask[y + dy, x + dx]:
                    total += length * weight * (0.04 + 0.96 * float(np.exp(-0.5 * step[y, x])))
    return total


@settings(max_examples=30, deadline=None)
@given(st.integers(0, 10_000), st.floats(0.1, 3.0))
def test_no_division_of_a_small_grid_costs_less_than_the_cut(seed: int, length: float) -> None:
    rng = np.random.default_rng(seed)
    inside, outside = rng.uniform(0, 3, (2, 3, 4)).astype(np.float32)
    steps = stepped(rng.uniform(0, 1, (3, 4, 3)).astype(np.float32))
    found = cut_cost(cut(inside, outside, steps, length), inside, outside, steps, length)
    least = min(
        cut_cost(np.array([(n >> k) & 1 for k in range(12)], bool).reshape(3, 4), inside, outside, steps, length)
        for n in range(4096)
    )
    assert found == pytest.approx(least, abs=1e-3)


def test_steps_are_measured_against_the_usual_one() -> None:
    picture = np.zeros((4, 5, 3), np.float32)
    picture[:, 3:] = 1
    right, down, rightdown, leftdown = stepped(picture)
    assert right[1, 2] > 0
    assert right[1, 1] == right[1, 3] == right[1, 4] == 0
    assert not down.any()
    assert rightdown[0, 2] > 0
    assert rightdown[3, 2] == 0  # beyond the border there is no neighbour
    assert leftdown[0, 3] > 0
    assert np.mean([s.mean() for s in (right, down, rightdown, leftdown)]) == pytest.approx(1)


def test_readings_of_specks_rest_and_what_was_closed() -> None:
    alpha = np.zeros((100, 100), np.float32)
    alpha[20:60, 20:60] = 1
    assert specks_reading(alpha).value == 0
    alpha[80, 80], alpha[90, 10] = 1, 0.5
    r = specks_reading(alpha)
    assert r.value == pytest.approx(100 * 1.5 / 1e4)
    assert r.state == "fault"
    assert r.spot is not None
    misfit_map = np.full((100, 100), 3.0, np.float32)
    outside = alpha < 0.5
    assert rest_reading(misfit_map, outside).value == pytest.approx(3 / 2.366)
    assert rest_reading(misfit_map, np.zeros_like(outside)).value is None
    mask = np.zeros((100, 100), bool)
    mask[20:60, 20:60] = True
    misfit_map[mask] = 50
    assert closed_reading(mask, misfit_map, 9).value == 0
    misfit_map[30:40, 30:40] = 4
    assert closed_reading(mask, misfit_map, 9).value == pytest.approx(100 * 100 / 1600)
    assert closed_reading(np.zeros_like(mask), misfit_map, 9).value is None


def test_what_coding_wears_is_measured_where_it_wears() -> None:
    """Texture whose detail changes from frame to frame differs by more than the sensor's noise, plain parts do not."""
    rng = np.random.default_rng(5)
    empty = np.full((120, 160, 3), 0.2, np.float32)
    empty[:, 80:] += 0.08 * kp.smooth_noise(rng, 120, 80, 2)[..., None]
    empty = empty.clip(0.02, 1)

    def coded(seed: int) -> np.ndarray:
        out = noisy(empty, seed)
        out[:, 80:] += np.random.default_rng(seed + 50).normal(0, 0.04, (120, 80, 1)).astype(np.float32)
        return out

    frames, bare = [coded(k) for k in range(3)], [np.ones((120, 160), bool)] * 3
    wear = worn(frames, [coded(9)] * 3, bare, LAW, 2.0)[..., 0]
    assert float(np.median(wear[:, :70])) < 1.5
    assert float(np.median(wear[:, 90:])) > 4
    assert float(np.median(unlike(frames[0], coded(9), LAW, 2.0, wear[..., None]).plain[:, 90:])) < 6
    one = worn(frames, [coded(9)] * 3, bare, LAW, 2.0, shares=1)[..., 0]
    assert (one <= wear + 1e-5).all()
    assert worn(frames, [coded(9)] * 3, [np.zeros((120, 160), bool)] * 3, LAW, 2.0) == pytest.approx(1)


def test_what_coding_wears_in_the_dark_is_measured_there() -> None:
    """What is alike all over in code values is more than the law says where it is dark, and no more where it is bright."""
    levels = np.repeat(np.geomspace(0.004, 0.5, 8), 20)[None, :, None]
    empty = np.broadcast_to(levels, (120, 160, 3)).astype(np.float32)

    def coded(seed: int) -> np.ndarray:
        rng = np.random.default_rng(seed)
        dark = rng.normal(0, 5 * np.sqrt(2 * LAW[0, 1]), empty.shape) * (empty < 0.02)
        return (noisy(empty, seed + 20) + dark).astype(np.float32)

    frames, bare = [coded(k) for k in range(3)], [np.ones((120, 160), bool)] * 3
    wear = worn(frames, [empty] * 3, bare, LAW, 1.0)[..., 0]
    assert float(np.median(wear[:, :30])) > 6
    assert float(np.median(wear[:, 90:])) < 1.6
    # as long as things may be among it, all brightnesses are one class
    one = worn(frames, [empty] * 3, bare, LAW, 1.0, shares=1)[..., 0]
    assert float(np.median(one[:, :30])) < 0.5 * float(np.median(wear[:, :30]))


def test_the_law_that_variances_follow_is_found() -> None:
    rng = np.random.default_rng(2)
    level = rng.uniform(0, 1, (90, 120, 3)).astype(np.float32)
    want = np.array([[2e-4, 1e-5], [1e-4, 4e-5], [0.0, 3e-5]])
    variance = (level * want[:, 0] + want[:, 1]) * rng.normal(1, 0.1, level.shape)
    where = np.ones((90, 120), bool)
    where[:, :30] = False
    variance[:, :30] = 1
    np.testing.assert_allclose(_law_of(variance, level, where), want, rtol=0.06, atol=2e-6)


def test_a_take_whose_coding_wears_its_texture_stays_clean() -> None:
    back = at._picture("gravel.png", SIZE)
    rng = np.random.default_rng(1)

    def coded() -> np.ndarray:
        return (at._shot(back, 1.0, rng) * (1 + 0.12 * rng.standard_normal((*SIZE, 1)))).clip(0, 1).astype(np.float32)

    frames = [coded() for _ in range(4)]
    model = learn_away(frames, coded())
    assert float(np.mean([take_away(f, model).alpha.mean() for f in frames])) < 0.01


def test_gaps_between_hairs_are_no_depth_and_what_is_closed_deeper_in_is() -> None:
    mask = np.zeros((60, 80), bool)
    mask[10:50, 10:70] = True
    off = np.full((60, 80), 50.0, np.float32)
    off[12:20, 20:26] = 2.0  # looks like the background, near the border
    off[28:32, 38:42] = 2.0  # the same, deep inside
    near = cv2.distanceTransform(mask.astype(np.uint8), cv2.DIST_L2, 5) < 10
    depth = _depth(mask, off, near)
    assert depth[16, 23] == 0
    assert depth[16, 29] == pytest.approx(5, abs=1)  # from the gap, not from the border
    assert depth[30, 40] > 12
    assert depth[5, 5] == 0
    assert _depth(mask, np.full_like(off, 50), near)[30, 40] == pytest.approx(20, abs=1.5)
