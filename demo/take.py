"""The work on KP100: the courier, filmed without a screen before the station, taken out of it by its empty frame and put before the sea."""

from __future__ import annotations

from transmixis.shot.model import Plate, Shot
from transmixis.shot.stepjob import added

SEA = "plates/KP010/background/KP010_background.mp4"


def worked(shot: Shot) -> Shot:
    """The shot with its steps."""
    shot, courier = added(shot, "difference_matte", "Courier", ["plate=plate:hero", "clean=plate:clean"], [], [])
    shot, placed = added(shot, "place", "Before the sea", [f"front=step:{courier.id}", "back=plate:background"], [], [])
    shot, _ = added(shot, "edges", "Edges", [f"result=step:{placed.id}", "plate=plate:hero"], [], [])
    return shot


def plates() -> tuple[Plate, ...]:
    """The sea behind, which KP010 has too."""
    return (Plate(id="background", role="background", path=SEA, name="sea", space="camera 709"),)
