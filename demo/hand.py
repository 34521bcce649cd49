"""The work on KP090: the seal of the letter followed while the camera sways in the hand, and sparks that hang on it."""

from __future__ import annotations

import json
from pathlib import Path

from transmixis.shot.model import Plate, Shot
from transmixis.shot.stepjob import added

HERE = Path(__file__).resolve().parent
TRUTH = HERE / "truth" / "KP090"
AT = 11  # the frame in which the seal is pressed: the letter stands nearly still there
MIDDLE, BURST = (
    (480.0, 270.0),
    (240.0, 162.0),
)  # px of the frame's middle, and of where the sparks begin in their picture of 480 x 270
SIZE = 0.6


def worked(shot: Shot) -> Shot:
    """The shot with its steps; its plate 'element' are the sparks."""
    x, y = json.loads((TRUTH / "places.json").read_text())["frames"][AT - 1]["seal"]
    right = x - MIDDLE[0] - SIZE * (BURST[0] - 240)
    down = y - MIDDLE[1] - SIZE * (BURST[1] - 135)
    track = [f"point={[[round(x, 1), round(y, 1)]]}", f"reference={AT}", "half=8", "follows=position, turn and size"]
    place = [f"x={right:.1f}", f"y={down:.1f}", f"scale={SIZE}", "blend=screen", f"at={AT}", "takes=position"]
    shot, _ = added(shot, "point_track", "Seal", ["plate=plate:hero"], track, [])
    shot, _ = added(shot, "place", "Sparks", ["front=plate:element", "back=plate:hero", "motion=step:point_track"], place, [])
    return shot


def plates() -> tuple[Plate, ...]:
    """The sparks of the shelf."""
    return (Plate(id="element", role="element", path="elements/sparks.mp4", name="sparks", space="sRGB"),)
