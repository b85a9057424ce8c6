"""The chapters of a layer's story, every field declared here and nowhere else.

Seven chapters tell the life of a particle from left to right; those that work so far are here.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pale_ember.core.effect.fields import Field, Need, Part
from pale_ember.core.effect.values import Curve, Gradient, Key, Range, Tints, Vector, fixed

MOST_ALIVE = 2_000_000
"""The most particles one layer may hold: 80 bytes each, so 160 MB."""


def _chosen(chapter: str, name: str, values: tuple[str, ...], reason: str) -> Need:
    """A need for one of `values` in a choice field."""
    return Need((chapter, name), lambda layer: getattr(getattr(layer, chapter), name) in values, reason)


_HAS_DRAG = Need(
    ("forces", "drag"), lambda layer: layer.forces.drag > 0, "Moving air is felt through drag, and drag is 0."
)
_BLOWS = Need(
    ("forces", "turbulence"),
    lambda layer: layer.forces.turbulence > 0,
    "Turbulence is 0, so its shape does not matter.",
)
_MEETS = _chosen("contact", "ground", ("bounce", "end"), "Particles pass through the ground.")
_BOUNCES = _chosen("contact", "ground", ("bounce",), "Only a bouncing particle keeps speed.")
_ALONG = _chosen("look", "facing", ("along motion",), "Only sprites along their motion lengthen with it.")
_FLOWS = Need(("outlet", "rate"), lambda layer: layer.outlet.rate > 0, "The rate is 0.")


class Burst(Part, frozen=True):
    """Particles born all at once at a moment of every loop. `key` is its lasting number in the layer."""

    key: Annotated[int, Field("key", "Lasting number of the burst.", least=0, most=65000, hidden=True)] = 0
    time: Annotated[
        float,
        Field("at", "When the burst happens, counted from the start of the effect.", unit="s", soft=(0, 3), least=0),
    ] = 0.0
    count: Annotated[
        int, Field("count", "How many particles are born at once.", soft=(0, 100), least=0, most=MOST_ALIVE)
    ] = 20


class Outlet(Part, frozen=True):
    """When and where particles are born."""

    rate: Annotated[
        float,
        Field(
            "rate",
            "Particles born each second while the outlet is active.",
            unit="/s",
            soft=(0, 200),
            least=0,
            most=1e8,
            words=("spawn rate", "emission", "flow", "frequency", "per second"),
        ),
    ] = 40.0
    bursts: Annotated[
        tuple[Burst, ...],
        Field(
            "bursts", "Particles born all at once at chosen moments.", words=("explosion", "pop", "at once", "instant")
        ),
    ] = ()
    shape: Annotated[
        Literal["point", "disc", "sphere", "box", "cone"],
        Field(
            "shape",
            "The form in or on which particles are born.",
            options=(
                "All from one spot.",
                "A flat round, facing up.",
                "A ball.",
                "A block.",
                "A round that widens upward; outward runs along its sides.",
            ),
            words=("emitter shape", "area", "volume", "ring", "circle", "cube", "funnel"),
        ),
    ] = "disc"
    radius: Annotated[
        float,
        Field(
            "radius",
            "Radius of the disc, the sphere, or the foot of the cone.",
            unit="m",
            soft=(0, 2),
            least=0,
            words=("width", "extent"),
            needs=(_chosen("outlet", "shape", ("disc", "sphere", "cone"), "A disc, a sphere or a cone has a radius."),),
        ),
    ] = 0.3
    extent: Annotated[
        Vector,
        Field(
            "extent",
            "Full width, height and depth of the box.",
            unit="m",
            soft=(0, 10),
            least=0,
            words=("box size", "dimensions"),
            needs=(_chosen("outlet", "shape", ("box",), "Only a box has an extent."),),
        ),
    ] = (1.0, 1.0, 1.0)
    opening: Annotated[
        float,
        Field(
            "opening",
            "How far the sides of the cone lean outward.",
            unit="°",
            soft=(0, 60),
            least=0,
            most=89,
            words=("cone angle",),
            needs=(_chosen("outlet", "shape", ("cone",), "Only a cone opens."),),
        ),
    ] = 20.0
    length: Annotated[
        float,
        Field(
            "length",
            "Height of the cone; at 0 all are born at its foot.",
            unit="m",
            soft=(0, 2),
            least=0,
            words=("height",),
            needs=(_chosen("outlet", "shape", ("cone",), "Only a cone has a length."),),
        ),
    ] = 0.0
    fill: Annotated[
        float,
        Field(
            "fill",
            "How far births reach inward: 0 on the surface only, 1 through the whole volume.",
            soft=(0, 1),
            least=0,
            most=1,
            words=("surface", "volume", "thickness", "shell", "hollow"),
            needs=(_chosen("outlet", "shape", ("disc", "sphere", "box", "cone"), "A point has no inside."),),
        ),
    ] = 1.0
    aim: Annotated[
        Literal["outward", "along axis", "anywhere"],
        Field(
            "aim",
            "Where newborn particles head.",
            options=("Away from the shape.", "Along the axis below.", "In every direction."),
            words=("direction", "heading", "velocity direction", "emit from"),
        ),
    ] = "along axis"
    axis: Annotated[
        Vector,
        Field(
            "axis",
            "The direction to head, in the layer's own turn; its length does not matter.",
            soft=(-1, 1),
            words=("up", "down", "direction"),
            needs=(_chosen("outlet", "aim", ("along axis",), "Only aiming along an axis uses it."),),
        ),
    ] = (0.0, 1.0, 0.0)
    spread: Annotated[
        float,
        Field(
            "spread",
            "How far directions stray from the aim: half the opening of their cone.",
            unit="°",
            soft=(0, 90),
            least=0,
            most=180,
            words=("cone", "scatter", "random direction", "angle"),
            needs=(_chosen("outlet", "aim", ("along axis", "outward"), "Aiming anywhere is already every direction."),),
        ),
    ] = 12.0
    start: Annotated[
        float,
        Field(
            "active from",
            "When the rate begins in each loop: the layer's delay.",
            unit="s",
            soft=(0, 3),
            least=0,
            words=("delay", "start time", "offset"),
            needs=(_FLOWS,),
        ),
    ] = 0.0
    span: Annotated[
        float,
        Field(
            "active for",
            "How long the rate flows in each loop; 0 means to the end of the effect.",
            unit="s",
            soft=(0, 3),
            least=0,
            words=("duration", "active span", "stop time"),
            needs=(_FLOWS,),
        ),
    ] = 0.0
    limit: Annotated[
        int,
        Field(
            "limit",
            "The most particles alive at once; births beyond it are refused.",
            soft=(0, 2000),
            least=0,
            most=MOST_ALIVE,
            words=("max particles", "maximum", "capacity", "budget", "cap"),
        ),
    ] = 2000


class Birth(Part, frozen=True):
    """What each particle draws once, at birth."""

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
        ),
    ] = fixed(1.0)
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
        ),
    ] = 1.0
    angle: Annotated[
        Range,
        Field(
            "angle",
            "Turn of the picture at birth.",
            unit="°",
            soft=(-180, 180),
            words=("rotation", "roll", "orientation"),
            needs=(_chosen("look", "facing", ("to camera",), "Sprites along their motion are turned by it."),),
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
            needs=(_chosen("look", "facing", ("to camera",), "Sprites along their motion are turned by it."),),
        ),
    ] = fixed(0.0)
    tint: Annotated[
        Tints,
        Field(
            "tint",
            "Colour a particle is born with, anywhere between the two; the colour lane multiplies it.",
            words=("colour", "color", "hue"),
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
            words=("intensity", "emissive", "hdr", "exposure"),
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
        ),
    ] = fixed(1.0)


class Life(Part, frozen=True):
    """What changes as a particle ages. Each lane multiplies what was drawn at birth."""

    size: Annotated[
        Curve | None,
        Field("size", "Factor on the size over age.", soft=(0, 1), least=0, words=("grow", "shrink")),
    ] = None
    colour: Annotated[
        Gradient | None,
        Field("colour", "Colour over age, multiplying the tint.", words=("color", "gradient", "ramp", "cool down")),
    ] = None
    brightness: Annotated[
        Curve | None,
        Field(
            "brightness", "Factor on the brightness over age.", soft=(0, 1), least=0, words=("intensity", "emissive")
        ),
    ] = None
    opacity: Annotated[
        Curve | None,
        Field(
            "opacity",
            "Factor on the opacity over age; fade in over the first fifth so nothing pops.",
            soft=(0, 1),
            least=0,
            words=("alpha", "fade in", "fade out", "transparency"),
        ),
    ] = Curve(keys=(Key(at=0, value=0), Key(at=0.2, value=1), Key(at=0.6, value=1), Key(at=1, value=0)))
    speed: Annotated[
        Curve | None,
        Field("speed", "Factor on how far a particle moves over age.", soft=(0, 1), words=("slow down")),
    ] = None


class Forces(Part, frozen=True):
    """What pushes a particle. All off until asked for."""

    gravity: Annotated[
        Vector,
        Field(
            "gravity",
            "A steady acceleration; the earth's is 0, -9.81, 0. A positive height lets hot things rise.",
            unit="m/s²",
            soft=(-10, 10),
            least=-1e5,
            most=1e5,
            words=("acceleration", "weight", "fall", "buoyancy", "rise"),
        ),
    ] = (0.0, 0.0, 0.0)
    drag: Annotated[
        float,
        Field(
            "drag",
            "How quickly a particle takes the speed of the air: the share of speed lost each second, to begin with.",
            unit="1/s",
            soft=(0, 5),
            least=0,
            most=1e4,
            words=("damping", "friction", "air resistance", "slow down"),
        ),
    ] = 0.0
    wind: Annotated[
        Vector,
        Field(
            "wind",
            "Velocity of the air.",
            unit="m/s",
            soft=(-5, 5),
            least=-1e4,
            most=1e4,
            words=("air", "breeze", "blow"),
            needs=(_HAS_DRAG,),
        ),
    ] = (0.0, 0.0, 0.0)
    turbulence: Annotated[
        float,
        Field(
            "turbulence",
            "Speed of the eddies in the air.",
            unit="m/s",
            soft=(0, 5),
            least=0,
            most=1e4,
            words=("noise", "curl", "chaos", "swirl", "wobble"),
            needs=(_HAS_DRAG,),
        ),
    ] = 0.0
    eddy: Annotated[
        float,
        Field(
            "eddy size",
            "Width of the largest eddies.",
            unit="m",
            soft=(0.1, 5),
            least=0.001,
            most=1e5,
            words=("noise scale", "frequency", "turbulence size"),
            needs=(_HAS_DRAG, _BLOWS),
        ),
    ] = 1.0
    detail: Annotated[
        float,
        Field(
            "detail",
            "Strength of smaller eddies within the large ones.",
            soft=(0, 1),
            least=0,
            most=1,
            words=("octaves", "roughness"),
            needs=(_HAS_DRAG, _BLOWS),
        ),
    ] = 0.5
    drift: Annotated[
        Vector,
        Field(
            "drift",
            "How the pattern of eddies itself travels.",
            unit="m/s",
            soft=(-3, 3),
            least=-1e4,
            most=1e4,
            words=("scroll", "noise speed", "evolution", "pan"),
            needs=(_HAS_DRAG, _BLOWS),
        ),
    ] = (0.0, 0.5, 0.0)


class Contact(Part, frozen=True):
    """What a particle meets."""

    ground: Annotated[
        Literal["pass", "bounce", "end"],
        Field(
            "ground",
            "What happens at the ground.",
            options=("Falls through.", "Is thrown back.", "Dies there."),
            words=("collision", "collide", "floor", "kill", "die", "plane"),
        ),
    ] = "pass"
    bounce: Annotated[
        float,
        Field(
            "bounce",
            "Share of the speed towards the ground that is thrown back.",
            soft=(0, 1),
            least=0,
            most=1,
            words=("restitution", "elasticity", "bounciness"),
            needs=(_BOUNCES,),
        ),
    ] = 0.4
    slide: Annotated[
        float,
        Field(
            "slide",
            "Share of the sideways speed kept at a touch.",
            soft=(0, 1),
            least=0,
            most=1,
            words=("friction", "slip"),
            needs=(_BOUNCES,),
        ),
    ] = 0.8
    radius: Annotated[
        float,
        Field(
            "touch radius",
            "How far from its middle a particle touches.",
            unit="m",
            soft=(0, 0.5),
            least=0,
            most=1e4,
            words=("collision radius", "collider size", "thickness"),
            needs=(_MEETS,),
        ),
    ] = 0.0


_SHEET = Need(
    ("look", "columns"), lambda layer: layer.look.columns * layer.look.rows > 1, "The picture is a single frame."
)
_CLOCK = _chosen("look", "play", ("by clock",), "Only playing by clock has a speed.")


class Look(Part, frozen=True):
    """How a particle is drawn."""

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
        Literal["additive", "alpha", "multiply"],
        Field(
            "blend",
            "How a particle mixes with what lies behind it.",
            options=("Adds its light: fire, glow, sparks.", "Covers: smoke, dust, drops.", "Darkens: soot, shadow."),
            words=("blend mode", "transparent", "screen", "material"),
        ),
    ] = "additive"
    facing: Annotated[
        Literal["to camera", "along motion"],
        Field(
            "facing",
            "How a sprite is turned.",
            options=("Square to the camera.", "Its height lies along its motion."),
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


CHAPTERS = ("outlet", "birth", "life", "forces", "contact", "look")
"""The chapters in the order of the story, by their field in a layer."""
