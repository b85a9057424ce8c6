"""The gas: against whirls in closed form, kept whole, kept alike on either side; its light against a ball's."""

import unittest

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.recipe.sources import Gas
from pale_ember.core.gas import kernels
from pale_ember.core.gas.gas import WIDE, Fluid
from pale_ember.core.gas.march import SIDES, drawn, glowing, lights
from pale_ember.core.gas.projection import Projection, Walls
from pale_ember.core.gas.sheets import memory_of, simulated
from pale_ember.core.gas.starts import GASES
from pale_ember.core.texture.light import to_coded

STILL = Gas(grid=32, smoke=0.0, heat=0.0, push=0.0, gusts=0.0, curl=0.0, lift=0.0, drag=0.0)


def whirls(n):
    """The faces of a closed box full of Taylor and Green's whirls: a flow that only what it loses changes."""
    edge, middle = np.arange(n + 1) / n * np.pi, (np.arange(n) + 0.5) / n * np.pi
    u = np.sin(edge)[:, None, None] * np.cos(middle)[None, :, None] * np.ones((1, 1, n))
    v = -np.cos(middle)[:, None, None] * np.sin(edge)[None, :, None] * np.ones((1, 1, n))
    return u.astype(np.float32), v.astype(np.float32)


class Flow(unittest.TestCase):
    def test_nothing_flows_out_of_any_cell_whatever_the_walls(self):
        rng = np.random.default_rng(1)
        for walls in (Walls(), Walls(floor=True), Walls(closed=True)):
            shape = (24, 20, 28)
            u, v, w = (rng.standard_normal(tuple(np.add(shape, step))).astype(np.float32) for step in np.eye(3, dtype=int))
            project = Projection(shape, walls)
            steepest = np.abs(np.diff(u, axis=0)).max()
            project.apply(u, v, w)
            self.assertLess(np.abs(project.divergence(u, v, w)).max(), 1e-5 * steepest, walls)
            kept = u.copy()
            project.apply(u, v, w)
            np.testing.assert_allclose(u, kept, atol=2e-5)
            if walls.floor:
                self.assertEqual(np.abs(v[:, 0]).max(), 0)

    def test_what_is_to_swell_does(self):
        project, swells = Projection((16, 16, 16), Walls()), np.zeros((16, 16, 16), np.float32)
        swells[8, 8, 8] = 1.0
        u, v, w = (np.zeros((17, 16, 16), np.float32), np.zeros((16, 17, 16), np.float32), np.zeros((16, 16, 17), np.float32))
        project.apply(u, v, w, swells)
        np.testing.assert_allclose(project.divergence(u, v, w), swells, atol=1e-5)

    def test_whirls_in_a_closed_box_turn_on_and_fade_as_drag_says(self):
        for drag in (0.0, 1.5):
            fluid = Fluid(replace(STILL, drag=drag), Walls(closed=True))
            fluid.u, fluid.v = whirls(32)
            fluid.u /= fluid.cell
            fluid.v /= fluid.cell
            fluid._measure()
            first = fluid.flow.copy()
            fluid.run(0.6)
            now, share = fluid.flow, np.exp(-drag * 0.6)
            alike = (now * first).sum() / np.sqrt((now**2).sum() * (first**2).sum())
            self.assertGreater(alike, 0.999)
            # What the grid itself loses stays below a twentieth.
            strength = np.sqrt((now**2).sum() / (first**2).sum())
            self.assertLess(abs(strength / share - 1), 0.05)

    def test_a_stream_through_open_sides_does_not_feed_itself(self):
        fluid = Fluid(replace(STILL, grid=24))
        fluid.u[:, 8:16, 8:16], fluid.v[8:16, :, 10:14] = 60, -30
        fluid.project.apply(fluid.u, fluid.v, fluid.w)
        fluid._measure()
        first = np.abs(fluid.flow).max()
        for _ in range(60):
            fluid.step(fluid.longest())
        self.assertLess(np.abs(fluid.flow).max(), 0.4 * first)

    def test_smoke_that_stays_inside_is_not_lost(self):
        fluid = Fluid(replace(GASES["smoke"], grid=32, lasts=0.2, cools=0.0, clears=0.0, lift=1.0))
        fluid.run(0.25)
        first = float(fluid.fields[..., 0].sum())
        fluid.run(0.5)
        self.assertAlmostEqual(float(fluid.fields[..., 0].sum()) / first, 1.0, delta=0.04)
        self.assertGreaterEqual(float(fluid.fields.min()), 0.0)

    def test_alike_on_either_side_stays_so_and_the_same_is_the_same_bits(self):
        gas = replace(GASES["blast"], grid=24, ragged=0.0, gusts=0.0)
        one, two = Fluid(gas), Fluid(gas)
        one.run(0.3)
        two.run(0.3)
        np.testing.assert_array_equal(one.fields, two.fields)
        np.testing.assert_allclose(one.fields, one.fields[::-1], atol=2e-3)
        np.testing.assert_allclose(one.fields, one.fields[:, :, ::-1], atol=2e-3)
        other = Fluid(replace(GASES["blast"], grid=24, seed=9))
        other.run(0.3)
        self.assertGreater(np.abs(other.fields - one.fields).max(), 0.05)

    def test_a_ball_is_gone_round(self):
        fluid = Fluid(replace(GASES["smoke"], grid=32, pillar=0.3, pillar_at=(0.0, -0.1)))
        fluid.run(0.6)
        self.assertEqual(float(fluid.fields[fluid._ball].max()), 0.0)
        self.assertLess(np.abs(fluid.flow[fluid._ball]).max(), 0.05 * np.abs(fluid.flow).max())
        self.assertGreater(float(fluid.fields[..., 0].max()), 0.1)


class Blocks(unittest.TestCase):
    def test_what_is_corrected_is_that_of_lively_blocks_and_no_other(self):
        """Of each block by itself: what it says holds for the cells that lie in it."""
        rng, sides, step, behind = np.random.default_rng(4), (2, 3, 2), np.float32(0.3), (1, 0, 0)
        shape = tuple(kernels.BLOCK * many for many in sides)
        flow = rng.normal(0.0, 0.4, (*shape, 3)).astype(np.float32)
        faces = rng.normal(0.0, 1.0, shape).astype(np.float32)
        there, whole = np.zeros_like(faces), np.zeros_like(faces)
        kernels.carry_faces(faces, flow, behind, step, np.float32(0.0), there, 0, shape[0])
        kernels.correct_faces(faces, there, flow, behind, step, np.ones(sides, np.uint8), whole, 0, shape[0])
        self.assertGreater(np.abs(whole - there).mean(), 0.01)
        for block in np.ndindex(sides):
            blocks, out = np.zeros(sides, np.uint8), np.zeros_like(faces)
            blocks[block] = 1
            kernels.correct_faces(faces, there, flow, behind, step, blocks, out, 0, shape[0])
            lively = np.kron(blocks, np.ones((kernels.BLOCK,) * 3)) > 0
            np.testing.assert_array_equal(out, np.where(lively, whole, there))


class Light(unittest.TestCase):
    def test_light_from_six_sides_through_a_ball_is_that_of_its_chords(self):
        n, radius, thick = 48, 0.7, 0.12
        line = (np.arange(n) + 0.5) / n * WIDE - WIDE / 2
        x, y, z = np.meshgrid(line, line, line, indexing="ij")
        inside = x**2 + y**2 + z**2 < radius**2
        reach = lights(inside.astype(np.float32), thick)
        cell = WIDE / n
        for k, side in enumerate(SIDES):
            along, sign = (x, y, z)[k // 2], 1 if k % 2 == 0 else -1
            across = x**2 + y**2 + z**2 - along**2
            passed = (np.sqrt(np.maximum(radius**2 - across, 0)) - sign * along) / cell
            truth = 0.7 * np.exp(-thick * passed) + 0.3 * np.exp(-thick * 0.25 * passed)
            core = x**2 + y**2 + z**2 < (0.8 * radius) ** 2
            np.testing.assert_allclose(reach[k][core], truth[core], atol=0.7 * thick, err_msg=side)

    def test_a_ball_covers_as_beer_says_and_moves_as_it_does(self):
        n = 32
        line = (np.arange(n) + 0.5) / n * WIDE - WIDE / 2
        x, y, z = np.meshgrid(line, line, line, indexing="ij")
        fields, flow = np.zeros((n, n, n, 3), np.float32), np.zeros((n, n, n, 3), np.float32)
        fields[..., 0] = x**2 + y**2 + z**2 < 0.6**2
        flow[...] = (0.4, 0.3, 5.0)
        seen = drawn(Gas(dense=2.0, glow=0.0), fields, flow)
        depth = fields[:, :, :, 0].sum(axis=2).T[::-1] * WIDE / n
        np.testing.assert_allclose(seen.cover, 1 - np.exp(-2.0 * depth), atol=2e-3)
        there = seen.cover > 0.1
        np.testing.assert_allclose(seen.way[there], np.broadcast_to((0.2, -0.15), (there.sum(), 2)), atol=1e-4)
        self.assertAlmostEqual(float(seen.depth[16, 16]), 0.5, delta=0.25)
        self.assertLess(float(seen.depth[16, 16]), 0.5)

    def test_what_is_hotter_is_brighter_and_whiter(self):
        table = glowing(2000.0)
        self.assertTrue((np.diff(table.sum(axis=1)) > 0).all())
        self.assertAlmostEqual(float(table[127:129].max(axis=1).mean()), 1.0, delta=0.02)
        self.assertGreater(table[250, 2] / table[250, 0], table[128, 2] / table[128, 0])


class Sheets(unittest.TestCase):
    def test_a_loop_closes_and_its_parts_have_their_shapes(self):
        gas = replace(GASES["smoke"], grid=24, warm=0.8, span=0.8)
        frames = simulated(gas, 8, True, 32)
        self.assertEqual(frames.picture.shape, (8, 32, 32, 4))
        cover = frames.picture[..., 3].astype(float)
        steps = [np.abs(cover[k] - cover[(k + 1) % 8]).mean() for k in range(8)]
        self.assertLess(steps[-1], 2.0 * np.mean(steps[:-1]))
        self.assertEqual(float(np.abs(cover[:, 0]).max() + np.abs(cover[:, :, 0]).max()), 0.0)
        self.assertEqual(frames.part("light").shape, (8, 64, 32, 4))
        self.assertTrue((frames.part("light")[..., :3] <= 1).all())
        codes = to_coded(frames.part("motion")[..., :2].astype(float)) - 0.5
        way = np.clip(frames.way.astype(float) / frames.farthest, -1, 1) / 2
        np.testing.assert_allclose(codes, way, atol=1e-3)
        # Where it is seen it rises, and the picture says so: upward is less down.
        seen = cover > 0.5
        self.assertLess(frames.way[..., 1][seen].astype(float).mean(), 0)

    def test_it_stops_when_it_is_not_wanted_and_says_what_it_needs(self):
        gas = replace(GASES["fire"], grid=16)
        calls = []
        self.assertIsNone(simulated(gas, 4, False, 16, lambda done: calls.append(done) or len(calls) < 5))
        self.assertEqual(len(calls), 5)
        self.assertGreater(memory_of(replace(gas, grid=160), 64, 256, True), 1.2 * 2**30)


if __name__ == "__main__":
    unittest.main()
