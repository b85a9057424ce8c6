"""Handles on the stage: where one is, whether the pointer meets it, and what a drag makes of what it stands for."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import TypeVar

import numpy as np
from PyQt6.QtCore import QPointF

from pale_ember.core.effect.edit import Path, value_at, with_value
from pale_ember.core.effect.fields import Part
from pale_ember.core.effect.trims import scaled
from pale_ember.core.effect.values import fixed
from pale_ember.core.simulate.poses import angles_of, turns
from pale_ember.core.view import View

Root = TypeVar("Root", bound=Part)
"""What a handle changes: a layer, or the stage."""

REACH = 10
"""How near the pointer must be, in pixels along both axes together."""


@dataclass(frozen=True, slots=True)
class Screen:
    """The stage as it is seen: the view and its size in pixels."""

    view: View
    width: float
    height: float

    def point(self, at: np.ndarray) -> QPointF | None:
        """Where a place in the world is seen; None behind the eye. at : (3,) m."""
        x, y, depth = self.view.project(at, self.width, self.height)[0]
        return QPointF(x, y) if depth > 0.05 else None

    def ray(self, at: QPointF) -> np.ndarray:
        """(3,) the direction in the world of a place on the screen."""
        return self.view.ray(at.x(), at.y(), self.width, self.height)


@dataclass(frozen=True, slots=True)
class Handle:
    """Something to drag: a number of the layer at `path`, its `part` where it has three.

    origin : (3,) where it is, m in the world. axis : (3,) the unit along which it goes. metre : how many metres of the
    world one of the field's is. factor : how much the field changes by a metre of its own. least, most : what it may be.
    """

    name: str
    path: Path
    part: int | None
    origin: np.ndarray
    axis: np.ndarray
    metre: float = 1.0
    factor: float = 1.0
    least: float = -math.inf
    most: float = math.inf

    def hit(self, screen: Screen, pointer: QPointF) -> float | None:
        """How far the pointer is from it, in pixels, where it is within reach."""
        at = screen.point(self.origin)
        away = REACH if at is None else (at - pointer).manhattanLength()
        return away if away < REACH else None

    def dragged(self, layer: Root, screen: Screen, begin: QPointF, to: QPointF) -> Root:
        """The layer, or the stage, as the pointer, pressed at `begin`, now makes it; `layer` as it was then."""
        moved = (self._along(screen, to) - self._along(screen, begin)) / self.metre * self.factor
        return self._changed(layer, lambda value: round(min(max(value + moved, self.least), self.most), 3))

    def number(self, layer: Root) -> float:
        """The number it stands for; of three that are dragged at once, the first."""
        value = value_at(layer, self.path)
        return float(value if isinstance(value, (int, float)) else value[self.part or 0])

    def with_number(self, layer: Root, number: float) -> Root:
        return self._changed(layer, lambda _: min(max(number, self.least), self.most))

    def snapped(self, layer: Root, dragged: Root) -> Root:
        """What a drag made of a layer, brought to the nearest whole step: 15 degrees, or a tenth of a metre."""
        grid = 15.0 if self.path == ("turn",) else 0.1
        was, now = value_at(layer, self.path), value_at(dragged, self.path)

        def near(before: float, after: float) -> float:
            return round(round(after / grid) * grid, 3) if after != before else after

        if isinstance(now, (int, float)):
            return with_value(dragged, self.path, max(near(was, now), self.least))
        return with_value(dragged, self.path, tuple(near(a, b) for a, b in zip(was, now, strict=True)))

    def _changed(self, layer: Root, change: Callable[[float], float]) -> Root:
        value = value_at(layer, self.path)
        if self.part is None:
            return with_value(layer, self.path, change(value))
        parts = tuple(change(part) if i == self.part else part for i, part in enumerate(value))
        return with_value(layer, self.path, parts)

    def _along(self, screen: Screen, at: QPointF) -> float:
        """How far along the axis the pointer is: the closest point of its ray to that line."""
        ray = screen.ray(at)
        ray = ray / np.linalg.norm(ray)
        across = self.origin - screen.view.eye
        b = float(ray @ self.axis)
        return float(((ray @ across) * b - self.axis @ across) / max(1 - b * b, 1e-4))


@dataclass(frozen=True, slots=True, kw_only=True)
class TurnHandle(Handle):
    """Turns the layer about an axis through `centre`, (3,) m in the world."""

    centre: np.ndarray

    def dragged(self, layer: Root, screen: Screen, begin: QPointF, to: QPointF) -> Root:
        turned = self._around(screen, to) - self._around(screen, begin)
        return self._changed(layer, lambda angle: round((angle + turned + 180) % 360 - 180, 1))

    def _around(self, screen: Screen, at: QPointF) -> float:
        """The angle of the pointer about the axis, in degrees."""
        ray = screen.ray(at)
        slant = float(ray @ self.axis)
        if abs(slant) < 0.08 * float(np.linalg.norm(ray)):
            # Seen from its edge the circle is a line: what counts is how far along it the pointer is.
            middle = screen.view.project(self.centre, screen.width, screen.height)[0]
            return float((at.x() - middle[0]) + (middle[1] - at.y()))
        away = screen.view.eye + ray * float((self.centre - screen.view.eye) @ self.axis) / slant - self.centre
        first = sideways(self.axis)
        return math.degrees(math.atan2(away @ np.cross(self.axis, first), away @ first))


@dataclass(frozen=True, slots=True, kw_only=True)
class FreeTurnHandle(TurnHandle):
    """Turns the layer about any axis of the world. outer : (3, 3) the rotation of what its angles are told in."""

    outer: np.ndarray

    def dragged(self, layer: Root, screen: Screen, begin: QPointF, to: QPointF) -> Root:
        return self._turned(layer, self._around(screen, to) - self._around(screen, begin))

    def number(self, layer: Root) -> float:
        return 0.0

    def with_number(self, layer: Root, number: float) -> Root:
        """Turns it by so many degrees on top."""
        return self._turned(layer, number)

    def _turned(self, layer: Root, degrees: float) -> Root:
        x, y, z = self.axis
        cross = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
        angle = math.radians(degrees)
        # Rodrigues' formula, then back into what the angles are told in.
        about = np.eye(3) + math.sin(angle) * cross + (1 - math.cos(angle)) * cross @ cross
        own = turns(np.array([value_at(layer, self.path)]))[0]
        after = angles_of((self.outer.T @ about @ self.outer @ own)[None])[0]
        return with_value(layer, self.path, tuple(round(part, 2) for part in after.tolist()))


@dataclass(frozen=True, slots=True, kw_only=True)
class ArcHandle(TurnHandle):
    """Opens or closes a round. At nothing it is whole again."""

    def dragged(self, layer: Root, screen: Screen, begin: QPointF, to: QPointF) -> Root:
        turned = self._around(screen, to) - self._around(screen, begin)
        return self._changed(layer, lambda arc: round((arc + turned) % 360, 1) or 360.0)

    def snapped(self, layer: Root, dragged: Root) -> Root:
        return self._changed(dragged, lambda arc: round(arc / 15) * 15.0 or 360.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class SpreadHandle(Handle):
    """Opens or closes the cone of a layer's aim. A range keeps its proportions. length : metres from its tip."""

    length: float

    def dragged(self, layer: Root, screen: Screen, begin: QPointF, to: QPointF) -> Root:
        moved = math.degrees((self._along(screen, to) - self._along(screen, begin)) / self.length)
        return self._opened(layer, self.number(layer) + moved)

    def number(self, layer: Root) -> float:
        return float(value_at(layer, self.path).most)

    def with_number(self, layer: Root, number: float) -> Root:
        return self._opened(layer, number)

    def snapped(self, layer: Root, dragged: Root) -> Root:
        return self._opened(layer, round(self.number(dragged) / 5) * 5)

    def _opened(self, layer: Root, most: float) -> Root:
        most, spread = round(min(max(most, 0.5), 180.0), 1), value_at(layer, self.path)
        return with_value(layer, self.path, scaled(spread, most / spread.most) if spread.most > 0 else fixed(most))


@dataclass(frozen=True, slots=True, kw_only=True)
class AxisHandle(Handle):
    """Moves a place along any axis. into : (3, 3) leads from the world to what the place is told in."""

    into: np.ndarray

    def dragged(self, layer: Root, screen: Screen, begin: QPointF, to: QPointF) -> Root:
        return self._moved(layer, self._along(screen, to) - self._along(screen, begin))

    def number(self, layer: Root) -> float:
        return float(np.linalg.inv(self.into) @ np.array(value_at(layer, self.path)) @ self.axis)

    def with_number(self, layer: Root, number: float) -> Root:
        return self._moved(layer, number - self.number(layer))

    def _moved(self, layer: Root, metres: float) -> Root:
        after = np.array(value_at(layer, self.path)) + self.into @ self.axis * metres
        return with_value(layer, self.path, tuple(round(part, 3) for part in after.tolist()))


@dataclass(frozen=True, slots=True, kw_only=True)
class ScaleHandle(Handle):
    """Scales the layer: drawn away from its middle by its own length, it doubles it. length : metres of the world."""

    length: float

    def dragged(self, layer: Root, screen: Screen, begin: QPointF, to: QPointF) -> Root:
        moved = (self._along(screen, to) - self._along(screen, begin)) / self.length
        return self._changed(layer, lambda scale: round(min(max(scale * 2.0**moved, 0.001), 1000.0), 3))


@dataclass(frozen=True, slots=True, kw_only=True)
class PlaceHandle(Handle):
    """A place that is dragged across the line of sight. into : (3, 3) leads from the world to what the field is told in."""

    into: np.ndarray

    def dragged(self, layer: Root, screen: Screen, begin: QPointF, to: QPointF) -> Root:
        moved = self.into @ (self._across(screen, to) - self._across(screen, begin))
        value = value_at(layer, self.path)
        return with_value(layer, self.path, tuple(round(part + way, 3) for part, way in zip(value, moved.tolist(), strict=True)))

    def _across(self, screen: Screen, at: QPointF) -> np.ndarray:
        """Where the pointer is in the plane through it that faces the eye, (3,) m in the world."""
        ray, facing = screen.ray(at), screen.view.forward
        return screen.view.eye + ray * float((self.origin - screen.view.eye) @ facing) / max(float(ray @ facing), 1e-6)


@dataclass(frozen=True, slots=True, kw_only=True)
class WayHandle(PlaceHandle):
    """The tip of an arrow whose way the field tells. base : (3,) where it begins, m in the world."""

    base: np.ndarray

    def dragged(self, layer: Root, screen: Screen, begin: QPointF, to: QPointF) -> Root:
        tip = self.origin + self._across(screen, to) - self._across(screen, begin)
        return self._pointed(layer, self.into @ (tip - self.base))

    def number(self, layer: Root) -> float:
        """How far it points above the level, in degrees."""
        x, y, z = value_at(layer, self.path)
        return round(math.degrees(math.atan2(y, math.hypot(x, z))), 2)

    def with_number(self, layer: Root, number: float) -> Root:
        x, _, z = value_at(layer, self.path)
        level = math.hypot(x, z)
        ahead = (x / level, z / level) if level > 1e-6 else (1.0, 0.0)
        up = math.radians(number)
        return self._pointed(layer, np.array([ahead[0] * math.cos(up), math.sin(up), ahead[1] * math.cos(up)]))

    def snapped(self, layer: Root, dragged: Root) -> Root:
        """Brought to the nearest of the ways along axes, and between two or three of them."""
        way = np.array(value_at(dragged, self.path))
        ways = np.array([w for w in np.ndindex(3, 3, 3) if w != (1, 1, 1)]) - 1.0
        ways /= np.linalg.norm(ways, axis=1, keepdims=True)
        return self._pointed(layer, ways[int((ways @ way).argmax())])

    def _pointed(self, layer: Root, way: np.ndarray) -> Root:
        way = way / max(float(np.linalg.norm(way)), 1e-9)
        return with_value(layer, self.path, tuple(round(part, 4) for part in way.tolist()))


def sideways(axis: np.ndarray) -> np.ndarray:
    """(3,) a unit at right angles to one."""
    side = np.cross(axis, np.eye(3)[int(np.argmin(np.abs(axis)))])
    return side / np.linalg.norm(side)
