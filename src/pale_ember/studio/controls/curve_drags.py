"""What a drag in a curve does: each way to take hold of it is a grip, which moves with the pointer and ends."""

from __future__ import annotations

from collections.abc import Collection

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from pale_ember.core.effect.curves import fitted, shifted, stretched, with_band
from pale_ember.core.effect.values import Curve, Key, Slope
from pale_ember.studio.controls.curve_geometry import AROUND, CurveGeometry, Grip
from pale_ember.studio.controls.lane_view import caught, round_step
from pale_ember.studio.controls.lanes import REACH
from pale_ember.studio.kit import theme

_CATCHES = 4.0
"""Pixels within which a key is caught by a line of the grid, or by what is level with it."""
_BY_HAND = 0.015
"""How far a curve may be from what was drawn by hand, as a share of the lane's height."""

Held = Qt.KeyboardModifier


def moved_keys(lane: CurveGeometry, points: tuple, chosen: Collection[int], by_age: float, by_value: float) -> tuple:
    """`points` with the chosen keys moved together, as far as neighbours, the axis and nature allow."""
    moved = shifted(points, chosen, by_age)
    return tuple(replace(key, value=round(lane.limited(key.value + by_value), 4)) if i in chosen else key for i, key in enumerate(moved))


class _Drag(Grip):
    """A drag of a lane: where it began, and the keys as they were then."""

    def __init__(self, lane: CurveGeometry, at: QPointF, stroke: object = None) -> None:
        self.lane, self.began, self.stroke = lane, QPointF(at), stroke
        self.points: tuple[Key, ...] = lane.points


class MoveKeys(_Drag):
    """Moves the keys in hand. They are caught by the grid and by what is level with them, unless Alt is held; Shift keeps
    to one axis."""

    def __init__(self, lane: CurveGeometry, at: QPointF, stroke: object, index: int) -> None:
        super().__init__(lane, at, stroke)
        self.index, self.offset = index, lane.place_of(self.points[index]) - at

    def move(self, at: QPointF, held: Held) -> None:
        """Goes on to where the pointer is."""
        lane, key = self.lane, self.points[self.index]
        to = at + self.offset
        start = self.began + self.offset
        if held & Held.ShiftModifier:
            across = abs(to.x() - start.x()) >= abs(to.y() - start.y())
            to = QPointF(to.x(), start.y()) if across else QPointF(start.x(), to.y())
        age, value = lane.age_at(to.x()), lane.value_at(to.y())
        if not held & Held.AltModifier:
            age, value = self._caught(age, value)
        by_age, by_value = round(age - key.at, 4), round(value - key.value, 4)
        lane.tell(moved_keys(lane, self.points, lane.chosen, by_age, by_value), self.stroke)

    def _caught(self, age: float, value: float) -> tuple[float, float]:
        """An age and a value, caught by the lines near them."""
        lane = self.lane
        view, box = lane.seen(), lane.box()
        others = [key for i, key in enumerate(self.points) if i not in lane.chosen]
        ages, values = [0.0, 1.0], [0.0, 1.0, *(key.value for key in others)]
        if lane.large:
            step = round_step((view.end - view.begin) / 10)
            ages.append(round(age / step) * step)
            step = round_step((view.high - view.low) / 8)
            values.append(round(value / step) * step)
        reach_a = _CATCHES * (view.end - view.begin) / max(box.width(), 1)
        reach_v = _CATCHES * (view.high - view.low) / max(box.height(), 1)
        return caught(age, ages, reach_a), caught(value, values, reach_v)


class StretchDrag(_Drag):
    """Scales the keys in hand, along the axis or in value, about the other side of the box around them."""

    def __init__(self, lane: CurveGeometry, at: QPointF, stroke: object, side: str, box: QRectF) -> None:
        super().__init__(lane, at, stroke)
        self.side = side
        inner = box.adjusted(AROUND, AROUND, -AROUND, -AROUND)
        self.fixed = {"left": inner.right(), "right": inner.left(), "top": inner.bottom(), "bottom": inner.top()}[side]
        self.edge = {"left": inner.left(), "right": inner.right(), "top": inner.top(), "bottom": inner.bottom()}[side]

    def move(self, at: QPointF, held: Held) -> None:
        """Goes on to where the pointer is."""
        lane, along = self.lane, self.side in ("left", "right")
        to = at.x() if along else at.y()
        by = to - (self.began.x() if along else self.began.y())
        factor = (self.edge + by - self.fixed) / ((self.edge - self.fixed) or 1.0)
        if along:
            lane.tell(stretched(self.points, lane.chosen, lane.age_at(self.fixed), factor), self.stroke)
            return
        about = lane.value_at(self.fixed)
        lane.tell(
            tuple(
                replace(key, value=round(lane.limited(about + (key.value - about) * factor), 4)) if i in lane.chosen else key
                for i, key in enumerate(self.points)
            ),
            self.stroke,
        )


class BoxDrag(_Drag):
    """A box drawn around keys."""

    def __init__(self, lane: CurveGeometry, at: QPointF, *, more: bool) -> None:
        super().__init__(lane, at)
        self.before = set(lane.chosen) if more else set()
        self.rect = QRectF(at, at)

    def move(self, at: QPointF, held: Held) -> None:
        """Goes on to where the pointer is."""
        self.rect = QRectF(self.began, at).normalized()
        inside = {i for i, key in enumerate(self.points) if self.rect.contains(self.lane.place_of(key))}
        self.lane.choose(self.before | inside)

    def end(self) -> None:
        """Ends the drag."""
        if self.rect.width() < 3 and self.rect.height() < 3:
            self.lane.select(None)

    def paint(self, painter: QPainter) -> None:
        painter.setPen(QPen(theme.EMBER, 1, Qt.PenStyle.DashLine))
        painter.setBrush(theme.with_alpha(theme.EMBER, 0.08))
        painter.drawRect(self.rect)


class WidenAll(_Drag):
    """Makes the band of the whole lane as wide as the pointer is away from the curve."""

    def move(self, at: QPointF, held: Held) -> None:
        """Goes on to where the pointer is."""
        lane = self.lane
        band = abs(lane.value_at(at.y()) - lane.on_curve(lane.age_at(at.x())))
        lane.tell(with_band(Curve(keys=lane.points), round(band, 3)).keys, self.stroke)


class BandDrag(_Drag):
    """Makes the band at one key as wide as the pointer is away from it, but for where it was taken hold of."""

    def __init__(self, lane: CurveGeometry, at: QPointF, stroke: object, index: int) -> None:
        super().__init__(lane, at, stroke)
        self.index = index
        key = self.points[index]
        self.slack = abs(lane.value_at(at.y()) - key.value) - key.band

    def move(self, at: QPointF, held: Held) -> None:
        """Goes on to where the pointer is."""
        away = abs(self.lane.value_at(at.y()) - self.points[self.index].value)
        self.lane.set_point(self.index, self.stroke, band=round(max(away - self.slack, 0.0), 3))


class HandleLean(_Drag):
    """Moves one handle of a key; the other follows where they lie in one line, unless Alt is held."""

    def __init__(self, lane: CurveGeometry, at: QPointF, stroke: object, index: int, side: str) -> None:
        super().__init__(lane, at, stroke)
        self.index, self.side = index, side
        slope = self.points[index].slope
        self.joined = slope.before == slope.after

    def move(self, at: QPointF, held: Held) -> None:
        """Goes on to where the pointer is."""
        lane, key = self.lane, self.points[self.index]
        view, box = lane.seen(), lane.box()
        away = at - lane.place_of(key)
        across = max(away.x(), 3.0) if self.side == "after" else min(away.x(), -3.0)
        rise = -away.y() / box.height() * (view.high - view.low)
        slope = round(rise / (across / box.width() * (view.end - view.begin)), 3)
        joined = self.joined and not held & Held.AltModifier
        changed = Slope(before=slope, after=slope) if joined else replace(key.slope, **{self.side: slope})
        lane.set_point(self.index, self.stroke, slope=changed)


class FreehandDrag(_Drag):
    """Draws the curve anew by hand: where the pointer has been, nothing of what was drawn before is left."""

    def __init__(self, lane: CurveGeometry, at: QPointF, stroke: object) -> None:
        super().__init__(lane, at, stroke)
        self.drawn: dict[float, float] = {}
        self.last = 0.0
        self.missed = 0.0
        self.move(at, Held.NoModifier)

    def move(self, at: QPointF, held: Held) -> None:
        """Goes on to where the pointer is."""
        age = round(self.lane.age_at(at.x()), 4)
        if self.drawn:
            low, high = sorted((age, self.last))
            for passed in [other for other in self.drawn if low < other < high]:
                del self.drawn[passed]
        self.drawn[age], self.last = self.lane.value_at(at.y()), age

    def end(self) -> None:
        """Ends the drag."""
        if len(self.drawn) < 2:
            return
        ages = np.array(sorted(self.drawn))
        values = np.array([self.drawn[age] for age in ages.tolist()])
        # Nobody draws to the very pixel where a life begins and ends.
        ages[0], ages[-1] = ages[0] if ages[0] > 0.02 else 0.0, ages[-1] if ages[-1] < 0.98 else 1.0
        view = self.lane.seen()
        made = fitted(ages, values, _BY_HAND * (view.high - view.low))
        self.lane.tell(made.keys, self.stroke)

    def paint(self, painter: QPainter) -> None:
        drawn = np.array(sorted(self.drawn.items()))
        painter.setPen(QPen(theme.BONE, 1.4))
        painter.drawPolyline(self.lane.polygon(drawn[:, 0], drawn[:, 1]))


class PanDrag(_Drag):
    """Moves what is seen."""

    def __init__(self, lane: CurveGeometry, at: QPointF) -> None:
        super().__init__(lane, at)
        self.view = lane.seen()

    def move(self, at: QPointF, held: Held) -> None:
        """Goes on to where the pointer is."""
        box, by = self.lane.box(), at - self.began
        ages = -by.x() / max(box.width(), 1) * (self.view.end - self.view.begin)
        self.lane.show_view(self.view.panned(ages, by.y() / box.height() * (self.view.high - self.view.low)))


def _near(at: QPointF, place: QPointF) -> bool:
    return (at - place).manhattanLength() <= REACH


def _side_at(box: QRectF | None, at: QPointF) -> str | None:
    """The side of the box around several keys that a point is on."""
    if box is None or not box.adjusted(-4, -4, 4, 4).contains(at):
        return None
    away = {
        "left": abs(at.x() - box.left()),
        "right": abs(at.x() - box.right()),
        "top": abs(at.y() - box.top()),
        "bottom": abs(at.y() - box.bottom()),
    }
    side = min(away, key=lambda name: away[name])
    return side if away[side] <= 5 else None


def taken(lane: CurveGeometry, at: QPointF, held: Held, stroke: object) -> Grip | None:
    """What a press at a point takes hold of."""
    index = lane.point_near(at)
    if held & Held.ControlModifier and index is None:
        lane.select(None)
        grip: Grip = WidenAll(lane, at, stroke)
        grip.move(at, held)
        return grip
    if index is None and held & Held.ShiftModifier and lane.box().adjusted(-4, -4, 4, 4).contains(at):
        lane.select(None)
        return FreehandDrag(lane, at, stroke)
    if lane.selected is not None and index is None:
        side = next((side for side, place in lane.slope_grips().items() if _near(at, place)), None)
        if side is not None:
            return HandleLean(lane, at, stroke, lane.selected, side)
        if any(_near(at, place) for place in lane.band_grips()):
            return BandDrag(lane, at, stroke, lane.selected)
    box = lane.group_box()
    side = _side_at(box, at) if index is None else None
    if side is not None and box is not None:
        return StretchDrag(lane, at, stroke, side, box)
    if index is None and lane.near_curve(at):
        index = lane.add_point(lane.point_at(lane.age_at(at.x())), stroke)
    if index is not None:
        if held & Held.ControlModifier:
            lane.choose(lane.chosen ^ {index})
        elif index not in lane.chosen:
            lane.select(index)
        return MoveKeys(lane, at, stroke, index) if index in lane.chosen else None
    if box is not None and box.contains(at):
        return MoveKeys(lane, at, stroke, min(lane.chosen))
    return BoxDrag(lane, at, more=bool(held & Held.ControlModifier)) if lane.box().adjusted(-4, -4, 4, 4).contains(at) else None


def cursor_at(lane: CurveGeometry, at: QPointF) -> Qt.CursorShape:
    """The pointer's shape over what it would take hold of."""
    if lane.point_near(at) is not None:
        return Qt.CursorShape.SizeAllCursor
    if any(_near(at, place) for place in lane.band_grips()):
        return Qt.CursorShape.SizeVerCursor
    if any(_near(at, place) for place in lane.slope_grips().values()):
        return Qt.CursorShape.PointingHandCursor
    side = _side_at(lane.group_box(), at)
    if side is not None:
        return Qt.CursorShape.SizeHorCursor if side in ("left", "right") else Qt.CursorShape.SizeVerCursor
    return Qt.CursorShape.CrossCursor if lane.near_curve(at) else Qt.CursorShape.ArrowCursor
