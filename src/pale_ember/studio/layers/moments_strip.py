"""The whole effect at a glance: small pictures of its moments above the ruler; a click goes there."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.layers.layer_table import LayerTable
from pale_ember.studio.layers.row import MARGIN, NAMES

COUNT = 6
"""Moments that are shown."""
HEIGHT = 30
WIDTH = 40
"""Pixels of a picture."""


class MomentsStrip(QWidget):
    """Pictures of even moments of the loop, each in the middle of its stretch of time."""

    def __init__(self, table: LayerTable) -> None:
        super().__init__()
        self.table = table
        self._images: dict[int, QImage] = {}
        self._here = -1
        """The picture whose stretch the playhead is in."""
        self.setFixedHeight(HEIGHT)
        self.setAccessibleName("moments of the effect")
        self.setToolTip("Moments of the effect; a click goes there")
        table.desk.player.moved.connect(self._moved)
        table.desk.document.opened.connect(self._forget)

    def moments(self) -> tuple[float, ...]:
        """The moments shown, s of real time."""
        return tuple((i + 0.5) * self.table.length() / COUNT for i in range(COUNT))

    def show_picture(self, index: int, picture: np.ndarray) -> None:
        """Takes the picture of a moment. picture : (height, width, 4) uint8."""
        height, width = picture.shape[:2]
        self._images[index] = QImage(picture.tobytes(), width, height, 4 * width, QImage.Format.Format_RGBX8888).copy()
        self.update()

    def _forget(self) -> None:
        self._images.clear()
        self.update()

    def _box(self, index: int) -> QRectF:
        wide = (self.width() - NAMES - MARGIN) / COUNT
        return QRectF(NAMES + index * wide + 0.5, 1, wide - 1, HEIGHT - 2)

    def _moved(self) -> None:
        """Paints anew where the playhead came to another stretch."""
        head = self.table.playhead_x()
        here = -1 if head is None else next((i for i in range(COUNT) if self._box(i).right() + 1 > head), COUNT)
        if here != self._here:
            self._here = here
            self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        index = next((i for i in range(COUNT) if self._box(i).contains(event.position())), None)
        if index is not None and event.button() == Qt.MouseButton.LeftButton:
            self.table.scrub(self.table.x_at(self.moments()[index]))

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        head = self.table.playhead_x()
        for i in range(COUNT):
            box = self._box(i)
            image = self._images.get(i)
            if image is None:
                painter.fillRect(box, theme.WELL)
                continue
            # As much of the picture's middle as the box has room for.
            high = image.width() * box.height() / box.width()
            part = QRectF(0, 0.5 * (image.height() - high), image.width(), high)
            painter.drawImage(box, image, part)
            if head is not None and box.left() <= head < box.right() + 1:
                painter.setPen(QPen(theme.GLASS, 1))
                painter.drawRect(box.adjusted(0, 0, -0.5, -0.5))
