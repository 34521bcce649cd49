"""Frames to freeze: the best of a plate as pictures to choose from, with the reasons."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout

from transmixis.core.survey.best import Pick
from transmixis.desk.state import State
from transmixis.desk.survey.mapview import Laid, MapView
from transmixis.desk.survey.section import PlateChoice, Section, small_image
from transmixis.desk.survey.strip import Strip, Tile
from transmixis.shot.looks import Freezes, freezes, keep_picture, with_picture
from transmixis.shot.render import Renderer
from transmixis.shot.session import Session

ACROSS, TILE_WIDTH, WIDE = 5, 240, 720
PARTS = {"sharp": "sharp", "still": "near rest", "apart": "stands out", "whole": "in the frame"}


class FreezeSection(Section):
    """A strip of the best frames; the chosen one large below it."""

    tag = "survey-freeze"

    def __init__(self, state: State) -> None:
        super().__init__(state)
        self.plate = PlateChoice(state, lambda p, n: n > 1, "The take whose frames are compared.")
        self.strip, self.big = Strip(ACROSS, 216), MapView("The chosen frame is shown here.")
        self.why = QLabel("")
        self.why.setWordWrap(True)
        self.go, self.cue, self.still = QPushButton("Go there"), QPushButton("Mark with a cue"), QPushButton("Make a still of it")
        self.still.setObjectName("act")
        self.go.setToolTip("Opens the bench at this frame.")
        self.cue.setToolTip("Adds a cue to the shot at this frame, so that it is found again.")
        self.still.setToolTip("Writes this frame as a picture into the production and adds it to the shot as a plate.")
        self.picks: tuple[Pick, ...] = ()
        head = QHBoxLayout()
        for w in (QLabel("Take"), self.plate):
            head.addWidget(w)
        head.addWidget(self.note, 1)
        side = QVBoxLayout()
        side.addWidget(self.why)
        side.addStretch(1)
        for b in (self.go, self.cue, self.still):
            side.addWidget(b)
        low = QHBoxLayout()
        low.addWidget(self.big, 1)
        low.addLayout(side)
        self.why.setFixedWidth(230)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addLayout(head)
        box.addWidget(self.strip)
        box.addLayout(low, 1)
        self.plate.activated.connect(lambda _: self.refresh())
        self.strip.chosen.connect(self._choose)
        self.strip.opened.connect(lambda _: self._go())
        self.go.clicked.connect(self._go)
        self.cue.clicked.connect(self._cue)
        self.still.clicked.connect(self._still)
        self._enable()

    def refresh(self) -> None:
        self.plate.fill()
        ref = self.plate.ref
        if not ref:
            self._show(Freezes((), 0), [], "Add a take first: drop a movie or a sequence on the window.")
            return
        self.ask((ref,), lambda r: _pictures(r, ref), lambda made: self._show(*made))

    def _show(self, found: Freezes, images: list[QImage], said: str = "") -> None:
        self.picks = found.picks
        tiles = [
            Tile(
                (image,),
                f"Frame {p.frame}, {100 * p.score:.0f} of 100",
                p.words,
                tuple((PARTS[k], v) for k, v in p.parts.items()),
            )
            for p, image in zip(found.picks, images, strict=True)
        ]
        self.strip.show_tiles(tiles)
        self.note.setText(
            said or f"The best of {found.count} frames: sharp, near rest, clear of what is behind, wholly in the frame."
        )
        self._enable()
        if tiles:
            self.strip.choose(0)

    def _enable(self) -> None:
        for b in (self.go, self.cue, self.still):
            b.setEnabled(bool(self.picks))
        if not self.picks:
            self.why.setText("")
            self.big.lay(None)

    def pick(self) -> Pick | None:
        """The frame that is chosen."""
        return self.picks[self.strip.at] if self.strip.at < len(self.picks) else None

    def _choose(self, _: int) -> None:
        pick, renderer, ref = self.pick(), self._state.renderer(), self.plate.ref
        if not pick or not renderer:
            return
        self.why.setText(f"Frame {pick.frame}: {pick.words}.")
        self.look(partial(small_image, renderer, ref, pick.frame, WIDE), self._large)

    def _large(self, image: QImage) -> None:
        self.big.lay(Laid(image, (max(1, image.width()), max(1, image.height()))))

    def _go(self) -> None:
        if pick := self.pick():
            self._state.page_wanted.emit("bench")
            self._state.set_frame(pick.frame)

    def _cue(self) -> None:
        if pick := self.pick():
            self.add_cue(pick.frame, "freeze", f"Frame {pick.frame} chosen to freeze: {pick.words}.")

    def _still(self) -> None:
        pick, renderer, session = self.pick(), self._state.renderer(), self._state.session
        if not pick or not renderer or not session:
            return
        folder = session.document.folder
        self.look(
            partial(_write_still, renderer, folder, self.plate.ref, pick.frame),
            partial(self._written, session, renderer.shot.code, pick),
        )

    def _written(self, session: Session, code: str, pick: Pick, path: Path) -> None:
        name, folder = f"still of frame {pick.frame}", session.document.folder
        if self._state.edits.change_there(
            session, code, f"Add {name}", lambda shot: with_picture(folder, shot, path, "still", name)
        ):
            session.document.log.add("survey", f"Frame {pick.frame} frozen: {pick.words}.", code)
            self._state.said.emit(f"'{name}' is a plate of {code} now: {path.name}.", "note")


def _pictures(r: Renderer, ref: str) -> tuple[Freezes, list[QImage]]:
    found = freezes(r, ref, ACROSS)
    return found, [small_image(r, ref, p.frame, TILE_WIDTH) for p in found.picks]


def _write_still(r: Renderer, folder: Path, ref: str, frame: int) -> Path:
    picture = r.product(ref, frame).picture
    assert picture is not None
    return keep_picture(folder, r.shot, picture, f"frame_{frame}_still")
