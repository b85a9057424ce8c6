"""Ribbons and beams: particles drawn as strips along paths."""

from typing import Annotated, Literal

from pale_ember.core.effect.fields import Field, Need, Part, beside
from pale_ember.core.effect.values import Curve, Gradient, Pair, Vector

_FAR = dict(least=-1e4, most=1e4)

_TRAIL = Need(("look", "trail"), lambda layer: layer.look.trails, "It wears the layer's own picture and blend.")
_UNTRAILED = Need(("look", "drawn_as"), lambda layer: not layer.look.trails, "A trail lies behind each particle.")
_TILED = beside("texture", lambda texture: texture == "tiled", "The picture lies along it once.")
_HANGS = beside("path", lambda path: path in ("behind anchor", "between anchors"), "It follows particles.")
_SWEPT = beside("path", lambda path: path == "between anchors", "It follows one path.")


_STRUCK = beside("kinks", lambda kinks: kinks > 0, "It has no kinks.")
_ANEW = beside("strikes", lambda strikes: strikes > 0, "It strikes once.")
_BRANCHED = beside("branches", lambda branches: branches > 0, "It has no branches.")

Kinks = Annotated[
    float,
    Field("kinks", "How far sharp bends throw it aside, as lightning; each half again half as far.", unit="m", soft=(0, 1), least=0,
          most=1e4, words=("lightning", "jagged", "midpoint displacement", "electric", "zigzag", "jitter")),
]  # fmt: skip
Strikes = Annotated[
    float,
    Field("strikes", "How often a second it strikes anew, another way; 0 strikes once.", unit="/s", soft=(0, 30), least=0,
          most=1000, words=("flicker", "restrike", "flash rate"), needs=(_STRUCK,)),
]  # fmt: skip
Fading = Annotated[
    float, Field("fading", "Share of its light that a strike loses until the next.", soft=(0, 1), least=0, most=1, needs=(_STRUCK, _ANEW))
]


class Ribbon(Part, frozen=True):
    """A strip drawn along a path: behind each particle, through all of them, or swept by anchors."""

    path: Annotated[
        Literal["behind each", "through all", "behind anchor", "between anchors"],
        Field(
            "path",
            "What the ribbon follows.",
            options=(
                "Where each particle has been.",
                "From particle to particle, in the order of their birth.",
                "Where the layer, or an anchor, has been.",
                "What two anchors sweep between them.",
            ),
            words=("trail", "strip", "connect"),
            needs=(_UNTRAILED,),
            moves=True,
        ),
    ] = "behind each"
    measured: Annotated[
        Literal["in time", "in metres"],
        Field("measured", "How its length is told.", options=("Where it was that long ago.", "A length of the path."), moves=True),
    ] = "in time"
    length: Annotated[
        float,
        Field(
            "length",
            "How long it is.",
            unit_by=("measured", {"in time": "s", "in metres": "m"}),
            soft=(0, 2),
            least=0,
            most=1e4,
            words=("duration",),
            moves=True,
        ),
    ] = 0.5
    width: Annotated[float, Field("width", "Width as a share of the particle's size.", unit="×", soft=(0, 2), least=0, most=1e4)] = 1.0
    picture: Annotated[
        str, Field("trail picture", "What a trail wears; none takes a streak.", names="picture", needs=(_TRAIL,), words=("texture",))
    ] = "library:streak"
    blend: Annotated[
        Literal["additive", "alpha", "screen"],
        Field(
            "trail blend",
            "How a trail mixes with what lies behind it.",
            options=("Adds.", "Covers.", "Adds, never beyond white."),
            needs=(_TRAIL,),
        ),
    ] = "additive"
    taper: Annotated[Curve | None, Field("taper", "Factor on the width from its head to its end.", least=0)] = None
    colours: Annotated[Gradient | None, Field("colours", "Colours from its head to its end.")] = None
    texture: Annotated[
        Literal["once", "tiled"],
        Field("texture", "How the picture lies along it.", options=("Once along the whole.", "Again and again.")),
    ] = "once"
    tile: Annotated[float, Field("tile", "Length of one tile.", unit="m", soft=(0.05, 3), least=0.001, most=1e5, needs=(_TILED,))] = 1.0
    first: Annotated[str, Field("anchor", "The anchor it hangs on; none means the layer itself.", names="anchor", needs=(_HANGS,))] = ""
    second: Annotated[str, Field("second anchor", "The other edge of what is swept.", names="anchor", needs=(_SWEPT,))] = ""
    kinks: Kinks = 0.0
    strikes: Strikes = 12.0
    fade: Fading = 0.7


class Beam(Part, frozen=True):
    """A strip between two anchors, one for each living particle. It is as smooth as it must be by itself."""

    start: Annotated[str, Field("from", "The anchor it leaves; none means the layer itself.", names="anchor")] = ""
    end: Annotated[str, Field("to", "The anchor it reaches; none means the place below.", names="anchor")] = ""
    reach: Annotated[
        Vector,
        Field(
            "end at",
            "Where it ends without an anchor, from the layer's own place.",
            unit="m",
            soft=(-5, 5),
            needs=(Need(("look", "beam", "end"), lambda layer: not layer.look.beam.end, "It reaches an anchor."),),
        ),
    ] = (0.0, 0.0, -2.0)
    bow: Annotated[
        Pair,
        Field("bow", "How far it is drawn aside at its start and at its end.", unit="m", soft=(-3, 3),
              letters=("start", "end"), words=("bend", "arc", "curve", "sag", "tangent"), **_FAR),
    ] = (0.5, 0.5)  # fmt: skip
    bows: Annotated[
        Literal["by its anchors", "along axis"],
        Field(
            "bows",
            "Which way it bows.",
            options=(
                "The way the up of each anchor points: an anchor that is turned turns its bow.",
                "Along the axis below, at both ends.",
            ),
        ),
    ] = "by its anchors"
    axis: Annotated[
        Vector,
        Field(
            "axis",
            "The way it bows, in the world; its length does not matter.",
            soft=(-1, 1),
            needs=(beside("bows", lambda bows: bows == "along axis", "It bows by its anchors."),),
        ),
    ] = (0.0, 1.0, 0.0)
    width: Annotated[
        Curve | None, Field("width", "Factor on the particle's size from its start to its end.", soft=(0, 2), least=0, words=("taper",))
    ] = None
    colours: Annotated[Gradient | None, Field("colours", "Colours from its start to its end.")] = None
    sway: Annotated[
        float, Field("sway", "How far noise bends it aside.", unit="m", soft=(0, 1), least=0, most=1e4,
                     words=("noise", "jitter", "wobble", "lightning"))
    ] = 0.0  # fmt: skip
    sway_size: Annotated[float, Field("sway size", "Length of one bend.", unit="m", soft=(0.05, 3), least=0.001, most=1e5)] = 0.5
    sway_speed: Annotated[float, Field("sway speed", "How fast the bends travel.", unit="m/s", soft=(-5, 5), least=-1e4, most=1e4)] = 1.0
    kinks: Kinks = 0.0
    strikes: Strikes = 12.0
    fade: Fading = 0.7
    branches: Annotated[
        int,
        Field("branches", "How many branches leave it at each strike.", soft=(0, 8), least=0, most=32,
              words=("forks", "fork", "split"), needs=(_STRUCK,)),
    ] = 0  # fmt: skip
    branch_length: Annotated[
        float,
        Field("branch length", "Length of a branch, as a share of the way from there to the end.", unit="×", soft=(0, 1), least=0,
              most=10, needs=(_STRUCK, _BRANCHED)),
    ] = 0.5  # fmt: skip
    branch_width: Annotated[
        float,
        Field("branch width", "Width of a branch where it leaves, as a share of the beam's; it thins out to nothing.", unit="×",
              soft=(0, 1), least=0, most=10, needs=(_STRUCK, _BRANCHED)),
    ] = 0.6  # fmt: skip
    scroll: Annotated[float, Field("scroll", "How fast the picture runs along it.", unit="/s", soft=(-5, 5), least=-1e4, most=1e4)] = 0.0
