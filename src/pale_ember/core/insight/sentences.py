"""A layer told in plain words: one sentence a chapter, made from its values."""

from __future__ import annotations

from collections.abc import Callable

from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.values import Curve, Range
from pale_ember.core.simulate.plan import active_span


def number(value: float) -> str:
    """A number short enough for a sentence."""
    text = f"{value:.3g}" if abs(value) < 1000 else f"{value:.0f}"
    return f"{float(text):g}" if "e" not in text else text


def span(value: Range, unit: str) -> str:
    gap = "" if unit in ("°", "") else " "
    if value.fixed:
        return f"{number(value.low)}{gap}{unit}"
    return f"{number(value.low)} – {number(value.high)}{gap}{unit}"


def _shape(layer: Layer) -> str:
    outlet = layer.outlet
    if outlet.shape == "point":
        return "a point"
    if outlet.shape == "box":
        return "a box of " + " × ".join(number(part) for part in outlet.extent) + " m"
    where = "the rim of " if outlet.fill == 0 else "a shell of " if outlet.fill < 0.5 else ""
    return f"{where}a {outlet.shape} of {number(outlet.radius)} m"


def _aim(layer: Layer) -> str:
    outlet = layer.outlet
    if outlet.aim == "anywhere":
        return "in every direction"
    if outlet.aim == "outward":
        return f"outward ±{number(outlet.spread)}°"
    x, y, z = outlet.axis
    way = "along its axis"
    if x == 0 and z == 0 and y:
        way = "upward" if y > 0 else "downward"
    return f"{way} ±{number(outlet.spread)}°"


def outlet(effect: Effect, layer: Layer) -> str:
    parts = []
    if layer.outlet.rate > 0:
        start, length = active_span(effect, layer.outlet)
        when = "" if length >= effect.duration else f" from {number(start)} to {number(start + length)} s"
        parts.append(f"{number(layer.outlet.rate)} a second{when}")
    bursts = layer.outlet.bursts
    if len(bursts) == 1:
        parts.append(f"{bursts[0].count} at once at {number(bursts[0].time)} s")
    elif bursts:
        parts.append(f"{len(bursts)} bursts, {sum(burst.count for burst in bursts)} in all,")
    if not parts:
        return "Bears nothing: no rate and no bursts."
    return f"{' and '.join(parts)} from {_shape(layer)}, {_aim(layer)}."


def birth(effect: Effect, layer: Layer) -> str:
    one = layer.birth
    glow = f", {span(one.brightness, '')} times bright" if one.brightness.high != 1 or one.brightness.low != 1 else ""
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
    if not parts:
        return "Nothing pushes it."
    return (", ".join(parts) + ".").capitalize()


def contact(effect: Effect, layer: Layer) -> str:
    one = layer.contact
    if one.ground == "pass":
        return "Meets nothing."
    if one.ground == "end":
        return "Ends at the ground."
    return f"Bounces off the ground with {number(one.bounce * 100)} % of its speed, slides with {number(one.slide * 100)} %."


def look(effect: Effect, layer: Layer) -> str:
    one = layer.look
    name = one.picture.partition(":")[2] or one.picture
    blends = {"additive": "adding its light", "alpha": "covering", "multiply": "darkening"}
    facing = "along its motion" if one.facing == "along motion" else "facing the camera"
    frames = f", {one.columns * one.rows} frames {one.play}" if one.columns * one.rows > 1 else ""
    return f"{name[:1].upper()}{name[1:]} {facing}, {blends[one.blend]}{frames}."


SENTENCES: dict[str, Callable[[Effect, Layer], str]] = {
    "outlet": outlet,
    "birth": birth,
    "life": life,
    "forces": forces,
    "contact": contact,
    "look": look,
}
"""The sentence of each chapter, by its field in the layer."""
