"""The Look: how a particle is drawn."""

from __future__ import annotations

from typing import Annotated, Literal

from pale_ember.core.effect.fields import Field, Need, Part
from pale_ember.core.effect.needs import chosen
from pale_ember.core.effect.values import Curve, Gradient, Vector

_FAR = dict(least=-1e4, most=1e4)
_SINGLE = Need(
    ("look", "columns"), lambda layer: layer.look.columns * layer.look.rows == 1, "A sheet of frames is never tiled."
)
_WORN = Need(("look", "wear"), lambda layer: bool(layer.look.wear), "Nothing eats it: choose what it is eaten by.")
_RIBBON = chosen("look", "drawn_as", ("ribbon",), "The particles are not drawn as ribbons.")
_BEAM = chosen("look", "drawn_as", ("beam",), "The particles are not drawn as beams.")
_ALONG = chosen("look", "facing", ("along motion",), "Only sprites along their motion lengthen with it.")
_SHEET = Need(
    ("look", "columns"), lambda layer: layer.look.columns * layer.look.rows > 1, "The picture is a single frame."
)
_CLOCK = chosen("look", "play", ("by clock",), "Only playing by clock has a speed.")


class Ribbon(Part, frozen=True):
    """A band drawn along a path: behind each particle, through all of them, or swept by anchors."""

    path: Annotated[
        Literal["behind each", "through all", "behind anchor", "between anchors"],
        Field(
            "path",
            "What the band follows.",
            options=(
                "Where each particle has been.",
                "From particle to particle, in the order of their birth.",
                "Where the layer, or an anchor, has been.",
                "The strip that two anchors sweep.",
            ),
            words=("trail", "strip", "connect"),
        ),
    ] = "behind each"
    measured: Annotated[
        Literal["in time", "in metres"],
        Field("measured", "How its length is told.", options=("Where it was that long ago.", "A length of the path.")),
    ] = "in time"
    length: Annotated[
        float,
        Field("length", "How long it is: seconds or metres.", soft=(0, 2), least=0, most=1e4, words=("duration",)),
    ] = 0.5
    width: Annotated[
        float, Field("width", "Width as a share of the particle's size.", unit="×", soft=(0, 2), least=0, most=1e4)
    ] = 1.0
    taper: Annotated[Curve | None, Field("taper", "Factor on the width from its head to its end.", least=0)] = None
    colours: Annotated[Gradient | None, Field("colours", "Colours from its head to its end.")] = None
    texture: Annotated[
        Literal["stretched", "tiled"],
        Field("texture", "How the picture lies along it.", options=("Once along the whole.", "Again and again.")),
    ] = "stretched"
    tile: Annotated[float, Field("tile", "Length of one tile.", unit="m", soft=(0.05, 3), least=0.001, most=1e5)] = 1.0
    first: Annotated[str, Field("anchor", "The anchor it hangs on; none means the layer itself.", names="anchor")] = ""
    second: Annotated[str, Field("second anchor", "The other edge of a swept strip.", names="anchor")] = ""


class Beam(Part, frozen=True):
    """A band between two anchors, one for each living particle."""

    start: Annotated[str, Field("from", "The anchor it leaves; none means the layer itself.", names="anchor")] = ""
    end: Annotated[str, Field("to", "The anchor it reaches; none means the place below.", names="anchor")] = ""
    reach: Annotated[
        Vector, Field("end at", "Where it ends without an anchor, from the layer's own place.", unit="m", soft=(-5, 5))
    ] = (0.0, 0.0, -2.0)
    bend_start: Annotated[
        float, Field("bend at start", "How far it leaves along its anchor's up.", unit="m", soft=(-3, 3), **_FAR)
    ] = 0.5
    bend_end: Annotated[
        float, Field("bend at end", "How far it arrives along its anchor's up.", unit="m", soft=(-3, 3), **_FAR)
    ] = 0.5
    segments: Annotated[int, Field("segments", "Straight pieces.", soft=(4, 64), least=1, most=1024)] = 32
    width_start: Annotated[
        float, Field("width at start", "As a share of the particle's size.", unit="×", soft=(0, 2), least=0, most=1e4)
    ] = 1.0
    width_end: Annotated[
        float, Field("width at end", "As a share of the particle's size.", unit="×", soft=(0, 2), least=0, most=1e4)
    ] = 1.0
    sway: Annotated[
        float, Field("sway", "How far noise bends it aside.", unit="m", soft=(0, 1), least=0, most=1e4,
                     words=("noise", "jitter", "wobble", "lightning"))
    ] = 0.0  # fmt: skip
    sway_size: Annotated[
        float, Field("sway size", "Length of one bend.", unit="m", soft=(0.05, 3), least=0.001, most=1e5)
    ] = 0.5
    sway_speed: Annotated[
        float, Field("sway speed", "How fast the bends travel.", unit="m/s", soft=(-5, 5), least=-1e4, most=1e4)
    ] = 1.0
    scroll: Annotated[
        float, Field("scroll", "How fast the picture runs along it.", unit="/s", soft=(-5, 5), least=-1e4, most=1e4)
    ] = 0.0


class Look(Part, frozen=True):
    """How a particle is drawn."""

    drawn_as: Annotated[
        Literal["sprite", "ribbon", "beam"],
        Field(
            "drawn as",
            "What stands for a particle.",
            options=("A flat picture.", "A band along a path.", "A band between two anchors."),
            words=("billboard", "trail", "lightning", "renderer", "strip"),
        ),
    ] = "sprite"
    picture: Annotated[
        str,
        Field(
            "picture",
            "A card of the library (card:name) or a PNG beside the document.",
            words=("texture", "image", "sprite", "material", "card"),
        ),
    ] = "card:soft dot"
    columns: Annotated[
        int,
        Field(
            "columns",
            "Frames side by side in the picture.",
            soft=(1, 8),
            least=1,
            most=64,
            words=("tiles", "grid", "sheet"),
        ),
    ] = 1
    rows: Annotated[
        int,
        Field(
            "rows",
            "Frames above each other in the picture.",
            soft=(1, 8),
            least=1,
            most=64,
            words=("tiles", "grid", "sheet"),
        ),
    ] = 1
    play: Annotated[
        Literal["over life", "by clock", "one at random"],
        Field(
            "play",
            "How the frames of a sheet follow each other.",
            options=(
                "All frames once, from birth to death.",
                "At a steady speed, again and again.",
                "One frame kept for life.",
            ),
            words=("flipbook", "animation", "frames"),
            needs=(_SHEET,),
        ),
    ] = "over life"
    fps: Annotated[
        float,
        Field(
            "pace",
            "Frames a second when playing by clock.",
            unit="/s",
            soft=(0, 60),
            least=0,
            most=1000,
            words=("frame rate", "frames per second", "flipbook speed"),
            needs=(_SHEET, _CLOCK),
        ),
    ] = 12.0
    blend: Annotated[
        Literal["additive", "alpha", "multiply", "premultiplied", "screen", "cut-out"],
        Field(
            "blend",
            "How a particle mixes with what lies behind it.",
            options=(
                "Adds its light: fire, glow, sparks.",
                "Covers: smoke, dust, drops.",
                "Darkens: soot, shadow.",
                "Covers, its light already multiplied by its alpha: fire with its own smoke.",
                "Adds its light but never beyond white: mist, soft glow.",
                "Solid where the picture is: hard cartoon shapes, shards.",
            ),
            words=("blend mode", "transparent", "screen", "material"),
        ),
    ] = "additive"
    facing: Annotated[
        Literal["to camera", "upright", "along motion", "across motion", "flat", "free"],
        Field(
            "facing",
            "How a sprite is turned.",
            options=(
                "Square to the camera.",
                "Standing upright, turned to the camera.",
                "Its height lies along its motion.",
                "Its face looks along its motion.",
                "Lying flat, its face up.",
                "As the layer is turned.",
            ),
            words=("billboard", "alignment", "orientation", "stretched"),
        ),
    ] = "to camera"
    streak: Annotated[
        float,
        Field(
            "streak",
            "Lengthening along motion, as a shutter left open this long would show.",
            unit="s",
            soft=(0, 0.2),
            least=0,
            most=100,
            words=("exposure", "stretch", "motion blur", "trail"),
            needs=(_ALONG,),
        ),
    ] = 0.0
    soft: Annotated[
        float,
        Field(
            "soft meeting",
            "Distance over which a card fades where it meets the ground.",
            unit="m",
            soft=(0, 1),
            least=0,
            most=1e4,
            words=("soft particles", "depth fade", "intersection"),
        ),
    ] = 0.1
    cut: Annotated[
        float,
        Field(
            "cut at", "How solid the picture must be to be drawn at all.", soft=(0, 1), least=0, most=1,
            words=("threshold", "clip", "alpha test"),
            needs=(chosen("look", "blend", ("cut-out",), "Only a cut-out is cut."),), group="more: how it stands",
        ),
    ] = 0.5  # fmt: skip
    order: Annotated[
        Literal["far to near", "oldest first", "youngest first"],
        Field(
            "drawn", "Which particles of the layer are drawn over which.",
            options=("The near over the far.", "The young over the old.", "The old over the young."),
            words=("sort", "depth", "priority"),
            needs=(chosen("look", "blend", ("alpha", "premultiplied"), "The order does not show in this blend."),),
            group="more: how it stands",
        ),
    ] = "far to near"  # fmt: skip
    pivot: Annotated[
        float,
        Field(
            "pivot", "The point of its height that stands on the particle: 0 its middle, -1 its foot, 1 its top.",
            soft=(-1, 1), words=("anchor", "origin"), group="more: how it stands",
        ),
    ] = 0.0  # fmt: skip
    nearer: Annotated[
        float,
        Field(
            "nearer", "How far it is drawn towards the camera, so that it does not sink into things.", unit="m",
            soft=(0, 1), least=-1e4, most=1e4, words=("offset", "depth bias"), group="more: how it stands",
        ),
    ] = 0.0  # fmt: skip
    tile: Annotated[
        Vector,
        Field(
            "tiling", "How often the picture lies across and up; the third number is not used.", unit="×", soft=(0, 8),
            words=("repeat", "texture scale"), needs=(_SINGLE,), group="more: surface",
        ),
    ] = (1.0, 1.0, 1.0)  # fmt: skip
    scroll: Annotated[
        Vector,
        Field(
            "scroll", "How fast the picture runs across and up its card; the third number scatters where it begins.",
            unit="/s", soft=(-2, 2), words=("pan", "move", "flow"), needs=(_SINGLE,), group="more: surface",
        ),
    ] = (0.0, 0.0, 0.0)  # fmt: skip
    wear: Annotated[
        str,
        Field(
            "eaten by", "The picture whose light parts last longest when a particle dissolves; none leaves it whole.",
            words=("erosion", "noise", "mask"), names="card", group="more: surface",
        ),
    ] = ""  # fmt: skip
    dissolve: Annotated[
        float,
        Field(
            "dissolve", "How far a particle is eaten away; a lane adds to it.", soft=(0, 1), least=-10, most=10,
            words=("erode", "burn away", "threshold"), needs=(_WORN,), group="more: surface",
        ),
    ] = 0.0  # fmt: skip
    wear_soft: Annotated[
        float,
        Field("softness", "Width of the edge that is eaten.", soft=(0, 0.5), least=0, most=10, needs=(_WORN,),
              words=("contrast", "feather"), group="more: surface"),
    ] = 0.1  # fmt: skip
    wear_tile: Annotated[
        float,
        Field("eaten in", "How often the eating picture lies over the card.", unit="×", soft=(0.2, 4), least=0.01,
              most=100, needs=(_WORN,), group="more: surface"),
    ] = 1.0  # fmt: skip
    edge_glow: Annotated[
        float,
        Field("edge glow", "Brightness of the edge that is eaten.", unit="×", soft=(0, 8), least=0, most=1e4,
              words=("rim", "burning edge", "ember"), needs=(_WORN,), group="more: surface"),
    ] = 0.0  # fmt: skip
    edge_width: Annotated[
        float,
        Field("edge width", "How far the glowing edge reaches in.", soft=(0, 0.5), least=0, most=1, needs=(_WORN,),
              group="more: surface"),
    ] = 0.12  # fmt: skip
    ribbon: Annotated[Ribbon, Field("ribbon", "The band along a path.", needs=(_RIBBON,))] = Ribbon()
    beam: Annotated[Beam, Field("beam", "The band between two anchors.", needs=(_BEAM,))] = Beam()
