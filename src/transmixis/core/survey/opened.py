"""How long a plate's shutter was open, from the smear of its frames over how far they moved."""

from __future__ import annotations

import numpy as np

from transmixis.core.survey.blur import LEAST_OPEN, MOST_OPEN
from transmixis.core.survey.plate import PlateSurvey

LEAST_WAY = 4.0  # px a frame: a smear of less is hard to tell from softness
LEAST_FRAMES = 3


def open_share(survey: PlateSurvey) -> float | None:
    """Share of the time from frame to frame in which the shutter was open (0.5 is 180 degrees); None if too few frames were smeared by the camera's own way."""
    path = survey.path
    found = []
    for i, blur in enumerate(survey.blurs):
        before, after = max(i - 1, 0), min(i + 1, survey.count - 1)
        if blur.length <= 0 or before == after or not (path.known[before] and path.known[after]):
            continue
        way = float(np.hypot(path.x[after] - path.x[before], path.y[after] - path.y[before])) / (after - before)
        if way >= LEAST_WAY and LEAST_OPEN * way <= blur.length <= MOST_OPEN * way:
            found.append(blur.length / way)
    return min(float(np.median(found)), 1.0) if len(found) >= LEAST_FRAMES else None
