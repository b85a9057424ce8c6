"""Trims move together what belongs together, and nothing else."""

import unittest

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.chapters import Burst, Outlet
from pale_ember.core.effect.edit import fresh
from pale_ember.core.effect.model import Effect
from pale_ember.core.effect.reading import plain, read
from pale_ember.core.effect.shapes import extent_of
from pale_ember.core.effect.starting_points import started
from pale_ember.core.effect.trims import TRIMS, changed_fields, hue_turn, trimmed
from pale_ember.core.effect.values import fixed
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.formats.starts import starts

LUMINANCE = np.array([0.213, 0.715, 0.072])


class Trims(unittest.TestCase):
    def test_neutral_changes_nothing_and_any_amount_leaves_a_sound_effect(self):
        for start in starts().values():
            before = Effect(layers=fresh(start.make()))
            ids = [layer.id for layer in before.layers]
            for name, trim in TRIMS.items():
                same = trimmed(before, name, trim.neutral, ids)
                rounded = {"tint", "colour", "colours", "burn tint"} if name == "hue" else set()
                self.assertLessEqual(set(changed_fields(before, same)), rounded, name)
                for amount in (0.01, 0.5, 3.0, 90.0):
                    after = trimmed(before, name, amount, ids)
                    self.assertEqual(read(Effect, plain(after))[1], [], (start.help, name))
                self.assertIs(trimmed(before, name, 0.5, ()).layers[0], before.layers[0])

    def test_reach_sends_every_particle_so_much_farther(self):
        layer = replace(started("drops"), outlet=Outlet(rate=fixed(30), shape="point"), contact=started("smoke").contact)
        before = Effect(layers=(layer,))
        after = trimmed(before, "reach", 1.7, (layer.id,))
        near, far = (Timeline(each).frame(0.8).layers[0].position for each in (before, after))
        np.testing.assert_allclose(far, near * 1.7, rtol=2e-4, atol=1e-4)

    def test_density_multiplies_what_lives_and_tempo_hurries_it(self):
        layer = replace(started("smoke"), outlet=replace(started("smoke").outlet, bursts=(Burst(count=fixed(20)),)))
        before = Effect(layers=(layer,), loop=False)
        denser, faster = (trimmed(before, name, 2.0, (layer.id,)) for name in ("density", "tempo"))
        counts = [Timeline(each).frame(1.0).layers[0].count for each in (before, denser)]
        self.assertAlmostEqual(counts[1], 2 * counts[0], delta=1)
        twice = Timeline(before).frame(2.0).layers[0]
        self.assertEqual(Timeline(faster).frame(1.0).layers[0].count, twice.count)
        self.assertIn("rate", changed_fields(before, denser))

    def test_hue_keeps_how_light_colours_are_and_comes_round(self):
        dice = np.random.default_rng(3)
        for degrees in (40.0, 120.0, -75.0):
            turn = hue_turn(degrees)
            for colour in dice.uniform(0.2, 1.0, (20, 3)):
                self.assertAlmostEqual(float(LUMINANCE @ (turn @ colour)), float(LUMINANCE @ colour), places=2)
            np.testing.assert_allclose(turn @ np.ones(3), np.ones(3), atol=1e-9)
        np.testing.assert_allclose(hue_turn(360.0), np.eye(3), atol=1e-3)

    def test_the_room_of_a_shape_grows_with_its_dimensions(self):
        for shape, power in (("disc", 2), ("sphere", 3), ("cylinder", 2), ("line", 1), ("box", 3), ("torus", 3)):
            small = Outlet(shape=shape, radius=0.4, tube=0.1, length=0.5, extent=(1.0, 2.0, 0.5), fill=1.0)
            large = replace(small, radius=0.8, tube=0.2, extent=(2.0, 4.0, 1.0), length=1.0 if shape == "line" else 0.5)
            self.assertAlmostEqual(extent_of(large) / extent_of(small), 2.0**power, msg=shape)


if __name__ == "__main__":
    unittest.main()
