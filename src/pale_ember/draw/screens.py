"""Passes over a whole target: one triangle that covers it."""

from __future__ import annotations

from typing import Any

import moderngl

from pale_ember.core.view import View
from pale_ember.draw.shaders import Shader, shader


def rays(view: View, *, mirrored: bool = False) -> dict[str, Any]:
    """Where a picture is seen from, and the rays through its corners, as passes over a whole target take them."""
    # What is mirrored stands on its head.
    foot, head = (0, 1) if mirrored else (1, 0)
    corner, right, up = (view.ray(*at, 1, 1) for at in ((0, foot), (1, foot), (0, head)))
    told = dict(eye=view.eye, forward=view.forward, ray_corner=corner, ray_x=right - corner, ray_y=up - corner)
    return {name: tuple(value.tolist()) for name, value in told.items()}


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
