"""The props of the stage, drawn as plain stone."""

from __future__ import annotations

from collections.abc import Callable

import moderngl
import numpy as np

from pale_ember.core.effect.stage import Prop
from pale_ember.core.geometry.mesh import Mesh
from pale_ember.core.insight.ray_casts import shape_of, size_of
from pale_ember.core.simulate.poses import Poses
from pale_ember.core.view import View
from pale_ember.draw.lights import Lights
from pale_ember.draw.shaders import shader


class Solids:
    """Draws the solid props with light and depth. meshes : gives a prop's mesh by name."""

    def __init__(self, context: moderngl.Context, meshes: Callable[[str], Mesh]) -> None:
        self._context, self._meshes = context, meshes
        self._shader = shader(context, "solid.vert", "solid.frag")
        self._made: dict[str, tuple[Mesh, tuple[moderngl.Buffer, moderngl.Buffer], moderngl.VertexArray]] = {}

    def draw(self, poses: Poses, props: list[Prop], view: View, time: float, lights: Lights, **air: object) -> None:
        """Draws props at a moment of the effect, s; air : the other uniforms of `solid.frag`."""
        stone = np.array(air.pop("stone"))
        lights.put(self._shader)
        self._shader.put(
            to_clip=tuple(view.to_clip.T.ravel().tolist()), eye=tuple(view.eye.tolist()), forward=tuple(view.forward.tolist()), **air
        )
        for prop in props:
            frames = poses.thing(prop, np.array([time]))
            stand = np.eye(4)
            stand[:3, :3] = frames.turn[0] * size_of(prop)
            stand[:3, 3] = frames.place[0]
            self._shader.put(stand=tuple(stand.T.ravel().tolist()), stone=tuple((stone * prop.tint).tolist()))
            self._array(prop).render(moderngl.TRIANGLES)

    def _array(self, prop: Prop) -> moderngl.VertexArray:
        name = prop.mesh if prop.shape == "mesh" else f"shape:{prop.shape}"
        mesh = shape_of(prop, self._meshes)
        known = self._made.get(name)
        if known is not None and (known[0] is mesh or prop.shape != "mesh"):
            return known[2]
        if known is not None:
            self._drop(known)
        places = self._context.buffer(mesh.points.astype(np.float32).tobytes())
        corners = self._context.buffer(mesh.faces.astype(np.uint32).tobytes())
        array = self._context.vertex_array(self._shader.program, [(places, "3f", "place")], corners)
        self._made[name] = mesh, (places, corners), array
        return array

    @staticmethod
    def _drop(solid: tuple[Mesh, tuple[moderngl.Buffer, moderngl.Buffer], moderngl.VertexArray]) -> None:
        solid[2].release()
        for buffer in solid[1]:
            buffer.release()

    def release(self) -> None:
        for kept in self._made.values():
            self._drop(kept)
        self._made.clear()
        self._shader.release()
