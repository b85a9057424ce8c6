"""Particles as flat pictures and as meshes: one quad or one mesh for each, drawn many at a time."""

from __future__ import annotations

from collections.abc import Callable

import moderngl
import numpy as np

from pale_ember.core.effect.look import Look
from pale_ember.core.geometry.mesh import Mesh
from pale_ember.core.simulate.frame import LayerFrame
from pale_ember.core.simulate.plan import turn_matrix
from pale_ember.draw.brush import Pass, layout, put, tiled, traits, use
from pale_ember.draw.packing import PARTS, RICH
from pale_ember.draw.shaders import program
from pale_ember.draw.textures import Textures

CHUNK = 8192
"""Sprites drawn by one call: the processor transforms them within it while it holds the interpreter's lock."""

_CORNERS = 120_000
"""Corners of meshes drawn by one call, for the same reason."""


def _floats(rich: bool) -> int:
    return sum(count for count, _ in (RICH if rich else PARTS))


class Sprites:
    """Draws layers as one quad a particle, and their shadows."""

    def __init__(self, context: moderngl.Context) -> None:
        self._context = context
        self._buffer = context.buffer(reserve=CHUNK * _floats(True) * 4, dynamic=True)
        self._made: dict[tuple, tuple[moderngl.Program, moderngl.VertexArray]] = {}
        self._shadow: dict[bool, tuple[moderngl.Program, moderngl.VertexArray]] = {}

    def draw(self, layer: LayerFrame, instances: np.ndarray, textures: Textures, now: Pass) -> None:
        """Draws a layer's packed instances."""
        look, rich = layer.layer.look, instances.shape[1] == _floats(True)
        defined = traits(look, now)
        key = (*defined.values(), rich)
        if key not in self._made:
            made = program(self._context, "sprite.vert", "sprite.frag", **defined)
            form = layout(made, RICH if rich else PARTS, "/i")
            self._made[key] = made, self._context.vertex_array(made, [(self._buffer, *form)])
        shader, array = self._made[key]
        # Where the picture runs or is eaten, nothing of it can be known to be empty.
        whole = tiled(look) or look.surface.warp
        put(
            shader, turn=tuple(turn_matrix(layer.layer.turn).T.ravel().tolist()), pivot=look.pivot, nearer=look.nearer,
            streak=look.streak, grid=(look.columns, look.rows), trim=(0.0, 0.0, 1.0, 1.0) if whole else textures.trim(look),
        )  # fmt: skip
        use(self._context, shader, look, textures, now)
        self._render(array, instances)

    def shadow(self, layer: LayerFrame, instances: np.ndarray, now: Pass) -> None:
        """Darkens the ground below a layer."""
        rich = instances.shape[1] == _floats(True)
        if rich not in self._shadow:
            made = program(self._context, "shadow.vert", "shadow.frag")
            form = layout(made, RICH if rich else PARTS, "/i")
            self._shadow[rich] = made, self._context.vertex_array(made, [(self._buffer, *form)])
        shader, array = self._shadow[rich]
        sun = now.lights.sun_way
        fall = -sun if now.lights.sun_power.sum() > 0 and sun[1] > 0.2 else np.array([0.0, -1.0, 0.0])
        put(
            shader, to_clip=tuple(now.view.to_clip.T.ravel()), eye=tuple(now.view.eye), scene_depth=1,
            forward=tuple(now.view.forward), fall=tuple(fall), dark=layer.layer.look.light.shadow * now.strength,
        )  # fmt: skip
        now.depth.use(1)
        self._context.blend_func = moderngl.ZERO, moderngl.SRC_COLOR
        self._render(array, instances)

    def _render(self, array: moderngl.VertexArray, instances: np.ndarray) -> None:
        for first in range(0, len(instances), CHUNK):
            part = instances[first : first + CHUNK]
            self._buffer.orphan()
            self._buffer.write(part)
            array.render(moderngl.TRIANGLE_STRIP, vertices=4, instances=len(part))

    def release(self) -> None:
        for shader, array in (*self._made.values(), *self._shadow.values()):
            array.release()
            shader.release()
        self._made.clear()
        self._shadow.clear()
        self._buffer.release()


class Bodies:
    """Draws layers as one mesh a particle. meshes : gives a mesh by its name."""

    def __init__(self, context: moderngl.Context, meshes: Callable[[str], Mesh]) -> None:
        self._context, self._meshes = context, meshes
        self._buffer = context.buffer(reserve=CHUNK * _floats(True) * 4, dynamic=True)
        self._shaders: dict[tuple, moderngl.Program] = {}
        self._bodies: dict[tuple, tuple[Mesh, moderngl.Buffer, dict[tuple, moderngl.VertexArray]]] = {}

    def draw(self, layer: LayerFrame, instances: np.ndarray, textures: Textures, now: Pass) -> None:
        """Draws a layer's packed instances, told the rich way."""
        look = layer.layer.look
        defined = traits(look, now)
        key = tuple(defined.values())
        if key not in self._shaders:
            self._shaders[key] = program(self._context, "mesh.vert", "mesh.frag", **defined)
        shader = self._shaders[key]
        mesh, array = self._array(look, key)
        low, high = mesh.points[:, 1].min(), mesh.points[:, 1].max()
        put(
            shader, turn=tuple(turn_matrix(layer.layer.turn).T.ravel().tolist()), nearer=look.nearer,
            foot=float(0.5 * (low + high) + 0.5 * look.pivot * (high - low)), tumbles=look.solid.tumbles,
        )  # fmt: skip
        use(self._context, shader, look, textures, now)
        at_once = max(min(_CORNERS // max(3 * len(mesh.faces), 1), CHUNK), 1)
        for first in range(0, len(instances), at_once):
            part = instances[first : first + at_once]
            self._buffer.orphan()
            self._buffer.write(part)
            array.render(moderngl.TRIANGLES, instances=len(part))

    def _array(self, look: Look, key: tuple) -> tuple[Mesh, moderngl.VertexArray]:
        name = look.solid.mesh, look.solid.smooth
        mesh = self._meshes(look.solid.mesh)
        known = self._bodies.get(name)
        if known is None or known[0] is not mesh:
            self._drop(name)
            coords = np.zeros((len(mesh.points), 2)) if mesh.coords is None else mesh.coords
            corners = np.concatenate(
                [mesh.corners(), mesh.shaded(look.solid.smooth), coords[mesh.faces]], axis=2
            ).astype(np.float32)
            known = self._bodies[name] = mesh, self._context.buffer(corners.tobytes()), {}
        if key not in known[2]:
            shader = self._shaders[key]
            body = (known[1], *layout(shader, ((3, "corner"), (3, "normal"), (2, "coords"))))
            known[2][key] = self._context.vertex_array(shader, [body, (self._buffer, *layout(shader, RICH, "/i"))])
        return mesh, known[2][key]

    def _drop(self, name: tuple) -> None:
        known = self._bodies.pop(name, None)
        if known is not None:
            for array in known[2].values():
                array.release()
            known[1].release()

    def release(self) -> None:
        for name in list(self._bodies):
            self._drop(name)
        for shader in self._shaders.values():
            shader.release()
        self._shaders.clear()
        self._buffer.release()
