"""The shaders, as files beside this one."""

from __future__ import annotations

from pathlib import Path

import moderngl


def program(context: moderngl.Context, vertex: str, fragment: str) -> moderngl.Program:
    """A program from two shader files, named without their ending."""
    folder = Path(__file__).parent
    return context.program(
        vertex_shader=(folder / f"{vertex}.glsl").read_text(),
        fragment_shader=(folder / f"{fragment}.glsl").read_text(),
    )
