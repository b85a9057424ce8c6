"""What would cut an effect's cost: each a mend, with what it saves."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.edit import with_value
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.recipe.recipe import RECIPE
from pale_ember.core.effect.trims import scaled
from pale_ember.core.effect.values import Curve, sample_keys
from pale_ember.core.insight.checks.finding import Mend, changing, setting
from pale_ember.core.insight.spending import Spending, sorts, with_mips
from pale_ember.core.insight.thinning import with_fewer

_FAINT = 0.02
"""Opacity below which nobody sees a card."""
_WORTH = 0.08
"""Share of a life that is worth cutting off."""
_SMALLEST = 64
"""Pixels of a frame below which it is not made smaller."""


@dataclass(frozen=True, slots=True)
class Cut:
    """layer : the id of the layer it is about. saves : in words, with its numbers. gain : of what is painted or kept in textures, the
    share that is saved, by which cuts are put into order."""

    layer: str
    saves: str
    gain: float
    mend: Mend


def cuts(effect: Effect, spending: Spending) -> list[Cut]:
    """Everything that would cut the cost, the most first."""
    found = [cut for layer in effect.layers if layer.id in spending.layers for cut in _of(effect, layer, spending)]
    return sorted(found, key=lambda cut: -cut.gain)


def _of(effect: Effect, layer: Layer, spending: Spending) -> Iterator[Cut]:
    spent = spending.layers[layer.id]
    painted = max(float(spending.painted.max(initial=0)), 1e-6)
    area = float(spent.painted[spending.worst])
    peak = int(spent.alive.max(initial=0))
    if peak >= 6 and layer.look.blend != "cut-out" and layer.look.drawn_as == "sprite":
        ids = (layer.id,)
        saved = area * (1 - 0.7**0.5)
        yield Cut(
            layer.id, f"about {0.3 * peak:.0f} of {peak} particles", saved / painted + 0.02,
            Mend("seven tenths of them, larger and stronger", lambda effect: with_fewer(effect, ids, 0.7)),
        )  # fmt: skip
    late = _dark_end(layer)
    if late > _WORTH:
        yield Cut(
            layer.id, f"{late:.0%} of its particles, which are no longer seen", late * area / painted + 0.02,
            _shorter(layer, late),
        )  # fmt: skip
    if sorts(layer) and _order_is_hidden(layer):
        yield Cut(
            layer.id, f"sorting {peak} particles for each picture: they are all alike", 0.01 + peak / 1e5,
            setting("no sorting", layer, ("look", "stacking"), "as born"),
        )  # fmt: skip
    yield from _smaller(effect, layer, spending)


def _dark_end(layer: Layer) -> float:
    """The share of a life, at its end, in which nothing is seen of a particle."""
    curves = [layer.life.opacity, layer.life.size]
    if layer.look.blend in ("additive", "screen"):
        curves.append(layer.life.brightness)
    ages = np.linspace(0, 1, 101)
    shows = np.ones(101)
    for curve in curves:
        if curve is not None:
            shows *= np.clip(sample_keys(curve.keys, ages), 0, 1)
    seen = np.flatnonzero(shows * max(layer.birth.opacity.most, 1e-6) > _FAINT)
    return float(1 - ages[seen[-1]]) - 0.01 if len(seen) else 0.0


def _shorter(layer: Layer, late: float) -> Mend:
    """The mend that ends lives where nothing is seen any more; lanes over age are drawn out so that nothing else changes."""

    def change(layer: Layer) -> Layer:
        life = layer.life
        lanes = {name: _cut_off(getattr(life, name), 1 - late) for name in ("size", "brightness", "opacity", "speed")}
        colour = life.colour
        if colour is not None:
            stops = tuple(
                replace(stop, at=min(stop.at / (1 - late), 1.0)) for stop in colour.stops if stop.at <= 1 - late
            )
            colour = replace(colour, stops=stops) if stops else colour
        more = tuple(
            replace(lane, curve=_cut_off(lane.curve, 1 - late)) if lane.over == "age" else lane for lane in life.more
        )
        return replace(
            layer, life=replace(life, **lanes, colour=colour, more=more),
            birth=replace(layer.birth, lifetime=scaled(layer.birth.lifetime, 1 - late)),
        )  # fmt: skip

    return changing(f"lives {late:.0%} shorter", layer, change)


def _cut_off(curve: Curve | None, at: float) -> Curve | None:
    """A curve up to a place, drawn out over the whole."""
    if curve is None:
        return None
    kept = tuple(replace(key, at=key.at / at) for key in curve.keys if key.at < at - 1e-3)
    end = replace(curve.keys[-1], at=1.0, value=float(sample_keys(curve.keys, np.array([at]))[0]))
    return replace(curve, keys=(*kept, end))


def _order_is_hidden(layer: Layer) -> bool:
    """Whether particles are so alike that nobody sees which is in front."""
    look, birth, life = layer.look, layer.birth, layer.life
    tint, colour = birth.tint, life.colour
    same = tint.gradient is None and tint.first == tint.second and (colour is None or len(colour.stops) < 2)
    return same and birth.brightness.fixed and life.brightness is None and look.light.lit <= 0


def _smaller(effect: Effect, layer: Layer, spending: Spending) -> Iterator[Cut]:
    """A recipe of its own at half its size."""
    name = layer.look.picture
    place = next((i for i, recipe in enumerate(effect.recipes) if name == f"{RECIPE}{recipe.name}"), None)
    if place is None:
        return
    recipe, total = effect.recipes[place], max(sum(spending.textures.values()), 1)
    if recipe.size >= 2 * _SMALLEST:
        saved = with_mips(recipe.size, recipe.size * recipe.frames) * 3 // 4
        yield Cut(
            layer.id, f"{saved / 2**20:.1f} MB of textures", 0.5 * saved / total,
            Mend(f"its picture {recipe.size // 2} pixels wide",
                 lambda effect: with_value(effect, ("recipes", place, "size"), recipe.size // 2)),
        )  # fmt: skip
