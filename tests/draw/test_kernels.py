"""Kernels: all that an artist can meet is compiled by the set-up, so that the stage never stands still for a compiler."""

import subprocess
import sys
import unittest

USED = """
import gc
from pathlib import Path

import numpy as np
from msgspec.structs import replace
from numba.core.dispatcher import Dispatcher

from pale_ember.commands.kernel_warmup import everything
from pale_ember.core.effect.starting_points import STARTS
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.texture.library_recipes import cards
from pale_ember.core.texture.recipes.paint import Painter
from pale_ember.formats.document import load
from pale_ember.formats.shelf import Shelf
from tests.draw.test_promises import rich
from tests.examples import DEMO, effect


def known():
    kernels = [each for each in gc.get_objects() if isinstance(each, Dispatcher) and each.py_func.__module__.startswith("pale_ember")]
    return {each.py_func.__qualname__: len(each.signatures) for each in kernels}


def pictures(name):
    grey = np.random.default_rng(1).random((64, 64, 4)).astype(np.float32)
    grey.setflags(write=False)
    return grey


everything()
ready = known()
for path in sorted(DEMO.glob("*.pale")):
    made, _ = load(path)
    shelf = Shelf(path.parent, made.recipes)
    timeline = Timeline(made, shelf.mesh, shelf.density)
    for moment in (0.3, 1.1, 2.0):
        for layer in timeline.frame(moment).layers:
            layer.seen_from(np.zeros(3))
Timeline(effect(rich(), *(layer for start in STARTS.values() for layer in start.make()))).frame(0.6)
for card in cards().values():
    # As large as it takes for all cores to share it.
    for size in (32, 256):
        Painter(pictures).frame(replace(card.recipe, size=size), 0)
print({name: (ready.get(name, 0), count) for name, count in known().items() if count > ready.get(name, 0)})
"""


class Kernels(unittest.TestCase):
    def test_nothing_is_left_to_be_compiled_by_what_effects_and_recipes_ask_for(self):
        done = subprocess.run([sys.executable, "-c", USED], capture_output=True, text=True)
        self.assertEqual(done.stdout.strip(), "{}", done.stderr)
