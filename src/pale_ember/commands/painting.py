"""The command that makes pictures: of a recipe, a card of the library, or another picture."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from pale_ember.arguments import DONE
from pale_ember.commands.common import Refused, read, writable, write


def texture(asked: argparse.Namespace) -> int:
    """Paints a recipe, or reads a picture, and writes it in as many formats as files are named."""
    from pale_ember.formats.picture_encoding import ENDINGS, picture_bytes
    from pale_ember.formats.pictures import PictureError

    for out in asked.out:
        if out.suffix.lower() not in ENDINGS:
            raise Refused(f"{out.name}: expected {', '.join(ENDINGS)}, found {out.suffix or 'no ending'}; name it so")
        writable(out)
    try:
        pixels = _pixels(asked.source, asked.size, asked.part)
        for out in asked.out:
            write(out, picture_bytes(pixels, out.suffix.lower(), asked.kind))
            print(f"{out}: {pixels.shape[1]} × {pixels.shape[0]}")
    except PictureError as error:
        raise Refused(str(error)) from None
    return DONE


def _pixels(source: str, size: int, part: str):
    """The picture that a source names: `effect.pale#recipe`, `library:card`, or a picture's file."""
    from msgspec.structs import replace

    from pale_ember.core.effect.recipe.recipe import RECIPE, Recipe, recipe_named
    from pale_ember.core.texture.library import PREFIX
    from pale_ember.core.texture.library_recipes import card_recipe
    from pale_ember.formats.pictures import PictureError, read_picture
    from pale_ember.formats.shelf import Shelf

    if source.startswith(PREFIX):
        recipe = card_recipe(source.removeprefix(PREFIX))
        if recipe is None:
            raise PictureError(f'"{source}": no such card; see the library in the window, or docs/user-guide.md')
        recipes: tuple[Recipe, ...] = (recipe,)
        shelf = Shelf(None)
    elif ".pale" in source:
        file, _, name = source.partition("#")
        effect, shelf = read(Path(file))
        recipes = effect.recipes
        if not name and len(recipes) != 1:
            there = ", ".join(f'"{each.name}"' for each in recipes) or "none"
            raise PictureError(f"{file}: expected the name of a recipe behind a #; it has {there}")
        recipe = recipe_named(recipes, RECIPE + (name or recipes[0].name))
        if recipe is None:
            there = ", ".join(f'"{each.name}"' for each in recipes) or "none"
            raise PictureError(f'{file}: no recipe "{name}"; it has {there}')
    else:
        if size or part:
            raise PictureError(f"{source}: a picture's file has one size and no parts; leave --size and --part out")
        return read_picture(Path(source))
    if size:
        recipes = tuple(replace(each, size=size) if each is recipe else each for each in recipes)
    if recipe.gas is not None:
        print(f"pale: {recipe.name}: a gas is simulated; this takes a while", file=sys.stderr)
    return shelf.made.picture(f"{RECIPE}{recipe.name}{'#' * bool(part)}{part}", recipes)
