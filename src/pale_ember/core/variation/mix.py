"""Between two effects: number by number, curve by curve, gradient by gradient."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.curves import fitted
from pale_ember.core.effect.fields import Part, fields_of
from pale_ember.core.effect.model import Effect
from pale_ember.core.effect.values import Colour, Curve, Gradient, Key, Range, Stop, Tints, sample_keys

_CLOSE = 0.004
"""How near a curve of few keys stays to what is mixed, as a share of its height."""
_SAMPLES = 129


def mixed(one: Effect, other: Effect, share: float) -> tuple[Effect, list[str]]:
    """What lies between two effects, 0 at the one and 1 at the other; and what cannot be mixed, which changes at the middle, as places
    in words. What an effect has beyond its layers and its time is the one's."""
    if share <= 0 or share >= 1:
        return (one if share <= 0 else replace(other, stage=one.stage, variants=one.variants), [])
    said: list[str] = []
    theirs = {layer.id: layer for layer in other.layers}
    layers = []
    for layer in one.layers:
        if layer.id in theirs:
            layers.append(_part(layer, theirs[layer.id], share, layer.name, said))
        else:
            said.append(f"{layer.name}: only in one")
            layers += [layer] if share < 0.5 else []
    known = {layer.id for layer in one.layers}
    for layer in other.layers:
        if layer.id not in known:
            said.append(f"{layer.name}: only in one")
            layers += [layer] if share >= 0.5 else []
    told: dict[str, Any] = {}
    for name in ("duration", "tempo", "loop", "steps", "warm", "identical", "seed"):
        told[name] = _value(getattr(one, name), getattr(other, name), share, name, said)
    if one.recipes != other.recipes and share >= 0.5:
        told["recipes"] = other.recipes
    return replace(one, layers=tuple(layers), **told), said


def _part(one: Part, other: Part, share: float, place: str, said: list[str]) -> Any:
    """Two parts of one type, field by field."""
    told = {}
    for name, declared in fields_of(type(one)).items():
        before, after = getattr(one, name), getattr(other, name)
        if before == after:
            continue
        label = f"{place}, {declared.field.label}"
        if declared.field.hidden or (declared.field.whole and not isinstance(before, Range)):
            told[name] = _at_middle(before, after, share, label, said)
        else:
            told[name] = _value(before, after, share, label, said)
    return replace(one, **told) if told else one


def _at_middle(one: Any, other: Any, share: float, label: str, said: list[str]) -> Any:
    said.append(label)
    return one if share < 0.5 else other


def _value(one: Any, other: Any, share: float, label: str, said: list[str]) -> Any:
    if one == other:
        return one
    between = _BETWEEN.get(type(one))
    if between is not None and type(one) is type(other):
        made = between(one, other, share)
        return _at_middle(one, other, share, label, said) if made is None else made
    if isinstance(one, Part) and type(one) is type(other):
        return _part(one, other, share, label.rpartition(", ")[0] or label, said)
    if isinstance(one, tuple) and isinstance(other, tuple) and len(one) == len(other):
        if all(isinstance(each, float) for each in (*one, *other)):
            return tuple(_number(a, b, share) for a, b in zip(one, other, strict=True))
        alike = all(isinstance(a, Part) and type(a) is type(b) and _key(a) == _key(b) for a, b in zip(one, other, strict=True))
        if alike:
            return tuple(_part(a, b, share, label, said) for a, b in zip(one, other, strict=True))
    return _at_middle(one, other, share, label, said)


def _key(part: Any) -> object:
    """By what a part of a list is known again, and what it must have in common with its like."""
    return getattr(part, "key", None), getattr(part, "kind", None), getattr(part, "drives", None), getattr(part, "over", None)


def _number(one: float, other: float, share: float) -> float:
    return float(f"{one + (other - one) * share:.6g}")


def _range(one: Range, other: Range, share: float) -> Range | None:
    if len(one.choices) != len(other.choices):
        return None
    choices = tuple(_number(a, b, share) for a, b in zip(one.choices, other.choices, strict=True))
    return Range(low=_number(one.low, other.low, share), high=_number(one.high, other.high, share), choices=choices)


def _curve(one: Curve, other: Curve, share: float) -> Curve | None:
    """Key by key where both have as many of the same kind; else a curve of few keys along what lies between."""
    if one.stepped or other.stepped:
        return None
    if [key.ease for key in one.keys] == [key.ease for key in other.keys] and "handles" not in [key.ease for key in one.keys]:
        keys = (
            replace(a, at=_number(a.at, b.at, share), value=_number(a.value, b.value, share), band=_number(a.band, b.band, share))
            for a, b in zip(one.keys, other.keys, strict=True)
        )
        return Curve(keys=tuple(keys))
    at = np.linspace(0.0, 1.0, _SAMPLES)
    values = sample_keys(one.keys, at) * (1 - share) + sample_keys(other.keys, at) * share
    made = fitted(at, values, _CLOSE * max(float(np.ptp(values)), 1e-6))
    if not (one.banded or other.banded):
        return made

    def band(keys: tuple[Key, ...], where: float) -> float:
        return float(np.interp(where, [key.at for key in keys], [key.band for key in keys]))

    banded = (replace(key, band=_number(band(one.keys, key.at), band(other.keys, key.at), share)) for key in made.keys)
    return Curve(keys=tuple(banded))


def _gradient(one: Gradient, other: Gradient, share: float) -> Gradient:
    """Stop by stop where both have as many; else stops wherever either has one."""
    if len(one.stops) == len(other.stops):
        pairs = list(zip(one.stops, other.stops, strict=True))
        stops = [Stop(at=_number(a.at, b.at, share), colour=_colour(a.colour, b.colour, share)) for a, b in pairs]
    else:
        at = sorted({stop.at for each in (one, other) for stop in each.stops})
        ours, theirs = one.at(np.array(at)), other.at(np.array(at))
        stops = [Stop(at=where, colour=_colour(ours[i], theirs[i], share)) for i, where in enumerate(at)]
    return Gradient(stops=tuple(stops), between=one.between if share < 0.5 else other.between)


def _colour(one: Any, other: Any, share: float) -> Colour:
    red, green, blue = (_number(float(a), float(b), share) for a, b in zip(one, other, strict=True))
    return red, green, blue


def _tints(one: Tints, other: Tints, share: float) -> Tints:
    if one.gradient is None and other.gradient is None:
        return Tints(first=_colour(one.first, other.first, share), second=_colour(one.second, other.second, share))
    ours, theirs = (
        each.gradient or Gradient(stops=(Stop(at=0.0, colour=each.first), Stop(at=1.0, colour=each.second))) for each in (one, other)
    )
    return Tints(gradient=_gradient(ours, theirs, share))


_BETWEEN: dict[type, Callable[[Any, Any, float], Any]] = {
    float: _number, Range: _range, Curve: _curve, Gradient: _gradient, Tints: _tints,
    int: lambda one, other, share: None, bool: lambda one, other, share: None, str: lambda one, other, share: None,
}  # fmt: skip
"""How two values of a type are mixed; None for what cannot be."""
