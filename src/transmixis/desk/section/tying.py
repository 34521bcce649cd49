"""What is dragged in the section beside the order: what a card hangs on, how opaque it is, how far a light comes."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QMenu

from transmixis.desk.section.side import Side
from transmixis.desk.state import State
from transmixis.shot.model import Step
from transmixis.shot.section import Card
from transmixis.shot.steps import kind_of
from transmixis.shot.ties import motions_on, own_plates, plates_behind, rider


class Tying:
    """Turns what is dragged on the cards into edits."""

    def __init__(self, state: State, side: Side) -> None:
        self._state, self._side = state, side
        side.tie.connect(self._tie)
        side.thinned.connect(self._thin)
        side.reached.connect(self._reach)

    def _thin(self, step: str, opacity: float) -> None:
        s = self._state
        if s.shot is None or "opacity" not in kind_of(s.shot.step(step).kind).Params.model_fields:
            s.said.emit("How opaque this is cannot be set here; its own settings say it.", "note")
            return
        s.set_step(step)
        s.edits.set_param("opacity", opacity)

    def _reach(self, step: str, share: float) -> None:
        s = self._state
        if s.shot is not None:
            s.edits.run("step.set", step=step, param="reach", value=float(round(share * s.shot.width)))

    def _tie(self, step: str, on: str) -> None:
        """Ask which track of the other card carries this one."""
        s = self._state
        if s.shot is None:
            return
        by_step = {c.step: c for c in self._side.cards}
        on_card = by_step[on]
        plates = own_plates(s.shot, [x for x in s.shot.steps if x.id in on_card.steps]) or plates_behind(s.shot, [on_card.ref])
        self._ask_tie(by_step[step], motions_on(s.shot, plates), on_card.name)

    def tie_here(self) -> None:
        """Ask which motion of all carries the chosen step's card."""
        s = self._state
        card = next((c for c in self._side.cards if s.step_id in c.steps), None)
        if s.shot is None or card is None:
            s.said.emit("Choose a card of the section first: a step that lays something over a picture.", "note")
            return
        self._ask_tie(card, [x for x in s.shot.steps if kind_of(x.kind).product == "motion"], "this shot")

    def _ask_tie(self, card: Card, motions: list[Step], where: str) -> None:
        s = self._state
        rides = rider(s.shot, card.steps) if s.shot else None
        if rides is None:
            s.said.emit(f"'{card.name}' cannot hang on a motion.", "note")
            return
        if not motions and not card.hangs_on:
            s.said.emit(f"No track or movement follows anything in {where} yet; add a track there first.", "note")
            return
        menu = QMenu(self._side)
        menu.addSection(f"{card.name} hangs on")
        for m in motions:
            action = menu.addAction(m.name)
            if action:
                action.triggered.connect(partial(self._hang, rides.id, m.id))
        free = menu.addAction("nothing: let go") if card.hangs_on else None
        if free:
            free.triggered.connect(partial(self._hang, rides.id, ""))
        menu.exec(self._side.mapToGlobal(self._side.rect().center()))

    def _hang(self, step: str, motion: str, _: bool = False) -> None:
        run = self._state.edits.run
        if motion:
            run("step.tie", step=step, motion=motion, frame=self._state.frame)
        else:
            run("step.untie", step=step)
