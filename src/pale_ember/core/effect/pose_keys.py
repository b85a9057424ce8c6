"""Keys of where a layer goes over the effect's time: what they give between two, and one more at a moment."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.model import Layer, Pose
from pale_ember.core.effect.values import Key, sample_keys

SAME = 0.5 / 60
"""Seconds within which two keys would be one."""


def pose_at(keys: tuple[Pose, ...], time: float) -> Pose:
    """What keys give at a moment of the effect, s, as a key there; where there are none, no change."""
    if not keys:
        return Pose(at=time)
    told = np.array([[*key.place, *key.turn, key.scale] for key in keys], float)
    values = [
        float(
            sample_keys(
                tuple(Key(at=key.at, value=value, ease=key.ease) for key, value in zip(keys, column, strict=True)), np.array([time])
            )[0]
        )
        for column in told.T.tolist()
    ]
    x, y, z, a, b, c, scale = (round(value, 4) for value in values)
    return Pose(at=time, place=(x, y, z), turn=(a, b, c), scale=scale)


def key_near(keys: tuple[Pose, ...], time: float) -> int | None:
    """The key that stands at a moment, if any."""
    away = [abs(key.at - time) for key in keys]
    return away.index(min(away)) if away and min(away) <= SAME else None


def with_key(layer: Layer, time: float) -> tuple[Layer, int]:
    """The layer with a key at a moment of the effect, s, where it changes nothing unless there was one; and its place."""
    known = key_near(layer.keys, time)
    if known is not None:
        return layer, known
    keys = tuple(sorted((*layer.keys, pose_at(layer.keys, round(time, 4))), key=lambda key: key.at))
    return replace(layer, keys=keys), next(i for i, key in enumerate(keys) if key.at == round(time, 4))


def with_key_moved(layer: Layer, index: int, time: float) -> Layer:
    """The layer with a key at another moment, never past its neighbours."""
    keys = layer.keys
    least = keys[index - 1].at + SAME if index else 0.0
    most = keys[index + 1].at - SAME if index + 1 < len(keys) else float("inf")
    moved = replace(keys[index], at=round(min(max(time, least), most), 3))
    return replace(layer, keys=(*keys[:index], moved, *keys[index + 1 :]))


def posed(before: Layer, dragged: Layer, time: float) -> Layer:
    """A drag of a layer's place, turn or scale, given to its key at a moment instead of to where it begins."""
    layer, index = with_key(before, time)
    key = layer.keys[index]
    place = tuple(round(k + to - at, 4) for k, to, at in zip(key.place, dragged.place, before.place, strict=True))
    turn = tuple(round(k + to - at, 3) for k, to, at in zip(key.turn, dragged.turn, before.turn, strict=True))
    key = replace(key, place=place, turn=turn, scale=round(key.scale * dragged.scale / before.scale, 4))
    return replace(layer, keys=(*layer.keys[:index], key, *layer.keys[index + 1 :]))
