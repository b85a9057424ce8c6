"""What is typed is never something else."""

import random
import unittest
from functools import partial

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QCursor
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit, QWidget

from pale_ember.core.effect.story import STORY
from pale_ember.core.effect.values import fixed
from tests.studio import driven

WORDS = (
    "flame", "kiln_lit", "ember", "7", "beads", "12.5", "drag", "vortex", "hail", "3", "m", "X", "solo", "lock", "alpha", "Cue",
    "0.4-0.8", "rain", "b", "v", "n", "h", "a", "l",
)  # fmt: skip


class Typing(driven.Window):
    def rest_on(self, widget, at=None):
        QCursor.setPos(widget.mapToGlobal(at if at is not None else widget.rect().center()))
        self.qt.processEvents()

    def seen(self):
        desk = self.window.desk
        looking = desk.looking
        return (
            self.effect, desk.selection, looking.solo, looking.folded, looking.overlays, looking.camera,
            desk.player.playing, self.window.side.isVisible(), self.window.screens.currentIndex(),
        )  # fmt: skip

    def type_word(self, word):
        """Types a word wherever it goes, and ends what it began."""
        for sign in word:
            popup = self.qt.activePopupWidget()
            target = popup.focusWidget() if popup is not None else self.qt.focusWidget()
            QTest.keyClick(target or self.window, sign)
        popup = self.qt.activePopupWidget()
        if popup is not None:
            typed = popup.findChild(QLineEdit).text()
            popup.close()
            self.qt.processEvents()
            return typed
        return None

    def test_words_typed_over_the_story_and_pages_change_nothing_but_an_open_field(self):
        dice, typed = random.Random(7), 0
        pages = {
            "story": (lambda: None, self.window.story),
            "checks": (lambda: self.window.flip_side(self.window.checks), self.window.side),
            "bench": (partial(self.window.screens.flip, "Textures"), self.window.bench),
            "hand-over": (partial(self.window.screens.flip, "Hand over"), self.window.handing),
        }
        for flip, page in pages.values():
            flip()
            self.qt.processEvents()
            places = [
                inner
                for inner in page.findChildren(QWidget)
                if inner.isVisible()
                and not inner.visibleRegion().isEmpty()
                and not isinstance(inner, QLineEdit)
                and not self.window.stage.isAncestorOf(inner)
                and inner is not self.window.stage
            ]
            for _ in range(25):
                place = dice.choice(places)
                self.rest_on(place, place.visibleRegion().boundingRect().center())
                if place.focusPolicy() != Qt.FocusPolicy.NoFocus:
                    place.setFocus(Qt.FocusReason.MouseFocusReason)
                before = self.seen()
                for word in dice.sample(WORDS, 4):
                    told = self.type_word(word)
                    focus = self.qt.focusWidget()
                    if isinstance(focus, QLineEdit):
                        QTest.keyClick(focus, Qt.Key.Key_Escape)  # It went into the field that had the keyboard.
                    elif word[0].isalnum():
                        self.assertEqual(told, word, type(place).__name__)
                    self.assertEqual(self.seen(), before, (word, type(place).__name__))
                    typed += 1
            if page in (self.window.bench, self.window.handing):
                flip()
                self.window.stage.setFocus()
        self.assertEqual(typed, 400)

    def test_letters_and_digits_are_commands_over_the_stage_and_the_layers(self):
        stage, table = self.window.stage, self.window.layers.table
        self.rest_on(self.window.story.chapters["birth"])
        QTest.keyClick(stage, "l")
        self.assertIsNotNone(self.qt.activePopupWidget())
        self.qt.activePopupWidget().close()
        self.assertFalse(self.layer(0).locked)
        for place in (stage, table):
            self.rest_on(place)
            QTest.keyClick(self.window.story.chapters["birth"], "l")
        self.assertFalse(self.layer(0).locked)
        QTest.keyClick(stage, "l")
        self.assertTrue(self.layer(0).locked)
        self.window.undo()

    def test_menus_take_letters(self):
        before = self.effect
        blend = self.field("look", "blend").editor
        blend.showPopup()
        menu = self.qt.activePopupWidget()
        for sign in "mu":
            QTest.keyClick(menu, sign)
        self.assertEqual(menu.activeAction().text(), "multiply")
        self.assertIs(self.effect, before)
        QTest.keyClick(menu, Qt.Key.Key_Return)
        self.assertEqual(self.layer(0).look.blend, "multiply")

    def test_a_number_that_was_taken_takes_nothing_more(self):
        rate = self.field("outlet", "rate").editor.high
        self.rest_on(rate)
        self.type_into(rate, "12")
        self.assertTrue(rate.hasFocus())
        self.assertEqual(self.type_word("7"), "7")
        self.assertEqual(self.layer(0).outlet.rate, fixed(12.0))
        QTest.keyClick(rate, Qt.Key.Key_Return)
        self.assertTrue(rate.typing)
        QTest.keyClick(rate._line, Qt.Key.Key_Tab)
        focus = self.qt.focusWidget()
        self.assertIsNot(focus, rate)
        QTest.keyClick(focus, "5")
        self.assertTrue(focus.typing)

    def test_space_belongs_to_the_focused_control_and_else_plays(self):
        player = self.window.desk.player
        switch = self.window.header.fields["loop"]
        switch = switch if switch.focusPolicy() != Qt.FocusPolicy.NoFocus else switch.editor
        switch.setFocus()
        before = self.effect.loop
        QTest.keyClick(switch, Qt.Key.Key_Space)
        self.assertEqual((self.effect.loop, player.playing), (not before, False))
        self.window.stage.setFocus()
        QTest.keyClick(self.window.stage, Qt.Key.Key_Space)
        self.assertTrue(player.playing)
        player.pause()

    def test_tab_goes_through_the_rows_as_they_lie_and_on_to_the_next_chapter(self):
        story = self.window.story
        story.open_by_number("outlet")
        seen = []
        for _ in range(60):
            focus = self.qt.focusWidget()
            chapter = next(name for name in STORY if story.chapters[name] is focus or story.chapters[name].isAncestorOf(focus))
            body = story.bodies[chapter]
            seen.append((chapter, focus.mapTo(body.widget(), QPoint()).y() if chapter == "birth" and body.isAncestorOf(focus) else 0))
            if chapter == "forces":
                break
            QTest.keyClick(focus, Qt.Key.Key_Tab)
        self.assertEqual(list(dict.fromkeys(name for name, _ in seen)), ["outlet", "birth", "life", "forces"])
        heights = [y for name, y in seen if name == "birth" and y]
        self.assertEqual(heights, sorted(heights))

    def test_what_found_nothing_is_typed_over_and_keys_of_the_window_close_it(self):
        search = self.window.open.search()
        search.line.setText("qwrtzp")
        QTest.keyClick(search.line, Qt.Key.Key_Return)
        QTest.keyClicks(search.line, "size")
        self.assertEqual(search.line.text(), "size")
        self.window.document.change_layer("x", self.layer(0).id, ("locked",), True)
        QTest.keyClick(search.line, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
        self.assertIsNone(self.qt.activePopupWidget())
        self.assertEqual(len(self.effect.layers), 4)


if __name__ == "__main__":
    unittest.main()
