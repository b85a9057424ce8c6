"""Pictures made by recipes: painted when they are asked for, and again when something they are made of has changed."""

from __future__ import annotations

import threading
from collections.abc import Callable

import numpy as np

from pale_ember.core.effect.recipe.recipe import ANY, PARTS, RECIPE, Recipe, read_by, recipe_named, ring_of_recipes
from pale_ember.core.effect.recipe.sources import Gas
from pale_ember.core.gas.sheets import GasFrames, memory_of, work_of
from pale_ember.core.texture.flow import normals_of, vectors_of
from pale_ember.core.texture.light import to_linear
from pale_ember.core.texture.recipes.cut import cells_of, laid_out
from pale_ember.core.texture.recipes.paint import Painter
from pale_ember.formats.files import room_told
from pale_ember.formats.gases import GasError, Gases
from pale_ember.formats.pictures import MOST_PIXELS, PictureError

_BYTES_A_PIXEL = 52
"""What painting takes at once, for each pixel of a sheet: measured, from a soft dot to a smoke ring, 4096 pixels wide."""
_LITTLE = 2.0, 2**30
"""Seconds and bytes below which nothing need be said."""

_VERSIONS = 3
"""Versions of one picture that are held: as it is, as it was before an edit, as it is tried."""


def forecast(recipe: Recipe, a_pixel: float, pace: float = 1.0) -> str:
    """What painting a sheet anew will take, in words; nothing where that is little. a_pixel : seconds that each took of late.
    pace : seconds that a gas took of late, for each that was reckoned."""
    pixels = recipe.frames * recipe.size**2
    gas = recipe.gas
    room = pixels * _BYTES_A_PIXEL if gas is None else memory_of(gas, recipe.frames, recipe.size, recipe.loop)
    seconds = pixels * a_pixel if gas is None else pace * work_of(gas, recipe.frames, recipe.size, recipe.loop)
    told = [f"about {seconds:.0f} s"] if seconds >= _LITTLE[0] else []
    told += [f"{room_told(room)} of memory"] if room >= _LITTLE[1] else []
    return f"Painting it takes {' and '.join(told)}." if told else ""


class RecipePictures:
    """The pictures of recipes by name. pictures : gives any other, and one of the recipes with those it stands among."""

    def __init__(self, gases: Gases, pictures: Callable[..., np.ndarray]) -> None:
        self.gases, self._pictures = gases, pictures
        self._held: dict[str, list[tuple[Recipe, list[object], np.ndarray]]] = {}
        self._among: tuple[Recipe, ...] = ()
        self._owner = ""
        """The recipe that is being painted, by whose name its gas is asked for."""
        self._lock = threading.RLock()
        self._painter = Painter(self._inner, self._gas)
        self._among_quick: tuple[Recipe, ...] = ()
        self._quick = Painter(lambda name: pictures(name, self._among_quick) if name.startswith(RECIPE) else pictures(name), self._gas)
        self._quick_lock = threading.Lock()

    def last(self, name: str) -> np.ndarray | None:
        """A picture as it was painted last; nothing is painted for it."""
        held = self._held.get(name)
        return held[-1][2] if held else None

    def picture(self, name: str, recipes: tuple[Recipe, ...]) -> np.ndarray:
        """(h, w, 4) float32, linear and straight, read-only: the sheet of a recipe, or the part of its gas behind the #; the same
        object as long as nothing of it changes. Raises PictureError."""
        recipe, part = self._found(name, recipes)
        with self._lock:
            before, self._among = self._among, recipes
            try:
                return self._painted(name, recipe, part)
            except GasError as error:
                raise PictureError(f'"{recipe.name}": {error}') from None
            finally:
                self._among = before

    def reach(self, recipe: Recipe, recipes: tuple[Recipe, ...]) -> float:
        """The farthest way from one frame to the next, as a share of a frame: what its motion is told in. Raises PictureError."""
        if recipe.gas is not None:
            frames = self.gases.frames(recipe.gas, recipe.frames, recipe.loop, recipe.size, recipe.name)
            return frames.farthest if frames is not None else 0.0
        cells = cells_of(self.picture(RECIPE + recipe.name, recipes), min(recipe.columns, recipe.frames), recipe.rows)
        return vectors_of(cells[: recipe.frames], loops=recipe.loop)[1]

    def frame(self, recipe: Recipe, recipes: tuple[Recipe, ...], index: int, size: int) -> np.ndarray:
        """(size, size, 4) float32 one frame, at once and by itself, for whoever is changing it. Raises PictureError."""
        self._found(RECIPE + recipe.name, recipes)
        with self._quick_lock:
            self._among_quick = recipes
            try:
                return self._quick.frame(recipe, index, size)
            except GasError as error:
                raise PictureError(f'"{recipe.name}": {error}') from None

    def _found(self, name: str, recipes: tuple[Recipe, ...]) -> tuple[Recipe, str]:
        recipe, part = recipe_named(recipes, name), name.partition("#")[2]
        if recipe is None:
            there = ", ".join(known.name for known in recipes) or "none"
            raise PictureError(f'"{name}": no such recipe; the document has {there}: choose one, or another picture')
        if part not in PARTS or (part not in ANY and recipe.gas is None):
            raise PictureError(f'"{name}": a recipe without a gas has no {part or "part"}; choose the picture alone')
        ring = ring_of_recipes(recipes)
        if recipe in ring:
            told = " of ".join(f'"{each.name}"' for each in (*ring, ring[0]))
            raise PictureError(f"recipe: expected each to be made of others, found {told}; take one picture out")
        pixels = recipe.size**2 * recipe.columns * recipe.rows
        if pixels > MOST_PIXELS:
            raise PictureError(
                f'"{recipe.name}": {recipe.size * recipe.columns} × {recipe.size * recipe.rows} pixels are too many; at most '
                "8192 × 8192, make its frames smaller or fewer"
            )
        return recipe, part

    def _painted(self, name: str, recipe: Recipe, part: str) -> np.ndarray:
        made_of = self._made_of(recipe)
        held = self._held.setdefault(name, [])
        if recipe.gas is not None and made_of[-1] is None and held:
            # Until there is anything of the gas as it is now, it is seen as it was.
            return held[-1][2]
        for version in held:
            if (version[0] is recipe or version[0] == recipe) and _same(version[1], made_of):
                held.remove(version)
                held.append(version)
                return version[2]
        owner, self._owner = self._owner, recipe.name
        try:
            pixels = self._made(recipe, part, made_of)
        finally:
            self._owner = owner
        pixels.setflags(write=False)
        held.append((recipe, made_of, pixels))
        del held[:-_VERSIONS]
        return pixels

    def _made(self, recipe: Recipe, part: str, made_of: list[object]) -> np.ndarray:
        if part and recipe.gas is None:
            return _found_in(self._painter.sheet(recipe), recipe, part)
        if part:
            frames = next((each for each in made_of if isinstance(each, GasFrames)), None)
            return _part_of(frames, recipe, part)
        return self._painter.sheet(recipe)

    def _made_of(self, recipe: Recipe) -> list[object]:
        """All that a recipe is made of besides its steps, as objects that are the same while they do not change."""
        parts: list[object] = [self._inner(name) for name in read_by(recipe)]
        gas = recipe.gas
        if gas is not None:
            parts.append(self.gases.frames(gas, recipe.frames, recipe.loop, recipe.size, recipe.name))
        return parts

    def _inner(self, name: str) -> np.ndarray:
        return self._pictures(name, self._among) if name.startswith(RECIPE) else self._pictures(name)

    def _gas(self, gas: Gas, frames: int, loop: bool, size: int) -> np.ndarray:
        known = self.gases.frames(gas, frames, loop, size, self._owner)
        if known is None or known.picture.shape[1] != size:
            return np.zeros((1, size, size, 4), np.float32)
        return known.picture


def _same(first: list[object], second: list[object]) -> bool:
    return len(first) == len(second) and all(one is two for one, two in zip(first, second, strict=True))


def _found_in(sheet: np.ndarray, recipe: Recipe, part: str) -> np.ndarray:
    """How the frames of a sheet move into each other, or which way they face, found in the pictures themselves."""
    columns = min(recipe.columns, recipe.frames)
    cells = cells_of(sheet, columns, recipe.rows)[: recipe.frames]
    told = vectors_of(cells, loops=recipe.loop)[0] if part == "motion" else normals_of(cells)
    # They are numbers, and told as the light whose codes they are.
    told[..., :3] = to_linear(told[..., :3])
    return laid_out(told, columns)


def _part_of(frames: GasFrames | None, recipe: Recipe, part: str) -> np.ndarray:
    """A part of a gas as a sheet of the recipe's grid: (h, w, 4), "light" twice as high; empty where it is not known."""
    size, columns = recipe.size, min(recipe.columns, recipe.frames)
    halves = 2 if part == "light" else 1
    if frames is None or frames.picture.shape[1] != size:
        return np.zeros((recipe.rows * size * halves, columns * size, 4), np.float32)
    cells = frames.part(part)[: recipe.frames]
    return np.concatenate([laid_out(cells[:, k * size : (k + 1) * size], columns) for k in range(halves)])
