"""Particles as columns."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from pale_ember.core.effect.forces import Circling
from pale_ember.core.effect.model import Layer

_GROUPS = {
    "aged": ("aged",),
    "travelled": ("travelled",),
    "turned": ("turned",),
    "touches": ("touches",),
    "held": ("held",),
    "added": ("plus_x", "plus_y", "plus_z"),
    "kin": ("kin_rule", "kin_size", "kin_red", "kin_green", "kin_blue"),
}
"""The columns of each group that only some layers need."""

_FURTHER = {name: group for group, names in _GROUPS.items() for name in names}
_KINDS: dict[str, type] = {"born": np.float64, "number": np.uint64, "touches": np.int32, "held": np.int32, "kin_rule": np.int32}


KEEP_EVERY = 12
"""Steps between kept states, to begin with: a fifth of a second."""

KEPT_BYTES = 256 * 2**20
"""Memory for the kept states of one effect, shared by its layers; beyond it every second state is let go."""


class Table(NamedTuple):
    """Particles as columns, (capacity,) each. World metres, or the layer's own for a local layer; the first `count`
    rows are alive, in birth order. Columns a layer does not need are empty.

    born : float64, s of the layer's time. life : float32, s. number : uint64. aged : float32, age on top of time's.
    travelled : float32, m. turned : float32, degrees. touches : int32, counted so far. held : int32, the surface it
    sticks to + 1. kin_rule : int32, place among the rules that feed the layer, or -1; kin_size (m), kin_red, kin_green,
    kin_blue : float32, the parent's when it bore the particle. plus_x, plus_y, plus_z : float32, m/s, what circling and lanes on
    the velocity add to its own.
    """

    px: np.ndarray
    py: np.ndarray
    pz: np.ndarray
    vx: np.ndarray
    vy: np.ndarray
    vz: np.ndarray
    born: np.ndarray
    life: np.ndarray
    number: np.ndarray
    aged: np.ndarray
    travelled: np.ndarray
    turned: np.ndarray
    touches: np.ndarray
    held: np.ndarray
    kin_rule: np.ndarray
    kin_size: np.ndarray
    kin_red: np.ndarray
    kin_green: np.ndarray
    kin_blue: np.ndarray
    plus_x: np.ndarray
    plus_y: np.ndarray
    plus_z: np.ndarray

    @classmethod
    def empty(cls, capacity: int, columns: frozenset[str] = frozenset()) -> Table:
        """A table with room for so many particles, none alive."""
        wanted = (None, *columns)
        columns_made: list[np.ndarray] = [
            np.zeros(capacity if _FURTHER.get(name) in wanted else 0, _KINDS.get(name, np.float32)) for name in cls._fields
        ]
        table = cls._make(columns_made)
        table.kin_rule[:] = -1
        return table

    @property
    def capacity(self) -> int:
        """How many particles it has room for."""
        return len(self.born)

    def copy(self, count: int, capacity: int, columns: frozenset[str]) -> Table:
        """The first `count` rows, in a table of their own with room for `capacity`.

        columns : the groups it has, told anew, because a column of no rows looks like one that is not there.
        """
        twin = Table.empty(capacity, columns)
        for fresh, column in zip(twin, self, strict=True):
            if len(fresh):
                fresh[:count] = column[:count]
        return twin

    def bytes_used(self) -> int:
        """Bytes of its columns."""
        return sum(column.nbytes for column in self)


def columns_of(layer: Layer, fed: bool) -> frozenset[str]:
    """Which further columns a layer's table needs: aged, travelled, turned, touches, held, kin, added. fed : whether rules of
    others spawn it."""
    needed = set()
    lanes, rules = layer.life.more, layer.offspring.rules
    if layer.contact.meets == "bounce" and layer.contact.ageing > 0:
        needed.add("aged")
    if any(lane.over == "distance" for lane in lanes) or any(rule.when == "by distance" for rule in rules):
        needed.add("travelled")
    if any(lane.drives == "spin" for lane in lanes):
        needed.add("turned")
    if any(rule.when == "touches" for rule in rules):
        needed.add("touches")
    if layer.contact.meets == "stick":
        needed.add("held")
    if fed:
        needed.add("kin")
    if circles(layer) or any(lane.drives in VELOCITIES for lane in lanes):
        needed.add("added")
    return frozenset(needed)


VELOCITIES = ("velocity x", "velocity y", "velocity z")
"""The lanes that add to a particle's velocity."""


def circles(layer: Layer) -> bool:
    """Whether something turns a layer's particles about an axis."""
    return any(isinstance(force, Circling) and force.on for force in layer.forces.more)


def own_shares(layer: Layer) -> tuple[float, float, float]:
    """By axis, 1 where a particle's own velocity counts, 0 where a lane takes its place."""
    replaced = {lane.drives for lane in layer.life.more if lane.drives in VELOCITIES and lane.replaces}
    return tuple(0.0 if name in replaced else 1.0 for name in VELOCITIES)  # type: ignore[return-value]
