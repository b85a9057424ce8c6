"""What pushes a particle."""

from __future__ import annotations

import math
import re
from typing import Any

from msgspec.structs import replace

from pale_ember.core.effect.edit import with_value
from pale_ember.core.effect.fields import fields_of, kinds_of
from pale_ember.core.effect.forces import AnyForce, Radial
from pale_ember.core.effect.model import Layer
from pale_ember.core.effect.values import Range
from pale_ember.core.words.phrases.phrase import (
    END,
    XYZ,
    N,
    Phrase,
    R,
    phrase,
    phrases_in,
    range_of,
    vector_of,
    with_one_more,
    with_values,
)
from pale_ember.core.words.scene import Scene


@phrase(rf"(rises|rising|falls|falling)(?: at)? ({N})(?:\s*m/s²)?", "gravity", "forces", "gravity")
def _gravity(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    return with_values(layer, (("forces", "gravity"), (0.0, math.copysign(float(said[2]), 1 if said[1].startswith("ris") else -1), 0.0)))


@phrase(rf"(?:is )?pulled by ({XYZ})(?: m/s²)?", "gravity", "forces", "gravity")
def _pulled(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    return with_values(layer, (("forces", "gravity"), vector_of(said[1])))


@phrase(rf"(?:is )?(?:held|slowed) by drag ({N})", "drag", "forces", "drag")
def _drag(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    return with_values(layer, (("forces", "drag"), max(float(said[1]), 0.0)))


@phrase(rf"blown at ({XYZ})(?: m/s)?", "wind", "forces", "wind")
def _wind(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    return with_values(layer, (("forces", "wind"), vector_of(said[1])))


@phrase(rf"stirred at ({N})(?: m/s)?(?: by eddies of ({N})(?: m)?)?", "turbulence", "forces", "turbulence")
def _stirred(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    layer = with_values(layer, (("forces", "turbulence"), max(float(said[1]), 0.0)))
    return with_values(layer, (("forces", "eddy"), max(float(said[2]), 0.001))) if said[2] else layer


@phrase(r"nothing pushes it", "forces", "forces")
def _unpushed(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    return replace(layer, forces=type(layer.forces)())


def _told(word: str, kind: Any) -> Phrase:
    """A kind of force as a sentence tells it."""
    unit = re.escape(fields_of(kind)["strength"].field.unit)
    before, _, behind = (re.escape(part) for part in kind.told.partition("{}"))

    @phrase(rf"{before}({R})(?:\s*{unit})?{behind}(?: and around it at ({N}) m/s²)?( in a sphere| in a box)?", word, "forces", "more")
    def told(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
        values: dict[str, Any] = {"strength": _strength(kind, said[1]), "region": (said[3] or " everywhere").strip()}
        if issubclass(kind, Radial):
            values["around"] = float(said[2] or 0.0)
        return with_one_more(layer, ("forces", "more"), kind(), values, scene)

    return told


def _named(word: str, kind: Any) -> Phrase:
    """A kind of force by its name: `vortex 3` is one more, or how strong the one that is there is."""
    unit = re.escape(fields_of(kind)["strength"].field.unit)

    @phrase(rf"(?:a |add )?{re.escape(word)}(?: of)? ({R})(?:\s*{unit})?{END}", word, "forces", "more")
    def named(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
        for i, force in enumerate(layer.forces.more):
            if type(force) is kind:
                return with_value(layer, ("forces", "more", i, "strength"), _strength(kind, said[1]))
        return with_one_more(layer, ("forces", "more"), kind(), {"strength": _strength(kind, said[1])}, scene)

    return named


def _strength(kind: Any, text: str) -> Any:
    value = range_of(text)
    declared = fields_of(kind)["strength"]
    return value if declared.type is Range else value.middle


PHRASES = (*phrases_in(globals()), *(each(word, kind) for word, kind in kinds_of(AnyForce).items() for each in (_told, _named)))
