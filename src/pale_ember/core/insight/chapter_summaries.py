"""What each chapter of a layer says, in a few words: for a line that tells them all."""

from __future__ import annotations

from collections.abc import Callable

from pale_ember.core.effect.edit import layer_of
from pale_ember.core.effect.forces import AnyForce
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.tree import fed_by
from pale_ember.core.insight.sentences import number, span, value_told

Brief = list[str]
"""What is said first matters most: where there is no room for all, the rest is left out."""


def _place(effect: Effect, layer: Layer) -> Brief:
    many = len(layer.places.listed())
    told = [f"{number(many)} places"] if many > 1 else []
    carrier = layer_of(effect, layer.rides_on)
    told += [f"rides on {carrier.name}"] if carrier is not None else []
    told += [f"{len(layer.keys)} keys"] if layer.keys else []
    return [*told, f"{value_told(layer.place, 'm')} m"]


def _outlet(effect: Effect, layer: Layer) -> Brief:
    outlet = layer.outlet
    told = []
    if outlet.rate.most > 0:
        unit = {"per second": "a second", "kept alive": "alive", "seconds between": "s between"}[outlet.rate_counts]
        told.append(f"{span(outlet.rate, '')} {unit}")
    if outlet.bursts:
        bursts = outlet.bursts
        told.append(f"{span(bursts[0].count, '')} at once" if len(bursts) == 1 else f"{len(bursts)} bursts")
    if outlet.per_metre > 0:
        told.append(f"{number(outlet.per_metre)} a metre")
    if fed_by(effect, layer):
        told.append("spawned")
    return [*(told or ["nothing"]), outlet.shape]


def _birth(effect: Effect, layer: Layer) -> Brief:
    born = layer.birth
    return [span(born.lifetime, "s"), span(born.speed, "m/s"), span(born.size, "m")]


def _life(effect: Effect, layer: Layer) -> Brief:
    lanes = [name for name in ("size", "colour", "brightness", "opacity", "speed") if getattr(layer.life, name) is not None]
    return [*lanes, *(lane.drives for lane in layer.life.more)] or ["nothing"]


def _forces(effect: Effect, layer: Layer) -> Brief:
    pushes = layer.forces
    x, y, z = pushes.gravity
    told = []
    if any(pushes.gravity):
        told.append(f"{'rises' if y > 0 else 'falls'} {number(abs(y))} m/s²" if not x and not z and y else "gravity")
    told += ["drag"] if pushes.drag > 0 else []
    told += ["wind"] if pushes.drag > 0 and any(pushes.wind) else []
    told += ["turbulence"] if pushes.drag > 0 and pushes.turbulence > 0 else []
    return [*told, *(_kind(force) for force in pushes.more if force.on)] or ["nothing"]


def _kind(force: AnyForce) -> str:
    return getattr(force, "kind", "force")


def _contact(effect: Effect, layer: Layer) -> Brief:
    return [{"pass": "passes", "end": "ends", "stick": "sticks"}.get(layer.contact.meets, "bounces")]


def _offspring(effect: Effect, layer: Layer) -> Brief:
    children = [layer_of(effect, rule.layer) for rule in layer.offspring.rules]
    return list(dict.fromkeys(child.name for child in children if child is not None)) or ["nothing"]


def _look(effect: Effect, layer: Layer) -> Brief:
    worn = layer.look
    drawn = [] if worn.drawn_as == "sprite" else [worn.drawn_as]
    return [*drawn, worn.picture.partition(":")[2] or worn.picture, worn.blend]


BRIEFS: dict[str, Callable[[Effect, Layer], Brief]] = {
    "place": _place,
    "outlet": _outlet,
    "birth": _birth,
    "life": _life,
    "forces": _forces,
    "contact": _contact,
    "offspring": _offspring,
    "look": _look,
}
