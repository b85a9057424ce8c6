"""What follows from the document alone: how many will live at once, at most and on the whole, and when all is over."""

from __future__ import annotations

import math

from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.simulate.offspring import most_events
from pale_ember.core.simulate.plan import columns_of, fed_by
from pale_ember.core.simulate.spawning import Spawner
from pale_ember.core.simulate.table import Table

FRAME_BYTES = 84
"""Bytes a particle takes in a Frame."""


def most_births(effect: Effect, layer: Layer, seconds: float) -> float:
    """The most births within any so many seconds of a layer's own time, the limit aside; infinite where unknown."""
    spawner, outlet = Spawner(effect, layer), layer.outlet
    waves = math.ceil(seconds / spawner.duration) + 1 if effect.loop else 1
    found = sum(burst.count.most * burst.repeats for burst in outlet.bursts) * waves
    if spawner.most_rate > 0:
        found += spawner.most_rate * (seconds if effect.loop else min(seconds, spawner.span)) + 2 * waves
    if outlet.per_metre > 0:
        return math.inf
    for parent, rule in fed_by(effect, layer):
        life = parent.birth.lifetime.most
        real = seconds / layer.tempo * parent.tempo
        births = most_births(effect, parent, real + life)
        alive = min(most_births(effect, parent, life), float(parent.outlet.limit))
        times = real + 1 if rule.when == "every second" else 1.0
        found += most_events(rule, alive, births) * times * rule.count.most
    return found


def peak(effect: Effect, layer: Layer) -> float:
    """The most that can live at once by the document, never more than the limit."""
    return min(most_births(effect, layer, layer.birth.lifetime.most), float(layer.outlet.limit))


def steady(effect: Effect, layer: Layer) -> float:
    """How many live at once on the whole while the layer flows: births a second times mean lifetime, limit aside.

    Bursts and offspring are not counted: they come and go.
    """
    spawner = Spawner(effect, layer)
    rate = layer.outlet.rate
    middle = spawner.rate_of(rate.middle) if rate.most > 0 else 0.0
    flow = 1.0 if spawner.waits or spawner.span <= 0 else spawner.flow.whole / spawner.span
    return middle * flow * layer.birth.lifetime.middle


def memory(effect: Effect, layer: Layer) -> int:
    """Bytes that a layer's particles can take when as many live as may: the running tables and a Frame."""
    row = Table.empty(1, columns_of(effect, layer)).bytes_used()
    return int(peak(effect, layer) * (3 * row + FRAME_BYTES))


def last_birth(effect: Effect, layer: Layer) -> float:
    """When a layer that plays once bears its last particle, in effect seconds."""
    spawner, outlet = Spawner(effect, layer), layer.outlet
    flows = (outlet.rate.most > 0 or outlet.per_metre > 0) and spawner.span > 0
    times = [burst.time + (burst.repeats - 1) * burst.every for burst in outlet.bursts]
    found = [max([spawner.start + spawner.span if flows else 0.0, *times]) / layer.tempo]
    for parent, rule in fed_by(effect, layer):
        found.append(
            last_birth(effect, parent) + parent.birth.lifetime.most / parent.tempo + rule.delay.most / layer.tempo
        )
    return max(found)


def ends_at(effect: Effect) -> float:
    """When an effect that plays once has nothing more to show, in real seconds; infinite for a loop."""
    if effect.loop:
        return math.inf
    shown = [layer for layer in effect.layers if layer.shown]
    last = max((last_birth(effect, layer) + layer.birth.lifetime.most / layer.tempo for layer in shown), default=0.0)
    return max(last, effect.duration) / effect.tempo
