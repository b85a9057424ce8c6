"""Parts that a layer gets more of, under numbers of their own: lanes, forces, bursts."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from pale_ember.core.effect.fields import Part
from pale_ember.core.effect.life import Lane
from pale_ember.core.effect.model import Layer
from pale_ember.core.effect.properties import PROPERTIES
from pale_ember.core.effect.values import Curve, Gradient, Key, Stop, curve

NEW_LANES: dict[str, Curve | Gradient] = {
    **{name: curve((0, 1), (1, 1)) for name in ("size", "brightness", "opacity", "speed")},
    "colour": Gradient(stops=(Stop(at=0.0), Stop(at=1.0))),
}
"""What a lane of everyday begins with: flat, so that adding one changes nothing until it is shaped."""


def next_key(parts: tuple[Any, ...]) -> int:
    """A number that none of the parts has."""
    return max((part.key for part in parts), default=-1) + 1


def numbered(part: Part, parts: tuple[Any, ...]) -> Any:
    """A part under a number that none of the others has."""
    return replace(part, key=next_key(parts))


def new_lane(layer: Layer, drives: str) -> Lane:
    """A lane more for a property, that changes nothing yet."""
    force = layer.forces.more[0].key if layer.forces.more else 0
    fresh = Lane(key=next_key(layer.life.more), drives=drives, force=force)
    if drives == "colour":
        return replace(fresh, colours=NEW_LANES["colour"])
    flat = 0.0 if PROPERTIES[drives].adds else 1.0
    return replace(fresh, curve=Curve(keys=(Key(at=0.0, value=flat), Key(at=1.0, value=flat))))
