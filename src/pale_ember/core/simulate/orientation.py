"""How particles stand in the world, where that hangs on no camera."""

from __future__ import annotations

import numpy as np

from pale_ember.core.simulate.frame import LayerFrame
from pale_ember.core.simulate.poses import turns, upright_to

_SHARES = 4096
"""Steps in which particles' own shares differ."""
_FLAT = turns(np.array([[-90.0, 0.0, 0.0]]))[0]
"""A card that lies with its face up."""


def orientations(layer: LayerFrame) -> np.ndarray:
    """(n, 4) float32 unit quaternions x, y, z, w, that turn a mesh or a card as it was made to how it is drawn.

    Cards and meshes that look at the camera, or stand upright before it, have the identity: only a camera turns them. Along
    their motion meshes and cards turn their Y by the least rotation; how a card then looks is the camera's again.
    """
    look, count = layer.layer.look, layer.count
    own = np.broadcast_to(np.eye(3), (count, 3, 3))
    if look.drawn_as not in ("sprite", "mesh"):
        return _quaternions(own)
    stand = own
    if look.facing == "along motion":
        stand = upright_to(layer.velocity.astype(float), own)
    elif look.facing == "across motion":
        stand = _facing(layer.velocity.astype(float))
    elif look.facing == "flat":
        stand = np.broadcast_to(_FLAT, (count, 3, 3))
    elif look.facing == "free":
        stand = np.broadcast_to(layer.stand, (count, 3, 3))
    elif look.drawn_as == "sprite":
        return _quaternions(own)
    if look.drawn_as == "mesh":
        turned = _about(_axes(layer), np.radians(layer.angle.astype(float)))
    else:
        turned = own if look.facing == "along motion" else turns(np.stack([0 * layer.angle, 0 * layer.angle, layer.angle], axis=1))
    return _quaternions(stand @ turned)


def share_of(numbers: np.ndarray) -> np.ndarray:
    """(n,) float32 in [0, 1): a share of its own for each particle, by its number (n,) uint64: what scatters pictures and
    tumbles meshes."""
    stirred = (numbers * np.uint64(0x9E3779B1)) >> np.uint64(12)
    return stirred.astype(np.uint32) % _SHARES / np.float32(_SHARES)


def _axes(layer: LayerFrame) -> np.ndarray:
    """(n, 3) the axes about which angles turn meshes: one of their own, or their height."""
    if not layer.layer.look.solid.tumbles:
        return np.tile([0.0, 1.0, 0.0], (layer.count, 1))
    share = share_of(layer.number).astype(float)
    dice, tilt = 2 * np.pi * share, (share * 97.31) % 1.0 * 2 - 1
    flat = np.sqrt(np.maximum(1 - tilt * tilt, 0.0))
    return np.stack([np.cos(dice) * flat, tilt, np.sin(dice) * flat], axis=1)


def _about(axis: np.ndarray, angle: np.ndarray) -> np.ndarray:
    """(n, 3, 3) rotations about units (n, 3) by angles (n,), radians (Rodrigues' formula)."""
    x, y, z = axis.T
    zero = np.zeros_like(x)
    cross = np.moveaxis(np.array([[zero, -z, y], [z, zero, -x], [-y, x, zero]]), 2, 0)
    sine, less = np.sin(angle)[:, None, None], (1 - np.cos(angle))[:, None, None]
    return np.eye(3) + sine * cross + less * cross @ cross


def _facing(ways: np.ndarray) -> np.ndarray:
    """(n, 3, 3) rotations that turn Z to ways (n, 3), X level as far as can be; none where there is no way."""
    size = np.linalg.norm(ways, axis=1, keepdims=True)
    face = np.where(size > 1e-4, ways / np.maximum(size, 1e-12), [0.0, 0.0, 1.0])
    up = np.where(np.abs(face[:, 1:2]) < 0.99, [0.0, 1.0, 0.0], [1.0, 0.0, 0.0])
    across = np.cross(up, face)
    across /= np.linalg.norm(across, axis=1, keepdims=True)
    return np.stack([across, np.cross(face, across), face], axis=2)


def _quaternions(turn: np.ndarray) -> np.ndarray:
    """(n, 4) float32 x, y, z, w of rotations (n, 3, 3), w not negative (S. W. Shepperd, 1978)."""
    m = np.asarray(turn, float)
    trace = np.einsum("nii->n", m)
    squares = np.stack([m[:, 0, 0], m[:, 1, 1], m[:, 2, 2], trace], axis=1)
    largest = squares.argmax(axis=1)
    told = np.empty((len(m), 4))
    for i in range(3):
        j, k = (i + 1) % 3, (i + 2) % 3
        rows = largest == i
        s = m[rows]
        told[rows, i] = 1 + s[:, i, i] - s[:, j, j] - s[:, k, k]
        told[rows, j], told[rows, k] = s[:, j, i] + s[:, i, j], s[:, k, i] + s[:, i, k]
        told[rows, 3] = s[:, k, j] - s[:, j, k]
    rows = largest == 3
    s = m[rows]
    told[rows, 3] = 1 + trace[rows]
    told[rows, 0], told[rows, 1], told[rows, 2] = (s[:, 2, 1] - s[:, 1, 2], s[:, 0, 2] - s[:, 2, 0], s[:, 1, 0] - s[:, 0, 1])
    told /= np.maximum(np.linalg.norm(told, axis=1, keepdims=True), 1e-12)
    return (told * np.where(told[:, 3:] < 0, -1.0, 1.0)).astype(np.float32)
