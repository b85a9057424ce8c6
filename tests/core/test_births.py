"""How many are born, when, where and which way."""

import unittest

import numpy as np
from scipy import stats

from pale_ember.core.effect.edit import with_burst
from pale_ember.core.effect.values import Range, between
from tests.examples import Birth, Burst, Forces, Outlet, drip, effect, fixed, layer_at

FOREVER = Birth(lifetime=fixed(3000.0), speed=fixed(0.0))


def born(outlet, count=20000, **fields):
    layer = drip(place=(0.0, 0.0, 0.0), outlet=outlet, birth=FOREVER)
    return layer_at(effect(layer, **fields), 0.0).position.astype(float)


def burst(**fields):
    return Outlet(rate=0.0, bursts=(Burst(count=20000),), limit=20000, **fields)


class Counts(unittest.TestCase):
    def test_a_rate_bears_exactly_its_integral_over_loops_and_odd_steps(self):
        for rate, steps in ((1.5, 60), (7.3, 33), (400.0, 7)):
            layer = drip(outlet=Outlet(rate=rate, limit=100000), birth=FOREVER)
            made = effect(layer, duration=1.0, loop=True, steps=steps)
            self.assertAlmostEqual(layer_at(made, 40.0).count, rate * 40, delta=1.01)

    def test_an_active_span_bounds_the_births(self):
        layer = drip(outlet=Outlet(rate=100.0, start=0.5, span=0.25), birth=FOREVER)
        made = effect(layer, duration=2.0, loop=True)
        self.assertEqual([layer_at(made, t).count for t in (0.49, 0.8, 1.9, 2.8)], [0, 25, 25, 50])

    def test_bursts_repeat_in_every_loop_and_once_in_a_one_shot(self):
        layer = drip(outlet=Outlet(rate=0.0, bursts=(Burst(count=5, first_at=0.4),)), birth=FOREVER)
        self.assertEqual(layer_at(effect(layer, duration=1.0, loop=True), 3.5).count, 20)
        self.assertEqual(layer_at(effect(layer, duration=1.0), 3.5).count, 5)

    def test_births_fall_at_exact_times_inside_a_step(self):
        layer = drip(outlet=Outlet(rate=90.0, shape="point", spread=0.0), birth=Birth(lifetime=fixed(9), speed=fixed(3.0)))
        one = layer_at(effect(layer, steps=10), 1.0)
        np.testing.assert_allclose(np.sort(one.position[:, 1]), 2 + 3 * (np.arange(91) / 90), atol=1e-5)

    def test_the_limit_refuses_births(self):
        layer = drip(outlet=Outlet(rate=1000.0, limit=70), birth=FOREVER)
        self.assertEqual(layer_at(effect(layer), 2.0).count, 70)

    def test_warm_start_begins_as_if_it_had_always_run(self):
        layer = drip(outlet=Outlet(rate=20.0), birth=Birth(lifetime=fixed(2.5), speed=fixed(1.0)))
        warm = effect(layer, duration=1.0, loop=True, warm=True)
        self.assertEqual(layer_at(warm, 0.0).count, 50)
        seamless = effect(layer, duration=1.0, loop=True, warm=True, identical=True)
        np.testing.assert_allclose(layer_at(seamless, 0.5).position, layer_at(seamless, 4.5).position, atol=1e-6)

    def test_a_burst_more_rolls_nothing_again(self):
        outlet = Outlet(rate=50.0, shape="sphere", aim="outward")
        layer = drip(outlet=outlet, birth=Birth(lifetime=fixed(5), speed=fixed(1.0)), forces=Forces(drag=1, turbulence=1))
        before = layer_at(effect(layer), 1.0)
        after = layer_at(effect(drip(outlet=with_burst(outlet, 0.2), birth=layer.birth, forces=layer.forces)), 1.0)
        kept = np.isin(after.number, before.number)
        np.testing.assert_array_equal(after.position[kept], before.position)


class Shapes(unittest.TestCase):
    def even(self, values, low=0.0, high=1.0):
        """Fails where values are not spread evenly: one in a million if they are."""
        self.assertGreater(stats.kstest((values - low) / (high - low), "uniform").pvalue, 1e-6)

    def test_a_disc_is_even_by_area(self):
        for fill in (1.0, 0.4):
            at = born(burst(shape="disc", radius=2.0, fill=fill))
            inner = 1 - fill
            self.even(((np.hypot(at[:, 0], at[:, 2]) / 2) ** 2 - inner**2) / (1 - inner**2))
            self.even(np.arctan2(at[:, 2], at[:, 0]), -np.pi, np.pi)

    def test_a_sphere_is_even_by_volume_and_over_its_surface(self):
        at = born(burst(shape="sphere", radius=2.0))
        r = np.linalg.norm(at, axis=1)
        self.even((r / 2) ** 3)
        self.even(at[:, 1] / r, -1, 1)
        np.testing.assert_allclose(np.linalg.norm(born(burst(shape="sphere", radius=2.0, fill=0.0)), axis=1), 2, atol=1e-5)

    def test_a_box_is_even_in_its_volume_and_by_area_on_its_faces(self):
        at = born(burst(shape="box", extent=(4.0, 2.0, 1.0)))
        for axis, width in enumerate((4, 2, 1)):
            self.even(at[:, axis], -width / 2, width / 2)
        face = born(burst(shape="box", extent=(4.0, 2.0, 1.0), fill=0.0))
        on = np.isclose(np.abs(face), [2, 1, 0.5], atol=1e-6)
        self.assertTrue(on.any(axis=1).all())
        areas = np.array([2 * 1, 4 * 1, 4 * 2]) * 2.0
        counts = on.sum(axis=0)
        self.assertGreater(stats.chisquare(counts, areas / areas.sum() * counts.sum()).pvalue, 1e-6)

    def test_a_cone_is_even_in_its_volume(self):
        at = born(burst(shape="cone", radius=0.5, opening=30.0, length=2.0))
        slope = np.tan(np.radians(30))
        edge = 0.5 + at[:, 1] * slope
        self.even((np.hypot(at[:, 0], at[:, 2]) / edge) ** 2)
        low, high = 0.5**3, (0.5 + 2 * slope) ** 3
        self.even((edge**3 - low) / (high - low))

    def test_a_spread_may_be_a_range_or_a_list_drawn_for_each(self):
        still = Birth(lifetime=fixed(3000.0), speed=fixed(1.0))
        for spread in (between(10.0, 30.0), Range(choices=(5.0, 40.0))):
            outlet = Outlet(rate=0.0, bursts=(Burst(count=20000),), limit=20000, shape="point", spread=spread)
            layer = drip(place=(0.0, 0.0, 0.0), outlet=outlet, birth=still, forces=Forces())
            heading = layer_at(effect(layer), 0.0).velocity.astype(float)
            away = np.degrees(np.arccos(np.clip(heading[:, 1], -1, 1)))
            self.assertLessEqual(away.max(), spread.most + 0.01)
            # Within a cap of each spread the height is even: its mean is half way between cos 0 and cos of the spread.
            spreads = np.radians(np.array(spread.choices) if spread.choices else np.linspace(10, 30, 2001))
            self.assertAlmostEqual(heading[:, 1].mean(), (0.5 * (1 + np.cos(spreads))).mean(), delta=0.002)

    def test_aims_are_even_within_their_spread(self):
        shoot = Birth(lifetime=fixed(9.0), speed=fixed(1.0))
        for aim, spread, low in (("along axis", 40.0, np.cos(np.radians(40))), ("anywhere", 0.0, -1.0)):
            layer = drip(outlet=burst(shape="point", aim=aim, axis=(1.0, 1.0, 0.0), spread=spread), birth=shoot)
            way = layer_at(effect(layer), 0.0).velocity.astype(float)
            np.testing.assert_allclose(np.linalg.norm(way, axis=1), 1, atol=1e-5)
            self.even(way @ (np.array([1, 1, 0]) / np.sqrt(2)), low, 1.0)
