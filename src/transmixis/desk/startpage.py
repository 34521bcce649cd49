"""What is shown when no production is open: what to do first."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QListWidget, QListWidgetItem, QPushButton, QVBoxLayout, QWidget

from transmixis.desk.marks import jaws, text
from transmixis.desk.theme import INK, INK2, PANEL


class StartPage(QWidget):
    """Three ways to begin, and the productions opened last."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("page")
        self.demo = QPushButton("Open the demo film")
        self.demo.setObjectName("act")
        self.demo.setToolTip(
            "Copies 'The Kite Post' into your home folder and opens it: three shots to look at and to try everything on."
        )
        self.new = QPushButton("New production…")
        self.new.setToolTip("Makes a folder for a film. Then add plates.")
        self.open = QPushButton("Open a production…")
        self.open.setToolTip("Opens a production's folder.")
        self.recent = QListWidget()
        self.recent.setMaximumHeight(170)
        self.recent.setAccessibleName("Opened last")
        lead = QLabel(
            "Start with the demo film, or drop a green or blue screen movie on this window:\nit becomes a shot with a first work order, measured from the first frame on."
        )
        lead.setAlignment(Qt.AlignmentFlag.AlignLeft)
        buttons = QHBoxLayout()
        for b in (self.demo, self.new, self.open):
            b.setMinimumHeight(30)
            buttons.addWidget(b)
        buttons.addStretch(1)
        self._recent_title = QLabel("Opened last")
        self._recent_title.setObjectName("title")
        inner = QVBoxLayout()
        inner.setSpacing(16)
        inner.addWidget(lead)
        inner.addLayout(buttons)
        inner.addSpacing(12)
        inner.addWidget(self._recent_title)
        inner.addWidget(self.recent)
        holder = QWidget()
        holder.setLayout(inner)
        holder.setFixedWidth(620)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 250, 0, 0)
        box.addWidget(holder, 0, Qt.AlignmentFlag.AlignHCenter)
        box.addStretch(1)

    def show_recent(self, folders: list[str]) -> None:
        """List the productions opened last."""
        self.recent.clear()
        for f in folders:
            self.recent.addItem(QListWidgetItem(f))
        self.recent.setVisible(bool(folders))
        self._recent_title.setVisible(bool(folders))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(QRectF(self.rect()), QColor(PANEL))
        left = (self.width() - 620) / 2 + 12
        jaws(p, left + 26, 130, 24, INK)
        text(p, left + 74, 118, "Transmixis", 26, 600)
        text(p, left + 74, 148, "Every step is measured, every frame is accounted for.", 13, 400, INK2)
