"""An effect as it is used from afar: thinned by its distance steps, over the same layers."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from pale_ember.core.effect.chapters import CHAPTERS
from pale_ember.core.effect.model import Effect, Farther
from pale_ember.core.insight.thinning import with_fewer


def step_at(effect: Effect, metres: float) -> Farther | None:
    """The distance step that is used so far away; None near by."""
    reached = [step for step in effect.distances if step.beyond <= metres]
    return max(reached, key=lambda step: step.beyond, default=None)


def farther(effect: Effect, step: Farther | None) -> Effect:
    """The effect as a distance step has it."""
    if step is None or step.share >= 1:
        return effect
    shown = [layer.id for layer in effect.layers if layer.shown]
    return replace(with_fewer(effect, shown, step.share), distances=effect.distances)


def changes(effect: Effect, step: Farther) -> dict[str, dict[str, Any]]:
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
