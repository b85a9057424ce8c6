"""Every shape spawns evenly over its fill or its faces, and heads where it says."""

import unittest

import numpy as np
from scipy import stats

from pale_ember.core.effect.values import PerAxis, between
from pale_ember.core.geometry.mesh import Mesh, box, scatter, solid
from pale_ember.core.simulate.timeline import Timeline
from tests.examples import Birth, Burst, Outlet, drip, effect, fixed, layer_at

MANY = 20_000
STILL = Birth(lifetime=fixed(3000.0), speed=fixed(0.0))


def spawning(birth=STILL, **fields):
    given = {"rate": fixed(0.0), "bursts": (Burst(count=fixed(MANY)),), "limit": MANY, "spread": 0.0} | fields
    return layer_at(effect(drip(place=(0.0, 0.0, 0.0), outlet=Outlet(**given), birth=birth)), 0.0)


def places(**fields):
    return spawning(**fields).position.astype(float)


def ways(birth=None, **fields):
    one = spawning(birth or Birth(lifetime=fixed(3000.0), speed=fixed(1.0)), **fields)
    return one.position.astype(float), one.velocity.astype(float)


class Even(unittest.TestCase):
    def even(self, values, low=0.0, high=1.0):
        """Fails where values are not spread evenly: one in a million if they are."""
        self.assertGreater(stats.kstest((np.asarray(values) - low) / (high - low), "uniform").pvalue, 1e-6)

    def round(self, at, arc=2 * np.pi):
        self.even(np.mod(np.arctan2(at[:, 2], at[:, 0]), 2 * np.pi), 0, arc)


class Shapes(Even):
    def test_a_line_and_a_ring(self):
        at = places(shape="line", length=3.0)
        self.even(at[:, 0], -1.5, 1.5)
        self.assertEqual(np.abs(at[:, 1:]).max(), 0)
        ring = places(shape="disc", radius=2.0, fill=0.0, arc=90.0)
        np.testing.assert_allclose(np.hypot(ring[:, 0], ring[:, 2]), 2.0, atol=1e-5)
        self.round(ring, np.pi / 2)

    def test_a_hemisphere_its_dome_and_its_base(self):
        at = places(shape="hemisphere", radius=2.0)
        r = np.linalg.norm(at, axis=1)
        self.even((r / 2) ** 3)
        self.even(at[:, 1] / r)
        self.round(at)
        dome = places(shape="hemisphere", radius=2.0, faces="side")
        np.testing.assert_allclose(np.linalg.norm(dome, axis=1), 2, atol=1e-5)
        self.even(dome[:, 1] / 2)
        base = places(shape="hemisphere", radius=2.0, faces="base")
        self.even(np.hypot(base[:, 0], base[:, 2]) ** 2 / 4)
        self.assertEqual(np.abs(base[:, 1]).max(), 0)

    def test_a_cylinder_through_its_volume_and_by_area_on_its_faces(self):
        at = places(shape="cylinder", radius=1.5, length=2.0)
        self.even(np.hypot(at[:, 0], at[:, 2]) ** 2 / 1.5**2)
        self.even(at[:, 1], 0, 2)
        self.round(at)
        skin = places(shape="cylinder", radius=1.5, length=2.0, fill=0.0)
        side = np.isclose(np.hypot(skin[:, 0], skin[:, 2]), 1.5, atol=1e-5) & (skin[:, 1] > 0) & (skin[:, 1] < 2)
        area = 2 * np.pi * 1.5 * 2
        self.assertAlmostEqual(side.mean(), area / (area + 2 * np.pi * 1.5**2), delta=0.02)
        for faces, height in (("top", 2.0), ("base", 0.0)):
            cap = places(shape="cylinder", radius=1.5, length=2.0, faces=faces)
            np.testing.assert_allclose(cap[:, 1], height, atol=1e-6)
            self.even(np.hypot(cap[:, 0], cap[:, 2]) ** 2 / 1.5**2)

    def test_a_torus_by_volume_and_on_its_surface(self):
        for fill in (1.0, 0.0):
            at = places(shape="torus", radius=2.0, tube=0.8, fill=fill)
            ring = np.hypot(at[:, 0], at[:, 2]) - 2.0
            tube, angle = np.hypot(ring, at[:, 1]), np.mod(np.arctan2(at[:, 1], ring), 2 * np.pi)
            self.round(at)
            if fill == 0.0:
                np.testing.assert_allclose(tube, 0.8, atol=1e-5)
                self.even((angle + 0.4 * np.sin(angle)) / (2 * np.pi))
            else:
                self.even((tube / 0.8) ** 2)
                self.even((angle + tube / 2 * np.sin(angle)) / (2 * np.pi))

    def test_chosen_faces_of_a_box_and_a_cone(self):
        at = places(shape="box", extent=(4.0, 2.0, 1.0), faces="right")
        np.testing.assert_allclose(at[:, 0], 2.0)
        self.even(at[:, 1], -1, 1)
        walls = places(shape="box", extent=(4.0, 2.0, 1.0), faces="side")
        share = np.isclose(np.abs(walls[:, 0]), 2.0, atol=1e-6).mean()
        self.assertAlmostEqual(share, 1 / 5, delta=0.015)
        caps = places(shape="box", extent=(4.0, 2.0, 1.0), faces="caps")
        self.assertAlmostEqual((caps[:, 1] > 0).mean(), 0.5, delta=0.02)
        skirt = places(shape="cone", radius=0.5, opening=30.0, length=2.0, faces="side")
        edge = 0.5 + skirt[:, 1] * np.tan(np.radians(30))
        np.testing.assert_allclose(np.hypot(skirt[:, 0], skirt[:, 2]), edge, atol=1e-5)
        self.even((edge**2 - 0.25) / ((0.5 + 2 * np.tan(np.radians(30))) ** 2 - 0.25))

    def test_stretch_turn_and_offset_move_the_shape(self):
        at = places(shape="sphere", radius=1.0, fill=0.0, stretch=(3.0, 1.0, 0.5), shape_turn=(0.0, 0.0, 90.0), offset=(0.0, 5.0, 0.0))
        inside = (at[:, 0] / 1.0) ** 2 + ((at[:, 1] - 5) / 3.0) ** 2 + (at[:, 2] / 0.5) ** 2
        np.testing.assert_allclose(inside, 1.0, atol=1e-4)


class Meshes(Even):
    def test_a_surface_bears_by_area_its_edges_by_length_its_points_alike(self):
        mesh = box((4.0, 2.0, 1.0))
        timeline = Timeline(effect(self.layer("surface")), mesh=lambda name: mesh)
        at = timeline.frame(0.0).layers[0].position.astype(float)
        on = np.isclose(np.abs(at), [2, 1, 0.5], atol=1e-6)
        areas = np.array([2 * 1, 4 * 1, 4 * 2]) * 2.0
        self.assertGreater(stats.chisquare(on.sum(axis=0), areas / areas.sum() * on.sum()).pvalue, 1e-6)
        points = Timeline(effect(self.layer("vertices")), mesh=lambda name: mesh).frame(0.0).layers[0].position
        corners, counts = np.unique(points, axis=0, return_counts=True)
        self.assertEqual(len(corners), 8)
        self.assertGreater(stats.chisquare(counts).pvalue, 1e-6)
        line = Mesh(np.array([[0.0, 0, 0], [3, 0, 0], [3, 1, 0]]), np.array([[0, 1, 2]]))
        edge = Timeline(effect(self.layer("edges")), mesh=lambda name: line).frame(0.0).layers[0].position.astype(float)
        foot = np.isclose(edge[:, 1], 0) & (edge[:, 0] < 3)
        self.assertAlmostEqual(foot.mean(), 3 / (3 + 1 + np.sqrt(10)), delta=0.02)
        self.even(edge[foot, 0], 0, 3)

    def layer(self, part, **fields):
        given = Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(MANY)),), limit=MANY, shape="mesh", mesh_part=part, **fields)
        return drip(place=(0.0, 0.0, 0.0), outlet=given, birth=STILL)

    def test_a_density_draws_births_to_where_it_is_high(self):
        square = Mesh(
            np.array([[0.0, 0, 0], [1, 0, 0], [1, 0, 1], [0, 0, 1]]),
            np.array([[0, 2, 1], [0, 3, 2]]),
            coords=np.array([[0.0, 0], [1, 0], [1, 1], [0, 1]]),
            density=np.array([0.0, 1, 1, 0]),
        )
        for density in ("vertex colour", "ramp"):
            timeline = Timeline(
                effect(self.layer("surface", density=density)), mesh=lambda name: square, density=lambda name: lambda coords: coords[:, 0]
            )
            at = timeline.frame(0.0).layers[0].position.astype(float)
            self.assertGreater(stats.kstest(at[:, 0], lambda x: np.clip(x, 0, 1) ** 2).pvalue, 1e-3 / MANY)
            self.assertAlmostEqual(float(np.mean(at[:, 0])), 2 / 3, delta=0.01)

    def test_our_solids_are_whole(self):
        for name in ("kiln arch", "quay stones", "sphere", "cylinder", "carboy", "lamp post"):
            mesh = solid(name)
            self.assertTrue(np.isfinite(mesh.points).all())
            self.assertGreater(float(mesh.areas().sum()), 0.1)
            self.assertAlmostEqual(float(scatter(mesh, "surface", "").up_to[-1]), 1.0)
        out = (solid("sphere").normals() * solid("sphere").corners().mean(axis=1)).sum(axis=1)
        self.assertGreater(float(out[solid("sphere").areas() > 1e-6].min()), 0)


class Aims(Even):
    def test_they_head_where_they_say(self):
        at, way = ways(shape="sphere", radius=1.0, aim="towards point", point=(0.0, 3.0, 0.0))
        goal = np.array([0, 3.0, 0]) - at
        np.testing.assert_allclose(way, goal / np.linalg.norm(goal, axis=1, keepdims=True), atol=1e-4)
        at, way = ways(shape="sphere", radius=1.0, aim="away from point", point=(0.0, -3.0, 0.0))
        self.assertGreater(float((way * (at + [0, 3.0, 0])).sum(axis=1).min()), 0)
        at, way = ways(shape="cylinder", radius=1.0, length=2.0, faces="side", aim="along surface")
        self.assertLess(float(np.abs((way * at * [1, 0, 1]).sum(axis=1)).max()), 1e-4)
        np.testing.assert_allclose(way[:, 1], 0, atol=1e-5)

    def test_a_spread_of_two_angles_flattens_to_a_fan(self):
        _, way = ways(shape="point", aim="along axis", spread=30.0, across=0.25)
        lean = np.degrees(np.arccos(np.clip(way[:, 1], -1, 1)))
        self.assertLessEqual(float(lean.max()), 30.01)
        sides = np.degrees(np.arctan2(np.abs(way[:, [0, 2]]), way[:, 1:2])).max(axis=0)
        self.assertAlmostEqual(float(sides.max()), 30, delta=0.5)
        self.assertAlmostEqual(float(sides.min()), 7.5, delta=0.3)
        _, fan = ways(shape="point", aim="along axis", spread=30.0, across=0.0)
        self.assertLess(float(np.abs(fan[:, [0, 2]]).min(axis=1).max()), 1e-5)

    def test_wandering_wholly_is_any_direction(self):
        _, way = ways(shape="point", aim="along axis", spread=0.0, wander=1.0)
        self.even(way[:, 1], -1, 1)
        self.even(way[:, 0], -1, 1)
        _, half = ways(shape="point", aim="along axis", spread=0.0, wander=0.5)
        self.assertGreater(float(half[:, 1].mean()), 0.3)

    def test_speeds_outward_sideways_and_added_come_on_top(self):
        birth = Birth(
            lifetime=fixed(9.0), speed=fixed(0.0), outward=fixed(2.0), around=fixed(-1.0), push=PerAxis(x=fixed(0.0), y=between(1.0, 3.0))
        )
        at, way = ways(birth, shape="disc", radius=1.0, fill=0.0, aim="along axis")
        out = (way * at).sum(axis=1)
        np.testing.assert_allclose(out, 2.0, atol=1e-4)
        around = np.cross([0, 1.0, 0], at)
        np.testing.assert_allclose((way * around).sum(axis=1), -1.0, atol=1e-4)
        self.even(way[:, 1], 1, 3)

    def test_evenly_leaves_no_clumps(self):
        def worst(even):
            at = places(shape="box", extent=(1.0, 1.0, 1.0), even=even)
            counts, _ = np.histogramdd(at, bins=10, range=[(-0.5, 0.5)] * 3)
            return counts.std()

        self.assertLess(worst(True), 0.5 * worst(False))

    def test_anew_each_step_jumps_over_the_shape_and_is_the_same_however_reached(self):
        layer = drip(place=(0.0, 0.0, 0.0), birth=STILL, outlet=Outlet(rate=fixed(50.0), shape="sphere", radius=1.0, fill=0.0, anew=True))
        made = effect(layer)
        played = Timeline(made)
        for step in range(61):
            frame = played.frame(step / 60)
        jumped = Timeline(made).frame(1.0)
        np.testing.assert_array_equal(frame.layers[0].position, jumped.layers[0].position)
        before = played.frame(59 / 60).layers[0].position
        self.assertGreater(float(np.linalg.norm(frame.layers[0].position[: len(before)] - before, axis=1).mean()), 0.5)
        np.testing.assert_allclose(np.linalg.norm(before, axis=1), 1, atol=1e-5)


if __name__ == "__main__":
    unittest.main()
