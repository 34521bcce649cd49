"""What the sections of the Survey page share: choosing plates, asking for work, saying what is going on."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import cv2
import numpy as np
from PyQt6 import sip
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QComboBox, QLabel

from transmixis.core.errors import UserError
from transmixis.desk.engine import LOOK
from transmixis.desk.page import Page
from transmixis.desk.state import State
from transmixis.desk.survey.scanning import when_scanned
from transmixis.desk.viewimage import picture_image
from transmixis.shot.model import Cue, Plate
from transmixis.shot.render import Renderer


class Section(Page):
    """A part of the page. `refresh` is called when it comes to be seen and when the shot changes while it is."""

    tag = "survey-section"

    def __init__(self, state: State) -> None:
        super().__init__(state)
        self.note = QLabel("")
        self.note.setObjectName("note")
        self.note.setWordWrap(True)
        self._asked: object = None

    def ask(self, refs: tuple[str, ...], work: Callable[[Renderer], Any], done: Callable[[Any], None]) -> bool:
        """Scan the plates, then work; False if the same has been asked for already. A later question takes an earlier one back."""
        renderer = self._state.renderer()
        key = (renderer, refs)
        if renderer is None or key == self._asked:
            return False
        self._asked = key
        self._state.engine.drop(self.tag)
        self.note.setText("Looking at every frame of the plate.")

        def told(at: int, total: int) -> None:
            if not sip.isdeleted(self):
                self.note.setText(f"Looked at {at} of {total} frames.")

        when_scanned(
            self._state.engine,
            renderer,
            refs,
            lambda: work(renderer),
            self._guarded(done),
            self._guarded(self._failed),
            self.tag,
            told,
        )
        return True

    def look(self, work: Callable[[], Any], done: Callable[[Any], None]) -> None:
        """Something quick: pictures for the screen."""
        self._state.engine.ask(LOOK, work, self._guarded(done), self._guarded(self._failed), tag=self.tag)

    def _guarded(self, act: Callable[[Any], None]) -> Callable[[Any], None]:
        def later(value: Any) -> None:
            if not sip.isdeleted(self):
                act(value)

        return later

    def _failed(self, why: str) -> None:
        self._asked = None
        self.note.setText(why)

    def add_cue(self, frame: int, name: str, words: str) -> None:
        """Mark a frame of the shot with a cue, and write down why."""
        shot = self._state.shot
        if not shot or not self._state.session:
            return
        cues = tuple(sorted([*(c for c in shot.cues if c.name != name), Cue(frame=frame, name=name)], key=lambda c: c.frame))
        if self._state.edits.change(f"Cue {name}", lambda: shot.model_copy(update={"cues": cues})):
            self._state.session.document.log.add("survey", words, shot.code)
            self._state.said.emit(f"Cue '{name}' at frame {frame}.", "note")


class PlateChoice(QComboBox):
    """The plates of the shot that `fits` lets through; keeps what was chosen while the shot changes."""

    def __init__(self, state: State, fits: Callable[[Plate, int], bool], tip: str) -> None:
        super().__init__()
        self._state, self._fits = state, fits
        self.setToolTip(tip)
        self.setMinimumWidth(150)

    def fill(self, prefer: int = 0) -> None:
        """Offer the plates anew; the `prefer`-th of them is chosen at first."""
        session, shot, held = self._state.session, self._state.shot, self.ref
        self.blockSignals(True)
        self.clear()
        for plate in shot.plates if shot and session else ():
            try:
                count = session.material.source(plate).info.count  # type: ignore[union-attr]
            except UserError:  # what cannot be opened is told by the findings
                continue
            if self._fits(plate, count):
                self.addItem(plate.name or plate.id, f"plate:{plate.id}")
        at = self.findData(held) if held else -1
        self.setCurrentIndex(at if at >= 0 else min(prefer, self.count() - 1))
        self.blockSignals(False)

    @property
    def ref(self) -> str:
        """The plate chosen, as 'plate:ID'; '' if none."""
        return str(self.currentData() or "")


def small_image(renderer: Renderer, ref: str, frame: int, width: int) -> QImage:
    """A frame for the screen, at most `width` px wide."""
    picture = renderer.product(ref, frame).picture
    if picture is None:
        return QImage()
    h, w = picture.shape[:2]
    if w > width:
        size = (width, max(1, round(h * width / w)))
        picture = cv2.resize(np.ascontiguousarray(picture), size, interpolation=cv2.INTER_AREA)
    return picture_image(picture).copy()
