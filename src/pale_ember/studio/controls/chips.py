"""How an editor looks that stands in a sentence: its words, on a quiet ground that can be pressed."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QWidget

from pale_ember.studio.kit import fitted_text, theme

HEIGHT = 20
"""Pixels of a chip, in lines of a little more."""
_INSET = 4
DIFFERS = "differs"
"""Property of a chip whose value is not that of all layers that are chosen: it has a dotted border."""


def chip_width(text: str) -> int:
    """Pixels that a chip needs for its words."""
    return math.ceil(fitted_text.width_of(text)) + 2 * _INSET


def paint_chip(painter: QPainter, widget: QWidget, text: str, *, changed: bool) -> None:
    """Paints the words of an editor in a sentence. changed : whether its value is other than its default."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    box = QRectF(widget.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
    painter.setPen(QPen(theme.EMBER, 1) if widget.hasFocus() else Qt.PenStyle.NoPen)
    painter.setBrush(theme.LINE if widget.underMouse() else theme.RAISED)
    painter.drawRoundedRect(box, 4, 4)
    if changed:
        painter.setPen(QPen(theme.EMBER, 1))
        painter.drawLine(QPointF(box.left() + 4, box.bottom()), QPointF(box.right() - 4, box.bottom()))
    if widget.property(DIFFERS):
        painter.setPen(QPen(theme.EMBER, 1, Qt.PenStyle.DotLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(box, 4, 4)
    room = box.width() - 2 * _INSET + 3
    painter.setFont(fitted_text.fitting(text, room))
    painter.setPen(theme.BONE)
    shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, math.ceil(room))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, shown)
