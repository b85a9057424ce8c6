"""What a check finds, and how it is mended."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from pale_ember.core.effect.edit import Path, index_of, layer_of, with_value
from pale_ember.core.effect.model import Effect, Layer


@dataclass(frozen=True, slots=True)
class Mend:
    """An edit by its name."""

    name: str
    change: Callable[[Effect], Effect]


@dataclass(frozen=True, slots=True)
class Finding:
    """layer : the id of the layer it is about, "" for the effect as a whole. path : the field, below the layer or the effect.
    said : one sentence with its numbers. grave : whether something is lost or wrong, not only doubtful. rule : whose it is."""

    layer: str
    path: Path
    said: str
    mends: tuple[Mend, ...] = ()
    grave: bool = True
    rule: str = ""

    @property
    def key(self) -> tuple[str, str, str]:
        """Tells it from all others, whatever its numbers: rule, layer, place."""
        return self.rule, self.layer, ".".join(str(step) for step in self.path)


def place_of(effect: Effect, finding: Finding) -> str:
    """Where a finding stands, in words."""
    layer = layer_of(effect, finding.layer)
    return f'layers[{index_of(effect, layer.id)}] "{layer.name}"' if layer is not None else ""


def setting(name: str, layer: Layer | None, path: Path, value: Any) -> Mend:
    """The mend that sets one field of a layer, or of the effect."""
    if layer is None:
        return Mend(name, lambda effect: with_value(effect, path, value))
    identity = layer.id
    return Mend(name, lambda effect: with_value(effect, ("layers", index_of(effect, identity), *path), value))


def changing(name: str, layer: Layer, change: Callable[[Layer], Layer]) -> Mend:
    """The mend that changes a layer."""
    identity = layer.id

    def changed(effect: Effect) -> Effect:
        place = index_of(effect, identity)
        return with_value(effect, ("layers", place), change(effect.layers[place]))

    return Mend(name, changed)
