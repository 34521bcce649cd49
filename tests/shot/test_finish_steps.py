"""Grade, Colour table, Reframe, Lens and bars as steps."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from transmixis.core.build.codes import to_codes
from transmixis.core.errors import UserError
from transmixis.core.finish.grade import Cdl, graded
from transmixis.core.readings import Reading
from transmixis.media.exchange.grades import read_cdl, read_cube
from transmixis.media.still import write_still
from transmixis.shot.material import Material
from transmixis.shot.model import Pin, Plate, Shot
from transmixis.shot.render import Renderer
from transmixis.shot.steps import kind_of
from transmixis.shot.workorder import add_step

HIGH, WIDE = 120, 200


@pytest.fixture
def shot(tmp_path: Path) -> Shot:
    rng = np.random.default_rng(1)
    plate = np.linspace(0.05, 0.9, WIDE, dtype=np.float32)[None, :, None] * np.float32([1, 0.8, 0.6]) + np.zeros(
        (HIGH, 1, 1), np.float32
    )
    plate += rng.normal(0, 0.004, plate.shape).astype(np.float32)
    plate[50:70, 90:110] = (0.1, 0.5, 0.9)
    write_still(tmp_path / "p.exr", np.maximum(plate, 0), kind="float")
    half = np.zeros((HIGH, WIDE, 4), np.float32)
    half[:, :100] = 1
    write_still(tmp_path / "m.exr", half, kind="half")
    out = Shot(
        code="A",
        length=12,
        rate="24",
        width=WIDE,
        height=HIGH,
        plates=(Plate(id="p", role="hero", path="p.exr"), Plate(id="m", role="still", path="m.exr")),
    )
    for kind in ("grade", "colour_table", "reframe", "lens_and_bars"):
        out, step = add_step(out, kind)
        out = out.with_step(step.model_copy(update={"inputs": {"picture": "plate:p"}}))
    return out


def with_values(shot: Shot, step_id: str, **values: object) -> Shot:
    step = shot.step(step_id)
    return shot.with_step(step.model_copy(update={"params": {**step.params, **values}}))


def picture(shot: Shot, folder: Path, step: str, n: int = 1) -> np.ndarray:
    made = Renderer(shot, Material(folder)).product(f"step:{step}", n).picture
    assert made is not None
    return made


def readings(shot: Shot, folder: Path, step: str, n: int = 1) -> dict[str, Reading]:
    return {r.name: r for r in Renderer(shot, Material(folder)).measure(step, n)}


def test_a_grade_works_on_the_display_s_values_or_on_light(shot: Shot, tmp_path: Path) -> None:
    plate = picture(shot, tmp_path, "grade")
    values = {"slope_r": 1.1, "offset_b": 0.03, "power_g": 0.9, "saturation": 0.8}
    cdl = Cdl((1.1, 1, 1), (0, 0, 0.03), (1, 0.9, 1), 0.8)
    assert to_codes(picture(with_values(shot, "grade", **values), tmp_path, "grade")) == pytest.approx(
        graded(to_codes(plate), cdl), abs=2e-5
    )
    light = picture(with_values(shot, "grade", space="linear light", **values), tmp_path, "grade")
    assert light == pytest.approx(graded(plate, cdl), abs=1e-6)
    half = picture(with_values(shot, "grade", space="linear light", strength=0.5, **values), tmp_path, "grade")
    assert half == pytest.approx((plate + light) / 2, abs=1e-6)


def test_a_grade_of_a_part_leaves_the_rest(shot: Shot, tmp_path: Path) -> None:
    made = with_values(shot, "grade", slope_r=1.5)
    step = made.step("grade")
    made = made.with_step(step.model_copy(update={"inputs": {"picture": "plate:p", "matte": "plate:m"}}))
    plate, out = picture(shot, tmp_path, "grade"), picture(made, tmp_path, "grade")
    assert np.array_equal(out[:, 100:], plate[:, 100:])
    assert (out[:, :100, 0] > plate[:, :100, 0]).mean() > 0.99


def test_what_is_pushed_to_black_and_white_is_read(shot: Shot, tmp_path: Path) -> None:
    assert readings(shot, tmp_path, "grade")["pushed to black"].value == 0
    assert readings(with_values(shot, "grade", offset_r=-0.5), tmp_path, "grade")["pushed to black"].state == "fault"
    assert readings(with_values(shot, "grade", slope_r=1.6), tmp_path, "grade")["pushed to white"].state == "fault"


def test_a_grade_goes_out_and_comes_back_as_files(shot: Shot, tmp_path: Path) -> None:
    made = with_values(shot, "grade", slope_r=1.2, offset_g=-0.02, power_b=1.3, saturation=1.1)
    r = Renderer(made, Material(tmp_path))
    assert "written" in r.to_file("grade", 1, tmp_path / "out" / "g.cc")
    assert read_cdl(tmp_path / "out" / "g.cc") == Cdl((1.2, 1, 1), (0, -0.02, 0), (1, 1, 1.3), 1.1)
    again = kind_of("grade").from_file(shot.step("grade"), shot, tmp_path / "out" / "g.cc")
    assert picture(shot.with_step(again), tmp_path, "grade") == pytest.approx(picture(made, tmp_path, "grade"), abs=1e-6)
    r.to_file("grade", 1, tmp_path / "out" / "g.cube")
    table = kind_of("colour_table").from_file(shot.step("colour_table"), shot, tmp_path / "out" / "g.cube")
    through = picture(shot.with_step(table), tmp_path, "colour_table")
    off = 255 * np.abs(to_codes(through) - to_codes(picture(made, tmp_path, "grade")))
    assert np.quantile(off, 0.99) < 1.0
    back = Renderer(shot.with_step(table), Material(tmp_path))
    back.to_file("colour_table", 1, tmp_path / "out" / "h.cube")
    assert read_cube(tmp_path / "out" / "h.cube").cube == pytest.approx(read_cube(tmp_path / "out" / "g.cube").cube, abs=2e-6)


def test_day_for_night_is_one_press(shot: Shot, tmp_path: Path) -> None:
    kind = kind_of("grade")
    step = kind.act("night", None, shot.step("grade"), None, 1)  # type: ignore[arg-type]
    out = picture(shot.with_step(step), tmp_path, "grade")
    assert out.mean() < 0.25 * picture(shot, tmp_path, "grade").mean()


def test_a_table_without_a_file_or_damaged_says_so(shot: Shot, tmp_path: Path) -> None:
    assert np.array_equal(picture(shot, tmp_path, "colour_table"), picture(shot, tmp_path, "grade"))
    assert "choose a file" in readings(shot, tmp_path, "colour_table")["outside"].note
    for table in ("!!", "AAAA", "eJxjYGBgAAAABAAB"):
        with pytest.raises(UserError, match="damaged"):
            picture(with_values(shot, "colour_table", table=table, sides=[0, 2]), tmp_path, "colour_table")


def test_a_push_in_eases_and_says_what_it_costs(shot: Shot, tmp_path: Path) -> None:
    step = shot.step("reframe")
    pins = {"size": (Pin(frame=1, value=1.0, easing="linear"), Pin(frame=11, value=1.5))}
    made = with_values(shot, "reframe", shutter=0.0).with_step(step.model_copy(update={"params": {"shutter": 0.0}, "pins": pins}))
    out = picture(made, tmp_path, "reframe", 11)
    blue = np.nonzero(out[60, :, 2] > 0.7)[0]
    assert len(blue) == pytest.approx(30, abs=1)
    read = readings(made, tmp_path, "reframe", 11)
    assert read["enlargement"].value == pytest.approx(1.5)
    assert "67 %" in read["enlargement"].note
    assert readings(made, tmp_path, "reframe", 6)["enlargement"].value == pytest.approx(1.25)
    assert readings(with_values(shot, "reframe", x=10.0), tmp_path, "reframe")["border"].value == pytest.approx(10)


def test_a_shake_moves_the_picture_and_never_shows_its_border(shot: Shot, tmp_path: Path) -> None:
    made = with_values(shot, "reframe", shake=2.0, shake_turn=0.2)
    read = [readings(made, tmp_path, "reframe", n) for n in range(1, 13)]
    assert max(r["border"].value or 0 for r in read) == 0
    places = [float(np.nonzero(picture(made, tmp_path, "reframe", n)[60, :, 2] > 0.7)[0].mean()) for n in (1, 5, 9)]
    assert np.ptp(places) > 0.5


def test_bars_fringe_grain(shot: Shot, tmp_path: Path) -> None:
    made = with_values(shot, "lens_and_bars", aspect=2.0, up=6.0, grain=2.0, vignette=0.5, fringe=0.5)
    out = picture(made, tmp_path, "lens_and_bars")
    assert np.abs(out[:10]).max() == 0
    assert np.abs(out[110:]).max() == 0
    blue = np.nonzero(out[:, 100, 2] > 0.5)[0]
    assert blue.mean() + 0.5 == pytest.approx(54, abs=0.6)  # moved up by six
    read = readings(made, tmp_path, "lens_and_bars")
    assert read["moved too far"].value == 0
    assert readings(with_values(made, "lens_and_bars", up=40.0), tmp_path, "lens_and_bars")["moved too far"].state == "fault"
    assert readings(with_values(made, "lens_and_bars", fringe=1.5), tmp_path, "lens_and_bars")["fringe"].state == "fault"
    step = made.step("lens_and_bars")
    compared = made.with_step(step.model_copy(update={"inputs": {"picture": "plate:p", "like": "plate:p"}}))
    assert readings(compared, tmp_path, "lens_and_bars")["grain"].state == "fault"
    assert not np.array_equal(picture(made, tmp_path, "lens_and_bars", 2), out)  # new on every frame
