"""Compiles all kernels ahead of time, two at a time: those of particles, of pictures and of gases."""

from __future__ import annotations

import multiprocessing
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from contextlib import suppress

import numpy as np

from pale_ember.core.effect.chapters import Life, Look, Offspring, Outlet
from pale_ember.core.effect.life import Lane
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.offspring import Rule
from pale_ember.core.effect.recipe.shapes import Bolt, Specks
from pale_ember.core.effect.recipe.sources import Gas, Stroke
from pale_ember.core.effect.strips import Beam
from pale_ember.core.effect.values import curve, fixed
from pale_ember.core.gas.sheets import simulated
from pale_ember.core.simulate.birth_kernels import replace_places, spawn
from pale_ember.core.simulate.fog_volume import fog_volume
from pale_ember.core.simulate.shade import reaching
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.texture.noise import NoiseField
from pale_ember.core.texture.recipes.canvas import Canvas, coloured, plane, read_at
from pale_ember.core.texture.recipes.shapes import bolt, specks
from pale_ember.core.texture.recipes.strokes import lay

_PLAIN = Layer(id="000000000000000a", outlet=Outlet())
_FAR = Layer(id="000000000000000d", outlet=Outlet(), life=Life(more=(Lane(drives="size", over="camera distance", curve=curve((0, 1))),)))
_FED = Layer(id="000000000000000c", outlet=Outlet(rate=fixed(0.0)))
_RICH = Layer(
    id="000000000000000b",
    outlet=Outlet(),
    look=Look(drawn_as="beam", beam=Beam(kinks=0.2)),
    offspring=Offspring(rules=(Rule(when="by time", layer=_FED.id, size=1.0), Rule(key=1, when="strikes", layer=_FED.id))),
)


def births() -> None:
    """How particles of every shape are born."""
    track = Timeline(Effect(layers=(_PLAIN,)))._tracks[_PLAIN.id]
    table = track._begin(0).table
    none = np.zeros(0), np.zeros(0, np.uint64)
    spawn(track.plan.birth, track.plan.choices, track._mesh, *none, np.zeros((1, 12)), np.zeros((0, 3)), table, 0)
    replace_places(track.plan.birth, track._mesh, 0, np.zeros(12), table, 0)


def everyday() -> None:
    """How a layer without forces or rules moves, looks, near and far, shades itself and fills the air."""
    plain, far = Timeline(Effect(layers=(_PLAIN, _FAR))).frame(1.0).layers
    far.seen_from(np.zeros(3))
    here = plain.position.astype(np.float64)
    reaching(here, np.ones(len(here)), np.ones(len(here)), np.array([0.0, 1.0, 0.0]), np.zeros(3))
    fog_volume(plain.position, plain.size[:, :2], np.ones(len(here)), plain.colour[:, :3])


def richer() -> None:
    """How forces push particles, and how rules spawn others of them."""
    Timeline(Effect(layers=(_RICH, _FED)))._tracks[_FED.id].at(60)


def textures() -> None:
    """How recipes of pictures are painted, and how gases flow and are lit."""
    x, y = plane(16)
    NoiseField(1).layered(x, y, 0.5, 2)
    NoiseField(1).layered(x, y, x, 2)
    NoiseField(1).cells(x, y, 0.0)
    NoiseField(1, 3, 3).layered(x, y, 0.5, 2)
    NoiseField(1, 3, 3).slopes(x, y, 0.5, 2)
    canvas = Canvas(16, lambda name: np.zeros((1, 1, 4), np.float32), lambda *_: np.zeros((1, 16, 16, 4), np.float32))
    tones = specks(Specks(), canvas) + bolt(Bolt(), canvas)
    read_at(coloured(tones, tones), x, y)
    lay(np.zeros((4, 16, 16), np.float32), Stroke(path=(0.0, 0.0, 1.0)))
    simulated(Gas(grid=16, warm=0.0, span=0.05, fuel=1.0), 2, False, 16)


PARTS = (
    (births, "how particles are born"),
    (textures, "how pictures are painted and gases flow"),
    (everyday, "how particles move and look"),
    (richer, "how forces push them and rules are told"),
)
"""In pairs that are compiled beside each other; what both of a pair need comes in the pair before."""


def everything() -> None:
    """Makes every kernel ready, from the cache or by compiling."""
    for part, _ in PARTS:
        part()


def kernels(progress: Callable[[str, int, int], None]) -> None:
    """Makes every kernel ready; `progress(what, done, of all)` is told before each part."""
    # A process that ends, as where two find no room, leaves all that is missing to this one.
    with suppress(BrokenProcessPool), ProcessPoolExecutor(2, multiprocessing.get_context("spawn")) as pool:
        for first in range(0, len(PARTS), 2):
            begun = []
            for i, (part, what) in enumerate(PARTS[first : first + 2], first):
                progress(what, i, len(PARTS))
                begun.append(pool.submit(part))
            for one in begun:
                one.result()
    everything()
