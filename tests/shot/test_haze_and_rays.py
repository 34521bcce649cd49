"""Haze and Rays and flare as steps."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.media.still import write_still
from transmixis.shot.material import Material
from transmixis.shot.model import Plate, Shot
from transmixis.shot.render import Renderer
from transmixis.shot.workorder import add_step

HIGH, WIDE = 120, 160
AIR, SHARE = np.array([0.5, 0.55, 0.62]), 0.4


@pytest.fixture
def shot(tmp_path: Path) -> Shot:
    """A plate whose right half lies in 40 % of air, a dark thing to be put there, and a bright spot."""
    dice = np.random.default_rng(5)
    tones = np.repeat(np.repeat(dice.uniform(0.01, 0.9, (12, 16, 1)), 10, 0), 10, 1).astype(np.float32) * np.float32(
        [1, 0.9, 0.8]
    )
    plate = tones.copy()
    plate[:, 80:] = tones[:, 80:] * (1 - SHARE) + AIR * SHARE
    far = np.zeros((HIGH, WIDE, 4), np.float32)
    far[:, 80:] = 1
    thing = np.concatenate([tones, np.ones((HIGH, WIDE, 1), np.float32)], 2)
    spot = np.zeros((HIGH, WIDE, 3), np.float32)
    spot[28:32, 38:42] = 20.0
    for name, p in (("plate", plate), ("far", far), ("thing", thing), ("spot", spot)):
        write_still(tmp_path / f"{name}.exr", p.astype(np.float32), kind="half")
    plates = tuple(
        Plate(id=n, role="hero" if n == "plate" else "element", path=f"{n}.exr") for n in ("plate", "far", "thing", "spot")
    )
    out = Shot(code="A", length=2, width=WIDE, height=HIGH, plates=plates)
    out, haze = add_step(out, "haze")
    out = out.with_step(
        haze.model_copy(update={"inputs": {"subject": "plate:thing", "plate": "plate:plate", "far": "plate:far"}})
    )
    out, light = add_step(out, "rays_and_flare")
    return out.with_step(light.model_copy(update={"inputs": {"back": "plate:plate", "glows": "plate:spot"}}))


def with_values(shot: Shot, step_id: str, **values: object) -> Shot:
    step = shot.step(step_id)
    return shot.with_step(step.model_copy(update={"params": {**step.params, **values}}))


def readings(shot: Shot, folder: Path, step: str) -> dict[str, Reading]:
    return {r.name: r for r in Renderer(shot, Material(folder)).measure(step, 1)}


def added(shot: Shot, folder: Path) -> np.ndarray:
    r = Renderer(shot, Material(folder))
    made, back = r.product("step:rays_and_flare", 1).picture, r.product("plate:plate", 1).picture
    assert made is not None
    assert back is not None
    return np.asarray((made - back)[..., :3])


def test_as_much_air_is_proposed_as_the_plate_has_there(shot: Shot, tmp_path: Path) -> None:
    assert readings(shot, tmp_path, "haze")["black"].state == "fault"
    proposal = Renderer(shot, Material(tmp_path)).propose("haze", Progress())
    assert proposal is not None
    used = shot.with_step(proposal.used(shot.step("haze")))
    assert readings(used, tmp_path, "haze")["black"].value < 3
    assert proposal.values["amount"] == pytest.approx(SHARE, abs=0.12)
    assert Renderer(used, Material(tmp_path)).propose("haze", Progress()) is None
    haze = shot.step("haze")
    bare = shot.with_step(haze.model_copy(update={"inputs": {k: v for k, v in haze.inputs.items() if k != "far"}}))
    assert "connect what of the plate" in readings(bare, tmp_path, "haze")["black"].note


def test_rays_come_from_their_place(shot: Shot, tmp_path: Path) -> None:
    out = added(with_values(shot, "rays_and_flare", centre=[[10.0, 30.0]], length=1.0), tmp_path)[..., 0]
    assert out[30, 50] > 0.5
    assert np.abs(out[30, :34]).max() < 1e-3
    assert np.abs(out[80]).max() < 1e-3


def test_a_flare_lies_across_the_middle_and_only_where_it_is_bright(shot: Shot, tmp_path: Path) -> None:
    out = added(with_values(shot, "rays_and_flare", what="a lens's flare", ghosts=1.0, dirt=0.0, width=8.0), tmp_path)[..., 0]
    assert out[90, 120] > 0  # across the middle of 160 x 120 from 40, 30
    assert out[30, 40] == pytest.approx(0, abs=1e-3)
    dim = with_values(shot, "rays_and_flare", what="a lens's flare", threshold=50.0)
    assert np.abs(added(dim, tmp_path)).max() < 1e-3
    assert "nothing is bright enough" in readings(dim, tmp_path, "rays_and_flare")["veil"].note


def test_a_halo_lies_about_its_matte(shot: Shot, tmp_path: Path) -> None:
    made = with_values(shot, "rays_and_flare", what="a halo", width=10.0, amount=1.0)
    assert readings(made, tmp_path, "rays_and_flare")["veil"].value is None
    step = made.step("rays_and_flare")
    made = made.with_step(step.model_copy(update={"inputs": {"back": "plate:plate", "matte": "plate:far"}}))
    out = added(made, tmp_path)[..., 0]
    assert out[60, 79] > 0.9
    assert out[60, 60] < 0.01
    assert out[60, 100] == pytest.approx(0, abs=1e-3)
