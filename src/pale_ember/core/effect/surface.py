"""The surface of a particle: what its picture is made of, how it dissolves, is lit, and made to glow."""

from typing import Annotated, Literal

from pale_ember.core.effect.fields import Field, Need, Part
from pale_ember.core.effect.values import Colour, Gradient, Pair

Channel = Literal["all", "red", "green", "blue", "alpha"]
"""What of a picture is used."""

_CHANNELS = (
    "Its colours and its alpha.",
    "Its red as brightness and alpha of white.",
    "Its green as brightness and alpha of white.",
    "Its blue as brightness and alpha of white.",
    "Its alpha as brightness and alpha of white.",
)
_GREY = ("How light it is.", "Its red.", "Its green.", "Its blue.", "Its alpha.")
_SINGLE = Need(("look", "columns"), lambda layer: layer.look.columns * layer.look.rows == 1, "A sheet of frames is never tiled.")
_WORN = Need(
    ("look", "dissolve", "picture"), lambda layer: bool(layer.look.dissolve.picture), "There is no dissolve picture: choose one."
)
_SECOND = Need(("look", "surface", "second"), lambda layer: bool(layer.look.surface.second), "There is no second picture.")
_THIRD = Need(
    ("look", "surface", "third"), lambda layer: bool(layer.look.surface.second and layer.look.surface.third), "There is no third picture."
)
_WARPED = Need(("look", "surface", "warp"), lambda layer: bool(layer.look.surface.warp), "There is no warp picture: choose one.")
_RIMMED = Need(("look", "surface", "edge_glow"), lambda layer: layer.look.surface.edge_glow > 0, "The edge glow is 0.")
_FADED = Need(("look", "surface", "edge_fade"), lambda layer: layer.look.surface.edge_fade > 0, "The edge fade is 0.")
_RAMPED = Need(("look", "surface", "ramp"), lambda layer: layer.look.surface.ramp is not None, "There is no ramp.")
_GLOSSY = Need(("look", "light", "gloss"), lambda layer: layer.look.light.gloss > 0, "Its gloss is 0.")
_GLOWS = Need(("look", "shine", "glow"), lambda layer: layer.look.shine.glow > 0, "Its glow is 0.")
_LIT = Need(("look", "light", "lit"), lambda layer: layer.look.light.lit > 0, "It is not lit: its share is 0.")
_SHINES = Need(("look", "light", "self_lit"), lambda layer: layer.look.light.self_lit > 0, "It has no light of its own.")
_BENDS = Need(
    ("look", "drawn_as"),
    lambda layer: layer.look.drawn_as == "sprite" or (layer.look.drawn_as == "mesh" and layer.look.blend != "cut-out"),
    "Only sprites and meshes that are seen through shift what lies behind.",
)
_MEETS = Need(("look", "surface", "meet_glow"), lambda layer: layer.look.surface.meet_glow > 0, "It does not glow where it meets.")
SEEN_THROUGH = Need(("look", "blend"), lambda layer: layer.look.blend != "cut-out", "What is cut out is solid itself.")
_CARD = Need(("look", "drawn_as"), lambda layer: layer.look.drawn_as == "sprite", "Only sprites have six sides.")
_STANDS = Need(("look", "drawn_as"), lambda layer: layer.look.drawn_as in ("sprite", "mesh"), "Strips have none.")
_CASTS = Need(("look", "light", "casts"), lambda layer: layer.look.light.casts > 0, "It casts no light.")
_ADDS = Need(
    ("look", "blend"), lambda layer: layer.look.blend in ("additive", "premultiplied", "screen"), "Only what adds light casts any."
)


def _tiling(what: str, **more) -> Field:
    return Field(
        "tiling", f"How often {what} lies across and up.", unit="×", soft=(0, 8), words=("uv tiling", "repeat", "texture scale"), **more
    )


def _scroll(what: str, **more) -> Field:
    return Field(
        "scroll", f"How fast {what} runs across and up.", unit="/s", soft=(-2, 2), words=("uv scroll", "pan", "move", "flow"), **more
    )


def _scatter(what: str, **more) -> Field:
    return Field(
        "scatter", f"How far apart {what} begins from one particle to the next.", unit="×", soft=(0, 1), least=-100,
        most=100, words=("random offset", "vary"), **more,
    )  # fmt: skip


class Surface(Part, frozen=True):
    """What a particle's picture does: channel, tiling, a second picture, warp, heat shimmer, and its edge."""

    channel: Annotated[
        Channel,
        Field("channel", "What of the picture is used.", options=_CHANNELS, words=("packed texture", "packed", "mask", "swizzle")),
    ] = "all"
    invert: Annotated[bool, Field("inverted", "Dark for light: for art drawn the other way round.", words=("negative", "flip"))] = False
    tile: Annotated[Pair, _tiling("the picture", needs=(_SINGLE,))] = (1.0, 1.0)
    scroll: Annotated[Pair, _scroll("the picture", needs=(_SINGLE,))] = (0.0, 0.0)
    scatter: Annotated[float, _scatter("the picture", needs=(_SINGLE,))] = 0.0
    second: Annotated[
        str,
        Field(
            "second picture",
            "A second picture that multiplies the first; none leaves it alone.",
            names="picture",
            words=("detail", "mask", "multiply texture"),
        ),
    ] = ""
    second_channel: Annotated[Channel, Field("channel", "What of the second picture is used.", options=_CHANNELS, needs=(_SECOND,))] = (
        "all"
    )
    second_tile: Annotated[Pair, _tiling("the second", needs=(_SECOND,))] = (1.0, 1.0)
    second_scroll: Annotated[Pair, _scroll("the second", needs=(_SECOND,))] = (0.0, 0.0)
    second_scatter: Annotated[float, _scatter("the second", needs=(_SECOND,))] = 0.0
    third: Annotated[
        str,
        Field(
            "third picture",
            "A third picture that multiplies both: where two that run at different speeds still repeat to the eye.",
            names="picture",
            words=("detail", "mask", "multiply texture"),
            needs=(_SECOND,),
        ),
    ] = ""
    third_channel: Annotated[Channel, Field("channel", "What of the third picture is used.", options=_CHANNELS, needs=(_THIRD,))] = "all"
    third_tile: Annotated[Pair, _tiling("the third", needs=(_THIRD,))] = (1.0, 1.0)
    third_scroll: Annotated[Pair, _scroll("the third", needs=(_THIRD,))] = (0.0, 0.0)
    third_scatter: Annotated[float, _scatter("the third", needs=(_THIRD,))] = 0.0
    warp: Annotated[
        str,
        Field(
            "warp picture",
            "A picture whose light bends the others; none leaves them straight.",
            names="picture",
            words=("distortion of texture coordinates", "flow map", "distort uv", "flow", "wobble", "displace"),
        ),
    ] = ""
    warp_channel: Annotated[Channel, Field("warp channel", "What of that picture bends.", options=_GREY, needs=(_WARPED,))] = "all"
    warp_by: Annotated[
        float, Field("warp", "How far it bends, as a share of the card.", unit="×", soft=(0, 0.5), least=-10, most=10, needs=(_WARPED,))
    ] = 0.1
    warp_tile: Annotated[Pair, _tiling("the warping picture", needs=(_WARPED,))] = (1.0, 1.0)
    warp_scroll: Annotated[Pair, _scroll("the warping picture", needs=(_WARPED,))] = (0.0, 0.3)
    warp_scatter: Annotated[float, _scatter("the warping picture", needs=(_WARPED,))] = 0.0
    shimmer: Annotated[
        float,
        Field("heat shimmer", "How far it shifts what lies behind it: a picture as hot air does, a mesh or a picture with normals as "
              "glass or water does; share of its size.",
              unit="×", soft=(0, 0.5), least=0, most=10, words=("haze", "refraction", "distortion", "hot air", "bends light", "glass"),
              needs=(_BENDS,)),
    ] = 0.0  # fmt: skip
    edge_glow: Annotated[
        float,
        Field("edge glow", "How bright its edge is, where it turns away from the eye; 0 leaves it even.", unit="×",
              soft=(0, 8), least=0, most=1e4, words=("rim", "fresnel", "outline", "shell")),
    ] = 0.0  # fmt: skip
    edge_width: Annotated[
        float, Field("edge width", "How far the edge reaches in: 1 to the middle.", soft=(0, 1), least=0.01, most=1, needs=(_RIMMED,))
    ] = 0.6
    edge_floor: Annotated[
        float,
        Field("edge floor", "Share of its light and alpha that is left in the middle.", soft=(0, 1), least=0, most=1, needs=(_RIMMED,)),
    ] = 0.0

    edge_fade: Annotated[
        float,
        Field("edge fade", "How fast it fades where its surface turns away from the eye, so that a tube or a ball has no hard sides; "
              "0 leaves it whole.", soft=(0, 4), least=0, most=100, words=("soft shell", "fresnel fade", "soft sides", "falloff")),
    ] = 0.0  # fmt: skip
    edge_fade_floor: Annotated[
        float, Field("fade floor", "Share of it that is left at its very edge.", soft=(0, 1), least=0, most=1, needs=(_FADED,))
    ] = 0.0
    meet_glow: Annotated[
        float,
        Field("glow where it meets", "How much brighter it is where it meets the ground or a prop: the line of a shield on the stones.",
              unit="×", soft=(0, 8), least=0, most=1e4, words=("intersection", "depth glow", "contact line", "shield"),
              needs=(SEEN_THROUGH,)),
    ] = 0.0  # fmt: skip
    meet_width: Annotated[
        float,
        Field("meeting width", "How far before what it meets the glow begins.", unit="m", soft=(0, 0.5), least=0.001, most=1e3,
              needs=(SEEN_THROUGH, _MEETS)),
    ] = 0.12  # fmt: skip
    ramp: Annotated[
        Gradient | None,
        Field(
            "ramp",
            "Colours by how light the picture is, dark at its start and light at its end, before the tint: fire of any colour "
            "from one grey picture.",
            colour=True,
            words=("gradient map", "colour ramp", "lookup", "heat", "palette", "false colour"),
        ),
    ] = None
    ramp_cools: Annotated[
        float,
        Field("cooling", "How far down its ramp a particle has come by the end of its life.", soft=(0, 1), least=-4, most=4,
              words=("ramp over life", "burn out", "heat"), needs=(_RAMPED,)),
    ] = 0.0  # fmt: skip

    @property
    def multiplied(self) -> tuple[tuple[str, Channel], ...]:
        """The pictures that multiply the look's own, and what of each is used."""
        some = ((self.second, self.second_channel), (self.third, self.third_channel))
        return some[: 2 if self.second and self.third else 1 if self.second else 0]


class Dissolve(Part, frozen=True):
    """How a particle dissolves."""

    picture: Annotated[
        str,
        Field(
            "dissolve picture",
            "Its light parts last longest when a particle dissolves; none leaves it whole.",
            words=("erosion", "noise", "mask", "eaten away"),
            names="picture",
        ),
    ] = ""
    channel: Annotated[Channel, Field("dissolve channel", "What of that picture counts.", options=_GREY, needs=(_WORN,))] = "all"
    amount: Annotated[
        float,
        Field("dissolve", "How far a particle is dissolved; a lane adds to it.", soft=(0, 1), least=-10, most=10,
              words=("alpha erosion", "erode", "burn away", "threshold"), needs=(_WORN,)),
    ] = 0.0  # fmt: skip
    contrast: Annotated[
        float,
        Field("contrast", "Draws light and dark of that picture apart.", unit="×", soft=(0.2, 4), least=0.01, most=100, needs=(_WORN,)),
    ] = 1.0
    softness: Annotated[
        float, Field("softness", "Width of the edge that dissolves.", soft=(0, 0.5), least=0, most=10, needs=(_WORN,), words=("feather",))
    ] = 0.1
    tile: Annotated[Pair, _tiling("the dissolve picture", needs=(_WORN,))] = (1.0, 1.0)
    scroll: Annotated[Pair, _scroll("the dissolve picture", needs=(_WORN,))] = (0.0, 0.0)
    scatter: Annotated[float, _scatter("the dissolve picture", needs=(_WORN,))] = 1.0
    burn: Annotated[
        float,
        Field("burning edge", "How much brighter the edge that dissolves is.", unit="×", soft=(0, 8), least=0, most=1e4,
              words=("ember", "edge", "glow"), needs=(_WORN,)),
    ] = 0.0  # fmt: skip
    burn_width: Annotated[
        float, Field("burn width", "How far the burning edge reaches in.", soft=(0, 0.5), least=0, most=1, needs=(_WORN,))
    ] = 0.12
    burn_tint: Annotated[
        Colour, Field("burn tint", "Colour of the burning edge, on the particle's own.", least=0, most=1e5, colour=True, needs=(_WORN,))
    ] = (1.0, 1.0, 1.0)


class Light(Part, frozen=True):
    """What light a particle takes and gives."""

    lit: Annotated[
        float,
        Field("lit", "Share of its colour that comes from the stage's light: 0 shines by itself, 1 is dark at night.",
              soft=(0, 1), least=0, most=1, words=("lighting", "shaded", "unlit", "receive light")),
    ] = 0.0  # fmt: skip
    bulge: Annotated[
        float,
        Field("bulge", "How round a card is to the light: 0 flat, 1 a sphere.", soft=(0, 1), least=0, most=1,
              words=("normal", "spherical"), needs=(_LIT,)),
    ] = 0.7  # fmt: skip
    gloss: Annotated[
        float,
        Field("gloss", "How bright the highlights are that lamps, sun and sky leave on it: glass, water, wet stone.", unit="×",
              soft=(0, 2), least=0, most=100, words=("specular", "shiny", "highlight", "reflection", "wet"), needs=(_STANDS,)),
    ] = 0.0  # fmt: skip
    rough: Annotated[
        float,
        Field("roughness", "How wide its highlights are: 0 sharp as glass, 1 dull.", soft=(0, 1), least=0.02, most=1,
              words=("smoothness",), needs=(_STANDS, _GLOSSY)),
    ] = 0.25  # fmt: skip
    normals: Annotated[
        str,
        Field(
            "normals",
            "A picture of the same grid: which way its surface leans, for its highlights; none takes it for a ball.",
            names="picture",
            words=("normal map", "bump"),
            needs=(_CARD, _GLOSSY),
        ),
    ] = ""
    six: Annotated[
        str,
        Field(
            "six-way light",
            "How its picture looks in light from each of six sides, as a gas tells it: right, above and front in "
            "the upper half, left, below and behind in the lower.",
            names="picture",
            words=("lightmap", "volumetric", "6-way"),
            needs=(_LIT, _CARD),
        ),
    ] = ""
    self_lit: Annotated[
        float,
        Field("self-lit", "Strength of light of its own, on top of its tint: it shines in the dark, whatever falls on it.",
              unit="×", soft=(0, 8), least=0, most=1e5, words=("emission", "emissive", "glows", "incandescent"),
              needs=(_STANDS,)),
    ] = 0.0  # fmt: skip
    self_colour: Annotated[
        Gradient,
        Field(
            "self-lit colour",
            "The colour of its own light over age.",
            colour=True,
            words=("emissive colour", "emission"),
            needs=(_SHINES,),
        ),
    ] = Gradient()
    casts: Annotated[
        float,
        Field("casts light", "How much it lights the ground, the props and lit particles in the preview.", unit="×",
              soft=(0, 3), least=0, most=1e4, words=("light source", "illuminate", "lamp"), needs=(_ADDS,)),
    ] = 1.0  # fmt: skip
    lamps: Annotated[
        int,
        Field("lamps of its own", "How many of its brightest particles are a lamp each; the others light together, as one. Ribbons and "
              "beams are so many lamps along their length.",
              soft=(0, 4), least=0, most=8, words=("point lights", "light per particle", "each a light"), needs=(_ADDS, _CASTS)),
    ] = 0  # fmt: skip
    shade: Annotated[
        float,
        Field("self-shadow", "How much its thick parts hide the sun, the sky and the strongest lamp from what lies behind them: smoke "
              "that is dark on the far side.", unit="×", soft=(0, 2), least=0, most=100,
              words=("volumetric shadow", "deep shadow", "self shadowing", "thick", "occlusion"), needs=(_LIT, _STANDS)),
    ] = 0.0  # fmt: skip
    fog: Annotated[
        float,
        Field("fog", "How thick it makes the air in its middle, with its opacity: air that takes the light of lamps, sun and sky and "
              "hides what is behind, with no card to be seen.", unit="/m", soft=(0, 2), least=0, most=1000,
              words=("volumetric", "volume", "mist", "haze", "scattering", "lamp cone", "fog volume"), needs=(_STANDS,)),
    ] = 0.0  # fmt: skip
    shadow: Annotated[
        float,
        Field("shadow", "How dark a shadow it throws on the ground.", soft=(0, 1), least=0, most=1,
              words=("contact shadow", "blob"), needs=(_STANDS,)),
    ] = 0.0  # fmt: skip


class Halo(Part, frozen=True):
    """The halo around what is bright."""

    glow: Annotated[
        float,
        Field("glow", "How strong the halo around it is.", unit="×", soft=(0, 2), least=0, most=100, words=("bloom", "halo", "emissive")),
    ] = 1.0
    size: Annotated[
        float,
        Field("glow size", "How wide the halo is: 0 close around it, 2 over half the picture.", soft=(0, 2), least=0,
              most=2, words=("radius", "spread"), needs=(_GLOWS,)),
    ] = 1.0  # fmt: skip
    threshold: Annotated[
        float, Field("glow threshold", "How bright light must be to glow.", soft=(0, 4), least=0, most=1e4, needs=(_GLOWS,))
    ] = 1.0
