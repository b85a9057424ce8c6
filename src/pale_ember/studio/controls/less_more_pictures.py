"""Tiny pictures of less and of more, for fields that words tell badly."""

from __future__ import annotations

import math
from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from pale_ember.studio.kit import theme

WIDTH, HEIGHT = 74, 16
"""Pixels of a pair."""
_EACH = 30

_Paint = Callable[[QPainter, QRectF, float], None]


def _fan(painter: QPainter, box: QRectF, share: float) -> None:
    foot, half = QPointF(box.center().x(), box.bottom()), math.radians(6 + 58 * share)
    for k in range(-2, 3):
        angle = half * k / 2
        painter.drawLine(foot, foot + QPointF(math.sin(angle), -math.cos(angle)) * box.height())


def _flat_fan(painter: QPainter, box: QRectF, share: float) -> None:
    painter.drawEllipse(box.center(), 11, 1.0 + 6 * share)
    painter.drawPoint(box.center())


def _filled(painter: QPainter, box: QRectF, share: float) -> None:
    for ring in range(1, 4):
        if ring == 3 or share > 0.5:
            for k in range(4 * ring):
                angle = math.tau * k / (4 * ring)
                painter.drawPoint(box.center() + QPointF(math.cos(angle), math.sin(angle)) * (ring * 2.4))


def _arc(painter: QPainter, box: QRectF, share: float) -> None:
    painter.drawArc(QRectF(box.center().x() - 7, box.center().y() - 7, 14, 14), 0, round(-16 * (40 + 320 * share)))


def _streaked(painter: QPainter, box: QRectF, share: float) -> None:
    painter.drawLine(QPointF(box.left() + 4, box.center().y()), QPointF(box.left() + 5 + 20 * share, box.center().y()))


def _wiggling(painter: QPainter, box: QRectF, share: float) -> None:
    places = [QPointF(box.left() + 2 + 26 * t / 20, box.center().y() + 6 * share * math.sin(t * 0.9)) for t in range(21)]
    painter.drawPolyline(QPolygonF(places))


def _slowed(painter: QPainter, box: QRectF, share: float) -> None:
    for k in range(5):
        x = box.left() + 2 + 24 * (1 - (1 - k / 4) ** (1 + 4 * share)) if share > 0.5 else box.left() + 2 + 6 * k
        painter.drawPoint(QPointF(x, box.center().y()))


def _hopping(painter: QPainter, box: QRectF, share: float) -> None:
    painter.drawLine(QPointF(box.left() + 2, box.bottom()), QPointF(box.right() - 2, box.bottom()))
    hop = [
        QPointF(box.center().x() + 10 * t, box.bottom() - box.height() * share * (1 - (2 * t - 1) ** 2))
        for t in (k / 10 for k in range(11))
    ]
    painter.drawLine(QPointF(box.left() + 4, box.top()), hop[0])
    painter.drawPolyline(QPolygonF(hop))


def _sliding(painter: QPainter, box: QRectF, share: float) -> None:
    painter.drawLine(QPointF(box.left() + 2, box.bottom()), QPointF(box.right() - 2, box.bottom()))
    painter.drawLine(QPointF(box.left() + 3, box.top()), QPointF(box.left() + 9, box.bottom() - 2))
    painter.drawLine(QPointF(box.left() + 9, box.bottom() - 2), QPointF(box.left() + 9 + 18 * share, box.bottom() - 2))


def _tall(painter: QPainter, box: QRectF, share: float) -> None:
    high = 4 + 11 * share
    painter.drawRect(QRectF(box.center().x() - 4, box.center().y() - high / 2, 8, high))


def _soft(painter: QPainter, box: QRectF, share: float) -> None:
    painter.drawLine(QPointF(box.left() + 2, box.bottom()), QPointF(box.right() - 2, box.bottom()))
    for k in range(5):
        painter.setOpacity(1.0 if share < 0.5 else k / 5)
        y = box.bottom() - 2 - 2.5 * k
        painter.drawLine(QPointF(box.left() + 8, y), QPointF(box.right() - 8, y))
    painter.setOpacity(1.0)


def _rimmed(painter: QPainter, box: QRectF, share: float) -> None:
    for k in range(1 + round(3 * share)):
        painter.drawEllipse(box.center(), 7 - 1.6 * k, 7 - 1.6 * k)


def _wandering(painter: QPainter, box: QRectF, share: float) -> None:
    for k in range(4):
        start = QPointF(box.left() + 5 + 6 * k, box.bottom() - 2)
        angle = share * (2.2 * math.sin(3.7 * k + 1.0))
        painter.drawLine(start, start + QPointF(math.sin(angle), -math.cos(angle)) * 10)


PAIRS: dict[str, _Paint] = {
    "spread": _fan, "across": _flat_fan, "fill": _filled, "arc": _arc, "wander": _wandering, "streak": _streaked,
    "turbulence": _wiggling, "drag": _slowed, "bounce": _hopping, "slide": _sliding, "aspect": _tall, "soft": _soft,
    "edge_width": _rimmed, "opening": _fan,
}  # fmt: skip
"""What is drawn, by the field's name."""


def paint_pair(painter: QPainter, name: str, at: QPointF) -> None:
    """Paints less and more of a field, from a left top corner on."""
    paint = PAIRS[name]
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for k, share in enumerate((0.12, 0.9)):
        painter.setPen(QPen(theme.BONE if k else theme.ASH, 1.4, cap=Qt.PenCapStyle.RoundCap))
        paint(painter, QRectF(at.x() + k * (_EACH + 14), at.y(), _EACH, HEIGHT), share)
    painter.setPen(QPen(theme.DIM, 1))
    y = at.y() + HEIGHT / 2
    painter.drawLine(QPointF(at.x() + _EACH + 3, y), QPointF(at.x() + _EACH + 10, y))
    painter.restore()
