"""Set pieces of the quay, to stand an effect beside. They belong to the stage and are never handed over."""

from __future__ import annotations

from msgspec.structs import replace

from pale_ember.core.effect.edit import free_name
from pale_ember.core.effect.model import Effect
from pale_ember.core.effect.stage import Lamp, Prop

_BRICK, _OLD_STONE, _IRON = (1.05, 0.72, 0.55), (0.85, 0.88, 0.92), (0.35, 0.36, 0.38)

SET_PIECES: dict[str, tuple[tuple[Prop, ...], tuple[Lamp, ...]]] = {
    "kiln arch": ((Prop(name="kiln arch", shape="mesh", mesh="solid:kiln arch", place=(0.0, 0.0, -0.35), tint=_BRICK),), ()),
    "quay stones": ((Prop(name="quay stones", shape="mesh", mesh="solid:quay stones", place=(0.0, 0.0, 0.0), tint=_OLD_STONE),), ()),
    "lamp post": (
        (Prop(name="lamp post", shape="mesh", mesh="solid:lamp post", place=(-1.8, 0.0, -0.8), tint=_IRON, solid=False),),
        (Lamp(name="lamp", place=(-1.8, 2.85, -0.5), power=1.6),),
    ),
    "crate": ((Prop(name="crate", size=(0.7, 0.7, 0.7), place=(1.1, 0.35, -0.6), turn=(0.0, 24.0, 0.0), tint=_BRICK),), ()),
    "bollard": ((Prop(name="bollard", shape="cylinder", size=(0.36, 0.7, 0.36), place=(-1.2, 0.35, -0.4), tint=_IRON),), ()),
    "slipway": ((Prop(name="slipway", shape="ramp", size=(3.0, 0.9, 3.0), place=(0.0, 0.45, -1.8), tint=_OLD_STONE),), ()),
}
"""Set pieces by name: props, and the lights on them."""


def with_set_piece(effect: Effect, name: str) -> Effect:
    """`effect` with a set piece on its stage, its things under names of their own."""
    props, lamps = SET_PIECES[name]
    stage = effect.stage
    taken = [prop.name for prop in stage.props]
    more = tuple(replace(prop, name=free_name(prop.name, taken)) for prop in props)
    lit = tuple(replace(lamp, name=free_name(lamp.name, [present.name for present in stage.lamps])) for lamp in lamps)
    return replace(effect, stage=replace(stage, props=(*stage.props, *more), lamps=(*stage.lamps, *lit)))
