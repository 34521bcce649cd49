"""The Wire step and its command: a strand goes, all else stays, it is read as any mend, and what is no string is refused."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from clirun import here, ran
from rigtakes import grained
from wireplates import H, W, hung, photograph

from transmixis.core.errors import UserError
from transmixis.media.cache import FrameCache
from transmixis.media.still import write_still
from transmixis.shot.material import Material
from transmixis.shot.model import Plate, Shot, Step
from transmixis.shot.render import Renderer

FRAMES = 4


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    out = tmp_path_factory.mktemp("wire")
    rng, picture = np.random.default_rng(3), photograph("coffee")
    for n in range(FRAMES):
        cover = np.roll(hung(3), 2 * n, axis=0)
        plate = grained(picture * (1 - cover[..., None]) + 0.02 * cover[..., None], rng)
        write_still(out / f"take.{n + 1:04d}.exr", plate, kind="float")
        write_still(out / f"gone.{n + 1:04d}.png", cover, kind="uint8")
    return out


def rendered(folder: Path, gone: str = "gone.####.png") -> Renderer:
    plates = (
        Plate(id="hero", role="hero", path=str(folder / "take.####.exr")),
        Plate(id="gone", role="element", path=str(folder / gone), space="linear"),
    )
    matte = Step(
        id="gone", kind="luma_matte", name="Gone", inputs={"plate": "plate:gone"}, params={"by": "the picture is a matte"}
    )
    step = Step(
        id="wire", kind="wire_out", name="Wire", inputs={"plate": "plate:hero", "gone": "step:gone"}, params={"feather": 1.0}
    )
    s = Shot(code="A010", length=FRAMES, width=W, height=H, plates=plates, steps=(matte, step))
    return Renderer(s, Material(Path.cwd()), FrameCache(1 << 28))


def test_the_string_goes_and_is_grained(folder: Path) -> None:
    r, picture = rendered(folder), photograph("coffee")
    for n in (1, 3):
        product, plate = r.product("step:wire", n), Material(Path.cwd()).source(r.shot.plate("hero")).read(n)
        same = product.matte == 0
        np.testing.assert_array_equal(product.picture[same], plate[same])
        gone = np.roll(hung(3), 2 * (n - 1), axis=0) > 0.3
        assert np.abs(product.picture - picture)[gone].mean() < 0.3 * np.abs(plate - picture)[gone].mean()
    read = {x.name: x for x in r.measure("wire", 3)}
    assert {"seam", "unlike", "grain off", "softer", "ghost", "boil", "stirs", "frozen"} == set(read)
    assert read["seam"].value < 3
    assert read["ghost"].value is None or read["ghost"].value < 3


def test_what_is_no_string_is_refused(folder: Path, tmp_path: Path) -> None:
    blob = np.zeros((H, W), np.float32)
    blob[20:180, 20:220] = 1
    write_still(folder / "blob.png", blob, kind="uint8")
    with pytest.raises(UserError, match="is no string"):
        rendered(folder, "blob.png").product("step:wire", 1)


def test_from_the_command_line_with_a_strand(folder: Path, tmp_path: Path) -> None:
    told = json.loads(
        here(
            "repair", "wire", folder / "take.####.exr", "--strand", folder / "gone.####.png", "--out", tmp_path / "out", "--json"
        ).stdout
    )
    assert [f["frame"] for f in told["frames"]] == [1, 2, 3, 4]
    none = ran("repair", "wire", folder / "take.####.exr", "--strand", tmp_path / "missing.json", "--out", tmp_path / "no")
    assert none.returncode == 1
    assert "missing.json" in none.stderr
