"""Variations differ and stay whole; what lies between two effects lies between them."""

import unittest

import numpy as np
from msgspec.structs import replace

from pale_ember import ASSETS
from pale_ember.core.effect.birth import Birth
from pale_ember.core.effect.edit import value_at, with_value
from pale_ember.core.effect.life import Life
from pale_ember.core.effect.look import Look
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.values import Curve, Range, between, curve, fixed, gradient, sample_keys
from pale_ember.core.variation.knobs import knobs_of
from pale_ember.core.variation.mix import mixed
from pale_ember.core.variation.nine import difference, nine
from pale_ember.core.variation.vary import Choice, varied
from pale_ember.formats.document import dumps, load, loads

DEMO = sorted((ASSETS / "demo").glob("*.pale"))
KILN = load(ASSETS / "demo" / "kiln-mouth.pale")[0]


def drawn_as_disc(frame, background, *camera):
    """A picture of nothing but where particles are, and how bright."""
    picture = np.zeros((36, 64, 4), np.uint8)
    for each in frame.layers:
        x = np.clip((each.position[:, 0] + 1.5) / 3 * 64, 0, 63).astype(int)
        y = np.clip((2.5 - each.position[:, 1]) / 3 * 36, 0, 35).astype(int)
        np.maximum.at(
            picture, (y, x), np.clip(np.concatenate([each.colour[:, :3], each.colour[:, 3:]], 1) * 200, 0, 255).astype(np.uint8)
        )
    return picture


class Varied(unittest.TestCase):
    def test_a_wild_one_is_a_document_as_good_as_any(self):
        rng = np.random.default_rng(1)
        for path in DEMO:
            effect = load(path)[0]
            for far in (0.0, 0.5, 1.0):
                made = varied(effect, Choice(), far, rng)
                again, notices = loads(dumps(made), path)
                self.assertEqual((again, notices), (made, []), path.name)
                self.assertEqual([layer.id for layer in made.layers], [layer.id for layer in effect.layers])

    def test_only_what_may_change_does(self):
        rng = np.random.default_rng(2)
        one = KILN.layers[0].id
        made = varied(KILN, Choice(layers=[one], chapters=("birth",), kinds=("shape",)), 0.6, rng)
        self.assertEqual(made.seed, KILN.seed)
        self.assertEqual(made.layers[1:], KILN.layers[1:])
        before, after = KILN.layers[0], made.layers[0]
        self.assertNotEqual(before.birth, after.birth)
        self.assertEqual(replace(after, birth=before.birth), before)
        self.assertEqual(before.birth.tint, after.birth.tint, "colours are a matter of hue")
        path = ("birth", "lifetime")
        made = varied(KILN, Choice(layers=[one], paths=[path], kinds=("shape",)), 0.6, rng)
        self.assertEqual(with_value(made, ("layers", 0, *path), before.birth.lifetime), KILN)
        self.assertNotEqual(value_at(made.layers[0], path), before.birth.lifetime)
        locked = with_value(KILN, ("layers", 0, "locked"), True)
        self.assertEqual(varied(locked, Choice(kinds=("shape", "hue")), 1.0, rng).layers[0], locked.layers[0])
        dice = varied(KILN, Choice(kinds=("seed",)), 1.0, rng)
        self.assertEqual(replace(dice, seed=KILN.seed), KILN)
        self.assertNotEqual(dice.seed, KILN.seed)
        self.assertEqual(varied(replace(KILN, seed_kept=True), Choice(kinds=("seed",)), 1.0, rng).seed, KILN.seed)

    def test_the_wilder_the_farther_and_nothing_comes_of_nothing(self):
        rng = np.random.default_rng(3)
        layer = KILN.layers[0]
        ways = [
            knob.path for knob in knobs_of(layer) if isinstance(knob.value, Range) and knob.value.middle > 0 and knob.field.unit != "°"
        ]

        def moved(far):
            made = [varied(KILN, Choice(kinds=("shape",)), far, rng).layers[0] for _ in range(12)]
            return np.mean([abs(np.log(value_at(each, way).middle / value_at(layer, way).middle)) for each in made for way in ways])

        near, some, wild = (moved(far) for far in (0.0, 0.5, 1.0))
        self.assertLess(near, 0.06)
        self.assertTrue(near < some < wild)
        self.assertGreater(wild, 0.3)
        none = KILN.layers[0].forces
        made = varied(KILN, Choice(kinds=("shape",)), 1.0, rng).layers[0].forces
        for name in ("turbulence", "drag", "wind"):
            if not np.any(getattr(none, name)):
                self.assertEqual(getattr(made, name), getattr(none, name))

    def test_nine_differ_and_none_has_a_new_fault(self):
        told = list(nine(KILN, drawn_as_disc, choice=Choice(), far=0.5, seed=4, moment=1.0, frames=2))
        last = {each.place: each for each in told}
        self.assertEqual(sorted(last), list(range(9)))
        self.assertEqual([each.place for each in told[:9]], list(range(9)), "first each with its picture at the moment")
        self.assertTrue(all(len(each.pictures) == 3 for each in last.values()))
        pictures = [each.pictures[0] for each in last.values()]
        least = min(difference(a, b) for i, a in enumerate(pictures) for b in pictures[:i])
        self.assertGreater(least, 0.02)


class Mixed(unittest.TestCase):
    def setUp(self):
        self.one = Layer(
            id="00000000000000aa",
            birth=Birth(size=between(0.1, 0.2), lifetime=fixed(1.0)),
            life=Life(size=curve((0, 0), (0.5, 1), (1, 0)), colour=gradient((0, (1.0, 0.0, 0.0)), (1, (0.0, 0.0, 0.0)))),
        )
        self.other = replace(
            self.one,
            birth=Birth(size=between(0.3, 0.6), lifetime=fixed(3.0)),
            look=Look(blend="alpha"),
            life=Life(
                size=curve((0, 1), (0.2, 0.4), (0.6, 0.8), (1, 0)),
                colour=gradient((0, (0.0, 0.0, 1.0)), (0.5, (0.5, 0.5, 0.5)), (1, (0.0, 1.0, 0.0))),
            ),
        )

    def test_numbers_curves_and_colours_lie_between(self):
        pair = Effect(layers=(self.one,), duration=2.0), Effect(layers=(self.other,), duration=4.0)
        for share in (0.25, 0.5, 0.8):
            made, said = mixed(*pair, share)
            layer = made.layers[0]
            self.assertAlmostEqual(made.duration, 2.0 + 2.0 * share)
            self.assertAlmostEqual(layer.birth.size.low, 0.1 + 0.2 * share)
            self.assertAlmostEqual(layer.birth.lifetime.high, 1.0 + 2.0 * share)
            ages = np.linspace(0, 1, 41)
            wanted = (1 - share) * sample_keys(self.one.life.size.keys, ages) + share * sample_keys(self.other.life.size.keys, ages)
            np.testing.assert_allclose(sample_keys(layer.life.size.keys, ages), wanted, atol=0.01)
            self.assertLess(len(layer.life.size.keys), 12)
            wanted = (1 - share) * self.one.life.colour.at(ages) + share * self.other.life.colour.at(ages)
            np.testing.assert_allclose(layer.life.colour.at(ages), wanted, atol=1e-6)
            self.assertEqual(layer.look.blend, self.one.look.blend if share < 0.5 else "alpha")
            self.assertEqual([text for text in said if "blend" in text], ["layer, blend"])

    def test_its_ends_are_the_two_and_what_only_one_has_is_told(self):
        one, other = Effect(layers=(self.one,)), Effect(layers=(self.other, replace(self.one, id="00000000000000bb", name="more")))
        self.assertEqual(mixed(one, other, 0.0), (one, []))
        self.assertEqual(mixed(one, other, 1.0), (other, []))
        few, said = mixed(one, other, 0.4)
        self.assertEqual((len(few.layers), [text for text in said if "only" in text]), (1, ["more: only in one"]))
        self.assertEqual(len(mixed(one, other, 0.6)[0].layers), 2)

    def test_what_jumps_is_changed_at_the_middle(self):
        steps = Curve(keys=tuple(replace(key, ease="stepped") for key in curve((0, 0), (0.5, 1), (1, 0)).keys))
        one, other = (Effect(layers=(replace(self.one, life=Life(size=each)),)) for each in (steps, self.one.life.size))
        self.assertEqual(mixed(one, other, 0.4)[0].layers[0].life.size, steps)
        self.assertEqual(mixed(one, other, 0.4)[1], ["layer, size"])
