"""The story of a layer: its eight chapters, each as a whole. Seven are parts of the layer; the first, *Place*, is what the
layer says of where it stands."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from pale_ember.core.effect.chapters import CHAPTERS
from pale_ember.core.effect.edit import Path
from pale_ember.core.effect.fields import Part, fields_of
from pale_ember.core.effect.model import Layer
from pale_ember.core.effect.reading import plain

PLACE = "place"
STANDING = ("place", "turn", "scale", "places", "space", "rides_on", "stands_on", "turns_with", "target", "tempo", "keys")
"""The fields of a layer that are its chapter *Place*."""

STORY = (PLACE, *CHAPTERS)
"""The chapters in the order of the story."""

_HELP = "Where the layer stands, how it is turned, on how many places, and what carries it."


def title_of(chapter: str) -> str:
    """The title of a chapter."""
    return "Place" if chapter == PLACE else fields_of(Layer)[chapter].field.label


def help_of(chapter: str) -> str:
    """What a chapter is about."""
    return _HELP if chapter == PLACE else fields_of(Layer)[chapter].field.help


def chapter_of(path: Path) -> str | None:
    """The chapter that a field of a layer stands in; None for its name and whether it is shown."""
    step = str(path[0])
    return PLACE if step in STANDING else step if step in CHAPTERS else None


def below(chapter: str) -> Path:
    """Where a chapter's fields begin in a layer."""
    return () if chapter == PLACE else (chapter,)


def kind_of(chapter: str) -> type[Part]:
    """The kind of part that a chapter is; for *Place* a layer of which the rest is as it begins."""
    return Layer if chapter == PLACE else fields_of(Layer)[chapter].type


def part_of(layer: Layer, chapter: str) -> Part:
    """A chapter of a layer as a part of its own."""
    return Layer(**_standing(layer)) if chapter == PLACE else getattr(layer, chapter)


def plain_of(layer: Layer, chapter: str) -> Any:
    """A chapter of a layer as plain data."""
    written = plain(part_of(layer, chapter))
    return {name: written[name] for name in STANDING if name in written} if chapter == PLACE else written


def with_part(layer: Layer, chapter: str, part: Part) -> Layer:
    """A layer with another's chapter, as `part_of` gives it."""
    return replace(layer, **(_standing(part) if chapter == PLACE else {chapter: part}))


def _standing(part: Part) -> dict[str, Any]:
    return {name: getattr(part, name) for name in STANDING}
