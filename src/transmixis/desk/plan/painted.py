"""Which drawing belongs to which question."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter

from transmixis.desk.plan.drawings import draw_lens, draw_miniature, draw_shadow, draw_shutter, draw_takes, draw_timing
from transmixis.desk.plan.drawings_office import draw_agree, draw_estimate, draw_fix
from transmixis.desk.plan.drawings_shoot import draw_markers, draw_screen, draw_setups

Draw = Callable[[QPainter, QRectF, Any], None]

DRAWINGS: dict[str, Draw] = {
    "takes": draw_takes, "screen": draw_screen, "markers": draw_markers, "shutter": draw_shutter, "lens": draw_lens,
    "setups": draw_setups, "shadow": draw_shadow, "miniature": draw_miniature, "timing": draw_timing, "fix": draw_fix,
    "estimate": draw_estimate, "agree": draw_agree,
}  # fmt: skip
