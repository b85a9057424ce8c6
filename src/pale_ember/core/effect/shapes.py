"""The shapes that particles are born in or on, and the faces they have, and where births head: the one list of it."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from msgspec.structs import replace

from pale_ember.core.effect.fields import Need


@dataclass(frozen=True, slots=True)
class Shape:
    """A kind of shape. told : it in a sentence, with the outlet's numbers. uses : the outlet's fields that it has.
    faces : those that can be chosen. room : how much of it there is for births, by the outlet's numbers, in metres to the
    power of its dimensions and but for a factor."""

    help: str
    told: str
    uses: tuple[str, ...] = ()
    faces: tuple[str, ...] = ()
    room: Callable[[Any], float] = lambda outlet: 1.0


FACES: dict[str, str] = {
    "all": "The whole shape.", "side": "Only its side.", "caps": "Only its foot and its top.", "base": "Only its foot.",
    "top": "Only its top.", "left": "The side towards -X.", "right": "The side towards +X.",
    "front": "The side towards +Z.", "back": "The side towards -Z.",
}  # fmt: skip
"""Faces, with what each means, by the word that stands for each in documents; a kernel's code is the place in the list."""

AIMS: dict[str, str] = {
    "outward": "Away from the shape.",
    "along axis": "Along the axis below.",
    "along surface": "Around the axis below, along the surface.",
    "towards point": "Towards the point below.",
    "away from point": "Away from the point below.",
    "anywhere": "In every direction.",
}
"""Where newborn particles head, with what each means; likewise."""


def _round(surface: int, whole: int) -> Callable[[Any], float]:
    """The room of a round: its radius to one power for its surface, to another for all of it."""
    return lambda outlet: outlet.radius ** (whole if outlet.fill > 0 else surface)


def _tall(outlet: Any) -> float:
    """The room of a round that stands on its foot; one without height is its foot alone."""
    return _round(1, 2)(outlet) * (outlet.length or 1.0)


_ROUND = ("radius", "fill", "arc")
_STANDING = ("side", "caps", "base", "top")

SHAPES: dict[str, Shape] = {
    "point": Shape("All from one spot.", "a point"),
    "line": Shape("A straight line across, along X.", "a line of {length} m", ("length",), room=lambda outlet: outlet.length),
    "disc": Shape("A flat round, facing up; without fill a ring.", "a disc of radius {radius} m", _ROUND, room=_round(1, 2)),
    "sphere": Shape("A sphere.", "a sphere of radius {radius} m", _ROUND, room=_round(2, 3)),
    "hemisphere": Shape("The upper half of a sphere.", "a hemisphere of radius {radius} m", _ROUND, ("side", "base"), _round(2, 3)),
    "box": Shape("A box.", "a box of {extent} m", ("extent", "fill"), tuple(FACES)[1:],
                 lambda outlet: math.prod(part for part in outlet.extent if part > 0)),
    "cone": Shape(
        "A round that widens upward; outward runs along its sides.", "a cone of radius {radius} m",
        (*_ROUND, "opening", "length"), _STANDING, _tall,
    ),
    "cylinder": Shape("A cylinder standing on its foot.", "a cylinder of radius {radius} m", (*_ROUND, "length"), _STANDING, _tall),
    "torus": Shape("A ring with a round tube.", "a torus of radius {radius} m", (*_ROUND, "tube"),
                   room=lambda outlet: outlet.radius * outlet.tube ** (2 if outlet.fill > 0 else 1)),
    "mesh": Shape(
        "The points, edges or faces of a mesh.", "the {mesh_part} of {mesh}", ("mesh", "mesh_part", "density")
    ),
}  # fmt: skip
"""Shapes by the word that stands for each in documents; a kernel's code is the place in the list."""


def faces_of(shape: str, faces: str) -> str:
    """The faces as far as a shape has them; else all."""
    return faces if faces in SHAPES[shape].faces else "all"


def used(field: str, reason: str) -> Need:
    """A need for a shape that has a field of the outlet."""
    return Need(("outlet", "shape"), lambda layer: field in SHAPES[layer.outlet.shape].uses, reason)


def has_faces(reason: str) -> Need:
    """A need for a shape with faces to choose from."""
    return Need(("outlet", "shape"), lambda layer: bool(SHAPES[layer.outlet.shape].faces), reason)


def extent_of(outlet: Any) -> float:
    """How much room an outlet's shape has for births, stretched as it is, but for a factor: what their density hangs on."""
    x, y, z = (abs(part) for part in outlet.stretch)
    sides = {"point": 1.0, "line": x, "disc": x * z if outlet.fill > 0 else math.sqrt(x * z)}
    return SHAPES[outlet.shape].room(outlet) * sides.get(outlet.shape, x * y * z)


def with_aim_flipped(layer: Any) -> Any:
    """The layer whose births head the other way; itself where there is none."""
    outlet = layer.outlet
    other = {"towards point": "away from point", "away from point": "towards point"}
    if outlet.aim in other:
        return replace(layer, outlet=replace(outlet, aim=other[outlet.aim]))
    if outlet.aim in ("along axis", "along surface"):
        x, y, z = outlet.axis
        return replace(layer, outlet=replace(outlet, axis=(-x or 0.0, -y or 0.0, -z or 0.0)))
    return layer
