"""Cameras, what they project, and how sprites lie in the picture."""

import dataclasses
import math
import unittest

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.model import Camera
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.texture.library_recipes import cards
from pale_ember.core.texture.outline import MOST, WHOLE, area_of, held_by, outline
from pale_ember.core.view import framed, view_of, world_size
from pale_ember.draw.lights import cast_light
from pale_ember.draw.offscreen import offscreen
from pale_ember.draw.packing import packed
from pale_ember.draw.renderer import Shot
from pale_ember.formats.pictures import library_picture
from tests.draw.drawn import FRONT
from tests.draw.drawn import card as sprite
from tests.examples import effect


class Cameras(unittest.TestCase):
    def test_a_projected_point_lies_on_the_ray_through_its_pixel(self):
        rng = np.random.default_rng(4)
        for _ in range(20):
            camera = Camera(
                target=tuple(rng.normal(size=3)),
                distance=float(rng.uniform(1, 9)),
                heading=float(rng.uniform(-180, 180)),
                pitch=float(rng.uniform(-80, 80)),
            )
            view = view_of(camera, 640, 360)
            point = np.array(camera.target) + rng.normal(size=3) * 0.3
            x, y, depth = view.project(point, 640, 360)[0]
            np.testing.assert_allclose(view.eye + view.ray(x, y, 640, 360) * depth, point, atol=1e-9)
            clip = view.to_clip @ [*point, 1.0]
            np.testing.assert_allclose((clip[0] / clip[3] + 1) * 320, x, atol=1e-6)
            np.testing.assert_allclose((1 - clip[1] / clip[3]) * 180, y, atol=1e-6)

    def test_framing_fills_the_picture_and_cuts_nothing_off(self):
        rng = np.random.default_rng(5)
        for _ in range(30):
            points = rng.normal(size=(40, 3)) * rng.uniform(0.1, 4, 3) + rng.normal(size=3) * 9
            radii, aspect = rng.uniform(0, 0.5, 40), float(rng.uniform(0.5, 2.5))
            camera = Camera(heading=float(rng.uniform(-180, 180)), pitch=float(rng.uniform(-80, 80)), distance=3.0)
            made = framed(camera, points, radii, aspect)
            self.assertEqual((made.heading, made.pitch, made.fov), (camera.heading, camera.pitch, camera.fov))
            view = view_of(made, aspect, 1.0)
            around = rng.normal(size=(4000, 3))
            skin = points[:, None] + (around / np.linalg.norm(around, axis=1)[:, None])[None] * radii[:, None, None]
            x, y, depth = view.project(skin.reshape(-1, 3), 2.0, 2.0).T
            self.assertGreater(depth.min(), 0.0)
            reach = max(np.abs(x - 1).max(), np.abs(y - 1).max())
            self.assertLess(reach, 0.8 + 1e-6)
            self.assertGreater(reach, 0.76)

    def test_the_target_is_in_the_middle_and_axes_are_upright(self):
        view = view_of(Camera(heading=0.0, pitch=0.0), 400, 200)
        np.testing.assert_allclose(view.forward, [0, 0, -1], atol=1e-12)
        np.testing.assert_allclose(view.right, [1, 0, 0], atol=1e-12)
        np.testing.assert_allclose(view.project(np.array(view.camera.target), 400, 200)[0][:2], [200, 100])
        self.assertAlmostEqual(world_size(FRONT), 2 * 4 * math.tan(math.radians(20)))


class Lying(unittest.TestCase):
    def picture(self, layer, velocity=None, size=200):
        """Coverage of a lone sprite, (size, size) bool."""
        frame = Timeline(effect(layer)).frame(1.0)
        if velocity is not None:
            one = dataclasses.replace(frame.layers[0], velocity=np.array([velocity], np.float32))
            frame = dataclasses.replace(frame, layers=(one,))
        with offscreen(lambda name: np.ones((16, 16, 4), np.float32)) as renderer:
            pixels = renderer.picture(frame, view_of(FRONT, size, size), Shot(background="none"), size, size)
        return pixels[..., 3] > 128

    def extent(self, seen):
        """Width and height in metres at the camera's target."""
        metres = world_size(FRONT) / seen.shape[0]
        return seen.any(axis=0).sum() * metres, seen.any(axis=1).sum() * metres

    def test_a_sprite_is_as_large_as_it_says(self):
        width, height = self.extent(self.picture(sprite({"picture": "full", "blend": "alpha"}, size=1.2)))
        self.assertAlmostEqual(width, 1.2, delta=0.03)
        self.assertAlmostEqual(height, 1.2, delta=0.03)

    def test_a_turned_sprite_turns_about_its_middle(self):
        layer = sprite({"picture": "full", "blend": "alpha"}, size=1.0)
        layer = replace(layer, birth=replace(layer.birth, angle=replace(layer.birth.angle, low=45.0, high=45.0)))
        width, height = self.extent(self.picture(layer))
        self.assertAlmostEqual(width, math.sqrt(2), delta=0.04)
        self.assertAlmostEqual(height, math.sqrt(2), delta=0.04)

    def test_a_streak_lengthens_along_motion_by_speed_times_exposure(self):
        look = {"picture": "full", "blend": "alpha", "facing": "along motion", "streak": 0.1}
        width, height = self.extent(self.picture(sprite(look, size=0.3), (0.0, 6.0, 0.0)))
        self.assertAlmostEqual(height, 0.3 + 0.6, delta=0.03)
        self.assertAlmostEqual(width, 0.3, delta=0.03)
        width, height = self.extent(self.picture(sprite(look, size=0.3), (6.0, 0.0, 0.0)))
        self.assertAlmostEqual(width, 0.9, delta=0.03)

    def test_empty_rims_are_not_drawn_and_nothing_is_lost(self):
        pixels = np.zeros((64, 128, 4), np.float32)
        pixels[20:30, 24:40] = 1.0
        pixels[18:40, 64 + 26 : 64 + 36] = 1.0
        (left, top), _, (right, bottom), _ = outline(held_by(pixels, 2, 1))
        self.assertTrue(left <= 24 / 64 and right >= 40 / 64 and top <= 18 / 64 and bottom >= 40 / 64)
        self.assertLess((right - left) * (bottom - top), 0.5)
        self.assertEqual(outline(held_by(np.zeros((8, 8, 4), np.float32), 1, 1)), WHOLE)

    def test_more_corners_cut_nothing_that_is_seen_and_paint_less(self):
        for name in ("spark", "ring", "drop", "smoke puffs", "flame wisps", "triangle"):
            recipe, pixels = cards()[name].recipe, library_picture(name)
            columns, rows = recipe.columns, -(-recipe.frames // recipe.columns)
            height, width = pixels.shape[0] // rows, pixels.shape[1] // columns
            seen = pixels[..., 3].reshape(rows, height, columns, width).max(axis=(0, 2)) > 1 / 255
            y, x = np.mgrid[0 : height + 1, 0 : width + 1]
            areas = []
            for corners in range(4, MOST + 1):
                around = np.array(outline(held_by(pixels, columns, rows), corners))
                self.assertLessEqual(len(around), corners)
                self.assertTrue((around >= 0).all() and (around <= 1).all())
                begin, end = around * (width, height), np.roll(around, -1, axis=0) * (width, height)
                inside = np.ones((height + 1, width + 1), bool)
                for (ax, ay), (bx, by) in zip(begin, end, strict=True):
                    inside &= (bx - ax) * (y - ay) - (by - ay) * (x - ax) >= -1e-6
                whole = inside[:-1, :-1] & inside[1:, :-1] & inside[:-1, 1:] & inside[1:, 1:]
                self.assertFalse((seen & ~whole).any(), (name, corners))
                areas.append(area_of(around))
            self.assertEqual(areas, sorted(areas, reverse=True), name)
            self.assertLess(areas[-1], 0.93 * areas[0], name)

    def test_a_card_with_more_corners_looks_the_same(self):
        look = {"picture": "triangle", "blend": "alpha"}
        for more in ({}, {"facing": "flat"}, {"facing": "along motion", "streak": 0.1}, {"pivot": -1.0}):
            with offscreen(library_picture) as renderer:
                four, eight = (
                    renderer.picture(Timeline(made).frame(1.0), view_of(FRONT, 200, 200), Shot(), 200, 200).astype(int)
                    for made in (effect(sprite(look | more | {"corners": k}, size=0.8)) for k in (4, 8))
                )
            self.assertGreater(int(np.ptp(four[..., :3])), 20)
            self.assertLessEqual(np.abs(four - eight).max(), 1, more)

    def test_alpha_cards_are_packed_farthest_first_and_others_as_born(self):
        frame = Timeline(effect(sprite({"picture": "full", "blend": "alpha"}))).frame(1.0)
        one = frame.layers[0]
        count = 50
        place = np.random.default_rng(2).normal(size=(count, 3)).astype(np.float32)
        names = ("number", "age", "life", "velocity", "size", "angle", "colour", "frame")
        many = {name: np.repeat(getattr(one, name), count, axis=0) for name in names}
        made = dataclasses.replace(one, position=place, **many)
        self.assertTrue((np.diff(packed(made, view_of(FRONT, 9, 9))[:, 2]) >= 0).all())
        for stacking, sign in (("young on top", -1), ("old on top", 1)):
            ages = np.random.default_rng(3).permutation(count).astype(np.float32)
            look = replace(made.layer.look, stacking=stacking)
            stacked = dataclasses.replace(made, age=ages / count, layer=replace(made.layer, look=look))
            lower = packed(stacked, view_of(FRONT, 9, 9))[:, :3]
            np.testing.assert_array_equal(lower, place[np.argsort(sign * ages)])
        added = dataclasses.replace(made, layer=replace(made.layer, look=replace(made.layer.look, blend="additive")))
        np.testing.assert_array_equal(packed(added, view_of(FRONT, 9, 9))[:, :3], place)

    def test_the_light_of_a_layer_stands_where_its_bright_ones_are(self):
        glow = sprite({"picture": "full"}, tint=(4.0, 2.0, 1.0), place=(1.0, 2.0, 3.0))
        ((place, power),) = cast_light(Timeline(effect(glow)).frame(1.0).layers[0])
        np.testing.assert_allclose(place, [1, 2, 3], atol=1e-5)
        np.testing.assert_allclose(power / power[2], [4, 2, 1], rtol=1e-5)
        dark = sprite({"picture": "full", "blend": "alpha"})
        self.assertEqual(cast_light(Timeline(effect(dark)).frame(1.0).layers[0]), [])
