"""A baked sheet as it lies and as it plays, over what shows its clear places."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QRectF, Qt, QTimer
from PyQt6.QtGui import QBrush, QColor, QImage, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from pale_ember.core.texture.sheet import Sheet
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painted

OVER = ("black", "checker", "white")
"""What a sheet is seen over."""


class SheetView(QWidget):
    """The sheet as it lies, with cut edges marked; beside it, played."""

    def __init__(self) -> None:
        super().__init__()
        self.sheet: Sheet | None = None
        self.over = "black"
        self._image: QImage | None = None
        self._kept = np.zeros((1, 1, 4), np.uint8)
        self._frame = 0
        self.setMinimumSize(560, 340)
        self.setAccessibleName("baked sheet")
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._next)

    def show_sheet(self, sheet: Sheet, pixels: np.ndarray | None = None) -> None:
        """Shows a sheet, or another picture (h, w, 4) uint8 that lies as it does."""
        if sheet is not self.sheet:
            self._frame = 0
        self.sheet, self._kept = sheet, np.ascontiguousarray(sheet.pixels if pixels is None else pixels)
        height, width = self._kept.shape[:2]
        premultiplied = pixels is None and sheet.plan.alpha == "premultiplied"
        kinds = QImage.Format.Format_RGBA8888, QImage.Format.Format_RGBA8888_Premultiplied
        self._image = QImage(self._kept.data, width, height, 4 * width, kinds[premultiplied])
        self._timer.start(max(int(1000 / sheet.plan.fps), 10))
        self.update()

    def show_over(self, word: str) -> None:
        """word : one of OVER."""
        self.over = word
        self.update()

    def _ground(self, painter: QPainter, box: QRectF) -> None:
        painter.fillRect(box, QColor("#eeeae2") if self.over == "white" else QColor("#0c0b0a"))
        if self.over == "checker":
            painter.fillRect(box, QBrush(QColor("#6b6660"), Qt.BrushStyle.SolidPattern))
            side = 12
            for row in range(int(box.height() // side) + 1):
                for column in range(row % 2, int(box.width() // side) + 1, 2):
                    square = QRectF(box.left() + column * side, box.top() + row * side, side, side)
                    painter.fillRect(square.intersected(box), QColor("#8a857e"))

    def _next(self) -> None:
        if self.sheet is not None:
            self._frame = (self._frame + 1) % self.sheet.plan.frames
            self.update()

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), theme.WELL)
        if self.sheet is None or self._image is None:
            painter.setPen(theme.ASH)
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "The sheet appears here.")
            return
        plan = self.sheet.plan
        side = min(self.height() - 20, self.width() * 0.6 - 20)
        scale = min(side / (plan.columns * plan.cell), side / (plan.rows * plan.cell))
        whole = QRectF(10, 10, plan.columns * plan.cell * scale, plan.rows * plan.cell * scale)
        self._ground(painter, whole)
        painter.drawImage(whole, self._image)
        cell = plan.cell * scale
        painter.setPen(QPen(theme.LINE, 1))
        for i in range(plan.columns + 1):
            painter.drawLine(int(whole.left() + i * cell), int(whole.top()), int(whole.left() + i * cell), int(whole.bottom()))
        for i in range(plan.rows + 1):
            painter.drawLine(int(whole.left()), int(whole.top() + i * cell), int(whole.right()), int(whole.top() + i * cell))
        for index, colour in [(i, theme.WARNING) for i in self.sheet.clipped] + [(self._frame, theme.GLASS)]:
            row, column = divmod(index, plan.columns)
            painter.setPen(QPen(colour, 1.5))
            painter.drawRect(QRectF(whole.left() + column * cell, whole.top() + row * cell, cell, cell).adjusted(1, 1, -1, -1))
        row, column = divmod(self._frame, plan.columns)
        source = QRectF(column * plan.cell, row * plan.cell, plan.cell, plan.cell)
        size = min(self.width() - whole.right() - 30, self.height() - 50)
        target = QRectF(whole.right() + 20, 10, size, size)
        self._ground(painter, target)
        painter.drawImage(target, self._image, source)
        painter.setPen(theme.ASH)
        text = f"frame {self._frame + 1} of {plan.frames} · {plan.fps:.3g} a second"
        painter.drawText(QRectF(target.left(), target.bottom() + 6, target.width(), 20), Qt.AlignmentFlag.AlignLeft, text)
