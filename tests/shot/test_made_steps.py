"""Beams, particles and patterns as steps: they hang on motions, keep to their cues, and are read."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from transmixis.core.readings import Reading
from transmixis.media.still import write_still
from transmixis.shot.material import Material
from transmixis.shot.model import Plate, Shot
from transmixis.shot.render import Renderer
from transmixis.shot.workorder import add_step

WIDE, HIGH, FRAMES = 200, 120, 20


@pytest.fixture
def shot(tmp_path: Path) -> Shot:
    """Two movements: one goes right by 10 px a frame, the other down by 5; on them a beam, sparks and a pattern."""
    write_still(tmp_path / "wall.exr", np.full((HIGH, WIDE, 3), 0.2, np.float32), kind="half")
    wall = Plate(id="wall", role="hero", path=str(tmp_path / "wall.exr"))
    out = Shot(code="A", length=FRAMES, rate="24", width=WIDE, height=HIGH, plates=(wall,))
    for _ in range(2):
        out, _step = add_step(out, "movement")
    right, down = (s.id for s in out.steps)
    out = with_values(out, right, what="streak", frames=10.0, way=100.0, angle=0.0)
    out = with_values(out, down, what="streak", frames=10.0, way=50.0, angle=-90.0)
    for kind in ("beam", "particle", "pattern"):
        out, step = add_step(out, kind)
        inputs = {"motion": f"step:{right}"} | ({"other": f"step:{down}"} if kind == "beam" else {})
        out = out.with_step(step.model_copy(update={"inputs": inputs}))
    return out


def with_values(shot: Shot, step_id: str, **values: object) -> Shot:
    step = shot.step(step_id)
    return shot.with_step(step.model_copy(update={"params": {**step.params, **values}}))


def picture(shot: Shot, step: str, n: int) -> np.ndarray:
    made = Renderer(shot, Material(Path("."))).product(f"step:{step}", n).picture
    assert made is not None
    return made


def readings(shot: Shot, step: str, n: int) -> dict[str, Reading]:
    return {r.name: r for r in Renderer(shot, Material(Path("."))).measure(step, n)}


LINE = [[20.0, 20.0], [150.0, 20.0]]


def test_a_beam_s_ends_go_with_their_motions(shot: Shot) -> None:
    made = with_values(shot, "beam", line=LINE, wide=4.0, soft=0.0, hot=0.0)
    first, later = (picture(made, "beam", n)[..., 3] > 0.5 for n in (1, 5))
    assert np.nonzero(first)[1].min() == pytest.approx(18, abs=2)
    xs = np.nonzero(later)[1]
    assert xs.min() == pytest.approx(58, abs=2)  # forty px on
    right_end = np.nonzero(later[:, 149])[0]
    assert right_end.mean() + 0.5 == pytest.approx(40, abs=1)  # twenty px down
    assert readings(made, "beam", 5)["hold"].value == 0
    assert "not set yet" in readings(shot, "beam", 5)["hold"].note


def test_it_keeps_to_its_cue(shot: Shot) -> None:
    made = with_values(shot, "beam", line=LINE, begin=4.0, end=6.0)
    assert [picture(made, "beam", n).max() > 0 for n in (3, 4, 6, 7)] == [False, True, True, False]
    flies = with_values(shot, "beam", line=LINE, what="streak", begin=4.0, frames=4.0)
    assert [picture(flies, "beam", n).max() > 0 for n in (3, 4, 7, 12)] == [False, True, True, False]


def test_an_arc_strikes_anew(shot: Shot) -> None:
    made = with_values(shot, "beam", line=LINE, what="jagged arc", holds=2.0)
    still = made.model_copy(
        update={"steps": tuple(s.model_copy(update={"inputs": {}}) if s.id == "beam" else s for s in made.steps)}
    )
    a, b, c = (picture(still, "beam", n) for n in (1, 2, 3))
    assert np.array_equal(a, b)
    assert not np.array_equal(b, c)


def test_lines_between_two_outlines(shot: Shot) -> None:
    made = with_values(shot, "beam", what="lines between outlines", count=6.0, wide=2.0)
    assert "not connected" in readings(made, "beam", 1)["hold"].note
    names: list[str] = []
    for box in ((20, 20), (130, 60)):
        made, step = add_step(made, "shapes")
        x, y = box
        outline = [[1, x, y], [2, x + 30, y], [3, x + 30, y + 30], [4, x, y + 30]]
        made = made.with_step(step.model_copy(update={"params": {"outline": outline}}))
        assert step.id.startswith("shapes")
        names.append(step.id)
    made = made.with_step(made.step("beam").model_copy(update={"inputs": {"from": f"step:{names[0]}", "to": f"step:{names[1]}"}}))
    out = picture(made, "beam", 1)[..., 3]
    assert out[:, 100].max() > 0.5
    assert out[:, 5].max() == 0


def test_sparks_come_from_where_their_motion_is(shot: Shot) -> None:
    made = with_values(shot, "particle", place=[[40.0, 60.0]], speed=5.0, pull=0.0, life=0.1, rate=400.0, begin=-5.0)
    for n, x in ((1, 40.0), (6, 90.0)):
        light = picture(made, "particle", n)[..., 0].sum(axis=0)
        assert float((light * (np.arange(WIDE) + 0.5)).sum() / light.sum()) == pytest.approx(x, abs=1.5)
    assert np.array_equal(picture(made, "particle", 6), picture(made, "particle", 6))
    assert readings(with_values(made, "particle", shutter=20.0), "particle", 3)["shutter"].state == "fault"
    none = with_values(made, "particle", begin=5.0)
    assert picture(none, "particle", 3).max() == 0


def test_rain_falls_over_the_whole_frame(shot: Shot) -> None:
    made = with_values(
        shot,
        "particle",
        what="rain",
        speed=400.0,
        angle=268.0,
        cone=4.0,
        pull=0.0,
        drag=0.0,
        life=3.0,
        rate=600.0,
        begin=-60.0,
        size=1.0,
        soft=0.0,
    )
    light = picture(made, "particle", 5)[..., 1]
    quarters = [light[y : y + 60, x : x + 100].sum() for y in (0, 60) for x in (0, 100)]
    assert min(quarters) > 0.4 * max(quarters)


def test_a_pattern_goes_with_its_motion_and_too_fine_a_one_is_found(shot: Shot) -> None:
    made = with_values(shot, "pattern", what="dots", pitch=12.0, middle=[[60.0, 60.0]])
    a, b = (picture(made, "pattern", n)[..., 0] for n in (1, 3))
    assert b[:, 20:] == pytest.approx(a[:, :-20], abs=1e-4)
    assert readings(made, "pattern", 3)["finest"].value == pytest.approx(12)
    assert readings(with_values(made, "pattern", pitch=1.0), "pattern", 3)["finest"].state == "fault"


def test_a_rough_edge_stays_for_some_frames(shot: Shot) -> None:
    made, shapes = add_step(shot, "shapes")
    outline = [[1, 60, 30], [2, 130, 30], [3, 130, 90], [4, 60, 90]]
    made = made.with_step(shapes.model_copy(update={"params": {"outline": outline}}))
    made, rough = add_step(made, "rough_edge")
    made = made.with_step(rough.model_copy(update={"inputs": {"matte": f"step:{shapes.id}"}}))
    mattes = [Renderer(made, Material(Path("."))).product(f"step:{rough.id}", n).matte for n in (1, 2, 3, 4)]
    assert mattes[0] is not None
    assert mattes[3] is not None
    assert np.array_equal(mattes[0], mattes[2])
    assert not np.array_equal(mattes[2], mattes[3])
    assert readings(made, rough.id, 1)["area off"].state == "sound"


def test_rain_as_it_usually_is_is_there_from_the_first_frame(shot: Shot) -> None:
    r = Renderer(shot, Material(Path(".")))
    for name in ("rain", "snow", "dust", "sparks"):
        step = r.acted("particle", name, 3)
        made = shot.with_step(step)
        assert step.params["what"] == name
        out = picture(made, "particle", 1 if name != "sparks" else 8)
        assert out[..., :3].max() > 0.02, name
    rain = shot.with_step(r.acted("particle", "rain", 3))
    assert picture(rain, "particle", 1)[HIGH // 2 :, :, 0].max() > 0.02
