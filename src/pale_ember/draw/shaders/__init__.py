"""The shaders, as files beside this one. A line `//! name` stands for the file of that name."""

from __future__ import annotations

import re
from pathlib import Path

import moderngl


def _source(name: str) -> str:
    folder = Path(__file__).parent
    text = (folder / f"{name}.glsl").read_text()
    return re.sub(r"^//! (\S+)$", lambda found: (folder / f"{found[1]}.glsl").read_text(), text, flags=re.MULTILINE)


def program(context: moderngl.Context, vertex: str, fragment: str, **defined: int) -> moderngl.Program:
    """A program from two shader files, named without their ending. What is `defined` stands fast in both: where OpenGL
    is software, a branch that is never taken costs as much as one that is."""
    lines = "".join(f"#define {name} {value}\n" for name, value in defined.items())

    def source(name: str) -> str:
        first, rest = _source(name).split("\n", 1)
        return f"{first}\n{lines}{rest}"

    return context.program(vertex_shader=source(vertex), fragment_shader=source(fragment))
