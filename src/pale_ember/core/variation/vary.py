"""An effect varied: by chance, as far as is wanted, in what may change."""

from __future__ import annotations

import math
from collections.abc import Collection
from dataclasses import dataclass
from typing import Any

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.chapters import CHAPTERS
from pale_ember.core.effect.curves import with_moved
from pale_ember.core.effect.edit import Path, with_value
from pale_ember.core.effect.fields import Field
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.sharing import kept_shared
from pale_ember.core.effect.trims import trimmed
from pale_ember.core.effect.values import Curve, Gradient, PerAxis, Range, Slope, Tints, from_lab, to_lab
from pale_ember.core.variation import KINDS
from pale_ember.core.variation.knobs import knobs_of

_SPREAD = (0.05, 0.75)
"""Standard deviation of a number's logarithm, as near and as wild as it gets."""
_TURNED = (0.4, 0.9)
"""How many of the values are turned, as near and as wild as it gets."""
_HUE = (8.0, 110.0)
"""Degrees around the wheel that colours are turned, likewise."""
_ANGLE = 60.0
"""Degrees that an angle changes where a number changes by its own size."""


@dataclass(frozen=True, slots=True)
class Choice:
    """What may change. layers : ids; none for all that are not locked. chapters : of those. paths : values below a layer, if it is only
    those. kinds : of change."""

    layers: Collection[str] = ()
    chapters: Collection[str] = CHAPTERS
    paths: Collection[Path] = ()
    kinds: Collection[str] = KINDS

    def has(self, layer: Layer) -> bool:
        """Whether a layer may change."""
        return not layer.locked and (layer.id in self.layers if self.layers else layer.shown)


def varied(effect: Effect, choice: Choice, far: float, rng: np.random.Generator) -> Effect:
    """`effect` with what may change turned by chance. far : 0 very near to 1 wild. What is nothing stays nothing, and what layers share
    stays shared."""
    before, chosen = effect, [layer for layer in effect.layers if choice.has(layer)]
    if "seed" in choice.kinds and not effect.seed_kept:
        effect = replace(effect, seed=int(rng.integers(0, 2**31)))
    ids = [layer.id for layer in chosen]
    if "tempo" in choice.kinds and not choice.paths:
        effect = trimmed(effect, "tempo", _factor(0.6 * _between(_SPREAD, far), rng), ids)
    if "hue" in choice.kinds and not choice.paths:
        # One turn for all, so that what belongs together stays together.
        effect = trimmed(effect, "hue", float(rng.normal() * _between(_HUE, far)), ids)
    layers = tuple(_layer_varied(layer, choice, far, rng) if layer.id in ids else layer for layer in effect.layers)
    return kept_shared(before, replace(effect, layers=layers))


def _between(ends: tuple[float, float], far: float) -> float:
    """From the first end to the last: sizes grow by the same factor over the whole way."""
    return ends[0] * (ends[1] / ends[0]) ** min(max(far, 0.0), 1.0)


def _factor(spread: float, rng: np.random.Generator) -> float:
    """A number by which something is multiplied; nothing beyond two deviations."""
    return math.exp(spread * float(np.clip(rng.normal(), -2.0, 2.0)))


def _layer_varied(layer: Layer, choice: Choice, far: float, rng: np.random.Generator) -> Layer:
    knobs = knobs_of(layer, choice.chapters)
    spread, odds = _between(_SPREAD, far), 1.0 if choice.paths else _between(_TURNED, far)
    for knob in knobs:
        if (choice.paths and knob.path not in choice.paths) or ("hue" if knob.colour else "shape") not in choice.kinds:
            continue
        if rng.random() < odds:
            layer = with_value(layer, knob.path, _value_varied(knob.value, knob.field, spread, rng))
    return layer


def _value_varied(value: Any, field: Field, spread: float, rng: np.random.Generator) -> Any:
    if isinstance(value, Range):
        return _range_varied(value, field, spread, rng)
    if isinstance(value, PerAxis):
        x, y, z = (_range_varied(each, field, spread, rng) for each in (value.x, value.y, value.z))
        return PerAxis(x=x, y=y, z=z)
    if isinstance(value, Curve):
        return _curve_varied(value, spread, rng)
    if isinstance(value, Gradient):
        stops = tuple(replace(stop, colour=_colour_varied(stop.colour, spread, rng)) for stop in value.stops)
        return replace(value, stops=stops)
    if isinstance(value, Tints):
        return replace(
            value,
            first=_colour_varied(value.first, spread, rng),
            second=_colour_varied(value.second, spread, rng),
            gradient=value.gradient and _value_varied(value.gradient, field, spread, rng),
        )
    if isinstance(value, tuple):
        if field.colour:
            return _colour_varied(value, spread, rng)
        return tuple(within(_number_varied(each, field, spread, rng), field) for each in value)
    return within(_number_varied(value, field, spread, rng), field)


def within(value: float, field: Field) -> float:
    """A number of three digits, within what nature allows."""
    if field.least is not None:
        value = max(value, field.least)
    if field.most is not None:
        value = min(value, field.most)
    if field.whole:
        return float(round(value))
    return float(f"{value:.3g}")


def _number_varied(value: float, field: Field, spread: float, rng: np.random.Generator) -> float:
    if field.unit.startswith("°") and (field.least is None or field.least < 0):
        return value + _ANGLE * spread * float(rng.normal())
    return value * _factor(spread, rng)


def _range_varied(value: Range, field: Field, spread: float, rng: np.random.Generator) -> Range:
    middle = _number_varied(value.middle, field, spread, rng)
    by, wide = middle - value.middle, _factor(0.7 * spread, rng)
    grown = middle / value.middle if value.middle else 1.0
    if value.choices:
        return replace(value, choices=tuple(within(each * grown, field) for each in value.choices))
    half = 0.5 * (value.high - value.low) * abs(grown) * wide
    at = value.middle + by
    low, high = at - half, at + half
    if value.low >= 0:
        low = max(low, 0.0)
    return Range(low=within(low, field), high=within(max(high, low), field))


def _curve_varied(value: Curve, spread: float, rng: np.random.Generator) -> Curve:
    """Its keys higher or lower, and earlier or later between their neighbours; where it is nothing, it stays so."""
    keys, top = value.keys, max((abs(key.value) for key in value.keys), default=1.0)
    bounded = top <= 1.0 and all(key.value >= 0 for key in keys)
    turned = []
    for key in keys:
        by = _factor(0.7 * spread, rng)
        high = min(key.value * by, 1.0) if bounded else key.value * by
        slope = Slope(before=key.slope.before * by, after=key.slope.after * by)
        turned.append(replace(key, value=float(f"{high:.3g}"), slope=slope))
    points = tuple(turned)
    for i in range(1, len(points) - 1):
        points = with_moved(points, i, round(points[i].at + 0.12 * spread * float(rng.normal()), 4))
    return Curve(keys=points)


def _colour_varied(colour: tuple[float, ...], spread: float, rng: np.random.Generator) -> tuple[float, ...]:
    """A colour a little lighter or darker, fuller or paler, as the eye sees it."""
    if not any(colour):
        return colour
    light, one, other = to_lab(np.array([colour]))[0]
    full = _factor(0.5 * spread, rng)
    turned = from_lab(np.array([[light * _factor(0.25 * spread, rng), one * full, other * full]]))[0]
    return tuple(float(f"{part:.3g}") for part in turned)
