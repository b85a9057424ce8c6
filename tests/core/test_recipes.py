"""Recipes: noises that meet, shapes of a known area, mixing by hand, sheets cut and flowing, strokes."""

import unittest

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.fields import kinds_of
from pale_ember.core.effect.model import Effect
from pale_ember.core.effect.reading import plain, read
from pale_ember.core.effect.recipe import changes as c
from pale_ember.core.effect.recipe import shapes as s
from pale_ember.core.effect.recipe import sources as n
from pale_ember.core.effect.recipe.recipe import Recipe, ring_of_recipes
from pale_ember.core.effect.recipe.step import Step, StepLane
from pale_ember.core.effect.values import curve
from pale_ember.core.texture import noise as noises
from pale_ember.core.texture.flow import flow
from pale_ember.core.texture.light import to_coded, to_linear
from pale_ember.core.texture.mips import halved
from pale_ember.core.texture.recipes.cut import cells_of, cut_frame, frame_numbers, painted_box
from pale_ember.core.texture.recipes.paint import Painter, mixed, numbers_of, step_at

GREY = np.random.default_rng(2).random((64, 64)).astype(np.float32)


def pictures(name):
    """A sheet of 2 × 2 frames, each of one grey; or noise in four channels of 8 bits."""
    if name == "sheet":
        cells = np.zeros((4, 8, 8, 4), np.float32)
        for k in range(4):
            cells[k, 1 + k : 4 + k, 2:5] = (0.2 + k / 5, 0.2 + k / 5, 0.2 + k / 5, 1)
        return np.swapaxes(cells.reshape(2, 2, 8, 8, 4), 1, 2).reshape(16, 16, 4)
    codes = np.random.default_rng(len(name)).integers(0, 256, (64, 64, 4)) / 255
    return np.dstack([to_linear(codes[..., :3]), codes[..., 3]]).astype(np.float32)


def frame(*steps, size=64, index=0, **fields):
    return Painter(pictures).frame(Recipe(size=size, steps=steps, **fields), index)


class Noises(unittest.TestCase):
    def setUp(self):
        line = np.linspace(0, 5, 61)
        self.x, self.y = np.meshgrid(line, line)

    def test_they_meet_themselves_at_their_edges_and_close_over_a_loop(self):
        for pattern in (noises.GRADIENT, noises.VALUE, noises.RIDGES, noises.BILLOWS):
            made = noises.NoiseField(4, 5, 5, 3.0)
            here = made.layered(self.x, self.y, 0.2, 4, pattern)
            np.testing.assert_allclose(here[:, 0], here[:, -1], atol=2e-5)
            np.testing.assert_allclose(here[0], here[-1], atol=2e-5)
            np.testing.assert_allclose(made.layered(self.x, self.y, 1.2, 4, pattern), here, atol=2e-4)
            self.assertGreater(np.abs(made.layered(self.x, self.y, 0.5, 4, pattern) - here).max(), 0.1)
        nearest, second = noises.NoiseField(4, 5, 5).cells(self.x, self.y, 0.3)
        np.testing.assert_allclose(nearest[:, 0], nearest[:, -1], atol=2e-6)
        np.testing.assert_allclose(second[0], second[-1], atol=2e-6)

    def test_one_depth_for_all_is_the_same_as_a_depth_for_each(self):
        for pattern in (noises.GRADIENT, noises.VALUE, noises.RIDGES, noises.BILLOWS):
            for turns in (0.0, 3.0):
                made = noises.NoiseField(6, 5, 5, turns)
                one = made.layered(self.x, self.y, 0.37, 4, pattern)
                np.testing.assert_allclose(one, made.layered(self.x, self.y, np.full_like(self.x, 0.37), 4, pattern), atol=2e-5)

    def test_gradient_noise_is_nothing_at_its_lattice_and_as_wide_as_its_vectors_say(self):
        corners = np.arange(6.0)
        np.testing.assert_array_equal(noises.NoiseField(8)(corners, corners, 2.0), 0)
        rng = np.random.default_rng(0)
        at = rng.uniform(0, 32, (3, 400_000))
        value = noises.NoiseField(8)(*at) / noises._STRETCH
        self.assertLess(abs(value.mean()), 2e-3)
        # Unit vectors: each corner adds w² · d² / 3 on average over its cell; the fade's squares integrate in closed form.
        t = (np.arange(2000) + 0.5) / 2000
        fade = 1 - t**3 * (t * (t * 6 - 15) + 10)
        one, moved = (fade**2).mean(), (fade**2 * t**2).mean()
        self.assertAlmostEqual(value.var(), 8 * (3 * one**2 * moved) / 3, delta=2e-3)

    def test_value_noise_at_its_lattice_is_even_between_minus_one_and_one(self):
        i, j, k = np.mgrid[0:32, 0:32, 0:32].reshape(3, -1).astype(float)
        value = noises.NoiseField(3).layered(i, j, k, 1, noises.VALUE)
        self.assertAlmostEqual(value.var(), 1 / 3, delta=0.01)
        counts = np.histogram(value, 10, (-1, 1))[0] / value.size
        np.testing.assert_allclose(counts, 0.1, atol=0.006)


class Painting(unittest.TestCase):
    def test_every_step_paints_the_same_bits_each_time_and_is_kept_in_a_document(self):
        steps = {}
        for word, kind in kinds_of(Step).items():
            steps[word] = (s.Flake(key=0), kind(key=1)) if kind.family == "change" else (kind(key=0),)
            recipe = Recipe(name=word, size=32, steps=steps[word])
            first, second = Painter(pictures).frame(recipe, 0), Painter(pictures).frame(recipe, 0)
            np.testing.assert_array_equal(first, second, word)
            self.assertEqual((first.shape, first.dtype), ((32, 32, 4), np.float32), word)
            self.assertTrue(np.isfinite(first).all() and first.min() >= 0, word)
        made = Effect(recipes=tuple(Recipe(name=word, steps=each) for word, each in steps.items()))
        back, problems = read(Effect, plain(made))
        self.assertEqual((back, problems), (made, []))

    def test_a_picture_at_half_its_size_is_the_whole_halved(self):
        for steps in ((s.Dot(),), (s.Ring(),), (s.Puff(),), (s.Dot(), c.Blur(width=0.2)), (s.Polygon(soft=0.1), c.Transform(turn=20)),
                      (n.Noise(octaves=2), c.ToneCurve())):  # fmt: skip
            large, small = (frame(*steps, size=size) for size in (256, 128))
            self.assertLess(np.abs(halved(large)[..., 3] - small[..., 3]).mean(), 0.01, steps)

    def test_shapes_have_the_areas_of_their_formulas(self):
        size = 512
        share = frame(s.Polygon(sides=6, radius=0.8, soft=0.002), size=size)[..., 3].mean() * 4
        self.assertAlmostEqual(share, 3 * np.sqrt(3) / 2 * 0.8**2, delta=0.02)
        dot = frame(s.Dot(radius=0.6, fall=curve((0, 1), (1, 0), ease="straight")), size=size)[..., 3].mean() * 4
        self.assertAlmostEqual(dot, np.pi * 0.6**2 / 3, delta=0.005)

    def test_mixing_is_what_it_says(self):
        a, b = GREY, GREY[::-1]
        for mode, truth in {
            "add": a + b, "subtract": np.maximum(a - b, 0), "multiply": a * b, "lighter": np.maximum(a, b),
            "darker": np.minimum(a, b), "difference": np.abs(a - b), "mask": a * b, "over": a + b - a * b,
        }.items():  # fmt: skip
            np.testing.assert_allclose(mixed(a, b, mode, 1.0, whole=False), truth, atol=1e-6, err_msg=mode)
            np.testing.assert_allclose(mixed(a, b, mode, 0.0, whole=False), a, atol=1e-6, err_msg=mode)
        red, glass = np.zeros((2, 1, 1, 4), np.float32)
        red[..., :], glass[..., :] = (1, 0, 0, 1), (0, 0, 1, 0.25)
        np.testing.assert_allclose(mixed(red, glass, "over", 1.0, whole=False)[0, 0], (0.75, 0, 0.25, 1), atol=1e-6)

    def test_blur_is_a_bell_and_keeps_what_there_is(self):
        point = np.zeros((65, 65), np.float32)
        point[32, 32] = 1
        recipe = Recipe(size=65, steps=(n.Picture(picture="p", channel="red", key=0), c.Blur(width=8 / 65, key=1)))
        painter = Painter(lambda name: np.dstack([to_linear(point)] * 3 + [np.ones_like(point)]).astype(np.float32))
        soft = painter.state(recipe, 0, 65, 2)
        y, x = np.mgrid[-32:33, -32:33]
        np.testing.assert_allclose(soft, np.exp(-(x**2 + y**2) / 32) / (32 * np.pi), atol=1e-5)
        self.assertAlmostEqual(float(soft.sum()), 1.0, places=4)

    def test_what_is_tiled_meets_and_a_rim_runs_out(self):
        tiled = frame(n.Noise(octaves=5), c.Blur(tiles=True), holds="grey", size=128)[..., 0]
        inner = np.abs(np.diff(tiled, axis=1)).max()
        self.assertLessEqual(np.abs(tiled[:, 0] - tiled[:, -1]).max(), 1.5 * inner)
        ragged = frame(s.Ramp(), c.Seamless(), holds="grey", size=128)[..., 0]
        self.assertLess(np.abs(ragged[0] - ragged[-1]).max(), 0.05)
        cut = frame(s.Fill(), c.Rim())[..., 3]
        self.assertEqual(max(cut[0].max(), cut[:, 0].max(), cut[-1].max(), cut[:, -1].max()), 0)
        self.assertEqual(cut[32, 32], 1)

    def test_ground_taken_away_shows_the_same_over_that_ground(self):
        light = pictures("anything").copy()
        light[..., 3] = 1
        for ground, back in (("black", 0.0), ("white", 1.0)):
            painter = Painter(lambda name: light)
            clear = painter.frame(Recipe(size=64, steps=(n.Picture(), c.RemoveBackground(ground=ground))), 0)
            over = clear[..., :3] * clear[..., 3:] + back * (1 - clear[..., 3:])
            np.testing.assert_allclose(over, light[..., :3], atol=2e-3)

    def test_normals_of_a_slope_and_a_distance_field_are_those_of_geometry(self):
        ramp = frame(s.Ramp(turn=-90.0, fall=curve((0, 1), (1, 0), ease="straight")), c.Normal(height=0.5, tiles=False))
        way = to_coded(ramp[32, 32, :3].astype(float)) * 2 - 1
        # Half a height over one half frame each: it falls leftward by a quarter for each half frame.
        truth = np.array([0.25, 0.0, 1.0])
        np.testing.assert_allclose(np.abs(way), truth / np.linalg.norm(truth), atol=0.01)
        field = frame(s.Polygon(sides=64, radius=0.9, soft=0.004), c.Distance(reach=0.9), size=128)[..., 3]
        middle = np.hypot(*np.mgrid[-63.5:64, -63.5:64]) / 64
        np.testing.assert_allclose(field, np.clip((0.9 - middle) / 0.9, 0, 1), atol=0.035)

    def test_numbers_change_over_frames_and_a_loop_closes(self):
        lane = StepLane(drives="radius", curve=curve((0, 0.2), (1, 0.8), ease="straight"))
        self.assertAlmostEqual(step_at(s.Dot(lanes=(lane,)), 0.5).radius, 0.5)
        high = StepLane(drives="sides", curve=curve((0, -5), (1, 900), ease="straight"))
        self.assertEqual((step_at(s.Polygon(lanes=(high,)), 0).sides, step_at(s.Polygon(lanes=(high,)), 1).sides), (3, 64))
        noise = n.Noise(churn=2.0, drift=(1.0, 2.0), octaves=3)
        painter = Painter(pictures)
        frames = [painter.frame(Recipe(size=48, frames=24, loop=True, holds="grey", steps=(noise,)), k) for k in range(24)]
        steps = [np.abs(a - b).mean() for a, b in zip(frames, frames[1:] + frames[:1], strict=True)]
        self.assertLess(steps[-1], 1.8 * np.mean(steps[:-1]))
        own = [painter.frame(Recipe(size=48, frames=2, each="its own", steps=(s.Flake(),)), k) for k in range(2)]
        self.assertGreater(np.abs(own[0] - own[1]).mean(), 0.01)

    def test_a_change_far_down_begins_where_it_is_and_gives_the_same(self):
        painter = Painter(pictures)
        recipe = Recipe(size=64, steps=(s.Puff(key=0), c.Warp(key=1), c.Levels(key=2)))
        painter.frame(recipe, 0)
        before = painter._kept[next(iter(painter._kept))][1].state
        changed = replace(recipe, steps=(*recipe.steps[:2], c.Levels(key=2, light=0.5)))
        np.testing.assert_array_equal(painter.frame(changed, 0), Painter(pictures).frame(changed, 0))
        self.assertIs(painter._kept[next(iter(painter._kept))][1].state, before)

    def test_whatever_is_dragged_gives_what_is_painted_anew(self):
        for kind in (s.Puff, c.Warp, c.Erode, n.Noise):
            steps = (s.Puff(key=0), kind(key=1, mix="over"), c.Levels(key=2, light=0.8))
            painter = Painter(pictures)
            painter.frame(Recipe(size=32, steps=steps), 0)
            for name in numbers_of(kind):
                value = getattr(steps[1], name)
                for other in (value + 1 if isinstance(value, int) else value * 0.7 + 0.1, value):
                    recipe = Recipe(size=32, steps=(steps[0], replace(steps[1], **{name: other}), steps[2]))
                    np.testing.assert_array_equal(painter.frame(recipe, 0), Painter(pictures).frame(recipe, 0), f"{kind.kind} {name}")
            off = Recipe(size=32, steps=(steps[0], replace(steps[1], on=False), steps[2]))
            np.testing.assert_array_equal(painter.frame(off, 0), Painter(pictures).frame(off, 0))

    def test_what_is_eroded_to_its_end_is_gone(self):
        for soft in (0.01, 0.3, 2.0):
            steps = (c.Levels(key=1), c.Erode(key=2, by=1.0, soft=soft))
            for first in (s.Dot(key=0), s.Fill(key=0)):
                recipe = Recipe(size=32, holds="both", steps=(first, *steps))
                self.assertEqual(float(Painter(pictures).frame(recipe, 0)[..., 3].max()), 0.0)

    def test_slopes_of_noise_are_those_of_what_it_says(self):
        for period, octaves in ((3, 1), (4, 3), (32, 2)):
            noise, near = noises.NoiseField(5, period, period), 0.01
            x, y = np.meshgrid(np.linspace(0, period, 67), np.linspace(0, period, 67))
            along, up = noise.slopes(x, y, 0.3, octaves)
            expected = (noise.layered(x + near, y, 0.3, octaves) - noise.layered(x - near, y, 0.3, octaves)) / (2 * near)
            np.testing.assert_allclose(along, expected, atol=0.02)
            expected = (noise.layered(x, y + near, 0.3, octaves) - noise.layered(x, y - near, 0.3, octaves)) / (2 * near)
            np.testing.assert_allclose(up, expected, atol=0.02)

    def test_channels_are_packed_bit_for_bit(self):
        parts = {
            name: n.ChannelSource(picture=name, channel=channel)
            for name, channel in (("red", "red"), ("green", "alpha"), ("blue", "blue"), ("alpha", "green"))
        }
        made = Painter(pictures).frame(Recipe(size=64, steps=(n.PackedChannels(**parts),)), 0)
        codes = np.round(np.dstack([to_coded(made[..., :3]), made[..., 3]]) * 255)
        for k, (name, part) in enumerate(parts.items()):
            pixels = pictures(name)
            source = pixels[..., 3] if part.channel == "alpha" else to_coded(pixels[..., ("red", "green", "blue").index(part.channel)])
            np.testing.assert_array_equal(codes[..., k], np.round(source * 255), name)


class Polar(unittest.TestCase):
    def test_a_ring_laid_straight_is_a_bar_and_bent_round_again_a_ring(self):
        ring = s.Ring(key=0, radius=0.5, inner=0.1, outer=0.1, uneven=0.0)
        straight = frame(ring, c.Polar(key=1, way="straight"), size=128)[..., 3]
        rows = straight.mean(axis=1)
        self.assertLess(np.abs(straight - rows[:, None]).max(), 0.1, "alike from side to side")
        middle = (rows * np.arange(128)).sum() / rows.sum()
        self.assertAlmostEqual(middle / 127, 0.5, delta=0.02, msg="half way from the middle to the edge")
        whole, again = (frame(*steps, size=128)[..., 3] for steps in ((ring,), (ring, c.Polar(key=1, way="straight"), c.Polar(key=2))))
        self.assertLess(np.abs(whole - again).mean(), 0.02)


class Cut(unittest.TestCase):
    def test_what_is_painted_is_found_dark_or_bright_and_haze_is_nothing(self):
        cells = np.full((2, 32, 32, 4), 0.002, np.float32)
        self.assertEqual(painted_box(cells), (0, 0, 32, 32), "nothing: the whole")
        cells[0, 10:14, 8:12] = (0.0, 0.0, 0.0, 1.0)
        cells[1, 20:22, 16:30] = (0.5, 0.5, 0.5, 0.3)
        self.assertEqual(painted_box(cells), (8, 10, 30, 22))


class Sheets(unittest.TestCase):
    def test_frames_are_named_dropped_put_between_trimmed_and_held_steady(self):
        self.assertEqual(frame_numbers("0-2, 5; 4-3 99", 6), [0, 1, 2, 5, 4, 3])
        self.assertEqual(frame_numbers("no such", 3), [0, 1, 2])
        sheet = pictures("sheet")
        cells = cells_of(sheet, 2, 2)
        take = n.Picture(columns=2, rows=2, frames="3, 0")
        np.testing.assert_array_equal(cut_frame(sheet, take, 0.0, 0, loop=False), cells[3])
        np.testing.assert_array_equal(cut_frame(sheet, take, 1.0, 0, loop=False), cells[0])
        half = cut_frame(sheet, replace(take, frames="0-1", between="mixed"), 0.5, 0, loop=False)
        np.testing.assert_allclose(half[..., 3], (cells[0, ..., 3] + cells[1, ..., 3]) / 2, atol=1e-6)
        held = [cut_frame(sheet, n.Picture(columns=2, rows=2, steady=True), t, 0, loop=False)[..., 3] for t in (1 / 3, 2 / 3)]
        np.testing.assert_array_equal(*held)
        trimmed = cut_frame(sheet, n.Picture(columns=2, rows=2, trim=True), 1.0, 0, loop=False)
        self.assertEqual(trimmed.shape, (6, 6, 4))

    def test_motion_is_that_of_a_known_shift_and_a_known_turn(self):
        y, x = np.mgrid[0:96, 0:96]
        rng = np.random.default_rng(5)
        spots = [(rng.uniform(24, 72), rng.uniform(24, 72), rng.uniform(5, 9)) for _ in range(9)]

        def painted(move):
            return np.clip(sum(np.exp(-((x - move(a, b)[0]) ** 2 + (y - move(a, b)[1]) ** 2) / r**2) for a, b, r in spots), 0, 1)

        first = painted(lambda a, b: (a, b))
        seen = first > 0.25
        found = flow(first, painted(lambda a, b: (a + 3, b - 2)))[seen]
        np.testing.assert_allclose(found.mean(axis=0), (3, -2), atol=0.25)
        turn = np.radians(3)

        def turned(a, b):
            u, v = a - 48, b - 48
            return 48 + u * np.cos(turn) - v * np.sin(turn), 48 + u * np.sin(turn) + v * np.cos(turn)

        found = flow(first, painted(turned))[seen]
        truth = np.stack([turned(x, y)[0] - x, turned(x, y)[1] - y], axis=2)[seen]
        self.assertLess(np.linalg.norm(found - truth, axis=1).mean(), 0.3)

    def test_recipes_in_a_ring_are_told(self):
        one = Recipe(name="one", steps=(n.Picture(picture="recipe:two"),))
        two = Recipe(name="two", steps=(n.PackedChannels(blue=n.ChannelSource(picture="recipe:one")),))
        self.assertEqual([each.name for each in ring_of_recipes((one, two))], ["one", "two"])
        self.assertEqual(ring_of_recipes((one, replace(two, steps=()))), [])


class Strokes(unittest.TestCase):
    def painted(self, size=64, **values):
        stroke = n.Stroke(size=0.2, flow=1.0, tip="hard", **{"path": (0.5, 0.4, 1.0), **values})
        return frame(n.Paint(strokes=(stroke,)), size=size)[..., 3]

    def test_a_touch_is_a_disc_of_its_size_and_symmetry_repeats_it(self):
        self.assertAlmostEqual(self.painted(256).mean() * 4, np.pi * 0.2**2, delta=0.012)
        twice = self.painted(mirror=True)
        np.testing.assert_allclose(twice, twice[:, ::-1], atol=1e-5)
        four = self.painted(around=4)
        np.testing.assert_allclose(four, np.rot90(four), atol=1e-4)
        self.assertAlmostEqual(four.sum(), 4 * self.painted().sum(), delta=0.02 * four.sum())
        # A point that is not whole is none.
        np.testing.assert_array_equal(self.painted(path=(0.5, 0.4, 1.0, 0.7)), self.painted())
        over = self.painted(path=(0.95, 0.0, 1.0), tiles=True)
        self.assertAlmostEqual(over.sum(), self.painted().sum(), delta=0.03 * over.sum())

    def test_it_erases_and_smears(self):
        field = s.Fill(key=0)
        gone = frame(field, n.Paint(key=1, strokes=(n.Stroke(tool="erase", tip="hard", flow=1.0, path=(0, 0, 1)),)))[..., 3]
        self.assertEqual((gone[32, 32], gone[2, 2]), (0, 1))
        edge = (s.Ramp(key=0), c.Threshold(key=1))
        path = tuple(v for k in range(12) for v in (0.0, -0.4 + 0.06 * k, 1.0))
        pulled = frame(*edge, n.Paint(key=2, strokes=(n.Stroke(tool="smear", flow=1.0, size=0.2, path=path),)))[..., 3]
        still = frame(*edge)[..., 3]
        self.assertGreater(pulled[26, 32], still[26, 32] + 0.3)
        np.testing.assert_array_equal(pulled[:, :20], still[:, :20])


if __name__ == "__main__":
    unittest.main()
