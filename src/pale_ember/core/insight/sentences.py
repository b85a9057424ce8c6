"""A layer told in plain words: one sentence a chapter, made from its values."""

from __future__ import annotations

from collections.abc import Callable

from pale_ember.core.effect.bursts import Burst
from pale_ember.core.effect.edit import layer_of
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.offspring import Rule
from pale_ember.core.effect.shapes import told as shape_told
from pale_ember.core.effect.tree import fed_by
from pale_ember.core.effect.values import Curve, Range
from pale_ember.core.simulate.rates import active_span


def number(value: float) -> str:
    """A number short enough for a sentence."""
    text = f"{value:.3g}" if abs(value) < 1000 else f"{value:.0f}"
    return f"{float(text):g}" if "e" not in text else text


def span(value: Range, unit: str) -> str:
    gap = "" if unit in ("°", "") else " "
    if value.choices:
        return "one of " + ", ".join(number(choice) for choice in value.choices) + f"{gap}{unit}"
    if value.fixed:
        return f"{number(value.low)}{gap}{unit}"
    return f"{number(value.low)} – {number(value.high)}{gap}{unit}"


def _aim(layer: Layer) -> str:
    outlet = layer.outlet
    spread = f" ±{number(outlet.spread)}°" if outlet.spread else ""
    if outlet.aim == "anywhere" or outlet.wander >= 1:
        return "in every direction"
    if outlet.aim in ("towards point", "away from point"):
        return f"{outlet.aim.replace(' point', '')} a point{spread}"
    if outlet.aim == "along surface":
        return f"along its surface{spread}"
    if outlet.aim == "outward":
        return f"outward{spread}"
    x, y, z = outlet.axis
    way = "along its axis"
    if x == 0 and z == 0 and y:
        way = "upward" if y > 0 else "downward"
    return f"{way}{spread}"


def burst(one: Burst) -> str:
    """A burst in words."""
    count = span(one.count, "")
    times = f", {one.repeats} times every {number(one.every)} s" if one.repeats > 1 else ""
    chance = f" with a chance of {number(one.chance * 100)} %" if one.chance < 1 else ""
    return f"{count} at once at {number(one.time)} s{times}{chance}"


def _flow(effect: Effect, layer: Layer) -> str:
    rate = layer.outlet.rate
    start, length = active_span(effect, layer)
    when = "" if length >= effect.duration else f" from {number(start)} to {number(start + length)} s"
    told = {"per second": "{} a second", "seconds between": "one every {} s", "kept alive": "{} kept alive"}
    over = ", changing over time" if layer.outlet.flow is not None else ""
    return told[layer.outlet.rate_is].format(span(rate, "")) + when + over


def outlet(effect: Effect, layer: Layer) -> str:
    parts = []
    if layer.outlet.rate.most > 0:
        parts.append(_flow(effect, layer))
    bursts = layer.outlet.bursts
    if len(bursts) == 1:
        parts.append(burst(bursts[0]))
    elif bursts:
        total = sum(one.count.most * one.repeats for one in bursts)
        parts.append(f"{len(bursts)} bursts, {number(total)} in all,")
    if layer.outlet.per_metre > 0:
        parts.append(f"{number(layer.outlet.per_metre)} a metre")
    feeders = [parent.name for parent, _ in fed_by(effect, layer)]
    if feeders:
        parts.append("what " + " and ".join(feeders) + " leaves")
    if not parts:
        return "Bears nothing: no rate and no bursts."
    return f"{' and '.join(parts)} from {shape_told(layer.outlet, number)}, {_aim(layer)}."


def birth(effect: Effect, layer: Layer) -> str:
    one = layer.birth
    glow = f", {span(one.brightness, '')} times bright" if one.brightness.most != 1 or one.brightness.least != 1 else ""
    return (
        f"Each lives {span(one.lifetime, 's')}, leaves at {span(one.speed, 'm/s')}, {span(one.size, 'm')} wide{glow}."
    )


def _course(curve: Curve, up: str, down: str, steady: str) -> str:
    values = [key.value for key in curve.keys]
    top = max(values)
    inner = 0 < values.index(top) < len(values) - 1
    if max(values) - min(values) < 1e-3:
        return steady
    if inner and values[0] < top and values[-1] < top:
        return f"{up}, then {down}"
    return up if values[-1] > values[0] else down


def life(effect: Effect, layer: Layer) -> str:
    lanes = layer.life
    parts = []
    if lanes.size is not None:
        parts.append(_course(lanes.size, "swells", "shrinks", "keeps its size"))
    if lanes.colour is not None:
        count = len(lanes.colour.stops)
        parts.append(f"runs through {count} colours" if count > 1 else "keeps one colour")
    if lanes.brightness is not None:
        parts.append(_course(lanes.brightness, "brightens", "dims", "keeps its brightness"))
    if lanes.opacity is not None:
        parts.append(_course(lanes.opacity, "fades in", "fades out", "keeps its opacity"))
    if lanes.speed is not None:
        parts.append(_course(lanes.speed, "speeds up", "slows down", "keeps its pace"))
    for lane in lanes.more:
        what = lane.name if lane.drives == "named" and lane.name else lane.drives
        parts.append(f"{what} follows {lane.over}")
    if not parts:
        return "Nothing changes as it ages."
    return (", ".join(parts) + ".").capitalize()


def forces(effect: Effect, layer: Layer) -> str:
    one = layer.forces
    parts = []
    x, y, z = one.gravity
    if (x, z) == (0, 0) and y:
        parts.append(f"{'rises' if y > 0 else 'falls'} at {number(abs(y))} m/s²")
    elif any(one.gravity):
        parts.append("is pulled by " + ", ".join(number(part) for part in one.gravity) + " m/s²")
    if one.drag > 0:
        parts.append(f"is held by drag {number(one.drag)}")
        if any(one.wind):
            parts.append("blown by wind")
        if one.turbulence > 0:
            parts.append(f"stirred at {number(one.turbulence)} m/s by eddies of {number(one.eddy)} m")
    for force in one.more:
        if force.on:
            parts.append(force.told if force.region == "everywhere" else f"{force.told} {force.region}")
    if not parts:
        return "Nothing pushes it."
    return (", ".join(parts) + ".").capitalize()


def contact(effect: Effect, layer: Layer) -> str:
    one = layer.contact
    what = " and ".join(one.surfaces) if one.surfaces else "the ground"
    if not one.surfaces and any(prop.solid for prop in effect.stage.props):
        what = "whatever it meets"
    if one.meets == "pass":
        return "Meets nothing."
    if one.meets == "end":
        return f"Ends at {what}."
    if one.meets == "stick":
        return f"Sticks to {what}."
    older = f", ages by {number(one.ageing * 100)} % of its life" if one.ageing > 0 else ""
    return (
        f"Bounces off {what} with {number(one.bounce * 100)} % of its speed, "
        f"slides with {number(one.slide * 100)} %{older}."
    )


def rule(effect: Effect, one: Rule) -> str:
    """An offspring rule in words."""
    child = layer_of(effect, one.layer)
    each = f" {number(one.each)} m" if one.when == "every metre" else f" {number(one.each)} s"
    told = {"born": "When it is born", "touches": "When it touches", "ends": "When it ends"}
    when = told.get(one.when) or f"Every{each}"
    what = "nothing, for no layer is chosen" if child is None else f"{span(one.count, '')} of {child.name}"
    chance = f" with a chance of {number(one.chance * 100)} %" if one.chance < 1 else ""
    later = f" {span(one.delay, 's')} later" if one.delay.most > 0 else ""
    return f"{when} it bears {what}{chance}{later}"


def offspring(effect: Effect, layer: Layer) -> str:
    rules = layer.offspring.rules
    if not rules:
        return "Leaves nothing behind."
    return ". ".join(rule(effect, one) for one in rules) + "."


def look(effect: Effect, layer: Layer) -> str:
    one = layer.look
    name = one.picture.partition(":")[2] or one.picture
    blends = {
        "additive": "adding its light", "alpha": "covering", "premultiplied": "covering and adding its light",
        "screen": "adding its light up to white", "multiply": "darkening", "cut-out": "cut out hard",
    }  # fmt: skip
    facings = {
        "to camera": "facing the camera", "upright": "standing upright", "along motion": "along its motion",
        "across motion": "facing its motion", "flat": "lying flat", "free": "turned with its layer",
    }  # fmt: skip
    paths = {
        "behind each": "a ribbon behind each", "through all": "a ribbon through all",
        "behind anchor": "a ribbon behind its anchor", "between anchors": "a strip between two anchors",
    }  # fmt: skip
    frames = f", {one.columns * one.rows} frames {one.play}" if one.columns * one.rows > 1 else ""
    if one.drawn_as == "beam":
        begin = f"{name} along a beam, {blends[one.blend]}"
    elif one.drawn_as == "ribbon":
        begin = f"{name} on {paths[one.ribbon.path]}, {blends[one.blend]}"
    elif one.drawn_as == "mesh":
        mesh = one.solid.mesh.partition(":")[2] or one.solid.mesh
        turned = "tumbling" if one.solid.tumbles else facings[one.facing]
        begin, frames = f"{mesh} as a mesh in {name}, {turned}, {blends[one.blend]}", ""
    else:
        begin = f"{name} {facings[one.facing]}, {blends[one.blend]}"
    told = {
        "glowing at its edge": one.surface.edge_glow > 0, "eaten away": bool(one.wear.eaten_by),
        "warped": bool(one.surface.warp), "shimmering": one.surface.haze > 0, "lit by the stage": one.light.lit > 0,
    }  # fmt: skip
    more = "".join(f", {text}" for text, holds in told.items() if holds)
    return f"{begin[:1].upper()}{begin[1:]}{frames}{more}."


SENTENCES: dict[str, Callable[[Effect, Layer], str]] = {
    "outlet": outlet,
    "birth": birth,
    "life": life,
    "forces": forces,
    "contact": contact,
    "offspring": offspring,
    "look": look,
}
"""The sentence of each chapter, by its field in the layer."""
