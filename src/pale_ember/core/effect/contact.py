"""Contact: what a particle meets."""

from typing import Annotated, Any, Literal

from pale_ember.core.effect.fields import Field, Part
from pale_ember.core.effect.needs import chosen

_MEETS = chosen("contact", "meets", ("bounce", "stick", "end"), "Particles pass through everything.")
_BOUNCES = chosen("contact", "meets", ("bounce",), "Only a bouncing particle keeps speed.")


def touch_of(layer: Any) -> float:
    """How far from its middle a layer's particle touches, in the metres it is simulated in: its radius, or half of what
    is the middle of its sizes, so that nothing large sinks into the ground."""
    if layer.contact.radius is not None:
        return layer.contact.radius
    scale = layer.scale if layer.space == "world" else 1.0
    return 0.5 * abs(layer.birth.size.middle) * scale


class Contact(Part, frozen=True):
    """What a particle meets."""

    meets: Annotated[
        Literal["pass", "bounce", "stick", "end"],
        Field(
            "on collision",
            "What happens when a particle meets a surface of the stage.",
            options=("Passes through.", "Is thrown back.", "Stays where it touched.", "Dies there."),
            words=("collision", "collide", "floor", "ground", "kill", "die", "plane", "glue"),
            always=True,
        ),
    ] = "pass"
    surfaces: Annotated[
        tuple[str, ...],
        Field(
            "surfaces",
            "Which props it meets, by name (the ground is called ground); none named means all.",
            words=("collision group", "mask", "layers", "props"),
            names="prop",
            needs=(_MEETS,),
        ),
    ] = ()
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
            always=True,
        ),
    ] = 0.4
    slide: Annotated[
        float,
        Field(
            "slide",
            "Share of the sideways speed kept on collision.",
            soft=(0, 1),
            least=0,
            most=1,
            words=("friction", "slip"),
            needs=(_BOUNCES,),
        ),
    ] = 0.8
    radius: Annotated[
        float | None,
        Field(
            "touch radius",
            "How far from its middle a particle touches; half its size unless it is told.",
            unit="m",
            soft=(0, 0.5),
            least=0,
            most=1e4,
            words=("collision radius", "collider size", "thickness"),
            needs=(_MEETS,),
            otherwise=touch_of,
        ),
    ] = None
    ageing: Annotated[
        float,
        Field(
            "ageing",
            "Share of its life that each collision costs: 1 ends it.",
            soft=(0, 1),
            least=0,
            most=1,
            words=("wear on collision", "shortens life", "kill on collision"),
            needs=(_BOUNCES,),
        ),
    ] = 0.0
    minimum_speed: Annotated[
        float,
        Field(
            "minimum speed",
            "Slower collisions do not count: they bounce, age and spawn nothing.",
            unit="m/s",
            soft=(0, 2),
            least=0,
            most=1e5,
            words=("threshold", "minimum impact", "rest"),
            needs=(_MEETS,),
        ),
    ] = 0.0
