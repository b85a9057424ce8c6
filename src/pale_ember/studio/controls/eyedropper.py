"""Takes a colour from anywhere in a window by pointing at it."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap
from PyQt6.QtWidgets import QWidget

from pale_ember.core.effect.values import Colour
from pale_ember.core.texture.palettes import colour_of
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painted


class Eyedropper(QWidget):
    """Lies over a window as it looked when this began. A click takes what is under the pointer, Escape nothing."""

    def __init__(self, window: QWidget, take: Callable[[Colour], None]) -> None:
        super().__init__(window)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setAccessibleName("pick a colour from the window")
        self._still: QPixmap = window.grab()
        self._image = self._still.toImage()
        self._take = take
        self._pointer = QPointF(-100, -100)
        self.setGeometry(window.rect())
        self.setMouseTracking(True)
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.show()
        self.raise_()
        self.setFocus()

    def colour_at(self, at: QPointF) -> QColor:
        """The colour that was there."""
        scale = self._still.devicePixelRatio()
        x = min(max(round(at.x() * scale), 0), self._image.width() - 1)
        y = min(max(round(at.y() * scale), 0), self._image.height() - 1)
        return self._image.pixelColor(x, y)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._pointer = event.position()
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        event.accept()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            taken = colour_of(self.colour_at(event.position()).name())
            self.close()
            self._take(taken)
        else:
            self.close()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.close()
        event.accept()

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.drawPixmap(0, 0, self._still)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.BONE, 2))
        painter.setBrush(self.colour_at(self._pointer))
        painter.drawEllipse(QRectF(self._pointer.x() + 12, self._pointer.y() - 40, 28, 28))
