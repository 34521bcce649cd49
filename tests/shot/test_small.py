"""Half and quarter size: what is shown is what full size shows, shrunk, for every kind; readings and deliveries never go this way."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest

from transmixis.core.motion.motion import Motion, moved_points
from transmixis.media.still import write_still
from transmixis.shot.contract import Product
from transmixis.shot.material import Material
from transmixis.shot.model import Pin, Plate, Shot, Step
from transmixis.shot.render import Renderer
from transmixis.shot.small import SmallProducts, shrunk
from transmixis.shot.steps import KINDS, kind_of
from transmixis.shot.workorder import add_step, first_work_order

WIDE, HIGH, FRAMES = 322, 181, 3  # neither is a multiple of four


def smooth(seed: int) -> np.ndarray:
    dice = np.random.default_rng(seed)
    wide = cv2.GaussianBlur(dice.random((HIGH, WIDE, 3)).astype(np.float32), (0, 0), 5)
    return 0.2 + 2.0 * (wide - wide.mean())


@pytest.fixture(scope="module")
def shot(tmp_path_factory: pytest.TempPathFactory) -> tuple[Shot, Path]:
    """A keyed subject over a background, with a card laid in, a patch and a shape with pins: every kind that scales."""
    folder = tmp_path_factory.mktemp("small")
    yy, xx = np.mgrid[0:HIGH, 0:WIDE]
    for n in range(1, FRAMES + 1):
        cover = 1 / (1 + np.exp((np.hypot(xx - 150 - 3 * n, (yy - 100) / 1.3) - 40) / 1.5))[..., None]
        f = np.float32((0.05, 0.3, 0.06)) * (1 - cover) + (0.3 * smooth(1) + 0.2) * cover
        f += np.random.default_rng(n).normal(0, 0.002, f.shape)
        write_still(folder / f"take.{n:04d}.exr", f.astype(np.float32), kind="half")
    write_still(folder / "sky.exr", smooth(2).astype(np.float32), kind="half")
    card = np.concatenate([smooth(3)[:60, :90], np.ones((60, 90, 1), np.float32)], axis=2)
    write_still(folder / "card.exr", card.astype(np.float32), kind="half")
    plates = (
        Plate(id="hero", role="hero", path="take.####.exr"),
        Plate(id="background", role="background", path="sky.exr"),
        Plate(id="still", role="still", path="card.exr"),
    )
    made = first_work_order(Shot(code="A", length=FRAMES, width=WIDE, height=HIGH, plates=plates))
    for kind in (
        "garbage_matte",
        "shapes",
        "patch",
        "lay_in",
        "glow",
        "grade",
        "colour_table",
        "reframe",
    ):
        made, step = add_step(made, kind)
    square = [[1, 40, 30], [2, 280, 34], [3, 276, 150], [4, 44, 146]]
    later = [[i, x + 10, y + 4] for i, x, y in square]
    wanted = {
        "garbage_matte": ({"points": [[60, 20], [260, 20], [260, 170], [60, 170]], "feather": 6.0}, {}),
        "shapes": ({"feather": 4.0}, {"outline": (Pin(frame=1, value=square), Pin(frame=3, value=later))}),
        "patch": ({"outline": [[1, 20, 20], [2, 36, 20], [3, 36, 34], [4, 20, 34]], "right": 40.0, "down": 6.0}, {}),
        "lay_in": ({"corners": [[200, 20], [300, 30], [290, 90], [204, 80]], "soften": 1.0}, {}),
        "glow": ({"threshold": 0.25, "reach": 16.0, "least": 4.0}, {}),
        "grade": ({"slope_r": 1.2, "saturation": 0.7}, {}),
        "reframe": ({"shake": 2.0}, {"x": (Pin(frame=1, value=0.0), Pin(frame=3, value=12.0))}),
        "place": ({"x": 11.0, "y": -7.0, "soften": 2.0}, {"turn": (Pin(frame=1, value=0.0), Pin(frame=3, value=6.0))}),
    }
    for step in made.steps:
        if step.kind in wanted:
            params, pins = wanted[step.kind]
            made = made.with_step(step.model_copy(update={"params": params, "pins": pins}))
    return made, folder


def far_off(a: np.ndarray, b: np.ndarray) -> tuple[float, float]:
    """Mean of the difference, and what all but a two-hundredth keep."""
    off = np.abs(a.astype(np.float64) - b)
    return float(off.mean()), float(np.quantile(off, 0.995))


@pytest.mark.parametrize("by", [2, 4])
@pytest.mark.parametrize("kind", sorted(k.kind for k in KINDS.values() if k.scales))
def test_a_kind_that_scales_gives_the_same_picture(shot: tuple[Shot, Path], kind: str, by: int) -> None:
    made, folder = shot
    full = Renderer(made, Material(folder))
    small = SmallProducts(full, by)
    step = next(s for s in made.steps if s.kind == kind)
    for n in (1, 2, 3):
        want, got = shrunk(full.product(f"step:{step.id}", n), by), small.product(f"step:{step.id}", n)
        for a, b in ((want.picture, got.picture), (want.matte, got.matte)):
            assert (a is None) == (b is None)
            if a is not None and b is not None:
                assert a.shape == b.shape == (-(-HIGH // by), -(-WIDE // by), *a.shape[2:])
                mean, most = far_off(a, b)
                assert mean < 0.004
                assert most < 0.03 * by  # at edges: a fraction of a small px
        for a, b in zip(want.shape or (), got.shape or (), strict=True):
            np.testing.assert_allclose(a, b, atol=0.02)


def test_any_other_kind_is_made_at_full_size_and_shrunk(shot: tuple[Shot, Path]) -> None:
    made, folder = shot
    steady = Step(id="steady", kind="steady", name="Steady", inputs={"plate": "plate:hero"})
    made = made.model_copy(update={"steps": (*made.steps, steady)})
    assert not kind_of("steady").scales
    full = Renderer(made, Material(folder))
    for ref in ("step:steady", "plate:hero"):
        picture = full.product(ref, 2).picture
        small = SmallProducts(full, 2).product(ref, 2).picture
        assert picture is not None
        assert small is not None
        want = cv2.copyMakeBorder(picture, 0, 1, 0, 0, cv2.BORDER_REPLICATE)
        blocks = want.reshape(91, 2, 161, 2, -1).mean(axis=(1, 3))
        np.testing.assert_allclose(small, blocks, atol=1e-6)
        assert not small.flags.writeable
    quarter = SmallProducts(full, 4).product("plate:hero", 2).picture
    picture = full.product("plate:hero", 2).picture
    assert quarter is not None
    assert picture is not None
    want = cv2.copyMakeBorder(picture, 0, 3, 0, 2, cv2.BORDER_REPLICATE)
    np.testing.assert_allclose(quarter, want.reshape(46, 4, 81, 4, -1).mean(axis=(1, 3)), atol=1e-6)


def test_a_kind_that_scales_computes_at_the_small_size(shot: tuple[Shot, Path], monkeypatch: pytest.MonkeyPatch) -> None:
    made, folder = shot
    seen: list[tuple[int, float]] = []
    kind = type(kind_of("place"))
    real = kind.compute

    def watched(self: object, inputs: Any, params: Any, frame: int) -> Product:
        seen.append((inputs.shot.width, params.x))
        return real(self, inputs, params, frame)  # type: ignore[arg-type]

    monkeypatch.setattr(kind, "compute", watched)
    full = Renderer(made, Material(folder))
    ref = f"step:{next(s.id for s in made.steps if s.kind == 'place')}"
    SmallProducts(full, 2).product(ref, 1)
    full.product(ref, 1)
    assert seen == [(161, 5.5), (WIDE, 11.0)]


def test_a_track_and_a_shape_lie_where_they_lay(shot: tuple[Shot, Path]) -> None:
    turned = np.array([[0.96, -0.1, 31.0], [0.12, 1.02, -8.0], [1e-4, -2e-5, 1.0]])
    about = np.array([[100.0, 60.0], [20.0, 30.0]])
    small = shrunk(Product(motion=Motion(turned, about, error=0.4), shape=(about,)), 4)
    assert small.motion is not None
    assert small.shape is not None
    np.testing.assert_allclose(moved_points(small.motion.matrix, small.motion.about), moved_points(turned, about) / 4)
    assert small.motion.error == pytest.approx(0.1)
    np.testing.assert_allclose(small.shape[0], about / 4)


def test_small_and_full_are_kept_apart_and_readings_are_of_the_full_size(shot: tuple[Shot, Path]) -> None:
    made, folder = shot
    full = Renderer(made, Material(folder))
    half, quarter = SmallProducts(full, 2), SmallProducts(full, 4)
    ref = f"step:{next(s.id for s in made.steps if s.kind == 'place')}"
    sizes = [r.product(ref, 1).picture.shape[:2] for r in (quarter, half, full, half)]  # type: ignore[union-attr]
    assert sizes == [(46, 81), (91, 161), (HIGH, WIDE), (91, 161)]
    assert len({r.key(ref, 1) for r in (full, half, quarter)}) == 3
    assert not hasattr(half, "measure")
    assert half.shot is made


def test_what_is_learnt_and_followed_is_of_the_full_size_whoever_asks_first(shot: tuple[Shot, Path]) -> None:
    """A key learnt from small pictures, or a track followed in them, must never be kept as the full size's."""
    made, folder = shot
    track = Step(
        id="track",
        kind="point_track",
        name="Point",
        inputs={"plate": "plate:background"},
        params={"point": [[150.0, 90.0]], "half": 12},
    )
    made = made.model_copy(update={"steps": (*made.steps, track)})
    asked_small, asked_full = Renderer(made, Material(folder)), Renderer(made, Material(folder))
    small = SmallProducts(asked_small, 2)
    key = next(s.id for s in made.steps if s.kind == "screen_key")
    small.product(f"step:{key}", 1)
    moved = small.product("step:track", 2).motion
    assert moved is not None
    want = asked_full.analysis(key)
    for name, value in asked_small.analysis(key).items():
        np.testing.assert_array_equal(value, want[name])
    a, b = asked_small.product("step:track", 2).motion, asked_full.product("step:track", 2).motion
    assert a is not None
    assert b is not None
    np.testing.assert_array_equal(a.matrix, b.matrix)
    np.testing.assert_allclose(moved.about, b.about / 2)
    assert small.handles("track", 1)[0].value == asked_full.handles("track", 1)[0].value
    there = small.motion_if_there("track", 2)
    assert there is not None
    np.testing.assert_array_equal(there.matrix, b.matrix)


def test_until_a_picture_is_connected_a_test_card_stands_for_it_and_says_so(shot: tuple[Shot, Path]) -> None:
    made, folder = shot
    step = next(s for s in made.steps if s.kind == "lay_in")
    bare = step.model_copy(update={"inputs": {k: v for k, v in step.inputs.items() if k != "front"}})
    r = Renderer(made.with_step(bare), Material(folder))
    got, behind = r.product(f"step:{step.id}", 1), r.product(step.inputs["back"], 1)
    assert got.picture is not None
    assert behind.picture is not None
    assert got.matte is not None
    changed = np.abs(got.picture[..., :3] - behind.picture[..., :3]).max(axis=2) > 0.01
    assert changed.sum() > 100
    assert not changed[got.matte == 0].any()
    card = {x.name: x for x in r.measure(step.id, 1)}["test card"]
    assert card.state == "fault"  # so that it is not handed over unseen
    assert "not connected" in card.note
    unset = bare.model_copy(update={"params": {**bare.params, "corners": []}})
    r = Renderer(made.with_step(unset), Material(folder))
    got = r.product(f"step:{step.id}", 1)
    assert got.picture is not None
    np.testing.assert_array_equal(got.picture[..., :3], behind.picture[..., :3])
    notes = {x.name: x.note for x in r.measure(step.id, 1)}
    assert notes["enlargement"] == "the picture that is laid in is not connected yet"
