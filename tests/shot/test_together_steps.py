"""Bend, Turn into, Join takes, Copies, Wrap round as steps."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest
from jointakes import PAIRS, takes
from loopclips import flame

from transmixis.core.build.codes import from_codes
from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.media.cache import FrameCache
from transmixis.media.still import write_still
from transmixis.shot.material import Material
from transmixis.shot.model import Plate, Shot
from transmixis.shot.render import Renderer
from transmixis.shot.steps import kind_of
from transmixis.shot.workorder import add_step

HIGH, WIDE, FRAMES = 180, 240, 24


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Two takes, a flame on black, a card and a panorama."""
    out = tmp_path_factory.mktemp("together")
    a, b = takes(PAIRS["a little off"])
    for n in range(1, FRAMES + 1):
        write_still(out / f"a.{n:04d}.exr", a[n - 1], kind="half")
        write_still(out / f"b.{n:04d}.exr", b[n - 1], kind="half")
        write_still(out / f"f.{n:04d}.png", from_codes(flame(1)[n - 1]), kind="uint8")
    card = np.zeros((HIGH, WIDE, 4), np.float32)
    card[60:140, 100:130] = (0.5, 0.3, 0.1, 1)
    write_still(out / "card.exr", card, kind="half")
    round_ = np.zeros((HIGH, WIDE, 4), np.float32)
    yy, xx = np.mgrid[0:HIGH, 0:WIDE]
    round_[(xx - 160) ** 2 + (yy - 60) ** 2 < 900] = (0.1, 0.2, 0.6, 1)
    write_still(out / "round.exr", round_, kind="half")
    wave = 0.4 + 0.2 * np.sin(np.arange(WIDE) * 2 * np.pi * 4 / WIDE)
    write_still(out / "pan.exr", np.repeat(np.repeat(wave[None, :, None], HIGH, 0), 3, 2).astype(np.float32), kind="half")
    return out


@pytest.fixture
def shot() -> Shot:
    plates = (
        Plate(id="a", role="hero", path="a.####.exr"),
        Plate(id="b", role="element", path="b.####.exr"),
        Plate(id="f", role="element", path="f.####.png"),
        Plate(id="card", role="still", path="card.exr"),
        Plate(id="round", role="still", path="round.exr"),
        Plate(id="pan", role="background", path="pan.exr"),
    )
    return Shot(code="A", length=FRAMES, rate="24", width=WIDE, height=HIGH, plates=plates)


def with_step(shot: Shot, kind: str, inputs: dict[str, str], **values: object) -> tuple[Shot, str]:
    made, step = add_step(shot, kind)
    return made.with_step(step.model_copy(update={"inputs": inputs, "params": values})), step.id


def renderer(shot: Shot, folder: Path) -> Renderer:
    return Renderer(shot, Material(folder), FrameCache(80_000_000))


def picture(shot: Shot, folder: Path, step: str, n: int) -> np.ndarray:
    made = renderer(shot, folder).product(f"step:{step}", n).picture
    assert made is not None
    return made


def readings(shot: Shot, folder: Path, step: str, n: int) -> dict[str, Reading]:
    return {r.name: r for r in renderer(shot, folder).measure(step, n)}


def test_takes_are_joined_where_they_go_together_best(shot: Shot, folder: Path) -> None:
    made, step = with_step(shot, "join_takes", {"one": "plate:a", "other": "plate:b"}, last=12.0, first=13.0)
    r = renderer(made, folder)
    found = [{x.name: x for x in r.measure(step, n)}["jump"] for n in range(1, FRAMES + 1)]
    assert max(x.value or 0 for x in found) < 2.0
    assert "cut hard it jumps by" in found[11].note
    assert float(found[11].note.split("jumps by ")[1].split()[0]) > 8
    assert "frame 3 of the first" in found[2].note
    assert found[0].value is None  # far from the join nothing is read
    assert "of the second" in found[15].note
    proposal = r.propose(step, Progress())
    assert proposal is not None
    assert {"last", "first"} == set(proposal.values)
    plot = r.plot(step, 1)
    assert plot is not None
    assert "falls from" in plot.words
    late, step = with_step(shot, "join_takes", {"one": "plate:a", "other": "plate:b"}, last=6.0, first=13.0)
    with pytest.raises(UserError, match="second take ends"):
        picture(late, folder, step, 24)
    none, step = with_step(shot, "join_takes", {"one": "plate:a", "other": "plate:b"}, first=90.0)
    with pytest.raises(UserError, match="no frame 90"):
        picture(none, folder, step, 2)


def test_copies_are_unlike_unless_they_run_at_once(shot: Shot, folder: Path) -> None:
    made, step = with_step(
        shot, "copies", {"element": "plate:f"}, count=3.0, wide=60.0, high=20.0, flips="no", sizes=0.0, blend="screen", size=0.5
    )
    own = readings(made, folder, step, 5)["twins"]
    assert own.value is not None
    assert own.value < 0.9
    same, step2 = with_step(
        shot, "copies", {"element": "plate:f"}, count=3.0, wide=60.0, high=20.0, flips="no", sizes=0.0, late="all at once"
    )
    assert readings(same, folder, step2, 5)["twins"].value == pytest.approx(1, abs=1e-3)
    assert picture(made, folder, step, 5)[..., :3].max() > 0.2
    still, step3 = with_step(shot, "copies", {"element": "plate:card"}, count=3.0)
    assert readings(still, folder, step3, 2)["twins"].value is None


def test_a_background_turns_round_whole_widths(shot: Shot, folder: Path) -> None:
    made, step = with_step(shot, "wrap_round", {"picture": "plate:pan"}, begins=2.0, frames=12.0, turns=1.0, shutter=0.0)
    first, quarter, last = (picture(made, folder, step, n) for n in (1, 5, 14))
    assert last == pytest.approx(first, abs=1e-3)
    assert quarter == pytest.approx(np.roll(first, WIDE // 4, 1), abs=2e-3)
    assert readings(made, folder, step, 3)["seam"].state == "sound"
    bad, step = with_step(shot, "wrap_round", {"picture": "plate:a"}, turns=0.75)
    found = readings(bad, folder, step, 3)
    assert found["off its beginning"].state == "fault"
    assert found["seam"].value is not None


def test_a_card_is_pulled_leans_and_lies_on_a_cylinder(shot: Shot, folder: Path) -> None:
    pulled, step = with_step(
        shot,
        "bend",
        {"picture": "plate:card"},
        source=[[115, 140], [115, 100], [115, 60]],
        target=[[115, 140], [120, 100], [135, 60]],
    )
    out = picture(pulled, folder, step, 1)[..., 3]
    xs = np.arange(WIDE) + 0.5
    assert (out[64] * xs).sum() / out[64].sum() == pytest.approx(133, abs=2)
    assert (out[137] * xs).sum() / out[137].sum() == pytest.approx(115, abs=1)
    assert readings(pulled, folder, step, 1)["crease"].state == "sound"
    folded, step = with_step(
        shot, "bend", {"picture": "plate:card"}, source=[[60, 100], [115, 100]], target=[[115, 100], [60, 100]]
    )
    assert readings(folded, folder, step, 1)["crease"].state == "fault"
    moves, motion = with_step(shot, "movement", {}, what="streak", frames=20.0, way=100.0, angle=0.0)
    leaning, step = with_step(
        moves,
        "bend",
        {"picture": "plate:card", "motion": f"step:{motion}"},
        how="leans with speed",
        source=[[115, 140], [115, 60]],
        lean=2.0,
    )
    out = picture(leaning, folder, step, 10)[..., 3]
    assert (out[61] * xs).sum() / out[61].sum() == pytest.approx(
        115 - 20 * (78.5 / 80) ** 2, abs=1
    )  # back by twice what two frames went
    assert readings(leaning, folder, step, 10)["lean"].value == pytest.approx(20 / 80, abs=0.01)
    round_, step = with_step(
        shot, "bend", {"picture": "plate:a"}, how="on a cylinder", corners=[[60, 40], [180, 40], [180, 140], [60, 140]], bulge=0.0
    )
    cover = picture(round_, folder, step, 1)[..., 3]
    assert cover[90, 62:178].min() > 0.9
    assert cover[90, :58].max() == 0
    grown = readings(round_, folder, step, 1)["enlargement"].value
    # 240 px of the picture lie over 140 degrees on 120 px: at the middle each is a / (2 sin a) of a px of the frame, a being 70 degrees
    assert grown == pytest.approx(60 / (120 * np.sin(np.radians(70)) / np.radians(70)), rel=0.05)
    none, step = with_step(shot, "bend", {"picture": "plate:card"})
    assert "draw the line" in readings(none, folder, step, 1)["crease"].note


def test_one_thing_turns_into_another_at_its_time(shot: Shot, folder: Path) -> None:
    places = {
        "named_one": [[100, 60], [130, 60], [130, 140], [100, 140]],
        "named_other": [[139, 39], [181, 39], [181, 81], [139, 81]],
    }
    made, step = with_step(
        shot, "turn_into", {"one": "plate:card", "other": "plate:round"}, begin=6.0, warps=9.0, fades=3.0, **places
    )
    assert np.array_equal(picture(made, folder, step, 6), picture(made, folder, step, 1))
    out = picture(made, folder, step, 11)
    yy, xx = np.mgrid[0:HIGH, 0:WIDE] + 0.5
    alpha = out[..., 3]
    assert (xx * alpha).sum() / alpha.sum() == pytest.approx((115 + 160) / 2, abs=3)
    assert (yy * alpha).sum() / alpha.sum() == pytest.approx((100 + 60) / 2, abs=3)
    assert picture(made, folder, step, 16)[60, 160, 2] == pytest.approx(0.6, abs=0.01)
    read = readings(made, folder, step, 11)
    assert read["crease"].state == "sound"
    assert read["lasts"].value == pytest.approx(9 / 24)
    glowing, step = with_step(
        shot, "turn_into", {"one": "plate:card", "other": "plate:round"}, begin=6.0, warps=9.0, glow=3.0, **places
    )
    assert picture(glowing, folder, step, 11)[80, 137, :3].max() > out[80, 137, :3].max() + 0.2
    bare, step = with_step(shot, "turn_into", {"one": "plate:card", "other": "plate:round"}, begin=6.0, warps=9.0)
    assert "only goes over" in readings(bare, folder, step, 11)["crease"].note
    odd, step = with_step(shot, "turn_into", {"one": "plate:card", "other": "plate:round"}, begin=6.0, named_one=[[1, 1]])
    with pytest.raises(UserError, match="as many on both"):
        picture(odd, folder, step, 11)


def test_a_card_is_pulled_by_a_grid(shot: Shot, folder: Path) -> None:
    kind = kind_of("bend")
    made, step = with_step(shot, "bend", {"picture": "plate:card"}, how="pulled by a grid", fields=2.0)
    assert "drag a grid" in readings(made, folder, step, 1)["crease"].note
    plain = picture(made, folder, step, 1)
    (handle,) = renderer(made, folder).handles(step, 1)
    assert (handle.tool, handle.facts["fields"]) == ("mesh", 2.0)
    places = [(float(x), float(y)) for y in (60, 100, 140) for x in (90, 115, 140)]
    drawn = kind.edited(made.step(step), handle, 1, places)
    assert drawn.params["grid"] == [[90, 60], [140, 140]]
    made = made.with_step(drawn)
    assert np.abs(picture(made, folder, step, 1) - plain).max() < 0.02  # drawn, and not yet pulled
    (handle,) = renderer(made, folder).handles(step, 1)
    assert handle.value == tuple(places)
    places[4] = (115, 130)  # its middle down by thirty
    pulled = made.with_step(kind.edited(made.step(step), handle, 1, places))
    assert pulled.step(step).params["grid"] == [[90, 60], [140, 140]]
    moved = picture(pulled, folder, step, 1)
    # what was at the middle is thirty lower now, and the card's ends stay where the grid's are
    assert moved[100, 115, 3] == pytest.approx(1, abs=0.02)
    assert readings(pulled, folder, step, 1)["crease"].value < 0.6
    assert picture(pulled, folder, step, 1)[40, 115, 3] < 0.02
    far = list(places)
    far[4] = (115, 190)
    folded = made.with_step(kind.edited(made.step(step), handle, 1, far))
    assert readings(folded, folder, step, 1)["crease"].state == "fault"
    again = kind.act("anew", None, pulled.step(step), kind.Params(**pulled.step(step).params), 1)  # type: ignore[arg-type]
    assert "pulled" not in again.params
    assert "grid" not in again.params
    broken = pulled.with_step(pulled.step(step).model_copy(update={"params": {**pulled.step(step).params, "pulled": places[:7]}}))
    with pytest.raises(UserError, match="as many places across as down"):
        picture(broken, folder, step, 1)


def test_a_grid_takes_what_is_at_its_places_to_where_they_are_pulled(shot: Shot, folder: Path) -> None:
    places = [(float(x), float(y)) for y in (20, 90, 160) for x in (20, 120, 220)]
    to = list(places)
    to[4] = (130.0, 80.0)
    made, step = with_step(shot, "bend", {"picture": "plate:a"}, how="pulled by a grid", grid=[places[0], places[-1]], pulled=to)
    before, after = (
        picture(made.with_step(made.step(step).model_copy(update={"params": {}})), folder, step, 1),
        picture(made, folder, step, 1),
    )
    for (x0, y0), (x1, y1) in zip(places, to, strict=True):
        a = before[int(y0) - 1 : int(y0) + 1, int(x0) - 1 : int(x0) + 1].mean(axis=(0, 1))
        b = after[int(y1) - 1 : int(y1) + 1, int(x1) - 1 : int(x1) + 1].mean(axis=(0, 1))
        assert b == pytest.approx(a, abs=0.03)
    half = made.with_step(made.step(step).model_copy(update={"params": {**made.step(step).params, "share": 0.0}}))
    assert np.abs(picture(half, folder, step, 1) - before).max() < 1e-3


def test_takes_of_other_sizes_are_joined(shot: Shot, folder: Path, tmp_path: Path) -> None:
    """The second take filmed at half the size and with another shape fills the first one's frame; it joined with an error before."""
    a, _ = takes(PAIRS["a little off"])
    for n in range(1, FRAMES + 1):
        write_still(tmp_path / f"small.{n:04d}.exr", cv2.resize(a[n - 1], (120, 90), interpolation=cv2.INTER_AREA), kind="half")
    other = shot.model_copy(
        update={"plates": (*shot.plates, Plate(id="small", role="element", path=str(tmp_path / "small.####.exr")))}
    )
    made, step = with_step(other, "join_takes", {"one": "plate:a", "other": "plate:small"}, last=12.0, first=13.0)
    assert picture(made, folder, step, 20).shape == (HIGH, WIDE, 3)
    assert np.abs(picture(made, folder, step, 20) - a[19]).mean() < 0.03
    assert readings(made, folder, step, 12)["jump"].value is not None
    assert renderer(made, folder).propose(step, Progress()) is not None


def test_places_that_both_takes_show_are_named_at_the_join(shot: Shot, folder: Path) -> None:
    kind = kind_of("join_takes")
    made, step = with_step(shot, "join_takes", {"one": "plate:a", "other": "plate:b"}, last=12.0, first=13.0)
    assert renderer(made, folder).handles(step, 12) == ()
    hard = made.with_step(made.step(step).model_copy(update={"params": {**made.step(step).params, "shows": "cut hard"}}))
    handles = renderer(hard, folder).handles(step, 12)
    assert [h.param for h in handles] == ["named_one", "named_other"]
    assert handles[0].here
    assert not handles[1].here
    assert "At frame 13" in handles[1].hint
    read = readings(hard, folder, step, 12)["jump"]
    assert "cut hard" in read.note
    assert np.abs(picture(hard, folder, step, 12) - picture(shot_of_plate(shot), folder, "keep", 12)[..., :3]).max() < 1e-3
    named = kind.edited(
        kind.edited(hard.step(step), handles[0], 12, [(100.0, 60.0), (140.0, 120.0)]), handles[1], 13, [(103.0, 61.0)]
    )
    assert named.params["named_other"] == [[103.0, 61.0]]
    joined = made.with_step(named.model_copy(update={"params": {**named.params, "shows": "as joined"}}))
    assert not np.array_equal(picture(joined, folder, step, 12), picture(made, folder, step, 12))


def shot_of_plate(shot: Shot) -> Shot:
    """The first take with a step that changes nothing."""
    made, step = add_step(shot, "place")
    same = step.model_copy(update={"id": "keep", "inputs": {"front": "plate:a"}})
    return made.model_copy(update={"steps": (*(s for s in made.steps if s.id != step.id), same)})
