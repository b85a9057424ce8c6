"""What is on the bench: one recipe of the document, and one of its steps."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from msgspec.structs import replace
from PyQt6.QtCore import QObject, pyqtSignal

from pale_ember.core.effect.edit import Path, free_name, index_of, value_at, with_value
from pale_ember.core.effect.files import pictures_of
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.recipe.recipe import RECIPE, Recipe
from pale_ember.core.effect.recipe.step import Step
from pale_ember.core.texture.look_pictures import with_card
from pale_ember.core.variation.following import with_recipe_following
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.fields.edit_target import OfEffect


class BenchSelection(QObject):
    """The recipe that is worked on, by its lasting place in the document, and its step."""

    turned = pyqtSignal()
    """Another recipe or step is worked on, or it changed."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.index = 0
        self.step_key = -1
        desk.document.changed.connect(self._changed)

    @property
    def recipes(self) -> tuple[Recipe, ...]:
        """The recipes of the document."""
        return self.desk.effect.recipes

    @property
    def recipe(self) -> Recipe | None:
        """The recipe on the bench, if there is one."""
        return self.recipes[self.index] if 0 <= self.index < len(self.recipes) else None

    @property
    def place(self) -> int:
        """Where the step stands in the recipe; -1 where none is chosen."""
        recipe = self.recipe
        keys = [step.key for step in recipe.steps] if recipe is not None else []
        return keys.index(self.step_key) if self.step_key in keys else -1

    @property
    def step(self) -> Step | None:
        """The step in hand, if there is one."""
        recipe, place = self.recipe, self.place
        return recipe.steps[place] if recipe is not None and place >= 0 else None

    def choose(self, index: int, key: int | None = None) -> None:
        """Works on another recipe; on its last step unless one is told."""
        self.desk.document.end_stroke()
        self.index = index
        recipe = self.recipe
        last = recipe.steps[-1].key if recipe is not None and recipe.steps else -1
        self.step_key = last if key is None else key
        self.turned.emit()

    def choose_step(self, key: int) -> None:
        """Takes a step in hand."""
        if key != self.step_key:
            self.desk.document.end_stroke()
            self.step_key = key
            self.turned.emit()

    def _changed(self, old: Effect, new: Effect) -> None:
        if old.recipes is new.recipes:
            return
        self.index = min(max(self.index, 0), max(len(new.recipes) - 1, 0))
        recipe = self.recipe
        if recipe is not None and self.place < 0 and recipe.steps:
            self.step_key = recipe.steps[-1].key
        self.turned.emit()

    # Edits ---------------------------------------------------------------------------------------------------------

    def change(self, name: str, recipe: Recipe, stroke: object = None) -> None:
        """Puts another version of the recipe in its place."""
        effect = self.desk.effect
        self.desk.document.change(f"{recipe.name}: {name}", replace(effect, recipes=with_at(effect.recipes, self.index, recipe)), stroke)

    def add_recipe(self, recipe: Recipe, *, follows: str = "", layer: Layer | None = None) -> Recipe:
        """Adds a recipe under a name that is free, and works on it. follows : the shared one that it follows, if any. layer : one that
        shows it from now on."""
        effect = self.desk.effect
        named = replace(recipe, name=free_name(recipe.name, [known.name for known in effect.recipes]))
        added = replace(effect, recipes=(*effect.recipes, named))
        added = with_recipe_following(added, follows, named) if follows else added
        if layer is not None:
            look = with_card(layer.look, RECIPE + named.name, added.recipes)
            added = with_value(added, ("layers", index_of(added, layer.id), "look"), look)
        self.desk.document.change(f"add {named.name}", added)
        # What it begins from is worked on first.
        first = next((step.key for step in named.steps if step.family == "source"), None)
        self.choose(len(effect.recipes), first)
        return named

    def remove_recipe(self) -> None:
        """Removes the recipe on the bench."""
        recipe, effect = self.recipe, self.desk.effect
        if recipe is not None:
            left = tuple(each for k, each in enumerate(effect.recipes) if k != self.index)
            self.desk.document.change(f"remove {recipe.name}", replace(effect, recipes=left))

    def rename(self, name: str) -> str:
        """Calls the recipe otherwise; what wears it follows. Says what is wrong, if anything."""
        recipe, name = self.recipe, name.strip()
        if recipe is None or name == recipe.name:
            return ""
        if not name or "#" in name:
            return "expected a name without #"
        if any(other.name == name for other in self.recipes):
            return "another picture is called that"
        self.change(f"name {name}", replace(recipe, name=name))
        return ""

    def add_step(self, step: Step) -> None:
        """Puts a step behind the one that is chosen, and chooses it."""
        recipe = self.recipe
        if recipe is None:
            recipe = self.add_recipe(Recipe(name="picture"))
        key = max((each.key for each in recipe.steps), default=-1) + 1
        place = self.place + 1 if self.place >= 0 else len(recipe.steps)
        made = replace(step, key=key)
        steps = (*recipe.steps[:place], made, *recipe.steps[place:])
        self.step_key = key
        self.change(f"add {step.kind}", replace(recipe, steps=steps))

    def remove_step(self, key: int) -> None:
        """Removes a step."""
        recipe = self.recipe
        if recipe is not None:
            gone = next((step for step in recipe.steps if step.key == key), None)
            left = tuple(step for step in recipe.steps if step.key != key)
            self.change(f"remove {gone.kind if gone else 'step'}", replace(recipe, steps=left))

    def move_step(self, key: int, place: int) -> None:
        """Puts a step at another place in the recipe."""
        recipe = self.recipe
        if recipe is None:
            return
        moved = next(step for step in recipe.steps if step.key == key)
        left = [step for step in recipe.steps if step.key != key]
        left.insert(max(min(place, len(left)), 0), moved)
        if tuple(left) != recipe.steps:
            self.change(f"move {moved.kind}", replace(recipe, steps=tuple(left)))

    def shift_step(self, by: int) -> None:
        """Moves the chosen step by so many places."""
        if self.place >= 0:
            self.move_step(self.step_key, self.place + by)

    def change_step(self, name: str, step: Step, stroke: object = None) -> None:
        """Puts another step in the place of the one in hand."""
        recipe = self.recipe
        if recipe is not None:
            steps = tuple(step if each.key == step.key else each for each in recipe.steps)
            self.change(name, replace(recipe, steps=steps), stroke)

    def wearers(self) -> list[str]:
        """The layers that wear the picture, by name."""
        recipe = self.recipe
        return [] if recipe is None else worn_by(self.desk.effect, recipe)


def worn_by(effect: Effect, recipe: Recipe) -> list[str]:
    """The layers that wear a recipe in their look, by name."""
    name = RECIPE + recipe.name

    def wears(value: str) -> bool:
        return value == name or value.startswith(name + "#")

    return [layer.name for layer in effect.layers if any(map(wears, pictures_of(Effect(layers=(layer,)))))]


def with_at(parts: tuple, index: int, part: Any) -> tuple:
    return (*parts[:index], part, *parts[index + 1 :])


class OfRecipe(OfEffect):
    """Fields of the recipe on the bench."""

    kind = Recipe

    def __init__(self, desk: Desk, chosen: BenchSelection) -> None:
        super().__init__(desk)
        self.chosen = chosen

    @property
    def root(self) -> Any:
        return self.chosen.recipe

    def change(self, name: str, path: Path, value: object, stroke: object = None) -> None:
        """Changes a field of the recipe on the bench."""
        recipe = self.chosen.recipe
        if recipe is not None:
            self.chosen.change(name, with_value(recipe, path, value), stroke)

    def changer(self) -> Callable[..., None]:
        return self.change

    def value(self, path: Path) -> Any:
        return value_at(self.root, path)
