"""Life: what changes while a particle lives, as lanes."""

from typing import TYPE_CHECKING, Annotated, Literal

from pale_ember.core.effect.fields import Field, Part
from pale_ember.core.effect.properties import AXES, PROPERTIES
from pale_ember.core.effect.values import Curve, Gradient, Key

if TYPE_CHECKING:
    Drives = str
    Over = str
else:
    Drives, Over = Literal[tuple(PROPERTIES)], Literal[tuple(AXES)]


_ALONG = ("over", {word: axis.unit for word, axis in AXES.items()})


class Lane(Part, frozen=True):
    """One property over one axis. `key` is its lasting number in the layer."""

    key: Annotated[int, Field("key", "Lasting number of the lane.", least=0, most=65000, hidden=True)] = 0
    drives: Annotated[
        Drives,
        Field(
            "drives",
            "The property that changes.",
            options=tuple(one.help for one in PROPERTIES.values()),
            words=("animate", "property", "parameter", "random curve", "random range over life"),
        ),
    ] = "size"
    over: Annotated[
        Over,
        Field(
            "over",
            "What the lane runs along.",
            options=tuple(one.help for one in AXES.values()),
            words=("axis", "input", "driver", "by speed"),
        ),
    ] = "age"
    low: Annotated[float, Field("from", "Where the axis begins.", soft=(0, 10), unit_by=_ALONG)] = 0.0
    high: Annotated[float, Field("to", "Where the axis ends.", soft=(0, 10), unit_by=_ALONG)] = 5.0
    curve: Annotated[Curve, Field("curve", "The factor, or what is added.")] = Curve()
    colours: Annotated[Gradient | None, Field("colours", "The colours, where it drives the colour.")] = None
    replaces: Annotated[bool, Field("replaces", "A velocity replaces the particle's own along its axis instead of adding to it.")] = False
    force: Annotated[int, Field("force", "Number of the force it scales.", least=0, most=65000)] = 0
    name: Annotated[str, Field("name", "What a lane of the artist's own is called.")] = ""

    def moves_particles(self) -> bool:
        """Whether the lane decides where particles are; so does one over the distance, which is counted for it alone."""
        return PROPERTIES[self.drives].moves or self.over == "distance"


class Life(Part, frozen=True):
    """What changes as a particle ages. The five lanes of every day multiply what was drawn at birth."""

    size: Annotated[
        Curve | None, Field("size", "Factor on the size over age.", soft=(0, 1), least=0, words=("grow", "shrink"), moves=False)
    ] = None
    colour: Annotated[
        Gradient | None,
        Field("colour", "Colour over age, multiplying the tint.", words=("color", "gradient", "ramp", "cool down"), moves=False),
    ] = None
    brightness: Annotated[
        Curve | None,
        Field("brightness", "Factor on the brightness over age.", soft=(0, 1), least=0, words=("intensity", "emissive"), moves=False),
    ] = None
    opacity: Annotated[
        Curve | None,
        Field(
            "opacity",
            "Factor on the opacity over age; fade in over the first fifth so nothing pops.",
            soft=(0, 1),
            least=0,
            words=("alpha", "fade in", "fade out", "transparency"),
            moves=False,
        ),
    ] = Curve(keys=(Key(at=0, value=0), Key(at=0.2, value=1), Key(at=0.6, value=1), Key(at=1, value=0)))
    speed: Annotated[Curve | None, Field("speed", "Factor on how far a particle moves over age.", soft=(0, 1), words=("slow down",))] = (
        None
    )
    more: Annotated[
        tuple[Lane, ...],
        Field(
            "more lanes",
            "Lanes for everything else, over age, speed, distance or time; several on one property combine.",
            words=("curve", "velocity", "spin", "dissolve", "scroll", "streak", "force", "axis"),
        ),
    ] = ()
