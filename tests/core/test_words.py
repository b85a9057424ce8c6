"""One grammar: a line of wishes gets what it means, and every sentence is read back as it was told."""

import unittest
from pathlib import Path

from msgspec.structs import replace

from pale_ember.core.effect import edit
from pale_ember.core.effect.edit import with_value
from pale_ember.core.effect.fields import Part, fields_of
from pale_ember.core.effect.hours import at_hour
from pale_ember.core.effect.model import Effect, Layer, Stage
from pale_ember.core.effect.starting_points import STARTS
from pale_ember.core.effect.values import Curve, Gradient, Range, Tints
from pale_ember.core.insight.colours import colour_said, colour_told
from pale_ember.core.insight.sentences import TOLD, plainly
from pale_ember.core.words.scene import Scene
from pale_ember.core.words.wishes import done, understood
from pale_ember.core.words.writing import story_told, story_written, written
from pale_ember.formats.document import load
from pale_ember.studio.kit.saved_items import starts_by_word
from pale_ember.studio.shell.files import demo_effects
from tests.examples import SMALL_FIRE

EMPTY = edit.fresh(STARTS["empty"].make())[0]
BASE = Effect(layers=(EMPTY, replace(edit.fresh(STARTS["empty"].make())[0], name="ember")))
SCENE = Scene(BASE, (EMPTY.id,), starts=starts_by_word())


def told(value):
    if isinstance(value, Range):
        return f"{value.low:g}" if value.fixed and not value.choices else f"{value.low:g}-{value.high:g}"
    if isinstance(value, Curve):
        return " ".join(f"{key.at:g}:{key.value:g}" for key in value.keys)
    if isinstance(value, Gradient):
        return " ".join(f"{stop.at:g}:{colour_told(stop.colour)}" for stop in value.stops)
    if isinstance(value, Tints):
        return f"{colour_told(value.first)}/{colour_told(value.second)}"
    if isinstance(value, tuple) and value and isinstance(value[0], Part):
        last = value[-1]
        strength, count = (told(getattr(last, name)) if getattr(last, name, "") else "" for name in ("strength", "count"))
        kind = getattr(last, "kind", "") or type(last).__name__
        return f"({len(value)} {kind} {strength}{count} {getattr(last, 'when', '')})"
    if isinstance(value, tuple):
        return "(" + " ".join(f"{part:g}" if isinstance(part, (int, float)) else str(part) for part in value) + ")"
    return f"{value:g}" if isinstance(value, float) else str(value)


def differing(before, after, path=""):
    """What differs, as `path=value`."""
    if before == after:
        return []
    if path == ".layers":
        pairs = zip(before, after, strict=False)
        within = [each for i, pair in enumerate(pairs) for each in differing(*pair, "" if i == 0 else f"[{i}]")]
        return [*within, *(f"+{layer.name}" for layer in after[len(before) :])]
    if isinstance(before, Part) and not isinstance(before, (Range, Curve, Gradient, Tints)) and type(before) is type(after):
        names = fields_of(type(before))
        return [each for name in names for each in differing(getattr(before, name), getattr(after, name), f"{path}.{name}")]
    return [f"{path.lstrip('.')}={told(after)}"]


class Wishes(unittest.TestCase):
    def test_an_hour_is_the_light_of_the_stage_and_leaves_what_stands_there(self):
        for said, hour in (("dusk", "dusk"), ("at night", "night"), ("noon", "grey noon"), ("in the light of grey noon", "grey noon")):
            made = done(understood(said, SCENE), SCENE)
            self.assertEqual(made, replace(BASE, stage=at_hour(BASE.stage, hour)), said)
            self.assertEqual(
                (made.stage.props, made.stage.cameras, made.stage.wet), (BASE.stage.props, BASE.stage.cameras, BASE.stage.wet)
            )

    def test_what_artists_say_gets_what_they_mean(self):
        lines = (Path(__file__).parent / "phrases.txt").read_text().splitlines()
        self.assertGreater(len(lines), 190)
        for line in lines:
            said, _, wanted = line.partition(" => ")
            pieces = understood(said, SCENE)
            self.assertEqual([said[each.begin : each.end] for each in pieces if not each.senses], [], said)
            self.assertEqual("; ".join(differing(BASE, done(pieces, SCENE))), wanted, said)

    def test_what_is_not_understood_is_told_and_the_rest_done(self):
        pieces = understood("pink elephants, rate 20, zwrkl 4", SCENE)
        line = "pink elephants, rate 20, zwrkl 4"
        self.assertEqual([line[each.begin : each.end] for each in pieces if not each.senses], ["pink elephants", "zwrkl 4"])
        self.assertEqual(differing(BASE, done(pieces, SCENE)), ["outlet.rate=20"])

    def test_homonyms_have_senses_and_what_was_touched_last_comes_first(self):
        pieces = understood("length 1", SCENE)
        paths = [wish.path for wish in pieces[0].senses]
        self.assertEqual(paths[0], ("duration",))
        self.assertIn(("outlet", "length"), paths)
        line = with_value(BASE, ("layers", 0, "outlet", "shape"), "line")
        scene = Scene(line, (EMPTY.id,), touched=(("outlet", "length"),))
        self.assertEqual(understood("length 1", scene)[0].senses[0].path, ("outlet", "length"))
        second = done(pieces, SCENE, {0: paths.index(("outlet", "length"))})
        self.assertEqual(differing(BASE, second), ["outlet.length=1"])

    def test_a_value_that_one_field_often_has_and_another_hardly_ever_is_the_first_s(self):
        misty = with_value(BASE, ("stage", "fog"), 0.01)
        for said, first in (("fog 0.2", Stage), ("fog 0.6", Layer), ("stage fog 0.6", Stage)):
            self.assertIs(understood(said, Scene(misty, (EMPTY.id,)))[0].senses[0].kind, first, said)
        touched = Scene(misty, (EMPTY.id,), touched=(("fog",),))
        self.assertIs(understood("fog 0.6", touched)[0].senses[0].kind, Stage)

    def test_all_that_are_chosen_are_meant_each_from_what_it_is(self):
        both = with_value(BASE, ("layers", 1, "outlet", "rate"), Range(low=10, high=10))
        scene = Scene(both, tuple(layer.id for layer in both.layers))
        after = done(understood("rate *2, lifetime 1", scene), scene)
        self.assertEqual([layer.outlet.rate.low for layer in after.layers], [80, 20])
        self.assertEqual([layer.birth.lifetime.high for layer in after.layers], [1, 1])

    def test_how_many_is_said_of_the_only_burst_and_when_adds_one(self):
        one = done(understood("burst 30 at 0.2 s", SCENE), SCENE)
        scene = Scene(one, (EMPTY.id,))
        self.assertEqual([told(each.count) for each in done(understood("burst 200", scene), scene).layers[0].outlet.bursts], ["200"])
        two = done(understood("burst 5 at 0.4 s", scene), scene).layers[0].outlet.bursts
        self.assertEqual([(each.count.low, each.first_at) for each in two], [(30, 0.2), (5, 0.4)])

    def test_names_keep_their_letters_and_a_long_line_is_read_in_time(self):
        after = done(pieces := understood("İ, starts on Kiln_Lit, cue Boom at 0.5 s", SCENE), SCENE)
        self.assertEqual((after.answers.start, after.cues[0].name, pieces[0].senses), ("Kiln_Lit", "Boom", ()))
        self.assertEqual(len(understood("seaweed " * 4000, SCENE)), 1)

    def test_a_new_layer_is_born_only_of_its_parent(self):
        after = done(understood("spawns embers, 4 at a touch", SCENE), SCENE)
        child = after.layers[-1]
        self.assertEqual((child.outlet.rate.most, child.outlet.bursts), (0, ()))
        self.assertEqual(after.layers[0].offspring.rules[0].layer, child.id)

    def test_a_colour_is_the_one_that_it_is_called(self):
        for word in ("white", "orange", "dark red", "pale blue", "bright amber", "sky blue", "teal"):
            self.assertEqual(colour_told(colour_said(word)), word)
        self.assertEqual(colour_said("#fff"), (1.0, 1.0, 1.0))
        self.assertEqual(colour_said("11 2 0.2"), (11.0, 2.0, 0.2))
        self.assertIsNone(colour_said("seaweed"))


class Written(unittest.TestCase):
    def test_every_sentence_of_the_quay_is_read_back_as_it_was_told(self):
        for path in demo_effects():
            effect, _ = load(path)
            for i, layer in enumerate(effect.layers):
                # The layer stands there as turned as it was: what heads up is told as the world sees it.
                bare = with_value(effect, ("layers", i), Layer(id=layer.id, name=layer.name, turn=layer.turn))
                for chapter, tells in TOLD.items():
                    text = plainly(tells(effect, layer))
                    read = written(bare, (layer.id,), chapter, text)
                    self.assertEqual(read.lost, (), (path.stem, text))
                    self.assertEqual(plainly(tells(read.effect, read.effect.layers[i])), text, path.stem)

    def test_a_file_keeps_its_letters_at_the_start_of_a_sentence_and_is_read_back(self):
        effect, _ = load(SMALL_FIRE)
        layer = effect.layers[0]
        dressed = with_value(effect, ("layers", 0, "look", "picture"), "tarSpot.png")
        text = plainly(TOLD["look"](dressed, dressed.layers[0]))
        self.assertTrue(text.startswith("tarSpot.png"), text)
        read = written(dressed, (layer.id,), "look", text.replace("tarSpot.png", "tarSpot.png, size 0.5 m"))
        self.assertEqual((read.lost, read.effect.layers[0].look.picture), ((), "tarSpot.png"))

    def test_a_whole_story_is_read_back_and_changes_what_is_changed_in_it(self):
        effect, _ = load(next(path for path in demo_effects() if path.stem == "kiln-mouth"))
        layer = next(layer for layer in effect.layers if layer.name == "sparks")
        text = story_told(effect, layer)
        self.assertEqual(story_written(effect, (layer.id,), text).effect, effect)
        read = story_written(effect, (layer.id,), text.replace("55 a second", "50 a second"))
        self.assertEqual(next(each for each in read.effect.layers if each.id == layer.id).outlet.rate.low, 50)

    def test_what_a_sentence_no_longer_says_is_as_it_begins_and_what_it_never_told_stays(self):
        effect = with_value(BASE, ("layers", 0, "forces", "drag"), 1.2)
        effect = with_value(effect, ("layers", 0, "forces", "gravity"), (0.0, -9.8, 0.0))
        effect = with_value(effect, ("layers", 0, "birth", "spin"), Range(low=-90, high=90))
        read = written(effect, (EMPTY.id,), "forces", "Falls at 4 m/s².")
        self.assertEqual((read.effect.layers[0].forces.drag, read.effect.layers[0].forces.gravity), (0.0, (0.0, -4.0, 0.0)))
        born = written(effect, (EMPTY.id,), "birth", "Each lives 2 s, leaves at 1 m/s, 0.5 m wide.").effect.layers[0].birth
        self.assertEqual((born.lifetime.low, born.spin), (2, effect.layers[0].birth.spin))
        same = written(effect, (EMPTY.id,), "birth", plainly(TOLD["birth"](effect, effect.layers[0])))
        self.assertIs(same.effect, effect)


if __name__ == "__main__":
    unittest.main()
