"""The trail of a track: one dot a frame, as large as its error."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter

from transmixis.desk.theme import INK, VERMILION, WHITE
from transmixis.desk.tools.tool import Canvas
from transmixis.shot.contract import Handle
from transmixis.shot.steps.trackreadings import ERROR

LEAST, EACH = 0.55, 4.4  # px of the screen, and for each px of error
LARGEST = 6.0
PRESSED = 5.0  # px of the screen within which a dot is pressed
BESIDE = 18.0  # px of the screen about the thing itself that stay free


def paint_trail(p: QPainter, canvas: Canvas, handle: Handle) -> None:
    """Dots where it was and will be; past the limit they are vermilion."""
    places = handle.value if isinstance(handle.value, tuple) and handle.value else ()
    free = canvas.to_screen(*places[0]) if places and len(places) == 1 else None
    p.setPen(Qt.PenStyle.NoPen)
    for _, x, y, error in handle.facts.get("trail", ()):
        q = canvas.to_screen(x, y)
        if free is not None and (q - free).manhattanLength() < BESIDE:
            continue
        r = min(LEAST + EACH * (error if error == error else 0.0), LARGEST)
        p.setBrush(QColor(INK))
        p.drawEllipse(QPointF(q), r + 1.2, r + 1.2)
        p.setBrush(QColor(VERMILION if error > ERROR else WHITE))
        p.drawEllipse(QPointF(q), r + 0.3, r + 0.3)


def dot_at(canvas: Canvas, handle: Handle, p: QPointF) -> int | None:
    """The frame whose dot of the trail lies at a place of the screen."""
    best, frame = PRESSED, None
    for n, x, y, _ in handle.facts.get("trail", ()):
        away = p - canvas.to_screen(x, y)
        distance = (away.x() ** 2 + away.y() ** 2) ** 0.5
        if distance < best:
            best, frame = distance, int(n)
    return frame
