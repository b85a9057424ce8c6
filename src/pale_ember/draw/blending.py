"""How layers mix with what lies behind them, and what of a look all of them share."""

from __future__ import annotations

import moderngl

from pale_ember.core.effect.look import Look

BLENDS = {"additive": 0, "alpha": 1, "premultiplied": 1, "multiply": 2, "screen": 3, "cut-out": 4}
"""The blends as the shaders know them: whether a picture is premultiplied is settled before it is drawn."""

PICTURE, DEPTH, WEAR = 0, 1, 2
"""Where textures are bound."""


def use_surface(
    context: moderngl.Context, program: moderngl.Program, look: Look, picture: moderngl.Texture,
    depth: moderngl.Texture, wear: moderngl.Texture | None,
) -> None:  # fmt: skip
    """Sets what `surface.glsl` takes, and the mixing."""
    program["picture"], program["scene_depth"] = PICTURE, DEPTH
    if look.soft > 0:
        program["soft"] = look.soft
    picture.use(PICTURE)
    depth.use(DEPTH)
    if wear is not None:
        program["wear"], program["wear_soft"], program["wear_tile"] = WEAR, look.wear_soft, look.wear_tile
        program["edge_width"] = look.edge_width
        wear.use(WEAR)
    if look.blend == "cut-out":
        program["cut"] = look.cut
    if look.blend == "multiply":
        context.blend_func = moderngl.ZERO, moderngl.SRC_COLOR
    elif look.blend == "screen":
        context.blend_func = moderngl.ONE, moderngl.ONE_MINUS_SRC_COLOR
    else:
        context.blend_func = moderngl.ONE, moderngl.ONE_MINUS_SRC_ALPHA


def layout(program: moderngl.Program, parts: tuple[tuple[int, str], ...], per: str = "") -> tuple[str, ...]:
    """How a buffer of floats feeds a program: (floats, name) in order; what a variant does not take is passed over."""
    formats = [f"{count}f" if name in program else f"{count}x4" for count, name in parts]
    return " ".join(formats) + per, *(name for _, name in parts if name in program)
