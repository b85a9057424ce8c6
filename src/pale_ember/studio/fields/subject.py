"""What a row of fields edits: the selected layer, or the stage."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from pale_ember.core.effect.edit import Path, layer_of, value_at, with_value
from pale_ember.core.effect.fields import declared_at, why_idle
from pale_ember.core.effect.model import Layer, Stage
from pale_ember.core.insight.search import Place
from pale_ember.core.insight.sentences import value_told
from pale_ember.studio.document.desk import Desk, Target


class OfLayer:
    """Fields of the selected layer."""

    kind = Layer

    def __init__(self, desk: Desk) -> None:
        self.desk = desk

    @property
    def root(self) -> Any:
        return self.desk.layer

    def change(self, name: str, path: Path, value: object, stroke: object = None) -> None:
        if self.desk.layer is not None:
            self.changer()(name, path, value, stroke)

    def changer(self) -> Callable[..., None]:
        """Changes fields of the layer that is selected now, though another may be by then."""
        identity, desk = self.desk.selection, self.desk

        def change(name: str, path: Path, value: object, stroke: object = None) -> None:
            layer = layer_of(desk.effect, identity)
            if layer is not None:
                desk.document.change_layer(f"{layer.name}: {name}", identity, path, value, stroke)

        return change

    def value(self, path: Path) -> Any:
        return value_at(self.root, path)


class OfStage:
    """Fields of the stage."""

    kind = Stage

    def __init__(self, desk: Desk) -> None:
        self.desk = desk

    @property
    def root(self) -> Any:
        return self.desk.effect.stage

    def change(self, name: str, path: Path, value: object, stroke: object = None) -> None:
        document = self.desk.document
        document.change(f"stage: {name}", with_value(document.effect, ("stage", *path), value), stroke)

    def changer(self) -> Callable[..., None]:
        return self.change

    def value(self, path: Path) -> Any:
        return value_at(self.root, path)


Subject = OfLayer | OfStage


def now_of(place: Place, desk: Desk) -> str:
    """What a field is now, and whether it has an effect."""
    root = desk.layer if place.kind is Layer else desk.effect.stage if place.kind is Stage else desk.effect
    held = place.within(root)
    if held is None:
        return ""
    holder, value = held
    field = place.declared.field
    now = value_told(value, field.unit_of(holder))
    return now if why_idle(field, root, holder) is None else f"{now} · no effect just now"


def target(subject: Subject, path: tuple[str, ...]) -> Target:
    """Where a field of a subject is found."""
    return Target(subject.kind, path, declared_at(subject.kind, path).field.label)
