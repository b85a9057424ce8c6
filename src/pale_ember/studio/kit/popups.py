"""What opens over the window: menus and panels that never cover what opened them, and are gone when they close."""

from __future__ import annotations

import time
from typing import Any

from PyQt6.QtCore import QPoint, QRect, QSize, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QMenu, QWidget

from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painted

GAP = 2
"""Pixels between what opens and what opened it."""


def room_beside(anchor: QRect, size: QSize, screen: QRect) -> QPoint:
    """Where something of a size opens without covering `anchor` or leaving the screen: below it, else above, else at a
    side; where nothing of that fits, as far up as it can be whole. All in the screen's pixels."""
    left = max(min(anchor.left(), screen.right() - size.width()), screen.left())
    below, above = anchor.bottom() + 1 + GAP, anchor.top() - GAP - size.height()
    if below + size.height() <= screen.bottom() + 1:
        return QPoint(left, below)
    if above >= screen.top():
        return QPoint(left, above)
    top = max(min(anchor.top(), screen.bottom() + 1 - size.height()), screen.top())
    right = anchor.right() + 1 + GAP
    if right + size.width() <= screen.right() + 1:
        return QPoint(right, top)
    return QPoint(max(anchor.left() - GAP - size.width(), screen.left()), top)


def on_screen(widget: QWidget, part: QRect | None = None) -> QRect:
    """A widget, or a part of it, in the screen's pixels."""
    part = widget.rect() if part is None else part
    return QRect(widget.mapToGlobal(part.topLeft()), part.size())


def open_beside(panel: QWidget, anchor: QRect, screen: QRect) -> None:
    """Shows a panel beside a place on the screen; it is gone when it closes."""
    panel.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    panel.move(room_beside(anchor, panel.size(), screen))
    panel.show()


class Panel(QWidget):
    """A panel over the window, on the ground that all of them have."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.fillRect(self.rect(), theme.RAISED)
        painter.setPen(QPen(theme.LINE, 1))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))


_TYPED_FOR = 1.0
"""Seconds after which a letter in a menu begins another word."""


class TypedMenu(QMenu):
    """A menu in which letters go to the entry that begins so, or has a word that does."""

    _typed, _typed_at = "", 0.0

    def addMenu(self, *told: Any) -> Any:
        """A menu within it takes letters too."""
        if len(told) == 1 and isinstance(told[0], str):
            inner = TypedMenu(told[0], self)
            inner.setToolTipsVisible(True)
            super().addMenu(inner)
            return inner
        return super().addMenu(*told)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        sign = event.text() if event is not None else ""
        if not sign.isprintable() or not sign or (sign == " " and not self._typed):
            super().keyPressEvent(event)
            return
        now = time.monotonic()
        self._typed = (self._typed if now - self._typed_at < _TYPED_FOR else "") + sign.lower()
        self._typed_at = now
        entries = [(action.text().lower(), action) for action in self.actions() if action.isEnabled() and not action.isSeparator()]
        fits = [action for text, action in entries if text.startswith(self._typed)]
        fits += [action for text, action in entries if f" {self._typed}" in text]
        if fits:
            self.setActiveAction(fits[0])


class Menu(TypedMenu):
    """A menu that is thrown away when it has closed."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setToolTipsVisible(True)
        self.aboutToHide.connect(self.deleteLater)

    def open_at(self, anchor: QWidget | QPoint) -> None:
        """Opens beside a widget, or at a pointer with no entry under it."""
        place = on_screen(anchor) if isinstance(anchor, QWidget) else QRect(anchor, QSize(1, 1))
        screen = self.parentWidget().screen().availableGeometry()
        self.popup(room_beside(place, self.sizeHint(), screen))


class CheckMenu(Menu):
    """A menu of which several entries can be ticked before it closes."""

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        action = self.actionAt(event.position().toPoint())
        if action is not None and action.isCheckable():
            action.trigger()
        else:
            super().mouseReleaseEvent(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        action = self.activeAction()
        keys = (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space)
        if event is not None and event.key() in keys and action is not None and action.isCheckable():
            action.trigger()
        else:
            super().keyPressEvent(event)
