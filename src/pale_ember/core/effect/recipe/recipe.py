"""A recipe: a picture kept as the steps by which it is made."""

from collections.abc import Iterable
from typing import Annotated, Literal

from pale_ember.core.effect.fields import Field, Need, Part
from pale_ember.core.effect.recipe import changes, shapes, sources
from pale_ember.core.effect.recipe.sources import ChannelSource, Gas, PackedChannels, Picture
from pale_ember.core.effect.recipe.step import Step

RECIPE = "recipe:"
"""A picture named with this prefix is a recipe of the document."""

_SHEET = Need(("frames",), lambda recipe: recipe.frames > 1, "It is a single picture.")

PARTS = ("", "light", "motion", "normals", "depth")
"""What a gas tells of itself besides its picture, after a # behind the recipe's name."""

ANY = ("", "motion", "normals")
"""What can be found in any picture."""


class Recipe(Part, frozen=True):
    """A picture as the steps by which it is made. Frames are square."""

    name: Annotated[str, Field("name", "What the picture is called; it is named so in looks.")] = "picture"
    size: Annotated[
        int, Field("size", "Pixels along each side of a frame.", unit="px", soft=(16, 1024), least=4, most=4096, words=("resolution",))
    ] = 256
    frames: Annotated[int, Field("frames", "Moments of a sheet, or pictures of their own kind.", soft=(1, 64), least=1, most=256)] = 1
    columns: Annotated[
        int, Field("side by side", "Frames side by side in the sheet.", soft=(1, 16), least=1, most=64, needs=(_SHEET,))
    ] = 1
    loop: Annotated[bool, Field("loop", "The last frame meets the first.", needs=(_SHEET,), words=("seamless", "cycle"))] = False
    each: Annotated[
        Literal["a moment", "its own"],
        Field(
            "each frame is",
            "What frames are to each other.",
            needs=(_SHEET,),
            options=("One moment after the other.", "Another of its kind, with other random numbers."),
            words=("random", "variation"),
        ),
    ] = "a moment"
    holds: Annotated[
        Literal["glow", "grey", "both"],
        Field(
            "tones are",
            "What tones without a colour become.",
            options=("White; alpha is brightness.", "Grey, opaque.", "Grey; alpha is brightness."),
        ),
    ] = "glow"
    author: Annotated[str, Field("author", "Who made it.", names="word", group="more: whose it is")] = ""
    licence: Annotated[str, Field("licence", "Under what terms it may be used.", names="word", group="more: whose it is")] = ""
    steps: Annotated[tuple[Step, ...], Field("steps", "What is painted and done, one after the other.")] = ()

    @property
    def rows(self) -> int:
        """Frames above each other in the sheet."""
        return -(-self.frames // max(self.columns, 1))

    @property
    def gas(self) -> Gas | None:
        """Its first gas that works, if any."""
        return next((step for step in self.steps if isinstance(step, Gas) and step.on), None)


def names_of(name: str) -> tuple[str, ...]:
    """All by which looks may name a recipe: as it is, and each of its parts."""
    return tuple(f"{RECIPE}{name}{'#' * bool(part)}{part}" for part in PARTS)


def recipe_named(recipes: Iterable[Recipe], name: str) -> Recipe | None:
    """The recipe that a picture's name means, with its prefix and whatever stands behind a #; None where there is none."""
    plain = name.removeprefix(RECIPE).partition("#")[0]
    return next((recipe for recipe in recipes if recipe.name == plain), None) if name.startswith(RECIPE) else None


def tells_light(recipe: Recipe) -> bool:
    """Whether it tells how it looks in light from six sides: a gas does that does not shine by itself."""
    return recipe.gas is not None and recipe.gas.glow <= 0


def holding(recipes: Iterable[Recipe], name: str, channel: str) -> str:
    """What a channel of a picture holds, as the recipe that packed it calls it; "" where nobody said."""
    recipe = recipe_named(recipes, name)
    pack = next((step for step in recipe.steps if isinstance(step, PackedChannels) and step.on), None) if recipe is not None else None
    part = getattr(pack, channel, None)
    return part.holds if isinstance(part, ChannelSource) else ""


def read_by(recipe: Recipe) -> list[str]:
    """The pictures by name that a recipe is made of, each once."""
    names = [step.picture for step in recipe.steps if isinstance(step, Picture)]
    for step in recipe.steps:
        if isinstance(step, PackedChannels):
            names += [part.picture for part in (step.red, step.green, step.blue, step.alpha) if isinstance(part, ChannelSource)]
    return [name for name in dict.fromkeys(names) if name]


def ring_of_recipes(recipes: Iterable[Recipe]) -> list[Recipe]:
    """Recipes that are made of each other in a ring; none where all end."""
    known = list(recipes)
    done: set[str] = set()

    def walk(recipe: Recipe, above: list[Recipe]) -> list[Recipe]:
        if recipe in above:
            return above[above.index(recipe) :]
        if recipe.name in done:
            return []
        for name in read_by(recipe):
            inner = recipe_named(known, name)
            ring = walk(inner, [*above, recipe]) if inner is not None else []
            if ring:
                return ring
        done.add(recipe.name)
        return []

    return next((ring for recipe in known if (ring := walk(recipe, []))), [])


__all__ = ["ANY", "PARTS", "RECIPE", "Recipe", "changes", "read_by", "recipe_named", "ring_of_recipes", "shapes", "sources"]
