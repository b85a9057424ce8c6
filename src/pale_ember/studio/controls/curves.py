"""Lanes drawn as curves, with keys to take hold of."""

from __future__ import annotations

import math
from typing import get_args

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import (
    QIcon,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
)
from PyQt6.QtWidgets import QMenu

from pale_ember.core.effect.curves import CHANGES, PRESETS, fitted, from_numbers, with_band
from pale_ember.core.effect.fields import Declared, fields_of
from pale_ember.core.effect.values import Curve, Key, Slope, sample_keys
from pale_ember.studio.controls.lanes import CROWDED, REACH, Lane
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.clipboard import clipboard_text
from pale_ember.studio.kit.still import Held

_BY_HAND = 0.015
"""How far a curve may be from what was drawn by hand, as a share of the lane's height."""


_UNDER = 14
"""Pixels below a large lane for what its axis is."""


def round_step(rough: float) -> float:
    """The step of 1, 2 or 5 times a power of ten that is next to a rough one."""
    power = 10.0 ** math.floor(math.log10(max(rough, 1e-9)))
    return min((power * part for part in (1, 2, 5, 10)), key=lambda step: abs(step - rough))


def _drawn(shape: Curve) -> QIcon:
    """A small picture of a curve, for a menu."""
    pixmap = QPixmap(40, 20)
    pixmap.fill(Qt.GlobalColor.transparent)
    ages = np.linspace(0, 1, 40)
    values = sample_keys(shape.keys, ages)
    low, high = min(float(values.min()), 0.0), max(float(values.max()), 1.0)
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(theme.EMBER, 1.5))
    places = [
        QPointF(2 + 36 * age, 18 - 16 * (value - low) / (high - low)) for age, value in zip(ages, values, strict=True)
    ]
    painter.drawPolyline(QPolygonF(places))
    painter.end()
    return QIcon(pixmap)


class CurveLane(Lane):
    """A curve with its keys. Press the curve to add a key there, drag it, right-click for more. With Ctrl a drag makes the
    band of the whole lane, with Shift, beside a key, it draws the curve anew by hand."""

    kind, part = Curve, "keys"

    def __init__(self, declared: Declared, height: int = 44) -> None:
        super().__init__(declared, height)
        self._held_span: tuple[float, float] | None = None
        self._spanned: tuple[object, tuple[float, float]] = (None, (0.0, 1.0))
        """The curve that the span was last measured of, and the span."""
        self._by_hand: dict[float, float] | None = None
        """Values by age while the curve is drawn by hand."""
        self._last_drawn = 0.0
        self._widening = False
        self.least = declared.field.least
        """What its values may not go below."""

    def box(self) -> QRectF:
        box = super().box()
        return box.adjusted(0, 0, 0, -_UNDER) if self.large else box

    def span(self) -> tuple[float, float]:
        """The values at the bottom and the top; they hold still during a drag."""
        if self._dragging and self._held_span is not None:
            return self._held_span
        if self._spanned[0] is not self.value:
            low = min(0.0, *(key.value - key.band for key in self.points))
            self._spanned = self.value, (low, max(1.0, *(key.value + key.band for key in self.points)) * 1.06)
        return self._spanned[1]

    def y_at(self, value: float) -> float:
        low, high = self.span()
        box = self.box()
        return box.bottom() - (value - low) / (high - low) * box.height()

    def value_at(self, y: float) -> float:
        low, high = self.span()
        box = self.box()
        value = low + (box.bottom() - y) / box.height() * (high - low)
        return self.limited(value)

    def limited(self, value: float) -> float:
        """The nearest value that nature allows."""
        return value if self.least is None else max(value, self.least)

    def set_point(self, index: int, stroke: object = None, **values: object) -> None:
        if "value" in values:
            values["value"] = self.limited(float(values["value"]))  # type: ignore[arg-type]
        super().set_point(index, stroke, **values)

    def on_curve(self, age: float) -> float:
        return float(sample_keys(self.points, np.array([age]))[0])

    def point_near(self, at: QPointF) -> int | None:
        places = [QPointF(self.x_at(key.at), self.y_at(key.value)) for key in self.points]
        away = [(at - place).manhattanLength() for place in places]
        nearest = int(np.argmin(away))
        return nearest if away[nearest] <= REACH * 1.3 else None

    def _near_curve(self, at: QPointF) -> bool:
        inside = self.box().adjusted(0, -5, 0, 5).contains(at)
        return inside and abs(at.y() - self.y_at(self.on_curve(self.age_at(at.x())))) <= REACH

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        self._stroke = object()
        self._held_span = self.span()
        at = event.position()
        index, held = self.point_near(at), event.modifiers()
        self._widening = bool(held & Qt.KeyboardModifier.ControlModifier)
        self._by_hand = {} if held & Qt.KeyboardModifier.ShiftModifier and index is None else None
        if self._widening or self._by_hand is not None:
            self._dragging = True
            self.select(None)
            self._draw_to(at)
            return
        if index is None and self._near_curve(at):
            age = self.age_at(at.x())
            ease = self.points[max(i for i, key in enumerate(self.points) if key.at <= age or i == 0)].ease
            index = self.add_point(Key(at=round(age, 4), value=round(self.on_curve(age), 4), ease=ease), self._stroke)
        self.select(index)
        self._dragging = index is not None

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._pointer = event.position()
        if self._dragging and self._by_hand is not None:
            self._draw_to(event.position())
        elif self._dragging and self._widening:
            middle = self.on_curve(self.age_at(event.position().x()))
            band = abs(self.value_at(event.position().y()) - middle)
            self.tell(with_band(Curve(keys=self.points), round(band, 3)).keys, self._stroke)
        elif self._dragging and self.selected is not None:
            value = self.value_at(event.position().y())
            self.set_point(
                self.selected, self._stroke, at=round(self.age_at(event.position().x()), 3), value=round(value, 3)
            )
            self.picked.emit()
        near = self.point_near(self._pointer) is not None
        self.setCursor(
            Qt.CursorShape.SizeAllCursor if near else Qt.CursorShape.CrossCursor if self._near_curve(self._pointer)
            else Qt.CursorShape.ArrowCursor
        )  # fmt: skip
        self.update()

    def _draw_to(self, at: QPointF) -> None:
        """Draws on by hand: where the pointer has been, nothing of what was drawn before is left."""
        drawn, age = self._by_hand, round(self.age_at(at.x()), 4)
        if drawn is None:
            return
        if drawn:
            low, high = sorted((age, self._last_drawn))
            for passed in [other for other in drawn if low < other < high]:
                del drawn[passed]
        drawn[age], self._last_drawn = self.value_at(at.y()), age
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        drawn, self._by_hand, self._widening = self._by_hand, None, False
        if drawn and len(drawn) > 1:
            ages = np.array(sorted(drawn))
            values = np.array([drawn[age] for age in ages.tolist()])
            # Nobody draws to the very pixel where a life begins and ends.
            ages[0], ages[-1] = ages[0] if ages[0] > 0.02 else 0.0, ages[-1] if ages[-1] < 0.98 else 1.0
            made = fitted(ages, values, _BY_HAND * (self.span()[1] - self.span()[0]))
            self.tell(made.keys, self._stroke)
        super().mouseReleaseEvent(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self.selected is not None and event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            low, high = self.span()
            step = (high - low) / 100 * (1 if event.key() == Qt.Key.Key_Up else -1)
            value = self.points[self.selected].value + step
            self.set_point(self.selected, self._nudges.current(), value=round(value, 4))
            self.picked.emit()
        else:
            super().keyPressEvent(event)

    def point_actions(self, menu: QMenu, index: int) -> None:
        for ease in get_args(fields_of(Key)["ease"].type):
            action = menu.addAction(f"with {ease}" if ease == "handles" else ease.capitalize())
            action.setCheckable(True)
            action.setChecked(self.points[index].ease == ease)
            action.triggered.connect(lambda _=False, ease=ease: self.set_ease(index, ease))

    def set_ease(self, index: int, ease: str) -> None:
        """Changes how the curve passes a key; handles begin as the curve is."""
        values: dict[str, object] = {"ease": ease}
        if ease == "handles":
            at = self.points[index].at
            near = [self.on_curve(min(max(at + side * 1e-3, 0.0), 1.0)) for side in (-1, 1)]
            middle = self.points[index].value
            before, after = (round(rise / 1e-3, 3) for rise in (middle - near[0], near[1] - middle))
            values["slope"] = Slope(before=before, after=after)
        self.set_point(index, **values)
        self.picked.emit()

    def lane_actions(self, menu: QMenu) -> None:
        shapes = menu.addMenu("Give it a shape")
        for name, shape in PRESETS.items():
            action = shapes.addAction(_drawn(shape), name)
            action.triggered.connect(lambda _=False, shape=shape: self.take_shape(shape))
        changes = menu.addMenu("Change it")
        for name, change in CHANGES.items():
            changes.addAction(name).triggered.connect(
                lambda _=False, change=change: self.take_shape(change(Curve(keys=self.points)))
            )

    def paste(self) -> bool:
        """Takes a copied curve, or numbers as people have them."""
        if super().paste():
            return True
        made = from_numbers(clipboard_text())
        if made is not None:
            self.take_shape(made)
        return made is not None

    def take_shape(self, shape: Curve) -> None:
        self.select(None)
        self.tell(tuple(replace(key, value=self.limited(key.value)) for key in shape.keys))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        ghost = None
        if self._pointer is not None and not self._dragging and self._near_curve(self._pointer):
            ghost = None if self.point_near(self._pointer) is not None else self._pointer.x()
        key = (Held(self.value), self.span(), self.selected, self.hasFocus(), ghost, self.large, self.axis)
        self._still.paint(painter, key, lambda inner: self._paint_curve(inner, ghost))
        if len(self.ages):
            ages = self.ages.astype(float)
            painter.setPen(QPen(theme.GLASS, 3, cap=Qt.PenCapStyle.RoundCap))
            painter.drawPoints(self._polygon(ages, sample_keys(self.points, ages)))
        if self._by_hand:
            drawn = np.array(sorted(self._by_hand.items()))
            painter.setPen(QPen(theme.BONE, 1.4))
            painter.drawPolyline(self._polygon(drawn[:, 0], drawn[:, 1]))

    def _polygon(self, ages: np.ndarray, values: np.ndarray) -> QPolygonF:
        box, (low, high) = self.box(), self.span()
        xs = box.left() + ages * box.width()
        ys = box.bottom() - (values - low) / (high - low) * box.height()
        return QPolygonF([QPointF(x, y) for x, y in zip(xs.tolist(), ys.tolist(), strict=True)])

    def _paint_grid(self, painter: QPainter) -> None:
        """Lines at round values, and at tenths of the axis with what they are in its unit."""
        box, (low, high), (begin, end, unit) = self.box(), self.span(), self.axis
        line = QPen(theme.with_alpha(theme.LINE, 0.7), 1)
        painter.setFont(theme.font(10))
        step = round_step((high - low) / 4)
        for k in range(math.ceil(low / step), math.floor(high / step) + 1):
            y = self.y_at(k * step)
            painter.setPen(line)
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
            painter.setPen(theme.ASH)
            painter.drawText(QRectF(box.left() + 4, y - 13, 60, 12), Qt.AlignmentFlag.AlignBottom, f"{k * step:g}")
        for tenth in range(11):
            x = self.x_at(tenth / 10)
            painter.setPen(line)
            painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
            if tenth % 2 == 0:
                there = f"{begin + (end - begin) * tenth / 10:.3g} {unit}" if unit else ""
                told = f"{tenth / 10:g} · {there}" if there else f"{tenth / 10:g}"
                side = (
                    Qt.AlignmentFlag.AlignLeft if tenth == 0 else Qt.AlignmentFlag.AlignRight if tenth == 10
                    else Qt.AlignmentFlag.AlignHCenter
                )  # fmt: skip
                left = x if tenth == 0 else x - 100 if tenth == 10 else x - 50
                painter.setPen(theme.ASH)
                painter.drawText(QRectF(left, box.bottom() + 4, 100, 14), side, told)

    def _paint_curve(self, painter: QPainter, ghost: float | None) -> None:
        self.paint_label(painter)
        box = self.box()
        painter.setPen(QPen(theme.LINE, 1) if self.hasFocus() else Qt.PenStyle.NoPen)
        painter.setBrush(theme.WELL)
        painter.drawRoundedRect(box.adjusted(-1, -3, 1, 3), 3, 3)
        if self.large:
            self._paint_grid(painter)
        top = self.y_at(1.0)
        painter.setPen(QPen(theme.with_alpha(theme.LINE, 0.8), 1, Qt.PenStyle.DotLine))
        painter.drawLine(QPointF(box.left(), top), QPointF(box.right(), top))
        ages = np.linspace(0, 1, max(int(box.width() / 2), 2))
        values = sample_keys(self.points, ages)
        if any(key.band > 0 for key in self.points):
            half = np.interp(ages, [key.at for key in self.points], [key.band for key in self.points])
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.with_alpha(theme.EMBER, 0.16))
            around = np.concatenate([values + half, (values - half)[::-1]])
            painter.drawPolygon(self._polygon(np.concatenate([ages, ages[::-1]]), around))
        painter.setPen(QPen(theme.EMBER, 1.6))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(self._polygon(ages, values))
        painter.setPen(QPen(theme.EMBER, 1.5))
        last = -math.inf
        for i, key in enumerate(self.points):
            at = QPointF(self.x_at(key.at), self.y_at(key.value))
            if at.x() - last < CROWDED and i != self.selected:
                continue
            last = at.x()
            painter.setBrush(theme.EMBER if i == self.selected else theme.WELL)
            if key.ease == "smooth":
                painter.drawEllipse(at, 4, 4)
            else:
                corners = (QPointF(0, -5), QPointF(5, 0), QPointF(0, 5), QPointF(-5, 0))
                painter.drawPolygon(QPolygonF([at + corner for corner in corners]))
        if ghost is not None:
            painter.setPen(QPen(theme.with_alpha(theme.EMBER, 0.7), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(QPointF(ghost, self.y_at(self.on_curve(self.age_at(ghost)))), 4, 4)
