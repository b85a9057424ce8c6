"""What the widgets of the Workbench share: the document, the selection, the moment and the pictures."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path as FilePath

from PyQt6.QtCore import QObject, pyqtSignal

from pale_ember.core.effect.edit import Path, layer_of
from pale_ember.core.effect.fields import Part
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.recipe.recipe import Recipe
from pale_ember.core.effect.tree import fed_by
from pale_ember.core.insight.ray_casts import RayHit
from pale_ember.core.simulate.spawning import AS_IT_IS, ManualTrigger, Performance
from pale_ember.formats.disk import KeptOnDisk
from pale_ember.formats.gases import Gases
from pale_ember.formats.shelf import Shelf
from pale_ember.machine import user_folders
from pale_ember.studio.document.cost_state import CostState
from pale_ember.studio.document.file_watch import FileWatch
from pale_ember.studio.document.findings import Findings
from pale_ember.studio.document.history import Document
from pale_ember.studio.document.player import Playback
from pale_ember.studio.document.reference import PLATE, ReferenceFootage
from pale_ember.studio.document.view_settings import ViewSettings

_TOUCHED = 12
"""Fields that are remembered as those the hand was on."""


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
    hinted = pyqtSignal(str, object)
    """A line of help for the bottom of the window, and the Target its link leads to, or None."""
    sought = pyqtSignal(object)
    """A Target to be shown and focused."""
    file_given = pyqtSignal(FilePath, str)
    """A file of the artist's own is to be taken into a layer; "" for the selected one."""
    file_wanted = pyqtSignal(FilePath, object)
    """A file of the artist's own is to be brought beside the document, and its name handed to a function."""
    bench_asked = pyqtSignal(str)
    """A picture is to be worked on; "" for whichever was last."""
    gas_made = pyqtSignal()
    """There is more of a gas than before."""
    bake_asked = pyqtSignal(str)
    """A layer, by its id, is to be baked into a sheet that takes its place."""
    freed = pyqtSignal()
    """Other values may change in a fit."""
    save_asked = pyqtSignal(str)
    """Something needs the document to have a place; the reason."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.player = Playback()
        self.gases = Gases(KeptOnDisk(user_folders.cache() / "gases"), patient=False, changed=lambda: self.gas_made.emit())
        self.shelf = Shelf(document.reads_from, document.effect.recipes, self.gases)
        self.watch = FileWatch(self.shelf, document.path)
        self.files = 0
        """How often pictures or meshes were changed outside."""
        self.watch.changed.connect(self._files_changed)
        self.looking = ViewSettings(document)
        self.reference = ReferenceFootage(document)
        self.free: tuple[tuple[str, Path], ...] = ()
        """Values that may change in a fit to the reference: a layer's id, and the path below it."""
        self.findings = Findings(document, self.looking)
        self.spent = CostState(document)
        self.selection = document.effect.layers[0].id if document.effect.layers else ""
        self._beside: tuple[str, ...] = ()
        """What is chosen besides the selected layer."""
        self._left = ""
        """The layer that was selected before."""
        self.touched: list[tuple[str, ...]] = []
        """Paths of fields that were changed or gone to, by name, the newest first."""
        self.fired: tuple[ManualTrigger, ...] = ()
        """Bursts and rules set off by hand since the last edit."""
        self.performance = AS_IT_IS
        """What the effect was told since its start."""
        self.player.begun.connect(self._begun)
        document.changed.connect(self._keep_selection)
        document.named.connect(self._follow_folder)

    @property
    def effect(self) -> Effect:
        """The effect as it is."""
        return self.document.effect

    @property
    def time(self) -> float:
        """The moment that is shown in the effect's own time, within its loop, s."""
        effect, time = self.effect, self.player.moment * self.effect.tempo
        return time % effect.duration if effect.loop else time

    @property
    def layer(self) -> Layer | None:
        """The selected layer."""
        return layer_of(self.document.effect, self.selection)

    @property
    def chosen(self) -> tuple[str, ...]:
        """The ids of all layers that an edit is for: the selected one first, then those chosen besides."""
        return (self.selection, *(other for other in self._beside if layer_of(self.effect, other) is not None))

    def touch(self, path: Path) -> None:
        """Remembers a field as one that the hand was on: of several of its name it is meant first."""
        names = tuple(step for step in path if isinstance(step, str))
        self.touched = [names, *(other for other in self.touched if other != names)][:_TOUCHED]

    def set_free(self, layer: str, path: Path, on: bool) -> None:
        """Lets a value change in a fit, or holds it."""
        others = tuple(each for each in self.free if each != (layer, path))
        self.free = (*others, (layer, path)) if on else others
        self.freed.emit()

    def choose_also(self, identity: str) -> None:
        """Takes a layer into what is chosen, or out of it; what is taken in last is the one that is shown."""
        self.document.end_stroke()
        others = tuple(other for other in self.chosen if other != identity)
        if identity in self.chosen:
            if others:
                self.selection, self._beside = others[0], others[1:]
        else:
            self._left, self.selection, self._beside = self.selection, identity, others
        self.selected.emit()

    def choose(self, identities: tuple[str, ...]) -> None:
        """Chooses several layers; the first is the one that is shown."""
        self.document.end_stroke()
        self._left, self.selection, self._beside = self.selection, identities[0], identities[1:]
        self.selected.emit()

    @property
    def folder(self) -> FilePath | None:
        """Where the document lies, if anywhere."""
        return self.document.folder

    def select(self, identity: str) -> None:
        """Selects a layer."""
        if identity != self.selection or self._beside:
            self.document.end_stroke()
            self._left, self.selection, self._beside = self.selection, identity, ()
            self.selected.emit()

    def fire(self, layer: str, key: int, parent: str = "", met: RayHit | None = None) -> None:
        """Sets a burst of a layer off at this moment, or the rule of a parent that spawns its particles; where it stands, or
        at a place of the stage."""
        step = round(self.player.moment * self.effect.steps) + 1
        fired = ManualTrigger(layer, step, key, parent)
        if met is not None:
            fired = replace(fired, place=tuple(met.place.tolist()), normal=tuple(met.normal.tolist()))
        self.fired = (*self.fired, fired)
        if not self.player.playing:
            self.player.step(1, self.effect.steps)
        self.looking.changed.emit()

    def tell(self, does: str, share: float = 1.0) -> None:
        """Tells the playing effect of an event at this moment: start, stop, end softly, or a strength from 0 to 1."""
        step = round(self.player.moment * self.effect.steps) + 1
        if does == "start":
            self.player.again()
            return
        share = 0.0 if does == "end softly" else share
        strength = tuple(each for each in self.performance.strength if each[0] < step)
        self.performance = (
            replace(self.performance, stopped=step)
            if does == "stop"
            else Performance((*strength, (step, share)), self.performance.stopped)
        )
        self.looking.changed.emit()

    def _begun(self) -> None:
        """From the start again, nothing was told."""
        self.performance = AS_IT_IS

    def fire_at(self, met: RayHit) -> None:
        """Sets the selected layer off at a place of the stage: its first burst, what a rule spawns of it, or a puff of its
        rate."""
        layer = self.layer
        if layer is None:
            return
        feeds = fed_by(self.effect, layer)
        if layer.outlet.bursts:
            self.fire(layer.id, layer.outlet.bursts[0].key, met=met)
        elif feeds:
            self.fire(layer.id, feeds[0][1].key, feeds[0][0].id, met)
        else:
            self.fire(layer.id, -1, met=met)

    def shelf_get(self, name: str, recipes: tuple[Recipe, ...] | None = None):
        """A picture of the open document, by name; of a recipe as it is, or among those that are told."""
        return self.reference.plate if name == PLATE else self.shelf.get(name, recipes)

    def shelf_mesh(self, name: str):
        """A mesh of the open document, by name."""
        return self.shelf.mesh(name)

    def shelf_density(self, name: str):
        """A picture of the open document as a density over a mesh's coordinates."""
        return self.shelf.density(name)

    def _keep_selection(self, old: Effect, new: Effect) -> None:
        self.shelf.recipes = new.recipes
        # What is only called otherwise goes on being made.
        if len(new.recipes) < len(old.recipes):
            self.gases.make_only_for([recipe.name for recipe in new.recipes])
        self.fired = ()
        if layer_of(new, self.selection) is None:
            place = next((i for i, layer in enumerate(old.layers) if layer.id == self.selection), 0)
            future = self.document.future
            if future and future[-1].before is old and layer_of(new, self._left) is not None:
                # What was added is taken back: the hand is where it was before.
                self.selection = self._left
                self.selected.emit()
                return
            self.selection = new.layers[min(place, len(new.layers) - 1)].id if new.layers else ""
            self.selected.emit()

    def _follow_folder(self) -> None:
        self.watch.document = self.document.path
        if self.shelf.folder != self.document.reads_from:
            self.shelf = Shelf(self.document.reads_from, self.effect.recipes, self.gases)
            self.watch.follow(self.shelf)

    def _files_changed(self) -> None:
        self.files += 1
