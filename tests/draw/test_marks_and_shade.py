"""Marks laid on things, light where shells meet them, blur, glass, bumps, and clouds that shade themselves."""

import numpy as np
from msgspec.structs import replace
from scipy.ndimage import binary_fill_holes

from pale_ember.core.effect.look import Solid
from pale_ember.core.effect.model import Camera, Stage
from pale_ember.core.effect.stage import Prop, Sun
from pale_ember.core.effect.surface import Light, Surface
from pale_ember.core.simulate.shade import reaching
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.view import view_of
from pale_ember.draw.lights import lights_of, shade_of
from tests.draw.drawn import FRONT, card
from tests.draw.test_matter import NIGHT, TINT, Lit
from tests.examples import effect, fixed


class MarksAndShade(Lit):
    def test_a_draped_mark_lies_on_the_step_and_on_the_ground(self):
        step = Prop(name="step", shape="box", place=(0.5, 0.15, 0.0), size=(1.0, 0.3, 2.0))
        stage = Stage(sun=Sun(power=0.0, sky=0.0), props=(step,), paving="grid")
        camera = Camera(target=(0.0, 0.1, 0.0), distance=5.0, heading=0.0, pitch=50.0)
        places = np.array([[0.5, 0.3, 0.1], [-0.5, 0.0, 0.1], [-1.4, 0.0, 0.1]])
        columns = view_of(camera, 160, 160).project(places, 160, 160)[:, :2].round().astype(int)
        seen = {}
        for drape in (0.0, 0.6):
            mark = card({"picture": "full", "facing": "flat", "drape": drape}, size=2.0, place=(0.0, 0.0, 0.0))
            picture = self.light(effect(mark, stage=stage), camera, 160, 160, "dark")
            bare = self.light(effect(replace(mark, shown=False), stage=stage), camera, 160, 160, "dark")
            seen[drape] = [(picture - bare)[y, x] for x, y in columns]
        np.testing.assert_allclose(seen[0.6], [TINT, TINT, 0 * TINT], atol=0.01)
        np.testing.assert_allclose(seen[0.0], [0 * TINT, TINT, 0 * TINT], atol=0.01)

    def test_wet_ground_shows_a_mark_on_a_wall(self):
        wall = Prop(name="wall", shape="box", place=(0.0, 1.0, -0.5), size=(3.0, 2.0, 1.0))
        stage = Stage(sun=Sun(power=0.0, sky=0.0), props=(wall,), paving="flagstones", wet=1.0)
        camera = Camera(target=(0.0, 0.2, 0.0), distance=6.0, heading=0.0, pitch=14.0)
        mark = card({"picture": "full", "facing": "free", "drape": 0.3}, tint=(20.0, 0.0, 0.0), size=0.8, place=(0.0, 1.0, 0.1))
        pictures = [self.light(effect(each, stage=stage), camera, 160, 120, "dark") for each in (mark, replace(mark, shown=False))]
        added = (pictures[0] - pictures[1])[..., 0]
        view = view_of(camera, 160, 120)
        for point, told in (([0.0, 1.0, 0.0], 20.0), ([0.0, -1.0, 0.0], 2.3), ([0.0, -0.3, 0.0], 0.0)):
            column, row, _ = view.project(np.array([point]), 160, 120)[0]
            there = added[round(row) - 2 : round(row) + 3, round(column) - 2 : round(column) + 3].mean()
            self.assertAlmostEqual(float(there), told, delta=0.05 + 0.05 * told, msg=str(point))

    def test_the_edge_of_what_a_mark_lies_on_is_smooth(self):
        block = Prop(name="block", shape="box", place=(0.0, 0.5, 0.0), size=(1.0, 1.0, 1.0), turn=(0.0, 20.0, 0.0))
        stage = Stage(sun=Sun(power=0.0, sky=0.0), props=(block,), paving="grid")
        camera = Camera(target=(0.0, 1.0, 0.0), distance=4.0, heading=0.0, pitch=30.0)
        mark = card({"picture": "full", "facing": "flat", "drape": 0.2}, tint=(0.4, 0.0, 0.0), size=4.0, place=(0.0, 1.0, 0.0))
        seen = self.light(effect(mark, stage=stage), camera, 160, 160, "dark")[..., 0]
        # Down each column, on to the far edge of its top.
        columns = [seen[:90, x] for x in range(60, 100)]
        begins = [column[np.flatnonzero(column > 0.02)[0]] / column.max() for column in columns]
        self.assertLess(min(begins), 0.4)
        self.assertGreater(len({round(float(share), 1) for share in begins}), 3)

    def test_a_shell_glows_where_it_meets_the_ground_by_the_formula(self):
        surface = Surface(meet_glow=3.0, meet_width=0.5)
        shell = card({"picture": "full", "facing": "upright", "surface": surface}, size=2.0, place=(0.0, 1.0, 0.0))
        camera = Camera(target=(0.0, 0.3, 0.0), distance=4.0, heading=0.0, pitch=20.0)
        view = view_of(camera, 160, 160)
        seen = self.light(effect(shell, stage=replace(NIGHT, ground=True)), camera, 160, 160, "dark")
        for high in (0.05, 0.15, 0.6):
            x, y, _ = view.project(np.array([[0.0, high, 0.0]]), 160, 160)[0]
            ray = view.ray(round(x) + 0.5, round(y) + 0.5, 160, 160)
            # From the card, which stands at z = 0, on to the ground.
            at, down = -view.eye[2] / ray[2], -view.eye[1] / ray[1]
            told = 1 + 3.0 * max(1 - (down - at) / 0.5, 0.0) ** 2
            self.assertAlmostEqual(float(seen[round(y), round(x), 0]) / TINT[0], told, delta=0.05, msg=high)

    def test_blur_smears_along_the_motion_and_keeps_the_light(self):
        def seen(blur, speed):
            layer = card({"picture": "full", "blur": blur}, size=0.3)
            layer = replace(
                layer,
                birth=replace(layer.birth, speed=fixed(speed)),
                outlet=replace(layer.outlet, aim="along axis", axis=(1, 0, 0), spread=fixed(0.0)),
            )
            return self.light(effect(layer, stage=NIGHT), width=512, height=512, at=1 / 60)[..., 0]

        sharp, smeared, still = seen(0.0, 6.0), seen(0.1, 6.0), seen(0.1, 0.0)
        np.testing.assert_array_equal(still, seen(0.0, 0.0))
        self.assertAlmostEqual(smeared.sum() / sharp.sum(), 1.0, delta=0.03)
        metre = 512 / (2 * np.tan(np.radians(FRONT.fov / 2)) * FRONT.distance)
        self.assertAlmostEqual((smeared.max(axis=0) > 0).sum(), (0.3 + 0.6 * 15 / 16) * metre, delta=2.5)
        self.assertAlmostEqual((smeared.max(axis=1) > 0).sum(), (sharp.max(axis=1) > 0).sum(), delta=1)

    def test_glass_shows_what_is_behind_it_aside(self):
        wall = card({"picture": "full"}, size=2.0, place=(1.12, 2.0, -0.3))
        glass = Solid(mesh="solid:sphere", smooth=180.0, sides="outside")
        look = {"picture": "full", "drawn_as": "mesh", "solid": glass, "surface": Surface(shimmer=0.25)}
        ball = card(look, tint=(0.0, 0.0, 0.0), size=1.0)
        seen = self.light(effect(wall, replace(ball, id="0" * 16), stage=NIGHT))[64, :, 0]
        bare = self.light(effect(wall, stage=NIGHT))[64, :, 0]
        metre = 128 / (2 * np.tan(np.radians(FRONT.fov / 2)) * FRONT.distance)
        for off in (-0.3, 0.05, 0.16, 0.4):
            at = 63.5 + off * metre
            there = round(at - off / 0.5 * 0.25 * metre)
            self.assertAlmostEqual(seen[round(at)], bare[there], delta=0.02, msg=off)

    def test_bumps_push_a_mesh_in_and_out_without_tearing_it(self):
        def shape(**solid):
            look = {"picture": "full", "drawn_as": "mesh", "solid": Solid(mesh="solid:cylinder", smooth=0.0, **solid)}
            return self.light(effect(card(look, size=1.6), stage=NIGHT))[..., 0] > 0

        plain, bumpy = shape(), shape(bumps=0.2)
        self.assertGreater((plain ^ bumpy).sum(), 60)
        np.testing.assert_array_equal(binary_fill_holes(bumpy), bumpy, "no hole")
        self.assertFalse(np.array_equal(bumpy, shape(bumps=0.2, bump_speed=4.0)))

    def test_light_grows_less_through_a_cloud_as_beer_says(self):
        rng = np.random.default_rng(1)
        place = rng.uniform(-1, 1, (6000, 3)) * (2.0, 1.0, 2.0)
        shares = reaching(place, np.full(6000, 0.008), np.full(6000, 0.3), np.array([0.0, 1.0, 0.0]), np.array([0.0, -50.0, 0.0]))
        inner = np.abs(place[:, [0, 2]]).max(axis=1) < 1.3
        each = 6000 * 0.008 * 0.5 / 32  # thickness of a square metre, by the metre
        for rows, way in ((0, 1.0 - place[:, 1]), (1, 1.0 - place[:, 1]), (2, place[:, 1] + 1.0)):
            apart = np.log(np.maximum(shares[inner, rows], 1e-9)) / -each - way[inner]
            self.assertLess(np.abs(apart).mean(), 0.17, rows)
        sun, lamp = np.array([0.0, 1.0, 0.0]), np.array([0.0, -50.0, 0.0])
        for place in (np.full((5, 3), 3e6) + rng.uniform(0, 1, (5, 3)), np.array([[np.nan, 0, 0], [np.inf, 0, -np.inf], [0, 0, 0]])):
            shares = reaching(place, np.full(len(place), 0.1), np.full(len(place), 0.3), sun, lamp)
            self.assertTrue(((shares >= 0) & (shares <= 1)).all())

    def test_smoke_is_dark_on_the_far_side_of_the_sun(self):
        puffs = card({"picture": "full", "blend": "alpha", "light": Light(lit=1.0, shade=1.0)}, count=300, size=0.4, opacity=0.5)
        puffs = replace(puffs, outlet=replace(puffs.outlet, shape="sphere", radius=1.0))
        made = effect(puffs, stage=Stage(sun=Sun(heading=90.0, height=0.0, power=2.0, sky=0.1)))
        frame = Timeline(made).frame(1.0)
        shares = shade_of(frame.layers, lights_of(frame, made.stage, 0.4))[frame.layers[0].key]
        x = frame.layers[0].position[:, 0]
        self.assertGreater(shares[x > 0.5, 0].mean(), 3 * shares[x < -0.5, 0].mean())
        seen = self.light(made, background="none").sum(axis=2)
        self.assertGreater(seen[:, 80:].sum(), 1.5 * seen[:, :48].sum())
        plain = replace(puffs, look=replace(puffs.look, light=Light(lit=1.0)))
        self.assertEqual(shade_of(Timeline(effect(plain)).frame(1.0).layers, lights_of(frame, made.stage, 0.4)), {})
