"""How layers hang together: who spawns whom, who rides on whom, and edits that keep both whole.

Everything here is linear in the number of layers, and nothing recurses: documents of thousands of layers are asked, too.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable

from msgspec.structs import replace

from pale_ember.core.effect.birth import Birth
from pale_ember.core.effect.edit import fresh, with_layer, with_layers, with_rule, with_value
from pale_ember.core.effect.fields import fields_of, why_idle
from pale_ember.core.effect.life import Life
from pale_ember.core.effect.look import Look
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.offspring import Rule
from pale_ember.core.effect.outlet import Outlet
from pale_ember.core.effect.values import curve, fixed

Feeds = dict[str, list[tuple[Layer, Rule]]]
"""By a layer's id the (parent, rule) of every rule that spawns it, in the order of the document."""

MOST_GENERATIONS = 64
"""Layers that spawn each other in a row: each asks its parents for events, in a call within a call."""


def feeds_of(effect: Effect) -> Feeds:
    """For the id of each layer that rules spawn: the rules, each with the layer that has it."""
    feeds: Feeds = {}
    for parent in effect.layers:
        for rule in parent.offspring.rules:
            if rule.layer:
                feeds.setdefault(rule.layer, []).append((parent, rule))
    return feeds


def fed_by(effect: Effect, layer: Layer) -> list[tuple[Layer, Rule]]:
    """What spawns one layer; for many, `feeds_of` is quicker."""
    return [(parent, rule) for parent in effect.layers for rule in parent.offspring.rules if rule.layer == layer.id]


def _ring(effect: Effect, onward: Callable[[Layer], Iterable[str]]) -> list[Layer]:
    """Layers that lead to each other in a ring, in its order; nothing where there is none."""
    by_id = {layer.id: layer for layer in effect.layers}
    done: set[str] = set()
    for first in effect.layers:
        way: list[Layer] = []
        on_way: dict[str, int] = {}
        stack: list[tuple[Layer, bool]] = [(first, True)]
        while stack:
            layer, enters = stack.pop()
            if not enters:
                way.pop()
                del on_way[layer.id]
                done.add(layer.id)
                continue
            if layer.id in on_way:
                return way[on_way[layer.id] :]
            if layer.id in done:
                continue
            on_way[layer.id] = len(way)
            way.append(layer)
            stack.append((layer, False))
            stack += [(by_id[name], True) for name in onward(layer) if name in by_id]
    return []


def ring_of_rules(effect: Effect) -> list[Layer]:
    """Layers that spawn each other in a ring, in its order; nothing where there is none."""
    return _ring(effect, lambda layer: [rule.layer for rule in layer.offspring.rules])


def ring_of_riders(effect: Effect) -> list[Layer]:
    """Layers that ride on each other in a ring, in its order; nothing where there is none."""
    return _ring(effect, lambda layer: [layer.rides_on])


def in_order_of_birth(effect: Effect) -> list[Layer]:
    """The layers, parents before the layers they spawn. Raises ValueError where they spawn each other in a ring."""
    by_id = {layer.id: layer for layer in effect.layers}
    waits = {layer.id: 0 for layer in effect.layers}
    for layer in effect.layers:
        for rule in layer.offspring.rules:
            if rule.layer in waits:
                waits[rule.layer] += 1
    ready = [layer for layer in effect.layers if not waits[layer.id]]
    for layer in ready:
        for rule in layer.offspring.rules:
            if rule.layer in waits:
                waits[rule.layer] -= 1
                if not waits[rule.layer]:
                    ready.append(by_id[rule.layer])
    if len(ready) < len(effect.layers):
        ring = ring_of_rules(effect)
        raise ValueError(" spawns ".join([*(layer.name for layer in ring), ring[0].name]))
    return ready


def generations(effect: Effect) -> dict[str, int]:
    """How many layers spawn each other in a row before each. Raises ValueError for a ring."""
    depth = {layer.id: 0 for layer in effect.layers}
    for layer in in_order_of_birth(effect):
        for rule in layer.offspring.rules:
            if rule.layer in depth:
                depth[rule.layer] = max(depth[rule.layer], depth[layer.id] + 1)
    return depth


def chain_of(by_id: dict[str, Layer], layer: Layer) -> list[Layer]:
    """The layer, the layer it rides on, and so on; a ring of riders is cut where it closes."""
    chain, seen = [layer], {layer.id}
    while chain[-1].rides_on:
        above = by_id.get(chain[-1].rides_on)
        if above is None or above.id in seen:
            break
        chain.append(above)
        seen.add(above.id)
    return chain


def family_of(effect: Effect, identity: str) -> frozenset[str]:
    """The ids of a layer and of all that rides on it, on whatever rides on it, and so on."""
    family, grown = {identity}, True
    while grown:
        more = {layer.id for layer in effect.layers if layer.rides_on in family} - family
        family |= more
        grown = bool(more)
    return frozenset(family)


def without_layer(effect: Effect, identity: str) -> Effect:
    """`effect` without a layer: rules that spawn it go with it, and what rides on it rides on what it rode on."""
    gone = next((layer for layer in effect.layers if layer.id == identity), None)
    if gone is None:
        return effect

    def kept(layer: Layer) -> Layer:
        if layer.rides_on == identity:
            layer = replace(layer, rides_on=gone.rides_on)
        rules = tuple(rule for rule in layer.offspring.rules if rule.layer != identity)
        if len(rules) < len(layer.offspring.rules):
            layer = replace(layer, offspring=replace(layer.offspring, rules=rules))
        return layer

    return replace(effect, layers=tuple(kept(layer) for layer in effect.layers if layer is not gone))


def may_spawn(effect: Effect, parent: str) -> list[Layer]:
    """The layers that a rule of this one may spawn without closing a ring."""
    feeds = feeds_of(effect)
    above, waiting = {parent}, [parent]
    while waiting:
        for source, _ in feeds.get(waiting.pop(), []):
            if source.id not in above:
                above.add(source.id)
                waiting.append(source.id)
    return [layer for layer in effect.layers if layer.id not in above]


def may_carry(effect: Effect, rider: str) -> list[Layer]:
    """The layers that this one may ride on without closing a ring."""
    by_id = {layer.id: layer for layer in effect.layers}
    riders: set[str] = {rider}
    below = {layer.id: layer.rides_on for layer in effect.layers}
    carriers = []
    for layer in effect.layers:
        way = []
        at = layer.id
        while at and at in by_id and at not in riders and at not in way:
            way.append(at)
            at = below[at]
        if at in riders:
            riders.update(way)
        elif layer.id not in riders:
            carriers.append(layer)
    return [layer for layer in carriers if layer.id not in riders]


def _unborn(layer: Layer) -> Outlet:
    """The outlet of a layer that is born of others alone, with nothing set that has no effect then."""
    outlet = replace(layer.outlet, rate=fixed(0.0), bursts=(), per_metre=0.0, shape="point")
    bare = replace(layer, outlet=outlet)
    idle = {name: declared.default for name, declared in fields_of(Outlet).items() if why_idle(declared.field, bare, outlet) is not None}
    return replace(outlet, **idle)


def with_offspring(effect: Effect, parent: str, child: str, when: str) -> Effect:
    """`effect` with a rule by which a layer spawns another, so that it works at once: a child that nothing spawned before
    gives up births of its own and its shape, and a parent that is to touch something no longer passes through it."""
    places = {layer.id: i for i, layer in enumerate(effect.layers)}
    born, bears = effect.layers[places[child]], effect.layers[places[parent]]
    if child not in feeds_of(effect):
        effect = with_value(effect, ("layers", places[child], "outlet"), _unborn(born))
    if when == "touches" and bears.contact.meets == "pass":
        effect = with_value(effect, ("layers", places[parent], "contact", "meets"), "bounce")
    rule = Rule(
        when=when,  # type: ignore[arg-type]
        layer=child,
        count=fixed(1.0 if when.startswith("by ") else 3.0),
        motion=0.2,
        facing="surface" if when == "touches" else "own",
    )
    return with_rule(effect, parent, rule)


def with_new_child(effect: Effect, layers: tuple[Layer, ...]) -> tuple[Effect, str]:
    """`effect` with the layers of a starting point more, the one that spawns by itself to be born only of others; and its id."""
    made = fresh(layers)
    by_itself = [layer for layer in made if layer.outlet.rate.most > 0 or layer.outlet.bursts or layer.outlet.per_metre > 0]
    child = [made[0], *by_itself][-1]
    bare = tuple(replace(layer, outlet=_unborn(layer)) if layer is child else layer for layer in made)
    return with_layers(effect, bare), child.id


_TRAIL_LIFE, _TRAIL_SIZE, _TRAIL_STEP = 0.35, 0.6, 0.4
"""Seconds that a trail lives, its width beside what leaves it, and how far apart its particles are, in widths."""


def with_trail(effect: Effect, identity: str) -> tuple[Effect, str]:
    """`effect` with a layer more that follows each particle of another, drawn below it: born along its way, of its colour and a share
    of its size, shrinking and fading; and its id."""
    parent = next(layer for layer in effect.layers if layer.id == identity)
    wide = max(parent.birth.size.middle, 0.002)
    look = replace(Look(), blend=parent.look.blend if parent.look.blend in ("additive", "alpha", "premultiplied") else "alpha")
    birth = Birth(
        lifetime=fixed(_TRAIL_LIFE),
        speed=fixed(0.0),
        size=fixed(round(_TRAIL_SIZE * wide, 4)),
        brightness=parent.birth.brightness,
        tint=parent.birth.tint,
    )
    fading = curve((0, 1), (1, 0))
    outlet = Outlet(rate=fixed(0.0), limit=min(max(parent.outlet.limit * 8, 400), 20_000))
    life = Life(size=fading, opacity=fading, colour=parent.life.colour)
    trail = Layer(name=f"{parent.name} trail", birth=birth, life=life, look=look, outlet=outlet)
    made = fresh((trail,))
    effect = with_layer(effect, made[0], next(i for i, layer in enumerate(effect.layers) if layer.id == identity))
    effect = with_offspring(effect, identity, made[0].id, "by distance")
    place = next(i for i, layer in enumerate(effect.layers) if layer.id == identity)
    rules = effect.layers[place].offspring.rules
    rule = replace(rules[-1], interval=round(max(_TRAIL_STEP * wide, 0.005), 4), motion=0.0, colour=0.6, size=1.0)
    return with_value(effect, ("layers", place, "offspring", "rules"), (*rules[:-1], rule)), made[0].id
