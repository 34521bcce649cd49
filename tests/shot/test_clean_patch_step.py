"""The Clean patch step and `transmixis repair patch`: what goes, what stays to the bit, what passes in front, what is read, what is refused."""

from __future__ import annotations

import json
from pathlib import Path

import cv2
import numpy as np
import pytest
from clirun import here, ran
from rigtakes import rig_of, rig_take

from transmixis.core.errors import UserError
from transmixis.media.cache import FrameCache
from transmixis.media.still import read_coded, write_still
from transmixis.shot.material import Material
from transmixis.shot.model import Plate, Shot, Step
from transmixis.shot.render import Renderer
from transmixis.shot.steps import kind_of

FRAMES, CLEANS, SIZE = 4, 3, (135, 240)
ALL = {"seam", "unlike", "grain off", "softer", "ghost", "left beside", "boil", "stirs", "frozen"}


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A small take, its clean take, and mattes of what must go and of what passes in front, as files."""
    out = tmp_path_factory.mktemp("rig")
    take = rig_take(False, FRAMES, CLEANS, SIZE)
    for n in range(FRAMES):
        write_still(out / f"take.{1001 + n}.exr", take.plate[n], kind="float")
        write_still(out / f"gone.{n + 1:04d}.png", take.region, kind="uint8")
        front = np.zeros(SIZE, np.float32)
        front[60:75, 110 + 5 * n : 130 + 5 * n] = 1
        write_still(out / f"front.{n + 1:04d}.png", np.dstack([front] * 4), kind="uint8")
    for m in range(CLEANS):
        write_still(out / f"clean.{m + 1:04d}.exr", take.clean[m], kind="float")
    return out


def shot(folder: Path, clean: str = "clean.####.exr", **inputs: str) -> Shot:
    step = Step(
        id="patch",
        kind="clean_patch",
        name="Without",
        inputs={"plate": "plate:hero", "clean": "plate:clean", "gone": "step:gone", **inputs},
        params={"feather": 1.0},
    )
    plates = (
        Plate(id="hero", role="hero", path=str(folder / "take.####.exr")), Plate(id="clean", role="clean", path=str(folder / clean)),
        Plate(id="gone", role="element", path=str(folder / "gone.####.png"), space="linear"), Plate(id="front", role="element", path=str(folder / "front.####.png")),
    )  # fmt: skip
    gone = Step(
        id="gone", kind="luma_matte", name="Gone", inputs={"plate": "plate:gone"}, params={"by": "the picture is a matte"}
    )
    return Shot(code="A010", length=FRAMES, width=SIZE[1], height=SIZE[0], plates=plates, steps=(gone, step))


def rendered(s: Shot) -> Renderer:
    return Renderer(s, Material(Path.cwd()), FrameCache(1 << 28))


def test_the_rig_goes_and_the_rest_stays(folder: Path) -> None:
    take, r = rig_take(False, FRAMES, CLEANS, SIZE), rendered(shot(folder))
    for n in (1, 3):
        product = r.product("step:patch", n)
        assert product.picture is not None
        assert product.matte is not None
        untouched = product.matte == 0
        assert untouched.mean() > 0.5
        np.testing.assert_array_equal(product.picture[untouched], take.plate[n - 1][untouched])
        gone = take.region > 0
        before = np.sqrt(np.square(take.plate[n - 1] - take.truth[n - 1])[gone].mean())
        after = np.sqrt(np.square(product.picture - take.truth[n - 1])[gone].mean())
        assert after < 0.25 * before  # three clean frames of a quarter of the size, and its grain
    other = r.product("step:patch", 2).picture
    assert other is not None
    again = rendered(shot(folder)).product("step:patch", 2).picture
    np.testing.assert_array_equal(other, again)  # the same bytes whenever it is made


def test_what_passes_in_front_is_left_as_it_is(folder: Path) -> None:
    take = rig_take(False, FRAMES, CLEANS, SIZE)
    product = rendered(shot(folder, front="plate:front")).product("step:patch", 2)
    assert product.picture is not None
    np.testing.assert_array_equal(product.picture[60:75, 115:135], take.plate[1][60:75, 115:135])


def test_readings_tell_seam_grain_and_what_stands_still(folder: Path) -> None:
    r = rendered(shot(folder))
    read = {x.name: x for x in r.measure("patch", 3)}
    assert set(read) == ALL
    assert all(x.value is not None for x in read.values())
    assert read["seam"].value < 5
    assert read["grain off"].value < 30
    assert 60 < read["boil"].value < 150
    s = shot(folder)
    off = s.with_step(s.step("patch").model_copy(update={"params": {"feather": 1.0, "grain": 0.0}}))
    flat = {x.name: x for x in rendered(off).measure("patch", 3)}
    assert flat["grain off"].value > 30
    assert flat["stirs"].value < 75 < read["stirs"].value
    assert {x.name for x in r.measure("patch", 1)} == ALL - {"boil", "stirs", "frozen"}


def test_nothing_to_go_and_all_to_go(folder: Path, tmp_path: Path) -> None:
    for name, value in (("none", 0.0), ("all", 1.0)):
        write_still(tmp_path / f"{name}.png", np.full(SIZE, value, np.float32), kind="uint8")
    base = shot(folder)

    def by(name: str) -> Renderer:
        plates = tuple(p.model_copy(update={"path": str(tmp_path / f"{name}.png")}) if p.id == "gone" else p for p in base.plates)
        return rendered(base.model_copy(update={"plates": plates}))

    same = by("none").product("step:patch", 1)
    np.testing.assert_array_equal(same.picture, rig_take(False, FRAMES, CLEANS, SIZE).plate[0])
    assert by("none").measure("patch", 1)[0].note == "nothing has to go here"
    with pytest.raises(UserError, match="covers the whole frame"):
        by("all").product("step:patch", 1)


def test_one_clean_frame_and_wind_that_is_not_carried(folder: Path) -> None:
    s = shot(folder, clean="clean.0002.exr")
    stands = s.with_step(s.step("patch").model_copy(update={"params": {"feather": 1.0, "wind": "as it stands", "grain": 0.0}}))
    carried = s.with_step(s.step("patch").model_copy(update={"params": {"feather": 1.0, "grain": 0.0}}))
    take, gone = rig_take(False, FRAMES, CLEANS, SIZE), rig_take(False, FRAMES, CLEANS, SIZE).region > 0
    off = []
    for made in (stands, carried):
        p = rendered(made).product("step:patch", 2).picture
        assert p is not None
        off.append(float(np.square(p - take.truth[1])[gone & take.windy].mean()))
    assert off[1] < off[0]
    assert kind_of("clean_patch").roles == ("mended",)


def test_from_the_command_line(folder: Path, tmp_path: Path) -> None:
    args = (
        "repair",
        "patch",
        folder / "take.1001.exr",
        "--clean",
        folder / "clean.####.exr",
        "--region",
        folder / "gone.0001.png",
    )
    told = json.loads(here(*args, "--out", tmp_path / "out", "--json").stdout)
    assert sorted(p.name for p in (tmp_path / "out").iterdir()) == [
        *("readings.json",),
        *(f"repaired.{n:04d}.png" for n in range(1, 5)),
    ]
    assert [f["frame"] for f in told["frames"]] == [1, 2, 3, 4]
    assert {r["name"] for r in told["frames"][1]["readings"]} == ALL
    assert read_coded(tmp_path / "out" / "repaired.0001.png").dtype == np.uint16
    here(*args, "--out", tmp_path / "lin", "--exr", "--no-wind", "--feather", "0")
    assert (tmp_path / "lin" / "repaired.0004.exr").exists()
    again = ran(*args, "--out", tmp_path / "out")
    assert again.returncode == 1
    assert "overwrite" in again.stderr
    small = tmp_path / "small.png"
    write_still(small, np.ones((40, 40), np.float32), kind="uint8")
    wrong = ran(
        "repair",
        "patch",
        folder / "take.1001.exr",
        "--clean",
        folder / "clean.####.exr",
        "--region",
        small,
        "--out",
        tmp_path / "no",
    )
    assert wrong.returncode == 1
    assert "matte of the plate's size" in wrong.stderr
    here(*args, "--out", tmp_path / "out", "--overwrite")


def test_a_shadow_that_was_not_drawn_round_is_offered(tmp_path: Path) -> None:
    """The rig alone is drawn round: its shadow is read as left beside, proposed to be taken in, and gone then."""
    take, (rig, shadow) = rig_take(False, FRAMES, CLEANS), rig_of(270, 480)
    for n in range(FRAMES):
        write_still(tmp_path / f"take.{n + 1:04d}.exr", take.plate[n], kind="float")
        write_still(tmp_path / f"clean.{min(n, CLEANS - 1) + 1:04d}.exr", take.clean[min(n, CLEANS - 1)], kind="float")
        write_still(tmp_path / f"gone.{n + 1:04d}.png", cv2.dilate((rig > 0).astype(np.float32), np.ones((7, 7))), kind="uint8")
    s = shot(tmp_path).model_copy(update={"width": 480, "height": 270})
    read = {x.name: x for x in rendered(s).measure("patch", 2)}
    assert read["left beside"].state == "fault"
    proposal = rendered(s).propose("patch")
    assert proposal is not None
    assert proposal.values == {"beside": "taken in"}
    assert proposal.effects[0].then < 0.3 * proposal.effects[0].now
    taken = rendered(s.with_step(s.step("patch").model_copy(update={"params": {"beside": "taken in"}})))
    core = (shadow > 0.7) & (rig == 0) & ~take.windy
    off = [np.abs(r.product("step:patch", 2).picture - take.truth[1])[core].mean() for r in (rendered(s), taken)]
    assert off[1] < 0.65 * off[0]  # the soft edge, wide where the light steps, takes some of it in any case
    for n in range(FRAMES):
        write_still(tmp_path / f"gone.{n + 1:04d}.png", take.region, kind="uint8")
    assert rendered(s).propose("patch") is None  # with its shadow drawn round there is nothing to take in


def test_a_clean_plate_that_is_too_sharp_is_softened(folder: Path, tmp_path: Path) -> None:
    """The take is softer than its clean plate, as with another focus: matched, the patch is as soft as what lies beside it."""
    take = rig_take(False, FRAMES, CLEANS)
    for n in range(FRAMES):
        write_still(tmp_path / f"take.{n + 1:04d}.exr", cv2.GaussianBlur(take.plate[n], (0, 0), 1.0), kind="float")
        write_still(tmp_path / f"clean.{min(n, CLEANS - 1) + 1:04d}.exr", take.clean[min(n, CLEANS - 1)], kind="float")
        write_still(tmp_path / f"gone.{n + 1:04d}.png", take.region, kind="uint8")
    s = shot(tmp_path).model_copy(update={"width": 480, "height": 270})
    stands = s.with_step(s.step("patch").model_copy(update={"params": {"sharpness": "as it stands"}}))
    off = [next(r for r in rendered(x).measure("patch", 2) if r.name == "softer").value for x in (stands, s)]
    assert off[0] > 30
    assert off[1] < 15


def test_a_second_clean_plate_serves_where_the_first_does_not_fit(folder: Path, tmp_path: Path) -> None:
    """On the first one a lamp lit the foot, on the second the top: together they leave less than either."""
    take = rig_take(False, FRAMES, CLEANS, SIZE)
    y, x = np.mgrid[0 : SIZE[0], 0 : SIZE[1]][..., None].astype(np.float32)
    for name, at in (("foot", (110, 138)), ("top", (25, 128))):
        for m in range(CLEANS):
            picture = take.clean[m] * (1 + 0.4 * np.exp(-((y - at[0]) ** 2 + (x - at[1]) ** 2) / (2 * 16**2)))
            write_still(tmp_path / f"{name}.{m + 1:04d}.exr", picture.astype(np.float32), kind="float")

    def with_both(first: str, second: str | None) -> Renderer:
        s = shot(tmp_path, f"{first}.####.exr", **({"second": "plate:second"} if second else {}))
        paths = {"hero": folder / "take.####.exr", "gone": folder / "gone.####.png"}
        plates = [p.model_copy(update={"path": str(paths[p.id])}) if p.id in paths else p for p in s.plates]
        if second:
            plates.append(Plate(id="second", role="clean", path=str(tmp_path / f"{second}.####.exr")))
        return rendered(s.model_copy(update={"plates": tuple(plates)}))

    gone = take.region > 0

    def off(r: Renderer) -> float:
        return float(np.sqrt(np.square(r.product("step:patch", 2).picture - take.truth[1])[gone].mean()))

    both = with_both("foot", "top")
    assert off(both) < 0.75 * min(off(with_both("foot", None)), off(with_both("top", None)))
    note = next(x.note for x in both.measure("patch", 2) if x.name == "unlike")
    assert "the second one serves" in note
    here(
        "repair", "patch", folder / "take.####.exr", "--clean", tmp_path / "foot.####.exr", "--second", tmp_path / "top.####.exr",
        "--region", folder / "gone.####.png", "--out", tmp_path / "out",
    )  # fmt: skip
    written = read_coded(tmp_path / "out" / "repaired.0002.png")
    assert written.shape[:2] == SIZE
