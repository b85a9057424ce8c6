"""What of a layer can be turned: every value that has an effect, with where it stands and what it may be."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from dataclasses import dataclass
from typing import Any

from pale_ember.core.effect.chapters import CHAPTERS
from pale_ember.core.effect.edit import Path
from pale_ember.core.effect.fields import Field, Part, fields_of, why_idle
from pale_ember.core.effect.model import Layer
from pale_ember.core.effect.values import Curve, Gradient, PerAxis, Range, Tints

_KEPT = frozenset({"limit", "rate_counts", "region_size", "region_place", "shadow", "axis"})
"""What is a matter of cost, of the scene or of a direction, not of how an effect looks and moves."""


@dataclass(frozen=True, slots=True)
class Knob:
    """A value below a layer. path : where it stands there. colour : whether it is one, or several."""

    path: Path
    field: Field
    value: Any

    @property
    def colour(self) -> bool:
        """Whether it is a colour, or several."""
        return self.field.colour or isinstance(self.value, (Gradient, Tints))


def knobs_of(layer: Layer, chapters: Collection[str] = CHAPTERS) -> list[Knob]:
    """Every value in some chapters of a layer that can be turned and has an effect just now, in the order of the story."""
    return [knob for chapter in CHAPTERS if chapter in chapters for knob in _below(layer, getattr(layer, chapter), (chapter,))]


def _below(layer: Layer, part: Part, path: Path) -> Iterator[Knob]:
    for name, declared in fields_of(type(part)).items():
        field, value = declared.field, getattr(part, name)
        if field.hidden or field.names or name in _KEPT or why_idle(field, layer, part) is not None:
            continue
        if _turns(field, value):
            yield Knob((*path, name), field, value)
        elif isinstance(value, Part) and not value.one_value:
            yield from _below(layer, value, (*path, name))
        elif isinstance(value, tuple) and value and isinstance(value[0], Part):
            for i, each in enumerate(value):
                if getattr(each, "on", True):
                    yield from _below(layer, each, (*path, name, i))


def _turns(field: Field, value: Any) -> bool:
    """Whether a value can be turned. What is nothing stays nothing, or something new would come in; what is all that there can be,
    such as a whole circle, stays whole."""
    if isinstance(value, Curve):
        return not value.stepped
    if isinstance(value, (Gradient, Tints)):
        return True
    if isinstance(value, Range):
        return (value.least != 0 or value.most != 0) and not (value.fixed and value.most == field.most)
    if isinstance(value, PerAxis):
        return any(_turns(field, each) for each in (value.x, value.y, value.z))
    if isinstance(value, tuple):
        return len(value) in (2, 3) and all(isinstance(each, float) for each in value) and (field.colour or any(value))
    return isinstance(value, float) and value not in (0, field.most)
