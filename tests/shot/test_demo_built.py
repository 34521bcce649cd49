"""The demo's built shots do what they tell: the kite is gone in five frames, the others go back on one frame, the letter becomes a kite, the storm flashes once."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pytest
from places import ROOT

from transmixis.core.progress import Progress
from transmixis.shot.document import Document
from transmixis.shot.render import Renderer
from transmixis.shot.section import advice, cards
from transmixis.shot.session import Session

FILM = ROOT / "demo" / "kite_post"


@pytest.fixture(scope="module")
def session() -> Iterator[Session]:
    made = Session(Document.open(FILM, read_only=True), 400_000_000)
    yield made
    made.close()


def picture(r: Renderer, step: str, n: int) -> np.ndarray:
    made = r.product(f"step:{step}", n).picture
    assert made is not None
    return made


def matte(r: Renderer, step: str, n: int) -> np.ndarray:
    made = r.product(f"step:{step}", n).matte
    assert made is not None
    return made


def named(r: Renderer, name: str) -> str:
    return next(s.id for s in r.shot.steps if s.name == name)


def test_the_kite_is_launched_and_gone_within_five_frames(session: Session) -> None:
    r = session.renderer("KP140")
    kite = named(r, "Kite")
    assert matte(r, kite, 10).sum() > 6000
    assert matte(r, kite, 9) == pytest.approx(matte(r, kite, 5), abs=1e-5)
    assert matte(r, kite, 13).sum() < matte(r, kite, 10).sum()
    assert matte(r, kite, 15).max() == 0
    for n in (11, 12, 13):
        read = {x.name: x for x in r.measure(kite, n)}
        assert read["motion blur"].state == "sound"
    assert {x.name: x for x in r.measure(kite, 9)}["straight end"].state == "sound"
    proposal = r.propose(named(r, "Launch"), Progress())
    assert proposal is None or proposal.values["what"] == "launch"


def test_the_letter_becomes_a_kite_without_a_fold(session: Session) -> None:
    r = session.renderer("KP160")
    turns = named(r, "Letter to kite")
    read = [{x.name: x for x in r.measure(turns, n)} for n in (16, 19, 22)]
    assert all(x["crease"].state == "sound" for x in read)
    assert all(x["lasts"].value == pytest.approx(9 / 24) for x in read)
    first, last = matte(r, turns, 10), matte(r, turns, 30)
    assert first[250, 735] == pytest.approx(1, abs=0.01)
    assert first[330, 730] == 0
    assert last.sum() < 1.4 * first.sum()


def test_the_storm_flashes_once_and_its_sky_shows_no_end(session: Session) -> None:
    r = session.renderer("KP170")
    light = [float(picture(r, r.shot.output or "", n).mean()) for n in (19, 21, 23, 30)]
    assert light[1] > 1.8 * light[0]
    assert light[3] == pytest.approx(light[0], rel=0.1)
    sky = named(r, "Storm sky")
    assert {x.name: x for x in r.measure(sky, 48)}["straight end"].state == "sound"
    names = [c.name for c in cards(r, 21)]
    assert names.index("Rain") < names.index("Sky")
    assert advice(r, Progress()) == ()


def test_the_three_spring_out_and_go_back_on_one_frame(session: Session) -> None:
    r = session.renderer("KP150")
    left, right = (next(s for s in r.shot.steps if s.name == f"{n} springs") for n in ("Left", "Right"))
    ways = [[r.product(f"step:{s.id}", n).motion for n in (12, 16, 34, 38)] for s in (left, right)]
    for side, sign in zip(ways, (-1, 1), strict=True):
        xs = [float(m.matrix[0, 2]) for m in side if m is not None]
        assert xs == pytest.approx([0, sign * 240, sign * 240, 0], abs=1e-6)
    assert left.params["back"] == right.params["back"]


def test_the_lantern_is_there_with_all_its_parts(session: Session) -> None:
    shot = session.document.shot("KP130")
    assert {p.name for p in shot.parts} >= {"Lantern", "Chimney smoke"}
    flame = next(s for s in shot.steps if s.name == "Flame")
    lit = next(s for s in shot.steps if s.name == "Light on the coat")
    assert lit.inputs["glows"] == f"step:{flame.id}"
    assert flame.inputs["motion"].startswith("step:point_track")
