"""What can be done with steps and parts from the bench: menus, pins, cues, limits. Each is an edit by its name."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QMenu, QWidget

from transmixis.desk.engine import LOOK
from transmixis.desk.partdialogs import Gather, Offsets
from transmixis.desk.presetacts import PresetActs
from transmixis.desk.readingwords import limit_words
from transmixis.desk.sheet import StepSheet
from transmixis.desk.state import State
from transmixis.desk.writeout import WRITTEN, write_out
from transmixis.shot.model import STAGES, Shot, Step
from transmixis.shot.parts import part_named, part_of
from transmixis.shot.pins import move_pin
from transmixis.shot.stepjob import added_from_file, from_file
from transmixis.shot.steps import KINDS, kind_of

SEAT = "seat"  # the act that the pin's key does, where a step has it


class StepActs:
    """On the chosen step, or on a part."""

    def __init__(self, state: State, sheet: StepSheet, parent: QWidget) -> None:
        self._state, self._sheet, self._parent = state, sheet, parent
        self.presets = PresetActs(state, parent)

    # -- pins and cues

    def act(self, name: str) -> None:
        """One of the chosen step's own acts at the playhead; it is worked out beside the interface."""
        s = self._state
        renderer, shot, step, frame = s.renderer(), s.shot, s.step, s.frame
        if renderer is None or shot is None or step is None:
            return
        words = next((a.words for a in kind_of(step.kind).acts if a.name == name), "")
        if not words:
            s.said.emit(f"{step.name} has nothing that this key does; choose a track.", "note")
            return

        def take(new: Step) -> None:
            if s.shot is shot and s.edits.change(f"{step.name}: {words.lower()}", lambda: shot.with_step(new)):
                s.edits.log("pin", f"{step.name}: {words.lower()}, frame {frame}.", step=step.id, frame=frame)

        s.engine.ask(LOOK, lambda: renderer.acted(step.id, name, frame), take, lambda e: s.said.emit(e, "note"), tag="act")

    def pin_here(self) -> None:
        """Seat a track at the playhead; of other steps pin every numeric control that differs from its default, or has pins."""
        s = self._state
        step = s.step
        if not step:
            return
        if any(a.name == SEAT for a in kind_of(step.kind).acts):
            self.act(SEAT)
            return
        fields = kind_of(step.kind).Params.model_fields
        names = [n for n, f in fields.items() if f.default != s.edits.param(n) or step.pins.get(n)] or list(fields)[:1]
        focus = next((n for n, r in self._sheet._rulers.items() if r.hasFocus()), None)
        for name in [focus] if focus else names:
            s.edits.set_param(name, s.edits.param(name), at_frame=True)

    def unpin_here(self) -> None:
        s = self._state
        step = s.step
        for name in list(step.pins) if step else []:
            if any(p.frame == s.frame for p in (s.step.pins.get(name, ()) if s.step else ())):
                s.edits.unpin(name, s.frame)

    def move_pins(self, frame: int, to: int) -> None:
        """Move all pins of the chosen step at a frame to another."""
        shot, step = self._state.shot, self._state.step
        if not shot or not step:
            return
        new = step
        for name, pins in step.pins.items():
            if any(p.frame == frame for p in pins):
                new = move_pin(new, name, frame, to)
        self._state.edits.change(f"{step.name}: move a pin", lambda: shot.with_step(new))

    def add_cue(self) -> None:
        frame = self._state.frame
        name, fine = QInputDialog.getText(self._parent, "Add a cue", f"Name of the cue at frame {frame}:")
        if self._state.shot and fine and name.strip():
            self._state.edits.run("cue.add", frame=frame, name=name)

    # -- steps

    def add_menu(self, button: QWidget) -> None:
        """The kinds of steps, by their stages."""
        menu = QMenu(self._parent)
        for stage in STAGES:
            kinds = [k for k in KINDS.values() if k.stage == stage]
            if kinds:
                menu.addSection(stage)
            for kind in kinds:
                action = menu.addAction(f"{kind.title}: {kind.says}")
                if action:
                    action.triggered.connect(lambda _, k=kind.kind: self.add_step(k))
        presets = self.presets.adding()
        if presets:
            menu.addSection("Presets")
        for words, act in presets.items():
            action = menu.addAction(words)
            if action:
                action.triggered.connect(lambda _, a=act: a())
        menu.exec(button.mapToGlobal(QPoint(0, button.height())))

    def add_step(self, kind: str) -> None:
        done = self._state.edits.run("step.add", kind=kind)
        if done:
            self._state.set_step(done.made)

    def choose_file(self) -> None:
        """Ask for the file that the chosen step is set from."""
        shot, step = self._state.shot, self._state.step
        if shot is None or step is None:
            return
        endings = " ".join(f"*{e}" for e in kind_of(step.kind).files)
        name, _ = QFileDialog.getOpenFileName(self._parent, f"Read into {step.name}", "", f"{step.name} ({endings})")
        if name:
            self._read(Path(name), shot, lambda: from_file(shot, step.id, Path(name)))

    def add_from_file(self, path: Path) -> None:
        """A step that is set by what a file holds, which was dropped on the window."""
        shot = self._state.shot
        if shot is not None:
            self._read(path, shot, lambda: added_from_file(shot, path))

    def _read(self, path: Path, shot: Shot, make: Callable[[], tuple[Shot, Step]]) -> None:
        """Read beside the interface, then change the shot."""
        s = self._state

        def take(made: tuple[Shot, Step]) -> None:
            new, step = made
            if s.shot is not shot:
                s.said.emit(f"The shot was changed while {path.name} was read; choose it once more.", "note")
            elif s.edits.change(f"{step.name}: read {path.name}", lambda: new):
                s.edits.log("read", f"{step.name}: read from {path.name}.", step=step.id)
                s.set_step(step.id)

        s.engine.ask(LOOK, make, take, lambda e: s.said.emit(e, "trouble"), tag="file")

    def head_menu(self, step_id: str, at: Any) -> None:
        """What can be done with a column's step."""
        shot = self._state.shot
        if not shot:
            return
        step, run = shot.step(step_id), self._state.edits.run
        place = [s.id for s in shot.steps].index(step_id)
        part = part_of(shot, step_id)
        acts: dict[str, Callable[[], object]] = {
            "Rename…": lambda: self._ask_name("step.rename", "step", step_id, step.name),
            "Switch on" if not step.on else "Switch off": lambda: run("step.switch", step=step_id),
            "Move left": lambda: run("step.move", step=step_id, to=place - 1),
            "Move right": lambda: run("step.move", step=step_id, to=place + 1),
            "Set limit…": self.set_limit,
            "Gather to a part…": self.gather,
        }
        if kind_of(step.kind).writes or kind_of(step.kind).product in WRITTEN:
            acts["Write out…"] = lambda: write_out(self._state, step_id, self._parent)
        if part:
            acts[f"Fold {part.name}"] = lambda: run("part.fold", part=part.id)
        acts |= self.presets.acts(step)
        acts["Take out"] = lambda: run("step.remove", step=step_id)
        self._menu(acts, at)

    def _menu(self, acts: Mapping[str, Callable[[], object]], at: Any) -> None:
        menu = QMenu(self._parent)
        for words, act in acts.items():
            action = menu.addAction(words)
            if action:
                action.triggered.connect(lambda _, a=act: a())
        menu.exec(at)

    def _ask_name(self, edit: str, what: str, which: str, now: str) -> None:
        name, fine = QInputDialog.getText(self._parent, "Rename", f"Name of this {what}:", text=now)
        if fine and name.strip():
            self._state.edits.run(edit, **{what: which, "name": name})

    def set_limit(self) -> None:
        """Ask for the limit of one of the chosen step's readings."""
        step = self._state.step
        readings = self._state.known.readings.get(self._state.step_id, {}).get(self._state.frame) or []
        if not step or not readings:
            return
        names = [f"{r.name} ({limit_words(r)})" for r in readings]
        choice, fine = QInputDialog.getItem(self._parent, "Set limit", "Which reading:", names, 0, False)
        if not fine:
            return
        r = readings[names.index(choice)]
        words = f"Limit of {r.name} in {r.unit or 'its unit'}:"
        value, fine = QInputDialog.getDouble(self._parent, "Set limit", words, r.limit, 1e-4, 1e6, 3)
        if fine:
            self._state.edits.run("step.limit", step=step.id, reading=r.name, limit=value)

    # -- parts

    def gather(self) -> None:
        """Ask which steps are a part."""
        shot, step = self._state.shot, self._state.step
        if not shot or not step:
            return
        dialog = Gather(shot, step, self._parent)
        if dialog.exec() == Gather.DialogCode.Accepted:
            self._state.edits.run("part.make", name=dialog.name.text(), steps=dialog.chosen())
        dialog.deleteLater()

    def fold_here(self) -> None:
        """Fold the chosen step's part, or spread it."""
        shot = self._state.shot
        part = part_of(shot, self._state.step_id) if shot else None
        if part is None:
            self._state.said.emit("This step is in no part; gather steps to one with A.", "note")
            return
        self._state.edits.run("part.fold", part=part.id)

    def part_menu(self, part_id: str, at: Any) -> None:
        """What can be done with a part."""
        shot = self._state.shot
        if not shot:
            return
        part, run = part_named(shot, part_id), self._state.edits.run
        self._menu(
            {
                "Spread" if part.folded else "Fold": lambda: run("part.fold", part=part_id),
                "Rename…": lambda: self._ask_name("part.rename", "part", part_id, part.name),
                "Switch off" if part.asleep is None else "Switch on": lambda: run("part.switch", part=part_id),
                "One place to the front": lambda: run("part.front", part=part_id),
                "One place to the back": lambda: run("part.back", part=part_id),
                "Move…": lambda: self._ask_offsets("part.move", part_id),
                "Copy…": lambda: self._ask_offsets("part.copy", part_id),
                "Keep as a preset…": lambda: self.presets.keep(part.name),
                "Let go of its steps": lambda: run("part.loosen", part=part_id),
                "Take out with its steps": lambda: run("part.remove", part=part_id),
            },
            at,
        )

    def _ask_offsets(self, edit: str, part_id: str) -> None:
        shot = self._state.shot
        if not shot:
            return
        dialog = Offsets(part_named(shot, part_id), self._parent, copy=edit == "part.copy")
        if dialog.exec() == Offsets.DialogCode.Accepted:
            self._state.edits.run(edit, part=part_id, **dialog.values())
        dialog.deleteLater()
