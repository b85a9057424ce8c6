"""The small values that effects are made of: ranges, tints, curves and gradients."""

from __future__ import annotations

import bisect
from typing import Annotated, Literal

import msgspec
import numpy as np

from pale_ember.core.effect.fields import Field, Part

Vector = tuple[float, float, float]
Colour = tuple[float, float, float]

SAMPLES = 256
"""Samples in a lane's table: with straight lines between them, the error is below what 8 bits can show."""

CLOSEST_KEYS = 1e-4
"""Two keys of one curve never stand closer than this share of the age axis."""


class Range(Part, frozen=True):
    """A number drawn once per particle, evenly between `low` and `high`; fixed when they are equal."""

    low: float = 0.0
    high: float = 0.0

    @property
    def fixed(self) -> bool:
        return self.low == self.high

    @property
    def middle(self) -> float:
        return 0.5 * (self.low + self.high)


def fixed(value: float) -> Range:
    return Range(low=value, high=value)


def between(low: float, high: float) -> Range:
    return Range(low=low, high=high)


class Tints(Part, frozen=True):
    """A colour drawn once per particle on the straight line between `first` and `second` (linear RGB)."""

    first: Colour = (1.0, 1.0, 1.0)
    second: Colour = (1.0, 1.0, 1.0)


class Key(Part, frozen=True):
    """A point of a curve. A smooth key takes the slope of its neighbourhood, a straight one makes a corner."""

    at: Annotated[float, Field("at", "Age of the key: 0 at birth, 1 at death.", least=0, most=1)] = 0.0
    value: Annotated[float, Field("value", "The lane's value at this age.")] = 1.0
    ease: Annotated[Literal["smooth", "straight"], Field("ease", "How the curve passes the key.")] = "smooth"


class Curve(Part, frozen=True):
    """One value over age. Keys are sorted by age and never share one."""

    keys: Annotated[tuple[Key, ...], Field("keys", "The points of the curve, by age.")] = (Key(),)

    def table(self) -> np.ndarray:
        """(SAMPLES,) float32, the curve at evenly spaced ages from 0 to 1."""
        return sample_keys(self.keys, np.linspace(0.0, 1.0, SAMPLES)).astype(np.float32)


class Stop(Part, frozen=True):
    """A colour of a gradient at an age (linear RGB, not limited to 1)."""

    at: Annotated[float, Field("at", "Age of the stop: 0 at birth, 1 at death.", least=0, most=1)] = 0.0
    colour: Annotated[Colour, Field("colour", "Linear red, green and blue.", least=0, colour=True)] = (1.0, 1.0, 1.0)


class Gradient(Part, frozen=True):
    """A colour over age, straight in linear light between its stops."""

    stops: Annotated[tuple[Stop, ...], Field("stops", "The colours, by age.")] = (Stop(),)

    def table(self) -> np.ndarray:
        """(SAMPLES, 3) float32, the colour at evenly spaced ages from 0 to 1."""
        ages = np.linspace(0.0, 1.0, SAMPLES)
        at = [stop.at for stop in self.stops]
        colours = np.array([stop.colour for stop in self.stops])
        return np.stack([np.interp(ages, at, colours[:, c]) for c in range(3)], axis=1).astype(np.float32)


def curve(*points: tuple[float, float], ease: Literal["smooth", "straight"] = "smooth") -> Curve:
    return Curve(keys=tuple(Key(at=at, value=value, ease=ease) for at, value in points))


def gradient(*stops: tuple[float, Colour]) -> Gradient:
    return Gradient(stops=tuple(Stop(at=at, colour=colour) for at, colour in stops))


def sample_keys(keys: tuple[Key, ...], ages: np.ndarray) -> np.ndarray:
    """The curve through `keys` at `ages`, any shape, float64.

    Cubic Hermite between keys. A smooth key's slope is the weighted harmonic mean of its neighbouring chords, zero at a
    turning point, so the curve never overshoots its keys (Fritsch and Butland, SIAM J. Sci. Stat. Comput.
    5, 1984); a straight key leaves along the chord itself.
    """
    at = np.array([key.at for key in keys])
    value = np.array([key.value for key in keys])
    if len(keys) == 1:
        return np.full(np.shape(ages), value[0])
    width = np.diff(at)
    chord = np.diff(value) / width
    slope = np.zeros(len(keys))
    for i in range(1, len(keys) - 1):
        if chord[i - 1] * chord[i] > 0:
            left, right = 2 * width[i] + width[i - 1], width[i] + 2 * width[i - 1]
            slope[i] = (left + right) / (left / chord[i - 1] + right / chord[i])
    straight = np.array([key.ease == "straight" for key in keys])
    leaving = np.where(straight[:-1], chord, slope[:-1])
    arriving = np.where(straight[1:], chord, slope[1:])
    ages = np.clip(ages, at[0], at[-1])
    before = np.clip(np.searchsorted(at, ages, side="right") - 1, 0, len(width) - 1)
    t = (ages - at[before]) / width[before]
    return (
        (1 + 2 * t) * (1 - t) ** 2 * value[before]
        + t * (1 - t) ** 2 * width[before] * leaving[before]
        + t * t * (3 - 2 * t) * value[before + 1]
        - t * t * (1 - t) * width[before] * arriving[before]
    )


def with_key(points: tuple, new) -> tuple:
    """`points` (keys or stops) with `new` in its sorted place, moved aside if its age is taken."""
    ages = [point.at for point in points]
    at = free_age(ages, new.at)
    place = bisect.bisect(ages, at)
    return (*points[:place], msgspec.structs.replace(new, at=at), *points[place:])


def free_age(ages: list[float], at: float) -> float:
    """The age nearest to `at`, within 0 to 1, at least CLOSEST_KEYS from every one of `ages`."""
    at = min(max(at, 0.0), 1.0)
    if all(abs(at - other) >= CLOSEST_KEYS for other in ages):
        return at
    beside = [other + side * 1.5 * CLOSEST_KEYS for other in ages for side in (-1, 1)]
    free = [a for a in beside if 0 <= a <= 1 and all(abs(a - other) >= CLOSEST_KEYS for other in ages)]
    return min(free, key=lambda a: abs(a - at))


def with_moved(points: tuple, index: int, at: float) -> tuple:
    """`points` with one moved along the age axis, kept between its neighbours."""
    low = points[index - 1].at + CLOSEST_KEYS if index > 0 else 0.0
    high = points[index + 1].at - CLOSEST_KEYS if index + 1 < len(points) else 1.0
    at = min(max(at, low), high)
    moved = msgspec.structs.replace(points[index], at=at)
    return (*points[:index], moved, *points[index + 1 :])
