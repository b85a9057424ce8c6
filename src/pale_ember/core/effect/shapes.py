"""The shapes that particles are born in or on, and the faces they have, and where births head: the one list of it."""

from __future__ import annotations

from dataclasses import dataclass

from pale_ember.core.effect.fields import Need


@dataclass(frozen=True, slots=True)
class Shape:
    """A kind of shape. told : it in a sentence, with the outlet's numbers. uses : the outlet's fields that it has.
    faces : those that can be chosen."""

    help: str
    told: str
    uses: tuple[str, ...] = ()
    faces: tuple[str, ...] = ()


FACES: dict[str, str] = {
    "all": "The whole shape.", "side": "Only its side.", "caps": "Only its foot and its top.", "base": "Only its foot.",
    "top": "Only its top.", "left": "The side towards -X.", "right": "The side towards +X.",
    "front": "The side towards +Z.", "back": "The side towards -Z.",
}  # fmt: skip
"""Faces, with what each means, by the word that stands for each in documents; a kernel's code is the place in the list."""

AIMS: dict[str, str] = {
    "outward": "Away from the shape.", "along axis": "Along the axis below.",
    "along surface": "Around the axis below, along the surface.", "towards point": "Towards the point below.",
    "away from point": "Away from the point below.", "anywhere": "In every direction.",
}  # fmt: skip
"""Where newborn particles head, with what each means; likewise."""

_ROUND = ("radius", "fill", "arc")
_STANDING = ("side", "caps", "base", "top")

SHAPES: dict[str, Shape] = {
    "point": Shape("All from one spot.", "a point"),
    "line": Shape("A straight line across, along X.", "a line of {length} m", ("length",)),
    "disc": Shape("A flat round, facing up; without fill a ring.", "a disc of radius {radius} m", _ROUND),
    "sphere": Shape("A sphere.", "a sphere of radius {radius} m", _ROUND),
    "hemisphere": Shape("The upper half of a sphere.", "a hemisphere of radius {radius} m", _ROUND, ("side", "base")),
    "box": Shape("A box.", "a box of {extent} m", ("extent", "fill"), tuple(FACES)[1:]),
    "cone": Shape(
        "A round that widens upward; outward runs along its sides.", "a cone of radius {radius} m",
        (*_ROUND, "opening", "length"), _STANDING,
    ),
    "cylinder": Shape("A cylinder standing on its foot.", "a cylinder of radius {radius} m", (*_ROUND, "length"), _STANDING),
    "torus": Shape("A ring with a round tube.", "a torus of radius {radius} m", (*_ROUND, "tube")),
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
