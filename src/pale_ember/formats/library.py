"""The library painted: every card into the package, where it ships."""

from __future__ import annotations

from pale_ember.core.effect.recipe.recipe import RECIPE
from pale_ember.core.texture.library import LIT
from pale_ember.core.texture.library_recipes import cards
from pale_ember.formats.disk import write_whole
from pale_ember.formats.pictures import grained, library_file, webp_bytes
from pale_ember.formats.shelf import Shelf


def paint_library(only: tuple[str, ...] = ()) -> None:
    """Paints the cards anew, all or those that are named."""
    shelf = Shelf(None)
    for name, card in cards().items():
        if not only or name in only:
            for part in ("", "light") if name in LIT else ("",):
                # Light from six sides is even: half as fine is enough.
                pixels = shelf.made.picture(f"{RECIPE}{name}{'#' * bool(part)}{part}", (card.recipe,))
                if part:
                    pixels = pixels.reshape(pixels.shape[0] // 2, 2, pixels.shape[1] // 2, 2, 4).mean(axis=(1, 3))
                write_whole(library_file(f"{name}{'#' * bool(part)}{part}"), webp_bytes(grained(pixels)))
