"""How a look takes a picture: with its grid, and with the light that belongs to it."""

from __future__ import annotations

from collections.abc import Iterable

from msgspec.structs import replace

from pale_ember.core.effect.look import Look
from pale_ember.core.effect.recipe.recipe import Recipe, recipe_named, tells_light
from pale_ember.core.texture.library import LIT, PICTURES, PREFIX


def full_name(name: str) -> str:
    """How looks name a picture that the library calls so."""
    return PREFIX + name if name in PICTURES else name


def with_card(look: Look, name: str, recipes: Iterable[Recipe] = ()) -> Look:
    """A look with a picture and its grid; what was said of the last picture's channels is not said of this one. name : a card's,
    or a picture of the effect. recipes : those of the effect."""
    full, kind = full_name(name), PICTURES.get(name.removeprefix(PREFIX))
    recipe = recipe_named(recipes, name)
    grid = (kind.columns, kind.rows) if kind is not None else (recipe.columns, recipe.rows) if recipe is not None else None
    # Six-way light belongs to the picture that it was made with.
    lit = (kind is not None and kind.name in LIT) or (recipe is not None and tells_light(recipe))
    light = replace(look.light, six=f"{full}#light" if lit else "")
    worn = replace(look, picture=full, surface=replace(look.surface, channel="all", invert=False), light=light)
    return replace(worn, columns=grid[0], rows=grid[1]) if grid is not None else worn
