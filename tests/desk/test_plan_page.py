"""The Plan page, driven in the real window."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from deskhelp import press, settle
from PyQt6.QtCore import QPoint, Qt

from transmixis.desk.plan.questionlist import ROW
from transmixis.desk.window import MainWindow
from transmixis.shot.planning import QUESTIONS


def choose(qtbot: Any, window: MainWindow, kind: str) -> None:
    press(qtbot, window.plan.questions, 60, list(QUESTIONS).index(kind) * ROW + 15)
    assert window.plan.questions.now == kind


def test_every_question_is_asked_drawn_and_answered(bench: MainWindow, qtbot: Any) -> None:
    qtbot.keyClick(bench, Qt.Key.Key_1)
    assert bench.page == "plan"
    for kind, question in QUESTIONS.items():
        choose(qtbot, bench, kind)
        assert bench.plan.title.text() == question.title
        if question.slow:
            settle(qtbot, bench)
        assert bench.plan.view.answer is not None
        picture = bench.plan.view.grab().toImage()
        colours = {picture.pixel(x, y) for x in range(0, picture.width(), 5) for y in range(0, picture.height(), 5)}
        assert len(colours) > 3
    qtbot.keyClick(bench.plan.questions, Qt.Key.Key_Down)
    assert bench.plan.questions.now == next(iter(QUESTIONS))


def test_a_number_is_dragged_and_the_drawing_answers_before_it_is_let_go(bench: MainWindow, qtbot: Any) -> None:
    bench.show_page("plan")
    choose(qtbot, bench, "lens")
    ruler = bench.plan.inputs.rulers["distance"]
    before = bench.plan.view.answer
    y = ruler.height() - 16
    qtbot.mousePress(ruler, Qt.MouseButton.LeftButton, pos=QPoint(round(ruler.x_of(ruler.value)), y))
    qtbot.mouseMove(ruler, QPoint(round(ruler.x_of(ruler.value)) + 60, y))
    during = bench.plan.view.answer
    assert during is not None
    assert during.words != before.words  # type: ignore[union-attr]
    assert "lens" not in bench.state.shot.plan  # type: ignore[union-attr]
    qtbot.mouseRelease(ruler, Qt.MouseButton.LeftButton, pos=QPoint(round(ruler.x_of(ruler.value)), y))
    assert bench.state.shot.plan["lens"]["distance"] > 4  # type: ignore[union-attr]
    bench.state.undo()
    assert "lens" not in bench.state.shot.plan  # type: ignore[union-attr]


def test_a_proposal_mends_the_shadows_and_can_be_undone(bench: MainWindow, qtbot: Any) -> None:
    bench.show_page("plan")
    choose(qtbot, bench, "shadow")
    plan = bench.plan
    assert plan.card.isVisible()
    day = plan.inputs.days["second_day"]
    day.setDate(day.date().addDays(1))
    day.editingFinished.emit()
    assert bench.state.shot.plan["shadow"]["second_day"] == "2026-05-23"  # type: ignore[union-attr]
    settle(qtbot, bench)
    assert bench.state.stage_state("Plan")[0] == "fault"
    qtbot.mouseClick(plan.use, Qt.MouseButton.LeftButton)
    assert plan.view.answer is not None
    assert plan.view.answer.words.startswith("Yes")
    assert not plan.card.isVisible()
    settle(qtbot, bench)
    assert bench.state.stage_state("Plan")[1] == 0
    bench.state.undo()
    assert plan.view.answer.words.startswith("No")
    assert any(e.kind == "plan" for e in bench.state.session.document.log.entries())  # type: ignore[union-attr]


def test_the_shoot_list_is_ticked_kept_and_written(bench: MainWindow, qtbot: Any, tmp_path: Path) -> None:
    bench.show_page("plan")
    choose(qtbot, bench, "takes")
    assert not bench.plan.list.save.isEnabled()
    bench.plan.inputs.ticks["tricks"]["duplicate a performer"].click()
    bench.plan.inputs.ticks["tricks"]["miniature"].click()
    assert bench.state.shot.plan["takes"]["tricks"] == ["duplicate a performer", "miniature"]  # type: ignore[union-attr]
    lines = bench.plan.list.lines
    assert lines.count() > 6
    first = lines.item(0)
    assert first is not None
    what = first.data(Qt.ItemDataRole.UserRole)
    first.setCheckState(Qt.CheckState.Checked)
    assert bench.state.shot.ticked == (what,)  # type: ignore[union-attr]
    assert "1 of" in bench.plan.list.head.text()
    page = tmp_path / "list.html"
    bench.plan.list.write(page)
    words = page.read_text()
    assert "☒" in words
    assert "Shoot list: KP010" in words
    bench.plan.list.write(tmp_path / "no" / "where.html")  # told, not raised
    kept = json.loads((bench.state.folder / "shots" / "KP010" / "shot.json").read_text())  # type: ignore[operator]
    assert kept["ticked"] == [what]


def test_a_fall_is_put_on_place_as_pins(bench: MainWindow, qtbot: Any) -> None:
    bench.show_page("plan")
    choose(qtbot, bench, "timing")
    assert bench.plan.put.isVisible()
    qtbot.mouseClick(bench.plan.put, Qt.MouseButton.LeftButton)
    pins = bench.state.shot.step("place").pins["y"]  # type: ignore[union-attr]
    assert len(pins) > 10
    bench.state.undo()
    assert not bench.state.shot.step("place").pins  # type: ignore[union-attr]
    choose(qtbot, bench, "lens")
    assert not bench.plan.put.isVisible()


def test_inputs_that_cannot_be_are_told_in_one_sentence(bench: MainWindow, qtbot: Any) -> None:
    bench.show_page("plan")
    others: dict[str, dict[str, Any]] = {
        "takes": {"camera": "on a kite"}, "shadow": {"second_day": "some day"}, "screen": {"cloth": "plaid"},
        "markers": {"motion": "none"}, "fix": {"repair": "luck"},
    }  # fmt: skip
    for kind, question in QUESTIONS.items():
        shot = bench.state.shot
        assert shot is not None
        if not question.Params.model_fields:
            continue
        wrong = others.get(kind, {next(iter(question.Params.model_fields)): -5})
        more = shot.model_copy(update={"plan": {kind: wrong}})
        assert bench.state.change("wrong", lambda more=more: more)
        choose(qtbot, bench, kind)
        bench.state.stage_state("Plan")
        settle(qtbot, bench)
        assert bench.plan.view.answer is None, kind
        assert len(bench.plan.view.trouble) > 10
        assert bench.state.stage_state("Plan") == ("fault", 1)
