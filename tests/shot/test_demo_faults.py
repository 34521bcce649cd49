"""The demo's faulty plates against their truth: light of the time lapse, dust, the join of two takes."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np

from transmixis.core.progress import Progress
from transmixis.shot.looks import joins_of, small_pictures
from transmixis.shot.platejobs import HERO, open_plate

DEMO = Path(__file__).resolve().parents[2] / "demo"
PLATES = DEMO / "kite_post" / "plates"


def truth(name: str) -> Any:
    return json.loads((DEMO / "truth" / name).read_text())


def test_the_time_lapse_tells_its_light(tmp_path: Path) -> None:
    _, r = open_plate(PLATES / "KP040" / "hero" / "KP040_hero.mp4", None)
    s = r.surveys.whole(r, HERO, Progress())
    light = np.array(truth("KP040/light.json")["stops"])
    off = (s.gains.stops - s.gains.stops[0]) - (light - light[0])
    assert np.sqrt(np.mean(off**2)) < 0.015  # clouds and sea move, and the movie is coded
    assert s.timing.doubled == ()
    assert s.steadiness.verdict == "locked"


def test_the_dusty_take_shows_its_spots_and_no_others() -> None:
    _, r = open_plate(PLATES / "KP050" / "hero" / "KP050_hero.mp4", None)
    found = r.surveys.whole(r, HERO, Progress()).dust.spots
    spots = [(s["x"], s["y"]) for s in truth("KP050/dust.json")["spots"]]
    near = [min(np.hypot(d.x - x, d.y - y) for x, y in spots) for d in found]
    assert max(near) < 2.0
    assert len(found) >= 3  # one lies where near things pass before far ones all the time


def test_the_two_takes_join_where_the_second_goes_on() -> None:
    small = [
        small_pictures(open_plate(PLATES / "KP060" / name / f"KP060_{name}.mp4", None)[1], HERO) for name in ("first", "second")
    ]
    known = truth("KP060/join.json")
    best = joins_of(small[0], small[1], 3)[0]
    assert [best.last, best.first] in known["pairs"]
    assert np.abs(np.array(best.gain) + np.log2(known["light"])).max() < 0.01
