"""Match of another take: proposed as a whole, used, and read."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest

from transmixis.core.build.codes import from_codes
from transmixis.core.finish.framing import vignetted
from transmixis.core.progress import Progress
from transmixis.media.still import write_still
from transmixis.shot.material import Material
from transmixis.shot.model import Plate, Shot
from transmixis.shot.render import Renderer
from transmixis.shot.workorder import add_step


def test_another_take_is_brought_all_the_way(tmp_path: Path) -> None:
    dice = np.random.default_rng(4)
    tones = np.repeat(np.repeat(dice.uniform(0.05, 0.85, (12, 16, 3)), 10, 0), 10, 1).astype(np.float32)
    plate = from_codes(tones + dice.normal(0, 1.5 / 255, tones.shape).astype(np.float32))
    subject = np.maximum(from_codes(tones[::-1]) * np.float32([0.7, 0.85, 1.2]) + 0.01, 0)
    write_still(tmp_path / "p.exr", plate, kind="float")
    write_still(tmp_path / "s.exr", subject, kind="float")
    shot = Shot(
        code="A",
        length=2,
        width=160,
        height=120,
        plates=(Plate(id="p", role="background", path="p.exr"), Plate(id="s", role="hero", path="s.exr")),
    )
    shot, step = add_step(shot, "match")
    step = step.model_copy(
        update={"inputs": {"subject": "plate:s", "plate": "plate:p"}, "params": {"what": "is of one scene with it"}}
    )
    shot = shot.with_step(step)
    r = Renderer(shot, Material(tmp_path))
    before = {x.name: x.value or 0 for x in r.measure(step.id, 1)}
    proposal = r.propose(step.id, Progress())
    assert proposal is not None
    assert {"power", "grains", "gain"} <= set(proposal.values)
    used = shot.with_step(proposal.used(shot.step(step.id)))
    after = {x.name: x.value or 0 for x in Renderer(used, Material(tmp_path)).measure(step.id, 1)}
    assert before["white"] > 5
    assert max(after[n] for n in ("black", "middle", "white")) < 3
    assert after["grain"] < 0.2
    assert {e.reading: e.then for e in proposal.effects}["white"] < 3
    assert Renderer(used, Material(tmp_path)).propose(step.id, Progress()) is None
    beside = shot.with_step(step.model_copy(update={"params": {}}))
    other = Renderer(beside, Material(tmp_path)).propose(step.id, Progress())
    assert other is not None
    assert other.values["power"] == (1.0, 1.0, 1.0)


def lit_thing(angle: float, folder: Path, name: str) -> None:
    """A ball lit from a side, as a cut-out."""
    yy, xx = np.mgrid[:120, :160].astype(float)
    x, y = (xx - 80) / 45, (yy - 60) / 45
    inside = x**2 + y**2 < 1
    a = np.radians(angle)
    shade = 0.15 + np.maximum(0.8 * (x * np.cos(a) - y * np.sin(a)) + 0.6 * np.sqrt(np.maximum(1 - x**2 - y**2, 0)), 0)
    out = np.zeros((120, 160, 4), np.float32)
    out[inside, :3] = (0.5 * shade[inside])[:, None]
    out[inside, 3] = 1
    write_still(folder / name, out, kind="float")


def test_the_light_s_side_is_compared(tmp_path: Path) -> None:
    lit_thing(30, tmp_path, "s.exr")
    lit_thing(150, tmp_path, "lit.exr")
    plates = tuple(Plate(id=n, role=r, path=f"{n}.exr") for n, r in (("lit", "background"), ("s", "hero")))
    shot, step = add_step(Shot(code="A", length=1, width=160, height=120, plates=plates), "match")
    inputs = {"subject": "plate:s", "plate": "plate:lit"}
    bare = shot.with_step(step.model_copy(update={"inputs": inputs}))
    assert "light off" not in {x.name for x in Renderer(bare, Material(tmp_path)).measure(step.id, 1)}
    told = shot.with_step(step.model_copy(update={"inputs": {**inputs, "lit": "plate:lit"}}))
    read = {x.name: x for x in Renderer(told, Material(tmp_path)).measure(step.id, 1)}["light off"]
    assert read.value == pytest.approx(120, abs=6)
    assert read.state == "fault"
    assert "above right" in read.note or "the right" in read.note
    assert "flipped left to right it would be" in read.note
    lit_thing(40, tmp_path, "lit.exr")
    near = {x.name: x for x in Renderer(told, Material(tmp_path)).measure(step.id, 1)}["light off"]
    assert near.value == pytest.approx(10, abs=6)
    assert "flipped" not in near.note


def test_contrast_and_corners_are_read_of_scenes_of_one_kind(tmp_path: Path) -> None:
    dice = np.random.default_rng(6)
    plate = np.full((120, 160, 3), 0.3, np.float32) * cv2.GaussianBlur(dice.normal(1, 3.0, (120, 160)), (0, 0), 3.0)[
        ..., None
    ].astype(np.float32).clip(0.4, 2)
    write_still(tmp_path / "p.exr", vignetted(plate, 1.0), kind="float")
    write_still(tmp_path / "s.exr", 0.3 + 0.3 * (plate - 0.3), kind="float")
    plates = (Plate(id="p", role="background", path="p.exr"), Plate(id="s", role="hero", path="s.exr"))
    shot, step = add_step(Shot(code="A", length=1, width=160, height=120, plates=plates), "match")
    values = {"inputs": {"subject": "plate:s", "plate": "plate:p"}, "params": {"what": "is of one scene with it"}}
    shot = shot.with_step(step.model_copy(update=values))
    read = {x.name: x for x in Renderer(shot, Material(tmp_path)).measure(step.id, 1)}
    assert read["contrast"].state == "fault"
    assert "flatter" in read["contrast"].note
    assert read["corners"].value == pytest.approx(1.0, abs=0.15)
    proposal = Renderer(shot, Material(tmp_path)).propose(step.id, Progress())
    assert proposal is not None
    assert proposal.values["corners"] == pytest.approx(1.0, abs=0.2)
    used = shot.with_step(proposal.used(shot.step(step.id)))
    after = {x.name: x for x in Renderer(used, Material(tmp_path)).measure(step.id, 1)}
    assert after["corners"].value < 0.3  # type: ignore[operator]
    assert after["contrast"].value < 0.5 * read["contrast"].value  # type: ignore[operator]
