"""The Survey page's sections beside the findings, spots set by hand, and elements as plates, driven in the real window."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from deskhelp import press, settle
from movingplates import SIZE, made_picture, recorded, seen
from PyQt6.QtCore import QEvent, QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent, QMouseEvent
from PyQt6.QtWidgets import QApplication

from transmixis.desk.survey.page import SECTIONS
from transmixis.desk.window import MainWindow
from transmixis.media.still import write_still
from transmixis.shot.document import Document
from transmixis.shot.workorder import add_step, new_shot, plate_from

ELEMENTS = Path(__file__).resolve().parents[2] / "demo" / "kite_post" / "elements"


def go_to(qtbot: Any, window: MainWindow, section: str) -> None:
    window.show_page("findings")
    words = window.survey.words
    press(qtbot, words, words.x_of(section) + 6, 14)
    assert words.now == section
    settle(qtbot, window)


def test_every_section_has_something_to_say(bench: MainWindow, qtbot: Any) -> None:
    for section in SECTIONS:
        go_to(qtbot, bench, section)
        shown = bench.survey._stack.currentWidget()
        assert shown is bench.survey._sections[section]
        picture = bench.grab().toImage()
        colours = {picture.pixel(x, y) for x in range(20, 1260, 9) for y in range(120, 760, 9)}
        assert len(colours) > 12
    assert "two takes" in bench.survey.join.note.text() or bench.survey.join.found


def test_a_frame_is_chosen_marked_and_made_a_still(bench: MainWindow, qtbot: Any) -> None:
    go_to(qtbot, bench, "Frames to freeze")
    page = bench.survey.freeze
    assert page.picks
    assert page.big.laid is not None
    qtbot.keyClick(page.strip, Qt.Key.Key_Right)
    settle(qtbot, bench)
    chosen = page.pick()
    assert chosen is not None
    assert f"Frame {chosen.frame}:" in page.why.text()
    qtbot.mouseClick(page.cue, Qt.MouseButton.LeftButton)
    assert [(c.frame, c.name) for c in bench.state.shot.cues if c.name == "freeze"] == [(chosen.frame, "freeze")]  # type: ignore[union-attr]
    qtbot.mouseClick(page.still, Qt.MouseButton.LeftButton)
    settle(qtbot, bench)
    plate = bench.state.shot.plates[-1]  # type: ignore[union-attr]
    assert plate.role == "still"
    assert (bench.state.folder / plate.path).exists()  # type: ignore[operator]
    renderer = bench.state.renderer()
    assert renderer is not None
    still, frame = (renderer.product(f"plate:{plate.id}", 1).picture, renderer.product("plate:hero", chosen.frame).picture)
    assert np.abs(still - frame).max() < 2e-3  # half float
    bench.state.edits.undo()
    assert plate not in bench.state.shot.plates  # type: ignore[union-attr]
    go_to(qtbot, bench, "Frames to freeze")
    qtbot.mouseClick(page.go, Qt.MouseButton.LeftButton)
    assert bench.page == "bench"


def test_the_clean_plate_is_judged_and_one_is_made_from_the_take(bench: MainWindow, qtbot: Any) -> None:
    go_to(qtbot, bench, "Clean plate")
    page = bench.survey.clean
    assert page.found is not None
    assert page.found.fit.move.length < 0.1
    assert "shift" in page.figures.text()
    assert page.map.laid is not None
    assert page.map.laid.wash is not None
    qtbot.mouseClick(page.make, Qt.MouseButton.LeftButton)
    settle(qtbot, bench)
    made = bench.state.shot.plates[-1]  # type: ignore[union-attr]
    assert (made.role, made.name) == ("clean", "made clean")
    assert page.clean.findText("made clean") >= 0
    assert any("Clean plate made" in e.text for e in bench.state.session.document.log.entries())  # type: ignore[union-attr]


def test_the_screen_is_judged_at_the_playhead(bench: MainWindow, qtbot: Any) -> None:
    bench.state.set_frame(3)
    go_to(qtbot, bench, "Screen")
    page = bench.survey.set_screen
    assert page.report is not None
    assert "Frame 3" in page.note.text()
    assert page.verdict.text().startswith("A green screen")
    assert "stops" in page.figures.text()
    bench.state.set_frame(1)
    qtbot.mouseClick(page.again, Qt.MouseButton.LeftButton)
    settle(qtbot, bench)
    assert "Frame 1" in page.note.text()


def _two_takes(folder: Path) -> None:
    """A thing that swings; the second take begins where the first has frame 6, and is a little darker."""
    picture = seen(made_picture(90))
    yy, xx = np.mgrid[0 : SIZE[0], 0 : SIZE[1]]
    frames = []
    for n in range(18):
        x, y = 190 + 90 * np.sin(0.31 * n), 100 + 30 * np.cos(0.47 * n)
        inside = np.clip(26 - np.hypot(xx - x, yy - y), 0, 1)[..., None].astype(np.float32)
        frames.append(picture * (1 - inside) + inside * np.float32([0.5, 0.3, 0.05]))
    for name, first, gain in (("first", 0, 1.0), ("second", 5, 0.95)):
        (folder / name).mkdir(parents=True)
        for i, f in enumerate(frames[first : first + 12]):
            write_still(folder / name / f"{name}.{i + 1:04d}.png", recorded(f * np.float32(gain), 40 * first + i), kind="uint8")


def test_two_takes_are_joined_where_they_are_alike(window: MainWindow, tmp_path: Path, qtbot: Any) -> None:
    film = tmp_path / "film"
    doc = Document.create(film, "Film", "24")
    _two_takes(film / "plates")
    one, info = plate_from(film, film / "plates" / "first" / "first.0001.png", None, "hero")
    shot = new_shot("A1", "", info, one, "24")
    two, _ = plate_from(film, film / "plates" / "second" / "second.0001.png", shot, "element")
    doc.change_shot("Add", shot.model_copy(update={"plates": (*shot.plates, two)}))
    doc.close()
    assert window.productions.open_folder(film)
    settle(qtbot, window)
    go_to(qtbot, window, "Joins")
    page = window.survey.join
    best = page.found[0]
    assert best.first == best.last + 1 - 5  # frame n of the first take is frame n - 5 of the second
    assert np.abs(np.array(best.gain) + np.log2(0.95)).max() < 0.02
    assert all(v.laid is not None for v in page.views)
    qtbot.mouseClick(page.keep, Qt.MouseButton.LeftButton)
    cue = window.state.shot.cues[-1]  # type: ignore[union-attr]
    assert cue.frame == best.last
    assert cue.name.endswith(str(best.first))


def test_dust_is_set_by_hand_in_the_picture(bench: MainWindow, qtbot: Any) -> None:
    s = bench.state
    shot, step = add_step(s.shot, "dust")  # type: ignore[arg-type]
    assert s.edits.change("Add dust", lambda: shot)
    s.set_step(step.id)
    settle(qtbot, bench)
    viewer = bench.bench.viewer
    assert viewer.tool is not None
    at = viewer.to_screen(300.5, 200.5).toPoint()
    qtbot.mouseClick(viewer, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, at)
    settle(qtbot, bench)
    x, y, r = s.edits.param("by_hand")[0]
    assert np.hypot(x - 300, y - 200) < 2
    rim = viewer.to_screen(x + 0.5 + r, y + 0.5)
    wider = rim + QPointF(12, 0)
    for kind, p in ((QEvent.Type.MouseButtonPress, rim), (QEvent.Type.MouseMove, wider), (QEvent.Type.MouseButtonRelease, wider)):
        none = Qt.KeyboardModifier.NoModifier
        left = Qt.MouseButton.LeftButton
        QApplication.sendEvent(viewer, QMouseEvent(kind, p, viewer.mapToGlobal(p), left, left, none))
    settle(qtbot, bench)
    assert s.edits.param("by_hand")[0] != [x, y, r]
    s.edits.undo()
    assert tuple(s.edits.param("by_hand")[0]) == (x, y, r)
    settle(qtbot, bench)
    qtbot.mouseClick(viewer, Qt.MouseButton.RightButton, pos=at)
    assert list(s.edits.param("by_hand")) == []


def test_an_element_is_dropped_on_the_shelf_and_added_to_the_shot(bench: MainWindow, qtbot: Any) -> None:
    bench.show_page("shelf")
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(ELEMENTS / "sparks.mp4"))])
    drop = QDropEvent(
        QPointF(400, 400), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    )
    bench.dropEvent(drop)
    settle(qtbot, bench)
    page = bench.shelf
    assert [c.element.name for c in page.cards] == ["sparks"]
    assert not page.use.isEnabled()
    qtbot.mouseClick(page.cards[0], Qt.MouseButton.LeftButton, pos=QPoint(60, 60))
    assert page.use.text() == "Add to KP010"
    qtbot.mouseClick(page.use, Qt.MouseButton.LeftButton)
    plate = bench.state.shot.plates[-1]  # type: ignore[union-attr]
    assert (plate.role, plate.name) == ("element", "sparks")
    renderer = bench.state.renderer()
    assert renderer is not None
    assert renderer.product(f"plate:{plate.id}", 10).picture is not None
