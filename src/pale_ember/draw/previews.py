"""Living pictures of a few layers: a strip of frames that says at a glance what they do."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.model import Camera, Effect, Layer
from pale_ember.core.effect.stage import QUAY
from pale_ember.core.simulate.frame import LayerFrame
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.view import framed, view_of, world_size
from pale_ember.draw.renderer import Renderer, Shot

FRAMES = 16
"""Frames of a living picture."""
RATE = 10.0
"""Frames a second at which it is played."""
_FAINT = 0.02
_SHORTEST = 0.3
"""Seconds that a living picture of what is born at once shows at least."""
_SEEN, _NEAREST = 2.6, 0.34
"""Pixels that most particles have at least: the camera comes nearer for it, but no more than to this share of its way."""


def _played(layers: Sequence[Layer]) -> tuple[Effect, np.ndarray]:
    """Layers as an effect of their own, and the moments that are shown: from its beginning where all is born at once, else
    from where it has built up."""
    at_once = all(layer.outlet.rate.most == 0 for layer in layers)
    effect = Effect(layers=tuple(layers), duration=3.0, loop=not at_once, warm=not at_once, stage=QUAY)
    if not at_once:
        return effect, 1.0 + np.arange(FRAMES) / RATE
    longest = max(layer.birth.lifetime.most for layer in layers)
    return effect, np.linspace(1 / 60, min(max(longest, _SHORTEST), FRAMES / RATE), FRAMES)


def _middles(layer: LayerFrame) -> np.ndarray:
    """(n, 3) m: the middles of what is drawn of a layer, about, wherever its pivot is."""
    look = layer.layer.look
    if look.drawn_as not in ("sprite", "mesh") or look.pivot == 0 or look.facing == "flat":
        return layer.position
    return layer.position - np.array([0.0, 0.5 * look.pivot, 0.0]) * layer.size[:, 1:2]


def _camera(frames: list, width: int, height: int) -> Camera:
    """From where most of what is seen in some frames is well in the picture."""
    layers = [layer for frame in frames for layer in frame.layers if layer.count]
    camera = Camera(heading=20.0, pitch=14.0, fov=34.0)
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
    pixels = float(np.median(2 * half[near])) / world_size(whole) * height
    return replace(whole, distance=whole.distance * min(max(pixels / _SEEN, _NEAREST), 1.0))


def moving_picture(
    layers: Sequence[Layer], renderer: Renderer, width: int, height: int, go_on: Callable[[], bool] = lambda: True
) -> np.ndarray | None:
    """(FRAMES, height, width, 4) uint8, sRGB, on the dark of the stage; None where `go_on` stopped it.

    Nothing of any stage but its ground is shown.
    """
    effect, moments = _played(layers)
    timeline = Timeline(effect)
    frames = []
    for moment in moments:
        if not go_on():
            return None
        frames.append(timeline.frame(float(moment)))
    view = view_of(_camera(frames[::3], width, height), width, height)
    shot = Shot(stage=effect.stage, background="dark")
    return np.stack([renderer.picture(frame, view, shot, width, height) for frame in frames])
