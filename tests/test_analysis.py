"""What looks effects through in a process of its own: what crosses to it and back, and what it leaves when something else is wanted."""

import queue
import tempfile
import time
import unittest
from functools import partial
from pathlib import Path

import numpy as np
from msgspec.structs import replace
from PIL import Image

from pale_ember.analysis.client import ENDED, AnalysisProcess
from pale_ember.analysis.jobs import AnalysisTask, LongWork
from pale_ember.core.effect.edit import with_value
from pale_ember.core.effect.model import Stage
from pale_ember.core.effect.recipe.recipe import Recipe
from pale_ember.core.effect.recipe.sources import Gas
from pale_ember.core.effect.reuse import kept
from pale_ember.core.effect.values import curve, fixed
from pale_ember.core.insight.checks.rules import mended
from pale_ember.formats.disk import KeptOnDisk
from pale_ember.machine import user_folders
from tests.examples import drip, effect

POUR = effect(drip(outlet=replace(drip().outlet, rate=fixed(60.0), limit=5)), drip(id="00000000000000bb", name="splashes"))


def steps(made, draw, mesh, density, shares):
    """Long work, as the process does it: draws nothing and tells what it was given."""
    yield from shares
    yield made.name, mesh("solid:shard").faces.shape[1], density("soot.png")(np.full((1, 2), 0.5)).round(3).tolist()


class Keeping(unittest.TestCase):
    def test_what_is_the_same_is_the_very_same_and_nothing_else_differs(self):
        told = with_value(POUR, ("layers", 1, "life", "size"), curve((0, 1), (1, 0)))
        told = replace(told, layers=(told.layers[1], told.layers[0]), stage=Stage(fog=0.2))
        # As if it had come from elsewhere: no part is one that is known.
        anew = with_value(with_value(told, ("layers", 1, "name"), "a"), ("layers", 1, "name"), told.layers[1].name)
        anew = replace(anew, layers=tuple(replace(layer, life=replace(layer.life)) for layer in anew.layers))
        found = kept(anew, POUR)
        self.assertEqual(found, told)
        self.assertIs(found.layers[1], POUR.layers[0])
        self.assertIs(found.layers[0].outlet, POUR.layers[1].outlet)
        self.assertIs(found.stage.sun, POUR.stage.sun)
        self.assertIs(kept(replace(POUR), POUR), POUR)


class Apart(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.analysis = AnalysisProcess()

    def setUp(self):
        self.told = queue.Queue()
        self.hear = lambda *told: self.told.put(told)
        self.analysis.listen(self.hear)
        self.addCleanup(self.analysis.leave, self.hear)

    def next(self, name, number=None):
        """What is told next under a name; of a number alone where it is given: what was begun before may still be told of."""
        while True:
            told = self.told.get(timeout=60)
            if told[0] == name and number in (None, told[1]):
                return told[1:]

    def look(self, number, made, layers=None, **wanted):
        self.analysis.send("look", AnalysisTask(number, replace(made, layers=()), layers or made.layers, **wanted))

    def work(self, number, shares, folder=None):
        self.analysis.send("work", LongWork(number, POUR, folder, partial(steps, shares=shares)))

    def test_an_effect_is_looked_through_and_its_mends_come_back(self):
        self.look(1, POUR, closely=True)
        finding = next(each for each in self.next("checked", 1)[1] if each.rule == "births refused")
        self.assertGreater(mended(POUR, finding.mends[0]).layers[0].outlet.limit, 60)
        self.assertEqual(set(self.next("spent", 1)[1].layers), {layer.id for layer in POUR.layers})
        self.next("cut", 1)
        # A layer that did not change is told by where it stood.
        other = with_value(POUR, ("layers", 0, "outlet", "limit"), 4000)
        self.look(2, other, [other.layers[0], 1])
        self.assertNotIn("births refused", {each.rule for each in self.next("checked", 2)[1]})

    def test_an_edit_holds_everything_until_it_has_come(self):
        self.analysis.send("hold")
        self.work(5, (1, 2))
        time.sleep(0.5)
        self.assertNotIn(5, [told[1] for told in list(self.told.queue)])
        self.look(6, POUR, marks=False)
        self.next("spent", 6)
        self.assertEqual([self.next("worked", 5)[1] for _ in range(3)][:2], [1, 2])
        self.assertEqual(self.next("ended", 5), (5, ""))

    def test_what_it_cannot_make_sense_of_ends_it_and_it_begins_anew(self):
        self.look(9, effect(), [7])
        self.assertEqual(self.next(ENDED), (1,))
        self.look(10, POUR)
        self.next("checked", 10)

    def test_what_goes_wrong_in_it_is_said_and_the_work_goes_on(self):
        self.work(7, None)
        self.assertIn("TypeError", self.next("ended", 7)[1])
        self.work(8, (1,))
        self.assertEqual(self.next("worked", 8), (8, 1))

    def test_long_work_has_the_files_of_its_effect_though_nothing_was_looked_through(self):
        with tempfile.TemporaryDirectory() as folder:
            Image.new("RGBA", (4, 4), "white").save(Path(folder) / "soot.png")
            self.work(11, (), Path(folder))
            self.assertEqual(self.next("worked", 11), (11, (POUR.name, 3, [1.0])))

    def test_whole_gases_are_left_to_the_window(self):
        gas = Recipe(name="plume", size=16, frames=4, columns=4, steps=(Gas(grid=32),))
        look = replace(POUR.layers[0].look, picture="recipe:plume")
        made = replace(POUR, recipes=(gas,), layers=(replace(POUR.layers[0], look=look),))
        # As soon as there is a coarse one it is looked through, and none is kept for others.
        kept_gases = KeptOnDisk(user_folders.cache() / "gases")
        before = set(kept_gases)
        self.look(12, made)
        self.next("checked", 12)
        time.sleep(3)
        self.assertEqual(set(kept_gases), before)
