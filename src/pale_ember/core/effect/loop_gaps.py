"""Lives against the loop: how long a layer leaves between births, and lifetimes that bridge it."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.trims import scaled

_BRIDGED = 1.001
"""How much longer than the wait a life is, so that one begins before another ends."""


def longest_wait(effect: Effect, layer: Layer) -> float:
    """The longest time of a loop without a birth by rate or burst, in s of the layer's own time; 0 where nothing loops or
    nothing is born."""
    outlet, whole = layer.outlet, effect.duration * layer.tempo
    if not effect.loop:
        return 0.0
    born = [
        (time, time) for burst in outlet.bursts for time in ((burst.first_at + turn * burst.every) % whole for turn in range(burst.times))
    ]
    if outlet.rate.most > 0:
        start = min(outlet.start, whole)
        born.append((start, start + (min(outlet.span, whole - start) if outlet.span > 0 else whole - start)))
    if not born:
        return 0.0
    born.sort()
    first, last = np.array(born).T
    until = np.maximum.accumulate(last)
    waits = np.append(first[1:], first[0] + whole) - until
    return max(float(waits.max()), 0.0)


def with_lives_matched(effect: Effect, layer: Layer) -> Layer:
    """The layer with lifetimes so long that none is missed between births; unchanged where none is."""
    wait, life = longest_wait(effect, layer) * _BRIDGED, layer.birth.lifetime
    if life.least >= wait or life.least <= 0:
        return layer
    return replace(layer, birth=replace(layer.birth, lifetime=scaled(life, wait / life.least)))
