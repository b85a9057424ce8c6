"""The ends of lives in which nothing is seen of a particle, and lives that end before them."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.model import Layer
from pale_ember.core.effect.trims import scaled
from pale_ember.core.effect.values import Curve, sample_keys

_FAINT = 0.04
"""Share of its best below which nobody sees a card."""
_WORTH = 0.08
"""Share of a life that is worth cutting off."""


def dark_end(layer: Layer) -> float:
    """The share of a life, at its end, in which nothing is seen of a particle; 0 where it is not worth cutting off, or where something
    else hangs on when a life ends."""
    look, rules = layer.look, layer.offspring.rules
    played = look.columns * look.rows > 1 and look.play == "over life"
    if played or look.drawn_as != "sprite" or any(rule.when == "ends" for rule in rules):
        return 0.0
    curves = [layer.life.opacity, layer.life.size]
    if look.blend in ("additive", "screen"):
        curves.append(layer.life.brightness)
    ages = np.linspace(0, 1, 101)
    shows = np.ones(101)
    for curve in curves:
        if curve is not None:
            shows *= np.clip(sample_keys(curve.keys, ages), 0, 1)
    seen = np.flatnonzero(shows > _FAINT * shows.max())
    late = float(1 - ages[seen[-1]]) - 0.01 if len(seen) else 0.0
    return late if late > _WORTH else 0.0


def with_shorter_lives(layer: Layer, late: float) -> Layer:
    """A layer whose lives are by that share shorter; lanes over age are drawn out so that nothing else changes."""
    life, left = layer.life, 1 - late
    lanes = {name: _cut_off(getattr(life, name), left) for name in ("size", "brightness", "opacity", "speed")}
    colour = life.colour
    if colour is not None:
        stops = tuple(replace(stop, at=min(stop.at / left, 1.0)) for stop in colour.stops if stop.at <= left)
        colour = replace(colour, stops=stops) if stops else colour
    more = tuple(
        replace(lane, curve=_cut_off(lane.curve, left)) if lane.over == "age" and lane.drives != "colour" else lane for lane in life.more
    )
    return replace(
        layer,
        life=replace(life, **lanes, colour=colour, more=more),
        birth=replace(layer.birth, lifetime=scaled(layer.birth.lifetime, left)),
    )


def _cut_off(curve: Curve | None, at: float) -> Curve | None:
    """A curve up to a place, drawn out over the whole."""
    if curve is None:
        return None
    kept = tuple(replace(key, at=key.at / at) for key in curve.keys if key.at < at - 1e-3)
    end = replace(curve.keys[-1], at=1.0, value=float(sample_keys(curve.keys, np.array([at]))[0]))
    return replace(curve, keys=(*kept, end))
