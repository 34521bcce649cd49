"""How many frames there are of what a step takes."""

from __future__ import annotations

from transmixis.shot.contract import Inputs


def count_of(inputs: Inputs, slot: str) -> int:
    """Frames of what is connected: those of its file, else the shot's."""
    facts = inputs.facts(slot)
    return inputs.shot.length if facts is None else facts.count
