"""The air's eddies: one baked periodic velocity field that turbulence reads at any scale."""

from __future__ import annotations

import functools

import numpy as np

from pale_ember.core.kernel import inlined

CELLS = 64
"""Cells along each edge of the field, a power of two so that an index wraps by a mask and is never wild."""

EDDY_CELLS = 12.8
"""Cells in one eddy: the wavelength that carries most of the field."""

_WAVES = (3, 6)
"""Waves per period: wavelengths of 10 to 21 cells, which trilinear reading follows closely."""


@functools.cache
def eddies() -> np.ndarray:
    """(CELLS, CELLS, CELLS, 3) float32: a periodic field without divergence, RMS speed 1; read-only.

    White noise, kept between two wavelengths and projected at right angles to its wave vectors, so that its
    divergence is zero wave by wave.
    """
    rng = np.random.default_rng(20)
    waves = np.fft.fftfreq(CELLS, 1.0 / CELLS)
    k = np.stack(np.meshgrid(waves, waves, waves, indexing="ij"), axis=-1)
    length2 = np.maximum((k**2).sum(axis=-1), 1e-9)
    kept = (length2 >= _WAVES[0] ** 2) & (length2 <= _WAVES[1] ** 2)
    noise = np.fft.fftn(rng.standard_normal((CELLS, CELLS, CELLS, 3)), axes=(0, 1, 2)) * kept[..., None]
    noise -= k * ((k * noise).sum(axis=-1) / length2)[..., None]
    field = np.fft.ifftn(noise, axes=(0, 1, 2)).real
    field /= np.sqrt((field**2).sum(axis=-1).mean())
    kept_field = np.ascontiguousarray(field, dtype=np.float32)
    kept_field.setflags(write=False)
    return kept_field


@inlined
def air(field, x, y, z):
    """The field at (x, y, z), in cells, float32: three components, straight between the cells."""
    mask = CELLS - 1
    fx, fy, fz = np.floor(x), np.floor(y), np.floor(z)
    i, j, k = np.int64(fx) & mask, np.int64(fy) & mask, np.int64(fz) & mask
    i1, j1, k1 = (i + 1) & mask, (j + 1) & mask, (k + 1) & mask
    tx, ty, tz = x - fx, y - fy, z - fz
    unit = np.float32(1.0)
    sx, sy, sz = unit - tx, unit - ty, unit - tz
    w00, w01, w10, w11 = sx * sy, sx * ty, tx * sy, tx * ty
    u = (
        w00 * (sz * field[i, j, k, 0] + tz * field[i, j, k1, 0])
        + w01 * (sz * field[i, j1, k, 0] + tz * field[i, j1, k1, 0])
        + w10 * (sz * field[i1, j, k, 0] + tz * field[i1, j, k1, 0])
        + w11 * (sz * field[i1, j1, k, 0] + tz * field[i1, j1, k1, 0])
    )
    v = (
        w00 * (sz * field[i, j, k, 1] + tz * field[i, j, k1, 1])
        + w01 * (sz * field[i, j1, k, 1] + tz * field[i, j1, k1, 1])
        + w10 * (sz * field[i1, j, k, 1] + tz * field[i1, j, k1, 1])
        + w11 * (sz * field[i1, j1, k, 1] + tz * field[i1, j1, k1, 1])
    )
    w = (
        w00 * (sz * field[i, j, k, 2] + tz * field[i, j, k1, 2])
        + w01 * (sz * field[i, j1, k, 2] + tz * field[i, j1, k1, 2])
        + w10 * (sz * field[i1, j, k, 2] + tz * field[i1, j, k1, 2])
        + w11 * (sz * field[i1, j1, k, 2] + tz * field[i1, j1, k1, 2])
    )
    return u, v, w
