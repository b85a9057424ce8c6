"""The algebra of curves."""

from __future__ import annotations

from msgspec.structs import replace

from pale_ember.core.effect.values import CLOSEST_KEYS, Curve, Key, slopes_at


def mirrored(curve: Curve) -> Curve:
    """`curve` with its axis turned round: at x it is what the other was at 1 - x, but for where it jumps.

    A stepped key holds its value onward, so what was held is held from the other side by a key of its own. Where that
    would bend a neighbour, the neighbour gets the slopes it had.
    """
    keys = curve.keys
    slopes = slopes_at(keys)
    made: list[Key] = []
    for i in range(len(keys) - 1, -1, -1):
        key, (before, after) = keys[i], slopes[i]
        at = round(1 - key.at, 9)
        held = i > 0 and keys[i - 1].ease == "stepped"
        beside = held or key.ease == "stepped" or (i + 1 < len(keys) and keys[i + 1].ease == "stepped")
        if key.ease == "handles" or (key.ease == "smooth" and beside):
            turned = replace(key, at=at, ease="handles", arrive=-after, leave=-before)
        else:
            turned = replace(key, at=at, ease="straight" if key.ease == "stepped" else key.ease)
        if not held:
            made.append(turned)
            continue
        # What was held up to this key is held from it now; the key itself only ends what came before.
        if made:
            made.append(replace(turned, at=max(at - CLOSEST_KEYS, made[-1].at + CLOSEST_KEYS)))
        made.append(replace(keys[i - 1], at=at, ease="stepped", band=key.band))
    return Curve(keys=tuple(made))
