"""The Outlet: when and where particles are born, and where they head."""

from typing import TYPE_CHECKING, Annotated, Literal

from msgspec.structs import force_setattr

from pale_ember.core.effect.bursts import MOST_ALIVE, Burst
from pale_ember.core.effect.fields import Field, Need, Part
from pale_ember.core.effect.needs import chosen, holding
from pale_ember.core.effect.shapes import AIMS, FACES, SHAPES, has_faces, used
from pale_ember.core.effect.values import Curve, Range, Vector, fixed

if TYPE_CHECKING:
    Kind = str
    Face = str
    Aim = str
else:
    Kind, Face, Aim = Literal[tuple(SHAPES)], Literal[tuple(FACES)], Literal[tuple(AIMS)]

_FLOWS = Need(("outlet", "rate"), lambda layer: layer.outlet.rate.most > 0 or layer.outlet.per_metre > 0, "The rate is 0.")
_AIMS_BY_AXIS = chosen("outlet", "aim", ("along axis", "along surface"), "Only these aims use an axis.")
_AIMS_AT = chosen("outlet", "aim", ("towards point", "away from point"), "Only aiming at a point uses one.")
_SPREADS = chosen(
    "outlet",
    "aim",
    ("along axis", "outward", "along surface", "towards point", "away from point"),
    "Aiming anywhere is already every direction.",
)
_MESH = used("mesh", "Only a mesh has them.")
_WHOLE = chosen("outlet", "faces", ("all",), "Chosen faces are surfaces: they have no inside.")


class Outlet(Part, frozen=True):
    """When and where particles are born."""

    def __post_init__(self) -> None:
        for name in ("rate", "spread"):
            if not isinstance(getattr(self, name), Range):
                force_setattr(self, name, fixed(getattr(self, name)))

    rate: Annotated[
        Range,
        Field(
            "rate",
            "How many are born, counted as said below; a range is drawn once per loop, or once per birth for a wait.",
            soft=(0, 200),
            least=0,
            most=1e8,
            words=("emission over time", "spawn rate", "emission", "flow", "frequency", "per second"),
            group="when",
            always=True,
        ),
    ] = fixed(40.0)
    rate_counts: Annotated[
        Literal["per second", "seconds between", "kept alive"],
        Field(
            "rate counts",
            "What the rate counts.",
            options=(
                "Births each second.",
                "The wait from one birth to the next, in seconds, drawn for each birth.",
                "How many live at once: as many births a second as keep that number.",
            ),
            words=("interval", "population", "frequency"),
            group="when",
        ),
    ] = "per second"
    rate_curve: Annotated[
        Curve | None,
        Field(
            "rate curve",
            "Factor on the rate over the effect's time, from its start to its end.",
            soft=(0, 1),
            least=0,
            words=("course", "ramp", "pulse", "flow"),
            needs=(chosen("outlet", "rate_counts", ("per second", "kept alive"), "A wait is drawn for each birth."),),
            group="when",
        ),
    ] = None
    bursts: Annotated[
        tuple[Burst, ...],
        Field("bursts", "Particles born all at once at chosen moments.", words=("explosion", "pop", "at once", "instant"), group="when"),
    ] = ()
    per_metre: Annotated[
        float,
        Field(
            "per metre",
            "Particles born for every metre the layer travels, evenly along its path.",
            unit="/m",
            soft=(0, 50),
            least=0,
            most=1e5,
            words=("distance", "trail", "spacing", "moving"),
            group="when",
        ),
    ] = 0.0
    on_cue: Annotated[
        str,
        Field(
            "from cue",
            "The cue at which the layer begins: its rate and its bursts count from there.",
            names="cue",
            words=("cue", "marker", "trigger", "event", "delay"),
            group="when",
        ),
    ] = ""
    start: Annotated[
        float,
        Field(
            "active from",
            "When the flow begins in each loop: the layer's delay.",
            unit="s",
            soft=(0, 3),
            least=0,
            words=("delay", "start time", "offset"),
            needs=(_FLOWS,),
            group="when",
        ),
    ] = 0.0
    span: Annotated[
        float,
        Field(
            "active for",
            "How long the flow lasts in each loop; 0 means to the end of the effect.",
            unit="s",
            soft=(0, 3),
            least=0,
            words=("duration", "active span", "stop time"),
            needs=(_FLOWS,),
            group="when",
        ),
    ] = 0.0
    limit: Annotated[
        int,
        Field(
            "limit",
            "The most particles alive at once.",
            soft=(0, 2000),
            least=0,
            most=MOST_ALIVE,
            words=("max particles", "maximum", "capacity", "budget", "cap"),
            group="when",
        ),
    ] = 2000
    at_limit: Annotated[
        Literal["refuse births", "retire the oldest"],
        Field(
            "at the limit",
            "What happens to a birth when the limit is reached.",
            options=("It is refused.", "The oldest particle makes room for it."),
            words=("overflow", "recycle", "kill oldest"),
            group="when",
        ),
    ] = "refuse births"
    shape: Annotated[
        Kind,
        Field(
            "shape",
            "What particles are born in or on.",
            options=tuple(one.help for one in SHAPES.values()),
            words=("emitter shape", "area", "volume", "ring", "circle", "cube", "funnel", "dome", "doughnut", "tube"),
            group="shape",
            always=True,
        ),
    ] = "disc"
    radius: Annotated[
        float,
        Field(
            "radius",
            "Radius of the round shapes; the foot of the cone, the middle of the torus's tube.",
            unit="m",
            soft=(0, 2),
            least=0,
            words=("width", "extent"),
            needs=(used("radius", "Only round shapes have a radius."),),
            group="shape",
            always=True,
        ),
    ] = 0.3
    tube: Annotated[
        float,
        Field(
            "tube",
            "Radius of the torus's tube.",
            unit="m",
            soft=(0, 1),
            least=0,
            words=("thickness", "minor radius"),
            needs=(used("tube", "Only a torus has a tube."),),
            group="shape",
        ),
    ] = 0.1
    extent: Annotated[
        Vector,
        Field(
            "extent",
            "Full width, height and depth of the box.",
            unit="m",
            soft=(0, 10),
            least=0,
            words=("box size", "dimensions"),
            needs=(used("extent", "Only a box has an extent."),),
            group="shape",
            always=True,
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
            needs=(used("opening", "Only a cone opens."),),
            group="shape",
        ),
    ] = 20.0
    length: Annotated[
        float,
        Field(
            "length",
            "Length of the line, height of the cone or the cylinder; a cone of 0 spawns all at its foot.",
            unit="m",
            soft=(0, 2),
            least=0,
            words=("height",),
            needs=(used("length", "Only lines, cones and cylinders."),),
            group="shape",
            always=True,
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
            words=("volume or surface emission", "surface", "volume", "thickness", "shell", "hollow"),
            needs=(used("fill", "This shape has no inside."), _WHOLE),
            group="shape",
        ),
    ] = 1.0
    arc: Annotated[
        float,
        Field(
            "arc",
            "How much of the round is used, from its +X side on.",
            unit="°",
            soft=(0, 360),
            least=0,
            most=360,
            words=("sector", "slice", "partial", "angle"),
            needs=(used("arc", "Only round shapes have an arc."),),
            group="shape",
        ),
    ] = 360.0
    faces: Annotated[
        Face,
        Field(
            "faces",
            "Which faces spawn.",
            options=tuple(FACES.values()),
            words=("cap", "wall", "side", "face"),
            needs=(has_faces("Only shapes with faces have a choice."),),
            group="shape",
        ),
    ] = "all"
    mesh: Annotated[
        str,
        Field(
            "mesh",
            "A built-in solid (solid:name) or a mesh file beside the document.",
            words=("model", "object", "geometry"),
            names="mesh",
            needs=(_MESH,),
            group="shape",
            always=True,
        ),
    ] = "solid:kiln arch"
    mesh_part: Annotated[
        Literal["surface", "edges", "vertices"],
        Field(
            "born on",
            "Which part of the mesh spawns.",
            options=("Its faces.", "Its edges.", "Its points."),
            needs=(_MESH,),
            group="shape",
        ),
    ] = "surface"
    density: Annotated[
        str,
        Field(
            "density",
            "Where more are born: nothing for evenly, vertex colour, or a picture laid over the mesh's coordinates.",
            words=("mask", "weight", "texture", "vertex colour"),
            names="density",
            needs=(_MESH, chosen("outlet", "mesh_part", ("surface",), "Only faces have a density.")),
            group="shape",
        ),
    ] = ""
    stretch: Annotated[
        Vector,
        Field(
            "stretch",
            "Factor on the shape along each of its axes.",
            unit="×",
            soft=(0, 3),
            words=("scale", "squash", "ellipse"),
            group="shape",
        ),
    ] = (1.0, 1.0, 1.0)
    offset: Annotated[
        Vector, Field("offset", "Where the shape stands from the layer's own place.", unit="m", soft=(-3, 3), group="shape")
    ] = (0.0, 0.0, 0.0)
    shape_turn: Annotated[
        Vector,
        Field(
            "shape turn",
            "How the shape is turned in the layer: about Z, then X, then Y.",
            unit="°",
            soft=(-180, 180),
            words=("rotation",),
            group="shape",
        ),
    ] = (0.0, 0.0, 0.0)
    even: Annotated[
        bool,
        Field(
            "evenly",
            "Spread births evenly over the shape instead of by chance.",
            words=("stratified", "uniform", "regular", "clumps"),
            group="shape",
        ),
    ] = False
    anew: Annotated[
        bool,
        Field(
            "new place each step",
            "Every particle takes a new place on the shape at every step: glitter.",
            words=("glitter", "sparkle", "jump", "flicker"),
            group="shape",
        ),
    ] = False
    aim: Annotated[
        Aim,
        Field(
            "aim",
            "Where newborn particles head.",
            options=tuple(AIMS.values()),
            words=("direction", "heading", "velocity direction", "emit from", "tangent"),
            group="aim",
        ),
    ] = "along axis"
    axis: Annotated[
        Vector,
        Field(
            "axis",
            "The direction to head, in the layer's own turn; its length does not matter.",
            soft=(-1, 1),
            words=("up", "down", "direction"),
            needs=(_AIMS_BY_AXIS,),
            group="aim",
        ),
    ] = (0.0, 1.0, 0.0)
    point: Annotated[
        Vector, Field("point", "The point aimed at, in the layer's own axes.", unit="m", soft=(-3, 3), needs=(_AIMS_AT,), group="aim")
    ] = (0.0, 1.0, 0.0)
    spread: Annotated[
        Range,
        Field(
            "spread",
            "How far directions scatter to either side; a range is drawn once for each particle.",
            unit="°",
            soft=(0, 90),
            least=0,
            most=180,
            words=("randomness of direction", "cone", "scatter", "random direction", "angle"),
            needs=(_SPREADS,),
            group="aim",
            always=True,
        ),
    ] = fixed(12.0)
    across: Annotated[
        float,
        Field(
            "spread across",
            "The second angle of the spread, as a share of the first: 1 round, 0 a flat fan.",
            soft=(0, 1),
            least=0,
            most=1,
            words=("flatten", "fan", "ellipse", "second angle"),
            needs=(_SPREADS, holding("outlet", "spread", lambda spread: spread.most > 0, "The spread is 0.")),
            group="aim",
        ),
    ] = 1.0
    wander: Annotated[
        float,
        Field(
            "wander",
            "How much of the aim is given up for any direction: 0 keeps it, 1 heads anywhere.",
            soft=(0, 1),
            least=0,
            most=1,
            words=("randomise", "blend", "random direction"),
            needs=(_SPREADS,),
            group="aim",
        ),
    ] = 0.0
