"""What particles look like: draws at birth, lanes over age, frames of a sheet; and the checks."""

import unittest

import numpy as np
from msgspec.structs import replace
from scipy import stats

from pale_ember.core.effect.values import Tints, between, curve, gradient
from pale_ember.core.simulate.draws import ANGLE, SIZE, draw, key_of
from pale_ember.core.simulate.forecast import Forecast
from pale_ember.core.simulate.plan import turn_matrix
from pale_ember.core.simulate.timeline import Timeline
from tests.examples import Birth, Burst, Life, Look, Outlet, drip, effect, fixed, layer_at

MANY = Outlet(rate=0.0, bursts=(Burst(count=20000),), shape="point", limit=20000)


def seen(time=1.0, birth=None, **parts):
    made = {"lifetime": fixed(4.0), "speed": fixed(0.0)} | (birth or {})
    return layer_at(effect(drip(outlet=parts.pop("outlet", MANY), birth=Birth(**made), **parts)), time)


class Draws(unittest.TestCase):
    def even(self, values, low, high):
        self.assertGreater(stats.kstest((values.astype(float) - low) / (high - low), "uniform").pvalue, 1e-6)

    def test_ranges_are_drawn_evenly_once_per_particle(self):
        birth = {"size": between(0.2, 0.6), "angle": between(-90, 90), "opacity": between(0.1, 0.9)}
        one = seen(0.5, birth, life=Life(opacity=None))
        self.even(one.size[:, 0], 0.2, 0.6)
        self.even(one.angle, -90, 90)
        self.even(one.colour[:, 3], 0.1, 0.9)
        later = seen(2.5, birth, life=Life(opacity=None))
        np.testing.assert_array_equal(one.size, later.size)

    def test_channels_and_neighbours_are_independent(self):
        key = key_of(3, "00000000000000aa")
        numbers = np.arange(5000, dtype=np.uint64)
        with np.errstate(over="ignore"):
            size = np.array([draw.py_func(key, n, SIZE) for n in numbers])
            angle = np.array([draw.py_func(key, n, ANGLE) for n in numbers])
        self.assertLess(abs(np.corrcoef(size, angle)[0, 1]), 0.06)
        self.assertLess(abs(np.corrcoef(size[1:], size[:-1])[0, 1]), 0.06)
        self.assertTrue((size >= 0).all() and (size < 1).all())

    def test_changing_one_range_moves_no_other_draw(self):
        before = seen(birth={"size": between(0.2, 0.6), "angle": between(-90, 90), "speed": between(1, 2)})
        after = seen(birth={"size": between(1.0, 9.0), "angle": between(-90, 90), "speed": between(1, 2)})
        np.testing.assert_array_equal(before.angle, after.angle)
        np.testing.assert_array_equal(before.position, after.position)
        np.testing.assert_allclose((after.size[:, 0] - 1) / 8, (before.size[:, 0] - 0.2) / 0.4, atol=1e-5)

    def test_a_tint_lies_on_the_line_between_its_colours(self):
        tint = Tints(first=(1.0, 0.0, 2.0), second=(0.0, 1.0, 0.0))
        one = seen(birth={"tint": tint}, life=Life(opacity=None))
        share = 1 - one.colour[:, 0]
        np.testing.assert_allclose(one.colour[:, 1], share, atol=1e-6)
        np.testing.assert_allclose(one.colour[:, 2], 2 * (1 - share), atol=1e-5)

    def test_another_seed_rolls_every_die_anew(self):
        layer = drip(outlet=MANY, birth=Birth(lifetime=fixed(4.0), size=between(0, 1)))
        one, two = (layer_at(effect(layer, seed=seed), 1.0).size[:, 0] for seed in (1, 2))
        self.assertLess(abs(np.corrcoef(one, two)[0, 1]), 0.05)


class Lanes(unittest.TestCase):
    def test_lanes_multiply_what_was_drawn(self):
        life = Life(
            size=curve((0, 0), (1, 1), ease="straight"),
            brightness=curve((0, 2), (1, 4), ease="straight"),
            opacity=curve((0, 1), (1, 0), ease="straight"),
            colour=gradient((0, (1.0, 0.0, 0.0)), (1, (0.0, 1.0, 0.0))),
        )
        birth = {"size": fixed(2.0), "brightness": fixed(3.0), "opacity": fixed(0.5)}
        one = seen(1.0, birth, life=life)
        np.testing.assert_allclose(one.age, 0.25, atol=1e-6)
        np.testing.assert_allclose(one.size[0], [0.5, 0.5, 0.5], atol=1e-3)
        np.testing.assert_allclose(one.colour[0], [0.75 * 7.5, 0.25 * 7.5, 0, 0.375], atol=0.02)

    def test_aspect_makes_the_height_and_spin_turns(self):
        one = seen(2.0, {"size": fixed(0.5), "aspect": 3.0, "angle": fixed(10.0), "spin": fixed(30.0)})
        np.testing.assert_allclose(one.size[0], [0.5, 1.5, 0.5], atol=1e-6)
        self.assertAlmostEqual(float(one.angle[0]), 70.0, places=4)

    def test_the_speed_lane_scales_displacement_and_not_the_stored_speed(self):
        slow = Life(speed=curve((0, 1), (1, 0), ease="straight"), opacity=None)
        one = seen(2.0, {"speed": fixed(1.0)}, life=slow, outlet=replace(MANY, spread=0.0))
        # The integral of 1 - t/4 over two seconds.
        self.assertAlmostEqual(float(one.position[0, 1]) - 2, 2 - 0.5, delta=2e-3)
        self.assertAlmostEqual(float(one.velocity[0, 1]), 0.5, delta=5e-3)


class Sheets(unittest.TestCase):
    def test_frames_follow_life_the_clock_or_the_die(self):
        grid = {"columns": 4, "rows": 2}
        self.assertAlmostEqual(float(seen(1.0, look=Look(**grid)).frame[0]), 2.0, places=4)
        self.assertLess(float(seen(3.99, look=Look(**grid)).frame.max()), 8.0)
        clock = seen(1.0, look=Look(play="by clock", fps=10.0, **grid))
        self.assertAlmostEqual(float(clock.frame[0]), 2.0, places=4)
        die = seen(1.0, look=Look(play="one at random", **grid)).frame
        counts = np.bincount(die.astype(int), minlength=8)
        self.assertEqual(len(counts), 8)
        self.assertGreater(stats.chisquare(counts).pvalue, 1e-6)
        np.testing.assert_array_equal(die, seen(2.0, look=Look(play="one at random", **grid)).frame)


class Plans(unittest.TestCase):
    def test_a_turn_is_z_then_x_then_y(self):
        np.testing.assert_allclose(turn_matrix((0, 90, 0)) @ [0, 0, 1], [1, 0, 0], atol=1e-6)
        np.testing.assert_allclose(turn_matrix((0, 90, 90)) @ [1, 0, 0], [0, 1, 0], atol=1e-6)
        both = turn_matrix((30, 50, 70))
        np.testing.assert_allclose(both @ both.T, np.eye(3), atol=1e-6)

    def test_the_predicted_peak_is_never_passed(self):
        outlet = Outlet(rate=37.0, bursts=(Burst(count=11, first_at=0.2), Burst(key=1, count=5, first_at=0.9)), limit=100000)
        for loop in (True, False):
            made = effect(drip(outlet=outlet, birth=Birth(lifetime=between(0.3, 2.7))), duration=1.0, loop=loop)
            most = max(layer_at(made, t).count for t in np.arange(0, 6, 0.21))
            self.assertLessEqual(most, Forecast(made).peak(made.layers[0]))

    def test_only_what_moves_starts_a_layer_anew(self):
        made = effect(drip())
        timeline = Timeline(made)

        def kept(other):
            timeline.update(made)
            before = timeline._tracks[made.layers[0].id]
            timeline.update(other)
            return timeline._tracks[made.layers[0].id] is before

        self.assertTrue(kept(effect(drip(name="other", look=Look(blend="alpha")))))
        self.assertTrue(kept(effect(drip(birth=Birth(lifetime=fixed(10.0), speed=fixed(0.0), size=fixed(9.0))))))
        for other in (drip(place=(0, 2, 1)), drip(outlet=Outlet(rate=1.0)), drip(birth=Birth(lifetime=fixed(3.0)))):
            self.assertFalse(kept(effect(other)))
        self.assertFalse(kept(effect(drip(), seed=9)))
