"""What a particle leaves."""

from __future__ import annotations

import re
from typing import Any

from pale_ember.core.effect.edit import Path, index_of, layer_of, with_value
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.offspring import Rule
from pale_ember.core.effect.tree import with_new_child, with_offspring, with_trail
from pale_ember.core.effect.values import fixed
from pale_ember.core.insight.sentences import value_told
from pale_ember.core.words.arithmetic import NotANumber
from pale_ember.core.words.phrases.phrase import N, R, phrase, phrases_in, range_of, whole_phrase, with_one_more, with_values
from pale_ember.core.words.scene import Scene, Wish

_WHEN = (
    rf"at a touch|on (?:collision|touch|impact)|when it (?:touches|hits)|at its end|on death|when it (?:ends|dies)"
    rf"|at birth|when (?:it is )?born|(?:at (?:each|a) strike|when it strikes)|(?:at its branches|when it branches)|every ({N})\s*(m|s)\b"
)


def _when(text: str | None) -> str:
    plain = text or "at a touch"
    if plain.startswith("every"):
        return "by distance" if plain.rstrip().endswith("m") else "by time"
    if "born" in plain or "birth" in plain:
        return "born"
    if "strike" in plain or "branch" in plain:
        return "strikes" if "strike" in plain else "branches"
    return "ends" if "end" in plain or "die" in plain or "death" in plain else "touches"


@phrase(r"leaves nothing behind", "rules", "offspring", "rules")
def _leaves_nothing(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    return with_values(layer, (("offspring", "rules"), ()))


@phrase(
    rf"(?:when it (touches|ends|strikes|branches)|when it is (born)|every ({N}) (m|s)) it spawns "
    rf"(?:(nothing), for no layer is chosen|({R}) of ([^,.;]+?))"
    rf"(?: with a chance of ({N})\s*%)?(?: ({R}) s later)?(?: over ({N}) s)?(?=[.,;]|$)",
    "rules",
    "offspring",
    "rules",
)
def _rule(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    child = "" if said[5] else layer_named(scene, said[7])
    if child is None:
        raise NotANumber("there is no layer of that name")
    when = said[1] or said[2] or ("by distance" if said[4] == "m" else "by time")
    told: dict[str, Any] = {"when": when, "layer": child, "chance": min(float(said[8] or 100) / 100, 1.0)}
    told |= {"interval": max(float(said[3]), 0.001)} if said[3] else {}
    told |= {"count": range_of(said[6])} if said[6] else {}
    told |= {"delay": range_of(said[9]) if said[9] else fixed(0.0), "goes_on": float(said[10] or 0.0)}
    return with_one_more(layer, ("offspring", "rules"), Rule(), told, scene)


def layer_named(scene: Scene, name: str) -> str | None:
    """The id of the layer of a name, however it is written; of one that begins so where there is just one."""
    plain = " ".join(name.lower().split())
    exact = [layer.id for layer in scene.effect.layers if layer.name.lower() == plain]
    begun = [layer.id for layer in scene.effect.layers if layer.name.lower().startswith(plain)]
    return exact[0] if exact else begun[0] if len(begun) == 1 else None


@whole_phrase(rf"spawns? (?:({R}) (?:of )?)?(?!nothing)([a-z][\w' -]*?)(?:\s*,?\s*({R}))?(?:\s*,?\s*({_WHEN}))?(?=\s*(?:[,.;]|$))")
def _spawns(scene: Scene, said: re.Match[str]) -> Wish | None:
    """A rule to a layer by its name, or to a new one of a starting point, which is then born only there."""
    parent, name, count = scene.layer, said[2].strip(), said[1] or said[3]
    known = layer_named(scene, name)
    start = next((each for each in scene.starts if each.lower() == name), None)
    start = start or next((each for each in scene.starts if each.lower().startswith(name)), None)
    if parent is None or (known is None and start is None) or known == parent.id:
        return None
    when, interval = _when(said[4]), said[5]

    def does(effect: Effect, chosen: Any) -> Effect:
        child = known
        if child is None:
            effect, child = with_new_child(effect, scene.starts[start or ""]())
        for identity in chosen:
            if layer_of(effect, identity) is None or identity == child:
                continue
            effect = with_offspring(effect, identity, child, when)
            place = index_of(effect, identity)
            path: Path = ("layers", place, "offspring", "rules", len(effect.layers[place].offspring.rules) - 1)
            if count:
                effect = with_value(effect, (*path, "count"), range_of(count))
            if interval:
                effect = with_value(effect, (*path, "interval"), max(float(interval), 0.001))
        return effect

    whose = f"{start}, a new layer" if known is None else (layer_of(scene.effect, known) or parent).name
    rules = len(parent.offspring.rules)
    return Wish("spawns", "Offspring", Layer, ("offspring", "rules"), value_told(rules, ""), f"{whose} {said[4] or 'at a touch'}", does)


@whole_phrase(r"(?:leaves |with )?(?:a )?trails?(?: behind (?:each|its particles|them))?(?=\s*(?:[,.;]|$))")
def _trail(scene: Scene, said: re.Match[str]) -> Wish | None:
    """A layer more that follows each particle."""
    if scene.layer is None:
        return None

    def does(effect: Effect, chosen: Any) -> Effect:
        for identity in chosen:
            effect = with_trail(effect, identity)[0] if layer_of(effect, identity) is not None else effect
        return effect

    return Wish("trail", "Offspring", Layer, ("offspring", "rules"), "", f"{scene.layer.name} trail, a new layer", does)


PHRASES = phrases_in(globals())
