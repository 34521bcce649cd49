"""The clean plate's fit: where it does not fit the take and why; and a clean plate made from the take itself."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout

from transmixis.core.motion.similarity import turn_words
from transmixis.core.progress import Progress
from transmixis.core.repair.background import Background, background_words
from transmixis.core.survey.clean_fit import WHY
from transmixis.desk.state import State
from transmixis.desk.survey.mapview import Laid, MapView, wash_of
from transmixis.desk.survey.scanning import when_scanned
from transmixis.desk.survey.section import PlateChoice, Section, small_image
from transmixis.desk.theme import BLUE, INK, ORANGE, VERMILION, WHITE
from transmixis.shot.looks import Fit, clean_fit, clean_frames, clean_from_take, keep_picture, with_picture
from transmixis.shot.render import Renderer
from transmixis.shot.session import Session

WIDE = 900
INKS = ((INK, 0.0), (BLUE, 0.40), (ORANGE, 0.50), (VERMILION, 0.55), (WHITE, 0.55))  # by index into WHY


class CleanSection(Section):
    """A map over the take, the figures beside it, and the button that makes a clean plate from the take."""

    tag = "survey-clean"

    def __init__(self, state: State) -> None:
        super().__init__(state)
        self.take = PlateChoice(state, lambda p, n: p.role != "clean" and n > 1, "The take that is to be patched.")
        self.clean = PlateChoice(state, lambda p, n: p.role in ("clean", "still"), "The clean plate, or a still that may serve.")
        self.map = MapView("The take with what does not fit laid over it.")
        self.words, self.figures = QLabel(""), QLabel("")
        for label in (self.words, self.figures):
            label.setWordWrap(True)
            label.setFixedWidth(300)
        self.make = QPushButton("Make one from the take")
        self.make.setObjectName("act")
        self.make.setToolTip(
            "Gathers the background from all frames, where it shows at some time, and adds it to the shot as a clean plate."
        )
        self.found: Fit | None = None
        head = QHBoxLayout()
        for w in (QLabel("Take"), self.take, QLabel("Clean plate"), self.clean):
            head.addWidget(w)
        head.addWidget(self.note, 1)
        side = QVBoxLayout()
        for w in (self.words, self.figures):
            side.addWidget(w)
        side.addStretch(1)
        side.addWidget(self.make)
        low = QHBoxLayout()
        low.addWidget(self.map, 1)
        low.addLayout(side)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addLayout(head)
        box.addLayout(low, 1)
        for c in (self.take, self.clean):
            c.activated.connect(lambda _: self.refresh())
        self.make.clicked.connect(self._make)

    def refresh(self) -> None:
        self.take.fill()
        self.clean.fill()
        take, clean = self.take.ref, self.clean.ref
        self.make.setEnabled(bool(take))
        if not take or not clean:
            self._asked = None
            self._say(
                "Add a take first: drop a movie or a sequence on the window." if not take
                else "This shot has no clean plate. One can be made from the take, where the background shows at some time."
            )  # fmt: skip
            return
        name = self.clean.currentText()
        self.ask((take,), lambda r: _fit(r, take, clean, name), lambda made: self._show(*made))

    def _say(self, words: str) -> None:
        self.found = None
        self.words.setText(words)
        self.figures.setText("")
        self.note.setText("")
        self.map.lay(None)

    def _show(self, found: Fit, image: QImage) -> None:
        self.found = found
        fit = found.fit
        self.note.setText("")
        self.words.setText(fit.words.replace(" -", " \u2212"))
        rows = [f"{WHY[k]}: {100 * float((fit.why == k).mean()):.1f} % of the frame" for k in range(len(WHY))]
        m = fit.move
        if m:
            rows.append(f"shift {m.x:+.2f}, {m.y:+.2f} px, ± {m.error:.3f} px")
            rows.append(f"turned {turn_words(m.turn)}, growth {100 * (m.grow - 1):+.3f} %")
        if np.isfinite(fit.gain).all():
            rows.append("light R, G, B " + ", ".join(f"{v:+.3f}" for v in fit.gain) + " stops")
        self.figures.setText("\n".join(r.replace("-", "\u2212") for r in rows))
        size = (fit.why.shape[1] * 8, fit.why.shape[0] * 8)
        legend = tuple((ink, WHY[k]) for k, (ink, _) in enumerate(INKS) if k)
        self.map.lay(Laid(image, size, wash=wash_of(fit.why.astype(int), INKS), legend=legend))

    def _make(self) -> None:
        renderer, session, ref = self._state.renderer(), self._state.session, self.take.ref
        if not renderer or not session or not ref:
            return
        folder, done = session.document.folder, partial(self._take_made, session, renderer.shot.code)
        self.make.setEnabled(False)
        self.note.setText("Gathering the background from the take.")
        when_scanned(
            self._state.engine, renderer, (ref,), partial(_made, renderer, folder, ref), self._guarded(done),
            self._guarded(self._not_made), self.tag,
        )  # fmt: skip

    def _not_made(self, why: str) -> None:
        self.make.setEnabled(True)
        self.note.setText(why)

    def _take_made(self, session: Session, code: str, made: tuple[Path, Background]) -> None:
        path, background = made
        folder = session.document.folder
        self._asked = None
        words = background_words(background)
        if self._state.edits.change_there(
            session,
            code,
            "Add a clean plate made from the take",
            lambda shot: with_picture(folder, shot, path, "clean", "made clean"),
        ):
            session.document.log.add("survey", f"Clean plate made from the take. {words}", code)
            self._state.said.emit(words, "note")
            self.refresh()


def _fit(r: Renderer, take: str, clean: str, name: str) -> tuple[Fit, QImage]:
    found = clean_fit(r, take, clean_frames(r, clean), name)
    return found, small_image(r, take, found.frame, WIDE)


def _made(r: Renderer, folder: Path, ref: str) -> tuple[Path, Background]:
    made: Any = clean_from_take(r, ref, Progress())
    return keep_picture(folder, r.shot, made.plate, "clean_from_take"), made
