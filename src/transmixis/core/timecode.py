"""Time code of frames (SMPTE ST 12-1), with drop-frame counting for 30000/1001 and 60000/1001."""

from __future__ import annotations

from fractions import Fraction


def timecode(frame: int, rate: Fraction) -> str:
    """HH:MM:SS:FF of frame 0, 1, 2, … ; drop-frame rates count with ';' before the frames."""
    base = round(float(rate))
    drop = rate.denominator == 1001 and base % 30 == 0
    n = _dropped(frame, base) if drop else frame
    seconds, frames = divmod(n, base)
    minutes, s = divmod(seconds, 60)
    hours, m = divmod(minutes, 60)
    return f"{hours % 24:02d}:{m:02d}:{s:02d}{';' if drop else ':'}{frames:02d}"


def _dropped(frame: int, base: int) -> int:
    """Frame count with the numbers put in that drop-frame counting leaves out: 2 (or 4) a minute, but not every tenth."""
    skip = base // 15
    ten, rest = divmod(frame, base * 600 - 9 * skip)
    return frame + 9 * skip * ten + (skip * ((rest - skip) // (base * 60 - skip)) if rest > skip else 0)
