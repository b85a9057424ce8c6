"""How thick particles make the air, as a grid: each is a ball that is thickest in its middle."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pale_ember.core.kernel import kernel

_MOST = 40
"""Cubes along the longest side."""
_WORK = 2e6
"""Cubes that all particles fill at most, counted for each: of many that are large the grid is coarser."""


@dataclass(frozen=True, slots=True, eq=False)
class FogVolume:
    """low : (3,) m, the corner of the first cube. cube : m. cells : (z, y, x, 4) float32, at the middle of each cube: what it scatters of
    red, green and blue, and what it keeps back, 1/m."""

    low: np.ndarray
    cube: float
    cells: np.ndarray


def fog_volume(place: np.ndarray, wide: np.ndarray, thick: np.ndarray, colour: np.ndarray) -> FogVolume | None:
    """The air that particles fill, or None where they fill none.

    place : (n, 3) m. wide : (n, 2) m, width and height: each is an ellipsoid, as deep as it is wide. thick : (n,) 1/m in the middle of
    each; *s* of the way from there to its surface it is (1 - s²)² times as much. colour : (n, 3) linear, what of the light that it
    keeps back is scattered.
    """
    some = np.isfinite(place).all(axis=1) & (thick > 0) & (wide > 0).all(axis=1) & np.isfinite(wide).all(axis=1)
    if not some.any():
        return None
    place, radius = place[some].astype(float), 0.5 * wide[some].astype(float)[:, [0, 1, 0]]
    low, high = (place - radius).min(axis=0), (place + radius).max(axis=0)
    cube = max(float((high - low).max()) / _MOST, 1e-3)
    cube *= max(float((2.0 * radius / cube + 2.0).prod(axis=1).sum()) / _WORK, 1.0) ** (1 / 3)
    low = low - cube
    sides = np.ceil((high - low) / cube).astype(int) + 1
    cells = np.zeros((*sides[::-1], 4), np.float32)
    given = (place - low) / cube, radius / cube, thick[some], colour[some]
    _fill(cells, *(np.ascontiguousarray(each, float) for each in given))
    return FogVolume(low, cube, cells)


@kernel
def _fill(cells: np.ndarray, place: np.ndarray, radius: np.ndarray, thick: np.ndarray, colour: np.ndarray) -> None:
    """Adds each particle to the cubes around it. place, radius : (n, 3) in cubes, from the corner."""
    for n in range(len(place)):
        # Smaller than a cube it fills one, and that as much less.
        a, b = max(radius[n, 0], 1.0), max(radius[n, 1], 1.0)
        most = thick[n] * (radius[n, 0] / a) ** 2 * (radius[n, 1] / b)
        x, y, z = place[n, 0] - 0.5, place[n, 1] - 0.5, place[n, 2] - 0.5
        for k in range(max(int(z - a), 0), min(int(z + a) + 2, cells.shape[0])):
            for j in range(max(int(y - b), 0), min(int(y + b) + 2, cells.shape[1])):
                for i in range(max(int(x - a), 0), min(int(x + a) + 2, cells.shape[2])):
                    s = ((i - x) ** 2 + (k - z) ** 2) / (a * a) + (j - y) ** 2 / (b * b)
                    if s < 1.0:
                        here = most * (1.0 - s) * (1.0 - s)
                        for c in range(3):
                            cells[k, j, i, c] += here * colour[n, c]
                        cells[k, j, i, 3] += here
