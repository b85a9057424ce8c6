"""What goes wrong leaves the artist at work: it is told, nothing is lost, and the next try finds everything in order."""

import shutil
import sys
import tempfile
import threading
import time
from pathlib import Path
from typing import get_args, get_origin
from unittest import mock

from msgspec.structs import replace
from PIL import Image
from PyQt6.QtCore import QPoint, QSettings, QTimer
from PyQt6.QtTest import QTest

from pale_ember.app import Unforeseen, workbench
from pale_ember.core.effect.edit import value_at, with_value
from pale_ember.core.effect.fields import Part, declared_at, fields_of, kinds_of
from pale_ember.core.effect.files import files_of
from pale_ember.core.effect.model import Effect, Layer, Stage
from pale_ember.core.insight.effect_cost import TARGETS
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.draw.renderer import Renderer
from pale_ember.formats.document import load, save
from pale_ember.formats.shelf import Shelf
from pale_ember.machine.error_log import LOG
from pale_ember.studio.document import asset_import, file_watch
from pale_ember.studio.fields.edit_target import OfLayer, OfStage, target
from pale_ember.studio.kit.settings import settings
from pale_ember.studio.shell.files import demo_effects
from pale_ember.studio.stage import view
from tests.folder import InFolder
from tests.studio import driven
from tests.studio.test_looking import drop


def fields_below(kind):
    """Every declared field of a kind of part and of all that it can hold."""
    for declared in fields_of(kind).values():
        yield declared
        inner = get_args(declared.type)[0] if get_origin(declared.type) is tuple else declared.type
        if isinstance(inner, type) and issubclass(inner, Part):
            for part in kinds_of(inner).values() or (inner,):
                yield from fields_below(part)


class Steady(driven.Window):
    def edit(self, rate):
        layer = self.layer(0)
        value = replace(layer.outlet.rate, low=rate, high=rate)
        self.window.document.change_layer("rate", layer.id, ("outlet", "rate"), value)

    def test_a_worker_that_fails_says_so_and_works_on(self):
        told = []
        self.window.worker.failed.connect(told.append)
        for thing, name in ((Timeline, "frame"), (Timeline, "explore"), (Renderer, "picture")):
            with self.subTest(name), mock.patch.object(thing, name, side_effect=ZeroDivisionError("a stuck bung")):
                with self.assertLogs("pale_ember", "ERROR"):
                    self.edit(20.0 + len(told))
                    self.wait_for(lambda: told)
                self.assertIn("a stuck bung", told[-1])
            told.clear()
            self.failures.clear()
            self.edit(50.0 + len(name))
            self.settle()
            self.assertGreater(self.window.stage.answer.frame.layers[0].count, 0)

    def test_who_fails_to_take_a_picture_keeps_none_from_coming(self):
        def fails(answer):
            raise ValueError("a stuck bung")

        self.window.stage.shown.connect(fails)
        self.edit(20.0)
        self.wait_for(lambda: self.errors)
        self.window.stage.shown.disconnect(fails)
        self.wait_for(lambda: not self.window.stage.waiting)
        before = self.window.stage.pictures_shown
        self.window.stage.refresh()
        self.wait_for(lambda: self.window.stage.pictures_shown > before)
        self.errors.clear()

    def test_a_worker_that_nothing_is_heard_of_is_left_for_another(self):
        ends, real = threading.Event(), Timeline.frame
        hung = []

        def hangs(timeline, *asked, **more):
            if not hung:
                hung.append(threading.current_thread())
                ends.wait(60)
            return real(timeline, *asked, **more)

        stage = self.window.stage
        with mock.patch.object(Timeline, "frame", hangs), mock.patch.object(view, "STUCK_AFTER", (2.5, 2.5)):
            with self.assertLogs("pale_ember", "ERROR") as log:
                self.edit(33.0)
                self.wait_for(lambda: stage.late)
                self.assertEqual(stage.late, "Making the picture")
                self.settle()
            self.assertIn("ends.wait(60)", log.output[0])
        self.assertIn("did not answer", self.failures.pop())
        self.assertEqual(stage.late, "")
        shown = stage.pictures_shown
        ends.set()
        hung[0].join(20)
        self.assertFalse(hung[0].is_alive())
        self.assertEqual(stage.pictures_shown, shown)
        self.edit(44.0)
        self.settle()

    def test_a_picture_that_takes_its_time_says_what_it_does(self):
        stage, said = self.window.stage, []
        with mock.patch.object(self.window.worker, "going", lambda: ("embers", 90, 240)), mock.patch.object(view, "LATE_AFTER", 0.0):
            real = Timeline.frame
            with mock.patch.object(Timeline, "frame", lambda *a, **k: (time.sleep(0.8), real(*a, **k))[1]):
                self.edit(21.0)
                self.wait_for(lambda: stage.late)
                said.append(stage.late)
                self.settle()
        self.assertEqual(said, ["Simulating embers: 1.5 of 4.0 s"])
        timeline = Timeline(self.effect)
        self.assertIsNone(timeline.going())
        timeline.frame(1.0)
        self.assertIsNone(timeline.going())

    def test_work_that_cannot_be_written_aside_is_told_once_and_tried_again(self):
        aside, told = self.window.aside, []
        aside.troubled.connect(told.append)
        for error in (OSError(28, "No space left on device"), RuntimeError("a wet page")):
            with mock.patch("pale_ember.studio.shell.recovery.write_whole", side_effect=error), mock.patch.object(LOG, "error"):
                for rate in (21.0, 22.0):
                    self.edit(rate)
                    self.assertFalse(aside.holds(self.effect))
                self.wait_for(lambda: told)
            self.assertEqual(len(told), 1)
            self.assertIn(str(error.args[-1]), told.pop())
            self.edit(30.0)
            self.assertTrue(aside.holds(self.effect))

    def test_an_importer_that_fails_is_free_again(self):
        with tempfile.TemporaryDirectory() as folder:
            self.window.files.save_to(Path(folder) / "kiln.pale")
            (Path(folder) / "slag.png").write_bytes(b"not a picture at all")
            failing = mock.patch.object(asset_import, "_taken", side_effect=RuntimeError("a torn sack"))
            with failing, self.assertLogs("pale_ember", "ERROR"), mock.patch.object(asset_import.QMessageBox, "warning") as told:
                drop(self.window.stage, Path(folder) / "slag.png", QPoint(50, 50))
                self.wait_for(lambda: not self.window.importer.busy)
            self.assertIn("a torn sack", told.call_args.args[2])
            used = []
            made = Path(folder) / "ash.png"
            Image.new("RGBA", (16, 16), (90, 80, 70, 120)).save(made)
            self.window.importer.bring(made, used.append)
            self.wait_for(lambda: used)
            self.assertEqual(used, ["ash.png"])

    def test_a_bake_that_fails_can_be_begun_again(self):
        bake = self.window.open.sheet()
        for name, value in (("frames", 4), ("columns", 2), ("cell", 16)):
            bake.editors[name].set_by_hand(value)
        with mock.patch("pale_ember.studio.bake.sheet_dialog.draw_sheet", side_effect=MemoryError("no room")):
            bake.bake()
            self.wait_for(lambda: "no room" in bake.verdict.text())
        bake.bake()
        self.wait_for(lambda: bake.sheet is not None)
        bake.close()

    def test_what_nobody_expected_on_any_thread_is_told_and_the_work_is_safe(self):
        watcher, aside = Unforeseen(), self.window.aside
        watcher.told.connect(self.window.tell_unforeseen)
        for start in (lambda: threading.Thread(target=lambda: 1 / 0).start(), lambda: QTimer.singleShot(0, lambda: {}["a missing bung"])):
            aside.end()
            with (
                mock.patch.object(sys, "excepthook"),
                mock.patch.object(threading, "excepthook"),
                self.assertLogs("pale_ember", "ERROR") as kept,
            ):
                watcher.watch()
                self.edit(31.0 + len(self.window.document.past))
                aside._timer.stop()
                start()
                self.wait_for(lambda: "Something unforeseen" in self.window.hints.accessibleDescription())
            self.assertIn("Traceback", kept.output[0])
            self.assertIn("pale-ember.log", self.window.hints.accessibleDescription())
            self.wait_for(lambda: aside.kept is self.window.document.effect)
            self.window.hints.show_hint("")
        self.edit(77.0)
        self.settle()

    def test_a_settings_file_cut_short_costs_its_contents_alone(self):
        store = settings()
        store.sync()
        file = Path(store.fileName())
        file.parent.mkdir(parents=True, exist_ok=True)
        for damaged in (
            "geometry=hello\nacross=5\nupright=@ByteArray(",
            "[General\nrecent=7, @Invalid()\nfavourite pictures=@",
            "\x00\xff\n==",
        ):
            file.write_text(damaged)
            QSettings("pale-ember", "pale-ember").sync()
            second = workbench(Effect(), None, in_window=False)
            second.show()
            self.qt.processEvents()
            second.end()
            second.deleteLater()

    def saved(self, folder):
        """The document with a file of its own, and a way for others to write it."""
        path = Path(folder) / "kiln.pale"
        self.assertTrue(self.window.files.save_to(path))

        def written(name):
            save(replace(load(path)[0], name=name), path)

        return path, written

    def test_a_document_that_others_write_is_taken_again_where_nothing_is_lost_by_it(self):
        with tempfile.TemporaryDirectory() as folder:
            path, others_write = self.saved(folder)
            mine = self.effect
            others_write("theirs")
            self.wait_for(lambda: self.effect.name == "theirs")
            self.assertFalse(self.window.document.unsaved)
            self.assertFalse(self.window.files.notice.isVisible())
            self.window.undo()
            self.assertEqual(self.effect, mine)
            self.assertTrue(self.window.files.save())
            self.assertEqual(load(path)[0], mine)
            path.write_text("{")
            self.wait_for(lambda: "not loaded" in self.window.hints._text)
            self.assertEqual(self.effect, mine)
            path.unlink()
            self.assertTrue(self.window.files.save())

    def test_what_others_wrote_meanwhile_is_never_written_over_unasked(self):
        for choice, left in (("Take theirs", ["kiln"]), ("Keep mine", ["kiln"]), ("Keep both", ["kiln", "kiln 2"])):
            with self.subTest(choice), tempfile.TemporaryDirectory() as folder:
                path, others_write = self.saved(folder)
                self.edit(31.0 + ord(choice[-1]) / 2)
                mine, focus = self.effect, self.qt.focusWidget()
                others_write("theirs")
                notice = self.window.files.notice
                self.wait_for(notice.isVisible)
                self.assertIs(self.qt.focusWidget(), focus)
                self.assertFalse(self.window.files.save())
                self.assertEqual(load(path)[0].name, "theirs")
                QTest.mouseClick(notice.buttons[choice], driven.LEFT)
                self.assertFalse(notice.isVisible())
                self.assertEqual(sorted(each.stem for each in Path(folder).iterdir()), left)
                if choice == "Take theirs":
                    self.assertEqual(self.effect.name, "theirs")
                    self.window.undo()
                self.assertEqual(self.effect, mine)
                self.assertTrue(self.window.files.save())
                self.assertEqual(load(self.window.document.path)[0], mine)
                self.window.document.open(mine, None)

    def test_what_another_program_writes_is_taken_at_the_moment_that_is_shown(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "slag.png"
            Image.new("RGBA", (32, 32), (255, 20, 20, 255)).save(path)
            self.assertTrue(self.window.files.save_to(Path(folder) / "kiln.pale"))
            self.window.desk.player.go_to(1.0)
            for layer in self.effect.layers:
                self.window.document.change_layer("slag", layer.id, ("look", "picture"), "slag.png")
            self.settle()
            shelf, before = self.window.desk.shelf, self.window.desk.shelf.get("slag.png")

            def green() -> bool:
                picture = self.window.stage.answer.picture.astype(int)
                return (picture[..., 1] - picture[..., 0]).max() > 40

            self.assertFalse(green())
            path.write_bytes(path.read_bytes()[:40])
            self.wait_for(lambda: "slag.png" in shelf.faults)
            self.assertIs(shelf.get("slag.png"), before, "half a picture leaves the last whole one")
            Image.new("RGBA", (32, 32), (20, 255, 20, 255)).save(path)
            self.wait_for(green)
            self.assertEqual(self.window.desk.shelf.faults, {})
            self.assertEqual(self.window.desk.player.moment, 1.0)
            self.wait_for(lambda: "slag.png: changed on disk" in self.window.hints.accessibleDescription())

    def test_a_file_that_changes_between_its_first_reading_and_the_first_look_is_told(self):
        with tempfile.TemporaryDirectory() as folder, mock.patch.object(file_watch, "EVERY", 0.3):
            path = Path(folder) / "slag.png"
            Image.new("RGBA", (8, 8), (255, 20, 20, 255)).save(path)
            shelf = Shelf(Path(folder))
            watch = file_watch.FileWatch(shelf)
            self.addCleanup(watch.end)
            told = []
            watch.changed.connect(told.append)
            shelf.get("slag.png")
            Image.new("RGBA", (9, 9), (20, 255, 20, 255)).save(path)
            shelf.get("slag.png")
            self.wait_for(lambda: told == [["slag.png"]], 5)

    def test_what_is_amiss_with_a_file_is_told_when_it_comes_and_when_it_goes(self):
        tell, faults = self.window.stage.shown.emit, self.window.desk.shelf.faults
        said = self.window.hints.accessibleDescription
        answer = self.window.stage.answer
        faults["slag.png"] = "slag.png: half a picture"
        tell(answer)
        self.assertEqual(said(), "slag.png: half a picture")
        self.window.hints.show_hint("What the pointer is on.")
        tell(answer)
        self.assertEqual(said(), "What the pointer is on.")
        faults.clear()
        tell(answer)
        self.assertEqual(said(), "slag.png: changed on disk, and taken again.")

    def test_what_a_field_needs_is_somewhere_to_go(self):
        desk = self.window.desk
        for kind, subject, root in ((Layer, OfLayer(desk), self.layer(0)), (Stage, OfStage(desk), self.effect.stage)):
            needs = [need for declared in fields_below(kind) for need in declared.field.needs]
            paths = {need.path for need in needs if not need.own}
            self.assertTrue(paths)
            for path in paths:
                value_at(root, path)
                goal = target(subject, path)
                self.assertEqual(goal.label, declared_at(kind, path).field.label)
                desk.sought.emit(goal)
                self.qt.processEvents()
                still = (None, self.window, self.window.stage)
                self.wait_for(lambda still=still: self.qt.focusWidget() not in still, 5, path)
                self.window.activateWindow()
                self.window.stage.setFocus()
                self.wait_for(lambda: self.qt.focusWidget() is self.window.stage, 5)


class SavedElsewhere(InFolder, driven.Window):
    def test_what_an_effect_reads_goes_along_to_another_folder(self):
        for name in ("one", "two", "three"):
            (self.folder / name).mkdir()
        Image.new("RGBA", (4, 4), "white").save(self.folder / "one" / "salt.png")
        picture = (self.folder / "one" / "salt.png").read_bytes()
        self.window.files.save_to(self.folder / "one" / "fire.pale")
        self.window.document.change("dress", with_value(self.effect, ("layers", 0, "look", "picture"), "salt.png"))
        self.assertTrue(self.window.files.save_to(self.folder / "two" / "fire.pale"))
        self.assertEqual((self.folder / "two" / "salt.png").read_bytes(), picture)
        # What lies above comes to lie beside, what is named from the root stays there.
        above, root = ("layers", 1, "look", "picture"), ("layers", 2, "look", "picture")
        shutil.copy(self.folder / "one" / "salt.png", self.folder / "grain.png")
        here = with_value(with_value(self.effect, above, "../grain.png"), root, str(self.folder / "grain.png"))
        self.window.document.change("dress", here)
        (self.folder / "deeper" / "still").mkdir(parents=True)
        self.assertTrue(self.window.files.save_to(self.folder / "deeper" / "still" / "fire.pale"))
        self.assertEqual(sorted(each.name for each in (self.folder / "deeper" / "still").glob("*.png")), ["grain.png", "salt.png"])
        self.assertEqual([each.name for each in (self.folder / "deeper").iterdir()], ["still"])
        self.assertEqual(self.layer(1).look.picture, "grain.png")
        self.assertEqual(self.layer(2).look.picture, str(self.folder / "grain.png"))
        # Another's file of that name stays what it is.
        (self.folder / "three" / "salt.png").write_bytes(b"another's")
        self.assertTrue(self.window.files.save_to(self.folder / "three" / "fire.pale"))
        self.assertEqual((self.folder / "three" / "salt.png").read_bytes(), b"another's")
        brought = self.layer(0).look.picture
        self.assertEqual(brought, "salt-2.png")
        self.assertEqual((self.folder / "three" / brought).read_bytes(), picture)
        self.assertEqual(load(self.folder / "three" / "fire.pale")[0], self.effect)

    def test_a_copy_of_an_effect_of_the_quay_reads_where_that_lies_until_it_has_a_place(self):
        shelf = next(path for path in demo_effects() if path.stem == "sample-shelf")
        self.window.files.open_copy(shelf)
        self.window.desk.player.pause()
        self.settle()
        self.assertEqual(self.window.desk.shelf.faults, {})
        self.assertIsNone(self.window.desk.folder)
        self.assertTrue(self.window.files.save_to(self.folder / "shelf.pale"))
        self.settle()
        self.assertEqual(self.window.desk.shelf.faults, {})
        self.assertTrue((self.folder / "sample-shelf-names.webp").is_file())
        pixels = sum(self.window.desk.shelf.get(name).size / 4 for name in files_of(self.effect))
        self.assertLessEqual(pixels * 4 * 4 / 3, TARGETS["console"].textures, "with their smaller copies")
