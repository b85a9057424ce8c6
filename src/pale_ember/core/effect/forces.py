"""Forces: what pushes a particle."""

from typing import Annotated, Any, ClassVar, Literal

from pale_ember.core.effect.fields import Field, Need, Part, beside
from pale_ember.core.effect.values import Range, Vector, fixed

_HAS_DRAG = Need(
    ("forces", "drag"),
    lambda layer: layer.forces.drag > 0 or any(isinstance(force, QuadraticDrag) for force in layer.forces.more),
    "Moving air is felt through drag, and drag is 0.",
)
_BLOWS = Need(("forces", "turbulence"), lambda layer: layer.forces.turbulence > 0, "Turbulence is 0, so its shape does not matter.")

_BOUNDED = beside("region", lambda region: region != "everywhere", "It works everywhere.")

_SOME: dict[str, Any] = dict(least=-1e5, most=1e5)
_HEADING = Field("axis", "The direction, in the layer's own turn; its length does not matter.", soft=(-1, 1))
_SPOT = Field("place", "Where it stands, from the layer's own place.", unit="m", soft=(-3, 3), **_SOME)


class AnyForce(Part, frozen=True):
    """One more force. `key` is its lasting number in the layer.

    A kind of force is a subclass with its `kind` in documents, how it is `told` in a sentence around its `strength`, and what
    else it needs: numbers and vectors, which a kernel finds under the same names.
    """

    kind: ClassVar[str] = ""
    told: ClassVar[str] = ""
    key: Annotated[int, Field("key", "Lasting number of the force.", least=0, most=65000, hidden=True)] = 0
    on: Annotated[bool, Field("on", "Whether it works.")] = True
    region: Annotated[
        Literal["everywhere", "in a sphere", "in a box"],
        Field(
            "where",
            "Where it works.",
            options=("Everywhere.", "Inside a sphere only.", "Inside a box only."),
            words=("bounds", "region", "volume"),
            group="more: region",
        ),
    ] = "everywhere"
    region_place: Annotated[
        Vector,
        Field(
            "region at",
            "Middle of the region, from the layer's own place.",
            unit="m",
            soft=(-3, 3),
            needs=(_BOUNDED,),
            group="more: region",
        ),
    ] = (0.0, 0.0, 0.0)
    region_size: Annotated[
        Vector,
        Field(
            "region size",
            "Full width, height and depth of the region.",
            unit="m",
            soft=(0, 5),
            least=0,
            needs=(_BOUNDED,),
            group="more: region",
        ),
    ] = (1.0, 1.0, 1.0)


class Push(AnyForce, frozen=True):
    """A steady acceleration along an axis."""

    kind: ClassVar[str] = "push"
    told: ClassVar[str] = "pushed at {} along an axis"
    strength: Annotated[Range, Field("strength", "Acceleration.", unit="m/s²", soft=(-10, 10), **_SOME)] = fixed(2.0)
    axis: Annotated[Vector, _HEADING] = (0.0, 1.0, 0.0)


class Thrust(AnyForce, frozen=True):
    """An acceleration along the particle's own motion; negative holds it back."""

    kind: ClassVar[str] = "thrust"
    told: ClassVar[str] = "driven at {} along its way"
    strength: Annotated[Range, Field("strength", "Acceleration.", unit="m/s²", soft=(-10, 10), **_SOME)] = fixed(2.0)


class Gust(AnyForce, frozen=True):
    """Moving air that swells and sinks; felt through drag."""

    kind: ClassVar[str] = "gust"
    told: ClassVar[str] = "blown by gusts of {}"
    strength: Annotated[
        Range,
        Field(
            "strength",
            "Speed of the air on average; at its strongest it is 1 + gustiness times that.",
            unit="m/s",
            soft=(-10, 10),
            least=-1e4,
            most=1e4,
        ),
    ] = fixed(2.0)
    axis: Annotated[Vector, _HEADING] = (1.0, 0.0, 0.0)
    period: Annotated[float, Field("period", "Seconds from one gust to the next, on average.", unit="s", soft=(0.2, 5), least=0.01)] = 2.0
    gustiness: Annotated[
        float,
        Field(
            "gustiness",
            "Share of the wind that comes and goes: 0 blows steadily, 1 falls still and doubles.",
            soft=(0, 1),
            least=0,
            most=1,
        ),
    ] = 0.7


class QuadraticDrag(AnyForce, frozen=True):
    """Drag by the air: linear in the speed, quadratic, or both."""

    kind: ClassVar[str] = "brake"
    told: ClassVar[str] = "braked by the air at {}"
    strength: Annotated[Range, Field("linear", "Share of speed lost each second.", unit="1/s", soft=(0, 5), least=0, most=1e4)] = fixed(
        0.0
    )
    quadratic: Annotated[float, Field("quadratic", "Drag that grows with the speed.", unit="1/m", soft=(0, 2), least=0, most=1e4)] = 0.2


class Stirring(AnyForce, frozen=True):
    """Eddies in the air, as turbulence; felt through drag."""

    kind: ClassVar[str] = "stir"
    told: ClassVar[str] = "stirred by eddies of {}"
    strength: Annotated[Range, Field("strength", "Speed of the eddies.", unit="m/s", soft=(0, 5), least=-1e4, most=1e4)] = fixed(1.0)
    eddy: Annotated[float, Field("eddy size", "Width of the eddies.", unit="m", soft=(0.1, 5), least=0.001, most=1e5)] = 1.0
    drift: Annotated[Vector, Field("drift", "How the pattern travels.", unit="m/s", soft=(-3, 3), least=-1e4, most=1e4)] = (0.0, 0.5, 0.0)


class Vortex(AnyForce, frozen=True):
    """A push around an axis, with a pull towards it."""

    kind: ClassVar[str] = "vortex"
    told: ClassVar[str] = "carried around by a vortex of {}"
    strength: Annotated[Range, Field("around", "Acceleration around the axis.", unit="m/s²", soft=(-20, 20), **_SOME)] = fixed(4.0)
    pull: Annotated[float, Field("pull", "Acceleration towards the axis.", unit="m/s²", soft=(-20, 20), **_SOME)] = 2.0
    axis: Annotated[Vector, _HEADING] = (0.0, 1.0, 0.0)
    place: Annotated[Vector, _SPOT] = (0.0, 0.0, 0.0)
    radius: Annotated[
        float, Field("core", "Distance from the axis within which it fades to nothing.", unit="m", soft=(0.01, 2), least=0.001)
    ] = 0.2


class Radial(AnyForce, frozen=True):
    """A push straight away from a point, and around it."""

    kind: ClassVar[str] = "radial"
    told: ClassVar[str] = "pushed at {} from a point"
    strength: Annotated[Range, Field("outward", "Acceleration away from the point.", unit="m/s²", soft=(-20, 20), **_SOME)] = fixed(3.0)
    around: Annotated[float, Field("around", "Acceleration around the axis through the point.", unit="m/s²", soft=(-20, 20), **_SOME)] = (
        0.0
    )
    axis: Annotated[Vector, _HEADING] = (0.0, 1.0, 0.0)
    place: Annotated[Vector, _SPOT] = (0.0, 0.0, 0.0)


class Attractor(AnyForce, frozen=True):
    """A pull towards a point that fades with distance; negative repels."""

    kind: ClassVar[str] = "attractor"
    told: ClassVar[str] = "drawn to a point by {}"
    strength: Annotated[Range, Field("pull", "Acceleration at the point's reach.", unit="m/s²", soft=(-20, 20), **_SOME)] = fixed(4.0)
    place: Annotated[Vector, _SPOT] = (0.0, 1.0, 0.0)
    radius: Annotated[float, Field("reach", "Distance at which the pull is as told.", unit="m", soft=(0.05, 5), least=0.001)] = 1.0
    falloff: Annotated[
        float, Field("falloff", "How fast it fades: 0 never, 1 with the distance, 2 with its square.", soft=(0, 3), least=0, most=8)
    ] = 1.0


class Circling(AnyForce, frozen=True):
    """Particles go round an axis, with all that they do besides, so many times a second whatever their distance."""

    kind: ClassVar[str] = "circling"
    told: ClassVar[str] = "led round an axis {} times a second"
    strength: Annotated[
        Range,
        Field("turns", "Turns about the axis each second, drawn once for each particle.", unit="/s", soft=(-2, 2), least=-1e3,
              most=1e3, words=("orbit", "revolve", "rotate around", "angular velocity", "swirl")),
    ] = fixed(0.5)  # fmt: skip
    axis: Annotated[Vector, _HEADING] = (0.0, 1.0, 0.0)
    place: Annotated[Vector, _SPOT] = (0.0, 0.0, 0.0)


class SpeedLimit(AnyForce, frozen=True):
    """No particle is faster than this."""

    kind: ClassVar[str] = "speed limit"
    told: ClassVar[str] = "held below {}"
    strength: Annotated[Range, Field("at most", "The greatest speed.", unit="m/s", soft=(0, 20), least=0, most=1e5)] = fixed(5.0)


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
            always=True,
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
            words=("noise", "curl noise", "chaos", "swirl", "wobble"),
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
    more: Annotated[
        tuple[AnyForce, ...],
        Field(
            "more forces",
            "Whatever else pushes: vortices, attractors, gusts, and forces that work in a region only.",
            words=("vortex", "attractor", "repeller", "gust", "region", "radial", "speed limit", "thrust", "orbit"),
        ),
    ] = ()
