"""Ribbons and beams: a Frame's strips packed for the graphics card, and drawn."""

from __future__ import annotations

from dataclasses import replace as exchanged

import moderngl
import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.look import Look
from pale_ember.core.effect.surface import Dissolve, Surface
from pale_ember.core.simulate.frame import LayerFrame
from pale_ember.draw.brush import Pass, layout, traits, use
from pale_ember.draw.packing import BRIGHTEST, wearing
from pale_ember.draw.shaders import Shader, shader
from pale_ember.draw.textures import Textures

_FLOATS = 20
_PARTS = ((3, "place"), (3, "way"), (3, "across"), (1, "width"), (4, "tint"), (2, "at"), (4, "wearing"))


def packed_strips(layer: LayerFrame) -> np.ndarray:
    """(v, 20) float32: two corners a point, strips joined by corners that cover nothing, for one triangle strip."""
    strips = layer.strips
    if strips is None:
        return np.zeros((0, _FLOATS), np.float32)
    points = len(strips.point)
    if points < 2:
        return np.zeros((0, _FLOATS), np.float32)
    way = np.zeros_like(strips.point)
    for first, last in zip(strips.first[:-1], strips.first[1:], strict=True):
        if last - first > 1:
            way[first:last] = np.gradient(strips.point[first:last], axis=0)
    length = np.linalg.norm(way, axis=1, keepdims=True)
    way /= np.maximum(length, 1e-12)
    corners = np.empty((points, 2, _FLOATS), np.float32)
    corners[:, :, 0:3] = strips.point[:, None]
    corners[:, :, 3:6] = way[:, None]
    corners[:, :, 6:9] = strips.across[:, None]
    corners[:, :, 9] = strips.width[:, None]
    corners[:, :, 10:14] = strips.colour[:, None]
    np.minimum(corners[:, :, 10:13], BRIGHTEST, out=corners[:, :, 10:13])
    corners[:, :, 14] = strips.along[:, None]
    corners[:, 0, 15], corners[:, 1, 15] = 0.0, 1.0
    # A strip that belongs to no particle is as its layer says.
    look = layer.layer.look
    rows = np.repeat(strips.owner, np.diff(strips.first))
    corners[:, :, 16:20] = (look.dissolve.amount, look.dissolve.burn, look.surface.edge_glow, look.surface.warp_by)
    mine = rows >= 0
    corners[mine, :, 16:20] = wearing(layer)[rows[mine], None]
    pieces = []
    for first, last in zip(strips.first[:-1], strips.first[1:], strict=True):
        if last - first > 1:
            strip = corners[first:last].reshape(-1, _FLOATS)
            pieces += [strip[:1], strip, strip[-1:]]
    return np.concatenate(pieces) if pieces else np.zeros((0, _FLOATS), np.float32)


def trailing(layer: LayerFrame) -> LayerFrame:
    """The trails of a layer, as a layer of ribbons."""
    return exchanged(layer, layer=replace(layer.layer, look=trail_look(layer.layer.look)), strips=layer.trail, trail=None)


def trail_look(look: Look) -> Look:
    """The look of the ribbons behind a layer's particles."""
    ribbon = look.ribbon
    return replace(look, drawn_as="ribbon", trail=False, picture=ribbon.picture, blend=ribbon.blend, columns=1, rows=1,
                   surface=Surface(warp_by=0.0), dissolve=Dissolve(), light=replace(look.light, self_lit=0.0, shadow=0.0))  # fmt: skip


class StripParticles:
    """Draws layers as ribbons or beams."""

    def __init__(self, context: moderngl.Context) -> None:
        self._context = context
        self._room = 4096
        self._buffer = context.buffer(reserve=self._room * _FLOATS * 4, dynamic=True)
        self._made: dict[tuple, tuple[Shader, moderngl.VertexArray]] = {}

    def _widen(self, corners: int) -> None:
        """Makes room for so many corners."""
        self.release()
        self._room = 2 * corners
        self._buffer = self._context.buffer(reserve=self._room * _FLOATS * 4, dynamic=True)

    def draw(self, layer: LayerFrame, textures: Textures, now: Pass) -> None:
        """Draws a layer's strips."""
        corners = packed_strips(layer)
        if not len(corners):
            return
        if len(corners) > self._room:
            self._widen(len(corners))
        look = layer.layer.look
        surface = look.surface
        defined = traits(look, now)
        key = tuple(defined.values())
        if key not in self._made:
            program = shader(self._context, "ribbon.vert", "ribbon.frag", **defined)
            self._made[key] = (program, self._context.vertex_array(program.program, [(self._buffer, *layout(program, _PARTS))]))
        drawer, array = self._made[key]
        drawer.put(run=(surface.scroll[0] * now.time, surface.scroll[1] * now.time))
        use(self._context, drawer, look, textures, now)
        self._buffer.orphan()
        self._buffer.write(corners)
        array.render(moderngl.TRIANGLE_STRIP, vertices=len(corners))

    def release(self) -> None:
        for program, array in self._made.values():
            array.release()
            program.release()
        self._made.clear()
        self._buffer.release()
