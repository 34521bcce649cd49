"""Documents of earlier formats brought to the present one, one number at a time.

Format 1: the first version; shots had no number of their own. Format 2: the last stage is called 'Hand over'. Format 3: a
large step may lie in a file of its own.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

SCHEMA = 3
_LAST_STAGE_BEFORE_2 = "Deliver"


def _to_2(data: dict[str, Any]) -> dict[str, Any]:
    def stage(v: Any) -> Any:
        return "Hand over" if v == _LAST_STAGE_BEFORE_2 else v

    out = dict(data)
    if isinstance(data.get("people"), list):
        out["people"] = [
            {**p, "does": [stage(s) for s in p["does"]]} if isinstance(p, dict) and isinstance(p.get("does"), list) else p
            for p in data["people"]
        ]
    if isinstance(data.get("work"), list):
        out["work"] = [{**w, "stage": stage(w["stage"])} if isinstance(w, dict) and "stage" in w else w for w in data["work"]]
    return out


_STEPS: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {1: _to_2, 2: dict}


def number_of(data: Any) -> int | None:
    """The format's number of a document; 1 where none stands; None if what stands there is none."""
    n = data.get("schema_number", 1) if isinstance(data, dict) else 1
    return n if isinstance(n, int) and not isinstance(n, bool) and n >= 1 else None


def to_present(data: Any) -> Any:
    """The data of a document in the present format. What is not in an earlier format comes back as it was."""
    n = number_of(data)
    if not isinstance(data, dict) or n is None or n >= SCHEMA:
        return data
    while n < SCHEMA:
        data = _STEPS[n](data)
        n += 1
    return {**data, "schema_number": SCHEMA}
