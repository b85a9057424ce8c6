"""What pictures tell of themselves, their channels, and the library's cards."""

import unittest

import numpy as np

from pale_ember.core.geometry.mesh import solid
from pale_ember.core.simulate.turbulence_field import eddies
from pale_ember.core.texture.advice import advise, advised_size, guess_grid
from pale_ember.core.texture.heat import COOLEST, black_body, cooling, tristimulus
from pale_ember.core.texture.library import PICTURES
from pale_ember.core.texture.light import channel_of, chosen, to_coded, to_linear
from pale_ember.core.texture.mips import fitted
from pale_ember.formats.pictures import library_picture
from pale_ember.formats.shelf import Shelf


def on_black(pixels):
    """The same picture without a cover of its own."""
    made = pixels.copy()
    made[..., :3] *= made[..., 3:]
    made[..., 3] = 1.0
    return made


class Shared(unittest.TestCase):
    def test_what_is_shared_cannot_be_written(self):
        for array in (
            library_picture("soft dot"),
            eddies(),
            solid("cylinder").points,
            solid("cylinder").faces,
            Shelf(None).get("lost.png"),
        ):
            with self.assertRaises(ValueError):
                array[0] = 0


class Advice(unittest.TestCase):
    def test_the_grid_of_every_card_is_found_with_and_without_its_cover(self):
        for name, one in PICTURES.items():
            if one.whole and one.columns > 1:
                # What covers wholly has no gaps to be told by.
                continue
            for pixels in (library_picture(name), on_black(library_picture(name))):
                self.assertEqual(guess_grid(pixels), (one.columns, one.rows), name)

    def test_a_sheet_without_gaps_is_told_by_how_alike_its_frames_are(self):
        rng = np.random.default_rng(3)
        y, x = np.mgrid[0:32, 0:32] / 32
        # A wave that does not meet itself at the frame's edges and travels a little from frame to frame.
        frames = [0.5 + 0.4 * np.sin(4.3 * x + 2.9 * y + 0.1 * i) for i in range(16)]
        sheet = np.concatenate([np.concatenate(frames[i : i + 4], axis=1) for i in range(0, 16, 4)], axis=0)
        pixels = np.dstack([sheet, sheet, sheet, np.ones_like(sheet)]).astype(np.float32)
        self.assertEqual(guess_grid(pixels), (4, 4))
        noise = rng.random((128, 128))
        self.assertEqual(guess_grid(np.dstack([noise] * 3 + [np.ones_like(noise)]).astype(np.float32)), (1, 1))
        self.assertEqual(guess_grid(np.zeros((16, 16, 4), np.float32)), (1, 1))

    def test_a_large_sheet_is_judged_like_a_small_one(self):
        large = np.kron(library_picture("smoke puffs"), np.ones((4, 4, 1), np.float32))
        self.assertEqual(guess_grid(large), (4, 4))
        self.assertEqual(advise(on_black(large)).blend, "additive")

    def test_the_blend_follows_cover_and_ground(self):
        self.assertEqual(advise(library_picture("smoke puffs")).blend, "alpha")
        self.assertEqual(advise(on_black(library_picture("spark"))).blend, "additive")
        white = on_black(library_picture("spark"))
        white[..., :3] = 1 - white[..., :3]
        self.assertEqual(advise(white).blend, "multiply")
        grey = np.full((16, 16, 4), 0.4, np.float32)
        grey[..., 3] = 1
        self.assertIn("square", advise(grey).why)

    def test_sizes_are_advised_both_ways_and_not_where_they_are_right(self):
        self.assertIn("64 would look the same", advised_size(0.3, 1024))
        self.assertIn("will look soft", advised_size(6.0, 64))
        self.assertEqual(advised_size(0.6, 128), "")


class Heat(unittest.TestCase):
    def test_a_black_body_has_the_published_colour(self):
        # CIE standard illuminant A, and the Planckian locus (Wyszecki and Stiles, Color Science, table 1(3.11)).
        for kelvin, place in ((2000, (0.5267, 0.4133)), (2856, (0.4476, 0.4074)), (6500, (0.3135, 0.3236)), (10000, (0.2807, 0.2884))):
            seen = tristimulus(kelvin)
            np.testing.assert_allclose(seen[:2] / seen.sum(), place, atol=0.004)
        self.assertEqual(max(black_body(1200)), 1.0)
        self.assertEqual(black_body(-5.0), black_body(COOLEST))
        colours = [stop.colour for stop in cooling(6500, 1000).stops]
        self.assertEqual((colours[0], colours[-1]), (black_body(6500), black_body(1000)))
        blue = [colour[2] for colour in colours]
        self.assertEqual(blue, sorted(blue, reverse=True))


class Fitted(unittest.TestCase):
    def test_a_slope_at_another_size_is_the_same_slope(self):
        y, x = np.mgrid[0:20, 0:30].astype(np.float32)
        slope = np.dstack([0.1 + 0.02 * x, 0.1 + 0.03 * y, 0.0 * x + 0.4, 0.0 * x + 1.0])
        told = fitted(slope, 24, 17)
        down, right = (np.arange(17) + 0.5) * 20 / 17 - 0.5, (np.arange(24) + 0.5) * 30 / 24 - 0.5
        inner = np.s_[1:-1, 1:-1]
        np.testing.assert_allclose(told[..., 0][inner], np.tile(0.1 + 0.02 * right, (17, 1))[inner], atol=1e-5)
        np.testing.assert_allclose(told[..., 1][inner], np.tile(0.1 + 0.03 * down, (24, 1)).T[inner], atol=1e-5)
        empty = np.dstack([slope[..., :3], np.zeros((20, 30), np.float32)])
        np.testing.assert_allclose(fitted(empty, 24, 17)[-1, -1, :3], slope[-1, -1, :3], err_msg="the colour of what does not cover")
        np.testing.assert_allclose(told[..., 2:], np.tile((0.4, 1.0), (17, 24, 1)), atol=1e-6)


class Channels(unittest.TestCase):
    def test_codes_and_light_are_each_others_inverse(self):
        values = np.linspace(0, 1, 257)
        np.testing.assert_allclose(to_coded(to_linear(values)), values, atol=1e-9)

    def test_a_channel_is_what_the_artist_sees_in_it(self):
        pixels = np.zeros((2, 2, 4), np.float32)
        pixels[..., :3] = to_linear(np.array([0.2, 0.5, 0.9]))
        pixels[..., 3] = 0.3
        for name, value in (("red", 0.2), ("green", 0.5), ("blue", 0.9), ("alpha", 0.3)):
            np.testing.assert_allclose(channel_of(pixels, name), value, atol=1e-6)
            made = chosen(pixels, name, True)
            np.testing.assert_allclose(made[0, 0], [1, 1, 1, 1 - value], atol=1e-6)
        self.assertIs(chosen(pixels, "all", False), pixels)
        turned = chosen(chosen(pixels, "all", True), "all", True)
        np.testing.assert_allclose(turned, pixels, atol=1e-5)


class Cards(unittest.TestCase):
    def test_cards_are_whole_pictures_that_fade_before_their_edges(self):
        for name, one in PICTURES.items():
            pixels = library_picture(name)
            self.assertTrue(np.isfinite(pixels).all())
            self.assertEqual((pixels.shape[0] % one.rows, pixels.shape[1] % one.columns), (0, 0), name)
            cover = pixels[..., 3] * pixels[..., :3].max(axis=2)
            # Earth is dark: what covers counts as much as what shines.
            self.assertGreater(float(cover.max()), 0.1, name)
            self.assertGreater(float(pixels[..., 3].max()), 0.5, name)
            if not one.whole:
                rim = np.concatenate([cover[0], cover[-1], cover[:, 0], cover[:, -1]])
                self.assertLess(float(rim.max()), 0.05, name)

    def test_what_is_tiled_meets_itself_at_its_edges(self):
        for name in ("clouds", "cells"):
            light = library_picture(name)[..., 0]
            inner = np.abs(np.diff(light, axis=1)).mean()
            self.assertLess(float(np.abs(light[:, 0] - light[:, -1]).mean()), 2.5 * float(inner))
            self.assertLess(float(np.abs(light[0] - light[-1]).mean()), 2.5 * float(inner))
