"""What a line is said of, and what a wish is."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from pale_ember.core.effect.edit import Path, index_of, layer_of, value_at, with_value
from pale_ember.core.effect.fields import Part, fields_of
from pale_ember.core.effect.model import Effect, Layer, Stage
from pale_ember.core.effect.story import chapter_of, title_of
from pale_ember.core.insight.sentences import value_told


@dataclass(frozen=True, slots=True)
class Scene:
    """What a line is said of. chosen : the ids of the layers that are meant, the one that is seen first. touched : paths of fields that
    were changed or gone to last, by name, the newest first. starts : layers of starting points by name. before : the layer
    as it was, where a sentence of it is written anew: what the sentence does not tell stays. chapter : what is meant first of
    all, where that is known."""

    effect: Effect
    chosen: tuple[str, ...]
    touched: tuple[tuple[str, ...], ...] = ()
    starts: Mapping[str, Callable[[], tuple[Layer, ...]]] = field(default_factory=dict)
    before: Layer | None = None
    chapter: str = ""
    last: str = ""
    """The chapter of what was said last on the line."""
    line: str = ""
    """The line as it was typed, for names: it is read in small letters."""

    @property
    def layer(self) -> Layer | None:
        """The layer a line is said of, if it is of one."""
        return layer_of(self.effect, self.chosen[0]) if self.chosen else None

    def root(self, kind: type[Part]) -> Any:
        """Whose fields of a kind are meant: the layer's, the stage's or the effect's."""
        return {Layer: self.layer, Stage: self.effect.stage}.get(kind, self.effect)


@dataclass(frozen=True, slots=True, eq=False)
class Wish:
    """Something that is wished. title, where : what it is about. kind, path : the field to go to. was, becomes : its value in a few
    signs. does : an effect and the ids of the layers that are meant, to the effect as it is wished. unusual : whether it is a number
    beyond where the field's drag bar runs."""

    title: str
    where: str
    kind: type[Part]
    path: Path
    was: str
    becomes: str
    does: Callable[[Effect, Sequence[str]], Effect]
    unusual: bool = False


def where_of(path: Path) -> str:
    """The chapter of a field of a layer, as it is called."""
    chapter = chapter_of(path)
    return title_of(chapter) if chapter is not None else ""


def changed_layer(effect: Effect, chosen: Sequence[str], change: Callable[[Layer], Layer]) -> Effect:
    """`effect` with a change made to all layers that are meant."""
    for identity in chosen:
        layer = layer_of(effect, identity)
        if layer is not None:
            effect = with_value(effect, ("layers", index_of(effect, identity)), change(layer))
    return effect


def layer_wish(scene: Scene, title: str, path: Path, told: str, change: Callable[[Layer], Layer]) -> Wish:
    """A wish that changes layers as a whole; `path` is what it is about."""
    layer, was, becomes = scene.layer, "", ""
    with contextlib.suppress(IndexError, AttributeError):
        now, then = value_at(layer, path), value_at(change(layer), path) if layer is not None else None
        unit = _unit_at(layer, path)
        was, becomes = value_told(now, unit), value_told(then, unit)
        if isinstance(then, tuple) and any(isinstance(part, Part) for part in then):
            becomes = ""
    return Wish(title, where_of(path), Layer, path, was, becomes or told, lambda effect, chosen: changed_layer(effect, chosen, change))


def _unit_at(layer: Layer | None, path: Path) -> str:
    """The unit of a field of a layer."""
    holder = value_at(layer, path[:-1])
    kind: type[Part] = type(holder)
    return fields_of(kind)[str(path[-1])].field.unit_of(holder)
