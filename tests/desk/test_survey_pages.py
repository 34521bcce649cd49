"""The survey's sheets, the findings page and the shelf, driven in the real window."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from deskhelp import press, settle
from PyQt6.QtCore import Qt

from transmixis.desk.window import MainWindow


def test_findings_of_every_plate_are_listed_answered_and_mended(bench: MainWindow, qtbot: Any) -> None:
    s = bench.state
    qtbot.keyClick(bench, Qt.Key.Key_S)
    assert bench.page == "findings"
    page = bench.findings
    settle(qtbot, bench)
    plates = {page.table.item(i, 1).text() for i in range(page.table.rowCount())}  # type: ignore[union-attr]
    assert plates == {"hero", "clean", "background"}
    row = next(i for i, r in enumerate(page._rows) if r.plate == "plate:hero" and r.finding.topic == "camera")
    page.table.selectRow(row)
    qtbot.mouseClick(page.reshoot, Qt.MouseButton.LeftButton)
    settle(qtbot, bench)
    assert [(v.step, v.answer) for v in s.shot.verdicts] == [("plate:hero", "reshoot")]  # type: ignore[union-attr]
    s.edits.undo()
    assert s.shot.verdicts == ()  # type: ignore[union-attr]
    settle(qtbot, bench)
    row = next(i for i, r in enumerate(page._rows) if r.plate == "plate:hero" and r.finding.topic == "exposure")
    page.table.selectRow(row)
    qtbot.mouseClick(page.mend, Qt.MouseButton.LeftButton)
    assert (bench.page, s.step_id) == ("bench", "even_out")
    assert s.shot.step("screen_key").inputs["plate"] == "step:even_out"  # type: ignore[union-attr]
    assert any(e.kind == "verdict" for e in s.session.document.log.entries())  # type: ignore[union-attr]


def test_survey_sheets_draw_the_whole_plate(bench: MainWindow, qtbot: Any) -> None:
    s = bench.state
    for kind in ("steadiness", "exposure", "sharpness", "timing", "marks"):
        s.set_step(kind)
        settle(qtbot, bench)
        plot = bench.bench.sheet.plot
        assert plot is not None
        assert plot.shown is not None
        picture = plot.grab().toImage()
        colours = {picture.pixel(x, y) for x in range(0, picture.width(), 3) for y in range(20, picture.height(), 3)}
        assert len(colours) > 4
        assert not bench.bench.sheet.card.isVisible()


def test_the_shelf_shows_plays_finds_and_lets_go(window: MainWindow, demo_copy: Path, qtbot: Any) -> None:
    elements = Path(__file__).resolve().parents[2] / "demo" / "kite_post" / "elements"
    assert window.productions.open_folder(demo_copy)
    settle(qtbot, window)
    qtbot.keyClick(window, Qt.Key.Key_L)
    page = window.shelf
    assert window.page == "shelf"
    assert "Nothing is on the shelf" in page.note.text()
    page.put([elements / "sparks.mp4", elements / "chimney_smoke.mp4", elements / "nowhere.mp4"])
    settle(qtbot, window)
    assert [c.element.name for c in page.cards] == ["sparks", "chimney_smoke"]
    assert len(page.cards[0].strip) > 5
    at = page.cards[0].at
    page.cards[0].enterEvent(None)
    qtbot.waitUntil(lambda: page.cards[0].at != at, timeout=5_000)
    page.cards[0].leaveEvent(None)
    page.search.setText("loops up")
    assert [c.element.name for c in page.cards] == ["chimney_smoke"]
    press(qtbot, page.cards[0], 100, 60)
    qtbot.mouseClick(page.off, Qt.MouseButton.LeftButton)
    assert page.cards == []
    window.state.edits.undo()
    page.refresh()
    assert [c.element.name for c in page.cards] == ["chimney_smoke"]
