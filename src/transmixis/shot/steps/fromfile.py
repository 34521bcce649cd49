"""What steps share that are set from a file of another program: what was read stands in the step itself, so that the production needs
the file no longer."""

from __future__ import annotations

import math

from transmixis.shot.steps.params import Params, hidden, number

NOTHING = "no file was read yet; choose one"


class FromFile(Params):
    source: str = hidden("")  # the file's name, to be shown
    starts: float = number(
        1, -1_000_000, 1_000_000, "frame", "Frame 1 is the file's", "What the file calls the shot's first frame.", step=1
    )

    def counted(self, frame: int) -> int:
        """The file's number of a frame of the shot."""
        return frame - 1 + int(self.starts)


def known(value: float | None) -> float:
    """nan for what a file does not tell."""
    return float("nan") if value is None else float(value)


def plain(value: float | None) -> float | None:
    """None for what is no number, so that it can be kept."""
    return None if value is None or not math.isfinite(value) else float(value)


def starts_at(first: int, length: int) -> int:
    """What a file that counts from `first` probably calls the first frame of a shot of `length` frames: 1, unless it counts from 0
    or from a number beyond the shot, such as 1001."""
    return first if first < 1 or first > length else 1
