"""What rarely changes is painted once and kept, so that what moves each frame is all that costs."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPoint, QSize, Qt
from PyQt6.QtGui import QPainter, QPixmap
from PyQt6.QtWidgets import QWidget

from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painter_on


class ById:
    """An object as part of a key: equal to itself alone, and kept while the key is, so that no other takes its place."""

    __slots__ = ("value",)

    def __init__(self, value: object) -> None:
        self.value = value

    def __eq__(self, other: object) -> bool:
        return isinstance(other, ById) and other.value is self.value

    def __hash__(self) -> int:
        return id(self.value)


class CachedPainting:
    """The unmoving part of a widget's picture, or of a part of it of a given size."""

    def __init__(self, widget: QWidget) -> None:
        self._widget = widget
        self._key: object = None
        self._pixmap = QPixmap()

    def paint(
        self, painter: QPainter, key: object, draw: Callable[[QPainter], None], at: QPoint | None = None, size: QSize | None = None
    ) -> None:
        """Paints what `draw` paints; draws anew only when `key`, the size or the screen differs from last time.

        Objects in `key` that are told apart by being the same and not by their value are `ById`.
        """
        widget = self._widget
        ratio = widget.devicePixelRatioF()
        size = widget.size() if size is None else size
        whole = (key, size.width(), size.height(), ratio, theme.FLOOR.rgb(), theme.BONE.rgb())
        if whole != self._key:
            self._key = None
            self._pixmap = QPixmap(size * ratio)
            self._pixmap.setDevicePixelRatio(ratio)
            self._pixmap.fill(Qt.GlobalColor.transparent)
            with painter_on(self._pixmap) as inner:
                inner.setRenderHint(QPainter.RenderHint.Antialiasing)
                inner.setFont(widget.font())
                draw(inner)
            self._key = whole
        painter.drawPixmap(at or QPoint(0, 0), self._pixmap)
