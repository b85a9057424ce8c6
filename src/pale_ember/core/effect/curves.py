"""The algebra of curves: points put in, moved and turned round, and curves to begin with."""

from __future__ import annotations

import bisect
import itertools
import math
import re
from collections.abc import Callable, Collection

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.values import CLOSEST_KEYS, Curve, Key, Slope, curve, sample_keys, slopes_at

PRESETS: dict[str, Curve] = {
    "swell and fade": curve((0, 0), (0.25, 1), (1, 0)),
    "hold, then drop": curve((0, 1), (0.7, 1), (1, 0)),
    "pop and settle": curve((0, 0), (0.12, 1.3), (0.3, 0.9), (0.5, 1), (1, 1)),
    "ease down": curve((0, 1), (1, 0)),
    "ease up": curve((0, 0), (1, 1)),
    "ease up and down": curve((0, 0), (0.5, 1), (1, 0)),
    "arrive fast, leave slowly": curve((0, 0), (0.08, 1), (0.35, 0.62), (1, 0)),
    "fade in over a fifth": curve((0, 0), (0.2, 1), (1, 1)),
    "grow within a tenth": curve((0, 0), (0.1, 1), (1, 1)),
    "pulse": curve(*((i / 8, float(i % 2)) for i in range(9))),
    "wobble": curve(*((i / 10, 1 + (0.35 * (-1) ** i * (1 - i / 10) if 0 < i < 10 else 0)) for i in range(11))),
    "flicker": curve(*((i / 12, 0.55 + 0.45 * ((i * 7) % 5) / 4) for i in range(13)), ease="straight"),
}
"""Curves to begin with, by name."""


def with_key(points: tuple, new) -> tuple:
    """`points` (keys or stops) with `new` in its sorted place, moved aside if its age is taken."""
    ages = [point.at for point in points]
    at = free_age(ages, new.at)
    place = bisect.bisect(ages, at)
    return (*points[:place], replace(new, at=at), *points[place:])


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
    moved = replace(points[index], at=at)
    return (*points[:index], moved, *points[index + 1 :])


def _bounds(points: tuple, chosen: Collection[int], index: int) -> tuple[float, float]:
    """Between what ages a chosen point may go: up to its neighbours that are not chosen, and never out of the axis."""
    low = points[index - 1].at + CLOSEST_KEYS if index > 0 and index - 1 not in chosen else 0.0
    high = points[index + 1].at - CLOSEST_KEYS if index + 1 < len(points) and index + 1 not in chosen else 1.0
    return low, high


def shifted(points: tuple, chosen: Collection[int], by: float) -> tuple:
    """`points` with the chosen ones moved along the age axis together, as far as their neighbours and the axis allow."""
    for i in chosen:
        low, high = _bounds(points, chosen, i)
        by = min(max(by, low - points[i].at), high - points[i].at)
    return tuple(replace(point, at=round(point.at + by, 9)) if i in chosen else point for i, point in enumerate(points))


def stretched(points: tuple, chosen: Collection[int], about: float, factor: float) -> tuple:
    """`points` with the ages of the chosen ones `factor` times as far from `about`, as far as neighbours and axis allow.
    They never fall on each other, nor change places."""
    for i in chosen:
        (low, high), away = _bounds(points, chosen, i), points[i].at - about
        if abs(away) > 1e-9:
            least, most = sorted(((low - about) / away, (high - about) / away))
            factor = min(max(factor, least), most)
    inner = sorted(points[i].at for i in chosen)
    closest = min((after - before for before, after in itertools.pairwise(inner)), default=1.0)
    factor = max(factor, 1.001 * CLOSEST_KEYS / closest)
    return tuple(
        replace(point, at=round(about + (point.at - about) * factor, 9)) if i in chosen else point for i, point in enumerate(points)
    )


def mirrored(curve: Curve) -> Curve:
    """A curve with its axis turned round: at x it is what the other was at 1 - x, but for where it jumps.

    A stepped key holds its value onward, so what was held is held from the other side by a key of its own. Where that
    would bend a neighbour, the neighbour gets the slopes it had.
    """
    keys = curve.keys
    slopes = slopes_at(keys)
    flipped: list[Key] = []
    for i in range(len(keys) - 1, -1, -1):
        key, (before, after) = keys[i], slopes[i]
        at = round(1 - key.at, 9)
        held = i > 0 and keys[i - 1].ease == "stepped"
        beside = held or key.ease == "stepped" or (i + 1 < len(keys) and keys[i + 1].ease == "stepped")
        if key.ease == "handles" or (key.ease == "smooth" and beside):
            turned = replace(key, at=at, ease="handles", slope=Slope(before=-after, after=-before))
        else:
            turned = replace(key, at=at, ease="straight" if key.ease == "stepped" else key.ease)
        if not held:
            flipped.append(turned)
            continue
        # What was held up to this key is held from it now; the key itself only ends what came before.
        if flipped:
            flipped.append(replace(turned, at=max(at - CLOSEST_KEYS, flipped[-1].at + CLOSEST_KEYS)))
        flipped.append(replace(keys[i - 1], at=at, ease="stepped", band=key.band))
    return Curve(keys=tuple(flipped))


def scaled(curve: Curve, factor: float, about: float = 0.0) -> Curve:
    """A curve whose values lie `factor` times as far from `about`; bands and slopes with them."""
    return Curve(
        keys=tuple(
            replace(
                key,
                value=round(about + (key.value - about) * factor, 9),
                band=key.band * abs(factor),
                slope=Slope(before=key.slope.before * factor, after=key.slope.after * factor),
            )
            for key in curve.keys
        )
    )


def upside_down(curve: Curve) -> Curve:
    """A curve whose lowest value is its highest, and the other way round."""
    values = [key.value for key in curve.keys]
    return scaled(curve, -1.0, 0.5 * (min(values) + max(values)))


def repeated(curve: Curve, times: int) -> Curve:
    """A curve so many times, one after the other, each in its share of the axis. Where its end is not its beginning, it
    leaps from the one to the other within the closest that two keys may stand."""
    laid: list[Key] = []
    for i in range(times):
        for key in curve.keys:
            at = round((i + key.at) / times, 9)
            slope = Slope(before=key.slope.before * times, after=key.slope.after * times)
            if laid and at - laid[-1].at < CLOSEST_KEYS:
                if key.value == laid[-1].value:
                    continue
                at = laid[-1].at + CLOSEST_KEYS
            laid.append(replace(key, at=min(at, 1.0), slope=slope))
    return Curve(keys=tuple(laid))


def fitted(ages: np.ndarray, values: np.ndarray, tolerance: float) -> Curve:
    """A curve of few keys through points (n,), sorted by age, that stays within `tolerance` of each.

    The key that is missed most is put in, again and again (after Douglas and Peucker, Cartographica 10, 1973), with the
    slopes that fit all points best by least squares; then each that can be spared goes.
    """
    if len(ages) < 2:
        return Curve(keys=tuple(Key(at=float(at), value=float(value)) for at, value in zip(ages, values, strict=True)))

    def through(chosen: list[int]) -> tuple[Key, ...]:
        slopes = _best_slopes(ages, values, ages[chosen], values[chosen])
        return tuple(
            Key(at=float(ages[i]), value=round(float(values[i]), 6), ease="handles", slope=Slope(before=slope, after=slope))
            for i, slope in zip(chosen, np.round(slopes, 6).tolist(), strict=True)
        )

    def away(chosen: list[int]) -> np.ndarray:
        return np.abs(sample_keys(through(chosen), ages) - values)

    chosen = [0, len(ages) - 1]
    while len(chosen) < len(ages):
        missed = away(chosen)
        missed[chosen] = 0.0
        worst = int(missed.argmax())
        if missed[worst] <= tolerance:
            break
        bisect.insort(chosen, worst)
    for i in chosen[1:-1]:
        without = [other for other in chosen if other != i]
        if away(without).max() <= tolerance:
            chosen = without
    return Curve(keys=through(chosen))


def _best_slopes(ages: np.ndarray, values: np.ndarray, at: np.ndarray, value: np.ndarray) -> np.ndarray:
    """(k,) slopes of a cubic Hermite curve through keys at, value (k,) that misses points (n,) least; where points say
    nothing of a slope, the smallest."""
    width = np.diff(at)
    before = np.clip(np.searchsorted(at, ages, side="right") - 1, 0, len(width) - 1)
    t = (ages - at[before]) / width[before]
    plain = (1 + 2 * t) * (1 - t) ** 2 * value[before] + t * t * (3 - 2 * t) * value[before + 1]
    rows = np.arange(len(ages))
    shares = np.zeros((len(ages), len(at)))
    shares[rows, before] = t * (1 - t) ** 2 * width[before]
    shares[rows, before + 1] = -t * t * (1 - t) * width[before]
    return np.linalg.lstsq(shares, values - plain, rcond=None)[0]


_SAMPLED = np.linspace(0.0, 1.0, 257)


_MOST_PASTED = 24
"""Numbers that become a key each; a curve of few keys is laid through more."""


def _span(values: np.ndarray) -> float:
    return max(float(values.max() - values.min()), 1e-9)


def simplified(curve: Curve, share: float = 0.01) -> Curve:
    """A curve of fewer keys that is nowhere farther from it than this share of its height. Bands are kept at the ages of
    the keys that stay."""
    values = sample_keys(curve.keys, _SAMPLED)
    return _banded_as(curve, fitted(_SAMPLED, values, share * _span(values)))


def smoothed(curve: Curve, width: float = 0.04, share: float = 0.01) -> Curve:
    """A curve without its roughness: averaged under a bell `width` wide, a share of the axis, its ends kept."""
    values = sample_keys(curve.keys, _SAMPLED)
    reach = math.ceil(4 * width * 256)
    bell = np.exp(-0.5 * (np.arange(-reach, reach + 1) / (width * 256)) ** 2)
    # Beyond its ends it goes on turned about them, so that they stay where they are.
    before, after = 2 * values[0] - values[reach:0:-1], 2 * values[-1] - values[-2 : -reach - 2 : -1]
    even = np.convolve(np.concatenate([before, values, after]), bell / bell.sum(), mode="valid")
    return _banded_as(curve, fitted(_SAMPLED, even, share * _span(values)))


def _banded_as(curve: Curve, other: Curve) -> Curve:
    """`other` with the bands that `curve` has at its ages."""
    at, bands = [key.at for key in curve.keys], [key.band for key in curve.keys]
    return Curve(keys=tuple(replace(key, band=round(float(np.interp(key.at, at, bands)), 6)) for key in other.keys))


def with_band(curve: Curve, band: float) -> Curve:
    """A curve with the same band all along."""
    return Curve(keys=tuple(replace(key, band=max(band, 0.0)) for key in curve.keys))


def from_numbers(text: str) -> Curve | None:
    """A curve of numbers as people paste them: one value after the other, evenly along the axis, or a line for each
    point with its age and its value; an axis that is not 0 to 1 is brought there. None where the text is none of this."""
    lines = [re.split(r"[\s;,]+", line.strip()) for line in text.strip().splitlines() if line.strip()]
    try:
        rows = [[float(part) for part in line if part] for line in lines]
    except ValueError:
        return None
    if not rows or not all(math.isfinite(value) for row in rows for value in row):
        return None
    if len(rows) > 1 and all(len(row) == 2 for row in rows):
        pairs = sorted({row[0]: row[1] for row in rows}.items())
    else:
        values = [value for row in rows for value in row]
        pairs = [(float(i), value) for i, value in enumerate(values)]
    if len(pairs) < 2:
        return None
    first, last = pairs[0][0], pairs[-1][0]
    if first < 0 or last > 1 or [at for at, _ in pairs] == list(range(len(pairs))):
        pairs = [((at - first) / (last - first), value) for at, value in pairs]
    at, value = (np.array(column) for column in zip(*pairs, strict=True))
    if len(pairs) <= _MOST_PASTED and np.diff(at).min() >= CLOSEST_KEYS:
        return curve(*pairs)
    return fitted(at, value, 0.002 * _span(value))


CHANGES: dict[str, Callable[[Curve], Curve]] = {
    "upside down": upside_down,
    "twice as much": lambda curve: scaled(curve, 2.0),
    "half as much": lambda curve: scaled(curve, 0.5),
    "twice in a row": lambda curve: repeated(curve, 2),
    "three times in a row": lambda curve: repeated(curve, 3),
    "fewer keys": simplified,
    "smoother": smoothed,
    "a band of a tenth": lambda curve: with_band(curve, 0.1 * max(max(abs(key.value) for key in curve.keys), 0.1)),
    "no band": lambda curve: with_band(curve, 0.0),
}
"""What can be done to a curve as a whole, by name."""
