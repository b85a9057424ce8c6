"""Parts that several layers have in common: edited in one, they change in all. Every layer holds the whole part, so that
sharing is a promise between layers and nothing else needs to know of it."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from pale_ember.core.effect.edit import Path, new_id, with_value
from pale_ember.core.effect.fields import Part
from pale_ember.core.effect.model import Effect, Layer, Share
from pale_ember.core.effect.tree import ring_of_riders, ring_of_rules

WHOLE = ("outlet", "birth", "life", "forces", "contact", "offspring", "look")
"""The chapters: what layers share that share all but where they stand."""


def told(path: Path) -> str:
    """The path of a shared part, as it is written in a document."""
    return ".".join(str(step) for step in path)


def share_at(layer: Layer, path: Path) -> Share | None:
    """By what a layer shares the part at a path, if it does."""
    return next((share for share in layer.shares if share.path == told(path)), None)


def sharers(effect: Effect, layer: Layer, path: Path) -> list[Layer]:
    """The other layers that have the same part as this one."""
    mine = share_at(layer, path)
    if mine is None:
        return []
    return [
        other
        for other in effect.layers
        if other.id != layer.id and (theirs := share_at(other, path)) is not None and theirs.group == mine.group
    ]


def with_shared(effect: Effect, giver: str, taker: str, path: Path) -> Effect:
    """`effect` in which a layer has a part of another, and the two keep it in common; one of a list that is the next there is
    added to it. Raises ValueError for a ring, and where the list is shorter still."""
    by_id = {layer.id: layer for layer in effect.layers}
    known = share_at(by_id[giver], path)
    share = Share(path=told(path), group=known.group if known is not None else new_id())
    given, whole = _at(by_id[giver], path), _at(by_id[taker], path[:-1])
    if isinstance(whole, tuple) and isinstance(path[-1], int) and path[-1] > len(whole):
        raise ValueError(
            f"{by_id[taker].name} has {len(whole)} of these, {by_id[giver].name} shares its number {path[-1] + 1}: give it those before."
        )

    def joined(layer: Layer) -> Layer:
        if layer.id == giver and known is None:
            return replace(layer, shares=(*layer.shares, share))
        if layer.id == taker:
            others = tuple(each for each in layer.shares if each.path != share.path)
            return replace(_with_part(layer, path, given), shares=(*others, share))
        return layer

    after = replace(effect, layers=tuple(joined(layer) for layer in effect.layers))
    if ring_of_rules(after) or ring_of_riders(after):
        raise ValueError(f"{by_id[taker].name} cannot have this of {by_id[giver].name}: layers would spawn each other in a ring.")
    return after


def _with_part(layer: Layer, path: Path, given: Any) -> Layer:
    """A layer with a part at a path; in a list it may be one more, by a number of its own."""
    whole = _at(layer, path[:-1])
    if not isinstance(whole, tuple) or path[-1] != len(whole):
        return with_value(layer, path, given)
    if "key" in given.__struct_fields__:
        given = replace(given, key=max((part.key for part in whole), default=-1) + 1)
    return with_value(layer, path[:-1], (*whole, given))


def without_share(effect: Effect, identity: str, path: Path) -> Effect:
    """`effect` in which a layer has a part for itself again; the last that would be left alone has its own as well."""
    layer = next(layer for layer in effect.layers if layer.id == identity)
    left = sharers(effect, layer, path)
    gone = {identity, *(other.id for other in left if len(left) == 1)}

    def freed(layer: Layer) -> Layer:
        if layer.id not in gone:
            return layer
        return replace(layer, shares=tuple(share for share in layer.shares if share.path != told(path)))

    return replace(effect, layers=tuple(freed(layer) for layer in effect.layers))


def with_own(layer: Layer, path: Path, name: str, *, own: bool) -> Layer:
    """The layer with a field of a shared part for itself, or in common again from the next edit on."""

    def changed(share: Share) -> Share:
        if share.path != told(path):
            return share
        rest = tuple(each for each in share.own if each != name)
        return replace(share, own=(*rest, name) if own else rest)

    return replace(layer, shares=tuple(changed(share) for share in layer.shares))


def kept_shared(before: Effect, after: Effect) -> Effect:
    """`after`, an edit of `before`, with what it changed of shared parts changed in all that share them."""
    if not any(layer.shares for layer in after.layers):
        return after
    after = replace(after, layers=tuple(_without_lost(layer) for layer in after.layers))
    was = {layer.id: layer for layer in before.layers}
    groups: dict[tuple[str, str], list[int]] = {}
    for place, layer in enumerate(after.layers):
        for share in layer.shares:
            groups.setdefault((share.path, share.group), []).append(place)
    layers = list(after.layers)
    for (text, _), places in groups.items():
        path = _path(text)
        edited = next(
            (place for place in places
             if (old := was.get(layers[place].id)) is not None and old is not layers[place]
             and share_at(old, path) is not None and _at(old, path) != _at(layers[place], path)), None,
        )  # fmt: skip
        if edited is None:
            continue
        source = layers[edited]
        given, held = _at(source, path), share_at(source, path)
        for place in places:
            theirs = share_at(layers[place], path)
            if place != edited and held is not None and theirs is not None:
                taken = _merged(_at(layers[place], path), given, {*held.own, *theirs.own})
                layers[place] = with_value(layers[place], path, taken)
    return replace(after, layers=tuple(layers))


def _without_lost(layer: Layer) -> Layer:
    """A layer without its shares in parts of lists that it no longer has."""

    def lost(share: Share) -> bool:
        path = _path(share.path)
        return isinstance(path[-1], int) and _at(layer, path) is None

    if not any(lost(share) for share in layer.shares):
        return layer
    return replace(layer, shares=tuple(share for share in layer.shares if not lost(share)))


def _path(text: str) -> Path:
    return tuple(int(step) if step.isdigit() else step for step in text.split("."))


def _merged(mine: Any, given: Any, own: set[str]) -> Any:
    """A part as another gives it, but for some fields."""
    if not own or not isinstance(mine, Part) or type(mine) is not type(given):
        return given
    return replace(given, **{name: getattr(mine, name) for name in own if name in mine.__struct_fields__})


def _at(layer: Layer, path: Path) -> Any:
    """What stands at a path; None where nothing does."""
    part: Any = layer
    for step in path:
        part = getattr(part, step, None) if isinstance(step, str) else (part[step] if step < len(part) else None)
    return part
