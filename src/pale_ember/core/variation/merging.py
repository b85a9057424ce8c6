"""Three-way merging: what two changed of one effect, by lasting ids, fields, keys and stops."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from msgspec.structs import replace

from pale_ember.core.effect.edit import Path
from pale_ember.core.effect.fields import Part, fields_of
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.values import Curve, Gradient
from pale_ember.core.variation.differing import as_layers, key_of

_GONE = object()
"""What stands for a part that one has and another has not."""


@dataclass(frozen=True, slots=True)
class Conflict:
    """What both changed, each in another way. layer : its name, "" for the effect. path : the field below it. base, mine, theirs : its
    values; None for a layer or part that is gone."""

    layer: str
    path: Path
    base: Any
    mine: Any
    theirs: Any

    def __str__(self) -> str:
        where = ".".join(map(str, self.path)) or "the layer"
        if self.mine is None or self.theirs is None:
            who = "you" if self.mine is None else "the other"
            return (
                f"{self.layer + ': ' if self.layer else ''}{where}: removed by {who}, changed by {'the other' if who == 'you' else 'you'}"
            )
        return f"{self.layer + ': ' if self.layer else ''}{where}: changed by both"


def merged(base: Effect, mine: Effect, theirs: Effect) -> tuple[Effect, list[Conflict]]:
    """What both made of an effect; and what both changed in different ways, for which mine is taken."""
    found: list[Conflict] = []
    told: dict[str, Any] = {}
    for name in fields_of(Effect):
        if name != "layers":
            told[name] = _value("", (name,), getattr(base, name), getattr(mine, name), getattr(theirs, name), found)
    layers = _layers(base, mine, theirs, found)
    return replace(mine, layers=layers, unknown={**theirs.unknown, **mine.unknown}, **told), found


def _layers(base: Effect, mine: Effect, theirs: Effect, found: list[Conflict]) -> tuple[Layer, ...]:
    """Layers by their ids; in my order, or in theirs where only they changed it, with what is new behind what it stood behind."""
    old, ours, others = as_layers(base), as_layers(mine), as_layers(theirs)
    made: dict[str, Layer] = {}
    for key in {**ours, **others}:
        was, here, there = old.get(key), ours.get(key), others.get(key)
        if here is not None and there is not None:
            made[key] = here if was is None and here == there else _part(here.name, (), was or here, here, there, found)
        elif was is None:
            made[key] = here or there  # type: ignore[assignment]  # new in one of them
        else:
            left = here if here is not None else there
            if left != was:
                found.append(Conflict(was.name, (), was, here, there))
                made[key] = left  # type: ignore[assignment]  # what was changed is not thrown away
    order, other = [list(each) for each in (ours, others)]
    if [key for key in order if key in old] == [key for key in old if key in ours]:
        order, other = other, order
    for i, key in enumerate(other):
        if key not in order:
            before = next((k for k in reversed(other[:i]) if k in order), None)
            order.insert(order.index(before) + 1 if before is not None else 0, key)
    return tuple(made[key] for key in order if key in made)


def _part(layer: str, path: Path, base: Part, mine: Part, theirs: Part, found: list[Conflict]) -> Any:
    """A part, field by field."""
    told = {}
    for name in fields_of(type(mine)):
        told[name] = _value(layer, (*path, name), getattr(base, name), getattr(mine, name), getattr(theirs, name), found)
    return replace(mine, **told)


def _value(layer: str, path: Path, base: Any, mine: Any, theirs: Any, found: list[Conflict]) -> Any:
    if mine == theirs or theirs == base:
        return mine
    if mine == base:
        return theirs
    alike = type(base) is type(mine) is type(theirs)
    if alike and isinstance(mine, Part) and not mine.one_value:
        return _part(layer, path, base, mine, theirs, found)
    if alike and isinstance(mine, (Curve, Gradient)):
        name = "keys" if isinstance(mine, Curve) else "stops"
        points = [getattr(each, name) for each in (base, mine, theirs)]
        if len({len(each) for each in points}) == 1:
            return _part(layer, path, base, mine, theirs, found)
    if alike and isinstance(mine, tuple) and _are_parts(base) and _are_parts(mine) and _are_parts(theirs):
        return _list(layer, path, base, mine, theirs, found)
    found.append(Conflict(layer, path, base, mine, theirs))
    return mine


def _are_parts(value: tuple) -> bool:
    return all(isinstance(each, Part) for each in value)


def _list(layer: str, path: Path, base: tuple, mine: tuple, theirs: tuple, found: list[Conflict]) -> tuple:
    """Parts of a list, known again by their keys, names or places."""
    old, ours, others = ({key_of(each, i): each for i, each in enumerate(each_of)} for each_of in (base, mine, theirs))
    made = []
    for i, (key, here) in enumerate(ours.items()):
        was, there = old.get(key, _GONE), others.get(key, _GONE)
        if there is _GONE:
            if was is _GONE or here != was:
                made.append(here)
                if was is not _GONE:
                    found.append(Conflict(layer, (*path, i), was, here, None))
        elif was is _GONE:
            made.append(here)
            if here != there:
                found.append(Conflict(layer, (*path, i), None, here, there))
        else:
            made.append(_value(layer, (*path, i), was, here, there, found))
    for key, there in others.items():
        if key not in ours:
            was = old.get(key, _GONE)
            if was is _GONE or there != was:
                made.append(there)
                if was is not _GONE:
                    found.append(Conflict(layer, path, was, None, there))
    return tuple(made)
