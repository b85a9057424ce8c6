"""The Frame: all that drawing and tracing see of a moment. Read-only arrays, safe to hand to any thread."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.simulate.draws import STREAK, drawn_of, draws
from pale_ember.core.simulate.look_kernel import appear, seen_at
from pale_ember.core.simulate.particle_table import Table
from pale_ember.core.simulate.plan import LookPlan
from pale_ember.core.simulate.two_threads import TwoThreads

HERE = np.concatenate([np.eye(3).ravel(), np.zeros(3)])
"""The pose of a layer that stands in the world: its axes and its origin."""

NO_SHARES = np.zeros((1, 2), np.float32)
"""What a layer without parents inherits."""


@dataclass(frozen=True, slots=True, eq=False)
class Strips:
    """Bands side by side in one array, p points in all. Float32 unless said.

    first : (k + 1,) int64, where each strip begins, and the end. point : (p, 3) m, the centreline, head first.
    width : (p,) m. across : (p, 3) units along which it is wide, or 0 where it faces the camera. colour : (p, 4)
    linear, opacity last. along : (p,) texture coordinate, 0 at the head. owner : (k,) int64, the particle's row or -1.
    """

    first: np.ndarray
    point: np.ndarray
    width: np.ndarray
    across: np.ndarray
    colour: np.ndarray
    along: np.ndarray
    owner: np.ndarray

    @property
    def count(self) -> int:
        """How many strips there are."""
        return len(self.first) - 1


@dataclass(frozen=True, slots=True, eq=False)
class LayerFrame:
    """One layer at a moment, n particles in birth order. Metres, seconds, degrees; float32 unless said.

    number : (n,) uint64. age : (n,) 0 to 1. life : (n,) s. position, velocity : (n, 3) in the world.
    size : (n, 3) full extent. angle : (n,). colour : (n, 4) linear, not premultiplied, opacity last.
    frame : (n,) place in the sheet. driven : (n,) each, what further lanes give, by name: factors (`plan.FACTORS`) as
    change on top of 1, the rest as they are. travelled : (n,) m, where a lane or a rule asks for it, else (0,).
    strips : those of a layer drawn as ribbons or beams. trail : those behind the particles of one drawn otherwise.
    stand : (3, 3) float64, the layer's own axes in the world.
    plan : what it was made by.
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
    driven: dict[str, np.ndarray] = field(default_factory=dict)
    travelled: np.ndarray = field(default_factory=lambda: np.zeros(0, np.float32))
    strips: Strips | None = None
    trail: Strips | None = None
    stand: np.ndarray = field(default_factory=lambda: np.eye(3))
    own: Layer | None = None
    """The layer as it draws its numbers, where it is on one place of several."""
    copy: int = 0
    """Which of its places it is on."""
    plan: LookPlan | None = None

    @property
    def count(self) -> int:
        """How many particles there are."""
        return len(self.number)

    @property
    def key(self) -> tuple[str, int]:
        """Tells it from all others of a Frame: the layer's id, and which of its places it is on."""
        return self.layer.id, self.copy

    def streaks(self) -> np.ndarray:
        """(1 or n,) float64, s: how long a shutter is open for each particle."""
        streak, plan = self.layer.look.streak, self.plan
        if streak.fixed or plan is None:
            return np.full(1, streak.middle)
        own = self.number & plan.numbers["same_mask"][0]
        return drawn_of(streak, draws(plan.numbers["key"][0], own, STREAK))

    def seen_from(self, eye: np.ndarray) -> LayerFrame:
        """This layer with its lanes over the distance to the camera, `eye` (3,) m, applied."""
        plan = self.plan
        if plan is None or not len(plan.far.records) or not self.count:
            return self
        size, angle, colour, frame = self.size.copy(), self.angle.copy(), self.colour.copy(), self.frame.copy()
        driven = np.zeros((len(plan.driven_seen), self.count), np.float32)
        for k, name in enumerate(plan.driven):
            driven[k] = self.driven[name]
        far = plan.far
        seen_at(
            plan.numbers, far.records, far.tables, far.bands, far.colours, np.asarray(eye, np.float32), self.number,
            self.position, size, angle, colour, frame, driven,
        )  # fmt: skip
        told = {name: driven[k] for k, name in enumerate(plan.driven_seen)}
        return replace(self, size=size, colour=colour, angle=angle, frame=frame, driven=told)


@dataclass(frozen=True, slots=True, eq=False)
class Frame:
    """A moment of an effect. time : s of real time since the start; step : the step it stands on."""

    effect: Effect
    time: float
    step: int
    layers: tuple[LayerFrame, ...]

    @property
    def alive(self) -> int:
        """How many particles of all layers there are."""
        return sum(layer.count for layer in self.layers)


def layer_frame(
    layer: Layer, plan: LookPlan, table: Table, count: int, time: float, ahead: float,
    pose: np.ndarray = HERE, shares: np.ndarray | None = None, pair: TwoThreads | None = None,
) -> LayerFrame:  # fmt: skip
    """What `count` particles look like at `time` + `ahead` (s of the layer).

    pose : (12,) axes and origin of a local layer. shares : (rules, 2) of size and colour passed on by parents.
    """
    shown = LayerFrame(
        layer=layer,
        number=np.empty(count, np.uint64),
        age=np.empty(count, np.float32),
        life=np.empty(count, np.float32),
        position=np.empty((count, 3), np.float32),
        velocity=np.empty((count, 3), np.float32),
        size=np.empty((count, 3), np.float32),
        angle=np.empty(count, np.float32),
        colour=np.empty((count, 4), np.float32),
        frame=np.empty(count, np.float32),
        travelled=table.travelled[:count].copy(),
        plan=plan,
    )
    shares = NO_SHARES if shares is None else shares
    told: dict[int, np.ndarray] = {}

    def show(first: int, last: int) -> None:
        driven = np.empty((len(plan.driven), last - first), np.float32)
        told[first] = driven
        rows = slice(first, last)
        lanes = plan.lanes
        shown.number[rows] = table.number[rows]
        np.divide(table.life[rows], plan.numbers["tempo"][0].astype(np.float32), out=shown.life[rows])
        appear(
            plan.numbers, plan.choices, plan.tints, plan.everyday, plan.hues, lanes.records, lanes.tables, lanes.bands,
            lanes.colours, pose, shares, Table._make(column[rows] for column in table), last - first, np.array([time]), ahead,
            shown.age[rows], shown.position[rows], shown.velocity[rows], shown.size[rows], shown.angle[rows], shown.colour[rows],
            shown.frame[rows], driven,
        )  # fmt: skip

    if pair is not None and count >= pair.worth:
        pair.run(lambda: show(0, count // 2), lambda: show(count // 2, count))
    else:
        show(0, count)
    driven = np.concatenate([told[first] for first in sorted(told)], axis=1)
    shown = replace(shown, driven={name: driven[k] for k, name in enumerate(plan.driven)})
    for array in (shown.number, shown.age, shown.life, shown.position, shown.velocity, shown.size, shown.angle, shown.colour):
        array.flags.writeable = False
    shown.frame.flags.writeable = driven.flags.writeable = False
    return shown


def look_of_events(plan: LookPlan, events: np.ndarray, shares: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """How large (n,) m and of what colour (n, 3) particles were when something happened to them; `shares` as above."""
    n = len(events)
    names = {name: name for name in Table._fields if name in (events.dtype.names or ())}
    blank = {"touches": np.zeros(0, np.int32), "held": np.zeros(0, np.int32)}
    columns = {name: np.ascontiguousarray(events[name]) for name in names}
    # An event tells the whole velocity: all of it stands where what is added does, where that has a place.
    for axis in "xyz":
        whole = columns[f"v{axis}"]
        columns[f"plus_{axis}"] = whole if plan.numbers["adds"][0] else np.zeros(0, np.float32)
        columns[f"v{axis}"] = np.zeros_like(whole) if plan.numbers["adds"][0] else whole
    columns["kin_rule"] = columns["kin_rule"].astype(np.int32)
    table = Table(**(columns | blank))
    size, colour = np.empty((n, 3), np.float32), np.empty((n, 4), np.float32)
    spare = np.empty(n, np.float32)
    appear(
        plan.numbers, plan.choices, plan.tints, plan.everyday, plan.hues, plan.lanes.records, plan.lanes.tables, plan.lanes.bands,
        plan.lanes.colours, HERE, shares, table, n, np.ascontiguousarray(events["time"]), 0.0,
        spare, np.empty((n, 3), np.float32), np.empty((n, 3), np.float32), size, spare.copy(), colour, spare.copy(),
        np.empty((len(plan.driven), n), np.float32),
    )  # fmt: skip
    return size[:, 0], colour[:, :3]
