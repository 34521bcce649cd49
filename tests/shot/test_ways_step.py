"""The step What can serve and `transmixis repair auto`: its readings, what it proposes, the step that is added, the map, and what is refused."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from clirun import here
from timetakes import SIZE, person_take

from transmixis.core.errors import UserError
from transmixis.core.repair import ways
from transmixis.core.repair.ways import Way
from transmixis.media.cache import FrameCache
from transmixis.media.still import write_still
from transmixis.shot.material import Material
from transmixis.shot.model import Plate, Shot, Step
from transmixis.shot.render import Renderer
from transmixis.shot.stepjob import taken
from transmixis.shot.steps.coverage import drawn, map_of

FRAMES = 12


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    out, take = tmp_path_factory.mktemp("person"), person_take(FRAMES)
    for n in range(FRAMES):
        write_still(out / f"take.{n + 1:04d}.exr", take.plate[n], kind="float")
        write_still(out / f"gone.{n + 1:04d}.png", take.gone[n], kind="uint8")
    return out


def shot(folder: Path, gone: str = "gone.####.png") -> Shot:
    plates = (
        Plate(id="hero", role="hero", path=str(folder / "take.####.exr")),
        Plate(id="gone", role="element", path=str(folder / gone), space="linear"),
    )
    matte = Step(
        id="gone", kind="luma_matte", name="Gone", inputs={"plate": "plate:gone"}, params={"by": "the picture is a matte"}
    )
    step = Step(id="ways", kind="ways", name="Person", inputs={"plate": "plate:hero", "gone": "step:gone"})
    return Shot(code="A010", length=FRAMES, width=SIZE[1], height=SIZE[0], plates=plates, steps=(matte, step))


def rendered(s: Shot) -> Renderer:
    return Renderer(s, Material(Path.cwd()), FrameCache(1 << 28))


@pytest.fixture(scope="module")
def asked(folder: Path) -> Renderer:
    return rendered(shot(folder))


def test_every_way_is_answered(asked: Renderer) -> None:
    read = {r.name: r for r in asked.measure("ways", 3)}
    assert next(iter(read)) == ways.TIME  # the one that is proposed
    assert read[ways.TIME].value == pytest.approx(0, abs=1)
    assert ways.CLEAN not in read
    assert ways.PUNCH not in read  # one that does not serve is no fault
    assert all(r.note for r in read.values())


def test_the_proposal_is_a_step_that_takes_what_this_one_took(asked: Renderer) -> None:
    proposal = asked.propose("ways")
    assert proposal is not None
    assert proposal.instead is not None
    assert proposal.instead.kind == "time_patch"
    assert dict(proposal.instead.values) == {"rest": "left open", "moves": "not at all"}
    assert "100 % is shown elsewhere" in proposal.reason
    assert proposal.costs.startswith("about ")
    s = taken(asked.shot, "ways", proposal)
    new = s.steps[-1]
    assert new.kind == "time_patch"
    assert new.inputs == {"plate": "plate:hero", "gone": "step:gone"}
    made = rendered(s).product(f"step:{new.id}", 4)
    gone = person_take(FRAMES).gone[3] > 0
    assert np.abs(made.picture - person_take(FRAMES).truth[3])[gone].mean() < 0.02


def test_the_map_shows_by_which_way(asked: Renderer) -> None:
    asked.analysis("ways")
    plot = asked.plot("ways", 1)
    assert plot is not None
    (still,) = plot.panels
    assert still.pictures[0].shape[2] == 3
    assert "ther frames 0 %" in plot.words
    assert "lean plate no" in plot.words
    gone = np.zeros((60, 90), bool)
    gone[10:50, 20:70] = True
    left, up = gone.astype(np.float32), gone.astype(np.float32)
    left[:, 45:], up[30:] = 0, 0
    found = [
        Way(ways.CLEAN, 50, 10, "%", "", left),
        Way(ways.TIME, 50, 10, "%", "", up),
        Way(ways.SPACE, 50, 12, "levels", "", gone.astype(np.float32)),  # over its limit: not on the map
    ]
    where = map_of(gone, found)
    assert where[20, 30] == 1
    assert where[20, 60] == 2
    assert where[40, 60] == 4
    assert where[5, 5] == 0
    good = map_of(gone, [*found[:2], Way(ways.SPACE, 5, 12, "levels", "", gone.astype(np.float32))])
    assert good[40, 60] == 3
    picture = drawn(np.full((60, 90, 3), 0.2, np.float32), gone, found)
    assert picture.shape[1] > 300
    assert len(np.unique(picture.reshape(-1, 3).round(2), axis=0)) > 5


def test_the_map_lies_over_the_picture_at_its_own_frame(asked: Renderer) -> None:
    asked.analysis("ways")
    anchor = next(n for n in range(1, FRAMES + 1) if "map" in asked.handles("ways", n)[0].facts)
    (handle,) = asked.handles("ways", anchor)
    where = handle.facts["map"]
    gone = person_take(FRAMES).gone[anchor - 1] > 0.02
    assert (where[gone] == 2).mean() > 0.95
    assert (where[~gone] == 0).all()
    assert "upright strokes: other frames" in handle.hint
    other = 1 if anchor != 1 else 2
    assert f"told at frame {anchor}" in asked.handles("ways", other)[0].hint


def test_what_cannot_be_asked(folder: Path) -> None:
    for name, value, words in (("none", 0.0, "Nothing has to go"), ("all", 1.0, "covers the whole frame")):
        write_still(folder / f"{name}.png", np.full(SIZE, value, np.float32), kind="uint8")
        with pytest.raises(UserError, match=words):
            rendered(shot(folder, f"{name}.png")).analysis("ways")


def test_auto_takes_the_proposal_and_tells_it(folder: Path, tmp_path: Path) -> None:
    told = json.loads(
        here(
            "repair", "auto", folder / "take.####.exr", "--region", folder / "gone.####.png", "--out", tmp_path / "out", "--json"
        ).stdout
    )
    assert told["taken"] == "From other frames"
    assert [w["way"] for w in told["answers"]] == list(ways.NAMES)
    assert told["settings"]["feather"] == 2.0
    assert len(list((tmp_path / "out").glob("repaired.*.png"))) == FRAMES
    assert json.loads((tmp_path / "out" / "readings.json").read_text())["reason"] == told["reason"]
