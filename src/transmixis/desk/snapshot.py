"""Pictures of the window without a display."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QCoreApplication, QSettings
from PyQt6.QtWidgets import QWidget

from transmixis.desk.app import application
from transmixis.desk.window import MainWindow


def wait_until(done: Callable[[], bool], seconds: float = 120.0) -> bool:
    """Let the interface run until something is done."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        QCoreApplication.processEvents()
        if done():
            QCoreApplication.processEvents()
            return True
        time.sleep(0.005)
    return False


def quiet_window(folder: Path | None, size: tuple[int, int] = (1280, 800)) -> MainWindow:
    """A window with settings of its own, opened on a production."""
    application()
    settings = QSettings(str((folder or Path.cwd()) / ".window.ini"), QSettings.Format.IniFormat) if folder else QSettings("", "")
    window = MainWindow(settings=settings)
    window.resize(*size)
    window.show()
    if folder:
        window.productions.open_folder(folder)
    return window


def save_window_picture(folder: Path, code: str, target: Path) -> None:
    """Open a shot on the bench, wait until it is measured, and save a picture of the window."""
    window = quiet_window(folder)
    window.open_shot(code, "Matte")
    settle(window)
    save(window, target)
    window.close()


def settle(window: MainWindow) -> bool:
    """Wait until nothing is under way."""
    return wait_until(lambda: window.engine.waiting == 0 and window.bench.viewer.shown is not None, 600)


def save(widget: QWidget, target: Path) -> None:
    target.parent.mkdir(parents=True, exist_ok=True)
    widget.grab().save(str(target))
