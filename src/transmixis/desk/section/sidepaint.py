"""How the section is painted: the stage, the cards with what they show, ties, lamps and how far their light comes."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPainterPath, QPen, QPolygonF

from transmixis.core.types import Array
from transmixis.desk.marks import CENTRE, RIGHT, hline, jaws, mark, text
from transmixis.desk.theme import BLUE, BLUE_TEXT, EDGE, INK, INK2, ORANGE, ORANGE_EDGE, PAPER, PURPLE, RULE, RULE2, WHITE, colour
from transmixis.shot.section import Card

TOP, GROUND = 30.0, 110.0  # px: the frame's upper edge, and the ground line
LEFT, MARGIN = 84.0, 34.0  # px: where the lens's cone is as wide as the frame
FOOT = 11.0


def paint_stage(p: QPainter, width: float) -> None:
    """The camera, what it sees, and the ground."""
    right, middle = width - MARGIN / 2, (TOP + GROUND) / 2
    p.fillRect(QRectF(LEFT, TOP, right - LEFT, GROUND - TOP), colour(RULE2))
    p.setPen(QPen(QColor(RULE), 1))
    for y in (TOP, GROUND):
        p.drawLine(QPointF(36, middle), QPointF(LEFT, y))
    hline(p, LEFT, right, TOP, RULE)
    hline(p, LEFT, right, GROUND, EDGE)
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(QColor(INK))
    p.drawRoundedRect(QRectF(16, middle - 6, 14, 12), 2, 2)
    p.drawPolygon(QPolygonF([QPointF(30, middle - 2), QPointF(36, middle - 6), QPointF(36, middle + 6), QPointF(30, middle + 2)]))
    text(p, 16, GROUND + 14, "camera", 11, 400, INK2)


def foot_of(box: QRectF) -> QRectF:
    """The block by which a card is slid."""
    return QRectF(box.center().x() - FOOT / 2, GROUND, FOOT, 7)


def paint_card(p: QPainter, c: Card, r: QRectF, number: int, room: float, *, mine: bool, advised: bool) -> None:
    """One card with its name above and its depth or place below."""
    ink = BLUE if mine else INK if c.on else EDGE
    if c.over_all:
        pen = QPen(QColor(ink), 1.2)
        pen.setDashPattern([3, 3])
        p.setPen(pen)
        p.setBrush(Qt.BrushStyle.NoBrush)
    else:
        p.setPen(QPen(QColor(ink), 2 if mine else 1))
        p.setBrush(colour(WHITE if c.on else PAPER))
    p.drawRect(r)
    if not c.over_all and c.on:
        inner = r.adjusted(1.5, 1.5, -1.5, -1.5)
        if c.thumb is not None and inner.width() >= 2:
            p.drawImage(inner, image_of(c.thumb))
        else:
            p.fillRect(inner, colour(BLUE if mine else EDGE, 0.25 + 0.5 * (c.opacity or 0.0)))
    x = r.center().x()
    p.setPen(QPen(QColor(ink), 1))
    p.drawLine(QPointF(x, r.bottom()), QPointF(x, GROUND))
    p.fillRect(foot_of(r), QColor(BLUE if mine else EDGE))
    text(p, x, 16, c.name, 12, 600 if mine else 500, BLUE_TEXT if mine else INK if c.on else INK2, CENTRE, room=room)
    below = f"{c.depth:.3g}" if c.depth is not None else "on all" if c.over_all else "off" if not c.on else str(number)
    text(p, x, GROUND + 14, below, 11, 400, INK2, CENTRE, room=room)
    if advised:
        jaws(p, x, GROUND - 8, 5, PURPLE)


def image_of(thumb: Array) -> QImage:
    """A card's picture (h, w, 4) as an image of its own."""
    data = np.ascontiguousarray(thumb)
    h, w = data.shape[:2]
    return QImage(data.tobytes(), w, h, 4 * w, QImage.Format.Format_RGBA8888).copy()


def paint_tie(p: QPainter, rider: QRectF, y: float, on: QRectF | None, words: str, room: float) -> None:
    """The bar at the rider, the ring at what carries it; a short one where that is no card."""
    p.setPen(QPen(QColor(BLUE), 1.4))
    if on is None:
        x = rider.center().x()
        p.drawLine(QPointF(x, y), QPointF(x + 12, y))
        ring = QPointF(x + 15, y)
    else:
        left = on.center().x() > rider.center().x()
        a, b = (rider.right(), on.left()) if left else (rider.left(), on.right())
        p.drawLine(QPointF(a, y - 4), QPointF(a, y + 4))
        p.drawLine(QPointF(a, y), QPointF(b, y))
        ring = QPointF(b, y)
    p.setBrush(QColor(WHITE))
    p.drawEllipse(ring, 3, 3)
    if on is None:
        text(p, ring.x() + 6, y, words, 11, 400, BLUE_TEXT, room=max(0.0, room - 24))
    else:
        low, high = sorted((rider.center().x(), on.center().x()))
        text(p, (low + high) / 2, y - 8, words, 11, 500, BLUE_TEXT, CENTRE, room=max(0.0, high - low - 30))


def paint_lamp(p: QPainter, x: float, y: float) -> None:
    """A small rayed ring: it glows."""
    p.setPen(QPen(QColor(ORANGE_EDGE), 1))
    p.setBrush(QColor(ORANGE))
    p.drawEllipse(QPointF(x, y), 3, 3)
    for i in range(8):
        a = math.radians(45 * i)
        p.drawLine(QPointF(x + 4.5 * math.cos(a), y + 4.5 * math.sin(a)), QPointF(x + 7 * math.cos(a), y + 7 * math.sin(a)))


def paint_pool(p: QPainter, width: float, lamp: QPointF, rim: float, *, mine: bool) -> None:
    """What the light of a lamp comes to: paper from the camera's side of it to the rim, whose edge is dashed where it can be dragged."""
    right = width - MARGIN / 2
    far = min(rim, right)
    near = max(2 * lamp.x() - far, LEFT)
    path = QPainterPath()
    path.addEllipse(QRectF(near, TOP - 26, far - near, GROUND - TOP + 52))
    p.save()
    p.setClipRect(QRectF(LEFT, TOP + 1, right - LEFT, GROUND - TOP - 1))
    p.fillPath(path, colour("#FFF9EC"))
    if mine:
        pen = QPen(QColor(INK), 1.2)
        pen.setDashPattern([4, 3])
        p.setPen(pen)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawPath(path)
    p.restore()


def paint_short(p: QPainter, x: float, y: float, words: str, state: str) -> None:
    """How much light is missing where it falls."""
    w = text(p, x - 12, y, words, 11, 500, INK, RIGHT)
    if w:
        mark(p, state, x - 4, y, 3.6)
