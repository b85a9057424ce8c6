"""A line of controls with a left and a right side; where there is not room for both, the right side goes below."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QSize
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QWidget


class TwoSidedBar(QWidget):
    """Holds two sides of controls, each on one line."""

    def __init__(self, height: int, margins: tuple[int, int] = (12, 10), spacing: int = 3) -> None:
        super().__init__()
        self._height, self._margins = height, margins
        self._sides = QWidget(self), QWidget(self)
        for side in self._sides:
            row = QHBoxLayout(side)
            row.setContentsMargins(0, 0, 0, 0)
            row.setSpacing(spacing)
        self.setFixedHeight(height)

    def fill(self, left: Sequence[QWidget], right: Sequence[QWidget]) -> None:
        """Puts controls on both sides."""
        for side, widgets in zip(self._sides, (left, right), strict=True):
            for widget in widgets:
                side.layout().addWidget(widget)

    def _widths(self) -> list[int]:
        return [side.sizeHint().width() for side in self._sides]

    def minimumSizeHint(self) -> QSize:
        return QSize(sum(self._margins) + max(self._widths()), self._height)

    def sizeHint(self) -> QSize:
        return QSize(sum(self._margins) + sum(self._widths()), self._height)

    def lay(self) -> None:
        """Puts both sides where they have room."""
        (left, right), (begin, end) = self._widths(), self._margins
        room = self.width() - begin - end
        below = left + right > room
        self._sides[0].setGeometry(begin, 0, min(left, room), self._height)
        self._sides[1].setGeometry(begin if below else self.width() - end - right, self._height * below, right, self._height)
        self.setFixedHeight(self._height * (1 + below))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self.lay()

    def event(self, event) -> bool:
        if event.type() == event.Type.LayoutRequest:
            self.lay()
        return super().event(event)
