"""A kind that the window has never heard of: its column, sheet, tool and menu are there by what it declares."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from deskhelp import opened, settle
from dimkind import Dim
from partedkind import HIDDEN_AT, Parted
from PyQt6.QtCore import Qt

from transmixis.desk.ruler import Ruler
from transmixis.desk.tools.box import BoxTool
from transmixis.desk.window import MainWindow
from transmixis.media.still import write_still
from transmixis.shot.document import Document
from transmixis.shot.edits import do
from transmixis.shot.model import Plate, Shot
from transmixis.shot.steps import KINDS

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def window(qtbot: Any, tmp_path: Path) -> Iterator[MainWindow]:
    KINDS[Dim.kind] = Dim()
    write_still(tmp_path / "wall.png", np.full((240, 320, 3), 0.5, np.float32), kind="uint8")
    doc = Document.create(tmp_path / "film", "Film")
    plates = (Plate(id="still", role="still", path=str(tmp_path / "wall.png")),)
    doc.change_shot("Make", Shot(code="A", length=3, width=320, height=240, plates=plates))
    do(doc, "A", "step.add", kind=Dim.kind)
    doc.close()
    w = opened(qtbot, tmp_path / "film")
    w.state.set_step(Dim.kind)
    settle(qtbot, w)
    yield w
    w.close()
    del KINDS[Dim.kind]


def test_its_column_sheet_readings_and_tool_are_there(window: MainWindow, qtbot: Any) -> None:
    s = window.state
    assert [c[0] for c in window.bench.ledger.columns()] == [Dim.kind]
    reading = s.known.worst_at(Dim.kind, 2)
    assert reading is not None
    assert (reading.name, reading.unit) == ("light left", "%")
    rulers = window.bench.sheet.findChildren(Ruler)
    assert any(r.isVisible() and "Radius" in r.accessibleName() for r in rulers), [r.accessibleName() for r in rulers]
    assert s.known.stage_state("Build")[0] in ("sound", "watch")
    plot = window.bench.sheet.plot
    assert plot is not None
    assert plot.shown is not None
    assert (plot.shown.title, plot.shown.words, plot.toolTip()) == ("Dimmed", f"frame {s.frame}", "How light it is.")
    viewer = window.bench.viewer
    assert isinstance(viewer.tool, BoxTool)
    assert window.bench._pointer.text() == "Drag a box over what is dimmed."
    a, b = viewer.to_screen(20, 30).toPoint(), viewer.to_screen(120, 90).toPoint()
    qtbot.mousePress(viewer, LEFT, pos=a)
    qtbot.mouseMove(viewer, b)
    qtbot.mouseRelease(viewer, LEFT, pos=b)
    settle(qtbot, window)
    assert s.step is not None
    (x0, y0), (x1, y1) = s.step.params["box"]
    assert np.allclose([x0, y0, x1, y1], [20, 30, 120, 90], atol=2)
    window.state.edits.undo()
    assert "box" not in (s.step.params if s.step else {})
    picture = s.renderer().product(f"step:{Dim.kind}", 1).picture  # type: ignore[union-attr]
    assert picture is not None
    assert picture.max() < 0.3


def test_a_further_product_is_chosen_by_its_words(window: MainWindow, qtbot: Any) -> None:
    KINDS[Parted.kind] = Parted()
    try:
        s = window.state
        s.edits.run("step.add", kind=Parted.kind)
        settle(qtbot, window)
        s.set_step(Dim.kind)
        settle(qtbot, window)
        box = window.bench.sheet._inputs["picture"]
        there = [box.itemText(i) for i in range(box.count())]
        assert "Parted: the right side" in there
        assert not any("the left's matte" in words for words in there)  # no picture
        box.setCurrentIndex(there.index("Parted: the right side"))
        box.activated.emit(box.currentIndex())
        settle(qtbot, window)
        assert s.step is not None
        assert s.step.inputs["picture"] == f"step:{Parted.kind}/right"
        assert box.currentText() == "Parted: the right side"
        said = s.known.readings[Dim.kind][HIDDEN_AT][0]
        assert said.value is None
        assert "it is hidden" in said.note
        s.edits.undo()
    finally:
        settle(qtbot, window)
        window.state.edits.undo()
        settle(qtbot, window)
        del KINDS[Parted.kind]
