"""Journeys of an artist by true events: what a widget test hands to the very widget it means may never reach it."""

import tempfile
from pathlib import Path
from unittest import mock

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QApplication, QFileDialog, QMessageBox

from pale_ember.core.effect.model import BEGUN
from pale_ember.core.effect.values import between, fixed
from pale_ember.formats.document import load
from tests.studio.hands import ByHand


class Journeys(ByHand):
    def test_numbers_are_typed_between_everything_else(self):
        hands, player = self.hands, self.window.desk.player
        cases = (
            (0, "outlet", "rate", "12", "Return"),
            (0, "birth", "lifetime", "1-2", "Return"),
            (1, "birth", "speed", "0.2 - 0.2", "Tab"),
            (1, "birth", "size", "0.8 ± 25%", "Return"),
            (2, "outlet", "rate", "2*30", "Tab"),
            (2, "birth", "brightness", "7", "Escape"),
            (2, "birth", "lifetime", "0.5", "Return"),
            (0, "birth", "speed", "abc", "Return"),
        )
        before = self.layer(2).birth.brightness
        speed = self.layer(0).birth.speed
        for layer, chapter, name, text, key in cases:
            hands.click(*self.row(layer))
            hands.click(self.number(chapter, name))
            self.assertEqual(len(self.open_lines()), 1, (name, text))
            hands.type(text)
            hands.key(key)
            if text == "abc":
                self.assertEqual(len(self.open_lines()), 1)
                hands.key("Escape")
            self.assertEqual(self.open_lines(), [], (name, text))
            playing = player.playing
            hands.key("space")
            self.assertNotEqual(player.playing, playing, (name, text))
        player.pause()
        one, two, three = self.effect.layers
        self.assertEqual((one.outlet.rate, one.birth.lifetime), (fixed(12.0), between(1.0, 2.0)))
        self.assertEqual((two.birth.speed, two.birth.size), (fixed(0.2), between(0.6, 1.0)))
        self.assertEqual((three.outlet.rate, three.birth.brightness), (fixed(60.0), before))
        self.assertEqual((three.birth.lifetime, one.birth.speed), (fixed(0.5), speed))
        # A half-typed number belongs to its own layer and document, whatever is clicked or opened next.
        hands.click(*self.row(0))
        hands.click(self.number("outlet", "rate"))
        hands.type("33")
        hands.click(self.window.story.line.names["life"])
        self.assertEqual((self.layer(0).outlet.rate, self.open_lines()), (fixed(33.0), []))
        hands.click(self.number("birth", "lifetime"))
        hands.type("4")
        with mock.patch.object(QMessageBox, "question", return_value=QMessageBox.StandardButton.Discard):
            hands.key("ctrl+n")
        self.assertEqual((self.effect.layers, self.open_lines()), ((), []))
        hands.type("7")
        self.assertEqual(self.effect, BEGUN)

    def test_a_wheel_that_scrolls_changes_nothing(self):
        hands, before = self.hands, self.effect
        for name, chapter in self.window.story.chapters.items():
            hands.click(self.window.story.line.names[name])
            for share in (0.3, 0.7):
                hands.move(chapter, QPoint(round(chapter.width() * share), chapter.height() - 60))
                for clicks in (12, -12):
                    hands.wheel(clicks, pause=0)
                hands.wait(0.1)
            self.assertIs(self.effect, before, name)
        number = self.number("birth", "lifetime")
        hands.click(number)
        hands.key("Return")
        # Though it has the focus: what scrolls goes on scrolling, for as long as the wheel turns.
        hands.move(self.field("birth", "lifetime"), QPoint(10, 10))
        hands.wheel(1, pause=0)
        hands.move(number, pause=0)
        hands.wheel(2)
        self.assertTrue(self.effect is before)
        self.show_whole(number)
        hands.click(number)
        hands.key("Return")
        hands.wheel(-2)
        self.assertFalse(self.effect is before)

    def test_rain_with_splashes_from_nothing_is_kept_and_opened_again(self):
        hands = self.hands
        hands.key("ctrl+n")
        for _ in range(2):
            hands.start("drops")
        self.assertEqual(len(self.effect.layers), 2)
        hands.key("F2")
        hands.type("splash")
        hands.key("Return")
        hands.click(self.number("outlet", "rate"))
        hands.type("0")
        hands.key("Return")
        hands.click(*self.row(0))
        hands.click(self.number("outlet", "rate"))
        hands.type("90")
        hands.key("Return")
        hands.click(self.window.story.line.names["offspring"])
        rules = self.window.story.bodies["offspring"].fields.list_of(("offspring", "rules"))
        hands.click(rules.add_button)
        rows = {row.path[-1]: row for row in rules.blocks[0].fields.rows}
        self.show_whole(rows["layer"])
        hands.click(rows["layer"].editor)
        hands.choose("splash")
        self.show_whole(rows["when"])
        hands.click(rows["when"].editor)
        hands.choose("touches")
        rule = self.layer(0).offspring.rules[0]
        self.assertEqual((rule.layer, rule.when), (self.layer(1).id, "touches"))
        hands.click(*self.row(1))
        hands.key("Delete")
        self.assertEqual((len(self.effect.layers), self.layer(0).offspring.rules), (1, ()))
        hands.key("ctrl+z")
        self.assertEqual(self.layer(0).offspring.rules, (rule,))
        self.window.desk.player.pause()
        self.window.desk.player.go_to(2.0)
        self.settle()
        self.assertGreater(self.window.stage.answer.frame.layers[1].count, 3)
        self.assertEqual(self.open_lines(), [])
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "sleet on the quay.pale"
            with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(path), "")):
                hands.key("ctrl+s")
            self.assertEqual((self.effect.name, self.window.document.unsaved), ("sleet on the quay", False))
            self.assertEqual(load(path)[0], self.effect)
        self.assertIsNone(QApplication.activePopupWidget())
