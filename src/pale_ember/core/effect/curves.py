"""The algebra of curves: points put in, moved and turned round, and curves to begin with."""

from __future__ import annotations

import bisect

from msgspec.structs import replace

from pale_ember.core.effect.values import CLOSEST_KEYS, Curve, Key, Slope, curve, slopes_at

PRESETS: dict[str, Curve] = {
    "swell and fade": curve((0, 0), (0.25, 1), (1, 0)),
    "hold, then drop": curve((0, 1), (0.7, 1), (1, 0)),
    "pop and settle": curve((0, 0), (0.12, 1.3), (0.3, 0.9), (0.5, 1), (1, 1)),
    "ease down": curve((0, 1), (1, 0)),
    "ease up": curve((0, 0), (1, 1)),
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


def mirrored(curve: Curve) -> Curve:
    """`one` with its axis turned round: at x it is what the other was at 1 - x, but for where it jumps.

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
