"""Fixtures shared by all tests."""

from __future__ import annotations

import os

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import json
import shutil
import sys
from pathlib import Path

import keyplates as kp
import numpy as np
import pytest
from hypothesis import settings
from places import NO_QT, ROOT
from tinyplates import tiny_frame

from transmixis.media.still import write_still
from transmixis.shot.session import Session

settings.register_profile("untimed", deadline=None)  # speed is measured as a ratio (make bench), never by a test's clock
settings.load_profile("untimed")


class _KeptOut:
    """An import hook that says of Qt that it is not there."""

    @staticmethod
    def find_spec(name: str, path: object = None, target: object = None) -> None:
        if name.split(".")[0] == "PyQt6":
            raise ModuleNotFoundError(f"{name} is kept out of this run")


if NO_QT:
    sys.meta_path.insert(0, _KeptOut)  # type: ignore[arg-type]

LONG = [row for row in (ROOT / "tests" / "long.txt").read_text(encoding="utf-8").splitlines() if row and not row.startswith("#")]


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """Leaves the long tests out, unless they are asked for."""
    if os.environ.get("TRANSMIXIS_LONG"):
        return
    left_out = [i for i in items if i.nodeid.split("@")[0].startswith(tuple(LONG))]
    if left_out:
        config.hook.pytest_deselected(items=left_out)
        gone = set(map(id, left_out))
        items[:] = [i for i in items if id(i) not in gone]


DEMO = ROOT / "demo" / "kite_post"


@pytest.fixture(scope="session")
def green() -> kp.MadePlate:
    """Three frames of a made green-screen shot with its truth."""
    return kp.make_plate("green")


@pytest.fixture(scope="session")
def blue() -> kp.MadePlate:
    """Three frames of a made, under-exposed blue-screen shot with leaves on the subject."""
    return kp.make_plate("blue")


@pytest.fixture
def tiny_plates(tmp_path: Path) -> Path:
    """A folder with a six-frame green sequence, a clean plate and a background."""
    folder = tmp_path / "plates"
    folder.mkdir()
    for n in range(1, 7):
        write_still(folder / f"take.{n:04d}.png", tiny_frame(n), kind="uint8")
    empty = np.full((48, 64, 3), (0.05, 0.3, 0.07), np.float32)
    write_still(folder / "clean_empty.png", empty, kind="uint8")
    ramp = np.linspace(0.1, 0.6, 64, dtype=np.float32)
    write_still(folder / "background_sky.png", np.repeat(np.repeat(ramp[None, :, None], 48, 0), 3, 2), kind="uint8")
    return folder


@pytest.fixture(scope="session")
def measured_demo(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo production with the first four frames of KP010 only, measured once, so that tests need not wait for it."""
    target = tmp_path_factory.mktemp("measured") / "kite"
    (target / "plates" / "KP010").mkdir(parents=True)
    for role in ("clean", "background"):
        shutil.copytree(DEMO / "plates" / "KP010" / role, target / "plates" / "KP010" / role)
    (target / "plates" / "KP010" / "hero").mkdir()
    for n in range(1001, 1005):
        name = f"KP010_hero.{n}.png"
        shutil.copy(DEMO / "plates" / "KP010" / "hero" / name, target / "plates" / "KP010" / "hero" / name)
    shot = json.loads((DEMO / "shots" / "KP010" / "shot.json").read_text())
    (target / "shots" / "KP010").mkdir(parents=True)
    (target / "shots" / "KP010" / "shot.json").write_text(json.dumps({**shot, "length": 4, "plan": {}}))
    production = json.loads((DEMO / "production.json").read_text())
    (target / "production.json").write_text(json.dumps({**production, "shots": ["KP010"]}))
    session = Session.open(target)
    try:
        renderer = session.renderer("KP010")
        for _ in range(2):  # surveys tell more once all frames have been looked at
            for step in renderer.shot.steps:
                for n in range(1, 5):
                    renderer.measure(step.id, n)
    finally:
        session.close()
    return target


@pytest.fixture
def demo_copy(tmp_path: Path, measured_demo: Path) -> Path:
    """A copy of the short, measured demo production."""
    target = tmp_path / "kite"
    shutil.copytree(measured_demo, target, copy_function=shutil.copy2)  # with their times, which tell that nothing changed
    return target
