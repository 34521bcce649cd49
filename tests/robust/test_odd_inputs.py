"""Every kind of step with inputs of other sizes, channels and lengths than it may expect: a product, or one sentence; never a crash."""

from __future__ import annotations

import os
import random
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.media.still import write_still
from transmixis.shot.material import Material
from transmixis.shot.model import Plate, Shot
from transmixis.shot.render import Renderer
from transmixis.shot.steps import KINDS
from transmixis.shot.steps.params import in_order
from transmixis.shot.workorder import add_step

SIZES = {"hero": (48, 64), "small": (30, 40), "wide": (20, 90), "tiny": (3, 2), "row": (1, 7)}
TRIES = max(4, int(os.environ.get("TRANSMIXIS_FUZZ", "0")) // 50)
POINTS = [[8.0, 8.0], [50.0, 10.0], [48.0, 40.0], [10.0, 38.0]]


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    out = tmp_path_factory.mktemp("odd")
    dice = np.random.default_rng(1)
    for name, (h, w) in SIZES.items():
        for n in (1, 2, 3, 4):
            picture = dice.random((h, w, 4)).astype(np.float32)
            picture[..., :3] *= picture[..., 3:]
            write_still(out / f"{name}.{n:04d}.exr", picture if name in ("small", "tiny") else picture[..., :3], kind="half")
    return out


def odd_shot(kind: str, folder: Path, dice: random.Random) -> tuple[Shot, str]:
    """A shot of six frames with a shape, a motion and the step, its slots connected at a venture."""
    plates = tuple(Plate(id=n, role="hero" if n == "hero" else "element", path=str(folder / f"{n}.####.exr")) for n in SIZES)
    shot = Shot(code="A", length=6, rate="24", width=64, height=48, plates=plates)
    shot, shape = add_step(shot, "garbage_matte")
    shot, moves = add_step(shot, "movement")
    shot, step = add_step(shot, kind)
    inputs = {}
    for slot in KINDS[kind].slots:
        some = {"motion": [f"step:{moves.id}"], "shape": [f"step:{shape.id}"], "camera": []}
        refs = some.get(slot.takes, [f"plate:{n}" for n in SIZES])
        if refs and (not slot.optional or dice.random() < 0.6):
            inputs[slot.name] = dice.choice(refs)
    params = {}
    for name, field in in_order(KINDS[kind].Params).items():
        extra = field.json_schema_extra if isinstance(field.json_schema_extra, dict) else {}
        if name in KINDS[kind].positions and extra.get("control") == "none" and field.default == ():
            params[name] = POINTS[: dice.choice((1, 2, 4))]
        elif extra.get("control") == "choice" and dice.random() < 0.5:
            params[name] = dice.choice(list(extra["options"]))  # type: ignore[arg-type]
    return shot.with_step(step.model_copy(update={"inputs": inputs, "params": params})), step.id


def said(r: Renderer, step: str, frame: int) -> list[str]:
    """What is said of everything that can be asked of a step at a frame; whatever else comes is a fault."""
    asked: list[Callable[[], object]] = [
        lambda: r.product(f"step:{step}", frame),
        lambda: r.measure(step, frame),
        lambda: r.handles(step, frame),
        lambda: r.plot(step, frame),
        lambda: r.propose(step, Progress()),
    ]
    out = []
    for ask in asked:
        try:
            ask()
        except UserError as e:
            out.append(str(e))
    return out


@pytest.mark.parametrize("kind", sorted(k for k in KINDS if KINDS[k].known))
def test_odd_inputs_end_in_a_product_or_one_sentence(kind: str, folder: Path) -> None:
    for k in range(TRIES):
        shot, step = odd_shot(kind, folder, random.Random(f"{kind} {k}"))
        r = Renderer(shot, Material(folder))
        for frame in (1, 5):
            assert all(len(words) > 10 and "\n" not in words for words in said(r, step, frame))


def test_a_matte_of_another_size_is_named(folder: Path) -> None:
    plates = tuple(Plate(id=n, role="element", path=str(folder / f"{n}.####.exr")) for n in SIZES)
    shot, step = add_step(Shot(code="A", length=2, rate="24", width=64, height=48, plates=plates), "place")
    inputs = {"front": "plate:small", "back": "plate:hero", "crop": "plate:tiny"}
    r = Renderer(shot.with_step(step.model_copy(update={"inputs": inputs})), Material(folder))
    with pytest.raises(UserError, match="crop 2 × 3"):
        r.product(f"step:{step.id}", 1)
    assert "crop 2 × 3" in r.measure(step.id, 1)[0].note
