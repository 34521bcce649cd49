"""A page, or a part of one, that follows the document while it is seen, and looks again when it comes to be seen."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from transmixis.desk.state import State


class Page(QWidget):
    """Calls `refresh` when it is shown, and when the production or the shot changes while it is."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self._state = state
        state.opened.connect(self._if_visible)
        state.shot_changed.connect(self._if_visible)

    def _if_visible(self) -> None:
        if self.isVisible():
            self.refresh()

    def showEvent(self, event: object) -> None:
        self.refresh()

    def refresh(self) -> None:
        """Show what the document has now."""
        raise NotImplementedError
