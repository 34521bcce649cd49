"""Bringing frames to the viewer: asks the engine, keeps pictures for play, never waits."""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence
from functools import partial
from typing import Any

import numpy as np
from PyQt6.QtCore import QElapsedTimer, QObject, Qt, QTimer, pyqtSignal

from transmixis.core.errors import UserError
from transmixis.desk.engine import AHEAD, LOOK, Engine
from transmixis.desk.state import GROUNDS, OWN, State
from transmixis.desk.viewerpaint import Shown
from transmixis.desk.viewimage import difference_image, matte_image, picture_image
from transmixis.media.cache import FrameCache
from transmixis.shot.products import Products
from transmixis.shot.refs import base_of
from transmixis.shot.steps import kind_of

READ_AHEAD = 12  # frames
RATE_OVER = 24  # frames over which the rate of play is measured
WAIT = 5  # ms between looks at whether a frame has been made
CUT_OUT = OWN[1]
DARK = 0.12  # of the light that is left of what is not cut out, scene linear
ENOUGH = 0.97  # of the shot's rate: less is said as a shortfall
LATE = 400  # ms that an earlier frame's picture may stand while the next one is made


class Look(QObject):
    """Emits `ready` with what to show for the state's frame and view."""

    ready = pyqtSignal(object, str)  # Shown or None, message
    play_changed = pyqtSignal(bool, str)

    def __init__(self, state: State, engine: Engine) -> None:
        super().__init__()
        self._state, self._engine = state, engine
        self._pictures = FrameCache(512 << 20)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self._tick)
        self._clock = QElapsedTimer()
        self._due = 0.0
        self._times: deque[float] = deque(maxlen=RATE_OVER)  # ms at which the last frames were shown
        self._prepared: Products | None = None
        self._preparing: Products | None = None
        self.playing = False
        self._shown_of = ("", "")  # shot and view of what the viewer shows
        self._late = QTimer(self)
        self._late.setSingleShot(True)
        self._late.setInterval(LATE)
        self._late.timeout.connect(lambda: self._blank())
        state.frame_changed.connect(lambda _: self.refresh())
        state.view_changed.connect(lambda _: self.refresh())
        state.size_changed.connect(lambda _: self.refresh())
        state.ground_changed.connect(lambda _: self.refresh())
        state.step_changed.connect(lambda _: self.refresh())
        state.shot_changed.connect(self.refresh)
        state.trial_changed.connect(self.refresh)

    def _key(self, renderer: Products, frame: int, view: str) -> tuple[Any, ...]:
        plate, result = self._state.refs()
        keys = [renderer.key(r, frame) if r else "" for r in (plate, result)]
        return (view, self._state.ground, *keys)

    def refresh(self) -> None:
        """Show the present frame, now if it is at hand, else as soon as it is made."""
        renderer = self._state.shown_renderer()
        plate, result = self._state.refs()
        if not renderer or not plate:
            self._tell(None, "")
            return
        if self._shown_of != (self._state.code, self._state.view):
            self._blank()  # never another shot's picture, or another view's, under this one's name
        elif not self._late.isActive():
            self._late.start()  # nor an earlier frame's for longer than the eye takes it for the step from one to the next
        if not renderer.prepared and self._prepared is not renderer:
            # opening files belongs on the worker; what cannot be opened is told on the second round
            if self._preparing is not renderer:
                self._preparing = renderer
                self._engine.ask(LOOK, renderer.prepare, lambda _: self._now_prepared(renderer), tag="prepare")
            return
        frame, view = self._state.frame, self._state.view
        try:
            key = self._key(renderer, frame, view)
        except UserError as e:
            self._tell(None, str(e))
            return
        held = self._pictures.get(key)
        if held is not None:
            self._tell(held[1], "")
        else:
            self._engine.drop("look")
            self._engine.ask(
                LOOK,
                lambda: self._make(renderer, plate, result, frame, view, key),
                self._show,
                lambda e: self._tell(None, e),
                tag="look",
            )
        if not self.playing and self._state.trial is None:
            self._ahead(renderer, plate, result, frame, view)

    def _tell(self, shown: Shown | None, words: str) -> None:
        self._late.stop()
        self._shown_of = (self._state.code, self._state.view)
        self.ready.emit(shown, words)

    def _blank(self) -> None:
        self._shown_of = (self._state.code, self._state.view)
        self.ready.emit(None, f"Making the picture of {self._state.code}, frame {self._state.frame}.")

    def _now_prepared(self, renderer: Products) -> None:
        self._prepared, self._preparing = renderer, None
        self.refresh()

    def _show(self, made: tuple[Any, ...]) -> None:
        key, shown = made
        renderer = self._state.shown_renderer()
        try:
            wanted = renderer is not None and self._key(renderer, self._state.frame, self._state.view) == key
        except UserError:
            wanted = False
        if wanted:
            self._tell(shown, "")

    def _make(
        self, renderer: Products, plate: str, result: str | None, frame: int, view: str, key: tuple[Any, ...]
    ) -> tuple[Any, ...]:
        shown = make_shown(renderer, plate, result, frame, view, key[1])
        size = shown.image.sizeInBytes() * (2 if shown.other else 1)
        self._pictures.put(key, (_Weight(size), shown))
        return key, shown

    def _ahead(self, renderer: Products, plate: str, result: str | None, frame: int, view: str) -> None:
        self._engine.drop("ahead")
        for n in range(frame + 1, min(renderer.shot.length, frame + READ_AHEAD) + 1):
            self._engine.ask(
                AHEAD, partial(self._make_if_missing, renderer, plate, result, n, view), None, lambda e: None, tag="ahead"
            )

    def _make_if_missing(self, renderer: Products, plate: str, result: str | None, frame: int, view: str) -> None:
        key = self._key(renderer, frame, view)
        if key not in self._pictures:
            self._make(renderer, plate, result, frame, view, key)

    # -- play

    def toggle_play(self) -> None:
        """Play every frame at the shot's rate as long as frames are at hand; else as fast as they are made. The rate that is reached
        is measured and said."""
        if self.playing:
            self._stop()
            return
        if not self._state.shot:
            return
        self.playing = True
        self._clock.start()
        self._due, self._times = 0.0, deque(maxlen=RATE_OVER)
        self._timer.start(0)
        self.play_changed.emit(True, "playing")

    def _stop(self) -> None:
        self._timer.stop()
        self.playing = False
        self.play_changed.emit(False, "")

    def _tick(self) -> None:
        shot, renderer = self._state.shot, self._state.shown_renderer()
        if not shot or not renderer:
            self._stop()
            return
        nxt = self._state.frame % shot.length + 1
        try:
            here = self._key(renderer, nxt, self._state.view) in self._pictures
        except UserError:
            here = True  # a missing frame is shown as missing
        if not here:
            self._ask_for(renderer, nxt)
            self._timer.start(WAIT)
            return
        now, beat = self._clock.nsecsElapsed() / 1e6, 1000 / float(shot.fps)
        self._times.append(now)
        self.play_changed.emit(True, rate_words(self._times, float(shot.fps)))
        self._state.set_frame(nxt)
        # the next is due a beat after this one was, so that late timers do not add up; after a wait the beat begins anew
        self._due = self._due + beat if now - self._due < beat else now + beat
        self._timer.start(max(0, round(self._due - self._clock.nsecsElapsed() / 1e6)))

    def _ask_for(self, renderer: Products, frame: int) -> None:
        plate, result = self._state.refs()
        if plate and self._engine.waiting < 10_000:
            self._engine.drop("play")
            view = self._state.view
            self._engine.ask(
                LOOK, lambda: self._make_if_missing(renderer, plate, result, frame, view), None, lambda e: None, tag="play"
            )


def rate_words(times: Sequence[float], wanted: float) -> str:
    """The rate of the last frames shown (times in ms) against the shot's."""
    if len(times) < 3 or times[-1] <= times[0]:
        return "playing"
    rate = 1000 * (len(times) - 1) / (times[-1] - times[0])
    if rate >= ENOUGH * wanted:
        return f"{rate:.3g} / s, the shot's rate"
    return f"{rate:.3g} / s of {wanted:.4g}: frames are still being made"


class _Weight:
    """Tells the cache how much memory a picture for the screen holds."""

    def __init__(self, nbytes: int) -> None:
        self.nbytes = nbytes


def make_shown(renderer: Products, plate: str, result: str | None, frame: int, view: str, ground: str = GROUNDS[0]) -> Shown:
    """The picture of a view, cut-outs before a ground. Plate and matte come along for the figures under the pointer."""
    source = renderer.product(plate, frame).picture
    assert source is not None
    by = renderer.by
    if view != "Matte" and result and not _gives(renderer, result, frame):
        result = None
    alpha = matte_for(renderer, result, frame)
    if view == "Plate" or result is None:
        return Shown(picture_image(source), None, source, alpha, view, by)
    if view == "Matte":
        image = matte_image(alpha) if alpha is not None else picture_image(source)
        return Shown(image, None, source, alpha, view, by)
    product = renderer.product(result, frame)
    done = product.picture
    if done is None or (view == CUT_OUT and done.shape[2] == 3 and product.matte is not None):
        done = _cut_out(source, product.matte, ground)
    if view == "Difference":
        image = difference_image(done, source) if done.shape[:2] == source.shape[:2] else picture_image(done)
        return Shown(image, None, source, alpha, view, by)
    if view == "Beside":
        return Shown(picture_image(source), picture_image(done), source, alpha, view, by)
    grounded = done is not product.picture or done.shape[2] == 4
    return Shown(picture_image(done, ground=ground), None, source, alpha, view, by, grounded)


def _gives(renderer: Products, result: str, frame: int) -> bool:
    """False where a step that gives a matte alone cannot give one yet: one must see the plate to draw on it."""
    try:
        renderer.product(result, frame)
    except UserError:
        step = next((s for s in renderer.shot.steps if f"step:{s.id}" == base_of(result)), None)
        if step is None or kind_of(step.kind).product != "matte":
            raise
        return False
    return True


def _cut_out(source: np.ndarray, matte: np.ndarray | None, ground: str) -> np.ndarray:
    """What a matte cuts out of the plate: the rest dark on the usual ground, so that one can go on drawing there; else premultiplied, to be shown before
    the ground. The plate where there is nothing cut out yet."""
    if matte is None or matte.shape != source.shape[:2] or not matte.any():
        return source
    if ground == GROUNDS[0]:
        return source[..., :3] * (DARK + (1 - DARK) * matte[..., None])
    return np.dstack([source[..., :3] * matte[..., None], matte])


def matte_for(renderer: Products, ref: str | None, frame: int) -> np.ndarray | None:
    """The matte that belongs to a picture: the product's own, or its alpha."""
    if ref is None:
        return None
    product = renderer.product(ref, frame)
    if product.matte is not None:
        return product.matte
    if product.picture is not None and product.picture.shape[2] == 4:
        return product.picture[..., 3]
    return None
