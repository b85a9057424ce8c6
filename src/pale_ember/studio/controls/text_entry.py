"""Typing: lines in which Return always takes what is typed, Escape never does, and nothing is left open behind."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject, QRect, Qt
from PyQt6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QWheelEvent
from PyQt6.QtWidgets import QApplication, QLineEdit, QToolTip, QWidget

_STAYS = (Qt.FocusReason.PopupFocusReason, Qt.FocusReason.ActiveWindowFocusReason, Qt.FocusReason.MenuBarFocusReason)
"""Ways of losing the focus after which typing goes on."""


def finish_typing() -> None:
    """Takes what is half typed anywhere, before a command changes what is open or selected."""
    line = QApplication.focusWidget()
    if isinstance(line, OpenLine):
        line.finish(stays=False)
    elif isinstance(line, QLineEdit):
        line.clearFocus()


def refuse(widget: QWidget, text: str, why: str) -> None:
    """Says beside a widget why what was typed there was not taken."""
    QToolTip.showText(widget.mapToGlobal(widget.rect().bottomLeft()), f"“{text}”: {why}", widget)


def _placed(owner: QWidget, over: QWidget, least: int) -> QRect:
    """Where a line of at least so many pixels lies over an owner, within what holds it."""
    place = owner.geometry()
    place.setWidth(max(place.width(), min(least, over.width())))
    place.moveLeft(max(min(place.left(), over.width() - place.width()), 0))
    return place


class OpenLine(QLineEdit):
    """A line opened over `owner` to type a new text for it.

    Return, Tab, a press elsewhere and the loss of focus hand the text to `take`, which answers with the reason where it
    refuses: on Return the line then stays, else the text is let go. Escape closes the line. It closes once, gives the
    focus back to its owner where it had it, and lets no key through to others. least : pixels that it has at least, over
    the owner's neighbours where the owner has fewer.
    """

    def __init__(
        self, owner: QWidget, text: str, take: Callable[[str], str], place: QRect | None = None, *, begun: str = "", least: int = 0
    ) -> None:
        over = owner.parentWidget() if least else None
        super().__init__(begun or text, over or owner)
        self._owner, self._take, self._before = owner, take, text
        self._open, self._untouched = True, not begun
        self.setGeometry(_placed(owner, over, least) if over is not None else place or owner.rect().adjusted(0, 1, 0, -1))
        self.setAccessibleName(owner.accessibleName())
        self.textEdited.connect(self._touched)
        application = QApplication.instance()
        if application is not None:
            application.installEventFilter(self)
        self.show()
        self.setFocus()
        if not begun:
            self.selectAll()

    def _touched(self) -> None:
        self._untouched = False

    def finish(self, *, stays: bool) -> None:
        """Hands in what is typed; `stays` : whether the line stays open where it is refused."""
        if not self._open:
            return
        text = self.text()
        if stays or not self._untouched:
            self._open = False
            refused = self._take(text) if text != self._before else ""
            self._open = True
            if refused:
                refuse(self._owner, text, refused)
                if stays:
                    self.selectAll()
                    return
        self.close_line()

    def close_line(self) -> None:
        """Closes without taking anything."""
        if not self._open:
            return
        self._open = False
        application = QApplication.instance()
        if application is not None:
            application.removeEventFilter(self)
        if self.hasFocus():
            self._owner.setFocus()
        self.hide()
        self.deleteLater()

    @property
    def is_open(self) -> bool:
        """Whether something is being typed."""
        return self._open

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.finish(stays=True)
        elif event.key() == Qt.Key.Key_Escape:
            self.close_line()
        else:
            super().keyPressEvent(event)
        event.accept()

    def focusNextPrevChild(self, forward: bool) -> bool:
        """Tab goes on from the owner, not from wherever this line was put into the order."""
        owner = self._owner
        self.finish(stays=False)
        owner.setFocus()
        return owner.focusNextPrevChild(forward)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        if event.reason() not in _STAYS:
            self.finish(stays=False)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        super().mousePressEvent(event)
        if self._untouched:
            self.selectAll()

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """A press anywhere else closes the line first, also where nothing there takes the focus."""
        if event is not None and event.type() == QEvent.Type.MouseButtonPress and isinstance(watched, QWidget):
            popup = watched.window().windowType() == Qt.WindowType.Popup
            if watched is not self and not popup:
                self.finish(stays=False)
        return False


class EntryLine(QLineEdit):
    """A line that is always there. Return hands in the text, and gives the focus to `owner`, so that keys are commands
    again; so does Escape, with the text as it was."""

    def __init__(self, text: str, owner: QWidget) -> None:
        super().__init__(text)
        self._owner, self._before = owner, text

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self._before = self.text()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._owner.setFocus()
        elif event.key() == Qt.Key.Key_Escape:
            self.setText(self._before)
            self._owner.setFocus()
        else:
            super().keyPressEvent(event)
        event.accept()
