"""Tools on the picture by themselves: a drag is tried while it goes on, settled once, called off by Escape; box, line, strokes."""

from __future__ import annotations

from typing import Any

import deskhelp
import pytest
from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter

from transmixis.desk.tools import TOOLS, tool_for
from transmixis.desk.tools.tool import Tool
from transmixis.shot.contract import Handle

LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton
NONE, SHIFT, ALT = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.AltModifier


class Sheet(deskhelp.Sheet):
    """The same, set off by (100, 50)."""

    updates = 0

    def to_screen(self, x: float, y: float) -> QPointF:
        return QPointF(2 * x + 100, 2 * y + 50)

    def to_frame(self, p: QPointF) -> QPointF:
        return QPointF((p.x() - 100) / 2, (p.y() - 50) / 2)

    def update(self) -> None:
        self.updates += 1


class Use:
    """A tool in the hand, by places of the frame."""

    def __init__(self, name: str, value: Any, **facts: Any) -> None:
        self.canvas = Sheet()
        self.tool: Tool = tool_for(Handle(name, "p", "P", "hint", value, facts=facts))
        self.tried: list[Any] = []
        self.settled: list[Any] = []
        self.tool.tried, self.tool.settled = self.tried.append, self.settled.append

    def mouse(
        self, what: QEvent.Type, x: float, y: float, button: Qt.MouseButton = LEFT, keys: Qt.KeyboardModifier = NONE
    ) -> bool:
        p = self.canvas.to_screen(x, y)
        event = QMouseEvent(what, p, p, button, button, keys)
        act = {QEvent.Type.MouseButtonPress: self.tool.press, QEvent.Type.MouseMove: self.tool.move}
        return act.get(what, self.tool.release)(event, self.canvas)

    def press(self, x: float, y: float, **how: Any) -> bool:
        return self.mouse(QEvent.Type.MouseButtonPress, x, y, **how)

    def move(self, x: float, y: float) -> bool:
        return self.mouse(QEvent.Type.MouseMove, x, y)

    def release(self, x: float, y: float) -> bool:
        return self.mouse(QEvent.Type.MouseButtonRelease, x, y)

    def drag(self, *places: tuple[float, float], **how: Any) -> bool:
        used = self.press(*places[0], **how)
        for p in places[1:]:
            self.move(*p)
        self.release(*places[-1])
        return used

    def key(self, key: Qt.Key, keys: Qt.KeyboardModifier = NONE) -> bool:
        return self.tool.key(QKeyEvent(QEvent.Type.KeyPress, key, keys), self.canvas)

    def painted(self) -> QImage:
        """What it paints on a black picture."""
        image = QImage(500, 400, QImage.Format.Format_RGB32)
        image.fill(Qt.GlobalColor.black)
        p = QPainter(image)
        self.tool.paint(p, self.canvas)
        p.end()
        return image

    def paint(self) -> int:
        """How many px it paints."""
        image = self.painted()
        return sum(image.pixel(x, y) != image.pixel(0, 0) for x in range(0, 500, 2) for y in range(0, 400, 2))


STARTS: dict[str, Any] = {
    "box": ((10, 10), (50, 40)), "line": ((10, 10), (50, 40)), "strokes": (("in", ((10, 10), (20, 20))),),
    "outline": ((1, 10, 10), (2, 50, 10), (3, 50, 40)), "outlines": (((1, 10, 10), (2, 50, 10), (3, 50, 40)),),
    "corners": ((10, 10), (50, 10), (50, 40), (10, 40)), "point": ((10, 10),), "spots": ((10, 10, 6),),
    "mesh": ((10, 10), (50, 10), (10, 40), (50, 40)),
}  # fmt: skip


@pytest.mark.parametrize("name", sorted(STARTS))
def test_a_drag_is_tried_and_settled_once(name: str) -> None:
    use = Use(name, STARTS[name], half=8)
    assert use.paint() > 0
    assert use.drag((10, 10), (12, 11), (15, 14))
    assert len(use.settled) == 1
    assert use.tried
    assert use.settled[0] == use.tool.given()
    assert not use.tool.busy
    assert use.canvas.updates > 0


@pytest.mark.parametrize("name", sorted(STARTS))
def test_escape_calls_a_drag_off(name: str) -> None:
    use = Use(name, STARTS[name], half=8)
    before = use.tool.given()
    use.press(10, 10)
    use.move(30, 30)
    assert use.tool.busy
    assert use.key(Qt.Key.Key_Escape)
    use.release(30, 30)
    assert (use.tool.given(), use.settled, use.tool.busy) == (before, [], False)
    assert not use.key(Qt.Key.Key_Escape)  # then it is the window's


@pytest.mark.parametrize("name", ["box", "line", "outline", "corners", "point"])
def test_the_arrows_with_alt_nudge_what_is_chosen(name: str) -> None:
    use = Use(name, STARTS[name], half=8)
    use.drag((10, 10), (10, 10))
    use.settled.clear()
    assert use.key(Qt.Key.Key_Right, ALT)
    assert use.key(Qt.Key.Key_Down, ALT | SHIFT)
    assert len(use.settled) == 2
    first = use.tool.given()[0]
    assert tuple(first[-2:]) == pytest.approx((10.1, 11.0))
    assert not use.key(Qt.Key.Key_Right)


def test_every_tool_is_known_by_its_name() -> None:
    assert set(TOOLS) == {*STARTS, "source", "dots", "shape", "coverage"}


def test_a_box_is_drawn_pulled_by_corners_and_sides_and_moved() -> None:
    use = Use("box", ())
    assert use.tool.cursor(QPointF(0, 0), use.canvas) == Qt.CursorShape.CrossCursor
    use.drag((40, 30), (10, 12))
    assert use.settled == [((10, 12), (40, 30))]
    use.drag((40, 30), (44, 36))
    assert use.tool.given() == ((10, 12), (44, 36))
    use.drag((10, 24), (14, 90))  # the left side goes sideways only
    assert use.tool.given() == ((14, 12), (44, 36))
    use.drag((29, 12), (29, 99))  # and the top not below the bottom
    assert use.tool.given() == ((14, 35), (44, 36))
    use.drag((44, 35.5), (0, 35.5))
    assert use.tool.given() == ((14, 35), (15, 36))
    use.tool.value = ((10, 10), (50, 40))
    assert use.drag((100, 100), (105, 90), keys=SHIFT)
    assert use.tool.given() == ((15, 0), (55, 30))
    assert not use.press(100, 100)  # beside it: the viewer's
    assert not use.press(15, 0, keys=ALT)
    mere = Use("box", ())
    mere.drag((40, 30), (40.5, 30.5))
    assert (mere.settled, mere.tool.given()) == ([], ())
    assert mere.paint() == 0


def test_a_line_gets_points_and_loses_them() -> None:
    use = Use("line", ())
    use.drag((10, 10), (90, 10))
    assert use.settled == [((10, 10), (90, 10))]
    assert use.tool.cursor(use.canvas.to_screen(50, 10), use.canvas) == Qt.CursorShape.PointingHandCursor
    use.drag((50, 10), (50, 30))
    assert use.tool.given() == ((10, 10), (50, 30), (90, 10))
    use.drag((90, 10), (95, 12))
    assert use.tool.given()[2] == (95, 12)
    assert use.press(50, 30, button=RIGHT)
    assert use.tool.given() == ((10, 10), (95, 12))
    assert use.press(10, 10, button=RIGHT)  # two stay
    assert len(use.tool.given()) == 2
    assert not use.press(50, 90, button=RIGHT)
    use.drag((200, 100), (201, 102), keys=SHIFT)
    assert use.tool.given() == ((11, 12), (96, 14))


def test_strokes_say_what_belongs_and_what_does_not() -> None:
    use = Use("strokes", ())
    use.drag((10, 10), (10.5, 10), (20, 10), (30, 12))
    use.drag((50, 50), (60, 50), button=RIGHT)
    use.drag((70, 70))
    signs = [(sign, len(points)) for sign, points in use.tool.given()]
    assert signs == [("in", 3), ("out", 2), ("in", 1)]  # what is closer than three px of the screen is not kept
    assert use.tool.given()[0][1][1] == (20, 10)
    assert len(use.settled) == 3
    assert use.paint() > 0
    assert use.key(Qt.Key.Key_Backspace)
    assert [s for s, _ in use.tool.given()] == ["in", "out"]
    assert len(use.settled) == 4
    empty = Use("strokes", ())
    assert not empty.key(Qt.Key.Key_Backspace)
    assert not empty.press(1, 1, keys=ALT)


def test_what_was_chosen_stays_chosen_when_the_value_comes_back() -> None:
    use = Use("line", STARTS["line"])
    use.drag((50, 40), (51, 40))
    again = Use("line", use.tool.given())
    again.tool.follow_on(use.tool)
    assert again.key(Qt.Key.Key_Left, ALT)
    assert again.tool.given()[1] == pytest.approx((50.9, 40))


def test_a_point_is_added_in_the_side_that_is_pressed() -> None:
    use = Use("line", ((10, 10), (50, 10), (90, 10)))
    use.drag((70, 10), (70, 20))
    assert use.tool.given() == ((10, 10), (50, 10), (70, 20), (90, 10))
    use.drag((30, 10), (30, 5))
    assert use.tool.given()[1] == (30, 5)


def test_tools_paint_where_their_places_lie() -> None:
    box = Use("box", ((10, 60), (90, 100))).painted()
    for x, y in ((10, 60), (90, 100), (50, 60), (10, 80)):  # corners and middles of sides
        q = Sheet().to_screen(x, y).toPoint()
        assert box.pixelColor(q.x() + 3, q.y() - 3).lightness() + box.pixelColor(q).lightness() > 0
    assert box.pixelColor(Sheet().to_screen(60, 10).toPoint()).lightness() == 0
    assert box.pixelColor(Sheet().to_screen(50, 80).toPoint()).lightness() == 0  # nothing inside


def test_what_belongs_is_a_whole_line_and_what_does_not_is_broken() -> None:
    def gaps(sign: str) -> tuple[int, QColor]:
        image = Use("strokes", ((sign, ((10, 50), (150, 50))),)).painted()
        row = [image.pixelColor(x, 150) for x in range(140, 380)]
        ink = max(row, key=lambda c: c.saturation())
        return sum(c.saturation() < 60 for c in row), ink

    whole, blue = gaps("in")
    broken, red = gaps("out")
    assert whole == 0
    assert broken > 40
    assert blue.blue() > blue.red()
    assert red.red() > red.blue()


def test_a_grid_is_drawn_by_its_fields_and_pulled_place_by_place() -> None:
    use = Use("mesh", (), fields=2)
    assert use.paint() == 0
    use.drag((10, 10), (30, 20), (50, 50))
    assert use.settled == [tuple((float(x), float(y)) for y in (10, 30, 50) for x in (10, 30, 50))]
    assert use.paint() > 100
    use.drag((30, 30), (33, 28))
    assert use.settled[1][4] == (33, 28)
    assert use.settled[1][:4] == use.settled[0][:4]
    assert use.tool.can_nudge
    use.drag((80, 80), (81, 81), keys=SHIFT)
    assert use.settled[2][0] == (11, 11)
    # a press alone draws none
    small = Use("mesh", (), fields=2)
    small.drag((10, 10), (10.5, 10))
    assert small.settled == []
    assert small.tool.value == ()
    without = Use("mesh", ())
    without.drag((10, 10), (50, 50))
    assert len(without.settled[0]) == 25
