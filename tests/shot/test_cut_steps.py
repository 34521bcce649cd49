"""Difference matte and Luma matte as steps and from the command line; what is kept of a plate, given by a file."""

from __future__ import annotations

import json
from pathlib import Path

import awaytakes as at
import cv2
import numpy as np
import pytest
from clirun import here

from transmixis.core.errors import UserError
from transmixis.core.matte.error import sad
from transmixis.core.plot import Hills
from transmixis.core.progress import Progress
from transmixis.media.cache import FrameCache
from transmixis.media.still import read_coded, write_still
from transmixis.shot.bare import bare_plate, bare_shot
from transmixis.shot.keeping import keeping
from transmixis.shot.material import Material
from transmixis.shot.model import Step
from transmixis.shot.render import Renderer, output_ref
from transmixis.shot.steps import kind_of

SIZE = (135, 240)


@pytest.fixture(scope="module")
def take(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, at.AwayTake]:
    folder = tmp_path_factory.mktemp("away")
    made = at.away_take("shadow", 3, SIZE)
    for i, f in enumerate(made.plate, 1):
        write_still(folder / f"take.{i:04d}.png", f, kind="uint8")
    write_still(folder / "empty.png", made.empty, kind="uint8")
    return folder, made


def difference(folder: Path, **params: object) -> Renderer:
    shot, _ = bare_shot(folder / "take.0001.png")
    clean, _ = bare_plate(folder / "empty.png", "clean", "clean")
    step = Step(
        id="d", kind="difference_matte", name="Difference", inputs={"plate": "plate:hero", "clean": "plate:clean"}, params=params
    )
    return Renderer(
        shot.model_copy(update={"plates": (*shot.plates, clean), "steps": (step,)}), Material(Path.cwd()), FrameCache(1 << 28)
    )


def test_the_step_gives_picture_readings_and_plot(take: tuple[Path, at.AwayTake]) -> None:
    folder, made = take
    r = difference(folder)
    picture = r.product("step:d", 2).picture
    assert picture is not None
    assert sad(picture[..., 3], made.alpha[1]) < 0.25 * made.alpha[1].sum()
    names = {x.name: x for x in r.measure("d", 2)}
    assert names.keys() == {"background off", "holes", "specks", "closed", "boil"}
    assert names["background off"].value < 1.1
    assert "stood 0." in names["background off"].note
    plot = r.plot("d", 2)
    assert plot is not None
    panel = plot.panels[0]
    assert isinstance(panel, Hills)
    assert panel.jaws[0].param == "unlike"
    assert panel.beyond(panel.jaws[0].value) < 1
    assert panel.hills[1].counts[-1] > panel.hills[1].counts[:50].sum() / 2  # the subject is plainly unlike


def test_a_value_far_off_is_proposed_back_with_what_it_changes(take: tuple[Path, at.AwayTake]) -> None:
    r = difference(take[0], unlike=0.07)
    found = r.propose("d", Progress())
    assert found is not None
    assert 0.1 <= found.values["unlike"] <= 0.5
    assert "less background" in found.gains.lower()
    again = difference(take[0], unlike=found.values["unlike"]).propose("d", Progress())
    assert again is None


def test_glass_is_solid_where_that_is_asked_for(take: tuple[Path, at.AwayTake]) -> None:
    folder, made = take
    pane = np.abs(made.alpha[1] - 0.4) < 0.02
    seen, solid = (
        difference(folder, glass=g).product("step:d", 2).picture[..., 3][pane].mean() for g in ("seen through", "solid")
    )  # type: ignore[index]
    assert seen < solid - 0.15
    assert abs(seen - 0.4) < abs(solid - 0.4)


def test_difference_from_the_command_line_with_a_kept_part(take: tuple[Path, at.AwayTake], tmp_path: Path) -> None:
    folder, _ = take
    h, w = SIZE
    box = {
        "shapes": [
            {"name": "body", "line": "corners", "pins": [{"frame": 1, "points": [[w * 0.4, 0], [w, 0], [w, h], [w * 0.4, h]]}]}
        ]
    }
    (tmp_path / "keep.json").write_text(json.dumps(box))
    out = tmp_path / "out"
    args = ("matte", "difference", folder / "take.0001.png", "--clean", folder / "empty.png", "--out", out)
    done = here(*args, "--garbage", tmp_path / "keep.json", "--over", folder / "empty.png", "--json")
    told = json.loads(done.stdout)
    assert [f["frame"] for f in told["frames"]] == [1, 2, 3]
    matte = read_coded(out / "matte.0002.exr")[..., 0]
    assert not matte[:, : int(w * 0.38)].any()  # the pane stands there
    assert matte[int(h * 0.8), int(w * 0.55)] == pytest.approx(1, abs=0.02)
    assert (out / "comp.0003.exr").exists()
    assert (out / "foreground.0001.exr").exists()
    refused = here(*args, code=1)
    assert "there already" in (refused.stdout + refused.stderr).lower()
    mask = np.zeros((h, w), np.float32)
    mask[:, w // 2 :] = 1
    cv2.imwrite(str(tmp_path / "keep.png"), (mask * 65535).astype(np.uint16))
    here(*args, "--garbage", tmp_path / "keep.png", "--overwrite")
    matte = read_coded(out / "matte.0002.exr")[..., 0]
    assert not matte[:, : w // 2].any()
    assert matte[int(h * 0.8), int(w * 0.55)] == pytest.approx(1, abs=0.02)


def test_what_is_kept_must_fit_the_plate(take: tuple[Path, at.AwayTake], tmp_path: Path) -> None:
    shot, _ = bare_shot(take[0] / "take.0001.png")
    cv2.imwrite(str(tmp_path / "small.png"), np.zeros((20, 30), np.uint8))
    with pytest.raises(UserError, match="30 × 20"):
        keeping(shot, tmp_path / "small.png")
    for i in (1, 2):
        cv2.imwrite(str(tmp_path / f"two.{i:04d}.png"), np.zeros(SIZE, np.uint8))
    with pytest.raises(UserError, match="2 frames"):
        keeping(shot, tmp_path / "two.0001.png")


def test_a_key_takes_what_is_kept(tiny_plates: Path, tmp_path: Path) -> None:
    plate = tiny_plates / "take.0001.png"
    shot, _ = bare_shot(plate)
    mask = np.zeros((shot.height, shot.width), np.uint8)
    mask[:, : shot.width // 3] = 255
    cv2.imwrite(str(tmp_path / "keep.png"), mask)
    here("key", plate, "--out", tmp_path / "k", "--garbage", tmp_path / "keep.png")
    for f in (tmp_path / "k").glob("matte.*.exr"):
        assert not read_coded(f)[:, shot.width // 3 + 1 :].any()


def element(ground: float) -> np.ndarray:
    """A soft orange glow over a ground."""
    yy, xx = np.mgrid[0:90, 0:120].astype(np.float32)
    alpha = np.exp(-(((xx - 60) / 18) ** 2 + ((yy - 45) / 14) ** 2))[..., None]
    return (alpha * np.float32([0.9, 0.5, 0.1]) + (1 - alpha) * ground).astype(np.float32)


@pytest.mark.parametrize(("word", "ground"), [("auto", 0.0), ("auto", 1.0), ("black", 0.0), ("white", 1.0)])
def test_an_element_comes_off_its_ground_and_gives_it_back(tmp_path: Path, word: str, ground: float) -> None:
    picture = element(ground)
    write_still(tmp_path / "glow.0001.exr", picture, kind="float")
    here("matte", "luma", tmp_path / "glow.0001.exr", "--ground", word, "--out", tmp_path / "o")
    matte = read_coded(tmp_path / "o" / "matte.0001.exr")[..., 0]
    front = read_coded(tmp_path / "o" / "foreground.0001.exr")
    assert np.abs(front[..., :3] + (1 - matte[..., None]) * ground - picture).max() < 1e-4
    told = json.loads((tmp_path / "o" / "readings.json").read_text())
    reading = next(r for r in told["frames"][0]["readings"] if r["name"] == "off its ground")
    assert reading["value"] < 0.1


def test_a_kept_part_counts_off_a_ground_too(tmp_path: Path) -> None:
    write_still(tmp_path / "glow.exr", element(0.0), kind="float")
    mask = np.zeros((90, 120), np.uint8)
    mask[:, 60:] = 255
    cv2.imwrite(str(tmp_path / "keep.png"), mask)
    here("matte", "luma", tmp_path / "glow.exr", "--garbage", tmp_path / "keep.png", "--out", tmp_path / "o")
    matte = read_coded(next((tmp_path / "o").glob("matte.*.exr")))[..., 0]
    assert not matte[:, :60].any()
    assert matte[45, 61] > 0.8


def test_an_element_with_an_alpha_of_its_own_stays_as_it_is(tmp_path: Path) -> None:
    alpha = np.linspace(0, 1, 120, dtype=np.float32)[None, :, None] * np.ones((90, 1, 1), np.float32)
    picture = np.concatenate([alpha * np.float32([0.8, 0.4, 0.2]), alpha], axis=2)
    write_still(tmp_path / "e.exr", picture, kind="float")
    assert luma(tmp_path / "e.exr", by="off black").product("step:l", 1).picture == pytest.approx(picture, abs=1e-5)
    as_matte = luma(tmp_path / "e.exr", by="the picture is a matte").product("step:l", 1).picture
    assert as_matte is not None
    assert as_matte[..., 3] == pytest.approx(alpha[..., 0], abs=1e-5)
    bright = luma(tmp_path / "e.exr", by="what is bright").product("step:l", 1).picture
    assert bright is not None
    assert (bright[..., 3] <= alpha[..., 0] + 1e-6).all()
    assert "off its ground" not in {x.name for x in luma(tmp_path / "e.exr", by="off black").measure("l", 1)}


def luma(plate: Path, **params: object) -> Renderer:
    shot, _ = bare_shot(plate)
    step = Step(id="l", kind="luma_matte", name="Luma", inputs={"plate": "plate:hero"}, params=params)
    return Renderer(shot.model_copy(update={"steps": (step,)}), Material(Path.cwd()), FrameCache(1 << 26))


def test_a_colour_is_pressed_in_the_picture(tmp_path: Path) -> None:
    picture = np.full((60, 80, 3), 0.2, np.float32)
    picture[20:40, 30:60] = [0.4, 0.03, 0.02]
    picture[20:40, 45:60] *= 0.6  # in the shade
    write_still(tmp_path / "p.png", picture, kind="uint8")
    by = "a sampled colour"
    with pytest.raises(UserError, match="press the wanted colour in it"):
        luma(tmp_path / "p.png", by=by).product("step:l", 1)
    r = luma(tmp_path / "p.png", by=by)
    step, kind = r.shot.step("l"), kind_of("luma_matte")
    handle = kind.handles(r.inputs(step) if hasattr(r, "inputs") else None, kind.Params(by=by), 1)[0]  # type: ignore[arg-type]
    pressed = kind.edited(step, handle, 1, [(36.04, 30.0)])
    assert pressed.params["spots"] == [[36.0, 30.0]]
    alpha = luma(tmp_path / "p.png", **pressed.params).product("step:l", 1).picture[..., 3]  # type: ignore[index]
    assert alpha[22:38, 32:58].min() > 0.9
    assert alpha[:15].max() == 0


@pytest.mark.parametrize(
    ("by", "bright", "dark"), [("what is bright", 1, 0), ("what is dark", 0, 1), ("the picture is a matte", 1, 0)]
)
def test_mattes_from_light(tmp_path: Path, by: str, bright: float, dark: float) -> None:
    picture = np.zeros((40, 40, 3), np.float32)
    picture[10:30, 10:30] = 1
    write_still(tmp_path / "p.png", picture, kind="uint8")
    alpha = luma(tmp_path / "p.png", by=by).product("step:l", 1).picture[..., 3]  # type: ignore[index]
    assert alpha[20, 20] == pytest.approx(bright, abs=1e-3)
    assert alpha[2, 2] == pytest.approx(dark, abs=1e-3)


def test_a_ground_that_is_not_quite_black_is_proposed_away(tmp_path: Path) -> None:
    rng = np.random.default_rng(0)
    picture = np.maximum(element(0.0), 0.012) + np.abs(rng.normal(0, 0.004, (90, 120, 3))).astype(np.float32)
    write_still(tmp_path / "g.exr", picture.astype(np.float32), kind="float")
    r = luma(tmp_path / "g.exr", by="off its ground")
    found = r.propose("l", Progress())
    assert found is not None
    assert 0.002 < found.values["low"] < 0.05
    assert luma(tmp_path / "g.exr", by="off its ground", **found.values).propose("l", Progress()) is None
    grey = np.full((40, 50, 3), 0.2, np.float32)
    write_still(tmp_path / "grey.png", grey, kind="uint8")
    with pytest.raises(UserError, match="no plain black or white ground"):
        luma(tmp_path / "grey.png").product("step:l", 1)


def joined(folder: Path, inputs: dict[str, str], **params: object) -> Renderer:
    """A luma matte each of two pictures, joined."""
    shot, _ = bare_shot(folder / "plate.png")
    more = [bare_plate(folder / f"{n}.png", n, "element", "linear")[0] for n in ("left", "top")]
    steps = [
        Step(id=n, kind="luma_matte", name=n, inputs={"plate": f"plate:{n}"}, params={"by": "the picture is a matte"})
        for n in ("left", "top")
    ]
    steps.append(Step(id="j", kind="join_mattes", name="Join", inputs={"plate": "plate:hero", **inputs}, params=params))
    return Renderer(
        shot.model_copy(update={"plates": (*shot.plates, *more), "steps": tuple(steps)}),
        Material(Path.cwd()),
        FrameCache(1 << 26),
    )


@pytest.fixture
def halves(tmp_path: Path) -> Path:
    for name, part in (("left", np.s_[:, :40]), ("top", np.s_[:30, :])):
        m = np.zeros((60, 80), np.uint8)
        m[part] = 255
        cv2.imwrite(str(tmp_path / f"{name}.png"), m)
    write_still(tmp_path / "plate.png", np.full((60, 80, 3), 0.2, np.float32), kind="uint8")
    return tmp_path


@pytest.mark.parametrize(
    ("slot", "corners"), [("adds", (1, 1, 1, 0)), ("within", (1, 0, 0, 0)), ("takes", (0, 0, 1, 0)), ("cores", (1, 1, 1, 0))]
)
def test_mattes_are_joined_by_their_slot(halves: Path, slot: str, corners: tuple[int, ...]) -> None:
    r = joined(halves, {"first": "step:left", slot: "step:top"}, inset=0)
    alpha = r.product("step:j", 1).picture[..., 3]  # type: ignore[index]
    assert [float(alpha[y, x]) for y, x in ((10, 10), (10, 70), (50, 10), (50, 70))] == list(corners)
    idle = next(x for x in r.measure("j", 1) if x.name == "idle mattes")
    assert idle.value == 0


def test_a_matte_that_does_nothing_is_told(halves: Path) -> None:
    r = joined(halves, {"first": "step:left", "within": "step:left", "adds": "step:left"})
    idle = next(x for x in r.measure("j", 1) if x.name == "idle mattes")
    assert idle.value == 2
    assert idle.state == "fault"
    assert "comes to it" in idle.note
    assert "kept within" in idle.note


def test_growth_and_feather_move_the_edge(halves: Path) -> None:
    def row(**params: object) -> np.ndarray:
        return joined(halves, {"first": "step:left"}, **params).product("step:j", 1).picture[30, :, 3]  # type: ignore[index]

    assert row(grow=2.5)[39:45] == pytest.approx([1, 1, 1, 0.5, 0, 0])
    assert row(grow=-2)[36:40] == pytest.approx([1, 1, 0, 0])
    soft = row(inside=3, outside=3)
    assert soft[36] == pytest.approx(1, abs=0.02)
    assert soft[43] == pytest.approx(0, abs=0.02)
    assert soft[39] + soft[40] == pytest.approx(1, abs=0.01)


def still(folder: Path, **params: object) -> Renderer:
    """A take of three frames whose square brightens, cut out by a matte, frozen."""
    for n in (1, 2, 3):
        f = np.full((60, 80, 3), 0.1, np.float32)
        f[20:40, 30:60] = [0.1 * n, 0.3, 0.2]
        write_still(folder / f"t.{n:04d}.png", f, kind="uint16")
    m = np.zeros((60, 80), np.uint8)
    m[20:40, 30:60] = 255
    cv2.imwrite(str(folder / "m.png"), m)
    shot, _ = bare_shot(folder / "t.0001.png")
    matte, _ = bare_plate(folder / "m.png", "m", "element", "linear")
    steps = (
        Step(id="m", kind="luma_matte", name="M", inputs={"plate": "plate:m"}, params={"by": "the picture is a matte"}),
        Step(id="c", kind="cut_out_still", name="Still", inputs={"plate": "plate:hero", "matte": "step:m"}, params=params),
    )
    return Renderer(
        shot.model_copy(update={"plates": (*shot.plates, matte), "steps": steps}), Material(Path.cwd()), FrameCache(1 << 26)
    )


def test_a_still_is_one_frame_cut_out_and_true_over_it(tmp_path: Path) -> None:
    r = still(tmp_path, at=2, hardness=1.0)
    first, last = (r.product("step:c", n).picture for n in (1, 3))
    assert first is not None
    assert last is not None
    assert np.array_equal(first, last)
    assert first[30, 45] == pytest.approx([0.2, 0.3, 0.2, 1], abs=1e-3)
    assert not first[:18].any()
    soft = still(tmp_path, at=2, hardness=0.5).product("step:c", 1).picture
    assert soft is not None
    assert 0.05 < soft[30, 31, 3] < 0.95  # softened inwards by 4 px
    assert soft[30, 36, 3] == pytest.approx(1)
    assert not soft[30, 29, 3]
    assert still(tmp_path, at=99).product("step:c", 1).picture[30, 45, 0] == pytest.approx(0.3, abs=1e-3)  # type: ignore[index]


def test_a_still_is_frozen_at_the_playhead_and_written(tmp_path: Path) -> None:
    r = still(tmp_path, at=1)
    kind = kind_of("cut_out_still")
    after = kind.act("freeze", None, r.shot.step("c"), kind.Params(), 3)  # type: ignore[arg-type]
    assert after.params["at"] == 3
    assert "Frame 1 written" in r.to_file("c", 1, tmp_path / "o.png")
    assert "Frame 3 written" in still(tmp_path, at=99).to_file("c", 1, tmp_path / "late.png")
    read = read_coded(tmp_path / "o.png")
    assert read.shape == (60, 80, 4)
    assert read[30, 45, 3] == 65535
    assert read[5, 5, 3] == 0
    cv2.imwrite(str(tmp_path / "m.png"), np.zeros((60, 80), np.uint8))
    empty = Renderer(r.shot, Material(Path.cwd()), FrameCache(1 << 26))
    with pytest.raises(UserError, match="Nothing is cut out at frame 1"):
        empty.to_file("c", 1, tmp_path / "p.png")


@pytest.mark.parametrize("kind", ["difference_matte", "screen_key"])
def test_a_clean_plate_may_be_shorter_than_the_take(take: tuple[Path, at.AwayTake], kind: str) -> None:
    """It is looked at when the step learns, and has no say in how long the take is; another clean plate is another result."""
    folder, made = take
    for i in (1, 2):
        write_still(folder / f"short.{i:04d}.png", made.empty, kind="uint8")
    shot, _ = bare_shot(folder / "take.0001.png")
    clean, _ = bare_plate(folder / "short.0001.png", "clean", "clean")
    step = Step(id="d", kind=kind, name="Difference", inputs={"plate": "plate:hero", "clean": "plate:clean"}, params={})
    shot = shot.model_copy(update={"plates": (*shot.plates, clean), "steps": (step,)})
    one, other = (
        Renderer(s, Material(Path.cwd()), FrameCache(1 << 28))
        for s in (shot, shot.with_step(step.model_copy(update={"inputs": {"plate": "plate:hero", "clean": "plate:hero"}})))
    )
    assert one._keys.frame("step:d", 3) != other._keys.frame("step:d", 3)
    if kind == "difference_matte":
        picture = one.product("step:d", 3).picture
        assert picture is not None
        assert sad(picture[..., 3], made.alpha[2]) < 0.25 * made.alpha[2].sum()


def test_a_survey_of_another_plate_is_not_the_shot_s_picture(take: tuple[Path, at.AwayTake]) -> None:
    shot, _ = bare_shot(take[0] / "take.0001.png")
    clean, _ = bare_plate(take[0] / "empty.png", "clean", "clean")
    survey = Step(id="survey", kind="survey", name="Survey clean", inputs={"plate": "plate:clean"})
    assert output_ref(shot.model_copy(update={"plates": (*shot.plates, clean), "steps": (survey,)})) == "plate:hero"
