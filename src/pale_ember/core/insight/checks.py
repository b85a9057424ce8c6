"""Checks: what is likely not meant, with its cause and what to do."""

from __future__ import annotations

import re
from collections.abc import Callable

import numpy as np

from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.reading import Problem
from pale_ember.core.effect.spread import MOST_COPIES
from pale_ember.core.effect.stage import GROUND
from pale_ember.core.simulate.forecast import Forecast
from pale_ember.core.simulate.poses import Poses

MUCH = 64 * 2**20
"""Bytes for one layer's particles that are worth a word before they are spent."""


def _limit(known: Forecast, layer: Layer) -> str | None:
    alive = known.steady(layer)
    limit = layer.outlet.limit
    if limit > 0 and alive > limit:
        return f"limit: {alive:.0f} would live at once, but at most {limit} may; raise the limit or lower the rate"
    return None


def _spawns_nothing(known: Forecast, layer: Layer) -> str | None:
    outlet = layer.outlet
    if outlet.rate.most <= 0 and not outlet.bursts and outlet.per_metre <= 0 and layer.id not in known.feeds:
        return "outlet: nothing is born; give it a rate or a burst"
    if outlet.limit == 0:
        return "limit: 0 lets nothing be born; raise it"
    if layer.birth.lifetime.most <= 0:
        return "lifetime: particles of 0 s are never seen; give them time to live"
    return None


def _stands_still(known: Forecast, layer: Layer) -> str | None:
    if layer.outlet.per_metre > 0 and not Poses(known.effect).moves(layer):
        return "per metre: the layer does not move, so nothing is born of it; move it, or give the stage a carrier"
    return None


def _memory(known: Forecast, layer: Layer) -> str | None:
    need = known.memory(layer)
    if need > MUCH:
        return f"limit: its particles may take {need / 2**20:.0f} MB; lower the limit if that is too much"
    return None


def _named_surfaces(known: Forecast, layer: Layer) -> str | None:
    there = {GROUND, *(prop.name for prop in known.effect.stage.props)}
    lost = [name for name in layer.contact.surfaces if name not in there]
    if layer.contact.meets != "pass" and lost:
        return f'surfaces: there is no "{lost[0]}" on the stage; name one that is there'
    return None


def _rule_without_layer(known: Forecast, layer: Layer) -> str | None:
    if any(not rule.layer for rule in layer.offspring.rules):
        return "offspring: a rule has no layer to spawn; choose one"
    if layer.contact.meets == "pass" and any(rule.when == "touches" for rule in layer.offspring.rules):
        return (
            "offspring: a rule waits for touches, but particles pass through everything; let them bounce, stick or end"
        )
    return None


def _lost_ground(known: Forecast, layer: Layer) -> str | None:
    there = {thing.name for thing in known.effect.stage.grounds()}
    if layer.stands_on and layer.stands_on not in there:
        return f'stands on: there is no "{layer.stands_on}" on the stage; name an anchor or prop that is there, or none'
    return None


def _lost_anchor(known: Forecast, layer: Layer) -> str | None:
    there = {anchor.name for anchor in known.effect.stage.anchors}
    look = layer.look
    named = {"ribbon": (look.ribbon.first, look.ribbon.second), "beam": (look.beam.start, look.beam.end)}
    lost = [name for name in named.get(look.drawn_as, ()) if name and name not in there]
    if lost:
        return f'{look.drawn_as}: there is no anchor "{lost[0]}" on the stage; name one that is there, or none'
    return None


def _eats_nothing(known: Forecast, layer: Layer) -> str | None:
    worn = layer.look.dissolve
    driven = any(lane.drives == "dissolve" for lane in layer.life.more)
    if worn.picture and worn.amount <= 0 and not driven:
        return "dissolve: it is 0, so nothing dissolves; raise it, or drive it by a lane"
    if driven and not worn.picture:
        return "dissolve: a lane drives it, but there is no dissolve picture; choose one"
    return None


def _no_vectors(known: Forecast, layer: Layer) -> str | None:
    look = layer.look
    if look.drawn_as == "sprite" and look.between == "along vectors" and not look.vectors:
        return "between frames: no sheet of vectors is chosen, so frames are mixed; choose one"
    return None


_UNDER = 0.02
"""Metres below the ground from which a card is no longer lifted onto it."""


def _under_ground(known: Forecast, layer: Layer) -> str | None:
    if layer.look.drawn_as != "sprite" or layer.look.facing != "flat" or layer.id in known.feeds:
        return None
    frames = Poses(known.effect).layer(layer, np.zeros(1))
    height = float((frames.place[0] + frames.turn[0] @ np.array(layer.outlet.offset))[1])
    if layer.outlet.shape in ("point", "disc") and layer.birth.speed.most <= 0 and height < -_UNDER:
        return f"place: its flat cards lie {-height:.2g} m under the ground and are not seen; raise it"
    return None


def _too_many_places(known: Forecast, layer: Layer) -> str | None:
    left = [copy for copy in known.effect.layers if copy.places.lie != "one"]
    if any(known.spread.source[copy.id][0].id == layer.id for copy in left):
        return (
            f"places: with them the effect would have more than {MOST_COPIES} layers, so they are left out; have fewer"
        )
    return None


CHECKS: tuple[Callable[[Forecast, Layer], str | None], ...] = (
    _spawns_nothing, _limit, _stands_still, _memory, _named_surfaces, _rule_without_layer, _lost_anchor,
    _lost_ground,    _eats_nothing,
    _under_ground, _no_vectors, _too_many_places,
)  # fmt: skip


LEGAL = re.compile(r"[A-Za-z_][A-Za-z0-9_.]{0,63}")
"""Names that every game takes: letters, digits, underscores and points, beginning with no digit."""


def name_problems(effect: Effect) -> list[Problem]:
    """Names of events and cues that a game would not take, or would confuse."""
    found: list[Problem] = []
    events = [(f'events, "{does}"', name) for does, name in effect.answers.named().items()]
    cues = [(f"cues[{i}]", cue.name) for i, cue in enumerate(effect.cues)]
    for listed in (events, cues):
        seen: dict[str, str] = {}
        for place, name in listed:
            if not LEGAL.fullmatch(name):
                told = f'expected a name of letters, digits and underscores, found "{name}"; rename it'
                found.append(Problem(place, told, notice=True))
            plain = re.sub(r"[^a-z0-9]", "", name.lower())
            if plain in seen:
                told = f'expected names that nobody confuses, found "{name}" beside "{seen[plain]}"; rename one'
                found.append(Problem(place, told, notice=True))
            seen.setdefault(plain, name)
    known = {cue.name for cue in effect.cues}
    for i, layer in enumerate(effect.layers):
        if layer.outlet.on_cue and layer.outlet.on_cue not in known:
            told = f'from cue: expected one of the effect\'s cues, found "{layer.outlet.on_cue}", so it starts at once; choose one'
            found.append(Problem(f'layers[{i}] "{layer.name}"', told, notice=True))
    return found


def checked(effect: Effect) -> list[Problem]:
    """Everything found, in the order of the layers. All are notices: the effect draws as it is."""
    known = Forecast(effect)
    return name_problems(effect) + [
        Problem(f'layers[{i}] "{layer.name}"', said, notice=True)
        for i, layer in enumerate(effect.layers)
        for check in CHECKS
        if (said := check(known, layer)) is not None
    ]
