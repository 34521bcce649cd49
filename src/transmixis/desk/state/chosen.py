"""What is open and what is chosen in it: production, shot, step, frame, view. Widgets follow its signals."""

from __future__ import annotations

import contextlib
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from transmixis.core.errors import UserError
from transmixis.desk.engine import Engine
from transmixis.shot.model import Shot, Step
from transmixis.shot.products import Products
from transmixis.shot.refs import base_of
from transmixis.shot.render import Renderer, output_ref
from transmixis.shot.session import Session
from transmixis.shot.small import SIZES
from transmixis.shot.steps import kind_of
from transmixis.shot.workorder import upstream

GROUNDS = (
    "Usual ground",
    "Black",
    "Grey",
    "White",
    "Stripes",
)  # before which a cut-out is shown; usual: its dimmed plate, or grey
OWN = ("Matte", "Cut-out")  # views of the chosen step's own matte, if it gives one
VIEWS = ("Plate", *OWN, "Result", "Difference", "Beside")


class Chosen(QObject):
    """The one place where the window's choices live."""

    opened = pyqtSignal()  # another production, or none
    shot_changed = pyqtSignal()  # another shot, or the shot was edited
    frame_changed = pyqtSignal(int)
    step_changed = pyqtSignal(str)
    view_changed = pyqtSignal(str)
    size_changed = pyqtSignal(str)
    ground_changed = pyqtSignal(str)
    readings_changed = pyqtSignal(str)  # step id; '' for all
    proposal_changed = pyqtSignal(str)
    measuring = pyqtSignal(int, int, str)  # done, total, what
    working = pyqtSignal(float, str, object)  # share, what, seconds left: of one long piece of it
    said = pyqtSignal(str, str)  # text, kind: note or trouble
    page_wanted = pyqtSignal(str)
    not_saved = pyqtSignal()  # told by the thread that writes
    trial_changed = pyqtSignal()  # what is dragged in the picture would look otherwise

    def __init__(self, engine: Engine) -> None:
        super().__init__()
        self.engine = engine
        self.session: Session | None = None
        self.code = ""
        self.frame = 1
        self.step_id = ""
        self.view = "Result"
        self.size = "Full size"  # of what is shown; readings and deliveries are always of the full size
        self.ground = GROUNDS[0]
        self.trial: Shot | None = None

    @property
    def folder(self) -> Path | None:
        return self.session.document.folder if self.session else None

    @property
    def shot(self) -> Shot | None:
        if not self.session or not self.code:
            return None
        return next((s for s in self.session.document.film.shots if s.code == self.code), None)

    @property
    def step(self) -> Step | None:
        shot = self.shot
        return next((s for s in shot.steps if s.id == self.step_id), None) if shot else None

    def renderer(self) -> Renderer | None:
        """A renderer for the shot as it is now; None if there is no shot or its steps are wrongly connected."""
        if not self.session or self.shot is None:
            return None
        try:
            return self.session.renderer(self.code)
        except UserError as e:
            self.said.emit(str(e), "trouble")
            return None

    def try_out(self, shot: Shot | None) -> None:
        """Show the shot as it would be (None: as it is) without changing anything: while something is dragged in the picture."""
        self.trial = shot
        self.trial_changed.emit()

    def shown_renderer(self) -> Products | None:
        """The renderer of what is shown: of a trial while there is one, and at the size that is worked at."""
        found = self.renderer()
        if found is None or self.session is None:
            return None
        if self.trial is not None and self.trial.code == self.code:
            with contextlib.suppress(UserError):
                found = self.session.renderer_of_trial(self.trial)
        return self.session.small(found, SIZES[self.size])

    def next_size(self) -> None:
        """Show the next smaller size, or the full one again."""
        names = list(SIZES)
        self.size = names[(names.index(self.size) + 1) % len(names)]
        self.size_changed.emit(self.size)

    def next_ground(self) -> None:
        """Show cut-outs before the next ground."""
        self.ground = GROUNDS[(GROUNDS.index(self.ground) + 1) % len(GROUNDS)]
        self.ground_changed.emit(self.ground)

    def set_frame(self, frame: int) -> None:
        shot = self.shot
        if not shot:
            return
        frame = max(1, min(shot.length, frame))
        if frame != self.frame:
            self.frame = frame
            self.frame_changed.emit(frame)

    def set_step(self, step_id: str) -> None:
        if step_id != self.step_id:
            self.step_id = step_id
            self.step_changed.emit(step_id)

    def set_view(self, view: str) -> None:
        if view != self.view:
            self.view = view
            self.view_changed.emit(view)

    def refs(self) -> tuple[str | None, str | None]:
        """What the views Plate and Result show for the chosen step: the plate, and the step's (or the shot's) picture."""
        shot, step = self.shot, self.step
        if not shot:
            return None, None
        hero = shot.plate_of_role("hero") or (shot.plates[0] if shot.plates else None)
        plate = f"plate:{hero.id}" if hero else None
        final = output_ref(shot)
        if step and step.on and self.view in OWN and "matte" in (kind_of(step.kind).gives or (kind_of(step.kind).product,)):
            return plate, f"step:{step.id}"
        shown_in = kind_of(step.kind).shown_in if step else ""
        if step and shown_in:
            placed = next((s for s in shot.steps if s.inputs.get(shown_in) == f"step:{step.id}"), None)
            return plate, f"step:{placed.id}" if placed else f"step:{step.id}"
        if step and step.on and kind_of(step.kind).product == "matte" and not self._goes_into(step.id, final):
            return plate, f"step:{step.id}"  # nothing is made of it yet: what it cuts out is its result
        return plate, final

    def _goes_into(self, step_id: str, final: str | None) -> bool:
        """Whether the shot's picture is made of a step, however indirectly."""
        shot = self.shot
        made = next((s for s in shot.steps if f"step:{s.id}" == base_of(final)), None) if shot and final else None
        return bool(shot and made and step_id in upstream(shot, made))
