"""The ledger's widget: paints the readings of the state's shot, and lets people go to faults, frames, steps and parts."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QContextMenuEvent, QImage, QMouseEvent, QPainter, QPaintEvent, QPixmap, QResizeEvent, QWheelEvent
from PyQt6.QtWidgets import QScrollBar, QSizePolicy, QToolTip, QWidget

from transmixis.desk.ledger import heads, traces
from transmixis.desk.ledger.columns import Column, worst_of
from transmixis.desk.ledger.layout import BAR, FILM, LEAST, ZOOMS, Layout
from transmixis.desk.ledger.pointing import fault_at, part_at
from transmixis.desk.ledger.words import words_at, words_of_head
from transmixis.desk.marks import text, wrapped
from transmixis.desk.state import State
from transmixis.desk.theme import INK2, PANEL


class Ledger(QWidget):
    """See the package."""

    fault_pressed = pyqtSignal(object)
    head_menu = pyqtSignal(str, object)  # a step's id and where
    part_menu = pyqtSignal(str, object)  # a part's id and where
    part_pressed = pyqtSignal(str)

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self.layout_ = Layout(state)
        self.thumbs: dict[int, QImage] = {}
        self._hover: tuple[Column | None, int] | None = None
        self._drag = ""
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Ledger")
        self.setMinimumSize(360, 300)
        self._bar = QScrollBar(Qt.Orientation.Horizontal, self)
        self._bar.setToolTip("More columns: scroll sideways, or hold Shift and turn the wheel")
        self._bar.valueChanged.connect(self._scrolled)
        self._bar.hide()
        self._soon = QTimer(self)  # readings arrive by the hundred; paint at most 15 times a second
        self._soon.setSingleShot(True)
        self._soon.setInterval(66)
        self._soon.timeout.connect(self.touch)
        self._layer: QPixmap | None = None  # all but the playhead and the pointer's line, as it was painted last
        state.readings_changed.connect(lambda _: None if self._soon.isActive() else self._soon.start())
        state.frame_changed.connect(lambda _: self.update())
        state.step_changed.connect(lambda _: self.reveal())
        state.shot_changed.connect(self.fit_columns)
        state.proposal_changed.connect(lambda _: self.touch())

    def touch(self) -> None:
        """What is shown has changed: paint all of it anew."""
        self._layer = None
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(608, 680)

    # -- where things lie

    @property
    def zoom(self) -> str:
        return self.layout_.zoom

    def columns(self) -> list[tuple[str, float, float]]:
        """Key, left and width of each column, those beyond the window too."""
        return [(c.key, left, width) for c, left, width in self.layout_.columns()]

    def fit_columns(self) -> None:
        """The bar follows the number of columns and the window's width."""
        v = self.layout_
        v.width, v.height = self.width(), self.height()
        self._bar.setVisible(v.scrolls)
        if v.scrolls:
            self._bar.setGeometry(FILM, self.height() - BAR, self.width() - FILM, BAR)
            self._bar.setRange(0, v.beyond)
            self._bar.setPageStep(round(self.width() - FILM))
            self._bar.setSingleStep(round(LEAST))
        self.touch()

    def _scrolled(self, value: int) -> None:
        self.layout_.scroll = value
        self.touch()

    def reveal(self) -> None:
        """Scroll the chosen step's column into sight."""
        self.fit_columns()
        v = self.layout_
        found = next((c for c in v.columns() if any(s.id == self.state.step_id for s in c[0].steps)), None)
        if v.scrolls and found:
            _, left, width = found
            over = left + width - self.width() if left + width > self.width() else min(0.0, left - FILM)
            self._bar.setValue(round(self._bar.value() + over))
        self.touch()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self.fit_columns()

    # -- painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), QColor(PANEL))
        shot = self.state.shot
        if not shot or not shot.steps:
            text(p, 16, 32, "No steps yet", 13, 600)
            wrapped(
                p,
                16,
                56,
                self.width() - 32,
                "Add plates: drop movies or pictures on the window. Then add the steps that the shot needs with Add step above.",
                ink=INK2,
            )
            return
        beside = QRectF(FILM, 0, self.width() - FILM, self.height())  # the film edge and its heads stay
        if self._layer is None or self._layer.size() != self.size() * self.devicePixelRatioF() or self.zoom == "Around":
            self._layer = self._painted_layer(beside)
        p.drawPixmap(0, 0, self._layer)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        traces.paint_playhead(p, self.layout_)
        p.save()
        p.setClipRect(beside)
        traces.paint_values(p, self.layout_, self.layout_.shown())
        p.restore()
        if self._hover:
            traces.paint_hover(p, self.layout_, self._hover[1])

    def _painted_layer(self, beside: QRectF) -> QPixmap:
        """All that stays as it is while only the playhead moves."""
        ratio, v = self.devicePixelRatioF(), self.layout_
        layer = QPixmap(self.size() * ratio)
        layer.setDevicePixelRatio(ratio)
        layer.fill(QColor(PANEL))
        p = QPainter(layer)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        rows, columns = v.rows(), v.shown()
        p.save()
        p.setClipRect(beside)
        for column, left, width in columns:
            traces.paint_ground(p, v, column, left, width)
        p.restore()
        traces.paint_wash(p, v, rows)
        traces.paint_film(p, v, rows, self.thumbs)
        p.save()
        p.setClipRect(beside)
        for column, left, width in columns:
            traces.paint_trace(p, v, column, left, width, rows)
            traces.paint_pins(p, v, column, left, rows)
            heads.paint_head(p, v, column, left, width)
        heads.paint_stage_names(p, v)
        heads.paint_parts(p, v)
        p.restore()
        heads.paint_film_head(p, v)
        p.end()
        return layer

    # -- pointer

    def choose(self, column: Column) -> None:
        """Choose a column's step; of a folded part the worst."""
        found = worst_of(self.state, column)
        self.state.set_step(found[0].id if found else column.steps[0].id)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() != Qt.MouseButton.LeftButton:
            return
        pos = event.position()
        if part := part_at(self.layout_, pos):
            self.part_pressed.emit(part)
            return
        column = self.layout_.column_at(pos.x())
        if pos.y() < self.layout_.head:
            if column:
                self.choose(column)
            return
        finding = fault_at(self.layout_, pos)
        if finding:
            self.state.known.go_to(finding)
            self.fault_pressed.emit(finding)
            return
        self._drag = "play"
        if column:
            self.choose(column)
        self.state.set_frame(self.layout_.frame_at(pos.y()))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        pos = event.position()
        if self._drag == "play":
            self.state.set_frame(self.layout_.frame_at(pos.y()))
            return
        at, column = event.globalPosition().toPoint(), self.layout_.column_at(pos.x())
        if pos.y() > self.layout_.head:
            self._hover = (column, self.layout_.frame_at(pos.y()))
            QToolTip.showText(at, words_at(self.state, *self._hover), self)
        else:
            self._hover = None
            if part_at(self.layout_, pos):
                QToolTip.showText(
                    at, "A part: press to fold its steps to one column, or to spread them; right button for more", self
                )
            elif column:
                QToolTip.showText(at, words_of_head(self.state, column), self)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._drag = ""

    def leaveEvent(self, event: object) -> None:
        self._hover = None
        self.update()

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        assert event is not None
        column = self.layout_.column_at(event.pos().x())
        part = part_at(self.layout_, QPointF(event.pos())) or (
            column.key.removeprefix("part:") if column and column.folded else ""
        )
        if part:
            self.part_menu.emit(part, event.globalPos())
        elif column:
            self.choose(column)
            self.head_menu.emit(column.key, event.globalPos())

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        steps = -1 if event.angleDelta().y() > 0 else 1
        if self.layout_.scrolls and (event.modifiers() & Qt.KeyboardModifier.ShiftModifier or event.angleDelta().x()):
            way = event.angleDelta().x() or event.angleDelta().y()
            self._bar.setValue(round(self._bar.value() - way / 120 * LEAST))
        elif event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.next_zoom()
        else:
            self.state.set_frame(self.state.frame + steps)

    def next_zoom(self) -> None:
        """Go on to the next of the three zooms."""
        self.set_zoom(ZOOMS[(ZOOMS.index(self.zoom) + 1) % len(ZOOMS)])

    def set_zoom(self, zoom: str) -> None:
        self.layout_.zoom = zoom
        self.touch()
