"""The props of the stage, drawn as plain stone."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import moderngl
import numpy as np

from pale_ember.core.effect.stage import Prop
from pale_ember.core.geometry.mesh import SOLID, TURNED, Mesh
from pale_ember.core.insight.ray_casts import shape_of, size_of
from pale_ember.core.simulate.poses import Poses
from pale_ember.core.view import View
from pale_ember.draw.brush import layout
from pale_ember.draw.coverings import MATTERS
from pale_ember.draw.lights import Lights
from pale_ember.draw.shaders import Shader, shader

SMOOTH = 40.0
"""Faces of a prop that meet at less than this, in degrees, are one round surface."""

HELD = 0.4
"""Metres from a lamp within which a prop is taken for what holds it."""

MOST_STANDING = 8
"""Props that keep light off the ground by standing on it; as many as `scene.frag.glsl` has room for."""


@dataclass(frozen=True, slots=True, eq=False)
class _Made:
    """A mesh on the graphics card. lit : for light. dark : for shadow. closed : whether its faces seen from behind are never seen."""

    mesh: Mesh
    corners: moderngl.Buffer
    lit: moderngl.VertexArray
    dark: moderngl.VertexArray
    closed: bool

    def release(self) -> None:
        for thing in (self.lit, self.dark, self.corners):
            thing.release()


def _stand(poses: Poses, prop: Prop, time: float) -> np.ndarray:
    """(4, 4) from a prop's axes to the world, at a moment of the effect."""
    frames = poses.thing(prop, np.array([time]))
    stand = np.eye(4)
    stand[:3, :3] = frames.turn[0] * size_of(prop)
    stand[:3, 3] = frames.place[0]
    return stand


def constants_of(prop: Prop, stone: np.ndarray) -> dict[str, Any]:
    """What `solid.frag` takes of a prop wherever it stands. stone : (3,) the stage's."""
    return {
        "stone": tuple((stone * prop.tint).tolist()),
        "own_tint": tuple(prop.tint),
        "shines": prop.shines,
        "half_size": tuple(0.5 * side for side in prop.size) if prop.shape == "box" else (0.0, 0.0, 0.0),
        "round_body": prop.shape == "cylinder" or (prop.shape == "mesh" and prop.mesh.removeprefix(SOLID) in TURNED),
    }


def _outside(mesh: Mesh, stand: np.ndarray, eye: np.ndarray) -> bool:
    """Whether an eye is outside the box around a mesh."""
    own = np.linalg.inv(stand)[:3] @ [*eye, 1.0]
    return bool((own < mesh.points.min(axis=0)).any() or (own > mesh.points.max(axis=0)).any())


class Solids:
    """Draws the solid props with light and depth, and what they keep off the ground. meshes : gives a prop's mesh by name. skins : gives
    a picture of a matter by its number."""

    def __init__(self, context: moderngl.Context, meshes: Callable[[str], Mesh], skins: Callable[[int], moderngl.Texture]) -> None:
        self._context, self._meshes, self._skins = context, meshes, skins
        self._lit: dict[tuple[int, bool], Shader] = {}
        self._cast = shader(context, "cast.vert", "cast.frag")
        self._made: dict[tuple[str, int, bool], _Made] = {}

    def _shader(self, matter: int, mirrored: bool) -> Shader:
        key = matter, mirrored
        if key not in self._lit:
            self._lit[key] = shader(self._context, "solid.vert", "solid.frag", KIND=matter, MIRRORED=int(mirrored))
        return self._lit[key]

    def draw(self, poses: Poses, props: list[Prop], view: View, time: float, lights: Lights, *, mirrored: bool, **air: object) -> None:
        """Draws props at a moment of the effect, s; air : the other uniforms of `solid.frag`."""
        stone = np.array(air.pop("stone"))
        self._context.cull_face = "back"
        for kind in {MATTERS.index(prop.matter) for prop in props}:
            drawer = self._shader(kind, mirrored)
            lights.put(drawer)
            drawer.put(
                to_clip=tuple(view.to_clip.T.ravel().tolist()), eye=tuple(view.eye.tolist()), forward=tuple(view.forward.tolist()), **air
            )
        for prop in props:
            stand = _stand(poses, prop, time)
            matter = MATTERS.index(prop.matter)
            drawer = self._shader(matter, mirrored)
            if matter:
                skin = self._skins(matter)
                skin.use(0)
                drawer.put(skin=0, texels=float(skin.width))
            axes = stand[:3, :3] / np.maximum(np.linalg.norm(stand[:3, :3], axis=0), 1e-9)
            drawer.put(stand=tuple(stand.T.ravel().tolist()), axes=tuple(axes.T.ravel().tolist()), **constants_of(prop, stone))
            made = self._of(prop, mirrored)
            if made.closed and _outside(made.mesh, stand, view.eye):
                self._context.enable(moderngl.CULL_FACE)
            made.lit.render(moderngl.TRIANGLES)
            self._context.disable(moderngl.CULL_FACE)

    def cast(self, poses: Poses, props: list[Prop], view: View, time: float, lights: Lights) -> None:
        """Adds what keeps light off the ground: in red that of the strongest lamp, in green that of the sun. What holds a lamp, or shines
        itself, throws no shadow of it."""
        sources = [(tuple(place.tolist()), 1.0, (1.0, 0.0, 0.0, 0.0)) for place, _ in lights.lamps[:1] if place[1] > 0]
        if lights.sun_power.sum() > 0 and lights.sun_way[1] > 0.02:
            sources.append((tuple(lights.sun_way.tolist()), 0.0, (0.0, 1.0, 0.0, 0.0)))
        for at, kind, whose in sources:
            self._cast.put(to_clip=tuple(view.to_clip.T.ravel().tolist()), source=(*at, kind), whose=whose)
            for prop in props:
                stand = _stand(poses, prop, time)
                if kind and (prop.shines > 0 or self._holds(prop, stand, np.array(at))):
                    continue
                self._cast.put(stand=tuple(stand.T.ravel().tolist()))
                self._of(prop).dark.render(moderngl.TRIANGLES)

    def _holds(self, prop: Prop, stand: np.ndarray, lamp: np.ndarray) -> bool:
        """Whether a prop comes so near to a lamp that it must be what holds it."""
        there = shape_of(prop, self._meshes).points @ stand[:3, :3].T + stand[:3, 3]
        return bool((np.square(there - lamp).sum(axis=1) < HELD * HELD).any())

    def feet(self, poses: Poses, props: list[Prop], time: float) -> tuple[np.ndarray, np.ndarray]:
        """Where props stand: (n, 4) x, z, cos and sin of the turn, and (n, 4) half width, half depth, lowest, highest; m."""
        feet, bodies = [], []
        for prop in props:
            points = shape_of(prop, self._meshes).points
            low, high = points.min(axis=0), points.max(axis=0)
            corners = np.array(
                [[(low, high)[i][0], (low, high)[j][1], (low, high)[k][2]] for i in (0, 1) for j in (0, 1) for k in (0, 1)]
            )
            stand = _stand(poses, prop, time)
            there = corners @ stand[:3, :3].T + stand[:3, 3]
            along = stand[[0, 2], 0]
            cos, sin = along / max(float(np.linalg.norm(along)), 1e-9)
            wide, deep = there[:, [0, 2]] @ (cos, sin), there[:, [0, 2]] @ (-sin, cos)
            middle = np.array([np.ptp(wide) / 2 + wide.min(), np.ptp(deep) / 2 + deep.min()])
            feet.append((middle[0] * cos - middle[1] * sin, middle[0] * sin + middle[1] * cos, cos, sin))
            bodies.append((np.ptp(wide) / 2, np.ptp(deep) / 2, there[:, 1].min(), there[:, 1].max()))
        return np.array(feet, np.float32).reshape(-1, 4), np.array(bodies, np.float32).reshape(-1, 4)

    def _of(self, prop: Prop, mirrored: bool = False) -> _Made:
        name = (prop.mesh if prop.shape == "mesh" else f"shape:{prop.shape}"), MATTERS.index(prop.matter), mirrored
        mesh = shape_of(prop, self._meshes)
        known = self._made.get(name)
        if known is not None and (known.mesh is mesh or prop.shape != "mesh"):
            return known
        if known is not None:
            known.release()
        corners = self._context.buffer(np.concatenate([mesh.corners(), mesh.shaded(SMOOTH)], axis=2).astype(np.float32).tobytes())
        drawer = self._shader(*name[1:])
        lit = self._context.vertex_array(drawer.program, [(corners, *layout(drawer, ((3, "place"), (3, "normal"))))])
        dark = self._context.vertex_array(self._cast.program, [(corners, "3f 3x4", "place")])
        made = self._made[name] = _Made(mesh, corners, lit, dark, mesh.closed())
        return made

    def release(self) -> None:
        for made in self._made.values():
            made.release()
        self._made.clear()
        for drawer in self._lit.values():
            drawer.release()
        self._lit.clear()
        self._cast.release()
