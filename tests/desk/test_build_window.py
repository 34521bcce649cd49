"""Building in the window: every kind of step made by hand with the mouse, the section from the side, what would give the shot away, presets."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from deskhelp import click, drag, opened, press, settle
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QInputDialog, QMenu

from transmixis.desk.section.side import GROUND
from transmixis.desk.window import MainWindow
from transmixis.media.exchange.grades import cube_text
from transmixis.media.still import write_still
from transmixis.shot.document import Document
from transmixis.shot.model import Plate, Shot
from transmixis.shot.presets import preset_named
from transmixis.shot.steps import kind_of
from transmixis.shot.workorder import add_step

WIDE, HIGH, FRAMES = 160, 100, 6


def pictures(folder: Path) -> None:
    dice = np.random.default_rng(3)
    wall = np.full((HIGH, WIDE, 3), 0.12, np.float32) * dice.normal(1, 0.05, (HIGH, WIDE, 3)).astype(np.float32)
    for n in range(1, FRAMES + 1):
        write_still(folder / f"take.{n:04d}.exr", np.roll(wall, n, 1), kind="half")
        flame = np.zeros((HIGH, WIDE, 3), np.float32)
        flame[40:70, 70 + n : 90 + n] = (2.5, 1.2, 0.3)
        write_still(folder / f"flame.{n:04d}.exr", flame, kind="half")
    smoke = np.zeros((HIGH, WIDE, 4), np.float32)
    smoke[20:90, 40:120] = np.float32([0.3, 0.3, 0.3, 1]) * 0.6
    card = np.zeros((HIGH, WIDE, 4), np.float32)
    card[40:90, 20:50] = (0.3, 0.5, 0.2, 1)
    write_still(folder / "smoke.exr", smoke, kind="half")
    write_still(folder / "card.exr", card, kind="half")


def layered(folder: Path) -> Shot:
    """A take with a flame and smoke over it, in the wrong order, and a grade."""
    plates = (
        Plate(id="hero", role="hero", path=str(folder / "take.####.exr")),
        Plate(id="flame", role="element", path=str(folder / "flame.####.exr")),
        Plate(id="smoke", role="still", path=str(folder / "smoke.exr")),
        Plate(id="card", role="element", path=str(folder / "card.exr")),
    )
    out = Shot(code="A010", length=FRAMES, rate="24", width=WIDE, height=HIGH, plates=plates)
    below = "plate:hero"
    for name, values in (("flame", {"blend": "add"}), ("smoke", {"opacity": 0.9})):
        out, step = add_step(out, "place", name=name)
        out = out.with_step(step.model_copy(update={"inputs": {"front": f"plate:{name}", "back": below}, "params": values}))
        below = f"step:{step.id}"
    out, grade = add_step(out, "grade")
    return out.with_step(grade.model_copy(update={"inputs": {"picture": below}}))


@pytest.fixture
def window(tmp_path: Path, qtbot: Any, monkeypatch: pytest.MonkeyPatch) -> Iterator[MainWindow]:
    monkeypatch.setattr(Path, "home", lambda: tmp_path)
    pictures(tmp_path)
    doc = Document.create(tmp_path / "film", "The Kite Post")
    doc.apply("A shot", doc.film.with_shot(layered(tmp_path)))
    doc.close()
    w = opened(qtbot, tmp_path / "film")
    yield w
    w.close()


def chosen(window: MainWindow, qtbot: Any, name: str) -> None:
    assert window.state.shot is not None
    window.state.set_step(next(s.id for s in window.state.shot.steps if s.name == name))
    settle(qtbot, window)


def names(window: MainWindow) -> list[str]:
    return [c.name for c in window.bench.section.side.cards]


def test_the_section_is_there_while_something_is_built(window: MainWindow, qtbot: Any) -> None:
    section = window.bench.section
    chosen(window, qtbot, "flame")
    assert section.isVisible()
    assert names(window) == ["Grade", "smoke", "flame", "hero"]
    side = section.side
    box = side.box(1)
    press(qtbot, side, box.center().x(), box.center().y())
    settle(qtbot, window)
    assert window.state.step is not None
    assert window.state.step.name == "smoke"
    assert side.at(box.center().x(), box.center().y()) == 1
    assert window.grab().width() == 1280
    assert window.state.edits.run("step.add", kind="survey")
    window.state.set_step("survey")
    settle(qtbot, window)
    assert not section.isVisible()


def test_a_foot_is_slid_to_change_places_and_keys_do_the_same(window: MainWindow, qtbot: Any) -> None:
    chosen(window, qtbot, "flame")
    side = window.bench.section.side
    xs = side.places()
    qtbot.mousePress(side, Qt.MouseButton.LeftButton, pos=QPoint(round(xs[2]), round(GROUND + 3)))
    qtbot.mouseMove(side, QPoint(round(xs[1]) - 12, round(GROUND + 3)))
    side._x = xs[1] - 12  # the offscreen platform sends no buttons with a move
    qtbot.mouseRelease(side, Qt.MouseButton.LeftButton, pos=QPoint(round(xs[1]) - 12, round(GROUND + 3)))
    settle(qtbot, window)
    assert names(window) == ["Grade", "flame", "smoke", "hero"]
    window.commands.run("layer.farther")
    settle(qtbot, window)
    assert names(window) == ["Grade", "smoke", "flame", "hero"]
    window.state.edits.undo()
    settle(qtbot, window)
    assert names(window) == ["Grade", "flame", "smoke", "hero"]


def test_a_muddied_glow_is_said_and_put_right_by_one_press(window: MainWindow, qtbot: Any) -> None:
    chosen(window, qtbot, "smoke")
    section = window.bench.section
    assert section.better.isVisible()
    assert section.better.text() == "Bring flame to the front"
    assert "takes" in section.better.toolTip()
    press(qtbot, section.better, 8, 8)
    settle(qtbot, window)
    assert names(window) == ["Grade", "flame", "smoke", "hero"]
    assert not section.better.isVisible()


def test_a_giveaway_leads_to_its_frame(window: MainWindow, qtbot: Any) -> None:
    chosen(window, qtbot, "flame")
    window.state.edits.set_param("shutter", 0.0)
    assert window.state.step is not None
    for frame, x in ((1, 0.0), (3, 0.0), (4, 60.0), (6, 60.0)):
        window.state.edits.run("step.pin", step=window.state.step_id, param="x", frame=frame, value=x)
    settle(qtbot, window)
    listed = window.bench.section.giveaways
    assert listed.rows[0].reading.name == "motion blur"
    assert listed.rows[0].reading.state == "fault"
    chosen(window, qtbot, "Grade")
    press(qtbot, listed, 60, 40)
    settle(qtbot, window)
    assert window.state.step.name == "flame"
    assert window.state.frame == listed.rows[0].frame


LINE = "line"


def test_the_section_follows_the_playhead_when_it_rests(window: MainWindow, qtbot: Any) -> None:
    chosen(window, qtbot, "flame")
    assert window.state.edits.run("step.pin", step=window.state.step_id, param="opacity", frame=1, value=1.0)
    assert window.state.edits.run("step.pin", step=window.state.step_id, param="opacity", frame=6, value=0.0)
    settle(qtbot, window)
    flame = next(c for c in window.bench.section.side.cards if c.name == "flame")
    assert flame.opacity == 1
    window.state.set_frame(6)
    qtbot.waitUntil(lambda: next(c for c in window.bench.section.side.cards if c.name == "flame").opacity == 0, timeout=60_000)


# kind: what is connected by hand, what is set, what is drawn in the picture by the mouse (from, to)
KINDS = {
    "retime": ({"plate": "plate:flame"}, {"speed": 0.5}, None),
    "looping": ({"plate": "plate:flame"}, {"length": 3.0, "blend": 2.0}, None),
    "movement": ({}, {"what": "launch", "way": 80.0, "frames": 3.0}, None),
    "copies": ({"element": "plate:flame"}, {"count": 3.0, "wide": 80.0}, None),
    "wrap_round": ({"picture": "plate:hero"}, {"frames": 5.0}, None),
    "join_takes": ({"one": "plate:hero", "other": "plate:hero"}, {"last": 3.0, "first": 4.0, "warp": 1.0}, None),
    "bend": ({"picture": "plate:card"}, {}, ((35, 88), (35, 44))),
    "turn_into": ({"one": "plate:card", "other": "plate:smoke"}, {"begin": 1.0, "warps": 4.0}, ((22, 42), (48, 88))),
    "beam": ({"motion": "", "other": ""}, {"wide": 4.0}, ((20, 20), (140, 70))),
    "particle": ({"motion": ""}, {"begin": -20.0}, ((80, 50), None)),
    "pattern": ({"motion": ""}, {"pitch": 8.0}, ((80, 50), None)),
    "rough_edge": ({"matte": "plate:card"}, {}, None),
    "shadow_cast": ({"back": "plate:hero", "casts": "plate:card"}, {}, ((35, 90), (80, 96))),
    "reflection": ({"back": "plate:hero", "front": "plate:card"}, {}, None),
    "glow": ({"picture": "plate:flame"}, {"reach": 20.0}, None),
    "light_given": ({"back": "plate:hero", "glows": "plate:flame", "near": ""}, {}, None),
    "rays_and_flare": ({"back": "plate:hero", "glows": "plate:flame"}, {}, ((20, 10), None)),
    "haze": ({"subject": "plate:card", "plate": "plate:hero"}, {"amount": 0.3}, None),
    "grade": ({"picture": "plate:hero"}, {"slope_r": 1.3}, None),
    "colour_table": ({"picture": "plate:hero"}, {}, None),
    "reframe": ({"picture": "plate:hero"}, {"size": 1.2, "shake": 1.0}, None),
    "lens_and_bars": ({"picture": "plate:hero"}, {"aspect": 2.0, "grain": 1.0}, None),
    "place": ({"front": "plate:card", "back": "plate:hero", "motion": ""}, {"x": 40.0, "turn": 20.0}, None),
}


@pytest.mark.parametrize("kind", sorted(KINDS))
def test_every_kind_is_made_in_the_window(kind: str, window: MainWindow, qtbot: Any, tmp_path: Path) -> None:
    troubles: list[str] = []
    window.engine.trouble.connect(troubles.append)
    inputs, values, drawn = KINDS[kind]
    window.bench.acts.add_step(kind)
    settle(qtbot, window)
    step = window.state.step
    assert step is not None
    assert step.kind == kind
    shot = window.state.shot
    assert shot is not None
    assert window.state.edits.change(
        "Connect", lambda: shot.with_step(step.model_copy(update={"inputs": {**step.inputs, **inputs}}))
    )
    if kind == "colour_table":
        path = tmp_path / "half.cube"
        axis = np.linspace(0, 1, 3)
        path.write_text(cube_text(0.5 * np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), -1), "half"))
        window.bench.acts._read(path, window.state.shot, lambda: _with_table(window, path))
    for name, value in values.items():
        window.state.edits.set_param(name, value)
    window.state.set_view("Result")
    settle(qtbot, window)
    if drawn is not None:
        (x0, y0), end = drawn
        if end is None:
            click(window, x0, y0)
        else:
            drag(window, (x0, y0), end)
        settle(qtbot, window)
        set_there = {h.param for h in window.bench.hands.handles}
        assert any(window.state.step.params.get(p) for p in set_there), f"{kind}: nothing was set in the picture"
    for frame in (2, FRAMES):
        window.state.set_frame(frame)
        settle(qtbot, window)
    table = window.state.known.readings[window.state.step_id]
    assert len(table) == FRAMES
    assert all(r.value is not None or r.note for rows in table.values() for r in rows)
    assert table[2], f"{kind} reads nothing"
    assert window.bench.section.isVisible() == (kind_of(kind).stage == "Build")
    assert troubles == []
    window.grab()


def _with_table(window: MainWindow, path: Path) -> Any:
    from transmixis.shot.stepjob import from_file

    assert window.state.shot is not None
    return from_file(window.state.shot, window.state.step_id, path)


def test_presets_are_kept_and_used_from_menus(window: MainWindow, qtbot: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    chosen(window, qtbot, "flame")
    monkeypatch.setattr(QInputDialog, "getText", staticmethod(lambda *a, **k: ("warm", True)))
    offered: list[list[str]] = []

    def take(words: str) -> Any:
        def exec_(menu: QMenu, *a: object) -> None:
            offered.append([x.text() for x in menu.actions()])
            next(x for x in menu.actions() if x.text() == words).trigger()

        return exec_

    monkeypatch.setattr(QMenu, "exec", take("Keep as a preset…"))
    window.bench.acts.head_menu(window.state.step_id, QPoint(0, 0))
    settle(qtbot, window)
    assert window.state.session is not None
    assert preset_named(window.state.session.document.film, "warm").steps[0].params["blend"] == "add"
    chosen(window, qtbot, "smoke")
    monkeypatch.setattr(QMenu, "exec", take("As in the preset warm"))
    window.bench.acts.head_menu(window.state.step_id, QPoint(0, 0))
    settle(qtbot, window)
    assert window.state.step is not None
    assert window.state.step.params["blend"] == "add"
    count = len(window.state.shot.steps)  # type: ignore[union-attr]
    monkeypatch.setattr(QMenu, "exec", take("warm: flame"))
    window.bench.acts.add_menu(window.bench.add)
    settle(qtbot, window)
    assert len(window.state.shot.steps) == count + 1  # type: ignore[union-attr]


def drag_over(qtbot: Any, widget: Any, a: tuple[float, float], b: tuple[float, float], hold: Any = None) -> None:
    """Press, move and let go; the offscreen platform sends no buttons with a move, so the place is told the widget itself."""
    start, end = (QPoint(round(x), round(y)) for x, y in (a, b))
    qtbot.mousePress(widget, Qt.MouseButton.LeftButton, pos=start)
    qtbot.mouseMove(widget, end)
    if hold is not None:
        widget._x = hold
    qtbot.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=end)


def taking(words: str, offered: list[list[str]]) -> Any:
    def exec_(menu: QMenu, *a: object) -> None:
        offered.append([x.text() for x in menu.actions()])
        next(x for x in menu.actions() if x.text() == words).trigger()

    return exec_


def test_a_card_is_hung_on_another_s_track_and_let_go(window: MainWindow, qtbot: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    chosen(window, qtbot, "flame")
    state, side = window.state, window.bench.section.side
    said: list[str] = []
    state.said.connect(lambda words, _: said.append(words))
    flame, hero = side.box(2).center(), side.box(3).center()
    drag_over(qtbot, side, (flame.x(), flame.y()), (hero.x(), 60), hold=hero.x())
    assert "No track or movement follows anything in hero" in said[-1]
    assert state.shot is not None
    new, track = add_step(state.shot, "point_track", name="hand")
    new = new.with_step(track.model_copy(update={"inputs": {"plate": "plate:hero"}}))
    assert state.edits.change("Track", lambda: new)
    chosen(window, qtbot, "flame")
    state.set_frame(2)
    settle(qtbot, window)
    offered: list[list[str]] = []
    monkeypatch.setattr(QMenu, "exec", taking("hand", offered))
    drag_over(qtbot, side, (flame.x(), flame.y()), (hero.x(), 60), hold=hero.x())
    settle(qtbot, window)
    assert offered == [["flame hangs on", "hand"]]
    step = next(s for s in state.shot.steps if s.name == "flame")
    assert step.inputs["motion"] == f"step:{track.id}"
    assert step.params["at"] == 2
    card = next(c for c in side.cards if c.name == "flame")
    assert (card.hangs_on, card.carrier) == ("hand", side.cards[3].step)
    monkeypatch.setattr(QMenu, "exec", taking("nothing: let go", offered))
    window.commands.run("tie")
    settle(qtbot, window)
    assert "motion" not in next(s for s in state.shot.steps if s.name == "flame").inputs
    assert window.grab().width() == 1280


def test_a_card_s_side_says_how_opaque_it_is(window: MainWindow, qtbot: Any) -> None:
    chosen(window, qtbot, "smoke")
    side = window.bench.section.side
    box = side.box(1)
    assert side.grip_at(box.right(), box.center().y()) == (1, "side")
    x = box.center().x() + 5.1
    drag_over(qtbot, side, (box.right(), box.center().y()), (x, box.center().y()), hold=x)
    settle(qtbot, window)
    assert window.state.edits.param("opacity") == pytest.approx(0.3)
    window.state.edits.undo()
    assert window.state.edits.param("opacity") == pytest.approx(0.9)


def test_a_light_s_rim_is_dragged(window: MainWindow, qtbot: Any) -> None:
    state, side = window.state, window.bench.section.side
    assert state.shot is not None
    top = next(s for s in state.shot.steps if s.name == "smoke")
    new, light = add_step(state.shot, "light_given", name="light")
    inputs = {"back": f"step:{top.id}", "glows": "plate:flame"}
    assert state.edits.change("Light", lambda: new.with_step(light.model_copy(update={"inputs": inputs})))
    chosen(window, qtbot, "light")
    at = next(k for k, c in enumerate(side.cards) if c.name == "light")
    card = side.cards[at]
    assert card.light is not None
    lamp = next(c for c in side.cards if c.step == card.light.source)
    assert lamp.name == "flame"
    rim = side.rim_of(at)
    assert rim == side.width() - 17  # as far as it goes
    assert side.grip_at(rim, 60) == (at, "rim")
    x = side.box(side.cards.index(lamp)).center().x() + 0.25 * (side.width() - 17 - 84)
    drag_over(qtbot, side, (rim, 60), (x, 60), hold=x)
    settle(qtbot, window)
    assert state.edits.param("reach") == pytest.approx(0.25 * WIDE, abs=1)
    assert side.rim_of(at) == pytest.approx(x, abs=3)
    assert list(side.short) == [light.id]
    drag_over(qtbot, side, (side.rim_of(at), 60), (side.width() - 10, 60), hold=side.width() - 17)
    settle(qtbot, window)
    assert state.edits.param("reach") == 0
    assert window.grab().width() == 1280


def test_begin_and_end_are_jaws_on_the_action(window: MainWindow, qtbot: Any) -> None:
    window.bench.acts.add_step("retime")
    settle(qtbot, window)
    step, shot = window.state.step, window.state.shot
    assert step is not None
    assert shot is not None
    inputs = {**step.inputs, "plate": "plate:flame"}
    assert window.state.edits.change("Connect", lambda: shot.with_step(step.model_copy(update={"inputs": inputs})))
    settle(qtbot, window)
    view = window.bench.sheet.plot
    assert view is not None
    assert view.values() == {"begin": 1, "end": FRAMES}
    x = 20 + 40
    qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=QPoint(x, round(view.y_of(1))))
    qtbot.mouseMove(view, QPoint(x, round(view.y_of(3))))
    assert view.values()["begin"] == 3
    assert window.state.edits.param("begin") == 1  # until it is let go
    qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=QPoint(x, round(view.y_of(3))))
    settle(qtbot, window)
    assert window.state.edits.param("begin") == 3
    # the bar at the left takes both along, no farther than the end lets it
    window.state.edits.set_param("end", 5.0)
    settle(qtbot, window)
    middle, far = (QPoint(22, round(view.y_of(n))) for n in (4, 9))
    qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=middle)
    qtbot.mouseMove(view, far)
    qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=far)
    settle(qtbot, window)
    assert (window.state.edits.param("begin"), window.state.edits.param("end")) == (4, 6)
    for command, begin, end in (("begin.earlier", 3, 6), ("end.earlier", 3, 5), ("begin.later", 4, 5), ("end.later", 4, 6)):
        window.commands.run(command)
        assert (window.state.edits.param("begin"), window.state.edits.param("end")) == (begin, end)
    chosen(window, qtbot, "Grade")
    said: list[str] = []
    window.state.said.connect(lambda words, _: said.append(words))
    window.commands.run("begin.earlier")
    assert "no frame at which it begins" in said[-1]


def test_a_grid_is_drawn_and_pulled_in_the_picture(window: MainWindow, qtbot: Any) -> None:
    window.bench.acts.add_step("bend")
    settle(qtbot, window)
    step, shot = window.state.step, window.state.shot
    assert step is not None
    assert shot is not None
    inputs = {**step.inputs, "picture": "plate:hero", "motion": ""}
    assert window.state.edits.change("Connect", lambda: shot.with_step(step.model_copy(update={"inputs": inputs})))
    window.state.edits.set_param("how", "pulled by a grid")
    window.state.set_view("Result")
    settle(qtbot, window)
    drag(window, (30, 20), (130, 80))
    settle(qtbot, window)
    pulled = window.state.step.params["pulled"]  # type: ignore[union-attr]
    assert len(pulled) == 25
    assert pulled[12] == pytest.approx([80, 50], abs=1)
    drag(window, (80, 50), (86, 44))
    settle(qtbot, window)
    after = window.state.step.params["pulled"]  # type: ignore[union-attr]
    assert after[12] == pytest.approx([86, 44], abs=1.5)
    assert after[:12] == pulled[:12]
    window.state.edits.undo()
    assert window.state.step.params["pulled"] == pulled  # type: ignore[union-attr]
