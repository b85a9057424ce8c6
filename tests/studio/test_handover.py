"""The Hand-over screen: made anew after edits, written whole, names picked, events fired."""

import json
import tempfile
from pathlib import Path
from unittest import mock

from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMessageBox

from pale_ember.formats.handover.reading import read_package
from pale_ember.formats.handover.runtime import slug
from pale_ember.rehearsal.game import Game
from pale_ember.rehearsal.window import hear_all
from pale_ember.rehearsal.wire import Wire
from tests.folder import InFolder
from tests.studio import driven
from tests.studio.driven import LEFT


class HandedOver(InFolder, driven.Window):
    def setUp(self):
        super().setUp()
        self.page = self.window.handing
        QTest.keyClick(self.window, Qt.Key.Key_E, Qt.KeyboardModifier.ControlModifier)
        self.assertTrue(self.page.isVisible())
        self.wait_for(lambda: self.page.hand_button.isEnabled())

    def test_what_leaves_is_shown_follows_edits_and_is_written(self):
        page = self.page
        self.assertIn("files", page.total.text())
        first = page.package
        QTest.mouseClick(page.files, LEFT, pos=QPoint(100, 46 + 20))
        self.assertEqual(page.files.selected, list(first.textures)[1])
        self.wait_for(lambda: page.compared._told.startswith(page.files.selected.partition("/")[2]))
        self.assertEqual(len(page.compared._images), 3)
        page.compared.mousePressEvent(mock.Mock(position=lambda: QPointF(50, 50)))
        page.compared._zoom = 4.0
        page.compared.mouseMoveEvent(mock.Mock(position=lambda: QPointF(70, 40)))
        self.assertLess(page.compared._at.x(), 0.5)
        page.grab()
        QTest.mouseClick(page.ktx2, LEFT)
        self.wait_for(lambda: any(name.endswith(".ktx2") for name in page.package.files))
        page.kind.choose("none")
        self.assertFalse(page.hand_button.isEnabled(), "what is shown is not what would leave")
        self.wait_for(lambda: page.hand_button.isEnabled())
        self.assertLess(len(page.package.files), len(first.files))
        self.wait_for(lambda: page.compared.said == "It leaves as it is.")
        self.window.document.change_layer("hide", self.layer(0).id, ("shown",), False)
        self.wait_for(lambda: page.hand_button.isEnabled() and len(page.package.effect.layers) < len(first.effect.layers))
        with mock.patch("PyQt6.QtWidgets.QFileDialog.getExistingDirectory", return_value=str(self.folder)):
            QTest.mouseClick(page.hand_button, LEFT)
        self.wait_for(lambda: "Handed over" in page.said.text())
        written = page.folder()
        self.assertEqual(written, self.folder, "the folder that was chosen, for it was empty")
        self.assertEqual(read_package(written), page.package.effect)
        self.assertTrue(page.again_button.isEnabled() and page.play_button.isEnabled())
        with tempfile.TemporaryDirectory() as folder:
            own = Path(folder)
            (own / "diary.txt").write_text("mine")
            ask = "PyQt6.QtWidgets.QMessageBox.question"
            answers = QMessageBox.StandardButton
            with mock.patch(ask, return_value=answers.Cancel) as asked:
                page.write_into(own)
            self.assertIn(f"goes into {own / slug(self.effect.name)}", asked.call_args.args[2])
            self.assertEqual([each.name for each in own.iterdir()], ["diary.txt"])
            with mock.patch(ask, return_value=answers.Ok):
                page.write(own)
                self.wait_for(lambda: (own / "effect.json").exists())
            self.wait_for(lambda: page._task is None)
            self.assertEqual((own / "diary.txt").read_text(), "mine")
            (own / "manifest.json").write_text("{}")
            page.write(own)
            self.wait_for(lambda: "found other things" in page.said.text())
        QTest.keyClick(page, Qt.Key.Key_Escape)
        self.assertFalse(page.isVisible())

    def test_it_leaves_as_a_page_and_an_effect_of_hidden_layers_does_not(self):
        path = self.folder / "fire.html"
        with mock.patch("PyQt6.QtWidgets.QFileDialog.getSaveFileName", return_value=(str(path.with_suffix("")), "")) as asked:
            QTest.mouseClick(self.page.page_button, LEFT)
            self.wait_for(lambda: "double-click" in self.page.said.text())
            self.assertIn("MB", asked.call_args[0][1], "how large it will be")
            self.assertIn("</html>", path.read_text()[-20:])
            path.unlink()
            for layer in self.window.desk.effect.layers:
                self.window.document.change_layer("hide", layer.id, ("shown",), False)
            QTest.mouseClick(self.page.page_button, LEFT)
            self.wait_for(lambda: "show one" in self.page.said.text())
        self.assertFalse(path.exists())

    def test_what_cannot_leave_is_said_and_nothing_can_be_written(self):
        look = self.layer(0).look
        self.window.document.change_layer("gone", self.layer(0).id, ("look", "picture"), "gone.png")
        self.wait_for(lambda: "gone.png" in self.page.said.text())
        self.assertFalse(self.page.hand_button.isEnabled())
        self.window.document.change_layer("back", self.layer(0).id, ("look", "picture"), look.picture)
        self.wait_for(lambda: self.page.hand_button.isEnabled())
        self.assertEqual(self.page.said.text(), "")

    def test_names_are_picked_from_the_games_list_and_strange_ones_are_told(self):
        events = self.page.events
        path = self.folder / "names.json"
        path.write_text(json.dumps(["kiln_lit", "kiln_out"]))
        events.take_list(path)
        self.addCleanup(setattr, events, "known", None)
        self.assertEqual(events.known, ("kiln_lit", "kiln_out"))
        events.choose("start", "kiln_lit")
        self.assertEqual(self.effect.answers.start, "kiln_lit")
        events.choose("stop", "kiln_of")
        self.wait_for(lambda: "kiln_of" in self.page.advice.text())
        self.assertIn("no such name", events.names["stop"].toolTip())
        with mock.patch("PyQt6.QtWidgets.QInputDialog.getText", return_value=(" kiln_out ", True)):
            events._ask_name("stop")
        self.assertEqual(self.effect.answers.stop, "kiln_out")
        events.take_list(self.folder / "gone.txt")
        self.assertIn("expected a text", events.said.text())

    def test_an_event_is_fired_into_the_rehearsal_that_runs(self):
        events = self.page.events
        events.choose("start", "kiln_lit")
        self.wait_for(lambda: self.page.hand_button.isEnabled())
        events.fire("start")
        self.wait_for(lambda: events._task is None)
        self.assertIn("no rehearsal listens", events.said.text())
        self.page.write(self.folder / "kiln")
        self.wait_for(lambda: "Handed over" in self.page.said.text())
        game, wire = Game(self.folder / "kiln"), Wire(0)
        self.addCleanup(wire.close)
        events.port = wire.port
        events.fire("start")
        self.wait_for(lambda: hear_all(game, wire) or events._task is None)
        self.assertEqual(len(game.playing), 1)
        self.assertIn("start", events.said.text())
