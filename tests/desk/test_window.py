"""The real window, driven by clicks and keys."""

from __future__ import annotations

import shutil
import sys
from pathlib import Path
from time import monotonic
from typing import Any

import numpy as np
import pytest
from deskhelp import LONG, press, settle, when_shown
from PyQt6.QtCore import QMimeData, QPoint, QPointF, QRect, QSettings, Qt, QTimer, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtWidgets import QApplication

from transmixis.desk.addplates import AddPlates
from transmixis.desk.app import catch_faults
from transmixis.desk.dialogs import KeysDialog, NewProduction
from transmixis.desk.ledger import LIMIT_AT
from transmixis.desk.viewerpaint import picture_rect
from transmixis.desk.window import MainWindow
from transmixis.desk.windowkeys import sheet_of
from transmixis.media.source import open_source
from transmixis.shot.steps import kind_of
from transmixis.shot.store import load_film


def test_from_opening_the_demo_to_a_delivered_sequence(bench: MainWindow, qtbot: Any, tmp_path: Path) -> None:
    state = bench.state
    assert bench.page == "bench"
    assert bench.bench.viewer.shown is not None
    assert all(len(state.known.readings[s.id]) == 4 for s in state.shot.steps)  # type: ignore[union-attr]
    # a person goes to Match by its head, takes the proposal, and sees the reading fall
    left, width = next((x, w) for sid, x, w in bench.bench.ledger.columns() if sid == "match")
    press(qtbot, bench.bench.ledger, left + width / 2, 60)
    assert state.step_id == "match"
    settle(qtbot, bench)
    before = {r.name: r.value for r in state.known.readings["match"][1]}
    assert before["softness"] > 0.8  # type: ignore[operator]
    assert bench.bench.sheet.card.use.isVisible()
    qtbot.mouseClick(bench.bench.sheet.card.use, Qt.MouseButton.LeftButton)
    settle(qtbot, bench)
    after = {r.name: r.value for r in state.known.readings["match"][1]}
    assert after["softness"] < before["softness"]  # type: ignore[operator]
    assert after["black"] < 0.5 * before["black"]  # type: ignore[operator]
    assert "Use proposal" in (state.session.document.undo_title or "").title() or "use proposal" in (
        state.session.document.undo_title or ""
    )  # type: ignore[union-attr]
    # and delivers
    qtbot.keyClick(bench, Qt.Key.Key_D)
    assert bench.page == "deliver"
    page = bench.deliver
    page.how.setCurrentIndex(page.how.findData("png"))
    page.where.setText(str(tmp_path / "out" / "KP010.####.png"))
    with qtbot.waitSignal(page.finished, timeout=LONG):
        qtbot.mouseClick(page.go, Qt.MouseButton.LeftButton)
    settle(qtbot, bench)
    made = open_source(tmp_path / "out" / "KP010.0001.png")
    assert made.info.count == 4
    want = bench.state.session.renderer("KP010").product("step:place", 3).picture  # type: ignore[union-attr]
    assert np.abs(made.read(3) - np.clip(want, 0, 1)).max() < 1e-3
    # no green is left where the cloth was, and the courier's coat is there
    behind = (
        open_source(next((Path(state.folder) / "plates/KP010/background").glob("*.mp4")))
        .with_settings(space="camera 709")
        .read(3)
    )  # type: ignore[arg-type]
    got = made.read(3)
    assert np.abs(got[40:80, 40:80] - behind[40:80, 40:80]).mean() < 0.01
    coat = got[430:470, 470:490].mean(axis=(0, 1))
    assert coat[0] > 2 * coat[1]
    state.session.document.wait()  # type: ignore[union-attr]
    assert load_film(Path(state.folder)).shot("KP010").delivered  # type: ignore[arg-type]
    assert any(e.kind == "delivered" for e in state.session.document.log.entries())  # type: ignore[union-attr]


def test_the_demo_film_opens_on_its_first_shot(
    window: MainWindow, demo_copy: Path, qtbot: Any, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("TRANSMIXIS_DEMO", str(demo_copy))
    before = {p: p.stat().st_mtime_ns for p in demo_copy.rglob("*")}
    assert window.productions.open_demo(tmp_path / "mine")
    settle(qtbot, window)
    assert (window.page, window.state.shot.code) == ("bench", "KP010")  # type: ignore[union-attr]
    assert window.state.folder == tmp_path / "mine"
    assert {p: p.stat().st_mtime_ns for p in demo_copy.rglob("*")} == before  # the shipped film is never changed


def test_keys_move_frames_steps_views_and_pages(bench: MainWindow, qtbot: Any) -> None:
    s = bench.state
    bench.bench.viewer.setFocus()
    for key, frame in (
        (Qt.Key.Key_Down, 2),
        (Qt.Key.Key_End, 4),
        (Qt.Key.Key_Up, 3),
        (Qt.Key.Key_Home, 1),
        (Qt.Key.Key_PageDown, 4),
    ):
        qtbot.keyClick(bench.bench.viewer, key)
        assert s.frame == frame
    first = s.step_id
    qtbot.keyClick(bench.bench.viewer, Qt.Key.Key_Right)
    assert s.step_id != first
    qtbot.keyClick(bench.bench.viewer, Qt.Key.Key_Left)
    assert s.step_id == first
    qtbot.keyClick(bench, Qt.Key.Key_V)
    assert s.view == "Difference"
    qtbot.keyPress(bench.bench.viewer, Qt.Key.Key_Y)
    assert s.view == "Plate"
    qtbot.keyRelease(bench.bench.viewer, Qt.Key.Key_Y)
    assert s.view == "Difference"
    qtbot.keyClick(bench, Qt.Key.Key_Z)
    assert bench.bench.ledger.zoom == "Around"
    qtbot.keyClick(bench, Qt.Key.Key_B)
    assert bench.page == "board"
    qtbot.keyClick(bench.board.table, Qt.Key.Key_Return)
    assert bench.page == "bench"
    qtbot.keyClick(bench, Qt.Key.Key_J)
    assert bench.page == "log"
    qtbot.keyClick(bench, Qt.Key.Key_2)
    assert bench.page == "bench"
    assert kind_of(s.step.kind).stage == "Survey"  # type: ignore[union-attr]


def test_every_view_shows_what_it_says(bench: MainWindow, qtbot: Any) -> None:
    seen = {}
    for view in ("Plate", "Matte", "Cut-out", "Result", "Difference", "Beside"):
        press(qtbot, bench.bench.views, bench.bench.views.x_of(view) + 4, 12)
        assert bench.state.view == view
        settle(qtbot, bench)
        shown = bench.bench.viewer.shown
        assert shown is not None
        assert shown.title == view
        seen[view] = shown
    corner = QPoint(60, 60)
    plate = seen["Plate"].image.pixelColor(corner)
    assert plate.green() > 1.5 * plate.red()
    assert seen["Matte"].image.pixelColor(corner).lightness() < 5
    assert seen["Matte"].image.pixelColor(QPoint(470, 420)).lightness() > 250
    assert seen["Beside"].other is not None


def test_pressing_a_fault_goes_to_its_frame_step_and_place(bench: MainWindow, qtbot: Any) -> None:
    s, ledger = bench.state, bench.bench.ledger
    assert s.known.findings("match")
    finding = s.known.findings("match")[0]
    left, width = next((x, w) for sid, x, w in ledger.columns() if sid == "match")
    y = ledger.layout_.y_of(finding.first)
    assert y is not None
    press(qtbot, ledger, left + (LIMIT_AT + 0.1) * width, y)
    assert s.step_id == "match"
    assert s.known.current_finding is not None
    assert s.known.current_finding.first <= s.frame <= s.known.current_finding.last
    first = s.known.current_finding
    qtbot.keyClick(bench, Qt.Key.Key_F)
    assert len(s.known.findings()) < 2 or s.known.current_finding != first
    # once it is mended, it is chosen no longer
    s.known.go_to(first)
    settle(qtbot, bench)
    s.answers.use()
    settle(qtbot, bench)
    assert s.known.current_finding is None


def test_pointer_on_the_film_edge_moves_the_playhead(bench: MainWindow, qtbot: Any) -> None:
    ledger = bench.bench.ledger
    for n in (3, 1, 4):
        y = ledger.layout_.y_of(n)
        assert y is not None
        press(qtbot, ledger, 20, y)
        assert bench.state.frame == n


def test_a_ruler_is_dragged_typed_reset_pinned_and_undone(bench: MainWindow, qtbot: Any) -> None:
    s = bench.state
    s.set_step("screen_key")
    ruler = bench.bench.sheet.ruler("black")
    a, b = QPoint(round(ruler.x_of(0.0)), 20), QPoint(round(ruler.x_of(0.2)), 20)
    qtbot.mousePress(ruler, Qt.MouseButton.LeftButton, pos=a)
    qtbot.mouseMove(ruler, b)
    qtbot.mouseRelease(ruler, Qt.MouseButton.LeftButton, pos=b)
    assert s.edits.param("black") == pytest.approx(0.2, abs=0.03)
    qtbot.keyClick(bench, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert s.edits.param("black") == 0.0
    press(qtbot, ruler, ruler.width() - 10, 8)
    qtbot.keyClicks(ruler._edit, "0,11")
    qtbot.keyClick(ruler._edit, Qt.Key.Key_Return)
    assert s.edits.param("black") == pytest.approx(0.11)
    s.set_frame(2)
    ruler.setFocus()
    qtbot.keyClick(bench, Qt.Key.Key_P)
    assert [p.frame for p in s.step.pins["black"]] == [2]  # type: ignore[union-attr]
    s.set_frame(4)
    s.edits.set_param("black", 0.05)
    assert [p.frame for p in s.step.pins["black"]] == [2, 4]  # type: ignore[union-attr]
    s.set_frame(3)
    assert 0.05 < s.edits.param("black") < 0.11
    s.set_frame(4)
    bench.bench.viewer.setFocus()
    qtbot.keyClick(bench, Qt.Key.Key_Delete)
    assert [p.frame for p in s.step.pins["black"]] == [2]  # type: ignore[union-attr]
    qtbot.mouseDClick(ruler, Qt.MouseButton.LeftButton, pos=b)
    assert s.edits.param("black") == 0.0


def test_garbage_matte_is_drawn_in_the_picture(bench: MainWindow, qtbot: Any) -> None:
    s, viewer = bench.state, bench.bench.viewer
    s.set_step("garbage_matte")
    settle(qtbot, bench)
    assert viewer.tool is not None
    drawn = [(150.0, 60.0), (810.0, 60.0), (810.0, 520.0), (150.0, 520.0)]
    for x, y in [*drawn, drawn[0]]:  # the first once more closes it
        qtbot.mouseClick(viewer, Qt.MouseButton.LeftButton, pos=viewer.to_screen(x, y).toPoint())
    assert np.array(s.edits.param("points")) == pytest.approx(np.array(drawn), abs=1.5)
    settle(qtbot, bench)
    corner = viewer.to_screen(*s.edits.param("points")[0])
    target = corner + QPointF(40, 30)
    qtbot.mousePress(viewer, Qt.MouseButton.LeftButton, pos=corner.toPoint())
    qtbot.mouseMove(viewer, target.toPoint())
    qtbot.mouseRelease(viewer, Qt.MouseButton.LeftButton, pos=target.toPoint())
    want = viewer.to_frame(target)
    got = s.edits.param("points")[0]
    assert got == pytest.approx([want.x(), want.y()], abs=2.5)
    settle(qtbot, bench)
    matte = s.session.renderer("KP010").product("step:garbage_matte", 1).matte  # type: ignore[union-attr]
    assert matte[5, 5] == 0
    assert matte[300, 480] == 1


def test_viewer_zooms_about_the_pointer_and_tells_values(bench: MainWindow, qtbot: Any) -> None:
    viewer = bench.bench.viewer
    at = QPointF(300, 150)
    before = viewer.to_frame(at)
    viewer.zoom_about(3.0, at)
    after = viewer.to_frame(at)
    assert (after.x(), after.y()) == (pytest.approx(before.x(), abs=0.01), pytest.approx(before.y(), abs=0.01))
    viewer.fit()
    qtbot.mouseMove(viewer, viewer.to_screen(60, 60).toPoint())
    viewer.pointer = QPointF(viewer.to_screen(60.5, 60.5))
    viewer.pointed.emit(viewer.pixel())
    assert "x 60  y 60" in bench.bench._pointer.text()
    assert "matte 0.0" in bench.bench._pointer.text()
    viewer.grab()


def test_playing_at_rate_once_frames_are_made(bench: MainWindow, qtbot: Any) -> None:
    heard = []
    bench.bench.look.play_changed.connect(lambda on, words: heard.append((on, words)))
    frames = []
    bench.state.frame_changed.connect(frames.append)
    qtbot.keyClick(bench.bench.viewer, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: len(frames) >= 10, timeout=LONG)
    assert bench.bench.play.text() == "Stop"
    qtbot.keyClick(bench.bench.viewer, Qt.Key.Key_Space)
    assert heard[-1] == (False, "")
    assert any("playing" in w or "being made" in w for _, w in heard)
    assert set(frames) == {1, 2, 3, 4}


def test_steps_are_added_switched_off_and_taken_out(bench: MainWindow, qtbot: Any) -> None:
    s = bench.state
    bench.bench.acts.add_step("steadiness")
    assert s.step_id == "steadiness2"
    settle(qtbot, bench)
    bench.state.edits.run("step.switch", step="steadiness2")
    assert not s.step.on  # type: ignore[union-attr]
    settle(qtbot, bench)
    s.edits.undo()
    s.edits.undo()
    assert "steadiness2" not in [st.id for st in s.shot.steps]  # type: ignore[union-attr]


def test_connecting_a_circle_is_refused_in_words(bench: MainWindow, qtbot: Any) -> None:
    s = bench.state
    s.set_step("match")
    box = bench.bench.sheet._inputs["subject"]
    box.setCurrentIndex(box.findData("step:place"))
    with qtbot.waitSignal(s.said) as said:
        box.activated.emit(box.currentIndex())
    assert "wait for each other" in said.args[0]
    assert s.step.inputs["subject"] == "step:screen_key"  # type: ignore[union-attr]


def test_new_production_and_dropped_plates(window: MainWindow, qtbot: Any, tiny_plates: Path, tmp_path: Path) -> None:
    assert window.page == "start"
    assert window.productions.make_new(tmp_path / "My film", "My film", "25")
    assert window.page == "board"
    data = QMimeData()
    data.setUrls(
        [
            QUrl.fromLocalFile(str(tiny_plates / n))
            for n in ("take.0001.png", "take.0002.png", "clean_empty.png", "background_sky.png")
        ]
    )

    def accept(dialog: AddPlates) -> None:
        assert [p.role for p, _ in dialog.groups()["SH010"]] == ["hero", "clean", "background"]
        for row in range(3):
            dialog.choose(row, "AB010")
        dialog.title.setText("A first shot")
        dialog.accept()

    when_shown(AddPlates, accept)
    event = QDropEvent(
        QPointF(100, 100), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    )
    window.dropEvent(event)
    qtbot.waitUntil(lambda: window.page == "bench", timeout=LONG)
    settle(qtbot, window)
    shot = load_film(tmp_path / "My film").shot("AB010")
    assert [s.kind for s in shot.steps][-3:] == ["match", "place", "edges"]
    assert shot.rate == "25"
    assert all(window.state.known.readings[s.id] for s in shot.steps)
    assert window.bench.viewer.shown is not None


def test_plates_are_changed_on_the_board(bench: MainWindow, qtbot: Any) -> None:
    bench.show_page("board")
    panel = bench.board.plates
    settle(qtbot, bench)
    assert panel.table.rowCount() == 3
    space = panel.table.cellWidget(0, 7)
    space.setCurrentText("sRGB")  # type: ignore[union-attr]
    space.textActivated.emit("sRGB")  # type: ignore[union-attr]
    assert bench.state.shot.plates[0].space == "sRGB"  # type: ignore[union-attr]
    shape = panel.table.cellWidget(0, 5)
    shape.setValue(1.333)  # type: ignore[union-attr]
    shape.editingFinished.emit()  # type: ignore[union-attr]
    assert bench.state.shot.plates[0].pixel_aspect == pytest.approx(1.333)  # type: ignore[union-attr]
    bench.show_page("bench")
    settle(qtbot, bench)
    rect, viewer = picture_rect(bench.bench.viewer.to_screen, bench.bench.viewer.frame_size()), bench.bench.viewer
    assert rect.width() / rect.height() == pytest.approx(1.333 * 960 / 540, rel=1e-3)
    there = viewer.to_screen(123.5, 45.5)
    assert (viewer.to_frame(there).x(), viewer.to_frame(there).y()) == (pytest.approx(123.5), pytest.approx(45.5))
    held = viewer.to_frame(QPointF(200, 120))
    viewer.zoom_about(2.0, QPointF(200, 120))
    assert viewer.to_frame(QPointF(200, 120)).x() == pytest.approx(held.x())
    bench.state.edits.undo()
    bench.show_page("board")
    settle(qtbot, bench)
    panel.rate.setText("fast")
    with qtbot.waitSignal(bench.state.said) as said:
        panel.rate.editingFinished.emit()
    assert "not a rate" in said.args[0]
    panel.rate.setText("25")
    panel.rate.editingFinished.emit()
    assert bench.state.shot.rate == "25"  # type: ignore[union-attr]
    settle(qtbot, bench)


def test_a_deleted_plate_is_said_and_nothing_is_lost(bench: MainWindow, qtbot: Any) -> None:
    for f in (Path(bench.state.folder) / "plates/KP010/hero").glob("*.1003.png"):  # type: ignore[arg-type]
        f.unlink()
    bench.show_page("bench")
    qtbot.keyClick(bench, Qt.Key.Key_M)
    settle(qtbot, bench)
    bench.state.set_frame(3)
    settle(qtbot, bench)
    assert "missing" in bench.bench.viewer.message
    assert bench.state.known.readings["screen_key"][3][0].value is None
    assert bench.state.known.readings["screen_key"][1][0].value is not None
    bench.bench.grab()


def test_what_cannot_be_opened_is_said(window: MainWindow, qtbot: Any, tmp_path: Path) -> None:
    with qtbot.waitSignal(window.state.said) as said:
        assert not window.productions.open_folder(tmp_path)
    assert "production.json" in said.args[0]
    assert window.page == "start"


def test_cancel_stops_a_delivery(bench: MainWindow, qtbot: Any, tmp_path: Path) -> None:
    page = bench.deliver
    bench.show_page("deliver")
    page.where.setText(str(tmp_path / "a.####.exr"))
    with qtbot.waitSignal(page.finished, timeout=LONG) as done:
        page.start()
        page.cancel()
    assert done.args == [None]
    assert "Cancelled" in page.note.text()
    page.where.setText("")
    page.start()
    assert "where" in page.note.text()


def test_dialogs_and_log_page(bench: MainWindow, qtbot: Any) -> None:
    keys = KeysDialog(sheet_of(bench.commands), bench)
    keys.show()
    keys.grab()
    keys.close()
    new = NewProduction(bench)
    new.name.setText("Other")
    new.name.textEdited.emit("Other")
    assert new.folder.text().endswith("Other")
    new.close()
    bench.show_page("log")
    bench.log.own.setText("tried a wider feather")
    qtbot.mouseClick(bench.log.add, Qt.MouseButton.LeftButton)
    assert bench.log.table.item(0, 3).text() == "tried a wider feather"  # type: ignore[union-attr]
    bench.log.search.setText("no such words")
    assert bench.log.table.rowCount() == 0


def test_window_state_is_kept(window: MainWindow, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(MainWindow, "_room", lambda self: QRect(0, 0, 1912, 1044))
    window.resize(1400, 900)
    window.close()
    again = MainWindow(settings=window.settings)
    assert again.size() == window.size()
    again.close()


def test_a_fault_of_ours_while_painting_is_told_and_work_goes_on(
    bench: MainWindow, qtbot: Any, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    told = []
    bench.engine.trouble.connect(told.append)
    monkeypatch.setattr(sys, "excepthook", sys.excepthook)  # put back afterwards
    catch_faults(bench)
    monkeypatch.setattr(bench.bench.ledger, "_painted_layer", lambda beside: 1 / 0)
    bench.bench.ledger.touch()
    qtbot.waitUntil(lambda: bool(told), timeout=LONG)
    assert "ZeroDivisionError" in told[0]
    monkeypatch.undo()
    bench.bench.ledger.update()
    settle(qtbot, bench)
    assert bench.state.session is not None
    assert "ZeroDivisionError" in capsys.readouterr().err


class Gaps:
    """The longest gap between ticks of a 5 ms timer, for each thing that is being done."""

    def __init__(self) -> None:
        self.worst: dict[str, float] = {}
        self._doing, self._last = "", monotonic()
        self.timer = QTimer()
        self.timer.timeout.connect(self._tick)
        self.timer.start(5)

    def _tick(self) -> None:
        now = monotonic()
        self.worst[self._doing] = max(self.worst.get(self._doing, 0.0), now - self._last)
        self._last = now

    def doing(self, what: str) -> None:
        QApplication.processEvents()
        self._doing, self._last = what, monotonic()


def busy_round(window: MainWindow, film: Path, qtbot: Any, out: Path) -> dict[str, float]:
    """Open, key, play, choose and deliver; gives the worst gap of each."""
    gaps = Gaps()
    gaps.doing("opening")
    assert window.productions.open_folder(film)
    window.open_shot("KP010", "Matte")
    settle(qtbot, window)
    gaps.doing("keying")
    window.state.edits.set_param("reach", 1.2 if window.state.edits.param("reach") == 1.0 else 1.0)
    settle(qtbot, window)
    gaps.doing("playing")
    window.bench.look.toggle_play()
    qtbot.wait(600)
    window.bench.look.toggle_play()
    gaps.doing("choosing")
    for step in ("match", "garbage_matte", "edges", "screen_key"):
        window.state.set_step(step)
        settle(qtbot, window)
    gaps.doing("delivering")
    window.deliver.refresh()
    window.deliver.where.setText(str(out / "a.####.png"))
    with qtbot.waitSignal(window.deliver.finished, timeout=LONG):
        window.deliver.start()
    settle(qtbot, window)
    gaps.timer.stop()
    return gaps.worst


@pytest.mark.alone
def test_the_interface_never_stalls(window: MainWindow, demo_copy: Path, qtbot: Any, tmp_path: Path) -> None:
    """No gap of 100 ms. A stall of ours comes in every round, one of the machine does not: the best of up to four counts."""
    best: dict[str, float] = {}
    for n in range(4):
        film = tmp_path / f"film{n}"
        shutil.copytree(demo_copy, film)
        shutil.rmtree(film / "analysis")  # so that all is measured while the window is used
        for what, gap in busy_round(window, film, qtbot, tmp_path / f"out{n}").items():
            best[what] = min(best.get(what, gap), gap)
        if max(best.values()) < 0.1:
            break
    assert len(best) == 5
    assert max(best.values()) < 0.1, {k: f"{1000 * v:.0f} ms" for k, v in best.items()}


def test_a_window_starts_within_the_screen_that_there_is(
    window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """1280 x 800 with a title bar: the foot and what it says lie on the screen."""
    monkeypatch.setattr(MainWindow, "_room", lambda self: QRect(0, 0, 1272, 764))
    fresh = MainWindow(settings=QSettings(str(tmp_path / "fresh.ini"), QSettings.Format.IniFormat))
    assert (fresh.width(), fresh.height()) == (1272, 764)
    fresh.close()
    fresh.deleteLater()


def test_trouble_stays_until_it_is_closed_and_is_in_the_log(bench: MainWindow, qtbot: Any) -> None:
    bench.state.said.emit("The disk is full; free some space.", "trouble")
    bench.foot._forget()  # notes go after a while, trouble does not
    assert bench.trouble.isVisible()
    assert bench.trouble.words.text() == "The disk is full; free some space."
    assert bench.trouble.y() < 60  # in reach of the eye, not at the bottom
    entries = bench.state.session.document.log.entries()  # type: ignore[union-attr]
    assert (entries[-1].kind, entries[-1].text) == ("trouble", "The disk is full; free some space.")
    qtbot.mouseClick(bench.trouble.close_it, Qt.MouseButton.LeftButton)
    assert not bench.trouble.isVisible()


def test_shelf_log_book_and_findings_are_reached_by_pointing(bench: MainWindow, qtbot: Any) -> None:
    for page in ("shelf", "log", "findings", "board"):
        qtbot.mouseClick(bench.foot.words[page], Qt.MouseButton.LeftButton)
        assert bench.page == page


def test_another_shot_never_shows_the_first_one_s_picture(bench: MainWindow, qtbot: Any) -> None:
    assert bench.bench.viewer.shown is not None
    bench.adding.make_shot("KP990", "another", 24)
    bench.show_page("bench")
    assert bench.bench.viewer.shown is None
    bench.state.choose_shot("KP010")
    assert bench.bench.viewer.shown is None or bench.state.code == "KP010"
    settle(qtbot, bench)
    assert bench.bench.viewer.shown is not None


def test_an_edit_keeps_the_old_readings_as_out_of_date(bench: MainWindow, qtbot: Any) -> None:
    state = bench.state
    state.set_step("screen_key")
    before = state.known.worst_at("screen_key", 1)
    assert before is not None
    state.edits.set_param("black", 0.2)
    assert state.known.worst_at("screen_key", 1) is None
    assert state.known.stale_at("screen_key", 1) == before
    assert state.known.remeasuring > 0
    bench.bench.ledger.grab()
    settle(qtbot, bench)
    assert state.known.stale_at("screen_key", 1) is None
    assert state.known.remeasuring == 0
