"""The coverage map over the picture: grains of four kinds in the picture's own grid, the soundest lightest; nothing is taken hold of."""

from __future__ import annotations

import deskhelp
import numpy as np
from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtGui import QColor, QImage, QMouseEvent, QPainter

from transmixis.desk.sheet import _in_picture
from transmixis.desk.tools import tool_for
from transmixis.desk.tools.coverage import BESIDE, CLEAN, MADE, TIME, grains
from transmixis.shot.contract import Handle
from transmixis.shot.steps import kind_of


class Sheet(deskhelp.Sheet):
    def to_screen(self, x: float, y: float) -> QPointF:
        return QPointF(x, y)

    def scale(self) -> float:
        return 1.0


def painted(found: np.ndarray | None) -> QImage:
    facts = {} if found is None else {"map": found}
    tool = tool_for(Handle("coverage", "delivered", "Coverage", "words", None, live=False, facts=facts))
    image = QImage(200, 120, QImage.Format.Format_RGB32)
    image.fill(QColor("#808080"))
    p = QPainter(image)
    tool.paint(p, Sheet())
    p.end()
    assert tool.words == "words"
    where = QPointF(60, 60)
    press = QMouseEvent(
        QEvent.Type.MouseButtonPress,
        where,
        where,
        Qt.MouseButton.LeftButton,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )
    assert not tool.press(press, Sheet())
    return image


def ink(image: QImage) -> int:
    return sum(image.pixelColor(x, y) != QColor("#808080") for x in range(0, 200) for y in range(0, 120))


def test_the_sounder_the_way_the_less_ink() -> None:
    plain = np.zeros((120, 200), np.uint8)
    used = {}
    for code in (CLEAN, TIME, BESIDE, MADE):
        found = plain.copy()
        found[10:110, 10:190] = code
        used[code] = ink(painted(found))
    assert used[CLEAN] < used[TIME] < min(used[BESIDE], used[MADE])
    assert ink(painted(plain)) == 0
    assert ink(painted(None)) == 0


def test_grains_stand_in_the_pictures_grid() -> None:
    found = np.zeros((60, 90), np.uint8)
    found[:, 45:] = MADE
    found[30:, :45] = CLEAN
    places = grains(found, 10.0)
    assert {c for _, _, c in places} == {CLEAN, MADE}
    assert all(found[int(y), int(x)] == c for x, y, c in places)
    assert sum(c == MADE for _, _, c in places) == 6 * 5
    assert 0 < sum(c == CLEAN for _, _, c in places) <= 3 * 4 // 2 + 1
    assert len(grains(found, 0.1)) <= found.size


def test_what_only_shows_says_so_beside_the_controls() -> None:
    assert _in_picture(kind_of("ways")) == "Shown in the picture."
    assert _in_picture(kind_of("marker_sweep")).startswith("Set in the picture")
