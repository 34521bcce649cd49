"""What every tool on the picture offers, and the canvas that it works on."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, Protocol

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF, QWheelEvent

from transmixis.desk.theme import INK, WHITE
from transmixis.desk.viewerpaint import Shown
from transmixis.shot.contract import Handle

NUDGE, FAR = 0.1, 1.0  # px of the frame for the arrow keys with Alt, and with Alt and Shift
ARROWS = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}
NEAR = 10.0  # px of the screen within which something is taken hold of
Place = tuple[float, float]


class Canvas(Protocol):
    """The viewer as tools see it: it knows screen and frame coordinates. `show_panel`: what a tool shows beside its thing is wanted
    (a track's pattern seen closely in a corner; an outline's pins before and after, its soft border, its doubt)."""

    show_panel: bool
    shown: Shown | None

    def width(self) -> int: ...
    def height(self) -> int: ...
    def to_screen(self, x: float, y: float) -> QPointF: ...
    def to_frame(self, p: QPointF) -> QPointF: ...
    def scale(self) -> float: ...
    def update(self) -> None: ...


class Tool:
    """Holds a value at a frame. `tried` is called while it is dragged, `settled` when the mouse lets go: one entry of undo. The mouse
    and key methods tell whether they have used the event; what they leave is the viewer's. Escape calls a drag off."""

    sets = True  # False: it shows something, and nothing is taken hold of

    def __init__(self, handle: Handle) -> None:
        self.handle = handle
        self.value: Any = self.taken(handle.value)
        self.tried: Callable[[Any], None] = lambda value: None
        self.settled: Callable[[Any], None] = lambda value: None
        self.went: Callable[[int], None] = lambda frame: None  # to another frame
        self._before: Any = None

    def taken(self, value: Any) -> Any:
        """The handle's value in the form that the tool works with."""
        return value

    def given(self) -> Any:
        """The value as the step keeps it."""
        return self.value

    @property
    def busy(self) -> bool:
        """Something is being dragged or drawn."""
        return self._before is not None

    @property
    def words(self) -> str:
        """What can be done, for the strip under the picture."""
        return self.handle.note or self.handle.hint

    def follow_on(self, before: Tool) -> None:
        """Take over what was chosen in the tool before it: of the same handle, after its value was settled."""

    def cursor(self, p: QPointF, canvas: Canvas) -> Qt.CursorShape | None:
        """The pointer's shape at a place of the screen; None: the usual one."""
        return None

    def paint(self, p: QPainter, canvas: Canvas) -> None:
        """Draw it over the picture."""

    def press(self, event: QMouseEvent, canvas: Canvas) -> bool:
        return False

    def double(self, event: QMouseEvent, canvas: Canvas) -> bool:
        """The second of two quick presses: a press like any other, unless a tool says otherwise."""
        return self.press(event, canvas)

    def wheel(self, event: QWheelEvent, canvas: Canvas) -> bool:
        return False

    def move(self, event: QMouseEvent, canvas: Canvas) -> bool:
        return False

    def release(self, event: QMouseEvent, canvas: Canvas) -> bool:
        return False

    def key(self, event: QKeyEvent, canvas: Canvas) -> bool:
        """Escape calls off what is under way, the arrows with Alt nudge what is chosen; subclasses add their own."""
        if event.key() == Qt.Key.Key_Escape and self.busy:
            self.call_off(canvas)
            return True
        if event.key() in ARROWS and event.modifiers() & Qt.KeyboardModifier.AltModifier and self.can_nudge:
            far = FAR if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else NUDGE
            dx, dy = ARROWS[Qt.Key(event.key())]
            self.begin()
            self.nudge(dx * far, dy * far)
            self.end(canvas)
            return True
        return False

    # -- for subclasses

    @property
    def can_nudge(self) -> bool:
        """Whether something is chosen that the arrow keys can move."""
        return False

    def nudge(self, dx: float, dy: float) -> None:
        """Move what is chosen, px of the frame."""

    def begin(self) -> None:
        """A drag begins: what is there now comes back if it is called off."""
        self._before = self.value

    def dragged(self, canvas: Canvas) -> None:
        """The value has changed under the pointer."""
        self.tried(self.given())
        canvas.update()

    def end(self, canvas: Canvas) -> None:
        """The drag is over: the value counts, if it has changed."""
        changed, self._before = self._before != self.value, None
        if changed:
            self.settled(self.given())
        canvas.update()

    def call_off(self, canvas: Canvas) -> None:
        """As it was before the drag."""
        self.value, self._before = self._before, None
        self.tried(None)
        canvas.update()


def near(p: QPointF, q: QPointF, within: float = NEAR) -> bool:
    """True if two places of the screen are near each other."""
    return (p - q).manhattanLength() < within * 1.4 and (p - q).x() ** 2 + (p - q).y() ** 2 < within**2


def side_at(p: QPointF, places: Sequence[QPointF], *, closed: bool = True) -> int | None:
    """The side of a polygon under a place of the screen, by the index of its first point."""
    ends = list(zip(places, [*places[1:], places[0]], strict=True)) if places else []
    for i, (a, b) in enumerate(ends if closed else ends[:-1]):
        ab, ap = b - a, p - a
        t = (ap.x() * ab.x() + ap.y() * ab.y()) / max(ab.x() ** 2 + ab.y() ** 2, 1e-6)
        if 0 < t < 1 and near(a + ab * t, p, 7):
            return i
    return None


def double_line(p: QPainter, places: Sequence[QPointF], *, closed: bool = True, ink: str = INK, dashed: bool = False) -> None:
    """A white line with a companion of ink, so that it shows on any picture."""
    p.setBrush(Qt.BrushStyle.NoBrush)
    shape = QPolygonF(list(places))
    for colour, width in ((ink, 3.2), (WHITE, 1.3)):
        pen = QPen(QColor(colour), width)
        if dashed:
            pen.setDashPattern([4 * 1.3 / width, 3 * 1.3 / width])
        p.setPen(pen)
        if closed:
            p.drawPolygon(shape)
        else:
            p.drawPolyline(shape)
