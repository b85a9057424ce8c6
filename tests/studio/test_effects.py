"""The effects of a folder by hand: found, compared, opened, played together, renamed; what is shared is followed; versions merged."""

import os
import shutil
import time
import unittest
from unittest import mock

import numpy as np
from msgspec.structs import replace
from PIL import Image
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QInputDialog, QLabel, QMessageBox

from pale_ember import ASSETS
from pale_ember.core.effect.edit import with_value
from pale_ember.core.effect.values import fixed
from pale_ember.core.effect.variants import with_kept
from pale_ember.formats.document import dumps, load
from pale_ember.studio.kit.saved_items import shared_folder, use_shared
from tests.examples import SMALL_FIRE
from tests.folder import InFolder
from tests.studio import driven

FIRE = replace(load(SMALL_FIRE)[0], name="lantern flame")
CTRL = Qt.KeyboardModifier.ControlModifier


class InGame(InFolder, driven.Window):
    def setUp(self):
        super().setUp()
        caches = mock.patch.dict(os.environ, {"XDG_CACHE_HOME": str(self.folder / "cache")})
        caches.start()
        self.addCleanup(caches.stop)
        self.addCleanup(use_shared, None)
        self.game = self.folder / "quay"
        (self.game / "fire").mkdir(parents=True)
        (self.game / "build.json").write_text("{}")
        Image.fromarray(np.full((8, 8, 3), 90, np.uint8)).save(self.game / "fire" / "a.png")
        self.put("small fire", FIRE)
        self.put("fire/speckled", with_value(replace(FIRE, name="speckled"), ("layers", 0, "look", "picture"), "a.png"))
        shutil.copy(ASSETS / "demo" / "molten-drips.pale", self.game / "molten-drips.pale")
        (self.game / "broken.pale").write_text("{")
        self.window.files.open(self.game / "small fire.pale")
        self.window.desk.player.pause()
        self.settle()

    def put(self, name, effect):
        path = self.game / f"{name}.pale"
        path.write_bytes(dumps(effect))
        return path

    def press(self, text):
        QTest.keyClicks(self.qt.focusWidget(), text)
        self.qt.processEvents()

    def key(self, key, modifiers=Qt.KeyboardModifier.NoModifier):
        QTest.keyClick(self.qt.focusWidget() or self.window, key, modifiers)
        self.qt.processEvents()


class Screen(InGame):
    def setUp(self):
        super().setUp()
        self.key(Qt.Key.Key_O, CTRL | Qt.KeyboardModifier.ShiftModifier)
        self.page = self.window.gallery
        self.grid = self.page.effects.grid
        self.wait_for(lambda: len(self.grid.tiles) == 4)

    def known(self):
        self.wait_for(lambda: all(card.figures is not None or card.fault for card in self.page.index.cards.values()), 90)

    def test_effects_are_found_compared_played_together_and_opened(self):
        self.known()
        self.wait_for(lambda: any(tile.problem for tile in self.grid.tiles))
        self.assertEqual(sorted(tile.title for tile in self.grid.tiles if tile.problem and tile.told == "cannot be read"), ["broken"])
        self.grid.setFocus()
        self.press("m")
        self.press("olten")
        self.assertEqual(self.page.effects.words.text(), "molten")
        self.assertEqual([tile.key for tile in self.grid.tiles], ["molten-drips"])
        self.key(Qt.Key.Key_Return)
        self.assertIn("Layers:", self.page.effects.details.more.text())
        self.wait_for(lambda: self.page.effects._image("molten-drips") is not None)
        self.page.effects.words.clear()
        for name, modifier in (("small fire", Qt.KeyboardModifier.NoModifier), ("fire/speckled", CTRL)):
            place = next(i for i, tile in enumerate(self.grid.tiles) if tile.key == name)
            QTest.mouseClick(self.grid, driven.LEFT, modifier, self.grid.box(place).center())
        self.wait_for(lambda: "things differ" in self.page.effects.details.more.text())
        self.assertIn("name lantern flame → speckled", self.page.effects.details.more.text())
        QTest.mouseClick(self.page.effects.details.together, driven.LEFT)
        self.wait_for(
            lambda: self.page.effects.details.pictures[0]._image is not None and self.page.effects.details.pictures[1].isHidden()
        )
        self.assertEqual(self.page.effects.details.pictures[0]._image.width(), 400)
        place = next(i for i, tile in enumerate(self.grid.tiles) if tile.key == "molten-drips")
        QTest.mouseDClick(self.grid, driven.LEFT, Qt.KeyboardModifier.NoModifier, self.grid.box(place).center())
        self.assertEqual((self.window.document.effect.name, self.window.screens.shown), ("Molten drips", "Workbench"))

    def test_what_changes_in_the_folder_is_seen_and_what_is_known_is_kept(self):
        self.known()
        self.put("new one", replace(FIRE, name="new one"))
        self.wait_for(lambda: len(self.grid.tiles) == 5)
        self.known()
        self.key(Qt.Key.Key_Escape)
        self.assertEqual(self.window.screens.shown, "Workbench")
        again = self.page.index.__class__(self.game)
        begin = time.monotonic()
        self.assertEqual(again.list({name: card.stamp for name, card in self.page.index.cards.items()}), [])
        self.assertLess(time.monotonic() - begin, 5)
        self.assertTrue(again.cards["new one"].figures.picture)

    def test_an_effect_over_which_the_checker_ends_is_told_and_the_others_go_on(self):
        self.known()
        view, cards = self.page.effects, self.page.index.cards
        for name in ("fire/speckled", "molten-drips"):
            cards[name] = replace(cards[name], figures=None)
        view._looking = ["fire/speckled", "molten-drips"]
        self.window.checker._folders = {self.game: None}
        self.window.checker._begin_anew(9)
        self.known()
        told = {name: [each.said for each in self.page.index.cards[name].figures.findings] for name in ("fire/speckled", "molten-drips")}
        self.assertEqual(told["fire/speckled"], ["The program that played it ended"])
        self.assertNotIn("The program that played it ended", told["molten-drips"])

    def test_a_picture_is_renamed_by_typing_and_undone_with_the_keys_of_undo(self):
        self.page.tabs["pictures"].click()
        view = self.page.pictures
        self.wait_for(lambda: "fire/a.png" in view.files and view.files["fire/a.png"][1].used)
        place = next(i for i, tile in enumerate(view.grid.tiles) if tile.key == "fire/a.png")
        QTest.mouseClick(view.grid, driven.LEFT, Qt.KeyboardModifier.NoModifier, view.grid.box(place).center())
        self.assertIn("Used by fire/speckled.", view.told.text())
        view.name_line.setFocus()
        view.name_line.selectAll()
        self.press("fire/emb")
        self.page.look()
        self.wait_for(lambda: self.page._task is None and view._task is None)
        self.press("ers.png")
        self.key(Qt.Key.Key_Return)
        self.assertIs(self.qt.focusWidget(), view.grid)
        self.wait_for(lambda: load(self.game / "fire" / "speckled.pale")[0].layers[0].look.picture == "embers.png")
        self.wait_for(lambda: view.card is not None and view.card.name == "fire/embers.png" and view.card.used)
        self.key(Qt.Key.Key_Z, CTRL)
        self.wait_for(lambda: not view.done)
        self.assertEqual(load(self.game / "fire" / "speckled.pale")[0].layers[0].look.picture, "a.png")
        self.assertTrue((self.game / "fire" / "a.png").exists())
        self.assertEqual(self.window.document.effect, load(self.game / "small fire.pale")[0])


class KeptForBuilds(InGame):
    def test_what_a_dialog_is_set_to_is_kept_with_the_effect_and_let_go(self):
        document = self.window.document
        sheet, clip = self.window.open.sheet(), self.window.open.clip()
        sheet.editors["frames"].edited.emit(9, None)
        sheet.also["vectors"].click()
        for dialog in (sheet, sheet, clip):
            QTest.mouseClick(dialog.kept.keep_button, driven.LEFT)
        one, other = document.effect.bakes
        self.assertEqual((one.frames, one.vectors, one.name), (9, True, "lantern flame sheet"))
        self.assertEqual((other.ending, other.wide), (".webp", 640))
        self.assertEqual(clip.kept.kept_button.text(), "kept 2")
        clip.kept.drop(one.name)
        self.assertEqual(document.effect.bakes, (other,))
        self.window.undo()
        self.window.files.save()
        self.assertEqual(load(self.game / "small fire.pale")[0].bakes, (one, other))
        sheet.close()
        clip.close()


class SharedByAll(InGame):
    def test_a_layer_is_shared_added_elsewhere_and_takes_the_change(self):
        document, table = self.window.document, self.window.layers.table
        self.window.desk.select(document.effect.layers[0].id)
        with mock.patch.object(QInputDialog, "getText", return_value=("house flame", True)):
            table.share()
        self.assertEqual([each.source for each in document.effect.follows], ["starts/house flame"])
        self.assertEqual(shared_folder().names("starts"), ["house flame"])
        self.window.files.save()
        self.window.screens.show_screen("Effects")
        self.window.gallery.tabs["shared"].click()
        starts = self.window.gallery.shared.starts
        self.wait_for(lambda: [tile.title for tile in starts.grid.tiles] == ["house flame"] and starts.index.cards["house flame"].figures)
        self.wait_for(lambda: starts._image("house flame") is not None)
        rows = self.window.gallery.shared
        self.wait_for(lambda: "followed by lantern flame" in [each.text() for row in rows.rows for each in row.findChildren(QLabel)])
        starts.grid.opened.emit("house flame")
        self.assertEqual((document.effect.name, self.window.screens.shown), ("house flame", "Workbench"))
        self.window.files.open(self.game / "molten-drips.pale")
        table.add("house flame")
        layer = self.window.desk.layer
        self.assertEqual(document.effect.follows[-1].layer, layer.id)
        document.change_layer("hotter", layer.id, ("birth", "brightness"), fixed(7.0))
        start = shared_folder().start("house flame")
        shared_folder().share("starts", "house flame", with_value(start, ("layers", 0, "outlet", "limit"), 77))
        self.window.flip_side(self.window.changes)
        page = self.window.changes
        self.assertEqual(len(page.news), 1)
        take = next(
            button for card in page.cards for button in card.findChildren(type(page.against_button)) if button.text() == "take the change"
        )
        QTest.mouseMove(take)
        QTest.mouseClick(take, driven.LEFT)
        taken = next(each for each in document.effect.layers if each.id == layer.id)
        self.assertEqual((taken.outlet.limit, taken.birth.brightness), (77, fixed(7.0)))
        self.wait_for(lambda: not page.news)
        self.window.undo()
        self.wait_for(lambda: len(page.news) == 1)

    def test_opening_says_what_has_changed_since(self):
        document, table = self.window.document, self.window.layers.table
        with mock.patch.object(QInputDialog, "getText", return_value=("house flame", True)):
            table.share()
        self.window.files.save()
        start = shared_folder().start("house flame")
        shared_folder().share("starts", "house flame", with_value(start, ("layers", 0, "outlet", "limit"), 5))
        self.window.files.open(self.game / "molten-drips.pale")
        self.window.files.open(self.game / "small fire.pale")
        self.wait_for(lambda: "follows has changed in the folder" in self.window.hints._text)
        table.go_own_way()
        self.assertEqual(document.effect.follows, ())


class Versions(InGame):
    def buttons(self, text):
        page = self.window.changes
        return [each for card in page.cards for each in card.findChildren(type(page.against_button)) if each.text() == text]

    def test_what_differs_is_told_and_taken_back_alone(self):
        document, page = self.window.document, self.window.changes
        layer = document.effect.layers[0]
        document.change("variant", with_kept(document.effect, "calm"))
        self.window.files.save()
        document.change_layer("rate", layer.id, ("outlet", "rate"), fixed(99.0))
        document.change_layer("life", layer.id, ("birth", "lifetime"), fixed(3.0))
        self.window.stage.setFocus()
        self.key(Qt.Key.Key_D)
        self.wait_for(lambda: len(page.differences) == 2)
        self.assertEqual(page.said.text(), "2 things differ from the saved file.")
        page.both.click()
        self.assertEqual(self.window.desk.looking.beside.layers[0].outlet.rate, layer.outlet.rate)
        button = self.buttons("restore this")[0]
        QTest.mouseMove(button, QPoint(5, 5))
        self.wait_for(page.underMouse)
        QTest.mouseClick(button, driven.LEFT)
        self.wait_for(lambda: len(page.differences) == 1)
        self.assertEqual(document.effect.layers[0].outlet.rate, layer.outlet.rate)
        self.assertEqual(document.effect.layers[0].birth.lifetime, fixed(3.0))
        self.assertFalse(self.buttons("restore this")[0].isEnabled(), "what was done stays in its place while the pointer is here")
        QTest.mouseMove(self.window.stage)
        self.wait_for(lambda: len(page.cards) == 1)
        page.compare_with("calm")
        self.assertEqual(page.differences[0].layer, layer.name)
        self.window.flip_side(page)
        self.assertIsNone(self.window.desk.looking.offered)

    def test_a_copy_is_compared_with_what_was_opened_until_it_has_a_file(self):
        document, page = self.window.document, self.window.changes
        self.window.files.open_copy(self.game / "small fire.pale")
        document.change_layer("rate", document.effect.layers[0].id, ("outlet", "rate"), fixed(99.0))
        self.window.stage.setFocus()
        self.key(Qt.Key.Key_D)
        self.wait_for(lambda: page.said.text() == "1 thing differs from what was opened.")
        self.assertEqual(page.against_button.text(), "against what was opened")
        self.buttons("restore this")[0].click()
        self.assertEqual(document.effect, document.begun)
        self.window.files.save_to(self.game / "another.pale")
        self.assertEqual(page.against_button.text(), "against the saved file")
        self.window.flip_side(page)

    def test_what_another_program_changed_is_merged_and_chosen_on_the_stage(self):
        document, page = self.window.document, self.window.changes
        layer, path = document.effect.layers[0], self.game / "small fire.pale"
        document.change_layer("rate", layer.id, ("outlet", "rate"), fixed(20.0))
        theirs = with_value(FIRE, ("layers", 0, "outlet", "rate"), fixed(30.0))
        theirs = with_value(theirs, ("layers", 0, "birth", "size"), fixed(0.5))
        path.write_bytes(dumps(theirs))
        self.window.files.look()
        QTest.mouseClick(self.window.files.notice.buttons["Merge"], driven.LEFT)
        self.assertTrue(page.isVisible())
        self.assertEqual(document.effect.layers[0].birth.size, fixed(0.5))
        self.assertEqual(document.effect.layers[0].outlet.rate, fixed(20.0))
        self.assertEqual(len(page.merge.conflicts), 1)
        document.change_layer("life", layer.id, ("birth", "lifetime"), fixed(3.0))
        QTest.mouseMove(self.buttons("theirs")[0], QPoint(4, 4))
        QTest.mouseClick(self.buttons("theirs")[0], driven.LEFT)
        now = document.effect.layers[0]
        self.assertEqual((now.outlet.rate, now.birth.lifetime), (fixed(30.0), fixed(3.0)))
        self.assertTrue(self.buttons("theirs")[0].isChecked())
        self.window.undo()
        self.assertEqual(document.effect.layers[0].outlet.rate, fixed(20.0))
        self.wait_for(lambda: not self.buttons("theirs")[0].isChecked())
        with mock.patch.object(QMessageBox, "question", side_effect=AssertionError):
            self.assertTrue(self.window.files.save())
        self.assertEqual(load(path)[0].layers[0].outlet.rate, fixed(20.0))
        self.assertIsNone(page.merge)
        self.wait_for(lambda: page.said.text() == "Nothing differs from the saved file.")


if __name__ == "__main__":
    unittest.main()
