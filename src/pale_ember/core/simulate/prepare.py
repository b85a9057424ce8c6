"""Compiles the kernels ahead of time, saying how far it is."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from pale_ember.core.effect.chapters import Outlet
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.simulate.births import bear, replace_places
from pale_ember.core.simulate.timeline import Timeline


def prepare(progress: Callable[[str, int, int], None]) -> None:
    """Makes every kernel ready, from the cache or by compiling; `progress(what, done, of all)` is told before each."""
    effect = Effect(layers=(Layer(id="000000000000000a", outlet=Outlet()),))
    timeline = Timeline(effect)
    track = timeline._tracks["000000000000000a"]
    progress("how particles are born", 0, 3)
    table = track._begin(0).table
    none = np.zeros(0), np.zeros(0, np.uint64)
    bear(track.plan.birth, track.plan.choices, track._mesh, *none, np.zeros((1, 12)), np.zeros((0, 3)), table, 0)
    replace_places(track.plan.birth, track._mesh, 0, np.zeros(12), table, 0)
    progress("how particles move", 1, 3)
    track.at(3)
    progress("how particles look", 2, 3)
    timeline.frame(0.05)
    progress("ready", 3, 3)
