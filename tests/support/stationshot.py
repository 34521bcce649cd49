"""The proving shot's production, made by commands as a person gives them on the command line."""

from __future__ import annotations

import json
from pathlib import Path

from clirun import here as run
from station import (
    BOARD,
    BOX,
    BOX_POINT,
    CHIMNEY,
    FLUSH,
    REFERENCE,
    SMOKE,
    board,
    box_at,
    make_plate,
    mark_at,
    marked,
    round_the_mark,
)

CODE = "KP020"


def make_station(folder: Path) -> Path:
    """A production with the whole work order of the proving shot; gives its folder."""
    film, plates = folder / "film", folder / "recorded"
    plates.mkdir(parents=True)
    make_plate(plates)
    run("new", str(film), "--name", "The Kite Post")
    run("add", str(film), CODE, str(plates / "station.0001.png"), "--role", "hero")
    run("add", str(film), CODE, str(BOARD), "--role", "still")
    run("add", str(film), CODE, str(SMOKE), "--role", "element")
    for words in steps():
        run("step", "add", str(film), CODE, *words)
    run("step", "propose", str(film), CODE, "Mark out", "--use")
    return film


def steps() -> list[list[str]]:
    """The arguments of the commands that add the steps, in the order of work."""
    x, y = mark_at(REFERENCE)
    pins = [f"--pin=outline@{n}={json.dumps(box_at(n))}" for n in BOX]
    at = f"reference={REFERENCE}"
    return [
        ["point_track", "--name", "Postbox point", "--set", f"point={json.dumps([BOX_POINT])}", "--set", "half=18", "--set", at],
        ["shapes", "--name", "Postbox", "--input", "motion=step:point_track", "--set", f"at={REFERENCE}", "--set", "feather=0.6", *pins],
        ["surface_track", "--name", "Front", "--set", f"region={json.dumps([marked(o) for o in FLUSH])}", "--set", at],
        ["point_track", "--name", "Mark point", "--set", f"point={json.dumps([[round(x, 1), round(y, 1)]])}", "--set", "half=9", "--set", at],
        ["patch", "--name", "Mark out", "--input", "motion=step:point_track2", "--set", f"outline={json.dumps(round_the_mark(REFERENCE))}",
         "--set", f"at={REFERENCE}", "--set", "right=-0.5", "--set", "down=-20"],
        ["lay_in", "--name", "Board", "--input", "front=plate:still", "--input", "back=step:patch", "--input", "motion=step:surface_track",
         "--input", "before=step:shapes", "--set", f"corners={json.dumps(board(REFERENCE).round(2).tolist())}", "--set", f"at={REFERENCE}",
         "--set", "soften=0.5"],
        ["point_track", "--name", "Chimney", "--set", f"point={json.dumps([CHIMNEY])}", "--set", "half=24", "--set", at],
        ["conform", "--name", "Smoke slower", "--input", "plate=plate:element", "--set", "speed=0.8", "--set", "frames=blend",
         "--set", "size=keep the size"],
        ["place", "--name", "Smoke", "--input", "front=step:conform", "--input", "back=step:lay_in", "--input", "motion=step:point_track3",
         "--set", "blend=screen", "--set", "x=-65", "--set", "y=-265", "--set", "scale=0.5", "--set", "soften=1.2", "--set", "opacity=0.8", "--set", f"at={REFERENCE}"],
    ]  # fmt: skip
