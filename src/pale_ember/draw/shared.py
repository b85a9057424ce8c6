"""An OpenGL context in which somebody else paints as well: handed over and taken back in one known state."""

from __future__ import annotations

import ctypes

import moderngl

from pale_ember.draw.context import gl_library

_TEXTURE_0, _TEXTURE_2D, _ARRAY_BUFFER, _UNPACK_BUFFER, _PACK_BUFFER = 0x84C0, 0x0DE1, 0x8892, 0x88EC, 0x88EB
_DEPTH, _CULL, _BLEND, _SCISSOR, _STENCIL = 0x0B71, 0x0B44, 0x0BE2, 0x0C11, 0x0B90
_FUNC_ADD, _FRONT_AND_BACK, _FILL, _UNPACK_ALIGNMENT, _UNPACK_ROW_LENGTH = 0x8006, 0x0408, 0x1B02, 0x0CF5, 0x0CF2


class SharedContext:
    """A context that is drawn in by turns. Neither side may count on what it left: a painter that finds foreign textures
    bound takes them for its own, and one that finds a stranger's blending mixes colours by it."""

    def __init__(self, context: moderngl.Context) -> None:
        self._context, self._gl = context, gl_library()
        each, together = (int(context.info[name]) for name in ("GL_MAX_TEXTURE_IMAGE_UNITS", "GL_MAX_COMBINED_TEXTURE_IMAGE_UNITS"))
        # The last of all is where the library makes its textures.
        self._units = *range(min(each, together)), together - 1

    def clean(self) -> None:
        """Nothing bound, nothing enabled, all written: how each side finds the context."""
        gl = self._gl
        for unit in reversed(self._units):
            gl.glActiveTexture(ctypes.c_uint(_TEXTURE_0 + unit))
            gl.glBindTexture(_TEXTURE_2D, ctypes.c_uint(0))
            gl.glBindSampler(ctypes.c_uint(unit), ctypes.c_uint(0))
        gl.glUseProgram(ctypes.c_uint(0))
        gl.glBindVertexArray(ctypes.c_uint(0))
        for buffer in (_ARRAY_BUFFER, _UNPACK_BUFFER, _PACK_BUFFER):
            gl.glBindBuffer(buffer, ctypes.c_uint(0))
        for what in (_DEPTH, _CULL, _BLEND, _SCISSOR, _STENCIL):
            gl.glDisable(what)
        gl.glColorMask(1, 1, 1, 1)
        gl.glDepthMask(1)
        gl.glStencilMask(ctypes.c_uint(0xFFFFFFFF))
        gl.glBlendEquation(_FUNC_ADD)
        gl.glPolygonMode(_FRONT_AND_BACK, _FILL)
        gl.glPixelStorei(_UNPACK_ALIGNMENT, 4)
        gl.glPixelStorei(_UNPACK_ROW_LENGTH, 0)
