"""What the widgets of the Workbench share: the document, the selection, the moment and the pictures."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from pale_ember.core.effect.edit import index_of, layer_of, with_value
from pale_ember.core.effect.fields import Part
from pale_ember.core.effect.model import FIRST_VIEW, Camera, Effect, Layer
from pale_ember.core.simulate.track import Fired
from pale_ember.formats.pictures import Shelf
from pale_ember.studio.history import Document
from pale_ember.studio.marks import FIRST
from pale_ember.studio.player import Player


@dataclass(frozen=True, slots=True)
class Target:
    """A field that can be gone to: of a layer, the stage or the effect, at a path below it, and how it is called."""

    kind: type[Part]
    path: tuple[str, ...]
    label: str


class Desk(QObject):
    """One open document and how it is being looked at. Nothing here but the document enters the history."""

    selected = pyqtSignal()
    """Another layer is selected."""
    looked = pyqtSignal()
    """What the stage shows changed without an edit: camera, solo, overlays."""
    hinted = pyqtSignal(str, object)
    """A line of help for the bottom of the window, and the Target its link leads to, or None."""
    sought = pyqtSignal(object)
    """A Target to be shown and focused."""
    file_given = pyqtSignal(Path, str)
    """A file of the artist's own is to be taken into a layer; "" for the selected one."""
    file_wanted = pyqtSignal(Path, object)
    """A file of the artist's own is to be brought beside the document, and its name handed to a function."""
    save_asked = pyqtSignal(str)
    """Something needs the document to have a place; the reason."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.player = Player()
        self.shelf = Shelf(document.folder)
        self.solo: str | None = None
        self.overlays = True
        """Whether marks are shown at all, and below which of them."""
        self.marks: frozenset[str] = FIRST
        self.shows = "picture"
        """How the picture is looked at: one of the renderer's SHOWS."""
        self.dims = False
        """Whether the others are dimmed beside a layer alone, instead of hidden."""
        self.repeat = False
        self.camera: Camera = self.first_camera()
        self.selection = document.effect.layers[0].id if document.effect.layers else ""
        self.tried: Layer | None = None
        """A layer as it would be, shown on the stage while something is only pointed at."""
        self.fired: tuple[Fired, ...] = ()
        """Bursts and rules set off by hand since the last edit."""
        document.changed.connect(self._keep_selection)
        document.named.connect(self._follow_folder)

    @property
    def effect(self) -> Effect:
        return self.document.effect

    @property
    def layer(self) -> Layer | None:
        """The selected layer."""
        return layer_of(self.document.effect, self.selection)

    @property
    def folder(self) -> Path | None:
        return self.document.folder

    def first_camera(self) -> Camera:
        cameras = self.document.effect.stage.cameras
        return cameras[0] if cameras else FIRST_VIEW

    def hidden(self) -> frozenset[str]:
        """Layers left out of the stage because another is alone."""
        if self.solo is None or self.dims:
            return frozenset()
        return frozenset(layer.id for layer in self.effect.layers if layer.id != self.solo)

    def select(self, identity: str) -> None:
        if identity != self.selection:
            self.document.end_stroke()
            self.selection = identity
            self.selected.emit()

    def show_mark(self, kind: str, on: bool) -> None:
        """Puts a kind of mark on the stage, or takes it off."""
        self.marks = self.marks | {kind} if on else self.marks - {kind}
        self.overlays = self.overlays or on
        self.looked.emit()

    def look_at(self, shows: str) -> None:
        self.shows = shows
        self.looked.emit()

    def set_dims(self, on: bool) -> None:
        self.dims = on
        self.looked.emit()

    def set_solo(self, identity: str | None) -> None:
        self.solo = identity
        self.looked.emit()

    def try_layer(self, layer: Layer | None) -> None:
        """Shows a layer as it would be, without an edit; None shows it as it is."""
        if layer is not self.tried:
            self.tried = layer
            self.looked.emit()

    @property
    def seen(self) -> Effect:
        """The effect as the stage shows it."""
        if self.tried is None or layer_of(self.effect, self.tried.id) is None:
            return self.effect
        place = index_of(self.effect, self.tried.id)
        return with_value(self.effect, ("layers", place), self.tried)

    def fire(self, layer: str, key: int, parent: str = "") -> None:
        """Sets a burst of a layer off at this moment, or the rule of a parent that bears its particles."""
        step = round(self.player.moment * self.effect.steps) + 1
        self.fired = (*self.fired, Fired(layer, step, key, parent))
        if not self.player.playing:
            self.player.step(1, self.effect.steps)
        self.looked.emit()

    def look_from(self, camera: Camera) -> None:
        self.camera = camera
        self.looked.emit()

    def shelf_get(self, name: str):
        """A picture of the open document, by name."""
        return self.shelf.get(name)

    def shelf_mesh(self, name: str):
        """A mesh of the open document, by name."""
        return self.shelf.mesh(name)

    def shelf_density(self, name: str):
        """A picture of the open document as a density over a mesh's coordinates."""
        return self.shelf.density(name)

    def _keep_selection(self, old: Effect, new: Effect) -> None:
        self.fired, self.tried = (), None
        if self.solo is not None and layer_of(new, self.solo) is None:
            self.solo = None
        if layer_of(new, self.selection) is None:
            place = next((i for i, layer in enumerate(old.layers) if layer.id == self.selection), 0)
            self.selection = new.layers[min(place, len(new.layers) - 1)].id if new.layers else ""
            self.selected.emit()

    def _follow_folder(self) -> None:
        if self.shelf.folder != self.folder:
            self.shelf = Shelf(self.folder)
