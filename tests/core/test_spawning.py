"""Exact counts for every way of being born, over long times and odd steps."""

import unittest

import numpy as np
from scipy import integrate, stats

from pale_ember.core.effect.model import Pose
from pale_ember.core.effect.stage import Carrier, Stage
from pale_ember.core.effect.values import Range, between, curve, sample_keys
from pale_ember.core.simulate.forecast import Forecast
from pale_ember.core.simulate.spawning import Spawner
from pale_ember.core.simulate.timeline import Timeline
from tests.examples import Birth, Burst, Outlet, drip, effect, fixed, layer_at

FOREVER = Birth(lifetime=fixed(3000.0), speed=fixed(0.0))


def born_between(made, first, last):
    return Spawner(made, made.layers[0]).births(first, last)


def outlet(**fields):
    return Outlet(**({"rate": fixed(0.0), "limit": 100_000, "shape": "point", "spread": 0.0} | fields))


class Repeated(unittest.TestCase):
    def test_repetitions_go_on_past_the_loops_end_until_the_burst_begins_anew(self):
        for warm, first in ((False, [0.8]), (True, [0.0, 0.2, 0.8])):
            many = outlet(bursts=(Burst(count=fixed(1), first_at=0.8, times=3, every=0.2),))
            made = effect(drip(outlet=many), duration=1.0, loop=True, warm=warm)
            born, number = born_between(made, -1, 3 * 60 - 1)
            np.testing.assert_allclose(born, [*first, 1.0, 1.2, 1.8, 2.0, 2.2, 2.8], atol=1e-9)
            self.assertEqual(len(set(number.tolist())), len(number))


class Rates(unittest.TestCase):
    def test_a_curve_over_time_bears_its_integral(self):
        flow = curve((0, 0.0), (0.3, 2.0), (0.6, 0.5), (1, 1.0))
        whole = integrate.simpson(sample_keys(flow.keys, np.linspace(0, 1, 20001)), dx=1 / 20000)
        for steps in (7, 60, 33):
            made = effect(drip(outlet=outlet(rate=90.0, rate_curve=flow), birth=FOREVER), duration=2.0, loop=True, steps=steps)
            self.assertAlmostEqual(layer_at(made, 40.0).count, 90 * whole * 40, delta=3)
        none = outlet(rate=200.0, rate_curve=curve((0, 0), (0.5, 0), (1, 1), ease="straight"))
        born, _ = born_between(effect(drip(outlet=none), duration=2.0), -1, 200)
        self.assertGreaterEqual(float(born.min()), 1.0)

    def test_a_range_is_drawn_once_a_loop_and_carries_fractions(self):
        made = effect(drip(outlet=outlet(rate=between(10.0, 30.0)), birth=FOREVER), duration=1.0, loop=True)
        counts = np.diff([layer_at(made, t - 1e-3).count for t in np.arange(1.0, 30.0)])
        self.assertGreater(counts.std(), 2)
        self.assertTrue((counts >= 9).all() and (counts <= 31).all())

    def test_waits_are_drawn_for_each_birth_and_run_on_across_loops(self):
        for wait in (fixed(0.7), between(0.02, 0.3), Range(low=0.1, high=0.4, choices=(0.1, 0.4))):
            made = effect(drip(outlet=outlet(rate=wait, rate_counts="seconds between")), duration=1.0, loop=True)
            born, number = born_between(made, -1, 6000)
            gaps = np.diff(born)
            self.assertGreaterEqual(float(gaps.min()), wait.least - 1e-6)
            self.assertLessEqual(float(gaps.max()), wait.most + 1e-6)
            self.assertAlmostEqual(float(gaps.mean()), wait.middle, delta=0.02)
            self.assertEqual(len(np.unique(number)), len(number))
        self.assertGreater(stats.kstest((gaps > 0.2).astype(float), "uniform").statistic, 0.3)

    def test_waits_stand_still_between_the_flow_of_one_loop_and_the_next(self):
        flow = outlet(rate=0.1, rate_counts="seconds between", start=0.3, span=0.47)
        made = effect(drip(outlet=flow), duration=1.0, loop=True)
        born, _ = born_between(made, -1, 6 * 60)
        flown = np.arange(1, len(born) + 1) * 0.1
        loops = np.ceil(flown / 0.47 - 1e-9) - 1
        np.testing.assert_allclose(born, loops + 0.3 + flown - 0.47 * loops, atol=1e-6)
        self.assertAlmostEqual(len(born), 6 * 0.47 / 0.1, delta=1)

    def test_a_number_is_kept_alive(self):
        birth = Birth(lifetime=between(0.5, 1.5), speed=fixed(0.0))
        made = effect(drip(outlet=outlet(rate=80.0, rate_counts="kept alive"), birth=birth), loop=True, warm=True)
        self.assertAlmostEqual(np.mean([layer_at(made, t).count for t in np.arange(0, 6, 0.5)]), 80, delta=6)
        self.assertAlmostEqual(Forecast(made).steady(made.layers[0]), 80, places=6)
        seldom = effect(drip(outlet=Outlet(rate=fixed(0.5))), loop=True)
        self.assertGreater(Forecast(seldom).most_births(seldom.layers[0], 4.0), 2.0)
        far_apart = effect(drip(outlet=Outlet(rate=fixed(0.0), per_metre=0.5)))
        self.assertEqual(Forecast(far_apart).most_births(far_apart.layers[0], 4.0), np.inf, "how far it goes is not known")

    def test_births_do_not_depend_on_how_time_is_cut(self):
        flows = ({"rate_curve": curve((0, 0), (1, 1))}, {"rate_counts": "seconds between", "rate": between(0.01, 0.2)}, {})
        for more in flows:
            for warm in (False, True):
                given = {"rate": between(3.0, 40.0), "bursts": (Burst(count=between(1, 9), times=3, every=0.17),)} | more
                made = effect(drip(outlet=outlet(**given)), duration=0.9, loop=True, warm=warm, steps=48)
                spawner = Spawner(made, made.layers[0])
                whole = spawner.births(-60, 400)
                parts = [spawner.births(a, b) for a, b in zip(range(-60, 400, 20), range(-40, 401, 20), strict=True)]
                for k in range(2):
                    np.testing.assert_array_equal(whole[k], np.concatenate([part[k] for part in parts]))

    def test_a_million_a_second_for_a_moment_is_bounded_by_the_limit(self):
        for policy in ("refuse births", "retire the oldest"):
            given = outlet(rate=1e8, span=0.1, limit=500, at_limit=policy)
            one = layer_at(effect(drip(outlet=given, birth=Birth(lifetime=fixed(1.0)))), 0.08)
            self.assertEqual(one.count, 500)


class Bursts(unittest.TestCase):
    def test_they_repeat_within_each_loop(self):
        burst = Burst(count=4, first_at=0.1, times=3, every=0.2)
        made = effect(drip(outlet=outlet(bursts=(burst,)), birth=FOREVER), duration=1.0, loop=True)
        self.assertEqual([layer_at(made, t).count for t in (0.05, 0.15, 0.35, 0.9, 1.15)], [0, 4, 8, 12, 16])

    def test_chance_and_counts_follow_their_odds(self):
        burst = Burst(count=between(2, 6), chance=0.3)
        made = effect(drip(outlet=outlet(bursts=(burst,))), duration=0.1, loop=True, steps=30)
        born, _ = born_between(made, -1, 30 * 400)
        loops, counts = np.unique(np.round(born / 0.1), return_counts=True)
        self.assertAlmostEqual(len(loops) / 4000, 0.3, delta=0.03)
        self.assertEqual(set(counts.tolist()), {2, 3, 4, 5, 6})
        self.assertGreater(stats.chisquare(np.bincount(counts)[2:]).pvalue, 1e-6)

    def test_same_every_loop_bears_the_same_burst(self):
        burst = Burst(count=between(1, 50))
        made = effect(drip(outlet=outlet(bursts=(burst,))), duration=0.5, loop=True, identical=True)
        born, _ = born_between(made, -1, 600)
        self.assertEqual(len(np.unique(np.unique(np.round(born / 0.5), return_counts=True)[1])), 1)


class Limits(unittest.TestCase):
    def test_the_oldest_make_room(self):
        given = outlet(rate=100.0, limit=40, at_limit="retire the oldest")
        one = layer_at(effect(drip(outlet=given, birth=FOREVER)), 2.0)
        self.assertEqual(one.count, 40)
        free = layer_at(effect(drip(outlet=outlet(rate=100.0), birth=FOREVER)), 2.0)
        np.testing.assert_array_equal(one.number, free.number[-40:])

    def test_predictions_hold(self):
        for given in (outlet(rate=33.0, limit=50), outlet(bursts=(Burst(count=9, times=4),)), outlet(rate=5.0, limit=3)):
            made = effect(drip(outlet=given, birth=Birth(lifetime=between(0.5, 2.0))), loop=True, warm=True, duration=1.0)
            most = max(layer_at(made, t).count for t in np.arange(0, 4, 0.13))
            self.assertLessEqual(most, Forecast(made).peak(made.layers[0]))


class Travel(unittest.TestCase):
    def moved(self, steps, **carrier):
        layer = drip(outlet=outlet(per_metre=8.0), birth=FOREVER, place=(0.0, 0.0, 0.0))
        return effect(layer, steps=steps, loop=True, duration=60.0, stage=Stage(carrier=Carrier(**carrier)))

    def test_births_per_metre_lie_evenly_along_the_true_path(self):
        for steps in (20, 60):
            made = self.moved(steps, moves="circle", reach=2.0, period=4.0)
            at = layer_at(made, 4.0).position.astype(float)
            self.assertAlmostEqual(len(at), 8 * 2 * np.pi * 2, delta=1.5)
            np.testing.assert_allclose(np.hypot(at[:, 0], at[:, 2]), 2.0, atol=1e-5)
            apart = np.linalg.norm(np.diff(at, axis=0), axis=1)
            np.testing.assert_allclose(apart, 2 * 2 * np.sin(1 / 8 / 2 / 2), rtol=0.01)

    def test_they_come_with_the_rate_and_are_the_same_however_reached(self):
        made = self.moved(60, moves="to and fro", reach=3.0, period=2.0)
        mixed = effect(drip(outlet=outlet(per_metre=8.0, rate=10.0), birth=FOREVER), loop=True, duration=60.0, stage=made.stage)
        self.assertAlmostEqual(layer_at(mixed, 6.0).count, layer_at(made, 6.0).count + 60, delta=1.1)
        self.assertAlmostEqual(layer_at(made, 6.0).count, 8 * 3 * 2 * 3, delta=2)
        played = Timeline(made)
        for step in range(181):
            frame = played.frame(step / 60)
        np.testing.assert_array_equal(frame.layers[0].position, Timeline(made).frame(3.0).layers[0].position)

    def test_nothing_is_born_or_carried_from_one_throw_s_end_to_the_next_start(self):
        # Periods of whole steps, and of none.
        for period in (2.0, 1.37):
            made = self.moved(60, moves="throw", reach=5.0, height=2.0, period=period)
            at = layer_at(made, 3 * period).position.astype(float)
            t = np.linspace(0.0, 1.0, 20_001)
            way = np.stack([5.0 * (t - 0.5), 8.0 * t * (1 - t)], axis=1)
            length = np.linalg.norm(np.diff(way, axis=0), axis=1).sum()
            self.assertAlmostEqual(len(at), 8 * 3 * length, delta=2)
            share = at[:, 0] / 5.0 + 0.5
            np.testing.assert_allclose(at[:, 1], 8.0 * share * (1 - share), atol=0.01)
        layer = drip(outlet=outlet(rate=3000.0, limit=100_000), birth=Birth(lifetime=fixed(9.0), speed=fixed(0.0), inherited=1.0))
        thrown = effect(layer, stage=Stage(carrier=Carrier(moves="throw", reach=5.0, height=2.0, period=1.0)), duration=3.0)
        speeds = np.linalg.norm(layer_at(thrown, 2.5).velocity, axis=1)
        self.assertLess(float(speeds.max()), 1.01 * np.hypot(5.0, 8.0))

    def test_a_keyed_layer_leaves_them_behind_it(self):
        keys = (Pose(at=0.0, ease="straight"), Pose(at=2.0, place=(4.0, 0.0, 0.0), ease="straight"))
        layer = drip(place=(0.0, 1.0, 0.0), keys=keys, outlet=outlet(per_metre=5.0), birth=FOREVER)
        at = layer_at(effect(layer, duration=2.0), 2.0).position
        self.assertAlmostEqual(len(at), 20, delta=1)
        np.testing.assert_allclose(at[:, 0], np.arange(1, len(at) + 1) / 5, atol=1e-4)

    def test_tempo_of_a_layer_multiplies_that_of_the_effect(self):
        layer = drip(tempo=2.0, outlet=outlet(rate=10.0), birth=Birth(lifetime=fixed(100.0), speed=fixed(1.0)))
        one = layer_at(effect(layer, tempo=1.5, duration=100.0, loop=True), 2.0)
        self.assertAlmostEqual(one.count, 10 * 2 * 1.5 * 2, delta=1.1)
        self.assertAlmostEqual(float(one.velocity[0, 1]), 3.0, places=4)


if __name__ == "__main__":
    unittest.main()
