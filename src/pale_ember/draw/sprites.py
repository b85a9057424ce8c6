"""Layers of sprites: a Frame's arrays packed for the card, and drawn."""

from __future__ import annotations

import moderngl
import numpy as np

from pale_ember.core.effect.look import Look
from pale_ember.core.simulate.frame import LayerFrame
from pale_ember.core.simulate.plan import turn_matrix
from pale_ember.draw.blending import BLENDS, layout, use_surface
from pale_ember.draw.shaders import program
from pale_ember.draw.view import View

_FLOATS = 19
_PARTS = (
    (3, "place"), (2, "extent"), (1, "angle"), (4, "tint"), (1, "frame"), (3, "motion"), (4, "surface"), (1, "lengthens"),
)  # fmt: skip
_FACINGS = ("to camera", "upright", "along motion", "across motion", "flat", "free")
"""The facings in the order of their codes."""

CHUNK = 8192
"""Sprites drawn by one call: the processor transforms them within it while it holds the interpreter's lock."""


def packed(layer: LayerFrame, view: View, time: float = 0.0) -> np.ndarray:
    """(n, 19) float32, the instances of a layer in the order they are drawn. time : s, for what runs by itself."""
    look, driven = layer.layer.look, layer.driven
    made = np.empty((layer.count, _FLOATS), np.float32)
    made[:, 0:3] = layer.position
    made[:, 3:5] = layer.size[:, :2]
    made[:, 5] = np.radians(layer.angle)
    made[:, 6:10] = layer.colour
    made[:, 10] = layer.frame
    made[:, 11:14] = layer.velocity
    made[:, 14] = look.dissolve + driven.get("dissolve", 0.0)
    made[:, 15] = look.edge_glow * (1.0 + driven.get("edge glow", 0.0))
    scatter = look.scroll[2] * (layer.number % np.uint64(4096)).astype(np.float32) / 4096 if look.scroll[2] else 0.0
    made[:, 16] = look.scroll[0] * time + driven.get("scroll x", 0.0) + scatter
    made[:, 17] = look.scroll[1] * time + driven.get("scroll y", 0.0) + scatter * 1.7
    made[:, 18] = 1.0 + driven.get("streak", 0.0)
    order = drawing_order(layer, view)
    return made if order is None else made[order]


def drawing_order(layer: LayerFrame, view: View) -> np.ndarray | None:
    """Which particle is drawn when, or None where birth order will do."""
    look = layer.layer.look
    if look.blend == "cut-out" or (look.blend in ("alpha", "premultiplied") and look.order == "far to near"):
        return far_to_near(layer.position @ view.forward.astype(np.float32))
    if look.order == "youngest first":
        return np.arange(layer.count)[::-1]
    return None


def far_to_near(away: np.ndarray) -> np.ndarray:
    """(n,) the order of distances (n,) float32, the farthest first; equal ones stay as they are.

    By the 65,536th part of their span: whole numbers of 16 bits are sorted in a tenth of the time of fractions.
    """
    if len(away) == 0:
        return np.zeros(0, np.intp)
    nearest, farthest = float(away.min()), float(away.max())
    steps = (farthest - away) * np.float32(65535.0 / max(farthest - nearest, 1e-12))
    return np.argsort(steps.astype(np.uint16), kind="stable")


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


def tiled(look: Look) -> bool:
    """Whether the picture runs over its card instead of lying on it once."""
    drives = look.columns * look.rows == 1
    return drives and (look.tile[:2] != (1.0, 1.0) or any(look.scroll))


class Sprites:
    """Draws layers as one quad a particle."""

    def __init__(self, context: moderngl.Context) -> None:
        self._context = context
        self._buffer = context.buffer(reserve=CHUNK * _FLOATS * 4, dynamic=True)
        self._made: dict[tuple, tuple[moderngl.Program, moderngl.VertexArray]] = {}

    def _variant(self, look: Look, *, worn: bool) -> tuple[moderngl.Program, moderngl.VertexArray]:
        """The program for what a look needs and nothing more."""
        sheet = look.columns * look.rows > 1
        key = BLENDS[look.blend], look.soft > 0, worn, tiled(look), sheet, sheet and look.play != "one at random"
        if key not in self._made:
            names = ("BLEND", "SOFT", "WORN", "TILED", "SHEET", "FLOWS")
            defined = {name: int(value) for name, value in zip(names, key, strict=True)}
            made = program(self._context, "sprite.vert", "sprite.frag", **defined)
            self._made[key] = made, self._context.vertex_array(made, [(self._buffer, *layout(made, _PARTS, "/i"))])
        return self._made[key]

    def draw(
        self, layer: LayerFrame, view: View, time: float, picture: moderngl.Texture, trim: Box,
        depth: moderngl.Texture, wear: moderngl.Texture | None,
    ) -> None:  # fmt: skip
        """Draws a layer at a moment, s. wear : what eats it, or None."""
        look = layer.layer.look
        program, array = self._variant(look, worn=wear is not None)
        program["to_clip"] = tuple(view.to_clip.T.ravel())
        for name in ("eye", "forward", "right", "up"):
            program[name] = tuple(getattr(view, name))
        program["facing"] = _FACINGS.index(look.facing)
        program["turn"] = tuple(turn_matrix(layer.layer.turn).T.ravel().tolist())
        program["pivot"], program["nearer"] = look.pivot, look.nearer
        program["streak"] = look.streak
        if tiled(look):
            program["tiling"] = look.tile[:2]
        if look.columns * look.rows > 1:
            program["grid"] = (look.columns, look.rows)
        # Where the picture runs or is eaten, nothing of it can be known to be empty.
        program["trim"] = (0.0, 0.0, 1.0, 1.0) if tiled(look) else trim
        use_surface(self._context, program, look, picture, depth, wear)
        instances = packed(layer, view, time)
        for first in range(0, len(instances), CHUNK):
            part = instances[first : first + CHUNK]
            self._buffer.orphan()
            self._buffer.write(part)
            array.render(moderngl.TRIANGLE_STRIP, vertices=4, instances=len(part))

    def release(self) -> None:
        for made, array in self._made.values():
            array.release()
            made.release()
        self._made.clear()
        self._buffer.release()
