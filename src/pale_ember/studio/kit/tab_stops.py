"""Controls in a row as one stop of Tab: the arrow keys go from one to the next within it (WAI-ARIA, toolbar pattern)."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QWidget

_STEPS = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}

_HEEDED = (QEvent.Type.FocusIn, QEvent.Type.EnabledChange, QEvent.Type.KeyPress)


def stops_in(part: QWidget) -> list[QWidget]:
    """What Tab comes to in a part of the window, the part itself first."""
    return [
        each
        for each in (part, *part.findChildren(QWidget))
        if each.focusPolicy() & Qt.FocusPolicy.TabFocus
        and each.isVisible()
        and each.isEnabled()
        and each.window() is part.window()
        and each.focusProxy() is None
    ]


class ButtonRow(QObject):
    """Holds a row of controls together; whichever had the keyboard last is the one that Tab comes to."""

    def __init__(self, owner: QWidget, *members: QWidget) -> None:
        super().__init__(owner)
        self.members = members
        for member in members:
            member.installEventFilter(self)
        self._stop_at(members[0])

    def _stop_at(self, chosen: QWidget) -> None:
        for member in self.members:
            tab = Qt.FocusPolicy.TabFocus if member is chosen else Qt.FocusPolicy.NoFocus
            if member.focusPolicy() != tab:
                member.setFocusPolicy(tab)

    def _open(self) -> list[QWidget]:
        return [member for member in self.members if member.isEnabled() and not member.isHidden()]

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        kind = event.type() if event is not None else QEvent.Type.None_
        if kind not in _HEEDED or not isinstance(watched, QWidget):
            return False
        there = self._open()
        if kind == QEvent.Type.FocusIn:
            self._stop_at(watched)
        elif kind == QEvent.Type.EnabledChange:
            if there and watched.focusPolicy() != Qt.FocusPolicy.NoFocus:
                self._stop_at(watched if watched in there else there[0])
        elif isinstance(event, QKeyEvent) and not event.modifiers() and Qt.Key(event.key()) in _STEPS and watched in there:
            there[(there.index(watched) + _STEPS[Qt.Key(event.key())]) % len(there)].setFocus(Qt.FocusReason.TabFocusReason)
            return True
        return False
