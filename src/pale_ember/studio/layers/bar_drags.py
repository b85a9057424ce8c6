"""What a press in a row's time takes hold of: a burst, a key, an end of the active span, or the span itself."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace
from PyQt6.QtCore import QPointF

from pale_ember.core.effect.model import Layer
from pale_ember.core.effect.pose_keys import with_key_moved
from pale_ember.core.simulate.rates import active_span
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.layers.row import GRAB, NAMES, flows

_FOOT = 14
"""Pixels above a row's lower edge in which its bar is taken hold of."""


class BarDrag:
    """The bursts and the bar of one row, as they were when they were pressed at a place. Drags are one step of history."""

    def __init__(
        self, desk: Desk, layer: Layer, bottom: float, at: QPointF, x_at: Callable[[float], float], time_at: Callable[[float], float]
    ) -> None:
        """bottom : the row's lower edge, pixels. x_at, time_at : from seconds to pixels, and back."""
        self.desk, self.layer, self.bottom, self.at = desk, layer, bottom, at
        self._x_at, self._time_at = x_at, time_at
        self._stroke = object()
        self._tempo = desk.effect.tempo * layer.tempo
        self._duration = desk.effect.duration * layer.tempo
        self._start, self._span = (layer.tempo * time for time in active_span(desk.effect, layer))

    def grip(self) -> Callable[[QPointF], None] | None:
        """What a drag from the place does, or None where nothing is."""
        at = self.at
        for i, burst in enumerate(self.layer.outlet.bursts):
            if abs(at.x() - self._x_at(burst.first_at / self._tempo)) <= GRAB:
                return lambda to: self._set(("bursts", i, "first_at"), max(self._time(to), 0), "burst")
        for i, key in enumerate(self.layer.keys):
            if abs(at.x() - self._x_at(key.at / self.desk.effect.tempo)) <= GRAB and at.y() < self.bottom - _FOOT:
                return lambda to: self._move_key(i, self._time_at(to.x()) * self.desk.effect.tempo)
        if not flows(self.layer) or at.y() < self.bottom - _FOOT or at.x() < NAMES - GRAB:
            return None
        first, last = (self._x_at(time / self._tempo) for time in (self._start, self._start + self._span))
        if abs(at.x() - last) <= GRAB:
            return self._set_end
        if abs(at.x() - first) <= GRAB:
            return self._set_start
        return self._move if first < at.x() < last and self._span < self._duration else None

    def _time(self, to: QPointF) -> float:
        return self._time_at(to.x()) * self._tempo

    def _set_start(self, to: QPointF) -> None:
        end = self._start + self._span
        time = min(max(self._time(to), 0), end - 0.01)
        self._set((), replace(self.layer.outlet, start=round(time, 2), span=round(end - time, 2)), "active from")

    def _set_end(self, to: QPointF) -> None:
        time = min(max(self._time(to) - self._start, 0.01), self._duration - self._start)
        whole = time >= self._duration - self._start - 0.01
        self._set(("span",), 0.0 if whole else round(time, 2), "active for")

    def _move(self, to: QPointF) -> None:
        time = min(max(self._start + self._time(to) - self._time(self.at), 0), max(self._duration - self._span, 0))
        outlet = replace(self.layer.outlet, start=round(time, 2), span=round(self._span, 2))
        self._set((), outlet, "active span")

    def _move_key(self, index: int, time: float) -> None:
        moved = with_key_moved(self.layer, index, time)
        self.desk.document.change_layer(f"{self.layer.name}: key", self.layer.id, ("keys",), moved.keys, self._stroke)

    def _set(self, path: tuple, value: object, what: str) -> None:
        if isinstance(value, float):
            value = round(value, 3)
        layer = self.layer
        self.desk.document.change_layer(f"{layer.name}: {what}", layer.id, ("outlet", *path), value, self._stroke)
