"""A real window for every desk test; a failing test saves its picture."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from deskhelp import settle
from PyQt6.QtCore import QSettings
from PyQt6.QtWidgets import QApplication

from transmixis.desk.app import application, warm_up
from transmixis.desk.window import MainWindow


@pytest.fixture(scope="session")
def qapp() -> QApplication:
    """The application in its own dress."""
    warm_up()
    return application()


@pytest.hookimpl(hookwrapper=True)
def pytest_runtest_makereport(item: pytest.Item) -> Iterator[None]:
    outcome: Any = yield
    if outcome.get_result().when == "call" and outcome.get_result().failed:
        window = getattr(item, "funcargs", {}).get("window")
        if window is not None:
            folder = Path(item.config.rootpath) / "out" / "failed"
            folder.mkdir(parents=True, exist_ok=True)
            window.grab().save(str(folder / f"{item.name}.png"))


@pytest.fixture
def window(qtbot: Any, tmp_path: Path) -> Iterator[MainWindow]:
    """An empty window of 1280 x 800."""
    settings = QSettings(str(tmp_path / "window.ini"), QSettings.Format.IniFormat)
    w = MainWindow(settings=settings)
    w.resize(1280, 800)
    w.show()
    qtbot.waitExposed(w)
    yield w
    w.close()
    assert not w.engine.running
    w.deleteLater()


@pytest.fixture
def bench(window: MainWindow, demo_copy: Path, qtbot: Any) -> MainWindow:
    """The window with the short demo shot open and measured."""
    assert window.productions.open_folder(demo_copy)
    window.open_shot("KP010", "")
    settle(qtbot, window)
    return window
