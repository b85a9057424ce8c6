"""A camera at work: where things fall on the screen."""

from __future__ import annotations

import math
from dataclasses import dataclass
from dataclasses import replace as exchanged

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.model import Camera

NEAR, FAR = 0.02, 2000.0


@dataclass(frozen=True, slots=True, eq=False)
class View:
    """A camera with a picture's proportions. All float64; vectors (3,), metres in the world.

    to_clip : (4, 4), for column vectors.
    """

    camera: Camera
    aspect: float
    eye: np.ndarray
    forward: np.ndarray
    right: np.ndarray
    up: np.ndarray
    to_clip: np.ndarray

    @property
    def half_height(self) -> float:
        """Tangent of half the vertical angle of view."""
        return math.tan(math.radians(self.camera.fov) / 2)

    def project(self, points: np.ndarray, width: float, height: float) -> np.ndarray:
        """(n, 3) world points to (n, 3): x and y on a screen of this size, first row on top, and metres in front."""
        points = np.asarray(points, float).reshape(-1, 3)
        away = points - self.eye
        depth = away @ self.forward
        safe = np.where(np.abs(depth) < 1e-9, 1e-9, depth) * self.half_height
        x = (away @ self.right) / (safe * self.aspect)
        y = (away @ self.up) / safe
        return np.stack([(x + 1) * width / 2, (1 - y) * height / 2, depth], axis=1)

    def ray(self, x: float, y: float, width: float, height: float) -> np.ndarray:
        """The direction, not of unit length, through a place on the screen; one metre along the view axis.

        (3,) float64.
        """
        across = (2 * x / width - 1) * self.half_height * self.aspect
        upward = (1 - 2 * y / height) * self.half_height
        return self.forward + across * self.right + upward * self.up


def view_of(camera: Camera, width: float, height: float) -> View:
    """A camera at work on a picture of so many pixels."""
    heading, pitch = math.radians(camera.heading), math.radians(camera.pitch)
    # Heading 0 and pitch 0 look along -Z.
    forward = np.array([-math.sin(heading) * math.cos(pitch), -math.sin(pitch), -math.cos(heading) * math.cos(pitch)])
    right = np.array([math.cos(heading), 0.0, -math.sin(heading)])
    up = np.cross(right, forward)
    eye = np.array(camera.target) - camera.distance * forward
    aspect = width / max(height, 1)
    scale = 1 / math.tan(math.radians(camera.fov) / 2)
    turn = np.eye(4)
    turn[0, :3], turn[1, :3], turn[2, :3] = right, up, -forward
    turn[:3, 3] = -turn[:3, :3] @ eye
    lens = np.zeros((4, 4))
    lens[0, 0], lens[1, 1] = scale / aspect, scale
    lens[2, 2], lens[2, 3], lens[3, 2] = (FAR + NEAR) / (NEAR - FAR), 2 * FAR * NEAR / (NEAR - FAR), -1
    return View(camera, aspect, eye, forward, right, up, lens @ turn)


def mirrored(view: View) -> View:
    """A camera below the ground that sees what stands on it as the ground mirrors it: every point above falls on that place of the
    picture where its mirror image is. Its axes are such that a card turned to it stands upright in the world."""
    turned_over = np.array([1.0, -1.0, 1.0])
    return exchanged(
        view,
        eye=view.eye * turned_over,
        forward=view.forward * turned_over,
        right=view.right * turned_over,
        up=-view.up * turned_over,
        to_clip=view.to_clip @ np.diag([1.0, -1.0, 1.0, 1.0]),
    )


def world_size(camera: Camera) -> float:
    """Metres across a square picture at the camera's target."""
    return 2 * math.tan(math.radians(camera.fov) / 2) * camera.distance


def framed(camera: Camera, points: np.ndarray, radii: np.ndarray, aspect: float, share: float = 0.8) -> Camera:
    """`camera`, turned as it is, moved so that balls fill a share of the picture's height or width, whichever is first.

    points : (n, 3) m. radii : (n,) m.
    """
    view = view_of(camera, aspect, 1.0)
    axes = np.stack([view.right, view.up, view.forward])
    seen = np.asarray(points, float) @ axes.T
    slopes = share * view.half_height * np.array([aspect, 1.0])
    middle = 0.5 * (seen.min(axis=0) + seen.max(axis=0))
    # The nearest eye for which every ball is inside is where two opposite sides are touched: found side by side.
    for i, slope in enumerate(slopes):
        reach = radii * math.sqrt(1.0 + slope * slope)
        high = (seen[:, i] + reach + slope * -seen[:, 2]).max()
        low = (seen[:, i] - reach - slope * -seen[:, 2]).min()
        middle[i] = 0.5 * (high + low)
    away = np.abs(seen[:, :2] - middle[:2]) + radii[:, None] * np.sqrt(1.0 + slopes**2)
    distance = float((away / slopes - (seen[:, 2] - middle[2])[:, None]).max())
    return replace(camera, target=tuple((middle @ axes).tolist()), distance=max(distance, 0.1))
