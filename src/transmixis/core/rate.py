"""Picture rates as exact fractions."""

from __future__ import annotations

import re
from fractions import Fraction

FASTEST = 1000  # frames a second: beyond it is a slip of the pen or a file that lies
_RATE = re.compile(r"(\d{1,12})(?:/(\d{1,12})|\.(\d{1,9}))?\Z", re.ASCII)


def rate_of(text: str) -> Fraction:
    """A rate such as '24', '23.976' or '30000/1001'. Raises ValueError, at once whatever is given."""
    m = _RATE.match(text.strip()[:40])
    if not m:
        raise ValueError("a rate is written like 24, 25 or 30000/1001")
    whole, under, after = m.groups()
    if under is not None and int(under) == 0:
        raise ValueError("a rate cannot be divided by zero")
    rate = Fraction(int(whole), int(under)) if under is not None else Fraction(f"{whole}.{after or 0}")
    if not 0 < rate <= FASTEST:
        raise ValueError(f"a rate lies between 0 and {FASTEST} frames a second")
    return rate
