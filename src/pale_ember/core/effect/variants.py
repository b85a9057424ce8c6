"""Other versions of an effect that are kept with it: shown beside it, put in its place, thrown away."""

from __future__ import annotations

from msgspec.structs import replace

from pale_ember.core.effect.edit import free_name
from pale_ember.core.effect.model import Effect, Variant

_KEPT = tuple(name for name in Variant.__struct_fields__ if name not in ("name", "unknown"))
"""What of an effect a variant has for itself; the stage, the cues and the events are the same for all."""


def variant_of(effect: Effect, name: str) -> Variant:
    """An effect as it is now, as a variant of this name."""
    return Variant(name=name, **{part: getattr(effect, part) for part in _KEPT})


def as_variant(effect: Effect, variant: Variant) -> Effect:
    """The effect as it would be with what a variant has."""
    return replace(effect, **{part: getattr(variant, part) for part in _KEPT})


def named(effect: Effect, name: str) -> Variant | None:
    """The variant of that name, if there is one."""
    return next((variant for variant in effect.variants if variant.name == name), None)


def with_kept(effect: Effect, name: str) -> Effect:
    """`effect` that keeps itself, as it is now, as a variant of that name, or of the next that is free."""
    name = free_name(name, [variant.name for variant in effect.variants])
    return replace(effect, variants=(*effect.variants, variant_of(effect, name)))


def with_taken(effect: Effect, name: str) -> Effect:
    """`effect` with a variant in its place; what it was is kept in the variant's. Raises KeyError."""
    variant = named(effect, name)
    if variant is None:
        raise KeyError(name)
    others = [other.name for other in effect.variants if other is not variant]
    was = variant_of(effect, free_name(f"before {name}", others))
    kept = tuple(was if other is variant else other for other in effect.variants)
    return replace(as_variant(effect, variant), variants=kept)


def without_kept(effect: Effect, name: str) -> Effect:
    """An effect without the variant of that name."""
    return replace(effect, variants=tuple(variant for variant in effect.variants if variant.name != name))
