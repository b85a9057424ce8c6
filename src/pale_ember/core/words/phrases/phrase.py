"""How a phrase is said and what it makes of a layer; and what phrases of all chapters have in common."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from msgspec.structs import replace

from pale_ember.core.effect.edit import Path, value_at, with_value
from pale_ember.core.effect.keyed_parts import numbered
from pale_ember.core.effect.model import Layer
from pale_ember.core.effect.values import Range
from pale_ember.core.insight.colours import COLOUR
from pale_ember.core.words.arithmetic import NotANumber, range_from
from pale_ember.core.words.scene import Scene, Wish, layer_wish

N = r"[-+]?(?:\d+\.?\d*|\.\d+)(?:e-?\d+)?"
R = rf"(?:one of {N}(?:, {N})*|{N}(?:\s*(?:–|-|to|±)\s*{N}\s*%?)?)"
XYZ = rf"{N}[\s,]+{N}[\s,]+{N}"
END = r"(?=\s*(?:[,.;]|$|\band\b|\bfrom\b|\bwith\b))"
COUNTS = dict(
    zip(["one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve"], range(1, 13), strict=True)
)
"""Numbers as words."""
GRADIENT = rf"{COLOUR}(?:\s+to\s+{COLOUR})+"
EVERYDAY = ("size", "brightness", "opacity", "speed")

Change = Callable[[Layer, re.Match[str], Scene], Layer]


@dataclass(frozen=True, slots=True)
class Phrase:
    """How something is said, and what it makes of a layer. title, path : what it is about."""

    said: re.Pattern[str]
    title: str
    path: Path
    change: Change

    def wish(self, scene: Scene, said: re.Match[str]) -> Wish | None:
        """What is wished by what was said; None where it cannot be."""
        if scene.layer is None:
            return None
        try:
            self.change(scene.layer, said, scene)
        except NotANumber:
            return None
        told = " ".join(said.group().split())
        return layer_wish(scene, self.title, self.path, told, lambda layer: self.change(layer, said, scene))


@dataclass(frozen=True, slots=True)
class WholePhrase:
    """How something is said that changes more than layers."""

    said: re.Pattern[str]
    wish: Callable[[Scene, re.Match[str]], Wish | None]


def phrase(pattern: str, title: str, *path: str) -> Callable[[Change], Phrase]:
    """Makes a phrase of what changes a layer."""
    return lambda change: Phrase(re.compile(pattern), title, path, change)


def whole_phrase(pattern: str) -> Callable[[Callable[[Scene, re.Match[str]], Wish | None]], WholePhrase]:
    """Makes a phrase of what makes a wish."""
    return lambda wish: WholePhrase(re.compile(pattern), wish)


def phrases_in(names: dict[str, Any]) -> tuple[Phrase | WholePhrase, ...]:
    """The phrases among the names of a file."""
    return tuple(each for each in names.values() if isinstance(each, Phrase | WholePhrase))


def with_values(layer: Layer, *values: tuple[Path, Any]) -> Layer:
    """A layer with values at paths, one after the other."""
    for path, value in values:
        layer = with_value(layer, path, value)
    return layer


def range_of(text: str) -> Range:
    """A range as a sentence tells it, or as it is typed. Raises NotANumber."""
    if text.startswith("one of "):
        choices = tuple(float(part) for part in text.removeprefix("one of ").split(","))
        return Range(low=min(choices), high=max(choices), choices=choices)
    low, high = range_from(text, "", 0.0)
    return Range(low=low, high=high)


def vector_of(text: str) -> tuple[float, float, float]:
    """Three numbers of a text. Raises ValueError."""
    x, y, z = (float(part) for part in re.split(r"[\s,]+", text.strip()))
    return x, y, z


def with_one_more(layer: Layer, path: Path, fresh: Any, told: dict[str, Any], scene: Scene) -> Layer:
    """A part more in a list of a layer. Where a sentence is written anew, what it does not tell stays as it was in the part of that
    kind at that place."""
    parts: tuple[Any, ...] = value_at(layer, path)
    before = value_at(scene.before, path) if scene.before is not None else ()
    known = before[len(parts)] if len(parts) < len(before) else None
    part = known if known is not None and type(known) is type(fresh) else numbered(fresh, (*before, *parts))
    return with_value(layer, path, (*parts, replace(part, **told)))


def at_least(value: Range, least: float) -> Range:
    """A range with no end below a least."""
    return replace(value, low=max(value.low, least), high=max(value.high, least))


def either(words: Any) -> str:
    """A pattern that takes one of some words."""
    return "|".join(re.escape(word) for word in sorted(words, key=len, reverse=True))
