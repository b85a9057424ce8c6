"""The small values that effects are made of: ranges, tints, curves and gradients."""

import itertools
from collections.abc import Iterable, Sequence
from typing import Annotated, ClassVar, Literal

import numpy as np

from pale_ember.core.effect.fields import Field, Part

Vector = tuple[float, float, float]
Colour = tuple[float, float, float]
Pair = tuple[float, float]

"""Across and up."""

SAMPLES = 256
"""Samples in a lane's table: with straight lines between them, the error is below what 8 bits can show."""

CLOSEST_KEYS = 1e-4
"""Two keys of one curve never stand closer than this share of the age axis."""


class Range(Part, frozen=True):
    """A number drawn once per particle: evenly between `low` and `high`, fixed when they are equal, or one of
    `choices` where there are any. Documents may write a plain number for a fixed one."""

    one_value: ClassVar[bool] = True
    low: float = 0.0
    high: float = 0.0
    choices: tuple[float, ...] = ()

    @property
    def fixed(self) -> bool:
        """Whether it is one number."""
        return self.least == self.most

    @property
    def least(self) -> float:
        """The least that can be drawn."""
        return min(self.choices) if self.choices else self.low

    @property
    def most(self) -> float:
        """The most that can be drawn."""
        return max(self.choices) if self.choices else self.high

    @property
    def middle(self) -> float:
        """The mean of what is drawn."""
        return sum(self.choices) / len(self.choices) if self.choices else 0.5 * (self.low + self.high)


def fixed(value: float) -> Range:
    """A range that is one number."""
    return Range(low=value, high=value)


def between(low: float, high: float) -> Range:
    """A range from a low end to a high one."""
    return Range(low=low, high=high)


def moved(value: Range, by: float) -> Range:
    """A range with all that it is made of moved by so much."""

    def at(end: float) -> float:
        return round(end + by, 9)

    return Range(low=at(value.low), high=at(value.high), choices=tuple(at(choice) for choice in value.choices))


class PerAxis(Part, frozen=True):
    """Three numbers, each drawn once per particle by itself."""

    one_value: ClassVar[bool] = True
    x: Range = Range()
    y: Range = Range()
    z: Range = Range()


def per_axis(x: Range, y: Range, z: Range) -> PerAxis:
    """A range for each axis."""
    return PerAxis(x=x, y=y, z=z)


class Slope(Part, frozen=True):
    """The slopes on either side of a key: the change of value along the whole axis."""

    before: Annotated[float, Field("slope before", "Slope of the curve just before the key.")] = 0.0
    after: Annotated[float, Field("slope after", "Slope of the curve just after the key.")] = 0.0


class Key(Part, frozen=True):
    """A point of a curve. A smooth key takes the slope of its neighbourhood, a straight one makes a corner, a stepped
    one holds its value to the next, and one with handles has the slopes it is given."""

    at: Annotated[float, Field("at", "Place on the lane's axis: 0 at its beginning, 1 at its end.", least=0, most=1)] = 0.0
    value: Annotated[float, Field("value", "The lane's value there.")] = 1.0
    ease: Annotated[Literal["smooth", "straight", "stepped", "handles"], Field("ease", "How the curve passes the key.")] = "smooth"
    slope: Annotated[Slope, Field("slope", "The slopes of a key with handles.")] = Slope()
    band: Annotated[float, Field("band", "How far particles may keep to either side of the curve here.", least=0)] = 0.0


class Curve(Part, frozen=True):
    """One value over age, or over another axis. Keys are sorted along it and never share a place."""

    one_value: ClassVar[bool] = True
    keys: Annotated[tuple[Key, ...], Field("keys", "The points of the curve, in order.")] = (Key(),)

    def table(self) -> np.ndarray:
        """(SAMPLES,) float32, the curve at evenly spaced places from 0 to 1, without its jumps."""
        places = np.linspace(0.0, 1.0, SAMPLES)
        samples = sample_keys(self.keys, places)
        for at, by in self.jumps():
            samples -= by * (places >= at)
        return samples.astype(np.float32)

    def jumps(self) -> list[tuple[float, float]]:
        """(place, change) of each jump behind a stepped key: samples with straight lines between cannot hold them."""
        return [
            (after.at, after.value - before.value)
            for before, after in itertools.pairwise(self.keys)
            if before.ease == "stepped" and after.value != before.value
        ]

    @property
    def stepped(self) -> bool:
        """A curve that jumps from value to value at some ages."""
        return bool(self.jumps())

    def band_table(self) -> np.ndarray:
        """(SAMPLES,) float32, half the band's width at the same places, straight between the keys."""
        at, band = [key.at for key in self.keys], [key.band for key in self.keys]
        return np.interp(np.linspace(0.0, 1.0, SAMPLES), at, band).astype(np.float32)

    def is_flat(self) -> bool:
        """Whether it says the same everywhere, to every particle."""
        return not self.banded and not self.stepped and bool(np.ptp(self.table()) < 1e-6)

    @property
    def banded(self) -> bool:
        """A curve with a band, of (age, value, band) each."""
        return any(key.band > 0 for key in self.keys)


class Stop(Part, frozen=True):
    """A colour of a gradient at an age (linear RGB, not limited to 1)."""

    at: Annotated[float, Field("at", "Age of the stop: 0 at birth, 1 at death.", least=0, most=1)] = 0.0
    colour: Annotated[Colour, Field("colour", "Linear red, green and blue.", least=0, colour=True)] = (1.0, 1.0, 1.0)


_LMS = np.array(
    [[0.4122214708, 0.5363325363, 0.0514459929], [0.2119034982, 0.6806995451, 0.1073969566], [0.0883024619, 0.2817188376, 0.6299787005]]
)
_LAB = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ]
)
"""From linear sRGB to the eye's three receptors, and from their cube roots to lightness and two hues (B. Ottosson, A
perceptual color space for image processing, 2020)."""


def to_lab(colours: np.ndarray) -> np.ndarray:
    """(n, 3) linear colours as lightness and two hues in which equal steps look equal. float64."""
    return np.cbrt(colours @ _LMS.T) @ _LAB.T


def from_lab(seen: np.ndarray) -> np.ndarray:
    """(n, 3) such values as linear colours, none less than nothing. float64."""
    return np.maximum((seen @ np.linalg.inv(_LAB).T) ** 3 @ np.linalg.inv(_LMS).T, 0.0)


class Gradient(Part, frozen=True):
    """A colour over age, between its stops straight in linear light, or evenly as the eye sees it."""

    one_value: ClassVar[bool] = True
    stops: Annotated[tuple[Stop, ...], Field("stops", "The colours, by age.")] = (Stop(),)
    between: Annotated[
        Literal["linear", "perceptual"],
        Field(
            "between",
            "How one colour becomes the next.",
            options=("Straight in linear light, as light mixes.", "Evenly as the eye sees it."),
        ),
    ] = "linear"

    def at(self, ages: np.ndarray) -> np.ndarray:
        """(n, 3) float64, the colours at ages (n,)."""
        at = [stop.at for stop in self.stops]
        colours = np.array([stop.colour for stop in self.stops], float)
        if self.between == "perceptual":
            colours = to_lab(colours)
        mixed = np.stack([np.interp(ages, at, colours[:, c]) for c in range(3)], axis=1)
        return from_lab(mixed) if self.between == "perceptual" else mixed

    def table(self) -> np.ndarray:
        """(SAMPLES, 3) float32, the colour at evenly spaced ages from 0 to 1."""
        return self.at(np.linspace(0.0, 1.0, SAMPLES)).astype(np.float32)


class Tints(Part, frozen=True):
    """A colour drawn once per particle: on the straight line between `first` and `second` (linear RGB), or anywhere
    along `gradient` where there is one."""

    one_value: ClassVar[bool] = True
    first: Colour = (1.0, 1.0, 1.0)
    second: Colour = (1.0, 1.0, 1.0)
    gradient: Gradient | None = None

    def table(self) -> np.ndarray:
        """(samples, 3) float32 of the colours from the first to the last."""
        if self.gradient is not None:
            return self.gradient.table()
        return np.array([self.first, self.second], np.float32)


def curve(*points: tuple[float, float], ease: Literal["smooth", "straight"] = "smooth") -> Curve:
    """A curve through (age, value) points."""
    return Curve(keys=tuple(Key(at=at, value=value, ease=ease) for at, value in points))


def three(numbers: Iterable[float], digits: int | None = None) -> Vector:
    """Three numbers as a vector or a colour, rounded to so many digits behind the point if these are told."""
    x, y, z = (float(number) if digits is None else round(float(number), digits) for number in numbers)
    return x, y, z


def gradient(*stops: tuple[float, Colour]) -> Gradient:
    """A gradient through (age, colour) stops; linear colours."""
    return Gradient(stops=tuple(Stop(at=at, colour=colour) for at, colour in stops))


def sample_keys(keys: tuple[Key, ...], ages: np.ndarray) -> np.ndarray:
    """The curve through `keys` at `ages`, any shape, float64.

    Cubic Hermite between keys. A smooth key's slope is the weighted harmonic mean of its neighbouring chords, zero at a
    turning point, so the curve never overshoots its keys (Fritsch and Butland, SIAM J. Sci. Stat. Comput.
    5, 1984); a straight key leaves along the chord itself, a stepped one not at all, one with handles as it says.
    """
    at = np.array([key.at for key in keys])
    value = np.array([key.value for key in keys])
    if len(keys) == 1:
        return np.full(np.shape(ages), value[0])
    ease = [key.ease for key in keys]
    given = [key.slope for key in keys]
    leaving, arriving = slopes_of(at, value, ease, given)
    width, stepped = np.diff(at), np.array([word == "stepped" for word in ease])
    ages = np.clip(ages, at[0], at[-1])
    before = np.clip(np.searchsorted(at, ages, side="right") - 1, 0, len(width) - 1)
    t = (ages - at[before]) / width[before]
    smooth = (
        (1 + 2 * t) * (1 - t) ** 2 * value[before]
        + t * (1 - t) ** 2 * width[before] * leaving[before]
        + t * t * (3 - 2 * t) * value[before + 1]
        - t * t * (1 - t) * width[before] * arriving[before]
    )
    return np.where(stepped[before] & (t < 1), value[before], smooth)


def slopes_at(keys: tuple[Key, ...]) -> list[tuple[float, float]]:
    """The slopes before and after each key of a curve; 0 beyond its ends."""
    if len(keys) == 1:
        return [(0.0, 0.0)]
    at, value = np.array([key.at for key in keys]), np.array([key.value for key in keys])
    leaving, arriving = slopes_of(at, value, [key.ease for key in keys], [key.slope for key in keys])
    return list(zip([0.0, *arriving.tolist()], [*leaving.tolist(), 0.0], strict=True))


def slopes_of(
    at: np.ndarray, value: np.ndarray, ease: Sequence[str], given: Sequence[Slope] | None = None
) -> tuple[np.ndarray, np.ndarray]:
    """The slopes (k - 1,) with which a curve leaves each key but the last, and arrives at each but the first.

    at, value : (k,) float64. ease : how it passes each. given : the slopes of each key with handles.
    """
    width = np.diff(at)
    chord = np.diff(value) / width
    slope = np.zeros(len(at))
    if len(at) > 2:
        left, right = 2 * width[1:] + width[:-1], width[1:] + 2 * width[:-1]
        same = chord[:-1] * chord[1:] > 0
        with np.errstate(divide="ignore", invalid="ignore"):
            slope[1:-1] = np.where(same, (left + right) / (left / chord[:-1] + right / chord[1:]), 0.0)
    kinds = np.array(ease)
    leaving, arriving = slope[:-1].copy(), slope[1:].copy()
    if given is not None:
        handled = kinds == "handles"
        before, after = np.array([slope.before for slope in given]), np.array([slope.after for slope in given])
        leaving, arriving = np.where(handled[:-1], after[:-1], leaving), np.where(handled[1:], before[1:], arriving)
    leaving = np.where(kinds[:-1] == "straight", chord, leaving)
    arriving = np.where((kinds[1:] == "straight") | (kinds[1:] == "stepped"), chord, arriving)
    return leaving, arriving
