"""The letter in the courier's hand, the camera in a hand too, against the truth of its rendering."""

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
TRACK, SPARKS = "point_track", "place"


@pytest.fixture(scope="module")
def shot() -> Iterator[Renderer]:
    session = Session.open(DEMO / "kite_post", read_only=True)
    yield session.renderer("KP090")
    session.close()


@pytest.fixture(scope="module")
def seal() -> np.ndarray:
    """(n, 2) px."""
    return np.array([f["seal"] for f in json.loads((DEMO / "truth" / "KP090" / "places.json").read_text())["frames"]])


def test_the_seal_is_followed_through_smear_and_turn(shot: Renderer, seal: np.ndarray) -> None:
    """Up to 26 px a frame with half of it smeared, 50 degrees of turn, hair that passes beside it."""
    off = []
    for n, at in enumerate(seal, 1):
        motion = shot.product(f"step:{TRACK}", n).motion
        assert motion is not None
        assert motion.known
        off.append(float(np.hypot(*(moved_points(motion.matrix, motion.about)[0] - at))))
    assert np.mean(off) < 0.15
    assert max(off) < 0.45


def test_a_larger_pattern_is_not_proposed_that_is_lost_elsewhere(shot: Renderer) -> None:
    """Beside its reference a larger one tells the place better; behind the hair it would be lost."""
    for n in range(1, shot.shot.length + 1):
        shot.measure(TRACK, n)
    assert shot.propose(TRACK) is None


def test_the_sparks_lie_where_the_seal_is(shot: Renderer, seal: np.ndarray) -> None:
    for n in (7, 9, 12):  # while they begin: their bright middle
        picture, plate = shot.product(f"step:{SPARKS}", n).picture, shot.product("plate:hero", n).picture
        assert picture is not None
        assert plate is not None
        light = np.maximum(picture[..., :3] - plate[..., :3], 0).sum(axis=2)
        ys, xs = np.nonzero(light > 0.5 * light.max())
        middle = np.array([xs.mean(), ys.mean()]) + 0.5
        assert np.hypot(*(middle - seal[n - 1])) < 2.5
