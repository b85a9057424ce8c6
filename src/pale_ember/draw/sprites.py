"""Particles as flat pictures and as meshes: one quad or one mesh for each, drawn many at a time."""

from __future__ import annotations

import functools
from collections.abc import Callable

import moderngl
import numpy as np

from pale_ember.core.effect.look import Look
from pale_ember.core.geometry.mesh import Mesh
from pale_ember.core.simulate.frame import LayerFrame
from pale_ember.core.texture.outline import MOST, Outline
from pale_ember.draw.brush import Pass, layout, traits, use
from pale_ember.draw.packing import PARTS, RICH
from pale_ember.draw.shaders import Shader, shader
from pale_ember.draw.textures import Textures

CHUNK = 6144
"""Sprites drawn by one call: the processor transforms them within it while it holds the interpreter's lock."""

_CORNERS = 120_000
"""Corners of meshes drawn by one call, for the same reason."""


def _floats(rich: bool) -> int:
    return sum(count for count, _ in (RICH if rich else PARTS))


def _turn(layer: LayerFrame) -> tuple[float, ...]:
    """The layer's axes, for what is turned with it."""
    if layer.layer.look.facing != "free":
        return (1.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0)
    return tuple(layer.stand.T.ravel().tolist())


@functools.cache
def _strip(outline: Outline) -> bytes:
    """The corners of an outline in the order in which a strip of triangles fills it, (MOST, 2) float32."""
    strip = np.zeros((MOST, 2), np.float32)
    strip[: len(outline)] = [outline[(k + 1) // 2 if k % 2 else -(k // 2)] for k in range(len(outline))]
    return strip.tobytes()


class Sprites:
    """Draws layers as one card a particle, and their shadows. wait : waits for all drawing, and has before
    each layer, so that its room may be written anew; None where nothing waits."""

    def __init__(self, context: moderngl.Context, wait: Callable[[], None] | None) -> None:
        self._context, self._wait = context, wait
        self._buffer = context.buffer(reserve=CHUNK * _floats(True) * 4, dynamic=True)
        self._made: dict[tuple, tuple[Shader, moderngl.VertexArray]] = {}
        self._shadow: dict[bool, tuple[Shader, moderngl.VertexArray]] = {}

    def draw(self, layer: LayerFrame, instances: np.ndarray, textures: Textures, now: Pass) -> None:
        """Draws a layer's packed instances."""
        look, rich = layer.layer.look, instances.shape[1] == _floats(True)
        defined = traits(look, now)
        key = (*defined.values(), rich)
        if key not in self._made:
            program = shader(self._context, "sprite.vert", "sprite.frag", **defined)
            form = layout(program, RICH if rich else PARTS, "/i")
            self._made[key] = program, self._context.vertex_array(program.program, [(self._buffer, *form)])
        drawer, array = self._made[key]
        outline = textures.outline(look)
        drawer.put(turn=_turn(layer), pivot=look.pivot, nearer=look.pull, grid=(look.columns, look.rows))
        drawer.write("outline", _strip(outline))
        use(self._context, drawer, look, textures, now)
        self._render(array, instances, len(outline))

    def shadow(self, layer: LayerFrame, instances: np.ndarray, now: Pass) -> None:
        """Darkens the ground below a layer. instances : (n, floats) float32."""
        rich = instances.shape[1] == _floats(True)
        if rich not in self._shadow:
            program = shader(self._context, "shadow.vert", "shadow.frag")
            form = layout(program, RICH if rich else PARTS, "/i")
            self._shadow[rich] = program, self._context.vertex_array(program.program, [(self._buffer, *form)])
        drawer, array = self._shadow[rich]
        sun = now.lights.sun_way
        fall = -sun if now.lights.sun_power.sum() > 0 and sun[1] > 0.2 else np.array([0.0, -1.0, 0.0])
        drawer.put(**now.eyes, scene_depth=1, fall=tuple(fall.tolist()), dark=layer.layer.look.light.shadow * now.strength)
        now.depth.use(1)
        self._context.blend_func = moderngl.ZERO, moderngl.SRC_COLOR
        self._render(array, instances, 4)

    def _render(self, array: moderngl.VertexArray, instances: np.ndarray, corners: int) -> None:
        """instances : (n, floats) float32."""
        for first in range(0, len(instances), CHUNK):
            part = instances[first : first + CHUNK]
            if first and self._wait is not None:
                # Else the card's own room runs out, and it waits by itself, with the interpreter's lock held.
                self._wait()
            elif self._wait is None:
                self._buffer.orphan()
            self._buffer.write(part)
            array.render(moderngl.TRIANGLE_STRIP, vertices=corners, instances=len(part))

    def release(self) -> None:
        for program, array in (*self._made.values(), *self._shadow.values()):
            array.release()
            program.release()
        self._made.clear()
        self._shadow.clear()
        self._buffer.release()


class MeshParticles:
    """Draws layers as one mesh a particle. meshes : gives a mesh by its name. wait : as for sprites."""

    def __init__(self, context: moderngl.Context, meshes: Callable[[str], Mesh], wait: Callable[[], None] | None) -> None:
        self._context, self._meshes, self._wait = context, meshes, wait
        self._buffer = context.buffer(reserve=CHUNK * _floats(True) * 4, dynamic=True)
        self._shaders: dict[tuple, Shader] = {}
        self._bodies: dict[tuple, tuple[Mesh, moderngl.Buffer, dict[tuple, moderngl.VertexArray]]] = {}

    def draw(self, layer: LayerFrame, instances: np.ndarray, textures: Textures, now: Pass) -> None:
        """Draws a layer's packed instances, told the rich way."""
        look = layer.layer.look
        defined = traits(look, now)
        key = tuple(defined.values())
        if key not in self._shaders:
            self._shaders[key] = shader(self._context, "mesh.vert", "mesh.frag", **defined)
        drawer = self._shaders[key]
        mesh, array = self._array(look, key)
        low, high = mesh.points[:, 1].min(), mesh.points[:, 1].max()
        drawer.put(
            turn=_turn(layer),
            nearer=look.pull,
            foot=float(0.5 * (low + high) + 0.5 * look.pivot * (high - low)),
            tumbles=look.solid.tumbles,
        )
        use(self._context, drawer, look, textures, now)
        sides = look.solid.sides
        if sides != "both":
            self._context.enable(moderngl.CULL_FACE)
            self._context.cull_face = "back" if sides == "outside" else "front"
        at_once = max(min(_CORNERS // max(3 * len(mesh.faces), 1), CHUNK), 1)
        for first in range(0, len(instances), at_once):
            part = instances[first : first + at_once]
            if first and self._wait is not None:
                # Else the card's own room runs out, and it waits by itself, with the interpreter's lock held.
                self._wait()
            elif self._wait is None:
                self._buffer.orphan()
            self._buffer.write(part)
            array.render(moderngl.TRIANGLES, instances=len(part))
        self._context.disable(moderngl.CULL_FACE)

    def _array(self, look: Look, key: tuple) -> tuple[Mesh, moderngl.VertexArray]:
        name = look.solid.mesh, look.solid.smooth
        mesh = self._meshes(look.solid.mesh)
        known = self._bodies.get(name)
        if known is None or known[0] is not mesh:
            self._drop(name)
            coords = np.full((len(mesh.points), 2), 0.5) if mesh.coords is None else mesh.coords
            corners = np.concatenate([mesh.corners(), mesh.shaded(look.solid.smooth), coords[mesh.faces]], axis=2).astype(np.float32)
            known = self._bodies[name] = mesh, self._context.buffer(corners.tobytes()), {}
        if key not in known[2]:
            drawer = self._shaders[key]
            body = (known[1], *layout(drawer, ((3, "corner"), (3, "normal"), (2, "coords"))))
            known[2][key] = self._context.vertex_array(drawer.program, [body, (self._buffer, *layout(drawer, RICH, "/i"))])
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
        for program in self._shaders.values():
            program.release()
        self._shaders.clear()
        self._buffer.release()
