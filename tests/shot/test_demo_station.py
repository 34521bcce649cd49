"""The demo's station: its sign carries other words, and a lamp post stands behind the postbox, by the truth of set and camera."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest

from transmixis.core.motion.motion import moved_points
from transmixis.shot.render import Renderer
from transmixis.shot.session import Session

DEMO = Path(__file__).resolve().parents[2] / "demo"


@pytest.fixture(scope="module")
def shot() -> Iterator[Renderer]:
    session = Session.open(DEMO / "kite_post", read_only=True)
    yield session.renderer("KP020")
    session.close()


def step(shot: Renderer, name: str) -> str:
    return f"step:{next(s.id for s in shot.shot.steps if s.name == name)}"


def sign_at(n: int) -> np.ndarray:
    """(4, 2) px of the sign's corners."""
    camera = json.loads((DEMO / "truth" / "KP020" / "camera.json").read_text())["frames"][n - 1]
    corners = np.array(json.loads((DEMO / "truth" / "KP020" / "surfaces.json").read_text())["sign"])
    k, r, t = (np.array(camera[x]) for x in "KRt")
    p = (k @ (corners @ r.T + t).T).T
    return np.asarray(p[:, :2] / p[:, 2:])


def test_the_new_sign_lies_where_the_old_one_is(shot: Renderer) -> None:
    for n in (1, 16, 45, 60):
        motion = shot.product(step(shot, "Sign"), n).motion
        assert motion is not None
        assert motion.known
        assert np.hypot(*(moved_points(motion.matrix, sign_at(30)) - sign_at(n)).T).max() < 0.3
        signed, before = (shot.product(step(shot, name), n).picture for name in ("New sign", "Board"))
        changed = np.abs(signed - before).max(axis=2) > 0.02  # type: ignore[operator]
        ys, xs = np.nonzero(changed)
        low, high = sign_at(n).min(axis=0), sign_at(n).max(axis=0)
        assert (xs.min() > low[0] - 4) & (xs.max() < high[0] + 4) & (ys.min() > low[1] - 4) & (ys.max() < high[1] + 4)
        assert changed.sum() > 0.5 * np.prod(high - low)


def test_the_postbox_passes_before_the_lamp_post(shot: Renderer) -> None:
    for n in (16, 30):
        lit, before = (shot.product(step(shot, name), n).picture for name in ("Lamp post", "Second chimney"))
        matte = shot.product(step(shot, "Postbox"), n).matte
        changed = np.abs(lit - before).max(axis=2) > 0.02  # type: ignore[operator]
        assert changed.sum() > 800  # it is there
        assert not changed[matte > 0.99].any()  # type: ignore[operator]
        ys, xs = np.nonzero(changed)
        box = np.argwhere(matte > 0.99)  # type: ignore[operator]
        assert ys.min() < box[:, 0].min() < ys.max()  # it goes on above and beside the box
        assert xs.max() - xs.min() < 60
