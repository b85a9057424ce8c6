"""Following shared things: layers and recipes that came of one keep what is theirs, and take what it has become since."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from msgspec.structs import replace

from pale_ember.core.effect.edit import index_of, layer_of, with_value
from pale_ember.core.effect.model import Effect, Followed, Layer
from pale_ember.core.effect.recipe.recipe import Recipe
from pale_ember.core.variation.differing import Difference, differences, part_differences
from pale_ember.core.variation.merging import Conflict, merged

Shared = Mapping[str, tuple[Layer, ...] | Recipe]
"""What is shared, by its name: the layers of a starting point, or a recipe."""


@dataclass(frozen=True, slots=True)
class FollowNews:
    """What a shared thing has become since it was taken. said : what it differs in from what was taken. kept : what was changed here in
    another way, which stays. effect : the effect with it taken."""

    followed: Followed
    said: tuple[Difference, ...]
    kept: tuple[Conflict, ...]
    effect: Effect


def follows_of(effect: Effect) -> tuple[Followed, ...]:
    """What follows in an effect, as far as it is still there."""
    recipes = {recipe.name for recipe in effect.recipes}
    return tuple(each for each in effect.follows if (layer_of(effect, each.layer) is not None if each.layer else each.recipe in recipes))


def followed_by(effect: Effect, layer: str) -> Followed | None:
    """What a layer follows, if anything."""
    return next((each for each in effect.follows if each.layer == layer), None)


def with_following(effect: Effect, source: str, made: Sequence[Layer], layers: Sequence[Layer]) -> Effect:
    """An effect whose layers follow those that a shared starting point made: each `layers[i]` follows `made[i]`."""
    new = tuple(Followed(source=source, of=one.id, layer=layer.id, taken=(one,)) for one, layer in zip(made, layers, strict=True))
    own = {layer.id for layer in layers}
    return replace(effect, follows=(*(each for each in follows_of(effect) if each.layer not in own), *new))


def with_recipe_following(effect: Effect, source: str, recipe: Recipe) -> Effect:
    """An effect in which a recipe follows a shared one."""
    others = tuple(each for each in follows_of(effect) if each.recipe != recipe.name)
    return replace(effect, follows=(*others, Followed(source=source, recipe=recipe.name, painted=(recipe,))))


def without_following(effect: Effect, followed: Followed) -> Effect:
    """An effect in which something goes its own way."""
    return replace(effect, follows=tuple(each for each in effect.follows if each != followed))


def news(effect: Effect, shared: Shared) -> list[FollowNews]:
    """All that has become otherwise since it was taken."""
    found = []
    for each in follows_of(effect):
        now = shared.get(each.source)
        told = _of_recipe(effect, each, now) if isinstance(now, Recipe) else _of_layer(effect, each, now) if now else None
        if told is not None:
            found.append(told)
    return found


def _alone(layer: Layer) -> Effect:
    return Effect(layers=(layer,))


def _of_layer(effect: Effect, followed: Followed, made: tuple[Layer, ...]) -> FollowNews | None:
    now = next((layer for layer in made if layer.id == followed.of), None)
    mine = layer_of(effect, followed.layer)
    if now is None or mine is None or now == followed.taken[0]:
        return None
    before, after = (_as_here(effect, followed, layer) for layer in (followed.taken[0], now))
    one, conflicts = merged(_alone(before), _alone(mine), _alone(after))
    whole = with_value(effect, ("layers", index_of(effect, mine.id)), one.layers[0])
    taken = _retaken(whole, followed, replace(followed, taken=(now,)))
    return FollowNews(followed, tuple(differences(_alone(before), _alone(after))), tuple(conflicts), taken)


def _as_here(effect: Effect, followed: Followed, layer: Layer) -> Layer:
    """A layer of a starting point as it is called here, where others of it are."""
    place = effect.follows.index(followed)
    near = sorted(effect.follows, key=lambda each: abs(effect.follows.index(each) - place), reverse=True)
    ids = {each.of: each.layer for each in near if each.source == followed.source and each.layer}
    rules = tuple(replace(rule, layer=ids.get(rule.layer, "")) for rule in layer.offspring.rules)
    return replace(layer, id=followed.layer, rides_on=ids.get(layer.rides_on, ""), offspring=replace(layer.offspring, rules=rules))


def _of_recipe(effect: Effect, followed: Followed, now: Recipe) -> FollowNews | None:
    before, now = followed.painted[0], replace(now, name=followed.recipe)
    if now == before:
        return None
    mine = next(recipe for recipe in effect.recipes if recipe.name == followed.recipe)
    told = [Effect(recipes=(each,)) for each in (before, mine, now)]
    one, conflicts = merged(*told)
    recipes = tuple(one.recipes[0] if recipe is mine else recipe for recipe in effect.recipes)
    taken = _retaken(replace(effect, recipes=recipes), followed, replace(followed, painted=(now,)))
    return FollowNews(followed, tuple(part_differences(before, now)), tuple(conflicts), taken)


def _retaken(effect: Effect, before: Followed, after: Followed) -> Effect:
    return replace(effect, follows=tuple(after if each == before else each for each in effect.follows))
