"""The library's pictures: the cards, by name, with all that a look needs to know of them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pale_ember.core.effect.recipe.recipe import RECIPE
from pale_ember.core.texture.library_recipes import cards
from pale_ember.core.texture.light import NO_COVER


@dataclass(frozen=True, slots=True)
class Painted:
    """A picture of the library: its grid, what it suits and is found by, the blend that suits it. whole : made to be tiled or
    laid along a strip, so it reaches to its edges."""

    name: str
    columns: int
    rows: int
    suits: str
    blend: str
    whole: bool = False


PICTURES: dict[str, Painted] = {
    name: Painted(name, card.recipe.columns, card.recipe.rows, card.words, card.blend, card.whole) for name, card in cards().items()
}
"""Every picture of the library by name."""

LIT = ("stack smoke", "rolling puff", "steam jet", "dust cloud", "oil smoke", "torn puff")
"""Cards that also tell how they look in light from six sides; a look names that as the card's name with #light."""

PREFIX = "library:"
"""A picture named with this prefix is a picture of the library; any other is a recipe, or a file beside the document."""


def multiplied(pixels: np.ndarray, read_as: str = "") -> np.ndarray:
    """(h, w, 4) linear light multiplied by its cover. read_as : the name of a picture that a look reads as premultiplied: files hold
    it so already, while the library's pictures and recipes hold light and cover apart."""
    if not read_as or read_as.startswith((PREFIX, RECIPE)):
        cover = pixels[..., 3:]
    elif read_as.lower().endswith(".exr"):
        # Reading divided by the cover where there was any.
        cover = np.where(pixels[..., 3:] > NO_COVER, pixels[..., 3:], 1.0)
    else:
        return pixels
    return np.concatenate([pixels[..., :3] * cover, pixels[..., 3:]], axis=2)


def is_card(name: str) -> bool:
    """Whether a picture's name means one of the library that there is."""
    card, _, part = name.removeprefix(PREFIX).partition("#")
    return name.startswith(PREFIX) and card in PICTURES and (not part or (part == "light" and card in LIT))
