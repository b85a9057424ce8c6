"""Particles against closed forms, SciPy, and the laws they must not break."""

import unittest

import numpy as np
from scipy.integrate import solve_ivp

from pale_ember.core.effect.values import between
from pale_ember.core.simulate.turbulence_field import CELLS, eddies
from tests.examples import Birth, Burst, Contact, Forces, Outlet, drip, effect, fixed, layer_at


class Throws(unittest.TestCase):
    def test_free_fall_follows_its_closed_form_at_any_step_rate(self):
        for steps in (30, 60, 240):
            made = effect(drip(forces=Forces(gravity=(1.0, -9.81, 0.0))), steps=steps)
            one = layer_at(made, 1.5)
            np.testing.assert_allclose(one.position[0], [0.5 * 2.25, 2 - 0.5 * 9.81 * 2.25, 0], atol=2e-5)
            np.testing.assert_allclose(one.velocity[0], [1.5, -9.81 * 1.5, 0], atol=2e-4)

    def test_drag_and_wind_agree_with_scipy(self):
        forces = Forces(gravity=(0.0, -9.81, 0.0), drag=1.7, wind=(3.0, 0.0, -1.0))
        made = effect(drip(birth=Birth(lifetime=fixed(10.0), speed=fixed(4.0)), forces=forces))
        air, pull = np.array(forces.wind), np.array(forces.gravity)
        truth = solve_ivp(lambda t, y: np.r_[y[3:], pull - 1.7 * (y[3:] - air)], (0, 2), [0, 2, 0, 0, 4, 0], rtol=1e-9)
        one = layer_at(made, 2.0)
        np.testing.assert_allclose(np.r_[one.position[0], one.velocity[0]], truth.y[:, -1], atol=1e-4)

    def test_terminal_speed_is_gravity_over_drag(self):
        one = layer_at(effect(drip(forces=Forces(gravity=(0, -9.81, 0), drag=3.0))), 9.0)
        self.assertAlmostEqual(float(one.velocity[0, 1]), -9.81 / 3, places=4)

    def test_tempo_plays_the_same_path_in_less_time(self):
        forces = Forces(gravity=(0.0, -2.0, 0.0), drag=0.5)
        slow = layer_at(effect(drip(forces=forces)), 2.0)
        quick = layer_at(effect(drip(forces=forces), tempo=2.0), 1.0)
        np.testing.assert_allclose(quick.position, slow.position, atol=1e-5)
        np.testing.assert_allclose(quick.velocity, 2 * slow.velocity, atol=1e-4)
        np.testing.assert_allclose(quick.life, 0.5 * slow.life)

    def test_a_local_layer_turns_its_gravity_with_it(self):
        layer = drip(space="local", turn=(0.0, 0.0, 90.0), forces=Forces(gravity=(0.0, -2.0, 0.0)))
        one = layer_at(effect(layer), 1.0)
        np.testing.assert_allclose(one.position[0], [1.0, 2.0, 0.0], atol=1e-5)


class Contacts(unittest.TestCase):
    def test_a_bounce_returns_the_square_of_its_share_of_height(self):
        layer = drip(forces=Forces(gravity=(0, -10.0, 0)), contact=Contact(meets="bounce", bounce=0.6, radius=0.0))
        fall = np.sqrt(2 * 2.0 / 10)
        rise = 0.6 * 10 * fall / 10
        one = layer_at(effect(layer, steps=50), fall + rise)
        self.assertAlmostEqual(float(one.position[0, 1]), 2.0 * 0.36, delta=0.01)

    def test_energy_never_grows_and_rest_is_still(self):
        layer = drip(
            birth=Birth(lifetime=fixed(60.0), speed=fixed(1.0)),
            forces=Forces(gravity=(0.3, -9.81, 0)),
            contact=Contact(meets="bounce", bounce=0.7, slide=0.9, radius=0.05),
        )
        made = effect(layer, duration=30.0)
        heights = [float(layer_at(made, t).position[0, 1]) for t in (0.5, 6.0, 8.0, 20.0, 20.1)]
        self.assertTrue(all(h >= 0.05 - 1e-4 for h in heights))
        self.assertAlmostEqual(heights[-2], 0.05, places=4)
        self.assertEqual(heights[-2], heights[-1])
        free = drip(
            outlet=Outlet(rate=0.0, bursts=(Burst(count=300),), aim="anywhere"),
            birth=Birth(lifetime=fixed(9.0), speed=fixed(3.0)),
            forces=Forces(gravity=(0, -9.81, 0)),
            contact=Contact(meets="bounce", bounce=1.0, slide=1.0),
        )
        energy = []
        for time in np.arange(0, 3, 0.25):
            one = layer_at(effect(free), time)
            energy.append(0.5 * (one.velocity**2).sum(axis=1) + 9.81 * one.position[:, 1])
        self.assertLess(float((np.array(energy) - energy[0]).max()), 0.02)

    def test_a_fast_particle_never_passes_the_ground(self):
        shot = Birth(lifetime=fixed(5.0), speed=fixed(-2000.0))
        bounced = layer_at(effect(drip(birth=shot, contact=Contact(meets="bounce", bounce=0.5))), 1.0)
        self.assertGreater(float(bounced.position[0, 1]), 0.0)
        self.assertEqual(layer_at(effect(drip(birth=shot, contact=Contact(meets="end"))), 1.0).count, 0)


class Air(unittest.TestCase):
    def test_the_eddies_have_no_sources(self):
        field = eddies().astype(float)
        slope = [(np.roll(field, -1, axis) - np.roll(field, 1, axis)) / 2 for axis in range(3)]
        divergence = sum(slope[axis][..., axis] for axis in range(3))
        gradient = np.sqrt(sum((part**2).sum(axis=-1) for part in slope))
        self.assertLess(np.sqrt((divergence**2).mean()), 0.05 * np.sqrt((gradient**2).mean()))
        self.assertAlmostEqual(float(np.sqrt((field**2).sum(axis=-1).mean())), 1.0, places=4)
        self.assertEqual(field.shape[0], CELLS)

    def test_turbulence_moves_nothing_without_drag(self):
        still = layer_at(effect(drip(forces=Forces(turbulence=5.0, wind=(9, 0, 0)))), 2.0)
        np.testing.assert_array_equal(still.position[0], [0, 2, 0])

    def test_extreme_numbers_stay_finite(self):
        layer = drip(
            outlet=Outlet(rate=1e6, limit=5000, shape="sphere", radius=1e6, aim="anywhere"),
            birth=Birth(lifetime=fixed(0.5), speed=fixed(1e5), size=fixed(0.0)),
            forces=Forces(gravity=(1e5, -1e5, 1e5), drag=1e4, turbulence=1e4, eddy=0.001, wind=(1e4, 0, 0)),
            contact=Contact(meets="bounce", bounce=1.0, slide=1.0),
        )
        one = layer_at(effect(layer), 1.0)
        self.assertEqual(one.count, 5000)
        for array in (one.position, one.velocity, one.size, one.colour):
            self.assertTrue(np.isfinite(array).all())
        self.assertEqual(layer_at(effect(drip(birth=Birth(lifetime=fixed(0.0)))), 0.0).count, 0)


class FarAway(unittest.TestCase):
    def test_two_kilometres_from_the_origin_slow_particles_go_as_far_as_at_home(self):
        burst = Outlet(rate=0.0, bursts=(Burst(count=400),), shape="point", aim="anywhere")
        birth = Birth(lifetime=fixed(20.0), speed=between(0.05, 0.1))
        for forces in (Forces(), Forces(drag=0.2, wind=(0.1, 0.0, 0.0))):
            ways = []
            for place in ((0.0, 0.0, 0.0), (2000.0, 3000.0, -2000.0)):
                layer = drip(place=place, birth=birth, outlet=burst, forces=forces)
                ways.append(layer_at(effect(layer, duration=10.0), 9.0).position.astype(float) - place)
            error = np.linalg.norm(ways[1] - ways[0], axis=1).mean() / np.linalg.norm(ways[0], axis=1).mean()
            self.assertLess(error, 0.01)
