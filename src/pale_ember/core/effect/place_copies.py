"""An effect whose layers each stand on one place: what stands on many is there as often, under ids of its own."""

from __future__ import annotations

import functools
import hashlib
from dataclasses import dataclass, field

from msgspec.structs import replace

from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.places import Place, Places
from pale_ember.core.effect.tree import family_of
from pale_ember.core.effect.values import fixed

_ALONE = Places()


def later(effect: Effect, layer: Layer, seconds: float, *, cue: bool = False) -> Layer:
    """The layer, with all that it spawns by itself so much later, in s of the effect. A rate that flows through the whole
    of a loop goes on doing so, unless it waits for a cue; a burst that would come after the loop's end comes in it."""
    if seconds <= 0:
        return layer
    own, outlet, whole = seconds * layer.tempo, layer.outlet, effect.duration * layer.tempo
    bursts = tuple(
        replace(burst, first_at=(burst.first_at + own) % whole if effect.loop else burst.first_at + own) for burst in outlet.bursts
    )
    flows_on = not cue and effect.loop and outlet.start == 0 and outlet.span == 0
    start = outlet.start if flows_on else outlet.start + own
    return replace(layer, outlet=replace(outlet, bursts=bursts, start=start))


def derived_id(*parts: object) -> str:
    """The lasting id of something that follows from other ids: 16 hexadecimal digits."""
    return hashlib.blake2b("/".join(map(str, parts)).encode(), digest_size=8).hexdigest()


MOST_COPIES = 4000
"""Layers of an effect that is spread."""

HUB = -1
"""In place of a place's number: what the places of a layer stand on. It moves as the layer does, and nothing lives there."""

MANY = 1000
"""More than the places of one layer: by it places within places are numbered."""


@dataclass(slots=True)
class PlaceCopies:
    """Spreads one effect after another; what did not change stays the same object. source : for the id of every layer of
    the last effect the layer of the document and which of its places it is, or `HUB`."""

    source: dict[str, tuple[Layer, int]] = field(default_factory=dict)
    _known: dict[tuple, tuple[tuple, Layer]] = field(default_factory=dict)

    def of(self, effect: Effect) -> Effect:
        """The effect with every layer on one place."""
        self.source = {layer.id: (layer, 0) for layer in effect.layers}
        cues = {cue.name: cue.at for cue in effect.cues}
        if all(layer.places.lie == "one" and layer.outlet.on_cue not in cues for layer in effect.layers):
            self._known = {}
            return effect
        known, self._known = self._known, {}
        effect = self._cued(effect, cues, known)
        for root in _outermost_first(effect):
            for current in [layer for layer in effect.layers if self.source[layer.id][0].id == root.id]:
                # Places within places multiply: what would be too many stays where its first place is.
                more = len(family_of(effect, current.id)) * len(current.places.listed())
                if current.places.lie != "one" and len(effect.layers) + more <= MOST_COPIES:
                    effect = self._placed(effect, current, known)
        return effect

    def _cued(self, effect: Effect, cues: dict[str, float], known: dict) -> Effect:
        """The effect with the layers that start on a cue so much later."""
        layers = []
        for layer in effect.layers:
            if layer.outlet.on_cue in cues:
                at = cues[layer.outlet.on_cue]
                of = layer, at, (effect.duration, effect.loop)
                make = functools.partial(later, effect, layer, at, cue=True)
                layer = self._made(("cue", layer.id), of, known, make)
            layers.append(layer)
        return replace(effect, layers=tuple(layers))

    def _placed(self, effect: Effect, root: Layer, known: dict) -> Effect:
        """The effect with one layer, and all that rides on it, on each of its places."""
        family = family_of(effect, root.id)
        hub = derived_id(root.id, "hub")
        layers: list[Layer] = []
        for layer in effect.layers:
            if layer.id not in family:
                layers.append(layer)
                continue
            if layer is root:
                layers.append(self._made(("hub", root.id), (root,), known, lambda: _empty(root, hub)))
                self.source[hub] = self.source[root.id][0], HUB
            source, which = self.source[layer.id]
            for i, place in enumerate(root.places.listed()):
                roll = (place.seed,) if place.seed else ()
                ids = {other: other if i == 0 and not roll else derived_id(other, root.id, i, *roll) for other in family}
                around = effect.duration, effect.loop
                key = "copy", layer.id, root.id, i
                copy = self._made(
                    key,
                    (layer, root, around),
                    known,
                    lambda layer=layer, place=place, ids=ids: _copied(effect, layer, root, place, ids, hub),
                )
                layers.append(copy)
                self.source[copy.id] = source, which * MANY + i
        return replace(effect, layers=tuple(layers))

    def _made(self, key: tuple, of: tuple, known: dict, make) -> Layer:
        """What was made of the same things before, or else is made now."""
        before = known.get(key)
        same = before is not None and all(a is b or a == b for a, b in zip(before[0], of, strict=True))
        made = before[1] if same and before is not None else make()
        self._known[key] = of, made
        return made


def _outermost_first(effect: Effect) -> list[Layer]:
    """Layers on many places, those that carry others before those that ride."""
    by_id = {layer.id: layer for layer in effect.layers}

    def depth(layer: Layer) -> int:
        seen = set()
        while layer.rides_on in by_id and layer.id not in seen:
            seen.add(layer.id)
            layer = by_id[layer.rides_on]
        return len(seen)

    return sorted((layer for layer in effect.layers if layer.places.lie != "one"), key=depth)


def _empty(root: Layer, identity: str) -> Layer:
    """What a layer's places stand on: it moves as the layer does, and spawns nothing."""
    outlet = replace(root.outlet, rate=fixed(0.0), bursts=(), per_metre=0.0)
    return replace(root, id=identity, shown=False, outlet=outlet, offspring=type(root.offspring)(), places=_ALONE)


def _copied(effect: Effect, layer: Layer, root: Layer, place: Place, ids: dict[str, str], hub: str) -> Layer:
    """A layer of a family at one of its places."""
    rules = tuple(replace(rule, layer=ids.get(rule.layer, rule.layer)) for rule in layer.offspring.rules)
    copy = replace(layer, id=ids[layer.id], offspring=replace(layer.offspring, rules=rules))
    if layer is root:
        # On something of the stage it stands there alone; else on what moves as the layer does.
        scale = place.scale * root.scale if place.stands_on else place.scale
        copy = replace(
            copy,
            rides_on="" if place.stands_on else hub,
            stands_on=place.stands_on,
            place=place.place,
            turn=place.turn,
            scale=scale,
            keys=(),
            places=_ALONE,
        )
        if place.mesh:
            copy = replace(copy, outlet=replace(copy.outlet, mesh=place.mesh))
    else:
        copy = replace(copy, rides_on=ids[layer.rides_on])
    return later(effect, copy, place.after)
