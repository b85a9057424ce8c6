"""When particles are born, and their numbers: closed forms of time, so that any moment can be entered anywhere.

All times here are the layer's own: its tempo and the effect's are already in the step. A particle's number is its
spawner (16 bits), loop (16) and ordinal (32): the rate is spawner 0, a burst its key + 1, births per metre the last.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from pale_ember.core.effect.bursts import Burst
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.values import Range
from pale_ember.core.simulate.draws import BURST_CHANCE, BURST_COUNT, GAP, LOOP_RATE, STRENGTH, draws, key_of
from pale_ember.core.simulate.poses import Poses
from pale_ember.core.simulate.rates import LayerRate

PER_METRE = 65535
"""The spawner of births by distance."""

_REPEAT_BITS = 21
"""Bits of a burst's ordinal for the particle; the rest count its repetitions."""

_PIECES = 4
"""Straight pieces of a step by which a path is measured."""

_PORTION = 240
"""Pieces of a path measured at once: always as many, so that their sums round alike."""

_PUFF = 0.1
"""Seconds of a rate that are set off at once by hand."""

_SLACK = 1e-6
"""A birth this share of a step after a step still belongs to it: rounding must not move it to the next."""

Births = tuple[np.ndarray, np.ndarray]
"""born : (n,) float64, s of the layer's own time. number : (n,) uint64."""

NOBODY: Births = np.zeros(0), np.zeros(0, np.uint64)
"""No births: most steps of most layers."""


@dataclass(frozen=True, slots=True)
class ManualTrigger:
    """A burst or a rule of a layer set off once by hand. step : when. key : the burst's, or the rule's of `parent`; -1 as
    many as the rate gives in a tenth of a second. place, normal : where in the world, and how the surface stands there, m;
    None is the layer's own place."""

    layer: str
    step: int
    key: int
    parent: str = ""
    place: tuple[float, float, float] | None = None
    normal: tuple[float, float, float] = (0.0, 1.0, 0.0)


@dataclass(frozen=True, slots=True)
class Performance:
    """What a playing effect was told. strength : (step, share from 0 to 1) of births from each step on, in order. stopped :
    the step at which all is taken away, if any."""

    strength: tuple[tuple[int, float], ...] = ()
    stopped: int | None = None

    def thinned(self, births: Births, key: np.uint64, step_time: float) -> Births:
        """Those of some births that are left, each drawn by its number; more strength leaves all that less does."""
        born, number = births
        if not self.strength or not len(born):
            return births
        steps = np.ceil(born / step_time - _SLACK)
        which = np.searchsorted([step for step, _ in self.strength], steps, side="right")
        share = np.array([1.0, *(share for _, share in self.strength)])[which]
        left = draws(key, number, STRENGTH) < share
        return born[left], number[left]


AS_IT_IS = Performance()
"""Nothing was told: the effect plays as the document says."""


def range_drawn(value: Range, share: np.ndarray) -> np.ndarray:
    """Numbers of a range from draws in [0, 1). share : (n,); returns (n,) float64."""
    if value.choices:
        return np.array(value.choices)[(share * len(value.choices)).astype(int)]
    return value.low + (value.high - value.low) * share


def counts_drawn(value: Range, share: np.ndarray) -> np.ndarray:
    """Whole numbers of a range, both ends as likely as the rest; (n,) int64."""
    if value.choices:
        return np.round(range_drawn(value, share)).astype(np.int64)
    low, high = math.floor(value.low + 0.5), math.floor(value.high + 0.5)
    return (low + np.floor(share * (high - low + 1))).astype(np.int64)


def _numbered(spawner: int, loops: np.ndarray, ordinals: np.ndarray) -> np.ndarray:
    """loops, ordinals : (n,) int64; returns (n,) uint64."""
    loops = (np.asarray(loops, np.int64) & 0xFFFF).astype(np.uint64)
    ordinals = (np.asarray(ordinals, np.int64) & 0xFFFFFFFF).astype(np.uint64)
    return (np.uint64(spawner) << np.uint64(48)) | (loops << np.uint64(32)) | ordinals


class Spawner(LayerRate):
    """All births of a layer but its parents' offspring, by steps of its own clock."""

    def __init__(self, effect: Effect, layer: Layer, poses: Poses | None = None) -> None:
        super().__init__(effect, layer)
        self.poses = Poses(effect) if poses is None else poses
        self.key = key_of(effect.seed, layer.id)
        self._waits = np.zeros(0)
        self._waits_before = np.zeros(0)
        self._bases = {1: np.zeros(1), -1: np.zeros(1)}
        self._path = _Path(self) if layer.outlet.per_metre > 0 else None

    def expected(self, first: int, last: int) -> float:
        """About how many are born in steps `first` + 1 to `last`, at most."""
        seconds = (last - first) * self.step_time
        bursts = sum(burst.count.most * burst.times for burst in self.outlet.bursts)
        waves = math.ceil(seconds / self.duration) + 1
        metres = self.outlet.per_metre * 1000 * seconds if self._path is not None else 0.0
        return self.most_rate * seconds + bursts * waves + min(metres, 1e6)

    def births(self, first: int, last: int) -> Births:
        """Everything born in steps `first` + 1 to `last`, in order of time.

        Within a single step no more than the limit are told: of more, none could live.
        """
        spawned = []
        for loop in self._loops(first, last):
            spawned.append(self._rated(loop, first, last))
            spawned += [self._burst(burst, loop, first, last) for burst in self.outlet.bursts]
        if self.waits and self.outlet.rate.most > 0 and not self.same:
            spawned.append(self._waited(first, last))
        if self._path is not None:
            spawned.append(self._path.births(first, last))
        spawned = [each for each in spawned if len(each[0])]
        if not spawned:
            return NOBODY
        born, number = np.concatenate([each[0] for each in spawned]), np.concatenate([each[1] for each in spawned])
        steps = np.ceil(born / self.step_time - _SLACK)
        inside = (steps > first) & (steps <= last)
        born, number = born[inside], number[inside]
        order = np.argsort(born, kind="stable")
        return born[order], number[order]

    def _loops(self, first: int, last: int) -> range:
        if not self.effect.loop:
            return range(0, 1)
        # What a burst repeats may lie in a loop after its own, and so may the burst.
        latest = [burst.first_at + min((burst.times - 1) * burst.every, self.duration) for burst in self.outlet.bursts]
        back = math.floor(max(latest, default=0.0) / self.duration + _SLACK)
        low = math.floor(first * self.step_time / self.duration) - back
        high = math.floor((last + 1) * self.step_time / self.duration)
        return range(low if self.warm else max(low, 0), max(high, 0 if not self.warm else low) + 1)

    def _rate_in(self, loop: int) -> float:
        rate = self.outlet.rate
        if rate.fixed:
            return self.rate_of(rate.low)
        number = _numbered(0, np.array([0 if self.same else loop]), np.array([0]))
        return self.rate_of(float(range_drawn(rate, draws(self.key, number, LOOP_RATE))[0]))

    def _base(self, loop: int) -> float:
        """The integral of the rate over all loops before this one."""
        if self.same:
            return 0.0
        if self.outlet.rate.fixed:
            return loop * self._rate_in(0) * self.flow.whole
        side = 1 if loop >= 0 else -1
        known = self._bases[side]
        while len(known) <= abs(loop):
            # Always in the same portions, so that sums round alike however far one comes at once.
            more = range(len(known), len(known) + 64)
            rates = [self._rate_in(i - 1 if side > 0 else -i) * self.flow.whole for i in more]
            self._bases[side] = known = np.concatenate([known, known[-1] + side * np.cumsum(rates)])
        return float(known[abs(loop)])

    def _rated(self, loop: int, first: int, last: int) -> Births:
        rate = 0.0 if self.waits and not self.same else self._rate_in(loop)
        if rate <= 0 or self.flow.whole <= 0:
            return NOBODY
        begin = loop * self.duration + self.start
        if self.waits:
            return self._waits_in(loop, begin)
        base = self._base(loop)
        lowest = math.ceil(base)
        before = self.flow.until(first * self.step_time - begin)
        after = self.flow.until(last * self.step_time - begin)
        low = max(lowest, math.floor(base + rate * before))
        # The last birth of the span lies before its end; a billionth keeps rounding from adding one.
        high = min(math.ceil(base + rate * self.flow.whole - 1e-9) - 1, math.floor(base + rate * after) + 1)
        low, high = self._few(low, high, first, last)
        k = np.arange(low, high + 1, dtype=float)
        born = begin + self.flow.when((k - base) / rate)
        return born, _numbered(0, np.full(len(k), loop), k - lowest)

    def _few(self, low: int, high: int, first: int, last: int) -> tuple[int, int]:
        if last - first > 1 or high - low <= self.outlet.limit + 4:
            return low, high
        if self.outlet.at_limit == "refuse births":
            return low, low + self.outlet.limit + 4
        return high - self.outlet.limit - 4, high

    def _waits_in(self, loop: int, begin: float) -> Births:
        """Births by waits that begin anew with each loop."""
        self._extend(self.span)
        times = self._waits[self._waits < self.span]
        return begin + times, _numbered(0, np.full(len(times), loop), np.arange(len(times)))

    def _extend(self, until: float) -> None:
        while len(self._waits) == 0 or self._waits[-1] < until:
            more = np.arange(len(self._waits), 2 * len(self._waits) + 256)
            gaps = np.maximum(range_drawn(self.outlet.rate, draws(self.key, more.astype(np.uint64), GAP)), 1e-4)
            self._waits = np.concatenate([self._waits, (self._waits[-1:].sum() + np.cumsum(gaps))])

    def _extend_before(self, until: float) -> None:
        while len(self._waits_before) == 0 or self._waits_before[-1] > until:
            more = -1 - np.arange(len(self._waits_before), 2 * len(self._waits_before) + 256)
            gaps = range_drawn(self.outlet.rate, draws(self.key, more.astype(np.uint64), GAP))
            begun = self._waits_before[-1] - np.maximum(gaps[0], 1e-4) if len(self._waits_before) else 0.0
            times = begun - np.concatenate([[0.0], np.cumsum(np.maximum(gaps[1:], 1e-4))])
            self._waits_before = np.concatenate([self._waits_before, times])

    def _waited(self, first: int, last: int) -> Births:
        """Births by waits that go on from loop to loop, counted in active time."""

        def active(time: float) -> float:
            loop = math.floor(time / self.duration) if self.effect.loop else 0
            return loop * self.span + min(max(time - loop * self.duration - self.start, 0.0), self.span)

        low, high = active((first - 1) * self.step_time), active((last + 1) * self.step_time)
        if self.span <= 0:
            return NOBODY
        self._extend(max(high, 0.0))
        i, j = np.searchsorted(self._waits, low), np.searchsorted(self._waits, high, side="right")
        times, ordinals = self._waits[i:j], np.arange(i, j)
        if low <= 0 and self.warm:
            self._extend_before(low)
            earlier = self._waits_before[self._waits_before >= low][::-1]
            times = np.concatenate([earlier, times])
            ordinals = np.concatenate([-1 - np.arange(len(earlier))[::-1], ordinals])
        if not self.effect.loop:
            keep = times < self.span
            times, ordinals = times[keep], ordinals[keep]
        loops = np.floor(times / self.span).astype(np.int64)
        born = loops * self.duration + self.start + times - loops * self.span
        return born, _numbered(0, loops, ordinals)

    def _burst(self, burst: Burst, loop: int, first: int, last: int) -> Births:
        turns = np.arange(burst.times)
        offset = burst.first_at + turns * burst.every
        if self.effect.loop:
            # Over the loop's end it goes on until the burst begins anew.
            keep = turns * burst.every < self.duration
            turns, offset = turns[keep], offset[keep]
        times = loop * self.duration + offset
        near = (times > (first - 1) * self.step_time) & (times <= (last + 1) * self.step_time)
        turns, times = turns[near], times[near]
        if not len(times):
            return NOBODY
        at = _numbered(burst.key + 1, np.full(len(turns), loop), turns << _REPEAT_BITS)
        if self.same:
            at = _numbered(burst.key + 1, np.zeros(len(turns)), turns << _REPEAT_BITS)
        happens = draws(self.key, at, BURST_CHANCE) < burst.chance
        counts = counts_drawn(burst.count, draws(self.key, at, BURST_COUNT)) * happens
        ordinals = np.concatenate([np.arange(n) for n in counts]) if len(counts) else np.zeros(0, np.int64)
        turn = np.repeat(turns, counts)
        loops = np.full(len(ordinals), loop)
        return np.repeat(times, counts), _numbered(burst.key + 1, loops, (turn << _REPEAT_BITS) + ordinals)


class _Path:
    """How far a layer has come along its path, and the births at every so many metres of it."""

    def __init__(self, spawner: Spawner) -> None:
        self.spawner = spawner
        self._ahead, self._behind = np.zeros(1), np.zeros(1)

    def _lengths(self, first: int, last: int) -> np.ndarray:
        """(last - first,) metres of the pieces between these marks, leaps back to a loop's start, or to a throw's, not counted."""
        spawner = self.spawner
        marks = np.arange(first, last + 1) * (spawner.step_time / _PIECES / spawner.layer.tempo)
        loops = np.floor(marks / spawner.effect.duration + 1e-9) if spawner.effect.loop else None
        within = None if loops is None else loops[:-1]
        at, to = (spawner.poses.layer(spawner.layer, ends, within).place for ends in (marks[:-1], marks[1:]))
        lengths = np.linalg.norm(to - at, axis=1)
        thrown = spawner.poses.throws(spawner.layer, marks)
        for piece in np.flatnonzero(thrown[1:] != thrown[:-1]):
            # To the end of one throw, and on from where the next begins.
            leap = thrown[piece + 1] * spawner.effect.stage.carrier.period
            own = None if within is None else within[[piece, piece]]
            end, begin = spawner.poses.layer(spawner.layer, np.array([leap - 1e-9, leap]), own).place
            lengths[piece] = np.linalg.norm(end - at[piece]) + np.linalg.norm(to[piece] - begin)
        return lengths

    def _come(self, first: int, last: int) -> np.ndarray:
        """(last - first + 1,) metres from the start to each mark, negative before it."""
        while last >= len(self._ahead):
            more = self._lengths(len(self._ahead) - 1, len(self._ahead) + _PORTION - 1)
            self._ahead = np.concatenate([self._ahead, self._ahead[-1] + np.cumsum(more)])
        while -first >= len(self._behind):
            more = self._lengths(1 - len(self._behind) - _PORTION, 1 - len(self._behind))[::-1]
            self._behind = np.concatenate([self._behind, self._behind[-1] - np.cumsum(more)])
        marks = np.arange(first, last + 1)
        behind = self._behind[np.minimum(np.maximum(-marks, 0), len(self._behind) - 1)]
        return np.where(marks >= 0, self._ahead[np.maximum(marks, 0)], behind)

    def births(self, first: int, last: int) -> Births:
        spawner = self.spawner
        low, high = (first - 1) * _PIECES, (last + 1) * _PIECES
        come = self._come(low, high) * spawner.outlet.per_metre
        k = np.arange(math.floor(come[0]) + 1, math.floor(come[-1]) + 1)
        # From the piece of the way in which each falls, the same however many pieces are asked for at once.
        piece = np.searchsorted(come, k, side="left") - 1
        marks = (low + piece) + (k - come[piece]) / (come[piece + 1] - come[piece])
        born = marks * (spawner.step_time / _PIECES)
        loops = np.floor(born / spawner.duration + 1e-9).astype(np.int64) if spawner.effect.loop else np.zeros(len(k), np.int64)
        within = born - loops * spawner.duration - spawner.start
        keep = (within >= 0) & (within < spawner.span)
        if not spawner.warm:
            keep &= born > 0
        return born[keep], _numbered(PER_METRE, loops[keep], k[keep])


def fired_births(spawner: Spawner, step: int, key: int, parent: str) -> tuple:
    """A burst, the count of a rule, or a puff of the rate, set off by hand at a step: (steps, born, number)."""
    effect, _layer = spawner.effect, spawner.layer
    if parent:
        source = next((layer for layer in effect.layers if layer.id == parent), None)
        rules = source.offspring.rules if source is not None else ()
        count = next((rule.count for rule in rules if rule.key == key), None)
    elif key < 0:
        many = max(round(spawner.rate_of(spawner.outlet.rate.middle) * _PUFF), 1)
        count = Range(low=many, high=many)
    else:
        count = next((burst.count for burst in spawner.outlet.bursts if burst.key == key), None)
    if count is None:
        return np.zeros(0, np.int64), np.zeros(0), np.zeros(0, np.uint64)
    # A spawner of its own kind: no burst has so high a number, and each step its own loop number.
    at = _numbered(65534, np.array([step]), np.array([max(key, 0) << _REPEAT_BITS]))
    many = int(counts_drawn(count, draws(spawner.key, at, BURST_COUNT))[0])
    number = at[0] + np.arange(many, dtype=np.uint64)
    return np.full(many, step), np.full(many, step * spawner.step_time), number
