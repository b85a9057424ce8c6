"""Layers of sprites: a Frame's arrays packed for the card, and drawn."""

from __future__ import annotations

import moderngl
import numpy as np

from pale_ember.core.simulate.frame import LayerFrame
from pale_ember.draw.shaders import program
from pale_ember.draw.view import View

_FLOATS = 14
_LAYOUT = ("3f 2f 1f 4f 1f 3f/i", "place", "extent", "angle", "tint", "frame", "motion")
_BLENDS = {"additive": 0, "alpha": 1, "multiply": 2}

CHUNK = 8192
"""Sprites drawn by one call: the processor transforms them within it while it holds the interpreter's lock."""


def packed(layer: LayerFrame, view: View) -> np.ndarray:
    """(n, 14) float32, the instances of a layer, back to front where that is seen."""
    made = np.empty((layer.count, _FLOATS), np.float32)
    made[:, 0:3] = layer.position
    made[:, 3:5] = layer.size[:, :2]
    made[:, 5] = np.radians(layer.angle)
    made[:, 6:10] = layer.colour
    made[:, 10] = layer.frame
    made[:, 11:14] = layer.velocity
    if layer.layer.look.blend == "alpha":
        made = made[np.argsort(-(layer.position @ view.forward.astype(np.float32)), kind="stable")]
    return made


Box = tuple[float, float, float, float]
"""Part of a frame: left, top, right, bottom, 0 to 1 from its top left."""

_MARGIN = 8
"""Pixels around what a frame holds, for the blur of its smaller levels."""


def filled_box(pixels: np.ndarray, columns: int, rows: int) -> Box:
    """The part of a sheet's frames that anything is ever drawn in, so that no empty pixel costs anything.

    pixels : (height, width, 4) float32.
    """
    height, width = pixels.shape[0] // rows, pixels.shape[1] // columns
    seen = (
        pixels[: height * rows, : width * columns, 3].reshape(rows, height, columns, width).max(axis=(0, 2)) > 1 / 512
    )
    across, down = np.flatnonzero(seen.any(axis=0)), np.flatnonzero(seen.any(axis=1))
    if not len(across):
        return 0.0, 0.0, 1.0, 1.0
    return (
        max(across[0] - _MARGIN, 0) / width,
        max(down[0] - _MARGIN, 0) / height,
        min(across[-1] + 1 + _MARGIN, width) / width,
        min(down[-1] + 1 + _MARGIN, height) / height,
    )


class Sprites:
    """Draws layers as camera-facing or motion-aligned quads."""

    def __init__(self, context: moderngl.Context) -> None:
        self._context = context
        self._program = program(context, "sprite.vert", "sprite.frag")
        self._buffer = context.buffer(reserve=CHUNK * _FLOATS * 4, dynamic=True)
        self._array = context.vertex_array(self._program, [(self._buffer, *_LAYOUT)])

    def draw(
        self, layer: LayerFrame, view: View, picture: moderngl.Texture, trim: Box, depth: moderngl.Texture
    ) -> None:
        look, program = layer.layer.look, self._program
        program["to_clip"] = tuple(view.to_clip.T.ravel())
        for name in ("eye", "forward", "right", "up"):
            program[name] = tuple(getattr(view, name))
        program["along_motion"] = look.facing == "along motion"
        program["streak"] = look.streak
        program["grid"] = (look.columns, look.rows)
        program["crossfade"] = look.play != "one at random" and look.columns * look.rows > 1
        program["trim"] = trim
        program["soft"] = look.soft
        program["blend"] = _BLENDS[look.blend]
        program["picture"], program["scene_depth"] = 0, 1
        picture.use(0)
        depth.use(1)
        if look.blend == "multiply":
            self._context.blend_func = moderngl.ZERO, moderngl.SRC_COLOR
        else:
            self._context.blend_func = moderngl.ONE, moderngl.ONE_MINUS_SRC_ALPHA
        instances = packed(layer, view)
        for first in range(0, len(instances), CHUNK):
            part = instances[first : first + CHUNK]
            self._buffer.orphan()
            self._buffer.write(part)
            self._array.render(moderngl.TRIANGLE_STRIP, vertices=4, instances=len(part))

    def release(self) -> None:
        for thing in (self._array, self._buffer, self._program):
            thing.release()
