"""Cost, measured by drawing: painted pixels against a count by NumPy, and what cuts it keeps what is seen."""

import unittest

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.chapters import Birth, Burst, Contact, Forces, Life, Look, Offspring, Outlet
from pale_ember.core.effect.model import Camera, Effect, Layer, Stage
from pale_ember.core.effect.offspring import Rule
from pale_ember.core.effect.recipe.recipe import Recipe
from pale_ember.core.effect.values import curve, fixed
from pale_ember.core.insight.checks.rules import mended
from pale_ember.core.insight.cost_cuts import bakes, compared, cuts
from pale_ember.core.insight.effect_cost import Budget
from pale_ember.core.insight.layer_costs import game_camera, spending, with_mips
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.texture.outline import area_of
from pale_ember.core.view import view_of
from pale_ember.draw.offscreen import offscreen
from pale_ember.draw.small import MEASURED, on_background, painted_pixels
from pale_ember.formats.pictures import library_picture

ONE = "00000000000000aa"
WHITE = np.ones((64, 64, 4), np.float32)
STAGE = Stage(cameras=(Camera(target=(0.0, 1.0, 0.0), heading=0.0, pitch=0.0),), ground=False)


def cards(**parts):
    """Cards that stand still before the camera, each somewhere else."""
    given = {
        "id": ONE,
        "name": "cards",
        "place": (0.0, 1.0, 0.0),
        "life": Life(opacity=None),
        "outlet": Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(12)),), shape="box", extent=(3.0, 1.5, 0.0)),
        "birth": Birth(lifetime=fixed(9.0), speed=fixed(0.0), size=fixed(0.6)),
        "look": Look(picture="white", soft=0.0, fade_near=0.0),
    }
    return Layer(**(given | parts))


def quay(layer, **fields):
    return Effect(**({"name": "cards", "duration": 1.0, "loop": False, "layers": (layer,), "stage": STAGE} | fields))


def picture(name, recipes=None):
    return library_picture("triangle") if name == "triangle" else WHITE


def whole(told):
    return list(told)[-1]


class Spent(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        context = offscreen(picture)
        cls.drawn = context.__enter__()
        cls.addClassCleanup(context.__exit__, None, None, None)

    def spent(self, effect, **given):
        timeline = Timeline(effect)
        return whole(spending(timeline, painted_pixels(self.drawn), picture, **given))

    def test_painted_pixels_are_those_that_numpy_counts(self):
        effect = quay(cards())
        frame, camera = Timeline(effect).frame(0.5), game_camera(effect)
        counts = painted_pixels(self.drawn)(frame, camera)
        width, height = MEASURED
        shown = frame.layers[0]
        at = view_of(camera, width, height).project(shown.position, width, height)
        half = 0.5 * shown.size[:, 0] * height / (2 * at[:, 2] * np.tan(np.radians(camera.fov) / 2))
        y, x = np.mgrid[0:height, 0:width] + 0.5
        expected = np.zeros((height, width))
        for (left, top, _), reach in zip(at, half, strict=True):
            expected += (np.abs(x - left) < reach) & (np.abs(y - top) < reach)
        self.assertGreater(expected.max(), 1, "cards lie over each other")
        self.assertLess(np.abs(counts - expected).mean(), 1e-3)
        self.assertEqual(counts.max(), expected.max())

    def test_each_layer_is_told_over_the_time(self):
        spent = self.spent(quay(cards()))
        own = spent.layers[ONE]
        self.assertEqual((own.alive.max(), own.triangles.max(), own.sorts), (12, 24, False))
        self.assertEqual(own.textures, with_mips(64, 64))
        np.testing.assert_array_equal(spent.painted, own.painted)
        self.assertAlmostEqual(
            self.spent(quay(cards(birth=replace(cards().birth, size=fixed(0.3))))).painted.max() / own.painted.max(), 0.25, delta=0.02
        )
        self.assertTrue(self.spent(quay(cards(look=Look(blend="alpha")))).layers[ONE].sorts)

    def test_all_together_is_what_layers_are_in_sum(self):
        two = quay(cards())
        two = replace(two, layers=(two.layers[0], replace(cards(), id="00000000000000bb", name="more", place=(0.4, 1.2, 0.0))))
        one_by_one, together = self.spent(two), self.spent(two, by_layer=False)
        self.assertEqual(together.layers, {})
        np.testing.assert_allclose(together.painted, one_by_one.painted, rtol=1e-3)
        np.testing.assert_array_equal(together.alive, one_by_one.alive)
        self.assertEqual(one_by_one.shares(Budget(12, 2**20, 4, 1.0))["alive"], 2.0)

    def test_births_offspring_touches_and_steps_are_counted(self):
        drops = cards(
            name="drops",
            outlet=Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(5)),), shape="box", extent=(3.0, 0.0, 0.0)),
            forces=Forces(gravity=(0.0, -9.8, 0.0)),
            contact=Contact(meets="end"),
            offspring=Offspring(rules=(Rule(when="touches", layer="00000000000000bb", count=fixed(3)),)),
        )
        rings = cards(id="00000000000000bb", name="rings", outlet=Outlet(rate=fixed(0.0), shape="point"))
        spent = self.spent(quay(drops, layers=(drops, rings), duration=2.0))
        own, born = spent.layers[ONE], spent.layers["00000000000000bb"]
        self.assertEqual((own.births, own.spawned, own.touches), (5, 15, 5))
        self.assertEqual((born.births, born.spawned, born.touches), (15, 0, 0))
        self.assertGreater(own.seconds, 0)

    def test_cards_cut_closer_paint_less_by_what_was_told(self):
        effect = quay(cards(look=Look(picture="triangle", soft=0.0, fade_near=0.0, blend="alpha")))
        before = self.spent(effect)
        cut = next(cut for cut in cuts(effect, before) if "corners" in cut.mend.name)
        after = self.spent(mended(effect, cut.mend))
        told = next(compared(effect, [cut], on_background(self.drawn)))
        saved = 1 - after.painted.max() / before.painted.max()
        corners = mended(effect, cut.mend).layers[0].look.corners
        outlines = before.layers[ONE].outlines
        self.assertAlmostEqual(saved, 1 - area_of(outlines[corners]) / area_of(outlines[4]), delta=0.02)
        self.assertGreater(saved, 0.25)
        self.assertLess(told.difference, 0.2, "nobody sees it")

    def test_a_heap_of_cards_is_offered_as_a_sheet(self):
        heap = cards(
            outlet=Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(12)),), shape="point"), look=Look(picture="white", blend="alpha")
        )
        effect = quay(heap)
        self.assertEqual([bake.layer for bake in bakes(effect, self.spent(effect))], [ONE])
        apart = quay(cards(look=Look(picture="white", blend="alpha")))
        self.assertEqual(bakes(apart, self.spent(apart)), [])

    def test_what_would_cut_it_cuts_it(self):
        dark = Life(opacity=curve((0, 1), (0.5, 1), (0.6, 0), (1, 0)))
        layer = cards(
            life=dark,
            birth=replace(cards().birth, lifetime=fixed(1.0)),
            look=Look(picture="recipe:white", blend="alpha"),
            outlet=Outlet(rate=fixed(40.0), shape="box", extent=(3.0, 1.5, 0.0)),
        )
        effect = quay(layer, loop=True, warm=True, recipes=(Recipe(name="white", size=256),))
        before = self.spent(effect)
        found = cuts(effect, before)
        self.assertEqual(sorted(cut.gain for cut in found), [cut.gain for cut in reversed(found)])
        names = {cut.mend.name: cut for cut in found}
        shorter = next(cut for name, cut in names.items() if name.startswith("lives "))
        after = self.spent(mended(effect, shorter.mend))
        self.assertLess(after.alive.max(), 0.75 * before.alive.max())
        self.assertEqual(mended(effect, names["no sorting"].mend).layers[0].look.stacking, "as born")
        self.assertEqual(mended(effect, names["its picture 128 pixels wide"].mend).recipes[0].size, 128)
        thin = self.spent(mended(effect, names["seven tenths of them, larger and stronger"].mend))
        self.assertLess(thin.alive.max(), 0.8 * before.alive.max())
        self.assertLess(thin.painted.max(), 0.95 * before.painted.max())

    def test_shorter_lives_look_the_same_while_they_are_seen(self):
        dark = Life(opacity=curve((0, 0), (0.2, 1), (0.6, 0), (1, 0), ease="straight"))
        effect = quay(cards(life=dark, birth=replace(cards().birth, lifetime=fixed(2.0))))
        found = cuts(effect, self.spent(effect))
        shorter = next(cut for cut in found if cut.mend.name.startswith("lives "))
        for moment in (0.2, 0.5, 0.9):
            one, other = (Timeline(each).frame(moment).layers[0] for each in (effect, mended(effect, shorter.mend)))
            np.testing.assert_allclose(one.colour[:, 3], other.colour[:, 3], atol=0.01)


if __name__ == "__main__":
    unittest.main()
