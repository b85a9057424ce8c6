"""The stage looked at: marks, views, cameras, set pieces, the library, and files dropped on it."""

import tempfile
import time
from pathlib import Path
from unittest import mock

import numpy as np
from msgspec.structs import replace
from PIL import Image
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtTest import QTest

from pale_ember.core.effect.edit import credit_of
from pale_ember.studio.document.view_settings import MARKS
from pale_ember.studio.fields.edit_target import OfLayer, target
from pale_ember.studio.fields.library import favourites, recent_pictures
from pale_ember.studio.shell.files import demo_effects
from tests.studio import driven
from tests.studio.driven import LEFT


def drop(widget, path, at):
    """Drops a file on a widget as a file manager would."""
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(path))])
    actions, none = Qt.DropAction.CopyAction, Qt.KeyboardModifier.NoModifier
    enter = QDragEnterEvent(at, actions, mime, LEFT, none)
    widget.dragEnterEvent(enter)
    event = QDropEvent(QPointF(at), actions, mime, LEFT, none)
    if enter.isAccepted():
        widget.dropEvent(event)
    return enter.isAccepted()


class Looking(driven.Window):
    def picture(self):
        return self.window.stage.answer.picture.astype(int)

    def grabbed(self):
        image = self.window.stage.grab().toImage().convertToFormat(self.window.stage.grab().toImage().Format.Format_RGBA8888)
        bits = np.frombuffer(image.bits().asarray(image.sizeInBytes()), np.uint8)
        return bits.reshape(image.height(), image.width(), 4)[..., :3].astype(int)

    def choose(self, menu, text):
        action = next(one for one in menu.actions() if one.text().startswith(text))
        self.assertTrue(action.isEnabled(), text)
        action.trigger()

    def test_each_mark_paints_something_and_one_key_hides_all(self):
        self.window.desk.looking.marks = frozenset()
        self.window.desk.looking.look_from(self.window.desk.looking.first_camera())
        self.settle()
        bare = self.grabbed()
        desk = self.window.desk
        desk.select(self.layer(2).id)
        for kind in MARKS:
            if kind in ("strips", "links", "carrier"):
                continue
            desk.looking.marks = frozenset()
            desk.looking.show_mark(kind, True)
            stage = self.window.stage
            ahead = kind in ("births", "paths", "touches")
            self.settle(lambda ahead=ahead, stage=stage: not ahead or (stage.reach is not None and stage.reach[1].done))
            self.qt.processEvents()
            changed = (np.abs(self.grabbed() - bare).max(axis=2) > 20).mean()
            self.assertGreater(changed, 1e-5, kind)
        self.window.stage.setFocus()
        QTest.keyClick(self.window.stage, Qt.Key.Key_O)
        self.settle()
        self.assertFalse(desk.looking.overlays)
        self.assertLess((np.abs(self.grabbed() - bare).max(axis=2) > 20).mean(), 1e-3)
        self.choose(self.window.transport.marks_menu(), "Overlays")
        self.assertTrue(desk.looking.overlays)

    def test_the_ways_of_looking_are_a_menu_away_and_touch_no_document(self):
        plain = self.picture()
        for text, shows in (("overdraw", "overdraw"), ("silhouette", "silhouette"), ("opacity", "opacity"), ("red", "red")):
            self.choose(self.window.transport.marks_menu(), text)
            self.settle(lambda shows=shows: self.window.stage.answer.request.shot.shows == shows)
            self.assertGreater(np.abs(self.picture() - plain).mean(), 0.5, text)
        self.assertEqual(self.window.document.past, [])
        self.choose(self.window.transport.marks_menu(), "the picture")
        self.settle(lambda: self.window.stage.answer.request.shot.shows == "picture")
        self.assertLess(np.abs(self.picture() - plain).mean(), 0.1)
        self.assertGreater(self.window.stage.painted, 1.0)
        self.assertIn("overdraw", self.window.readout._text[1])

    def test_a_layer_alone_hides_or_dims_the_others(self):
        desk = self.window.desk
        whole = self.picture()
        desk.looking.set_solo(self.layer(2).id)
        self.settle(lambda: len(self.window.stage.answer.frame.layers) == 1)
        hidden = self.picture()
        desk.looking.set_dims(True)
        self.settle(lambda: len(self.window.stage.answer.frame.layers) == 3)
        dimmed = self.picture()
        self.assertLess(hidden.sum(), dimmed.sum())
        self.assertLess(dimmed.sum(), whole.sum())

    def test_cameras_look_along_the_axes_and_as_the_game_will(self):
        presets = self.window.transport.presets()
        self.assertEqual((presets["above"].pitch, presets["the right"].heading), (89.0, 90.0))
        game = presets["the game camera"]
        eye = game.target[1] + np.sin(np.radians(game.pitch)) * game.distance
        self.assertAlmostEqual(float(eye), self.effect.stage.game.height, places=6)
        self.assertEqual(game.fov, self.effect.stage.game.fov)
        self.window.desk.looking.look_from(game)
        self.settle(lambda: self.window.stage.answer.request.camera is game)

    def test_the_stage_takes_set_pieces_lights_and_backgrounds_and_gives_them_back(self):
        transport = self.window.transport
        transport.open_stage()
        panel = transport.panel
        panel.add_piece("lamp post")
        self.assertEqual([lamp.name for lamp in self.effect.stage.lamps], ["lamp"])
        self.settle()
        row = next(row for row in panel.fields.rows if row.path == ("background",))
        row.editor.choose("gradient")
        self.settle()
        below = next(row for row in panel.fields.rows if row.path == ("bottom",))
        self.assertFalse(below.editor.idle)
        below._edited((0.5, 0.1, 0.1), None)
        self.settle()
        self.assertGreater(int(self.picture()[-40, 20, 0]), 40)
        for _ in range(3):
            self.window.undo()
        self.assertEqual((self.effect.stage.lamps, self.effect.stage.background), ((), "dark"))

    def test_cards_are_tried_by_pointing_taken_by_clicking_and_remembered(self):
        edit = self.window.story.bodies["look"].picture
        before = self.effect
        edit.open()
        library = edit.library
        self.qt.processEvents()
        library.words.setText("voronoi")
        self.assertEqual(library.tiles.names, ["cells"])
        library.words.setText("")
        at = library.tiles._box(library.tiles.names.index("ring")).center().toPoint()
        QTest.mouseMove(library.tiles, at)
        library.tiles.point(library.tiles.names.index("ring"))
        self.settle_tried("library:ring")
        self.assertIs(self.effect, before)
        QTest.mouseClick(library.tiles, LEFT, pos=library.tiles._star(library.tiles.names.index("ring")).center().toPoint())
        self.assertIn("ring", favourites())
        QTest.mouseClick(library.tiles, LEFT, pos=at)
        self.assertEqual(self.layer(0).look.picture, "library:ring")
        self.assertEqual(recent_pictures()[0], "ring")
        self.assertIsNone(self.window.desk.looking.tried)
        self.settle()
        edit.open()
        self.assertEqual(edit.library.tiles.names[0], "ring")
        edit.library.uses["fire"].click()
        self.assertIn("flame wisps", edit.library.tiles.names)
        QTest.keyClick(edit.library, Qt.Key.Key_Right)
        self.assertIsNotNone(self.window.desk.looking.tried)
        edit.library.close()
        self.assertIsNone(self.window.desk.looking.tried)
        self.assertEqual(self.layer(0).look.picture, "library:ring")

    def taken(self):
        """Waits until a file has been taken in."""
        end = time.monotonic() + 20
        while self.window.importer.busy and time.monotonic() < end:
            self.qt.processEvents()
            time.sleep(0.003)
        self.assertFalse(self.window.importer.busy)

    def settle_tried(self, picture):
        """Waits until the stage shows the layer that is only tried."""
        end = time.monotonic() + 10
        while time.monotonic() < end:
            self.qt.processEvents()
            answer = self.window.stage.answer
            if answer is not None and answer.request.effect.layers[0].look.picture == picture:
                return
            time.sleep(0.003)
        self.fail("nothing was tried")

    def test_a_sheet_on_black_dropped_on_a_row_brings_grid_blend_and_author(self):
        with tempfile.TemporaryDirectory() as folder, tempfile.TemporaryDirectory() as elsewhere:
            self.window.files.save_to(Path(folder) / "kiln.pale")
            source = Path(elsewhere) / "gulls.png"
            frame = np.zeros((32, 32, 3), np.uint8)
            frame[8:24, 8:24] = 220
            from PIL.PngImagePlugin import PngInfo

            told = PngInfo()
            told.add_text("Author", "E. Ling")
            Image.fromarray(np.tile(frame, (2, 4, 1))).save(source, pnginfo=told)
            table = self.window.layers.table
            at = QPoint(60, int(table.row_box(2).center().y()))
            self.assertTrue(drop(table, source, at))
            self.taken()
            look = self.layer(2).look
            self.assertEqual((look.picture, look.columns, look.rows, look.blend), ("gulls.png", 4, 2, "additive"))
            self.assertEqual(self.window.desk.selection, self.layer(2).id)
            self.assertTrue((Path(folder) / "gulls.png").is_file())
            self.assertEqual(credit_of(self.effect, "gulls.png").author, "E. Ling")
            self.settle()
            self.assertEqual(self.window.desk.shelf.faults, {})
            self.window.undo()
            self.assertNotEqual(self.layer(2).look.picture, "gulls.png")

    def test_dropping_on_the_stage_takes_pictures_and_meshes_and_nothing_else(self):
        import trimesh

        with tempfile.TemporaryDirectory() as folder:
            self.window.files.save_to(Path(folder) / "kiln.pale")
            mesh = Path(folder) / "stopper.obj"
            trimesh.creation.icosphere(1).export(mesh)
            stage = self.window.stage
            self.assertTrue(drop(stage, mesh, QPoint(50, 50)))
            self.taken()
            self.assertEqual((self.layer(0).look.drawn_as, self.layer(0).look.solid.mesh), ("mesh", "stopper.obj"))
            self.settle()
            (Path(folder) / "notes.txt").write_text("tide at six")
            self.assertFalse(drop(stage, Path(folder) / "notes.txt", QPoint(50, 50)))
            torn = Path(folder) / "torn.png"
            torn.write_bytes(b"\x89PNG")
            before = self.effect
            with mock.patch("pale_ember.studio.document.asset_import.QMessageBox.warning") as told:
                drop(stage, torn, QPoint(50, 50))
                self.taken()
            self.assertIn("torn.png", told.call_args.args[2])
            self.assertIs(self.effect, before)

    def test_files_are_brought_into_every_list(self):
        import trimesh

        with tempfile.TemporaryDirectory() as folder, tempfile.TemporaryDirectory() as elsewhere:
            self.window.files.save_to(Path(folder) / "kiln.pale")
            mesh, grain = Path(elsewhere) / "stopper.obj", Path(elsewhere) / "grain.png"
            trimesh.creation.icosphere(1).export(mesh)
            Image.new("RGBA", (16, 16), (255, 200, 90, 120)).save(grain)
            outlet = self.field("outlet", "mesh").editor
            self.assertFalse(drop(outlet, grain, QPoint(5, 5)))
            self.assertTrue(drop(outlet, mesh, QPoint(5, 5)))
            self.taken()
            self.assertEqual(self.layer(0).outlet.mesh, "stopper.obj")
            self.assertIn(("stopper.obj", "stopper.obj"), outlet.options())
            second = self.window.story.bodies["look"].fields.reveal(("look", "surface", "second")).editor
            with mock.patch("pale_ember.studio.fields.name_edits.QFileDialog.getOpenFileName", return_value=(str(grain), "")):
                second.open()
                second.library.own.click()
                self.taken()
            self.assertEqual(self.layer(0).look.surface.second, "grain.png")
            self.assertTrue((Path(folder) / "grain.png").is_file())

    def test_an_effect_without_a_place_is_saved_before_it_takes_a_picture(self):
        with tempfile.TemporaryDirectory() as folder:
            source = Path(folder) / "grain.png"
            Image.new("RGBA", (16, 16), (255, 200, 90, 120)).save(source)
            home = Path(folder) / "work"
            home.mkdir()
            asked = (str(home / "kiln.pale"), "")
            with mock.patch("pale_ember.studio.shell.files.QFileDialog.getSaveFileName", return_value=asked):
                self.assertTrue(drop(self.window.story.bodies["look"].picture, source, QPoint(20, 20)))
                self.taken()
            self.assertEqual(self.layer(0).look.picture, "grain.png")
            self.assertTrue((home / "grain.png").is_file())

    def test_the_pictures_menu_guesses_inverts_and_shows_what_was_loaded(self):
        self.window.story.bring("look")
        edit = self.window.story.bodies["look"].picture
        self.window.document.change_layer("grid", self.layer(0).id, ("look", "columns"), 2)
        self.choose(edit.menu(), "Frames as guessed: 4 × 4")
        self.assertEqual(self.layer(0).look.columns, 4)
        self.choose(edit.menu(), "Inverted")
        self.assertTrue(self.layer(0).look.surface.invert)
        drawn = edit._image(self.window.desk.shelf_get(self.layer(0).look.picture))
        self.choose(edit.menu(), "Show as loaded")
        self.assertIsNot(edit._image(self.window.desk.shelf_get(self.layer(0).look.picture)), drawn)

    def test_idle_surface_fields_lead_to_what_they_need(self):
        self.window.story.show_field(("look", "dissolve", "amount"))
        self.qt.processEvents()
        fields = self.window.story.bodies["look"].fields
        row = fields.reveal(("look", "dissolve", "amount"))
        self.assertTrue(row.editor.idle)
        self.assertIn("no dissolve picture", row.hint())
        self.window.desk.sought.emit(target(OfLayer(self.window.desk), ("look", "dissolve", "picture")))
        self.qt.processEvents()
        self.assertTrue(fields.reveal(("look", "dissolve", "picture")).editor.hasFocus())
        fields.reveal(("look", "dissolve", "picture")).editor.choose("library:clouds")
        self.assertFalse(fields.reveal(("look", "dissolve", "amount")).editor.idle)
        self.settle()

    def test_every_effect_of_the_quay_opens_plays_and_tells_its_layers(self):
        for path in demo_effects():
            self.window.files.open_copy(path)
            self.window.desk.player.pause()
            self.window.desk.player.go_to(0.5)
            self.settle()
            self.assertGreater(self.window.stage.answer.frame.alive, 0, path.stem)
            self.assertGreater(int(self.picture()[..., :3].max()), 60, path.stem)
            for layer in (self.effect.layers[0], self.effect.layers[-1]):
                self.window.desk.select(layer.id)
                self.qt.processEvents()
                for chapter in self.window.story.chapters.values():
                    self.assertTrue(chapter.sentence.text.endswith("."), (path.stem, layer.name))
            self.assertEqual(self.window.desk.shelf.faults, {})
            self.assertFalse(self.window.document.unsaved)

    def test_every_field_of_the_look_is_reset_by_hand_and_undone(self):
        fields = self.window.story.bodies["look"].fields
        look = self.layer(0).look
        changed = replace(
            look,
            surface=replace(look.surface, warp="library:clouds", tile=(2.0, 3.0), shimmer=0.2, invert=True),
            dissolve=replace(look.dissolve, picture="library:cells", burn_tint=(1.0, 0.4, 0.1)),
            light=replace(look.light, lit=0.5),
        )
        self.window.document.change_layer("look", self.layer(0).id, ("look",), changed)
        self.settle()
        self.window.story.bring("look")
        for path in (
            "surface warp",
            "surface tile",
            "surface shimmer",
            "surface invert",
            "dissolve picture",
            "dissolve burn_tint",
            "light lit",
        ):
            row, name = fields.reveal(("look", *path.split())), path
            self.assertTrue(row._changed, name)
            row.reset()
            self.assertFalse(row._changed, name)
        self.settle()
        for _ in range(7):
            self.window.undo()
        self.assertEqual(self.layer(0).look, changed)
        tile = fields.reveal(("look", "surface", "tile")).editor
        self.assertEqual(len(tile.parts), 2)
        self.type_into(tile.parts[1], "2*4")
        self.assertEqual(self.layer(0).look.surface.tile, (2.0, 8.0))
