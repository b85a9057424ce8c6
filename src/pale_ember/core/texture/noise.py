"""Smooth noise for painting pictures."""

from __future__ import annotations

import numpy as np

_LATTICE = 32


class Noise:
    """Gradient noise over three coordinates (Perlin, SIGGRAPH 2002), about -1 to 1, repeating every 32."""

    def __init__(self, seed: int) -> None:
        rng = np.random.default_rng(seed)
        gradient = rng.standard_normal((_LATTICE, _LATTICE, _LATTICE, 3))
        self._gradient = gradient / np.linalg.norm(gradient, axis=-1, keepdims=True)

    def __call__(self, x: np.ndarray, y: np.ndarray, z: np.ndarray | float) -> np.ndarray:
        """The noise at points of any one shape, float64."""
        x, y, z = np.broadcast_arrays(x, y, z)
        corner = [np.floor(c).astype(int) for c in (x, y, z)]
        inside = [c - low for c, low in zip((x, y, z), corner, strict=True)]
        fade = [t * t * t * (t * (t * 6 - 15) + 10) for t in inside]
        total = np.zeros(x.shape)
        for step in np.ndindex(2, 2, 2):
            at = tuple((low + s) % _LATTICE for low, s in zip(corner, step, strict=True))
            gradient = self._gradient[at]
            weight = np.ones(x.shape)
            value = np.zeros(x.shape)
            for axis in range(3):
                value += gradient[..., axis] * (inside[axis] - step[axis])
                weight *= fade[axis] if step[axis] else 1 - fade[axis]
            total += weight * value
        return total * 1.5

    def layered(self, x: np.ndarray, y: np.ndarray, z: np.ndarray | float, octaves: int) -> np.ndarray:
        """Octaves of the noise, each twice as fine and half as strong, about -1 to 1."""
        total, weight = np.zeros(np.broadcast(x, y, z).shape), 1.0
        for octave in range(octaves):
            fine = 2.0**octave
            total += weight * self(x * fine + 7.3 * octave, y * fine + 3.1 * octave, np.asarray(z) * fine**0.5)
            weight *= 0.5
        return total / (2 - 2.0 ** (1 - octaves))
