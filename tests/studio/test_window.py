"""The real window, driven by mouse and keys."""

import html
import math
import os
import tempfile
import time
from pathlib import Path
from unittest import mock

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QByteArray, QPoint, QPointF, QRect, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLabel, QMessageBox

from pale_ember.app import workbench
from pale_ember.core.effect.model import Effect
from pale_ember.core.insight.particle_story import story_of
from pale_ember.formats.document import save
from pale_ember.studio.shell import recovery
from pale_ember.studio.shell.shortcuts_page import BESIDE
from pale_ember.studio.shell.window import Workbench
from pale_ember.studio.stage.layer_handles import handles
from tests.examples import Birth, Burst, Outlet, drip, effect, fixed
from tests.studio import driven
from tests.studio.driven import LEFT


class Work(driven.Window):
    def test_the_stage_shows_the_fire_and_the_layers_their_lives(self):
        alive = self.window.layers.table
        self.settle(lambda: len(alive.alive) == 3 and all(len(counts) > 100 for counts in alive.alive.values()))
        picture = self.window.stage.answer.picture
        self.assertGreater(int(picture[..., 0].max()), 200)
        self.assertGreater(self.window.stage.pictures_shown, 0)
        self.assertEqual(len(self.window.layers.table.alive), 3)
        self.assertIn("alive", self.window.readout.accessibleDescription())

    def test_add_drag_undo_save_reopen(self):
        table = self.window.layers.table
        table.add("drops")
        self.assertEqual([layer.name for layer in self.effect.layers][-1], "drops")
        self.settle()
        self.assertGreaterEqual(len(self.window.stage.answer.frame.layers), 4)
        rate = self.field("outlet", "rate").editor.high
        before, steps = self.layer(3).outlet.rate, len(self.window.document.past)
        self.drag(rate, QPoint(20, 12), QPoint(70, 12))
        self.assertGreater(self.layer(3).outlet.rate.low, before.low)
        self.assertEqual(len(self.window.document.past), steps + 1)
        QTest.keyClick(self.window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(self.layer(3).outlet.rate, before)
        QTest.keyClick(self.window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
        self.assertGreater(self.layer(3).outlet.rate.low, before.low)
        QTest.keyClick(self.window, Qt.Key.Key_Y, Qt.KeyboardModifier.ControlModifier)
        said = self.window.hints.accessibleDescription
        self.assertEqual(said(), "Nothing to redo.")
        self.drag(rate, QPoint(20, 12), QPoint(30, 12))
        self.assertEqual(said(), "", "it holds no longer")
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "kiln mouth"
            self.assertTrue(self.window.document.unsaved)
            self.window.files.save_to(path)
            self.assertFalse(self.window.document.unsaved)
            kept = self.effect
            self.window.files.new()
            self.assertEqual(self.effect.layers, ())
            self.assertTrue(self.window.files.open(path.with_name("kiln mouth.pale")))
            self.assertEqual(self.effect, kept)

    def test_numbers_type_arithmetic_units_wheel_and_reset(self):
        self.window.desk.select(self.layer(1).id)
        self.qt.processEvents()
        row = self.field("outlet", "radius")
        for text, value in (("2*0.2", 0.4), ("25 cm", 0.25), ("*2", 0.5), ("-3", 0.0)):
            self.type_into(row.editor, text)
            self.assertAlmostEqual(self.layer(1).outlet.radius, value)
        self.type_into(row.editor, "0.7")
        at = QPointF(row.editor.rect().center())
        wheel = QWheelEvent(at, QPointF(row.editor.mapToGlobal(at.toPoint())), QPoint(), QPoint(0, 120), Qt.MouseButton.NoButton,
                            Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
        QApplication.sendEvent(row.editor, wheel)
        self.assertGreater(self.layer(1).outlet.radius, 0.7)
        QTest.mouseDClick(row.editor, LEFT)
        self.assertEqual(self.layer(1).outlet.radius, 0.3)
        lifetime = self.field("birth", "lifetime").editor
        QTest.mouseClick(lifetime.low, LEFT)
        QTest.keyClicks(lifetime.low._line, "0.8 ± 25%")
        QTest.keyClick(lifetime.low._line, Qt.Key.Key_Return)
        drawn = self.layer(1).birth.lifetime
        self.assertAlmostEqual(drawn.low, 0.6)
        self.assertAlmostEqual(drawn.high, 1.0)

    def test_a_key_is_added_on_the_curve_dragged_typed_and_deleted(self):
        self.window.desk.select(self.layer(1).id)
        self.qt.processEvents()
        lane = self.window.story.bodies["life"].lanes["size"]
        keys = len(self.layer(1).life.size.keys)
        start = QPoint(round(lane.x_at(0.8)), round(lane.y_at(lane.on_curve(0.8))))
        value = lane.on_curve(0.8)
        QTest.mousePress(lane, LEFT, pos=start)
        self.assertAlmostEqual(self.layer(1).life.size.keys[3].value, value, delta=0.03)
        QTest.mouseMove(lane, start + QPoint(12, -18))
        QTest.mouseRelease(lane, LEFT, pos=start + QPoint(12, -18))
        added = self.layer(1).life.size.keys
        self.assertEqual(len(added), keys + 1)
        self.assertGreater(added[3].value, value)
        self.assertEqual([key.at for key in added], sorted(key.at for key in added))
        body = self.window.story.bodies["life"]
        self.type_into(body.key_value, "0.25")
        self.assertAlmostEqual(self.layer(1).life.size.keys[3].value, 0.25)
        lane.setFocus()
        QTest.keyClick(lane, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
        QTest.keyClick(lane, Qt.Key.Key_Delete)
        self.assertEqual(len(self.layer(1).life.size.keys), keys)
        other = body.lanes["brightness"]
        other.setFocus()
        QTest.keyClick(other, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(len(self.layer(1).life.brightness.keys), keys + 1)

    def test_the_held_moment_is_simulated_again_at_an_edit(self):
        self.window.desk.player.go_to(1.5)
        self.settle()
        before = self.window.stage.answer.frame
        row = self.field("forces", "gravity")
        self.window.desk.select(self.layer(1).id)
        self.qt.processEvents()
        self.type_into(row.editor.parts[1], "6")
        self.settle()
        after = self.window.stage.answer.frame
        self.assertEqual(after.time, before.time)
        self.assertGreater(after.layers[1].position[:, 1].mean(), before.layers[1].position[:, 1].mean())
        np.testing.assert_array_equal(after.layers[0].position, before.layers[0].position)

    def test_an_idle_field_leads_to_what_it_needs(self):
        self.window.files.new()
        self.window.layers.table.add("empty")
        self.qt.processEvents()
        wind, drag = self.field("forces", "wind"), self.field("forces", "drag")
        self.assertTrue(wind.editor.idle)
        wind.enterEvent(None)
        self.assertIn("drag is 0", self.window.hints.accessibleDescription())
        QTest.mouseClick(self.window.hints, LEFT)
        self.assertTrue(drag.editor.hasFocus())
        self.type_into(drag.editor, "1.5")
        self.assertFalse(wind.editor.idle)
        drag.reset()
        self.assertEqual(self.layer(0).forces.drag, 0.0)

    def test_taking_back_a_new_layer_goes_back_to_the_one_before_and_it_stays_in_sight(self):
        chosen = self.layer(1)
        self.window.desk.select(chosen.id)
        for add in (self.window.layers.table.duplicate, lambda: self.window.layers.table.add("sparks")):
            add()
            self.assertNotEqual(self.window.desk.selection, chosen.id)
            self.window.undo()
            self.assertEqual(self.window.desk.selection, chosen.id)
        self.window.down.setSizes([240, 560])
        for _ in range(5):
            self.qt.processEvents()
        table, area = self.window.layers.table, self.window.layers.area
        top = table.row_box(1).top() - area.verticalScrollBar().value()
        self.assertTrue(top >= -2 and top + 40 <= area.viewport().height() + 4, (top, area.viewport().height()))

    def test_every_command_s_key_stands_in_the_guide(self):
        guide = (Path(__file__).parents[2] / "docs" / "user-guide.md").read_text()
        for command in self.window.commands:
            row = f"| {', '.join(command.keys)} | {command.words} |"
            self.assertIn(row, guide)
        for keys, words in BESIDE:
            self.assertIn(f"| {keys} | {words} |", guide)

    def test_the_window_stands_on_its_screen_with_its_frame(self):
        screen = mock.Mock()
        screen.availableGeometry.return_value = QRect(0, 0, 1280, 800)
        nothing = mock.patch("pale_ember.studio.shell.window.kept_bytes", return_value=QByteArray())
        with nothing, mock.patch.object(Workbench, "screen", return_value=screen):
            window = workbench(self.effect, None, in_window=False)
        self.assertLessEqual(window.height() + 28, 800)
        self.assertEqual(window.width(), 1280)
        window.end()
        window.deleteLater()

    def test_numbers_open_chapters_and_a_question_mark_shows_all_keys(self):
        story = self.window.story
        before = {name: chapter.geometry() for name, chapter in story.chapters.items()}
        QTest.keyClick(self.window.stage, "8")
        self.assertEqual(story.chapters["look"].visibleRegion().boundingRect(), story.chapters["look"].rect())
        self.assertEqual({name: chapter.geometry() for name, chapter in story.chapters.items()}, before)
        self.window.story.open_by_number("look")
        self.qt.processEvents()
        self.assertGreater(story.chapters["look"].width(), 1200)
        self.window.story.open_by_number("look")
        self.qt.processEvents()
        self.assertEqual({name: chapter.geometry() for name, chapter in story.chapters.items()}, before)
        story.bring("outlet")
        rate = self.field("outlet", "rate").editor.high
        rate.setFocus()
        QTest.keyClick(rate, Qt.Key.Key_3)
        self.assertTrue(rate.typing)
        QTest.keyClick(self.qt.focusWidget(), Qt.Key.Key_Return)
        self.assertEqual(rate.value, 3.0)
        QTest.keyClick(self.window.stage, "?")
        page = self.qt.activePopupWidget()
        self.assertEqual(page.accessibleName(), "all keys")
        told = "".join(label.text() for label in page.findChildren(QLabel))
        for command in self.window.commands:
            self.assertIn(html.escape("Go to a chapter" if command.keys[0].isdigit() else command.words), told)
        QTest.keyClick(page, Qt.Key.Key_Escape)
        self.settle()

    def test_views_are_kept_in_the_document_and_home_goes_back(self):
        stage = self.window.stage
        first = self.window.desk.looking.camera
        stage.hand.orbit(50, 10)
        stage.hand.zoom(2.0)
        stage.hand.pan(20, 0)
        self.window.transport.keep_camera("from the quay")
        self.assertEqual(self.effect.stage.cameras[-1].distance, first.distance * 2)
        QTest.keyClick(self.window.story, Qt.Key.Key_Home)
        self.assertEqual(self.window.desk.looking.camera, first)
        self.window.undo()
        self.assertEqual(len(self.effect.stage.cameras), 1)

    def test_scrubbing_stepping_and_playing(self):
        table = self.window.layers.table
        QTest.mouseClick(self.window.layers.ruler, LEFT, pos=QPoint(round(table.x_at(1.0)), 8))
        self.assertAlmostEqual(self.window.desk.player.moment, 1.0, delta=0.02)
        moment = self.window.desk.player.moment
        QTest.keyClick(self.window.stage, Qt.Key.Key_Period)
        self.assertAlmostEqual(self.window.desk.player.moment, (math.floor(moment * 60 + 1e-6) + 1) / 60)
        QTest.keyClick(self.window.stage, Qt.Key.Key_Space)
        shown = self.window.stage.pictures_shown
        end = time.monotonic() + 10
        while self.window.stage.pictures_shown < shown + 10 and time.monotonic() < end:
            self.qt.processEvents()
        self.assertGreaterEqual(self.window.stage.pictures_shown, shown + 10)
        self.assertLess(self.window.stage.answer.request.scale, 1.0)
        QTest.keyClick(self.window.stage, Qt.Key.Key_Space)
        self.settle(lambda: self.window.stage.answer.request.scale == 1.0)

    def test_a_click_follows_a_particle_and_its_way_is_that_of_the_timeline(self):
        stage, desk = self.window.stage, self.window.desk
        desk.player.go_to(1.5)
        self.settle()
        frame = stage.answer.frame
        layer = next(one for one in reversed(frame.layers) if one.count)
        row = int(np.argmin(np.abs(layer.age - 0.5)))
        x, y, _ = stage.view().project(layer.position[row], stage.width(), stage.height())[0]
        QTest.mouseClick(stage, LEFT, pos=QPoint(round(x), round(y)))
        followed = desk.looking.followed
        self.assertIsNotNone(followed)
        found, at = stage.follower.layer_in(frame)
        self.assertEqual(desk.layer.id, found.layer.id)
        near = stage.view().project(found.position[at], stage.width(), stage.height())[0]
        self.assertLess(np.hypot(near[0] - x, near[1] - y), 40)
        self.assertIn(f"of {found.layer.name}", story_of(self.effect, found.layer, found, at))
        end = time.monotonic() + 30
        while len(stage.follower.way) < 3 and time.monotonic() < end:
            self.qt.processEvents()
        away = np.linalg.norm(stage.follower.way - found.position[at], axis=1)
        self.assertLess(away.min(), np.linalg.norm(np.diff(stage.follower.way, axis=0), axis=1).max() + 0.02)
        stage.grab()
        QTest.keyClick(stage, Qt.Key.Key_BracketRight)
        self.assertNotEqual(desk.looking.followed, followed)
        stage.follower.follow(None, frame)
        self.assertIsNone(desk.looking.followed)

    def test_a_held_key_shows_what_was_before_the_last_edit(self):
        before, stage = self.effect, self.window.stage
        self.window.document.change_layer("rate", self.layer(0).id, ("outlet", "rate"), fixed(3.0))
        self.settle()
        QTest.keyPress(self.window.windowHandle(), Qt.Key.Key_B)
        end = time.monotonic() + 20
        while stage.answer.request.effect is not before and time.monotonic() < end:
            self.qt.processEvents()
        self.assertIs(stage.answer.request.effect, before)
        self.assertEqual(self.layer(0).outlet.rate, fixed(3.0))
        QTest.keyRelease(self.window.windowHandle(), Qt.Key.Key_B)
        self.settle()
        self.assertIs(stage.answer.request.effect, self.effect)

    def test_a_one_shot_ends_says_so_and_starts_again_on_an_edit(self):
        layer = drip(outlet=Outlet(rate=0.0, bursts=(Burst(count=9),)), birth=Birth(lifetime=fixed(0.2)))
        self.window.document.open(effect(layer, duration=0.2), None)
        player = self.window.desk.player
        player.again()
        end = time.monotonic() + 10
        while player.playing and time.monotonic() < end:
            self.qt.processEvents()
        self.assertIn("ended", self.window.transport.clock.words())
        self.window.document.change_layer("count", layer.id, ("outlet", "bursts", 0, "count"), 12)
        self.assertTrue(player.playing)
        self.assertLess(player.moment, 0.1)
        self.window.transport.repeat.setChecked(True)
        player.go_to(5.0)
        self.assertTrue(player.playing)
        self.assertLess(player.moment, 0.1)

    def test_rows_hide_rename_reorder_duplicate_delete_and_stand_alone(self):
        table = self.window.layers.table
        names = [layer.name for layer in self.effect.layers]
        box = table.row_box(0)
        QTest.mouseClick(table, LEFT, pos=QPoint(14, round(box.center().y())))
        self.assertFalse(self.layer(0).shown)
        QTest.mouseDClick(table, LEFT, pos=QPoint(60, round(box.center().y())))
        table._line.setText("haze")
        QTest.keyClick(table._line, Qt.Key.Key_Return)
        self.assertEqual(self.layer(0).name, "haze")
        table.setFocus()
        QTest.keyClick(table, Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
        self.assertEqual(self.layer(1).name, "haze")
        table.duplicate()
        self.assertEqual(self.layer(2).name, "haze 2")
        QTest.keyClick(table, Qt.Key.Key_A)
        self.settle()
        self.assertEqual([one.layer.name for one in self.window.stage.answer.frame.layers], [])
        QTest.keyClick(table, Qt.Key.Key_Delete)
        self.assertEqual(len(self.effect.layers), 3)
        while self.window.document.undo():
            pass
        self.assertEqual([layer.name for layer in self.effect.layers], names)

    def handles(self, layer):
        stage = self.window.stage
        return handles(stage.stand_of(layer), stage.screen_now())

    def seen(self, handle):
        return self.window.stage.screen_now().point(handle.origin)

    def test_the_layer_is_dragged_on_the_stage_and_the_camera_is_not_history(self):
        stage, layer = self.window.stage, self.layer(1)
        self.window.desk.select(layer.id)
        self.qt.processEvents()
        handle = next(h for h in self.handles(layer) if h.name == "radius")
        centre = stage.view().project(np.array(layer.place), stage.width(), stage.height())[0]
        outward = 2 * self.seen(handle) - QPointF(centre[0], centre[1])
        self.drag(stage, self.seen(handle).toPoint(), outward.toPoint())
        self.assertAlmostEqual(self.layer(1).outlet.radius, 2 * layer.outlet.radius, delta=0.05)
        found = self.handles(self.layer(1))
        turn = next(h for h in found if h.name == "turn y")
        away = turn.origin - np.array(layer.place)
        goal = np.array(layer.place) + [away[2], 0.0, -away[0]]
        x, y, _ = stage.view().project(goal, stage.width(), stage.height())[0]
        self.drag(stage, self.seen(turn).toPoint(), QPoint(round(x), round(y)))
        self.assertAlmostEqual(self.layer(1).turn[1], 90.0, delta=6.0)
        steps = len(self.window.document.past)
        self.assertEqual(steps, 2)
        camera = self.window.desk.looking.camera
        self.drag(stage, QPoint(60, 60), QPoint(140, 90))
        self.assertNotEqual(camera.heading, self.window.desk.looking.camera.heading)
        stage.frame_effect()
        self.assertEqual(len(self.window.document.past), steps)

    def test_handles_follow_the_pointer_under_scale_turn_stretch_and_what_carries_the_layer(self):
        carrier, ridden = self.layer(0), self.layer(2)
        keyed = replace(carrier, scale=1.5, turn=(20.0, 40.0, 0.0), place=(0.2, 0.1, 0.0))
        own = replace(
            ridden, rides_on=carrier.id, scale=2.0, turn=(10.0, -30.0, 25.0), place=(0.1, 0.2, 0.0),
            outlet=replace(ridden.outlet, shape="box", extent=(0.3, 0.2, 0.4), shape_turn=(0.0, 50.0, 0.0),
                           stretch=(1.0, 2.0, 0.5), offset=(0.1, 0.0, 0.0)),
        )  # fmt: skip
        self.window.document.change("rigged", replace(self.effect, layers=(keyed, self.layer(1), own)))
        self.window.desk.select(own.id)
        self.settle()
        stage = self.window.stage
        stage.resize(stage.size())
        for what in ("place x", "place z", "extent y", "extent z", "turn x", "turn y", "turn z"):
            start = next(h for h in self.handles(self.layer(2)) if h.name == what)
            if what.startswith("turn"):
                place = stage.stand_of(self.layer(2)).frames.place[0]
                away, angle = start.origin - place, math.radians(35.0)
                goal = place + math.cos(angle) * away + math.sin(angle) * np.cross(start.axis, away)
            else:
                goal = start.origin + 0.25 * start.axis
            x, y, _ = stage.view().project(goal, stage.width(), stage.height())[0]
            self.drag(stage, self.seen(start).toPoint(), QPoint(round(x), round(y)))
            end = next(h for h in self.handles(self.layer(2)) if h.name == what)
            if what.startswith("turn"):
                i = "xyz".index(what[-1])
                self.assertAlmostEqual(self.layer(2).turn[i] - own.turn[i], 35.0, delta=4.0, msg=what)
                self.window.undo()
            else:
                np.testing.assert_allclose(end.origin, goal, atol=0.03, err_msg=what)

    def test_a_sheet_is_baked_seen_and_kept(self):
        bake = self.window.open.sheet()
        bake.editors["frames"].set_by_hand(6)
        bake.editors["columns"].set_by_hand(3)
        bake.editors["cell"].set_by_hand(32)
        bake.bake()
        end = time.monotonic() + 30
        while bake.sheet is None and time.monotonic() < end:
            self.qt.processEvents()
        self.assertEqual(bake.sheet.pixels.shape, (64, 96, 4))
        self.assertIn("loop closes", bake.verdict.text())
        self.assertIn("96 × 64 px", bake.size_told.text())
        bake.also["vectors"].click()
        self.assertFalse(bake.save_button.isEnabled(), "what is shown is not what was asked for")
        bake.view_choice.choose("fitted to its body")
        bake.over.choose("checker")
        before = bake.sheet
        bake.bake()
        while bake.sheet is before and time.monotonic() < end:
            self.qt.processEvents()
        bake.shown.choose("vectors")
        bake.view.grab()
        with tempfile.TemporaryDirectory() as folder:
            bake.save(Path(folder) / "kiln.png")
            self.wait_for(lambda: "Exported kiln.png" in bake.verdict.text())
            self.assertEqual(sorted(p.name for p in Path(folder).iterdir()), ["kiln-vectors.png", "kiln.json", "kiln.png"])
            bake.save(Path(folder) / "kiln.dds")
            self.wait_for(lambda: "Exported kiln.dds" in bake.verdict.text())
            bake.save(Path(folder) / "gone" / "kiln.png")
            self.wait_for(lambda: "could not be written" in bake.verdict.text())
        bake.editors["frames"].reset()
        self.assertEqual(bake.plan.columns, 3, "chosen by hand, so kept")
        bake.close()

    def test_clips_and_caches_are_kept_and_what_makes_none_is_told(self):
        motion = self.window.open.clip()
        with tempfile.TemporaryDirectory() as folder:
            for kind, name in (("WebP, moving", "kiln.webp"), ("USD, packed", "kiln.usdc")):
                motion.kind.choose(kind)
                motion.numbers["last"].set_by_hand(0.2)
                motion.numbers["wide"].set_by_hand(48)
                motion.numbers["tall"].set_by_hand(32)
                self.assertEqual(motion.view.isEnabled(), motion.draws)
                motion.keep(Path(folder) / name)
                self.wait_for(lambda name=name: name in motion.verdict.text())
                self.assertGreater((Path(folder) / name).stat().st_size, 100)
            motion.keep(Path(folder) / "stopped.usdc")
            motion.button.click()
            self.wait_for(lambda: motion.button.text() == "Keep…")
            self.assertFalse((Path(folder) / "stopped.usdc").exists())
        motion.kind.choose("MP4")
        motion.over.choose("none")
        self.assertIn("has no transparency", motion.told.text())
        self.assertFalse(motion.button.isEnabled())
        motion.over.choose("dark")
        motion.numbers["wide"].set_by_hand(641)
        self.assertIn("640 ×", motion.told.text())
        self.assertIn("films have even sides", motion.told.text())
        motion.numbers["first"].set_by_hand(3.0)
        self.assertIn("expected an end after its start", motion.told.text())
        motion.close()

    def test_unsaved_work_is_asked_about_and_found_after_a_crash(self):
        self.window.document.change("name", replace(self.effect, name="Molten drips"))
        with mock.patch.object(QMessageBox, "question", return_value=QMessageBox.StandardButton.Cancel) as asked:
            self.window.files.new()
        self.assertEqual((asked.call_count, self.effect.name), (1, "Molten drips"))
        self.assertTrue(self.window.aside.holds(self.effect))
        self.assertEqual(recovery.left_behind(), ([], []))
        os.close(self.window.aside._held)  # As the system does when the process ends.
        (found,), troubles = recovery.left_behind()
        self.assertEqual((found.effect, troubles), (self.effect, []))
        found.file.with_suffix(".json").write_text('{"process": 1e30')
        self.assertEqual([work.effect for work in recovery.left_behind()[0]], [self.effect])
        found.file.write_text("{")
        self.assertIn("cannot be read", recovery.left_behind()[1][0])
        self.window.aside._held = None
        recovery.forget(found.file)

    def test_a_bad_file_is_refused_and_a_failed_save_keeps_the_work(self):
        with tempfile.TemporaryDirectory() as folder, mock.patch.object(QMessageBox, "warning") as told:
            bad = Path(folder) / "bad.pale"
            bad.write_text("{")
            self.assertFalse(self.window.files.open(bad))
            self.assertIn("bad.pale", told.call_args.args[2])
            self.window.document.change("name", replace(self.effect, name="Eel lamp"))
            self.assertFalse(self.window.files.save_to(Path(folder) / "none" / "x.pale"))
            self.assertTrue(self.window.document.unsaved)
            save(Effect(name="Tide mist"), Path(folder) / "mist.pale")

    def test_a_picture_of_ones_own_and_a_missing_one(self):
        with tempfile.TemporaryDirectory() as folder:
            self.window.files.save_to(Path(folder) / "kiln.pale")
            from PIL import Image

            Image.new("RGBA", (32, 32), (255, 200, 90, 255)).save(Path(folder) / "grain.png")
            picture = self.window.story.bodies["look"].picture
            self.window.desk.file_given.emit(Path(folder) / "grain.png", "")
            self.settle(lambda: not self.window.importer.busy)
            self.assertEqual(self.layer(0).look.picture, "grain.png")
            self.settle()
            self.assertEqual(self.window.desk.shelf.faults, {})
            (Path(folder) / "grain.png").unlink()
            self.window.stage.refresh()
            self.settle(lambda: bool(self.window.desk.shelf.faults))
            picture.choose_card("ring")
            self.assertEqual(self.layer(0).look.picture, "library:ring")


class InWindow(driven.Window):
    """The same window with the stage in its own OpenGL."""

    in_window = True

    def test_the_stage_is_drawn_and_equals_the_headless_picture(self):
        surface = self.window.stage.surface
        self.window.desk.looking.overlays = False
        self.window.stage.refresh()
        self.settle(lambda: surface.frames_drawn > 1)
        self.qt.processEvents()
        self.assertEqual(self.errors, [])
        image = surface.grabFramebuffer().convertToFormat(surface.grabFramebuffer().format().Format_RGBA8888)
        shown = np.frombuffer(image.bits().asarray(image.sizeInBytes()), np.uint8).reshape(image.height(), image.width(), 4)
        from pale_ember.core.view import view_of
        from pale_ember.draw.offscreen import offscreen

        answer = self.window.stage.answer
        with offscreen(self.window.desk.shelf_get) as renderer:
            size = image.width(), image.height()
            truth = renderer.picture(answer.frame, view_of(answer.request.camera, *size), answer.request.shot, *size)
        difference = np.abs(shown[..., :3].astype(int) - truth[..., :3].astype(int))
        self.assertLess(difference.mean(), 0.6)
        self.assertGreater(int(truth.max()), 200)
