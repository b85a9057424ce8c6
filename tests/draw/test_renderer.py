"""Pixels against formulas, in a context without a window."""

import unittest

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.model import Camera
from pale_ember.core.effect.values import Tints
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.draw.context import finisher, headless
from pale_ember.draw.offscreen import offscreen
from pale_ember.draw.renderer import Renderer, Shot
from pale_ember.draw.view import view_of
from pale_ember.formats.document import load
from pale_ember.formats.pictures import Shelf, to_linear
from tests.examples import KILN_MOUTH, Birth, Burst, Look, Outlet, drip, effect, fixed

FRONT = Camera(target=(0.0, 2.0, 0.0), distance=4.0, heading=0.0, pitch=0.0)


def plain_picture(name):
    """An even picture; `half` covers half."""
    made = np.ones((16, 16, 4), np.float32)
    made[..., 3] = 0.5 if name == "half" else 1.0
    if name == "quarters":
        made[:8, :8, :3], made[:8, 8:, :3], made[8:, :8, :3], made[8:, 8:, :3] = 0.1, 0.2, 0.4, 0.8
    return made


def card(look, tint=(0.4, 0.2, 0.1), opacity=1.0, count=1, size=3.0, **parts):
    return drip(
        look=Look(soft=0.0, **look), outlet=Outlet(rate=0.0, bursts=(Burst(count=count),), shape="point"),
        birth=Birth(lifetime=fixed(9.0), speed=fixed(0.0), size=fixed(size), opacity=fixed(opacity),
                    tint=Tints(first=tint, second=tint)), **parts,
    )  # fmt: skip


class Pixels(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.context = headless()
        cls.context.__enter__()
        cls.renderer = Renderer(cls.context, plain_picture, finisher())

    @classmethod
    def tearDownClass(cls):
        cls.renderer.release()
        cls.context.__exit__(None, None, None)
        cls.context.release()

    def middle(self, *layers, background="none", alpha="premultiplied"):
        """The middle pixel: linear light before the roll-off where there is a stage, else toned, and alpha."""
        frame = Timeline(effect(*layers)).frame(1.0)
        pixels = self.renderer.picture(frame, view_of(FRONT, 64, 64), Shot(background=background, alpha=alpha), 64, 64)
        self.assertEqual(self.context.error, "GL_NO_ERROR")
        rgba = pixels[32, 32].astype(float) / 255
        return to_linear(rgba[:3]), rgba[3]

    def toned(self, *light):
        return 1 - np.exp(-np.array(light))

    def test_additive_light_adds_and_covers_by_its_brightest_channel(self):
        light, cover = self.middle(card({"picture": "full"}, count=2))
        np.testing.assert_allclose(light, self.toned(0.8, 0.4, 0.2), atol=0.01)
        self.assertAlmostEqual(cover, self.toned(0.8)[0], delta=0.01)
        straight, _ = self.middle(card({"picture": "full"}, count=2), alpha="straight")
        np.testing.assert_allclose(straight * cover, light, atol=0.015)

    def test_alpha_covers_what_lies_behind(self):
        behind = card({"picture": "full", "blend": "alpha"}, tint=(0.0, 0.9, 0.0))
        front = replace(card({"picture": "half", "blend": "alpha"}, opacity=0.5), id="00000000000000bb")
        light, cover = self.middle(behind, front)
        np.testing.assert_allclose(light, self.toned(0.1, 0.05 + 0.75 * 0.9, 0.025), atol=0.01)
        self.assertEqual(cover, 1.0)
        _, thin = self.middle(front)
        self.assertAlmostEqual(thin, 0.25, delta=0.01)

    def test_multiply_darkens_what_lies_behind(self):
        behind = card({"picture": "full", "blend": "alpha"}, tint=(0.8, 0.8, 0.8))
        front = replace(card({"picture": "half", "blend": "multiply"}), id="00000000000000bb")
        light, _ = self.middle(behind, front)
        np.testing.assert_allclose(light, self.toned(*(0.8 * (0.5 + 0.5 * np.array([0.4, 0.2, 0.1])))), atol=0.01)

    def test_the_frame_of_a_sheet_is_the_one_of_the_age(self):
        for time, value in ((0.5, 0.1), (1.5, 0.2), (2.5, 0.4), (3.5, 0.8)):
            layer = card(
                {"picture": "quarters", "columns": 2, "rows": 2, "play": "by clock", "fps": 1.0}, tint=(1, 1, 1)
            )
            frame = Timeline(effect(layer)).frame(int(time))
            shot = Shot(background="none", alpha="premultiplied")
            pixels = self.renderer.picture(frame, view_of(FRONT, 64, 64), shot, 64, 64)
            np.testing.assert_allclose(to_linear(pixels[32, 32, :3] / 255.0), self.toned(*[value] * 3), atol=0.01)

    def test_alpha_cards_are_ordered_by_depth(self):
        near = card({"picture": "full", "blend": "alpha"}, tint=(0.9, 0.0, 0.0), space="local")
        frame = Timeline(effect(near)).frame(1.0)
        one = frame.layers[0]
        import dataclasses

        for order in ((0, 1), (1, 0)):
            place = np.array([[0, 2, 1.0], [0, 2, -1.0]], np.float32)[list(order)]
            tint = np.array([[0.9, 0, 0, 1], [0, 0.9, 0, 1]], np.float32)[list(order)]
            both = {
                n: np.repeat(getattr(one, n), 2, axis=0)
                for n in ("number", "age", "life", "velocity", "size", "angle", "frame")
            }
            made = dataclasses.replace(one, position=place, colour=tint, **both)
            pixels = self.renderer.picture(
                dataclasses.replace(frame, layers=(made,)), view_of(FRONT, 64, 64), Shot(background="none"), 64, 64
            )
            self.assertGreater(int(pixels[32, 32, 0]), 150)
            self.assertEqual(int(pixels[32, 32, 1]), 0)

    def test_the_ground_hides_what_is_below_it(self):
        below = card({"picture": "full"}, tint=(5.0, 5.0, 5.0), size=0.5, place=(0.0, -3.0, -2.0))
        empty = card({"picture": "full"}, opacity=0.0)
        seen = [self.renderer.picture(Timeline(effect(one)).frame(0.5), view_of(replace(FRONT, pitch=35.0), 64, 64),
                                      Shot(background="mid"), 64, 64).astype(int) for one in (below, empty)]  # fmt: skip
        self.assertLess(np.abs(seen[0] - seen[1]).mean(), 12.0)


class Sizes(unittest.TestCase):
    def test_the_demo_draws_at_half_size_like_the_whole(self):
        made, _ = load(KILN_MOUTH)
        frame = Timeline(made).frame(2.0)
        view = view_of(made.stage.cameras[0], 256, 144)
        with offscreen(Shelf(None).get) as renderer:
            whole, half = (renderer.picture(frame, view, Shot(scale=x), 256, 144).astype(float) for x in (1.0, 0.5))
        self.assertLess(np.abs(whole - half)[..., :3].mean(), 6.0)
        self.assertGreater(whole[..., :3].max(), 200)
