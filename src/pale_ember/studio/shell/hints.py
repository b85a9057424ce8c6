"""The line at the bottom: what a field does, why it has no effect, and what has just happened."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from pale_ember.studio.document.desk import Desk, Target
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painted


class HintLine(QWidget):
    """One quiet line at the bottom: help on what the pointer is on, with a way to what it needs."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._text = ""
        self._target: Target | None = None
        self.setFixedHeight(22)
        self.setAccessibleName("help")
        self._until_edit = False
        """Whether what it says no longer holds once something is edited."""
        desk.hinted.connect(self.show_hint)
        desk.document.changed.connect(self._edited)

    def show_until_edit(self, text: str) -> None:
        """Says what holds until something is edited."""
        self.show_hint(text)
        self._until_edit = True

    def _edited(self) -> None:
        if self._until_edit:
            self.show_hint("")

    def show_hint(self, text: str, target: Target | None = None) -> None:
        """Says something until the next hint."""
        self._text, self._target, self._until_edit = text, target, False
        self.setCursor(Qt.CursorShape.PointingHandCursor if target else Qt.CursorShape.ArrowCursor)
        self.setAccessibleDescription(text)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._target is not None:
            self.desk.sought.emit(self._target)

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.ASH)
        text = self._text + (f"   Go to {self._target.label} ›" if self._target else "")
        painter.drawText(QRectF(16, -2, self.width() - 32, 22), Qt.AlignmentFlag.AlignVCenter, text)
