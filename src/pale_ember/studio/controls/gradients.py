"""Lanes drawn as bars of colour, with stops to take hold of."""

from __future__ import annotations

import re

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import (
    QIcon,
    QLinearGradient,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
)
from PyQt6.QtWidgets import QInputDialog, QMenu

from pale_ember.core.effect.fields import Declared
from pale_ember.core.effect.values import Gradient, Stop
from pale_ember.core.texture.heat import cooling
from pale_ember.studio.controls.colour import open_picker, screen_colour
from pale_ember.studio.controls.lanes import REACH, Lane
from pale_ember.studio.controls.typed import refuse
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.still import Held

COOLINGS = {
    "candle": (1950.0, 1100.0), "wood fire": (1800.0, 850.0), "furnace": (2600.0, 1000.0), "white hot": (6500.0, 1500.0),
    "blue hot": (20000.0, 2500.0),
}  # fmt: skip
"""Heat that is often wanted: from and to, in kelvin."""


def _striped(colours: Gradient) -> QIcon:
    """A small picture of a gradient, for a menu."""
    pixmap = QPixmap(40, 20)
    painter = QPainter(pixmap)
    slope = QLinearGradient(0, 0, 40, 0)
    for stop in colours.stops:
        slope.setColorAt(stop.at, screen_colour(stop.colour))
    painter.fillRect(pixmap.rect(), slope)
    painter.end()
    return QIcon(pixmap)


class GradientLane(Lane):
    """A colour over age with its stops below. Press the bar to add a stop, double-click one to pick its colour."""

    kind, part = Gradient, "stops"

    def __init__(self, declared: Declared, height: int = 40) -> None:
        super().__init__(declared, height)

    def colour_at(self, age: float) -> tuple[float, float, float]:
        at = [stop.at for stop in self.points]
        colours = np.array([stop.colour for stop in self.points])
        return tuple(round(float(np.interp(age, at, colours[:, c])), 5) for c in range(3))  # type: ignore[return-value]

    def _bar(self) -> QRectF:
        return self.box().adjusted(0, 0, 0, -12)

    def point_near(self, at: QPointF) -> int | None:
        if not self.box().adjusted(-8, 0, 8, 6).contains(at) or at.y() < self._bar().center().y():
            return None
        away = [abs(at.x() - self.x_at(stop.at)) for stop in self.points]
        nearest = int(np.argmin(away))
        return nearest if away[nearest] <= REACH else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        self._stroke = object()
        index = self.point_near(event.position())
        if index is None and self.box().adjusted(0, 0, 0, 6).contains(event.position()):
            age = self.age_at(event.position().x())
            index = self.add_point(Stop(at=round(age, 4), colour=self.colour_at(age)), self._stroke)
        self.select(index)
        self._dragging = index is not None

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._dragging and self.selected is not None:
            self.set_point(self.selected, self._stroke, at=round(self.age_at(event.position().x()), 3))
            self.picked.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        super().mouseDoubleClickEvent(event)
        if self.selected is not None:
            self._dragging = False
            self.pick_colour(self.selected)

    def lane_actions(self, menu: QMenu) -> None:
        hot = menu.addMenu("Give it the colours of heat")
        for name, (first, last) in COOLINGS.items():
            colours = cooling(first, last)
            action = hot.addAction(_striped(colours), f"{name}, {first:g} to {last:g} K")
            action.triggered.connect(lambda _=False, colours=colours: self.take_colours(colours))
        hot.addSeparator()
        hot.addAction("from … to … kelvin").triggered.connect(self._ask_heat)

    def take_colours(self, colours: Gradient) -> None:
        self.select(None)
        self.tell(colours.stops)

    def _ask_heat(self) -> None:
        text, ok = QInputDialog.getText(
            self, "The colours of heat", "From birth to death, in kelvin", text="2400 to 1000"
        )
        numbers = [float(part) for part in re.findall(r"\d+(?:\.\d+)?", text)]
        if ok and len(numbers) == 2:
            self.take_colours(cooling(numbers[0], numbers[1]))
        elif ok:
            refuse(self, text, "expected two temperatures, as 2400 to 1000")

    def pick_colour(self, index: int) -> None:
        at = QPoint(round(self.x_at(self.points[index].at)), round(self._bar().bottom()) + 6)
        open_picker(
            self, self.points[index].colour, lambda colour, stroke: self.set_point(index, stroke, colour=colour),
            QRect(at.x() - 8, at.y() - 8, 16, 16),
        )  # fmt: skip

    def point_actions(self, menu: QMenu, index: int) -> None:
        menu.addAction("Pick its colour…").triggered.connect(lambda: self.pick_colour(index))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._still.paint(painter, (Held(self.value), self.selected, self.hasFocus()), self._paint_bar)
        if len(self.ages):
            y = self._bar().bottom() + 2
            painter.setPen(QPen(theme.GLASS, 2.6, cap=Qt.PenCapStyle.RoundCap))
            painter.drawPoints(QPolygonF([QPointF(self.x_at(age), y) for age in self.ages.tolist()]))

    def _paint_bar(self, painter: QPainter) -> None:
        self.paint_label(painter)
        bar = self._bar()
        slope = QLinearGradient(bar.topLeft(), bar.topRight())
        for age in np.linspace(0, 1, 33):
            slope.setColorAt(float(age), screen_colour(self.colour_at(float(age))))
        painter.setPen(QPen(theme.LINE, 1))
        painter.setBrush(slope)
        painter.drawRoundedRect(bar, 4, 4)
        for i, stop in enumerate(self.points):
            at = QPointF(self.x_at(stop.at), bar.bottom() + 6)
            painter.setPen(QPen(theme.EMBER if i == self.selected else theme.BONE, 1.5))
            painter.setBrush(screen_colour(stop.colour))
            painter.drawEllipse(at, 4.5, 4.5)
