"""One search for everything: found by any word, gone to, set, and nothing typed lands elsewhere."""

import random
import unittest
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from pale_ember.core.effect.edit import value_at, with_value
from pale_ember.core.effect.model import Layer, Stage
from pale_ember.core.effect.values import Range, fixed, per_axis
from pale_ember.core.insight.search import Entry, FieldPlace, field_entries, ranked
from pale_ember.core.insight.sentences import value_told
from pale_ember.core.words.scene import Wish
from pale_ember.studio.controls.finder import underline
from pale_ember.studio.controls.number import NumberEdit
from pale_ember.studio.fields.edit_target import subject_of
from pale_ember.studio.fields.row import FieldRow
from pale_ember.studio.shell.guide import GuidePage
from pale_ember.studio.shell.search import everything
from tests.studio import driven
from tests.studio.driven import LEFT

TRADE = {
    "spawn": "rate", "bloom": "glow", "emitter": "add flame", "rim": "edge glow", "fresnel": "edge glow",
    "soft particles": "soft intersection", "flipbook": "play", "billboard": "drawn as", "curl noise": "turbulence",
    "parent's speed": "inherited motion", "UV scroll": "scroll", "refraction": "heat shimmer", "distortion": "heat shimmer",
    "erosion": "dissolve picture", "sort": "stacking", "prewarm": "warm start", "overdraw": "overdraw", "budget": "limit",
    "solo": "Solo the layer, or show the others again", "collision": "on collision", "sub-emitter": "rules",
}  # fmt: skip
"""Trade words, and what of ours is among the first three found by each."""


ROOT = Path(__file__).parents[2]
NO_FIELD = {"particle effect", "command line", "quick edit", "handles", "preview scene", "export of points", "------"}
"""What the glossary tells that is nothing to be gone to."""


class Ranking(unittest.TestCase):
    def test_every_field_is_found_first_by_its_own_name_and_place_and_by_each_of_its_words(self):
        entries = field_entries()
        self.assertGreater(len(entries), 300)
        for entry in entries:
            first = ranked(f"{entry.title} {entry.where.replace(' › ', ' ')}", entries)[:4]
            self.assertIn((entry.title, entry.where), [(one.title, one.where) for one in first])
            for word in entry.words:
                self.assertIn(entry, ranked(word, entries, most=400), (entry.title, word))

    def test_the_whole_name_comes_before_its_parts_and_nothing_fits_nothing(self):
        known = [Entry("glow size", "", (), ""), Entry("size", "", ("glow",), ""), Entry("glow", "", (), "a size")]
        self.assertEqual([one.title for one in ranked("glow", known)], ["glow", "size", "glow size"])
        self.assertEqual(next(one.title for one in ranked("size glow", known)), "size")
        self.assertEqual((ranked("", known), ranked("bung", known)), ([], []))


class Finding(driven.Window):
    def find(self, text):
        search = self.window.open.search()
        self.qt.processEvents()
        QTest.keyClicks(search.line, text)
        return search

    def test_trade_words_find_ours(self):
        entries = [*field_entries(), *everything(self.window)]
        for word, ours in TRADE.items():
            self.assertIn(ours, [entry.title for entry in ranked(word, entries)[:3]], word)
        rows = [line.split("|") for line in (ROOT / "docs" / "glossary.md").read_text().splitlines() if line.startswith("| ")]
        words = [word.strip() for row in rows[1:] for word in row[2].split(",") if word.strip()]
        self.assertGreater(len(words), 100)
        self.assertEqual({word for word in words if not ranked(word, entries)} - NO_FIELD, set())

    def test_it_goes_to_fields_wherever_they_stand(self):
        for words, title in (
            ("heat shimmer", "heat shimmer"),
            ("game view", "game camera view"),
            ("rides on", "rides on"),
            ("seed", "seed"),
            ("touch radius", "touch radius"),
            ("lifetime", "lifetime, minimum"),
            ("offset outlet", "offset, X"),
        ):
            search = self.find(words)
            QTest.keyClick(search.line, Qt.Key.Key_Return)
            self.qt.processEvents()
            focus = self.qt.focusWidget()
            self.assertIsNotNone(focus, words)
            self.assertIn(title, focus.accessibleName(), words)
        self.assertFalse(self.window.document.unsaved)

    def test_in_lists_it_opens_the_first_part_or_what_adds_one(self):
        QTest.keyClick(self.find("minimum impact").line, Qt.Key.Key_Return)
        self.assertEqual(self.qt.focusWidget().text(), "rule")
        self.window.desk.select(self.layer(0).id)
        edit = self.window.story.bodies["outlet"].fields.list_of(("outlet", "bursts"))
        edit.add(edit.kind)
        self.settle()
        QTest.keyClick(self.find("first at 0.4").line, Qt.Key.Key_Return)
        self.assertEqual(self.layer(0).outlet.bursts[0].first_at, 0.4)

    def test_a_value_behind_the_words_is_set_in_one_step_and_refused_with_a_reason(self):
        before = len(self.window.document.past)
        search = self.find("compare two layers")
        QTest.keyClick(search.line, Qt.Key.Key_Return)
        page = next(page for page in self.window.findChildren(GuidePage))
        self.qt.processEvents()
        self.assertEqual(page.browser.textCursor().selectedText(), "compare two layers")
        page.close()
        search = self.find("rate 60")
        self.assertIn("→ 60", search.results.data(search.results.index(0), Qt.ItemDataRole.UserRole)[1])
        QTest.keyClick(search.line, Qt.Key.Key_Return)
        self.assertEqual(self.layer(0).outlet.rate, fixed(60.0))
        QTest.keyClick(self.find("lifetime 0.5 to 1.5").line, Qt.Key.Key_Return)
        self.assertEqual(self.layer(0).birth.lifetime, Range(low=0.5, high=1.5))
        self.assertEqual(len(self.window.document.past), before + 2)
        QTest.keyClick(self.find("gravity -4").line, Qt.Key.Key_Return)
        self.assertEqual(self.layer(0).forces.gravity[1], -4.0)
        QTest.keyClick(self.find("gravity 1, 0 2*2").line, Qt.Key.Key_Return)
        self.assertEqual(self.layer(0).forces.gravity, (1.0, 0.0, 4.0))
        before = len(self.window.document.past) - 2
        search = self.find("seaweed 4")
        self.assertTrue(search.none.isVisible(), "an empty list says a word")
        search.close()
        QTest.keyClick(self.find("lifetime 2 quays").line, Qt.Key.Key_Return)
        self.assertEqual(len(self.window.document.past), before + 2)

    def test_what_is_offered_is_what_is_done(self):
        """Every offer of four hundred phrases: the document becomes what it says, and nothing else of it changes."""
        rng, entries = random.Random(4), [entry for entry in field_entries() if isinstance(entry.does, FieldPlace)]
        numbers = ("0.5", "2", "-1.5", "0.8-1.25", "0.2 3.9 0.2", "1, 0, 0", "0.3 ± 10%", "12 quays", "1; 2; 3", "*2")
        words = ("on", "off", "along", "cutout", "out", "add", "none", "per")
        phrases = [f"{rng.choice(entries).title} {rng.choice(numbers if k % 3 else words)}" for k in range(390)]
        phrases += ["size 0.5", "stretch 0.8-1.25", "anew on", "facing along mo", "length 1", "axis 0 0 1", "stretch 0.2 3.9 0.2",
                    "count 10", "blend cutout", "warm start off"]  # fmt: skip
        desk, done, refused = self.window.desk, 0, 0
        places = {(entry.does.kind, entry.does.path): entry.does for entry in entries}
        search = self.window.open.search()
        for phrase in phrases:
            search.line.setText(phrase)
            refused += "quays" in phrase and not any(isinstance(entry.does, Wish) for entry in search.results.entries)
            for entry in [entry for entry in search.results.entries if isinstance(entry.does, Wish)][:3]:
                wish, told, before = entry.does, search.now(entry), desk.effect
                place = places.get((wish.kind, wish.path))
                if place is None:
                    continue
                path, holder, was = place.found_in(subject_of(place, desk).root)
                search.take(entry)
                now = value_at(subject_of(place, desk).root, path)
                shown = value_told(now, place.declared.field.unit_of(holder))
                if shown and wish.path[-1] not in ("picture",):
                    self.assertEqual(shown, told.partition("→ ")[2], (phrase, entry.title))
                if now != was:
                    below = {Layer: ("layers", 0), Stage: ("stage",)}.get(place.kind, ())
                    if wish.path != ("look", "picture"):
                        self.assertEqual(with_value(before, (*below, *path), now), desk.effect, (phrase, entry.title))
                    self.assertEqual(self.window.undo(), None)
                    self.assertTrue(desk.effect == before, (phrase, entry.title))
                    done += 1
        search.close()
        self.assertGreater(done, 150)
        self.assertGreater(refused, 10)

    def test_a_line_of_wishes_is_one_step_and_what_is_not_understood_is_underlined_and_stays(self):
        before = len(self.window.document.past)
        search = self.find("rate 40-50, additive, pink elephants")
        self.qt.processEvents()
        marked = search.line.grab().toImage()
        underline(search.line, [])
        self.qt.processEvents()
        self.assertNotEqual(search.line.grab().toImage(), marked)
        QTest.keyClick(search.line, Qt.Key.Key_Return)
        self.assertEqual((self.layer(0).outlet.rate.high, len(self.window.document.past)), (50.0, before + 1))
        self.assertEqual(search.line.selectedText(), "pink elephants")
        QTest.keyClicks(search.line, "length 2")
        first = search.results.entries[0].title
        QTest.keyClick(search.line, Qt.Key.Key_Tab)
        self.assertGreater(search.list.currentIndex().row(), 0)
        self.assertEqual(first, "length")
        QTest.keyClick(search.line, Qt.Key.Key_Escape)

    def test_one_number_means_one_number_and_an_end_is_changed_where_it_is_pointed_at(self):
        layer = self.layer(0)
        self.window.document.change_layer("size", layer.id, ("birth", "size"), Range(low=0.1, high=0.16))
        search = self.find("size 0.5")
        self.assertIn("→ 0.5 m", search.results.data(search.results.index(0), Qt.ItemDataRole.UserRole)[1])
        QTest.keyClick(search.line, Qt.Key.Key_Return)
        self.assertEqual(self.layer(0).birth.size, fixed(0.5))
        QTest.keyClick(self.find("size *2").line, Qt.Key.Key_Return)
        self.assertEqual(self.layer(0).birth.size, fixed(1.0))
        QTest.keyClick(self.find("facing along mo").line, Qt.Key.Key_Return)
        self.assertEqual(self.layer(0).look.facing, "along motion")
        QTest.keyClick(self.find("stretch 0.2 3.9 0.3").line, Qt.Key.Key_Return)
        self.assertEqual(self.layer(0).birth.stretch, per_axis(fixed(0.2), fixed(3.9), fixed(0.3)))

    def test_commands_layers_and_starts_are_done_and_keys_choose(self):
        search = self.find("sparks")
        titles = [entry.title for entry in search.results.entries]
        QTest.keyClick(search.line, Qt.Key.Key_Down)
        self.assertEqual(search.list.currentIndex().row(), 1)
        QTest.keyClick(search.line, Qt.Key.Key_Up)
        row = titles.index("sparks")
        rect = search.list.visualRect(search.results.index(row))
        QTest.mouseClick(search.list.viewport(), LEFT, pos=rect.center())
        self.assertEqual(self.window.desk.layer.name, "sparks")
        count = len(self.effect.layers)
        QTest.keyClick(self.find("add mist").line, Qt.Key.Key_Return)
        self.assertEqual(len(self.effect.layers), count + 1)
        playing = self.window.desk.player.playing
        QTest.keyClick(self.find("pause").line, Qt.Key.Key_Return)
        self.assertNotEqual(self.window.desk.player.playing, playing)
        self.window.desk.player.pause()
        nothing = self.find("bung of nowhere")
        QTest.keyClick(nothing.line, Qt.Key.Key_Return)
        QTest.keyClick(nothing.line, Qt.Key.Key_Escape)
        self.assertFalse(nothing.isVisible())
        self.settle()

    def test_every_field_that_can_be_found_can_be_gone_to(self):
        self.window.document.change_layer("all", self.layer(0).id, ("life", "size"), None)
        for entry in field_entries():
            search = self.window.open.search()
            search._take(entry)
            focus = self.qt.focusWidget()
            self.assertIsNotNone(focus, (entry.title, entry.where))
            self.assertNotEqual(focus.focusPolicy(), Qt.FocusPolicy.NoFocus, (entry.title, entry.where, focus))
        self.assertIsInstance(self.window.story.bodies["birth"].fields.rows[0], FieldRow)
        self.assertIsInstance(self.window.story.bodies["birth"].fields.rows[0].editor.high, NumberEdit)


if __name__ == "__main__":
    unittest.main()
