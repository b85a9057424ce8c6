"""A gas drawn: light marched through it, from the eye into its depth and towards six sides."""

from __future__ import annotations

import functools
from dataclasses import dataclass

import numpy as np

from pale_ember.core.effect.recipe.sources import Gas
from pale_ember.core.gas.gas import WIDE, in_parts_of
from pale_ember.core.kernel import kernel
from pale_ember.core.texture.heat import SECOND as PLANCK
from pale_ember.core.texture.heat import black_body

SIDES = ("right", "left", "above", "below", "front", "behind")
"""Where the light comes from, in the order of `MarchedGas.lit`."""

_HOTTEST = 2.0
"""Heat up to which the colours of glowing are told; what is hotter is as bright."""
_STEPS = 256
_AMBIENT = 0.3
"""How much of the light has been scattered so often that it comes from everywhere, and is shaded less."""
_FAINTER = 0.25
"""How much less such light is shaded."""
_KEY = (0.10, 0.10, 0.52, 0.06, 0.18, 0.04)
"""The light of a plain picture, from each side: from above, and a little from the eye."""


@dataclass(frozen=True, slots=True, eq=False)
class MarchedGas:
    """A gas seen along its depth, n × n pixels, row 0 at the top. float32.

    cover : (n, n) how much it hides. lit : (n, n, 6) how bright it is in a light of 1 from each of SIDES, where it covers. shine :
    (n, n, 3) the light it sends out itself, linear, already less by what hides it. way : (n, n, 2) frames a second rightward and
    downward. depth : (n, n) share of the box from the eye to what is seen.
    """

    cover: np.ndarray
    lit: np.ndarray
    shine: np.ndarray
    way: np.ndarray
    depth: np.ndarray


_YELLOW = 560e-9
"""Metres of the wave by which brightness goes."""
_FILM = 0.45
"""The power that draws the brightness of hot things together, as an eye and a film do: in truth half as hot is a thousandth as
bright."""


@functools.lru_cache(32)
def glowing(kelvin: float) -> np.ndarray:
    """(256, 3) float32: the light of a heat from 0 to 2, of which 1 is so hot, K, and shines with 1; a heat of 0 is two fifths as
    hot. How bright it is goes by Planck's law for a wave in the middle of what is seen, drawn together; read-only."""
    heat = np.linspace(0, _HOTTEST, _STEPS)
    hot = kelvin * (0.4 + 0.6 * heat)
    colours = np.array([black_body(each) for each in hot])
    power = np.exp(-PLANCK / _YELLOW * (1 / hot - 1 / kelvin)) ** _FILM
    told = (colours * (power - power[0])[:, None]).astype(np.float32)
    told.setflags(write=False)
    return told


@kernel
def _march(fields, flow, lights, colours, thick, shine, cover, lit, sent, way, depth, low, high):
    """From the eye into the depth, a cell after the other (N. Max, Optical models for direct volume rendering, 1995)."""
    ny, nz = fields.shape[1], fields.shape[2]
    last = colours.shape[0] - 1
    unit, none = np.float32(1.0), np.float32(0.0)
    for i in range(low, high):
        for j in range(ny):
            row = ny - 1 - j
            left, whole, bright, far, right, down = unit, none, none, none, none, none
            for k in range(nz - 1, -1, -1):
                smoke, heat = fields[i, j, k, 0], fields[i, j, k, 1]
                if smoke <= 0 and heat <= 0:
                    continue
                hides = unit - np.exp(-thick * max(smoke, none))
                seen = left * hides
                for n in range(6):
                    lit[row, i, n] += seen * lights[n, i, j, k]
                at = min(max(heat, none) * np.float32(0.5), unit) * last
                entry = max(min(np.int64(at), last - 1), 0)
                share = at - entry
                glow = none
                for n in range(3):
                    sends = left * shine * (colours[entry, n] + share * (colours[entry + 1, n] - colours[entry, n]))
                    sent[row, i, n] += sends
                    glow += sends
                counts = seen + glow
                right += counts * flow[i, j, k, 0]
                down -= counts * flow[i, j, k, 1]
                far += counts * (nz - k - np.float32(0.5))
                bright += counts
                whole += seen
                left *= unit - hides
                if left < np.float32(0.002):
                    break
            cover[row, i] = whole
            if whole > np.float32(1e-5):
                for n in range(6):
                    lit[row, i, n] /= whole
            else:
                for n in range(6):
                    lit[row, i, n] = unit
            if bright > np.float32(1e-6):
                way[row, i, 0], way[row, i, 1] = right / bright, down / bright
                depth[row, i] = far / (bright * nz)
            else:
                depth[row, i] = unit


def lights(smoke: np.ndarray, thick: float) -> np.ndarray:
    """(6, n, n, n) float32 how much of a light from each of SIDES reaches the middle of each cell. thick : how much a cell full of
    smoke takes away, as an exponent."""
    out = np.empty((6, *smoke.shape), np.float32)
    for axis in range(3):
        summed = np.cumsum(smoke, axis=axis, dtype=np.float32)
        whole = np.take(summed, [-1], axis=axis)
        before = summed - 0.5 * smoke
        # The end of an axis is the right, the top and the eye's side.
        for n, passed in ((2 * axis, whole - before), (2 * axis + 1, before)):
            out[n] = (1 - _AMBIENT) * np.exp(-thick * passed) + _AMBIENT * np.exp(-thick * _FAINTER * passed)
    return out


def drawn(gas: Gas, fields: np.ndarray, flow: np.ndarray) -> MarchedGas:
    """A gas as it is seen. fields : (n, n, n, 3) smoke, heat and fuel. flow : (n, n, n, 3) m/s."""
    n, cell = fields.shape[0], np.float32(WIDE / fields.shape[0])
    smoke = np.maximum(fields[..., 0], 0)
    thick = np.float32(gas.dense) * cell
    reach = lights(smoke, float(gas.shade * thick))
    cover, depth = np.zeros((n, n), np.float32), np.zeros((n, n), np.float32)
    lit, sent, way = np.zeros((n, n, 6), np.float32), np.zeros((n, n, 3), np.float32), np.zeros((n, n, 2), np.float32)
    colours, shine = glowing(gas.kelvin), np.float32(gas.glow * 12) * cell
    in_parts_of(n, lambda low, high: _march(fields, flow, reach, colours, thick, shine, cover, lit, sent, way, depth, low, high))
    return MarchedGas(cover, lit, sent, way / np.float32(WIDE), depth)


def picture(gas: Gas, seen: MarchedGas) -> np.ndarray:
    """(n, n, 4) float32 light as a game without six-way light shows it, linear and straight: the smoke lit from above, and what
    glows before it. Cover is at least as much as the glow is bright, so that light over nothing survives."""
    light = (seen.lit @ np.array(_KEY, np.float32))[..., None] * np.array(gas.colour, np.float32)
    whole = light * seen.cover[..., None] + seen.shine
    cover = np.clip(np.maximum(seen.cover, seen.shine.max(axis=2)), 0, 1)
    safe = np.maximum(cover, 1e-4)[..., None]
    rgb = np.where(cover[..., None] > 1e-4, whole / safe, light)
    return np.dstack([rgb, cover]).astype(np.float32)


def normals(seen: MarchedGas) -> np.ndarray:
    """(n, n, 3) float32 units: which way it faces, as its light from six sides tells; right, up and towards the eye."""
    lit = seen.lit
    way = np.stack([lit[..., 0] - lit[..., 1], lit[..., 2] - lit[..., 3], np.maximum(lit[..., 4] - lit[..., 5], 0) + 0.15], axis=2)
    return (way / np.maximum(np.linalg.norm(way, axis=2, keepdims=True), 1e-6)).astype(np.float32)
