"""Steps that are set from files, by the mouse: chosen in the sheet, and dropped on the window."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest
from deskhelp import settle, shown
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtWidgets import QFileDialog, QPushButton

from transmixis.media.exchange.tracks import Row, Track, write_csv
from transmixis.shot.document import Document
from transmixis.shot.workorder import new_shot, plate_from

KIND = "track_file"


@pytest.fixture
def film(tmp_path: Path) -> Path:
    rng = np.random.default_rng(4)
    picture = cv2.GaussianBlur(rng.random((120, 200, 3)), (0, 0), 1.5)
    take = tmp_path / "take"
    take.mkdir()
    for n in range(4):
        cv2.imwrite(str(take / f"take.{n + 1:04d}.png"), np.roll(255 * picture, 2 * n, axis=1).astype(np.uint8))
    folder = tmp_path / "film"
    doc = Document.create(folder, "F", "24")
    plate, info = plate_from(folder, take / "take.0001.png", None, "hero")
    doc.change_shot("Add", new_shot("SH010", "t", info, plate, "24"))
    doc.close()
    write_csv(tmp_path / "nail.csv", [Track("nail", tuple(Row(n + 1, 90.0 + 2 * n, 60.0) for n in range(4)))])
    (tmp_path / "broken.csv").write_text("frame,x,y\n1,x,2\n")
    return folder


def drop(window: Any, path: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path))])
    window.dropEvent(
        QDropEvent(QPointF(300, 300), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    )


def test_a_track_is_chosen_in_the_sheet_and_read_on_every_frame(
    qtbot: Any, film: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = shown(qtbot, film)
    state = window.state
    window.bench.acts.add_step(KIND)
    qtbot.waitUntil(lambda: state.step is not None and state.step.kind == KIND, timeout=20_000)
    sheet = window.bench.sheet
    assert "Nothing was read yet" in sheet._file.text()
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(tmp_path / "nail.csv"), ""))
    button = next(b for b in sheet.findChildren(QPushButton) if b.text().startswith("Choose a file"))
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: state.step is not None and state.step.params.get("source") == "nail.csv", timeout=20_000)
    qtbot.waitUntil(lambda: "nail.csv" in sheet._file.text(), timeout=5_000)
    step = state.step_id
    qtbot.waitUntil(lambda: len(state.known.readings.get(step, {})) == 4, timeout=60_000)
    unlike = [next(r.value for r in state.known.readings[step][n] if r.name == "unlike") for n in range(1, 5)]
    assert unlike[0] == 0
    assert max(unlike) < 5
    assert "read" in {e.kind for e in state.session.document.log.entries()}
    settle(qtbot, window)


def test_a_dropped_track_is_a_step_and_a_broken_one_is_told(qtbot: Any, film: Path, tmp_path: Path) -> None:
    window = shown(qtbot, film)
    state = window.state
    before = len(state.shot.steps)
    with qtbot.waitSignal(state.said, timeout=20_000, check_params_cb=lambda words, _: "line 2" in words):
        drop(window, tmp_path / "broken.csv")
    assert len(state.shot.steps) == before
    drop(window, tmp_path / "nail.csv")
    qtbot.waitUntil(lambda: len(state.shot.steps) == before + 1, timeout=20_000)
    qtbot.waitUntil(lambda: state.step is not None and state.step.kind == KIND, timeout=5_000)
    state.edits.undo()
    qtbot.waitUntil(lambda: len(state.shot.steps) == before, timeout=20_000)
    settle(qtbot, window)
