"""Cues: what is seen before its cue, or not yet after it, is read frame by frame; begins are proposed; actions are told."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from transmixis.core.plot import Action
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.media.still import write_still
from transmixis.shot.contract import Proposal
from transmixis.shot.edits import run
from transmixis.shot.material import Material
from transmixis.shot.model import Cue, Plate, Shot
from transmixis.shot.render import Renderer
from transmixis.shot.steps.cues import amounts, visible
from transmixis.shot.workorder import add_step

LENGTH = 20


@pytest.fixture
def shot(tmp_path: Path) -> Shot:
    """An element of twelve frames that shows nothing in its first two, then a square that grows; its noise is that of a film's black."""
    dice = np.random.default_rng(2)
    for n in range(1, 13):
        p = np.abs(dice.normal(0, 0.0004, (16, 20, 3))).astype(np.float32)
        if n > 2:
            p[4 : 4 + n // 2, 4:12] = 0.5
        write_still(tmp_path / f"e.{n:04d}.exr", p, kind="half")
    plate = Plate(id="e", role="element", path=str(tmp_path / "e.####.exr"))
    cues = (Cue(frame=8, name="strike"), Cue(frame=19, name="other"))
    out = Shot(code="A", length=LENGTH, rate="12", width=20, height=16, plates=(plate,), cues=cues)
    for kind in ("retime", "beam", "particle", "looping"):
        out, step = add_step(out, kind)
        inputs = {"plate": "plate:e"} if kind in ("retime", "looping") else {}
        out = out.with_step(step.model_copy(update={"inputs": inputs}))
    out = with_values(out, "retime", frames="hold the nearest")
    out = with_values(out, "beam", line=[[2.0, 2.0], [18.0, 14.0]])
    return with_values(out, "particle", rate=600.0, life=3.0)


def with_values(shot: Shot, step_id: str, **values: object) -> Shot:
    step = shot.step(step_id)
    return shot.with_step(step.model_copy(update={"params": {**step.params, **values}}))


def cue(shot: Shot, step: str, n: int) -> Reading:
    found = {r.name: r for r in Renderer(shot, Material(Path("."))).measure(step, n)}
    return found["off its cue"]


def proposed(shot: Shot, step: str) -> Proposal | None:
    return Renderer(shot, Material(Path("."))).propose(step, Progress())


def test_what_is_seen_before_its_cue_is_told_frame_by_frame(shot: Shot) -> None:
    early = with_values(shot, "retime", begin=4.0)
    # its third frame, at 6, is the first that shows anything
    assert [cue(early, "retime", n).value for n in (3, 4, 5, 6, 7, 8, 9)] == [0, 0, 0, 2, 1, 0, 0]
    assert cue(early, "retime", 6).state == "fault"
    assert "before 'strike' at 8" in cue(early, "retime", 6).note


def test_what_is_not_there_after_its_cue_is_told_too(shot: Shot) -> None:
    late = with_values(shot, "beam", begin=11.0)
    assert [cue(late, "beam", n).value for n in (7, 8, 9, 10, 11, 12)] == [0, 3, 3, 3, 0, 0]
    assert "not yet seen" in cue(late, "beam", 9).note


def test_cues_far_off_and_none_are_not_read(shot: Shot) -> None:
    for values, why in (({}, "from the first frame"), ({"begin": 6.0, "heeds": "none"}, "heeds no cue")):
        read = cue(with_values(shot, "beam", **values), "beam", 6)
        assert read.value is None
        assert why in read.note
    # half a second is six frames here
    bare = shot.model_copy(update={"cues": (Cue(frame=18, name="far"),)})
    assert cue(with_values(bare, "beam", begin=11.0), "beam", 11).value is None
    assert cue(with_values(bare, "beam", begin=12.0), "beam", 12).value == 6


def test_what_is_held_before_it_begins_heeds_no_cue(shot: Shot) -> None:
    held = with_values(shot, "retime", begin=4.0, before="its first frame")
    read = cue(held, "retime", 6)
    assert read.value is None
    assert "held before it" in read.note
    assert proposed(held, "retime") is None


def test_begins_are_proposed_so_that_what_is_seen_first_is_at_the_cue(shot: Shot) -> None:
    found = proposed(with_values(shot, "retime", begin=4.0), "retime")
    assert found is not None
    assert found.values == {"begin": 6.0}
    assert (found.effects[0].now, found.effects[0].then) == (2, 0)
    assert "2 frames before 'strike'" in found.reason
    late = proposed(with_values(shot, "beam", begin=9.0), "beam")
    assert late is not None
    assert late.values == {"begin": 8.0}
    assert "1 frame after" in late.reason
    assert proposed(with_values(shot, "beam", begin=8.0), "beam") is None
    assert proposed(with_values(shot, "retime", begin=6.0), "retime") is None
    assert proposed(shot, "particle") is None


def test_another_cue_makes_other_readings(shot: Shot) -> None:
    beam = with_values(shot, "beam", begin=8.0)
    r = Renderer(beam, Material(Path(".")))
    assert {x.name: x.value for x in r.measure("beam", 8)}["off its cue"] == 0
    moved = run(beam.model_copy(update={"cues": ()}), "cue.add", {"frame": 10, "name": "strike"}).shot
    again = Renderer(moved, r.material, r.cache, r.analyses, r.readings, r.surveys)
    assert {x.name: x.value for x in again.measure("beam", 8)}["off its cue"] == 2
    assert again._readings_key("beam", 8) != r._readings_key("beam", 8)
    # what heeds no cues is not read anew
    assert again._readings_key("looping", 8) == r._readings_key("looping", 8)


def action(shot: Shot, step: str) -> Action:
    plot = Renderer(shot, Material(Path("."))).plot(step, 1)
    assert plot is not None
    found = plot.panels[0]
    assert isinstance(found, Action)
    return found


def test_actions_are_told_with_begin_end_and_cues(shot: Shot) -> None:
    panel = action(with_values(shot, "retime", begin=4.0, end=14.0), "retime")
    known = np.isfinite(panel.values)
    assert np.flatnonzero(known).tolist() == list(range(3, 14))
    assert np.all(np.diff(panel.values[known]) >= -0.02)
    assert panel.values[13] == pytest.approx(1, abs=0.02)  # its eleventh frame, as high as any
    assert panel.values[3] < 0.02
    assert [(j.param, j.value, j.low, j.high) for j in panel.jaws] == [("begin", 4, 1, LENGTH), ("end", 14, 1, LENGTH)]
    assert panel.cues == ((8, "strike"), (19, "other"))
    whole = action(with_values(shot, "beam", begin=3.0), "beam")
    assert [j.value for j in whole.jaws] == [3, LENGTH]
    assert np.isnan(whole.values[:2]).all()
    assert (whole.values[2:] == 1).all()
    sparks = action(with_values(shot, "particle", begin=5.0), "particle")
    assert sparks.values.max() == 1
    assert not sparks.values[:4].any()
    assert sparks.values[6] < sparks.values[12]


def test_a_loop_s_seams_lie_where_it_goes_over(shot: Shot) -> None:
    made = with_values(shot, "looping", first=1.0, length=8.0, blend=2.0, start=3.0)
    r = Renderer(made, Material(Path(".")))
    r.analysis("looping")
    plot = r.plot("looping", 1)
    assert plot is not None
    panel = plot.panels[0]
    assert isinstance(panel, Action)
    # frames 7 and 8 of the loop, which starts with its fourth
    assert panel.seams == ((4, 5), (12, 13), (20, 20))
    assert panel.slides is not None
    assert (panel.slides.param, panel.slides.value, panel.slides.high) == ("start", 3, 7)
    assert len(panel.values) == LENGTH
    for first, last in panel.seams:
        for n in range(first, last + 1):
            note = {x.name: x for x in r.measure("looping", n)}["seam"].note
            assert "%" in note, f"frame {n} is not blended"


def test_what_is_visible() -> None:
    black = np.zeros((4, 4, 4), np.float32)
    assert not visible(black)
    dark = black.copy()
    dark[1, 1, 3] = 0.5  # an opaque black thing is seen
    assert visible(dark)
    assert not visible(np.full((4, 4, 3), 0.001, np.float32))
    assert visible(np.full((4, 4, 3), 0.01, np.float32))


def test_amounts_are_shares_of_the_most() -> None:
    pictures = {1: np.full((8, 8, 3), 0.1), 2: np.full((8, 8, 3), 0.4), 3: np.zeros((8, 8, 3))}
    assert amounts(lambda n: pictures[n], [1, 2, 3]) == pytest.approx({1: 0.25, 2: 1, 3: 0})
    assert amounts(lambda n: np.zeros((8, 8, 4)), [1]) == {1: 0}


def test_looking_for_the_first_frame_tells_how_far_it_is(shot: Shot, monkeypatch: pytest.MonkeyPatch) -> None:
    told: list[tuple[int, int]] = []
    monkeypatch.setattr(Progress, "at", lambda self, done, total, words="": told.append((done, total)))
    r = Renderer(with_values(shot, "retime", begin=4.0), Material(Path(".")))
    r.propose("retime", Progress())
    looked = [t for t in told if t[1] == 13]  # a second of it: twelve frames and the one that it begins at
    assert looked == [(0, 13), (1, 13), (2, 13)]
