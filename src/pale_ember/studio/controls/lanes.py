"""Lanes: one property over age each, on an axis they share. Curves and gradients are edited where they are drawn."""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from typing import get_args

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QPoint, QPointF, QRect, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QKeyEvent,
    QKeySequence,
    QLinearGradient,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
)
from PyQt6.QtWidgets import QMenu, QWidget

from pale_ember.core.effect.curves import mirrored
from pale_ember.core.effect.fields import Declared, fields_of
from pale_ember.core.effect.reading import plain, read
from pale_ember.core.effect.values import Curve, Gradient, Key, Stop, curve, sample_keys, with_key, with_moved
from pale_ember.studio.controls.colour import open_picker, screen_colour
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.clipboard import clipboard_text, copy_text
from pale_ember.studio.kit.popups import Menu
from pale_ember.studio.kit.still import Held, Still
from pale_ember.studio.kit.strokes import Stroke

LABEL = 84
"""Pixels for a lane's name, left of the age axis."""
MARGIN = 14
REACH = 9
"""How near the pointer must be to a key or the curve, in pixels."""

_CROWDED = 3.5
"""Pixels from one drawn key to the next at least: of more only the curve is seen."""

SHAPES: dict[str, Curve] = {
    "swell and fade": curve((0, 0), (0.25, 1), (1, 0)),
    "hold, then drop": curve((0, 1), (0.7, 1), (1, 0)),
    "pop and settle": curve((0, 0), (0.12, 1.3), (0.3, 0.9), (0.5, 1), (1, 1)),
    "ease down": curve((0, 1), (1, 0)),
    "ease up": curve((0, 0), (1, 1)),
    "flicker": curve(*((i / 12, 0.55 + 0.45 * ((i * 7) % 5) / 4) for i in range(13)), ease="straight"),
}


class Lane(QWidget):
    """What curve and gradient lanes have in common: the axis, the points, the clipboard, the keyboard."""

    edited = pyqtSignal(object, object)
    """(new value or None to remove the lane, stroke)"""
    finished = pyqtSignal()
    picked = pyqtSignal()
    """Another point is selected."""

    kind: type[Curve] | type[Gradient]
    part: str

    def __init__(self, declared: Declared, height: int) -> None:
        super().__init__()
        self.declared = declared
        self.title = declared.field.label
        self.value: Curve | Gradient = self.kind()
        self.ages = np.zeros(0, np.float32)
        self.selected: int | None = None
        self._stroke: object = None
        self._nudges = Stroke(self)
        self._nudges.ended.connect(self.finished)
        self._dragging = False
        self._pointer: QPointF | None = None
        self._still = Still(self)
        self.setMinimumHeight(height)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"{declared.field.label} over age")

    @property
    def points(self) -> tuple:
        return getattr(self.value, self.part)

    def box(self) -> QRectF:
        """Where ages run from left to right."""
        return QRectF(LABEL, 5, self.width() - LABEL - MARGIN, self.height() - 10)

    def x_at(self, age: float) -> float:
        box = self.box()
        return box.left() + age * box.width()

    def age_at(self, x: float) -> float:
        box = self.box()
        return min(max((x - box.left()) / max(box.width(), 1), 0.0), 1.0)

    def show_value(self, value: Curve | Gradient) -> None:
        if value is not self.value:
            self.value = value
            if self.selected is not None and self.selected >= len(self.points):
                self.selected = None
            self.update()

    def show_ages(self, ages: np.ndarray) -> None:
        self.ages = ages
        self.update()

    def select(self, index: int | None) -> None:
        if index != self.selected:
            self.selected = index
            self.update()
        self.picked.emit()

    def tell(self, points: tuple, stroke: object = None) -> None:
        self.value = replace(self.value, **{self.part: points})
        self.update()
        self.edited.emit(self.value, stroke)

    def set_point(self, index: int, stroke: object = None, **values: object) -> None:
        """Changes one point; its age stays between its neighbours'."""
        points = self.points
        age = values.pop("at", None)
        changed = replace(points[index], **values)
        points = (*points[:index], changed, *points[index + 1 :])
        if age is not None:
            points = with_moved(points, index, float(age))  # type: ignore[arg-type]
        self.tell(points, stroke)

    def remove_point(self, index: int) -> None:
        if len(self.points) > 1:
            self.selected = None
            self.tell((*self.points[:index], *self.points[index + 1 :]))
            self.picked.emit()

    def add_point(self, point: Key | Stop, stroke: object = None) -> int:
        points = with_key(self.points, point)
        index = next(i for i, one in enumerate(points) if one not in self.points)
        self.tell(points, stroke)
        self.select(index)
        return index

    def copy(self) -> None:
        copy_text(json.dumps({"pale-ember": self.kind.__name__.lower(), **plain(self.value)}))

    def paste(self) -> bool:
        """Takes a copied curve or gradient; says whether there was one that fits."""
        try:
            raw = json.loads(clipboard_text())
        except ValueError:
            return False
        if not isinstance(raw, dict) or raw.pop("pale-ember", "") != self.kind.__name__.lower():
            return False
        value, problems = read(self.kind, raw)
        if any(not problem.notice for problem in problems):
            return False
        self.select(None)
        self.tell(getattr(value, self.part))
        return True

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.matches(QKeySequence.StandardKey.Copy):
            self.copy()
        elif event.matches(QKeySequence.StandardKey.Paste):
            self.paste()
        elif self.selected is None:
            super().keyPressEvent(event)
        elif event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.remove_point(self.selected)
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = 0.01 if event.key() == Qt.Key.Key_Right else -0.01
            self.set_point(self.selected, self._nudges.current(), at=self.points[self.selected].at + step)
            self.picked.emit()
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        menu = Menu(self)
        index = self.point_near(QPointF(event.pos()))
        if index is not None:
            self.select(index)
            self.point_actions(menu, index)
            action = menu.addAction("Remove this point")
            action.setEnabled(len(self.points) > 1)
            action.triggered.connect(lambda: self.remove_point(index))
            menu.addSeparator()
        menu.addAction("Copy lane").triggered.connect(self.copy)
        menu.addAction("Paste lane").triggered.connect(self.paste)
        menu.addAction("Mirror in time").triggered.connect(self.mirror)
        self.lane_actions(menu)
        menu.addSeparator()
        menu.addAction("Remove lane").triggered.connect(lambda: self.edited.emit(None, None))
        menu.open_at(event.globalPos())

    def mirror(self) -> None:
        """Turns the axis round."""
        self.select(None)
        if isinstance(self.value, Curve):
            self.tell(mirrored(self.value).keys)
        else:
            self.tell(tuple(replace(point, at=round(1 - point.at, 9)) for point in reversed(self.points)))

    def point_actions(self, menu: QMenu, index: int) -> None: ...

    def lane_actions(self, menu: QMenu) -> None: ...

    def point_near(self, at: QPointF) -> int | None:
        raise NotImplementedError

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._dragging:
            self._dragging = False
            self.finished.emit()
            self.update()

    def leaveEvent(self, event: object) -> None:
        self._pointer = None
        self.update()

    def paint_label(self, painter: QPainter) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.font())
        painter.setPen(theme.BONE if self.hasFocus() else theme.ASH)
        painter.drawText(QRectF(14, 0, LABEL - 16, self.height()), Qt.AlignmentFlag.AlignVCenter, self.title)


class CurveLane(Lane):
    """A curve with its keys. Press the curve to add a key there, drag it, right-click for more."""

    kind, part = Curve, "keys"

    def __init__(self, declared: Declared, height: int = 44) -> None:
        super().__init__(declared, height)
        self._held_span: tuple[float, float] | None = None
        self._spanned: tuple[object, tuple[float, float]] = (None, (0.0, 1.0))
        """The curve that the span was last measured of, and the span."""

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
        least = self.declared.field.least
        return max(value, least) if least is not None else value

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
        index = self.point_near(at)
        if index is None and self._near_curve(at):
            age = self.age_at(at.x())
            ease = self.points[max(i for i, key in enumerate(self.points) if key.at <= age or i == 0)].ease
            index = self.add_point(Key(at=round(age, 4), value=round(self.on_curve(age), 4), ease=ease), self._stroke)
        self.select(index)
        self._dragging = index is not None

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._pointer = event.position()
        if self._dragging and self.selected is not None:
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

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self.selected is not None and event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            low, high = self.span()
            step = (high - low) / 100 * (1 if event.key() == Qt.Key.Key_Up else -1)
            value = self.points[self.selected].value + step
            least = self.declared.field.least
            value = max(value, least) if least is not None else value
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
            values |= {"arrive": round((middle - near[0]) / 1e-3, 3), "leave": round((near[1] - middle) / 1e-3, 3)}
        self.set_point(index, **values)
        self.picked.emit()

    def lane_actions(self, menu: QMenu) -> None:
        shapes = menu.addMenu("Give it a shape")
        for name, shape in SHAPES.items():
            shapes.addAction(name).triggered.connect(lambda _=False, shape=shape: self.take_shape(shape))

    def take_shape(self, shape: Curve) -> None:
        self.select(None)
        self.tell(shape.keys)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        ghost = None
        if self._pointer is not None and not self._dragging and self._near_curve(self._pointer):
            ghost = None if self.point_near(self._pointer) is not None else self._pointer.x()
        key = (Held(self.value), self.span(), self.selected, self.hasFocus(), ghost)
        self._still.paint(painter, key, lambda inner: self._paint_curve(inner, ghost))
        if len(self.ages):
            ages = self.ages.astype(float)
            painter.setPen(QPen(theme.GLASS, 3, cap=Qt.PenCapStyle.RoundCap))
            painter.drawPoints(self._polygon(ages, sample_keys(self.points, ages)))

    def _polygon(self, ages: np.ndarray, values: np.ndarray) -> QPolygonF:
        box, (low, high) = self.box(), self.span()
        xs = box.left() + ages * box.width()
        ys = box.bottom() - (values - low) / (high - low) * box.height()
        return QPolygonF([QPointF(x, y) for x, y in zip(xs.tolist(), ys.tolist(), strict=True)])

    def _paint_curve(self, painter: QPainter, ghost: float | None) -> None:
        self.paint_label(painter)
        box = self.box()
        painter.setPen(QPen(theme.LINE, 1) if self.hasFocus() else Qt.PenStyle.NoPen)
        painter.setBrush(theme.WELL)
        painter.drawRoundedRect(box.adjusted(-1, -3, 1, 3), 3, 3)
        one = self.y_at(1.0)
        painter.setPen(QPen(theme.with_alpha(theme.LINE, 0.8), 1, Qt.PenStyle.DotLine))
        painter.drawLine(QPointF(box.left(), one), QPointF(box.right(), one))
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
            if at.x() - last < _CROWDED and i != self.selected:
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
        if self.selected is not None:
            self._dragging = False
            self.pick_colour(self.selected)

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


LANES: dict[type, Callable[[Declared], Lane]] = {Curve: CurveLane, Gradient: GradientLane}
"""The editor of each kind of lane."""

NEW_LANES: dict[str, Curve | Gradient] = {
    **{name: curve((0, 1), (1, 1)) for name in ("size", "brightness", "opacity", "speed")},
    "colour": Gradient(stops=(Stop(at=0.0), Stop(at=1.0))),
}
"""What a lane begins with: flat, so that adding one changes nothing until it is shaped."""
