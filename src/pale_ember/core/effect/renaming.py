"""Names that others hold: when a cue, an anchor, a prop, a recipe or a file is called otherwise, all that named it follows."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, TypeVar

from msgspec.structs import replace

from pale_ember.core.effect.edit import with_value
from pale_ember.core.effect.fields import Part, fields_of
from pale_ember.core.effect.files import files_of, meshes_of
from pale_ember.core.effect.model import Effect
from pale_ember.core.effect.recipe.recipe import PARTS, names_of

Held = TypeVar("Held", bound=Part)

_NAMING = ("picture", "density", "mesh")
"""What fields declare that hold the names of files."""


def _named(effect: Effect) -> dict[str, tuple[str, ...]]:
    """By what a field declares that it `names`, the names that there are."""
    return {
        "cue": tuple(cue.name for cue in effect.cues),
        "anchor": tuple(anchor.name for anchor in effect.stage.anchors),
        "prop": tuple(prop.name for prop in effect.stage.props),
        "stand": tuple(thing.name for thing in effect.stage.grounds()),
        "picture": tuple(name for recipe in effect.recipes for name in names_of(recipe.name)),
    }


def names_followed(before: Effect, after: Effect) -> Effect:
    """`after`, an edit of `before`, in which what names a thing that got another name names it still. A name that stays
    taken by another thing is left."""
    if before.cues is after.cues and before.stage is after.stage and before.recipes is after.recipes:
        return after
    was, now = _named(before), _named(after)
    renamed = {
        (kind, old): new
        for kind in was
        if len(was[kind]) == len(now[kind])
        for old, new in zip(was[kind], now[kind], strict=True)
        if old != new and old and old not in now[kind]
    }
    return with_names(after, renamed) if renamed else after


def recipes_renamed(names: Mapping[str, str]) -> dict[tuple[str, str], str]:
    """What `with_names` is given so that recipes, and each of their parts, are named otherwise. names : the new by the old."""
    return {("picture", one): other for old, new in names.items() for one, other in zip(names_of(old), names_of(new), strict=True)}


def with_names(part: Held, renamed: dict[tuple[str, str], str]) -> Held:
    """A part with the names it holds changed; the same object where it holds none of them. renamed : the new name by what a
    field declares that it `names` and the old one."""
    changes = {}
    for name, declared in fields_of(type(part)).items():
        value, kind = getattr(part, name), declared.field.names
        if name == "follows":
            continue  # what was taken is kept as it was
        if isinstance(value, str):
            new: Any = renamed.get((kind, value), value) if kind else value
        elif isinstance(value, Part):
            new = with_names(value, renamed)
        elif isinstance(value, tuple) and value and isinstance(value[0], Part):
            new = tuple(with_names(inner, renamed) for inner in value)
            new = value if all(a is b for a, b in zip(value, new, strict=True)) else new
        elif kind and isinstance(value, tuple):
            new = tuple(renamed.get((kind, inner), inner) for inner in value)
        else:
            continue
        if new is not value and new != value:
            changes[name] = new
    return replace(part, **changes) if changes else part


def with_file_named(effect: Effect, old: str, new: str) -> Effect:
    """An effect that uses a file under another name, wherever it uses it."""
    used = {name for name in (*files_of(effect), *meshes_of(effect)) if name.partition("#")[0] == old}
    ends = {name.partition("#")[2] for name in used} | set(PARTS)
    names = {f"{old}{'#' * bool(end)}{end}": f"{new}{'#' * bool(end)}{end}" for end in ends}
    effect = with_names(effect, {(kind, one): other for kind in _NAMING for one, other in names.items()})
    if effect.stage.reference.file == old:
        effect = with_value(effect, ("stage", "reference", "file"), new)
    return replace(effect, credits=tuple(replace(each, file=names.get(each.file, each.file)) for each in effect.credits))
