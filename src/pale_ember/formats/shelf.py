"""The pictures and meshes of one effect, read when they are asked for."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np

from pale_ember.core.effect.recipe.recipe import RECIPE, Recipe
from pale_ember.core.geometry.mesh import SOLID, SOLIDS, Mesh, solid
from pale_ember.core.texture.library import PICTURES, PREFIX, is_card
from pale_ember.core.texture.light import to_coded
from pale_ember.formats.files import stamp_of
from pale_ember.formats.gases import Gases
from pale_ember.formats.meshes import MeshError, read_mesh
from pale_ember.formats.pictures import PictureError, library_picture, read_picture
from pale_ember.formats.recipe_pictures import RecipePictures


def stand_in() -> np.ndarray:
    """(64, 64, 4) float32: the checker shown where a picture is missing."""
    squares = (np.add.outer(np.arange(64) // 16, np.arange(64) // 16) % 2).astype(np.float32)
    pixels = np.ones((64, 64, 4), np.float32)
    pixels[..., 1] = 0.15 + 0.2 * squares
    pixels[..., 2] = 0.6 * squares + 0.2
    return pixels


class Shelf:
    """The pictures and meshes of one document: our own, its recipes, and files
    relative to its folder, read again when they change.

    `faults` tells by name what could not be used; a stand-in takes its place.
    """

    def __init__(self, folder: Path | None, recipes: tuple[Recipe, ...] = (), gases: Gases | None = None) -> None:
        self.folder = folder
        self.recipes = recipes
        """Those of the document as it is."""
        self.made = RecipePictures(gases or Gases(), self.get)
        self.faults: dict[str, str] = {}
        self._read: dict[str, tuple[object, np.ndarray]] = {}
        self._meshes: dict[str, tuple[object, Mesh]] = {}
        self.first: dict[str, object] = {}
        """What each file was, as `stamps` tells it, when it was read first."""

    def patient(self) -> Shelf:
        """These pictures for who needs them whole: gases are waited for, though here they may still be coarse. Itself where there
        are none."""
        if self.made.gases.patient or not any(recipe.gas is not None for recipe in self.recipes):
            return self
        return Shelf(self.folder, self.recipes, Gases(self.made.gases.kept))

    def get(self, name: str, recipes: tuple[Recipe, ...] | None = None) -> np.ndarray:
        """(height, width, 4) float32, linear and straight, read-only; the same object while the file does not change.

        recipes : those that a recipe's name is looked up in, instead of the document's."""
        if name.startswith(RECIPE):
            return self._recipe(name, self.recipes if recipes is None else recipes)
        if is_card(name):
            return library_picture(name[len(PREFIX) :])
        stamp = self._stamp(name)
        known = self._read.get(name)
        if known is not None and known[0] == stamp:
            return known[1]
        self.first.setdefault(name, stamp)
        self.faults.pop(name, None)
        try:
            pixels = self._picture(name)
        except PictureError as error:
            self.faults[name] = str(error)
            # What is just being written is taken when it is whole.
            pixels = known[1] if known is not None and stamp is not None else stand_in()
        pixels.setflags(write=False)
        self._read[name] = stamp, pixels
        return pixels

    def _recipe(self, name: str, recipes: tuple[Recipe, ...]) -> np.ndarray:
        try:
            pixels = self.made.picture(name, recipes)
        except PictureError as error:
            self.faults[name] = str(error)
            return self.made.last(name) if self.made.last(name) is not None else stand_in()  # type: ignore[return-value]
        self.faults.pop(name, None)
        return pixels

    def known(self, name: str) -> np.ndarray | None:
        """A picture as far as it has been read; one of the library at once. Nothing is read for it, so it is quick anywhere.

        (h, w, 4) float32, linear, straight.
        """
        if is_card(name):
            return library_picture(name[len(PREFIX) :])
        if name.startswith(RECIPE):
            return self.made.last(name)
        kept = self._read.get(name)
        return kept[1] if kept is not None else None

    def mesh(self, name: str) -> Mesh:
        """A built-in solid or the mesh in a file; the same object while the file does not change."""
        if name.startswith(SOLID) and name.removeprefix(SOLID) in SOLIDS:
            return solid(name.removeprefix(SOLID))
        stamp = self._stamp(name)
        known = self._meshes.get(name)
        if known is not None and known[0] == stamp:
            return known[1]
        self.first.setdefault(name, stamp)
        self.faults.pop(name, None)
        try:
            if name.startswith(SOLID):
                raise MeshError(f'"{name}": no such solid; there are {", ".join(SOLIDS)}')
            if self.folder is None:
                raise MeshError(f"{name}: the document has no place yet; save it first, beside its meshes")
            file, _, part = name.partition("#")
            read = read_mesh(self.folder / file, part)
        except MeshError as error:
            self.faults[name] = str(error)
            read = solid("box")
        self._meshes[name] = stamp, read
        return read

    def stamps(self) -> dict[str, object]:
        """By the name of all that was read from files, what changes when its file does; None for what is gone."""
        return {name: self._stamp(name) for name in [*self._read, *self._meshes]}

    def objects(self, file: str) -> tuple[str, ...]:
        """The objects of a mesh file, as far as it has been read; nothing is read for it."""
        known = [mesh for name, (_, mesh) in list(self._meshes.items()) if name.partition("#")[0] == file]
        return known[0].objects if known else ()

    def density(self, name: str) -> Callable[[np.ndarray], np.ndarray]:
        """How bright a picture is at texture coordinates (n, 2), as a function giving (n,), 0 to 1."""
        pixels = self.get(name)
        light = to_coded(pixels[..., :3]).mean(axis=2) * pixels[..., 3]

        def at(coords: np.ndarray) -> np.ndarray:
            height, width = light.shape
            x = (coords[:, 0] % 1.0 * width).astype(int) % width
            y = ((1.0 - coords[:, 1] % 1.0) * height).astype(int) % height
            return light[y, x]

        return at

    def _stamp(self, name: str) -> object:
        return stamp_of(self.folder / name.partition("#")[0]) if self.folder is not None else None

    def _picture(self, name: str) -> np.ndarray:
        """(h, w, 4) float32, linear, straight; a stand-in for what cannot be read."""
        if name.startswith(PREFIX):
            raise PictureError(f'"{name}": no such picture; the library has {", ".join(PICTURES)}')
        if self.folder is None:
            raise PictureError(f"{name}: the document has no place yet; save it first, beside its pictures")
        return read_picture(self.folder / name)
