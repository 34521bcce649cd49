"""The Plan page, driven in the real window."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from deskhelp import press, settle
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QCheckBox, QDialogButtonBox, QDoubleSpinBox, QPushButton, QSpinBox

from transmixis.desk.office import reporting
from transmixis.desk.plan.pick import PickDialog
from transmixis.desk.plan.questionlist import ROW
from transmixis.desk.window import MainWindow
from transmixis.shot.planning import QUESTIONS
from transmixis.shot.planning.contract import with_plan


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
    last = bench.state.session.document.log.entries()[-1]  # type: ignore[union-attr]
    assert last.text.startswith("Which lens, how far? Distance: ")
    bench.state.edits.undo()
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
    assert bench.state.known.stage_state("Plan")[0] == "fault"
    qtbot.mouseClick(plan.use, Qt.MouseButton.LeftButton)
    assert plan.view.answer is not None
    assert plan.view.answer.words.startswith("Yes")
    assert not plan.card.isVisible()
    settle(qtbot, bench)
    assert bench.state.known.stage_state("Plan")[1] == 0
    bench.state.edits.undo()
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
    settle(qtbot, bench)
    words = page.read_text()
    assert "☒" in words
    assert "Shoot list: KP010" in words
    bench.plan.list.write(Path("/proc/no/where.html"))  # told, not raised
    settle(qtbot, bench)
    assert "annot" in bench.trouble.words.text()
    kept = json.loads((bench.state.folder / "shots" / "KP010" / "shot.json").read_text())  # type: ignore[operator]
    assert kept["ticked"] == [what]


def test_a_fall_is_put_on_place_as_pins(bench: MainWindow, qtbot: Any) -> None:
    bench.show_page("plan")
    choose(qtbot, bench, "timing")
    assert bench.plan.put.isVisible()
    qtbot.mouseClick(bench.plan.put, Qt.MouseButton.LeftButton)
    pins = bench.state.shot.step("place").pins["y"]  # type: ignore[union-attr]
    assert len(pins) > 10
    bench.state.edits.undo()
    assert not bench.state.shot.step("place").pins  # type: ignore[union-attr]
    choose(qtbot, bench, "lens")
    assert not bench.plan.put.isVisible()


def test_inputs_that_cannot_be_are_told_in_one_sentence(bench: MainWindow, qtbot: Any) -> None:
    bench.show_page("plan")
    others: dict[str, dict[str, Any]] = {
        "takes": {"camera": "on a kite", "tricks": ["miniature"]}, "shadow": {"second_day": "some day"}, "screen": {"cloth": "plaid", "colours": ["leaves"]},
        "markers": {"motion": "none"}, "fix": {"repair": "luck"},
    }  # fmt: skip
    for kind, question in QUESTIONS.items():
        shot = bench.state.shot
        assert shot is not None
        if not question.Params.model_fields:
            continue
        wrong = others.get(kind, {next(iter(question.Params.model_fields)): -5})
        more = shot.model_copy(update={"plan": {kind: wrong}})
        assert bench.state.edits.change("wrong", lambda more=more: more)
        choose(qtbot, bench, kind)
        bench.state.known.stage_state("Plan")
        settle(qtbot, bench)
        assert bench.plan.view.answer is None, kind
        assert len(bench.plan.view.trouble) > 10
        assert bench.state.known.stage_state("Plan") == ("fault", 1)


def test_colours_are_measured_on_a_still_drawn_on_by_hand(bench: MainWindow, qtbot: Any) -> None:
    bench.show_page("plan")
    choose(qtbot, bench, "screen")
    assert "Not answered" in bench.plan.view.answer.words  # type: ignore[union-attr]
    dialog = PickDialog(bench.state, bench.plan, line=False)
    qtbot.addWidget(dialog)
    dialog.show()
    settle(qtbot, bench)
    view = dialog.view
    assert not view.image.isNull()
    ok = dialog.buttons.button(QDialogButtonBox.StandardButton.Ok)
    assert ok is not None
    assert not ok.isEnabled()

    def box(x: int, y: int, w: int, h: int) -> None:
        a, b = (view.to_widget(*p).toPoint() for p in ((x, y), (x + w, y + h)))
        qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=a)
        qtbot.mouseMove(view, b)
        qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=b)

    dialog.name.setText("coat")
    box(440, 330, 60, 60)
    dialog.cloth.click()
    box(30, 30, 200, 300)
    box(5, 5, 2, 2)  # a slip of the hand is nothing
    assert [b.name for b in view.boxes] == ["coat", "the cloth"]
    assert view.grab().width() > 0
    assert ok.isEnabled()
    bench.plan.use_drawn(dialog)
    plan = bench.state.shot.plan["screen"]  # type: ignore[union-attr]
    assert plan["measured"][0]["name"] == "coat"
    r, g, _ = plan["measured"][0]["rgb"]
    assert r > 1.5 * g  # the courier's coat is red
    assert plan["measured_cloth"][1] > 2 * plan["measured_cloth"][0]
    assert "clear" in bench.plan.view.answer.words  # type: ignore[union-attr]
    dialog.clear.click()
    dialog.clear.click()
    assert not ok.isEnabled()
    bench.plan.use_drawn(dialog)  # nothing drawn: told, nothing set
    assert not bench.plan.inputs.rulers["uneven"].isVisibleTo(bench.plan)  # the measured cloth says that itself
    qtbot.mouseClick(bench.plan.forget, Qt.MouseButton.LeftButton)
    assert not bench.state.shot.plan["screen"]["measured"]  # type: ignore[union-attr]
    assert not bench.plan.forget.isVisible()
    bench.state.edits.undo()
    bench.state.edits.undo()
    assert "screen" not in bench.state.shot.plan  # type: ignore[union-attr]


def test_a_shadow_is_drawn_from_foot_to_tip(bench: MainWindow, qtbot: Any) -> None:
    bench.show_page("plan")
    choose(qtbot, bench, "shadow")
    dialog = PickDialog(bench.state, bench.plan, line=True)
    qtbot.addWidget(dialog)
    dialog.show()
    settle(qtbot, bench)
    a, b = (dialog.view.to_widget(*p).toPoint() for p in ((300, 480), (420, 470)))
    qtbot.mousePress(dialog.view, Qt.MouseButton.LeftButton, pos=a)
    qtbot.mouseMove(dialog.view, b)
    qtbot.mouseRelease(dialog.view, Qt.MouseButton.LeftButton, pos=b)
    bench.plan.use_drawn(dialog)
    plan = bench.state.shot.plan["shadow"]  # type: ignore[union-attr]
    assert plan["first_light"] == "a drawn shadow"
    assert abs(plan["base_x"] - 300) < 2
    assert abs(plan["tip_y"] - 470) < 2
    rulers = bench.plan.inputs.rulers
    assert rulers["base_x"].isVisibleTo(bench.plan)
    assert not rulers["first_hour"].isVisibleTo(bench.plan)
    assert not bench.plan.inputs.days["first_day"].isVisibleTo(bench.plan)


def test_tasks_are_taken_timed_finished_and_undone(bench: MainWindow, qtbot: Any) -> None:
    bench.show_page("plan")
    choose(qtbot, bench, "estimate")
    bench.state.edits.change("no tasks", lambda: bench.state.shot.model_copy(update={"work": ()}))  # type: ignore[union-attr]
    tasks = bench.plan.tasks
    assert tasks.none.isVisible()
    qtbot.mouseClick(tasks.take, Qt.MouseButton.LeftButton)
    work = bench.state.shot.work  # type: ignore[union-attr]
    assert len(work) > 2
    assert tasks.table.rowCount() == len(work)
    spent = tasks.table.cellWidget(0, 3)
    assert isinstance(spent, QDoubleSpinBox)
    spent.setValue(2.5)
    spent.editingFinished.emit()
    assert bench.state.shot.work[0].spent == 2.5  # type: ignore[union-attr]
    done = tasks.table.cellWidget(0, 4)
    assert isinstance(done, QCheckBox)
    done.click()
    first = bench.state.shot.work[0]  # type: ignore[union-attr]
    assert first.done
    assert first.finished
    settle(qtbot, bench)
    assert "1 finished task" in dict(bench.plan.view.answer.rows)["learnt from"]  # type: ignore[union-attr]
    tasks.kinds.setCurrentText("paint")
    qtbot.mouseClick(tasks.add, Qt.MouseButton.LeftButton)
    assert any(w.kind == "paint" for w in bench.state.shot.work)  # type: ignore[union-attr]
    kinds = [e.kind for e in bench.state.session.document.log.entries()]  # type: ignore[union-attr]
    assert kinds.count("hours") == 2
    count = len(bench.state.shot.work)  # type: ignore[union-attr]
    frames = tasks.table.cellWidget(count - 1, 2)
    assert isinstance(frames, QSpinBox)
    assert frames.text() == "all"
    frames.setValue(2)
    frames.editingFinished.emit()
    assert bench.state.shot.work[-1].frames == 2  # type: ignore[union-attr]
    out = tasks.table.cellWidget(count - 1, 6)
    assert isinstance(out, QPushButton)
    out.click()
    assert len(bench.state.shot.work) == count - 1  # type: ignore[union-attr]
    bench.state.edits.undo()
    bench.state.edits.undo()
    bench.state.edits.undo()
    bench.state.edits.undo()
    assert not bench.state.shot.work[0].done  # type: ignore[union-attr]


def test_what_was_said_is_kept_with_its_day_and_shown_in_the_brief(bench: MainWindow, qtbot: Any, tmp_path: Path) -> None:
    bench.show_page("plan")
    choose(qtbot, bench, "agree")
    bench.state.edits.change("nothing said", lambda: bench.state.shot.model_copy(update={"agreements": ()}))  # type: ignore[union-attr]
    form = bench.plan.agree
    assert form.isVisible()
    assert not form.take_back.isEnabled()
    form.who.setCurrentText("producer")
    form.answer.setCurrentText("agreed if")
    qtbot.keyClicks(form.said, "two days at most")
    qtbot.mouseClick(form.keep, Qt.MouseButton.LeftButton)
    kept = bench.state.shot.agreements[-1]  # type: ignore[union-attr]
    assert (kept.who, kept.answer, kept.said) == ("producer", "agreed if", "two days at most")
    assert "Not asked yet: director, post supervisor." in bench.plan.view.answer.words  # type: ignore[union-attr]
    page = tmp_path / "brief.html"
    reporting.write(bench.state, "brief", page)
    settle(qtbot, bench)
    words = page.read_text()
    assert "two days at most" in words
    assert "data:image/png;base64" in words
    qtbot.mouseClick(form.take_back, Qt.MouseButton.LeftButton)
    assert not bench.state.shot.agreements  # type: ignore[union-attr]


def test_a_marker_that_is_dragged_is_simulated_beside_the_window(bench: MainWindow, qtbot: Any) -> None:
    bench.show_page("plan")
    choose(qtbot, bench, "markers")
    settle(qtbot, bench)
    before = bench.plan.view.answer
    bench.plan.inputs.dragged.emit("size", 4.0)
    assert bench.plan.view.answer is before  # not in the window
    settle(qtbot, bench)
    assert bench.plan.view.answer is not before
    assert "4 cm" in bench.plan.view.answer.words  # type: ignore[union-attr]
    assert "markers" not in bench.state.shot.plan  # type: ignore[union-attr]


def test_every_drawing_answers_while_a_number_is_dragged(bench: MainWindow, qtbot: Any) -> None:
    bench.show_page("plan")
    bench.state.edits.change("colours", lambda: with_plan(bench.state.shot, "screen", {"colours": ["light skin"]}))  # type: ignore[arg-type]
    for kind, question in QUESTIONS.items():
        choose(qtbot, bench, kind)
        settle(qtbot, bench)
        names = [n for n, r in bench.plan.inputs.rulers.items() if r.isVisibleTo(bench.plan)]
        if not names:
            assert kind in ("takes", "agree")
            continue
        before, held = bench.plan.view.answer, dict(bench.state.shot.plan)  # type: ignore[union-attr]
        ruler = bench.plan.inputs.rulers[names[0]]
        ruler.changed.emit(ruler.value * 1.1 + 0.5)
        if question.slow:
            settle(qtbot, bench)
        assert bench.plan.view.answer is not before, kind
        assert bench.state.shot.plan == held  # type: ignore[union-attr]
