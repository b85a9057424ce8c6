"""A layer compiled for the kernels: plain numbers and tables, nothing to look up.

Records, because a kernel passes one on as a single pointer: as a tuple of forty values and arrays a plan cost 900 ns per
particle and step, and half a minute to compile. A range is four numbers: low, high, and where its choices stand in the
plan's `choices` and how many there are.
"""

from __future__ import annotations

import math
from collections import namedtuple
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from pale_ember.core.effect.contact import touch_of
from pale_ember.core.effect.fields import fields_of, kinds_of
from pale_ember.core.effect.forces import AnyForce, QuadraticDrag
from pale_ember.core.effect.life import Lane
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.properties import AXES, PROPERTIES
from pale_ember.core.effect.shapes import AIMS, FACES, SHAPES, faces_of
from pale_ember.core.effect.tree import fed_by
from pale_ember.core.effect.values import SAMPLES, Curve, Range
from pale_ember.core.simulate.draws import BAND, FORCE, LOOP_BITS, key_of
from pale_ember.core.simulate.particle_table import circles, columns_of, own_shares
from pale_ember.core.simulate.poses import turns
from pale_ember.core.simulate.turbulence_field import EDDY_CELLS


def codes(words: Iterable[str]) -> Any:
    """Words as names for a kernel's whole numbers, in their order: `codes(("to camera", "flat")).to_camera` is 0."""
    names = [word.replace(" ", "_").replace("-", "_") for word in words]
    return namedtuple("Codes", names)(*range(len(names)))


SHAPE, FACE, AIM, DRIVE, OVER = (codes(words) for words in (SHAPES, FACES, AIMS, PROPERTIES, AXES))
FORCE_KINDS = tuple(kinds_of(AnyForce))
PUSHES = codes(FORCE_KINDS)
PLAY = codes(PLAYS := ("over life", "by clock", "one at random", "flicker"))
REGION = codes(REGIONS := ("everywhere", "in a sphere", "in a box"))
MEETS = ("pass", "bounce", "stick", "end")
PASS, BOUNCE, STICK, END = range(4)

FACTORS = tuple(name for name, what in PROPERTIES.items() if what.aside and not what.adds)
"""What lanes multiply and a Frame tells beside its common columns."""

_RANGE = (np.float32, (4,))

BIRTH = np.dtype(
    [("key", np.uint64), ("same_mask", np.uint64)]
    + [(name, np.int64) for name in ("shape", "aim", "faces")]
    + [(name, np.float64) for name in ("radius", "tube", "half_x", "half_y", "half_z", "widening", "length", "fill",
                                       "arc", "spread_cos", "across", "wander")]
    + [(name, np.float64, (3,)) for name in ("axis", "point", "stretch", "offset")]
    + [("turn", np.float64, (3, 3)), ("even", np.bool_)]
    + [(name, *_RANGE) for name in ("life", "speed", "outward", "sideways", "spread")]
    + [("push", np.float32, (3, 4))],
    align=True,
)  # fmt: skip
"""How particles are born: metres, radians, in the layer's own axes."""

FAR = 256.0
"""Metres from the origin, for a layer's place, from which steps are rounded by chance: there a float32 keeps but 0.03 mm,
and what is lost of each step to one side would slow or turn a slow particle for good."""

MOTION = np.dtype(
    [("key", np.uint64), ("same_mask", np.uint64)]
    + [(name, np.float64) for name in ("step_time", "clock", "duration")]
    + [(name, np.int64) for name in ("limit", "meets")]
    + [(name, np.float32) for name in (
        "gx", "gy", "gz", "drag", "wind_x", "wind_y", "wind_z", "turbulence", "cells_per_metre", "detail", "drift_x",
        "drift_y", "drift_z", "bounce", "slide", "touch", "ageing", "minimum_speed", "spin", "own_x", "own_y", "own_z")]
    + [(name, np.bool_) for name in ("retires", "loops", "coasts", "far", "ages", "travels", "turns", "tracks_touches",
                                     "kin", "end_rules", "adds", "circles")],
    align=True,
)  # fmt: skip
"""What moves particles: seconds of the layer's own time, metres. `clock` turns own time into the effect's."""

LANE = np.dtype(
    [(name, np.int64) for name in ("drives", "over", "channel", "target", "row", "name", "jumps")]
    + [("low", np.float32), ("scale", np.float32), ("replaces", np.bool_), ("banded", np.bool_), ("factor", np.bool_)],
    align=True,
)
"""A lane: `row` is its table; a place on its axis is (value - low) * scale. Behind its SAMPLES a table holds `jumps`
pairs, the place and size of each. factor : whether what is told by name is a factor, as change on top of 1."""


def _parameters() -> dict[str, Any]:
    """What the kinds of forces need besides a strength, by name: numbers and vectors, as they are declared."""
    common = {*fields_of(AnyForce), "strength"}
    return {
        name: declared.default for kind in kinds_of(AnyForce).values() for name, declared in fields_of(kind).items() if name not in common
    }


_PARAMETERS = _parameters()

FORCE_RECORD = np.dtype(
    [(name, np.int64) for name in ("kind", "channel", "row", "region")]
    + [("strength", *_RANGE), ("laned", np.bool_)]
    + [(name, np.float32, (3,)) for name in ("middle", "half")]
    + [("into", np.float32, (3, 3))]
    + [(name, np.float32, (3,)) if isinstance(value, tuple) else (name, np.float64) for name, value in _PARAMETERS.items()],
    align=True,
)
"""One more force, with the parameters of its kind under their own names; axes are units. `row` is the force's place among
the layer's. `into` turns the world into the axes of its region."""


@dataclass(slots=True)
class _Choices:
    """The lists that ranges choose from, side by side."""

    values: list[float] = field(default_factory=list)

    def range(self, value: Range, factor: float = 1.0) -> tuple[float, float, float, float]:
        first = len(self.values)
        self.values += [choice * factor for choice in value.choices]
        return value.low * factor, value.high * factor, float(first), float(len(value.choices))

    def array(self) -> np.ndarray:
        """(choices,) float32; one of nothing where there are none."""
        return np.array(self.values or [0.0], np.float32)


@dataclass(frozen=True, slots=True, eq=False)
class Lanes:
    """records : (l,) of LANE. tables, bands : (l, SAMPLES) float32. colours : (l, SAMPLES, 3) float32, 1 where none."""

    records: np.ndarray
    tables: np.ndarray
    bands: np.ndarray
    colours: np.ndarray


@dataclass(frozen=True, slots=True, eq=False)
class MotionPlan:
    """What moves a layer's particles.

    numbers : (1,) of MOTION. birth : (1,) of BIRTH. choices : (c,) float32. lanes : those that move.
    forces : (f,) of FORCE_RECORD in the layer's own axes. speed_lane : (1, SAMPLES) float32, or no rows: a plain lane
    on the speed, left out of `lanes`. everyday : whether the layer has nothing that needs more than that.
    """

    numbers: np.ndarray
    birth: np.ndarray
    choices: np.ndarray
    lanes: Lanes
    forces: np.ndarray
    speed_lane: np.ndarray
    everyday: bool

    def __getattr__(self, name: str) -> Any:
        return self.numbers[name][0].item()


LOOK = np.dtype(
    [("key", np.uint64), ("same_mask", np.uint64), ("play", np.int64), ("frames", np.int64)]
    + [(name, np.float64) for name in ("fps", "tempo", "clock", "duration")]
    + [(name, *_RANGE) for name in ("size", "angle", "spin", "brightness", "opacity", "first")]
    + [("aspect", np.float32), ("scale", np.float32), ("stretch", np.float32, (3, 4)), ("own", np.float32, (3,))]
    + [
        (name, np.bool_)
        for name in ("local", "loops", "ages", "travels", "turns", "kin", "adds", "sized", "lit", "faded", "paced", "hued")
    ],
    align=True,
)
"""The numbers of a look plan: metres, degrees, linear colours."""


@dataclass(frozen=True, slots=True, eq=False)
class LookPlan:
    """What a layer's particles look like.

    numbers : (1,) of LOOK. tints : (1 or more, 3) float32. everyday : (4, SAMPLES) float32, the plain lanes on size,
    brightness, opacity and speed, and hues : (SAMPLES, 3), that on the colour, as far as there are such. lanes : the
    others that do not move, and the speed lanes; far : those over the distance to the camera.
    driven : what lanes give besides the common columns, by name; driven_seen : the same and what `far` adds.
    """

    numbers: np.ndarray
    choices: np.ndarray
    tints: np.ndarray
    everyday: np.ndarray
    hues: np.ndarray
    lanes: Lanes
    far: Lanes
    driven: tuple[str, ...]
    driven_seen: tuple[str, ...]


_DRIVES, _OVERS, _SHAPES, _FACES, _AIMS = (tuple(words) for words in (PROPERTIES, AXES, SHAPES, FACES, AIMS))

_EVERYDAY = ("size", "brightness", "opacity", "speed")


def _lanes(layer: Layer, moves: bool) -> list[Lane]:
    """The lanes of a life that move particles, or those that only show. The lanes of everyday have a quicker way, but
    with a band they need the particle's draw, with jumps a look at each, and go with the rest."""
    banded = [
        Lane(key=65000 + i, drives=name, curve=curve)
        for i, name in enumerate(_EVERYDAY)
        if (curve := getattr(layer.life, name)) is not None and (curve.banded or curve.stepped)
    ]
    return [lane for lane in (*banded, *layer.life.more) if PROPERTIES[lane.drives].moves == moves]


def _plain(curve: Curve | None) -> Curve | None:
    return None if curve is None or curve.banded or curve.stepped else curve


def lane_arrays(lanes: list[Lane], targets: dict[int, int], names: tuple[str, ...] = ()) -> Lanes:
    """Lanes as arrays for the kernels: (n,) of LANE and their tables."""
    records = np.zeros(len(lanes), LANE)
    jumps = [lane.curve.jumps() for lane in lanes]
    width = SAMPLES + 2 * max((len(steps) for steps in jumps), default=0)
    tables = np.zeros((max(len(lanes), 1), width), np.float32)
    bands = np.zeros((len(tables), SAMPLES), np.float32)
    colours = np.ones((*bands.shape, 3), np.float32)
    for i, lane in enumerate(lanes):
        low, high = (0.0, 1.0) if lane.over == "age" else (lane.low, lane.high)
        records[i] = (
            _DRIVES.index(lane.drives), _OVERS.index(lane.over), BAND + lane.key, targets.get(lane.force, -1), i,
            names.index(driven_name(lane)) if driven_name(lane) in names else -1, len(jumps[i]),
            low, 1.0 / (high - low) if abs(high - low) > 1e-9 else 1e9, lane.replaces, lane.curve.banded,
            lane.drives in FACTORS,
        )  # fmt: skip
        tables[i, :SAMPLES], bands[i] = lane.curve.table(), lane.curve.band_table()
        tables[i, SAMPLES : SAMPLES + 2 * len(jumps[i])] = np.ravel(jumps[i])
        if lane.colours is not None:
            colours[i] = lane.colours.table()
    return Lanes(records, tables, bands, colours)


def driven_name(lane: Lane) -> str:
    """Under which name a Frame tells what this lane gives, or nothing for the common columns."""
    if lane.drives == "named":
        return lane.name or f"lane {lane.key}"
    return lane.drives if PROPERTIES[lane.drives].aside else ""


def turn_matrix(turn: tuple[float, float, float]) -> np.ndarray:
    """(3, 3) float32 rotation for a turn in degrees about Z first, then X, then Y."""
    return turns(np.array([turn]))[0].astype(np.float32)


def _unit(axis: tuple[float, float, float]) -> np.ndarray:
    """(3,) float64 of length 1; up where the axis has none."""
    length = float(np.linalg.norm(axis))
    return np.array(axis) / length if length > 0 else np.array([0.0, 1.0, 0.0])


def own_loop_mask(effect: Effect) -> np.uint64:
    """Which bits of a particle's number its draws depend on: without the loop's where all loops are alike."""
    return ~LOOP_BITS if effect.loop and effect.identical else ~np.uint64(0)


def _birth_record(effect: Effect, layer: Layer, choices: _Choices) -> np.ndarray:
    """(1,) BIRTH."""
    outlet, birth = layer.outlet, layer.birth
    records = np.zeros(1, BIRTH)
    record = records[0]
    record["key"], record["same_mask"] = key_of(effect.seed, layer.id), own_loop_mask(effect)
    record["shape"], record["aim"] = _SHAPES.index(outlet.shape), _AIMS.index(outlet.aim)
    record["faces"] = _FACES.index(faces_of(outlet.shape, outlet.faces))
    record["radius"], record["tube"], record["length"], record["fill"] = (outlet.radius, outlet.tube, outlet.length, outlet.fill)
    record["half_x"], record["half_y"], record["half_z"] = 0.5 * np.array(outlet.extent)
    record["widening"], record["arc"] = math.tan(math.radians(outlet.opening)), math.radians(outlet.arc)
    record["spread_cos"], record["across"] = math.cos(math.radians(outlet.spread.middle)), outlet.across
    record["spread"] = choices.range(outlet.spread)
    record["wander"] = outlet.wander
    record["axis"], record["point"] = _unit(outlet.axis), outlet.point
    record["stretch"], record["offset"], record["turn"] = outlet.stretch, outlet.offset, turn_matrix(outlet.shape_turn)
    record["even"] = outlet.even
    record["life"], record["speed"] = choices.range(birth.lifetime), choices.range(birth.speed)
    record["outward"], record["sideways"] = choices.range(birth.outward), choices.range(birth.around)
    record["push"] = [choices.range(part) for part in (birth.push.x, birth.push.y, birth.push.z)]
    return records


def _force_record(force: AnyForce, row: int, choices: _Choices, laned: bool) -> np.ndarray:
    """(1,) FORCE_RECORD."""
    records = np.zeros(1, FORCE_RECORD)
    record = records[0]
    record["kind"], record["channel"], record["row"] = FORCE_KINDS.index(force.kind), FORCE + force.key, row
    record["strength"], record["laned"] = choices.range(force.strength), laned  # type: ignore[attr-defined]
    record["region"], record["middle"] = REGIONS.index(force.region), force.region_place
    record["half"] = 0.5 * np.array(force.region_size)
    record["into"] = np.eye(3)
    for name in fields_of(type(force)):
        if name in _PARAMETERS:
            value = getattr(force, name)
            record[name] = _unit(value) if name == "axis" else value
    return records


def motion_plan(effect: Effect, layer: Layer) -> MotionPlan:
    """What decides where a layer's particles are, compiled."""
    forces, contact = layer.forces, layer.contact
    choices = _Choices()
    on = [force for force in forces.more if force.on]
    targets = {force.key: i for i, force in enumerate(on)}
    moving, pace = _lanes(layer, moves=True), _plain(layer.life.speed)
    lanes = lane_arrays(moving, targets)
    laned = {lane.force for lane in moving if lane.drives == "force"}
    records = [_force_record(force, i, choices, force.key in laned) for i, force in enumerate(on)]
    world = layer.space == "world"
    gravity = np.array(forces.gravity) + (np.array(effect.stage.gravity) if world else 0.0)
    wind = np.array(forces.wind) + (np.array(effect.stage.wind) if world else 0.0)
    numbers = np.zeros(1, MOTION)
    columns = columns_of(layer, bool(fed_by(effect, layer)))
    birth = _birth_record(effect, layer, choices)
    drags = forces.drag > 0 or any(isinstance(force, QuadraticDrag) for force in on)
    values = dict(
        key=key_of(effect.seed, layer.id), same_mask=own_loop_mask(effect),
        step_time=effect.tempo * layer.tempo / effect.steps, clock=1.0 / layer.tempo, duration=effect.duration,
        limit=layer.outlet.limit, meets=MEETS.index(contact.meets),
        gx=gravity[0], gy=gravity[1], gz=gravity[2], drag=forces.drag, wind_x=wind[0], wind_y=wind[1], wind_z=wind[2],
        turbulence=forces.turbulence if drags else 0.0, cells_per_metre=EDDY_CELLS / forces.eddy,
        detail=forces.detail, drift_x=forces.drift[0], drift_y=forces.drift[1], drift_z=forces.drift[2],
        bounce=contact.bounce, slide=contact.slide, touch=touch_of(layer), ageing=contact.ageing,
        minimum_speed=contact.minimum_speed, retires=layer.outlet.at_limit == "retire the oldest", loops=effect.loop,
        ages="aged" in columns, travels="travelled" in columns, turns="turned" in columns,
        tracks_touches="touches" in columns, kin="kin" in columns,
        end_rules=any(rule.when == "ends" for rule in layer.offspring.rules), adds="added" in columns, circles=circles(layer),
        **dict(zip(("own_x", "own_y", "own_z"), own_shares(layer), strict=True)),
    )  # fmt: skip
    for name, value in values.items():
        numbers[name] = value
    everyday = not records and not moving and not layer.offspring.rules and columns <= {"kin"}
    quiet = not gravity.any() and forces.drag == 0 and pace is None and contact.meets == "pass"
    numbers["coasts"] = quiet and everyday
    none = np.zeros((0, SAMPLES), np.float32)
    return MotionPlan(
        numbers=numbers,
        birth=birth,
        choices=choices.array(),
        lanes=lanes,
        forces=np.concatenate(records) if records else np.zeros(0, FORCE_RECORD),
        speed_lane=none if pace is None else pace.table()[None, :],
        everyday=everyday,
    )


def look_plan(effect: Effect, layer: Layer) -> LookPlan:
    """What decides how a layer's particles appear, compiled."""
    birth, look = layer.birth, layer.look
    choices = _Choices()
    numbers = np.zeros(1, LOOK)
    record = numbers[0]
    columns = columns_of(layer, bool(fed_by(effect, layer)))
    record["key"], record["same_mask"] = key_of(effect.seed, layer.id), own_loop_mask(effect)
    record["play"], record["frames"], record["fps"] = PLAYS.index(look.play), look.columns * look.rows, look.fps
    record["tempo"], record["clock"], record["duration"] = (effect.tempo * layer.tempo, 1.0 / layer.tempo, effect.duration)
    for name in ("size", "angle", "spin", "brightness", "opacity"):
        record[name] = choices.range(getattr(birth, name))
    record["first"] = choices.range(birth.frame)
    record["aspect"], record["scale"] = birth.aspect, layer.scale
    record["stretch"] = [choices.range(part) for part in (birth.stretch.x, birth.stretch.y, birth.stretch.z)]
    record["local"], record["loops"] = layer.space == "local", effect.loop
    for name, column in (("ages", "aged"), ("travels", "travelled"), ("turns", "turned"), ("kin", "kin"), ("adds", "added")):
        record[name] = column in columns
    record["own"] = own_shares(layer)
    lanes = _lanes(layer, moves=False)
    shown = [lane for lane in lanes if not AXES[lane.over].camera]
    far = [lane for lane in lanes if AXES[lane.over].camera]
    names = tuple(dict.fromkeys(name for lane in shown if (name := driven_name(lane))))
    seen = tuple(dict.fromkeys((*names, *(name for lane in far if (name := driven_name(lane))))))
    speeds = [lane for lane in _lanes(layer, moves=True) if lane.drives == "speed"]
    everyday = [_plain(getattr(layer.life, name)) for name in _EVERYDAY]
    for flag, curve in zip(("sized", "lit", "faded", "paced"), everyday, strict=True):
        record[flag] = curve is not None
    record["hued"] = layer.life.colour is not None
    tint = birth.tint
    return LookPlan(
        numbers=numbers,
        choices=choices.array(),
        tints=tint.table()[:1] if tint.gradient is None and tint.first == tint.second else tint.table(),
        everyday=np.stack([np.ones(SAMPLES, np.float32) if record is None else record.table() for record in everyday]),
        hues=np.ones((SAMPLES, 3), np.float32) if layer.life.colour is None else layer.life.colour.table(),
        lanes=lane_arrays([*shown, *speeds], {}, names),
        far=lane_arrays(far, {}, seen),
        driven=names,
        driven_seen=seen,
    )
