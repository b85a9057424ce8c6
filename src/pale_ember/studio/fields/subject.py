"""What a row of fields edits: the selected layer, or the stage."""

from __future__ import annotations

from typing import Any

from pale_ember.core.effect.edit import Path, value_at, with_value
from pale_ember.studio.desk import Desk


class OfLayer:
    """Fields of the selected layer."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk

    @property
    def root(self) -> Any:
        return self.desk.layer

    def change(self, name: str, path: Path, value: object, stroke: object = None) -> None:
        layer = self.desk.layer
        if layer is not None:
            self.desk.document.change_layer(f"{layer.name}: {name}", layer.id, path, value, stroke)

    def value(self, path: Path) -> Any:
        return value_at(self.root, path)


class OfStage:
    """Fields of the stage."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk

    @property
    def root(self) -> Any:
        return self.desk.effect.stage

    def change(self, name: str, path: Path, value: object, stroke: object = None) -> None:
        document = self.desk.document
        document.change(f"stage: {name}", with_value(document.effect, ("stage", *path), value), stroke)

    def value(self, path: Path) -> Any:
        return value_at(self.root, path)


Subject = OfLayer | OfStage
