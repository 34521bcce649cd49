"""Driving the window: waiting until it is done, and pressing into a widget."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

import numpy as np
from clirun import here
from PyQt6.QtCore import QEvent, QPoint, QPointF, QSettings, Qt, QTimer
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QApplication, QDialog, QWidget

from transmixis.desk.window import MainWindow

LONG = 240_000  # ms; no test is timed by it, it only ends one that hangs, on a machine that does much else too
LEFT = Qt.MouseButton.LeftButton


def settle(qtbot: Any, window: MainWindow) -> None:
    """Until nothing is computed any more, and what was changed is on the disk."""
    qtbot.waitUntil(lambda: window.engine.waiting == 0, timeout=LONG)
    QApplication.processEvents()
    if window.state.session:
        window.state.session.document.wait()


def shown(qtbot: Any, folder: Path) -> MainWindow:
    """A window of 1280 x 800 on the bench of a production that is still being measured."""
    w = MainWindow(settings=QSettings(str(folder.parent / "window.ini"), QSettings.Format.IniFormat))
    qtbot.addWidget(w)
    w.resize(1280, 800)
    w.show()
    assert w.productions.open_folder(folder)
    w.show_page("bench")
    return w


def opened(qtbot: Any, folder: Path) -> MainWindow:
    """The same, when all of it is measured."""
    w = shown(qtbot, folder)
    settle(qtbot, w)
    return w


def with_step(qtbot: Any, folder: Path, take: Path, kind: str, name: str = "") -> MainWindow:
    """A window on a new production whose one shot has a take and a step of a kind, which is chosen."""
    here("new", folder, "--name", "The Kite Post")
    here("add", folder, "A010", take, "--role", "hero")
    w = opened(qtbot, folder)
    w.state.set_step(w.state.edits.run("step.add", kind=kind, name=name).made)
    settle(qtbot, w)
    return w


def press(qtbot: Any, widget: QWidget, x: float, y: float) -> None:
    qtbot.mouseClick(widget, Qt.MouseButton.LeftButton, pos=QPoint(round(x), round(y)))


def mouse(
    window: MainWindow, kind: QEvent.Type, x: float, y: float, button: Any = LEFT, keys: Any = Qt.KeyboardModifier.NoModifier
) -> None:
    """An event at a place of the frame in the viewer, to a fraction of a screen pixel."""
    v = window.bench.viewer
    p = v.to_screen(x, y)
    held = Qt.MouseButton.NoButton if kind == QEvent.Type.MouseButtonRelease else button
    QApplication.sendEvent(v, QMouseEvent(kind, p, v.mapToGlobal(p), button, held, keys))


def click(window: MainWindow, x: float, y: float, button: Any = LEFT) -> None:
    """Press and let go at a place of the frame."""
    mouse(window, QEvent.Type.MouseButtonPress, x, y, button)
    mouse(window, QEvent.Type.MouseButtonRelease, x, y, button)


def drag(window: MainWindow, a: Any, b: Any, *, drop: bool = True, modifiers: Any = Qt.KeyboardModifier.NoModifier) -> None:
    """From one place of the frame to another; the button stays down unless it is let go."""
    mouse(window, QEvent.Type.MouseButtonPress, *a, keys=modifiers)
    mouse(window, QEvent.Type.MouseMove, *((np.array(a) + np.array(b)) / 2), keys=modifiers)
    mouse(window, QEvent.Type.MouseMove, *b, keys=modifiers)
    if drop:
        mouse(window, QEvent.Type.MouseButtonRelease, *b, keys=modifiers)


class Sheet:
    """A canvas for tools of 640 x 480, on which a px of the frame is two of the screen."""

    show_panel, shown = True, None

    def width(self) -> int:
        return 640

    def height(self) -> int:
        return 480

    def to_screen(self, x: float, y: float) -> QPointF:
        return QPointF(2 * x, 2 * y)

    def to_frame(self, p: QPointF) -> QPointF:
        return QPointF(p.x() / 2, p.y() / 2)

    def scale(self) -> float:
        return 2.0

    def update(self) -> None: ...


D = TypeVar("D", bound=QDialog)


def when_shown(kind: type[D], do: Callable[[D], None]) -> None:
    """Do something with the next dialog of a kind, as soon as it is there."""

    def look() -> None:
        dialog = next((w for w in QApplication.topLevelWidgets() if isinstance(w, kind) and w.isVisible()), None)
        if dialog is None:
            QTimer.singleShot(50, look)
        else:
            do(dialog)

    QTimer.singleShot(50, look)
