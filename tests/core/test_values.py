"""Curves, edits, cards, sentences."""

import itertools
import unittest

import numpy as np
from msgspec.structs import replace
from scipy.interpolate import PchipInterpolator
from scipy.ndimage import gaussian_filter1d

from pale_ember.core.effect import edit
from pale_ember.core.effect.chapters import CHAPTERS
from pale_ember.core.effect.curves import (
    fitted,
    from_numbers,
    mirrored,
    repeated,
    scaled,
    shifted,
    simplified,
    smoothed,
    stretched,
    upside_down,
    with_band,
    with_key,
    with_moved,
)
from pale_ember.core.effect.fields import fields_of, why_idle
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.starting_points import STARTS, started
from pale_ember.core.effect.values import Curve, Key, Range, Slope, curve, fixed, from_lab, gradient, sample_keys, to_lab
from pale_ember.core.insight.sentences import sentence
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.texture.library import PICTURES
from pale_ember.core.texture.library_recipes import cards
from pale_ember.core.texture.palettes import along, from_text
from pale_ember.core.texture.recipes.cut import frame_in
from pale_ember.core.texture.recipes.paint import Painter
from pale_ember.core.words.arithmetic import NotANumber, sides_from
from pale_ember.formats.pictures import library_picture
from tests.examples import Birth, Burst, Forces, Life, Look, Outlet, drip, effect


class Curves(unittest.TestCase):
    def test_a_smooth_curve_is_pchip_inside_and_stays_within_its_keys(self):
        keys = curve((0, 0), (0.2, 1.0), (0.5, 1.4), (0.6, 1.5), (1, 0.2)).keys
        truth = PchipInterpolator([k.at for k in keys], [k.value for k in keys])
        ages = np.linspace(0.2, 0.6, 50)
        np.testing.assert_allclose(sample_keys(keys, ages), truth(ages), atol=1e-12)
        whole = sample_keys(keys, np.linspace(0, 1, 500))
        self.assertTrue(whole.min() >= 0 and whole.max() <= 1.5)

    def test_straight_keys_make_straight_lines_and_gradients_too(self):
        keys = curve((0, 1), (0.5, 3), (1, 0), ease="straight").keys
        ages = np.linspace(0, 1, 99)
        np.testing.assert_allclose(sample_keys(keys, ages), np.interp(ages, [0, 0.5, 1], [1, 3, 0]), atol=1e-12)
        table = gradient((0, (1.0, 0.0, 8.0)), (1, (0.0, 2.0, 0.0))).table()
        np.testing.assert_allclose(table[0], [1, 0, 8])
        np.testing.assert_allclose(table[-1], [0, 2, 0])

    def test_keys_stay_sorted_and_never_share_an_age(self):
        keys = curve((0, 0), (1, 1)).keys
        rng = np.random.default_rng(3)
        for at in [0.0, 1.0, 0.5, 0.5, 0.5, *rng.random(40)]:
            keys = with_key(keys, Key(at=float(at), value=0.3))
            i = int(rng.integers(len(keys)))
            keys = with_moved(keys, i, float(rng.random()))
            ages = np.array([key.at for key in keys])
            self.assertTrue((np.diff(ages) > 0).all() and ages[0] >= 0 and ages[-1] <= 1)


class Edits(unittest.TestCase):
    def test_an_edit_shares_what_it_does_not_touch(self):
        made = effect(started("flame"), started("smoke"))
        after = edit.with_value(made, ("layers", 1, "birth", "aspect"), 2.0)
        self.assertIs(after.layers[0], made.layers[0])
        self.assertIs(after.layers[1].look, made.layers[1].look)
        self.assertEqual((made.layers[1].birth.aspect, after.layers[1].birth.aspect), (1.0, 2.0))

    def test_names_and_ids_of_copies_are_their_own(self):
        made = effect(started("flame"))
        for _ in range(3):
            made, _ = edit.duplicated(made, made.layers[0].id)
        self.assertEqual(len({layer.id for layer in made.layers}), 4)
        self.assertEqual(len({layer.name for layer in made.layers}), 4)

    def test_a_field_without_effect_says_why(self):
        wind = fields_of(Forces)["wind"].field
        need = why_idle(wind, drip())
        self.assertIn("drag", need.reason)
        self.assertEqual(need.path, ("forces", "drag"))
        self.assertIsNone(why_idle(wind, drip(forces=Forces(drag=1.0))))

    def test_every_field_is_declared_in_full(self):
        for kind in (Effect, Layer, *(fields_of(Layer)[name].type for name in CHAPTERS)):
            for name, declared in fields_of(kind).items():
                self.assertTrue(declared.field.label and declared.field.help, name)
                if isinstance(declared.default, float):
                    self.assertGreaterEqual(declared.default, declared.field.least or -np.inf)


class Turned(unittest.TestCase):
    def test_a_mirrored_curve_is_the_same_from_the_other_side(self):
        dice = np.random.default_rng(5)
        x = np.linspace(0.0, 1.0, 801)
        for _ in range(60):
            at = np.unique(np.round([0.0, *dice.uniform(0.02, 0.98, dice.integers(0, 5)), 1.0], 3))
            eases = dice.choice(("smooth", "straight", "stepped", "handles"), len(at))
            rows = zip(at.tolist(), eases.tolist(), *dice.normal(0.5, 1, (3, len(at))).tolist(), strict=True)
            made = Curve(keys=tuple(Key(at=a, ease=e, value=v, slope=Slope(before=s, after=t)) for a, e, v, s, t in rows))
            turned = mirrored(made)
            self.assertTrue(all(a.at < b.at for a, b in itertools.pairwise(turned.keys)))
            near_a_jump = (np.abs(x[:, None] - 1 + at[None]) < 0.003).any(axis=1)
            both = sample_keys(turned.keys, x), sample_keys(made.keys, 1 - x)
            np.testing.assert_allclose(both[0][~near_a_jump], both[1][~near_a_jump], atol=0.01)

    def test_the_algebra_of_curves_is_that_of_what_they_draw(self):
        x = np.linspace(0.0, 1.0, 501)
        made = Curve(
            keys=(
                Key(at=0.0, value=0.2),
                Key(at=0.3, value=1.4, ease="handles", slope=Slope(before=2.0, after=-1.0), band=0.2),
                Key(at=0.6, value=0.5, ease="straight"),
                Key(at=1.0, value=0.2),
            )
        )
        drawn = sample_keys(made.keys, x)
        np.testing.assert_allclose(sample_keys(scaled(made, -1.5, 0.4).keys, x), 0.4 - 1.5 * (drawn - 0.4), atol=1e-9)
        self.assertAlmostEqual(scaled(made, -1.5).keys[1].band, 0.3)
        np.testing.assert_allclose(sample_keys(upside_down(made).keys, x), 1.6 - drawn, atol=1e-9)
        thrice = repeated(made, 3)
        inside = np.abs((3 * x) % 1 - 0.5) < 0.4
        np.testing.assert_allclose(sample_keys(thrice.keys, x[inside]), sample_keys(made.keys, (3 * x[inside]) % 1), atol=0.03)
        leaping = repeated(curve((0, 0), (1, 1), ease="straight"), 4)
        self.assertTrue(all(b.at - a.at >= 0.99e-4 for a, b in itertools.pairwise(leaping.keys)) and leaping.keys[-1].at <= 1)
        self.assertEqual({key.band for key in with_band(made, 0.3).keys}, {0.3})

    def test_keys_moved_and_stretched_together_never_cross_nor_leave_the_axis(self):
        dice = np.random.default_rng(7)
        for _ in range(200):
            at = np.sort(dice.choice(np.arange(0, 1001), dice.integers(2, 8), replace=False)) / 1000
            points = tuple(Key(at=float(a)) for a in at)
            chosen = set(dice.choice(len(at), dice.integers(1, len(at) + 1), replace=False).tolist())
            by, about, factor = dice.normal(0, 0.5), float(dice.choice(at)), dice.normal(1, 2)
            for made in (shifted(points, chosen, by), stretched(points, chosen, about, factor)):
                ages = [key.at for key in made]
                self.assertTrue(all(b - a > 0 for a, b in itertools.pairwise(ages)), (at, chosen, by, about, factor))
                self.assertTrue(ages[0] >= 0 and ages[-1] <= 1)
                self.assertTrue(all(made[i] is points[i] for i in range(len(at)) if i not in chosen))
        inside = tuple(Key(at=a) for a in (0.0, 0.4, 0.6, 1.0))
        self.assertEqual([key.at for key in shifted(inside, {1, 2}, 0.1)], [0.0, 0.5, 0.7, 1.0])
        self.assertEqual([key.at for key in stretched(inside, {1, 2}, 0.4, 1.5)], [0.0, 0.4, 0.7, 1.0])

    def test_gradients_mix_straight_or_evenly_to_the_eye(self):
        two = gradient((0, (1.0, 0.0, 0.0)), (1, (0.0, 0.0, 1.0)))
        seen = replace(two, between="perceptual")
        np.testing.assert_allclose(two.at(np.array([0.5]))[0], (0.5, 0.0, 0.5))
        ages = np.linspace(0, 1, 21)
        np.testing.assert_allclose(seen.at(ages)[[0, -1]], [(1, 0, 0), (0, 0, 1)], atol=2e-4)
        light = to_lab(seen.at(np.linspace(0, 1, 5)))[:, 0]
        np.testing.assert_allclose(np.diff(light), np.diff(light)[0], atol=0.02)
        # The published examples: X, Y, Z of D65 white and of 1, 0, 0 (in linear sRGB) have lightness 1 and 0.45.
        self.assertAlmostEqual(float(to_lab(np.ones((1, 3)))[0, 0]), 1.0, places=3)
        self.assertAlmostEqual(float(to_lab(np.array([[0.0, 0.0, 1.0]]))[0, 0]), 0.452, places=3)
        bright = np.array([[12.0, 0.5, 3.0]])
        np.testing.assert_allclose(from_lab(to_lab(bright)), bright, rtol=1e-5)

    def test_colours_are_read_from_svg_lists_and_pictures(self):
        svg = (
            '<svg xmlns="http://www.w3.org/2000/svg"><linearGradient id="a"><stop offset="0%" style="stop-color: #ff0000"/>'
            '<stop offset="50%" stop-color="#0f0"/><stop offset="1" stop-color="#0000ff"/></linearGradient></svg>'
        )
        made = from_text(svg)
        self.assertEqual([stop.at for stop in made.stops], [0.0, 0.5, 1.0])
        self.assertEqual(made.stops[1].colour, (0.0, 1.0, 0.0))
        self.assertEqual([stop.at for stop in from_text("255 0 0 red\n0 0 0\n").stops], [0.0, 1.0])
        self.assertEqual(len(from_text("#fff, #000 #123456").stops), 3)
        for text in ("", "#fff", "<svg><stop", "<!DOCTYPE x><svg><stop/></svg>", "300 1 1\n2 2 2", "12 13"):
            self.assertIsNone(from_text(text), text)
        ages = np.linspace(0, 1, 256)
        painted = np.zeros((8, 256, 3))
        painted[2] = gradient((0, (1.0, 0.8, 0.1)), (0.3, (0.5, 0.1, 0.0)), (1, (0.0, 0.0, 0.2))).at(ages)
        found = along(painted, (0.0, 2 / 7), (1.0, 2 / 7))
        self.assertLessEqual(len(found.stops), 6)
        np.testing.assert_allclose(found.at(ages), painted[2], atol=0.03)

    def test_a_curve_is_fitted_through_points_with_few_keys(self):
        x = np.linspace(0.0, 1.0, 201)
        for shape, most in ((lambda t: t**3 - t, 2), (lambda t: np.sin(6 * t), 6), (lambda t: np.exp(-5 * t), 4)):
            made = fitted(x, shape(x), 0.01)
            self.assertLessEqual(len(made.keys), most)
            self.assertLessEqual(float(np.abs(sample_keys(made.keys, x) - shape(x)).max()), 0.0101)
        self.assertEqual(len(fitted(x[:1], x[:1], 0.1).keys), 1)
        many = Curve(keys=tuple(Key(at=t, value=float(np.sin(3 * t)), band=0.1 * t) for t in np.linspace(0, 1, 40).tolist()))
        few = simplified(many)
        self.assertLess(len(few.keys), 6)
        np.testing.assert_allclose(sample_keys(few.keys, x), sample_keys(many.keys, x), atol=0.011)
        self.assertAlmostEqual(few.keys[-1].band, 0.1)
        rough = np.sin(3 * x) + 0.1 * np.random.default_rng(3).normal(size=201)
        even = smoothed(Curve(keys=tuple(Key(at=a, value=v, ease="straight") for a, v in zip(x.tolist(), rough.tolist(), strict=True))))
        bell = gaussian_filter1d(np.interp(np.linspace(0, 1, 2001), x, rough), 0.04 * 2000, mode="nearest")
        middle = (x > 0.15) & (x < 0.85)
        np.testing.assert_allclose(sample_keys(even.keys, x)[middle], np.interp(x, np.linspace(0, 1, 2001), bell)[middle], atol=0.03)

    def test_numbers_pasted_become_a_curve(self):
        def told(text):
            return [(round(key.at, 6), key.value) for key in from_numbers(text).keys]

        self.assertEqual(told("0 0.5 1"), [(0.0, 0.0), (0.5, 0.5), (1.0, 1.0)])
        self.assertEqual(told("0; 1\n0.25; 2\n1; 0"), [(0.0, 1.0), (0.25, 2.0), (1.0, 0.0)])
        self.assertEqual(told("10\t1\n12\t3\n20\t0"), [(0.0, 1.0), (0.2, 3.0), (1.0, 0.0)])
        self.assertLess(len(from_numbers(" ".join(str(i / 500) for i in range(501))).keys), 4)
        for nothing in ("", "ember", "1", "nan 2", "1 2 x"):
            self.assertIsNone(from_numbers(nothing))

    def test_a_stepped_key_jumps_where_it_stands(self):
        jump = Curve(keys=(Key(at=0.0, value=1.0, ease="stepped"), Key(at=0.3003, value=3.0)))
        banded = Curve(keys=(Key(at=0.0, value=1.0, ease="stepped"), Key(at=0.3003, value=3.0, band=1e-9)))
        for curve_ in (jump, banded):
            layer = drip(
                outlet=Outlet(rate=fixed(4000.0), limit=9000),
                birth=Birth(lifetime=fixed(1.0), size=fixed(1.0)),
                life=Life(opacity=None, size=curve_),
            )
            one = Timeline(effect(layer)).frame(1.0).layers[0]
            np.testing.assert_allclose(one.size[:, 0], np.where(one.age >= np.float32(0.3003), 3.0, 1.0), atol=1e-5)

    def test_frames_are_chosen_from_a_list(self):
        layer = drip(
            outlet=Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(60)),)),
            birth=Birth(lifetime=fixed(9.0), frame=Range(choices=(2.0, 5.0))),
            look=Look(columns=4, rows=4, play="by clock", fps=0.0),
        )
        self.assertEqual(sorted(set(np.floor(Timeline(effect(layer)).frame(1.0).layers[0].frame).tolist())), [2.0, 5.0])


class Sentences(unittest.TestCase):
    def test_each_chapter_of_each_start_is_told(self):
        for name in STARTS:
            layer = started(name)
            for chapter in CHAPTERS:
                text = sentence(chapter, effect(layer), layer)
                self.assertTrue((text.endswith(".") and text[0].isupper()) or text[0].isdigit(), text)
                self.assertNotIn("None", text)

    def test_a_lane_that_is_flat_is_told_by_its_value_unless_that_is_one(self):
        for value, told in ((1.0, "keeps its brightness,"), (2.0, "keeps its brightness at 2,")):
            layer = drip(life=Life(brightness=curve((0, value), (1, value))))
            self.assertIn(told, sentence("life", effect(layer), layer).replace("Keeps", "keeps"))

    def test_the_outlet_tells_its_numbers(self):
        layer = drip(outlet=Outlet(rate=42.0, radius=0.3, spread=12.0))
        self.assertEqual(sentence("outlet", effect(layer), layer), "42 a second from a disc of radius 0.3 m, upward ±12°.")


class Sides(unittest.TestCase):
    def test_a_width_and_a_height_are_a_range_and_a_share(self):
        for said, told in (("0.05 × 0.1", (0.05, 0.05, 2.0)), ("5 x 10 cm", (0.05, 0.05, 2.0)), ("0.3 – 0.6 × 0.9", (0.3, 0.6, 2.0))):
            np.testing.assert_allclose(sides_from(said, "m", 1.0), told, err_msg=said)
        self.assertIsNone(sides_from("0.3 – 0.6", "m", 1.0))
        with self.assertRaisesRegex(NotANumber, "no height"):
            sides_from("0 × 2", "m", 1.0)


class Cards(unittest.TestCase):
    def test_shipped_cards_are_what_the_code_paints(self):
        painter = Painter(library_picture)
        for name, card in cards().items():
            recipe = card.recipe
            for index in {0, recipe.frames - 1} if recipe.gas is None else ():
                shipped, painted = frame_in(library_picture(name), recipe, index), painter.frame(recipe, index)
                np.testing.assert_allclose(shipped[..., 3], painted[..., 3], atol=0.012, err_msg=name)
                light = [each[..., :3] * each[..., 3:] for each in (shipped, painted)]
                np.testing.assert_allclose(*light, atol=0.02, err_msg=name)

    def test_cards_to_be_tiled_meet_themselves(self):
        for name in ("clouds", "cells"):
            light = library_picture(name)[..., 0]
            inner = np.abs(np.diff(light, axis=0)).mean()
            self.assertLess(np.abs(light[0] - light[-1]).mean(), 3 * inner, name)
            self.assertLess(np.abs(light[:, 0] - light[:, -1]).mean(), 3 * inner, name)

    def test_no_frame_of_a_sheet_touches_its_edge(self):
        for one in PICTURES.values():
            if one.whole:
                continue
            alpha = library_picture(one.name)[..., 3]
            size = alpha.shape[0] // one.rows
            for row in range(one.rows):
                for column in range(one.columns):
                    cell = alpha[row * size : (row + 1) * size, column * size : (column + 1) * size]
                    rim = max(cell[0].max(), cell[-1].max(), cell[:, 0].max(), cell[:, -1].max())
                    self.assertLess(rim, 0.02, f"{one.name} {row} {column}")
