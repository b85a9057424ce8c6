"""What rarely changes is painted once and kept, so that what moves each frame is all that costs."""

from __future__ import annotations

from collections.abc import Callable, Hashable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPainter, QPixmap
from PyQt6.QtWidgets import QWidget


class Still:
    """The unmoving part of a widget's picture."""

    def __init__(self, widget: QWidget) -> None:
        self._widget = widget
        self._key: Hashable = None
        self._pixmap = QPixmap()

    def paint(self, painter: QPainter, key: Hashable, draw: Callable[[QPainter], None]) -> None:
        """Paints what `draw` paints; draws anew only when `key`, the size or the screen differs from last time."""
        widget = self._widget
        ratio = widget.devicePixelRatioF()
        whole = (key, widget.width(), widget.height(), ratio)
        if whole != self._key:
            self._key = whole
            self._pixmap = QPixmap(widget.size() * ratio)
            self._pixmap.setDevicePixelRatio(ratio)
            self._pixmap.fill(Qt.GlobalColor.transparent)
            inner = QPainter(self._pixmap)
            inner.setRenderHint(QPainter.RenderHint.Antialiasing)
            inner.setFont(widget.font())
            draw(inner)
            inner.end()
        painter.drawPixmap(0, 0, self._pixmap)
