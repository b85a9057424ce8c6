"""The texture bench by mouse and keys: recipes made, painted, simulated, cut, packed, worn and looked through."""

import os
import tempfile
from pathlib import Path
from unittest import mock

import numpy as np
from msgspec.structs import replace
from PIL import Image
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from pale_ember.core.effect.recipe.recipe import Recipe
from pale_ember.core.effect.recipe.sources import Gas, PackedChannels, Paint, Picture
from pale_ember.formats.gases import key_of
from pale_ember.studio.bench.new_pictures import STARTS
from pale_ember.studio.controls.buttons import WordButton
from pale_ember.studio.kit.saved_items import own_parts
from tests.studio.driven import LEFT, Window


class Bench(Window):
    def setUp(self):
        super().setUp()
        self.bench = self.window.bench
        QTest.keyClick(self.window, Qt.Key.Key_T, Qt.KeyboardModifier.ControlModifier)
        self.wait_for(self.bench.isVisible)

    @property
    def recipe(self):
        return self.bench.chosen.recipe

    def start(self, name):
        self.bench.chosen.add_recipe(STARTS[name][1])
        self.qt.processEvents()

    def seen(self):
        """The whole sheet, once it has been painted as the recipe is now."""
        self.wait_for(lambda: self.bench.sheet is not None and self.bench._sheet_of is self.recipe)
        return self.bench.sheet

    def row(self, name):
        column = self.bench._columns[type(self.bench.chosen.step)]
        return next(row for row in column.rows if row.path[-1] == name)

    def add(self, word):
        """Adds a step as one does: the key, a word, Return."""
        QTest.keyClick(self.bench, Qt.Key.Key_Slash)
        finder = QApplication.activePopupWidget()
        QTest.keyClicks(finder.line, word)
        QTest.keyClick(finder.line, Qt.Key.Key_Return)
        self.qt.processEvents()

    def test_a_picture_is_made_changed_worn_and_taken_back(self):
        self.start("a soft dot")
        first = self.seen()
        self.add("erod")
        self.assertEqual([step.kind for step in self.recipe.steps], ["dot", "erode"])
        self.assertLess(self.seen()[..., 3].sum(), first[..., 3].sum())
        editor = self.row("by").editor
        before = self.recipe
        self.drag(editor, QPoint(60, 10), QPoint(110, 10))
        self.assertGreater(self.recipe.steps[1].by, before.steps[1].by)
        self.window.undo()
        self.assertEqual(self.recipe, before)
        QTest.mouseClick(self.bench.wear_button, LEFT)
        self.assertEqual(self.layer(0).look.picture, "recipe:dot")
        self.wait_for(lambda: self.window.stage.answer.request.effect is self.effect)
        self.assertEqual(self.window.desk.shelf.faults, {})
        self.assertEqual(self.bench.chosen.rename("hailstone"), "")
        self.assertEqual(self.layer(0).look.picture, "recipe:hailstone")
        self.assertIn("without #", self.bench.chosen.rename("a#b"))
        QTest.keyClick(self.bench, Qt.Key.Key_Escape)
        self.assertFalse(self.bench.isVisible())
        self.assertTrue(self.window.stage.isVisible())

    def test_escape_leaves_wherever_the_focus_is(self):
        self.start("a soft dot")
        self.seen()
        for widget in (self.row("radius").editor, self.bench.steps, self.bench.pictures, self.bench.view, self.bench.wear_button):
            if not self.bench.isVisible():
                self.window.screens.flip("Textures")
            widget.setFocus()
            self.qt.processEvents()
            QTest.keyClick(self.qt.focusWidget(), Qt.Key.Key_Escape)
            self.assertFalse(self.bench.isVisible(), widget)
        self.window.screens.flip("Textures")
        self.qt.focusWidget().clearFocus()
        QTest.keyClick(self.window, Qt.Key.Key_Escape)
        self.assertFalse(self.bench.isVisible())

    def test_steps_are_switched_dragged_and_removed(self):
        self.start("a soft dot")
        self.add("noise")
        self.add("blur")
        steps = self.bench.steps
        kinds = lambda: [step.kind for step in self.recipe.steps]  # noqa: E731
        self.assertEqual(kinds(), ["dot", "noise", "blur"])
        QTest.mouseClick(steps, LEFT, pos=QPoint(12, 26 + 13))
        self.assertFalse(self.recipe.steps[1].on)
        self.drag(steps, QPoint(80, 2 * 26 + 13), QPoint(80, 2))
        self.assertEqual(kinds(), ["blur", "dot", "noise"])
        QTest.mouseClick(steps, LEFT, pos=QPoint(80, 26 + 13))
        self.assertEqual(self.bench.chosen.step.kind, "dot")
        steps.setFocus()
        QTest.keyClick(steps, Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
        self.assertEqual(kinds(), ["blur", "noise", "dot"])
        QTest.keyClick(steps, Qt.Key.Key_Delete)
        self.assertEqual(kinds(), ["blur", "noise"])
        self.assertTrue(np.isfinite(self.seen()).all())

    def test_a_number_runs_over_the_frames(self):
        self.start("a soft dot")
        self.bench.chosen.change("frames", replace(self.recipe, frames=4, columns=2))
        self.bench.lanes.add("radius")
        lane = self.bench.lanes.rows[0].edit.lane
        QTest.mousePress(lane, LEFT, pos=QPoint(30, 40))
        QTest.mouseRelease(lane, LEFT, pos=QPoint(30, 40))
        self.assertEqual([each.drives for each in self.recipe.steps[0].lanes], ["radius"])
        self.assertGreater(len(self.recipe.steps[0].lanes[0].curve.keys), 2)
        sheet = self.seen()
        self.assertEqual(sheet.shape, (512, 512, 4))
        self.bench.show_frame(3)
        np.testing.assert_array_equal(self.bench.view.pixels, sheet[256:, 256:])

    def test_it_is_painted_by_hand_stroke_by_stroke(self):
        self.start("painted by hand")
        self.bench.chosen.choose_step(self.recipe.steps[0].key)
        self.assertTrue(self.bench.view.takes_strokes)
        middle = self.bench.view.rect().center()
        self.drag(self.bench.view, middle, middle + QPoint(60, 0))
        step = self.recipe.steps[0]
        self.assertIsInstance(step, Paint)
        self.assertEqual(len(step.strokes), 1)
        self.assertGreater(self.seen()[..., 3].max(), 0.4)
        QTest.mouseClick(self.bench.brush.edits["mirror"], LEFT)
        self.drag(self.bench.view, middle + QPoint(0, 80), middle + QPoint(-90, 80))
        self.assertTrue(self.recipe.steps[0].strokes[1].mirror)
        self.window.undo()
        self.assertEqual(len(self.recipe.steps[0].strokes), 1)

    def test_a_gas_is_steered_and_made_with_its_parts(self):
        small = Gas(grid=16, warm=0.2, span=0.2, smoke=9.0)
        self.bench.chosen.add_recipe(Recipe(name="plume", size=32, frames=4, columns=2, loop=True, steps=(small,)))
        self.wait_for(lambda: self.bench.sheet is not None and self.bench.sheet[..., 3].max() > 0.2)
        self.assertTrue(self.bench.bar.steer.isVisible())
        self.bench.bar.part = "light"
        self.bench._want()
        self.wait_for(lambda: self.bench.sheet.shape == (128, 64, 4))
        self.bench.bar.part = ""
        QTest.mouseClick(self.bench.bar.steer, LEFT)
        self.wait_for(lambda: self.bench.steered.steps > 1)
        view = self.bench.view
        place = view.box().center() + QPointF(0.25 * view.box().width(), 0)
        QTest.mouseClick(view, LEFT, pos=place.toPoint())
        self.assertAlmostEqual(self.recipe.gas.source_at[0], 0.5, delta=0.02)
        QTest.mouseClick(self.bench.bar.steer, LEFT)
        self.assertFalse(self.bench.steered.on)
        QTest.mouseClick(self.bench.wear_button, LEFT)
        self.assertEqual(self.layer(0).look.light.six, "recipe:plume#light")

    def test_a_sheet_is_first_seen_in_its_middle_and_a_gas_that_is_taken_back_is_no_longer_made(self):
        long = Gas(grid=160, warm=0.1, span=8.0, smoke=9.0)
        self.bench.chosen.add_recipe(Recipe(name="plume", size=64, frames=16, columns=4, steps=(long,)))
        gases = self.window.desk.gases
        self.assertEqual((self.bench.frame, self.bench.bar.slider.value()), (8, 8))
        self.bench.show_frame(3)
        self.bench.chosen.rename("steam")
        self.assertEqual(self.bench.frame, 3)
        self.wait_for(lambda: gases.progress is not None)
        self.window.undo()
        self.window.undo()
        self.wait_for(lambda: gases.progress is None and not gases._wishes)
        self.assertNotIn(key_of((long, 16, False, 64)), gases.kept)

    def test_channels_are_packed_with_few_gestures(self):
        self.start("packed channels")
        packed = self.seen()
        self.assertIsInstance(self.bench.chosen.step, PackedChannels)
        self.assertEqual([len(np.unique(packed[..., k])) > 16 for k in range(4)], [True] * 4)
        column = self.bench._columns[PackedChannels]
        edit = column.reveal(("steps", 0, "green", "picture")).editor
        edit.open()
        tiles = edit.library.tiles
        QTest.mouseClick(tiles, LEFT, pos=tiles._box(tiles.names.index("grain")).center().toPoint())
        self.assertEqual(self.recipe.steps[0].green.picture, "library:grain")
        other = self.seen()
        np.testing.assert_array_equal(other[..., 0], packed[..., 0])
        self.assertGreater(np.abs(other[..., 1] - packed[..., 1]).mean(), 0.02)
        QTest.mouseClick(self.bench.wear_button, LEFT)
        row = self.window.story.bodies["look"].fields.reveal(("look", "surface", "channel"))
        QTest.mouseClick(row.editor, LEFT)
        menu = QApplication.activePopupWidget()
        entries = {action.text(): action for action in menu.actions()}
        entries["ridges (green)"].trigger()
        menu.close()
        self.assertEqual(self.window.desk.effect.layers[0].look.surface.channel, "green")
        self.assertEqual(row.editor.called(row.editor.value), "ridges (green)")
        QTest.mouseClick(self.bench.bar.seen, LEFT)
        self.assertLess(self.bench.view.box().width(), 500)

    def test_an_empty_bench_needs_no_more_room_than_one_with_a_picture(self):
        begun = self.bench.minimumSizeHint()
        self.start("a noise")
        self.assertLessEqual(begun.width(), self.bench.minimumSizeHint().width())
        self.assertLessEqual(begun.height(), self.bench.minimumSizeHint().height())

    def test_what_tells_of_a_gas_has_its_room_before(self):
        self.bench._poll.stop()
        foot, high = self.bench.histogram.parentWidget(), []
        for there in (False, True):
            for widget in (self.bench.progress, self.bench.left, self.bench.stop_button):
                widget.setVisible(there)
            for _ in range(5):
                self.qt.processEvents()
            high.append(foot.height())
        self.assertEqual(*high)

    def test_an_empty_bench_offers_what_layers_have_and_what_one_may_begin_from(self):
        ways, before = self.bench.beginnings, self.window.desk.effect
        (tile, *_) = ways.tiles
        worn = before.layers[0].look.picture
        self.assertIn(before.layers[0].name, tile.accessibleName())
        QTest.mouseClick(tile, LEFT)
        self.assertEqual(self.window.desk.effect.layers[0].look.picture, f"recipe:{self.recipe.name}")
        self.assertEqual(self.recipe.name, worn.partition(":")[2])
        self.wait_for(lambda: self.bench.view.isVisible() and not ways.isVisible())
        self.window.undo()
        self.assertEqual(self.window.desk.effect, before, "one step takes it all back")
        self.assertTrue(ways.isVisible() and not self.bench.view.isVisible() and not self.bench.advice.isVisible())
        noise = next(each for each in ways.findChildren(WordButton) if each.text() == "a noise")
        noise.setFocus()
        QTest.keyClick(noise, Qt.Key.Key_Return)
        self.assertEqual((self.recipe.name, self.recipe.holds), ("noise", "grey"))

    def test_a_card_is_opened_as_a_recipe_and_a_sheet_is_cut(self):
        self.bench.deeds.take("library:embers")
        self.assertEqual((self.recipe.name, self.recipe.frames), ("embers", 4))
        with tempfile.TemporaryDirectory() as folder:
            self.window.files.save_to(Path(folder) / "kiln.pale")
            cells = [Image.new("RGBA", (24, 24), (0, 0, 0, 0)) for _ in range(4)]
            for k, cell in enumerate(cells):
                cell.paste((250, 160, 60, 255), (6 + k, 8, 14 + k, 16))
                cell.save(Path(folder) / f"chip-{k}.png")
            self.bench.deeds.bring_files([Path(folder) / f"chip-{k}.png" for k in (2, 0, 1, 3)])
            self.wait_for(lambda: self.recipe.name.startswith("chip"))
            step = self.recipe.steps[0]
            self.assertIsInstance(step, Picture)
            self.assertEqual((self.recipe.frames, step.columns * step.rows, self.recipe.size), (4, 4, 24))
            self.assertTrue((Path(folder) / step.picture).is_file())
            sheet = self.seen()
            left = [int(np.flatnonzero(sheet[:24, 24 * k : 24 * k + 24, 3].any(axis=0))[0]) for k in range(step.columns)]
            self.assertEqual(left, list(range(6, 6 + step.columns)))
            cut = self.bench.cut.view
            self.qt.processEvents()
            box = cut.box()
            QTest.mouseClick(cut, LEFT, pos=(box.topLeft() + QPointF(3, 3)).toPoint())
            self.assertEqual(self.recipe.steps[0].frames, "1-3")
            QTest.mouseClick(cut, LEFT, pos=(box.topLeft() + QPointF(3, 3)).toPoint())
            self.assertEqual(self.recipe.steps[0].frames, "")
            line = QPoint(int(box.left() + box.width() / step.columns), int(box.center().y()))
            self.drag(cut, line, QPoint(int(box.right()), line.y()))
            self.assertEqual(self.recipe.steps[0].columns, 1)
            self.bench.cut.guess()
            self.assertEqual(self.recipe.steps[0].columns, step.columns)
            with mock.patch.dict(os.environ, {"XDG_DATA_HOME": folder}):
                self.bench.deeds.keep()
                self.assertEqual(own_parts("recipes", Recipe), {self.recipe.name: self.recipe})
            out = Path(folder) / "chips.tga"
            self.seen()
            with mock.patch("pale_ember.studio.bench.picture_actions.QFileDialog.getSaveFileName", return_value=(str(out), "")):
                self.bench.deeds.ask_and_save()
                self.wait_for(lambda: self.bench.deeds.task is None)
            with Image.open(out) as image:
                self.assertEqual(image.size, (sheet.shape[1], sheet.shape[0]))

    def test_layers_become_one_sheet_and_one_layer(self):
        with tempfile.TemporaryDirectory() as folder:
            self.window.files.save_to(Path(folder) / "kiln.pale")
            before = self.effect
            self.window.desk.select(self.layer(1).id)
            self.bench.deeds.bake_layers()
            self.wait_for(lambda: self.effect is not before)
            self.assertEqual(len(self.effect.layers), len(before.layers) + 1)
            baked = self.window.desk.layer
            self.assertTrue((Path(folder) / baked.look.picture).is_file())
            self.assertFalse(self.effect.layers[2].shown)
            self.assertIn("particles became 1 particle", self.bench.said.text())
            self.window.undo()
            self.assertIs(self.effect, before)

    def test_six_way_light_goes_with_its_picture(self):
        edit = self.window.story.bodies["look"].picture
        edit.choose_card("rolling puff")
        self.assertEqual(self.layer(0).look.light.six, "library:rolling puff#light")
        edit.choose_card("streak")
        self.assertEqual(self.layer(0).look.light.six, "")

    def test_it_is_looked_through(self):
        self.start("a soft dot")
        self.seen()
        view = self.bench.view
        self.bench.bar.channel.choose("cover")
        middle = view.shown().pixelColor(128, 128)
        self.assertGreater(middle.red(), 250)
        self.bench.bar.channel.choose("picture")
        self.bench.bar.ground.choose("light")
        self.assertGreater(view.shown().pixelColor(1, 1).red(), 200)
        QTest.mouseClick(self.bench.bar.tiled, LEFT)
        self.assertTrue(view.tiled)
        QTest.mouseClick(self.bench.bar.small, LEFT)
        self.assertEqual((view.mip, view.shown().width()), (1, 128))
        view.look(tiled=False, mip=0)
        QTest.mouseMove(view, view.box().center().toPoint())
        self.wait_for(lambda: "alpha 100 %" in self.bench.values.text() or "alpha 99 %" in self.bench.values.text())

    def test_what_is_wrong_with_a_recipe_is_told_and_nothing_is_lost(self):
        self.start("a picture file")
        self.bench.chosen.change_step("picture", replace(self.recipe.steps[0], picture="recipe:picture file"))
        self.wait_for(lambda: "expected each to be made of others" in self.bench.said.text())
        self.bench.chosen.change_step("picture", replace(self.recipe.steps[0], picture="lost.png"))
        self.wait_for(lambda: "lost.png" in self.window.desk.shelf.faults)
        huge = replace(self.recipe, size=4096, frames=64, columns=8)
        self.bench.chosen.change("size", huge)
        self.wait_for(lambda: "at most 8192" in self.bench.said.text())
        self.window.undo()
        self.assertEqual(self.recipe.size, 256)
