"""A curve on its lane: where its keys lie, what part of it is seen, and which keys are in the hand."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPolygonF

from pale_ember.core.effect.fields import Declared
from pale_ember.core.effect.values import Curve, Key, sample_keys
from pale_ember.studio.controls.lane_view import LaneView
from pale_ember.studio.controls.lanes import REACH, LaneEdit

_UNDER = 14
"""Pixels below a large lane for what its axis is."""
ARM = 30.0
"""Pixels from a key to its handles."""
APART = 15.0
"""Pixels from a key to where its band is widened, at least."""
AROUND = 8.0
"""Pixels from the outermost of several keys to the box around them."""


class Grip:
    """A drag in a curve that goes on."""

    def move(self, at: QPointF, held: Qt.KeyboardModifier) -> None: ...

    def end(self) -> None: ...

    def paint(self, painter: QPainter) -> None: ...


class CurveGeometry(LaneEdit):
    """A lane with a curve."""

    kind, part = Curve, "keys"

    def __init__(self, declared: Declared, height: int = 44) -> None:
        super().__init__(declared, height)
        self.chosen: set[int] = set()
        """The keys that are taken hold of together."""
        self.grip: Grip | None = None
        """What a drag that goes on does."""
        self.kin: tuple[tuple[tuple[Key, ...], str], ...] = ()
        """Keys of the lanes that belong to it, seen behind it, and what each is called."""
        self.view: LaneView | None = None
        """What part is seen, where it is not all."""
        self._held_span: tuple[float, float] | None = None
        self._spanned: tuple[object, tuple[float, float]] = (None, (0.0, 1.0))
        """The curve that the span was last measured of, and the span."""
        self.least = declared.field.least
        """What its values may not go below."""

    # Where things lie ------------------------------------------------------------------------------------------

    def box(self) -> QRectF:
        """The part of the widget in which the curve lies."""
        box = super().box()
        return box.adjusted(0, 0, 0, -_UNDER) if self.large else box

    def seen(self) -> LaneView:
        """The ages and values that are seen; they hold still during a drag."""
        if self.view is not None:
            return self.view
        if self.grip is not None and self._held_span is not None:
            return LaneView(low=self._held_span[0], high=self._held_span[1])
        if self._spanned[0] is not self.value:
            low = min(0.0, *(key.value - key.band for key in self.points))
            self._spanned = self.value, (low, max(1.0, *(key.value + key.band for key in self.points)) * 1.06)
        return LaneView(low=self._spanned[1][0], high=self._spanned[1][1])

    def x_at(self, age: float) -> float:
        """Where an age lies, in pixels."""
        box, view = self.box(), self.seen()
        return box.left() + (age - view.begin) / (view.end - view.begin) * box.width()

    def age_at(self, x: float) -> float:
        """The age at a place."""
        box, view = self.box(), self.seen()
        age = view.begin + (x - box.left()) / max(box.width(), 1) * (view.end - view.begin)
        return min(max(age, 0.0), 1.0)

    def y_at(self, value: float) -> float:
        """Where a value lies, in pixels."""
        box, view = self.box(), self.seen()
        return box.bottom() - (value - view.low) / (view.high - view.low) * box.height()

    def value_at(self, y: float) -> float:
        """The value at a place."""
        box, view = self.box(), self.seen()
        return self.limited(view.low + (box.bottom() - y) / box.height() * (view.high - view.low))

    def place_of(self, key: Key) -> QPointF:
        """Where a key lies."""
        return QPointF(self.x_at(key.at), self.y_at(key.value))

    def limited(self, value: float) -> float:
        """The nearest value that nature allows."""
        return value if self.least is None else max(value, self.least)

    def on_curve(self, age: float) -> float:
        """The curve's value at an age."""
        return float(sample_keys(self.points, np.array([age]))[0])

    def point_near(self, at: QPointF) -> int | None:
        away = [(at - self.place_of(key)).manhattanLength() for key in self.points]
        nearest = int(np.argmin(away))
        return nearest if away[nearest] <= REACH * 1.3 else None

    def near_curve(self, at: QPointF) -> bool:
        """Whether a place is on the curve, as far as a hand can tell."""
        inside = self.box().adjusted(0, -5, 0, 5).contains(at)
        return inside and abs(at.y() - self.y_at(self.on_curve(self.age_at(at.x())))) <= REACH

    def show_kin(self, kin: tuple[tuple[tuple[Key, ...], str], ...]) -> None:
        """Shows lanes that belong to this one behind it."""
        if kin != self.kin:
            self.kin = kin
            self.update()

    # Choosing --------------------------------------------------------------------------------------------------

    def select(self, index: int | None) -> None:
        self.chosen = set() if index is None else {index}
        super().select(index)

    def let_go(self) -> None:
        self.chosen = set()
        super().let_go()

    def choose(self, indices: set[int]) -> None:
        """Takes several keys in hand."""
        self.chosen = indices
        super().select(min(indices) if len(indices) == 1 else None)
        self.update()

    def show_value(self, value: Curve) -> None:
        super().show_value(value)
        self.chosen = {index for index in self.chosen if index < len(self.points)}

    def set_point(self, index: int, stroke: object = None, **values: object) -> None:
        if "value" in values:
            values["value"] = self.limited(float(values["value"]))  # type: ignore[arg-type]
        super().set_point(index, stroke, **values)

    def remove_chosen(self) -> None:
        """Removes the keys in hand, but for the last of all."""
        left = tuple(key for i, key in enumerate(self.points) if i not in self.chosen)
        if self.chosen:
            self.select(None)
            self.tell(left or self.points[:1])

    def show_view(self, view: LaneView | None) -> None:
        """Shows a part of the lane, or all of it."""
        self.view = view
        self.update()

    def set_large(self, large: bool) -> None:
        self.view = None
        super().set_large(large)

    def polygon(self, ages: np.ndarray, values: np.ndarray) -> QPolygonF:
        """Points (n,) of ages and values where they are drawn."""
        box, view = self.box(), self.seen()
        xs = box.left() + (ages - view.begin) / (view.end - view.begin) * box.width()
        ys = box.bottom() - (values - view.low) / (view.high - view.low) * box.height()
        return QPolygonF([QPointF(x, y) for x, y in zip(xs.tolist(), ys.tolist(), strict=True)])

    def slope_grips(self) -> dict[str, QPointF]:
        """Where the handles of the one key in hand are: before and after it."""
        if self.selected is None or len(self.chosen) != 1 or self.points[self.selected].ease != "handles":
            return {}
        key = self.points[self.selected]
        middle, view, box = self.place_of(key), self.seen(), self.box()
        across, up = box.width() / (view.end - view.begin), box.height() / (view.high - view.low)
        places = {}
        for side, slope in ((-1, key.slope.before), (1, key.slope.after)):
            way = QPointF(across, -slope * up)
            length = math.hypot(way.x(), way.y())
            places["before" if side < 0 else "after"] = middle + way * (side * ARM / max(length, 1e-9))
        return places

    def band_grips(self) -> list[QPointF]:
        """Where the band of the one key in hand is widened: above and below it."""
        if self.selected is None or len(self.chosen) != 1:
            return []
        key = self.points[self.selected]
        x, middle = self.x_at(key.at), self.y_at(key.value)
        reach = max(middle - self.y_at(key.value + key.band), APART)
        return [QPointF(x, middle - reach), QPointF(x, middle + reach)]

    def group_box(self) -> QRectF | None:
        """The box around several keys in hand."""
        if len(self.chosen) < 2:
            return None
        places = [self.place_of(self.points[i]) for i in self.chosen]
        return QPolygonF(places).boundingRect().adjusted(-AROUND, -AROUND, AROUND, AROUND)
