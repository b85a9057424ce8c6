"""Variations are pointed at, taken and kept; a reference is seen, measured, taken from and fitted to."""

import tempfile
import time
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QColor, QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel

from pale_ember.core.effect.edit import with_value
from pale_ember.core.effect.stage import Reference
from pale_ember.core.reference.fit import target_of
from pale_ember.core.variation.nine import COUNT
from pale_ember.formats.clips import clip_bytes
from pale_ember.studio.insight import reference_page
from pale_ember.studio.stage import reference_overlay
from tests.studio.driven import LEFT, Window


class Variations(Window):
    def opened(self):
        page = self.window.variations
        QTest.keyClick(self.window.stage, Qt.Key.Key_W)
        self.assertTrue(page.isVisible())
        self.wait_for(lambda: len(page.grid.variations) == COUNT and not page.running, 60)
        return page

    def test_nine_are_seen_taken_and_taken_back(self):
        page, desk, before = self.opened(), self.window.desk, self.effect
        self.assertTrue(all(len(made.pictures) > 1 for made in page.grid.variations.values()), "they play")
        QTest.mouseMove(page.grid, page.grid.cell(4).center())
        self.wait_for(lambda: desk.looking.effect is page.grid.variations[4].effect)
        self.assertIs(self.effect, before, "what is pointed at is not taken")
        QTest.mouseMove(page.grid, page.grid.cell(5).center())
        wanted = page.grid.variations[5].effect
        QTest.mouseClick(page.grid, LEFT, pos=page.grid.cell(5).center())
        self.assertIs(self.effect, wanted)
        self.wait_for(lambda: len(page.grid.variations) == COUNT, 60, "nine of it are made")
        self.assertIsNot(page.grid.variations[0].effect, wanted)
        self.window.document.undo()
        self.assertEqual(self.effect, before)
        self.assertEqual(page.grid.variations, {})
        self.assertIn("roll again", page.said.text())

    def test_keys_choose_what_may_change_is_held_and_one_is_kept(self):
        page = self.opened()
        page.grid.setFocus()
        for key in (Qt.Key.Key_Right, Qt.Key.Key_Right, Qt.Key.Key_Down):
            QTest.keyClick(page.grid, key)
        self.assertEqual(page.grid.active, 4)
        next(action for action in page.menu_of(4).actions() if "variant" in action.text()).trigger()
        self.assertEqual([variant.name for variant in self.effect.variants], ["variation"])
        self.assertEqual(len(page.grid.variations), COUNT, "the others stay")
        page.vary_in("birth")
        self.assertIn("birth", page.scope_button.text())
        self.assertEqual(page.choice().chapters, ("birth",))
        QTest.mouseClick(page.kinds["hue"], LEFT)
        self.wait_for(lambda: not page._soon.isActive())
        self.wait_for(lambda: len(page.grid.variations) == COUNT and not page.running, 60)
        first = self.layer(0)
        for made in page.grid.variations.values():
            changed = made.effect.layers[0]
            self.assertEqual((changed.birth.tint, changed.forces), (first.birth.tint, first.forces))
        for switch in page.kinds.values():
            if switch.value:
                QTest.mouseClick(switch, LEFT)
        self.wait_for(lambda: "Nothing may change" in page.said.text())

    def test_what_lies_between_is_seen_and_applied(self):
        page = self.window.variations
        desk, layer = self.window.desk, self.layer(0)
        self.window.layers.variants.keep("small")
        path = ("layers", 0, "birth", "size")
        large = with_value(self.effect, path, type(layer.birth.size)(low=layer.birth.size.low * 3, high=layer.birth.size.high * 3))
        self.window.document.change("large", large)
        self.window.flip_side(page)
        page.mix_with("small")
        self.assertEqual(desk.looking.offered[0], "50% small")
        self.assertAlmostEqual(desk.looking.offered[1].layers[0].birth.size.high, layer.birth.size.high * 2, 5)
        self.assertIn("All of it is mixed", page.mix_said.text())
        self.type_into(page.share, "25")
        self.assertEqual(desk.looking.offered[0], "25% small")
        QTest.mouseClick(page.apply_button, LEFT)
        self.assertAlmostEqual(self.layer(0).birth.size.high, layer.birth.size.high * 2.5, 5)
        self.window.document.undo()
        self.assertEqual(self.effect, large)


class References(Window):
    def setUp(self):
        super().setUp()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        frames = []
        for i in range(30):
            frame = np.zeros((90, 160, 4), np.uint8)
            frame[..., 3] = 255
            frame[60 - i : 80, 60:100, :3] = (20, 60, 60 + 6 * i)
            frames.append(frame)
        (self.folder / "blue.mp4").write_bytes(clip_bytes(frames, 15.0, ".mp4"))
        self.window.files.save_to(self.folder / "fire.pale")

    def chosen(self, name="blue.mp4"):
        page = self.window.matching
        QTest.keyClick(self.window.stage, Qt.Key.Key_K)
        with mock.patch("PyQt6.QtWidgets.QFileDialog.getOpenFileName", return_value=(str(self.folder / name), "")):
            QTest.mouseClick(page.choose_button, LEFT)
        self.wait_for(lambda: not self.window.desk.reference.reading)
        return page

    def seen(self, x, y=0.74):
        """The colour of the window's stage at shares of its width and height."""
        stage = self.window.stage
        image = QImage(stage.grab()).scaled(stage.width(), stage.height())
        return QColor(image.pixel(round(x * stage.width()), round(y * stage.height())))

    def test_it_is_seen_beside_under_and_over_the_effect(self):
        page = self.chosen()
        self.assertEqual(self.effect.stage.reference.file, "blue.mp4", "by its path beside the effect")
        read = self.window.desk.reference.footage
        self.window.document.change("columns", with_value(self.effect, ("stage", "reference", "columns"), 4))
        self.assertIs(self.window.desk.reference.footage, read, "a clip is no sheet")
        self.window.desk.player.go_to(1.0)
        self.settle()
        self.assertGreater(self.seen(0.6).blue(), 100)
        self.window.desk.looking.divide(0.9)
        self.settle()
        self.assertLess(self.seen(0.6).blue(), 100, "left of the line is the effect")
        for shows, least in (("over", 40), ("behind", 90), ("difference", 90), ("beside", 100)):
            self.window.document.change("shown", with_value(self.effect, ("stage", "reference", "shows"), shows))
            self.settle()
            self.assertGreater(self.seen(*((0.75, 0.6) if shows == "beside" else (0.63,))).blue(), least, shows)
        self.window.document.change("hidden", with_value(self.effect, ("stage", "reference", "shows"), "hidden"))
        self.settle()
        self.assertLess(self.seen(0.63).blue(), 60)
        QTest.mouseClick(page.remove_button, LEFT)
        self.assertEqual(self.effect.stage.reference, Reference())
        words = [label.text() for label in page.findChildren(QLabel) if label.isVisible() and label.text()]
        self.assertEqual(words, [page.name.text()], "nothing of what needs one")
        self.assertIsNone(self.window.desk.reference.footage)

    def test_it_is_measured_taken_from_and_fitted_to(self):
        page = self.chosen()
        self.wait_for(lambda: page.ours is not None and page.said.text(), 60)
        self.assertTrue(page.said.text().startswith("Yours "), page.said.text())
        page.take("colour")
        stops = self.layer(0).life.colour.stops
        self.assertGreater(stops[-1].colour[2], 2 * stops[-1].colour[0], "blue")
        page.take("tint")
        tint = self.layer(0).birth.tint
        self.assertEqual((tint.first, max(tint.first)), (tint.second, tint.first[2]))
        page.take("brightness")
        self.assertGreaterEqual(len(self.layer(0).life.brightness.keys), 2)
        page.take("length")
        self.assertAlmostEqual(self.effect.duration, min(2.0, page.theirs.length), 2)
        for action in page.free_menu().actions():
            if action.text() in ("Birth: size", "Birth: speed"):
                action.trigger()
        self.assertEqual(page.free_button.text(), "2 may change")
        row = self.field("birth", "lifetime")
        with mock.patch(
            "pale_ember.studio.fields.row.Menu.open_at",
            lambda menu, at: next(action for action in menu.actions() if action.text() == "May change in a fit").trigger(),
        ):
            row.contextMenuEvent(mock.Mock())
        self.assertEqual([each.path for each in page.free()], [("birth", "size"), ("birth", "speed"), ("birth", "lifetime")])
        self.type_into(page.reach, "2")
        self.assertEqual({each.wide for each in page.free()}, {2.0})
        self.window.document.change_layer("lock", self.layer(0).id, ("locked",), True)
        self.assertEqual(page.free(), [], "a locked layer is held")
        self.window.document.undo()
        # Looking through the reference takes so long that it is to be measured anew meanwhile: the fit comes all the same.
        page._known = None
        slowly = mock.patch.object(reference_page, "target_of", lambda *given: (time.sleep(0.7), target_of(*given))[1])
        with slowly:
            QTest.mouseClick(page.fit_button, LEFT)
            page.measure()
            self.wait_for(lambda: page.doing == "fit")
        self.wait_for(lambda: page.best is not None and page.best.off < page.best.first, 120)
        apply = page.apply_button.geometry()
        QTest.mouseClick(page.stop_button, LEFT)
        self.wait_for(lambda: page.doing == "")
        self.assertEqual(page.apply_button.geometry(), apply, "nothing moves")
        best, before = page.best, self.effect
        self.assertIs(self.window.desk.looking.offered[1], best.effect)
        QTest.mouseClick(page.apply_button, LEFT)
        self.assertIs(self.effect, best.effect)
        self.window.document.undo()
        self.assertEqual(self.effect, before)

    def test_its_place_and_size_are_pulled_on_the_stage(self):
        page, stage = self.chosen(), self.window.stage
        self.settle()
        frame = reference_overlay._frame(self.window.desk.reference, stage.width(), stage.height())
        grips = reference_overlay._grips(frame)
        self.drag(stage, grips["place"].toPoint(), grips["place"].toPoint() + QPoint(40, -30))
        how = self.effect.stage.reference
        self.assertAlmostEqual(how.place[0], 40 / stage.height(), delta=0.01)
        self.assertAlmostEqual(how.place[1], 30 / stage.height(), delta=0.01)
        grips = reference_overlay._grips(reference_overlay._frame(self.window.desk.reference, stage.width(), stage.height()))
        self.drag(stage, grips["scale"].toPoint(), grips["scale"].toPoint() + QPoint(0, 40))
        self.assertLess(self.effect.stage.reference.scale, 0.85)
        page.hide()
        self.assertEqual(reference_overlay.grip_at(self.window.desk.reference, grips["place"], stage.width(), stage.height()), "")

    def test_its_bar_under_the_ruler_is_dragged_whole_and_by_its_ends(self):
        self.chosen()
        row = self.window.layers.reference
        self.assertTrue(row.isVisible())
        self.wait_for(lambda: self.window.desk.reference.footage is not None)
        x_at, y = row.table.x_at, 8
        second = x_at(1.0) - x_at(0.0)

        def pulled(part, by, held=Qt.KeyboardModifier.NoModifier):
            begin, end = row.span()
            at = {"bar": (begin + end) / 2, "begin": begin, "end": end}[part]
            start, to = QPoint(round(x_at(at)), y), QPoint(round(x_at(at) + by * second), y)
            QTest.mousePress(row, LEFT, held, start)
            QTest.mouseMove(row, start + (to - start) / 2)
            QTest.mouseMove(row, to)
            QTest.mouseRelease(row, LEFT, held, to)
            return self.effect.stage.reference

        how = pulled("end", -0.5)
        self.assertAlmostEqual(how.last, 1.5, delta=0.05)
        how = pulled("bar", 0.3)
        self.assertAlmostEqual(how.offset, 0.3, delta=0.05)
        how = pulled("begin", 0.2)
        self.assertAlmostEqual(how.first, 0.2, delta=0.05)
        self.assertAlmostEqual(how.offset, 0.5, delta=0.05, msg="what is left stays where it was")
        how = pulled("end", -0.4, Qt.KeyboardModifier.ShiftModifier)
        self.assertAlmostEqual(how.tempo, 1.3 / 0.9, delta=0.1)
        for _ in range(4):
            self.window.document.undo()
        self.assertEqual(self.effect.stage.reference, Reference(file="blue.mp4"), "one step of undo for each drag")

    def test_its_frames_are_laid_into_a_sheet(self):
        page = self.chosen()
        self.wait_for(lambda: page.ours is not None, 60)
        page.take("frames")
        self.assertEqual(self.window.screens.shown, "Textures")
        self.wait_for(lambda: self.effect.recipes, 60)
        (recipe,) = self.effect.recipes
        self.assertEqual(recipe.frames, 30)
        self.assertTrue((self.folder / f"{recipe.name}.png").exists())

    def test_what_cannot_be_read_or_lies_elsewhere_is_said(self):
        (self.folder / "cut.mp4").write_bytes((self.folder / "blue.mp4").read_bytes()[:300])
        page = self.chosen("cut.mp4")
        self.assertIn("cut.mp4: ", page.name.text())
        self.assertFalse(page.fit_button.isVisible())
        with tempfile.TemporaryDirectory() as elsewhere:
            far = Path(elsewhere) / "far.mp4"
            far.write_bytes((self.folder / "blue.mp4").read_bytes())
            # A document that names it by itself does not have it read.
            self.window.document.change("far", with_value(self.effect, ("stage", "reference", "file"), str(far)))
            self.assertIn("outside of the effect's folder", page.name.text())
            QTest.mouseClick(page.allow_button, LEFT)
            self.wait_for(lambda: self.window.desk.reference.footage is not None)

    def test_it_stays_the_file_that_it_was_wherever_the_effect_is_saved(self):
        self.chosen()
        (self.folder / "deeper").mkdir()
        self.window.files.save_to(self.folder / "deeper" / "fire.pale")
        self.assertEqual(self.effect.stage.reference.file, "../blue.mp4")
        self.wait_for(lambda: self.window.desk.reference.footage is not None)
        self.window.files.save_to(self.folder / "again.pale")
        self.assertEqual(self.effect.stage.reference.file, "blue.mp4")

    def test_a_clip_dropped_on_the_stage_is_the_reference(self):
        event = mock.Mock()
        url = mock.Mock(isLocalFile=lambda: True, toLocalFile=lambda: str(self.folder / "blue.mp4"))
        event.mimeData.return_value.urls.return_value = [url]
        event.modifiers.return_value = Qt.KeyboardModifier.NoModifier
        self.window.stage.dropEvent(event)
        self.assertEqual(self.effect.stage.reference.file, "blue.mp4")
        self.wait_for(lambda: self.window.desk.reference.footage is not None)
        # The line of a reference is dragged as that of a variant is.
        stage = self.window.stage
        middle = QPoint(round(stage.width() * 0.5), 60)
        self.drag(stage, middle, middle + QPoint(80, 0))
        self.assertGreater(self.window.desk.looking.share, 0.55)


if __name__ == "__main__":
    unittest.main()
