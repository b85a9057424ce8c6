"""Noises for painting pictures: soft, of blocks, of crests and of cells. All repeat, and may close over a loop."""

from __future__ import annotations

import functools
from dataclasses import dataclass

import numpy as np

from pale_ember.core.kernel import inlined, kernel
from pale_ember.core.worker_pool import in_parts

_LATTICE = 32
_MASK = _LATTICE - 1

GRADIENT, VALUE, RIDGES, BILLOWS = range(4)
"""Patterns that are laid in octaves."""

_STRETCH = np.float32(1.5)
"""Brings gradient noise to about -1 to 1."""


@functools.lru_cache(16)
def lattice(seed: int) -> np.ndarray:
    """(32, 32, 32, 3) float32 unit vectors, read-only. By Archimedes each component of one is even between -1 and 1."""
    rng = np.random.default_rng(seed)
    gradient = rng.standard_normal((_LATTICE, _LATTICE, _LATTICE, 3))
    kept = (gradient / np.linalg.norm(gradient, axis=-1, keepdims=True)).astype(np.float32)
    kept.setflags(write=False)
    return kept


@inlined
def _wrapped(whole, period):
    """A whole number as one from 0 to below a period; without a division of whole numbers, which is slow."""
    size = np.float32(period)
    left = np.int64(whole - np.floor(whole / size) * size)
    return left - period if left >= period else max(left, 0)


@inlined
def _next(index, period):
    return 0 if index + 1 == period else index + 1


@inlined
def _corner(lattice, value, i, j, k, dx, dy, dz):
    """What one corner of a cell says at a place as far from it."""
    if value:
        return lattice[i, j, k, 0]
    return lattice[i, j, k, 0] * dx + lattice[i, j, k, 1] * dy + lattice[i, j, k, 2] * dz


@inlined
def _noise(lattice, value, x, y, z, px, py, pz):
    """Noise at one place (K. Perlin, Improving noise, SIGGRAPH 2002), repeating after so many cells."""
    fx, fy, fz = np.floor(x), np.floor(y), np.floor(z)
    unit = np.float32(1.0)
    dx, dy, dz = x - fx, y - fy, z - fz
    i, j, k = _wrapped(fx, px), _wrapped(fy, py), _wrapped(fz, pz)
    i1, j1, k1 = _next(i, px) & _MASK, _next(j, py) & _MASK, _next(k, pz) & _MASK
    i, j, k = i & _MASK, j & _MASK, k & _MASK
    six, ten, fifteen = np.float32(6.0), np.float32(10.0), np.float32(15.0)
    u = dx * dx * dx * (dx * (dx * six - fifteen) + ten)
    v = dy * dy * dy * (dy * (dy * six - fifteen) + ten)
    w = dz * dz * dz * (dz * (dz * six - fifteen) + ten)
    a = _corner(lattice, value, i, j, k, dx, dy, dz)
    b = _corner(lattice, value, i1, j, k, dx - unit, dy, dz)
    c = _corner(lattice, value, i, j1, k, dx, dy - unit, dz)
    d = _corner(lattice, value, i1, j1, k, dx - unit, dy - unit, dz)
    near = (a + u * (b - a)) * (unit - v) + (c + u * (d - c)) * v
    if dz == 0.0 and not value:
        return near * _STRETCH
    a = _corner(lattice, value, i, j, k1, dx, dy, dz - unit)
    b = _corner(lattice, value, i1, j, k1, dx - unit, dy, dz - unit)
    c = _corner(lattice, value, i, j1, k1, dx, dy - unit, dz - unit)
    d = _corner(lattice, value, i1, j1, k1, dx - unit, dy - unit, dz - unit)
    far = (a + u * (b - a)) * (unit - v) + (c + u * (d - c)) * v
    mixed = near + w * (far - near)
    return mixed if value else mixed * _STRETCH


@kernel
def _layered(lattice, pattern, x, y, z, octaves, gain, px, py, turns, out):
    """Octaves at places x, y, z (n,) or z (1,); each twice as fine. turns : > 0 for cells that z, 0 to 1, runs round."""
    value = pattern == VALUE
    whole, weight = np.float32(0.0), np.float32(1.0)
    for _ in range(octaves):
        whole += weight
        weight *= gain
    for n in range(out.shape[0]):
        total, weight, fine, slow = np.float32(0.0), np.float32(1.0), np.float32(1.0), np.float32(1.0)
        deep = z[n] if z.shape[0] > 1 else z[0]
        qx, qy = px, py
        for octave in range(octaves):
            shift = np.float32(octave)
            if turns > 0:
                pz = max(np.int64(np.round(turns * slow)), 1)
                at = deep * np.float32(pz)
            else:
                pz, at = np.int64(_LATTICE), deep * slow
            said = _noise(lattice, value, x[n] * fine + np.float32(7.3) * shift, y[n] * fine + np.float32(3.1) * shift, at, qx, qy, pz)
            if pattern == RIDGES:
                crest = np.float32(1.0) - abs(said)
                said = np.float32(2.0) * crest * crest - np.float32(1.0)
            elif pattern == BILLOWS:
                said = np.float32(2.0) * abs(said) - np.float32(1.0)
            total += weight * said
            weight *= gain
            fine *= np.float32(2.0)
            slow *= np.float32(1.4142135)
            qx *= 2
            qy *= 2
        out[n] = total / whole


@inlined
def _said(table, pattern, p, q, r, s, dx, dy):
    """What noise says at a place so far from the lower corner of its cell. table : (3, 1024); p, q, r, s : its corners there."""
    unit, six, ten, fifteen = np.float32(1.0), np.float32(6.0), np.float32(10.0), np.float32(15.0)
    slope_x, slope_y, level = table[0], table[1], table[2]
    u = dx * dx * dx * (dx * (dx * six - fifteen) + ten)
    v = dy * dy * dy * (dy * (dy * six - fifteen) + ten)
    a = slope_x[p] * dx + slope_y[p] * dy + level[p]
    b = slope_x[q] * (dx - unit) + slope_y[q] * dy + level[q]
    c = slope_x[r] * dx + slope_y[r] * (dy - unit) + level[r]
    d = slope_x[s] * (dx - unit) + slope_y[s] * (dy - unit) + level[s]
    said = (a + u * (b - a)) * (unit - v) + (c + u * (d - c)) * v
    if pattern == RIDGES:
        crest = unit - abs(said)
        said = np.float32(2.0) * crest * crest - unit
    elif pattern == BILLOWS:
        said = np.float32(2.0) * abs(said) - unit
    return said


@inlined
def _cell(fx, fy, px, py):
    """The four corners of a cell in a flat lattice, of noise that repeats after so many cells: lower left, right, upper left, right."""
    i, j = _wrapped(fx, px), _wrapped(fy, py)
    right, top = _next(i, px), _next(j, py)
    mask, row = np.uint32(_MASK), np.uint32(_LATTICE)
    e, g = (np.uint32(i) & mask) * row, (np.uint32(right) & mask) * row
    f, h = np.uint32(j) & mask, np.uint32(top) & mask
    return e + f, g + f, e + h, g + h


# Octave by octave, and read at places that cannot be negative (uint32): each halves the time of the two below.


@kernel
def _laid(tables, pattern, x, y, gain, px, py, out):
    """As `_layered` where all places are equally deep, and noise repeats after a power of two of cells: then the two layers of the
    lattice around them are mixed before, and nothing need be divided. tables : (octaves, 3, 1024) the two slopes of each corner, and
    what it says at itself."""
    row, one = np.uint32(_LATTICE), np.uint32(1)
    weight, fine = np.float32(1.0), np.float32(1.0)
    for n in range(out.shape[0]):
        out[n] = np.float32(0.0)
    for octave in range(tables.shape[0]):
        table = tables[octave]
        right, upward = np.float32(7.3) * np.float32(octave), np.float32(3.1) * np.float32(octave)
        across, up = np.uint32(min(px, _LATTICE) - 1), np.uint32(min(py, _LATTICE) - 1)
        for n in range(out.shape[0]):
            ax, ay = x[n] * fine + right, y[n] * fine + upward
            fx, fy = np.floor(ax), np.floor(ay)
            i, j = np.uint32(np.int32(fx)) & across, np.uint32(np.int32(fy)) & up
            i1, j1 = ((i + one) & across) * row, (j + one) & up
            i = i * row
            out[n] += weight * _said(table, pattern, i + j, i1 + j, i + j1, i1 + j1, ax - fx, ay - fy)
        weight *= gain
        fine *= np.float32(2.0)
        px *= 2
        py *= 2


@kernel
def _laid_over(tables, pattern, x, y, gain, px, py, out):
    """As `_laid`, repeating after any number of cells."""
    weight, fine = np.float32(1.0), np.float32(1.0)
    for n in range(out.shape[0]):
        out[n] = np.float32(0.0)
    for octave in range(tables.shape[0]):
        table = tables[octave]
        right, upward = np.float32(7.3) * np.float32(octave), np.float32(3.1) * np.float32(octave)
        for n in range(out.shape[0]):
            ax, ay = x[n] * fine + right, y[n] * fine + upward
            fx, fy = np.floor(ax), np.floor(ay)
            p, q, r, s = _cell(fx, fy, px, py)
            out[n] += weight * _said(table, pattern, p, q, r, s, ax - fx, ay - fy)
        weight *= gain
        fine *= np.float32(2.0)
        px *= 2
        py *= 2


@kernel
def _steep(tables, x, y, gain, px, py, along, upward):
    """The slopes along x and y of what `_laid_over` says with gradients, not yet divided by the weight of all octaves."""
    unit = np.float32(1.0)
    six, ten, fifteen, thirty = np.float32(6.0), np.float32(10.0), np.float32(15.0), np.float32(30.0)
    weight, fine = np.float32(1.0), np.float32(1.0)
    for n in range(along.shape[0]):
        along[n] = upward[n] = np.float32(0.0)
    for octave in range(tables.shape[0]):
        slope_x, slope_y, level = tables[octave, 0], tables[octave, 1], tables[octave, 2]
        right, up = np.float32(7.3) * np.float32(octave), np.float32(3.1) * np.float32(octave)
        for n in range(along.shape[0]):
            ax, ay = x[n] * fine + right, y[n] * fine + up
            fx, fy = np.floor(ax), np.floor(ay)
            dx, dy = ax - fx, ay - fy
            p, q, r, s = _cell(fx, fy, px, py)
            u = dx * dx * dx * (dx * (dx * six - fifteen) + ten)
            v = dy * dy * dy * (dy * (dy * six - fifteen) + ten)
            du, dv = thirty * dx * dx * (dx - unit) * (dx - unit), thirty * dy * dy * (dy - unit) * (dy - unit)
            a = slope_x[p] * dx + slope_y[p] * dy + level[p]
            b = slope_x[q] * (dx - unit) + slope_y[q] * dy + level[q]
            c = slope_x[r] * dx + slope_y[r] * (dy - unit) + level[r]
            d = slope_x[s] * (dx - unit) + slope_y[s] * (dy - unit) + level[s]
            low, top = a + u * (b - a), c + u * (d - c)
            low_x = slope_x[p] + u * (slope_x[q] - slope_x[p]) + du * (b - a)
            top_x = slope_x[r] + u * (slope_x[s] - slope_x[r]) + du * (d - c)
            low_y, top_y = slope_y[p] + u * (slope_y[q] - slope_y[p]), slope_y[r] + u * (slope_y[s] - slope_y[r])
            along[n] += weight * fine * (low_x + v * (top_x - low_x))
            upward[n] += weight * fine * (low_y + v * (top_y - low_y) + dv * (top - low))
        weight *= gain
        fine *= np.float32(2.0)
        px *= 2
        py *= 2


@kernel
def _cells(lattice, x, y, turn, px, py, nearest, second):
    """How far the nearest and the second of points are, one in each cell, that each go round as `turn`, radians, runs."""
    for n in range(nearest.shape[0]):
        fx, fy = np.floor(x[n]), np.floor(y[n])
        best, next_best = np.float32(1e9), np.float32(1e9)
        for across in range(-1, 2):
            for up in range(-1, 2):
                i, j = (np.int64(fx) + across) % px & _MASK, (np.int64(fy) + up) % py & _MASK
                # Two even numbers, and a turn of its own.
                a, b, own = lattice[i, j, 0, 0], lattice[i, j, 7, 0], lattice[i, j, 13, 0] * np.float32(np.pi)
                at_x = fx + across + np.float32(0.5) + np.float32(0.3) * a + np.float32(0.2) * np.sin(turn + own)
                at_y = fy + up + np.float32(0.5) + np.float32(0.3) * b + np.float32(0.2) * np.cos(turn + own)
                away = (at_x - x[n]) ** 2 + (at_y - y[n]) ** 2
                if away < best:
                    best, next_best = away, best
                elif away < next_best:
                    next_best = away
        nearest[n], second[n] = np.sqrt(best), np.sqrt(next_best)


def _flat(values: np.ndarray | float, shape: tuple[int, ...]) -> np.ndarray:
    # A copy whatever comes: what may only be read is another type for the compiler, and a kernel for each takes seconds.
    flat = np.empty(shape, np.float32)
    flat[...] = values
    return flat.ravel()


@dataclass(frozen=True, slots=True)
class NoiseField:
    """A noise by its seed. across, up : cells after which it repeats, of its coarsest octave. turns : where it is more than 0,
    z runs from 0 to 1 through so many cells and comes back to where it began."""

    seed: int
    across: int = _LATTICE
    up: int = _LATTICE
    turns: float = 0.0

    def __call__(self, x: np.ndarray | float, y: np.ndarray, z: np.ndarray | float) -> np.ndarray:
        """Gradient noise at points of any one shape, about -1 to 1, float32."""
        return self.layered(x, y, z, 1)

    def layered(
        self, x: np.ndarray | float, y: np.ndarray, z: np.ndarray | float, octaves: int, pattern: int = GRADIENT, gain: float = 0.5
    ) -> np.ndarray:
        """Octaves of a pattern, each twice as fine and `gain` as strong, about -1 to 1. Of the points' shape, float32."""
        shape = np.broadcast_shapes(np.shape(x), np.shape(y), np.shape(z))
        out = np.empty(int(np.prod(shape)), np.float32)
        deep = np.array([z], np.float32) if np.ndim(z) == 0 else _flat(z, shape)
        vectors, across, upward = lattice(self.seed), _flat(x, shape), _flat(y, shape)
        if deep.size == 1:
            tables = self._tables(float(deep[0]), octaves, value=pattern == VALUE)
            lay = _laid if self._even else _laid_over

            def laid(part: slice) -> None:
                lay(tables, pattern, across[part], upward[part], np.float32(gain), self.across, self.up, out[part])

            in_parts(laid, out.size)
            out /= np.float32(sum(gain**octave for octave in range(octaves)))
            return out.reshape(shape)

        def work(part: slice) -> None:
            _layered(
                vectors, pattern, across[part], upward[part], deep[part] if deep.size > 1 else deep, octaves, np.float32(gain),
                self.across, self.up, np.float32(self.turns), out[part],
            )  # fmt: skip

        in_parts(work, out.size)
        return out.reshape(shape)

    @property
    def _even(self) -> bool:
        """Whether it repeats after powers of two of cells."""
        return all(cells > 0 and cells & (cells - 1) == 0 for cells in (self.across, self.up))

    def slopes(self, x: np.ndarray, y: np.ndarray, z: float, octaves: int, gain: float = 0.5) -> tuple[np.ndarray, np.ndarray]:
        """How steep gradient noise in octaves is along x and along y, where all places are equally deep. Of their shape, float32 each."""
        shape = np.broadcast_shapes(np.shape(x), np.shape(y))
        along, up = np.empty(int(np.prod(shape)), np.float32), np.empty(int(np.prod(shape)), np.float32)
        tables, across, upward = self._tables(float(z), octaves, value=False), _flat(x, shape), _flat(y, shape)

        def work(part: slice) -> None:
            given = tables, across[part], upward[part], np.float32(gain), self.across, self.up
            _steep(*given, along[part], up[part])

        in_parts(work, along.size)
        whole = np.float32(sum(gain**octave for octave in range(octaves)))
        return (along / whole).reshape(shape), (up / whole).reshape(shape)

    def _tables(self, deep: float, octaves: int, *, value: bool) -> np.ndarray:
        """(octaves, 3, 1024) float32 the lattice at one depth, of each octave: between its two layers everything is a mixture."""
        vectors, tables = lattice(self.seed), np.zeros((octaves, 3, _LATTICE**2), np.float32)
        for octave in range(octaves):
            slow = 2.0 ** (octave / 2)
            period = max(round(self.turns * slow), 1) if self.turns > 0 else _LATTICE
            at = deep * (period if self.turns > 0 else slow)
            low = int(np.floor(at))
            beyond = at - low
            share = beyond**3 * (beyond * (beyond * 6 - 15) + 10)
            near, far = (vectors[:, :, k % period & _MASK].reshape(-1, 3).T for k in (low, low + 1))
            if value:
                tables[octave, 2] = near[0] * (1 - share) + far[0] * share
                continue
            tables[octave, :2] = near[:2] * (1 - share) + far[:2] * share
            tables[octave, 2] = near[2] * (beyond * (1 - share)) + far[2] * ((beyond - 1) * share)
        return tables if value else tables * _STRETCH

    def cells(self, x: np.ndarray, y: np.ndarray, turn: float) -> tuple[np.ndarray, np.ndarray]:
        """How far the nearest and the second of scattered points are, in cells (S. Worley, SIGGRAPH 1996). float32 each."""
        shape = np.broadcast_shapes(np.shape(x), np.shape(y))
        nearest, second = np.empty(int(np.prod(shape)), np.float32), np.empty(int(np.prod(shape)), np.float32)
        vectors, across, upward = lattice(self.seed), _flat(x, shape), _flat(y, shape)

        def work(part: slice) -> None:
            _cells(vectors, across[part], upward[part], np.float32(turn), self.across, self.up, nearest[part], second[part])

        in_parts(work, nearest.size)
        return nearest.reshape(shape), second.reshape(shape)
