"""Writes `player/look.glsl`, the shaders of looks as players read them: `python tools/look_shaders.py [OUT]`."""

import re
import sys
from pathlib import Path

from pale_ember.draw import shaders
from pale_ember.draw.brush import BLENDS, FACINGS

SHADERS = Path(shaders.__file__).parent
SHIPS = Path(__file__).resolve().parent.parent / "player" / "look.glsl"
FIRST = """\
#version 300 es
precision highp float;
precision highp int;
precision highp sampler2D;
// The shaders of looks: what a renderer does with the runs of pale_draw. A shader is these first lines up to the first part and then the
// part of its name, where a line such as `//! light` stands for the part of that name. A look's traits are told by `#define` below the
// version; a page made with `pale page` carries every program with its traits filled in: the best place to see which a look has.
"""
NUMBERS = {"BLEND": BLENDS, "FACING": {name: at for at, name in enumerate(FACINGS)}}


def text() -> str:
    """All parts, each once, and every trait 0 where nothing else is said."""
    parts: dict[str, str] = {}
    waiting = [f"{kind}.{stage}" for kind in ("mesh", "ribbon", "sprite") for stage in ("frag", "vert")]
    while waiting:
        part = waiting.pop()
        parts[part] = re.sub(r"^#version .*\n", "", (SHADERS / f"{part}.glsl").read_text())
        waiting += [name for name in re.findall(r"^//! (\S+)$", parts[part], re.MULTILINE) if name not in parts]
    asked = re.findall(r"^#(?:el)?if (.*)$", "".join(parts.values()), re.MULTILINE)
    traits = sorted(set(re.findall(r"[A-Z_]{2,}", " ".join(asked))))
    plain = "".join(f"#ifndef {trait}\n#define {trait} 0\n#endif\n" for trait in traits)
    numbers = "".join(f"// {trait}: {', '.join(f'{at} {name}' for name, at in told.items())}\n" for trait, told in NUMBERS.items())
    return FIRST + numbers + plain + "".join(f"\n// ---- {part} ----\n{source}" for part, source in parts.items())


if __name__ == "__main__":
    (Path(sys.argv[1]) if len(sys.argv) > 1 else SHIPS).write_text(text())
