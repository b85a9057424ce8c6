"""Checks: what is likely not meant, with its cause and what to do."""

from __future__ import annotations

from collections.abc import Callable

from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.reading import Problem
from pale_ember.core.simulate.plan import motion_plan


def _limit(effect: Effect, layer: Layer) -> str | None:
    plan = motion_plan(effect, layer)
    steady = plan.rate * 0.5 * (plan.life_low + plan.life_high)
    if plan.limit > 0 and steady > plan.limit:
        return (
            f"limit: {steady:.0f} would live at once, but at most {plan.limit} may; raise the limit or lower the rate"
        )
    return None


def _bears_nothing(effect: Effect, layer: Layer) -> str | None:
    if layer.outlet.rate <= 0 and not layer.outlet.bursts:
        return "outlet: nothing is born; give it a rate or a burst"
    if layer.outlet.limit == 0:
        return "limit: 0 lets nothing be born; raise it"
    if layer.birth.lifetime.high <= 0:
        return "lifetime: particles of 0 s are never seen; give them time to live"
    return None


CHECKS: tuple[Callable[[Effect, Layer], str | None], ...] = (_bears_nothing, _limit)


def checked(effect: Effect) -> list[Problem]:
    """Everything found, in the order of the layers. All are notices: the effect draws as it is."""
    return [
        Problem(f'layers[{i}] "{layer.name}"', said, notice=True)
        for i, layer in enumerate(effect.layers)
        for check in CHECKS
        if (said := check(effect, layer)) is not None
    ]
