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


def begun(text: str) -> str:
    """A text with a capital to begin with; what artists named keeps its own."""
    return text[:1].upper() + text[1:]


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


def burst(burst: Burst) -> str:
    """A burst in words."""
    count = span(burst.count, "")
    times = f", {burst.times} times every {number(burst.every)} s" if burst.times > 1 else ""
    chance = f" with a chance of {number(burst.chance * 100)} %" if burst.chance < 1 else ""
    return f"{count} at once at {number(burst.first_at)} s{times}{chance}"


def _flow(effect: Effect, layer: Layer) -> str:
    rate = layer.outlet.rate
    start, length = active_span(effect, layer)
    when = "" if length >= effect.duration else f" from {number(start)} to {number(start + length)} s"
    told = {"per second": "{} a second", "seconds between": "one every {} s", "kept alive": "{} kept alive"}
    over = ", changing over time" if layer.outlet.rate_curve is not None else ""
    return told[layer.outlet.rate_counts].format(span(rate, "")) + when + over


def outlet(effect: Effect, layer: Layer) -> str:
    parts = []
    if layer.outlet.rate.most > 0:
        parts.append(_flow(effect, layer))
    bursts = layer.outlet.bursts
    if len(bursts) == 1:
        parts.append(burst(bursts[0]))
    elif bursts:
        total = sum(each.count.most * each.times for each in bursts)
        parts.append(f"{len(bursts)} bursts, {number(total)} in all,")
    if layer.outlet.per_metre > 0:
        parts.append(f"{number(layer.outlet.per_metre)} a metre")
    feeders = [parent.name for parent, _ in fed_by(effect, layer)]
    if feeders:
        parts.append("what " + " and ".join(feeders) + " leaves")
    if not parts:
        return "Spawns nothing: no rate and no bursts."
    return begun(f"{' and '.join(parts)} from {shape_told(layer.outlet, number)}, {_aim(layer)}.")


def birth(effect: Effect, layer: Layer) -> str:
    born = layer.birth
    glow = (
        f", {span(born.brightness, '')} times bright" if born.brightness.most != 1 or born.brightness.least != 1 else ""
    )
    return f"Each lives {span(born.lifetime, 's')}, leaves at {span(born.speed, 'm/s')}, {span(born.size, 'm')} wide{glow}."


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
        parts.append(_course(lanes.speed, "speeds up", "slows down", "keeps its speed"))
    for lane in lanes.more:
        what = lane.name if lane.drives == "named" and lane.name else lane.drives
        parts.append(f"{what} follows {lane.over}")
    if not parts:
        return "Nothing changes as it ages."
    return begun(", ".join(parts) + ".")


def forces(effect: Effect, layer: Layer) -> str:
    pushes = layer.forces
    parts = []
    x, y, z = pushes.gravity
    if (x, z) == (0, 0) and y:
        parts.append(f"{'rises' if y > 0 else 'falls'} at {number(abs(y))} m/s²")
    elif any(pushes.gravity):
        parts.append("is pulled by " + ", ".join(number(part) for part in pushes.gravity) + " m/s²")
    if pushes.drag > 0:
        parts.append(f"is held by drag {number(pushes.drag)}")
        if any(pushes.wind):
            parts.append("blown by wind")
        if pushes.turbulence > 0:
            parts.append(f"stirred at {number(pushes.turbulence)} m/s by eddies of {number(pushes.eddy)} m")
    for force in pushes.more:
        if force.on:
            parts.append(force.told if force.region == "everywhere" else f"{force.told} {force.region}")
    if not parts:
        return "Nothing pushes it."
    return begun(", ".join(parts) + ".")


def contact(effect: Effect, layer: Layer) -> str:
    met = layer.contact
    what = " and ".join(met.surfaces) if met.surfaces else "the ground"
    if not met.surfaces and any(prop.solid for prop in effect.stage.props):
        what = "whatever it meets"
    if met.meets == "pass":
        return "Passes through everything."
    if met.meets == "end":
        return f"Ends at {what}."
    if met.meets == "stick":
        return f"Sticks to {what}."
    older = f", ages by {number(met.ageing * 100)} % of its life" if met.ageing > 0 else ""
    return (
        f"Bounces off {what} with {number(met.bounce * 100)} % of its speed, "
        f"slides with {number(met.slide * 100)} %{older}."
    )


def rule(effect: Effect, rule: Rule) -> str:
    """An offspring rule in words."""
    child = layer_of(effect, rule.layer)
    every = f"Every {number(rule.interval)} {'m' if rule.when == 'by distance' else 's'}"
    told = {"born": "When it is born", "touches": "When it touches", "ends": "When it ends"}
    when = told.get(rule.when, every)
    what = "nothing, for no layer is chosen" if child is None else f"{span(rule.count, '')} of {child.name}"
    chance = f" with a chance of {number(rule.chance * 100)} %" if rule.chance < 1 else ""
    later = f" {span(rule.delay, 's')} later" if rule.delay.most > 0 else ""
    return f"{when} it spawns {what}{chance}{later}"


def offspring(effect: Effect, layer: Layer) -> str:
    rules = layer.offspring.rules
    if not rules:
        return "Leaves nothing behind."
    return ". ".join(rule(effect, each) for each in rules) + "."


def look(effect: Effect, layer: Layer) -> str:
    worn = layer.look
    name = worn.picture.partition(":")[2] or worn.picture
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
        "behind anchor": "a ribbon behind its anchor", "between anchors": "a ribbon between two anchors",
    }  # fmt: skip
    frames = f", {worn.columns * worn.rows} frames {worn.play}" if worn.columns * worn.rows > 1 else ""
    if worn.drawn_as == "beam":
        begin = f"{name} along a beam, {blends[worn.blend]}"
    elif worn.drawn_as == "ribbon":
        begin = f"{name} on {paths[worn.ribbon.path]}, {blends[worn.blend]}"
    elif worn.drawn_as == "mesh":
        mesh = worn.solid.mesh.partition(":")[2] or worn.solid.mesh
        turned = "tumbling" if worn.solid.tumbles else facings[worn.facing]
        begin, frames = f"{mesh} as a mesh in {name}, {turned}, {blends[worn.blend]}", ""
    else:
        begin = f"{name} {facings[worn.facing]}, {blends[worn.blend]}"
    told = {
        "glowing at its edge": worn.surface.edge_glow > 0, "dissolving": bool(worn.dissolve.picture),
        "warped": bool(worn.surface.warp), "shimmering": worn.surface.shimmer > 0, "lit by the stage": worn.light.lit > 0,
    }  # fmt: skip
    more = "".join(f", {text}" for text, holds in told.items() if holds)
    return begun(f"{begin}{frames}{more}.")


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
