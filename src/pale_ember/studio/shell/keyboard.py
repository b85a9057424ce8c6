"""Whose a key is that the focused control has no use for: over the stage and the layers letters and digits are commands,
elsewhere they begin a search with themselves."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QCursor, QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QApplication, QWidget

from pale_ember.studio.controls.text_entry import finish_typing
from pale_ember.studio.shell.commands import Command, is_typed

_SHIFT = Qt.KeyboardModifier.ShiftModifier


class Keyboard:
    """Takes the keys that nobody in the window took. commanding : where letters and digits are commands while the pointer rests there,
    or the focus was led there by Tab and the pointer has not moved since. searching : where they begin a search. Elsewhere it
    is as where the focus is. search : begins one with a text."""

    def __init__(
        self,
        window: QWidget,
        commands: tuple[Command, ...],
        commanding: tuple[QWidget, ...],
        searching: tuple[QWidget, ...],
        search: Callable[[str], object],
    ) -> None:
        self._window, self._commanding, self._searching, self._search = window, commanding, searching, search
        self._typed = {QKeySequence(keys).toString(): command for command in commands for keys in command.keys if is_typed(keys)}
        self._tabbed_at: QPoint | None = None

    def tabbed(self) -> None:
        """The focus is led by Tab: where it goes the hand is, until the pointer moves."""
        self._tabbed_at = QCursor.pos()

    def commands_here(self) -> bool:
        """Whether letters and digits are commands where the hand is."""
        if self._tabbed_at != QCursor.pos():
            under = self._window.childAt(self._window.mapFromGlobal(QCursor.pos()))
            for areas, commands in ((self._commanding, True), (self._searching, False)):
                if _in_one_of(under, areas):
                    return commands
        return _in_one_of(QApplication.focusWidget(), self._commanding)

    def press(self, event: QKeyEvent) -> bool:
        """Does what a key says; says whether it said anything."""
        sign, held = event.text(), event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier
        if not sign.isprintable() or not sign or held & ~_SHIFT:
            return False
        shift = "Shift+" if held & _SHIFT and sign.isalpha() else ""
        command = self._typed.get(shift + ("Space" if sign == " " else sign.upper()))
        if sign.isalnum() and not self.commands_here():
            finish_typing()
            self._search(sign)
            return True
        if command is None or (event.isAutoRepeat() and not command.repeats):
            return False
        finish_typing()
        command.does()
        return True


def _in_one_of(widget: QWidget | None, areas: tuple[QWidget, ...]) -> bool:
    return widget is not None and any(area is widget or area.isAncestorOf(widget) for area in areas)
