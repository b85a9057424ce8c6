"""Colours taken from a picture: a line is drawn over it, and the gradient along it is shown below."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QLinearGradient, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QVBoxLayout, QWidget

from pale_ember.core.effect.values import Gradient
from pale_ember.core.texture.palettes import along
from pale_ember.studio.controls.colour import picture_image, screen_colour
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painted

_SIDE = 360


class _Picture(QWidget):
    """The picture with its line."""

    moved = pyqtSignal()

    def __init__(self, pixels: np.ndarray) -> None:
        super().__init__()
        self.image = picture_image(pixels)
        self.first, self.last = QPointF(0.0, 0.5), QPointF(1.0, 0.5)
        height = round(_SIDE * pixels.shape[0] / pixels.shape[1])
        self.setFixedSize(_SIDE, min(max(height, 40), _SIDE))
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.setAccessibleName("the picture: drag a line over it")

    def _share(self, at: QPointF) -> QPointF:
        return QPointF(min(max(at.x() / self.width(), 0), 1), min(max(at.y() / self.height(), 0), 1))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.first = self.last = self._share(event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self.last = self._share(event.position())
        self.moved.emit()
        self.update()

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(QRectF(self.rect()), self.image)
        ends = [QPointF(end.x() * self.width(), end.y() * self.height()) for end in (self.first, self.last)]
        for colour, width in ((theme.FLOOR, 4.0), (theme.EMBER, 1.6)):
            painter.setPen(QPen(colour, width))
            painter.drawLine(*ends)
        painter.setBrush(theme.WELL)
        for end in ends:
            painter.drawEllipse(end, 5, 5)


class AlongPicture(QDialog):
    """Asks for a line over a picture. pixels : (height, width, 4) float32, linear."""

    def __init__(self, parent: QWidget, pixels: np.ndarray) -> None:
        super().__init__(parent)
        self.setWindowTitle("Colours from a picture: drag a line")
        self._pixels = pixels
        self.picture = _Picture(pixels)
        self.picture.moved.connect(self.update)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        column = QVBoxLayout(self)
        column.addWidget(self.picture)
        column.addSpacing(34)
        column.addWidget(buttons)

    def gradient(self) -> Gradient:
        """The colours along the line."""
        first, last = self.picture.first, self.picture.last
        return along(self._pixels, (first.x(), first.y()), (last.x(), last.y()))

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        box = self.picture.geometry()
        bar = QRectF(box.left(), box.bottom() + 10, box.width(), 22)
        slope = QLinearGradient(bar.topLeft(), bar.topRight())
        gradient = self.gradient()
        for age, colour in zip(np.linspace(0, 1, 33), gradient.at(np.linspace(0, 1, 33)), strict=True):
            slope.setColorAt(float(age), screen_colour(tuple(colour.tolist())))
        painter.setPen(QPen(theme.LINE, 1))
        painter.setBrush(slope)
        painter.drawRoundedRect(bar, 4, 4)
