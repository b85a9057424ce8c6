"""A layer told in plain words: one sentence a chapter, made of pieces, so that a value in it can be changed where it
stands."""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable
from dataclasses import dataclass
from string import Formatter
from typing import Any

import numpy as np

from pale_ember.core.effect.bursts import Burst
from pale_ember.core.effect.edit import Path, layer_of
from pale_ember.core.effect.fields import Part, fields_of
from pale_ember.core.effect.forces import Radial
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.offspring import Rule
from pale_ember.core.effect.shapes import SHAPES, faces_of
from pale_ember.core.effect.tree import fed_by
from pale_ember.core.effect.values import Curve, Gradient, PerAxis, Range
from pale_ember.core.insight.colours import colour_told
from pale_ember.core.simulate.plan import turn_matrix
from pale_ember.core.simulate.rates import active_span


@dataclass(frozen=True, slots=True)
class Piece:
    """A piece of a sentence: its words, and the path of the layer's field whose value they are, if any."""

    text: str
    path: Path = ()


Told = list[Piece]
"""A sentence, or a part of one."""


def plainly(told: Told) -> str:
    """The words of a sentence alone."""
    return "".join(piece.text for piece in told)


def number(value: float) -> str:
    """A number short enough for a sentence."""
    text = f"{value:.3g}" if abs(value) < 1000 else f"{value:.0f}"
    return f"{float(text):g}" if "e" not in text else text


def span(value: Range, unit: str) -> str:
    """A range in a few signs."""
    gap = "" if unit in ("°", "") else " "
    if value.choices:
        return "one of " + ", ".join(number(choice) for choice in value.choices) + f"{gap}{unit}"
    if value.fixed:
        return f"{number(value.low)}{gap}{unit}"
    return f"{number(value.low)} – {number(value.high)}{gap}{unit}"


def value_told(value: Any, unit: str) -> str:
    """A value of a field in a few signs; nothing where it cannot be told so."""
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, Range):
        return span(value, unit)
    if isinstance(value, (int, float)):
        gap = "" if unit in ("", "°", "×") else " "
        return f"{number(value)}{gap}{unit}"
    if isinstance(value, str):
        return value.partition(":")[2] or value
    if isinstance(value, tuple) and all(isinstance(part, (int, float)) for part in value):
        return ", ".join(number(part) for part in value)
    if isinstance(value, PerAxis):
        parts = [span(part, unit) for part in (value.x, value.y, value.z)]
        return parts[0] if len(set(parts)) == 1 else " × ".join(parts)
    if isinstance(value, (Curve, Gradient)):
        return f"{len(value.keys if isinstance(value, Curve) else value.stops)} points"
    if isinstance(value, tuple) and not all(isinstance(part, str) for part in value):
        return f"{len(value)} of them"
    return "" if isinstance(value, (Part, type(None))) else ", ".join(value)


def begun(told: Told) -> Told:
    """A sentence with a capital to begin with; files keep their own."""
    first = told[0]
    if "/" in first.text or "." in first.text:
        return told
    return [Piece(first.text[:1].upper() + first.text[1:], first.path), *told[1:]]


def _words(*parts: str | Piece | Told) -> Told:
    """Words and pieces, one behind the other."""
    told: Told = []
    for part in parts:
        told += [Piece(part)] if isinstance(part, str) else [part] if isinstance(part, Piece) else part
    return [piece for piece in told if piece.text]


def _joined(parts: list[Told], between: str = ", ") -> Told:
    """Parts of a sentence with something between each two."""
    told: Told = list(parts[0])
    for part in parts[1:]:
        told += [Piece(between), *part]
    return told


def _shape(layer: Layer) -> Told:
    """The outlet's shape, with the numbers that it has."""
    outlet = layer.outlet
    kind = SHAPES[outlet.shape]
    shown = {
        "length": number(outlet.length),
        "radius": number(outlet.radius),
        "extent": " × ".join(number(part) for part in outlet.extent),
        "mesh_part": outlet.mesh_part,
        "mesh": outlet.mesh.partition(":")[2] or outlet.mesh,
    }
    told: Told = []
    faces = faces_of(outlet.shape, outlet.faces)
    if faces != "all":
        told += _words("the ", Piece(faces, ("outlet", "faces")), " of ")
    if "arc" in kind.uses:
        edge = "the rim" if outlet.shape == "disc" else "the surface"
        where = edge if outlet.fill == 0 else "a shell" if outlet.fill < 0.5 else ""
        if where and faces == "all":
            told += _words(Piece(where, ("outlet", "fill")), " of ")
        if outlet.arc < 360:
            told += _words(Piece(f"{number(outlet.arc)}°", ("outlet", "arc")), " of ")
    shape = Piece(outlet.shape, ("outlet", "shape"))
    if outlet.shape == "mesh":
        shape = Piece("mesh", ("outlet", "shape"))
        told += _words("the ", Piece(shown["mesh_part"], ("outlet", "mesh_part")), " of the ", shape, " ")
        return told + [Piece(shown["mesh"], ("outlet", "mesh"))]
    told += _words("a ", shape)
    for words, field, _, _ in Formatter().parse(kind.told.partition(outlet.shape)[2]):
        if field:
            told += _words(words, Piece(f"{shown[field]} m", ("outlet", field)))
    if outlet.shape == "cylinder" and outlet.length == 0:
        told += _words(" that is flat")
    return told


def _aim(layer: Layer) -> Told:
    outlet = layer.outlet
    turned = Piece(f"±{span(outlet.spread, '°')}", ("outlet", "spread"))
    spread = _words(" ", turned) if outlet.spread.most else []

    def way(text: str) -> Piece:
        return Piece(text, ("outlet", "aim"))

    if outlet.aim == "anywhere" or outlet.wander >= 1:
        return [way("in every direction")]
    if outlet.aim in ("towards point", "away from point"):
        return _words(way(f"{outlet.aim.replace(' point', '')} a point"), spread)
    if outlet.aim == "along surface":
        return _words(way("along its surface"), spread)
    if outlet.aim == "outward":
        return _words(way("outward"), spread)
    # As the layer is turned: what points up in its own axes may head for the ground.
    x, y, z = turn_matrix(layer.turn).astype(float) @ np.array(outlet.axis, float)
    if y and math.hypot(x, z) < 1e-4 * abs(y):
        return _words(way("upward" if y > 0 else "downward"), spread)
    axis = Piece(" ".join(number(part) for part in outlet.axis), ("outlet", "axis"))
    return _words(way("along"), " ", axis, spread)


def _burst(burst: Burst, path: Path) -> Told:
    told = _words(
        Piece(span(burst.count, ""), (*path, "count")), " at once at ", Piece(f"{number(burst.first_at)} s", (*path, "first_at"))
    )
    if burst.times > 1:
        times, every = Piece(str(burst.times), (*path, "times")), Piece(f"{number(burst.every)} s", (*path, "every"))
        told += _words(", ", times, " times every ", every)
    if burst.chance < 1:
        told += _words(" with a chance of ", Piece(f"{number(burst.chance * 100)} %", (*path, "chance")))
    return told


def burst(burst: Burst) -> str:
    """A burst in words."""
    return plainly(_burst(burst, ()))


_TOLD_BURSTS = 3
"""Bursts that are told one by one; of more only how many there are."""


def _flow(effect: Effect, layer: Layer) -> Told:
    outlet = layer.outlet
    start, length = active_span(effect, layer)
    rate = Piece(span(outlet.rate, ""), ("outlet", "rate"))
    counts = ("outlet", "rate_counts")
    told = {
        "per second": _words(rate, " ", Piece("a second", counts)),
        "seconds between": _words(Piece("one every", counts), " ", Piece(rate.text + " s", rate.path)),
        "kept alive": _words(rate, " ", Piece("kept alive", counts)),
    }[outlet.rate_counts]
    if length < effect.duration:
        end = Piece(f"{number(start + length)} s", ("outlet", "span"))
        told += _words(" from ", Piece(f"{number(start)}", ("outlet", "start")), " to ", end)
    if outlet.rate_curve is not None:
        told += _words(", ", Piece("changing over time", ("outlet", "rate_curve")))
    return told


def outlet(effect: Effect, layer: Layer) -> Told:
    """The sentence of Outlet: when, where, which way."""
    parts: list[Told] = []
    if layer.outlet.rate.most > 0:
        parts.append(_flow(effect, layer))
    bursts = layer.outlet.bursts
    if len(bursts) <= _TOLD_BURSTS:
        parts += [_burst(each, ("outlet", "bursts", i)) for i, each in enumerate(bursts)]
    else:
        total = sum(each.count.most * each.times for each in bursts)
        parts.append(_words(Piece(f"{len(bursts)} bursts, {number(total)} in all,", ("outlet", "bursts"))))
    if layer.outlet.per_metre > 0:
        parts.append(_words(Piece(number(layer.outlet.per_metre), ("outlet", "per_metre")), " a metre"))
    feeders = [parent.name for parent, _ in fed_by(effect, layer)]
    if feeders:
        parts.append([Piece("what " + " and ".join(feeders) + " leaves")])
    if not parts:
        return _words("Spawns nothing: ", Piece("no rate", ("outlet", "rate")), " and no bursts.")
    return begun(_words(_joined(parts, " and "), " from ", _shape(layer), ", ", _aim(layer), "."))


def birth(effect: Effect, layer: Layer) -> Told:
    """The sentence of Birth: what each particle draws."""
    born = layer.birth
    told = _words(
        "Each lives ",
        Piece(span(born.lifetime, "s"), ("birth", "lifetime")),
        ", leaves at ",
        Piece(span(born.speed, "m/s"), ("birth", "speed")),
        ", ",
        Piece(span(born.size, "m"), ("birth", "size")),
        " wide",
    )
    if born.aspect != 1:
        told += _words(", height ", Piece(f"{number(born.aspect)}×", ("birth", "aspect")))
    if born.brightness.most != 1 or born.brightness.least != 1:
        told += _words(", brightness ", Piece(f"{span(born.brightness, '')}×", ("birth", "brightness")))
    return [*told, Piece(".")]


_MOST_KEYS = 5
"""Values of a curve, and colours of a gradient, that a sentence tells."""


def _course(name: str, curve: Curve) -> str:
    """How a lane of everyday goes, in words and numbers."""
    up, down, steady = _COURSES[name]
    values = [key.value for key in curve.keys]
    if max(values) - min(values) < 1e-3:
        return f"keeps its {steady}" + ("" if abs(values[0] - 1) < 1e-3 else f" at {number(values[0])}")
    told = [text for text, _ in itertools.groupby(number(value) for value in _few(values))]
    if name == "opacity" and (shape := {("0", "1"): "in", ("1", "0"): "out", ("0", "1", "0"): "in and out"}.get(tuple(told))):
        return f"fades {shape}"
    return f"{up if values[-1] > values[0] or max(values) > values[0] else down} {' to '.join(told)}"


def _few(values: list) -> list:
    """At most so many of some values in order, with the first and the last."""
    if len(values) <= _MOST_KEYS:
        return values
    return [values[round(i * (len(values) - 1) / (_MOST_KEYS - 1))] for i in range(_MOST_KEYS)]


_COURSES = {
    "size": ("swells", "shrinks", "size"),
    "brightness": ("brightens", "dims", "brightness"),
    "opacity": ("fades", "fades", "opacity"),
    "speed": ("speeds up", "slows down", "speed"),
}
"""What is said of a lane of everyday that rises, that falls, and of what does neither."""


def _colours(lane: Gradient) -> str:
    told = [text for text, _ in itertools.groupby(colour_told(stop.colour) for stop in _few(list(lane.stops)))]
    return " to ".join(told) if len(told) > 1 else f"keeps {told[0]}"


def life(effect: Effect, layer: Layer) -> Told:
    """The sentence of Life: what changes with age."""
    lanes = layer.life
    parts: list[Told] = []
    for name in ("size", "colour", "brightness", "opacity", "speed"):
        lane = getattr(lanes, name)
        if lane is not None:
            # The first word is the piece: what follows may take another line.
            text = _colours(lane) if name == "colour" else _course(name, lane)
            first, _, rest = text.partition(" to ") if name == "colour" else text.partition(" ")
            parts.append(_words(Piece(first, ("life", name)), (" to " if name == "colour" else " ") + rest if rest else ""))
    for i, lane in enumerate(lanes.more):
        what = lane.name if lane.drives == "named" and lane.name else lane.drives
        parts.append(_words(Piece(what, ("life", "more", i)), f" follows {lane.over}"))
    if not parts:
        return [Piece("Nothing changes as it ages.")]
    return begun(_words(_joined(parts), "."))


def forces(effect: Effect, layer: Layer) -> Told:
    """The sentence of Forces: what pushes."""
    pushes = layer.forces
    parts: list[Told] = []
    x, y, z = pushes.gravity
    gravity = ("forces", "gravity")
    if (x, z) == (0, 0) and y:
        pull = Piece(f"{number(abs(y))} m/s²", (*gravity, 1))
        parts.append(_words(f"{'rises' if y > 0 else 'falls'} at ", pull))
    elif any(pushes.gravity):
        pull = Piece(" ".join(number(part) for part in pushes.gravity) + " m/s²", gravity)
        parts.append(_words("pulled by ", pull))
    if pushes.drag > 0:
        parts.append(_words("slowed by drag ", Piece(number(pushes.drag), ("forces", "drag"))))
        if any(pushes.wind):
            wind = " ".join(number(part) for part in pushes.wind)
            parts.append(_words("blown at ", Piece(f"{wind} m/s", ("forces", "wind"))))
        if pushes.turbulence > 0:
            strength = Piece(f"{number(pushes.turbulence)} m/s", ("forces", "turbulence"))
            eddies = Piece(f"{number(pushes.eddy)} m", ("forces", "eddy"))
            parts.append(_words("stirred at ", strength, " by eddies of ", eddies))
    for i, force in enumerate(pushes.more):
        if force.on:
            path: Path = ("forces", "more", i)
            before, _, behind = force.told.partition("{}")
            unit = fields_of(type(force))["strength"].field.unit
            strength = Piece(span(getattr(force, "strength"), unit), (*path, "strength"))  # noqa: B009
            told = _words(before, strength, behind)
            if isinstance(force, Radial) and force.around:
                told += _words(" and around it at ", Piece(f"{number(force.around)} m/s²", (*path, "around")))
            if force.region != "everywhere":
                told += _words(" ", Piece(force.region, (*path, "region")))
            parts.append(told)
    if not parts:
        return [Piece("Nothing pushes it.")]
    return begun(_words(_joined(parts), "."))


def contact(effect: Effect, layer: Layer) -> Told:
    """The sentence of Contact: what happens on collision."""
    met = layer.contact
    what = " and ".join(met.surfaces) if met.surfaces else "the ground"
    if not met.surfaces and any(prop.solid for prop in effect.stage.props):
        what = "whatever it meets"

    def does(text: str) -> Piece:
        return Piece(text, ("contact", "meets"))

    whatever = Piece(what, ("contact", "surfaces"))
    if met.meets == "pass":
        return _words(does("Passes through"), " everything.")
    if met.meets == "end":
        return _words(does("Ends"), " at ", whatever, ".")
    if met.meets == "stick":
        return _words(does("Sticks"), " to ", whatever, ".")
    told = _words(
        does("Bounces"),
        " off ",
        whatever,
        " with ",
        Piece(f"{number(met.bounce * 100)} %", ("contact", "bounce")),
        " of its speed, slides with ",
        Piece(f"{number(met.slide * 100)} %", ("contact", "slide")),
    )
    if met.ageing > 0:
        told += _words(", ages by ", Piece(f"{number(met.ageing * 100)} %", ("contact", "ageing")), " of its life")
    return [*told, Piece(".")]


def _rule(effect: Effect, rule: Rule, path: Path) -> Told:
    child = layer_of(effect, rule.layer)
    begins = {
        "born": "When it is born",
        "touches": "When it touches",
        "ends": "When it ends",
        "strikes": "When it strikes",
        "branches": "When it branches",
    }
    if rule.when in begins:
        told = _words(Piece(begins[rule.when], (*path, "when")), " it spawns ")
    else:
        every = Piece(f"{number(rule.interval)} {'m' if rule.when == 'by distance' else 's'}", (*path, "interval"))
        told = _words(Piece("Every", (*path, "when")), " ", every, " it spawns ")
    layer = (*path, "layer")
    if child is None:
        told += _words(Piece("nothing", layer), ", for no layer is chosen")
    else:
        told += _words(Piece(span(rule.count, ""), (*path, "count")), " of ", Piece(child.name, layer))
    if rule.chance < 1:
        told += _words(" with a chance of ", Piece(f"{number(rule.chance * 100)} %", (*path, "chance")))
    if rule.delay.most > 0:
        told += _words(" ", Piece(span(rule.delay, "s"), (*path, "delay")), " later")
    if rule.goes_on > 0:
        told += _words(" over ", Piece(value_told(rule.goes_on, "s"), (*path, "goes_on")))
    return told


def rule(effect: Effect, rule: Rule) -> str:
    """An offspring rule in words."""
    return plainly(_rule(effect, rule, ()))


def offspring(effect: Effect, layer: Layer) -> Told:
    """The sentence of Offspring: what is spawned, when."""
    rules = layer.offspring.rules
    if not rules:
        return [Piece("Leaves nothing behind.")]
    told = [_rule(effect, each, ("offspring", "rules", i)) for i, each in enumerate(rules)]
    return _words(_joined(told, ". "), ".")


BLENDS = {
    "additive": "adding its light",
    "alpha": "covering",
    "premultiplied": "covering and adding its light",
    "screen": "adding its light up to white",
    "multiply": "darkening",
    "cut-out": "cut out hard",
}
FACINGS = {
    "to camera": "facing the camera",
    "upright": "standing upright",
    "along motion": "along its motion",
    "across motion": "facing its motion",
    "flat": "lying flat",
    "free": "turned with its layer",
}
PATHS = {
    "behind each": "a ribbon behind each",
    "through all": "a ribbon through all",
    "behind anchor": "a ribbon behind its anchor",
    "between anchors": "a ribbon between two anchors",
}


def look(effect: Effect, layer: Layer) -> Told:
    """The sentence of Look: how a particle is drawn."""
    worn = layer.look
    name = Piece(worn.picture.partition(":")[2] or worn.picture, ("look", "picture"))
    blend = Piece(BLENDS[worn.blend], ("look", "blend"))
    facing = Piece(FACINGS[worn.facing], ("look", "facing"))
    frames: Told = []
    if worn.columns * worn.rows > 1:
        frames = _words(f", {worn.columns * worn.rows} frames ", Piece(worn.play, ("look", "play")))
    if worn.drawn_as == "beam":
        told = _words(name, " along ", Piece("a beam", ("look", "drawn_as")), ", ", blend, frames)
    elif worn.drawn_as == "ribbon":
        told = _words(name, " on ", Piece(PATHS[worn.ribbon.path], ("look", "ribbon", "path")), ", ", blend, frames)
    elif worn.drawn_as == "mesh":
        mesh = Piece(worn.solid.mesh.partition(":")[2] or worn.solid.mesh, ("look", "solid", "mesh"))
        turned = Piece("tumbling", ("look", "solid", "tumbles")) if worn.solid.tumbles else facing
        told = _words(mesh, " as ", Piece("a mesh", ("look", "drawn_as")), " wearing ", name, ", ", turned, ", ", blend)
    else:
        told = _words(name, " ", facing, ", ", blend, frames)
    more = {
        ("look", "surface", "edge_glow"): ("glowing at its edge", worn.surface.edge_glow > 0),
        ("look", "surface", "edge_fade"): ("fading at its edge", worn.surface.edge_fade > 0),
        ("look", "surface", "ramp"): ("in the colours of a ramp", worn.surface.ramp is not None),
        ("look", "dissolve", "amount"): ("dissolving", bool(worn.dissolve.picture)),
        ("look", "surface", "warp_by"): ("warped", bool(worn.surface.warp)),
        ("look", "surface", "shimmer"): ("shimmering", worn.surface.shimmer > 0),
        ("look", "surface", "meet_glow"): ("glowing where it meets", worn.surface.meet_glow > 0 and worn.blend != "cut-out"),
        ("look", "blur"): ("blurred by its motion", worn.blur > 0 and worn.drawn_as == "sprite"),
        ("look", "drape"): ("draped over what is there", worn.drapes),
        ("look", "solid", "bumps"): ("bumpy", worn.drawn_as == "mesh" and worn.solid.bumps > 0),
        ("look", "light", "lit"): ("lit by the stage", worn.light.lit > 0),
        ("look", "light", "fog"): ("filling the air with fog", worn.fills_air),
        ("look", "light", "shade"): (
            "shading itself",
            worn.light.shade > 0 and worn.light.lit > 0 and worn.drawn_as in ("sprite", "mesh"),
        ),
        ("look", "light", "gloss"): ("glossy", worn.light.gloss > 0 and worn.drawn_as in ("sprite", "mesh")),
        ("look", "trail"): ("drawing a ribbon behind", worn.trails),
        ("look", "beam", "kinks"): ("striking as lightning", worn.lightning),
        ("look", "ribbon", "kinks"): ("kinked", worn.ribbon.kinks > 0 and (worn.drawn_as == "ribbon" or worn.trails)),
    }
    for path, (text, holds) in more.items():
        if holds:
            told += _words(", ", Piece(text, path))
    return begun([*told, Piece(".")])


def place(effect: Effect, layer: Layer) -> Told:
    """Where a layer stands, how it is turned, and what carries it."""

    def numbers(name: str) -> Told:
        return _joined([[Piece(number(part), (name, i))] for i, part in enumerate(getattr(layer, name))], " ")

    told = _words("Stands at ", numbers("place"), " m, turned ", numbers("turn"), "°, in ")
    told.append(Piece("the world" if layer.space == "world" else "its own space", ("space",)))
    if layer.scale != 1:
        told += _words(", scale ", Piece(f"{number(layer.scale)}×", ("scale",)))
    if layer.tempo != 1:
        told += _words(", tempo ", Piece(f"{number(layer.tempo)}×", ("tempo",)))
    many = layer.places
    if many.lie == "told":
        told += _words(", on ", Piece(f"{len(many.told)} places", ("places", "told")))
    elif many.lie != "one":
        told += _words(", on ", Piece(number(many.count), ("places", "count")), " places in a ", Piece(many.lie, ("places", "lie")))
        told += _words(" of ", Piece(value_told(many.radius, "m"), ("places", "radius"))) if many.lie == "ring" else []
    carrier = layer_of(effect, layer.rides_on)
    if carrier is not None:
        told += _words(", riding on ", Piece(carrier.name, ("rides_on",)))
    if layer.turns_with != "keys":
        told += _words(", turned by its ", Piece(layer.turns_with, ("turns_with",)))
    if layer.keys:
        told += _words(", with ", Piece(f"{len(layer.keys)} key{'s' * (len(layer.keys) > 1)}", ("keys",)))
    return [*told, Piece(".")]


TOLD: dict[str, Callable[[Effect, Layer], Told]] = {
    "place": place,
    "outlet": outlet,
    "birth": birth,
    "life": life,
    "forces": forces,
    "contact": contact,
    "offspring": offspring,
    "look": look,
}
"""The sentence of each chapter in its pieces, by its field in the layer."""


def sentence(chapter: str, effect: Effect, layer: Layer) -> str:
    """The sentence of a chapter in plain words."""
    return plainly(TOLD[chapter](effect, layer))
