"""What changes as a particle ages."""

from __future__ import annotations

import re

from msgspec.structs import replace

from pale_ember.core.effect.keyed_parts import new_lane
from pale_ember.core.effect.model import Layer
from pale_ember.core.effect.properties import PROPERTIES
from pale_ember.core.effect.values import Curve, Key
from pale_ember.core.insight.colours import COLOUR
from pale_ember.core.words.arithmetic import NotANumber
from pale_ember.core.words.phrases.phrase import END, EVERYDAY, GRADIENT, N, phrase, phrases_in, with_one_more, with_values
from pale_ember.core.words.scene import Scene
from pale_ember.core.words.values import evenly, gradient_said

_VERBS = {
    "swells": ("size", (0.3, 1.0)),
    "grows": ("size", (0.3, 1.0)),
    "shrinks": ("size", (1.0, 0.0)),
    "brightens": ("brightness", (0.2, 1.0)),
    "dims": ("brightness", (1.0, 0.0)),
    "fades": ("opacity", (1.0, 0.0)),
    "speeds up": ("speed", (0.3, 1.0)),
    "slows down": ("speed", (1.0, 0.2)),
}
_IN_AND_OUT = ((0.0, 0.0), (0.15, 1.0), (0.7, 1.0), (1.0, 0.0))
_SHAPED = {"in and out": _IN_AND_OUT, "in, then fades out": _IN_AND_OUT, "in": ((0.0, 0.0), (0.25, 1.0)), "out": ((0.0, 1.0), (1.0, 0.0))}
_PROPERTY = "|".join(sorted(PROPERTIES, key=len, reverse=True))
_OVER = "age|speed|distance|effect time|camera distance"


def _lane(layer: Layer, name: str, keys: tuple[Key, ...], scene: Scene) -> Layer:
    """A lane of everyday, or one more of a property. What a sentence tells alike stays exactly as it was."""
    if name in EVERYDAY:
        return with_values(layer, (("life", name), Curve(keys=keys)))
    lane = next((lane for lane in layer.life.more if lane.drives == name and lane.over == "age"), None)
    if lane is not None:
        more = tuple(replace(each, curve=Curve(keys=keys)) if each is lane else each for each in layer.life.more)
        return with_values(layer, (("life", "more"), more))
    return with_one_more(layer, ("life", "more"), new_lane(layer, name), {"curve": Curve(keys=keys)}, scene)


@phrase(rf"({'|'.join(_VERBS)}|grow|swell|shrink|fade|dim)(?: from)? ({N}(?: to {N})+)(?! s\b)", "lane", "life")
def _course(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    verb = said[1] if said[1] in _VERBS else f"{said[1]}s"
    values = [float(each) for each in said[2].split(" to ")]
    return _lane(layer, _VERBS[verb][0], evenly(values), scene)


@phrase(r"(?:opacity )?fad(?:es|e|ing) (in and out|in, then fades out|in|out)\b(?! (?:by|from|in|over|\d))", "opacity", "life", "opacity")
def _fade(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    return _lane(layer, "opacity", tuple(Key(at=at, value=value) for at, value in _SHAPED[said[1]]), scene)


@phrase(rf"(?:opacity|fades?)(?: in(?: by)? ({N}))?,?(?: (?:and )?out(?: from)?(?: ({N}))?)?{END}", "opacity", "life", "opacity")
def _fade_at(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    """`opacity in 0.2 out`, `fades in by 0.1 and out from 0.7`: by shares of the age."""
    into, out = said[1], said[2]
    if into is None and "out" not in said[0]:
        raise NotANumber("how it fades is not told")
    keys = [Key(at=0.0, value=0.0), Key(at=min(float(into), 1.0), value=1.0)] if into else [Key(at=0.0, value=1.0)]
    if "out" in said[0]:
        keys += [Key(at=min(float(out), 0.99), value=1.0)] if out else []
        keys += [Key(at=1.0, value=0.0)]
    return _lane(layer, "opacity", tuple(sorted(keys, key=lambda key: key.at)), scene)


@phrase(r"(swells|grows|shrinks|brightens|dims|speeds up|slows down)\b(?! (?:from )?[\d.])", "lane", "life")
def _verb(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    name, values = _VERBS[said[1]]
    return _lane(layer, name, evenly(list(values)), scene)


@phrase(rf"keeps its ({'|'.join(EVERYDAY)})(?: at ({N}))?", "lane", "life")
def _keeps(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    value = float(said[2] or 1.0)
    return _lane(layer, said[1], (Key(at=0.0, value=value), Key(at=1.0, value=value)), scene)


@phrase(
    rf"({_PROPERTY})(?: over (?:life|age|its life))? (?:from )?({N}(?:\s*(?:to|→)\s*{N}){{2,}}"
    rf"|{N}(?:\s*(?:to|→)\s*{N})+(?= over (?:life|age|its life)))(?: over (?:life|age|its life))?",
    "lane",
    "life",
)
def _curve(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    """`size 0.5 to 1 to 0`: from three values on it is no range."""
    return _lane(layer, said[1], evenly([float(each) for each in re.findall(N, said[2])]), scene)


@phrase(rf"(?:runs (?:through )?|colours? (?:from |runs )?|gradient )?({GRADIENT})", "colour", "life", "colour")
def _gradient(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    return with_values(layer, (("life", "colour"), gradient_said(said[1])))


@phrase(rf"keeps ({COLOUR})", "colour", "life", "colour")
def _one_colour(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    return with_values(layer, (("life", "colour"), gradient_said(said[1])))


@phrase(rf"({COLOUR}){END}", "tint", "birth", "tint")
def _tint(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    colour = gradient_said(said[1]).stops[0].colour
    return with_values(layer, (("birth", "tint"), replace(layer.birth.tint, first=colour, second=colour, gradient=None)))


@phrase(rf"({_PROPERTY}|[\w ]{{1,40}}?) follows ({_OVER})", "lane", "life", "more")
def _follows(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    name = said[1] if said[1] in PROPERTIES else "named"
    told = {"drives": name, "over": said[2], **({"name": said[1]} if name == "named" else {})}
    return with_one_more(layer, ("life", "more"), new_lane(layer, name), told, scene)


@phrase(r"nothing changes as it ages", "life", "life")
def _steady(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    return replace(layer, life=replace(layer.life, **dict.fromkeys((*EVERYDAY, "colour")), more=()))


PHRASES = phrases_in(globals())
