"""OpenGL contexts without a window."""

from __future__ import annotations

import ctypes
import ctypes.util
from collections.abc import Callable

import moderngl


class NoOpenGL(RuntimeError):  # noqa: N818 - it names what is missing
    """OpenGL 3.3 is not to be had; the message says why and what to do."""


def headless() -> moderngl.Context:
    """A context of its own through EGL, for the calling thread. Use it within `with`, release it at the end.

    Raises NoOpenGL.
    """
    try:
        return moderngl.create_standalone_context(require=330, backend="egl")  # type: ignore[arg-type]
    except Exception as error:
        raise NoOpenGL(
            f"OpenGL 3.3 through EGL: expected a working driver, found {error}; install libegl1 and libgl1-mesa-dri"
        ) from error


def is_software(context: moderngl.Context) -> bool:
    """Whether the processor does the drawing."""
    name = context.info["GL_RENDERER"].lower()
    return any(word in name for word in ("llvmpipe", "softpipe", "swiftshader", "software"))


def gl_library() -> ctypes.CDLL:
    """OpenGL's own calls, for what moderngl has none."""
    return ctypes.CDLL(ctypes.util.find_library("GL") or "libGL.so.1")


def finisher() -> Callable[[], None]:
    """A function that waits for all drawing with the interpreter lock released.

    The library's own calls hold that lock. In software the next pass waits for the one before; waited for here
    instead, the window's thread goes on meanwhile.
    """
    finish = gl_library().glFinish
    finish.restype, finish.argtypes = None, []
    return finish
