"""What is done with pictures on the bench as wholes: begun, brought, baked, worn, saved."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from msgspec.structs import replace
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QWidget

from pale_ember.core.effect.edit import with_value
from pale_ember.core.effect.look import Look
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.recipe.recipe import RECIPE, Recipe, read_by
from pale_ember.core.texture.advice import advise
from pale_ember.core.texture.library import PREFIX
from pale_ember.core.texture.library_recipes import card_recipe
from pale_ember.core.texture.look_pictures import with_card
from pale_ember.core.variation.following import with_recipe_following
from pale_ember.draw.context import NoOpenGL
from pale_ember.folder.shared import kept_out
from pale_ember.formats.disk import write_whole
from pale_ember.formats.frame_import import FILMS
from pale_ember.formats.picture_encoding import ENDINGS, picture_bytes
from pale_ember.formats.pictures import KINDS, PictureError
from pale_ember.studio.bench.bench_selection import BenchSelection
from pale_ember.studio.bench.new_pictures import STARTS
from pale_ember.studio.bench.sheet_import import BakedLayers, baked_layers, recipe_of_files, with_baked
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.fields.library import Library
from pale_ember.studio.kit.popups import Menu
from pale_ember.studio.kit.saved_items import ask_and_share, drop_own, keep_own, own_parts, shared_folder
from pale_ember.studio.kit.settings import last_folder
from pale_ember.studio.kit.tasks import Task, TaskStopped

_SHELF = "recipes"
"""Where recipes of the artist's own are kept."""


class PictureActions(QObject):
    """Acts on the recipe on the bench, and on the layer that is selected."""

    said = pyqtSignal(str)
    failed = pyqtSignal(str)
    rename_asked = pyqtSignal()

    def __init__(self, desk: Desk, chosen: BenchSelection, page: QWidget) -> None:
        super().__init__()
        self.desk, self.chosen, self.page = desk, chosen, page
        self.task: Task | None = None
        """What is being done away from the window."""

    def end(self) -> None:
        """Ends what is being made."""
        if self.task is not None:
            self.task.cancel()
            self.task.wait()

    def open_new(self, anchor: QWidget) -> None:
        """Opens the menu of new pictures."""
        menu = Menu(self.page)
        menu.addAction("from the library…").triggered.connect(lambda: self.open_library(anchor))
        menu.addAction("from files or a clip…").triggered.connect(self.ask_files)
        baked = menu.addAction("the selected layers, baked")
        baked.setToolTip("Bakes them into a sheet on one new layer, and hides them")
        baked.triggered.connect(self.bake_layers)
        menu.addSeparator()
        for name, (help_, recipe) in STARTS.items():
            action = menu.addAction(name)
            action.setToolTip(help_)
            action.triggered.connect(lambda _=False, recipe=recipe: self.chosen.add_recipe(recipe))
        own = own_parts(_SHELF, Recipe)
        if own:
            kept, gone = menu.addMenu("saved"), menu.addMenu("delete a saved one")
            for name, recipe in own.items():
                kept.addAction(name).triggered.connect(lambda _=False, recipe=recipe: self.chosen.add_recipe(recipe))
                gone.addAction(name).triggered.connect(lambda _=False, name=name: drop_own(_SHELF, name))
        shared = shared_folder()
        of_folder = shared.parts(_SHELF, Recipe) if shared is not None else {}
        if of_folder:
            kept = menu.addMenu("of the folder")
            kept.setToolTip("It follows the folder's: when that changes, the change is offered")
            for name, recipe in of_folder.items():
                kept.addAction(name).triggered.connect(lambda _=False, name=name, recipe=recipe: self.add_shared(name, recipe))
        menu.open_at(anchor)

    def add_shared(self, name: str, recipe: Recipe) -> None:
        """Adds a recipe of the folder, which it follows from now on."""
        self.chosen.add_recipe(recipe, follows=f"{_SHELF}/{name}")

    def share(self) -> None:
        """Shares the recipe with the folder; it follows that from now on."""
        recipe = self.chosen.recipe
        if recipe is None:
            return
        why = kept_out(Effect(recipes=(recipe,)))
        other = next((name for name in read_by(recipe) if name.startswith(RECIPE)), None)
        why = why or (f"it is made of {other.removeprefix(RECIPE)}, another picture of this effect." if other else "")
        if why:
            self.failed.emit(f"Not shared: {why}")
            return
        name, said = ask_and_share(self.page, _SHELF, recipe.name, lambda: recipe)
        if name:
            document = self.desk.document
            document.change(f"follow {name}", with_recipe_following(document.effect, f"{_SHELF}/{name}", recipe))
        if said:
            self.said.emit(said)

    def keep(self) -> None:
        """Keeps the recipe as the artist's own, for every effect."""
        recipe = self.chosen.recipe
        if recipe is None:
            return
        try:
            keep_own(_SHELF, recipe.name, recipe)
        except OSError as error:
            self.failed.emit(f"{recipe.name} could not be saved: {error.strerror}")
            return
        self.said.emit(f"{recipe.name} is saved for other effects")

    def open_library(self, anchor: QWidget) -> None:
        """Opens the library, to work on a copy of one of its pictures."""
        self.library = Library(self.page, self.desk)
        self.library.chosen.connect(lambda name: self.open_picture(name))
        self.library.open_beside(anchor)

    def ask_files(self) -> None:
        """Asks for frames or a clip, to be laid into a sheet."""
        kinds = " ".join(f"*{kind}" for kind in (*KINDS, *FILMS))
        names, _ = QFileDialog.getOpenFileNames(self.page, "Frames, or a clip", str(last_folder()), f"Frames ({kinds})")
        if names:
            self.bring_files([Path(name) for name in names])

    def _folder(self, why: str) -> Path | None:
        """Where the document's pictures lie; asks for a place where it has none."""
        if self.desk.folder is None:
            self.desk.save_asked.emit(f"{why} will lie beside the effect: save that first.")
        return self.desk.folder

    def bring_files(self, paths: list[Path]) -> None:
        """Lays files or a clip into a sheet beside the document, and works on it."""
        folder = self._folder("The sheet")
        if folder is not None:
            self.begin(lambda progress: recipe_of_files(paths, folder, progress), self.chosen.add_recipe)

    def bake_layers(self) -> None:
        """Bakes the chosen layers into a sheet, and puts one layer in their place."""
        chosen, folder = tuple(key for key in self.desk.chosen if key), self._folder("The sheet")
        if folder is None or not chosen:
            return

        def put(baked: BakedLayers) -> None:
            self.desk.document.change("bake layers", with_baked(self.desk.effect, chosen, baked))
            self.desk.select(baked.layer.id)
            self.said.emit(baked.told)

        self.begin(lambda progress: baked_layers(self.desk, chosen, folder, progress), put)

    def begin(self, work: Callable[[Callable[[int], bool]], Any], then: Callable[[Any], object]) -> None:
        """Does something away from the window, one thing at a time."""
        if self.task is not None:
            self.failed.emit("something else is still being made; wait, or stop it")
            return
        self.said.emit("being made…")

        def done(result: Any) -> None:
            self.task = None
            self.said.emit("")
            then(result)

        def failed(text: str) -> None:
            self.task = None
            self.failed.emit(text)

        self.task = Task(work, (PictureError, OSError, TaskStopped, NoOpenGL), name="bench")
        self.task.done.connect(done)
        self.task.failed.connect(failed)
        self.task.start()

    def take(self, name: str) -> None:
        """Works on the picture that the selected layer wears; a card's recipe is copied, and the layer wears the copy."""
        if not name or name.startswith(RECIPE):
            self.open_picture(name)
            return
        layer = self.desk.layer
        self.open_picture(name, layer if layer is not None and layer.look.picture == name else None)

    def open_picture(self, name: str, layer: Layer | None = None) -> None:
        """Works on a picture by its name: a recipe of the document as it is, a copy of a card, or a file as a first step. layer : one
        that shows what is made of it."""
        if name.startswith(RECIPE):
            index = next((k for k, each in enumerate(self.chosen.recipes) if RECIPE + each.name == name), -1)
            if index >= 0:
                self.chosen.choose(index)
            return
        card = card_recipe(name.removeprefix(PREFIX)) if name.startswith(PREFIX) else None
        self.chosen.add_recipe(card if card is not None else _of_file(name), layer=layer)

    def wear(self) -> None:
        """The selected layer wears the picture."""
        recipe, layer = self.chosen.recipe, self.desk.layer
        if recipe is None or layer is None:
            return
        known = self.desk.shelf.known(RECIPE + recipe.name)
        blend: str = layer.look.blend
        # A blend that was chosen stays; only one as it comes follows the picture.
        if blend == Look().blend and recipe.gas is not None and recipe.gas.glow > 0:
            blend = "premultiplied"
        elif blend == Look().blend and known is not None and len(known) > 4:
            blend = advise(known).blend
        look = replace(with_card(layer.look, RECIPE + recipe.name, self.desk.effect.recipes), blend=blend)
        if recipe.frames > 1 and recipe.each == "its own":
            # Frames of several of a kind do not follow each other.
            look = replace(look, play="one at random")
        self.desk.document.change_layer(f"use {recipe.name}", layer.id, ("look",), look)

    def flow(self) -> None:
        """The selected layer's frames are carried along the motion of this sheet."""
        recipe, layer = self.chosen.recipe, self.desk.layer
        if recipe is None or layer is None:
            return
        shelf, recipes = self.desk.shelf, self.desk.effect.recipes

        def put(reach: float) -> None:
            look = replace(layer.look, between="along vectors", vectors=f"{RECIPE}{recipe.name}#motion", vectors_reach=round(reach, 5))
            self.desk.document.change_layer(f"{recipe.name}: frames flow", layer.id, ("look",), look)

        self.begin(lambda progress: shelf.patient().made.reach(recipe, recipes), put)

    def open_more(self, anchor: QWidget) -> None:
        """Opens the menu of all else."""
        recipe = self.chosen.recipe
        if recipe is None:
            return
        menu = Menu(self.page)
        menu.addAction("Rename\tF2").triggered.connect(self.rename_asked)
        menu.addAction("Duplicate").triggered.connect(lambda: self.chosen.add_recipe(recipe))
        flow = menu.addAction("Carry the layer's frames along its motion")
        flow.setEnabled(recipe.frames > 1)
        flow.triggered.connect(self.flow)
        menu.addAction("Save for other effects").triggered.connect(self.keep)
        if shared_folder() is not None:
            menu.addAction("Share with the folder…").triggered.connect(self.share)
        menu.addAction("Save as a file…").triggered.connect(lambda: self.ask_and_save())
        menu.addSeparator()
        wearers = self.chosen.wearers()
        remove = menu.addAction("Remove" if not wearers else f"Remove (used by {', '.join(wearers)})")
        remove.triggered.connect(self.chosen.remove_recipe)
        menu.open_at(anchor)

    def ask_and_save(self) -> None:
        """Asks for a file, and saves the picture there."""
        recipe = self.chosen.recipe
        if recipe is None:
            return
        kinds = " ".join(f"*{ending}" for ending in ENDINGS)
        start = last_folder() / f"{recipe.name.replace(' ', '-')}.png"
        name, _ = QFileDialog.getSaveFileName(self.page, "Save the picture", str(start), f"Pictures ({kinds})")
        if name:
            self.save(name)

    def save(self, name: str) -> None:
        """Writes the whole sheet, a gas when it is there; the ending says as what."""
        path, recipe, shelf = Path(name), self.chosen.recipe, self.desk.shelf
        if recipe is None:
            return

        def work(progress: Callable[[int], bool]) -> str:
            sheet = shelf.patient().get(RECIPE + recipe.name)
            write_whole(path, picture_bytes(sheet, path.suffix.lower()))
            return f"saved as {path.name}"

        self.begin(work, self.said.emit)


def _of_file(name: str) -> Recipe:
    recipe = STARTS["a picture file"][1]
    return replace(with_value(recipe, ("steps", 0, "picture"), name), name=Path(name).stem)
