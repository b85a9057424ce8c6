"""Compiles all kernels ahead of time: those of particles, of pictures and of gases."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from pale_ember.core.effect.recipe.shapes import Bolt, Specks
from pale_ember.core.effect.recipe.sources import Gas, Stroke
from pale_ember.core.gas.sheets import simulated
from pale_ember.core.simulate.prepare import STEPS
from pale_ember.core.simulate.prepare import prepare as prepare_particles
from pale_ember.core.texture.noise import NoiseField
from pale_ember.core.texture.recipes.canvas import Canvas, plane, read_at
from pale_ember.core.texture.recipes.shapes import bolt, specks
from pale_ember.core.texture.recipes.strokes import lay


def prepare(progress: Callable[[str, int, int], None]) -> None:
    """Makes every kernel ready, from the cache or by compiling; `progress(what, done, of all)` is told before each."""
    steps = STEPS + 2
    prepare_particles(lambda what, n, _: progress(what, n, steps) if n < STEPS else None)
    progress("how pictures are painted", STEPS, steps)
    x, y = plane(16)
    NoiseField(1).layered(x, y, 0.5, 2)
    NoiseField(1).layered(x, y, x, 2)
    NoiseField(1).cells(x, y, 0.0)
    canvas = Canvas(16, lambda name: np.zeros((1, 1, 4), np.float32), lambda *_: np.zeros((1, 16, 16, 4), np.float32))
    read_at(specks(Specks(), canvas) + bolt(Bolt(), canvas), x, y)
    lay(np.zeros((4, 16, 16), np.float32), Stroke(path=(0.0, 0.0, 1.0)))
    progress("how gases flow", STEPS + 1, steps)
    simulated(Gas(grid=16, warm=0.0, span=0.05, fuel=1.0), 2, False, 16)
    progress("ready", steps, steps)
