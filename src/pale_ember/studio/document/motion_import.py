"""What a glTF file says besides its triangles: ways that were recorded, and nodes that have a name."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from msgspec.structs import replace
from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QApplication, QMessageBox

from pale_ember.core.effect.edit import layer_of, with_value
from pale_ember.core.effect.places import Place
from pale_ember.core.effect.stage import Pose
from pale_ember.core.insight.ray_casts import size_of
from pale_ember.formats.meshes import MeshError
from pale_ember.formats.motions import MotionScene, places_on
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.kit.tasks import Task


class MotionImport(QObject):
    """Reads such files away from the window, one at a time."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._task: Task | None = None

    def carry_by(self, path: Path) -> None:
        """Lets the carrier go as the first node does that moves in a file."""

        def take(keys: tuple[Pose, ...]) -> None:
            carrier = replace(self.desk.effect.stage.carrier, moves="keys", keys=keys)
            effect = with_value(self.desk.effect, ("stage", "carrier"), carrier)
            self.desk.document.change(f"stage: the motion of {path.name}", effect)
            self.desk.hinted.emit(
                f"The carrier goes by {len(keys)} keys of {path.name}, {keys[-1].at:g} s long. Ctrl+Z takes it back.", None
            )

        self._read(lambda: MotionScene(path).motion(), take)

    def place_on(self, prop: str, layer: str) -> None:
        """Puts a layer on every named node of a prop's mesh; the places ride on the prop."""
        stand = next((each for each in self.desk.effect.stage.props if each.name == prop), None)
        folder = self.desk.folder
        if stand is None or folder is None:
            return
        file = folder / stand.mesh.partition("#")[0]

        def take(places: tuple[Place, ...]) -> None:
            root = layer_of(self.desk.effect, layer)
            if root is None:
                return
            if not places:
                self.desk.hinted.emit(f"{file.name}: none of its nodes has a name; name them where it is made.", None)
                return
            after = replace(root.places, lie="told", told=places)
            self.desk.document.change_layer(f"{root.name}: on the nodes of {prop}", layer, ("places",), after)

        self._read(lambda: places_on(MotionScene(file), prop, size_of(stand)), take)

    def _read(self, work: Callable[[], Any], then: Callable[[Any], None]) -> None:
        if self._task is not None:
            return

        def end(result: Any) -> None:
            self._task = None
            then(result)

        def refused(text: str) -> None:
            self._task = None
            QMessageBox.warning(QApplication.activeWindow(), "Pale Ember", text)

        self._task = Task(lambda _: work(), (MeshError,), name="recorded")
        self._task.done.connect(end)
        self._task.failed.connect(refused)
        self._task.start()
