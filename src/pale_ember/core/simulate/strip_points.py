"""Strips along paths, as points with widths and colours: what ribbons and beams have in common."""

from __future__ import annotations

import numpy as np

from pale_ember.core.effect.model import Layer
from pale_ember.core.effect.values import Curve, Gradient, sample_keys
from pale_ember.core.simulate.frame import LayerFrame, Strips

MOST_POINTS = 512
"""Points of one anchor's path, and pieces of a beam; longer ones are laid wider apart."""


def standing(frame: LayerFrame) -> Layer:
    """The layer as it stands and draws its numbers: on its own one of several places."""
    return frame.layer if frame.own is None else frame.own


def metres_along(points: np.ndarray) -> np.ndarray:
    """(..., n) metres along paths (..., n, 3) to each of their points."""
    come = np.zeros(points.shape[:-1])
    np.cumsum(np.linalg.norm(np.diff(points, axis=-2), axis=-1), axis=-1, out=come[..., 1:])
    return come


def laid(frame: LayerFrame, pieces: list[np.ndarray], owner: np.ndarray) -> Strips:
    """Strips along these paths, in the width and colour of their particles; the layer's own where a strip has none.

    pieces : (points, 3) m each; owner : (pieces,) row of the particle, or -1.
    """
    ribbon = frame.layer.look.ribbon
    lengths = np.array([len(piece) for piece in pieces], np.int64)
    first = np.concatenate([[0], np.cumsum(lengths)])
    total = int(first[-1])
    point = np.concatenate(pieces).astype(np.float32) if pieces else np.zeros((0, 3), np.float32)
    come = [metres_along(piece) for piece in pieces]
    share = np.concatenate([metres_of / max(metres_of[-1], 1e-12) for metres_of in come]) if pieces else np.zeros(0)
    metres = np.concatenate(come) if pieces else np.zeros(0)
    rows = np.repeat(owner, lengths)
    width, colour = np.full(total, _plain_width(frame.layer), np.float32), _plain_colour(frame.layer, total)
    mine = rows >= 0
    width[mine], colour[mine] = frame.size[rows[mine], 0], frame.colour[rows[mine]]
    if frame.layer.look.drawn_as != "beam":
        width *= ribbon.width * curve_at(ribbon.taper, share)
        colour[:, :3] *= colours_at(ribbon.colours, share)
    along = metres / ribbon.tile if ribbon.texture == "tiled" else share
    across = np.zeros((total, 3), np.float32)
    return Strips(first, point, width, across, colour, along.astype(np.float32), owner)


def curve_at(curve: Curve | None, share: np.ndarray) -> np.ndarray | float:
    """(points,) of the curve at these shares (points,) of the length; 1 without a curve."""
    return 1.0 if curve is None else sample_keys(curve.keys, share).astype(np.float32)


def colours_at(gradient: Gradient | None, share: np.ndarray) -> np.ndarray | float:
    """(points, 3) linear at these shares (points,) of the length; 1 without a gradient."""
    if gradient is None:
        return 1.0
    table = gradient.table()
    at = np.linspace(0.0, 1.0, len(table))
    return np.stack([np.interp(share, at, table[:, c]) for c in range(3)], axis=1).astype(np.float32)


def _plain_width(layer: Layer) -> float:
    return layer.birth.size.middle * layer.scale


def _plain_colour(layer: Layer, count: int) -> np.ndarray:
    """(count, 4) float32: the colour of strips that belong to no particle."""
    tint = np.mean(layer.birth.tint.table(), axis=0) * layer.birth.brightness.middle
    return np.tile(np.array([*tint, min(layer.birth.opacity.middle, 1.0)], np.float32), (count, 1))
