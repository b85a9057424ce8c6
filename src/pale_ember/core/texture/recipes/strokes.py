"""How strokes of a brush are painted: touches laid along their way."""

from __future__ import annotations

import functools

import numpy as np

from pale_ember.core.effect.recipe.sources import Paint, Stroke
from pale_ember.core.texture.noise import BILLOWS, NoiseField
from pale_ember.core.texture.recipes import kernels
from pale_ember.core.texture.recipes.canvas import Canvas, from_planes, planes_of

_TIP = 64
_SPACING = 0.22
"""Touches of one stroke lie so many radii apart: closer would take longer and look the same."""
_KINDS = 8
"""Tips of one kind that are taken in turn, so that a stroke does not repeat itself."""


@functools.cache
def tips(kind: str) -> np.ndarray:
    """(8, 64, 64) float32, how much each place of a tip leaves, read-only."""
    line = (np.arange(_TIP) + 0.5) / _TIP * 2 - 1
    x, y = np.meshgrid(line, line)
    r = np.hypot(x, y)
    soft = np.clip(1 - r**2, 0, 1) ** 2
    hard = np.clip((1 - r) * 12, 0, 1)
    out = np.empty((_KINDS, _TIP, _TIP), np.float32)
    for k in range(_KINDS):
        rng = np.random.default_rng(40 + k)
        if kind == "soft":
            out[k] = soft
        elif kind == "hard":
            out[k] = hard
        elif kind == "chalk":
            grain = NoiseField(40 + k).layered(x * 9 + 20, y * 9 + 20, 0.5, 3, BILLOWS)
            out[k] = np.clip((1 - r) * 4, 0, 1) * np.clip(1.6 + 2.6 * grain, 0, 1)
        elif kind == "bristle":
            hairs = np.zeros_like(r)
            for _ in range(26):
                turn, out_at = rng.uniform(0, 2 * np.pi), 0.9 * rng.random() ** 0.5
                hairs += np.exp(-((np.hypot(x - out_at * np.cos(turn), y - out_at * np.sin(turn)) / 0.06) ** 2))
            # The same hairs all along: they draw lines.
            out[k] = np.clip(hairs, 0, 1) if k == 0 else out[0]
        else:
            out[k] = (rng.random((_TIP, _TIP)) < 0.06) * soft
    out.setflags(write=False)
    return out


_TOOLS = ("paint", "erase", "smear")


def touches(stroke: Stroke) -> np.ndarray:
    """(n, 3) across, up and pressure of each touch of a stroke along its way, evenly apart."""
    points = np.array(stroke.path[: len(stroke.path) // 3 * 3], float).reshape(-1, 3)
    if len(points) < 2:
        return points
    length = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(points[:, :2], axis=0).T))])
    count = max(int(length[-1] / (_SPACING * stroke.size)), 1)
    at = np.linspace(0, length[-1], count + 1)
    return np.stack([np.interp(at, length, points[:, k]) for k in range(3)], axis=1)


def repeated(points: np.ndarray, stroke: Stroke) -> list[np.ndarray]:
    """The touches of a stroke as often as its symmetry repeats them."""
    copies = [points]
    if stroke.mirror:
        copies.append(points * np.array([-1, 1, 1]))
    turned = []
    for k in range(stroke.around):
        cos, sin = np.cos(2 * np.pi * k / stroke.around), np.sin(2 * np.pi * k / stroke.around)
        for each in copies:
            x, y = each[:, 0] * cos - each[:, 1] * sin, each[:, 0] * sin + each[:, 1] * cos
            turned.append(np.stack([x, y, each[:, 2]], axis=1))
    return turned


def lay(planes: np.ndarray, stroke: Stroke) -> None:
    """Lays a stroke over planes (4, h, w)."""
    size, tip = planes.shape[1], tips(stroke.tip)
    room = np.empty((4, (2 * int(stroke.size * size / 2) + 4) ** 2 if stroke.tool == "smear" else 1), np.float32)
    for points in repeated(touches(stroke), stroke):
        pixels = np.stack([(points[:, 0] + 1) * size / 2, (1 - points[:, 1]) * size / 2], axis=1)
        for n in range(1 if stroke.tool == "smear" else 0, len(points)):
            press = float(np.clip(points[n, 2], 0.05, 1))
            radius = max(stroke.size * size / 2 * (0.4 + 0.6 * press), 0.6)
            x, y = pixels[n]
            was_x, was_y = pixels[max(n - 1, 0)]
            kernels.touch(
                planes, tip[n % _KINDS], x, y, radius, np.float32(stroke.flow * press),
                np.float32(stroke.colour[0]), np.float32(stroke.colour[1]), np.float32(stroke.colour[2]),
                _TOOLS.index(stroke.tool), was_x, was_y, stroke.tiles, room,
            )  # fmt: skip


def paint(step: Paint, c: Canvas, state: np.ndarray) -> np.ndarray:
    planes = planes_of(state)
    planes = np.repeat(planes, 4, axis=0) if len(planes) == 1 else planes
    for stroke in step.strokes:
        lay(planes, stroke)
    return from_planes(planes)
