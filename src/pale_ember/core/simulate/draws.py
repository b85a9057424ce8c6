"""Randomness without state: every draw is a hash of (seed, layer, particle number, channel).

The same draw can be asked for anywhere, at any time, in a kernel or outside it, and no draw disturbs another.
The mixer is the finaliser of SplitMix64 (Steele, Lea and Flood, OOPSLA 2014).
"""

from __future__ import annotations

import numpy as np

from pale_ember.core.effect.values import Range
from pale_ember.core.kernel import inlined

PLACE_A, PLACE_B, PLACE_C = 1, 2, 3
AIM_A, AIM_B = 4, 5
LIFETIME, SPEED, SIZE, ANGLE, SPIN, TINT, BRIGHTNESS, OPACITY, FRAME = range(6, 15)
WANDER_A, WANDER_B, OUTWARD_SPEED, SIDEWAYS_SPEED, PUSH_X, PUSH_Y, PUSH_Z = range(15, 22)
STRETCH_X, STRETCH_Y, STRETCH_Z = range(22, 25)
GAP, LOOP_RATE, BURST_CHANCE, BURST_COUNT, RULE_CHANCE, RULE_COUNT, RULE_DELAY, SHIFT, SWAY = range(25, 34)
FIRST_FRAME = 34
ROUND_X, ROUND_Y, ROUND_Z = 35, 36, 37
SPREAD, STREAK, STRENGTH, KINK = 38, 39, 40, 41
FORCE, BAND = 1 << 20, 2 << 20
"""Channels; those of forces and lanes are followed by the lasting number of the force or lane. A channel's number is
part of every document's picture: never reuse or renumber one."""

LOOP_BITS = np.uint64(0xFFFF_0000_0000)
"""Where the number of the loop stands in a particle's number: spawner (16 bits), loop (16), ordinal (32)."""

_STRIDE = np.uint64(0x9E3779B97F4A7C15)
_FIRST = np.uint64(0xBF58476D1CE4E5B9)
_SECOND = np.uint64(0x94D049BB133111EB)


@inlined
def mix(x):
    """One round of the hash on 64 bits (splitmix64's finaliser, Steele, Lea and Flood 2014)."""
    x = (x ^ (x >> np.uint64(30))) * _FIRST
    x = (x ^ (x >> np.uint64(27))) * _SECOND
    return x ^ (x >> np.uint64(31))


@inlined
def draw(key, number, channel):
    """float32 in [0, 1): the draw of `channel` for particle `number` (uint64) under `key` (uint64)."""
    x = mix(key ^ mix(number + np.uint64(channel) * _STRIDE))
    return np.float32(x >> np.uint64(40)) * np.float32(1.0 / (1 << 24))


@inlined
def drawn(choices, low, high, first, many, share):
    """A number of a range from its draw in [0, 1), float32; `many` > 0 means one of `choices` from `first` on."""
    if many > 0:
        return choices[np.int64(first) + min(np.int64(share * many), np.int64(many) - 1)]
    return low + (high - low) * share


def drawn_of(value: Range, share: np.ndarray) -> np.ndarray:
    """The numbers of a range from draws (n,) in [0, 1), (n,) float64."""
    if value.choices:
        return np.array(value.choices)[np.minimum((share * len(value.choices)).astype(int), len(value.choices) - 1)]
    return value.low + (value.high - value.low) * share


def draws(key: np.uint64 | np.ndarray, numbers: np.ndarray, channel: int) -> np.ndarray:
    """`draw` for many particles at once: (n,) float64 in [0, 1), the same bits as in a kernel."""
    with np.errstate(over="ignore"):
        x = mix.py_func(key ^ mix.py_func(np.asarray(numbers, np.uint64) + np.uint64(channel) * _STRIDE))
    return (x >> np.uint64(40)).astype(np.float64) / (1 << 24)


def joined(number: np.uint64 | np.ndarray, other: np.ndarray | np.uint64) -> np.ndarray:
    """A hash of two numbers, uint64: for a child of a parent, or one rule of a layer."""
    with np.errstate(over="ignore"):
        return mix.py_func(np.uint64(number) ^ mix.py_func(np.asarray(other, np.uint64) + _STRIDE))


def key_of(seed: int, identity: str) -> np.uint64:
    """The hash key of a layer: the effect's seed and the layer's lasting id together."""
    with np.errstate(over="ignore"):
        return np.uint64(mix.py_func(np.uint64(seed) * _STRIDE ^ mix.py_func(np.uint64(int(identity, 16)) + _STRIDE)))
