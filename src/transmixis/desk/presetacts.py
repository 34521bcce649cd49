"""Presets from the bench: a step's or a part's settings kept by name, and used again."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QInputDialog, QWidget

from transmixis.desk.state import State
from transmixis.shot.model import Preset, Shot, Step
from transmixis.shot.presets import applied, kept


class PresetActs:
    """What menus offer of presets."""

    def __init__(self, state: State, parent: QWidget) -> None:
        self._state, self._parent = state, parent

    def _presets(self) -> tuple[Preset, ...]:
        session = self._state.session
        return session.document.film.production.presets if session else ()

    def acts(self, step: Step) -> dict[str, Callable[[], object]]:
        """For a step: keep its settings, and take those of any preset of its kind."""
        out: dict[str, Callable[[], object]] = {"Keep as a preset…": lambda: self.keep(step.name)}
        for p in self._presets():
            if any(s.kind == step.kind for s in p.steps):
                out[f"As in the preset {p.name}"] = partial(self.use, p, [step.id])
        return out

    def adding(self) -> dict[str, Callable[[], object]]:
        """For the list of steps to add: the steps of a preset."""
        return {f"{p.name}: {', '.join(s.name for s in p.steps)}": partial(self.use, p, []) for p in self._presets()}

    def keep(self, which: str) -> None:
        """Ask for a name and keep a step's or a part's settings under it."""
        s = self._state
        shot = s.shot
        if shot is None:
            return
        name, fine = QInputDialog.getText(self._parent, "Keep as a preset", "Name of the preset:", text=which)
        if (
            fine
            and name.strip()
            and s.edits.change_film(f"Keep the preset {name.strip()}", lambda film: kept(film, shot, which, name))
        ):
            s.said.emit(
                f"Kept as '{name.strip()}'; it is offered where steps are added, and in the menus of steps of its kind.", "note"
            )

    def use(self, preset: Preset, onto: list[str]) -> None:
        """Apply a preset to a step, or add its steps; what has to be done anew is said."""
        s = self._state
        shot = s.shot
        if shot is None:
            return
        steps: list[str] = []
        anew: list[str] = []

        def make() -> Shot:
            done = applied(shot, preset, onto)
            steps.extend(done.steps)
            anew.extend(done.anew)
            return done.shot

        if s.edits.change(f"Apply the preset {preset.name}", make):
            s.edits.log("preset", f"{preset.name} applied to {', '.join(steps)}.")
            s.set_step(steps[0])
            s.said.emit(". ".join(anew[:3]) + "." if anew else f"{preset.name} is applied.", "note")
