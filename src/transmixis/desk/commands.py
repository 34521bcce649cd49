"""Commands of the window, registered once: keys, the sheet of keys and tests run the same. (What changes a shot is an edit, which the
command line runs too: transmixis.shot.edits.)"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import QKeyCombination, Qt
from PyQt6.QtGui import QKeyEvent, QKeySequence, QShortcut
from PyQt6.QtWidgets import QApplication, QComboBox, QLineEdit, QSpinBox, QWidget

Act = Callable[[], object]


@dataclass(frozen=True)
class Command:
    """`words` say it in the sheet of keys; commands with the same words share a line there. `bench`: it is for the bench, and its key goes to
    what has the focus first. `typing`: it works while a person types into a field."""

    id: str
    keys: str
    words: str
    act: Act
    bench: bool = False
    typing: bool = False


class Commands:
    """All commands of a window, by id."""

    def __init__(self) -> None:
        self._all: dict[str, Command] = {}

    def add(self, *commands: Command) -> None:
        """Register commands; an id or a key that is taken is a mistake of ours."""
        for c in commands:
            if c.id in self._all or any(o.keys == c.keys for o in self._all.values()):
                raise ValueError(f"{c.id} ({c.keys}) is registered already")
            self._all[c.id] = c

    def run(self, command_id: str) -> None:
        """Do a command by its id."""
        self._all[command_id].act()

    def bind(self, window: QWidget) -> None:
        """Give the window the keys of all commands but the bench's own."""
        for c in self._all.values():
            if not c.bench:
                QShortcut(QKeySequence(c.keys), window).activated.connect(
                    lambda c=c: None if typing() and not c.typing else c.act()
                )

    def pressed(self, event: QKeyEvent) -> bool:
        """Do the bench's command of a key that nothing else took; False if it has none."""
        held = event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier  # the number pad's arrows are arrows
        key = QKeySequence(QKeyCombination(held, Qt.Key(event.key()))).toString()
        found = next((c for c in self._all.values() if c.bench and QKeySequence(c.keys).toString() == key), None)
        if found is None:
            return False
        found.act()
        return True

    def sheet(self) -> list[tuple[str, str]]:
        """Keys and words, a line for commands of the same words."""
        lines: dict[str, list[str]] = {}
        for c in self._all.values():
            lines.setdefault(c.words, []).append(_said(c.keys))
        return [(_joined(keys), words) for words, keys in lines.items()]


def _said(keys: str) -> str:
    names = {"PgUp": "Page Up", "PgDown": "Page Down", "Ctrl+": "Ctrl ", "Shift+": "Shift ", "Del": "Delete"}
    said = QKeySequence(keys).toString()
    for short, long in names.items():
        said = said.replace(short, long)
    return said


def _joined(keys: list[str]) -> str:
    return f"{keys[0]}–{keys[-1]}" if len(keys) > 3 else ", ".join(keys)


def typing() -> bool:
    """True while a person types into a field, so that letters are not commands."""
    return isinstance(QApplication.focusWidget(), (QLineEdit, QSpinBox, QComboBox))
