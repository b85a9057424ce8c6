"""Soft shells, ramps, gloss, wet ground, light in fog, lamps of particles, lightning, and trails."""

import unittest

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.model import Camera, Stage
from pale_ember.core.effect.stage import Lamp, Prop, Sun
from pale_ember.core.effect.strips import Beam, Ribbon
from pale_ember.core.effect.surface import Light, Surface
from pale_ember.core.effect.values import Curve, Range, gradient
from pale_ember.core.simulate.fog_volume import fog_volume
from pale_ember.core.simulate.lightning import kinks
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.texture.light import to_coded
from pale_ember.core.view import mirrored, view_of
from pale_ember.draw.lights import cast_light
from pale_ember.draw.renderer import Shot
from tests.draw.drawn import FRONT, Drawn, card
from tests.examples import drip, effect, fixed

NIGHT = Stage(sun=Sun(power=0.0, sky=0.0), ground=False)
TINT = np.array([0.4, 0.2, 0.1])


class Lit(Drawn):
    """What is drawn, as light."""

    def light(self, made, camera=FRONT, width=128, height=128, background="none", at=1.0):
        """(height, width, 3) linear light before the tone, first row on top."""
        frame, view = Timeline(made).frame(at), view_of(camera, width, height)
        self.renderer.picture(frame, view, Shot(stage=made.stage, background=background), width, height)
        self.assertEqual(self.context.error, "GL_NO_ERROR")
        targets = self.renderer._targets
        read = np.frombuffer(targets.layers.read(components=4, dtype="f2"), np.float16)
        return read.reshape(targets.size[1], targets.size[0], 4)[::-1, :, :3].astype(float)


class Matter(Lit):
    def test_a_ball_fades_to_its_edge_by_the_formula(self):
        layer = card({"picture": "full", "surface": Surface(edge_fade=2.0, edge_fade_floor=0.2)}, size=2.0)
        seen = self.light(effect(layer, stage=NIGHT))[64]
        middle = 63.5
        across = 128 / (2 * np.tan(np.radians(FRONT.fov / 2)) * FRONT.distance)
        for off in (0.0, 0.3, 0.6, 0.9):
            told = 0.2 + 0.8 * (1 - off**2)
            self.assertAlmostEqual(float(seen[round(middle + off * across), 0]) / TINT[0], told, delta=0.03, msg=off)

    def test_a_ramp_gives_colours_by_how_light_the_picture_is(self):
        colours = gradient((0.0, (0.0, 0.0, 1.0)), (1.0, (1.0, 0.0, 0.0)))
        layer = card({"picture": "grey", "surface": Surface(ramp=colours)}, tint=(1.0, 1.0, 1.0))
        share = float(to_coded(np.array(0.5)))
        np.testing.assert_allclose(self.light(effect(layer, stage=NIGHT))[64, 64], [share, 0.0, 1 - share], atol=0.01)
        cooler = replace(layer, look=replace(layer.look, surface=Surface(ramp=colours, ramp_cools=0.9)))
        age = 1.0 / layer.birth.lifetime.middle
        np.testing.assert_allclose(self.light(effect(cooler, stage=NIGHT))[64, 64, 0], share - 0.9 * age, atol=0.01)

    def test_gloss_shines_where_the_lamp_is_mirrored(self):
        lamp = replace(NIGHT, lamps=(Lamp(place=(2.0, 4.0, 2.0), tint=(1.0, 1.0, 1.0), power=20.0),))
        layer = card({"picture": "full", "blend": "alpha", "light": Light(lit=1.0, gloss=1.0, rough=0.2)}, size=2.0)
        dull = replace(layer, look=replace(layer.look, light=Light(lit=1.0)))
        added = (self.light(effect(layer, stage=lamp)) - self.light(effect(dull, stage=lamp))).sum(axis=2)
        row, column = np.unravel_index(int(added.argmax()), added.shape)
        # Half way between the eye's way and the lamp's, to the upper right of a ball.
        halfway = np.array([0.0, 0.0, 1.0]) + np.array([2.0, 2.0, 2.0]) / np.sqrt(12.0)
        lean = halfway / np.linalg.norm(halfway)
        across = 128 / (2 * np.tan(np.radians(FRONT.fov / 2)) * FRONT.distance)
        self.assertLess(abs(column - (63.5 + lean[0] * across)) + abs(row - (63.5 - lean[1] * across)), 9)
        self.assertGreater(added.max(), 0.5)

    def test_wet_ground_shows_what_is_above_it_upside_down(self):
        camera = Camera(target=(0.0, 0.4, 0.0), distance=6.0, heading=0.0, pitch=12.0)
        glow = card({"picture": "full"}, tint=(8.0, 0.0, 0.0), size=0.4, place=(0.0, 1.0, 0.0))
        stage = Stage(paving="flagstones", wet=1.0, sun=Sun(power=0.0, sky=0.2))
        wet, dry = (self.light(effect(glow, stage=replace(stage, wet=w)), camera, 160, 120, "dark") for w in (1.0, 0.0))
        view = view_of(camera, 160, 120)
        column, row, _ = view.project(np.array([[0.0, -1.0, 0.0]]), 160, 120)[0]
        there = slice(round(row) - 5, round(row) + 6), slice(round(column) - 4, round(column) + 5)
        self.assertGreater(wet[there][..., 0].mean(), 20 * dry[there][..., 0].mean() + 0.05)
        beside = slice(round(row) - 5, round(row) + 6), slice(20, 30)
        self.assertLess(wet[beside][..., 0].mean(), 0.2 * wet[there][..., 0].mean())
        below = mirrored(view)
        for point in ([0.3, 1.0, 0.2], [-1.0, 0.1, -2.0]):
            turned = view.to_clip @ np.array([point[0], -point[1], point[2], 1.0])
            np.testing.assert_allclose(below.to_clip @ np.array([*point, 1.0]), turned, atol=1e-9)

    def test_fog_throws_the_light_of_a_lamp_as_much_as_the_integral_says(self):
        lamp = Lamp(place=(0.4, 2.2, 0.0), tint=(1.0, 1.0, 1.0), power=5.0)
        stage = replace(NIGHT, fog=0.1, fog_tint=(0.0, 0.0, 0.0), lamps=(lamp,), background="dark")
        bare = replace(stage, lamps=())
        seen = [self.light(effect(stage=one), background="dark") for one in (stage, bare)]
        view = view_of(FRONT, 128, 128)
        for x, y in ((40, 64), (64, 30), (100, 100)):
            way = view.ray(x + 0.5, y + 0.5, 128, 128)
            way /= np.linalg.norm(way)
            t = np.linspace(0.0, 400.0, 400_001)
            far = ((view.eye + t[:, None] * way - lamp.place) ** 2).sum(axis=1) + 0.12
            off = float(np.linalg.norm(np.array(lamp.place) - view.eye))
            told = 5.0 * 0.1 / (4 * np.pi) * np.trapezoid(1 / far, t) * np.exp(-0.1 * off)
            self.assertAlmostEqual(float((seen[0] - seen[1])[y, x, 0]), told, delta=0.03 * told)

    def test_air_that_a_particle_fills_takes_light_and_hides_as_the_integral_says(self):
        lamp = Lamp(place=(0.6, 2.4, 0.5), tint=(1.0, 1.0, 1.0), power=5.0)
        wall = Prop(name="wall", shape="box", place=(0.0, 2.0, -1.2), size=(1.2, 2.0, 2.4))
        stage = replace(NIGHT, lamps=(lamp,), background="dark", props=(wall,))
        cloud = card({"picture": "full", "blend": "alpha", "light": Light(fog=1.5, lit=1.0)}, tint=(0.5, 0.5, 0.5), size=2.0)
        cloud = replace(cloud, birth=replace(cloud.birth, opacity=fixed(0.4), aspect=0.6))
        clear = replace(cloud, look=replace(cloud.look, light=Light(lit=1.0)))
        seen, bare = (self.light(effect(one, stage=stage), background="dark") for one in (cloud, clear))
        view = view_of(FRONT, 128, 128)
        middle = Timeline(effect(cloud, stage=stage)).frame(1.0).layers[0].position[0]
        for x, y in ((64, 64), (50, 70), (80, 40)):
            way = view.ray(x + 0.5, y + 0.5, 128, 128)
            way /= np.linalg.norm(way)
            t = np.linspace(0.0, 20.0, 40_001)
            points = view.eye + t[:, None] * way
            s = ((points - middle) ** 2 / [1.0, 0.36, 1.0]).sum(axis=1)
            thick = 1.5 * 0.4 * np.where(s < 1, (1 - s) ** 2, 0.0)
            passes = np.exp(-np.cumsum(thick) * t[1])
            light = 5.0 / (4 * np.pi) / (((points - lamp.place) ** 2).sum(axis=1) + 0.12)
            # What lies in the wall, whose face stands at z = 0, is not seen.
            before = points[:, 2] > 0 if abs(points[np.searchsorted(-points[:, 2], 0.0), 0]) < 0.6 else t >= 0
            through = passes[before].min()
            told = float(np.trapezoid((0.5 * thick * light * passes)[before], t[before])) + through * bare[y, x, 0]
            self.assertAlmostEqual(float(seen[y, x, 0]), told, delta=0.05 * told, msg=(x, y))

    def test_air_filled_by_many_large_particles_takes_no_longer_and_is_as_thick(self):
        rng = np.random.default_rng(3)
        place, wide = rng.normal(0.0, 1.0, (4000, 3)), np.full((4000, 2), 4.0)
        thick, colour = np.full(4000, 0.1), np.ones((4000, 3))
        some, all_of_them = (fog_volume(place[:n], wide[:n], thick[:n], colour[:n]) for n in (40, 4000))
        self.assertGreater(some.cells.size, 4 * all_of_them.cells.size)
        # All that is kept back, over the whole room: of an ellipsoid it is 32/105 π r³ of its middle.
        for volume, n in ((some, 40), (all_of_them, 4000)):
            told = n * 0.1 * 32 / 105 * np.pi * 2.0**3
            self.assertAlmostEqual(float(volume.cells[..., 3].sum()) * volume.cube**3 / told, 1.0, delta=0.03)
        wide[0], place[1] = np.inf, np.nan
        self.assertTrue(np.isfinite(fog_volume(place[:9], wide[:9], thick[:9], colour[:9]).cells).all())

    def test_props_of_every_matter_and_all_paving_are_drawn(self):
        for matter in ("plain", "stone", "brick", "wood", "iron"):
            prop = Prop(shape="box", matter=matter, place=(0.0, 1.8, 0.0))
            stage = Stage(props=(prop, replace(prop, shape="cylinder", place=(1.2, 1.8, 0.0))), sun=Sun(power=2.0), ground=False)
            seen = self.light(effect(stage=stage), background="dark")[50:78, 50:78]
            self.assertGreater(seen.mean(), 0.02, matter)
            self.assertTrue(matter == "plain" or seen.std() > 0.005 * seen.mean(), matter)
        for paving in ("flagstones", "setts", "planks", "water"):
            stage = Stage(paving=paving, wet=0.5, sun=Sun(power=2.0))
            seen = self.light(effect(stage=stage), replace(FRONT, pitch=30.0, target=(0.0, 0.0, 0.0)), background="dark")
            self.assertTrue(np.isfinite(seen).all() and seen[64:].std() > 0.002, paving)


class Lamps(unittest.TestCase):
    def test_the_brightest_particles_are_lamps_and_all_light_stays_the_same(self):
        layer = card({"picture": "full"}, count=6, size=0.3)
        layer = replace(layer, birth=replace(layer.birth, brightness=Range(low=0.5, high=4.0)))
        frame = Timeline(effect(layer)).frame(1.0)
        (whole,) = cast_light(frame.layers[0])
        own = replace(layer, look=replace(layer.look, light=Light(lamps=2)))
        lamps = cast_light(Timeline(effect(own)).frame(1.0).layers[0])
        self.assertEqual(len(lamps), 3)
        np.testing.assert_allclose(sum(power for _, power in lamps), whole[1], rtol=1e-6)
        bright = np.sort(frame.layers[0].colour[:, 0])[::-1]
        np.testing.assert_allclose([lamps[0][1][0] / lamps[1][1][0]], bright[0] / bright[1], rtol=1e-5)

    def test_a_beam_is_as_many_lamps_along_its_length(self):
        look = {"picture": "full", "drawn_as": "beam", "beam": Beam(reach=(4.0, 0.0, 0.0), bow=(0.0, 0.0), kinks=0.01)}
        layer = card(look, size=0.1)
        ((middle, whole),) = cast_light(Timeline(effect(layer)).frame(1.0).layers[0])
        np.testing.assert_allclose(middle, [2.0, 2.0, 0.0], atol=0.05)
        own = replace(layer, look=replace(layer.look, light=Light(lamps=4)))
        lamps = cast_light(Timeline(effect(own)).frame(1.0).layers[0])
        np.testing.assert_allclose([place[0] for place, _ in lamps], [0.5, 1.5, 2.5, 3.5], atol=0.05)
        np.testing.assert_allclose([power for _, power in lamps], [whole / 4] * 4, rtol=0.05)


class Strikes(unittest.TestCase):
    def struck(self, at, **beam):
        look = {"picture": "full", "drawn_as": "beam", "beam": Beam(**({"reach": (2.0, 0.0, 0.0), "bow": (0.0, 0.0)} | beam))}
        return Timeline(effect(card(look, size=0.1, count=2))).frame(at).layers[0].strips

    def test_kinks_are_held_at_both_ends_and_half_as_large_each_time(self):
        thrown = kinks(np.arange(4000, dtype=np.uint64), 65)
        np.testing.assert_array_equal(thrown[:, [0, -1]], 0.0)
        # A draw evenly from -1 to 1 strays by the root of a third.
        self.assertAlmostEqual(float(thrown[:, 32].std()), np.sqrt(1 / 3), delta=0.02)
        stray = (thrown[:, 16] - 0.5 * thrown[:, 32]).std()
        self.assertAlmostEqual(float(stray), 0.5 * np.sqrt(1 / 3), delta=0.02)

    def test_a_beam_with_kinks_strikes_anew_and_fades_between(self):
        now, soon, later = (self.struck(at, kinks=0.3, strikes=4.0, fade=0.8) for at in (1.0, 1.02, 1.5))
        first = slice(now.first[0], now.first[1])
        np.testing.assert_allclose(now.point[first][[0, -1]], [[0, 2, 0], [2, 2, 0]], atol=1e-5)
        self.assertGreater(np.abs(now.point[first] - later.point[first]).max(), 0.05)
        fades = soon.colour[:, 3] / now.colour[:, 3]
        self.assertTrue(((fades < 1) | (fades > 1.5)).all(), "dimmer, or struck anew")
        once = [self.struck(at, kinks=0.3, strikes=0.0).point for at in (1.0, 1.5)]
        np.testing.assert_array_equal(*once)

    def test_branches_leave_the_beam_and_thin_out(self):
        strips = self.struck(1.0, kinks=0.3, branches=3, branch_width=0.5)
        self.assertEqual(strips.count, 2 + 2 * 3)
        for k in range(2, strips.count):
            branch = slice(strips.first[k], strips.first[k + 1])
            beam = slice(strips.first[strips.owner[k]], strips.first[strips.owner[k] + 1])
            away = np.linalg.norm(strips.point[beam] - strips.point[branch][0], axis=1)
            self.assertLess(away.min(), 1e-5)
            np.testing.assert_allclose(strips.width[branch][[0, -1]], [0.05, 0.0], atol=1e-6)


class Trails(unittest.TestCase):
    def test_kinks_throw_a_ribbon_aside_anew_at_each_strike_and_hold_its_ends(self):
        flying = drip(birth=replace(drip().birth, lifetime=fixed(2.0), speed=fixed(3.0)))
        ribbon = Ribbon(length=0.3, width=0.5)

        def trails(at, **kinks):
            look = replace(flying.look, drawn_as="ribbon", ribbon=replace(ribbon, **kinks))
            return Timeline(effect(replace(flying, look=look))).frame(at).layers[0].strips

        plain, now, soon, later = trails(0.9), *(trails(at, kinks=0.2, strikes=4.0, fade=0.5) for at in (0.9, 0.91, 1.2))
        ends = [plain.first[:-1], plain.first[1:] - 1], [now.first[:-1], now.first[1:] - 1]
        np.testing.assert_allclose(now.point[ends[1]], plain.point[ends[0]], atol=1e-5)
        np.testing.assert_array_equal(np.diff(now.first), 65)
        first = now.point[now.first[0] : now.first[1]]
        self.assertGreater(np.abs(first[:, [0, 2]] - first[0, [0, 2]]).max(), 0.03)
        self.assertTrue((now.colour[:, 3].max() <= plain.colour[:, 3].max()) and now.colour[:, 3].min() >= 0.49)
        thrown = [strips.point[strips.first[0] : strips.first[1]] - strips.point[strips.first[0]] for strips in (now, soon, later)]
        self.assertLess(np.abs(thrown[0] - thrown[1]).max(), 0.2 * np.abs(thrown[0] - thrown[2]).max(), "one strike, and another")

    def test_a_trail_is_the_ribbon_that_the_layer_would_be(self):
        falling = drip(birth=replace(drip().birth, lifetime=fixed(2.0)))
        ribbon = Ribbon(length=0.2, taper=Curve(), width=0.5)
        trail = replace(falling, look=replace(falling.look, drawn_as="sprite", trail=True, ribbon=ribbon))
        alone = replace(falling, look=replace(falling.look, drawn_as="ribbon", ribbon=ribbon))
        one, other = (Timeline(effect(layer)).frame(0.9).layers[0] for layer in (trail, alone))
        self.assertIsNone(one.strips)
        for name in ("first", "point", "width", "colour", "along", "owner"):
            np.testing.assert_array_equal(getattr(one.trail, name), getattr(other.strips, name), name)
        self.assertGreater(one.count, 0)


if __name__ == "__main__":
    unittest.main()
