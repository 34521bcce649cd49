"""The pattern looked at closely, in a corner of the picture: in its reference, here, and what is left between the two."""

from __future__ import annotations

from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPen

from transmixis.core.motion.holds import POOR
from transmixis.core.motion.views import LEFT_TIMES, Views
from transmixis.desk.marks import text
from transmixis.desk.theme import EDGE, INK, INK2, RAISED, VERMILION_TEXT
from transmixis.desk.tools.tool import Canvas
from transmixis.desk.viewimage import picture_image
from transmixis.shot.contract import Handle
from transmixis.shot.steps.trackreadings import ERROR

SIDE, GAP, EDGES = 102.0, 10.0, 8.0  # px of a patch, between them, about them
HEAD, FOOT = 18.0, 20.0
KEY = "E hides"
NARROWEST = 250.0


def paint_pattern(p: QPainter, canvas: Canvas, handle: Handle, at: tuple[float, float], live: bool) -> None:
    """Three patches, or two at the reference itself; `live`: while it is dragged, what lies under it now."""
    views: Views | None = handle.facts.get("views")
    if views is None or not canvas.show_panel:
        return
    patches = _patches(views, handle, canvas, at, live)
    width = len(patches) * SIDE + (len(patches) - 1) * GAP + 2 * EDGES
    box = _corner(canvas, at, max(width, NARROWEST), HEAD + SIDE + FOOT + EDGES)
    p.fillRect(box, QColor(RAISED))
    p.setPen(QPen(QColor(EDGE), 1))
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.drawRect(box)
    p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
    for k, (head, beside, image) in enumerate(patches):
        left = box.left() + EDGES + k * (SIDE + GAP)
        text(p, left, box.top() + HEAD / 2 + 1, head, 11, 500)
        text(p, left + SIDE, box.top() + HEAD / 2 + 1, beside, 10, 400, INK2, "right")
        p.drawImage(QRectF(left, box.top() + HEAD, SIDE, SIDE), image)
    words, bad = _words(handle)
    y = box.bottom() - FOOT / 2 - 2
    room = box.width() - 2 * EDGES - text(p, box.right() - EDGES, y, KEY, 10, 400, INK2, "right") - 8
    text(p, box.left() + EDGES, y, words, 11, 500, VERMILION_TEXT if bad else INK, room=room)


def _patches(views: Views, handle: Handle, canvas: Canvas, at: tuple[float, float], live: bool) -> list[tuple[str, str, QImage]]:
    reference, frame = handle.facts["reference"], handle.facts["frame"]
    out = [("reference", f"frame {reference}", picture_image(views.reference))]
    now = _under(canvas, at, int(handle.facts.get("half", 0))) if live else None
    if now is not None:
        return [*out, ("under it", f"frame {frame}", now)]
    if views.found is not None and views.left is not None:
        out += [
            ("found", f"frame {frame}", picture_image(views.found)),
            ("what is left", f"{LEFT_TIMES:.0f} ×", picture_image(views.left)),
        ]
    return out


def _under(canvas: Canvas, at: tuple[float, float], half: int) -> QImage | None:
    """What is shown of the (2 half + 1) px about a place of the frame; None where nothing is shown."""
    s = canvas.shown
    if s is None:
        return None
    side = max(1, (2 * half + 1) // s.by)
    return s.image.copy(int(at[0]) // s.by - side // 2, int(at[1]) // s.by - side // 2, side, side)


def _words(handle: Handle) -> tuple[str, bool]:
    """What is told of it here in one line, and whether that is too much."""
    facts: Any = handle.facts
    error = facts.get("error", np.nan)
    if facts["frame"] == facts["reference"]:
        own = facts.get("foretold", np.nan)
        if not np.isfinite(own):
            return "nothing to hold on to here", True
        return f"holds to {px_words(own)} at best" + (": hardly" if own > POOR else ""), bool(own > POOR)
    if not np.isfinite(error):
        return handle.note or "set by hand here", False
    words = f"error {px_words(error)}"
    if "turned" in facts:
        turned = round(float(facts["turned"]), 1) + 0.0  # no minus before zero
        words += f", turned {turned:.1f}°, {facts['grown']:.2f} × as large".replace("-", "\u2212")
    return words, bool(error > ERROR)


def px_words(error: float) -> str:
    """'0.04 px', or that it is less than can be told."""
    return "under 0.01 px" if error < 0.01 else f"{error:.2f} px"


def _corner(canvas: Canvas, at: tuple[float, float], width: float, height: float) -> QRectF:
    """A box in the lower corner of the viewer that is further from the place."""
    q: QPointF = canvas.to_screen(*at)
    left = 12.0 if q.x() > canvas.width() / 2 else canvas.width() - width - 12.0
    return QRectF(left, canvas.height() - height - 12.0, width, height)
