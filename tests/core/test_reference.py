"""What is measured of footage is what was drawn; what differs is said; and what was disturbed is found again."""

import itertools
import unittest

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.birth import Birth
from pale_ember.core.effect.edit import with_value
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.outlet import Outlet
from pale_ember.core.effect.values import Tints, fixed, sample_keys
from pale_ember.core.reference.fit import Free, fitting, target_of
from pale_ember.core.reference.measures import Measures, apart, measured, sentence
from pale_ember.core.reference.taking import curve_of, gradient_of, mean_colour
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.texture.light import to_coded
from tests.core.test_variation import drawn_as_disc

TIMES = (np.arange(60) + 0.5) / 30


def film(bright=lambda t: 1.0, colour=(1.0, 0.5, 0.1), high=20, wide=10, ground=0.02, moves=True):
    """Frames of a block of light that wavers a little, over a plain ground with a lamp that stands still."""
    frames = []
    for i, t in enumerate(TIMES):
        light = np.full((60, 100, 3), ground)
        light[5:8, 5:8] = 0.9
        light[60 - high : 60, 50 - wide : 50 + wide] += np.array(colour) * bright(t) * (1 + (0.2 * (i % 2) if moves else 0))
        frames.append(np.round(to_coded(np.clip(light, 0, 1)) * 255).astype(np.uint8))
    return frames


class Measured(unittest.TestCase):
    def test_a_block_of_light_is_measured_as_it_was_drawn(self):
        got = measured(film(lambda t: 0.4), TIMES, 2.0)
        share = 20 * 20 / 6000
        np.testing.assert_allclose(got.area, share, rtol=0.01)
        luminance = 0.2126 * 1.0 + 0.7152 * 0.5 + 0.0722 * 0.1
        np.testing.assert_allclose(got.light[::2], 0.4 * luminance * share, rtol=0.03)
        np.testing.assert_allclose(got.colour[0], np.array([0.42, 0.22, 0.06]), atol=0.01)
        np.testing.assert_allclose(got.box[0], [0.4, 0.6, 0.0, 1 / 3], atol=0.02)
        self.assertEqual(got.lasts(), (TIMES[0], TIMES[-1]))

    def test_the_rhythm_is_that_of_its_light(self):
        got = measured(film(lambda t: 0.4 + 0.2 * np.sin(2 * np.pi * 4 * t), moves=False), TIMES, 2.0)
        often, strong = got.rhythm()
        self.assertAlmostEqual(often, 4.0, delta=0.35)
        self.assertAlmostEqual(strong, 0.5 / np.sqrt(2), delta=0.05)
        self.assertLess(measured(film(lambda t: 0.4, moves=False, ground=0.5), TIMES, 2.0).rhythm()[1], 0.01)
        # What comes and goes from each frame to the next is not a rhythm that frames can tell.
        self.assertLess(measured(film(lambda t: 0.4), TIMES, 2.0).rhythm()[0], 14.9)

    def test_what_differs_most_is_said(self):
        reference = measured(film(lambda t: 0.4), TIMES, 2.0)

        def said(**how):
            return [each.what for each in apart(measured(film(**how), TIMES, 2.0), reference)]

        self.assertEqual(said(bright=lambda t: 0.4), [])
        self.assertEqual(sentence([]), "Nothing is told apart.")
        self.assertEqual(said(bright=lambda t: 0.13)[0], "brightness")
        self.assertIn("end", said(bright=lambda t: 0.4 * (t < 1.4)))
        self.assertIn("colour", said(bright=lambda t: 0.4, colour=(0.1, 0.5, 1.0)))
        self.assertEqual({"height", "area"} - set(said(bright=lambda t: 0.4, high=40)), set())
        self.assertIn("width", said(bright=lambda t: 0.4, wide=25))
        told = sentence(apart(measured(film(bright=lambda t: 0.4 / 3 * (t < 1.2)), TIMES, 2.0), reference))
        self.assertIn("ends 0.8 s earlier", told)
        dip = measured(film(lambda t: 0.25 if 0.9 < t < 1.1 else 0.4, moves=False), TIMES, 2.0)
        bump = measured(film(lambda t: 0.5 if 0.9 < t < 1.1 else 0.4, moves=False), TIMES, 2.0)
        (differs,) = [each for each in apart(dip, bump) if each.what == "brightness over time"]
        self.assertRegex(differs.said, r"half as bright at (0\.9|1)")
        yellow = apart(measured(film(lambda t: 0.4, colour=(1.0, 0.8, 0.1)), TIMES, 2.0), reference)
        self.assertIn("greener", [each.said.removeprefix("is ") for each in yellow if each.what == "colour"])


class Taken(unittest.TestCase):
    def test_curves_and_colours_are_those_of_what_is_seen(self):
        share = np.linspace(0.0, 1.0, 30)
        box = np.stack([0 * share, 1 + 0 * share, 0 * share, 0.2 + 0.6 * share], axis=1)
        colour = np.stack([1 + 0 * share, 0.9 - 0.8 * share, 0.1 + 0 * share], axis=1)
        seen = Measures(2.0 * share, 0.4 * (1 - 0.8 * share), 0.1 + 0 * share, colour, box, 2.0)
        for what, first, last in (("brightness", 1.0, 0.2), ("size", 0.25, 1.0)):
            told = sample_keys(curve_of(seen, what).keys, np.array([0.0, 1.0]))
            np.testing.assert_allclose(told, (first, last), atol=0.08, err_msg=what)
        stops = gradient_of(seen).stops
        self.assertEqual((stops[0].at, stops[-1].at), (0.0, 1.0))
        np.testing.assert_allclose((stops[0].colour, stops[-1].colour), ((1.0, 0.9, 0.1), (1.0, 0.1, 0.1)), atol=1e-3)
        red, green, _ = mean_colour(seen)
        self.assertEqual(red, 1.0)
        # Brighter at first, when it is yellow.
        self.assertGreater(green, 0.5)


class Fits(unittest.TestCase):
    def test_disturbed_values_are_found_again(self):
        orange = (1.0, 0.4, 0.1)
        layer = Layer(
            id="00000000000000aa",
            outlet=Outlet(rate=fixed(120.0)),
            birth=Birth(lifetime=fixed(0.8), speed=fixed(2.0), brightness=fixed(0.5), tint=Tints(first=orange, second=orange)),
        )
        effect = Effect(layers=(layer,), duration=1.5, seed=3)
        times = (np.arange(24) + 0.5) / 24 * 1.5
        timeline = Timeline(effect)
        target = target_of([drawn_as_disc(timeline.frame(float(at)), "dark")[..., :3] for at in times], times, 1.5)
        wrong = with_value(
            effect, ("layers", 0, "birth"), replace(layer.birth, speed=fixed(3.1), lifetime=fixed(0.55), brightness=fixed(0.8))
        )
        free = [Free(layer.id, ("birth", name)) for name in ("speed", "lifetime", "brightness")]
        told = list(fitting(wrong, drawn_as_disc, target=target, free=free, trials=300))
        best = told[-1]
        self.assertTrue(best.done)
        self.assertTrue(all(after.off <= before.off for before, after in itertools.pairwise(told)), "never worse again")
        born = best.effect.layers[0].birth
        for name, wanted in (("speed", 2.0), ("lifetime", 0.8), ("brightness", 0.5)):
            self.assertAlmostEqual(getattr(born, name).middle / wanted, 1.0, delta=0.05, msg=name)
        self.assertEqual(best.said, "Nothing is told apart.")

    def test_what_cannot_be_matched_ends_and_says_what_is_farthest(self):
        layer = Layer(id="00000000000000aa", outlet=Outlet(rate=fixed(120.0)), birth=Birth(lifetime=fixed(0.8), speed=fixed(2.0)))
        effect = Effect(layers=(layer,), duration=1.5)
        frames = [np.full((36, 64, 3), 40 + 5 * (i % 2), np.uint8) for i in range(20)]
        for frame in frames:
            frame[:20, :40] = (20, 40, 250)
        target = target_of(frames, np.arange(20) / 20 * 1.5, 1.5)
        *_, best = fitting(effect, drawn_as_disc, target=target, free=[Free(layer.id, ("birth", "size"))], trials=40)
        self.assertTrue(best.done)
        self.assertLess(best.trials, 60)
        self.assertRegex(best.said, r"^Yours .+\.$")
        self.assertEqual(len(list(fitting(effect, drawn_as_disc, target=target, free=[]))), 1)
