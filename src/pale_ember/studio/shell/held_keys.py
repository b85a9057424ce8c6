"""Keys that do something for as long as they are held."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QApplication, QLineEdit, QWidget

from pale_ember.studio.document.desk import Desk

HELD = (
    ("B (held)", "Show the effect as it was before the last edit"),
    ("V (held)", "Show the variant that is compared, or the newest one"),
)
"""As the page of all keys tells them."""


class HeldKeys(QObject):
    """Shows the stage as it was before the last edit while B is held, a variant while V is, where letters are commands.

    Keys reach a window's handle before the widget that has the focus; an application's own filter would see every event
    of every widget.
    """

    def __init__(self, desk: Desk, window: QWidget, here: Callable[[], bool]) -> None:
        """here : whether letters are commands where the hand is."""
        super().__init__(window)
        self.desk, self._window, self._here = desk, window, here
        self._watches: QObject | None = None

    def watch(self) -> None:
        """Begins to listen, once the window is shown."""
        handle = self._window.windowHandle()
        if handle is not None and handle is not self._watches:
            self._watches = handle
            handle.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is None:
            return False
        looking = self.desk.looking
        if event.type() == QEvent.Type.FocusOut:
            looking.show_before(False)
        elif isinstance(event, QKeyEvent) and event.key() in (Qt.Key.Key_B, Qt.Key.Key_V) and not event.isAutoRepeat():
            self._turn(event)
        return False

    def _turn(self, event: QKeyEvent) -> None:
        """The key went down, or up."""
        looking, down = self.desk.looking, event.type() == QEvent.Type.KeyPress
        if not down and looking.before is not None:
            looking.show_before(False)
            self.desk.hinted.emit("As it is.", None)
            return
        plain = event.modifiers() == Qt.KeyboardModifier.NoModifier
        typing = isinstance(QApplication.focusWidget(), QLineEdit)
        if down and plain and looking.before is None and not typing and self._here():
            if event.key() == Qt.Key.Key_V:
                name = looking.show_variant()
                self.desk.hinted.emit(f"Variant: {name}" if name else "There is no variant yet.", None)
                return
            name = looking.show_before(True)
            self.desk.hinted.emit(f"Before: {name}" if name else "Nothing was changed yet.", None)
