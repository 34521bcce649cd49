"""Match of another take: proposed as a whole, used, and read."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from transmixis.core.build.codes import from_codes
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
