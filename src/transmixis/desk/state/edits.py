"""Changes of the document by what a person does, each a named command."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from pydantic import ValidationError

from transmixis.core.errors import UserError
from transmixis.desk.state.chosen import Chosen
from transmixis.shot.document import Document
from transmixis.shot.edits import Done, do
from transmixis.shot.model import Film, Pin, Shot
from transmixis.shot.pins import params_at, set_pin
from transmixis.shot.record import words_of
from transmixis.shot.session import Session
from transmixis.shot.steps import kind_of


class Edits:
    """Changes of the document by what a person does, each a named command."""

    def __init__(self, state: Chosen) -> None:
        self._s = state

    def change(self, title: str, make: Callable[[], Shot]) -> bool:
        """Change the shot by a named command; what is wrong is said, and nothing changes."""
        if not self._s.session:
            return False
        return self.attempt(lambda document: document.change_shot(title, make()))

    def run(self, edit_id: str, /, **args: Any) -> Done | None:
        """Do a registered edit on the shot; None if it could not be done. What is wrong is said, and nothing changes."""
        done: list[Done] = []
        code = self._s.code
        if self._s.session and self._s.shot:
            self.attempt(lambda document: done.append(do(document, code, edit_id, **args)))
        return done[0] if done else None

    def change_there(self, session: Session, code: str, title: str, make: Callable[[Shot], Shot]) -> bool:
        """Change the shot that something was asked for, as it is now, whichever shot is shown by then. False if that production
        is closed or the shot is gone."""
        if session is not self._s.session:
            return False
        shot = next((s for s in session.document.film.shots if s.code == code), None)
        return shot is not None and self.attempt(lambda document: document.change_shot(title, make(shot)))

    def attempt(self, act: Callable[[Document], None]) -> bool:
        """Change the document; what is wrong is said, and nothing changes."""
        assert self._s.session is not None
        try:
            act(self._s.session.document)
            return True
        except UserError as e:
            self._s.said.emit(str(e), "trouble")
        except ValidationError as e:
            self._s.said.emit(f"That cannot be kept: {words_of(e)}.", "trouble")
        return False

    def change_film(self, title: str, make: Callable[[Film], Film]) -> bool:
        """Change the production or several shots by a named command; what is wrong is said, and nothing changes."""
        if not self._s.session:
            return False
        return self.attempt(lambda document: document.apply(title, make(document.film)))

    def set_param(self, name: str, value: Any, *, at_frame: bool = False) -> None:
        """Set a parameter of the chosen step: a pin here if it has pins or `at_frame`, else for the whole shot."""
        step, frame = self._s.step, self._s.frame
        if not step:
            return
        if not (at_frame or step.pins.get(name)):
            self.run("step.set", step=step.id, param=name, value=value)
        elif self.run("step.pin", step=step.id, param=name, frame=frame, value=value):
            self.log("pin", f"{step.name}: {name} pinned at frame {frame}.", step=step.id, frame=frame, value=value)

    def set_params(self, values: dict[str, Any]) -> None:
        """Set several parameters of the chosen step as one change: a pin here of those that have pins, else for the whole shot."""
        step, frame, shot = self._s.step, self._s.frame, self._s.shot
        if len(values) == 1:
            self.set_param(*next(iter(values.items())))
        elif step and shot:
            plain = {n: v for n, v in values.items() if not step.pins.get(n)}
            new = step.model_copy(update={"params": {**step.params, **plain}})
            for name in values.keys() - plain.keys():
                new = set_pin(new, name, Pin(frame=frame, value=values[name]))
            self.change(f"{step.name}: {' and '.join(values)}", lambda: shot.with_step(new))

    def unpin(self, name: str, frame: int) -> None:
        step = self._s.step
        if step and step.pins.get(name) and self.run("step.unpin", step=step.id, param=name, frame=frame):
            self.log("pin", f"{step.name}: pin of {name} at frame {frame} taken out.", step=step.id, frame=frame)

    def log(self, kind: str, text: str, **data: Any) -> None:
        """Write down what a person did in the chosen shot."""
        if self._s.session:
            self._s.session.document.log.add(kind, text, self._s.code, **data)

    def param(self, name: str) -> Any:
        """The chosen step's parameter at the playhead."""
        step = self._s.step
        if not step:
            return None
        values = params_at(step, self._s.frame)
        return values.get(name, kind_of(step.kind).Params.model_fields[name].default)

    def undo(self) -> None:
        self._history("undo")

    def redo(self) -> None:
        self._history("redo")

    def _history(self, which: str) -> None:
        if not self._s.session:
            return
        try:
            title = getattr(self._s.session.document, which)()
        except UserError as e:
            self._s.said.emit(str(e), "trouble")
            return
        words = {"undo": "Undone", "redo": "Done again"}[which]
        if title:
            self.log(which, f"{words}: {title}")
        self._s.said.emit(f"{words}: {title}" if title else f"Nothing to {which}", "note")
