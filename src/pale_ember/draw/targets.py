"""The textures a picture is drawn into, for one size."""

from __future__ import annotations

import moderngl

GLOW_LEVELS = 4

SAMPLES = 4
"""Samples of a pixel where edges of solids are drawn finely; `resolve.frag.glsl` knows how many."""


_SLOWLY = 0.6
"""Seconds in which pictures that come slowly still follow each other."""


class Room:
    """Linear light, and depth in metres along the view axis, of a size. samples : of each pixel; 0 for none but the pixel's own.

    scene : both, with the card's own test. layers : the light alone. far : the depth alone.
    """

    def __init__(self, context: moderngl.Context, size: tuple[int, int], samples: int = 0) -> None:
        self.light = context.texture(size, 4, samples=samples, dtype="f2")
        self.depth = context.texture(size, 1, samples=samples, dtype="f4")
        self._hidden = context.depth_renderbuffer(size, samples=samples)
        self.scene = context.framebuffer([self.light, self.depth], self._hidden)
        self.layers = context.framebuffer([self.light])
        self.far = context.framebuffer([self.depth])

    def release(self) -> None:
        for thing in (self.scene, self.layers, self.far, self.light, self.depth, self._hidden):
            thing.release()


class MirrorRoom(Room):
    """Where what the ground mirrors is drawn, with smaller pictures of it for ground that is rough."""

    def __init__(self, context: moderngl.Context, width: int, height: int) -> None:
        super().__init__(context, (width, height))
        self.size = width, height
        self.depth.filter = moderngl.NEAREST, moderngl.NEAREST
        self.light.build_mipmaps()
        self.light.filter = moderngl.LINEAR_MIPMAP_LINEAR, moderngl.LINEAR
        self.light.repeat_x = self.light.repeat_y = False


class Targets(Room):
    """A room of the inner size, the pyramid of the glow below it, and what only some pictures need."""

    def __init__(self, context: moderngl.Context, width: int, height: int) -> None:
        super().__init__(context, (width, height))
        self.size = width, height
        self.depth.filter = moderngl.NEAREST, moderngl.NEAREST
        self._context = context
        self._fine: Room | None = None
        self._mirror: MirrorRoom | None = None
        self._kept: Room | None = None
        self.kept_as: object = None
        self._kept_at, self._kept_taken = 0.0, 0
        """Of what, and of which moment, a stage is kept, and how often it was taken."""
        self._shadows: list[tuple[moderngl.Texture, moderngl.Framebuffer]] = []
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
    def fine(self) -> Room:
        """Where solids are drawn so that their edges are smooth."""
        if self._fine is None:
            self._fine = Room(self._context, self.size, SAMPLES)
        return self._fine

    @property
    def kept(self) -> Room:
        """Where a stage that stands still is kept."""
        if self._kept is None:
            self._kept = Room(self._context, self.size)
        return self._kept

    def keep(self, what: object, time: float) -> None:
        """Says what is kept, of a moment in s."""
        self.kept_as, self._kept_at, self._kept_taken = what, time, 0

    def keeps(self, time: float, still: float) -> bool:
        """Whether what is kept may be taken for a moment: for some seconds, or for two pictures where these come slowly."""
        since = time - self._kept_at
        taken = 0 <= since < still or (0 <= since < _SLOWLY and self._kept_taken < 2)
        self._kept_taken += taken
        return still > 0 and taken

    @property
    def mirror(self) -> MirrorRoom:
        """What the ground mirrors: a third of the picture's size."""
        if self._mirror is None:
            self._mirror = MirrorRoom(self._context, max(self.size[0] // 3, 1), max(self.size[1] // 3, 1))
        return self._mirror

    @property
    def shadows(self) -> list[tuple[moderngl.Texture, moderngl.Framebuffer]]:
        """Where shadows on the ground are drawn, and softened: half the picture's size."""
        if not self._shadows:
            for _ in range(2):
                texture = self._context.texture((max(self.size[0] // 2, 1), max(self.size[1] // 2, 1)), 4)
                texture.filter = moderngl.LINEAR, moderngl.LINEAR
                texture.repeat_x = texture.repeat_y = False
                self._shadows.append((texture, self._context.framebuffer([texture])))
        return self._shadows

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
        for texture, framebuffer in (*self.halos, *self._shadows, *extra):
            framebuffer.release()
            texture.release()
        for room in (self._fine, self._mirror, self._kept):
            if room is not None:
                room.release()
        super().release()
