"""Values that were told anew, put together of the very objects that are known: what compares by identity finds them unchanged."""

from __future__ import annotations

from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from pale_ember.core.effect.model import Effect


def kept(new: Any, old: Any) -> Any:
    """`new`, in which every part that equals the one at the same place of `old` is that one. Layers of an Effect are known by their
    ids."""
    if new == old:
        return old
    if type(new) is not type(old):
        return new
    if isinstance(new, Effect):
        known = {layer.id: layer for layer in old.layers}
        layers = tuple(kept(layer, known.get(layer.id)) for layer in new.layers)
        return replace(_parts_kept(replace(new, layers=()), replace(old, layers=())), layers=layers)
    if isinstance(new, Struct):
        return _parts_kept(new, old)
    if isinstance(new, tuple):
        return (*(kept(one, other) for one, other in zip(new, old, strict=False)), *new[len(old) :])
    return new


def _parts_kept(new: Any, old: Any) -> Any:
    parts = {name: kept(getattr(new, name), getattr(old, name)) for name in new.__struct_fields__}
    return replace(new, **parts)
