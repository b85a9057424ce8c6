"""One particle: its way from birth to death, and what it is and drew, in words."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.chapters import Outlet
from pale_ember.core.effect.edit import index_of, with_value
from pale_ember.core.effect.fields import fields_of
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.offspring import Rule
from pale_ember.core.effect.stage import GROUND
from pale_ember.core.effect.values import fixed
from pale_ember.core.geometry.mesh import Mesh
from pale_ember.core.insight.birth_draws import drawn_at_birth
from pale_ember.core.insight.ray_casts import ray_hit
from pale_ember.core.insight.sentences import number
from pale_ember.core.simulate.frame import LayerFrame
from pale_ember.core.simulate.timeline import Timeline, built_in

_PLACES = 32
"""Places by which a way is told."""
_ORDINAL = np.uint64(0xFFFF_FFFF)


@dataclass(frozen=True, slots=True)
class FollowedParticle:
    """A particle that is followed: its layer's id, its number there, and on which of the layer's places it is."""

    layer: str
    number: int
    copy: int = 0

    @staticmethod
    def of(frame: LayerFrame, row: int) -> FollowedParticle:
        """The particle of a layer's Frame at an index."""
        return FollowedParticle(frame.layer.id, int(frame.number[row]), frame.copy)

    def is_of(self, frame: LayerFrame) -> bool:
        """Whether it is one of a layer."""
        return (self.layer, self.copy) == frame.key

    def within(self, frame: LayerFrame) -> int | None:
        """Where it stands among the particles of its layer, or None where it does not live."""
        rows = np.flatnonzero(frame.number == np.uint64(self.number))
        return int(rows[0]) if len(rows) else None


def way_of(timeline: Timeline, followed: FollowedParticle, moment: float, age: float, life: float) -> np.ndarray:
    """(n, 3) float64, m: the way of a particle from its birth to its death, told by so many places.

    moment : s, at which it has lived `age` of its `life` (s of real time).
    """
    born = moment - age * life
    places = []
    for time in np.linspace(born, born + life, _PLACES):
        frame = next((layer for layer in timeline.frame(max(float(time), 0.0)).layers if followed.is_of(layer)), None)
        row = followed.within(frame) if frame is not None else None
        if frame is not None and row is not None:
            places.append(frame.position[row].astype(float))
    return np.array(places).reshape(-1, 3)


@dataclass(frozen=True, slots=True)
class ParticleEvent:
    """Something that happened to a particle. at : s of real time since the start. where : (3,) m. told : it in words.
    touches : whether it is a touch."""

    at: float
    told: str
    where: tuple[float, float, float]
    touches: bool = False


_PROBE = "fffffffffffffff2"
"""A layer of our own that asks for touches and ends; no document's layer has this id."""
_NEAR = 0.05
"""Metres from a touch at which one looks back at what was touched."""
_MOST_TOLD = 9
"""Things that happened that are told one by one."""


def probed(effect: Effect, identity: str) -> Effect:
    """The effect in which all touches and ends of a layer's particles are asked for, by two rules behind its own."""
    place = index_of(effect, identity)
    rules = effect.layers[place].offspring.rules
    key = max((rule.key for rule in rules), default=-1) + 1
    asked = tuple(Rule(key=key + i, when=when, layer=_PROBE) for i, when in enumerate(("touches", "ends")))  # type: ignore[arg-type]
    effect = with_value(effect, ("layers", place, "offspring", "rules"), (*rules, *asked))
    outlet = Outlet(rate=fixed(0.0), shape="point", limit=1)
    return replace(effect, layers=(*effect.layers, Layer(id=_PROBE, name="probe", shown=False, outlet=outlet)))


def tale_of(
    effect: Effect,
    timeline: Timeline,
    followed: FollowedParticle,
    moment: float,
    age: float,
    life: float,
    mesh: Callable[[str], Mesh] = built_in,
) -> list[ParticleEvent]:
    """What happens to a particle from its birth to its end, in its order: what it touches, what it spawns.

    timeline : of the `probed` effect. moment : s, at which it has lived `age` of its `life` (s of real time).
    """
    layer = effect.layers[index_of(effect, followed.layer)]
    rules, born = layer.offspring.rules, moment - age * life
    steps = effect.steps
    first, last = max(int(born * steps) - 1, 0), int((born + life) * steps) + 2
    events = timeline.events(followed.layer, followed.copy, first, last)
    mine = events[events["number"] == np.uint64(followed.number)]
    told: list[ParticleEvent] = []
    names = {other.id: other.name for other in effect.layers}
    # Of what happens at once, the touch comes first and the end last.
    rank = np.where(mine["rule"] < len(rules), 1, np.where(mine["rule"] == len(rules), 0, 2))
    for event in mine[np.lexsort((rank, mine["time"]))]:
        at = float(event["time"]) / (layer.tempo * effect.tempo)
        where = np.array([event["px"], event["py"], event["pz"]], float)
        normal = np.array([event["nx"], event["ny"], event["nz"]], float)
        which = int(event["rule"])
        if which == len(rules):
            hit = ray_hit(effect, where + _NEAR * normal, -normal, at * effect.tempo, mesh)
            what = (hit.prop or GROUND) if hit is not None else "something"
            text = f"touches {what} at {number(float(event['impact']))} m/s"
        elif which > len(rules):
            text = "ends"
        else:
            rule = rules[which]
            many = f"{number(rule.count.low)} of " if rule.count.fixed else ""
            text = f"spawns {many}{names.get(rule.layer, '')}"
        told.append(ParticleEvent(at, text, (float(where[0]), float(where[1]), float(where[2])), which == len(rules)))
    return _shortened([ParticleEvent(born, "born", (0.0, 0.0, 0.0)), *told])


def _shortened(told: list[ParticleEvent]) -> list[ParticleEvent]:
    """As many as can be read: of the same that happens again and again, the first with how often."""
    if len(told) <= _MOST_TOLD:
        return told
    kinds: dict[str, list[ParticleEvent]] = {}
    for each in told:
        kinds.setdefault(each.told.partition(" at ")[0], []).append(each)
    return [
        some[0] if len(some) == 1 else ParticleEvent(some[0].at, f"{kind}, {len(some)} times", some[0].where, some[0].touches)
        for kind, some in kinds.items()
    ][:_MOST_TOLD]


def story_of(effect: Effect, layer: Layer, frame: LayerFrame, row: int) -> str:
    """A particle in a sentence: which it is, how far it has lived, and what it drew at birth."""
    numbers = frame.number[row : row + 1]
    life, age = float(frame.life[row]), float(frame.age[row])
    fields = fields_of(type(layer.birth))
    drew = [
        f"{fields[name].field.label} {number(float(values[0]))} {fields[name].field.unit}".rstrip()
        for name, values in drawn_at_birth(effect, frame.own or layer, numbers).items()
        if name != "lifetime" and not getattr(layer.birth, name).fixed
    ]
    what = f"; drew {', '.join(drew)}" if drew else ""
    ordinal = int(numbers[0] & _ORDINAL)
    return f"No. {ordinal} of {layer.name}, {number(age * life)} of {number(life)} s old{what}."
