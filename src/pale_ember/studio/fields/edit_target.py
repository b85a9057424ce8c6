"""What a row of fields edits: the selected layer, or the stage."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from msgspec.structs import replace

from pale_ember.core.effect.edit import Path, index_of, layer_of, value_at, with_value
from pale_ember.core.effect.fields import Part, declared_at, fields_of, why_idle
from pale_ember.core.effect.model import Effect, Layer, Stage
from pale_ember.core.effect.story import with_part
from pale_ember.core.insight.search import FieldPlace
from pale_ember.core.insight.sentences import value_told
from pale_ember.studio.document.desk import Desk, Target


def _has(layer: Layer, path: Path, value: object) -> bool:
    """Whether a layer has a place for a value at a path; another layer's list of parts is its own."""
    if value and isinstance(value, tuple) and isinstance(value[0], Part):
        return False
    try:
        value_at(layer, path)
    except (IndexError, AttributeError):
        return False
    return True


def _merged(mine: Any, before: Any, after: Any) -> Any:
    """What another layer's value becomes where `before` became `after`: of a group of fields only those that differ."""
    if not isinstance(after, Part) or after.one_value or not type(mine) is type(before) is type(after):
        return after
    changed = {
        name: _merged(getattr(mine, name), getattr(before, name), getattr(after, name))
        for name in fields_of(type(after))
        if getattr(before, name) != getattr(after, name)
    }
    return replace(mine, **changed)


class OfLayer:
    """Fields of the selected layer; or of one that is told, whichever is selected."""

    kind = Layer

    def __init__(self, desk: Desk, identity: str = "") -> None:
        self.desk, self.identity = desk, identity

    @property
    def root(self) -> Any:
        return layer_of(self.desk.effect, self.identity) if self.identity else self.desk.layer

    def change(self, name: str, path: Path, value: object, stroke: object = None, *, whole: bool = False) -> None:
        if self.root is not None:
            self.changer()(name, path, value, stroke, whole=whole)

    def changer(self) -> Callable[..., None]:
        """Changes fields of the layers that are chosen now, though others may be by then. Of several, those change that
        have what stands at the path; of a group of fields only what differs, unless it is meant as a whole."""
        chosen, desk = (self.identity,) if self.identity else self.desk.chosen, self.desk

        def change(name: str, path: Path, value: object, stroke: object = None, *, whole: bool = False) -> None:
            desk.touch(path)
            effect, names = desk.effect, []
            first = layer_of(effect, chosen[0])
            for identity in chosen:
                layer = layer_of(effect, identity)
                if layer is None or first is None or (layer is not first and not _has(layer, path, value)):
                    continue
                own = value
                if layer is not first and not whole:
                    own = _merged(value_at(layer, path), value_at(first, path), value)
                effect = with_value(effect, ("layers", index_of(effect, identity), *path), own)
                names.append(layer.name)
            if names:
                whose = names[0] if len(names) == 1 else f"{len(names)} layers"
                desk.document.change(f"{whose}: {name}", effect, stroke)

        return change

    def change_chapter(self, name: str, chapter: str, part: Part) -> None:
        """Gives the layers that are chosen a chapter whole."""
        effect, names = self.desk.effect, []
        for identity in (self.identity,) if self.identity else self.desk.chosen:
            layer = layer_of(effect, identity)
            if layer is not None:
                effect = with_value(effect, ("layers", index_of(effect, identity)), with_part(layer, chapter, part))
                names.append(layer.name)
        if names:
            self.desk.document.change(f"{names[0] if len(names) == 1 else f'{len(names)} layers'}: {name}", effect)

    def value(self, path: Path) -> Any:
        return value_at(self.root, path)


class OfEffect:
    """Fields of the effect itself, or of a part of it."""

    kind: type[Part] = Effect
    below: Path = ()
    """Where the part stands in the effect."""
    told = ""
    """What an edit's name begins with."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk

    @property
    def root(self) -> Any:
        return value_at(self.desk.effect, self.below)

    def change(self, name: str, path: Path, value: object, stroke: object = None) -> None:
        document = self.desk.document
        self.desk.touch(path)
        document.change(f"{self.told}{name}", with_value(document.effect, (*self.below, *path), value), stroke)

    def changer(self) -> Callable[..., None]:
        return self.change

    def value(self, path: Path) -> Any:
        return value_at(self.root, path)


class OfStage(OfEffect):
    """Fields of the stage."""

    kind, below, told = Stage, ("stage",), "stage: "


Subject = OfLayer | OfEffect


def now_of(place: FieldPlace, desk: Desk) -> str:
    """What a field is now, and whether it has an effect."""
    root = subject_of(place, desk).root
    held = place.found_in(root)
    if held is None:
        return ""
    _, holder, value = held
    field = place.declared.field
    now = value_told(value, field.unit_of(holder))
    return now if why_idle(field, root, holder) is None else f"{now} · no effect just now"


def subject_of(place: FieldPlace, desk: Desk) -> Subject:
    """Whose field it is: the selected layer's, the stage's or the effect's."""
    return {Layer: OfLayer, Stage: OfStage}.get(place.kind, OfEffect)(desk)


def target(subject: Subject, path: tuple[str, ...]) -> Target:
    """Where a field of a subject is found."""
    return Target(subject.kind, path, declared_at(subject.kind, path).field.label)
