"""What a folder shares: things that belong to everybody who opens an effect of it. They lie below `shared`, a file each."""

from __future__ import annotations

import json
from collections.abc import Collection
from dataclasses import dataclass
from pathlib import Path
from typing import Any, TypeVar
from urllib.parse import quote, unquote

from msgspec.structs import replace

from pale_ember.core.effect.edit import free_name
from pale_ember.core.effect.fields import Part
from pale_ember.core.effect.files import files_of, meshes_of
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.reading import plain, read
from pale_ember.core.effect.recipe.recipe import RECIPE, Recipe
from pale_ember.core.effect.renaming import recipes_renamed, with_names
from pale_ember.core.effect.stage import Reference
from pale_ember.core.variation.following import Shared
from pale_ember.formats.disk import write_whole
from pale_ember.formats.document import DocumentError, dumps, load
from pale_ember.formats.files import read_regular
from pale_ember.formats.game_folder import SHARED

STARTS, RECIPES = "starts", "recipes"
"""The shelves that can be followed: starting points are documents, all else is one part in JSON."""

Kept = TypeVar("Kept", bound=Part)


def part_place(below: Path, name: str) -> Path:
    """Where a part of that name lies below a folder, whatever its signs."""
    return below / f"{quote(name, safe=' ')}.json"


def parts_below(place: Path, kind: type[Kept]) -> dict[str, Kept]:
    """All parts that lie in a folder, by name; what cannot be read is left out."""
    kept: dict[str, Kept] = {}
    for path in sorted(place.glob("*.json")):
        try:
            raw: Any = json.loads(read_regular(path, 2**24))
        except (OSError, ValueError, RecursionError):
            continue
        part, problems = read(kind, raw)
        if all(problem.notice for problem in problems):
            kept[unquote(path.stem)] = part
    return kept


def write_part(place: Path, part: Part) -> None:
    """Writes a part, an effect as a document. Raises OSError."""
    place.parent.mkdir(parents=True, exist_ok=True)
    write_whole(place, dumps(part) if isinstance(part, Effect) else (json.dumps(plain(part), indent=1) + "\n").encode())


@dataclass(frozen=True, slots=True)
class SharedFolder:
    """The shared things of a folder. root : the folder of the game."""

    root: Path

    def place(self, shelf: str, name: str) -> Path:
        """Where a thing lies."""
        place = part_place(self.root / SHARED / shelf, name)
        return place.with_suffix(".pale") if shelf == STARTS else place

    def names(self, shelf: str) -> list[str]:
        """What lies on a shelf."""
        ending = "pale" if shelf == STARTS else "json"
        return [unquote(path.stem) for path in sorted((self.root / SHARED / shelf).glob(f"*.{ending}")) if path.is_file()]

    def shelves(self) -> list[str]:
        """The shelves on which something lies."""
        inside = self.root / SHARED
        below = {path.parent.relative_to(inside).as_posix() for path in inside.rglob("*.*") if path.suffix in (".json", ".pale")}
        return sorted(each for each in below if self.names(each))

    def parts(self, shelf: str, kind: type[Kept]) -> dict[str, Kept]:
        """All on a shelf, by name; what cannot be read is left out."""
        return parts_below(self.root / SHARED / shelf, kind)

    def start(self, name: str) -> Effect | None:
        """The document of a starting point; None where it cannot be read."""
        try:
            return load(self.place(STARTS, name))[0]
        except DocumentError:
            return None

    def share(self, shelf: str, name: str, part: Part) -> None:
        """Shares a thing under a name; another of that name is replaced. A starting point is an effect. Raises OSError."""
        write_part(self.place(shelf, name), replace(part, name=name) if isinstance(part, Effect) else part)

    def drop(self, shelf: str, name: str) -> None:
        """Shares a thing no more. Raises OSError."""
        self.place(shelf, name).unlink(missing_ok=True)

    def followable(self, wanted: Collection[str]) -> Shared:
        """What is followed, by the names that effects say, as far as it can be read."""
        told: dict[str, tuple[Layer, ...] | Recipe] = {}
        for source in wanted:
            shelf, _, name = source.partition("/")
            if shelf == STARTS:
                effect = self.start(name)
                if effect is not None:
                    told[source] = effect.layers
        if any(source.startswith(f"{RECIPES}/") for source in wanted):
            told |= {f"{RECIPES}/{name}": recipe for name, recipe in self.parts(RECIPES, Recipe).items()}
        return told


def with_sharing(effect: Effect, layers: tuple[Layer, ...]) -> Effect:
    """A starting point made of some layers of an effect: with what pictures of the effect's own they wear, on its stage, in its time."""
    worn = {name.removeprefix(RECIPE).partition("#")[0] for name in files_of(Effect(layers=layers, recipes=effect.recipes))}
    props = tuple(prop for prop in effect.stage.props if prop.shape != "mesh" or ":" in prop.mesh)
    stage = replace(effect.stage, props=props, picture="", reference=Reference())
    recipes = tuple(recipe for recipe in effect.recipes if recipe.name in worn)
    told = {name: getattr(effect, name) for name in ("duration", "loop", "warm", "tempo", "identical", "cues")}
    return Effect(layers=layers, stage=stage, recipes=recipes, **told)


def kept_out(effect: Effect) -> str:
    """Why a starting point or a picture cannot be shared, in a sentence; "" where it can: files lie beside one effect alone."""
    file = next((name for name in (*files_of(effect), *meshes_of(effect)) if ":" not in name), None)
    return f"{file} lies beside this effect: what is shared wears pictures of the library, or of its own." if file else ""


def with_recipes_of(effect: Effect, start: Effect) -> tuple[Effect, Effect]:
    """An effect with the pictures of a starting point's own, and the starting point as it names them there."""
    taken = {recipe.name: recipe for recipe in effect.recipes}
    renamed: dict[str, str] = {}
    for recipe in start.recipes:
        name = recipe.name
        if name in taken and taken[name] != recipe:
            name = free_name(name, list(taken))
            renamed[recipe.name] = name
        taken[name] = replace(recipe, name=name)
    return replace(effect, recipes=tuple(taken.values())), with_names(start, recipes_renamed(renamed)) if renamed else start
