"""The editors of single values, each alone, by mouse and keys."""

import math
import os
import tempfile
import unittest
from unittest import mock

import numpy as np
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent, QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QInputDialog, QMenu, QToolTip

from pale_ember.app import application
from pale_ember.core.effect.chapters import Birth, Life, Look, Outlet
from pale_ember.core.effect.curves import CHANGES, PRESETS
from pale_ember.core.effect.fields import Field, fields_of
from pale_ember.core.effect.values import Curve, Slope, Tints, between, curve, fixed, gradient, sample_keys
from pale_ember.core.texture.heat import black_body, cooling
from pale_ember.core.words.arithmetic import NotANumber, number_from, range_from, shown_number
from pale_ember.studio.controls.colour import ColourPicker, TintsEdit, colour_from
from pale_ember.studio.controls.curve_lane import CurveLane
from pale_ember.studio.controls.gradient_lane import COOLINGS, PALETTES, GradientLane
from pale_ember.studio.controls.lane_view import round_step
from pale_ember.studio.controls.number import NumberEdit
from pale_ember.studio.fields.row import editor_for
from pale_ember.studio.kit.saved_items import drop_own, own_parts

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier


class Typed(unittest.TestCase):
    def test_numbers_arithmetic_units_and_changes(self):
        for text, unit, now, value in (
            ("2*1.5", "", 0, 3), (" 1e3 ", "m", 0, 1000), ("(1+2)/4", "s", 0, 0.75), ("-2", "m", 5, -2), ("2**3", "", 0, 8),
            ("20 cm", "m", 0, 0.2), ("20cm", "m", 0, 0.2), ("3 m", "m", 0, 3), ("120 ms", "s", 0, 0.12), ("2 min", "s", 0, 120),
            ("0.5 turn", "°", 0, 180), ("36 km/h", "m/s", 0, 10), ("*1.5", "m", 4, 6), ("/2", "m", 4, 2), ("+=0.5", "m", 4, 4.5),
            ("-=50cm", "m", 4, 3.5), ("1,5", "m", 0, 1.5), ("3×2", "", 0, 6), ("5/s", "/s", 0, 5),
        ):  # fmt: skip
            self.assertAlmostEqual(number_from(text, unit, now), value, msg=text)

    def test_what_is_no_number_is_refused(self):
        for text in ("", "many", "1/0", "9**9**9", "__import__('os')", "[1]", "1;2", "True", "nan", "(-1)**0.5", "/0"):
            with self.assertRaises(NotANumber, msg=text):
                number_from(text, "m", 1.0)

    def test_ranges(self):
        for text, pair in (
            ("0.6 - 1.1", (0.6, 1.1)), ("0.6 – 1.1", (0.6, 1.1)), ("1.1 to 0.6", (0.6, 1.1)), ("0.8 ± 0.2", (0.6, 1.0)),
            ("0.8 +- 25%", (0.6, 1.0)), ("-2 - -1", (-2, -1)), ("3", (3, 3)), ("-3", (-3, -3)), ("0.2 - 0.2", (0.2, 0.2)),
            ("40-50", (40, 50)), ("200 - 300ms", (0.2, 0.3)), ("2*3-1", (1, 6)), ("(5-3)-4", (2, 4)), ("1e-3 - 2e-3", (1e-3, 2e-3)),
            ("3--1", (-1, 3)),
        ):  # fmt: skip
            np.testing.assert_allclose(range_from(text, "s", 1.0), pair, err_msg=text)

    def test_one_grammar_in_every_number(self):
        """A minus between two numbers is a range everywhere; where there is room for one number it is refused."""
        for text in ("5-3", "5 - 3", "2*3-1", "1 to 2", "0.8 ± 0.1", "5 – 3"):
            self.assertRaisesRegex(NotANumber, "one number", number_from, text, "m", 1.0)
        for text, value in (("(5-3)", 2), ("-(5-3)", -2), ("-=3", -2), ("1e-2", 0.01), ("3*-2", -6)):
            self.assertAlmostEqual(number_from(text, "m", 1.0), value, msg=text)
        self.assertRaisesRegex(NotANumber, "two ends", range_from, "1-2-3", "m", 1.0)

    def test_numbers_are_shown_short(self):
        cases = ((0.1, "0.1"), (2.0, "2"), (0.0123, "0.0123"), (1234.5, "1234"), (-0.0, "0"), (33.333, "33.33"))
        for value, text in cases:
            self.assertEqual(shown_number(value), text)


class Editors(unittest.TestCase):
    def setUp(self):
        self.qt = application()

    def shown(self, widget, width=160):
        widget.resize(width, widget.height())
        widget.show()
        self.addCleanup(widget.deleteLater)
        self.told = []
        widget.edited.connect(lambda value, stroke: self.told.append((value, stroke)))
        return widget

    def test_a_drag_is_one_stroke_and_modifiers_change_its_pace(self):
        edit = self.shown(NumberEdit(Field("rate", "", soft=(0, 100)), default=50.0))
        moved = {}
        keys = Qt.KeyboardModifier
        for name, modifier in (("plain", NONE), ("fine", keys.ShiftModifier), ("coarse", keys.ControlModifier)):
            edit.show_value(50.0)
            self.told.clear()
            QTest.mousePress(edit, LEFT, modifier, QPoint(20, 10))
            for x in (30, 40):
                at = QPointF(x, 10)
                over = edit.mapToGlobal(at)
                edit.mouseMoveEvent(QMouseEvent(QMouseEvent.Type.MouseMove, at, over, Qt.MouseButton.NoButton, LEFT, modifier))
            QTest.mouseRelease(edit, LEFT, modifier, QPoint(40, 10))
            moved[name] = edit.value - 50
            self.assertEqual(len({id(stroke) for _, stroke in self.told}), 1)
        self.assertGreater(moved["plain"], 0)
        self.assertAlmostEqual(moved["fine"] * 10, moved["plain"], delta=0.6)
        self.assertGreater(moved["coarse"], 5 * moved["plain"])

    def test_keys_limits_and_escape(self):
        edit = self.shown(NumberEdit(Field("fill", "", soft=(0, 1), least=0, most=1), default=1.0))
        QTest.keyClick(edit, Qt.Key.Key_Up)
        self.assertEqual(edit.value, 1.0)
        QTest.keyClick(edit, Qt.Key.Key_Down)
        self.assertLess(edit.value, 1.0)
        QTest.keyClick(edit, Qt.Key.Key_5)
        QTest.keyClick(edit._line, Qt.Key.Key_Escape)
        self.assertFalse(edit.typing)
        self.assertNotEqual(edit.value, 5)
        QTest.keyClick(edit, Qt.Key.Key_Return)
        QTest.keyClicks(edit._line, "7")
        QTest.keyClick(edit._line, Qt.Key.Key_Return)
        self.assertEqual(edit.value, 1.0)
        QTest.keyClick(edit, Qt.Key.Key_Delete)
        self.assertEqual(edit.value, 1.0)

    def test_a_whole_number_stays_whole(self):
        edit = self.shown(NumberEdit(fields_of(Outlet)["limit"].field, whole=True, default=2000))
        edit.set_by_hand(12.6)
        self.assertEqual((edit.value, edit.text()), (13, "13"))

    def test_a_range_keeps_minimum_first(self):
        edit = self.shown(editor_for(fields_of(Birth)["lifetime"], None))
        edit.show_value(between(1.0, 2.0))
        edit.low.set_by_hand(3.0)
        self.assertEqual((edit.value.low, edit.value.high), (3.0, 3.0), "what is typed into an end is that end")
        self.assertIn("the maximum goes along", QToolTip.text())
        edit.show_value(between(1.0, 2.0))
        edit.high.set_by_hand(0.5)
        self.assertEqual((edit.value.low, edit.value.high), (0.5, 0.5))
        edit.show_value(between(2.0, 3.0))
        edit.low.set_by_hand(4.0, "a drag")
        self.assertEqual((edit.value.low, edit.value.high), (3.0, 3.0))
        edit.show_value(between(1.0, 2.0))
        edit.toggle()
        self.assertEqual((edit.value.low, edit.value.high), (1.5, 1.5))
        edit.toggle()
        self.assertEqual((edit.value.low, edit.value.high), (1.0, 2.0))
        edit.show_value(fixed(1.0))
        edit.toggle()
        self.assertEqual((edit.value.low, edit.value.high), (0.75, 1.25))
        edit.show_value(fixed(1.0))
        edit.high.set_by_hand(4.0)
        self.assertEqual((edit.value.low, edit.value.high), (4.0, 4.0))

    def test_a_range_is_moved_by_its_middle_and_a_vector_moves_as_a_whole_or_linked(self):
        editor = self.shown(editor_for(fields_of(Birth)["lifetime"], None), 200)
        editor.show_value(between(1.0, 2.0))
        self.qt.processEvents()
        QTest.mousePress(editor.between, LEFT, pos=QPoint(5, 10))
        QTest.mouseMove(editor.between, QPoint(15, 10))
        QTest.mouseMove(editor.between, QPoint(35, 10))
        QTest.mouseRelease(editor.between, LEFT, pos=QPoint(35, 10))
        self.assertGreater(editor.value.low, 1.2)
        self.assertAlmostEqual(editor.value.high - editor.value.low, 1.0)
        vector = self.shown(editor_for(fields_of(Outlet)["extent"], None), 260)
        vector.show_value((1.0, 2.0, 4.0))
        vector.link(True)
        vector.parts[0].set_by_hand(2.0)
        self.assertEqual(vector.value, (2.0, 4.0, 8.0))
        vector.link(False)
        with mock.patch.object(QApplication, "keyboardModifiers", return_value=Qt.KeyboardModifier.AltModifier):
            vector.parts[1].set_by_hand(3.0)
        self.assertEqual(vector.value, (1.0, 3.0, 7.0))

    def test_choices_and_switches_by_key(self):
        choice = self.shown(editor_for(fields_of(Look)["blend"], None))
        QTest.keyClick(choice, Qt.Key.Key_Down)
        QTest.keyClick(choice, Qt.Key.Key_Down)
        self.assertEqual([value for value, _ in self.told], ["alpha", "multiply"])

    def test_the_picker_speaks_linear_light_beyond_white(self):
        anchor = self.shown(TintsEdit(Field("tint", ""), Tints()))
        picker = ColourPicker((4.0, 1.0, 0.25), anchor)
        np.testing.assert_allclose(picker.colour(), (4.0, 1.0, 0.25), rtol=0.02)
        told = []
        picker.edited.connect(lambda colour, stroke: told.append(colour))
        picker.show()
        for line, text, colour in (
            (picker.code, "#808080", [4 * 0.2158] * 3),
            (picker.linear, "50, 17, 9", [50, 17, 9]),
            (picker.code, "0.5 0 2", [0.5, 0, 2]),
        ):
            line.setFocus()
            line.selectAll()
            QTest.keyClicks(line, text)
            QTest.keyClick(line, Qt.Key.Key_Return)
            np.testing.assert_allclose(told[-1], colour, rtol=0.01)
        for text in ("#12", "1, 2", "1, -2, 3", "bluish"):
            self.assertRaises(NotANumber, colour_from, text)
        self.assertEqual(len(told), 3)

    def test_one_tint_is_one_click_until_it_is_made_two(self):
        edit = self.shown(TintsEdit(Field("tint", ""), Tints()))
        for split in (False, True):
            if split:
                QTest.mouseClick(edit.kind, LEFT)
            QTest.mouseClick(edit, LEFT, pos=QPoint(140, 12))
            picker = QApplication.activePopupWidget()
            QTest.keyClicks(picker.code, "3 2 1")
            QTest.keyClick(picker.code, Qt.Key.Key_Return)
            picker.close()
        told = [value for value, _ in self.told]
        self.assertEqual({(one.first, one.second) for one in told}, {((3, 2, 1), (3, 2, 1))})
        QTest.mouseClick(edit, LEFT, pos=QPoint(140, 12))
        picker = QApplication.activePopupWidget()
        QTest.keyClicks(picker.code, "1 1 1")
        QTest.keyClick(picker.code, Qt.Key.Key_Return)
        picker.close()
        self.assertEqual((self.told[-1][0].first, self.told[-1][0].second), ((3, 2, 1), (1, 1, 1)))


class LaneEditors(unittest.TestCase):
    def setUp(self):
        self.qt = application()

    def lane(self, name, value):
        kind = {"size": CurveLane, "colour": GradientLane}[name]
        lane = kind(fields_of(Life)[name])
        lane.resize(400, 60)
        lane.show_value(value)
        lane.show()
        self.addCleanup(lane.deleteLater)
        return lane

    def test_a_lane_mirrors_takes_shapes_and_refuses_a_foreign_clipboard(self):
        lane = self.lane("size", curve((0, 0.2), (0.3, 1), (1, 0)))
        lane.mirror()
        self.assertEqual([(key.at, key.value) for key in lane.points], [(0.0, 0.0), (0.7, 1.0), (1.0, 0.2)])
        lane.copy()
        lane.take_shape(PRESETS["ease up"])
        self.assertEqual(len(lane.points), 2)
        self.assertTrue(lane.paste())
        self.assertEqual(len(lane.points), 3)
        colours = self.lane("colour", gradient((0, (1.0, 1.0, 1.0))))
        self.assertFalse(colours.paste())
        from pale_ember.studio.kit.clipboard import copy_text

        for text in ("", "nonsense", "[]", '{"pale-ember": "curve", "keys": [{"at": 2}]}'):
            copy_text(text)
            self.assertFalse(lane.paste())

    def test_what_an_undo_takes_away_is_let_go_of(self):
        """A drag goes on with what is in the hand, and with nothing where that is gone."""
        for name, full, less in (
            ("colour", gradient((0, (1.0, 0.0, 0.0)), (0.5, (0.0, 1.0, 0.0)), (1, (0.0, 0.0, 1.0))), gradient((0, (1.0, 0.0, 0.0)))),
            ("size", curve((0, 0.2), (0.5, 1), (1, 0)), curve((0, 0.2))),
        ):
            lane = self.lane(name, full)
            y = round(lane.box().bottom()) + 4 if name == "colour" else round(lane.y_at(1))
            at = QPoint(round(lane.x_at(0.5)), y)
            QTest.mousePress(lane, Qt.MouseButton.LeftButton, pos=at)
            self.assertTrue(lane._dragging, name)
            give = lane._coloured(1) if name == "colour" else lambda colour, lane=lane: lane.set_point(1, value=0.3)
            lane.show_value(less)
            told = []
            lane.edited.connect(lambda value, stroke, told=told: told.append(value))
            QTest.mouseMove(lane, at + QPoint(20, 0))
            give((1.0, 1.0, 1.0))
            lane.remove_point(1)
            QTest.mouseRelease(lane, Qt.MouseButton.LeftButton, pos=at)
            self.assertEqual((told, lane.points), ([], less.stops if name == "colour" else less.keys))

    def test_a_band_is_one_drag_and_a_curve_is_drawn_by_hand_in_one_step(self):
        lane = self.lane("size", curve((0, 0.5), (1, 0.5)))
        told = []
        lane.edited.connect(lambda value, stroke: told.append((value, stroke)))
        x, y = round(lane.x_at(0.5)), round(lane.y_at(0.5))
        up = round(lane.y_at(0.75))
        self.pull(lane, [(x, y), (x, (y + up) // 2), (x, up)], Qt.KeyboardModifier.ControlModifier)
        self.assertTrue(all(abs(key.band - 0.25) < 0.03 for key in lane.points), lane.points)
        self.assertEqual(len({id(stroke) for _, stroke in told}), 1)
        told.clear()
        lane.take_shape(curve((0, 0), (1, 0)))
        told.clear()
        places = [(round(lane.x_at(t)), round(lane.y_at(0.5 + 0.4 * math.sin(5 * t)))) for t in np.linspace(0, 1, 60)]
        self.pull(lane, places, Qt.KeyboardModifier.ShiftModifier)
        self.assertEqual(len(told), 1)
        ages = np.linspace(0.05, 0.95, 30)
        np.testing.assert_allclose(sample_keys(lane.points, ages), 0.5 + 0.4 * np.sin(5 * ages), atol=0.05)
        self.assertLessEqual(len(lane.points), 9)
        far = [(round(lane.x_at(t)), round(lane.y_at(0.3))) for t in (0.01, 0.3, 0.99)]
        self.pull(lane, far, Qt.KeyboardModifier.ShiftModifier)
        self.assertEqual((lane.points[0].at, lane.points[-1].at), (0.0, 1.0))

    def pull(self, lane, places, held):
        """A drag through places with a key held."""
        QTest.mousePress(lane, LEFT, held, QPoint(*places[0]))
        for place in places[1:]:
            at = QPointF(*place)
            move = QMouseEvent(QEvent.Type.MouseMove, at, lane.mapToGlobal(at), Qt.MouseButton.NoButton, LEFT, held)
            self.qt.sendEvent(lane, move)
        QTest.mouseRelease(lane, LEFT, held, QPoint(*places[-1]))

    def at(self, lane, age, value):
        return round(lane.x_at(age)), round(lane.y_at(value))

    def test_keys_are_boxed_moved_stretched_and_removed_together(self):
        lane = self.lane("size", curve((0, 0.2), (0.3, 0.6), (0.5, 0.4), (1, 0.2)))
        lane.resize(600, 200)
        self.pull(lane, [self.at(lane, 0.2, 0.9), self.at(lane, 0.4, 0.5), self.at(lane, 0.6, 0.1)], NONE)
        self.assertEqual(lane.chosen, {1, 2})
        self.pull(lane, [self.at(lane, 0.3, 0.6), self.at(lane, 0.36, 0.68), self.at(lane, 0.4, 0.75)], NONE)
        np.testing.assert_allclose([(key.at, key.value) for key in lane.points[1:3]], [(0.4, 0.75), (0.6, 0.55)], atol=0.02)
        box = lane.group_box()
        right = (round(box.right()), round(box.center().y()))
        self.pull(lane, [right, (right[0] + 40, right[1]), (right[0] + 100, right[1])], NONE)
        self.assertAlmostEqual(lane.points[1].at, 0.4, delta=0.01)
        self.assertAlmostEqual(lane.points[2].at, 0.8, delta=0.03)
        top = (round(box.center().x()), round(lane.group_box().top()))
        self.pull(lane, [top, (top[0], top[1] - 20), (top[0], top[1] - 30)], NONE)
        self.assertGreater(lane.points[1].value - lane.points[2].value, 0.25)
        QTest.keyClick(lane, Qt.Key.Key_Delete)
        self.assertEqual([key.at for key in lane.points], [0.0, 1.0])
        QTest.keyClick(lane, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(lane.chosen, {0, 1})

    def test_a_key_keeps_to_one_axis_is_caught_and_wears_its_own_band_and_handles(self):
        lane = self.lane("size", curve((0, 0.2), (0.5, 0.6), (1, 0.2)))
        lane.resize(600, 200)
        held = Qt.KeyboardModifier
        self.pull(lane, [self.at(lane, 0.5, 0.6), self.at(lane, 0.6, 0.62), self.at(lane, 0.7, 0.66)], held.ShiftModifier)
        self.assertEqual(lane.points[1].value, 0.6)
        self.assertAlmostEqual(lane.points[1].at, 0.7, delta=0.01)
        x, y = self.at(lane, 0.7, 1.0)
        self.pull(lane, [self.at(lane, 0.7, 0.6), (x, y + 20), (x, y + 3)], NONE)
        self.assertEqual(lane.points[1].value, 1.0, "caught by the line at 1")
        self.pull(lane, [self.at(lane, 0.7, 1.0), (x, y + 20), (x, y + 3)], held.AltModifier)
        self.assertLess(lane.points[1].value, 1.0, "free with Alt")
        grip = lane.band_grips()[1]
        self.pull(lane, [(round(grip.x()), round(grip.y())), (round(grip.x()), round(grip.y()) + 30)], NONE)
        self.assertEqual([key.band > 0 for key in lane.points], [False, True, False])
        lane.set_ease(1, "handles")
        for with_alt, joined in ((NONE, True), (held.AltModifier, False)):
            lane.set_point(1, slope=Slope())
            grip = lane.slope_grips()["after"]
            start = (round(grip.x()), round(grip.y()))
            self.pull(lane, [start, (start[0], start[1] + 10), (start[0], start[1] + 20)], with_alt)
            slope = lane.points[1].slope
            self.assertLess(slope.after, -0.5)
            self.assertEqual(slope.before == slope.after, joined)

    def test_a_name_is_dragged_only_while_it_is_pressed(self):
        from pale_ember.studio.controls import lanes

        for name, value in (("size", curve((0, 0.2), (1, 1))), ("colour", gradient((0, (1.0, 1.0, 1.0))))):
            lane = self.lane(name, value)
            with mock.patch.object(lanes, "drag_text") as begun:
                QTest.mouseClick(lane, LEFT, pos=QPoint(20, 20))
                none = Qt.MouseButton.NoButton
                for buttons, times in ((none, 0), (LEFT, 1)):
                    at = QPointF(200, 30)
                    move = QMouseEvent(QEvent.Type.MouseMove, at, lane.mapToGlobal(at), none, buttons, NONE)
                    self.qt.sendEvent(lane, move)
                    self.assertEqual(begun.call_count, times, (name, buttons))
                    QTest.mousePress(lane, LEFT, pos=QPoint(20, 20))

    def test_a_large_lane_is_zoomed_panned_and_framed(self):
        lane = self.lane("size", curve((0, 0.2), (0.4, 3.0), (0.5, 2.8), (1, 0.2)))
        lane.set_large(True)
        lane.resize(600, 220)
        here = QPointF(lane.x_at(0.45), lane.y_at(2.9))
        age = lane.age_at(here.x())

        def wheel(held):
            turn = QWheelEvent(
                here, lane.mapToGlobal(here), QPoint(), QPoint(0, 480), Qt.MouseButton.NoButton, held, Qt.ScrollPhase.NoScrollPhase, False
            )
            self.qt.sendEvent(lane, turn)
            return turn.isAccepted()

        self.assertFalse(wheel(NONE), "without Ctrl the wheel scrolls the column")
        self.assertTrue(wheel(Qt.KeyboardModifier.ControlModifier))
        self.assertAlmostEqual(lane.age_at(here.x()), age, places=6)
        seen = lane.seen()
        self.assertLess(seen.end - seen.begin, 0.7)
        self.assertTrue(wheel(Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier))
        self.assertLess(lane.seen().high - lane.seen().low, seen.high - seen.low)
        lane.choose({1, 2})
        lane.frame_keys()
        self.assertTrue(0.35 < lane.seen().begin < 0.4 < 0.5 < lane.seen().end < 0.55)
        index = lane.point_near(QPointF(lane.x_at(0.4), lane.y_at(3.0)))
        self.assertEqual(index, 1)
        lane.grab()
        lane.set_large(False)
        self.assertIsNone(lane.view)

    def test_shapes_of_ones_own_are_kept_and_forgotten(self):
        with tempfile.TemporaryDirectory() as home, mock.patch.dict(os.environ, XDG_DATA_HOME=home):
            lane = self.lane("size", curve((0, 0.25), (1, 0.75)))
            with mock.patch.object(QInputDialog, "getText", return_value=("slow / swell", True)):
                lane._ask_keep()
            self.assertEqual(list(own_parts("shapes", Curve)), ["slow / swell"])
            lane.take_shape(PRESETS["ease up"])
            menu = QMenu()
            lane.lane_actions(menu)
            shapes = next(each for each in menu.findChildren(QMenu) if each.title() == "Apply a shape")
            next(action for action in shapes.actions() if action.text() == "slow / swell").trigger()
            self.assertEqual([key.value for key in lane.points], [0.25, 0.75])
            drop_own("shapes", "slow / swell")
            self.assertEqual(own_parts("shapes", Curve), {})

    def test_the_colours_of_heat_are_taken_and_asked_for(self):
        lane = self.lane("colour", gradient((0, (1.0, 1.0, 1.0))))
        for first, last in COOLINGS.values():
            lane.take_colours(cooling(first, last))
            self.assertEqual(lane.points[0].colour, black_body(first))
        for text, left in (("3000, 1000", black_body(1000)), ("hot", black_body(1000))):
            with mock.patch.object(QInputDialog, "getText", return_value=(text, True)):
                lane._ask_heat()
            self.assertEqual(lane.points[-1].colour, left)

    def test_colours_come_from_svg_lists_pictures_and_the_window_and_go_out_again(self):
        from pale_ember.studio.kit.clipboard import clipboard_text, copy_text

        lane = self.lane("colour", gradient((0, (1.0, 0.2, 0.0)), (0.4, (0.2, 0.2, 0.2)), (1, (0.0, 0.0, 1.0))))
        before = lane.points
        for name, text in (("Copy as SVG", "<linearGradient"), ("Copy as a list of colours", "#0000ff")):
            menu = QMenu()
            lane.lane_actions(menu)
            next(action for action in menu.actions() if action.text() == name).trigger()
            self.assertIn(text, clipboard_text())
            lane.take_colours(PALETTES["sea glass"])
            self.assertTrue(lane.paste())
            for old, new in zip(before, lane.points, strict=True):
                np.testing.assert_allclose(new.colour, old.colour, atol=0.004)
        copy_text("rgb nonsense")
        self.assertFalse(lane.paste())
        lane.show_product(np.linspace(0, 1, 33)[:, None] * np.ones(3))
        lane.flip_mixing()
        self.assertEqual(lane.value.between, "perceptual")
        lane.grab()
        dropper = lane.take_from_window(0)
        QTest.mouseClick(dropper, LEFT, pos=QPoint(round(lane.x_at(0.97)), round(lane._bar().center().y())))
        self.assertGreater(lane.points[0].colour[2], 0.8)
        self.assertLess(lane.points[0].colour[0], 0.1)

    def test_a_large_lane_has_a_grid_of_round_values_and_keeps_its_keys_where_they_are(self):
        for rough, step in ((0.26, 0.2), (0.4, 0.5), (7.0, 5.0), (80.0, 100.0), (0.013, 0.01)):
            self.assertAlmostEqual(round_step(rough), step)
        lane = self.lane("size", curve((0, 0.5), (0.5, 1), (1, 0.5)))
        told = []
        lane.grown.connect(lambda: told.append(not lane.large) or lane.set_large(not lane.large))
        QTest.mouseDClick(lane, LEFT, pos=QPoint(20, 20))
        self.assertGreaterEqual(lane.minimumHeight(), 160)
        lane.axis = 0.0, 2.5, "s"
        lane.resize(600, 170)
        lane.grab()
        key = QPointF(lane.x_at(0.5), lane.y_at(1.0))
        self.assertEqual(lane.point_near(key), 1)
        self.assertLess(lane.y_at(0.0), 170 - 14)
        QTest.keyClick(lane, Qt.Key.Key_Return)
        self.assertEqual((told, lane.large), ([True, False], False))

    def test_changes_are_in_the_menu_and_numbers_are_pasted(self):
        from pale_ember.studio.kit.clipboard import copy_text

        lane = self.lane("size", curve((0, 0), (0.5, 1), (1, 0)))
        for name, change in CHANGES.items():
            before = Curve(keys=lane.points)
            lane.take_shape(change(before))
            self.assertTrue(all(key.value >= 0 for key in lane.points), name)
        copy_text("1 0.25 0")
        self.assertTrue(lane.paste())
        self.assertEqual([(key.at, key.value) for key in lane.points], [(0.0, 1.0), (0.5, 0.25), (1.0, 0.0)])

    def test_the_last_key_stays_and_points_keep_their_order(self):
        lane = self.lane("size", curve((0.2, 1), (0.5, 2), (0.8, 1)))
        lane.set_point(1, at=0.95)
        self.assertLess(lane.points[1].at, 0.8)
        for _ in range(5):
            lane.remove_point(0)
        self.assertEqual(len(lane.points), 1)

    def test_a_stop_added_on_the_bar_has_the_colour_that_was_there(self):
        lane = self.lane("colour", gradient((0, (1.0, 0.0, 0.0)), (1, (0.0, 0.0, 4.0))))
        at = QPoint(round(lane.x_at(0.25)), 10)
        QTest.mousePress(lane, LEFT, pos=at)
        QTest.mouseRelease(lane, LEFT, pos=at)
        np.testing.assert_allclose(lane.points[1].colour, (0.75, 0.0, 1.0), atol=0.02)
        lane.setFocus()
        QTest.keyClick(lane, Qt.Key.Key_Right)
        self.assertAlmostEqual(lane.points[1].at, 0.26, delta=0.005)
        QTest.keyClick(lane, Qt.Key.Key_Delete)
        self.assertEqual(len(lane.points), 2)
