"""The Moving patch: water that goes on moving where somebody stood, in the take's own light and grain, read as moving."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest
from rigtakes import grained

from transmixis.core.errors import UserError
from transmixis.media.cache import FrameCache
from transmixis.media.still import write_still
from transmixis.shot.material import Material
from transmixis.shot.model import Plate, Shot, Step
from transmixis.shot.render import Renderer

SIZE, FRAMES, STOOD = (120, 200), 20, 7


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    out, rng = tmp_path_factory.mktemp("water"), np.random.default_rng(5)
    waves = [cv2.GaussianBlur(rng.standard_normal((SIZE[0], 400)).astype(np.float32), (0, 0), 2.5) for _ in range(2)]
    waves = [w / w.std() for w in waves]
    for n in range(FRAMES):
        here = np.roll(waves[0], 4 * n, axis=1)[:, : SIZE[1]] + np.roll(waves[1], -3 * n, axis=1)[:, : SIZE[1]]
        water = (0.2 + 0.02 * here)[..., None] * np.float32((0.8, 1.0, 1.1)) * 2 ** (0.01 * n)
        cover = np.zeros(SIZE, np.float32)
        if n < STOOD:
            cover[30:90, 80:110] = 1
        write_still(
            out / f"take.{n + 1:04d}.exr", grained(water * (1 - cover[..., None]) + 0.02 * cover[..., None], rng), kind="float"
        )
        write_still(out / f"gone.{n + 1:04d}.png", cv2.dilate(cover, np.ones((5, 5))), kind="uint8")
        write_still(
            out / f"always.{n + 1:04d}.png",
            cv2.dilate(np.where(np.indices(SIZE)[1] > 150, 1, 0).astype(np.float32), np.ones((3, 3))),
            kind="uint8",
        )
    return out


def rendered(folder: Path, gone: str = "gone", kind: str = "moving_patch") -> Renderer:
    plates = (
        Plate(id="hero", role="hero", path=str(folder / "take.####.exr")),
        Plate(id="gone", role="element", path=str(folder / f"{gone}.####.png"), space="linear"),
    )
    matte = Step(
        id="gone", kind="luma_matte", name="Gone", inputs={"plate": "plate:gone"}, params={"by": "the picture is a matte"}
    )
    step = Step(id="mend", kind=kind, name="Mend", inputs={"plate": "plate:hero", "gone": "step:gone"})
    s = Shot(code="A010", length=FRAMES, width=SIZE[1], height=SIZE[0], plates=plates, steps=(matte, step))
    return Renderer(s, Material(Path.cwd()), FrameCache(1 << 28))


def test_another_moment_is_laid_there_in_this_ones_light(folder: Path) -> None:
    r = rendered(folder)
    for n in (1, 5):
        product = r.product("step:mend", n)
        plate = r.product("plate:hero", n).picture
        same = product.matte == 0
        np.testing.assert_array_equal(product.picture[same], plate[same])
        later = r.product("plate:hero", n + STOOD).picture
        core = np.zeros(SIZE, bool)
        core[40:80, 88:102] = True
        ratio = product.picture[core] / later[core]
        np.testing.assert_allclose(ratio.mean(axis=0), 2 ** (-0.01 * STOOD), rtol=0.02)
    read = {x.name: x for x in r.measure("mend", 4)}
    assert read["frozen"].value < 40
    assert read["unlike"].note == f"as in frame {4 + STOOD}; the take's {STOOD} frames later"
    assert 60 < read["stirs"].value < 160


def test_an_averaged_still_is_read_as_frozen(folder: Path) -> None:
    """The same place from other frames, averaged: nothing moves in it, and that is read."""
    r = rendered(folder, kind="time_patch")
    s = r.shot.with_step(r.shot.step("mend").model_copy(update={"params": {"moves": "not at all"}}))
    read = {x.name: x for x in Renderer(s, Material(Path.cwd()), FrameCache(1 << 28)).measure("mend", 4)}
    assert read["frozen"].value > 50


def test_a_broken_frame_is_taken_for_nothing(folder: Path, tmp_path: Path) -> None:
    for path in folder.iterdir():
        (tmp_path / path.name).write_bytes(path.read_bytes()[: 3000 if path.name == "take.0011.exr" else None])
    product = rendered(tmp_path).product("step:mend", 4)  # the eleventh would have served it
    assert product.picture is not None
    with pytest.raises(UserError, match=r"take\.0011"):
        rendered(tmp_path).product("step:mend", 11)


def test_what_is_never_bare_is_refused(folder: Path) -> None:
    with pytest.raises(UserError, match="No stretch"):
        rendered(folder, "always").product("step:mend", 2)
