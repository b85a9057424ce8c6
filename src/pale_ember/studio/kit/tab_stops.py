"""Controls in a row as one stop of Tab: the arrow keys go from one to the next within it (WAI-ARIA, toolbar pattern)."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QApplication, QWidget

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


def tab(parts: Sequence[QWidget | None], forward: bool) -> None:
    """Gives the keyboard to the next stop in parts of the window, or to the one before, round and round. A part that can `enter` leads it
    by itself."""
    focus, by = QApplication.focusWidget(), 1 if forward else -1
    there = [part for part in parts if part is not None]
    here = next((i for i, part in enumerate(there) if focus is not None and (part is focus or part.isAncestorOf(focus))), 0)
    # A part that leads by itself has let Tab go.
    stops = [] if hasattr(there[here], "enter") else stops_in(there[here])
    at = stops.index(focus) + by if focus in stops else 0 if stops else -1
    while not 0 <= at < len(stops):
        here = (here + by) % len(there)
        if hasattr(part := there[here], "enter"):
            part.enter(forward)
            return
        stops = stops_in(part)
        at = 0 if forward else len(stops) - 1
    stops[at].setFocus(Qt.FocusReason.TabFocusReason if forward else Qt.FocusReason.BacktabFocusReason)


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
