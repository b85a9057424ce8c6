"""What particles can touch: the stage's surfaces as records, step by step, in the axes a layer is simulated in."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.stage import GROUND, Prop
from pale_ember.core.geometry.mesh import Mesh, wedge
from pale_ember.core.geometry.tree import NODE, tree
from pale_ember.core.simulate.poses import PoseFrames, Poses

PLANE, BALL, BLOCK, DRUM, MESHED = range(5)
_FORMS = {"plane": PLANE, "sphere": BALL, "box": BLOCK, "cylinder": DRUM, "ramp": MESHED, "mesh": MESHED}

SURFACE = np.dtype(
    [(name, np.int64) for name in ("form", "root")]
    + [("half", np.float64, (3,))]
    + [(name, np.float64, (3, 3)) for name in ("into0", "into1", "out1")]
    + [(name, np.float64, (3,)) for name in ("shift0", "shift1", "place1")]
    + [("size", np.float64), ("nx", np.float32), ("ny", np.float32), ("nz", np.float32), ("level", np.float32)]
    + [("low", np.float32, (3,)), ("high", np.float32, (3,)), ("moves", np.bool_)],
    align=True,
)
"""A surface during one step. A point x of the simulation is at `into` @ x + `shift` in its own axes, 0 at the step's
beginning and 1 at its end; `out1`, `place1` lead back at the end. `size` is the length of its metre in the simulation's.
A plane's side is n · x = level; all others lie between `low` and `high`. root : a mesh's first node."""

_NEXT = 0.03
"""Metres outside a prop's bounds at which a touch was still its own."""
_NEAR = 0.02
"""Metres added around a surface's box: for rounding, and touch radii are added as well."""


class Surfaces:
    """The surfaces one layer meets."""

    def __init__(self, effect: Effect, layer: Layer, mesh: Callable[[str], Mesh], poses: Poses) -> None:
        self.poses = poses
        self.layer = layer
        names = layer.contact.surfaces
        props = [Prop(name=GROUND, shape="plane", place=(0.0, 0.0, 0.0)), *effect.stage.props]
        self.props = [] if layer.contact.meets == "pass" else [prop for prop in props if prop.solid and (not names or prop.name in names)]
        self.local = layer.space == "local"
        carried = effect.stage.carrier.moves != "still"
        self._going = [bool(prop.keys) or (prop.carried and carried) for prop in self.props]
        """Which of them move."""
        self.moves = any(self._going) or (self.local and self.poses.moves(layer))
        nodes, triangles, self._roots, self._boxes = [np.zeros(0, NODE)], [np.zeros((0, 3, 3))], [], []
        count = faces = 0
        for prop in self.props:
            self._roots.append(count)
            half = 0.5 * np.array(prop.size)
            if prop.shape == "sphere":
                half[:] = half[0]
            elif prop.shape == "cylinder":
                half[2] = half[0]
            low, high = -half, half
            if prop.shape in ("mesh", "ramp"):
                solid = mesh(prop.mesh).corners() * prop.size if prop.shape == "mesh" else wedge(prop.size).corners()
                nodes_of = tree(solid)
                low, high = nodes_of.nodes[0]["low"], nodes_of.nodes[0]["high"]
                shifted = nodes_of.nodes.copy()
                shifted["first"] += faces
                shifted["skip"] += count
                nodes.append(shifted)
                triangles.append(nodes_of.triangles)
                count, faces = count + len(shifted), faces + len(nodes_of.triangles)
            self._boxes.append((half, low, high))
        self.nodes, self.triangles = np.concatenate(nodes), np.concatenate(triangles)
        self._still = None if self.moves else self._rows(np.zeros(1), np.zeros(1))

    def ridden(self, frames: np.ndarray, touched: np.ndarray, born: np.ndarray) -> np.ndarray:
        """Frames (n, 12) at which props were touched, carried on by those that move, from the touch to a birth.

        touched, born : (n,) effect seconds. A prop was touched where the place was within its bounds, or next to them.
        """
        moved = frames.copy()
        free = np.ones(len(frames), np.bool_)
        for prop, goes, (_, low, high) in zip(self.props, self._going, self._boxes, strict=True):
            if not goes or prop.shape == "plane":
                continue
            before = self.poses.thing(prop, touched)
            local = np.einsum("nij,nj->ni", np.linalg.inv(before.turn), frames[:, 9:] - before.place)
            near = free & ((local >= low - _NEXT) & (local <= high + _NEXT)).all(axis=1)
            if near.any():
                there = PoseFrames(frames[near, :9].reshape(-1, 3, 3), frames[near, 9:])
                back = PoseFrames(before.turn[near], before.place[near]).inverse()
                moved[near] = there.after(back).after(self.poses.thing(prop, born[near])).rows()
                free &= ~near
        return moved

    def rows(self, first: int, last: int, step_time: float) -> np.ndarray:
        """(1 or steps, s) of SURFACE for steps `first` + 1 to `last`; step_time : effect seconds."""
        if self._still is not None:
            return self._still
        marks = np.arange(first, last + 1) * step_time
        return self._rows(marks[:-1], marks[1:])

    def _seen(self, prop: Prop, times: np.ndarray) -> PoseFrames:
        """The prop's frames in the axes of the simulation."""
        frames = self.poses.thing(prop, times)
        return frames.after(self.poses.layer(self.layer, times).inverse()) if self.local else frames

    def _rows(self, begin: np.ndarray, end: np.ndarray) -> np.ndarray:
        """(n, props) SURFACE: where each prop is at the moments `begin` and `end` (n,) s of a step."""
        records = np.zeros((len(begin), len(self.props)), SURFACE)
        for j, prop in enumerate(self.props):
            rows = records[:, j]
            before, after = self._seen(prop, begin), self._seen(prop, end)
            half, low, high = self._boxes[j]
            rows["form"], rows["root"], rows["half"] = _FORMS[prop.shape], self._roots[j], half
            back0, back1 = before.inverse(), after.inverse()
            rows["into0"], rows["shift0"], rows["into1"], rows["shift1"] = (back0.turn, back0.place, back1.turn, back1.place)
            rows["out1"], rows["place1"] = after.turn, after.place
            rows["size"] = np.cbrt(np.abs(np.linalg.det(after.turn)))
            # Step by step: how many are asked for at once must not change how any of them is met.
            rows["moves"] = self.moves & (before.rows() != after.rows()).any(axis=1)
            up = after.turn[:, :, 1] / rows["size"][:, None]
            rows["nx"], rows["ny"], rows["nz"] = up.T
            rows["level"] = (up * after.place).sum(axis=1)
            corners = np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])])
            around = [np.einsum("nij,kj->nki", frames.turn, corners) + frames.place[:, None] for frames in (before, after)]
            both = np.concatenate(around, axis=1)
            rows["low"], rows["high"] = both.min(axis=1) - _NEAR, both.max(axis=1) + _NEAR
        return records
