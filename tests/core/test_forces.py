"""Forces and lanes against SciPy's integrators and closed forms."""

import unittest

import numpy as np
from msgspec.structs import replace
from scipy.integrate import solve_ivp

from pale_ember.core.effect.chapters import Offspring
from pale_ember.core.effect.forces import Attractor, Circling, Gust, Push, QuadraticDrag, Radial, SpeedLimit, Stirring, Thrust, Vortex
from pale_ember.core.effect.life import Lane
from pale_ember.core.effect.look import Look
from pale_ember.core.effect.model import Pose, Stage
from pale_ember.core.effect.offspring import Rule
from pale_ember.core.effect.properties import PROPERTIES
from pale_ember.core.effect.values import Curve, Gradient, Key, Range, Stop, between, curve
from pale_ember.core.simulate.timeline import Timeline
from tests.examples import Birth, Burst, Forces, Life, Outlet, drip, effect, fixed, layer_at

SHOT = Birth(lifetime=fixed(20.0), speed=fixed(3.0))


def thrown(*forces, birth=SHOT, time=2.0, steps=60, life=None, start=(0.5, 1.0, 0.2), **base):
    layer = drip(
        place=start,
        birth=birth,
        forces=Forces(more=forces, **base),
        life=life or Life(opacity=None),
        outlet=Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(1)),), shape="point", spread=0.0, axis=(1.0, 1.0, 0.3)),
    )
    one = layer_at(effect(layer, steps=steps), time)
    return np.r_[one.position[0], one.velocity[0]].astype(float)


WAY = np.array([1.0, 1.0, 0.3]) / np.linalg.norm([1.0, 1.0, 0.3])
BEGUN = np.r_[0.5, 1.0, 0.2, 3 * WAY]


def truth(push, time=2.0):
    """SciPy's answer for the acceleration push(place from the layer, velocity, t)."""
    place = BEGUN[:3]
    run = solve_ivp(lambda t, y: np.r_[y[3:], push(y[:3] - place, y[3:], t)], (0, time), BEGUN, rtol=1e-9, atol=1e-10)
    return run.y[:, -1]


def unit(v):
    return v / max(np.linalg.norm(v), 1e-12)


class Alone(unittest.TestCase):
    def agrees(self, made, push, bound):
        np.testing.assert_allclose(thrown(made), truth(push), atol=bound)

    def test_each_force_agrees_with_scipy(self):
        up = np.array([0, 1.0, 0])
        self.agrees(Push(strength=fixed(2.5), axis=(0, 3.0, 4.0)), lambda x, v, t: 2.5 * np.array([0, 0.6, 0.8]), 1e-4)
        self.agrees(Thrust(strength=fixed(1.5)), lambda x, v, t: 1.5 * unit(v), 1e-3)
        self.agrees(QuadraticDrag(strength=fixed(0.4), quadratic=0.3), lambda x, v, t: -(0.4 + 0.3 * np.linalg.norm(v)) * v, 2e-3)

        def vortex(x, v, t):
            flat = x - (x @ up) * up
            core = max(np.linalg.norm(flat), 0.2)
            return 4.0 * np.cross(up, x) / core - 2.0 * flat / core

        self.agrees(Vortex(), vortex, 0.03)
        self.agrees(
            Attractor(place=(0.0, 1.0, 0.0), falloff=1.0, strength=fixed(4.0)),
            lambda x, v, t: -4.0 * (x - up) / max(np.linalg.norm(x - up), 0.05) ** 2,
            0.05,
        )
        self.agrees(Radial(strength=fixed(3.0), place=(0.0, -1.0, 0.0)), lambda x, v, t: 3.0 * unit(x + up), 0.01)

    def test_all_together_agree_with_scipy(self):
        def push(x, v, t):
            flat = x * [1, 0, 1]
            core = max(np.linalg.norm(flat), 0.5)
            whirl = 3.0 * np.cross([0, 1.0, 0], x) / core - flat / core
            return whirl + np.array([0, -4.0, 0]) + 1.0 * unit(v) - (0.8 + 0.1 * np.linalg.norm(v - [1, 0, 0])) * (v - [1, 0, 0])

        forces = (
            Vortex(strength=fixed(3.0), pull=1.0, radius=0.5),
            Thrust(key=1, strength=fixed(1.0)),
            QuadraticDrag(key=2, quadratic=0.1),
        )
        made = thrown(*forces, gravity=(0.0, -4.0, 0.0), drag=0.8, wind=(1.0, 0.0, 0.0))
        np.testing.assert_allclose(made, truth(push), atol=0.02)

    def test_circling_turns_all_that_a_particle_does_so_many_times_a_second(self):
        spot, time = np.array([0.5, 0.0, -0.2]), 1.3
        for steps in (30, 240):
            made = thrown(Circling(strength=fixed(0.4), place=tuple(spot)), time=time, steps=steps)
            at = round(time * steps) / steps
            angle = 2 * np.pi * 0.4 * at
            turn = np.array([[np.cos(angle), 0, np.sin(angle)], [0, 1, 0], [-np.sin(angle), 0, np.cos(angle)]])
            way = BEGUN[:3] + BEGUN[3:] * at
            middle = spot + BEGUN[:3]
            np.testing.assert_allclose(made[:3], middle + turn @ (way - middle), atol=1e-4)
            about = 2 * np.pi * 0.4 * np.cross([0, 1, 0], made[:3] - middle)
            np.testing.assert_allclose(made[3:], turn @ BEGUN[3:] + about, atol=2e-4)

    def test_circling_with_a_pull_across_its_axis_is_second_order(self):
        axis, start = np.array([0, 0, 1.0]), np.array([1.0, 0.0, 0.0])
        turn = 2 * np.pi * 0.5 * axis

        def push(t, y):
            return np.r_[y[3:] + np.cross(turn, y[:3]), [0, -9.81, 0] + np.cross(turn, y[3:])]

        end = solve_ivp(push, (0, 2.0), np.r_[start, 0, 0, 0], rtol=1e-10, atol=1e-11).y[:, -1]
        for steps, bound in ((60, 1e-3), (120, 2.5e-4)):
            layer = drip(
                outlet=Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(1)),), shape="point", offset=tuple(start), spread=0.0),
                birth=Birth(lifetime=fixed(20.0), speed=fixed(0.0)),
                place=(0, 0, 0),
                forces=Forces(gravity=(0, -9.81, 0), more=(Circling(strength=fixed(0.5), axis=(0, 0, 1)),)),
            )
            one = layer_at(effect(layer, steps=steps), 2.0)
            self.assertLess(np.linalg.norm(one.position[0] - end[:3]), bound)
            np.testing.assert_allclose(one.velocity[0], end[3:] + np.cross(turn, end[:3]), atol=5 * bound)

    def test_velocity_is_all_that_moves_a_particle(self):
        """What circling and lanes add is told, read by lanes over speed, and taken along by offspring."""
        over_speed = Lane(key=9, drives="size", over="speed", low=0.0, high=10.0, curve=curve((0, 0.0), (1, 10.0), ease="straight"))
        for more, forces, speed in (
            ((), Forces(more=(Circling(strength=fixed(0.5)),)), np.pi),
            ((Lane(drives="velocity x", curve=curve((0, 2.0))),), Forces(), 2.0),
            ((Lane(drives="velocity y", replaces=True, curve=curve((0, 1.0), (1, 3.0), ease="straight")),), Forces(), None),
        ):
            child = drip(
                id="00000000000000bb",
                name="embers",
                outlet=Outlet(rate=fixed(0.0), shape="point"),
                place=(0, 0, 0),
                birth=Birth(lifetime=fixed(0.01), speed=fixed(0.0)),
            )
            rules = tuple(
                Rule(key=k, when=when, layer=child.id, motion=1.0, interval=0.25) for k, when in enumerate(("by time", "by distance"))
            )
            layer = drip(
                outlet=Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(1)),), shape="point", offset=(1, 0, 0), spread=0.0),
                birth=Birth(lifetime=fixed(2.0), speed=fixed(0.7 if speed is None else 0.0), size=fixed(1.0)),
                place=(0, 0, 0),
                life=Life(opacity=None, more=(*more, over_speed)),
                forces=forces,
                offspring=Offspring(rules=rules),
            )
            run = Timeline(effect(layer, child))
            before, one, after = (run.frame(moment).layers[0] for moment in (1.0 - 1 / 60, 1.0, 1.0 + 1 / 60))
            way = (after.position[0] - before.position[0]) * 30
            np.testing.assert_allclose(one.velocity[0], way, atol=3e-3)
            self.assertAlmostEqual(float(one.size[0, 0]), float(np.linalg.norm(one.velocity[0])), delta=0.02)
            told = [run.events(layer.id, 0, 59, 60), run.events(layer.id, 0, 40, 70)]
            for event in np.concatenate(told):
                moved = np.array([event["vx"], event["vy"], event["vz"]])
                now = run.frame(event["step"] / 60).layers[0]
                np.testing.assert_allclose(moved, now.velocity[0], atol=1e-5)

    def test_terminal_speed_of_quadratic_drag(self):
        made = thrown(QuadraticDrag(quadratic=0.5), gravity=(0.0, -9.81, 0.0), time=9.0)
        self.assertAlmostEqual(made[4], -np.sqrt(9.81 / 0.5), places=3)

    def test_smooth_forces_depend_little_on_the_step(self):
        smooth = (Vortex(radius=0.6), Attractor(key=1, place=(0.0, 3.0, 0.0), falloff=0.0), QuadraticDrag(key=2, quadratic=0.2))
        coarse, fine = (thrown(*smooth, gravity=(0, -2.0, 0), drag=0.5, steps=steps) for steps in (30, 240))
        self.assertLess(float(np.abs(coarse - fine)[:3].max()), 0.02)
        finer = thrown(*smooth, gravity=(0, -2.0, 0), drag=0.5, steps=60)
        # Of second order: half the step, a quarter of the error, or better than a third at the least.
        self.assertLess(float(np.abs(finer - fine)[:3].max()), float(np.abs(coarse - fine)[:3].max()) / 2)

    def test_a_speed_limit_holds(self):
        made = thrown(SpeedLimit(strength=fixed(2.0)), gravity=(0.0, -9.81, 0.0), time=3.0)
        self.assertAlmostEqual(np.linalg.norm(made[3:]), 2.0, places=4)

    def test_gusts_and_eddies_are_felt_through_drag_only(self):
        for force in (Gust(strength=fixed(5.0)), Stirring(strength=fixed(5.0))):
            np.testing.assert_allclose(thrown(force)[3:], BEGUN[3:], atol=1e-5)
            self.assertGreater(np.linalg.norm(thrown(force, drag=1.0)[3:] - thrown(drag=1.0)[3:]), 0.1)
        steady = thrown(Gust(strength=fixed(2.0), gustiness=0.0), drag=2.0, time=8.0)
        np.testing.assert_allclose(steady[3:], [2.0, 0, 0], atol=1e-3)

    def test_a_force_stays_in_its_region(self):
        inside = Push(strength=fixed(5.0), region="in a box", region_place=(0.0, 3.0, 0.0), region_size=(9.0, 1.0, 9.0))
        layer = drip(place=(0.0, 0.0, 0.0), birth=Birth(lifetime=fixed(9.0), speed=fixed(2.0)), forces=Forces(more=(inside,)))
        timeline = Timeline(effect(layer))
        speeds = [float(timeline.frame(t).layers[0].velocity[0, 1]) for t in (1.2, 4.0)]
        self.assertAlmostEqual(speeds[0], 2.0, places=5)
        # Energy gained over the metre inside: v² = 4 + 2 · 5 · 1.
        self.assertAlmostEqual(speeds[1], np.sqrt(14), delta=0.08)
        self.assertEqual(thrown(Push(strength=fixed(5.0), on=False))[4], thrown()[4])

    def test_strength_is_drawn_once_a_particle(self):
        forces = Forces(more=(Push(strength=between(1.0, 3.0), axis=(0.0, 0.0, 1.0)), Push(key=1, strength=Range(choices=(2.0, 4.0)))))
        layer = drip(outlet=Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(400)),), shape="point"), forces=forces)
        timeline = Timeline(effect(layer))
        early, late = (timeline.frame(t).layers[0].velocity for t in (1.0, 2.0))
        np.testing.assert_allclose(late[:, 2], 2 * early[:, 2], rtol=1e-3)
        self.assertGreater(float(early[:, 2].std()), 0.3)
        self.assertEqual(sorted(set(np.round(early[:, 1], 3).tolist())), [2.0, 4.0])

    def test_a_force_rides_with_its_layer_and_gravity_of_the_stage_with_nobody(self):
        keys = (Pose(at=0.0, ease="straight"), Pose(at=2.0, place=(8.0, 0.0, 0.0), ease="straight"))
        layer = drip(
            place=(0.0, 0.0, 0.0),
            keys=keys,
            forces=Forces(drag=2.0, more=(Attractor(place=(0.0, 0.0, 0.0), strength=fixed(30.0), falloff=0.0),)),
        )
        at = layer_at(effect(layer), 2.0).position[0]
        self.assertGreater(float(at[0]), 5.0)
        for space, fall in (("world", -8.0), ("local", 0.0)):
            made = effect(drip(space=space, place=(0.0, 0.0, 0.0)), stage=Stage(gravity=(0.0, -4.0, 0.0)))
            self.assertAlmostEqual(float(layer_at(made, 2.0).position[0, 1]), fall, places=3)


class Lanes(unittest.TestCase):
    def test_motion_lanes_drive_what_they_say(self):
        drop = dict(gravity=(0.0, -4.0, 0.0))
        half = thrown(life=Life(opacity=None, more=(Lane(drives="gravity", curve=curve((0, 0.5), (1, 0.5))),)), **drop)
        np.testing.assert_allclose(half, truth(lambda x, v, t: np.array([0, -2.0, 0])), atol=1e-3)
        lane = Lane(drives="force", force=7, over="effect time", low=0.0, high=2.0, curve=curve((0, 0), (1, 1), ease="straight"))
        ramp = thrown(Push(key=7, strength=fixed(3.0)), life=Life(opacity=None, more=(lane,)))
        np.testing.assert_allclose(ramp, truth(lambda x, v, t: np.array([0, 1.5 * t, 0])), atol=0.06)
        added = thrown(life=Life(opacity=None, more=(Lane(drives="velocity x", curve=curve((0, 2), (1, 2))),)))
        self.assertAlmostEqual(added[0], truth(lambda x, v, t: np.zeros(3))[0] + 4.0, places=3)
        instead = thrown(life=Life(opacity=None, more=(Lane(drives="velocity x", replaces=True, curve=curve((0, 2), (1, 2))),)))
        self.assertAlmostEqual(instead[0], 0.5 + 4.0, places=3)

    def test_lanes_run_over_speed_and_distance(self):
        slow = Lane(drives="size", over="speed", low=0.0, high=10.0, curve=curve((0, 0), (1, 1), ease="straight"))
        far = Lane(key=1, drives="brightness", over="distance", low=0.0, high=4.0, curve=curve((0, 0), (1, 1), ease="straight"))
        layer = drip(birth=Birth(lifetime=fixed(9.0), speed=fixed(5.0)), life=Life(opacity=None, more=(slow, far)))
        one = layer_at(effect(layer), 0.4)
        self.assertAlmostEqual(float(one.size[0, 0]), 0.15, places=4)
        self.assertAlmostEqual(float(one.colour[0, 0]), 0.5, places=3)

    def test_several_lanes_on_one_property_combine(self):
        lanes = tuple(
            Lane(key=i, drives=what, curve=curve((0, value), (1, value)))
            for i, (what, value) in enumerate(
                (("size", 0.5), ("size", 0.5), ("width", 3.0), ("angle", 20.0), ("angle", 5.0), ("dissolve", 0.2), ("dissolve", 0.3))
            )
        )
        lanes += (
            Lane(key=9, drives="streak", curve=curve((0, 4), (1, 4))),
            Lane(key=10, drives="named", name="heat", curve=curve((0, 7), (1, 7))),
        )
        one = layer_at(effect(drip(life=Life(opacity=None, size=curve((0, 2), (1, 2)), more=lanes))), 0.5)
        np.testing.assert_allclose(one.size[0], [0.3 * 2 * 0.25 * 3, 0.15, 0.15], rtol=1e-5)
        self.assertAlmostEqual(float(one.angle[0]), 25.0, places=4)
        told = {name: float(column[0]) for name, column in one.driven.items()}
        self.assertAlmostEqual(told["dissolve"], 0.5, places=5)
        self.assertAlmostEqual(told["streak"], 3.0, places=5)
        self.assertAlmostEqual(told["heat"], 7.0, places=5)

    def test_spin_adds_up_over_time(self):
        lane = Lane(drives="spin", over="speed", low=0.0, high=10.0, curve=curve((0, 0), (1, 100), ease="straight"))
        layer = drip(forces=Forces(gravity=(0.0, -2.0, 0.0)), life=Life(opacity=None, more=(lane,)))
        # Speed 2 t, spin 20 t, angle 10 t².
        self.assertAlmostEqual(float(layer_at(effect(layer, steps=240), 2.0).angle[0]), 40.0, delta=0.4)

    def test_each_particle_keeps_its_place_in_a_band(self):
        band = Curve(keys=(Key(at=0.0, value=1.0, band=0.0), Key(at=1.0, value=1.0, band=0.5)))
        layer = drip(outlet=Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(2000)),)), life=Life(opacity=None, size=band))
        timeline = Timeline(effect(layer))
        start, early, late = (timeline.frame(t).layers[0].size[:, 0] / 0.3 - 1 for t in (0.0, 4.0, 8.0))
        np.testing.assert_allclose(start, 0, atol=1e-3)
        np.testing.assert_allclose(late, 2 * early, atol=1e-2)
        self.assertAlmostEqual(float(np.abs(late).max()), 0.4, delta=0.01)

    def test_the_camera_lane_is_applied_when_drawn(self):
        lane = Lane(drives="opacity", over="camera distance", low=1.0, high=3.0, curve=curve((0, 0), (1, 1), ease="straight"))
        one = layer_at(effect(drip(life=Life(opacity=None, more=(lane,)))), 0.5)
        self.assertEqual(float(one.colour[0, 3]), 1.0)
        self.assertAlmostEqual(float(one.seen_from(one.position[0] + [2.0, 0, 0]).colour[0, 3]), 0.5, places=5)

    def test_every_property_runs_along_every_axis_it_may(self):
        for drives, what in PROPERTIES.items():
            for over in what.axes:
                flat, high = (0.0, 3.0) if what.adds else (1.0, 0.4)
                lane = Lane(drives=drives, over=over, low=0.0, high=8.0, curve=curve((0, high)), name="soot",
                            colours=Gradient(stops=(Stop(at=0, colour=(0.2, 0.2, 0.2)),)))  # fmt: skip
                still = replace(lane, curve=curve((0, flat)), colours=None)
                shown = []
                for one in (lane, still):
                    forces = Forces(gravity=(0, -2, 0), drag=0.5, wind=(1, 0, 0), turbulence=1.0, more=(Push(),))
                    life = Life(opacity=None, more=(one,))
                    look = Look(columns=4, rows=4)
                    made = layer_at(effect(drip(life=life, forces=forces, look=look)), 0.7)
                    made = made.seen_from(np.array([0.0, 1.0, 5.0]))
                    shown.append([made.position, made.size, made.angle, made.colour, made.frame, *made.driven.values()])
                changed = any(len(a) != len(b) or not np.allclose(a, b, atol=1e-6) for a, b in zip(*shown, strict=True))
                self.assertTrue(changed, f"{drives} over {over}")

    def test_bands_hold_over_the_camera_s_distance(self):
        wide = Curve(keys=(Key(at=0, value=1.0, band=0.4),))
        lane = Lane(drives="size", over="camera distance", low=0.0, high=9.0, curve=wide)
        burst = (Burst(count=fixed(400)),)
        made = layer_at(effect(drip(outlet=Outlet(rate=fixed(0), bursts=burst), life=Life(opacity=None, more=(lane,)))), 0.2)
        sizes = made.seen_from(np.zeros(3)).size[:, 0] / made.size[:, 0]
        self.assertGreater(sizes.max() - sizes.min(), 0.7)
        np.testing.assert_array_equal(made.seen_from(np.ones(3)).size, made.seen_from(np.zeros(3)).size)


if __name__ == "__main__":
    unittest.main()
