"""Starting the window."""

from __future__ import annotations

import atexit
import gc
import sys
import traceback
from pathlib import Path
from types import TracebackType

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication

from transmixis.core import warm as core_warm
from transmixis.desk import viewimage
from transmixis.desk.theme import dress
from transmixis.desk.window import MainWindow
from transmixis.media import colour

_held: list[QApplication] = []  # without a reference the application would be collected


def application() -> QApplication:
    """The one QApplication, dressed."""
    existing = QApplication.instance()
    app = existing if isinstance(existing, QApplication) else QApplication(sys.argv[:1])
    _held[:] = [app]
    sys.setswitchinterval(SWITCH_INTERVAL)
    app.setApplicationName("Transmixis")
    dress(app)
    return app


def run(folder: Path | None, *, first_shot: bool = False) -> int:
    """Open the window, with a production (and its first shot on the bench) if one is given; run until it is closed."""
    app = application()
    warm_up()
    window = MainWindow()
    catch_faults(window)
    window.show()
    if folder is not None:
        QTimer.singleShot(0, lambda: window.productions.open_production(folder, first_shot=first_shot))
    return app.exec()


# Seconds that the interface's thread may go on before it must let the worker have the interpreter. With the usual 5 ms a
# repaint is cut into slices, between which the worker may hold the interpreter for longer than the slice.
SWITCH_INTERVAL = 0.02


def warm_up() -> None:
    """Compile and load what holds the interpreter; better before the window than in the middle of a drag."""
    core_warm.warm()
    colour.warm()
    viewimage.warm()
    gc.collect()
    gc.freeze()  # what libraries hold stays: walking it again and again would stall the window by a tenth of a second each time
    atexit.register(gc.unfreeze)


def catch_faults(window: MainWindow) -> None:
    """An exception that leaves a slot would end the program: log it, say so, and go on."""

    def hook(kind: type[BaseException], value: BaseException, trace: TracebackType | None) -> None:
        text = "".join(traceback.format_exception(kind, value, trace))
        sys.stderr.write(text)
        traceback.clear_frames(trace)  # a painter held by the trace would outlive its paint event and end the program
        window.engine.trouble.emit(text)

    sys.excepthook = hook
