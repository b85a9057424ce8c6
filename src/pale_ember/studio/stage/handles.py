"""What of a layer can be taken hold of on the stage: where it is, whether the pointer meets it, and what a drag makes of it."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import TypeVar

import numpy as np
from PyQt6.QtCore import QPointF

from pale_ember.core.effect.edit import Path, value_at, with_value
from pale_ember.core.effect.fields import Part
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.stage import Anchor, Lamp, Prop
from pale_ember.core.effect.trims import scaled
from pale_ember.core.effect.values import fixed
from pale_ember.core.simulate.plan import turn_matrix
from pale_ember.core.simulate.poses import Frames, Poses, carrier_frames
from pale_ember.core.simulate.ribbons import beam_ends, bowing
from pale_ember.draw.view import View

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
    world one of the field's is. factor : how much the field changes by a metre of its own. least : the least it may be.
    """

    name: str
    path: Path
    part: int | None
    origin: np.ndarray
    axis: np.ndarray
    metre: float = 1.0
    factor: float = 1.0
    least: float = -math.inf

    def hit(self, screen: Screen, pointer: QPointF) -> float | None:
        """How far the pointer is from it, in pixels, where it is within reach."""
        at = screen.point(self.origin)
        away = REACH if at is None else (at - pointer).manhattanLength()
        return away if away < REACH else None

    def dragged(self, layer: Root, screen: Screen, begin: QPointF, to: QPointF) -> Root:
        """The layer, or the stage, as the pointer, pressed at `begin`, now makes it; `layer` as it was then."""
        moved = (self._along(screen, to) - self._along(screen, begin)) / self.metre * self.factor
        return self._changed(layer, lambda value: round(max(value + moved, self.least), 3))

    def number(self, layer: Root) -> float:
        """The number it stands for; of three that are dragged at once, the first."""
        value = value_at(layer, self.path)
        return float(value if isinstance(value, (int, float)) else value[self.part or 0])

    def with_number(self, layer: Root, number: float) -> Root:
        return self._changed(layer, lambda _: max(number, self.least))

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
        return with_value(
            layer, self.path, tuple(round(part + way, 3) for part, way in zip(value, moved.tolist(), strict=True))
        )

    def _across(self, screen: Screen, at: QPointF) -> np.ndarray:
        """Where the pointer is in the plane through it that faces the eye, (3,) m in the world."""
        ray, facing = screen.ray(at), screen.view.forward
        return screen.view.eye + ray * float((self.origin - screen.view.eye) @ facing) / max(float(ray @ facing), 1e-6)


def sideways(axis: np.ndarray) -> np.ndarray:
    """(3,) a unit at right angles to one."""
    side = np.cross(axis, np.eye(3)[int(np.argmin(np.abs(axis)))])
    return side / np.linalg.norm(side)


def turning_axes(layer: Layer, parent: Frames) -> np.ndarray:
    """(3, 3) rows: the world's units about which the angles X, Y and Z of a layer turn it. It is turned about Z first,
    then X, then Y, so only Y turns about its parent's own axis."""
    x, y, _ = layer.turn
    stand = parent.turn[0] / np.cbrt(np.linalg.det(parent.turn[0]))
    about_y = turn_matrix((0.0, y, 0.0)).astype(float)
    about_x = turn_matrix((x, 0.0, 0.0)).astype(float)
    own = np.stack([about_y @ (1, 0, 0), (0, 1, 0), about_y @ about_x @ (0, 0, 1)])
    return own @ stand.T


def _edge(
    name: str, path: Path, part: int | None, middle: np.ndarray, side: np.ndarray, measure: float, factor: float = 1.0
) -> Handle:
    """A handle on an outline, `measure` of the shape's own metres from its middle along `side`.

    middle, side : (3,) m, in the world.
    """
    metre = max(float(np.linalg.norm(side)), 1e-6)
    return Handle(name, path, part, middle + side * measure, side / metre, metre, factor, least=0.0)


def _rim(layer: Layer, middle: np.ndarray, sides: np.ndarray) -> list[Handle]:
    """Two across the outline of a round."""
    path = ("outlet", "radius")
    return [_edge("radius", path, None, middle, sign * sides[:, 0], layer.outlet.radius) for sign in (1.0, -1.0)]


def _faces(layer: Layer, middle: np.ndarray, sides: np.ndarray) -> list[Handle]:
    """One on each face of a box that looks along an axis."""
    extent, path = layer.outlet.extent, ("outlet", "extent")
    return [_edge(f"extent {'xyz'[i]}", path, i, middle, sides[:, i], 0.5 * extent[i], 2.0) for i in range(3)]


OF_SHAPE: dict[str, Callable[[Layer, np.ndarray, np.ndarray], list[Handle]]] = {
    **dict.fromkeys(("disc", "sphere", "hemisphere", "cone", "cylinder", "torus"), _rim),
    "box": _faces,
}
"""The handles of each shape, from the layer, the shape's middle (3,) and its axes (3, 3) in columns, in the world."""


def _bows(layer: Layer, ends: tuple[Frames, Frames]) -> list[Handle]:
    """One at the tip of a beam's bow at either end."""
    beam, bows = layer.look.beam, []
    for i, (name, end) in enumerate(zip(("start", "end"), ends, strict=True)):
        way = bowing(beam, end)
        bows.append(Handle(f"bow {name}", ("look", "beam", "bow"), i, end.place[0] + beam.bow[i] * way, way))
    return bows


def aimed(layer: Layer) -> float:
    """Metres that the cone of a layer's aim is long on the stage: longer for what goes farther."""
    return 0.35 + 0.25 * min(abs(layer.birth.speed.middle) * min(layer.birth.lifetime.middle, 2.0), 4.0)


def _of_aim(layer: Layer, place: np.ndarray, turn: np.ndarray) -> list[Handle]:
    """One at the rim of the cone in which particles leave, where there is one. place (3,), turn (3, 3) : the layer's own."""
    outlet = layer.outlet
    if outlet.aim != "along axis" or not 0 < outlet.spread.most < 90:
        return []
    way = np.array(outlet.axis, float) / max(float(np.linalg.norm(outlet.axis)), 1e-9)
    side, angle = sideways(way), math.radians(outlet.spread.most)
    scale = float(np.cbrt(np.linalg.det(turn)))
    length = aimed(layer) * scale
    rim, tangent = way * math.cos(angle) + side * math.sin(angle), side * math.cos(angle) - way * math.sin(angle)
    axis = turn @ tangent / scale
    return [
        SpreadHandle("spread", ("outlet", "spread"), None, place + turn @ rim / scale * length, axis, length=length)
    ]


def _of_places(layer: Layer, place: np.ndarray, turn: np.ndarray) -> list[Handle]:
    """Those of a layer on many places: the ring's radius, the row's step, or each place that is told. place (3,), turn
    (3, 3) : the layer's own in the world."""
    many, into = layer.places, np.linalg.inv(turn)
    if many.lie == "ring":
        return [_edge("ring radius", ("places", "radius"), None, place, turn[:, 0], many.radius)]
    if many.lie == "row":
        return [PlaceHandle("row step", ("places", "step"), None, place + turn @ many.step, turn[:, 0], into=into)]
    if many.lie == "told":
        return [
            PlaceHandle(
                f"place {i + 1}", ("places", "told", i, "place"), None, place + turn @ each.place, turn[:, 0], into=into
            )
            for i, each in enumerate(many.told)
        ]
    return []


@dataclass(frozen=True, slots=True)
class Stand:
    """Where a layer is at a moment: its own frames, what its place is told in, and where its beams begin and end."""

    frames: Frames
    parent: Frames
    ends: tuple[Frames, Frames] | None

    @staticmethod
    def of(effect: Effect, layer: Layer, moment: float) -> Stand:
        """At a moment of the transport, s."""
        poses, time = Poses(effect), moment * effect.tempo
        now = np.array([time])
        ends = beam_ends(poses, layer, time) if layer.look.drawn_as == "beam" else None
        return Stand(poses.layer(layer, now), poses.parent(layer, now), ends)

    def key(self) -> tuple[bytes, ...]:
        """Differs where the stand does."""
        return tuple(frames.rows().tobytes() for frames in (self.frames, self.parent, *(self.ends or ())))


def handles_of_stage(effect: Effect, moment: float) -> list[PlaceHandle]:
    """Those of what stands on the stage: props, anchors, lamps. moment : of the transport, s."""
    poses, now = Poses(effect), np.array([moment * effect.tempo])
    carrier = carrier_frames(effect.stage.carrier, now, poses.looped(now))
    stage, found = effect.stage, []
    carried = np.linalg.inv(carrier.turn[0])

    def add(thing: Prop | Anchor | Lamp, path: Path, origin: np.ndarray, *, rides: bool) -> None:
        into = carried if rides else np.eye(3)
        found.append(PlaceHandle(thing.name, path, None, origin, np.array([1.0, 0.0, 0.0]), into=into))

    for i, prop in enumerate(stage.props):
        add(prop, ("props", i, "place"), poses.prop(prop, now).place[0], rides=prop.carried)
    for i, anchor in enumerate(stage.anchors):
        add(anchor, ("anchors", i, "place"), poses.anchor(anchor, now).place[0], rides=anchor.carried)
    for i, lamp in enumerate(stage.lamps):
        add(lamp, ("lamps", i, "place"), np.array(lamp.place, float), rides=False)
    return found


def handles(layer: Layer, stand: Stand, screen: Screen) -> list[Handle]:
    """All of a layer that can be taken hold of."""
    outlet, turn, place, outer = layer.outlet, stand.frames.turn[0], stand.frames.place[0], stand.parent.turn[0]
    size, outer_scale = 0.16 * screen.view.camera.distance, float(np.cbrt(np.linalg.det(outer)))
    middle = place + turn @ np.array(outlet.offset)
    sides = turn @ turn_matrix(outlet.shape_turn).astype(float) * np.array(outlet.stretch)
    listed = []
    for i, letter in enumerate("xyz"):
        axis = outer[:, i] / outer_scale
        listed.append(Handle(f"place {letter}", ("place",), i, place + axis * size, axis, outer_scale))
    between = (outer[:, 0] + outer[:, 1]) / (outer_scale * math.sqrt(2))
    listed.append(ScaleHandle("scale", ("scale",), None, place + between * size * 0.8, between, length=size * 0.8))
    listed += OF_SHAPE.get(outlet.shape, lambda *_: [])(layer, middle, sides)
    for i, (letter, axis) in enumerate(zip("xyz", turning_axes(layer, stand.parent), strict=True)):
        origin = place + sideways(axis) * 0.72 * size
        listed.append(TurnHandle(f"turn {letter}", ("turn",), i, origin, axis, centre=place))
    listed += _of_aim(layer, place, turn)
    listed += _of_places(layer, place, turn)
    into = np.linalg.inv(turn)
    listed += [
        PlaceHandle(f"{force.kind} {i + 1}" if len(layer.forces.more) > 1 else force.kind, ("forces", "more", i, "place"),
                    None, place + turn @ np.array(value_at(force, ("place",))), turn[:, 0], into=into)
        for i, force in enumerate(layer.forces.more) if "place" in force.__struct_fields__
    ]  # fmt: skip
    if stand.ends is not None:
        listed += _bows(layer, stand.ends)
    return listed
