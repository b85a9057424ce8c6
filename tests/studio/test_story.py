"""The story: a sentence is an editor, only rows that matter stand, and all others are a word away."""

import os
import tempfile
import unittest
from unittest import mock

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QInputDialog

from pale_ember.core.effect.chapters import CHAPTERS, Forces
from pale_ember.core.effect.edit import value_at, with_value
from pale_ember.core.effect.tree import without_layer
from pale_ember.core.effect.values import between, curve, fixed
from pale_ember.core.insight.birth_draws import drawn_at_birth
from pale_ember.core.insight.search import FieldPlace
from pale_ember.core.insight.sentences import TOLD, plainly, sentence
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.formats.document import load
from pale_ember.studio.controls.buttons import WordButton
from pale_ember.studio.controls.chips import DIFFERS
from pale_ember.studio.fields.sentence import declared_in
from pale_ember.studio.kit.clipboard import clipboard_text, copy_text
from pale_ember.studio.kit.popups import Menu
from pale_ember.studio.kit.settings import settings
from pale_ember.studio.layers.row import LINK
from pale_ember.studio.layers.spawn_link_drag import Link
from pale_ember.studio.shell.files import demo_effects
from pale_ember.studio.story.add_finder import AddFinder
from pale_ember.studio.story.chapter import ChapterRows
from pale_ember.studio.story.life_chapter import new_lane
from pale_ember.studio.story.story import Story
from tests.draw.test_promises import others
from tests.studio import driven
from tests.studio.driven import LEFT


class Sentences(driven.Window):
    def piece(self, *path):
        self.window.story.bring(path[0])
        self.qt.processEvents()
        return self.window.story.chapters[path[0]].sentence.piece(*path)

    def test_a_number_is_dragged_where_it_stands_in_one_step(self):
        rate = self.piece("outlet", "rate")
        before, steps = self.layer(0).outlet.rate, len(self.window.document.past)
        place = rate.pos()
        widths = set()
        QTest.mousePress(rate, LEFT, pos=QPoint(8, 8))
        for x in range(10, 60, 10):
            QTest.mouseMove(rate, QPoint(8 + x, 8))
            widths.add(rate.geometry().getRect())
            self.assertEqual(rate.pos(), place)
        self.assertEqual(len(widths), 1, "what is in the hand keeps its place")
        QTest.mouseRelease(rate, LEFT, pos=QPoint(58, 8))
        after = self.layer(0).outlet.rate
        self.assertGreater(after.low, before.low)
        self.assertEqual(len(self.window.document.past), steps + 1)
        told = self.window.story.chapters["outlet"].sentence
        self.assertEqual(told.text, sentence("outlet", self.effect, self.layer(0)))
        self.assertEqual(told.accessibleName(), told.text)
        QTest.mouseDClick(rate, LEFT)
        self.assertEqual(self.layer(0).outlet.rate, fixed(40.0))

    def test_a_range_is_typed_moved_and_scaled_as_one(self):
        lifetime = self.piece("birth", "lifetime")
        for text, kept in (("0.4 to 0.8", (0.4, 0.8)), ("*2", (0.8, 1.6)), ("1 ± 25%", (0.75, 1.25))):
            self.type_into(lifetime, text)
            self.assertEqual(self.layer(0).birth.lifetime, between(*kept), text)
        QTest.keyClick(lifetime, Qt.Key.Key_Up)
        now = self.layer(0).birth.lifetime
        self.assertAlmostEqual(now.high - now.low, 0.5)
        self.assertGreater(now.low, 0.75)
        lifetime.set_by_hand(-9.0)
        self.assertEqual(self.layer(0).birth.lifetime, between(0.0, 0.5), "its lower end stops at what nature allows")

    def test_a_size_is_typed_as_width_and_height(self):
        size = self.piece("birth", "size")
        for editor, text, kept, aspect in (
            (size, "0.05 × 0.10", fixed(0.05), 2.0),
            (self.field("birth", "size").editor.high, "20x5 cm", fixed(0.2), 0.25),
            (size, "0.3 – 0.5 × 0.6", between(0.3, 0.5), 1.5),
        ):
            steps = len(self.window.document.past)
            self.assertEqual(editor.take_text(text), "")
            self.assertEqual((self.layer(0).birth.size, round(self.layer(0).birth.aspect, 6)), (kept, aspect), text)
            self.assertEqual(len(self.window.document.past), steps + 1)

    def test_what_particles_drew_is_told_again_from_their_numbers(self):
        layer = replace(self.layer(0), life=replace(self.layer(0).life, size=None, brightness=None, more=()))
        effect = replace(self.effect, layers=(layer,))
        frame = Timeline(effect).frame(1.5).layers[0]
        got = drawn_at_birth(effect, layer, frame.number)
        np.testing.assert_allclose(frame.size[:, 0], got["size"], rtol=1e-5)
        self.assertTrue(layer.birth.lifetime.low <= got["lifetime"].min() <= got["lifetime"].max() <= layer.birth.lifetime.high)
        self.window.desk.player.go_to(1.5)
        self.settle()
        row = self.field("birth", "lifetime")
        self.window.story.show_drawn(self.window.stage.answer.frame.layers[0])
        self.assertGreater(len(row.editor.got), 3)

    def test_a_choice_and_a_name_are_chosen_and_the_sentence_is_told_anew(self):
        self.piece("outlet", "shape").choose("box")
        told = self.window.story.chapters["outlet"].sentence
        self.assertIn("a box of", told.text)
        self.assertIsNotNone(told.piece("outlet", "extent"))
        with self.assertRaises(KeyError):
            told.piece("outlet", "radius")
        QTest.mouseClick(told.piece("outlet", "extent"), LEFT)
        self.qt.processEvents()
        self.assertIn("extent", self.qt.focusWidget().accessibleName())

    def test_every_piece_of_every_layer_of_the_quay_tells_a_field_that_is_there(self):
        for path in demo_effects():
            self.window.files.open_copy(path)
            for layer in self.effect.layers:
                for chapter in CHAPTERS:
                    told = TOLD[chapter](self.effect, layer)
                    self.assertTrue(plainly(told).endswith("."), (path.stem, layer.name, chapter))
                    for piece in told:
                        if piece.path:
                            value_at(layer, piece.path)
                            self.assertTrue(declared_in(layer, piece.path).field.help)


class Standing(driven.Window):
    def names(self, chapter):
        return [row.path[-1] for row in self.window.story.bodies[chapter].fields.rows]

    def add(self, chapter, text):
        self.window.story.bring(chapter)
        adding = self.window.story.open_adding(chapter)
        self.qt.processEvents()
        QTest.keyClicks(adding.line, text)
        QTest.keyClick(adding.line, Qt.Key.Key_Return)
        self.qt.processEvents()

    def test_a_word_puts_a_row_there_and_it_stays_till_the_layer_is_left(self):
        self.assertNotIn("arc", self.names("outlet"))
        self.add("outlet", "sector")
        self.assertIn("arc", self.names("outlet"))
        self.assertIn("arc", self.qt.focusWidget().accessibleName())
        editor = self.field("outlet", "arc").editor
        editor.set_by_hand(90.0)
        editor.reset()
        self.assertIn("arc", self.names("outlet"))
        self.window.desk.select(self.layer(1).id)
        self.window.desk.select(self.layer(0).id)
        self.assertNotIn("arc", self.names("outlet"))

    def test_parts_and_lanes_are_added_by_a_word(self):
        self.add("forces", "vortex")
        self.assertEqual([force.kind for force in self.layer(0).forces.more], ["vortex"])
        self.add("offspring", "touches")
        self.assertEqual(self.layer(0).offspring.rules[0].when, "touches")
        self.add("outlet", "burst")
        self.assertEqual(len(self.layer(0).outlet.bursts), 1)
        self.add("life", "velocity y")
        self.assertEqual(self.layer(0).life.more[-1].drives, "velocity y")

    def test_all_pins_and_the_key(self):
        chapter = self.window.story.chapters["birth"]
        few = len(self.names("birth"))
        QTest.mouseClick(chapter.all_button, LEFT)
        self.assertGreater(len(self.names("birth")), few + 5)
        QTest.mouseClick(chapter.all_button, LEFT)
        self.assertEqual(len(self.names("birth")), few)
        standing = self.window.story.bodies["birth"].standing
        standing.pin(("birth", "spin"), True)
        self.addCleanup(settings().remove, "pins")
        self.window.desk.select(self.layer(1).id)
        self.assertIn("spin", self.names("birth"))
        standing.pin(("birth", "spin"), False)
        self.window.story.bring("forces")
        self.field("forces", "gravity").editor.parts[0].setFocus()
        QTest.keyClick(self.qt.focusWidget(), "/")
        self.qt.processEvents()
        popup = self.qt.activePopupWidget()
        self.assertIsInstance(popup, AddFinder)
        self.assertIn("Forces", popup.accessibleName())
        popup.close()

    def test_every_field_of_every_chapter_is_reached_by_a_word_explained_set_and_reset(self):
        layer, reached = self.layer(0), 0
        for chapter in (name for name in CHAPTERS if name != "life"):
            listing = self.window.story.open_adding(chapter)
            entries = [entry for entry in listing.found("") if isinstance(entry.does, FieldPlace)]
            listing.close()
            rows = self.window.story.bodies[chapter]
            for entry in entries:
                path = entry.does.path
                value = value_at(layer, path)
                if not entry.does.declared.field.help or path == ("look", "picture"):
                    continue
                row = rows.fields.reveal(path)
                self.assertIn(entry.does.declared.field.label, row.hint(), path)
                other = next(iter(others(entry.does.declared, value)), None)
                if other is None or other == value:
                    continue
                row._edited(other, None)
                self.assertEqual(value_at(self.layer(0), path), other, path)
                row.reset()
                self.assertEqual(value_at(self.layer(0), path), entry.does.declared.default, path)
                self.window.document.change("back", with_value(self.effect, ("layers", 0), layer))
                reached += 1
        self.assertGreater(reached, 100)


class Several(driven.Window):
    def test_an_edit_goes_to_all_that_are_chosen_and_a_trim_is_one_step(self):
        first, second = self.layer(0).id, self.layer(1).id
        table = self.window.layers.table
        self.window.desk.select(first)
        row = QPoint(70, int(table.row_box(1).center().y()))
        QTest.mouseClick(table, LEFT, Qt.KeyboardModifier.ControlModifier, row)
        self.assertEqual(self.window.desk.chosen, (second, first))
        steps = len(self.window.document.past)
        self.field("birth", "spin").editor._both_typed(10, 20)
        self.assertEqual([layer.birth.spin for layer in self.effect.layers[:2]], [between(10.0, 20.0)] * 2)
        self.assertNotEqual(self.layer(2).birth.spin, between(10.0, 20.0))
        self.assertEqual(len(self.window.document.past), steps + 1)
        speeds = [layer.birth.speed for layer in self.effect.layers]
        self.field("birth", "size").editor.high.take_text("0.2 x 0.5")
        self.assertEqual([layer.birth.aspect for layer in self.effect.layers[:2]], [2.5, 2.5])
        self.assertEqual([layer.birth.speed for layer in self.effect.layers], speeds, "what was not typed is each one's own")
        steps += 1
        size = [layer.birth.size for layer in self.effect.layers]
        word = self.window.layers.trims.words["size"]
        self.drag(word, QPoint(5, 8), QPoint(60, 8))
        grown = [layer.birth.size.high / before.high for layer, before in zip(self.effect.layers, size, strict=True)]
        self.assertGreater(grown[0], 1.2)
        self.assertEqual((round(grown[0], 3), grown[2]), (round(grown[1], 3), 1.0))
        self.assertEqual((len(self.window.document.past), word.told), (steps + 2, "size"))
        self.window.undo()
        self.assertEqual([layer.birth.size for layer in self.effect.layers], size)
        QTest.mouseClick(table, LEFT, pos=row)
        self.assertEqual(self.window.desk.chosen, (second,))

    def test_a_wider_shape_offers_to_keep_the_density(self):
        offer = self.window.story.chapters["outlet"].offer
        rate, radius = self.layer(0).outlet.rate.high, self.layer(0).outlet.radius
        self.field("outlet", "radius").editor.set_by_hand(radius * 2)
        self.assertTrue(offer.isVisible())
        QTest.mouseClick(offer, LEFT)
        self.assertAlmostEqual(self.layer(0).outlet.rate.high, rate * 4)
        self.assertFalse(offer.isVisible())

    def test_a_layer_is_kept_as_ones_own_and_cards_are_found_by_words(self):
        with tempfile.TemporaryDirectory() as home, mock.patch.dict(os.environ, XDG_DATA_HOME=home, XDG_CACHE_HOME=home):
            with mock.patch.object(QInputDialog, "getText", return_value=("lamp smoke", True)):
                self.window.layers.table.keep_own()
            cards = self.window.layers.open_starts()
            self.assertGreaterEqual(len(cards.cards.starts), 31)
            self.assertEqual(next(iter(cards.cards.starts)), "lamp smoke")
            QTest.keyClicks(cards.words, "lightning")
            self.assertEqual(next(iter(cards.cards.starts)), "arc")
            self.wait_for(lambda: "arc" in cards.previews.pictures, seconds=40)
            cards.grab()
            cards.words.setText("lamp smoke")
            QTest.keyClick(cards, Qt.Key.Key_Return)
            self.assertEqual(len(self.effect.layers), 4)
            self.assertNotEqual(self.layer(3).id, self.layer(0).id)
            self.assertEqual(self.layer(3).birth, self.layer(0).birth)
            cards.previews.stop()


class Together(driven.Window):
    def test_rows_are_chosen_to_one_another_and_all_is_for_all_of_them_in_one_step(self):
        window, table = self.window, self.window.layers.table
        window.desk.select(self.layer(0).id)
        at = table.row_box(2).center().toPoint()
        QTest.mouseClick(table, LEFT, Qt.KeyboardModifier.ShiftModifier, QPoint(80, at.y()))
        self.assertEqual(window.desk.chosen, tuple(layer.id for layer in self.effect.layers[:3]))
        steps = len(window.document.past)
        row = self.field("birth", "lifetime")
        self.assertTrue(row._differs)
        self.assertTrue(window.story.chapters["birth"].sentence.piece("birth", "lifetime").property(DIFFERS))
        self.type_into(row.editor.high, "1.5")
        self.assertEqual([layer.birth.lifetime.high for layer in self.effect.layers[:3]], [1.5] * 3)
        self.assertFalse(row._differs)
        self.assertFalse(window.story.chapters["birth"].sentence.piece("birth", "lifetime").property(DIFFERS))
        search = window.open.search()
        search.line.setText("speed 2, additive")
        QTest.keyClick(search.line, Qt.Key.Key_Return)
        self.assertEqual([layer.birth.speed.high for layer in self.effect.layers[:3]], [2.0] * 3)
        table.toggle_locked()
        self.assertTrue(all(layer.locked for layer in self.effect.layers[:3]))
        self.assertEqual(len(window.document.past), steps + 3)

    def test_a_rule_offers_a_new_layer_that_is_born_only_there(self):
        self.window.desk.select(self.layer(0).id)
        edit = self.window.story.open_adding("offspring")
        QTest.keyClick(edit.line, Qt.Key.Key_Return)
        row = self.window.story.bodies["offspring"].fields.reveal(("offspring", "rules", "layer"))
        count = len(self.effect.layers)
        row.editor.open()
        menu = next(menu for menu in row.editor.findChildren(Menu) if menu.isVisible())
        new = next(action.menu() for action in menu.actions() if action.text() == "a new layer")
        next(action for action in new.actions() if action.text() == "smoke").trigger()
        menu.close()
        self.assertEqual(len(self.effect.layers), count + 1)
        child = self.layer(-1)
        self.assertEqual((child.outlet.rate, self.layer(0).offspring.rules[0].layer), (fixed(0.0), child.id))
        self.window.undo()
        self.assertEqual(len(self.effect.layers), count)

    def test_an_outlet_offers_its_place_and_a_start_can_be_made_plain(self):
        story = self.window.story
        self.window.document.change_layer("place", self.layer(0).id, ("place",), (1.0, 2.0, 3.0))
        text = story.chapters["outlet"].as_text()
        self.window.desk.select(self.layer(1).id)
        self.assertTrue(story.chapters["outlet"].take(text))
        self.assertNotEqual(self.layer(1).place, (1.0, 2.0, 3.0))
        QTest.mouseClick(story.chapters["outlet"].place_offer, LEFT)
        self.assertEqual((self.layer(1).place, self.layer(1).outlet), ((1.0, 2.0, 3.0), self.layer(0).outlet))
        table = self.window.layers.table
        table.add("jet of fire")
        self.assertIn("forces of its own", self.window.hints.accessibleDescription() or self.window.hints.accessibleName())
        table.make_plain()
        self.assertEqual((self.layer(-1).forces, self.layer(-1).keys), (Forces(), ()))

    def test_a_trail_follows_each_particle(self):
        self.window.desk.select(self.layer(2).id)
        self.window.layers.table.add_trail()
        trail = next(layer for layer in self.effect.layers if layer.name.endswith("trail"))
        self.settle(lambda: self.window.stage.answer.frame.layers[self.effect.layers.index(trail)].count > 0)

    def test_a_sentence_is_written_and_one_row_is_copied_to_another_layer(self):
        writing = self.window.story.write("birth")
        writing.page.setPlainText("Each lives 2 s, leaves at 1 m/s, 0.5 m wide, as a whale.")
        self.assertFalse(writing.take())
        self.assertIn("whale", writing.note.text())
        writing.page.setPlainText("Each lives 2 s, leaves at 1 m/s, 0.5 m wide.")
        self.assertIsNotNone(self.window.desk.looking.tried_whole)
        QTest.keyClick(writing.page, Qt.Key.Key_Return)
        self.assertEqual((self.layer(0).birth.lifetime, self.layer(0).birth.size), (fixed(2.0), fixed(0.5)))
        self.assertIsNone(self.window.desk.looking.tried_whole)
        self.field("birth", "lifetime").copy()
        self.assertIn("Copied lifetime: 2 s", self.window.hints.accessibleDescription() or self.window.hints.accessibleName())
        speed = self.layer(1).birth.speed
        self.window.desk.select(self.layer(1).id)
        self.assertTrue(self.window.story.chapters["birth"].take(clipboard_text()))
        self.assertEqual((self.layer(1).birth.lifetime, self.layer(1).birth.speed), (fixed(2.0), speed))


class Linked(driven.Window):
    def test_a_drag_from_a_row_to_another_lets_it_spawn_that_layer_at_once(self):
        table = self.window.layers.table
        source, target = self.layer(1), self.layer(2)

        def at(index):
            return QPoint(LINK + 7, int(table.row_box(index).center().y()))

        for end, when in ((at(2), "touches"), (at(2) + QPoint(0, 300), "ends")):
            QTest.mousePress(table, LEFT, pos=at(1))
            QTest.mouseMove(table, (at(1) + end) / 2)
            QTest.mouseMove(table, end)
            QTest.mouseRelease(table, LEFT, pos=end)
            menu = self.qt.activePopupWidget()
            action = next(action for action in menu.actions() if action.text().endswith(when))
            (action if action.menu() is None else action.menu().actions()[0]).trigger()
            menu.close()
            self.qt.processEvents()
        first, second = self.layer(1).offspring.rules
        self.assertEqual((first.layer, first.when, second.when), (target.id, "touches", "ends"))
        self.assertEqual((self.layer(2).outlet.rate, self.layer(1).contact.meets), (fixed(0.0), "bounce"))
        self.assertEqual((self.layer(3).id, self.layer(3).name), (second.layer, f"{source.name} offspring"))
        self.settle(lambda: self.window.stage.answer.frame.layers[3].count > 0)
        link = Link(self.window.desk, self.layer(0).id, QPointF(at(0)))
        menu = link.end(table, None)
        at_an_end = next(action.menu() for action in menu.actions() if action.text() == "spawns a new layer when it ends")
        next(action for action in at_an_end.actions() if action.text() == "smoke").trigger()
        menu.close()
        self.assertEqual((self.layer(-1).outlet.rate, self.layer(0).offspring.rules[-1].layer), (fixed(0.0), self.layer(-1).id))
        self.window.undo()
        ring = Link(self.window.desk, self.layer(2).id, QPointF(at(1)))
        self.assertIsNone(ring.end(table, self.layer(1)), "a ring is refused")


class Beside(driven.Window):
    def test_a_chapter_stays_while_another_layer_is_selected_and_is_given_whole(self):
        story, other = self.window.story, self.layer(0)
        kept = story.pin("birth")
        self.window.desk.select(self.layer(1).id)
        self.qt.processEvents()
        self.assertEqual(kept.heading.text(), f"Birth of {other.name}")
        rows = {row.path[-1]: row for row in kept.body.fields.rows}
        now = self.layer(1).birth
        for name, row in rows.items():
            self.assertEqual(row._differs, getattr(other.birth, name) != getattr(now, name), name)
        self.assertTrue(any(row._differs for row in story.bodies["birth"].fields.rows))
        kept.sentence.piece("birth", "lifetime").take_text("0.3 - 0.4")
        self.assertEqual((self.layer(0).birth.lifetime, self.layer(1).birth), (between(0.3, 0.4), now))
        self.assertTrue(rows["speed"].take(self.field("birth", "speed").as_text()))
        self.assertEqual(self.layer(0).birth.speed, now.speed)
        self.assertFalse(rows["speed"]._differs)
        give = next(button for button in kept.findChildren(WordButton) if button.text() == "copy all")
        QTest.mouseClick(give, LEFT)
        self.assertEqual(self.layer(1).birth, self.layer(0).birth)
        self.window.document.change("gone", without_layer(self.effect, other.id))
        self.qt.processEvents()
        self.assertIsNone(story.pinned)

    def test_keys_in_the_hand_are_let_go_with_their_layer_and_for_another_lane(self):
        lanes = self.window.story.bodies["life"].lanes
        lanes["opacity"].choose({0, 1})
        lanes["opacity"].picked.emit()
        self.window.desk.select(self.layer(1).id)
        self.assertEqual(lanes["opacity"].chosen, set())
        lanes["opacity"].choose({0, 1})
        lanes["colour"].select(0)
        self.assertEqual(lanes["opacity"].chosen, set())

    def test_lanes_stand_beside_each_other_and_go_across(self):
        kept = self.window.story.pin("life")
        self.window.desk.select(self.layer(1).id)
        self.qt.processEvents()
        mine, other = self.window.story.bodies["life"].lanes["opacity"], kept.body.lanes["opacity"]
        self.assertEqual(other._differs, self.layer(0).life.opacity != self.layer(1).life.opacity)
        other.take_shape(curve((0, 0.3), (1, 0.1)))
        self.assertEqual(len(self.layer(0).life.opacity.keys), 2)
        self.assertTrue(mine.take(other.as_text()))
        self.assertEqual(self.layer(1).life.opacity, self.layer(0).life.opacity)
        kept.closed.emit()
        self.assertIsNone(self.window.story.pinned)

    def test_lanes_of_several_axes_are_hidden_locked_and_left_alone(self):
        body = self.window.story.bodies["life"]
        for axis in "xyz":
            body.add_lane(f"velocity {axis}")
        self.qt.processEvents()
        first, second = body.blocks[-3], body.blocks[-2]
        self.assertEqual([button.text() for button in first.axes], ["x", "y", "z"])
        self.assertEqual([name for _, name in first.lane.kin], ["y", "z"])
        QTest.mouseClick(first.axes[1], LEFT)
        self.assertEqual([name for _, name in first.lane.kin], ["z"])
        QTest.mouseClick(first.axes[0], LEFT, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(first.lane.kin, ())
        QTest.mouseClick(first.axes[0], LEFT, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(len(first.lane.kin), 2)
        self.assertEqual([name for _, name in second.lane.kin], ["x", "z"], "each has eyes of its own")
        QTest.mouseClick(first.axes[0], LEFT)
        before = self.effect
        QTest.mouseClick(first.lane, LEFT, pos=first.lane.box().center().toPoint())
        first.lane.take_shape(curve((0, 3), (1, 3)))
        self.assertIs(self.effect, before)
        QTest.mouseClick(first.axes[0], LEFT)
        first.lane.take_shape(curve((0, 3), (1, 3)))
        self.assertEqual(self.layer(0).life.more[-3].curve.keys[0].value, 3)

    def test_a_curve_among_rows_is_opened_large_and_marks_stand_on_lanes_over_distance(self):
        rate = self.window.story.show_field(("outlet", "rate_curve")) or self.field("outlet", "rate_curve")
        rate.editor.add()
        height = rate.height()
        QTest.keyClick(rate.editor.lane, Qt.Key.Key_Return)
        self.assertGreater(rate.height(), height + 60)
        QTest.keyClick(rate.editor.lane, Qt.Key.Key_Return)
        self.assertEqual(rate.height(), height)
        layer = self.layer(0)
        over = replace(new_lane(layer, "size"), over="distance", low=0.0, high=4.0)
        effect = with_value(self.effect, ("layers", 0, "life", "more"), (over,))
        living = Timeline(effect).frame(1.5).layers[0]
        self.window.document.change("lane", effect)
        shown = self.window.story.bodies["life"]._on_axis(over, living, slice(None))
        self.assertEqual(len(shown), living.count)
        straight = np.linalg.norm(living.position - living.position[-1], axis=1)
        self.assertGreater(shown.max(), 0.1)
        self.assertTrue((np.diff(shown[np.argsort(living.age * living.life)]) > -1).all())
        self.assertGreater(np.corrcoef(shown, straight)[0, 1], 0.5, "who has come far is far")

    def test_values_and_chapters_are_copied_and_pasted_as_text(self):
        from pale_ember.studio.kit.clipboard import clipboard_text

        held = Qt.KeyboardModifier.ControlModifier
        row = self.field("birth", "lifetime")
        row.editor.high.setFocus()
        QTest.keyClick(row.editor.high, Qt.Key.Key_C, held)
        speed = self.field("birth", "speed")
        speed.editor.high.setFocus()
        QTest.keyClick(speed.editor.high, Qt.Key.Key_V, held)
        self.assertEqual(self.layer(0).birth.speed, self.layer(0).birth.lifetime)
        forces = self.window.story.chapters["forces"]
        self.window.story.bring("forces")
        forces.setFocus()
        QTest.keyClick(forces, Qt.Key.Key_C, held)
        self.window.desk.select(self.layer(2).id)
        QTest.keyClick(forces, Qt.Key.Key_V, held)
        self.assertEqual(self.layer(2).forces, self.layer(0).forces)
        for text in ("nonsense", '{"pale-ember": "forces", "value": {"drag": "much"}}', '{"pale-ember": "value", "value": "x"}'):
            copy_text(text)
            self.assertFalse(forces.take(clipboard_text()))
            self.assertFalse(speed.take(clipboard_text()))


class Room(driven.Window):
    def test_what_a_layer_of_the_quay_sets_needs_no_scrolling_in_the_whole_strip(self):
        story = self.window.story
        effects = [(path.stem, load(path)[0]) for path in demo_effects()]
        for chapter in (name for name in CHAPTERS if name != "life"):
            story.expand(chapter)
            body = story.bodies[chapter]
            self.assertIsInstance(body, ChapterRows)
            for stem, effect in effects:
                for layer in effect.layers:
                    body.standing.forget()
                    story.chapters[chapter].show_told(TOLD[chapter](effect, layer), layer)
                    body.show_layer(layer)
                    self.qt.processEvents()
                    self.assertEqual(body.verticalScrollBar().maximum(), 0, (stem, layer.name, chapter))

    def test_a_double_click_expands_and_widths_are_remembered(self):
        story = self.window.story
        look = story.chapters["look"]
        before = look.width()
        QTest.mouseDClick(look, LEFT, pos=QPoint(40, 14))
        self.qt.processEvents()
        self.assertEqual(look.width(), before)
        QTest.mouseDClick(look.heading.parentWidget(), LEFT, pos=QPoint(30, 8))
        self.qt.processEvents()
        self.assertGreater(look.width(), 3 * before)
        QTest.mouseDClick(look.heading.parentWidget(), LEFT, pos=QPoint(30, 8))
        self.qt.processEvents()
        self.assertEqual(look.width(), before)
        self.drag(story.strip.handle(5), QPoint(2, 60), QPoint(42, 60))
        wide = story.chapters["forces"].width()
        story.keep()
        again = Story(self.window.desk)
        again.resize(story.size())
        self.addCleanup(again.deleteLater)
        self.addCleanup(settings().remove, "widths")
        self.assertEqual(again._widths["forces"], wide)


if __name__ == "__main__":
    unittest.main()
