"""Joins: the best pairs of frames to go from one take to another, as pictures to choose from."""

from __future__ import annotations

from functools import partial

import numpy as np
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout

from transmixis.core.survey.best import Join
from transmixis.desk.state import State
from transmixis.desk.survey.mapview import Laid, MapView
from transmixis.desk.survey.section import PlateChoice, Section, small_image
from transmixis.desk.survey.strip import Strip, Tile
from transmixis.desk.viewimage import difference_image
from transmixis.shot.looks import joins
from transmixis.shot.render import Renderer

ACROSS, TILE_WIDTH, WIDE, GAIN = 4, 160, 480, 4.0
CAPTIONS = ("last frame of the first take", "first frame of the second", "difference, 4 times, light brought together")
Pair = tuple[QImage, QImage]


class JoinSection(Section):
    """A strip of pairs; the chosen pair and what jumps between them large below."""

    tag = "survey-join"

    def __init__(self, state: State) -> None:
        super().__init__(state)
        self.first = PlateChoice(state, lambda p, n: n > 1, "The take that comes first.")
        self.second = PlateChoice(state, lambda p, n: n > 1, "The take that goes on.")
        self.strip = Strip(ACROSS, 164)
        self.views = [MapView(w) for w in CAPTIONS]
        self.why = QLabel("")
        self.keep = QPushButton("Keep this join")
        self.keep.setObjectName("act")
        self.keep.setToolTip("Marks the last frame of the first take with a cue and writes the join into the log book.")
        self.found: list[Join] = []
        head = QHBoxLayout()
        for w in (QLabel("From"), self.first, QLabel("to"), self.second):
            head.addWidget(w)
        head.addWidget(self.note, 1)
        low = QHBoxLayout()
        for v in self.views:
            low.addWidget(v, 1)
        foot = QHBoxLayout()
        foot.addWidget(self.why, 1)
        foot.addWidget(self.keep)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addLayout(head)
        box.addWidget(self.strip)
        box.addLayout(low, 1)
        box.addLayout(foot)
        self.first.activated.connect(lambda _: self.refresh())
        self.second.activated.connect(lambda _: self.refresh())
        self.strip.chosen.connect(self._choose)
        self.keep.clicked.connect(self._keep)
        self._show([], [])

    def refresh(self) -> None:
        self.first.fill(0)
        self.second.fill(1)
        a, b = self.first.ref, self.second.ref
        if not a or not b or a == b:
            self._show([], [], "A join needs two takes: add the other one to this shot as a plate.")
            self._asked = None
            return
        self.ask((a, b), lambda r: _pairs(r, a, b), lambda made: self._show(*made))

    def _show(self, found: list[Join], pairs: list[Pair], said: str = "") -> None:
        self.found = found
        tiles = [Tile(pair, f"After {j.last} go on with {j.first}", j.words) for j, pair in zip(found, pairs, strict=True)]
        self.strip.show_tiles(tiles)
        self.note.setText(
            said or ("Where the takes differ least in picture and in motion, their light brought together." if found else "")
        )
        self.keep.setEnabled(bool(found))
        for v in self.views:
            v.lay(None)
        self.why.setText("")
        if tiles:
            self.strip.choose(0)

    def join(self) -> Join | None:
        """The pair that is chosen."""
        return self.found[self.strip.at] if self.strip.at < len(self.found) else None

    def _choose(self, _: int) -> None:
        j, renderer = self.join(), self._state.renderer()
        if not j or not renderer:
            return
        self.why.setText(f"After frame {j.last} of the first take go on with frame {j.first} of the second: {j.words}.")
        self.look(partial(_large, renderer, self.first.ref, self.second.ref, j), self._lay)

    def _lay(self, images: tuple[QImage, QImage, QImage]) -> None:
        for view, image, words in zip(self.views, images, CAPTIONS, strict=True):
            view.lay(Laid(image, (max(1, image.width()), max(1, image.height())), legend=(("", words),)))

    def _keep(self) -> None:
        if j := self.join():
            other = self.second.currentText()
            self.add_cue(
                j.last, f"go on with {other} {j.first}", f"Join after frame {j.last} to frame {j.first} of {other}: {j.words}."
            )


def _pairs(r: Renderer, first: str, second: str) -> tuple[list[Join], list[Pair]]:
    found = joins(r, first, second, ACROSS)
    return found, [(small_image(r, first, j.last, TILE_WIDTH), small_image(r, second, j.first, TILE_WIDTH)) for j in found]


def _large(r: Renderer, first: str, second: str, j: Join) -> tuple[QImage, QImage, QImage]:
    a, b = r.product(first, j.last).picture, r.product(second, j.first).picture
    jump = QImage()
    if a is not None and b is not None and a.shape == b.shape:
        jump = difference_image(a[..., :3], b[..., :3] * np.exp2(np.array(j.gain, np.float32)), GAIN).copy()
    return small_image(r, first, j.last, WIDE), small_image(r, second, j.first, WIDE), jump
