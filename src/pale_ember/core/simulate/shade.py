"""How much of the light of sun, sky and a lamp comes to the particles of a cloud through the rest of it.

The cloud is laid into cubes as optical thickness; from each particle a ray goes to each light, and what it meets takes
light away as exp(-thickness) (Beer and Lambert).
"""

from __future__ import annotations

import numpy as np

from pale_ember.core.kernel import inlined, kernel

_MOST = 24
"""Cubes along the longest side of the cloud."""
_FAR = 1e9
"""Metres that stand for a place without end."""


def reaching(place: np.ndarray, thick: np.ndarray, wide: np.ndarray, sun_way: np.ndarray, lamp: np.ndarray) -> np.ndarray:
    """(n, 3) float32, shares of the light of the sun, of the sky straight above and of a lamp.

    place : (n, 3) m. thick : (n,) m², what each particle hides: opacity times its area. wide : (n,) m, its size. sun_way : (3,)
    towards the sun, a unit. lamp : (3,) m, where the lamp stands.
    """
    where = np.nan_to_num(np.asarray(place, float), nan=0.0, posinf=_FAR, neginf=-_FAR)
    low, high = where.min(axis=0), where.max(axis=0)
    # Cubes half as wide as the particles: each is spread over as much room as it takes.
    cube = max(float((high - low).max()) / _MOST, 0.5 * float(np.median(wide)), 1e-3)
    low -= 1.5 * cube
    grid = np.zeros(tuple(int(side) for side in np.ceil((high - low) / cube) + 2), np.float32)
    # In cubes from its corner, counted finely: far from the middle of the world a coordinate is coarser than a cube.
    inside = np.clip((where - low) / cube, 0.0, np.array(grid.shape) - 1.5).astype(np.float32)
    _lay(grid, inside, np.asarray(thick, np.float32))
    # Half of a card is open on average; thickness along a cube's side is what it hides of the cube's face.
    grid *= np.float32(0.5 / (cube * cube))
    shares = np.empty((len(where), 3), np.float32)
    ways, source = np.array([sun_way, (0.0, 1.0, 0.0)], np.float32), ((np.asarray(lamp, float) - low) / cube).astype(np.float32)
    _march(grid, inside, ways, source, shares)
    return shares


@kernel
def _lay(grid: np.ndarray, inside: np.ndarray, thick: np.ndarray) -> None:
    """Adds what each particle hides to the eight cubes around it. inside : (n, 3) in cubes."""
    for k in range(len(inside)):
        x, y, z = inside[k, 0], inside[k, 1], inside[k, 2]
        i, j, m = int(x), int(y), int(z)
        u, v, w = x - i, y - j, z - m
        for a in range(2):
            for b in range(2):
                for c in range(2):
                    grid[i + a, j + b, m + c] += thick[k] * (u if a else 1 - u) * (v if b else 1 - v) * (w if c else 1 - w)


@inlined
def _at(grid, x, y, z):
    """What a grid holds at a place, in cubes, straight between their middles."""
    i, j, k = int(x), int(y), int(z)
    u, v, w = x - i, y - j, z - k
    met = np.float32(0.0)
    for a in range(2):
        for b in range(2):
            for c in range(2):
                met += grid[i + a, j + b, k + c] * (u if a else 1 - u) * (v if b else 1 - v) * (w if c else 1 - w)
    return met


@kernel
def _march(grid: np.ndarray, inside: np.ndarray, ways: np.ndarray, lamp: np.ndarray, shares: np.ndarray) -> None:
    """Fills in `shares` (n, 3). inside, lamp : (n, 3), (3,) in cubes. ways : (2, 3) units towards sun and zenith."""
    for k in range(len(inside)):
        x, y, z = inside[k, 0], inside[k, 1], inside[k, 2]
        for light in range(3):
            far = np.float32(1e9)
            if light < 2:
                dx, dy, dz = ways[light, 0], ways[light, 1], ways[light, 2]
            else:
                dx, dy, dz = lamp[0] - x, lamp[1] - y, lamp[2] - z
                far = max(np.sqrt(dx * dx + dy * dy + dz * dz), np.float32(1e-6))
                dx, dy, dz = dx / far, dy / far, dz / far
            met, along = np.float32(0.0), np.float32(0.75)
            while along < far:
                px, py, pz = x + dx * along, y + dy * along, z + dz * along
                if not (0 <= px < grid.shape[0] - 1 and 0 <= py < grid.shape[1] - 1 and 0 <= pz < grid.shape[2] - 1):
                    break
                met += _at(grid, px, py, pz)
                along += np.float32(1.0)
            shares[k, light] = np.exp(-met)
