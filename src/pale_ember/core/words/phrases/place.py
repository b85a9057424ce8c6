"""Where a layer stands, and what an effect has besides."""

from __future__ import annotations

import re
from typing import Any

from msgspec.structs import replace

from pale_ember.core.effect.events import Cue
from pale_ember.core.effect.hours import HOURS, at_hour
from pale_ember.core.effect.model import Effect, Layer, Pose, Stage
from pale_ember.core.effect.pose_keys import key_near
from pale_ember.core.words.phrases.phrase import COUNTS, END, XYZ, N, phrase, phrases_in, vector_of, whole_phrase, with_values
from pale_ember.core.words.scene import Scene, Wish


@phrase(rf"(?:stands )?(?:at |place )?({XYZ})(?: m)?(?=[,.;]|$| turned)", "place", "place")
def _place(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    return with_values(layer, (("place",), vector_of(said[1])))


@phrase(rf"turned ({XYZ})\s*°?", "turn", "turn")
def _turn(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    return with_values(layer, (("turn",), vector_of(said[1])))


@phrase(rf"(?P<what>scale|tempo) (?P<by>{N})\s*(?:×|x\b)", "scale", "scale")
def _factor(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    return with_values(layer, ((said["what"],), float(said["by"])))


@phrase(r"in (the world|its own space|world space|local space)", "space", "space")
def _space(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    return with_values(layer, (("space",), "world" if "world" in said[1] else "local"))


@phrase(
    rf"(?:on |at )?(?:(\d+|{'|'.join(COUNTS)}) (?:places|[a-z]+)?\s*)?in a (ring|row)(?: of (?:radius )?({N})(?: m)?)?",
    "on places",
    "places",
    "lie",
)
def _places(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    told: dict[str, Any] = {"lie": said[2]}
    if said[1]:
        told["count"] = min(int(COUNTS.get(said[1], 0) or said[1]), 256)
    if said[3]:
        told["radius" if said[2] == "ring" else "step"] = float(said[3]) if said[2] == "ring" else (float(said[3]), 0.0, 0.0)
    return replace(layer, places=replace(layer.places, **told))


@phrase(r"on (\d+) places(?! in)", "on places", "places", "count")
def _many(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    lie = "ring" if layer.places.lie == "one" else layer.places.lie
    return replace(layer, places=replace(layer.places, lie=lie, count=min(int(said[1]), 256)))


@phrase(r"turned by its (keys|travel|target)", "turns with", "turns_with")
def _turns_with(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    return replace(layer, turns_with=said[1])


@phrase(r"with \d+ keys?", "keys", "keys")
def _keys(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    """How many keys there are is told, and not which: they stay as they were."""
    return layer if scene.before is None else replace(layer, keys=scene.before.keys)


@phrase(rf"key(?: its place)? ({XYZ})(?: m)? at ({N})\s*s?", "keys", "keys")
def _key(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    at, place = float(said[2]), vector_of(said[1])
    known = key_near(layer.keys, at)
    others = tuple(key for i, key in enumerate(layer.keys) if i != known)
    return replace(layer, keys=tuple(sorted((*others, Pose(at=at, place=place)), key=lambda key: key.at)))


@whole_phrase(rf"cue ([a-z][\w ]*?) at ({N})\s*s?{END}")
def _cue(scene: Scene, said: re.Match[str]) -> Wish:
    name, at = scene.line[said.start(1) : said.end(1)].strip().replace(" ", "_"), float(said[2])

    def does(effect: Effect, chosen: Any) -> Effect:
        cue = Cue(name=name, at=min(max(at, 0.0), effect.duration))
        others = tuple(each for each in effect.cues if each.name != name)
        return replace(effect, cues=tuple(sorted((*others, cue), key=lambda each: each.at)))

    return Wish("cue", "effect", Effect, ("cues",), "", f"{name} at {at:g} s", does)


@whole_phrase(rf"(?:(?:at|by|on a|in the light of) )?({'|'.join(HOURS)}|noon)(?: light)?{END}")
def _hour(scene: Scene, said: re.Match[str]) -> Wish:
    """The light and the air of an hour."""
    hour = said[1] if said[1] in HOURS else "grey noon"

    def does(effect: Effect, chosen: Any) -> Effect:
        return replace(effect, stage=at_hour(effect.stage, hour))

    return Wish("light of the stage", "stage", Stage, ("sun",), "", hour, does)


PHRASES = phrases_in(globals())
