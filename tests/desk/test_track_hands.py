"""Tracks by hand in the window: pressed where they hold, seated, given a new look, handed over, hidden; looked at closely."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from deskhelp import Sheet, click, drag, opened, settle
from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtGui import QColor, QImage, QMouseEvent, QPainter
from PyQt6.QtWidgets import QApplication, QFileDialog, QPushButton
from walls import seen_through, wall

from transmixis.core.motion.holds import POOR, Holds
from transmixis.core.motion.views import Views
from transmixis.desk.tools import tool_for
from transmixis.desk.tools.holdsmap import THICKEST, veil
from transmixis.desk.tools.patternpanel import px_words
from transmixis.desk.window import MainWindow
from transmixis.desk.writeout import WRITTEN, write_out
from transmixis.media.exchange.tracks import read_tracks
from transmixis.media.still import write_still
from transmixis.shot.contract import Handle
from transmixis.shot.document import Document
from transmixis.shot.model import Plate, Shot

LEFT = Qt.MouseButton.LeftButton
LENGTH, SPEED, COVERED = 24, np.array([0.8, 0.3]), range(15, 25)
AT = np.array([90.0, 60.0])


@pytest.fixture(scope="module")
def film(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A wall that passes; from 15 on something lies over the place that is followed, and stays there."""
    root = tmp_path_factory.mktemp("hands")
    big, card = wall(31, (140, 200)), wall(40, (60, 60))
    rng = np.random.default_rng(4)
    for n in range(1, LENGTH + 1):
        x, y = (n - 1) * SPEED
        frame = seen_through(big, np.array([[1, 0, x], [0, 1, y], [0, 0, 1.0]]))
        frame[:, :30] = 0.3  # nothing holds there
        if n in COVERED:
            cx, cy = (int(v) for v in AT + (n - 1) * SPEED)
            frame[cy - 22 : cy + 22, cx - 22 : cx + 22] = card[8:52, 8:52]
        write_still(root / f"wall.{n:04d}.png", frame + rng.normal(0, 0.002, frame.shape).astype(np.float32), kind="uint16")
    doc = Document.create(root / "film", "Hands")
    plates = (Plate(id="hero", role="hero", path=str(root / "wall.0001.png")),)
    doc.change_shot("Make", Shot(code="A", length=LENGTH, width=200, height=140, plates=plates))
    doc.close()
    return root / "film"


@pytest.fixture
def window(film: Path, qtbot: Any) -> Iterator[MainWindow]:
    w = opened(qtbot, film)
    yield w
    w.close()


def facts(window: MainWindow) -> Any:
    assert window.bench.viewer.tool is not None
    return window.bench.viewer.tool.handle.facts


def key(qtbot: Any, window: MainWindow, name: Qt.Key, **how: Any) -> None:
    v = window.bench.viewer
    v.setFocus()
    qtbot.keyClick(v, name, **how)
    settle(qtbot, window)


def known(window: MainWindow, frame: int) -> bool:
    s = window.state
    renderer = s.renderer()
    assert renderer is not None
    m = renderer.product(f"step:{s.step_id}", frame).motion
    return m is not None and m.known


def test_a_track_from_its_first_press_to_the_last_key(window: MainWindow, qtbot: Any) -> None:
    s, bench, v = window.state, window.bench, window.bench.viewer
    bench.acts.add_step("point_track")
    settle(qtbot, window)
    found: Holds = facts(window)["holds"]
    assert found.error[15, 2] > POOR  # the bare strip is veiled
    assert (found.best[:, 0] > 25).all()
    assert "Ticks" in v.tool.words  # type: ignore[union-attr]
    click(window, *AT)
    settle(qtbot, window)
    views: Views = facts(window)["views"]
    assert views.found is None  # at the reference there is nothing to compare with
    assert facts(window)["foretold"] < POOR
    grabbed = v.grab().toImage()
    key(qtbot, window, Qt.Key.Key_E)
    assert not v.show_panel
    assert v.grab().toImage() != grabbed  # what covered a corner of the picture is gone
    key(qtbot, window, Qt.Key.Key_E)
    s.set_frame(10)
    settle(qtbot, window)
    assert facts(window)["views"].found is not None
    assert facts(window)["error"] < 0.1
    assert (facts(window)["reference"], facts(window)["frame"]) == (1, 10)
    assert facts(window)["turned"] == pytest.approx(0, abs=0.1)
    # set here by its key, and taken out
    key(qtbot, window, Qt.Key.Key_P)
    assert s.step is not None
    (pin,) = s.step.pins["seat"]
    assert pin.frame == 10
    assert pin.value[0] == pytest.approx((AT + 9 * SPEED).tolist(), abs=0.1)
    key(qtbot, window, Qt.Key.Key_Delete)
    assert not s.step.pins.get("seat")
    # covered: it asks, and the proposal is a neighbour
    assert not known(window, 20)
    proposal = s.answers.made[s.step_id]
    assert proposal is not None
    assert "offset kept" in proposal.reason
    bench.sheet.card.use.click()
    settle(qtbot, window)
    assert known(window, 20)
    assert len(s.step.pins["reseat"]) == 1
    title = s.session.document.undo() if s.session else ""
    settle(qtbot, window)
    assert "proposal" in str(title)
    assert not s.step.pins.get("reseat")
    # by hand: another place carries on
    s.set_frame(13)
    settle(qtbot, window)
    here, beside = AT + 12 * SPEED, np.array([60, 25])
    bench.tools.chosen.emit("Pattern")
    drag(window, here, here + beside)
    settle(qtbot, window)
    (pin,) = s.step.pins["reseat"]
    assert pin.value["places"][0] == pytest.approx(here.tolist(), abs=0.15)
    assert pin.value["looks"][0][0] == pytest.approx((here + beside).tolist(), abs=1.0)
    assert known(window, 22)
    bench.tools.chosen.emit("Point")
    s.set_frame(16)
    settle(qtbot, window)
    assert (facts(window)["reference"], facts(window)["frame"]) == (13, 16)
    s.set_frame(4)  # nearer to its first reference
    settle(qtbot, window)
    assert facts(window)["reference"] == 1
    # a place set by hand between them is no look of its own: what follows it is found by the first reference
    s.set_frame(10)
    settle(qtbot, window)
    key(qtbot, window, Qt.Key.Key_P)
    s.set_frame(9)
    settle(qtbot, window)
    assert facts(window)["reference"] == 1
    # and hidden from a frame on, by a key
    s.set_frame(21)
    settle(qtbot, window)
    key(qtbot, window, Qt.Key.Key_I)
    assert [known(window, n) for n in (20, 21, 24)] == [True, False, False]
    assert "marked as hidden" in v.tool.words  # type: ignore[union-attr]
    assert facts(window)["known"] is False
    key(qtbot, window, Qt.Key.Key_I)
    assert known(window, 24)


def test_it_is_followed_on_to_the_frame_that_asks(window: MainWindow, qtbot: Any) -> None:
    s, bench = window.state, window.bench
    said: list[str] = []
    s.said.connect(lambda words, _: said.append(words))
    bench.acts.add_step("point_track")
    settle(qtbot, window)
    click(window, *AT)
    settle(qtbot, window)
    s.edits.run("step.limit", step=s.step_id, reading="error", limit=5.0)
    settle(qtbot, window)
    rulers = bench.sheet._rulers
    assert (rulers["reference"]._shown(3.0), rulers["last"]._shown(0.0)) == ("frame 3", "not set")
    went: list[int] = []
    s.frame_changed.connect(went.append)
    key(qtbot, window, Qt.Key.Key_T)
    qtbot.waitUntil(lambda: not bench.follow_on.goes)
    asks = [f.worst_frame for f in s.known.findings(s.step_id)]
    stopped = min(asks, default=LENGTH)
    assert went == list(range(2, stopped + 1))  # through each of them
    assert (f"Frame {stopped} asks" if asks else "No frame asks for a hand up to the end") in said[-1]
    key(qtbot, window, Qt.Key.Key_T, modifier=Qt.KeyboardModifier.ShiftModifier)
    qtbot.waitUntil(lambda: not bench.follow_on.goes)
    assert s.frame == 1
    assert "up to the beginning" in said[-1]
    # a limit that no frame keeps stops it at once, and names the reading
    s.edits.run("step.limit", step=s.step_id, reading="error", limit=1e-6)
    settle(qtbot, window)
    key(qtbot, window, Qt.Key.Key_T)
    assert s.frame == 2
    assert said[-1].startswith("Frame 2 asks for a hand: error")


def test_following_on_stops_when_it_is_told_to_or_somebody_goes_elsewhere(window: MainWindow, qtbot: Any) -> None:
    s, bench = window.state, window.bench
    bench.acts.add_step("point_track")
    settle(qtbot, window)
    click(window, *AT)
    settle(qtbot, window)
    bench.follow_on.start(1)
    assert bench.follow_on.goes
    bench.follow_on.start(1)  # again: stop
    assert not bench.follow_on.goes
    settle(qtbot, window)
    assert s.frame == 1
    bench.follow_on.start(1)
    s.set_frame(7)
    settle(qtbot, window)
    assert not bench.follow_on.goes
    assert s.frame == 7
    s.set_step("")
    bench.follow_on.start(1)
    assert not bench.follow_on.goes


def test_a_new_look_and_what_cannot_be_done_is_said(window: MainWindow, qtbot: Any) -> None:
    s = window.state
    said: list[str] = []
    s.said.connect(lambda words, kind: said.append(words))
    window.bench.acts.add_step("point_track")
    settle(qtbot, window)
    key(qtbot, window, Qt.Key.Key_R)
    assert "Nothing to follow was set yet" in said[-1]
    click(window, *AT)
    settle(qtbot, window)
    key(qtbot, window, Qt.Key.Key_R)
    assert "reference frame" in said[-1]
    s.set_frame(20)
    settle(qtbot, window)
    key(qtbot, window, Qt.Key.Key_P)
    assert "drag it to where it is seen" in said[-1]
    s.set_frame(8)
    settle(qtbot, window)
    button = next(b for b in window.bench.sheet.findChildren(QPushButton) if b.text() == "New look here")
    assert "Key: R" in button.toolTip()
    button.click()
    settle(qtbot, window)
    assert s.step is not None
    assert [p.frame for p in s.step.pins["reseat"]] == [8]
    assert 0 < s.step.pins["reseat"][0].value["error"] < 0.1
    s.set_frame(1)
    key(qtbot, window, Qt.Key.Key_N)
    asks = s.frame
    assert asks == 1 or any(r.state == "fault" for r in s.known.readings[s.step_id][asks])
    window.bench.acts.add_step("exposure")
    settle(qtbot, window)
    key(qtbot, window, Qt.Key.Key_I)
    assert "choose a track" in said[-1]


def test_the_region_of_a_surface_is_moved_on(window: MainWindow, qtbot: Any) -> None:
    s, v = window.state, window.bench.viewer
    window.bench.acts.add_step("surface_track")
    settle(qtbot, window)
    corners = [(110, 30), (160, 30), (160, 80), (110, 80)]
    for x, y in [*corners, corners[0]]:
        click(window, x, y)
    settle(qtbot, window)
    s.set_frame(12)
    settle(qtbot, window)
    where = facts(window)["where"]
    assert where.shape[0] == where.shape[1]
    assert np.median(where[where <= 100]) > 60
    window.bench.tools.chosen.emit("Region")
    assert v.tool is not None
    x, y = corners[0] + 11 * SPEED
    drag(window, (x, y), (x - 20, y - 10))
    settle(qtbot, window)
    assert s.step is not None
    (pin,) = s.step.pins["reseat"]
    assert pin.value["looks"][0][0] == pytest.approx([x - 20, y - 10], abs=1)
    assert pin.value["places"][2] == pytest.approx((corners[2] + 11 * SPEED).tolist(), abs=0.2)
    assert known(window, 20)


def test_a_track_is_written_out_from_the_window(
    window: MainWindow, qtbot: Any, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    s = window.state
    window.bench.acts.add_step("point_track")
    settle(qtbot, window)
    click(window, *AT)
    settle(qtbot, window)
    said: list[tuple[str, str]] = []
    s.said.connect(lambda words, kind: said.append((words, kind)))
    answers = iter([("", ""), (str(tmp_path / "walk"), WRITTEN["motion"].split(";;")[0]), (str(tmp_path / "walk.txt"), "")])
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: next(answers))
    write_out(s, s.step_id, window)
    assert not said  # nothing was chosen
    write_out(s, s.step_id, window)
    qtbot.waitUntil(lambda: any("frames written" in w for w, _ in said), timeout=20_000)
    (track,) = read_tracks(tmp_path / "walk.csv")
    assert [r.frame for r in track.rows] == list(range(1, LENGTH + 1))
    assert (track.rows[5].x, track.rows[5].y) == pytest.approx(tuple(AT + 5 * SPEED), abs=0.2)
    write_out(s, s.step_id, window)
    qtbot.waitUntil(lambda: said[-1][1] == "trouble", timeout=20_000)
    assert "should end with" in said[-1][0]


# -- painting


def painted(handle: Handle, canvas: Any) -> QImage:
    image = QImage(canvas.width(), canvas.height(), QImage.Format.Format_RGB32)
    image.fill(QColor("#808080"))
    p = QPainter(image)
    tool_for(handle).paint(p, canvas)
    p.end()
    return image


def test_a_dot_of_the_trail_leads_to_its_frame(qapp: QApplication) -> None:
    trail = [(3, 20.0, 20.0, 0.1), (9, 60.0, 20.0, 0.1), (12, 150.0, 100.0, 0.1)]
    tool = tool_for(Handle("point", "seat", "Point", "", ((150.0, 100.0),), facts={"trail": trail, "half": 5}))
    went: list[int] = []
    tool.went = went.append

    def pressed(x: float, y: float) -> bool:
        p = QPointF(2 * x, 2 * y)
        kind = QEvent.Type.MouseButtonPress
        return tool.press(QMouseEvent(kind, p, p, LEFT, LEFT, Qt.KeyboardModifier.NoModifier), Sheet())

    assert pressed(61, 21)
    assert went == [9]
    assert not pressed(100, 60)  # between dots it is the viewer's
    assert pressed(150, 100)  # on the point itself it is taken hold of
    assert went == [9]


def test_the_veil_is_thickest_where_nothing_holds(qapp: QApplication) -> None:
    image = veil(np.array([[0.001, POOR, np.inf]], np.float32))
    assert [image.pixelColor(x, 0).alpha() for x in range(3)] == pytest.approx([0, THICKEST, THICKEST], abs=1)
    between = veil(np.array([[0.03]], np.float32)).pixelColor(0, 0).alpha()
    assert 0 < between < THICKEST


@pytest.mark.parametrize(("x", "right"), [(40, True), (300, False)])
def test_the_panel_stands_in_the_corner_away_from_the_point(qapp: QApplication, x: int, right: bool) -> None:
    patch = np.full((9, 9, 3), (0.8, 0.05, 0.05), np.float32)
    told = {"views": Views(patch, patch, patch), "reference": 1, "frame": 4, "error": 0.7, "half": 4}
    handle = Handle("point", "seat", "Point", "", ((float(x), 60.0),), facts=told)
    image = painted(handle, Sheet())
    reds = [
        (i, j) for i in range(0, 640, 4) for j in range(0, 480, 4) if image.pixelColor(i, j).red() > 200 and image.pixelColor(i, j).blue() < 90
    ]  # fmt: skip
    assert len(reds) > 3 * 15**2
    assert all((i > 285 if right else i < 355) and j > 300 for i, j in reds)
    hidden = Sheet()
    hidden.show_panel = False
    assert painted(handle, hidden).pixelColor(*reds[0]) == QColor("#808080")


@pytest.mark.parametrize(("error", "words"), [(0.004, "under 0.01 px"), (0.0149, "0.01 px"), (2.5, "2.50 px")])
def test_small_errors_are_not_said_to_be_none(error: float, words: str) -> None:
    assert px_words(error) == words


def test_what_does_not_agree_is_hatched(qapp: QApplication) -> None:
    corners = ((20.0, 20.0), (120.0, 20.0), (120.0, 120.0), (20.0, 120.0))
    where = np.full((10, 10), 90)
    where[:5, :5] = 5
    plain, hatched = (painted(Handle("corners", "seat", "C", "", corners, facts=f), Sheet()) for f in ({}, {"where": where}))
    changed = [(i, j) for i in range(0, 300, 2) for j in range(0, 300, 2) if plain.pixelColor(i, j) != hatched.pixelColor(i, j)]
    assert len(changed) > 200
    assert all(i <= 142 and j <= 142 for i, j in changed)
