"""NOTES.md: an effect told to the programmer who plays it."""

from __future__ import annotations

import math

from pale_ember.core.effect.model import Effect, Layer, Stage
from pale_ember.core.effect.story import STORY
from pale_ember.core.insight.effect_cost import EffectCost
from pale_ember.core.insight.sentences import number, sentence


def notes(effect: Effect, stage: Stage, slugs: dict[str, str], cost: EffectCost, advice: list[str], credits: list[str]) -> bytes:
    """The notes of an effect that was handed. stage : where it was tuned. slugs : by the ids of layers."""
    whole = f"{number(effect.duration / effect.tempo)} s"
    kind = f"a loop of {whole}" if effect.loop else f"plays once, {whole}"
    lines = [f"# {effect.name}", "", f"{kind[0].upper()}{kind[1:]}; at most {cost.most} particles live at once.", ""]
    lines += ["## What the game does", "", *_begins(effect), ""]
    if effect.cues:
        lines += ["## What the game is told", ""]
        lines += [f"- **{cue.name}** at {number(cue.at)} s: {_cue_told(cue)}." for cue in effect.cues]
        lines.append("")
    if effect.stage.anchors:
        lines += ["## Places the game gives", ""]
        lines += [f"- **{anchor.name}**: its place and turn, each step." for anchor in effect.stage.anchors] + [""]
    lines += ["## Layers", ""]
    for layer in effect.layers:
        drawn = "" if layer.shown else ", not drawn: it carries or spawns others"
        lines += [f"### {layer.name} (`{slugs[layer.id]}`){drawn}", ""]
        lines += [f"- *{chapter}*: {_capital(sentence(chapter, effect, layer))}" for chapter in STORY]
        lines += [f"- {said}" for said in _must_know(effect, layer, stage)] + [""]
    if advice:
        lines += ["## Worth a look", "", *(f"- {said}" for said in advice), ""]
    if credits:
        lines += ["## Whose it is", "", *(f"- {said}" for said in credits), ""]
    lines += ["How every number is meant, and how to play it, stands in *Hand-over* of Pale Ember's documents.", ""]
    return "\n".join(lines).encode()


def _capital(text: str) -> str:
    # A file's name stays as it is.
    first = text.partition(" ")[0]
    return text if "/" in first or "." in first.rstrip(".,;") else text[:1].upper() + text[1:]


def _begins(effect: Effect) -> list[str]:
    answers, named = effect.answers, effect.answers.named()
    lines = ["- It plays as soon as it is in the game." if answers.by_itself else "- It waits for its start."]
    if answers.delay > 0:
        lines.append(f"- It begins {number(answers.delay)} s after its start.")
    does = {
        "start": "restarts",
        "stop": "is removed at once",
        "end softly": "stops spawning; live particles finish",
        "strength": "spawns that share of what it would, from 0 to 1",
    }
    lines += [f"- On **{name}** it {does[what]}." for what, name in named.items()]
    return lines


def _cue_told(cue) -> str:
    strength = f", {number(cue.strength)} × as strong as it was made" if cue.strength != 1 else ""
    if cue.what == "sound":
        return f"the sound **{cue.sound or cue.name}**{strength}"
    return {"shake": f"a shake of the camera{strength}", "layer": "layers begin"}.get(cue.what, "a moment of the game's own")


def _gravity(layer: Layer, stage: Stage) -> str:
    """Which gravity and wind a layer in the world is to be given: it was tuned with its own and the stage's together."""
    own, given = (number(math.hypot(*pull)) for pull in (layer.forces.gravity, stage.gravity))
    mine = f"its own gravity is {own} m/s²" if own != "0" else "it has no gravity of its own"
    if given != "0":
        told = f"It was tuned in a world with a gravity of {given} m/s²: give it the game's ({mine}, on top of that)"
        return f"{told}, and the game's wind."
    return f"It was tuned in a world without gravity: give it none ({mine}). The game's wind is added to its own."


def _must_know(effect: Effect, layer: Layer, stage: Stage) -> list[str]:
    """What a layer needs of the game besides its fields."""
    said = []
    if layer.contact.meets != "pass":
        surfaces = ", ".join(layer.contact.surfaces) or "whatever is solid"
        said.append(f"It meets {surfaces}: the game gives the surfaces.")
    if layer.space == "world":
        said.append(_gravity(layer, stage))
    if layer.look.light.lit > 0:
        said.append("It is lit by the game's lights.")
    if layer.outlet.per_metre > 0:
        said.append("It spawns by the metre that it is carried: it must be told where it is each step.")
    if any(lane.over == "camera distance" for lane in layer.life.more):
        said.append("Some of its lanes run over the distance to the camera.")
    return said
