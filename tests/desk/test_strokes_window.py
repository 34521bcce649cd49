"""Strokes in the window: drawn with both mouse buttons, carried, taken back, where it asks, and joined with another matte."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from deskhelp import mouse, settle, with_step
from PyQt6.QtCore import QEvent, Qt
from shapeshot import LENGTH, SIZE, truth, written

from transmixis.core.roto.cover import covered
from transmixis.desk.snapshot import wait_until
from transmixis.desk.window import MainWindow

FRAME = 5


@pytest.fixture(scope="module")
def take(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return written(tmp_path_factory.mktemp("strokes-window"))


@pytest.fixture
def window(take: Path, tmp_path: Path, qtbot: Any) -> Iterator[MainWindow]:
    w = with_step(qtbot, tmp_path / "film", take, "stroke_cut", "Cat")
    w.state.set_frame(FRAME)
    settle(qtbot, w)
    yield w
    w.close()


def drawn(window: MainWindow, line: np.ndarray, button: Qt.MouseButton) -> None:
    """A stroke along a line of the frame."""
    fine = np.concatenate([a + np.linspace(0, 1, 8)[:, None] * (b - a) for a, b in pairwise(line)])
    mouse(window, QEvent.Type.MouseButtonPress, *fine[0], button)
    for p in fine[1:]:
        mouse(window, QEvent.Type.MouseMove, *p, button)
    mouse(window, QEvent.Type.MouseButtonRelease, *fine[-1], button)


def test_two_strokes_of_the_mouse_cut_out_and_are_undone(window: MainWindow, qtbot: Any) -> None:
    s, line = window.state, truth(FRAME)
    middle = line.mean(axis=0)
    drawn(window, middle + 0.5 * (line[::24] - middle), Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    assert s.step is not None
    assert [x[:2] for x in s.step.params["strokes"]] == [[FRAME, "in"]]
    drawn(window, middle + 1.5 * (line[10:90:8] - middle), Qt.MouseButton.RightButton)
    settle(qtbot, window)
    assert [x[:2] for x in s.step.params["strokes"]] == [[FRAME, "in"], [FRAME, "out"]]
    assert wait_until(lambda: len(s.known.readings.get(s.step.id, {})) == LENGTH, 60)
    doubt = next(r for r in s.known.readings[s.step.id][FRAME] if r.name == "doubt")
    assert doubt.value == 0
    s.set_view("Matte")
    settle(qtbot, window)
    shown = window.bench.viewer.shown
    assert shown is not None
    mask = np.array([[(shown.values(x, y)[1] or 0.0) > 0.5 for x in range(0, SIZE[1], 4)] for y in range(0, SIZE[0], 4)])
    wanted = (covered(line, *SIZE) > 0.5)[::4, ::4]
    assert (mask & wanted).sum() / (mask | wanted).sum() > 0.8
    window.bench.viewer.setFocus()
    qtbot.keyClick(window.bench.viewer, Qt.Key.Key_Backspace)
    settle(qtbot, window)
    assert [x[:2] for x in s.step.params["strokes"]] == [[FRAME, "in"]]
    s.edits.undo()
    settle(qtbot, window)
    assert len(s.step.params["strokes"]) == 2


def test_at_another_frame_strokes_are_its_own(window: MainWindow, qtbot: Any) -> None:
    s = window.state
    drawn(window, np.array([[120.0, 80.0], [150, 100]]), Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    s.set_frame(FRAME + 2)
    settle(qtbot, window)
    assert window.bench.viewer.tool is not None
    assert len(window.bench.viewer.tool.value) == 0
    drawn(window, np.array([[20.0, 20.0], [60, 20]]), Qt.MouseButton.RightButton)
    settle(qtbot, window)
    assert s.step is not None
    assert [x[:2] for x in s.step.params["strokes"]] == [[FRAME, "in"], [FRAME + 2, "out"]]


def test_readings_stand_where_the_chosen_step_s_plot_says(window: MainWindow, qtbot: Any) -> None:
    """What the plot of the step before was asked for may come when another is chosen; it has no say any more."""
    sheet = window.bench.sheet
    before = sheet.plot
    assert before is not None
    window.state.set_step(window.state.edits.run("step.add", kind="garbage_matte", name="Around").made)
    assert sheet.plot is not before
    said = sheet.card._readings_here
    before.elsewhere.emit(not said)
    assert sheet.card._readings_here == said


def test_the_result_of_a_matte_that_nothing_uses_yet_is_what_it_cuts_out(window: MainWindow, qtbot: Any) -> None:
    """Bright within, dark outside so that one can go on drawing; once a step is made of it, the shot's picture."""
    s, middle = window.state, truth(FRAME).mean(axis=0)

    def seen(view: str) -> Any:
        s.set_view(view)
        settle(qtbot, window)
        wait_until(lambda: window.bench.viewer.shown is not None and window.bench.viewer.shown.title == view, 30)
        shown = window.bench.viewer.shown
        assert shown is not None
        return shown.image

    plate = seen("Plate")
    assert seen("Result").pixelColor(5, 5) == plate.pixelColor(5, 5)  # nothing is cut out yet
    drawn(window, middle + 0.5 * (truth(FRAME)[::24] - middle), Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    drawn(window, middle + 1.5 * (truth(FRAME)[10:90:8] - middle), Qt.MouseButton.RightButton)
    settle(qtbot, window)
    cut, (x, y) = seen("Result"), (round(v) for v in middle)
    assert cut.pixelColor(x, y) == plate.pixelColor(x, y)
    assert cut.pixelColor(5, 5).lightness() < 0.6 * plate.pixelColor(5, 5).lightness()
    step = s.step_id
    assert s.refs()[1] == f"step:{step}"
    joined = s.edits.run("step.add", kind="join_mattes", name="Joined").made
    s.edits.run("step.connect", step=joined, slot="first", ref=f"step:{step}")
    settle(qtbot, window)
    s.set_step(step)
    assert s.refs()[1] == f"step:{joined}"


def test_controls_that_do_nothing_in_a_mode_are_not_shown(window: MainWindow, qtbot: Any) -> None:
    """A Luma matte by a colour has that colour's tolerances, by light where it begins and ends."""
    s, sheet = window.state, window.bench.sheet
    s.set_step(s.edits.run("step.add", kind="luma_matte", name="Light").made)
    settle(qtbot, window)

    def shown() -> set[str]:
        return {n for n, r in sheet._rulers.items() if not r.isHidden()}

    assert shown() == {"low", "high"}
    box = sheet._choices["by"]
    box.setCurrentText("a sampled colour")
    box.textActivated.emit("a sampled colour")
    settle(qtbot, window)
    assert shown() == {"along", "across", "soft", "at"}
    s.edits.undo()
    settle(qtbot, window)
    assert shown() == {"low", "high"}
