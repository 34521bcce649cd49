"""What lies under a point of the ledger beside columns and frames: a part's piece of the band, a fault."""

from __future__ import annotations

from PyQt6.QtCore import QPointF

from transmixis.desk.ledger.heads import band_runs
from transmixis.desk.ledger.layout import FILM, LIMIT_AT, STAGES, Layout
from transmixis.desk.spans import Finding


def part_at(v: Layout, pos: QPointF) -> str:
    """The part whose piece of the band lies under a point; '' if none does."""
    if not (v.band and STAGES <= pos.y() < STAGES + v.band and pos.x() >= FILM):
        return ""
    return next((part for part, left, right in band_runs(v) if left <= pos.x() < right), "")


def fault_at(v: Layout, pos: QPointF) -> Finding | None:
    """The finding under a point: past the limit, within its frames."""
    frame = v.frame_at(pos.y())
    found = next((c for c in v.shown() if c[1] <= pos.x() < c[1] + c[2] and pos.x() >= FILM), None)
    if not found or pos.x() < found[1] + LIMIT_AT * found[2] - 4:
        return None
    mine = [f for s in found[0].steps for f in v.state.known.findings(s.id) if f.first <= frame <= f.last]
    return max(mine, key=lambda f: f.value / f.limit) if mine else None
