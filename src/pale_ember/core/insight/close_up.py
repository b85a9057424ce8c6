"""From where most of what an effect shows is well in the picture."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.model import Camera
from pale_ember.core.simulate.frame import Frame, LayerFrame
from pale_ember.core.view import framed, world_size

_FAINT = 0.02
_SEEN, _NEAREST = 2.6, 0.34
"""Pixels that most particles have at least: the camera comes nearer for it, but no more than to this share of its way."""

ASKANCE = Camera(heading=20.0, pitch=14.0, fov=34.0)
"""A little from the side and from above."""


def _middles(layer: LayerFrame) -> np.ndarray:
    """(n, 3) m: the middles of what is drawn of a layer, about, wherever its pivot is."""
    look = layer.layer.look
    if look.drawn_as not in ("sprite", "mesh") or look.pivot == 0 or look.facing == "flat":
        return layer.position
    return layer.position - np.array([0.0, 0.5 * look.pivot, 0.0]) * layer.size[:, 1:2]


def close_up(frames: Sequence[Frame], width: int, height: int, camera: Camera = ASKANCE, *, nearer: bool = True) -> Camera:
    """The camera, turned as it is, from where most of what is seen in some frames is well in a picture of so many pixels. nearer :
    whether it comes nearer for what is small, though not all is seen then."""
    layers = [layer for frame in frames for layer in frame.layers if layer.count]
    if not layers:
        return camera
    places = np.concatenate([_middles(layer) for layer in layers]).astype(float)
    half = np.concatenate([0.5 * layer.size.max(axis=1) for layer in layers]).astype(float)
    seen = np.concatenate([(layer.colour[:, 3] > _FAINT) & (layer.size[:, 0] > 0) for layer in layers])
    # What is large counts for more than what is small.
    often = np.clip(np.round(half / max(float(np.median(half)), 1e-6)), 1, 16).astype(int)
    counted = np.repeat(places, np.where(seen, often, 0), axis=0) if seen.any() else places
    low, high = np.percentile(counted, 6, axis=0) - 0.02, np.percentile(counted, 94, axis=0) + 0.02
    near = seen & ((places >= low) & (places <= high)).all(axis=1)
    if not near.any():
        near = np.ones(len(places), bool)
    whole = framed(camera, places[near], half[near] * 0.8, width / height, share=0.95)
    beams = [layer.layer for layer in layers if layer.layer.look.drawn_as == "beam"]
    if beams:
        ends = [np.add(beam.place, beam.look.beam.reach) for beam in beams] + [np.array(beam.place) for beam in beams]
        return framed(camera, np.array(ends, float), np.full(len(ends), 0.2), width / height, share=0.95)
    if not nearer:
        return whole
    pixels = float(np.median(2 * half[near])) / world_size(whole) * height
    return replace(whole, distance=whole.distance * min(max(pixels / _SEEN, _NEAREST), 1.0))
