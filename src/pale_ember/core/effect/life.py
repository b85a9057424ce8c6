"""Life: what changes while a particle lives, as lanes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

from pale_ember.core.effect.fields import Field, Part
from pale_ember.core.effect.values import Curve, Gradient, Key


@dataclass(frozen=True, slots=True)
class Property:
    """Something a lane can drive. adds : whether the lane adds to the value instead of multiplying it.
    moves : whether it changes where particles are; else only how they appear."""

    help: str
    adds: bool = False
    moves: bool = False
    unit: str = ""
    soft: tuple[float, float] = (0.0, 1.0)


PROPERTIES: dict[str, Property] = {
    "size": Property("Factor on the size."),
    "width": Property("Factor on the width alone."),
    "height": Property("Factor on the height alone."),
    "depth": Property("Factor on the depth alone."),
    "colour": Property("Colour, multiplying the tint."),
    "brightness": Property("Factor on the brightness."),
    "opacity": Property("Factor on the opacity."),
    "speed": Property("Factor on how far a particle moves.", moves=True),
    "velocity x": Property("Velocity along X.", adds=True, moves=True, unit="m/s", soft=(-2, 2)),
    "velocity y": Property("Velocity along Y.", adds=True, moves=True, unit="m/s", soft=(-2, 2)),
    "velocity z": Property("Velocity along Z.", adds=True, moves=True, unit="m/s", soft=(-2, 2)),
    "angle": Property("Turn on top of the angle at birth.", adds=True, unit="°", soft=(-180, 180)),
    "spin": Property("Spin on top of that at birth.", adds=True, moves=True, unit="°/s", soft=(-180, 180)),
    "gravity": Property("Factor on the gravity.", moves=True),
    "drag": Property("Factor on the drag.", moves=True),
    "wind": Property("Factor on the wind.", moves=True),
    "turbulence": Property("Factor on the turbulence.", moves=True),
    "force": Property("Factor on one of the further forces.", moves=True),
    "frame": Property("Frames of the sheet on top.", adds=True, unit="", soft=(0, 16)),
    "streak": Property("Factor on the streak."),
    "dissolve": Property("How far a particle is eaten away.", adds=True),
    "edge glow": Property("Factor on the edge glow."),
    "burn": Property("Factor on the burning edge."),
    "warp": Property("Factor on the warp."),
    "haze": Property("Factor on the haze."),
    "scroll x": Property("How far the texture has moved across.", adds=True, unit="×", soft=(-2, 2)),
    "scroll y": Property("How far the texture has moved up.", adds=True, unit="×", soft=(-2, 2)),
    "named": Property("A number of the artist's own, handed over under the lane's name.", adds=True),
}
"""What lanes drive, by name."""


class Lane(Part, frozen=True):
    """One property over one axis. `key` is its lasting number in the layer."""

    key: Annotated[int, Field("key", "Lasting number of the lane.", least=0, most=65000, hidden=True)] = 0
    drives: Annotated[
        Literal[
            "size", "width", "height", "depth", "colour", "brightness", "opacity", "speed", "velocity x", "velocity y",
            "velocity z", "angle", "spin", "gravity", "drag", "wind", "turbulence", "force", "frame", "streak",
            "dissolve", "edge glow", "burn", "warp", "haze", "scroll x", "scroll y", "named",
        ],
        Field("drives", "The property that changes.", words=("animate", "property", "parameter")),
    ] = "size"  # fmt: skip
    over: Annotated[
        Literal["age", "speed", "distance", "effect time", "camera distance"],
        Field(
            "over",
            "What the lane runs along.",
            options=(
                "From birth to death.",
                "From slow to fast, in m/s.",
                "By the distance travelled, in metres.",
                "Over the effect's time, in seconds.",
                "By the distance from the camera, in metres, when drawn.",
            ),
            words=("axis", "input", "driver", "by speed"),
        ),
    ] = "age"
    low: Annotated[float, Field("from", "Where the axis begins: m/s, m or s.", soft=(0, 10))] = 0.0
    high: Annotated[float, Field("to", "Where the axis ends: m/s, m or s.", soft=(0, 10))] = 5.0
    curve: Annotated[Curve, Field("curve", "The factor, or what is added.")] = Curve()
    colours: Annotated[Gradient | None, Field("colours", "The colours, where it drives the colour.")] = None
    instead: Annotated[
        bool, Field("instead", "A velocity replaces the particle's own along its axis instead of adding to it.")
    ] = False
    force: Annotated[int, Field("force", "Number of the force it scales.", least=0, most=65000)] = 0
    name: Annotated[str, Field("name", "What a lane of the artist's own is called.")] = ""


class Life(Part, frozen=True):
    """What changes as a particle ages. The five lanes of every day multiply what was drawn at birth."""

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
    more: Annotated[
        tuple[Lane, ...],
        Field(
            "more lanes",
            "Lanes for everything else, over age, speed, distance or time; several on one property combine.",
            words=("curve", "velocity", "spin", "dissolve", "scroll", "streak", "force", "axis"),
        ),
    ] = ()
