"""What all ways of drawing a layer share: which shader a look needs, its pictures, and how it mixes.

A layer is drawn once or more: for the picture, for what glows, for haze, or for one of the views that count and
explain. A `Pass` says which.
"""

from __future__ import annotations

from dataclasses import dataclass

import moderngl

from pale_ember.core.effect.look import Look
from pale_ember.core.effect.stage import Stage
from pale_ember.core.effect.values import Pair
from pale_ember.core.view import View
from pale_ember.draw.lights import Lights
from pale_ember.draw.shaders import Shader
from pale_ember.draw.textures import Textures

BLENDS = {"additive": 0, "alpha": 1, "premultiplied": 1, "multiply": 2, "screen": 3, "cut-out": 4}
"""The blends as the shaders know them: whether a picture is premultiplied is settled before it is drawn."""

PICTURE, PAINTED, SHOWN, OPACITY, GLOWING, HAZE = range(6)
"""What a pass draws; `surface.glsl` knows them as its VIEW."""

_UNITS = {
    "picture": 0, "scene_depth": 1, "wear": 2, "warp": 3, "second": 4, "vectors": 5, "behind": 6, "six": 7, "ramp": 8, "normals": 9,
    "third": 10, "fine_depth": 11,
}  # fmt: skip
"""Where textures are bound."""

FACINGS = ("to camera", "upright", "along motion", "across motion", "flat", "free")
"""The facings in the order of their codes."""


@dataclass(frozen=True, slots=True, eq=False)
class Pass:
    """One time through the layers. depth_scale : pixels of the scene's depth for one of the target. strength : how much
    of a layer is drawn. behind : the picture so far, for haze. mirrored : drawn as the ground
    shows it. height : pixels of the target. fine : the scene's depth with several samples a pixel, where it has them."""

    view: View
    time: float
    stage: Stage
    lights: Lights
    depth: moderngl.Texture
    height: int
    kind: int = PICTURE
    depth_scale: tuple[float, float] = (1.0, 1.0)
    strength: float = 1.0
    behind: moderngl.Texture | None = None
    mirrored: bool = False
    fine: moderngl.Texture | None = None

    @property
    def eyes(self) -> dict[str, tuple[float, ...]]:
        """From where it is seen, as all shaders take it."""
        values = {name: tuple(getattr(self.view, name).tolist()) for name in ("eye", "forward", "right", "up")}
        return {"to_clip": tuple(self.view.to_clip.T.ravel().tolist())} | values


def hard(look: Look) -> bool:
    """Whether a layer is solid: it writes depth and is drawn before all that is see-through."""
    return look.blend == "cut-out" and look.drawn_as in ("sprite", "mesh")


def traits(look: Look, now: Pass) -> dict[str, int]:
    """What a look needs of its shader, by the name it has there."""
    surface, plain = look.surface, now.kind in (PICTURE, GLOWING)
    told = {
        "BLEND": BLENDS[look.blend],
        "FACING": FACINGS.index(look.facing),
        "VIEW": now.kind if now.kind != GLOWING else PICTURE,
        "MIRRORED": int(now.mirrored),
        "SOLID": int(hard(look) and now.kind == PICTURE),
        "SOFT": int(look.soft > 0 and not (look.drawn_as == "sprite" and look.facing == "flat")),
        "SECOND": int(bool(surface.second)),
        "THIRD": int(len(surface.multiplied) > 1),
        "WARPED": int(bool(surface.warp)),
        "WORN": int(bool(look.dissolve.picture)),
        "RIM": int(surface.edge_glow > 0),
        "FADES": int(surface.edge_fade > 0),
        "MEETS": int(surface.meet_glow > 0 and look.blend != "cut-out"),
        "SLIM": int(look.drawn_as == "sprite" and look.facing in ("along motion", "free")),
        "SMEARED": int(look.blur > 0 and look.drawn_as == "sprite"),
        "DRAPED": int(look.drapes),
        "FINE": int(look.drapes and now.fine is not None),
        "BUMPY": int(look.solid.bumps > 0 and look.drawn_as == "mesh"),
        "SHADED": int(look.light.shade > 0 and look.light.lit > 0 and plain and look.drawn_as in ("sprite", "mesh")),
        "RAMP": int(surface.ramp is not None),
        "GLOSS": int(look.light.gloss > 0 and plain and look.drawn_as in ("sprite", "mesh")),
        "LEANS": int(look.light.gloss > 0 and (plain or now.kind == HAZE) and look.drawn_as == "sprite" and bool(look.light.normals)),
        "LIT": int(look.light.lit > 0 and plain),
        "SIX": int(look.light.lit > 0 and plain and look.drawn_as == "sprite" and bool(look.light.six)),
        "SELF": int(look.light.self_lit > 0 and look.drawn_as in ("sprite", "mesh")),
        "FOG": int(now.stage.fog > 0 and plain),
        "TILED": int(look.tiled),
        "SHEET": int(look.columns * look.rows > 1 and look.drawn_as == "sprite"),
    }
    follows = told["SHEET"] and look.play in ("over life", "by clock")
    told["LOOPED"] = int(look.play == "by clock")
    told["VECTORS"] = int(bool(follows and look.between == "along vectors" and look.vectors))
    told["FLOWS"] = int(bool(follows and look.between != "cut"))
    rich = ("WARPED", "WORN", "RIM", "TILED", "SECOND", "SELF", "RAMP", "SHADED")
    told["RICH"] = int(any(told[name] for name in rich) or now.kind == HAZE)
    return told


def use(context: moderngl.Context, shader: Shader, look: Look, textures: Textures, now: Pass) -> None:
    """Sets what `surface.glsl` and the lights take, binds the pictures, and chooses the mixing."""
    half = now.view.half_height
    shader.put(
        **now.eyes,
        **constants(look, now.stage),
        **{name: (x * now.time, y * now.time) for name, (x, y) in runs(look).items()},
        lens=(half * now.view.aspect, -half if now.mirrored else half),
        bump_run=look.solid.bump_speed * now.time,
        depth_scale=now.depth_scale,
        strength=now.strength,
        pixels_high=now.height / (2 * now.view.half_height),
    )
    if "lamp_count" in shader.names or "sun_way" in shader.names:
        now.lights.put(shader)
    if now.behind is not None:
        shader.put(pixel_size=(1 / now.behind.width, 1 / now.behind.height))
    _bind(shader, look, textures, now)
    if now.kind in (PAINTED, SHOWN):
        context.blend_func = moderngl.ONE, moderngl.ONE
    elif now.kind == OPACITY:
        context.blend_func = moderngl.ONE, moderngl.ONE_MINUS_SRC_ALPHA
    elif now.kind == HAZE:
        # Light is shifted; how much of the picture is covered stays as it is.
        context.blend_func = moderngl.ONE, moderngl.ONE_MINUS_SRC_ALPHA, moderngl.ZERO, moderngl.ONE  # type: ignore[assignment]
    elif look.blend == "additive":
        context.blend_func = moderngl.ONE, moderngl.ONE
    elif look.blend == "multiply":
        context.blend_func = moderngl.ZERO, moderngl.SRC_COLOR
    elif look.blend == "screen":
        context.blend_func = moderngl.ONE, moderngl.ONE_MINUS_SRC_COLOR
    else:
        context.blend_func = moderngl.ONE, moderngl.ONE_MINUS_SRC_ALPHA


def constants(look: Look, stage: Stage) -> dict[str, object]:
    """What a look and the stage's air are to the shaders, by the names they have there, whatever the moment and the camera."""
    surface, wear = look.surface, look.dissolve
    return dict(
        drape=look.drape, blur=look.blur, meet_glow=surface.meet_glow, meet_rate=1.0 / max(surface.meet_width, 1e-4),
        bumps=look.solid.bumps, bump_size=max(look.solid.bump_size, 1e-3), near_rate=1.0 / max(look.fade_near, 1e-4),
        soft_rate=1.0 / max(look.soft, 1e-4), cut=look.cut, second_tiling=surface.second_tile, third_tiling=surface.third_tile,
        third_scatter=surface.third_scatter, warp_tiling=surface.warp_tile, wear_tiling=wear.tile,
        wear_soft=wear.softness, wear_contrast=wear.contrast, burn_width=wear.burn_width, burn_tint=wear.burn_tint,
        edge_width=surface.edge_width, edge_floor=surface.edge_floor, fade_power=surface.edge_fade,
        fade_floor=surface.edge_fade_floor, gloss_by=look.light.gloss, gloss_rough=look.light.rough, tiling=surface.tile,
        scatters=(surface.second_scatter, surface.warp_scatter, wear.scatter), fog=stage.fog, fog_tint=stage.fog_tint,
        lit=look.light.lit, bulge=look.light.bulge, vectors_reach=look.vectors_reach,
    )  # fmt: skip


def runs(look: Look) -> dict[str, Pair]:
    """How fast pictures run, by the names that the shaders have for where they have come to; cards a second."""
    surface = look.surface
    return {
        "second_run": surface.second_scroll,
        "third_run": surface.third_scroll,
        "warp_run": surface.warp_scroll,
        "wear_run": look.dissolve.scroll,
    }


def repeats(look: Look) -> tuple[bool, bool]:
    """Whether a look's own picture goes on beyond its sides, and beyond its foot and top. A mesh's goes round it, but its top does not
    run into its foot unless it is meant to."""
    along = look.tiled and not look.surface.warp if look.drawn_as == "mesh" else look.tiled or look.drawn_as != "sprite"
    return look.tiled or look.drawn_as == "mesh", along


def _bind(shader: Shader, look: Look, textures: Textures, now: Pass) -> None:
    surface = look.surface
    picture = textures.picture(
        look.picture, surface.channel, invert=surface.invert, ready=look.premultiplied, darkens=look.blend == "multiply"
    )
    picture.repeat_x, picture.repeat_y = repeats(look)
    bound = {"picture": picture, "scene_depth": now.depth}
    for kind, (name, channel) in zip(("second", "third"), surface.multiplied, strict=False):
        bound[kind] = textures.picture(name, channel)
    if surface.warp:
        bound["warp"] = textures.grey(surface.warp, surface.warp_channel)
    if look.dissolve.picture:
        bound["wear"] = textures.grey(look.dissolve.picture, look.dissolve.channel)
    for name in ("second", "third", "warp", "wear"):
        if name in bound:
            bound[name].repeat_x = bound[name].repeat_y = True
    if surface.ramp is not None:
        bound["ramp"] = textures.ramp(surface.ramp)
    if "normals" in shader.names:
        bound["normals"] = textures.leaning(look.light.normals)
    if "vectors" in shader.names:
        bound["vectors"] = textures.plain(look.vectors)
    if "six" in shader.names:
        bound["six"] = textures.light(look.light.six)
    if now.behind is not None:
        bound["behind"] = now.behind
    if now.fine is not None:
        bound["fine_depth"] = now.fine
    for name, texture in bound.items():
        if name in shader.names:
            shader.put(**{name: _UNITS[name]})
            texture.use(_UNITS[name])


def layout(shader: Shader, parts: tuple[tuple[int, str], ...], per: str = "") -> tuple[str, ...]:
    """How a buffer of floats feeds a program: (floats, name) in order; what a variant does not take is passed over."""
    formats = [f"{count}f" if name in shader.names else f"{count}x4" for count, name in parts]
    return " ".join(formats) + per, *(name for _, name in parts if name in shader.names)
