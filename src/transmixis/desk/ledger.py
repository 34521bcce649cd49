"""The ledger: time runs down; a film edge, then a column a step with the trace of its worst reading.

The limit stands at the same place in every column, so faults are read across and cause and effect line up.
"""

from __future__ import annotations

from itertools import pairwise

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QContextMenuEvent,
    QImage,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPixmap,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QScrollBar, QSizePolicy, QToolTip, QWidget

from transmixis.core.readings import FAULT
from transmixis.desk.marks import CENTRE, RIGHT, flag, hatch, hline, mark, notch, text, vline, wrapped
from transmixis.desk.readingwords import bound, plain, reading_words, value_words
from transmixis.desk.spans import Finding
from transmixis.desk.state import State
from transmixis.desk.theme import (
    BLUE,
    BLUE_TEXT,
    EDGE,
    INK,
    INK2,
    PANEL,
    PAPER,
    RAISED,
    RULE,
    RULE2,
    TRACE_FILL,
    VERMILION,
    VERMILION_TEXT,
    VERMILION_WASH,
    WHITE,
    figure,
    text_width,
)  # fmt: skip
from transmixis.shot.steps import kind_of

FILM, HEAD = 72, 132
NARROW = 64  # px: columns below this have smaller heads
LEAST, WIDEST = 54.0, 96.0  # px of a column; where more columns stand than fit, the ledger scrolls sideways
BAR = 12  # px: height of the bar that scrolls
LIMIT_AT = 0.70  # of a column's width
MOST_RATIO = 1.0 / LIMIT_AT - 0.06  # traces are cut at the column's border
ZOOMS = ("Whole shot", "Around", "Faults only")
AROUND = 12.0  # px a frame
BREAK = 8.0  # px for a sound stretch that is folded away


def fitting(ways: tuple[str, ...], room: float, sizes: tuple[int, ...] = (12, 11, 10, 9)) -> tuple[str, int]:
    """The first of several ways to say a figure that fits, and its size; a smaller size before fewer words."""
    return next(((w, px) for w in ways for px in sizes if text_width(w, px, 600) <= room), (ways[-1], sizes[-1]))


def _lines(parts: tuple[str, str], room: float) -> list[str]:
    """Two parts on one line where they fit, else on two."""
    whole = f"{parts[0]}{'' if parts[1] == '°' else ' '}{parts[1]}".strip()
    if text_width(whole, 10, 400) <= room:
        return [whole]
    short = parts[0].replace("at most ", "≤ ").replace("at least ", "≥ ")
    whole = f"{short} {parts[1]}"
    return [whole] if text_width(whole, 10, 400) <= room else [w for w in (short, parts[1]) if w]


class Ledger(QWidget):
    """Paints the readings of the state's shot, and lets people go to faults, frames and steps."""

    fault_pressed = pyqtSignal(object)
    head_double_pressed = pyqtSignal(str)
    head_menu = pyqtSignal(str, object)

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self.zoom = ZOOMS[0]
        self.thumbs: dict[int, QImage] = {}
        self._hover: tuple[str, int] | None = None
        self._drag = ""
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Ledger")
        self._bar = QScrollBar(Qt.Orientation.Horizontal, self)
        self._bar.setToolTip("More columns: scroll sideways, or hold Shift and turn the wheel")
        self._bar.valueChanged.connect(lambda _: self.touch())
        self._bar.hide()
        self._soon = QTimer(self)  # readings arrive by the hundred; paint at most 15 times a second
        self._soon.setSingleShot(True)
        self._soon.setInterval(66)
        self._soon.timeout.connect(self.touch)
        self._layer: QPixmap | None = None  # all but the playhead and the pointer's line, as it was painted last
        state.readings_changed.connect(lambda _: self._later())
        state.frame_changed.connect(lambda _: self.update())
        state.step_changed.connect(lambda _: self.reveal())
        state.shot_changed.connect(self.fit_columns)
        state.proposal_changed.connect(lambda _: self.touch())

    def _later(self) -> None:
        if not self._soon.isActive():
            self._soon.start()

    def touch(self) -> None:
        """What is shown has changed: paint all of it anew."""
        self._layer = None
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(608, 680)

    def minimumSizeHint(self) -> QSize:
        return QSize(360, 300)

    # -- geometry

    def columns(self) -> list[tuple[str, float, float]]:
        """Step id, left and width of each column, those beyond the window too."""
        shot = self.state.shot
        if not shot or not shot.steps:
            return []
        width = max(LEAST, min(WIDEST, (self.width() - FILM) / len(shot.steps)))
        left = FILM - (self._bar.value() if self._scrolls else 0)
        return [(s.id, left + i * width, width) for i, s in enumerate(shot.steps)]

    def shown_columns(self) -> list[tuple[str, float, float]]:
        """The columns that are to be seen, wholly or in part."""
        return [c for c in self.columns() if c[1] + c[2] > FILM and c[1] < self.width()]

    @property
    def _scrolls(self) -> bool:
        shot = self.state.shot
        return bool(shot and len(shot.steps) * LEAST > self.width() - FILM)

    def fit_columns(self) -> None:
        """The bar follows the number of columns and the window's width."""
        shot = self.state.shot
        self._bar.setVisible(self._scrolls)
        if self._scrolls and shot:
            self._bar.setGeometry(FILM, self.height() - BAR, self.width() - FILM, BAR)
            self._bar.setRange(0, round(len(shot.steps) * LEAST - (self.width() - FILM)))
            self._bar.setPageStep(round(self.width() - FILM))
            self._bar.setSingleStep(round(LEAST))
        self.touch()

    def reveal(self) -> None:
        """Scroll the chosen step's column into sight."""
        self.fit_columns()
        found = next((c for c in self.columns() if c[0] == self.state.step_id), None)
        if self._scrolls and found:
            _, left, width = found
            over = left + width - self.width() if left + width > self.width() else min(0.0, left - FILM)
            self._bar.setValue(round(self._bar.value() + over))
        self.touch()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self.fit_columns()

    def body(self) -> tuple[float, float]:
        """Top and bottom of the traces."""
        return float(HEAD + 4), float(self.height() - (BAR if self._scrolls else 0))

    def _rows(self) -> list[tuple[int, float]]:
        """Frames on show with the y of their middle, top to bottom."""
        shot = self.state.shot
        if not shot:
            return []
        top, bottom = self.body()
        room = bottom - top
        if self.zoom == "Around":
            first = top + room / 3 - self.state.frame * AROUND
            return [
                (n, first + n * AROUND) for n in range(1, shot.length + 1) if top - AROUND < first + n * AROUND < bottom + AROUND
            ]
        if self.zoom == "Faults only":
            return self._fault_rows(shot.length, top, room)
        step = room / shot.length
        return [(n, top + (n - 0.5) * step) for n in range(1, shot.length + 1)]

    def _fault_rows(self, length: int, top: float, room: float) -> list[tuple[int, float]]:
        wanted: set[int] = set()
        for f in self.state.findings():
            wanted.update(range(max(1, f.first - 3), min(length, f.last + 3) + 1))
        if not wanted:
            return [(n, top + (n - 0.5) * room / length) for n in range(1, length + 1)]
        frames = sorted(wanted)
        breaks = sum(1 for a, b in pairwise(frames) if b > a + 1)
        step = min(AROUND * 1.5, (room - breaks * BREAK) / len(frames))
        rows, y, before = [], top + step / 2, 0
        for n in frames:
            if before and n > before + 1:
                y += BREAK
            rows.append((n, y))
            y += step
            before = n
        return rows

    def row_height(self) -> float:
        rows = self._rows()
        gaps = [b[1] - a[1] for a, b in pairwise(rows)]
        return min(gaps) if gaps else 12.0

    def y_of(self, frame: int) -> float | None:
        return next((y for n, y in self._rows() if n == frame), None)

    def frame_at(self, y: float) -> int:
        rows = self._rows()
        return min(rows, key=lambda r: abs(r[1] - y))[0] if rows else 1

    def step_at(self, x: float) -> str:
        return next((sid for sid, left, width in self.shown_columns() if left <= x < left + width and x >= FILM), "")

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
        self._paint_playhead(p)
        p.save()
        p.setClipRect(beside)
        self._paint_values(p, self.shown_columns())
        p.restore()
        self._paint_hover(p)

    def _painted_layer(self, beside: QRectF) -> QPixmap:
        """All that stays as it is while only the playhead moves."""
        ratio = self.devicePixelRatioF()
        layer = QPixmap(self.size() * ratio)
        layer.setDevicePixelRatio(ratio)
        layer.fill(QColor(PANEL))
        p = QPainter(layer)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        rows, columns = self._rows(), self.shown_columns()
        p.save()
        p.setClipRect(beside)
        for sid, left, width in columns:
            self._paint_ground(p, sid, left, width)
        p.restore()
        self._paint_wash(p, rows)
        self._paint_film(p, rows)
        p.save()
        p.setClipRect(beside)
        for sid, left, width in columns:
            self._paint_trace(p, sid, left, width, rows)
            self._paint_pins(p, sid, left, rows)
            self._paint_head(p, sid, left, width)
        self._paint_stage_names(p)
        p.restore()
        self._paint_film_head(p)
        p.end()
        return layer

    def _paint_ground(self, p: QPainter, sid: str, left: float, width: float) -> None:
        top, bottom = self.body()
        chosen = sid == self.state.step_id
        ground = PAPER if chosen else RAISED
        limit = float(round(left + LIMIT_AT * width))
        p.fillRect(QRectF(left, top, limit - left, bottom - top), QColor(ground))
        hatch(p, QRectF(limit, top, left + width - limit, bottom - top), RULE, 6, 0.45, ground)
        vline(p, limit, top, bottom, EDGE)
        vline(p, left, 0, bottom, RULE)

    def _paint_wash(self, p: QPainter, rows: list[tuple[int, float]]) -> None:
        f = self.state.current_finding
        if not f:
            return
        ys = [y for n, y in rows if f.first <= n <= f.last]
        if ys:
            h = self.row_height() / 2
            p.save()
            p.setCompositionMode(QPainter.CompositionMode.CompositionMode_Multiply)
            p.fillRect(QRectF(0, ys[0] - h, self.width(), ys[-1] - ys[0] + 2 * h), QColor(VERMILION_WASH))
            p.restore()

    def _paint_film(self, p: QPainter, rows: list[tuple[int, float]]) -> None:
        shot = self.state.shot
        assert shot is not None
        step = self.row_height()
        every = 1 if step >= 6 else 6
        last_label, last_thumb = -1e9, -1e9
        cues = {c.frame: c.name for c in shot.cues}
        for n, y in rows:
            if (n - 1) % every == 0:
                p.setPen(Qt.PenStyle.NoPen)
                p.setBrush(QColor(WHITE))
                p.drawRoundedRect(QRectF(5, y - 2, 4, min(4.0, max(2.0, step * 0.5))), 1, 1)
            if n in self.thumbs and y - last_thumb >= 72:
                image = self.thumbs[n]
                h = 38 * image.height() / max(1, image.width())
                p.drawImage(QRectF(FILM - 40, y - step / 2, 38, h), image)
                last_thumb = y
            if n in cues:
                flag(p, 14, y)
                if y - last_label >= 12:
                    text(p, 22, y, cues[n], 10, 400, INK, room=FILM - 24)
                    last_label = y
            elif y - last_label >= 40 and (n == 1 or n % 6 == 1):
                text(p, 28, y, str(n), 10, 400, INK2, RIGHT)
                last_label = y

    def _paint_trace(self, p: QPainter, sid: str, left: float, width: float, rows: list[tuple[int, float]]) -> None:
        limit = LIMIT_AT * width
        chosen = sid == self.state.step_id
        ink = BLUE if chosen else INK
        runs: list[list[tuple[float, float]]] = [[]]
        unknown, stale = [], list[tuple[float, float]]()
        for n, y in rows:
            readings = self.state.readings.get(sid, {}).get(n)
            if readings is None:
                runs.append([])
                old = self.state.stale_at(sid, n)
                if old is not None and old.ratio is not None:
                    stale.append((left + 2 + min(old.ratio, MOST_RATIO) * (limit - 2), y))
                continue
            w = self.state.worst_at(sid, n)
            if w is None or w.ratio is None:
                runs.append([])
                if readings:
                    unknown.append(y)
                continue
            runs[-1].append((left + 2 + min(w.ratio, MOST_RATIO) * (limit - 2), y))
        for run in runs:
            if run:
                self._paint_run(p, run, left, limit, ink, chosen)
        pen = QPen(QColor(INK2), 1)
        pen.setDashPattern([1, 3])
        p.setPen(pen)
        for (x0, y0), (x1, y1) in pairwise(stale):  # out of date, being measured again: dotted, no filling
            if y1 - y0 < 2 * self.row_height() + 1:
                p.drawLine(QPointF(x0, y0), QPointF(x1, y1))
        for y in unknown:
            p.drawLine(QPointF(left + 4, y), QPointF(left + limit - 4, y))

    def _paint_run(self, p: QPainter, run: list[tuple[float, float]], left: float, limit: float, ink: str, chosen: bool) -> None:
        h = self.row_height() / 2
        line = QPainterPath(QPointF(run[0][0], run[0][1] - h))
        for x, y in run:
            line.lineTo(x, y)
        line.lineTo(run[-1][0], run[-1][1] + h)
        area = QPainterPath(line)
        area.lineTo(left + 1, run[-1][1] + h)
        area.lineTo(left + 1, run[0][1] - h)
        area.closeSubpath()
        p.fillPath(area, QColor(TRACE_FILL if chosen else "#D5D5D5"))
        if max(x for x, _ in run) > left + limit:
            p.save()
            p.setClipRect(QRectF(left + limit, 0, 1000, self.height()))
            hatch(p, area, VERMILION, 4, ground=WHITE)
            p.restore()
        p.setPen(QPen(QColor(ink), 1.3))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawPath(line)

    def _paint_pins(self, p: QPainter, sid: str, left: float, rows: list[tuple[int, float]]) -> None:
        shot = self.state.shot
        assert shot is not None
        frames = {pin.frame for pins in shot.step(sid).pins.values() for pin in pins}
        for n, y in rows:
            if n in frames:
                notch(p, left + 1, y)
        proposal = self.state.proposals.get(sid)
        if proposal and sid not in self.state.folded and rows:
            notch(p, left + 1, rows[0][1], "#8E4C7C", filled=False)

    def _paint_playhead(self, p: QPainter) -> None:
        y = self.y_of(self.state.frame)
        if y is None:
            return
        p.fillRect(QRectF(0, y - 1, self.width(), 2), QColor(BLUE))
        p.fillRect(QRectF(0, y - 9, 30, 18), QColor(BLUE))
        text(p, 15, y, str(self.state.frame), 12, 600, WHITE, CENTRE)
        p.fillRect(
            QRectF(30, y - 9, FILM - 31, 18), QColor(PANEL)
        )  # what stands at the line is of this frame; the heads have the worst
        text(p, 35, y, "here", 11, 600, BLUE_TEXT)

    def _paint_values(self, p: QPainter, columns: list[tuple[str, float, float]]) -> None:
        """Each column's value at the playhead."""
        y = self.y_of(self.state.frame)
        for sid, left, width in columns if y is not None else ():
            assert y is not None
            w = self.state.worst_at(sid, self.state.frame)
            if not w or w.value is None:
                continue
            words, px = fitting((value_words(w), figure(w.value)), width - 8, (11, 10, 9))
            over = w.state == FAULT
            ty = y - 10 if y - 20 > self.body()[0] else y + 12
            wide = min(text_width(words, px, 500) + 8, width - 2)
            box = QRectF(left + width - wide - 1, ty - 8, wide, 16)
            p.setPen(QPen(QColor(VERMILION if over else EDGE), 1))
            p.setBrush(QColor(PAPER))
            p.drawRect(box)
            text(p, box.center().x(), box.center().y(), words, px, 500, VERMILION_TEXT if over else INK, CENTRE, room=wide - 2)

    def _paint_head(self, p: QPainter, sid: str, left: float, width: float) -> None:
        shot = self.state.shot
        assert shot is not None
        step = shot.step(sid)
        chosen = sid == self.state.step_id
        p.fillRect(QRectF(left, 22, width, HEAD - 20), QColor(WHITE if chosen else PANEL))
        if chosen:
            p.fillRect(QRectF(left, 22, width, 3), QColor(BLUE))
        vline(p, left, 0, HEAD, RULE)
        hline(p, left, left + width, HEAD + 2, RULE)
        p.save()
        p.setClipRect(QRectF(left + 1, 22, width - 2, HEAD - 22))
        ink = INK if step.on else INK2
        narrow = width < NARROW
        wrapped(
            p,
            left + (3 if narrow else 6),
            38,
            width - (4 if narrow else 8),
            step.name,
            10 if narrow else 11,
            13,
            600,
            ink,
            most=3,
        )
        self._paint_worst(p, sid, step.on, left, width)
        p.restore()

    def _paint_worst(self, p: QPainter, sid: str, on: bool, left: float, width: float) -> None:
        found = self.state.worst_of(sid)
        y = 94.0
        if not on:
            text(p, left + 6, y, "switched off", 10, 400, INK2, room=width - 8)
            return
        if not found:
            waiting = not self.state.readings.get(sid)
            mark(p, "open" if waiting else "unknown", left + 11, y)
            words, px = fitting(("measuring" if waiting else "unknown",), width - 4, (10, 9, 8))
            text(p, left + 3, y + 14, words, px, 400, INK2, room=width - 3)
            return
        reading = found[1]
        mark(p, reading.state, left + 11, y)
        x, room = left + (3 if width < NARROW else 6), width - (4 if width < NARROW else 8)
        named = f"worst {reading.name}"
        text(p, x, y - 13, named if text_width(named, 10, 400) <= room else "worst", 10, 400, INK2, room=room)
        ink = VERMILION_TEXT if reading.state == FAULT else INK
        value, px = fitting((figure(reading.value or 0),), width - 21)
        text(p, left + 20, y, value, px, 600, ink, room=width - 20)
        # where a column is too narrow for both, the limit stands over its unit
        for line in _lines((f"{bound(reading)} {plain(reading.limit)}", reading.unit), room):
            y += 13
            text(p, x, y, line, 10, 400, INK2, room=room)

    def _paint_stage_names(self, p: QPainter) -> None:
        shot = self.state.shot
        assert shot is not None
        p.fillRect(QRectF(0, 0, self.width(), 22), QColor(PANEL))
        hline(p, 0, self.width(), 21, RULE)
        before = ""
        columns = self.columns()
        for i, (sid, left, width) in enumerate(columns):
            stage = kind_of(shot.step(sid).kind).stage
            if stage != before:
                vline(p, left, 0, 22, RULE)
                same = sum(1 for s, _, _ in columns[i:] if kind_of(shot.step(s).kind).stage == stage)
                # a stage that begins beyond the film edge keeps its name in sight
                at = max(left, FILM) + 6
                text(p, at, 11, stage, 11, 400, INK2, room=max(left + same * width - at - 2, 0.0))
                before = stage
        last = columns[-1]
        vline(p, last[1] + last[2], 0, self.height(), RULE)

    def _paint_film_head(self, p: QPainter) -> None:
        shot = self.state.shot
        assert shot is not None
        p.fillRect(QRectF(0, 0, FILM, 22), QColor(PANEL))
        hline(p, 0, FILM, 21, RULE)
        p.fillRect(QRectF(0, 22, FILM, HEAD - 20), QColor(PANEL))
        text(p, 6, 38, "Film edge", 11, 600)
        text(p, 6, 94, f"{float(shot.fps):.4g} / s", 11, 400)
        text(p, 6, 107, f"{shot.length / float(shot.fps):.1f} s in all", 10, 400, INK2)
        hline(p, 0, FILM, HEAD + 2, RULE)

    def _paint_hover(self, p: QPainter) -> None:
        if not self._hover:
            return
        y = self.y_of(self._hover[1])
        if y is not None:
            p.fillRect(QRectF(FILM, y, self.width() - FILM, 1), QColor(RULE2 if self._hover[1] == self.state.frame else EDGE))

    # -- pointer

    def fault_at(self, pos: QPointF) -> Finding | None:
        """The finding under a point: past the limit, within its frames."""
        sid, frame = self.step_at(pos.x()), self.frame_at(pos.y())
        found = next(((left, width) for s, left, width in self.columns() if s == sid), None)
        if not found or pos.x() < found[0] + LIMIT_AT * found[1] - 4:
            return None
        mine = [f for f in self.state.findings(sid) if f.first <= frame <= f.last]
        return max(mine, key=lambda f: f.value / f.limit) if mine else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() != Qt.MouseButton.LeftButton:
            return
        pos = event.position()
        sid = self.step_at(pos.x())
        if pos.y() < HEAD:
            if sid:
                self.state.set_step(sid)
            return
        finding = self.fault_at(pos)
        if finding:
            self.state.go_to(finding)
            self.fault_pressed.emit(finding)
            return
        self._drag = "play"
        if sid:
            self.state.set_step(sid)
        self.state.set_frame(self.frame_at(pos.y()))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        pos = event.position()
        if self._drag == "play":
            self.state.set_frame(self.frame_at(pos.y()))
            return
        sid = self.step_at(pos.x())
        if pos.y() > HEAD:
            self._hover = (sid, self.frame_at(pos.y()))
            QToolTip.showText(event.globalPosition().toPoint(), self.words_at(*self._hover), self)
        else:
            self._hover = None
            if sid:
                QToolTip.showText(event.globalPosition().toPoint(), self.words_of_head(sid), self)
        self.update()

    def words_at(self, sid: str, frame: int) -> str:
        """All readings of a step at a frame, as plain lines."""
        readings = self.state.readings.get(sid, {}).get(frame)
        if not sid:
            return f"Frame {frame}"
        if readings is None:
            return f"Frame {frame}: not measured yet"
        lines = [f"Frame {frame}"]
        for r in readings:
            lines.append(reading_words(r) + (f" ({r.note})" if r.note else ""))
        return "\n".join(lines)

    def words_of_head(self, sid: str) -> str:
        shot = self.state.shot
        assert shot is not None
        step = shot.step(sid)
        found = self.state.worst_of(sid)
        words = f"{step.name}: {kind_of(step.kind).says}"
        if found:
            n, r = found
            words += f"\nworst of all frames: {reading_words(r)}, at frame {n}"
        return words

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._drag = ""

    def leaveEvent(self, event: object) -> None:
        self._hover = None
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        sid = self.step_at(event.position().x())
        if event.position().y() < HEAD and sid:
            self.head_double_pressed.emit(sid)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        assert event is not None
        sid = self.step_at(event.pos().x())
        if sid:
            self.state.set_step(sid)
            self.head_menu.emit(sid, event.globalPos())

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        steps = -1 if event.angleDelta().y() > 0 else 1
        if self._scrolls and (event.modifiers() & Qt.KeyboardModifier.ShiftModifier or event.angleDelta().x()):
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
        self.zoom = zoom
        self.touch()
