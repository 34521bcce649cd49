"""Shots around plates, outside any production."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from transmixis.media.source import Source, open_source
from transmixis.shot.model import Plate, Shot


def bare_plate(path: Path, plate_id: str, role: Any, space: str | None = None) -> tuple[Plate, Source]:
    """A plate document and its opened material, outside any production."""
    source = open_source(path)
    # the given path, not one of its files, so that the sequence is found again as it was named
    return Plate(id=plate_id, role=role, path=str(path.resolve()), name=path.name, space=space), source


def bare_shot(path: Path, space: str | None = None) -> tuple[Shot, Source]:
    """A shot around one plate."""
    plate, source = bare_plate(path, "hero", "hero", space)
    info = source.info
    rate = str(info.rate) if info.rate else "24"
    return Shot(code="plate", length=info.count, rate=rate, width=info.width, height=info.height, plates=(plate,)), source
