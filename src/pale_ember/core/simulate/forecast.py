"""What follows from the document alone: how many will live at once, at most and on the whole, and when all is over."""

from __future__ import annotations

import math

from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.offspring import Rule
from pale_ember.core.effect.place_copies import PlaceCopies
from pale_ember.core.effect.strips import Beam
from pale_ember.core.effect.tree import feeds_of, in_order_of_birth
from pale_ember.core.simulate.particle_table import KEEP_EVERY, KEPT_BYTES, Table, columns_of
from pale_ember.core.simulate.rates import LayerRate

FRAME_BYTES = 84
"""Bytes a particle takes in a Frame."""

_DEEPEST = 12
"""Generations over which most births are followed; beyond, their number is taken as unknown."""


class Forecast:
    """What the document tells of its layers, asked as often as one likes."""

    def __init__(self, effect: Effect) -> None:
        self.spread = PlaceCopies()
        self.effect = effect = self.spread.of(effect)
        self.feeds = feeds_of(effect)
        self._rates: dict[str, LayerRate] = {}
        self._births: dict[tuple[str, float, int], float] = {}

    def rate(self, layer: Layer) -> LayerRate:
        """The rate of a layer over its time."""
        if layer.id not in self._rates:
            self._rates[layer.id] = LayerRate(self.effect, layer)
        return self._rates[layer.id]

    def most_births(self, layer: Layer, seconds: float, deep: int = 0) -> float:
        """The most births within any so many seconds of a layer's own time, the limit aside; infinite where unknown."""
        key = layer.id, seconds, deep
        if key not in self._births:
            self._births[key] = self._most_births(layer, seconds, deep)
        return self._births[key]

    def _most_births(self, layer: Layer, seconds: float, deep: int) -> float:
        rate, outlet, loops = self.rate(layer), layer.outlet, self.effect.loop
        waves = math.ceil(seconds / rate.duration) + 1 if loops else 1
        most = sum(burst.count.most * burst.times for burst in outlet.bursts) * waves
        if rate.most_rate > 0:
            most += rate.most_rate * (seconds if loops else min(seconds, rate.span)) + 2 * waves
        if outlet.per_metre > 0:
            return math.inf
        for parent, rule in self.feeds.get(layer.id, []):
            if rule.count.most <= 0:
                continue
            if deep >= _DEEPEST:
                return math.inf
            life = parent.birth.lifetime.most
            real = seconds / layer.tempo * parent.tempo
            births = self.most_births(parent, real + life, deep + 1)
            alive = min(self.most_births(parent, life, deep + 1), float(parent.outlet.limit))
            most += _most_events(rule, parent.look.beam, alive, births, real + 1) * rule.count.most
        return most

    def peak(self, layer: Layer) -> float:
        """The most that can live at once by the document, never more than the limit."""
        return min(self.most_births(layer, layer.birth.lifetime.most), float(layer.outlet.limit))

    def steady(self, layer: Layer) -> float:
        """How many live at once on the whole while the layer flows: births a second times mean lifetime, limit aside.

        Bursts and offspring are not counted: they come and go.
        """
        flow, rate = self.rate(layer), layer.outlet.rate
        middle = flow.rate_of(rate.middle) if rate.most > 0 else 0.0
        share = 1.0 if flow.waits or flow.span <= 0 else flow.flow.whole / flow.span
        return middle * share * layer.birth.lifetime.middle

    def memory(self, layer: Layer) -> int:
        """Bytes that a layer's particles can take when as many live as may: the running tables, a Frame and kept states."""
        row = Table.empty(1, columns_of(layer, layer.id in self.feeds)).bytes_used()
        peak = self.peak(layer)
        states = self.effect.duration / self.effect.tempo * self.effect.steps / KEEP_EVERY + 1
        kept = min(KEPT_BYTES / len(self.effect.layers), states * peak * row)
        return int(peak * (3 * row + FRAME_BYTES) + kept)

    def last_births(self) -> dict[str, float]:
        """By layer, when one that plays once spawns its last particle, in effect seconds. Raises ValueError for a ring."""
        moments: dict[str, float] = {}
        for layer in in_order_of_birth(self.effect):
            rate, outlet = self.rate(layer), layer.outlet
            flows = (outlet.rate.most > 0 or outlet.per_metre > 0) and rate.span > 0
            times = [burst.first_at + (burst.times - 1) * burst.every for burst in outlet.bursts]
            last = max([rate.start + rate.span if flows else 0.0, *times]) / layer.tempo
            for parent, rule in self.feeds.get(layer.id, []):
                late = parent.birth.lifetime.most / parent.tempo + rule.latest / layer.tempo
                last = max(last, moments[parent.id] + late)
            moments[layer.id] = last
        return moments

    def ends_at(self) -> float:
        """When an effect that plays once has nothing more to show, in real seconds; infinite for a loop."""
        effect = self.effect
        if effect.loop:
            return math.inf
        births = self.last_births()
        ends = [births[layer.id] + layer.birth.lifetime.most / layer.tempo for layer in effect.layers if layer.shown]
        return max(effect.duration, *ends, 0.0) / effect.tempo


def _most_events(rule: Rule, beam: Beam, alive: float, births: float, seconds: float) -> float:
    """The most events that a rule can tell in so long of a parent of whose particles so many live at once and so many are born."""
    if rule.when in ("born", "ends"):
        return births
    if rule.when == "by time":
        return alive / rule.interval * seconds
    if rule.strikes:
        return (births + alive * beam.strikes * seconds) * (beam.branches if rule.when == "branches" else 1)
    return births * rule.most_per_parent if rule.most_per_parent > 0 else math.inf
