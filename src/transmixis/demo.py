"""Where the demo film lies, and copying it, so that the shipped one is never changed."""

from __future__ import annotations

import os
from pathlib import Path

from transmixis.core.errors import UserError
from transmixis.shot.document import copy_production

NAME = "kite_post"


def shipped_demo() -> Path:
    """The demo production that came with the sources. Raises UserError if it is not there."""
    told = os.environ.get("TRANSMIXIS_DEMO")
    places = [Path(told)] if told else [p / "demo" / NAME for p in Path(__file__).resolve().parents]
    for place in places:
        if (place / "production.json").exists():
            return place
    raise UserError(
        "The demo film is not installed; run from the source folder, or set TRANSMIXIS_DEMO to its production folder."
    )


def copy_demo(into: Path) -> Path:
    """Copy the demo production into a new or empty folder; one that holds it already is used again."""
    if (into / "production.json").exists():
        return into
    copy_production(shipped_demo(), into)
    return into
