"""The line on the stage between the effect and a variant that is compared with it."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from pale_ember.studio.document.desk import Desk
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import paint_lit
from pale_ember.studio.stage.reference_overlay import divides

_REACH = 6
"""Pixels to either side within which it is taken hold of."""
_SIDE = {"left": Qt.AlignmentFlag.AlignRight, "right": Qt.AlignmentFlag.AlignLeft}


def paint(painter: QPainter, share: float, width: float, height: float, right: str) -> None:
    """Paints the line, a share of the picture from the left, and what either side is called; right : what that is."""
    x = share * width
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(theme.Lit.BONE, 1.4))
    painter.drawLine(QPointF(x, 0), QPointF(x, height))
    painter.setBrush(theme.Lit.FLOOR)
    painter.drawEllipse(QPointF(x, 0.5 * height), 6, 6)
    painter.setFont(theme.font())
    for text, left, side in (("now", x - 210, "left"), (right, x + 10, "right")):
        box, where = QRectF(left, 8, 200, 20), _SIDE[side] | Qt.AlignmentFlag.AlignVCenter
        paint_lit(painter, box, where, text, theme.Lit.BONE)


def is_near(desk: Desk, x: float, width: float) -> bool:
    """Whether a place is on the line."""
    divided = desk.looking.beside is not None or divides(desk.reference)
    return divided and abs(x - desk.looking.share * width) <= _REACH
