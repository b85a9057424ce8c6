"""What lanes drive and along what they run: the one list of it, for documents, kernels, editors and sentences."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Axis:
    """What a lane runs along. camera : whether it is known only when a picture is drawn."""

    help: str
    unit: str = ""
    camera: bool = False


AXES: dict[str, Axis] = {
    "age": Axis("From birth to death."),
    "speed": Axis("From slow to fast, in m/s.", "m/s"),
    "distance": Axis("By the distance travelled, in metres.", "m"),
    "effect time": Axis("Over the effect's time, in seconds.", "s"),
    "camera distance": Axis("By the distance from the camera, in metres, when drawn.", "m", camera=True),
}
"""The axes by the word that stands for each in documents; a kernel's code is the place in the list."""


@dataclass(frozen=True, slots=True)
class Property:
    """Something a lane can drive.

    least : what a lane may not go below, where nature sets it. adds : whether a lane adds to the value instead of
    multiplying it. moves : whether it changes where particles are; else only how they appear. aside : whether a Frame
    tells it by name, beside its common columns. soft : where the drag bar of a key's value runs.
    """

    help: str
    adds: bool = False
    moves: bool = False
    aside: bool = False
    unit: str = ""
    soft: tuple[float, float] = (0.0, 1.0)
    least: float | None = None

    @property
    def axes(self) -> tuple[str, ...]:
        """Along what a lane may drive it: where particles are cannot hang on who looks at them."""
        return tuple(name for name, axis in AXES.items() if not (self.moves and axis.camera))


PROPERTIES: dict[str, Property] = {
    "size": Property("Factor on the size.", least=0.0),
    "width": Property("Factor on the width alone.", least=0.0),
    "height": Property("Factor on the height alone.", least=0.0),
    "depth": Property("Factor on the depth alone.", least=0.0),
    "colour": Property("Colour, multiplying the tint."),
    "brightness": Property("Factor on the brightness.", least=0.0),
    "opacity": Property("Factor on the opacity.", least=0.0),
    "speed": Property("Factor on how far a particle moves.", moves=True),
    "velocity x": Property("Velocity along X.", adds=True, moves=True, unit="m/s", soft=(-2, 2)),
    "velocity y": Property("Velocity along Y.", adds=True, moves=True, unit="m/s", soft=(-2, 2)),
    "velocity z": Property("Velocity along Z.", adds=True, moves=True, unit="m/s", soft=(-2, 2)),
    "angle": Property("Turn on top of the angle at birth.", adds=True, unit="°", soft=(-180, 180)),
    "spin": Property("Spin on top of that at birth.", adds=True, moves=True, unit="°/s", soft=(-180, 180)),
    "gravity": Property("Factor on the gravity.", moves=True),
    "drag": Property("Factor on the drag.", moves=True, least=0.0),
    "wind": Property("Factor on the wind.", moves=True),
    "turbulence": Property("Factor on the turbulence.", moves=True),
    "force": Property("Factor on one of the further forces.", moves=True),
    "frame": Property("Frames of the sheet on top.", adds=True, soft=(0, 16)),
    "streak": Property("Factor on the streak.", aside=True, least=0.0),
    "dissolve": Property("How far a particle is dissolved.", adds=True, aside=True),
    "edge glow": Property("Factor on the edge glow.", aside=True, least=0.0),
    "burn": Property("Factor on the burning edge.", aside=True, least=0.0),
    "self-lit": Property("Factor on the light of its own.", aside=True, least=0.0),
    "warp": Property("Factor on the warp.", aside=True),
    "heat shimmer": Property("Factor on the heat shimmer.", aside=True),
    "scroll x": Property("How far the texture has moved across.", adds=True, aside=True, unit="×", soft=(-2, 2)),
    "scroll y": Property("How far the texture has moved up.", adds=True, aside=True, unit="×", soft=(-2, 2)),
    "named": Property("A number of the artist's own, handed over under the lane's name.", adds=True, aside=True),
}
"""What lanes drive, by the word that stands for each in documents; a kernel's code is the place in the list."""
