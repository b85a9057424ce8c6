"""A Frame's particles packed for the graphics card, in the order they are drawn."""

from __future__ import annotations

import numpy as np

from pale_ember.core.simulate.frame import LayerFrame
from pale_ember.core.simulate.orientation import share_of
from pale_ember.core.view import View

PARTS = ((3, "place"), (3, "extent"), (1, "angle"), (4, "tint"), (1, "frame"), (3, "motion"), (1, "lengthens"))
RICH = (*PARTS, (4, "wearing"), (4, "running"), (3, "own_light"), (1, "cools"), (3, "shares"))
"""What a particle is told as, in floats; the richer form for surfaces that need more than a picture."""

BRIGHTEST = 2000.0
"""Brighter than this nothing looks any brighter, and thirty over each other would leave the range of half floats."""


def packed(layer: LayerFrame, view: View, time: float = 0.0, *, rich: bool = True, shares: np.ndarray | None = None) -> np.ndarray:
    """(n, 16 or 31) float32, the instances of a layer in the order they are drawn. time : s, for what runs by itself. shares : (n, 3)
    of the light of sun, sky and strongest lamp that comes to each; None for all of it."""
    look, driven = layer.layer.look, layer.driven
    rows = np.empty((layer.count, sum(count for count, _ in (RICH if rich else PARTS))), np.float32)
    rows[:, 0:3] = layer.position
    rows[:, 3:6] = layer.size
    rows[:, 6] = np.radians(layer.angle)
    rows[:, 7:11] = layer.colour
    np.minimum(rows[:, 7:10], BRIGHTEST, out=rows[:, 7:10])
    rows[:, 11] = layer.frame
    rows[:, 12:15] = layer.velocity
    rows[:, 15] = layer.streaks() * (1.0 + driven.get("streak", 0.0))
    if rich:
        own = share_of(layer.number)
        surface = look.surface
        rows[:, 16:20] = wearing(layer)
        rows[:, 20] = surface.scroll[0] * time + driven.get("scroll x", 0.0) + surface.scatter * own
        rows[:, 21] = surface.scroll[1] * time + driven.get("scroll y", 0.0) + surface.scatter * own * 1.7
        rows[:, 22] = surface.shimmer * (1.0 + driven.get("heat shimmer", 0.0))
        rows[:, 23] = own
        rows[:, 24:27] = own_light(layer)
        rows[:, 27] = surface.ramp_cools * layer.age
        rows[:, 28:31] = 1.0 if shares is None else shares
    order = drawing_order(layer, view)
    return rows if order is None else rows[order]


def own_light(layer: LayerFrame) -> np.ndarray:
    """(n, 3) float32: the light of its own that each particle shines with, linear."""
    light = layer.layer.look.light
    if light.self_lit <= 0:
        return np.zeros((layer.count, 3), np.float32)
    strength = light.self_lit * (1.0 + np.asarray(layer.driven.get("self-lit", 0.0)))
    shone = light.self_colour.at(layer.age) * np.reshape(strength, (-1, 1))
    return np.clip(shone, 0.0, BRIGHTEST).astype(np.float32)


def wearing(layer: LayerFrame) -> np.ndarray:
    """(n, 4) float32: how far each is eaten, how its edge burns, how its rim glows, how far it is warped."""
    look, driven = layer.layer.look, layer.driven
    rows = np.empty((layer.count, 4), np.float32)
    rows[:, 0] = look.dissolve.amount + driven.get("dissolve", 0.0)
    rows[:, 1] = look.dissolve.burn * (1.0 + driven.get("burn", 0.0))
    rows[:, 2] = look.surface.edge_glow * (1.0 + driven.get("edge glow", 0.0))
    rows[:, 3] = look.surface.warp_by * (1.0 + driven.get("warp", 0.0))
    return rows


def drawing_order(layer: LayerFrame, view: View) -> np.ndarray | None:
    """Which particle is drawn when, or None where birth order will do. (n,) int64."""
    look = layer.layer.look
    if look.blend in ("alpha", "premultiplied") and look.stacking == "near on top":
        return greatest_first(layer.position @ view.forward.astype(np.float32))
    if look.stacking in ("young on top", "old on top"):
        return greatest_first(layer.age if look.stacking == "young on top" else -layer.age)
    return None


def greatest_first(values: np.ndarray) -> np.ndarray:
    """(n,) the order of numbers (n,) float32, the greatest first; equal ones stay as they are.

    By the 65,536th part of their span: whole numbers of 16 bits are sorted in a tenth of the time of fractions.
    """
    if len(values) == 0:
        return np.zeros(0, np.intp)
    least, greatest = float(values.min()), float(values.max())
    steps = (greatest - values) * np.float32(65535.0 / max(greatest - least, 1e-12))
    return np.argsort(steps.astype(np.uint16), kind="stable")
