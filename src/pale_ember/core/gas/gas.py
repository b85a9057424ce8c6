"""A gas in a box, two metres wide: smoke, heat and fuel that are carried by the air, and move it."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from pale_ember.core.effect.recipe.sources import Gas
from pale_ember.core.gas import kernels
from pale_ember.core.gas.projection import Projection, Walls
from pale_ember.core.simulate.turbulence_field import CELLS, EDDY_CELLS, eddies
from pale_ember.core.texture.noise import NoiseField
from pale_ember.core.worker_pool import in_parts

WIDE = 2.0
"""Metres of the box."""
LONGEST = 1 / 24
"""Seconds of a step at most."""
_FARTHEST = 6.0
"""Cells that anything goes in a step at most: with more, whirls are smeared."""
_WARMTH = 1.0
"""Heat of a share of fuel that burns."""
_GROWS = 0.5
"""How much of a cell's room a share of burnt fuel takes in."""
_ALIVE = 0.12
"""Of how fast whirls turn, what each unit of curls gives them back in a second."""
_RISES = 0.35
"""How fast a source's unevenness climbs, m/s."""
_ROUNDS = 2
"""Times that the air is kept out of a ball, and from being squeezed, in turn."""


class Fluid:
    """A gas as it is at a moment. The same gas and moment are the same bits.

    fields : (n, n, n, 3) float32 smoke, heat and fuel. flow : (n, n, n, 3) m/s at the middles of cells. Axes are rightward, upward
    and towards the eye.
    """

    def __init__(self, gas: Gas, walls: Walls | None = None) -> None:
        self.gas, self.count = gas, gas.grid
        self.cell = WIDE / gas.grid
        self.time = 0.0
        n = self.count
        self.fields = np.zeros((n, n, n, 3), np.float32)
        self.u = np.full((n + 1, n, n), gas.wind[0] / self.cell, np.float32)
        self.v = np.full((n, n + 1, n), gas.wind[1] / self.cell, np.float32)
        self.w = np.zeros((n, n, n + 1), np.float32)
        self.project = Projection((n, n, n), walls or Walls(floor=gas.floor))
        self._flow = np.zeros((n, n, n, 3), np.float32)
        self._there, self._next = (np.zeros((n, n, n, 3), np.float32) for _ in range(2))
        self._push, self._curl = np.zeros((n, n, n, 3), np.float32), np.zeros((n, n, n, 4), np.float32)
        self._faces_there = np.empty((n + 1, n, n), np.float32)
        self._faces_next = [np.empty_like(faces) for faces in (self.u, self.v, self.w)]
        self._ones = np.ones(n**3, np.float32)
        self._swells = np.zeros((n, n, n), np.float32)
        self._blocks = np.zeros((-(-n // kernels.BLOCK),) * 3, np.uint8)
        line = ((np.arange(n) + 0.5) * self.cell - WIDE / 2).astype(np.float32)
        self._x, self._y, self._z = line[:, None, None], line[None, :, None], line[None, None, :]
        self.retell(gas)
        self._measure()

    def retell(self, gas: Gas) -> None:
        """Goes on with other numbers from here; the grid and the floor stay."""
        self.gas = gas
        self._source_place = self._away(gas.source_at, gas.source_size, gas.source_flat)
        self._source_box = _box_of(self._source_place < 1)
        self._ball = self._solid() if gas.pillar > 0 else None

    def _away(self, middle: tuple[float, float], radius: float, flat: float) -> np.ndarray:
        """(n, n, n) how far cells are from a middle, in radii."""
        return np.sqrt(
            ((self._x - middle[0]) / radius) ** 2 + ((self._y - middle[1]) / (radius * flat)) ** 2 + (self._z / radius) ** 2
        ).astype(np.float32)

    def _solid(self) -> np.ndarray:
        return self._away(self.gas.pillar_at, self.gas.pillar, 1.0) < 1.0

    @property
    def flow(self) -> np.ndarray:
        """(n, n, n, 3) float32, m/s."""
        return self._flow * np.float32(self.cell)

    def longest(self) -> float:
        """Seconds that a step may be: what is fastest goes no farther than a few cells."""
        fastest = float(np.abs(self._flow).max(initial=0.0))
        return min(LONGEST, _FARTHEST / max(fastest, 1e-6))

    def run(self, seconds: float, wanted: Callable[[], bool] = lambda: True) -> bool:
        """Goes on by so much, in steps of even length; says whether it was wanted to its end."""
        end = self.time + seconds
        while self.time < end - 1e-9:
            if not wanted():
                return False
            left = end - self.time
            self.step(left / np.ceil(left / self.longest() - 1e-9))
        self.time = end
        return True

    def step(self, dt: float) -> None:
        """Goes one step on, s: all is carried by the air as it was kept whole last, then pushed, then kept whole again."""
        step, blocks = np.float32(dt), self._lively(dt)
        self._carry_fields(step, blocks)
        self._carry_faces(step, blocks)
        self._give_and_burn(dt)
        self._stir(dt, blocks)
        self._kept_whole(self._swells if self.gas.blast != 0 or self.gas.fuel > 0 else None)
        self._measure()
        self.time += dt
        if self._ball is not None:
            self.fields[self._ball] = 0

    # One step ------------------------------------------------------------------------------------------------------

    def source(self) -> np.ndarray:
        """(n, n, n) float32 how much of the source each cell is now, 0 to 1."""
        gas = self.gas
        if self.time >= gas.lasts:
            return np.zeros_like(self._source_place)
        whole = np.zeros_like(self._source_place)
        body = np.clip((1.0 - self._source_place[self._source_box]) / 0.4, 0, 1)
        if gas.ragged > 0:
            near = body > 0
            i, j, k = (index + part.start for index, part in zip(np.nonzero(near), self._source_box, strict=True))
            size = max(gas.source_size, 0.05)
            line = self._x.ravel()
            # The same unevenness on either side would make every picture its own mirror.
            x, y, z = (line[i] / size * 2 + 11, (line[j] - _RISES * 4 * self.time) / size * 2 + 5, line[k] / size * 2 + 17)
            told = NoiseField(gas.seed).layered(x, y, z, 2)
            body[near] *= np.clip(1 - gas.ragged + gas.ragged * (0.5 + 1.1 * told) * 1.3, 0, 1.6)
        if gas.pulse > 0:
            wave = 0.5 + 0.5 * np.cos(2 * np.pi * gas.pulse * self.time)
            body *= 1 - gas.pulse_depth * (1 - wave)
        whole[self._source_box] = body
        return whole

    def _give_and_burn(self, dt: float) -> None:
        gas, source = self.gas, self.source()
        numbers = np.array([
            gas.smoke * dt, gas.fuel * dt, gas.heat, 1 - np.exp(-gas.burns * dt), np.expm1(gas.cools * dt),
            np.exp(-gas.clears * dt), gas.soot, _WARMTH, gas.blast, _GROWS / dt,
        ], np.float32)  # fmt: skip
        in_parts_of(self.count, lambda low, high: kernels.burn(self.fields, source, numbers, self._swells, low, high))
        if gas.push != 0:
            wide, up, deep = self._source_box
            share = np.clip(source[self._source_box], 0, 1) * np.float32(0.5 * (1 - np.exp(-12 * dt)))
            faces = np.zeros((share.shape[0], share.shape[1] + 1, share.shape[2]), np.float32)
            faces[:, :-1] += share
            faces[:, 1:] += share
            at = self.v[wide, up.start : up.stop + 1, deep]
            at += faces * (np.float32(gas.push / self.cell) - at)

    def _stir(self, dt: float, blocks: np.ndarray) -> None:
        gas, cell = self.gas, self.cell
        if gas.curl > 0:
            in_parts_of(self.count, lambda low, high: kernels.curls(self._flow, blocks, self._curl, low, high))
        fine = EDDY_CELLS / max(gas.gust_size, 1e-3) * cell
        numbers = np.array(
            [gas.lift * dt / cell, gas.weight * dt / cell, _ALIVE * gas.curl * dt, gas.gusts * dt / cell, fine], np.float32
        )
        rng = np.random.default_rng(gas.seed)
        offset = (rng.uniform(0, CELLS, 3) + self.time * EDDY_CELLS * np.array([0.11, -0.9, 0.23])).astype(np.float32)
        field = eddies()
        in_parts_of(
            self.count, lambda low, high: kernels.pushes(self.fields, self._curl, blocks, field, numbers, offset, self._push, low, high)
        )
        keep = np.float32(np.exp(-gas.drag * dt))
        for axis, (faces, wind) in enumerate(((self.u, gas.wind[0]), (self.v, gas.wind[1]), (self.w, 0.0))):
            self._pushed(faces, axis, keep, np.float32(wind / cell))

    def _pushed(self, faces: np.ndarray, axis: int, keep: np.float32, toward: np.float32) -> None:
        push = self._push
        in_parts_of(faces.shape[0], lambda low, high: kernels.pushed(faces, push, axis, keep, toward, low, high))

    def _kept_whole(self, swells: np.ndarray | None) -> None:
        for _ in range(_ROUNDS if self._ball is not None else 1):
            if self._ball is not None:
                self._stop_at_ball()
            self.project.apply(self.u, self.v, self.w, swells)
        if self._ball is not None:
            self._stop_at_ball()

    def _stop_at_ball(self) -> None:
        ball = self._ball
        assert ball is not None
        for faces, axis in ((self.u, 0), (self.v, 1), (self.w, 2)):
            low = [slice(None)] * 3
            top = [slice(None)] * 3
            low[axis], top[axis] = slice(None, -1), slice(1, None)
            faces[tuple(low)][ball] = 0
            faces[tuple(top)][ball] = 0

    def _measure(self) -> None:
        in_parts_of(self.count, lambda low, high: kernels.middles(self.u, self.v, self.w, self._flow, low, high))

    def _lively(self, dt: float) -> np.ndarray:
        """(x, y, z) uint8: in which blocks of cells anything is, or comes to in this step."""
        from scipy import ndimage

        blocks, size = self._blocks, kernels.BLOCK
        in_parts_of(blocks.shape[0], lambda low, high: kernels.lively(self.fields, blocks, low, high), small=1)
        farthest = float(np.abs(self._flow).max(initial=0.0)) * dt + 2
        return ndimage.maximum_filter(blocks, 2 * int(np.ceil(farthest / size)) + 1, mode="nearest")

    def _carry_fields(self, step: np.float32, blocks: np.ndarray) -> None:
        fields, flow, n = self.fields, self._flow, self.count
        there, out = self._there, self._next
        in_parts_of(n, lambda low, high: kernels.carry_fields(fields, flow, step, blocks, there, low, high))
        in_parts_of(n, lambda low, high: kernels.correct_fields(fields, there, flow, step, blocks, out, low, high))
        # Reading between cells may make a little more of something than there was; never is there more of it after.
        whole, now = (self._ones @ each.reshape(-1, 3) for each in (fields, out))
        out *= np.minimum(whole / np.maximum(now, 1e-12), 1.0).astype(np.float32)
        self.fields, self._next = out, fields

    def _carry_faces(self, step: np.float32, blocks: np.ndarray) -> None:
        was = [self.u, self.v, self.w]
        self.u, self.v, self.w = (self._carried(faces, axis, step, blocks) for axis, faces in enumerate(was))
        self._faces_next = was

    def _carried(self, faces: np.ndarray, axis: int, step: np.float32, blocks: np.ndarray) -> np.ndarray:
        """The velocities on the faces across an axis, a step later."""
        flow, nx = self._flow, faces.shape[0]
        toward = np.float32((*self.gas.wind, 0.0)[axis] / self.cell)
        behind = (int(axis == 0), int(axis == 1), int(axis == 2))
        there, out = self._faces_there.reshape(faces.shape), self._faces_next[axis]
        in_parts_of(nx, lambda low, high: kernels.carry_faces(faces, flow, behind, step, toward, there, low, high))
        in_parts_of(nx, lambda low, high: kernels.correct_faces(faces, there, flow, behind, step, blocks, out, low, high))
        return out


def _box_of(cells: np.ndarray) -> tuple[slice, slice, slice]:
    """The part of a grid around all cells (x, y, z) bool that are meant; an empty one where none is."""
    found = [np.flatnonzero(cells.any(axis=tuple(other for other in range(3) if other != axis))) for axis in range(3)]
    return tuple(slice(int(at[0]), int(at[-1]) + 1) if len(at) else slice(0, 0) for at in found)  # type: ignore[return-value]


def in_parts_of(count: int, work: Callable[[int, int], None], small: int = 8) -> None:
    """Calls `work` with bounds of slabs that together are 0 to `count`, at once."""
    in_parts(lambda part: work(part.start, part.stop), count, small=small)
