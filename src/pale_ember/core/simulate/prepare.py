"""Compiles the kernels ahead of time, saying how far it is."""

from __future__ import annotations

from collections.abc import Callable

from pale_ember.core.effect.chapters import Outlet
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.simulate.plan import motion_plan
from pale_ember.core.simulate.timeline import Timeline, Track


def prepare(progress: Callable[[str, int, int], None]) -> None:
    """Makes every kernel ready, from the cache or by compiling; `progress(what, done, of all)` is told before each."""
    effect = Effect(layers=(Layer(outlet=Outlet(rate=100)),))
    progress("how particles are born and move", 0, 2)
    Track(motion_plan(effect, effect.layers[0])).at(3)
    progress("how particles look", 1, 2)
    Timeline(effect).frame(0.05)
    progress("ready", 2, 2)
