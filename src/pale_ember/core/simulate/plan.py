"""A layer compiled for the kernels: plain numbers and tables, nothing to look up.

Two plans because two questions are asked. The `MotionPlan` decides where particles are: when it changes, the layer is
simulated again. The `LookPlan` decides how they appear: it is read only when a Frame is made.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np

from pale_ember.core.effect.chapters import Outlet
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.values import Curve
from pale_ember.core.simulate.draws import LOOP_BITS, key_of
from pale_ember.core.simulate.field import EDDY_CELLS

POINT, DISC, SPHERE, BOX, CONE = range(5)
OUTWARD, ALONG_AXIS, ANYWHERE = range(3)
PASS, BOUNCE, END = range(3)
OVER_LIFE, BY_CLOCK, AT_RANDOM = range(3)

_SHAPES = {"point": POINT, "disc": DISC, "sphere": SPHERE, "box": BOX, "cone": CONE}
_AIMS = {"outward": OUTWARD, "along axis": ALONG_AXIS, "anywhere": ANYWHERE}
_MEETS = {"pass": PASS, "bounce": BOUNCE, "end": END}
_PLAYS = {"over life": OVER_LIFE, "by clock": BY_CLOCK, "one at random": AT_RANDOM}

_NO_LANE = np.ones(1, np.float32)
_NO_COLOURS = np.ones((1, 3), np.float32)


_FLOAT32 = (
    "radius", "half_x", "half_y", "half_z", "widening", "length", "fill",
    "axis_x", "axis_y", "axis_z", "spread_cos",
    "life_low", "life_high", "speed_low", "speed_high",
    "place_x", "place_y", "place_z",
    *(f"m{row}{column}" for row in range(3) for column in range(3)),
    "gx", "gy", "gz", "drag", "wind_x", "wind_y", "wind_z",
    "turbulence", "cells_per_metre", "detail", "drift_x", "drift_y", "drift_z",
    "plane_x", "plane_y", "plane_z", "plane_d", "bounce", "slide", "touch",
)  # fmt: skip
_FLOAT64 = ("step_time", "duration", "rate", "start", "span")
_WHOLE = ("limit", "shape", "aim", "ground")
_SWITCHES = ("loop", "warm", "carried", "has_speed_lane")

MOTION = np.dtype(
    [("key", np.uint64), ("same_mask", np.uint64)]
    + [(name, np.float64) for name in _FLOAT64]
    + [(name, np.int64) for name in _WHOLE]
    + [(name, np.float32) for name in _FLOAT32]
    + [(name, np.bool_) for name in _SWITCHES],
    align=True,
)
"""The numbers of a motion plan: seconds of the effect, metres, radians. A record, because a kernel passes it on as one
pointer; as a tuple of forty values and arrays it cost 900 ns per particle and step, and half a minute to compile."""


@dataclass(frozen=True, slots=True, eq=False)
class MotionPlan:
    """What moves a layer's particles.

    numbers : (1,) of MOTION. speed_lane : (samples,) float32.
    burst_time : (b,) float64, s. burst_count, burst_code : (b,) int64.
    """

    numbers: np.ndarray
    speed_lane: np.ndarray
    burst_time: np.ndarray
    burst_count: np.ndarray
    burst_code: np.ndarray

    def same_motion(self, other: MotionPlan) -> bool:
        """Whether both plans move every particle alike."""
        return self.numbers.tobytes() == other.numbers.tobytes() and all(
            np.array_equal(getattr(self, name), getattr(other, name))
            for name in ("speed_lane", "burst_time", "burst_count", "burst_code")
        )

    def __getattr__(self, name: str) -> Any:
        return self.numbers[name][0].item()

    @property
    def peak(self) -> float:
        """The most particles that can be alive at once if the limit never refuses one."""
        waves = math.ceil(self.life_high / self.duration) + 1 if self.loop else 1
        bursts = int(self.burst_count.sum()) * waves
        return self.rate * min(self.life_high, self.span * waves) + bursts + 2 * waves

    @property
    def last_birth(self) -> float:
        """When a layer that plays once bears its last particle, in effect seconds."""
        flow = self.start + self.span if self.rate > 0 and self.span > 0 else 0.0
        return max([flow, *self.burst_time.tolist()])


LOOK = np.dtype(
    [("key", np.uint64), ("same_mask", np.uint64), ("play", np.int64), ("frames", np.int64)]
    + [(name, np.float64) for name in ("fps", "tempo")]
    + [(name, np.float32, (2,)) for name in ("size", "angle", "spin", "brightness", "opacity")]
    + [("aspect", np.float32), ("tint", np.float32, (2, 3)), ("turn", np.float32, (3, 3)), ("place", np.float32, (3,))]
    + [("local", np.bool_)],
    align=True,
)
"""The numbers of a look plan: metres, degrees, linear colours."""


@dataclass(frozen=True, slots=True, eq=False)
class LookPlan:
    """What a layer's particles look like over their age. A lane of one sample is a constant.

    numbers : (1,) of LOOK. colours : (samples, 3) float32. Other lanes : (samples,) float32.
    """

    numbers: np.ndarray
    size: np.ndarray
    colour: np.ndarray
    brightness: np.ndarray
    opacity: np.ndarray
    speed: np.ndarray


def _lane(lane: Curve | None) -> np.ndarray:
    return _NO_LANE if lane is None else lane.table()


def turn_matrix(turn: tuple[float, float, float]) -> np.ndarray:
    """(3, 3) float32 rotation for a turn in degrees about Z first, then X, then Y."""
    x, y, z = np.radians(turn)
    cx, sx, cy, sy, cz, sz = np.cos(x), np.sin(x), np.cos(y), np.sin(y), np.cos(z), np.sin(z)
    about_x = np.array([[1, 0, 0], [0, cx, -sx], [0, sx, cx]])
    about_y = np.array([[cy, 0, sy], [0, 1, 0], [-sy, 0, cy]])
    about_z = np.array([[cz, -sz, 0], [sz, cz, 0], [0, 0, 1]])
    return (about_y @ about_x @ about_z).astype(np.float32)


def active_span(effect: Effect, outlet: Outlet) -> tuple[float, float]:
    """Start and length of the time in each loop in which the rate flows, in effect seconds."""
    start = min(outlet.start, effect.duration)
    to_end = effect.duration - start
    return start, min(outlet.span, to_end) if outlet.span > 0 else to_end


def motion_plan(effect: Effect, layer: Layer) -> MotionPlan:
    outlet, birth, forces, contact = layer.outlet, layer.birth, layer.forces, layer.contact
    start, span = active_span(effect, outlet)
    bursts = sorted(outlet.bursts, key=lambda burst: (burst.time, burst.key))
    bursts = [burst for burst in bursts if burst.time < effect.duration or (not effect.loop)]
    axis = np.array(outlet.axis)
    norm = np.linalg.norm(axis)
    turn, place = turn_matrix(layer.turn), np.array(layer.place)
    plane = np.array([0.0, 1.0, 0.0, 0.0])
    if layer.space == "local":
        plane = np.array([*(turn.T @ plane[:3]), -place[1]])
        turn, place = np.eye(3), np.zeros(3)
    same = effect.loop and effect.same
    half = 0.5 * np.array(outlet.extent)
    axis = axis / norm if norm > 0 else np.array([0.0, 1.0, 0.0])
    numbers = np.zeros(1, MOTION)
    values = dict(
        key=key_of(effect.seed, layer.id),
        same_mask=~LOOP_BITS if same else ~np.uint64(0),
        step_time=effect.tempo / effect.steps,
        duration=effect.duration,
        rate=outlet.rate,
        start=start,
        span=span,
        limit=outlet.limit,
        shape=_SHAPES[outlet.shape],
        aim=_AIMS[outlet.aim],
        ground=_MEETS[contact.ground],
        radius=outlet.radius,
        widening=math.tan(math.radians(outlet.opening)),
        length=outlet.length,
        fill=outlet.fill,
        spread_cos=math.cos(math.radians(outlet.spread)),
        life_low=birth.lifetime.low,
        life_high=birth.lifetime.high,
        speed_low=birth.speed.low,
        speed_high=birth.speed.high,
        drag=forces.drag,
        turbulence=forces.turbulence if forces.drag > 0 else 0.0,
        cells_per_metre=EDDY_CELLS / forces.eddy,
        detail=forces.detail,
        bounce=contact.bounce,
        slide=contact.slide,
        touch=contact.radius,
        loop=effect.loop,
        warm=effect.loop and effect.warm,
        carried=not same,
        has_speed_lane=layer.life.speed is not None,
        plane_d=plane[3],
    )
    values |= {f"m{row}{column}": turn[row, column] for row in range(3) for column in range(3)}
    triples = (("half_", half), ("axis_", axis), ("place_", place), ("g", forces.gravity), ("wind_", forces.wind))
    for stem, triple in (*triples, ("drift_", forces.drift), ("plane_", plane[:3])):
        values |= {stem + letter: triple[i] for i, letter in enumerate("xyz")}
    for name, value in values.items():
        numbers[name] = value
    return MotionPlan(
        numbers=numbers,
        speed_lane=_lane(layer.life.speed),
        burst_time=np.array([burst.time for burst in bursts], np.float64),
        burst_count=np.array([burst.count for burst in bursts], np.int64),
        burst_code=np.array([burst.key + 1 for burst in bursts], np.int64),
    )


def look_plan(effect: Effect, layer: Layer) -> LookPlan:
    birth, life, look = layer.birth, layer.life, layer.look
    numbers = np.zeros(1, LOOK)
    one = numbers[0]
    one["key"] = key_of(effect.seed, layer.id)
    one["same_mask"] = ~LOOP_BITS if effect.loop and effect.same else ~np.uint64(0)
    one["play"], one["frames"], one["fps"] = _PLAYS[look.play], look.columns * look.rows, look.fps
    one["tempo"], one["aspect"] = effect.tempo, birth.aspect
    for name in ("size", "angle", "spin", "brightness", "opacity"):
        drawn = getattr(birth, name)
        one[name] = drawn.low, drawn.high
    one["tint"] = birth.tint.first, birth.tint.second
    one["turn"], one["place"], one["local"] = turn_matrix(layer.turn), layer.place, layer.space == "local"
    return LookPlan(
        numbers=numbers,
        size=_lane(life.size),
        colour=_NO_COLOURS if life.colour is None else life.colour.table(),
        brightness=_lane(life.brightness),
        opacity=_lane(life.opacity),
        speed=_lane(life.speed),
    )
