"""An effect as it is used from afar: thinned by its distance steps, over the same layers."""

from __future__ import annotations

from typing import Any

from pale_ember.core.effect.chapters import CHAPTERS
from pale_ember.core.effect.model import DistanceStep, Effect, Layer
from pale_ember.core.insight.thinning import with_fewer
from pale_ember.core.simulate.forecast import Forecast

_FEWEST = 3.0
"""Particles at once that every layer keeps: with fewer there are gaps."""


def step_at(effect: Effect, metres: float) -> DistanceStep | None:
    """The distance step that is used so far away; None near by."""
    reached = [step for step in effect.distances if step.beyond <= metres]
    return max(reached, key=lambda step: step.beyond, default=None)


def farther(effect: Effect, step: DistanceStep | None) -> Effect:
    """The effect as a distance step has it."""
    if step is None or step.share >= 1:
        return effect
    known, thin = Forecast(effect), effect
    for layer in effect.layers:
        share = max(step.share, min(_FEWEST / max(_at_once(known, layer), 1e-6), 1.0))
        if layer.shown and share < 1:
            thin = with_fewer(thin, (layer.id,), share)
    return thin


def _at_once(known: Forecast, layer: Layer) -> float:
    """About how many of a layer live at once."""
    bursts = sum(burst.count.middle * burst.times for burst in layer.outlet.bursts)
    told = known.steady(layer) + bursts
    return told if told > 0 else known.peak(layer)


def changes(effect: Effect, step: DistanceStep) -> dict[str, dict[str, Any]]:
    """What a distance step changes: by the ids of layers the new values by their paths, `chapter.field`."""
    thin = farther(effect, step)
    told: dict[str, dict[str, Any]] = {}
    for before, after in zip(effect.layers, thin.layers, strict=True):
        own = {}
        for chapter in CHAPTERS:
            one, other = getattr(before, chapter), getattr(after, chapter)
            for name in one.__struct_fields__:
                if getattr(one, name) != getattr(other, name):
                    own[f"{chapter}.{name}"] = getattr(other, name)
        if own:
            told[before.id] = own
    return told
