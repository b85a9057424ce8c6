"""Edits: functions from an effect to another. What is not touched is shared between the two."""

from __future__ import annotations

import secrets
from collections.abc import Collection, Sequence
from typing import Any

from msgspec.structs import replace

from pale_ember.core.effect.bakes import AnyBake
from pale_ember.core.effect.chapters import Burst, Outlet
from pale_ember.core.effect.model import Credit, Cue, Effect, Layer
from pale_ember.core.effect.offspring import Rule

Path = tuple[str | int, ...]


def value_at(part: Any, path: Path) -> Any:
    """What stands at a path of field names, and indices into lists."""
    for step in path:
        part = part[step] if isinstance(step, int) else getattr(part, step)
    return part


def with_value(part: Any, path: Path, value: Any) -> Any:
    """A copy of `part` with `value` at `path`."""
    if not path:
        return value
    step, rest = path[0], path[1:]
    if isinstance(step, int):
        return (*part[:step], with_value(part[step], rest, value), *part[step + 1 :])
    return replace(part, **{step: with_value(getattr(part, step), rest, value)})


def is_there(part: Any, path: Path) -> bool:
    """Whether a path leads to something that can be changed: an edit that began before an undo may come too late."""
    for step in path:
        if isinstance(step, int):
            if not isinstance(part, tuple) or step >= len(part):
                return False
            part = part[step]
        elif step in getattr(part, "__struct_fields__", ()):
            part = getattr(part, step)
        else:
            return False
    return True


def index_of(effect: Effect, identity: str) -> int:
    """Where the layer with this id stands. Raises KeyError when there is none."""
    for i, layer in enumerate(effect.layers):
        if layer.id == identity:
            return i
    raise KeyError(identity)


def layer_of(effect: Effect, identity: str) -> Layer | None:
    """The layer with this id, or None."""
    return next((layer for layer in effect.layers if layer.id == identity), None)


def new_id() -> str:
    """A lasting id for a layer: 64 random bits in hexadecimal."""
    return secrets.token_hex(8)


def fresh(layers: Sequence[Layer]) -> tuple[Layer, ...]:
    """Independent copies of layers, with ids of their own. What they say of each other is said of the copies; what they
    say of layers that are not among them is let go."""
    ids = {layer.id: new_id() for layer in layers}

    def copied(layer: Layer) -> Layer:
        rules = tuple(replace(rule, layer=ids[rule.layer]) for rule in layer.offspring.rules if rule.layer in ids)
        offspring = replace(layer.offspring, rules=rules)
        return replace(layer, id=ids[layer.id], rides_on=ids.get(layer.rides_on, ""), offspring=offspring, shares=(), locked=False)

    return tuple(copied(layer) for layer in layers)


def with_layers(effect: Effect, layers: Sequence[Layer]) -> Effect:
    """`effect` with layers more at the end, under names of their own."""
    for layer in layers:
        effect = with_layer(effect, layer)
    return effect


def with_layer(effect: Effect, layer: Layer, place: int | None = None) -> Effect:
    """`effect` with a layer more, at `place` or at the end, under a name of its own."""
    place = len(effect.layers) if place is None else place
    layer = replace(layer, name=free_name(layer.name, [other.name for other in effect.layers]))
    return replace(effect, layers=(*effect.layers[:place], layer, *effect.layers[place:]))


def moved_layer(effect: Effect, identity: str, place: int) -> Effect:
    """`effect` with a layer moved so that it stands at index `place`."""
    layer = effect.layers[index_of(effect, identity)]
    others = [other for other in effect.layers if other.id != identity]
    return replace(effect, layers=(*others[:place], layer, *others[place:]))


def moved_before(effect: Effect, identities: Collection[str], before: str | None) -> Effect:
    """`effect` with some layers, in their order, moved before another, or to the end for None; itself where that is among
    them."""
    if before in identities:
        return effect
    moved = [layer for layer in effect.layers if layer.id in identities]
    others = [layer for layer in effect.layers if layer.id not in identities]
    place = next((i for i, layer in enumerate(others) if layer.id == before), len(others))
    return replace(effect, layers=(*others[:place], *moved, *others[place:]))


def duplicated(effect: Effect, identity: str) -> tuple[Effect, str]:
    """`effect` with an independent copy of a layer behind it; and the copy's id."""
    place = index_of(effect, identity)
    copy = replace(effect.layers[place], id=new_id(), shares=(), locked=False)
    return with_layer(effect, copy, place + 1), copy.id


def locked_out(before: Effect, after: Effect) -> Layer | None:
    """The first locked layer that an edit would change or remove; locking and freeing are no change."""
    left = {layer.id: layer for layer in after.layers}
    for layer in before.layers:
        if layer.locked:
            now = left.get(layer.id)
            if now is None or (now is not layer and replace(now, locked=True) != layer):
                return layer
    return None


def free_name(wanted: str, taken: list[str]) -> str:
    """`wanted`, or with the first number behind it that is not taken."""
    if wanted not in taken:
        return wanted
    stem = wanted.rstrip("0123456789 ") or wanted
    return next(name for number in range(2, len(taken) + 3) if (name := f"{stem} {number}") not in taken)


def with_credit(effect: Effect, credit: Credit) -> Effect:
    """`effect` with what is known of a file's author and licence; nothing known, nothing kept."""
    others = tuple(known for known in effect.credits if known.file != credit.file)
    return replace(effect, credits=(*others, credit) if credit.author or credit.licence else others)


def with_bake(effect: Effect, bake: AnyBake) -> Effect:
    """`effect` that keeps what builds bake of it; another of that name is replaced."""
    return replace(effect, bakes=(*(each for each in effect.bakes if each.name != bake.name), bake))


def with_cue(effect: Effect, at: float) -> tuple[Effect, str]:
    """`effect` with a named moment more, s of the effect, under a name that games take; and that name."""
    taken = {cue.name for cue in effect.cues}
    name = next(name for k in range(1, len(taken) + 2) if (name := "cue" if k == 1 else f"cue_{k}") not in taken)
    cue = Cue(name=name, at=round(min(max(at, 0.0), effect.duration), 3))
    return replace(effect, cues=tuple(sorted((*effect.cues, cue), key=lambda cue: cue.at))), name


def credit_of(effect: Effect, file: str) -> Credit:
    """What is known of a file's author and licence."""
    return next((credit for credit in effect.credits if credit.file == file), Credit(file=file))


def with_burst(outlet: Outlet, moment: float) -> Outlet:
    """`outlet` with a burst more; its key was never used by those present."""
    key = max((burst.key for burst in outlet.bursts), default=-1) + 1
    count = outlet.bursts[-1].count if outlet.bursts else Burst().count
    return replace(outlet, bursts=(*outlet.bursts, Burst(key=key, first_at=moment, count=count)))


def with_rule(effect: Effect, parent: str, rule: Rule) -> Effect:
    """`effect` with a rule more on a layer; its key was never used by those present."""
    rules = effect.layers[index_of(effect, parent)].offspring.rules
    key = max((before.key for before in rules), default=-1) + 1
    path = ("layers", index_of(effect, parent), "offspring", "rules")
    return with_value(effect, path, (*rules, replace(rule, key=key)))
