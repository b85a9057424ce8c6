"""Set pieces of the quay, to stand an effect beside. They belong to the stage and are never handed over."""

from __future__ import annotations

from msgspec.structs import replace

from pale_ember.core.effect.edit import free_name
from pale_ember.core.effect.model import Effect
from pale_ember.core.effect.stage import Lamp, Matter, Prop
from pale_ember.core.effect.values import Colour, Vector

_BRICK, _STONE, _IRON, _WOOD, _ROPE = (1.25, 0.78, 0.6), (0.9, 0.92, 0.95), (0.5, 0.52, 0.55), (1.15, 0.85, 0.62), (1.25, 1.05, 0.78)
_LAMPLIGHT = (1.0, 0.72, 0.42)


def _solid(name: str, place: Vector, matter: Matter, tint: Colour, *, solid: bool = True) -> Prop:
    return Prop(name=name, shape="mesh", mesh=f"solid:{name}", place=place, matter=matter, tint=tint, solid=solid)


SET_PIECES: dict[str, tuple[tuple[Prop, ...], tuple[Lamp, ...]]] = {
    "kiln": ((_solid("kiln", (0.0, 0.0, -1.65), "brick", (1.0, 0.72, 0.58)), _solid("kiln arch", (0.0, 0.0, -0.35), "brick",
          _BRICK)), ()),
    "kiln arch": ((_solid("kiln arch", (0.0, 0.0, -0.35), "brick", _BRICK),), ()),
    "quay stones": ((_solid("quay stones", (0.0, 0.0, 0.0), "stone", _STONE),), ()),
    "lamp post": (
        (
            _solid("lamp post", (-1.8, 0.0, -0.8), "iron", (0.35, 0.36, 0.38), solid=False),
            Prop(name="lamp glass", shape="cylinder", place=(-1.8, 2.87, -0.8), size=(0.2, 0.26, 0.2), tint=_LAMPLIGHT, shines=5.0,
                  solid=False),
        ),
        (Lamp(name="lamp", place=(-1.8, 2.87, -0.8), tint=_LAMPLIGHT, power=6.0),),
    ),
    "crate": ((Prop(name="crate", size=(0.7, 0.7, 0.7), place=(1.1, 0.35, -0.6), turn=(0.0, 24.0, 0.0), matter="wood", tint=_WOOD),), ()),
    "cask": ((_solid("cask", (1.6, 0.0, -1.1), "wood", _WOOD),), ()),
    "bollard": ((_solid("bollard", (-1.2, 0.0, -0.4), "iron", _IRON),), ()),
    "rope": ((_solid("rope", (-0.9, 0.0, 0.5), "wood", _ROPE),), ()),
    "grindstone": (
        (
            Prop(name="wheel", shape="cylinder", place=(0.0, 0.66, 0.0), turn=(90.0, 0.0, 0.0), size=(0.72, 0.14, 0.72),
                  matter="stone", solid=False),
            _solid("grindstone frame", (0.0, 0.0, 0.0), "wood", _WOOD),
        ),
        (),
    ),
    "steps": ((_solid("steps", (0.0, 0.0, 1.2), "stone", _STONE),), ()),
    "slipway": (
        (Prop(name="slipway", shape="ramp", size=(3.0, 0.9, 3.0), place=(0.0, 0.45, -1.8), matter="stone", tint=_STONE),), (),
    ),
}  # fmt: skip
"""Set pieces by name: props, and the lights on them."""


def with_set_piece(effect: Effect, name: str) -> Effect:
    """`effect` with a set piece on its stage, its things under names of their own."""
    props, lamps = SET_PIECES[name]
    stage = effect.stage
    taken = [prop.name for prop in stage.props]
    more = tuple(replace(prop, name=free_name(prop.name, taken)) for prop in props)
    lit = tuple(replace(lamp, name=free_name(lamp.name, [present.name for present in stage.lamps])) for lamp in lamps)
    return replace(effect, stage=replace(stage, props=(*stage.props, *more), lamps=(*stage.lamps, *lit)))
