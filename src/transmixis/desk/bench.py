"""The bench: viewer, step sheet and ledger of one shot."""

from __future__ import annotations

from functools import partial
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QSizePolicy, QSplitter, QVBoxLayout, QWidget

from transmixis.desk.benchparts import FaultCount, Legend, numbered_thumb, word
from transmixis.desk.engine import AHEAD, Engine
from transmixis.desk.followon import FollowOn
from transmixis.desk.ledger import ZOOMS, Ledger
from transmixis.desk.look import Look
from transmixis.desk.readingwords import value_words
from transmixis.desk.section.strip import SectionStrip
from transmixis.desk.sheet import StepSheet
from transmixis.desk.state import VIEWS, State
from transmixis.desk.stepacts import StepActs
from transmixis.desk.tools.hands import Hands
from transmixis.desk.viewer import Viewer
from transmixis.desk.viewerpaint import Ring, Shown
from transmixis.desk.words import Words
from transmixis.shot.steps import kind_of

VIEW_TIPS = {
    "Plate": "the recording as it came (hold Y)",
    "Matte": "of the chosen step, if it has one: white stays, black goes",
    "Cut-out": "what the chosen step's matte cuts out, on a ground (Shift B)",
    "Result": "the finished picture of the shot; of a matte that nothing uses yet, what it cuts out",
    "Difference": "what the steps changed, four times as strong",
    "Beside": "plate left, result right; drag the line",
}


class Bench(QWidget):
    """Lays the three out and connects them."""

    def __init__(self, state: State, engine: Engine) -> None:
        super().__init__()
        self.setObjectName("page")
        self.state = state
        self._engine = engine
        self.viewer, self.look = Viewer(), Look(state, engine)
        self.ledger, self.sheet = Ledger(state), StepSheet(state)
        self.views = Words(VIEWS, state.view, VIEW_TIPS)
        self.zooms = Words(
            ZOOMS,
            ZOOMS[0],
            {
                "Whole shot": "every frame",
                "Around": "12 px a frame around the playhead",
                "Faults only": "sound stretches folded away (Z goes on)",
            },
        )
        self.hands = Hands(state, engine)
        self.section = SectionStrip(state, engine)
        self.acts = StepActs(state, self.sheet, self)
        self.follow_on = FollowOn(state)
        self.tools = Words((), "", {})
        self._pointer, self._zoom, self._play_note = QLabel(), QLabel(), QLabel()
        self._faults = FaultCount(state)
        self.play = QPushButton("Play")
        self.split = QSplitter(Qt.Orientation.Horizontal)
        self.split.addWidget(self._left())
        self.split.addWidget(self._right())
        self.split.setChildrenCollapsible(False)
        self.split.setSizes([672, 608])
        self.split.setStretchFactor(0, 1)
        self.split.setStretchFactor(1, 0)
        box = QHBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self.split)
        self._connect()

    # -- laying out

    def _left(self) -> QWidget:
        top = QHBoxLayout()
        top.setContentsMargins(12, 0, 16, 0)
        top.addWidget(self.views)
        top.addStretch(1)
        self.tools.setVisible(False)
        top.addWidget(self.tools)
        self._faults_on = word("Ring", "The ring around a fault, on or off. Key: G")
        self._loupe_on = word("Loupe", "The loupe under the pointer, on or off. Key: O")
        self._fit = word("Fit", "Shows the whole frame. Wheel zooms, middle button or Alt moves.")
        self._size = word(self.state.size, "Shows it at full, half or quarter size, which is faster on large frames. Key: H")
        self._ground = word(self.state.ground, "What a cut-out is shown on. Key: Shift B")
        self._ground.setVisible(False)
        for b in (self._ground, self._size, self._faults_on, self._loupe_on, self._fit):
            top.addWidget(b)
        self._zoom.setObjectName("note")
        self._zoom.setMinimumWidth(40)
        self._zoom.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        top.addWidget(self._zoom)
        strip = QHBoxLayout()
        strip.setContentsMargins(16, 0, 16, 0)
        self._pointer.setObjectName("note")
        self._play_note.setObjectName("note")
        # long words must not push the ledger aside
        self._pointer.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        strip.addWidget(self._pointer, 1)
        strip.addWidget(self._play_note)
        box = QVBoxLayout()
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        for item, height in ((top, 32), (None, 0), (strip, 24)):
            if item is None:
                box.addWidget(self.viewer, 1)
            else:
                holder = QWidget()
                holder.setLayout(item)
                holder.setFixedHeight(height)
                box.addWidget(holder)
        box.addWidget(self.section)
        box.addWidget(self.sheet)
        left = QWidget()
        left.setLayout(box)
        return left

    def _right(self) -> QWidget:
        head = QHBoxLayout()
        head.setContentsMargins(14, 0, 12, 0)
        title = QLabel("Ledger")
        title.setObjectName("title")
        head.addWidget(title)
        head.addWidget(self._faults, 1)
        head.addWidget(self.zooms)
        self.add = word("Add step", "Adds a step to this shot's work order.")
        head.addWidget(self.add)
        foot = QHBoxLayout()
        foot.setContentsMargins(12, 0, 12, 0)
        self.back, self.on = QPushButton("Back 1"), QPushButton("On 1")
        self.fault = QPushButton("Next fault")
        self.play.setToolTip("Plays at the shot's rate as soon as the frames are made. Key: Space")
        self.back.setToolTip("One frame back. Key: Up")
        self.on.setToolTip("One frame on. Key: Down")
        self.fault.setToolTip("Goes to the next reading over its limit. Key: F, back with Shift F")
        for b in (self.play, self.back, self.on):
            foot.addWidget(b)
        foot.addWidget(Legend(), 1)
        foot.addWidget(self.fault)
        box = QVBoxLayout()
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        for layout, height in ((head, 32), (None, 0), (foot, 30)):
            if layout is None:
                box.addWidget(self.ledger, 1)
            else:
                holder = QWidget()
                holder.setLayout(layout)
                holder.setFixedHeight(height)
                box.addWidget(holder)
        right = QWidget()
        right.setLayout(box)
        right.setMinimumWidth(380)
        return right

    def _connect(self) -> None:
        s = self.state
        self.look.ready.connect(self._show)
        self.look.play_changed.connect(self._playing)
        self.viewer.pointed.connect(self._point)
        self.hands.changed.connect(self._take_tool)
        self.tools.chosen.connect(self._choose_tool)
        self.views.chosen.connect(s.set_view)
        s.view_changed.connect(self.views.choose)
        self.zooms.chosen.connect(self.ledger.set_zoom)
        self.play.clicked.connect(self.look.toggle_play)
        self.back.clicked.connect(lambda: s.set_frame(s.frame - 1))
        self.on.clicked.connect(lambda: s.set_frame(s.frame + 1))
        self.fault.clicked.connect(lambda: s.known.next_fault())
        self._faults_on.clicked.connect(self.toggle_ring)
        self._loupe_on.clicked.connect(self.toggle_loupe)
        self._fit.clicked.connect(self.viewer.fit)
        self._size.clicked.connect(s.next_size)
        s.size_changed.connect(self._size.setText)
        self._ground.clicked.connect(s.next_ground)
        s.ground_changed.connect(self._ground.setText)
        self.sheet.acted.connect(self.acts.act)
        self.sheet.file_wanted.connect(self.acts.choose_file)
        self.sheet.things.chosen.connect(self.hands.choose)
        self.add.clicked.connect(lambda: self.acts.add_menu(self.add))
        self.ledger.head_menu.connect(self.acts.head_menu)
        self.ledger.part_menu.connect(self.acts.part_menu)
        self.ledger.part_pressed.connect(lambda part: s.edits.run("part.fold", part=part))
        s.shot_changed.connect(self._shot_changed)
        s.frame_changed.connect(lambda _: self._mark_fault())
        s.step_changed.connect(lambda _: self._mark_fault())
        s.readings_changed.connect(lambda _: self._mark_fault())

    # -- following

    def _show(self, shown: Shown | None, message: str) -> None:
        hero = self.state.shot.plate_of_role("hero") if self.state.shot else None
        if hero and self.state.session:
            self.viewer.pixel_aspect = self.state.session.material.pixel_aspect(hero)
        if shown is None and message and self.viewer.shown is not None:
            self.viewer.show_picture(None, message)
        else:
            self.viewer.show_picture(shown, message)
        self._ground.setVisible(shown is not None and shown.grounded)
        self._point(self.viewer.pixel())
        self._mark_fault()

    def _mark_fault(self) -> None:
        """Ring the worst reading of the chosen step at the playhead if it is over its limit."""
        s = self.state
        worst = s.known.worst_at(s.step_id, s.frame) if s.step_id else None
        self.viewer.ring = None
        if worst and worst.state == "fault" and worst.spot:
            self.viewer.ring = Ring(worst.spot, f"{worst.name} {value_words(worst)}")
        self._faults.update()
        self.viewer.update()

    def _take_tool(self) -> None:
        """The chosen step's tool comes into the viewer; several are offered by their names."""
        names = [h.words for h in self.hands.handles]
        step = self.state.step
        listed = step is not None and kind_of(step.kind).thing is not None  # the sheet's list chooses among them
        self.tools.setVisible(len(names) > 1 and not listed)
        if len(names) > 1 and self.hands.tool is not None:
            self.tools.set_words(tuple(names), self.hands.tool.handle.words)
        self.viewer.hold(self.hands.tool)
        if self.hands.tool is not None:
            self.sheet.things.choose(self.hands.tool.handle.param)
        self._point(self.viewer.pixel())

    def _choose_tool(self, words: str) -> None:
        self.hands.choose(next(h.param for h in self.hands.handles if h.words == words))

    def _shot_changed(self) -> None:
        self._mark_fault()
        self._want_thumbs()

    def _want_thumbs(self) -> None:
        renderer, (plate, _) = self.state.renderer(), self.state.refs()
        self.ledger.thumbs = {}
        self._engine.drop("thumbs")
        if not renderer or not plate:
            return
        length = renderer.shot.length
        for n in sorted({1 + round(i * (length - 1) / 7) for i in range(8)}):
            self._engine.ask(AHEAD, partial(numbered_thumb, renderer, plate, n), self._take_thumb, lambda e: None, tag="thumbs")

    def _take_thumb(self, made: tuple[int, Any]) -> None:
        self.ledger.thumbs[made[0]] = made[1]
        self.ledger.touch()

    def _point(self, at: tuple[int, int] | None) -> None:
        shown = self.viewer.shown
        self._zoom.setText(f"{100 * self.viewer.scale():.0f} %" if shown else "")
        shot = self.state.shot
        hint = self.hands.tool.words if self.hands.tool is not None else ""
        if hint and (at is None or (self.hands.tool is not None and self.hands.tool.busy)):
            self._pointer.setText(hint)
            self._pointer.setToolTip(hint)
            return
        if at is None or shown is None or shown.plate is None:
            self._pointer.setText(f"linear light, {shot.width} × {shot.height}" if shot else "")
            return
        x, y = at
        values, alpha = shown.values(x, y)
        if values is None:
            return
        r, g, b = (float(v) for v in values)
        words = f"x {x}  y {y}    plate R {r:.3f}  G {g:.3f}  B {b:.3f} linear"
        if alpha is not None:
            words += f"    matte {alpha:.3f}"
        self._pointer.setText(words)

    def _playing(self, on: bool, words: str) -> None:
        self.play.setText("Stop" if on else "Play")
        self._play_note.setText(words)

    # -- acting

    def toggle_ring(self) -> None:
        self.viewer.show_ring = not self.viewer.show_ring
        self.viewer.update()

    def toggle_loupe(self) -> None:
        self.viewer.show_loupe = not self.viewer.show_loupe
        self.viewer.update()

    def toggle_panel(self) -> None:
        """What a tool shows beside its thing."""
        self.viewer.show_panel = not self.viewer.show_panel
        self.viewer.update()

    def next_zoom(self) -> None:
        self.ledger.next_zoom()
        self.zooms.choose(self.ledger.zoom)

    def go_to_stage(self, stage: str) -> bool:
        """Choose the worst step of a stage; False if it has none."""
        shot = self.state.shot
        steps = [s for s in shot.steps if kind_of(s.kind).stage == stage] if shot else []
        if not steps:
            return False
        # the one with the most findings; the last of the stage when all are alike
        worst = max(reversed(steps), key=lambda s: len(self.state.known.findings(s.id)))
        self.state.set_step(worst.id)
        return True
