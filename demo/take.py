"""The work on KP100: the courier, filmed without a screen before the station, taken out of it by its empty frame and put before the sea; the
face is like the window behind it in places, so that outlines well within it say where it is solid."""

from __future__ import annotations

from outlines import standing

from transmixis.shot.model import Plate, Shot
from transmixis.shot.stepjob import added

SEA = "plates/KP010/background/KP010_background.mp4"
CORES = {  # outlines well within it on all frames, px
    "Head": [
        (398, 160), (440, 130), (502, 134), (524, 165), (544, 200), (516, 238), (490, 264), (455, 270), (408, 250), (387, 205),
    ],
    "Body": [
        (404, 286), (450, 294), (506, 286), (520, 302), (524, 326), (544, 348), (538, 368), (548, 430), (556, 500), (552, 536), (326, 536), (328, 492),
        (345, 470), (392, 448), (406, 420), (406, 370), (406, 325),
    ],
}  # fmt: skip


def worked(shot: Shot) -> Shot:
    """The shot with its steps."""
    shot, courier = added(shot, "difference_matte", "Courier", ["plate=plate:hero", "clean=plate:clean"], [], [])
    shot, solid = added(shot, "shapes", "Solid within", ["plate=plate:hero"], ["line=smooth", "carry=nothing, eased"], [])
    shot = shot.with_step(standing(solid, CORES))
    inputs = ["plate=plate:hero", f"first=step:{courier.id}", f"cores=step:{solid.id}"]
    shot, whole = added(shot, "join_mattes", "Courier, solid within", inputs, [], [])
    shot, placed = added(shot, "place", "Before the sea", [f"front=step:{whole.id}", "back=plate:background"], [], [])
    shot, _ = added(shot, "edges", "Edges", [f"result=step:{placed.id}", "plate=plate:hero"], [], [])
    return shot


def plates() -> tuple[Plate, ...]:
    """The sea behind, which KP010 has too."""
    return (Plate(id="background", role="background", path=SEA, name="sea", space="camera 709"),)
