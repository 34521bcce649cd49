"""The shelf page: the production's stock elements as small pictures that play under the pointer, each with its card."""

from __future__ import annotations

from functools import partial
from pathlib import Path

import numpy as np
from PyQt6 import sip
from PyQt6.QtCore import QMimeData, QRectF, QSize, Qt, QTimer, QUrl
from PyQt6.QtGui import QColor, QDrag, QImage, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QLabel, QLineEdit, QPushButton, QScrollArea, QVBoxLayout, QWidget

from transmixis.core.colour.curves import linear_to_srgb
from transmixis.core.progress import Progress
from transmixis.core.types import Array
from transmixis.desk.engine import AHEAD, MEASURE
from transmixis.desk.marks import text, vline, wrapped
from transmixis.desk.page import Page
from transmixis.desk.state import State
from transmixis.desk.theme import BLUE, EDGE, INK, INK2, PAPER, WELL
from transmixis.shot.model import Element
from transmixis.shot.shelf import facts_of, find, measure_element, thumbnails, with_element, with_element_plate, without_element
from transmixis.shot.store import real_path

CARD = QSize(236, 236)
PICTURE = QRectF(8, 8, 220, 124)
BEAT = 60  # ms between the pictures of a strip that plays


class ElementCard(QWidget):
    """One element: its picture (playing under the pointer), the span of its action, and what was measured."""

    def __init__(self, state: State, element: Element, page: ShelfPage) -> None:
        super().__init__()
        self._state, self.element, self._page = state, element, page
        self.strip: list[QImage] = []
        self.at = 0
        self.setFixedSize(CARD)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(element.name)
        self.setToolTip(f"{facts_of(element)}.\nRest the pointer on the picture and it plays.")
        self._beat = QTimer(self)
        self._beat.timeout.connect(self._on)
        folder = state.folder
        if folder:
            state.engine.ask(AHEAD, partial(_strip, folder, element), self._take, lambda e: None, tag="shelf")

    def _take(self, strip: list[QImage]) -> None:
        if sip.isdeleted(self):
            return
        self.strip = strip
        span = max(1, self.element.last - self.element.first)
        self.at = min(len(strip) - 1, round((self.element.peak - self.element.first) / span * (len(strip) - 1))) if strip else 0
        self.update()

    def enterEvent(self, event: object) -> None:
        self._beat.start(BEAT)

    def leaveEvent(self, event: object) -> None:
        self._beat.stop()

    def _on(self) -> None:
        if self.strip:
            self.at = (self.at + 1) % len(self.strip)
            self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self._page.choose(self.element.id)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Drag the element's file: onto the window's other pages, or anywhere that takes files."""
        folder = self._state.folder
        if event is None or not folder or not event.buttons() & Qt.MouseButton.LeftButton:
            return
        if not QRectF(self.rect()).contains(event.position()):
            data = QMimeData()
            data.setUrls([QUrl.fromLocalFile(str(real_path(folder, self.element.path)))])
            drag = QDrag(self)
            drag.setMimeData(data)
            drag.exec(Qt.DropAction.CopyAction)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        p.fillRect(self.rect(), QColor(PAPER))
        chosen = self._page.chosen == self.element.id
        p.setPen(QPen(QColor(BLUE if chosen else EDGE), 2 if chosen else 1))
        p.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))
        p.fillRect(PICTURE, QColor("#000000"))
        if self.strip:
            image = self.strip[self.at]
            size = image.size().scaled(int(PICTURE.width()), int(PICTURE.height()), Qt.AspectRatioMode.KeepAspectRatio)
            where = QRectF(
                PICTURE.center().x() - size.width() / 2, PICTURE.center().y() - size.height() / 2, size.width(), size.height()
            )
            p.drawImage(where, image)
        else:
            text(p, PICTURE.center().x(), PICTURE.center().y(), "looking", 11, 400, "#B4B4B4", "centre")
        self._paint_span(p)
        e = self.element
        text(p, 8, 156, e.name.replace("_", " "), 13, 600, INK, room=220)
        wrapped(p, 8, 174, 220, f"{facts_of(e)[0].upper()}{facts_of(e)[1:]}", 11, 14, 400, INK2, 4)

    def _paint_span(self, p: QPainter) -> None:
        """The whole length, the action in it, its peak."""
        e = self.element
        y, left, width = PICTURE.bottom() + 6, PICTURE.left(), PICTURE.width()
        p.fillRect(QRectF(left, y, width, 4), QColor(WELL))
        x0, x1 = left + (e.first - 1) / e.count * width, left + e.last / e.count * width
        p.fillRect(QRectF(x0, y, x1 - x0, 4), QColor("#555555"))
        vline(p, left + (e.peak - 0.5) / e.count * width, y - 2, y + 6, INK, 2)


class ShelfPage(Page):
    """All elements, narrowed by words and measures; add and take off."""

    def __init__(self, state: State) -> None:
        super().__init__(state)
        self.setObjectName("page")
        self.chosen = ""
        self.cards: list[ElementCard] = []
        self.search, self.add, self.off = QLineEdit(), QPushButton("Put on the shelf …"), QPushButton("Take off")
        self.use = QPushButton("Add to the shot")
        self.search.setPlaceholderText("Find: smoke, black, up, loops, >2s")
        self.search.setToolTip("Words of the name and the card; loops; >2s or <48f for the length.")
        self.search.setMinimumWidth(280)
        self.add.setObjectName("act")
        self.add.setToolTip("Choose movies or sequences; each is measured and gets a card.")
        self.use.setToolTip("Makes the chosen element a plate of the shot that is open, so that its steps can take it.")
        self.off.setToolTip("Takes the chosen element off the shelf; its file stays. Can be undone.")
        title = QLabel("Shelf")
        title.setObjectName("title")
        head = QHBoxLayout()
        head.addWidget(title)
        head.addStretch(1)
        for w in (self.search, self.add, self.use, self.off):
            head.addWidget(w)
        self.note = QLabel("")
        self.note.setObjectName("note")
        self._grid = QWidget()
        self._scroll = QScrollArea()
        self._scroll.setWidget(self._grid)
        self._scroll.setWidgetResizable(False)
        box = QVBoxLayout(self)
        box.setContentsMargins(16, 12, 16, 12)
        box.addLayout(head)
        box.addWidget(self.note)
        box.addWidget(self._scroll, 1)
        self.search.textChanged.connect(lambda _: self.refresh())
        self.add.clicked.connect(self.ask_files)
        self.off.clicked.connect(self.take_off)
        self.use.clicked.connect(self.add_to_shot)

    def resizeEvent(self, event: object) -> None:
        self._arrange()

    def elements(self) -> list[Element]:
        """What the search leaves."""
        session = self._state.session
        return find(session.document.film.shelf.elements, self.search.text()) if session else []

    def refresh(self) -> None:
        """Show the elements that fit; cards that stand already stay."""
        wanted = self.elements()
        held = {c.element: c for c in self.cards}
        for c in self.cards:
            if c.element not in wanted:
                c.setParent(None)
                c.deleteLater()
        self.cards = []
        for e in wanted:
            card = held.get(e) or ElementCard(self._state, e, self)
            card.setParent(self._grid)
            card.show()
            self.cards.append(card)
        self._arrange()
        self._enable()
        session = self._state.session
        count = len(session.document.film.shelf.elements) if session else 0
        if count == 0:
            self.note.setText(
                "Nothing is on the shelf yet. Drop stock elements here: smoke, sparks, dust, water, on black or with alpha."
            )
        else:
            self.note.setText(f"{len(wanted)} of {count} elements. Rest the pointer on a picture and it plays.")

    def _arrange(self) -> None:
        gap = 12
        across = max(1, (self._scroll.width() - 20) // (CARD.width() + gap))
        for i, c in enumerate(self.cards):
            c.move((i % across) * (CARD.width() + gap), (i // across) * (CARD.height() + gap))
        rows = -(-len(self.cards) // across)
        self._grid.resize(across * (CARD.width() + gap), max(1, rows * (CARD.height() + gap)))

    def choose(self, element_id: str) -> None:
        """Choose an element."""
        self.chosen = element_id
        self._enable()
        for c in self.cards:
            c.update()

    def _enable(self) -> None:
        here = any(c.element.id == self.chosen for c in self.cards)
        self.off.setEnabled(here)
        self.use.setEnabled(here and self._state.shot is not None)
        self.use.setText(f"Add to {self._state.code}" if self._state.code else "Add to the shot")

    def add_to_shot(self) -> None:
        """Make the chosen element a plate of the shot that is open."""
        shot, folder = self._state.shot, self._state.folder
        card = next((c for c in self.cards if c.element.id == self.chosen), None)
        if not shot or not folder or card is None:
            return
        e = card.element
        if self._state.edits.change(f"Add {e.name} to {shot.code}", lambda: with_element_plate(folder, shot, e)):
            self._state.said.emit(f"{e.name} is a plate of {shot.code} now; choose it as an input in a step's sheet.", "note")

    def ask_files(self) -> None:
        files, _ = QFileDialog.getOpenFileNames(self, "Put on the shelf", "", "Movies and pictures (*)")
        self.put([Path(f) for f in files])

    def put(self, files: list[Path]) -> None:
        """Measure files in the background and put them on the shelf."""
        session = self._state.session
        if not session:
            return
        taken = {e.id for e in session.document.film.shelf.elements}
        for path in files:
            self._state.said.emit(f"Measuring {path.name}.", "note")
            self._state.engine.ask(
                MEASURE,
                partial(measure_element, session.document.folder, path, taken, (), Progress()),
                self._took,
                lambda e: self._state.said.emit(e, "trouble"),
                tag="put",
            )

    def _took(self, element: Element) -> None:
        session = self._state.session
        if not session:
            return
        film = session.document.film
        if any(e.id == element.id and e.path != element.path for e in film.shelf.elements):
            element = element.model_copy(update={"id": f"{element.id}_{len(film.shelf.elements) + 1}"})
        if self._state.edits.change_film(f"Put {element.name} on the shelf", lambda now: with_element(now, element)):
            session.document.log.add("shelf", f"{element.name}: {facts_of(element)}")
        self.refresh()

    def take_off(self) -> None:
        """Take the chosen element off the shelf."""
        session = self._state.session
        if session and self.chosen:
            session.document.apply("Take an element off the shelf", without_element(session.document.film, self.chosen))
            self.chosen = ""
            self.refresh()


def _strip(folder: Path, element: Element) -> list[QImage]:
    return [_image(t) for t in thumbnails(folder, element)]


def _image(linear: Array) -> QImage:
    codes = np.ascontiguousarray((np.clip(linear_to_srgb(np.clip(linear, 0, 1)), 0, 1) * 255 + 0.5).astype(np.uint8))
    h, w = codes.shape[:2]
    return QImage(codes.tobytes(), w, h, 3 * w, QImage.Format.Format_RGB888).copy()
