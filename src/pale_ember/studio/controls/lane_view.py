"""What part of a lane is seen, and what a pointer is caught by in it."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, replace

_CLOSEST = 1e-3
"""The least share of the axis that is seen at once."""


def round_step(rough: float) -> float:
    """The step of 1, 2 or 5 times a power of ten that is next to a rough one."""
    power = 10.0 ** math.floor(math.log10(max(rough, 1e-9)))
    return min((power * part for part in (1, 2, 5, 10)), key=lambda step: abs(step - rough))


@dataclass(frozen=True, slots=True)
class LaneView:
    """The ages from left to right and the values from bottom to top that a lane shows."""

    begin: float = 0.0
    end: float = 1.0
    low: float = 0.0
    high: float = 1.0

    def zoomed(self, factor: float, age: float, value: float, *, ages: bool, values: bool) -> LaneView:
        """A view `factor` times as wide, what lies at an age and a value kept in its place."""
        view = self
        if ages:
            factor_a = min(max(factor, _CLOSEST / (self.end - self.begin)), 1.0 / (self.end - self.begin))
            begin, end = age + (self.begin - age) * factor_a, age + (self.end - age) * factor_a
            view = replace(view, begin=begin, end=end).within()
        if values:
            view = replace(view, low=value + (self.low - value) * factor, high=value + (self.high - value) * factor)
        return view

    def panned(self, ages: float, values: float) -> LaneView:
        """A view moved by so much along each axis."""
        moved = replace(self, begin=self.begin + ages, end=self.end + ages)
        return replace(moved.within(), low=self.low + values, high=self.high + values)

    def within(self) -> LaneView:
        """A view that does not reach beyond birth and death."""
        by = max(-self.begin, 0.0) + min(1.0 - self.end, 0.0)
        return replace(self, begin=max(self.begin + by, 0.0), end=min(self.end + by, 1.0))


def framed(ages: list[float], low: float, high: float) -> LaneView:
    """A view of points at some ages with values from `low` to `high`, and a little around them."""
    begin, end = min(ages), max(ages)
    aside, above = max(end - begin, 0.02) * 0.1, max(high - low, 0.02) * 0.12
    return LaneView(max(begin - aside, 0.0), min(end + aside, 1.0), low - above, high + above)


def caught(value: float, by: Iterable[float], reach: float) -> float:
    """The nearest of some values where it lies within reach; else the value itself."""
    nearest = min(by, key=lambda other: abs(other - value), default=value)
    return nearest if abs(nearest - value) <= reach else value
