"""The shaders, as files beside this one. A line `//! name` stands for the file of that name."""

from __future__ import annotations

import re
from pathlib import Path

import moderngl


def _source(name: str) -> str:
    folder = Path(__file__).parent
    text = (folder / f"{name}.glsl").read_text()
    return re.sub(r"^//! (\S+)$", lambda found: (folder / f"{found[1]}.glsl").read_text(), text, flags=re.MULTILINE)


def program(context: moderngl.Context, vertex: str, fragment: str) -> moderngl.Program:
    """A program from two shader files, named without their ending."""
    return context.program(vertex_shader=_source(vertex), fragment_shader=_source(fragment))
