"""What the checks found, by mouse and keys: marks, the page, mends pointed at and done, what is left as it is."""

import os
import signal
import tempfile
from pathlib import Path
from unittest import mock

from msgspec.structs import replace
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QScrollArea

from pale_ember.analysis.client import analysis_process
from pale_ember.core.effect.chapters import Forces
from pale_ember.core.effect.edit import with_value
from pale_ember.core.effect.values import curve, fixed
from pale_ember.core.insight import thinning
from pale_ember.core.insight.effect_cost import TARGETS
from pale_ember.formats.targets import targets_of
from pale_ember.studio.controls.buttons import IconButton
from pale_ember.studio.document.cost_state import CostState
from pale_ember.studio.insight.checks_page import MendButton
from pale_ember.studio.kit import theme
from tests.studio.driven import LEFT, Window


class Checks(Window):
    checks = True

    def setUp(self):
        super().setUp()
        self.found = self.desk.findings
        self.wait_for(lambda: self.window.stage.answer is not None)
        self.desk.player.pause()

    @property
    def desk(self):
        return self.window.desk

    def spoil(self, *path, value):
        """Changes a field of the first layer, and waits until it has been checked."""
        layer = self.desk.effect.layers[0]
        self.desk.document.change("spoil", with_value(self.desk.effect, ("layers", 0, *path), value))
        self.wait_for(lambda: any(each.layer == layer.id for each in self.found.open))
        return next(each for each in self.found.open if each.layer == layer.id)

    def open_page(self):
        QTest.mouseClick(self.window.header.checks, LEFT)
        self.wait_for(self.window.checks.isVisible)
        self.qt.processEvents()

    def buttons(self):
        return [button for button in self.window.checks.findChildren(MendButton) if button.isEnabled()]

    def test_a_fault_is_marked_seen_mended_by_pointing_and_done_by_a_click(self):
        before = self.desk.effect
        finding = self.spoil("forces", value=Forces(wind=(2.0, 0.0, 0.0)))
        self.assertEqual(finding.rule, "wind without drag")
        self.assertEqual(self.window.header.checks.text(), f"problems {len(self.found.open)}")
        self.open_page()
        spoiled, steps = self.desk.effect, len(self.desk.document.past)
        button = next(button for button in self.buttons() if button.text() == "a drag of 1.5")
        QTest.mouseMove(button, button.rect().center())
        self.wait_for(lambda: self.desk.looking.effect.layers[0].forces.drag == 1.5)
        self.assertIs(self.desk.effect, spoiled, "pointed at it is no edit")
        QTest.mouseMove(self.window.stage, QPoint(5, 5))
        self.wait_for(lambda: self.desk.looking.effect is spoiled)
        QTest.mouseClick(button, LEFT)
        self.assertEqual(self.desk.effect.layers[0].forces.drag, 1.5)
        self.assertEqual(len(self.desk.document.past), steps + 1)
        self.wait_for(lambda: not self.found.open)
        QTest.keyClick(self.window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        QTest.keyClick(self.window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(self.desk.effect, before)

    def test_what_ended_by_itself_is_said_and_begins_again(self):
        self.spoil("outlet", "limit", value=3)
        said = []
        self.window.checker.failed.connect(said.append)
        os.kill(analysis_process().process_id, signal.SIGKILL)
        self.wait_for(lambda: said)
        self.assertIn("exit code -9", said[0])
        self.spoil("forces", value=Forces(wind=(2.0, 0.0, 0.0)))
        self.wait_for(lambda: "wind without drag" in {each.rule for each in self.found.open})

    def test_a_field_says_it_and_its_menu_mends_it(self):
        self.spoil("outlet", "limit", value=3)
        row = self.window.story.bodies["outlet"].fields.reveal(("outlet", "limit"))
        self.assertIn("births are refused", row.hint())
        self.assertTrue(self.found.at(self.desk.effect.layers[0].id, ("outlet",)))
        self.qt.processEvents()
        row.contextMenuEvent(_menu_event(row))
        menu = QApplication.activePopupWidget()
        mend = next(action for action in menu.actions() if action.text().startswith("Fix: raise"))
        menu.setActiveAction(mend)
        self.assertGreater(self.desk.looking.effect.layers[0].outlet.limit, 3)
        QTest.keyClick(menu, Qt.Key.Key_Return)
        self.assertGreater(self.desk.effect.layers[0].outlet.limit, 3)

    def test_a_lane_is_marked_and_what_is_told_of_a_field_keeps_up(self):
        self.spoil("life", "opacity", value=curve((0, 0), (0.2, 1), (1, 1)))
        lane = self.window.story.bodies["life"].lanes["opacity"]
        self.assertEqual(lane._doubt, theme.WARNING)
        self.desk.document.undo()
        self.wait_for(lambda: lane._doubt is None)
        row = self.window.story.bodies["outlet"].fields.reveal(("outlet", "limit"))
        self.qt.processEvents()
        QTest.mouseMove(self.window.stage, QPoint(5, 5))
        self.qt.processEvents()
        QTest.mouseMove(row, QPoint(4, 4))
        self.wait_for(row.underMouse)
        said = []
        self.desk.hinted.connect(lambda text, cause: said.append(text))
        self.spoil("outlet", "limit", value=3)
        self.assertIn("births are refused", said[-1])
        self.desk.document.undo()
        self.wait_for(lambda: "refused" not in said[-1])

    def test_what_is_left_keeps_its_reason_and_is_told_again(self):
        finding = self.spoil("outlet", "limit", value=3)
        self.open_page()
        card = next(card for card in self.window.checks.cards.values() if card.finding.key == finding.key)
        QTest.mouseClick(card.leave, LEFT)
        QTest.keyClicks(card.line, "it is a stutter on purpose")
        QTest.keyClick(card.line, Qt.Key.Key_Return)
        self.assertEqual(self.desk.effect.left[0].reason, "it is a stutter on purpose")
        self.wait_for(lambda: finding.key not in {each.key for each in self.found.open})
        self.assertEqual([each.key for each in self.found.left], [finding.key])
        self.wait_for(lambda: any("on purpose" in card.said.text() for card in self.window.checks.cards.values()))
        card = next(card for card in self.window.checks.cards.values() if "on purpose" in card.said.text())
        QTest.mouseClick(card.leave, LEFT)
        self.assertEqual(self.desk.effect.left, ())

    def test_keys_open_it_and_a_click_on_its_place_goes_there(self):
        finding = self.spoil("outlet", "limit", value=3)
        self.desk.select(self.desk.effect.layers[1].id)
        QTest.keyClick(self.window.stage, "c")
        self.assertTrue(self.window.checks.isVisible())
        card = next(card for card in self.window.checks.cards.values() if card.finding.key == finding.key)
        QTest.mouseClick(card.where, LEFT)
        self.assertEqual(self.desk.selection, finding.layer)
        self.window.stage.setFocus()
        QTest.keyClick(self.window.stage, "c")
        self.assertFalse(self.window.checks.isVisible())

    def test_it_can_be_switched_off(self):
        self.spoil("outlet", "limit", value=3)
        self.open_page()
        QTest.mouseClick(self.window.checks.switch, LEFT)
        self.assertEqual(self.found.open, ())
        self.assertIn("Checks are switched off", self.window.checks.nothing.text())
        QTest.mouseClick(self.window.checks.switch, LEFT)
        self.wait_for(lambda: bool(self.found.open))

    def test_a_document_that_is_opened_begins_without_findings(self):
        self.spoil("outlet", "limit", value=3)
        clean = replace(self.desk.effect, layers=self.desk.effect.layers[1:])
        self.desk.document.open(clean, None)
        self.assertEqual(self.found.open, ())


@mock.patch.object(thinning, "SHARES", (1.0, 0.8, 0.6))
class Thin(Window):
    def test_fewer_are_found_seen_beside_chosen_and_taken_in_one_step(self):
        page, desk = self.window.thinning, self.window.desk
        desk.select(self.effect.layers[0].id)
        QTest.keyClick(self.window.stage, "t")
        self.assertTrue(page.isVisible())
        before = self.effect
        QTest.mouseClick(page.layer_button, LEFT)
        self.assertTrue(page.running)
        self.assertFalse(page.layer_button.isEnabled())
        self.wait_for(lambda: not page.running, 120)
        counts = [result.most for result in page.results]
        self.assertEqual(counts, sorted(counts, reverse=True))
        QTest.mouseClick(page.curve, LEFT, pos=page.curve._at(page.results[2]).toPoint())
        self.assertEqual(page.curve.index, 2)
        self.assertIs(desk.looking.beside, page.results[2].effect)
        self.assertGreater(page.change._image.width(), 100, "where it differs is shown")
        self.assertIs(self.effect, before, "seen beside, it is no edit")
        QTest.keyClick(page.curve, Qt.Key.Key_Left)
        self.assertEqual(page.curve.index, 1)
        wanted, steps = page.results[1].effect, len(desk.document.past)
        QTest.mouseClick(page.take_button, LEFT)
        self.assertIs(self.effect, wanted)
        self.assertEqual(len(desk.document.past), steps + 1)
        self.assertIn("Applied", page.said.text())
        QTest.keyClick(self.window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(page.said.text(), "", "it is taken back")
        QTest.keyClick(self.window, Qt.Key.Key_Y, Qt.KeyboardModifier.ControlModifier)
        self.assertIsNone(desk.looking.beside)
        QTest.keyClick(self.window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        self.assertIs(self.effect, before)

    def test_distance_steps_are_added_typed_seen_from_afar_and_taken_away(self):
        page, desk = self.window.thinning, self.window.desk
        QTest.keyClick(self.window.stage, "t")
        QTest.mouseClick(page.steps.add_button, LEFT)
        self.assertEqual([step.share for step in self.effect.distances], [0.5])
        _, share = page.steps.rows[0]
        share.setFocus()
        QTest.keyClicks(share, "0")
        line = QApplication.focusWidget()
        QTest.keyClicks(line, ".25")
        QTest.keyClick(line, Qt.Key.Key_Return)
        self.assertEqual(self.effect.distances[0].share, 0.25)
        near = self.effect
        QTest.mouseClick(page.steps.seen, LEFT)
        desk.looking.look_from(replace(desk.looking.camera, distance=self.effect.distances[0].beyond - 0.5))
        self.assertIs(desk.looking.effect, near)
        desk.looking.look_from(replace(desk.looking.camera, distance=self.effect.distances[0].beyond + 1))
        far = desk.looking.effect
        self.assertAlmostEqual(far.layers[0].outlet.rate.middle, 0.25 * near.layers[0].outlet.rate.middle, places=4)
        self.wait_for(lambda: self.window.stage.answer.request.effect is far)
        QTest.mouseClick(page.steps._lines[0].findChild(IconButton), LEFT)
        self.assertEqual(self.effect.distances, ())
        self.assertIs(desk.looking.effect, self.effect)

    def test_it_stops_when_told_and_an_edit_lets_go_of_what_was_found(self):
        page = self.window.thinning
        QTest.keyClick(self.window.stage, "t")
        QTest.mouseClick(page.whole_button, LEFT)
        self.wait_for(lambda: len(page.results) > 0, 60)
        QTest.mouseClick(page.stop_button, LEFT)
        self.wait_for(lambda: not page.running, 60)
        self.window.document.change("longer", replace(self.effect, duration=2.5))
        self.assertEqual(page.results, [])


class Cost(Window):
    def measured(self):
        """The page, when the effect as it is was measured layer by layer."""
        spent = self.window.desk.spent
        self.wait_for(lambda: spent.of is self.effect and bool(spent.spending.layers), 60)
        return self.window.costs

    @property
    def spending(self):
        return self.window.desk.spent.spending

    def open(self):
        QTest.keyClick(self.window.stage, "g")
        return self.measured()

    def test_it_is_measured_while_it_is_open_and_a_click_goes_to_the_worst_moment(self):
        QTest.mouseClick(self.window.readout, LEFT)
        page = self.measured()
        self.assertTrue(page.isVisible())
        self.assertEqual(set(self.spending.layers), {layer.id for layer in self.effect.layers if layer.shown})
        self.assertIn("left", page.state.text())
        self.assertIn("% left", self.window.header.left.toolTip())
        box, count = page.graph._box(), len(self.spending.moments)
        worst = QPointF(box.left() + self.spending.worst / (count - 1) * box.width(), box.center().y())
        QTest.mouseClick(page.graph, LEFT, pos=worst.toPoint())
        self.assertAlmostEqual(self.window.desk.player.moment, self.spending.moments[self.spending.worst], places=6)
        QTest.mouseClick(page.target, LEFT)
        menu = QApplication.activePopupWidget()
        next(action for action in menu.actions() if action.text() == "web").trigger()
        menu.close()
        self.assertTrue(page.state.text().startswith("web, 1080 rows high: "))

    def test_a_row_below_the_bars_shows_what_is_painted_and_goes_to_the_worst(self):
        self.open()
        row = self.window.layers.painted
        self.assertIn("at most", row.accessibleDescription())
        worst = self.spending.moments[self.spending.worst] % self.window.layers.table.length()
        self.window.desk.player.go_to(0.1)
        QTest.mouseClick(row, LEFT, pos=QPoint(round(row._worst_x()) + 3, 10))
        self.assertAlmostEqual(self.window.desk.player.moment, worst, delta=0.02)

    def test_a_click_on_a_layer_tells_what_it_costs_besides(self):
        page = self.open()
        identity = list(self.spending.layers)[1]
        QTest.mouseClick(page.table, LEFT, pos=QPoint(30, 18 * 4 + 9))
        self.assertEqual(self.window.desk.selection, identity)
        self.assertIn(f"{self.spending.layers[identity].births} born in all", page.more.text())

    def test_the_gauge_opens_it_and_the_game_may_stand_farther_off(self):
        self.window.header.left.setFocus()
        QTest.keyClick(self.window.header.left, Qt.Key.Key_Return)
        page = self.measured()
        painted = self.spending.painted.max()
        page.distance.setFocus()
        QTest.keyClicks(page.distance, "3")
        line = QApplication.focusWidget()
        QTest.keyClicks(line, "0")
        QTest.keyClick(line, Qt.Key.Key_Return)
        self.assertEqual(self.effect.stage.game.distance, 30)
        self.measured()
        self.assertLess(self.spending.painted.max(), 0.3 * painted)

    def test_targets_of_a_studio_lie_beside_the_effect(self):
        page = self.window.costs
        with tempfile.TemporaryDirectory() as folder:
            self.window.files.save_to(Path(folder) / "kiln.pale")
            page.write_targets()
            path = Path(folder) / "targets.json"
            self.assertEqual(targets_of(Path(folder)), (TARGETS, ""))
            path.write_text('{"quay box": {"particles": 10, "textures_mb": 1, "layers": 2, "painted": 0.5}}')
            self.open()
            self.assertIn("quay box, 1080 rows high: particles alive: ", page.state.text())
            self.assertIn("× the budget", page.state.text())
            self.assertEqual(self.window.desk.spent.targets["quay box"].particles, 10)
            path.write_text('{"quay box": {"particles": 0}}')
            self.assertIn("particles: expected a number above 0, found 0", targets_of(Path(folder))[1])
            # They are there from the first look on, and once the effect has another place.
            path.write_text('{"quay box": {"particles": 20, "textures_mb": 1, "layers": 2, "painted": 0.5}}')
            self.assertEqual(CostState(self.window.document).budget.particles, 20)
            (Path(folder) / "slip").mkdir()
            self.window.files.save_to(Path(folder) / "slip" / "kiln.pale")
            self.assertEqual(self.window.desk.spent.targets, TARGETS)

    def test_its_key_goes_back_to_the_stage_from_the_bench(self):
        self.window.screens.flip("Textures")
        self.window.stage.setFocus()
        QTest.keyClick(self.window.stage, "g")
        self.assertTrue(self.window.costs.isVisible())
        self.measured()

    def test_what_would_cut_it_is_seen_and_done_and_measured_anew(self):
        page = self.open()
        before, steps = self.effect, len(self.window.document.past)
        self.wait_for(lambda: bool(page.cuts.rows) and all(row.seen.text() != "…" for row in page.cuts.rows), 60)
        first = next(row.button for row in page.cuts.rows if row.button.text().startswith("seven tenths"))
        self.qt.processEvents()
        page.findChild(QScrollArea).ensureWidgetVisible(first)
        # The pointer comes from elsewhere: where it stood already, nothing enters.
        QTest.mouseMove(self.window.stage, QPoint(5, 5))
        self.qt.processEvents()
        QTest.mouseMove(first, first.rect().center())
        self.wait_for(lambda: self.window.desk.looking.effect is not before)
        self.assertIs(self.effect, before)
        # Scrolled away from under the pointer it is no longer shown.
        area = page.findChild(QScrollArea)
        area.verticalScrollBar().setValue(0)
        self.assertIs(self.window.desk.looking.effect, before)
        area.ensureWidgetVisible(first)
        alive = self.spending.alive.max()
        QTest.mouseClick(first, LEFT)
        self.assertEqual(len(self.window.document.past), steps + 1)
        self.assertFalse(first.isEnabled(), "what is done goes pale and keeps its place")
        self.measured()
        self.assertLess(self.spending.alive.max(), alive)
        # Taken back it can be done again, though the pointer has not left.
        QTest.keyClick(self.window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        self.assertIs(self.effect, before)
        self.wait_for(first.isEnabled, 60)

    def test_a_layer_is_baked_into_a_sheet_from_here(self):
        with tempfile.TemporaryDirectory() as folder:
            self.window.files.save_to(Path(folder) / "kiln.pale")
            layer = self.effect.layers[0]
            heap = replace(layer, outlet=replace(layer.outlet, shape="point"), birth=replace(layer.birth, speed=fixed(0.0)))
            self.window.document.change("a heap", with_value(self.effect, ("layers", 0), heap))
            page = self.open()
            self.wait_for(lambda: bool(page.cuts.bakes), 60)
            QTest.mouseClick(page.cuts.bakes[0], LEFT)
            self.wait_for(lambda: self.window.bench.deeds.task is None and not self.effect.layers[1].shown, 90)
            self.assertEqual(self.effect.layers[0].look.picture, "baked.png")


def _menu_event(row):
    from PyQt6.QtGui import QContextMenuEvent

    return QContextMenuEvent(QContextMenuEvent.Reason.Mouse, QPoint(4, 4), row.mapToGlobal(QPoint(4, 4)))


if __name__ == "__main__":
    import unittest

    unittest.main()
