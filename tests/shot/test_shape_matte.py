"""Outlines taken from a matte's border: begun there, laid on it at other frames, from the command line too; what cannot be is said."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from clirun import here, ran
from shapeshot import LENGTH, SIZE, shot_of, truth, written

from transmixis.core.errors import UserError
from transmixis.core.roto.cover import covered
from transmixis.media.cache import FrameCache
from transmixis.media.still import write_still
from transmixis.shot.material import Material
from transmixis.shot.model import Plate, Shot, Step
from transmixis.shot.render import Renderer

HOLE = (slice(92, 112), slice(140, 164))


@pytest.fixture(scope="module")
def plate(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return written(tmp_path_factory.mktemp("shape-matte"))


@pytest.fixture(scope="module")
def mattes(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The thing's own matte with a hole that stays, as pictures whose alpha it is."""
    folder = tmp_path_factory.mktemp("mattes")
    for n in range(1, LENGTH + 1):
        m = covered(truth(n), *SIZE)
        m[HOLE] = 0
        write_still(folder / f"m.{n:04d}.png", np.dstack([m, m, m, m]).astype(np.float32), kind="uint16")
    return folder / "m.####.png"


def shot(plate: Path, mattes: Path, **inputs: str) -> Shot:
    step = Step(id="shapes", kind="shapes", name="Cut out", inputs={"plate": "plate:hero", **inputs})
    made = shot_of(plate, step)
    return made.model_copy(update={"plates": (*made.plates, Plate(id="m", role="element", path=str(mattes)))})


def rendered(s: Shot) -> Renderer:
    return Renderer(s, Material(Path.cwd()), FrameCache(1 << 28))


def iou(matte: np.ndarray, frame: int) -> float:
    want = covered(truth(frame), *SIZE)
    want[HOLE] = 0
    return float(np.minimum(matte, want).sum() / np.maximum(matte, want).sum())


def test_outlines_are_begun_and_laid_on_at_other_frames(plate: Path, mattes: Path) -> None:
    s = shot(plate, mattes, border="plate:m")
    step = rendered(s).acted("shapes", "border", 3)
    shapes = step.params["shapes"]
    assert [(x["id"], x["joins"], x["line"]) for x in shapes] == [(1, "add", "smooth"), (2, "subtract", "smooth")]
    assert step.params["at"] == 3
    assert [p.frame for p in step.pins["outline.2"]] == [3]
    few = len(step.params["outline"])
    assert 8 < few < 40
    matte = rendered(s.with_step(step)).product("step:shapes", 3).matte
    assert matte is not None
    assert iou(matte, 3) > 0.97
    # later frames: the same points on the border there, and the matte between is carried
    step = rendered(s.with_step(step)).acted("shapes", "border", LENGTH)
    first, last = step.pins["outline"][0].value, step.pins["outline"][1].value
    assert [p.frame for p in step.pins["outline"]] == [3, LENGTH]
    assert {m[0] for m in first} <= {m[0] for m in last}
    own = {m[0]: int(np.hypot(*(truth(3) - m[1:]).T).argmin()) for m in first}
    slip = [np.hypot(*(np.array(m[1:]) - truth(LENGTH)[own[m[0]]])) for m in last if m[0] in own]
    went = np.hypot(*(truth(LENGTH) - truth(3)).T).mean()
    assert np.mean(slip) < 0.25 * went
    r = rendered(s.with_step(step))
    assert [iou(r.product("step:shapes", n).matte, n) > 0.95 for n in (3, 6, LENGTH)] == [True] * 3  # type: ignore[arg-type]


def test_the_matte_is_looked_at_by_the_act_alone(plate: Path, mattes: Path) -> None:
    """Whatever becomes of the matte, what was pinned stays, and is not made anew."""
    s = shot(plate, mattes, border="plate:m")
    step = rendered(s).acted("shapes", "border", 3)
    without = {k: v for k, v in step.inputs.items() if k != "border"}
    a, b = rendered(s.with_step(step)), rendered(s.with_step(step.model_copy(update={"inputs": without})))
    assert a.key("step:shapes", 5) == b.key("step:shapes", 5)


def test_what_cannot_be_taken_is_said(plate: Path, mattes: Path, tmp_path: Path) -> None:
    with pytest.raises(UserError, match="choose one under 'Border'"):
        rendered(shot(plate, mattes)).acted("shapes", "border", 1)
    s = shot(plate, mattes, border="plate:m")
    far = [[1, 4.0, 4.0], [2, 14.0, 4.0], [3, 9.0, 12.0]]
    drawn = s.steps[0].model_copy(update={"params": {"outline": far, "at": 2}})
    with pytest.raises(UserError, match="near none of the outlines"):
        rendered(s.with_step(drawn)).acted("shapes", "border", 2)
    write_still(tmp_path / "none.png", np.zeros((*SIZE, 4), np.float32), kind="uint8")
    empty = s.model_copy(update={"plates": (s.plates[0], Plate(id="m", role="element", path=str(tmp_path / "none.png")))})
    with pytest.raises(UserError, match="nothing in the matte"):
        rendered(empty).acted("shapes", "border", 1)


def test_a_strokes_border_from_the_command_line(plate: Path, tmp_path: Path) -> None:
    film = tmp_path / "film"
    here("new", film, "--name", "The Kite Post")
    here("add", film, "A010", plate, "--role", "hero")
    line = truth(5)
    middle = line.mean(axis=0)
    strokes = [
        [5, "in", (middle + 0.5 * (line[::24] - middle)).tolist()],
        [5, "out", (middle + 1.6 * (line[::8] - middle)).tolist()],
    ]
    here("step", "add", film, "A010", "stroke_cut", "--set", f"strokes={json.dumps(strokes)}")
    here("step", "add", film, "A010", "shapes", "--input", "border=step:stroke_cut")
    assert "border: Lays the outlines" in here("step", "act", film, "A010", "shapes").stdout
    for n in (5, 8):
        made = json.loads(here("step", "act", film, "A010", "shapes", "border", "--frame", str(n), "--json").stdout)
    assert sorted(made["pins"]) == ["outline"]
    assert len(made["params"]["shapes"]) == 1
    for words, args in (("has no act 'fly'", ("fly",)), ("frame 99 is not one of them", ("border", "--frame", "99"))):
        done = ran("step", "act", film, "A010", "shapes", *args)
        assert done.returncode == 1
        assert words in done.stderr
