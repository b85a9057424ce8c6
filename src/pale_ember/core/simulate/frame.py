"""The Frame: all that drawing and tracing see of a moment. Read-only arrays, safe to hand to any thread."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pale_ember.core.effect.model import Layer
from pale_ember.core.simulate.looks import appear
from pale_ember.core.simulate.motion import Table
from pale_ember.core.simulate.plan import LookPlan


@dataclass(frozen=True, slots=True, eq=False)
class LayerFrame:
    """One layer at a moment, n particles in birth order. Metres, seconds, degrees; float32 unless said.

    number : (n,) uint64. age : (n,) 0 to 1. life : (n,) s. position, velocity : (n, 3) in the world.
    size : (n, 3) full extent. angle : (n,). colour : (n, 4) linear, not premultiplied, opacity last.
    frame : (n,) place in the sheet.
    """

    layer: Layer
    number: np.ndarray
    age: np.ndarray
    life: np.ndarray
    position: np.ndarray
    velocity: np.ndarray
    size: np.ndarray
    angle: np.ndarray
    colour: np.ndarray
    frame: np.ndarray

    @property
    def count(self) -> int:
        return len(self.number)


@dataclass(frozen=True, slots=True, eq=False)
class Frame:
    """A moment of an effect. time : s of real time since the start; step : the step it stands on."""

    time: float
    step: int
    layers: tuple[LayerFrame, ...]

    @property
    def alive(self) -> int:
        return sum(layer.count for layer in self.layers)


def layer_frame(layer: Layer, plan: LookPlan, table: Table, count: int, time: float, ahead: float) -> LayerFrame:
    """What `count` particles look like at `time` + `ahead` (s of the effect)."""
    made = LayerFrame(
        layer=layer,
        number=table.number[:count].copy(),
        age=np.empty(count, np.float32),
        life=table.life[:count] / plan.numbers["tempo"][0].astype(np.float32),
        position=np.empty((count, 3), np.float32),
        velocity=np.empty((count, 3), np.float32),
        size=np.empty((count, 3), np.float32),
        angle=np.empty(count, np.float32),
        colour=np.empty((count, 4), np.float32),
        frame=np.empty(count, np.float32),
    )
    appear(
        plan.numbers, (plan.size, plan.colour, plan.brightness, plan.opacity, plan.speed), table, count, time, ahead,
        made.age, made.position, made.velocity, made.size, made.angle, made.colour, made.frame,
    )  # fmt: skip
    for array in (made.number, made.age, made.life, made.position, made.velocity, made.size, made.angle, made.colour):
        array.flags.writeable = False
    made.frame.flags.writeable = False
    return made
