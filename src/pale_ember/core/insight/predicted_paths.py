"""Where a layer's particles are born, which way they go and what they touch, found by running them."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.chapters import Birth, Contact, Forces, Life, Look, Offspring, Outlet
from pale_ember.core.effect.edit import index_of, with_value
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.offspring import Rule
from pale_ember.core.effect.values import PerAxis, fixed
from pale_ember.core.geometry.mesh import Mesh
from pale_ember.core.simulate.timeline import Timeline, built_in, even_density

_PROBE = "fffffffffffffff1"
"""A layer of our own that marks touches; no document's layer has this id."""

_MOST_PATHS, _MOST_BIRTHS, _MOST_TOUCHES = 20, 240, 60
_MOST_LOOKS = 90
"""Moments looked at on the way: enough for smooth lines."""

_LONGEST = 8.0
"""Seconds that are followed."""


@dataclass(slots=True)
class PredictedPaths:
    """births : (n, 3) m. paths : (k, 3) m each. touches : (m, 3) m with outward normals (m, 3). done : all is known."""

    births: np.ndarray = field(default_factory=lambda: np.zeros((0, 3)))
    paths: list[np.ndarray] = field(default_factory=list)
    touches: np.ndarray = field(default_factory=lambda: np.zeros((0, 3)))
    normals: np.ndarray = field(default_factory=lambda: np.zeros((0, 3)))
    done: bool = False


def gather(
    effect: Effect, identity: str, mesh: Callable[[str], Mesh] = built_in, density: Callable[[str], Any] = even_density
) -> Iterator[PredictedPaths]:
    """Finds out a little at a time; what is yielded is always the same object, fuller each time."""
    reach = PredictedPaths()
    layer = effect.layers[index_of(effect, identity)]
    others = frozenset(beside.id for beside in effect.layers if beside.id != identity)
    span = min(max(layer.birth.lifetime.most / (effect.tempo * layer.tempo), 0.05), _LONGEST)
    begin = effect.duration / effect.tempo if effect.loop else 0.0
    yield from _births(reach, Timeline(_standing(effect, layer), mesh, density), others, begin)
    looks = np.linspace(begin, begin + 1.6 * span, _MOST_LOOKS)
    timeline = Timeline(_probed(effect, layer), mesh, density)
    yield from _paths(reach, timeline, others, looks, span)
    reach.done = True
    yield reach


def _shown(effect: Effect, layer: Layer) -> Effect:
    return with_value(effect, ("layers", index_of(effect, layer.id)), replace(layer, shown=True))


def _standing(effect: Effect, layer: Layer) -> Effect:
    """The effect with a layer whose particles stay where they are born."""
    birth = Birth(lifetime=layer.birth.lifetime, speed=fixed(0.0), push=PerAxis())
    still = replace(layer, birth=birth, forces=Forces(), contact=Contact(), life=Life(opacity=None), offspring=Offspring(), look=Look())
    return _shown(effect, still)


def _probed(effect: Effect, layer: Layer) -> Effect:
    """The effect with a layer more, born wherever the layer touches, heading off the surface."""
    key = max((rule.key for rule in layer.offspring.rules), default=-1) + 1
    rule = Rule(key=key, when="touches", layer=_PROBE, count=fixed(1), facing="surface")
    told = replace(layer, look=Look(), offspring=Offspring(rules=(*layer.offspring.rules, rule)))
    outlet = Outlet(rate=fixed(0.0), shape="point", spread=fixed(0.0), limit=_MOST_TOUCHES, at_limit="retire the oldest")
    probe = Layer(
        id=_PROBE, name="touches", outlet=outlet, birth=Birth(lifetime=fixed(_LONGEST * 4), speed=fixed(1e-3)), life=Life(opacity=None)
    )
    shown = _shown(effect, told)
    return replace(shown, layers=(*shown.layers, probe))


def _births(reach: PredictedPaths, timeline: Timeline, others: frozenset[str], begin: float) -> Iterator[PredictedPaths]:
    effect = timeline.effect
    seen: dict[int, np.ndarray] = {}
    for moment in begin + np.linspace(0.0, effect.duration / effect.tempo, 8):
        born = timeline.frame(float(moment), hidden=others).layers[0]
        seen |= dict(zip(born.number.tolist(), born.position, strict=True))
        reach.births = np.array(list(seen.values())[-_MOST_BIRTHS:]).reshape(-1, 3)
        yield reach


def _paths(reach: PredictedPaths, timeline: Timeline, others: frozenset[str], looks: np.ndarray, span: float) -> Iterator[PredictedPaths]:
    """looks : (n,) s, the moments at which the particles are looked at."""
    tracks: dict[int, list[np.ndarray]] = {}
    newest = looks[0] + 0.6 * span
    for moment in looks:
        frame = timeline.frame(float(moment), hidden=others)
        shown, probe = frame.layers[0], frame.layers[-1]
        young = shown.age * shown.life < 2.5 * (looks[1] - looks[0])
        for number, place, fresh in zip(shown.number.tolist(), shown.position, young, strict=True):
            if number in tracks or (fresh and moment <= newest and len(tracks) < _MOST_PATHS):
                tracks.setdefault(number, []).append(place)
        if probe.layer.id == _PROBE and probe.count:
            speed = np.linalg.norm(probe.velocity, axis=1, keepdims=True)
            reach.touches, reach.normals = probe.position.copy(), probe.velocity / np.maximum(speed, 1e-12)
        reach.paths = [np.array(path) for path in tracks.values() if len(path) > 1]
        yield reach
