"""Pixels against formulas, in a context without a window."""

import gc
import unittest
import weakref
from unittest import mock

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.model import Stage
from pale_ember.core.effect.stage import Prop
from pale_ember.core.effect.strips import Beam, Ribbon
from pale_ember.core.effect.surface import Dissolve, Light, Surface
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.texture.library_recipes import cards
from pale_ember.core.texture.light import to_coded, to_linear
from pale_ember.core.view import view_of
from pale_ember.draw.lights import Lights
from pale_ember.draw.offscreen import offscreen
from pale_ember.draw.renderer import Shot
from pale_ember.formats.document import load
from pale_ember.formats.pictures import library_picture
from pale_ember.formats.shelf import Shelf
from tests.draw.drawn import FRONT, Drawn, card
from tests.examples import SMALL_FIRE, effect, fixed


class Bounced(unittest.TestCase):
    def test_the_ground_throws_back_a_third_a_little_warmer(self):
        put = mock.Mock()
        Lights(np.array([0.0, 1.0, 0.0]), np.zeros(3), np.array([1.0, 1.0, 1.0]), ()).put(put)
        red, green, blue = put.put.call_args.kwargs["earth_light"]
        self.assertTrue(0.4 > red > green > blue > 0.25, (red, green, blue))
        self.assertAlmostEqual(red + green + blue, 1.0, delta=0.05)


class Pixels(Drawn):
    def middle(self, *layers, background="none", alpha="premultiplied"):
        """The middle pixel: linear light before the roll-off where there is a stage, else toned, and alpha."""
        frame = Timeline(effect(*layers)).frame(1.0)
        pixels = self.renderer.picture(
            frame, view_of(FRONT, 64, 64), Shot(Stage(tone="filmic"), background=background, alpha=alpha), 64, 64
        )
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

    def test_screen_adds_but_never_beyond_white(self):
        behind = card({"picture": "full", "blend": "alpha"}, tint=(0.6, 0.6, 0.6))
        front = replace(card({"picture": "half", "blend": "screen"}), id="00000000000000bb")
        light, _ = self.middle(behind, front)
        added = 0.5 * np.array([0.4, 0.2, 0.1])
        np.testing.assert_allclose(light, self.toned(*(added + 0.6 * (1 - added))), atol=0.01)

    def test_premultiplied_pictures_are_taken_as_they_are(self):
        behind = card({"picture": "full", "blend": "alpha"}, tint=(0.6, 0.6, 0.6))
        front = replace(card({"picture": "half", "blend": "premultiplied"}), id="00000000000000bb")
        light, _ = self.middle(behind, front)
        np.testing.assert_allclose(light, self.toned(*(np.array([0.4, 0.2, 0.1]) + 0.5 * 0.6)), atol=0.01)

    def test_a_cut_out_is_solid_or_nothing(self):
        behind = card({"picture": "full", "blend": "alpha"}, tint=(0.6, 0.6, 0.6))
        for cut, expected in ((0.4, (0.4, 0.2, 0.1)), (0.6, (0.6, 0.6, 0.6))):
            front = card({"picture": "half", "blend": "cut-out", "cut": cut}, place=(0.0, 2.0, 0.2), id="00000000000000bb")
            light, cover = self.middle(behind, front)
            np.testing.assert_allclose(light, self.toned(*expected), atol=0.01)
            self.assertEqual(cover, 1.0)

    def test_dissolving_eats_the_dark_of_its_picture_first_and_its_edge_burns(self):
        def worn(**values):
            return card({"picture": "full", "dissolve": Dissolve(picture="grey", softness=0.2, burn_width=0.5, **values)})

        grey = float(to_coded(np.array(0.5)))
        for dissolve in (0.0, 0.5, 0.7, 0.8, 1.0):
            light, _ = self.middle(worn(amount=dissolve))
            # The line that is eaten runs from -0.2 to 1 and is 0.2 wide; a grey lasts as light as it looks.
            kept = np.clip((grey - (dissolve * 1.2 - 0.2)) / 0.2, 0, 1) if dissolve < 1 else 0.0
            np.testing.assert_allclose(light, self.toned(*(kept * np.array([0.4, 0.2, 0.1]))), atol=0.012)
        plain, _ = self.middle(worn(amount=0.5))
        burning, _ = self.middle(worn(amount=0.5, burn=1.0, burn_tint=(1.0, 0.5, 0.0)))
        rim = 1 - np.clip((grey - (0.5 * 1.2 - 0.2) - 0.1) / 0.5, 0, 1)
        hot = np.array([0.4, 0.2, 0.1]) * (1 + rim * np.array([1.0, 0.5, 0.0]))
        np.testing.assert_allclose(burning, self.toned(*hot), atol=0.012)
        self.assertGreater(float(burning[0]), float(plain[0]))
        harder, _ = self.middle(worn(amount=0.7, contrast=3.0))
        last = np.clip((grey - 0.5) * 3 + 0.5, 0, 1)
        kept = np.clip((last - (0.7 * 1.2 - 0.2)) / 0.2, 0, 1)
        np.testing.assert_allclose(harder, self.toned(*(kept * np.array([0.4, 0.2, 0.1]))), atol=0.012)

    def test_a_picture_is_tiled_and_runs(self):
        def seen(**surface):
            return self.middle(card({"picture": "quarters", "surface": Surface(**surface)}, tint=(1, 1, 1)))[0][0]

        # The middle of the card lies where the four quarters meet; shifted by a quarter it lies within one.
        for scroll, value in (((0.25, 0.25), 0.1), ((-0.25, 0.25), 0.2), ((0.25, -0.25), 0.4)):
            self.assertAlmostEqual(float(seen(scroll=scroll)), float(self.toned(value)[0]), delta=0.012)
        self.assertAlmostEqual(float(seen(tile=(4.5, 4.5))), float(self.toned(0.1)[0]), delta=0.012)

    def test_facings_turn_cards_as_they_say(self):
        def wide(look, camera=FRONT, **parts):
            layer = card({"picture": "full"} | look, tint=(9, 9, 9), size=1.0, **parts)
            frame = Timeline(effect(layer)).frame(1.0)
            pixels = self.renderer.picture(frame, view_of(camera, 64, 64), Shot(Stage(tone="filmic"), background="none"), 64, 64)
            lit = pixels[..., 3] > 128
            return int(lit.any(axis=0).sum()), int(lit.any(axis=1).sum())

        above = replace(FRONT, pitch=89.0)
        self.assertAlmostEqual(wide({})[1], wide({}, above)[1], delta=2)
        self.assertLess(wide({"facing": "upright"}, above)[1], 4)
        self.assertGreater(wide({"facing": "flat"}, above)[1], 15)
        self.assertLess(wide({"facing": "flat"})[1], 4)
        side = replace(FRONT, heading=90.0)
        self.assertLess(wide({"facing": "free"}, side)[0], 4)
        self.assertGreater(wide({"facing": "free"}, side, turn=(0.0, 90.0, 0.0))[0], 15)

    def test_a_pivot_stands_a_card_on_its_foot(self):
        layer = card({"picture": "full", "pivot": -1.0}, tint=(9, 9, 9), size=1.0)
        pixels = self.renderer.picture(
            Timeline(effect(layer)).frame(1.0), view_of(FRONT, 64, 64), Shot(Stage(tone="filmic"), background="none"), 64, 64
        )
        rows = np.flatnonzero((pixels[..., 3] > 128).any(axis=1))
        self.assertAlmostEqual(int(rows[-1]), 31, delta=1)

    def test_a_beam_and_a_ribbon_are_drawn_where_their_bands_are(self):
        beam = Beam(reach=(0.0, 0.0, 0.0), bow=(0.0, 0.0))
        level = replace(beam, reach=(1.2, 0.0, 0.0))
        layer = card({"picture": "full", "drawn_as": "beam", "beam": level}, tint=(9, 9, 9), size=0.3)
        pixels = self.renderer.picture(
            Timeline(effect(layer)).frame(1.0), view_of(FRONT, 64, 64), Shot(Stage(tone="filmic"), background="none"), 64, 64
        )
        lit = pixels[..., 3] > 128
        half = 64 / 2 / (4 * np.tan(np.radians(20)))
        self.assertAlmostEqual(int(lit.any(axis=0).sum()), 1.2 * half, delta=2)
        self.assertAlmostEqual(int(lit.any(axis=1).sum()), 0.3 * half, delta=2)
        ribbon = replace(
            layer, look=replace(layer.look, drawn_as="ribbon", ribbon=Ribbon(length=0.3)), birth=replace(layer.birth, speed=fixed(1.0))
        )
        pixels = self.renderer.picture(
            Timeline(effect(ribbon)).frame(0.5), view_of(FRONT, 64, 64), Shot(Stage(tone="filmic"), background="none"), 64, 64
        )
        rows = np.flatnonzero((pixels[..., 3] > 128).any(axis=1))
        self.assertAlmostEqual(len(rows), 0.3 * half, delta=2)
        self.assertEqual(self.context.error, "GL_NO_ERROR")

    def test_props_are_lit_and_hide_what_is_behind_them(self):
        prop = Prop(shape="box", place=(0.0, 2.0, 0.0), size=(1.0, 1.0, 1.0))
        behind = card({"picture": "full", "light": Light(casts=0.0)}, tint=(5.0, 5.0, 5.0), size=0.5, place=(0.0, 2.0, -1.5))
        before = card({"picture": "full"}, tint=(5.0, 5.0, 5.0), size=0.5, place=(0.0, 2.0, 1.0))
        middle = []
        for layer in (behind, before):
            stage = Stage(props=(prop,))
            frame = Timeline(effect(layer, stage=stage)).frame(1.0)
            shot = Shot(stage=stage, background="mid")
            middle.append(self.renderer.picture(frame, view_of(FRONT, 64, 64), shot, 64, 64)[32, 32, 0])
        self.assertLess(int(middle[0]), 160)
        self.assertGreater(int(middle[1]), 220)

    def test_the_frame_of_a_sheet_is_the_one_of_the_age(self):
        for time, value in ((0.5, 0.1), (1.5, 0.2), (2.5, 0.4), (3.5, 0.8)):
            layer = card({"picture": "quarters", "columns": 2, "rows": 2, "play": "by clock", "fps": 1.0}, tint=(1, 1, 1))
            frame = Timeline(effect(layer)).frame(int(time))
            shot = Shot(Stage(tone="filmic"), background="none", alpha="premultiplied")
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
            both = {n: np.repeat(getattr(one, n), 2, axis=0) for n in ("number", "age", "life", "velocity", "size", "angle", "frame")}
            made = dataclasses.replace(one, position=place, colour=tint, **both)
            pixels = self.renderer.picture(
                dataclasses.replace(frame, layers=(made,)), view_of(FRONT, 64, 64), Shot(Stage(tone="filmic"), background="none"), 64, 64
            )
            self.assertGreater(int(pixels[32, 32, 0]), 150)
            self.assertEqual(int(pixels[32, 32, 1]), 0)

    def test_the_ground_hides_what_is_below_it(self):
        below = card({"picture": "full"}, tint=(5.0, 5.0, 5.0), size=0.5, place=(0.0, -3.0, -2.0))
        empty = card({"picture": "full"}, opacity=0.0)
        seen = [
            self.renderer.picture(
                Timeline(effect(one)).frame(0.5), view_of(replace(FRONT, pitch=35.0), 64, 64), Shot(background="mid"), 64, 64
            ).astype(int)
            for one in (below, empty)
        ]
        self.assertLess(np.abs(seen[0] - seen[1]).mean(), 12.0)


class Sizes(unittest.TestCase):
    def test_the_demo_draws_at_half_size_like_the_whole(self):
        made, _ = load(SMALL_FIRE)
        frame = Timeline(made).frame(2.0)
        view = view_of(made.stage.cameras[0], 256, 144)
        with offscreen(Shelf(None).get) as renderer:
            whole, half = (renderer.picture(frame, view, Shot(scale=x), 256, 144).astype(float) for x in (1.0, 0.5))
        self.assertLess(np.abs(whole - half)[..., :3].mean(), 6.0)
        self.assertGreater(whole[..., :3].max(), 200)

    def test_pictures_that_no_effect_wears_any_longer_are_let_go_of(self):
        read = {}

        def fresh(name):
            return read.setdefault(name, np.ones((8, 8, 4), np.float32))

        worn, other = (Timeline(effect(card({"picture": name}))).frame(0.5) for name in ("ember", "ash"))
        with offscreen(fresh) as renderer:
            renderer.picture(worn, view_of(FRONT, 8, 8), Shot(), 8, 8)
            held = weakref.ref(read.pop("ember"))
            self.assertIsNotNone(held())
            for _ in range(500):
                last = renderer.picture(other, view_of(FRONT, 8, 8), Shot(), 8, 8)
        read.clear()
        self.assertIsNone(held())
        self.assertGreater(last[..., 0].max(), 30)

    def test_cards_of_the_library_are_held_as_long_as_anybody_holds_them(self):
        mine, names = library_picture("soft dot"), [name for name in cards() if name != "soft dot"]
        theirs = weakref.ref(library_picture(names[0]))
        for name in names[1:40]:
            library_picture(name)
        gc.collect()
        self.assertIsNone(theirs())
        self.assertIs(library_picture("soft dot"), mine)
