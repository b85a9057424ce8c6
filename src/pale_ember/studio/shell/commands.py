"""Every command of the Workbench, once: its keys, what it does in words, and what does it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QWidget


@dataclass(frozen=True, slots=True)
class Command:
    """Something that a key does wherever the focus is. repeats : whether holding the key does it again. also : what else
    people call it."""

    keys: tuple[str, ...]
    words: str
    does: Callable[[], object]
    repeats: bool = False
    also: tuple[str, ...] = ()


def is_typed(keys: str) -> bool:
    """Whether a key is one that writes a sign: it belongs to whatever is typed into first."""
    return keys == "Space" or len(keys.removeprefix("Shift+")) == 1


def bind(window: QWidget, commands: tuple[Command, ...], before: Callable[[], object]) -> None:
    """Gives a window the keys of its commands that write no sign, whoever has the focus; `before` is done ahead of each, so that none
    meets a line half typed."""
    for command in commands:
        action = QAction(command.words, window)
        action.setShortcuts([QKeySequence(keys) for keys in command.keys if not is_typed(keys)])
        action.setAutoRepeat(command.repeats)
        action.triggered.connect(lambda _=False, does=command.does: (before(), does()))
        window.addAction(action)
