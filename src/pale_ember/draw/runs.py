"""A Frame as a game's renderer takes it: what is drawn at once, in order, with where each card, mesh and strip stands.

The shaders compute the same; this says it in numbers, for players to be checked with.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from pale_ember.core.simulate.frame import Frame, LayerFrame
from pale_ember.core.view import View
from pale_ember.draw.brush import hard
from pale_ember.draw.lights import MOST_LAMPS, cast_light
from pale_ember.draw.packing import packed
from pale_ember.draw.strips import packed_strips, trailing

LEAST = 1.2
"""Pixels that what is thin is wide at least."""

Items = list[dict[str, Any]]


def drawing_of(frame: Frame, view: View, pixels_high: float) -> tuple[list[tuple[LayerFrame, dict[str, Any]]], Items]:
    """The runs of a Frame in the order they are drawn, each with its layer, and the lamps that its layers cast, the strongest first.

    pixels_high : pixels that a metre is high, a metre away; 0 for no least width.
    """
    seen = [layer.seen_from(view.eye) for layer in frame.layers if layer.count or layer.strips is not None]
    runs = [(layer, _cards(layer, frame.time, view, pixels_high)) for layer in seen if hard(layer.layer.look)]
    for layer in seen:
        if layer.trail is not None:
            runs.append((layer, _strips(trailing(layer), view, pixels_high)))
        if layer.strips is not None:
            runs.append((layer, _strips(layer, view, pixels_high)))
        elif not hard(layer.layer.look):
            runs.append((layer, _cards(layer, frame.time, view, pixels_high)))
    lamps = [cast for layer in seen for cast in cast_light(layer)]
    lamps = sorted(lamps, key=lambda lamp: -float(lamp[1].sum()))[:MOST_LAMPS]
    told = [{"place": place.tolist(), "power": power.tolist()} for place, power in lamps]
    return [(layer, run) for layer, run in runs if run["items"]], told


def _cards(layer: LayerFrame, time: float, view: View, pixels_high: float) -> dict[str, Any]:
    look, rows = layer.layer.look, packed(layer, view, time).astype(float)
    place, size, angle, colour, motion = rows[:, 0:3], rows[:, 3:6].copy(), rows[:, 6], rows[:, 7:11].copy(), rows[:, 12:15]
    across, upward = _stand(layer, place, motion, view)
    face = np.cross(across, upward)
    if look.drawn_as == "mesh":
        own = _turned(rows[:, 23], angle, look.solid.tumbles)
        axes = np.stack([across, upward, face], axis=2) @ own
        across, upward, face = (axes[:, :, c] * size[:, c : c + 1] for c in range(3))
    else:
        if look.facing == "along motion":
            size[:, 1] += np.linalg.norm(motion, axis=1) * rows[:, 15]
        else:
            cos, sin = np.cos(angle)[:, None], np.sin(angle)[:, None]
            across, upward = across * cos + upward * sin, upward * cos - across * sin
        if look.blend != "cut-out":
            wider = _widened(size[:, :2], (place - view.eye) @ view.forward, pixels_high)
            size[:, :2] *= wider
            colour[:, 3] /= wider.prod(axis=1)
        across, upward = across * size[:, :1], upward * size[:, 1:2]
        place = place - 0.5 * look.pivot * upward
    frames = look.columns * look.rows
    now = np.floor(rows[:, 11])
    follows = frames > 1 and look.drawn_as == "sprite" and look.play in ("over life", "by clock") and look.between != "cut"
    following = (now + 1) % frames if look.play == "by clock" else np.minimum(now + 1, frames - 1)
    columns = {
        "place": place, "across": across, "upward": upward, "face": face, "colour": colour, "frame": now, "next_frame": following,
        "next_share": rows[:, 11] - now if follows else 0 * now, "wearing": rows[:, 16:20], "running": rows[:, 20:24],
        "self_lit": rows[:, 24:27], "cools": rows[:, 27],
    }  # fmt: skip
    return _run("meshes" if look.drawn_as == "mesh" else "sprites", layer, columns)


def _strips(layer: LayerFrame, view: View, pixels_high: float) -> dict[str, Any]:
    rows = packed_strips(layer).astype(float)
    place, way, side = rows[:, 0:3], rows[:, 3:6], rows[:, 6:9].copy()
    faces = (side * side).sum(axis=1) < 1e-6
    turned = np.cross(way, view.eye - place)
    side[faces] = (turned / np.maximum(np.linalg.norm(turned, axis=1, keepdims=True), 1e-6))[faces]
    wider = _widened(rows[:, 9:10], (place - view.eye) @ view.forward, pixels_high)
    colour = rows[:, 10:14].copy()
    colour[:, 3] /= wider[:, 0]
    corners = place + side * (rows[:, 9:10] * wider * (rows[:, 15:16] - 0.5))
    columns = {"place": corners, "colour": colour, "along": rows[:, 14], "across": rows[:, 15], "wearing": rows[:, 16:20]}
    return _run("strips", layer, columns)


def _run(kind: str, layer: LayerFrame, columns: dict[str, np.ndarray]) -> dict[str, Any]:
    look = layer.layer.look
    told = {name: np.round(column, 6).tolist() for name, column in columns.items()}
    items = [dict(zip(told, row, strict=True)) for row in zip(*told.values(), strict=True)]
    return {"kind": kind, "blend": look.blend, "solid": hard(look), "picture": look.picture, "items": items}


def _widened(size: np.ndarray, away: np.ndarray, pixels_high: float) -> np.ndarray:
    """How many times as wide something must be drawn that no pixel of it is missed. size : (n, m) m; away : (n,) m before the eye."""
    if pixels_high <= 0:
        return np.ones_like(size)
    return np.maximum(LEAST * np.maximum(away, 0.05)[:, None] / (pixels_high * np.maximum(size, 1e-9)), 1.0)


def _stand(layer: LayerFrame, place: np.ndarray, motion: np.ndarray, view: View) -> tuple[np.ndarray, np.ndarray]:
    """(n, 3) each: the units across and up a card or mesh, before it is turned by its angle."""
    facing, count = layer.layer.look.facing, len(place)
    across, upward = np.tile(view.right, (count, 1)), np.tile(view.up, (count, 1))
    speed = np.linalg.norm(motion, axis=1, keepdims=True)
    if facing == "upright":
        upward = np.tile([0.0, 1.0, 0.0], (count, 1))
        across = _unit(np.cross(upward, view.eye - place) + [1e-6, 0.0, 0.0])
    elif facing == "along motion":
        way = motion / np.maximum(speed, 1e-6)
        side = np.cross(way, place - view.eye)
        slant = np.linalg.norm(side, axis=1, keepdims=True)
        some = (speed > 1e-4) & (slant > 1e-5)
        across, upward = np.where(some, side / np.maximum(slant, 1e-12), across), np.where(some, way, upward)
    elif facing == "across motion":
        face = np.where(speed > 1e-4, motion / np.maximum(speed, 1e-12), view.forward)
        across = _unit(np.cross(np.where(np.abs(face[:, 1:2]) < 0.99, [0.0, 1.0, 0.0], [1.0, 0.0, 0.0]), face))
        upward = np.cross(face, across)
    elif facing == "flat":
        across, upward = np.tile([1.0, 0.0, 0.0], (count, 1)), np.tile([0.0, 0.0, -1.0], (count, 1))
    elif facing == "free":
        across, upward = np.tile(layer.stand[:, 0], (count, 1)), np.tile(layer.stand[:, 1], (count, 1))
    return across, upward


def _turned(share: np.ndarray, angle: np.ndarray, tumbles: bool) -> np.ndarray:
    """(n, 3, 3) how meshes are turned by their angles: about an axis of their own each, by its share, or about their height."""
    dice, tilt = 2 * np.pi * share, (share * 97.31) % 1.0 * 2 - 1
    flat = np.sqrt(np.maximum(1 - tilt * tilt, 0.0))
    x, y, z = (np.cos(dice) * flat, tilt, np.sin(dice) * flat) if tumbles else (0 * share, 0 * share + 1, 0 * share)
    zero, cos, sin = 0 * share, np.cos(angle)[:, None, None], np.sin(angle)[:, None, None]
    cross = np.moveaxis(np.array([[zero, -z, y], [z, zero, -x], [-y, x, zero]]), 2, 0)
    return np.eye(3) + sin * cross + (1 - cos) * (cross @ cross)


def _unit(ways: np.ndarray) -> np.ndarray:
    return ways / np.maximum(np.linalg.norm(ways, axis=1, keepdims=True), 1e-12)
