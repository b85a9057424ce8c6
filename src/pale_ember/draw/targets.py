"""The textures a picture is drawn into, for one size."""

from __future__ import annotations

import moderngl

GLOW_LEVELS = 4


class Targets:
    """Linear light and depth at the inner size, and the pyramid of the glow below it."""

    def __init__(self, context: moderngl.Context, width: int, height: int) -> None:
        self.size = width, height
        self.light = context.texture((width, height), 4, dtype="f2")
        self.depth = context.texture((width, height), 1, dtype="f4")
        self.depth.filter = moderngl.NEAREST, moderngl.NEAREST
        self.hidden = context.depth_renderbuffer((width, height))
        self.scene = context.framebuffer([self.light, self.depth], self.hidden)
        self.layers = context.framebuffer([self.light])
        self.halos: list[tuple[moderngl.Texture, moderngl.Framebuffer]] = []
        for level in range(GLOW_LEVELS):
            part = 4 << level
            texture = context.texture((max(width // part, 1), max(height // part, 1)), 4, dtype="f2")
            self.halos.append((texture, context.framebuffer([texture])))
        for texture in (self.light, *(texture for texture, _ in self.halos)):
            texture.filter = moderngl.LINEAR, moderngl.LINEAR
            texture.repeat_x = texture.repeat_y = False

    def release(self) -> None:
        for texture, framebuffer in self.halos:
            framebuffer.release()
            texture.release()
        for thing in (self.scene, self.layers, self.light, self.depth, self.hidden):
            thing.release()
