"""Birth: what each particle draws once."""

from typing import Annotated

from pale_ember.core.effect.fields import Field, Need, Part
from pale_ember.core.effect.values import PerAxis, Range, Tints, fixed

_MOVES = Need(("outlet", "anew"), lambda layer: not layer.outlet.anew, "Each step gives the particles new places, so none moves on.")
_TURNS = Need(
    ("look", "facing"),
    lambda layer: layer.look.facing != "along motion" or layer.look.drawn_as == "mesh",
    "Sprites along their motion are turned by it.",
)


class Birth(Part, frozen=True):
    """What each particle draws once, at birth."""

    size: Annotated[
        Range,
        Field(
            "size",
            "Full width of a particle.",
            unit="m",
            soft=(0, 2),
            least=0,
            most=1e6,
            words=("scale", "width", "radius"),
            times="aspect",
            moves=False,
            always=True,
        ),
    ] = fixed(0.3)
    aspect: Annotated[
        float,
        Field(
            "aspect",
            "Height of a particle as a share of its width.",
            unit="×",
            soft=(0.2, 5),
            least=0.001,
            most=1000,
            words=("height", "stretch", "proportion", "size y"),
            moves=False,
        ),
    ] = 1.0
    stretch: Annotated[
        PerAxis,
        Field(
            "stretch",
            "Factor on width, height and depth, each drawn by itself.",
            unit="×",
            soft=(0, 2),
            least=0,
            most=1000,
            words=("size x", "size y", "size z", "non-uniform size", "scale"),
            group="more",
            moves=False,
        ),
    ] = PerAxis(x=fixed(1.0), y=fixed(1.0), z=fixed(1.0))
    tint: Annotated[
        Tints,
        Field(
            "tint",
            "Colour a particle is born with, anywhere between the two; the colour lane multiplies it.",
            words=("colour", "color", "hue"),
            moves=False,
            always=True,
        ),
    ] = Tints()
    brightness: Annotated[
        Range,
        Field(
            "brightness",
            "Factor on the colour; above 1 it glows.",
            unit="×",
            soft=(0, 10),
            least=0,
            most=1e5,
            words=("twinkle", "sparkle", "intensity", "emissive", "hdr", "exposure"),
            moves=False,
            always=True,
        ),
    ] = fixed(1.0)
    opacity: Annotated[
        Range,
        Field(
            "opacity",
            "How solid a particle is: 0 unseen, 1 solid.",
            soft=(0, 1),
            least=0,
            most=1,
            words=("alpha", "transparency", "fade"),
            moves=False,
        ),
    ] = fixed(1.0)
    lifetime: Annotated[
        Range,
        Field(
            "lifetime",
            "How long a particle lives.",
            unit="s",
            soft=(0, 5),
            least=0,
            most=3600,
            words=("life", "duration", "age", "time to live"),
            always=True,
        ),
    ] = fixed(1.0)
    speed: Annotated[
        Range,
        Field(
            "speed",
            "How fast a particle leaves along its aim; negative runs backward.",
            unit="m/s",
            soft=(0, 10),
            least=-1e5,
            most=1e5,
            words=("velocity", "initial velocity", "force"),
            needs=(_MOVES,),
            always=True,
        ),
    ] = fixed(1.0)
    outward: Annotated[
        Range,
        Field(
            "outward",
            "Speed away from the shape, added to the speed along the aim; negative draws in.",
            unit="m/s",
            soft=(-5, 5),
            least=-1e5,
            most=1e5,
            words=("radial velocity", "explode", "implode"),
            group="more",
        ),
    ] = fixed(0.0)
    around: Annotated[
        Range,
        Field(
            "around",
            "Speed around the shape's own Y axis, added to the rest.",
            unit="m/s",
            soft=(-5, 5),
            least=-1e5,
            most=1e5,
            words=("tangential velocity", "sideways", "orbit", "swirl"),
            group="more",
        ),
    ] = fixed(0.0)
    push: Annotated[
        PerAxis,
        Field(
            "added velocity",
            "A velocity on top, drawn for each axis by itself.",
            unit="m/s",
            soft=(-5, 5),
            least=-1e5,
            most=1e5,
            words=("velocity", "offset velocity"),
            group="more",
        ),
    ] = PerAxis()
    inherited: Annotated[
        float,
        Field(
            "inherited motion",
            "Share of the motion of what carries the layer that a newborn takes along.",
            soft=(0, 1),
            least=-10,
            most=10,
            words=("momentum", "emitter velocity", "parent's speed", "carried", "inherited velocity"),
            group="more",
        ),
    ] = 0.0
    angle: Annotated[
        Range,
        Field(
            "angle",
            "Turn of the picture at birth.",
            unit="°",
            soft=(-180, 180),
            words=("rotation", "roll", "orientation"),
            needs=(_TURNS,),
            moves=False,
        ),
    ] = fixed(0.0)
    spin: Annotated[
        Range,
        Field(
            "spin",
            "How fast the picture turns.",
            unit="°/s",
            soft=(-180, 180),
            words=("angular velocity", "rotate", "twirl"),
            needs=(_TURNS,),
            moves=False,
        ),
    ] = fixed(0.0)
    frame: Annotated[
        Range,
        Field(
            "first frame",
            "The frame of the sheet a particle begins with, counted from 0.",
            soft=(0, 16),
            least=0,
            most=4096,
            words=("start frame", "random frame", "offset"),
            needs=(Need(("look", "columns"), lambda layer: layer.look.columns * layer.look.rows > 1, "The picture is a single frame."),),
            group="more",
            moves=False,
        ),
    ] = fixed(0.0)
