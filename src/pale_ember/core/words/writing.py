"""A sentence that is written: what it says is what the chapter is then, and what it no longer says is as it begins."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from pale_ember.core.effect.edit import Path, index_of, layer_of, value_at, with_value
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.story import STORY, kind_of, part_of, title_of, with_part
from pale_ember.core.effect.values import fixed
from pale_ember.core.insight.sentences import TOLD, plainly
from pale_ember.core.words.scene import Scene
from pale_ember.core.words.wishes import UnderstoodPiece, done, understood

_LISTS: dict[str, tuple[Path, ...]] = {
    "outlet": (("outlet", "bursts"),),
    "life": (("life", "more"),),
    "forces": (("forces", "more"),),
    "offspring": (("offspring", "rules"),),
}
"""What a sentence tells part by part."""

_NOTHING: dict[Path, object] = {
    ("outlet", "rate"): fixed(0.0),
    **{("life", name): None for name in ("size", "colour", "brightness", "opacity", "speed")},
}
"""What is so where a sentence says nothing of it, though a layer begins otherwise."""


@dataclass(frozen=True, slots=True)
class WrittenEffect:
    """An effect as it is written. pieces : how the text was understood; lost : what of it was not, from one place to another."""

    effect: Effect
    pieces: tuple[UnderstoodPiece, ...]
    lost: tuple[tuple[int, int], ...]


def written(
    effect: Effect, chosen: tuple[str, ...], chapter: str, text: str, starts: Mapping[str, Callable[[], tuple[Layer, ...]]] | None = None
) -> WrittenEffect:
    """`effect` with a chapter of the layers that are meant, the first of which was told, as a sentence of it says."""
    layer = layer_of(effect, chosen[0])
    if layer is None or text.strip() == plainly(TOLD[chapter](effect, layer)):
        return WrittenEffect(effect, (), ())
    bare = with_value(effect, ("layers", index_of(effect, layer.id)), _untold(effect, layer, chapter))
    scene = Scene(bare, (layer.id,), starts=starts or {}, before=layer, chapter=chapter)
    pieces = tuple(understood(text, scene))
    after = done(pieces, scene)
    new = layer_of(after, layer.id)
    for other in chosen[1:]:
        there = layer_of(after, other)
        if there is not None and new is not None:
            path: Path = ("layers", index_of(after, other))
            after = with_value(after, path, with_part(there, chapter, part_of(new, chapter)))
    return WrittenEffect(after, pieces, tuple((piece.begin, piece.end) for piece in pieces if not piece.senses))


def _untold(effect: Effect, layer: Layer, chapter: str) -> Layer:
    """A layer in which all that a sentence of a chapter tells is as it begins."""
    usual = with_part(layer, chapter, kind_of(chapter)())
    bare = layer
    for path in (*(piece.path for piece in TOLD[chapter](effect, layer) if piece.path), *_LISTS.get(chapter, ())):
        # A part of a list goes with the list, a number of a vector with the vector.
        end = next((i for i, step in enumerate(path) if isinstance(step, int)), len(path))
        whole = path[:end]
        bare = with_value(bare, whole, _NOTHING[whole] if whole in _NOTHING else value_at(usual, whole))
    return bare


def story_written(
    effect: Effect, chosen: tuple[str, ...], text: str, starts: Mapping[str, Callable[[], tuple[Layer, ...]]] | None = None
) -> WrittenEffect:
    """`effect` with the whole story of a layer as some lines say it, each with the name of its chapter before it."""
    lost: list[tuple[int, int]] = []
    for line in re.finditer(r"[^\n]+", text):
        named = re.match(rf"\s*({'|'.join(title_of(chapter) for chapter in STORY)})\s*:\s*", line[0], re.IGNORECASE)
        chapter = next((each for each in STORY if named is not None and title_of(each).lower() == named[1].lower()), None)
        if named is None or chapter is None:
            scene = Scene(effect, chosen, starts=starts or {})
            pieces = understood(line[0], scene)
            effect, begin = done(pieces, scene), line.start()
            lost += [(begin + piece.begin, begin + piece.end) for piece in pieces if not piece.senses]
            continue
        one = written(effect, chosen, chapter, line[0][named.end() :], starts)
        effect, begin = one.effect, line.start() + named.end()
        lost += [(begin + first, begin + last) for first, last in one.lost]
    return WrittenEffect(effect, (), tuple(lost))


def story_told(effect: Effect, layer: Layer) -> str:
    """The whole story of a layer, a line for each chapter."""
    return "\n".join(f"{title_of(chapter)}: {plainly(TOLD[chapter](effect, layer))}" for chapter in STORY)
