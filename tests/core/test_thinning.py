"""Thinning: what is twice as much as needed is halved, what is spare is left alone, and the yardstick is true."""

import unittest

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.chapters import Birth, Burst, Life, Look, Offspring, Outlet
from pale_ember.core.effect.model import DistanceStep, Effect, Layer
from pale_ember.core.effect.offspring import Rule
from pale_ember.core.effect.values import Range, between, curve, fixed, gradient, sample_keys
from pale_ember.core.insight.distances import changes, farther, step_at
from pale_ember.core.insight.thinning import PictureDifference, fewest, look_of, similarity, thinning, told_apart, with_fewer
from pale_ember.core.insight.unseen_ends import with_shorter_lives
from pale_ember.core.simulate.timeline import Timeline

ONE, TWO = "00000000000000aa", "00000000000000bb"
Y, X = np.mgrid[0:36, 0:64]


def draw(frame, background):
    """Soft dots added to the dark, or laid over the light, by NumPy: 64 by 36 pixels over 4 by 2.25 m."""
    ground = 0.02 if background == "dark" else 0.6
    light = np.full((36, 64, 3), ground)
    for each in frame.layers:
        for place, size, colour in zip(each.position, each.size, each.colour, strict=True):
            x, y, r = 32 + 16 * place[0], 36 - 16 * place[1], max(8 * size[0], 0.7)
            cover = colour[3] * np.clip(1 - np.hypot(X - x, Y - y) / r, 0, 1)[..., None]
            adds = each.layer.look.blend == "additive"
            light = light + cover * colour[:3] if adds else light * (1 - cover) + cover * colour[:3]
    coded = np.clip(light, 0, 1) ** (1 / 2.2)
    return np.dstack([np.round(255 * coded), np.full((36, 64), 255)]).astype(np.uint8)


def layer(**parts):
    given = {"id": ONE, "name": "haze", "place": (0.0, 1.1, 0.0), "life": Life()}
    return Layer(**(given | parts))


def many(rate, opacity):
    """Large soft cards, far more of them than their picture needs."""
    return layer(
        outlet=Outlet(rate=fixed(rate), shape="sphere", radius=0.4),
        look=Look(blend="alpha"),
        birth=Birth(lifetime=fixed(1.0), speed=fixed(0.05), size=between(0.9, 1.1), opacity=fixed(opacity)),
    )


def sparks():
    return layer(
        outlet=Outlet(rate=fixed(20.0), shape="sphere", radius=0.9),
        look=Look(blend="additive"),
        birth=Birth(lifetime=fixed(1.0), speed=fixed(0.1), size=fixed(0.1), brightness=fixed(1.0)),
    )


def quay(*layers):
    return Effect(name="haze", duration=2.0, warm=True, layers=layers)


class ShorterLives(unittest.TestCase):
    def test_all_that_is_left_is_as_it_was_at_the_same_moments_of_a_life(self):
        colours = gradient((0.0, (1.0, 0.8, 0.4)), (0.5, (0.8, 0.2, 0.1)), (0.8, (0.3, 0.1, 0.1)), (1.0, (0.0, 0.0, 0.0)))
        fades = curve((0, 1), (0.4, 0.9), (0.8, 0), (1, 0))
        before = Layer(id="00000000000000aa", birth=Birth(lifetime=between(1.0, 2.0)), life=Life(opacity=fades, colour=colours))
        after = with_shorter_lives(before, 0.2)
        self.assertEqual(after.birth.lifetime, between(0.8, 1.6))
        self.assertEqual([stop.at for stop in after.life.colour.stops], [0.0, 0.625, 1.0])
        ages = np.array([0.0, 0.2, 0.4, 0.6, 0.8])
        kept, told = (sample_keys(layer.life.opacity.keys, at) for layer, at in ((before, ages), (after, ages / 0.8)))
        np.testing.assert_allclose(told, kept, atol=0.03)
        np.testing.assert_allclose(after.life.colour.at(ages / 0.8), before.life.colour.at(ages), atol=1e-6)


class Thinning(unittest.TestCase):
    def test_twice_as_much_as_needed_is_halved(self):
        best = fewest(list(thinning(quay(many(120.0, 0.05)), [ONE], draw)))
        self.assertLessEqual(best.most, 66)
        self.assertLessEqual(best.difference, 1)
        self.assertEqual(best.effect.layers[0].birth.lifetime, fixed(1.0))

    def test_what_is_spare_is_left_alone(self):
        best = fewest(list(thinning(quay(sparks()), [ONE], draw)))
        self.assertGreaterEqual(best.share, 0.7)
        lone = layer(outlet=Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(2)),)), birth=Birth(lifetime=fixed(2.0)))
        self.assertEqual([result.share for result in thinning(quay(lone), [ONE], draw)], [1.0])

    def test_what_is_left_is_as_strong(self):
        before = quay(many(120.0, 0.05))
        results = list(thinning(before, [ONE], draw))
        half = next(result for result in results if result.share <= 0.5)
        self.assertLess(half.apart.hue, 0.05)
        counts = [len(Timeline(each).frame(1.0).layers[0].number) for each in (before, half.effect)]
        self.assertAlmostEqual(counts[1] / counts[0], half.share, delta=0.06)

    def test_a_list_of_opacities_stays_a_list(self):
        haze = many(100.0, 0.1)
        listed = replace(haze, birth=replace(haze.birth, opacity=Range(choices=(0.1, 0.3))))
        told = with_fewer(quay(listed), [ONE], 0.25, growth=0.0).layers[0].birth.opacity
        np.testing.assert_allclose(told.choices, (1 - 0.9**4, 1 - 0.7**4), atol=1e-6)

    def test_what_rules_alone_spawn_is_thinned_by_chance(self):
        parent = layer(offspring=Offspring(rules=(Rule(when="born", layer=TWO),)))
        child = layer(id=TWO, outlet=Outlet(rate=fixed(0.0)))
        thin = with_fewer(quay(parent, child), [TWO], 0.5)
        self.assertEqual(thin.layers[0].offspring.rules[0].chance, 0.5)
        self.assertEqual(thin.layers[0].outlet, parent.outlet)

    def test_distance_steps_thin_over_the_same_layers_and_never_to_nothing(self):
        flash = layer(id=TWO, outlet=Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(1)),)))
        steps = (DistanceStep(beyond=30.0, share=0.2), DistanceStep(beyond=10.0, share=0.5))
        effect = replace(quay(many(100.0, 0.1), flash), distances=steps)
        self.assertIsNone(step_at(effect, 9.9))
        self.assertEqual([step_at(effect, at).share for at in (10.0, 29.0, 31.0)], [0.5, 0.5, 0.2])
        self.assertIs(farther(effect, None), effect)
        far = farther(effect, step_at(effect, 40.0))
        self.assertEqual([each.id for each in far.layers], [ONE, TWO])
        self.assertEqual(far.layers[0].outlet.rate, fixed(20.0))
        self.assertIs(far.layers[1], flash, "of few, none is taken away")
        told = changes(effect, steps[0])
        self.assertEqual(told[ONE]["outlet.rate"], fixed(20.0))
        for path, value in told[ONE].items():
            chapter, name = path.split(".")
            self.assertEqual(getattr(getattr(far.layers[0], chapter), name), value)

    def test_the_yardstick(self):
        rng = np.random.default_rng(2)
        picture = rng.random((36, 64)).astype(np.float32)
        self.assertAlmostEqual(similarity(picture, picture), 1.0, places=5)
        self.assertLess(similarity(picture, rng.random((36, 64)).astype(np.float32)), 0.2)
        seen = [rng.integers(0, 255, (4, 36, 64, 3), np.uint8)]
        np.testing.assert_allclose(look_of(seen).mean[0], seen[0][:3].mean(axis=0) / 255, atol=1e-5, err_msg="of all but the ground")
        dark = [np.full((3, 36, 64, 3), 51, np.uint8)]
        bright = [dark[0].copy()]
        dark[0][:2, 10:20] = 128
        bright[0][:2, 10:20] = 153
        same = told_apart(look_of(dark), look_of(dark))
        self.assertEqual((round(same.alike, 5), same.hue, same.grain, same.area), (1.0, 0.0, 0.0, 0.0))
        apart = told_apart(look_of(dark), look_of(bright))
        self.assertGreater(apart.hue, 0.4)
        self.assertEqual(apart.area, 0.0)
        self.assertGreater(
            apart.against(PictureDifference()), apart.against(PictureDifference(hue=1.0)), "what dice change is no difference"
        )


if __name__ == "__main__":
    unittest.main()
