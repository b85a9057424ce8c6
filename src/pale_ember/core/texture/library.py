"""The library's pictures: the cards, by name, with all that a look needs to know of them."""

from __future__ import annotations

from dataclasses import dataclass

from pale_ember.core.texture.library_recipes import cards


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


def is_card(name: str) -> bool:
    """Whether a picture's name means one of the library that there is."""
    card, _, part = name.removeprefix(PREFIX).partition("#")
    return name.startswith(PREFIX) and card in PICTURES and (not part or (part == "light" and card in LIT))
