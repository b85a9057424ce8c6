"""Passes over a whole target: one triangle that covers it."""

from __future__ import annotations

import moderngl

from pale_ember.draw.shaders import Shader, shader


class Screens:
    """Fragment shaders run once for each pixel of a target."""

    def __init__(self, context: moderngl.Context) -> None:
        self._context = context
        self._made: dict[tuple, tuple[Shader, moderngl.VertexArray]] = {}

    def shader(self, name: str, **defined: int) -> Shader:
        """The shader of a pass, in the variant that is `defined`."""
        return self._of(name, defined)[0]

    def _of(self, name: str, defined: dict[str, int]) -> tuple[Shader, moderngl.VertexArray]:
        key = (name, *defined.items())
        if key not in self._made:
            program = shader(self._context, "screen.vert", f"{name}.frag", **defined)
            self._made[key] = program, self._context.vertex_array(program.program, [])
        return self._made[key]

    def run(self, name: str, target: moderngl.Framebuffer, defined: dict[str, int] | None = None, **uniforms) -> None:
        target.use()
        program, array = self._of(name, defined or {})
        program.put(**uniforms)
        array.render(moderngl.TRIANGLES, vertices=3)

    def release(self) -> None:
        for program, array in self._made.values():
            array.release()
            program.release()
        self._made.clear()
