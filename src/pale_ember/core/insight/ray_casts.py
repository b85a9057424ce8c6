"""What of the stage lies on a line of sight: the ground or a prop, where, and how its surface stands there."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.places import Place
from pale_ember.core.effect.stage import Prop
from pale_ember.core.geometry.mesh import Mesh, box, solid, wedge
from pale_ember.core.simulate.poses import PoseFrames, Poses

PLANE = 60.0
"""Metres of an endless plane that are drawn, and met."""


@dataclass(frozen=True, slots=True, eq=False)
class RayHit:
    """A place on a surface. place, normal : (3,) float64, m and of unit length, in the world. prop : the name of what has
    it, "" for the ground."""

    place: np.ndarray
    normal: np.ndarray
    prop: str = ""


def shape_of(prop: Prop, meshes: Callable[[str], Mesh]) -> Mesh:
    """A prop's shape, a metre across, about its middle; a mesh as it was modelled."""
    if prop.shape == "mesh":
        return meshes(prop.mesh)
    if prop.shape == "sphere":
        return solid("sphere")
    if prop.shape == "cylinder":
        cylinder = solid("cylinder")
        return Mesh(cylinder.points - [0.0, 0.5, 0.0], cylinder.faces)
    if prop.shape == "ramp":
        return wedge((1.0, 1.0, 1.0))
    if prop.shape == "plane":
        return box((1.0, 1e-4, 1.0), (0.0, -5e-5, 0.0))
    return box((1.0, 1.0, 1.0))


def size_of(prop: Prop) -> np.ndarray:
    """(3,) factors on the axes of a prop's shape."""
    x, y, z = prop.size
    return np.array({"sphere": (x, x, x), "cylinder": (x, y, x), "plane": (PLANE, 1.0, PLANE)}.get(prop.shape, (x, y, z)))


def ray_hit(effect: Effect, eye: np.ndarray, way: np.ndarray, time: float, meshes: Callable[[str], Mesh]) -> RayHit | None:
    """The nearest of the ground and the shown props along a line, at a moment of the effect, s; None where none is.

    eye, way : (3,) m, in the world. Triangles are ray_hit as Möller and Trumbore (1997) say.
    """
    best: tuple[float, RayHit] | None = None
    if eye[1] * way[1] < 0:
        far = -eye[1] / way[1]
        best = far, RayHit(eye + far * way, np.array([0.0, 1.0 if eye[1] > 0 else -1.0, 0.0]))
    poses = Poses(effect)
    for prop in effect.stage.props:
        if not prop.shown:
            continue
        frames = poses.thing(prop, np.array([time]))
        stand = frames.turn[0] * size_of(prop)
        back = np.linalg.inv(stand)
        here, along = back @ (eye - frames.place[0]), back @ way
        mesh = shape_of(prop, meshes)
        hit = _first(mesh.points[mesh.faces], here, along)
        if hit is not None and (best is None or hit[0] < best[0]):
            normal = back.T @ hit[1]
            normal /= np.linalg.norm(normal)
            best = hit[0], RayHit(eye + hit[0] * way, normal if normal @ way < 0 else -normal, prop.name)
    return best[1] if best is not None else None


def _first(corners: np.ndarray, eye: np.ndarray, way: np.ndarray) -> tuple[float, np.ndarray] | None:
    """How far along a line the first of some triangles (n, 3, 3) is met, in lengths of `way`, and its normal (3,)."""
    one, two = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    across = np.cross(way, two)
    slant = np.einsum("nj,nj->n", one, across)
    facing = np.where(np.abs(slant) < 1e-15, np.inf, slant)
    away = eye - corners[:, 0]
    u = np.einsum("nj,nj->n", away, across) / facing
    side = np.cross(away, one)
    v = side @ way / facing
    far = np.einsum("nj,nj->n", two, side) / facing
    inside = (u >= 0) & (v >= 0) & (u + v <= 1) & (far > 1e-6)
    if not inside.any():
        return None
    row = int(np.where(inside, far, np.inf).argmin())
    return float(far[row]), np.cross(one[row], two[row])


def place_at(effect: Effect, layer: Layer, ray_hit: RayHit, time: float) -> Place:
    """A place of a layer where a surface was met, turned to it: on a prop it rides on that, on the ground it is told within
    the layer's own place. time : of the effect, s."""
    poses, now = Poses(effect), np.array([time])
    prop = next((each for each in effect.stage.props if ray_hit.prop and each.name == ray_hit.prop), None)
    frames = poses.layer(layer, now) if prop is None else poses.thing(prop, now)
    there = np.round(np.linalg.inv(frames.turn[0]) @ (ray_hit.place - frames.place[0]), 3).tolist()
    return Place(stands_on=ray_hit.prop, place=(there[0], there[1], there[2]), turn=turn_to(ray_hit.normal, frames))


def turn_to(normal: np.ndarray, parent: PoseFrames) -> tuple[float, float, float]:
    """Degrees about X, Y and Z, within a parent's axes, that turn up along a normal (3,) of the world."""
    up = np.linalg.inv(parent.turn[0]) @ normal
    x, y, z = up / np.linalg.norm(up)
    # Turned about Z first, then X, up is (-sin z, cos z cos x, cos z sin x).
    about_z = -np.degrees(np.arcsin(np.clip(x, -1.0, 1.0)))
    about_x = np.degrees(np.arctan2(z, y))
    return (round(float(about_x), 2), 0.0, round(float(about_z), 2))
