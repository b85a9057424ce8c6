"""How much is painted over the effect's time, below the layers' bars; a click goes there, and near the worst to the worst."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from pale_ember.studio.kit import theme
from pale_ember.studio.kit.cached_painting import ById, CachedPainting
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.layers.layer_table import LayerTable
from pale_ember.studio.layers.row import MARGIN, NAMES, PlayheadMark

HEIGHT = 22
_NEAR = 8
"""Pixels from the worst moment within which a click goes to it."""


class PaintedRow(QWidget):
    """A row of the time axis for what is painted by all layers together."""

    def __init__(self, table: LayerTable) -> None:
        super().__init__()
        self.table = table
        self._still, self._head = CachedPainting(self), PlayheadMark(self, 2)
        self.setFixedHeight(HEIGHT)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName("screens painted over time")
        self.setToolTip("Screens painted over time, as the game sees it; a click on the line goes to the worst")
        table.desk.spent.changed.connect(self._show)
        table.desk.player.moved.connect(lambda: self._head.move(table.playhead_x()))
        table.zoomed.connect(self.update)

    def _show(self) -> None:
        spending = self.table.desk.spent.spending
        if spending is not None:
            self.setAccessibleDescription(
                f"at most {spending.painted.max(initial=0):.2f} screens, at {self._moments()[spending.worst]:.2f} s"
            )
        self.update()

    def _moments(self) -> np.ndarray:
        """(n,) s: the moments that were measured, within the loop that is shown."""
        spending, effect = self.table.desk.spent.spending, self.table.desk.effect
        moments = np.zeros(0) if spending is None else spending.moments
        return moments % self.table.length() if effect.loop else moments

    def _worst_x(self) -> float | None:
        spending = self.table.desk.spent.spending
        return None if spending is None else self.table.x_at(float(self._moments()[spending.worst]))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        x, worst = event.position().x(), self._worst_x()
        if event.button() == Qt.MouseButton.LeftButton and x >= NAMES - 8:
            self.table.scrub(worst if worst is not None and abs(x - worst) <= _NEAR else x)

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        spending = self.table.desk.spent.spending
        self._still.paint(painter, (ById(spending), self.table.seen(), self.table.length()), self._draw)
        head = self.table.playhead_x()
        if spending is not None and head is not None:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(QPen(theme.GLASS, 1))
            painter.drawLine(QPointF(head, 0), QPointF(head, HEIGHT))

    def _draw(self, painter: QPainter) -> None:
        spending, worst = self.table.desk.spent.spending, self._worst_x()
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.ASH)
        painter.drawText(QRectF(30, 0, 90, HEIGHT), Qt.AlignmentFlag.AlignVCenter, "screens painted")
        if spending is None or worst is None:
            return
        most = float(spending.painted.max(initial=0))
        figures = QRectF(60, 0, 88, HEIGHT)
        painter.drawText(figures, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, f"{most:.2g}×")
        box = QRectF(NAMES, 3, self.width() - NAMES - MARGIN, HEIGHT - 6)
        painter.setClipRect(box)
        heights = (box.bottom() - spending.painted / max(most, 1e-6) * box.height()).tolist()
        xs = [self.table.x_at(float(moment)) for moment in self._moments()]
        if self.table.desk.effect.loop:
            # The end of a loop is its beginning.
            xs, heights = [*xs, self.table.x_at(self.table.length())], [*heights, heights[0]]
        line = [QPointF(x, y) for x, y in zip(xs, heights, strict=True)]
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.with_alpha(theme.ASH, 0.28))
        painter.drawPolygon(QPolygonF([QPointF(xs[0], box.bottom()), *line, QPointF(xs[-1], box.bottom())]))
        painter.setPen(QPen(theme.EMBER, 1.2))
        painter.drawLine(QPointF(worst, box.top()), QPointF(worst, box.bottom()))
