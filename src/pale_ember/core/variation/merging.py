"""Three-way merging: what two changed of one effect, by lasting ids, fields, keys and stops."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Any

from msgspec.structs import replace

from pale_ember.core.effect.edit import Path, index_of, with_value
from pale_ember.core.effect.fields import Declared, Part, fields_of, inner_part
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.tree import without_layer
from pale_ember.core.effect.values import Curve, Gradient
from pale_ember.core.variation.differing import NOWHERE, Where, as_layers, key_of, short

_GONE = object()
"""What stands for a part that one has and another has not."""


@dataclass(frozen=True, slots=True)
class Conflict:
    """What both changed, each in another way. layer : its name, "" for the effect. path : the field below it, in mine. base, mine, theirs
    : its values; None for a layer or part that is gone. identity : the layer's id."""

    layer: str
    path: Path
    base: Any
    mine: Any
    theirs: Any
    identity: str = ""

    @property
    def field(self) -> str:
        """What the field is called, with the part of a list that it is in."""
        kind: type[Part] | None = Layer if self.identity else Effect
        words: list[str] = []
        for step in self.path:
            if isinstance(step, int):
                words.append(str(step + 1))
                continue
            declared = _declared(kind, step)
            words.append(declared.field.label if declared is not None else step)
            kind = None if declared is None else inner_part(declared)
        return " ".join(words[-2:]) or "the layer"

    def __str__(self) -> str:
        where = f"{self.layer}: {self.field}" if self.layer else self.field
        if self.mine is None or self.theirs is None:
            who, other = ("you", "the other") if self.mine is None else ("the other", "you")
            return f"{where}: removed by {who}, changed by {other}"
        yours, theirs = short(self.mine), short(self.theirs)
        told = f", {yours} by you, {theirs} by the other" if yours != theirs and max(len(yours), len(theirs)) < _SHORT else ""
        return f"{where}: changed by both{told}"


def _declared(kind: type[Part] | None, name: str) -> Declared | None:
    return fields_of(kind).get(name) if kind is not None else None


_SHORT = 60
"""Signs of a value that is told."""


def resolved(base: Effect, mine: Effect, theirs: Effect, conflicts: Sequence[Conflict], other: Collection[int]) -> Effect:
    """What both made of an effect, with what was chosen. other : the places among `conflicts`, as `merged` found them, where theirs is
    taken; where one removed what the other changed, taking the one's is removing it."""
    gone: list[Conflict] = []
    for i, each in enumerate(conflicts):
        at = ("layers", index_of(mine, each.identity)) if each.identity and each.mine is not None else ()
        if each.mine is None:
            if i not in other:
                theirs = _without(theirs, each.identity, each.theirs)
        elif i in other and each.theirs is None:
            gone.append(each)
        elif i in other:
            mine = with_value(mine, (*at, *each.path), each.theirs)
    for each in gone:
        mine = _without(mine, each.identity, each.mine)
    return merged(base, mine, theirs)[0]


def _without(effect: Effect, identity: str, part: Any) -> Effect:
    """An effect without a layer, or a part of one."""
    if isinstance(part, Layer) and part.id == identity:
        return without_layer(effect, identity)
    if not identity:
        return _dropped(effect, part)
    return with_value(effect, ("layers", index_of(effect, identity)), _dropped(effect.layers[index_of(effect, identity)], part))


def _dropped(whole: Part, part: Part) -> Any:
    """A part without another that stands in one of its lists."""
    changes = {}
    for name in fields_of(type(whole)):
        value = getattr(whole, name)
        if isinstance(value, Part):
            changes[name] = _dropped(value, part)
        elif isinstance(value, tuple) and any(each is part for each in value):
            changes[name] = tuple(each for each in value if each is not part)
    return replace(whole, **changes) if changes else whole


def merged(base: Effect, mine: Effect, theirs: Effect) -> tuple[Effect, list[Conflict]]:
    """What both made of an effect; and what both changed in different ways, for which mine is taken; what one removed and the other
    changed is kept."""
    found: list[Conflict] = []
    told: dict[str, Any] = {}
    for name in fields_of(Effect):
        if name != "layers":
            told[name] = _value(NOWHERE, (name,), getattr(base, name), getattr(mine, name), getattr(theirs, name), found)
    layers = _layers(base, mine, theirs, found)
    return replace(mine, layers=layers, unknown={**theirs.unknown, **mine.unknown}, **told), found


def _layers(base: Effect, mine: Effect, theirs: Effect, found: list[Conflict]) -> tuple[Layer, ...]:
    """Layers by their ids; in my order, or in theirs where only they changed it, with what is new behind what it stood behind."""
    old, ours, others = as_layers(base), as_layers(mine), as_layers(theirs)
    made: dict[str, Layer] = {}
    for key in {**ours, **others}:
        was, here, there = old.get(key), ours.get(key), others.get(key)
        if here is not None and there is not None:
            made[key] = here if was is None and here == there else _part(Where(here.name, key), (), was or here, here, there, found)
        elif was is None:
            made[key] = here or there  # type: ignore[assignment]  # new in one of them
        else:
            left = here if here is not None else there
            if left != was:
                found.append(Conflict(was.name, (), was, here, there, key))
                made[key] = left  # type: ignore[assignment]  # what was changed is not thrown away
    order, other = [list(each) for each in (ours, others)]
    if [key for key in order if key in old] == [key for key in old if key in ours]:
        order, other = other, order
    for i, key in enumerate(other):
        if key not in order:
            before = next((k for k in reversed(other[:i]) if k in order), None)
            order.insert(order.index(before) + 1 if before is not None else 0, key)
    return tuple(made[key] for key in order if key in made)


def _part(at: Where, path: Path, base: Part, mine: Part, theirs: Part, found: list[Conflict]) -> Any:
    """A part, field by field."""
    told = {}
    for name in fields_of(type(mine)):
        told[name] = _value(at, (*path, name), getattr(base, name), getattr(mine, name), getattr(theirs, name), found)
    return replace(mine, **told)


def _value(at: Where, path: Path, base: Any, mine: Any, theirs: Any, found: list[Conflict]) -> Any:
    if mine == theirs or theirs == base:
        return mine
    if mine == base:
        return theirs
    alike = type(base) is type(mine) is type(theirs)
    if alike and isinstance(mine, Part) and not mine.one_value:
        return _part(at, path, base, mine, theirs, found)
    if alike and isinstance(mine, (Curve, Gradient)):
        name = "keys" if isinstance(mine, Curve) else "stops"
        points = [getattr(each, name) for each in (base, mine, theirs)]
        if len({len(each) for each in points}) == 1:
            return _part(at, path, base, mine, theirs, found)
    if alike and isinstance(mine, tuple) and _are_parts(base) and _are_parts(mine) and _are_parts(theirs):
        return _list(at, path, base, mine, theirs, found)
    found.append(Conflict(at.layer, path, base, mine, theirs, at.identity))
    return mine


def _are_parts(value: tuple) -> bool:
    return all(isinstance(each, Part) for each in value)


def _list(at: Where, path: Path, base: tuple, mine: tuple, theirs: tuple, found: list[Conflict]) -> tuple:
    """Parts of a list, known again by their keys, names or places."""
    old, ours, others = ({key_of(each, i): each for i, each in enumerate(each_of)} for each_of in (base, mine, theirs))
    made = []
    for i, (key, here) in enumerate(ours.items()):
        was, there = old.get(key, _GONE), others.get(key, _GONE)
        if there is _GONE:
            if was is _GONE or here != was:
                made.append(here)
                if was is not _GONE:
                    found.append(Conflict(at.layer, (*path, i), was, here, None, at.identity))
        elif was is _GONE:
            made.append(here)
            if here != there:
                found.append(Conflict(at.layer, (*path, i), None, here, there, at.identity))
        else:
            made.append(_value(at, (*path, i), was, here, there, found))
    for key, there in others.items():
        if key not in ours:
            was = old.get(key, _GONE)
            if was is _GONE or there != was:
                made.append(there)
                if was is not _GONE:
                    found.append(Conflict(at.layer, path, was, None, there, at.identity))
    return tuple(made)
