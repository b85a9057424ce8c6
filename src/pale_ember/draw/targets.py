"""The textures a picture is drawn into, for one size."""

from __future__ import annotations

import moderngl

GLOW_LEVELS = 4


class Targets:
    """Linear light and depth at the inner size, the pyramid of the glow below it, and what only some pictures need."""

    def __init__(self, context: moderngl.Context, width: int, height: int) -> None:
        self.size = width, height
        self.light = context.texture((width, height), 4, dtype="f2")
        self.depth = context.texture((width, height), 1, dtype="f4")
        self.depth.filter = moderngl.NEAREST, moderngl.NEAREST
        self.hidden = context.depth_renderbuffer((width, height))
        self.scene = context.framebuffer([self.light, self.depth], self.hidden)
        self.layers = context.framebuffer([self.light])
        self._context = context
        self.far = context.framebuffer([self.depth])
        self._quarter: tuple[moderngl.Texture, moderngl.Framebuffer] | None = None
        self._glow_sum: tuple[moderngl.Texture, moderngl.Framebuffer] | None = None
        self._copy: tuple[moderngl.Texture, moderngl.Framebuffer] | None = None
        self.halos: list[tuple[moderngl.Texture, moderngl.Framebuffer]] = []
        for level in range(GLOW_LEVELS):
            part = 4 << level
            texture = context.texture((max(width // part, 1), max(height // part, 1)), 4, dtype="f2")
            self.halos.append((texture, context.framebuffer([texture])))
        for texture in (self.light, *(texture for texture, _ in self.halos)):
            texture.filter = moderngl.LINEAR, moderngl.LINEAR
            texture.repeat_x = texture.repeat_y = False

    def _extra(self, width: int, height: int) -> tuple[moderngl.Texture, moderngl.Framebuffer]:
        texture = self._context.texture((width, height), 4, dtype="f2")
        texture.filter = moderngl.LINEAR, moderngl.LINEAR
        texture.repeat_x = texture.repeat_y = False
        return texture, self._context.framebuffer([texture])

    @property
    def glowing(self) -> tuple[moderngl.Texture, moderngl.Framebuffer]:
        """What glows, at the size of the picture's quarter, where layers glow unlike each other."""
        if self._glow_sum is None:
            self._glow_sum = self._extra(*self.halos[0][0].size)
        return self._glow_sum

    @property
    def quarter(self) -> tuple[moderngl.Texture, moderngl.Framebuffer]:
        """Where one kind of glow is drawn: a quarter of the picture's size."""
        if self._quarter is None:
            self._quarter = self._extra(*self.halos[0][0].size)
        return self._quarter

    @property
    def copy(self) -> tuple[moderngl.Texture, moderngl.Framebuffer]:
        """Room for a copy of the light, where something looks through it."""
        if self._copy is None:
            self._copy = self._extra(*self.size)
        return self._copy

    def release(self) -> None:
        # What is bound when it is deleted would be bound again by whatever is made next, and is no more.
        self._context.detect_framebuffer(0).use()
        extra = [target for target in (self._glow_sum, self._quarter, self._copy) if target is not None]
        for texture, framebuffer in (*self.halos, *extra):
            framebuffer.release()
            texture.release()
        for thing in (self.scene, self.layers, self.far, self.light, self.depth, self.hidden):
            thing.release()
