"""The shaders, as files beside this one. A line `//! name` stands for the file of that name."""

from __future__ import annotations

import re
from pathlib import Path

import moderngl


def source_of(name: str) -> str:
    """A shader file by its name without its ending, what it stands for filled in."""
    folder = Path(__file__).parent
    text = (folder / f"{name}.glsl").read_text()
    return re.sub(r"^//! (\S+)$", lambda match: (folder / f"{match[1]}.glsl").read_text(), text, flags=re.MULTILINE)


class Shader:
    """A program and what was last set in it, so that nothing is set twice."""

    def __init__(self, program: moderngl.Program) -> None:
        self.program = program
        self.names = frozenset(program)
        self._set: dict[str, object] = {}

    def put(self, **values: object) -> None:
        """Sets those uniforms that this variant has."""
        for name, value in values.items():
            if name in self.names and self._set.get(name) != value:
                self.program[name] = value
                self._set[name] = value

    def write(self, name: str, data: bytes) -> None:
        """Sets a uniform that is a list."""
        if name in self.names and self._set.get(name) != data:
            self.program[name].write(data)  # type: ignore[union-attr]
            self._set[name] = data

    def release(self) -> None:
        self.program.release()


def shader(context: moderngl.Context, vertex: str, fragment: str, **defined: int) -> Shader:
    """A program from two shader files, named without their ending. What is `defined` stands fast in both: where OpenGL
    is software, a branch that is never taken costs as much as one that is."""
    lines = "".join(f"#define {name} {value}\n" for name, value in defined.items())

    def source(name: str) -> str:
        first, rest = source_of(name).split("\n", 1)
        return f"{first}\n{lines}{rest}"

    return Shader(context.program(vertex_shader=source(vertex), fragment_shader=source(fragment)))
