"""Strokes over a thing: with the left button what belongs to it, with the right button what does not."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF

from transmixis.desk.theme import BLUE, INK, VERMILION, WHITE
from transmixis.desk.tools.tool import Canvas, Place, Tool
from transmixis.shot.contract import Handle

BELONGS, NOT = "in", "out"
APART = 3.0  # px of the screen between the points of a stroke that are kept
Stroke = tuple[str, tuple[Place, ...]]


class StrokesTool(Tool):
    """The value is strokes, each 'in' or 'out' with its points. Backspace takes the last one back."""

    value: tuple[Stroke, ...]

    def __init__(self, handle: Handle) -> None:
        super().__init__(handle)
        self._drawing: list[Place] = []
        self._sign = BELONGS

    def taken(self, value: Any) -> tuple[Stroke, ...]:
        return tuple((NOT if sign == NOT else BELONGS, tuple((float(x), float(y)) for x, y in points)) for sign, points in value)

    def cursor(self, p: QPointF, canvas: Canvas) -> Qt.CursorShape | None:
        return Qt.CursorShape.CrossCursor

    def press(self, event: QMouseEvent, canvas: Canvas) -> bool:
        signs = {Qt.MouseButton.LeftButton: BELONGS, Qt.MouseButton.RightButton: NOT}
        if event.button() not in signs or event.modifiers() & Qt.KeyboardModifier.AltModifier:
            return False
        self.begin()
        f = canvas.to_frame(event.position())
        self._sign, self._drawing = signs[event.button()], [(f.x(), f.y())]
        canvas.update()
        return True

    def move(self, event: QMouseEvent, canvas: Canvas) -> bool:
        if not self._drawing:
            return False
        step = event.position() - canvas.to_screen(*self._drawing[-1])
        if step.x() ** 2 + step.y() ** 2 >= APART**2:
            f = canvas.to_frame(event.position())
            self._drawing.append((f.x(), f.y()))
            self.value = (*(self._before or ()), (self._sign, tuple(self._drawing)))
            self.dragged(canvas)
        return True

    def release(self, event: QMouseEvent, canvas: Canvas) -> bool:
        if not self._drawing:
            return False
        self.value = (*(self._before or ()), (self._sign, tuple(self._drawing)))  # a mere press is a dab
        self._drawing = []
        self.end(canvas)
        return True

    def call_off(self, canvas: Canvas) -> None:
        self._drawing = []
        super().call_off(canvas)

    def key(self, event: QKeyEvent, canvas: Canvas) -> bool:
        if super().key(event, canvas):
            return True
        if event.key() == Qt.Key.Key_Backspace and self.value and not self.busy:
            self.begin()
            self.value = self.value[:-1]
            self.end(canvas)
            return True
        return False

    def paint(self, p: QPainter, canvas: Canvas) -> None:
        p.setBrush(Qt.BrushStyle.NoBrush)
        for sign, points in self.value:
            places = [canvas.to_screen(x, y) for x, y in points]
            ink = BLUE if sign == BELONGS else VERMILION
            for colour, width in ((INK, 7.0), (WHITE, 5.6), (ink, 3.6)):
                pen = QPen(QColor(colour), width, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap, Qt.PenJoinStyle.RoundJoin)
                if sign == NOT and colour == ink:
                    pen.setDashPattern([1.6, 1.6])  # told apart without colour too
                p.setPen(pen)
                p.drawPolyline(QPolygonF(places if len(places) > 1 else places * 2))
