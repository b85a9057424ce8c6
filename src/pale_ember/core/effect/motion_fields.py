"""What of a part decides where particles are, from the declarations: two parts alike in it move particles alike."""

from __future__ import annotations

import functools
from typing import Any, get_args, get_origin

from pale_ember.core.effect.fields import Declared, Part, fields_of, kinds_of, why_idle
from pale_ember.core.effect.values import Curve, Gradient, PerAxis, Range, Tints

_WHOLE = (Range, PerAxis, Tints, Curve, Gradient)
"""Parts that are taken as one value."""


def moving(part: Part, *, around: bool = True, skip: tuple[str, ...] = ()) -> dict[str, Any]:
    """The values of a part that change where particles are, by name, parts within it likewise; to compare.

    What has no effect just now is left out, as its needs say. around : whether a field moves that does not say so.
    skip : names of fields that are not asked.
    """
    return {
        declared.name: value
        for declared, within, moves in _asked(type(part), around)
        if declared.name not in skip and (value := _of(part, declared, within, moves, part)) is not None
    }


@functools.cache
def _asked(kind: type[Part], around: bool) -> tuple[tuple[Declared, bool, bool], ...]:
    """Fields that may hold something that moves: (the field, whether it is gone into, whether it moves itself)."""
    asked = []
    for declared in fields_of(kind).values():
        moves = around if declared.field.moves is None else declared.field.moves
        inner = get_args(declared.type)[0] if get_origin(declared.type) is tuple else declared.type
        within = isinstance(inner, type) and issubclass(inner, Part) and not issubclass(inner, _WHOLE)
        if moves or (within and _holds_moving(inner)):
            asked.append((declared, within, moves))
    return tuple(asked)


def _holds_moving(kind: type[Part]) -> bool:
    return any(_asked(each, False) for each in (kind, *kinds_of(kind).values()))


def _of(part: Part, declared: Declared, within: bool, moves: bool, root: Part) -> Any:
    """The value of a field, as far as it moves particles; None where it does not."""
    if declared.field.needs and why_idle(declared.field, root, part) is not None:
        return None
    value = getattr(part, declared.name)
    if value is None and declared.field.otherwise is not None:
        return declared.field.otherwise(root)
    if not within:
        return value
    if isinstance(value, tuple):
        return tuple(_inside(inner, moves, root) for inner in value if inner.moves_particles())
    return _inside(value, moves, root) or None


def _inside(part: Part, around: bool, root: Part) -> tuple[Any, ...]:
    values = (_of(part, declared, within, moves, root) for declared, within, moves in _asked(type(part), around))
    return (type(part), *values) if around else tuple(value for value in values if value is not None)
