"""Trims: one control over many fields, that moves together what belongs together."""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Collection, Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.bursts import MOST_ALIVE
from pale_ember.core.effect.edit import Path
from pale_ember.core.effect.fields import Declared, Part, fields_of
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.values import Curve, Gradient, PerAxis, Range, Tints, three


def scaled(value: Any, by: float) -> Any:
    """A number, a range or several, `by` times as much."""
    if isinstance(value, Range):
        return Range(low=_tidy(value.low * by), high=_tidy(value.high * by), choices=tuple(_tidy(c * by) for c in value.choices))
    if isinstance(value, PerAxis):
        return PerAxis(x=scaled(value.x, by), y=scaled(value.y, by), z=scaled(value.z, by))
    if isinstance(value, tuple):
        return tuple(_tidy(part * by) for part in value)
    return None if value is None else _tidy(value * by)


def _tidy(value: float) -> float:
    """A number of six digits at most."""
    return float(f"{value:.6g}")


def _with(part: Any, by: float, *names: str) -> Any:
    return replace(part, **{name: scaled(getattr(part, name), by) for name in names})


def _sized(layer: Layer, by: float) -> Layer:
    look = replace(_with(layer.look, by, "soft"), ribbon=layer.look.ribbon)
    return replace(layer, birth=_with(layer.birth, by, "size"), contact=_with(layer.contact, by, "radius"), look=look)


def _denser(layer: Layer, by: float) -> Layer:
    outlet = layer.outlet
    rate = 1 / by if outlet.rate_counts == "seconds between" else by
    bursts = tuple(
        replace(burst, count=Range(low=round(burst.count.low * by), high=round(burst.count.high * by),
                                   choices=tuple(float(round(c * by)) for c in burst.count.choices)))
        for burst in outlet.bursts
    )  # fmt: skip
    limit = min(math.ceil(outlet.limit * by), MOST_ALIVE) if by > 1 else outlet.limit
    return replace(layer, outlet=replace(_with(outlet, by, "per_metre"), rate=scaled(outlet.rate, rate), bursts=bursts, limit=limit))


def _farther(layer: Layer, by: float) -> Layer:
    pushes = layer.forces
    more = tuple(
        force if force.kind in ("brake",) else replace(force, strength=scaled(force.strength, by))  # type: ignore[attr-defined]
        for force in pushes.more
    )
    return replace(
        layer,
        birth=_with(layer.birth, by, "speed", "outward", "around", "push"),
        forces=replace(_with(pushes, by, "gravity", "wind", "turbulence"), more=more),
    )


def _brighter(layer: Layer, by: float) -> Layer:
    return replace(layer, birth=_with(layer.birth, by, "brightness"))


def _faster(layer: Layer, by: float) -> Layer:
    return replace(layer, tempo=min(max(_tidy(layer.tempo * by), 0.001), 1000.0))


def hue_turn(degrees: float) -> np.ndarray:
    """(3, 3) float64: turns linear colours about grey, their luminance kept (W3C Filter Effects 1, `hueRotate`)."""
    cos, sin = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    red, green, blue = 0.213, 0.715, 0.072
    return (
        np.array([[red, green, blue]] * 3)
        + cos * np.array([[1 - red, -green, -blue], [-red, 1 - green, -blue], [-red, -green, 1 - blue]])
        + sin * np.array([[-red, -green, 1 - blue], [0.143, 0.140, -0.283], [-(1 - red), green, blue]])
    )


def _turned(value: Any, turn: np.ndarray) -> Any:
    """Colours with their hue turned; none is less than nothing."""
    if isinstance(value, Gradient):
        return replace(value, stops=tuple(replace(stop, colour=_turned(stop.colour, turn)) for stop in value.stops))
    if isinstance(value, Tints):
        return replace(
            value, first=_turned(value.first, turn), second=_turned(value.second, turn), gradient=_turned(value.gradient, turn)
        )
    if value is None:
        return None
    return three((max(float(part), 0.0) for part in turn @ np.array(value)), 5)


def _recoloured(layer: Layer, degrees: float) -> Layer:
    turn = hue_turn(degrees)
    look = layer.look
    dissolve = replace(look.dissolve, burn_tint=_turned(look.dissolve.burn_tint, turn))
    more = tuple(replace(lane, colours=_turned(lane.colours, turn)) for lane in layer.life.more)
    return replace(
        layer,
        birth=replace(layer.birth, tint=_turned(layer.birth.tint, turn)),
        life=replace(layer.life, colour=_turned(layer.life.colour, turn), more=more),
        look=replace(look, dissolve=dissolve, beam=replace(look.beam, colours=_turned(look.beam.colours, turn))),
    )


def _spread(value: Range, by: float, field: Declared) -> Range:
    """A range `by` times as wide about its middle, within what nature allows."""
    low, high = (value.middle + (end - value.middle) * by for end in (value.least, value.most))
    least, most = field.field.least, field.field.most
    low = low if least is None else max(low, least)
    return Range(low=_tidy(low), high=_tidy(high if most is None else min(high, most)))


def _wilder(layer: Layer, by: float) -> Layer:
    born = layer.birth
    fields = fields_of(type(born))
    spread = {
        name: _spread(getattr(born, name), by, fields[name])
        for name in ("lifetime", "speed", "size", "angle", "spin", "brightness")
        if not getattr(born, name).fixed and not getattr(born, name).choices
    }
    lanes = {
        name: _banded(lane, by) for name in ("size", "brightness", "opacity", "speed") if (lane := getattr(layer.life, name)) is not None
    }
    return replace(
        layer,
        outlet=replace(layer.outlet, spread=_within(scaled(layer.outlet.spread, by), 180.0)),
        birth=replace(born, **spread),
        life=replace(layer.life, **lanes),
        forces=_with(layer.forces, by, "turbulence"),
    )


def _within(value: Range, most: float) -> Range:
    """A range whose ends are not more than so much."""
    return Range(low=min(value.low, most), high=min(value.high, most), choices=tuple(min(c, most) for c in value.choices))


def _banded(lane: Curve, by: float) -> Curve:
    return Curve(keys=tuple(replace(key, band=_tidy(key.band * by)) for key in lane.keys))


@dataclass(frozen=True, slots=True)
class Trim:
    """One control over many fields. neutral : where it changes nothing. soft : where a drag runs."""

    help: str
    does: Callable[[Layer, float], Layer]
    unit: str = "×"
    neutral: float = 1.0
    soft: tuple[float, float] = (0.0, 2.0)


TRIMS: dict[str, Trim] = {
    "size": Trim("How large the particles are, and what goes with it.", _sized),
    "tempo": Trim("How fast all of it runs.", _faster),
    "density": Trim("How many are born: rate, bursts, per metre, and the limit with them.", _denser),
    "reach": Trim("How far they go in the same time: speeds, gravity, wind, turbulence and forces.", _farther),
    "brightness": Trim("How bright they are.", _brighter),
    "hue": Trim("Turns every colour around the wheel.", _recoloured, "°", 0.0, (-180.0, 180.0)),
    "variation": Trim("Below 1 calmer, above 1 wilder: turbulence, spread, and how far particles differ.", _wilder),
}
"""Trims by name."""


def trimmed(effect: Effect, name: str, amount: float, layers: Collection[str]) -> Effect:
    """`effect` with a trim applied to the layers with these ids."""
    does = TRIMS[name].does
    return replace(effect, layers=tuple(does(layer, amount) if layer.id in layers else layer for layer in effect.layers))


def _differing(before: Any, after: Any, path: Path, label: str) -> Iterator[str]:
    if before is after or before == after:
        return
    if isinstance(before, tuple) and before and isinstance(before[0], Part):
        for i, (one, other) in enumerate(zip(before, after, strict=False)):
            yield from _differing(one, other, (*path, i), label)
        return
    if isinstance(before, Part) and not before.one_value and type(before) is type(after):
        for name, declared in fields_of(type(before)).items():
            yield from _differing(getattr(before, name), getattr(after, name), (*path, name), declared.field.label)
        return
    yield label


def changed_fields(before: Effect, after: Effect) -> list[str]:
    """The labels of all fields that differ between two effects with the same layers, each once."""
    pairs = zip(before.layers, after.layers, strict=True)
    labels = itertools.chain.from_iterable(_differing(one, other, (), "layer") for one, other in pairs)
    return list(dict.fromkeys(labels))
