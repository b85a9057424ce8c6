"""Compiles the kernels ahead of time, saying how far it is."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from pale_ember.core.effect.chapters import Offspring, Outlet
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.offspring import Rule
from pale_ember.core.effect.values import fixed
from pale_ember.core.simulate.birth_kernels import replace_places, spawn
from pale_ember.core.simulate.shade import reaching
from pale_ember.core.simulate.timeline import Timeline

STEPS = 5
"""What is made ready one after the other."""


def prepare(progress: Callable[[str, int, int], None]) -> None:
    """Makes every kernel ready, from the cache or by compiling; `progress(what, done, of all)` is told before each."""
    plain = Layer(id="000000000000000a", outlet=Outlet())
    rule = Rule(when="by time", layer="000000000000000c", size=1.0)
    rich = Layer(id="000000000000000b", outlet=Outlet(), offspring=Offspring(rules=(rule,)))
    fed = Layer(id="000000000000000c", outlet=Outlet(rate=fixed(0.0)))
    timeline = Timeline(Effect(layers=(plain, rich, fed)))
    tracks = timeline._tracks
    track = tracks[plain.id]
    steps = STEPS
    progress("how particles are born", 0, steps)
    table = track._begin(0).table
    none = np.zeros(0), np.zeros(0, np.uint64)
    spawn(track.plan.birth, track.plan.choices, track._mesh, *none, np.zeros((1, 12)), np.zeros((0, 3)), table, 0)
    replace_places(track.plan.birth, track._mesh, 0, np.zeros(12), table, 0)
    progress("how particles move", 1, steps)
    track.at(3)
    progress("how forces push them and rules are told", 2, steps)
    tracks[rich.id].at(3)
    progress("how they look", 3, steps)
    tracks[fed.id].at(60)
    progress("all together", 4, steps)
    here = timeline.frame(1.0).layers[0].position.astype(np.float64)
    reaching(here, np.ones(len(here)), np.ones(len(here)), np.array([0.0, 1.0, 0.0]), np.zeros(3))
    progress("ready", steps, steps)
