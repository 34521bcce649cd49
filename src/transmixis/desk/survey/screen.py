"""The screen of a keying plate: its evenness over the picture, markers, level, spill, and what to change on the set."""

from __future__ import annotations

import numpy as np
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout

from transmixis.core.survey.screen_report import ScreenReport
from transmixis.desk.state import State
from transmixis.desk.survey.mapview import Laid, MapView, Ringed, diverging
from transmixis.desk.survey.section import Section, small_image
from transmixis.desk.theme import BLUE, ORANGE
from transmixis.shot.looks import screen
from transmixis.shot.render import Renderer
from transmixis.shot.steps import steps_with

WIDE, FULL = 900, 1.5  # px; stops at which the colour is full


class ScreenSection(Section):
    """A map in stops off the screen's middle, and the report beside it."""

    tag = "survey-screen"

    def __init__(self, state: State) -> None:
        super().__init__(state)
        self.map = MapView("The screen's evenness over the picture.")
        self.verdict, self.figures, self.advice = QLabel(""), QLabel(""), QLabel("")
        self.verdict.setObjectName("title")
        for label in (self.verdict, self.figures, self.advice):
            label.setWordWrap(True)
            label.setFixedWidth(320)
        self.again = QPushButton("Report on the frame at the playhead")
        self.again.setToolTip("The report is on one frame; choose another on the bench and come back.")
        self.report: ScreenReport | None = None
        self._frame = 0
        head = QHBoxLayout()
        head.addWidget(self.note, 1)
        head.addWidget(self.again)
        side = QVBoxLayout()
        for w in (self.verdict, self.figures, self.advice):
            side.addWidget(w)
        side.addStretch(1)
        low = QHBoxLayout()
        low.addWidget(self.map, 1)
        low.addLayout(side)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addLayout(head)
        box.addLayout(low, 1)
        self.again.clicked.connect(self._anew)

    def _anew(self) -> None:
        self._asked = None
        self.refresh()

    def refresh(self) -> None:
        shot = self._state.shot
        key = next(iter(steps_with(shot, "key")), None) if shot else None
        self.again.setEnabled(key is not None)
        if key is None:
            self._asked, self.report = None, None
            for label in (self.verdict, self.figures, self.advice):
                label.setText("")
            self.map.lay(None, "This shot is not keyed. Add a Screen key step to have its screen judged.")
            self.note.setText("")
            return
        frame = self._state.frame
        self.ask((), lambda r: _report(r, key.id, key.inputs["plate"], frame), lambda made: self._show(*made))
        self.note.setText("Learning the screen from the take." if self.report is None else self.note.text())
        self._frame = frame

    def _show(self, r: ScreenReport, image: QImage, size: tuple[int, int]) -> None:
        self.report = r
        self.note.setText(f"Frame {self._frame}. Numbers are stops off the screen's middle, where it shows bare.")
        self.verdict.setText(f"A {r.kind} screen, {r.verdict}")
        rows = [
            f"even to {r.evenness:.2f} stops (darkest to brightest twentieth)",
            f"bare screen: {100 * r.share:.0f} % of the frame",
            f"in shadow: {100 * r.shadow:.1f} % of the screen",
            f"wrinkles: {r.wrinkles:.3f} stops",
            "level: no subject to compare with"
            if not np.isfinite(r.level)
            else f"level: {r.level:+.2f} stops against the subject's lit parts",
            "separation: not measured" if r.separation is None else f"separation: {r.separation:.0f} noise steps",
            "spill: not measured" if r.spill is None else f"spill left: {r.spill:.1f} ΔE",
            f"markers: {len(r.markers)}" + (f", about {np.median([m.size for m in r.markers]):.0f} px" if r.markers else ""),
        ]
        self.figures.setText("\n".join(rows).replace("-", "\u2212"))
        self.advice.setText(
            "If it can be filmed again:\n" + "\n".join(r.advice) if r.advice else "Nothing need be changed on the set."
        )
        rings = tuple(Ringed(m.x, m.y, m.size / 2) for m in r.markers)
        legend = ((BLUE, "darker"), (ORANGE, "brighter than the screen's middle"))
        wash = diverging(r.map, FULL, BLUE, ORANGE)
        self.map.lay(Laid(image, size, wash=wash, rings=rings, numbers=r.map, legend=legend))


def _report(r: Renderer, key: str, plate: str, frame: int) -> tuple[ScreenReport, QImage, tuple[int, int]]:
    picture = r.product(plate, frame).picture
    assert picture is not None
    return screen(r, key, frame), small_image(r, plate, frame, WIDE), (picture.shape[1], picture.shape[0])
