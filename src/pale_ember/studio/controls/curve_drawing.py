"""How a curve is drawn: its grid, its band with particles of its own in it, the curve, its keys and what they are held by."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QIcon, QPainter, QPen, QPixmap, QPolygonF

from pale_ember.core.effect.values import Curve, sample_keys
from pale_ember.studio.controls.curve_geometry import CurveGeometry
from pale_ember.studio.controls.lane_view import round_step
from pale_ember.studio.controls.lanes import CROWDED
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painter_on

_SAMPLES = (-0.8, -0.45, -0.1, 0.3, 0.7)
"""Places in the band of the particles that are drawn in it."""


def small_picture(shape: Curve) -> QIcon:
    """A small picture of a curve, for a menu."""
    pixmap = QPixmap(40, 20)
    pixmap.fill(Qt.GlobalColor.transparent)
    ages = np.linspace(0, 1, 40)
    values = sample_keys(shape.keys, ages)
    low, high = min(float(values.min()), 0.0), max(float(values.max()), 1.0)
    places = [QPointF(2 + 36 * age, 18 - 16 * (value - low) / (high - low)) for age, value in zip(ages, values, strict=True)]
    with painter_on(pixmap) as painter:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.EMBER, 1.5))
        painter.drawPolyline(QPolygonF(places))
    return QIcon(pixmap)


_APART = 8
"""Pixels at least between two things said along an axis; what has no room is left out."""


def _paint_grid(painter: QPainter, lane: CurveGeometry) -> None:
    """Lines at round values, and along the axis with what they are in its unit."""
    box, view, (first, last, unit) = lane.box(), lane.seen(), lane.axis
    line = QPen(theme.with_alpha(theme.LINE, 0.7), 1)
    painter.setFont(theme.font(10))
    step = round_step((view.high - view.low) / 4)
    for k in range(math.ceil(view.low / step), math.floor(view.high / step) + 1):
        y = lane.y_at(k * step)
        painter.setPen(line)
        painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
        painter.setPen(theme.ASH)
        said = f"{k * step:g} {lane.unit}".rstrip()
        painter.drawText(QRectF(box.left() + 4, y - 13, 80, 12), Qt.AlignmentFlag.AlignBottom, said)
    step, free = round_step((view.end - view.begin) / 10), box.left()
    for k in range(math.ceil(view.begin / step - 1e-9), math.floor(view.end / step + 1e-9) + 1):
        age = k * step
        x = lane.x_at(age)
        painter.setPen(line)
        painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
        if k % 2:
            continue
        there = f"{first + (last - first) * age:.3g} {unit}" if unit else ""
        told = f"{age:.4g} · {there}" if there else f"{age:.4g}"
        wide = painter.fontMetrics().horizontalAdvance(told) + 2
        at = min(max(x - wide / 2, box.left()), box.right() - wide)
        if at < free:
            continue
        free = at + wide + _APART
        painter.setPen(theme.ASH)
        painter.drawText(QRectF(at, box.bottom() + 4, wide, 14), Qt.AlignmentFlag.AlignHCenter, told)


def paint_curve(painter: QPainter, lane: CurveGeometry) -> None:
    """Paints a lane's ground, band and curve."""
    box, view = lane.box(), lane.seen()
    painter.setPen(QPen(theme.LINE, 1) if lane.hasFocus() else Qt.PenStyle.NoPen)
    painter.setBrush(theme.WELL)
    painter.drawRoundedRect(box.adjusted(-1, -3, 1, 3), 3, 3)
    if lane.large:
        _paint_grid(painter, lane)
    painter.save()
    painter.setClipRect(box.adjusted(-6, -4, 6, 4))
    top = lane.y_at(1.0)
    painter.setPen(QPen(theme.with_alpha(theme.LINE, 0.8), 1, Qt.PenStyle.DotLine))
    painter.drawLine(QPointF(box.left(), top), QPointF(box.right(), top))
    ages = np.linspace(view.begin, view.end, max(int(box.width() / 2), 2))
    values = sample_keys(lane.points, ages)
    if any(key.band > 0 for key in lane.points):
        half = np.interp(ages, [key.at for key in lane.points], [key.band for key in lane.points])
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.with_alpha(theme.EMBER, 0.14))
        around = np.concatenate([values + half, (values - half)[::-1]])
        painter.drawPolygon(lane.polygon(np.concatenate([ages, ages[::-1]]), around))
        painter.setPen(QPen(theme.with_alpha(theme.EMBER, 0.35), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for place in _SAMPLES:
            painter.drawPolyline(lane.polygon(ages, values + half * place))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setFont(theme.font(10))
    painter.setPen(QPen(theme.with_alpha(theme.ASH, 0.8), 1))
    for keys, name in lane.kin:
        line = lane.polygon(ages, sample_keys(keys, ages))
        painter.drawPolyline(line)
        painter.drawText(line.last() + QPointF(-10 - 6 * len(name), -3), name)
    painter.setPen(QPen(theme.ASH if lane.locked else theme.EMBER, 1.6))
    painter.drawPolyline(lane.polygon(ages, values))
    painter.restore()


def paint_grips(painter: QPainter, lane: CurveGeometry) -> None:
    """Paints a lane's keys, and what those in hand are held by."""
    painter.save()
    painter.setClipRect(lane.box().adjusted(-8, -5, 8, 5))
    quiet = QPen(theme.with_alpha(theme.BONE, 0.7), 1)
    if lane.selected is not None:
        middle = lane.place_of(lane.points[lane.selected])
        for place in lane.slope_grips().values():
            painter.setPen(quiet)
            painter.drawLine(middle, place)
            painter.setBrush(theme.BONE)
            painter.drawEllipse(place, 3, 3)
        painter.setPen(quiet)
        for place in lane.band_grips():
            painter.drawLine(place - QPointF(6, 0), place + QPointF(6, 0))
            painter.drawLine(place, QPointF(middle.x(), middle.y() + (6 if place.y() > middle.y() else -6)))
    around = lane.group_box()
    if around is not None:
        painter.setPen(QPen(theme.with_alpha(theme.BONE, 0.7), 1, Qt.PenStyle.DashLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(around)
    painter.setPen(QPen(theme.ASH if lane.locked else theme.EMBER, 1.5))
    last = -math.inf
    for i, key in enumerate(lane.points):
        at = lane.place_of(key)
        if at.x() - last < CROWDED and i not in lane.chosen:
            continue
        last = at.x()
        painter.setBrush(theme.EMBER if i in lane.chosen else theme.WELL)
        if key.ease == "smooth":
            painter.drawEllipse(at, 4, 4)
        else:
            corners = (QPointF(0, -5), QPointF(5, 0), QPointF(0, 5), QPointF(-5, 0))
            painter.drawPolygon(QPolygonF([at + corner for corner in corners]))
    painter.restore()
