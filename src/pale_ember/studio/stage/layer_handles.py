"""What of a layer and of the stage can be taken hold of: where a layer stands at a moment, and the handles on it."""

from __future__ import annotations

import math
from collections.abc import Collection
from dataclasses import dataclass

import numpy as np

from pale_ember.core.effect.edit import Path, value_at
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.shapes import SHAPES
from pale_ember.core.effect.stage import Anchor, Lamp, Prop
from pale_ember.core.simulate.beams import beam_ends, bowing
from pale_ember.core.simulate.plan import turn_matrix
from pale_ember.core.simulate.poses import PoseFrames, Poses, carrier_frames
from pale_ember.studio.stage.handles import (
    ArcHandle,
    AxisHandle,
    FreeTurnHandle,
    Handle,
    PlaceHandle,
    ScaleHandle,
    Screen,
    SpreadHandle,
    TurnHandle,
    WayHandle,
    sideways,
)


def turning_axes(layer: Layer, parent: PoseFrames) -> np.ndarray:
    """(3, 3) rows: the world's units about which the angles X, Y and Z of a layer turn it. It is turned about Z first,
    then X, then Y, so only Y turns about its parent's own axis."""
    x, y, _ = layer.turn
    stand = parent.turn[0] / np.cbrt(np.linalg.det(parent.turn[0]))
    about_y = turn_matrix((0.0, y, 0.0)).astype(float)
    about_x = turn_matrix((x, 0.0, 0.0)).astype(float)
    own = np.stack([about_y @ (1, 0, 0), (0, 1, 0), about_y @ about_x @ (0, 0, 1)])
    return own @ stand.T


def _edge(name: str, path: Path, part: int | None, middle: np.ndarray, side: np.ndarray, measure: float, factor: float = 1.0) -> Handle:
    """A handle on an outline, `measure` of the shape's own metres from its middle along `side`.

    middle, side : (3,) m, in the world.
    """
    metre = max(float(np.linalg.norm(side)), 1e-6)
    return Handle(name, path, part, middle + side * measure, side / metre, metre, factor, least=0.0)


def _of_shape(layer: Layer, middle: np.ndarray, sides: np.ndarray) -> list[Handle]:
    """Those on a shape's outline: for each number that the shape has, one or two. middle (3,), sides (3, 3) in columns :
    the shape's middle and its axes, in the world."""
    outlet = layer.outlet
    uses, listed, r = SHAPES[outlet.shape].uses, [], outlet.radius
    if "radius" in uses:
        listed += [_edge("radius", ("outlet", "radius"), None, middle, sign * sides[:, 0], r) for sign in (1.0, -1.0)]
    if "tube" in uses:
        # Above the middle of its tube, so that it lies apart from the radius.
        listed.append(_edge("tube", ("outlet", "tube"), None, middle + r * sides[:, 0], sides[:, 1], outlet.tube))
    if "extent" in uses:
        extent = outlet.extent
        listed += [_edge(f"extent {'xyz'[i]}", ("outlet", "extent"), i, middle, sides[:, i], 0.5 * extent[i], 2.0) for i in range(3)]
    if "length" in uses:
        lies = outlet.shape == "line"
        axis, measure, factor = (sides[:, 0], 0.5 * outlet.length, 2.0) if lies else (sides[:, 1], outlet.length, 1.0)
        listed.append(_edge("length", ("outlet", "length"), None, middle, axis, measure, factor))
    if "fill" in uses and r > 0 and outlet.shape in ("disc", "sphere", "hemisphere"):
        side = sides[:, 2]
        metre = max(float(np.linalg.norm(side)), 1e-6)
        at = middle + side * r * (1 - outlet.fill)
        listed.append(Handle("fill", ("outlet", "fill"), None, at, side / metre, metre, -1 / r, 0.0, 1.0))
    if "arc" in uses and r > 0:
        listed.append(_on_arc(layer, middle, sides))
    return listed


def _on_arc(layer: Layer, middle: np.ndarray, sides: np.ndarray) -> ArcHandle:
    """The one at the end of what is used of a round, a little outside it."""
    around, reach = math.radians(layer.outlet.arc), 1.12 * layer.outlet.radius
    at = middle + reach * (math.cos(around) * sides[:, 0] + math.sin(around) * sides[:, 2])
    # Its arc runs from X to Z: about what points down.
    down = -sides[:, 1] / max(float(np.linalg.norm(sides[:, 1])), 1e-6)
    return ArcHandle("arc", ("outlet", "arc"), None, at, down, centre=middle)


def _bows(layer: Layer, ends: tuple[PoseFrames, PoseFrames]) -> list[Handle]:
    """One at the tip of a beam's bow at either end."""
    beam, bows = layer.look.beam, []
    for i, (name, end) in enumerate(zip(("start", "end"), ends, strict=True)):
        way = bowing(beam, end)[0]
        bows.append(Handle(f"bow {name}", ("look", "beam", "bow"), i, end.place[0] + beam.bow[i] * way, way))
    return bows


def _of_strip(layer: Layer, place: np.ndarray, turn: np.ndarray) -> list[Handle]:
    """The end of a beam that reaches no anchor. place (3,), turn (3, 3) : the layer's own in the world."""
    if layer.look.drawn_as != "beam" or layer.look.beam.end:
        return []
    at = place + turn @ np.array(layer.look.beam.reach)
    return [PlaceHandle("end", ("look", "beam", "reach"), None, at, turn[:, 0], into=np.linalg.inv(turn))]


def _of_forces(layer: Layer, place: np.ndarray, turn: np.ndarray) -> list[Handle]:
    """Where each force is, and which way its axis points. place (3,), turn (3, 3) : the layer's own in the world."""
    listed: list[Handle] = []
    into = np.linalg.inv(turn)
    for i, force in enumerate(layer.forces.more):
        name = f"{force.kind} {i + 1}" if len(layer.forces.more) > 1 else force.kind
        path, at = ("forces", "more", i), place
        if "place" in force.__struct_fields__:
            at = place + turn @ np.array(value_at(force, ("place",)))
            listed.append(PlaceHandle(name, (*path, "place"), None, at, turn[:, 0], into=into))
        if "axis" in force.__struct_fields__:
            listed.append(_way(f"{name} axis", (*path, "axis"), value_at(force, ("axis",)), at, turn, _AXIS))
    return listed


_AXIS = 0.45
"""Metres of the layer's own by which an axis is shown."""


def _way(name: str, path: Path, told: tuple, at: np.ndarray, turn: np.ndarray, length: float) -> WayHandle:
    """The tip of an arrow of so many of the layer's own metres, from a place (3,) in the world."""
    way = np.array(told, float)
    tip = at + turn @ (way / max(float(np.linalg.norm(way)), 1e-9)) * length
    return WayHandle(name, path, None, tip, turn[:, 0], into=np.linalg.inv(turn), base=at)


def aimed(layer: Layer) -> float:
    """Metres that the cone of a layer's aim is long on the stage: longer for what goes farther."""
    return 0.35 + 0.25 * min(abs(layer.birth.speed.middle) * min(layer.birth.lifetime.middle, 2.0), 4.0)


def _of_aim(layer: Layer, place: np.ndarray, turn: np.ndarray) -> list[Handle]:
    """The tip of the way in which particles leave, and the rim of its cone, where there are such. place (3,), turn (3, 3) :
    the layer's own."""
    outlet = layer.outlet
    listed: list[Handle] = []
    if outlet.aim in ("towards point", "away from point"):
        at = place + turn @ np.array(outlet.point)
        return [PlaceHandle("point", ("outlet", "point"), None, at, turn[:, 0], into=np.linalg.inv(turn))]
    if outlet.aim in ("along axis", "along surface"):
        listed.append(_way("aim", ("outlet", "axis"), outlet.axis, place, turn, aimed(layer)))
    if outlet.aim != "along axis" or not 0 < outlet.spread.most < 90:
        return listed
    way = np.array(outlet.axis, float) / max(float(np.linalg.norm(outlet.axis)), 1e-9)
    side, angle = sideways(way), math.radians(outlet.spread.most)
    scale = float(np.cbrt(np.linalg.det(turn)))
    length = aimed(layer) * scale
    rim, tangent = way * math.cos(angle) + side * math.sin(angle), side * math.cos(angle) - way * math.sin(angle)
    axis = turn @ tangent / scale
    at = place + turn @ rim / scale * length
    return [*listed, SpreadHandle("spread", ("outlet", "spread"), None, at, axis, length=length)]


def _of_places(stand: LayerStand) -> list[Handle]:
    """Those of a layer on many places: the ring's radius, the row's step, or each place that is told."""
    # Of places that are told the first count; of none there is one to stand on, which is nobody's.
    many, turn, place = stand.layer.places, stand.frames.turn[0], stand.frames.place[0]
    if many.lie == "ring":
        return [_edge("ring radius", ("places", "radius"), None, place, turn[:, 0], many.radius)]
    if many.lie == "row":
        into = np.linalg.inv(turn)
        return [PlaceHandle("row step", ("places", "step"), None, place + turn @ many.step, turn[:, 0], into=into)]
    if many.lie == "told":
        return [
            PlaceHandle(each.name or f"place {i + 1}", ("places", "told", i, "place"), None, at, frames.turn[0][:, 0],
                        into=np.linalg.inv(frames.turn[0]))
            for i, (each, frames, at) in enumerate(zip(many.told, stand.under, stand.spots, strict=False))
        ]  # fmt: skip
    return []


@dataclass(frozen=True, slots=True)
class LayerStand:
    """A layer and where it is at a moment: its own frames, what its place is told in, and where its beams begin and end."""

    layer: Layer
    frames: PoseFrames
    parent: PoseFrames
    ends: tuple[PoseFrames, PoseFrames] | None
    under: tuple[PoseFrames, ...] = ()
    """What each of its places is told in."""
    spots: tuple[np.ndarray, ...] = ()
    """(3,) m each, where its places are in the world, if there are several."""

    @staticmethod
    def of(effect: Effect, layer: Layer, moment: float) -> LayerStand:
        """At a moment of the transport, s."""
        poses, time = Poses(effect), moment * effect.tempo
        now = np.array([time])
        ends = beam_ends(poses, layer, np.array([time])) if layer.look.drawn_as == "beam" else None
        frames, under, spots = poses.layer(layer, now), [], []
        for each in layer.places.listed() if layer.places.lie != "one" else ():
            ground = poses.ground_named(each.stands_on)
            under.append(frames if ground is None else poses.thing(ground, now))
            spots.append(under[-1].place[0] + under[-1].turn[0] @ np.array(each.place))
        return LayerStand(layer, frames, poses.parent(layer, now), ends, tuple(under), tuple(spots))

    def key(self) -> tuple[bytes, ...]:
        """Differs where the stand does."""
        every = (self.frames, self.parent, *(self.ends or ()), *self.under)
        return tuple(frames.rows().tobytes() for frames in every)


def anchors_of(layer: Layer) -> set[str]:
    """The anchors that a layer hangs on."""
    look = layer.look
    named = {"ribbon": (look.ribbon.first, look.ribbon.second), "beam": (look.beam.start, look.beam.end)}
    return {name for name in (*named.get(look.drawn_as, ()), layer.stands_on) if name}


def handles_of_stage(effect: Effect, moment: float, named: Collection[str] | None = None) -> list[PlaceHandle]:
    """Those of what stands on the stage: props, anchors, lamps; or of the anchors with these names alone. moment : of the
    transport, s."""
    poses, now = Poses(effect), np.array([moment * effect.tempo])
    carrier = carrier_frames(effect.stage.carrier, now, poses.looped(now))
    stage, found = effect.stage, []
    carried = np.linalg.inv(carrier.turn[0])

    def add(thing: Prop | Anchor | Lamp, path: Path, origin: np.ndarray, *, rides: bool) -> None:
        into = carried if rides else np.eye(3)
        found.append(PlaceHandle(thing.name, path, None, origin, np.array([1.0, 0.0, 0.0]), into=into))

    for i, prop in enumerate(stage.props if named is None else ()):
        add(prop, ("props", i, "place"), poses.thing(prop, now).place[0], rides=prop.carried)
    for i, anchor in enumerate(stage.anchors):
        if named is not None and anchor.name not in named:
            continue
        add(anchor, ("anchors", i, "place"), poses.thing(anchor, now).place[0], rides=anchor.carried)
    for i, lamp in enumerate(stage.lamps if named is None else ()):
        add(lamp, ("lamps", i, "place"), np.array(lamp.place, float), rides=False)
    return found


def handles(stand: LayerStand, screen: Screen, axes: str = "parent") -> list[Handle]:
    """All of a layer that can be taken hold of."""
    layer = stand.layer
    outlet, turn, place = layer.outlet, stand.frames.turn[0], stand.frames.place[0]
    size = 0.16 * screen.view.camera.distance
    middle = place + turn @ np.array(outlet.offset)
    sides = turn @ turn_matrix(outlet.shape_turn).astype(float) * np.array(outlet.stretch)
    outer = stand.parent.turn[0]
    outer_scale = float(np.cbrt(np.linalg.det(outer)))
    listed: list[Handle] = []
    own = turn / np.cbrt(np.linalg.det(turn))
    along = {"parent": outer / outer_scale, "own": own, "world": np.eye(3)}[axes]
    for i, letter in enumerate("xyz"):
        axis, at = along[:, i], place + along[:, i] * size
        listed.append(
            Handle(f"place {letter}", ("place",), i, at, axis, outer_scale)
            if axes == "parent"
            else AxisHandle(f"place {letter}", ("place",), None, at, axis, into=np.linalg.inv(outer))
        )
    between = (outer[:, 0] + outer[:, 1]) / (outer_scale * math.sqrt(2))
    listed.append(ScaleHandle("scale", ("scale",), None, place + between * size * 0.8, between, length=size * 0.8))
    listed += _of_shape(layer, middle, sides)
    for i, (letter, axis) in enumerate(zip("xyz", round_axes(stand, axes), strict=True)):
        name, origin = f"turn {letter}", place + sideways(axis) * 0.72 * size
        listed.append(
            TurnHandle(name, ("turn",), i, origin, axis, centre=place)
            if axes == "parent"
            else FreeTurnHandle(name, ("turn",), None, origin, axis, centre=place, outer=outer / outer_scale)
        )
    listed += _of_aim(layer, place, turn)
    listed += _of_places(stand)
    listed += _of_forces(layer, place, turn)
    listed += _of_strip(layer, place, turn)
    if stand.ends is not None:
        listed += _bows(layer, stand.ends)
    return listed


def round_axes(stand: LayerStand, axes: str) -> np.ndarray:
    """(3, 3) rows: the world's units about which the three circles turn a layer."""
    if axes == "parent":
        return turning_axes(stand.layer, stand.parent)
    turn = stand.frames.turn[0]
    return (turn / np.cbrt(np.linalg.det(turn))).T if axes == "own" else np.eye(3)
