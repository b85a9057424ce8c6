"""How two effects differ, in sentences: layer by layer by their lasting ids, field by field, key by key."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Literal

from msgspec.structs import replace

from pale_ember.core.effect.edit import Path, index_of, value_at, with_value
from pale_ember.core.effect.fields import Field, Part, fields_of
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.tree import without_layer
from pale_ember.core.effect.values import Curve, Gradient, Tints
from pale_ember.core.insight.colours import colour_told
from pale_ember.core.insight.sentences import number, value_told

_APART = ("layers", "variants", "recipes", "left", "credits", "follows")
"""What of an effect is told in its own way, or only that it differs."""


_MOST = 6
"""Values of a curve or a gradient that are told."""


@dataclass(frozen=True, slots=True)
class Difference:
    """One thing that differs. layer : the name of the layer, "" for the effect. path : the field below it, in the second effect, in the
    first where it is gone; none for a layer that is gone or new. said : a clause. identity : the layer's id. was : the path in the first.
    kind : whether a value differs, or something is new or gone."""

    layer: str
    path: Path
    said: str
    identity: str = ""
    was: Path = ()
    kind: Literal["value", "new", "gone"] = "value"

    def __str__(self) -> str:
        return f"{self.layer}: {self.said}" if self.layer else self.said


def differences(before: Effect, after: Effect) -> list[Difference]:
    """Everything that differs from one effect to another, the effect first, then its layers in the order of the second."""
    found = list(_of_part(NOWHERE, before, after, (), (), skip=_APART))
    for name in _APART[1:]:
        if getattr(before, name) != getattr(after, name):
            found.append(Difference("", (name,), f"{name} differ", was=(name,)))
    old, new = as_layers(before), as_layers(after)
    found += [Difference(layer.name, (), "is gone", layer.id, kind="gone") for layer in before.layers if layer.id not in new]
    for layer in after.layers:
        if layer.id in old:
            found += _of_part(Where(layer.name, layer.id), old[layer.id], layer, (), ())
        else:
            found.append(Difference(layer.name, (), "is new", layer.id, kind="new"))
    both = [layer.id for layer in before.layers if layer.id in new]
    if both != [layer.id for layer in after.layers if layer.id in old]:
        found.append(
            Difference("", ("layers",), f"drawn in the order {', '.join(layer.name for layer in after.layers)}", was=("layers",))
        )
    return found


def part_differences(before: Part, after: Part) -> list[Difference]:
    """Everything that differs from one part to another of its kind, such as a recipe."""
    return list(_of_part(NOWHERE, before, after, (), ()))


@dataclass(frozen=True, slots=True)
class Where:
    """The layer that is looked at."""

    layer: str
    identity: str


NOWHERE = Where("", "")
"""The effect, and no layer of it."""


def _of_part(
    at: Where, before: Part, after: Part, path: Path, was: Path, skip: tuple[str, ...] = (), within: str = ""
) -> Iterator[Difference]:
    for name, declared in fields_of(type(before)).items():
        one, other = getattr(before, name), getattr(after, name)
        if name not in skip and one != other:
            yield from _of_value(at, declared.field, one, other, (*path, name), (*was, name), declared.field.unit_of(after), within)


def _of_value(at: Where, field: Field, one: Any, other: Any, path: Path, was: Path, unit: str, within: str) -> Iterator[Difference]:
    label = f"{within} {field.label}".strip()
    if isinstance(one, Part) and type(one) is type(other) and not one.one_value:
        yield from _of_part(at, one, other, path, was)
    elif _parts(one) or _parts(other):
        yield from _of_list(at, field, one, other, path, was)
    else:
        yield Difference(at.layer, path, _said(label, one, other, unit), at.identity, was)


def _parts(value: Any) -> bool:
    return isinstance(value, tuple) and bool(value) and isinstance(value[0], Part)


def key_of(part: Any, place: int) -> object:
    """By what a part of a list is known again: its lasting number, its name, or its place."""
    key, name = getattr(part, "key", None), getattr(part, "name", None)
    return (type(part), key) if isinstance(key, int) else ("name", name) if isinstance(name, str) else place


def _of_list(at: Where, field: Field, before: Any, after: Any, path: Path, was: Path) -> Iterator[Difference]:
    """Parts of a list, known again by their keys or names."""
    old, new = ({key_of(each, i): (i, each) for i, each in enumerate(each_of)} for each_of in (before, after))
    for key, (i, part) in new.items():
        called = _called(field, part, i)
        if key not in old:
            yield Difference(at.layer, (*path, i), f"{called} is new", at.identity, was, "new")
        elif type(old[key][1]) is type(part):
            yield from _of_part(at, old[key][1], part, (*path, i), (*was, old[key][0]), within=called)
        else:
            yield Difference(at.layer, (*path, i), f"{called} is another", at.identity, (*was, old[key][0]))
    for key, (i, part) in old.items():
        if key not in new:
            yield Difference(at.layer, path, f"{_called(field, part, i)} is gone", at.identity, (*was, i), "gone")


def with_taken_back(before: Effect, after: Effect, difference: Difference) -> Effect:
    """`after` with one thing as it is in `before`."""
    identity, path, was = difference.identity, difference.path, difference.was
    if path == ("layers",):
        order = {layer.id: i for i, layer in enumerate(before.layers)}
        places = [i for i, layer in enumerate(after.layers) if layer.id in order]
        layers = list(after.layers)
        for i, layer in zip(places, sorted((layers[i] for i in places), key=lambda layer: order[layer.id]), strict=True):
            layers[i] = layer
        return replace(after, layers=tuple(layers))
    if identity and not path and difference.kind == "new":
        return without_layer(after, identity)
    if identity and not was and difference.kind == "gone":
        place = min(index_of(before, identity), len(after.layers))
        layer = before.layers[index_of(before, identity)]
        return replace(after, layers=(*after.layers[:place], layer, *after.layers[place:]))
    here = ("layers", index_of(after, identity), *path) if identity else path
    there = ("layers", index_of(before, identity), *was) if identity else was
    if difference.kind == "new":
        whole = value_at(after, here[:-1])
        return with_value(after, here[:-1], tuple(each for k, each in enumerate(whole) if k != here[-1]))
    if difference.kind == "gone":
        whole, place = value_at(after, here), int(there[-1])
        return with_value(after, here, (*whole[:place], value_at(before, there), *whole[place:]))
    return with_value(after, here, value_at(before, there))


def _called(field: Field, part: Any, place: int) -> str:
    """What a part of a list is called: by its name, what it drives, or its kind."""
    for name in ("name", "drives", "kind"):
        told = getattr(part, name, None)
        if isinstance(told, str) and told:
            return told
    return f"{field.label.removesuffix('s')} {place + 1}"


def _said(label: str, one: Any, other: Any, unit: str) -> str:
    if isinstance(one, bool) and isinstance(other, bool):
        return f"{label} {'on' if other else 'off'}"
    if isinstance(one, Curve) and isinstance(other, Curve) and len(one.keys) == len(other.keys):
        moved = [i for i, (a, b) in enumerate(zip(one.keys, other.keys, strict=True)) if a != b]
        if moved in ([0], [len(one.keys) - 1]) and one.keys[moved[0]].value != other.keys[moved[0]].value:
            verb = "begins" if moved == [0] else "ends"
            return f"the {label} curve {verb} at {number(other.keys[moved[0]].value)} instead of {number(one.keys[moved[0]].value)}"
    if one is None or other is None:
        return f"{label} {'is new' if one is None else 'is gone'}"
    if isinstance(other, Curve):
        label = f"the {label} curve"
    was, now = short(one, unit), short(other, unit)
    return f"{label} {was} → {now}" if was != now else f"{label} {now}, a little otherwise"


def short(value: Any, unit: str = "") -> str:
    """A value in a few signs."""
    if isinstance(value, Curve):
        return _few([number(key.value) for key in value.keys])
    if isinstance(value, Gradient):
        return _few([colour_told(stop.colour) for stop in value.stops])
    if isinstance(value, Tints):
        ends = [colour_told(value.first), colour_told(value.second)]
        return short(value.gradient, unit) if value.gradient is not None else _few(ends[: len(set(ends))])
    if isinstance(value, str):
        return value or "none"
    if isinstance(value, int) and not isinstance(value, bool):
        return f"{value} {unit}".strip()
    return value_told(value, unit) or "none"


def _few(told: list[str]) -> str:
    return " to ".join(told if len(told) <= _MOST else [*told[: _MOST - 1], "…", told[-1]])


def as_layers(effect: Effect) -> dict[str, Layer]:
    """The layers of an effect by their lasting ids."""
    return {layer.id: layer for layer in effect.layers}
