"""Brings the chosen step's tools to the viewer, and what they do to the document."""

from __future__ import annotations

from functools import partial
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from transmixis.desk.engine import LOOK, Engine
from transmixis.desk.state import State
from transmixis.desk.tools import tool_for
from transmixis.desk.tools.tool import Tool
from transmixis.shot.contract import Handle
from transmixis.shot.steps import kind_of


class Hands(QObject):
    """Asks for the chosen step's handles at the playhead, off the interface's thread, and holds the tool that is at hand."""

    changed = pyqtSignal()  # another tool, or another choice of tools

    def __init__(self, state: State, engine: Engine) -> None:
        super().__init__()
        self._state, self._engine = state, engine
        self.tool: Tool | None = None
        self.handles: tuple[Handle, ...] = ()
        self._of = ("", "", 0)  # shot, step, frame
        self._held_at = self._of  # where the tool in the hand was taken up
        self._wanted = ""  # the parameter whose tool was chosen
        for signal in (state.frame_changed, state.step_changed):
            signal.connect(lambda _: self.refresh())
        state.shot_changed.connect(self.refresh)
        state.readings_changed.connect(self._read)

    def refresh(self) -> None:
        """Ask anew; a tool of another step or frame is put away at once, one that is being used stays."""
        if self.tool is not None and self.tool.busy and self._of == self._here():
            return
        s = self._state
        kind = kind_of(s.step.kind) if s.step else None
        if self._of != self._here():
            self._lay(())
        self._of = self._here()
        renderer = s.renderer()
        self._engine.drop("hands")
        if renderer is None or kind is None or s.step is None or not (kind.known and kind.tools and s.step.on):
            self._lay(())
            return
        self._engine.ask(
            LOOK,
            partial(renderer.handles, s.step.id, s.frame),
            partial(self._take, self._of),
            lambda e: self._lay(()),
            tag="hands",
        )

    def _here(self) -> tuple[str, str, int]:
        return self._state.code, self._state.step_id, self._state.frame

    def _read(self, step_id: str) -> None:
        """A track that was just followed shows where it is, and an outline where it was carried."""
        waits = any(h.note for h in self.handles)
        if waits and step_id == self._state.step_id and not (self.tool and self.tool.busy):
            self.refresh()

    def _take(self, of: tuple[str, str, int], handles: tuple[Handle, ...]) -> None:
        if of == self._here() and not (self.tool is not None and self.tool.busy):
            self._lay(handles)

    def _lay(self, handles: tuple[Handle, ...]) -> None:
        if handles == self.handles and self.tool is not None:
            # the same value: the tool stays, with what is drawn around it brought up to date
            self.handles = handles
            self.tool.handle = next((h for h in handles if h.param == self.tool.handle.param), self.tool.handle)
            self.changed.emit()
            return
        self.handles = handles
        chosen = next((h for h in handles if h.param == self._wanted), handles[0] if handles else None)
        self._hold(chosen)

    def choose(self, param: str) -> None:
        """Take another of the step's tools into the hand."""
        self._wanted = param
        self._hold(next((h for h in self.handles if h.param == param), None))

    def _hold(self, handle: Handle | None) -> None:
        before = self.tool
        self.tool = tool_for(handle) if handle else None
        if self.tool is not None:
            if (
                before is not None
                and handle is not None
                and _thing(before.handle) == _thing(handle)
                and self._of == self._held_at
            ):
                self.tool.follow_on(before)
            self._held_at = self._of
            self.tool.tried = self._try
            self.tool.settled = self._settle
            self.tool.went = self._state.set_frame
        self.changed.emit()

    def _try(self, value: Any) -> None:
        """Show what a drag would do, where the picture depends on it; None takes the trial back."""
        s, tool = self._state, self.tool
        if tool is None or not tool.handle.live or not s.step or not s.shot:
            return
        s.try_out(None if value is None else s.shot.with_step(self._edited(value)))

    def _edited(self, value: Any) -> Any:
        s, tool = self._state, self.tool
        assert s.step is not None
        assert tool is not None
        return kind_of(s.step.kind).edited(s.step, tool.handle, s.frame, value)

    def _settle(self, value: Any) -> None:
        """One entry of undo."""
        s, tool = self._state, self.tool
        shot, step = s.shot, s.step
        if tool is None or shot is None or step is None:
            return
        new = self._edited(value)
        s.try_out(None)
        if s.edits.change(f"{step.name}: {tool.handle.words.lower()}", lambda: shot.with_step(new)):
            words = f"{step.name}: {tool.handle.words.lower()} set by hand at frame {s.frame}."
            s.edits.log("pin", words, step=step.id, frame=s.frame)
        else:
            self._hold(tool.handle)


def _thing(handle: Handle) -> Any:
    """What a handle is of: a tool may set other parameters of the same thing meanwhile."""
    return handle.facts.get("whole", handle.param)
