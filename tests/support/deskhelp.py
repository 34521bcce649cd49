"""Driving the window: waiting until it is done, and pressing into a widget."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication, QWidget

from transmixis.desk.window import MainWindow

LONG = 120_000  # ms


def settle(qtbot: Any, window: MainWindow) -> None:
    qtbot.waitUntil(lambda: window.engine.waiting == 0, timeout=LONG)
    QApplication.processEvents()


def press(qtbot: Any, widget: QWidget, x: float, y: float) -> None:
    qtbot.mouseClick(widget, Qt.MouseButton.LeftButton, pos=QPoint(round(x), round(y)))
