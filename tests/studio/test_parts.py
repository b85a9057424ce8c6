"""Lists of parts, groups, names and further lanes, in the real window."""

import unittest

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractButton, QAbstractItemView, QAbstractSpinBox, QComboBox, QScrollArea, QScrollBar, QWidget

from pale_ember.core.effect.bursts import Burst
from pale_ember.core.effect.edit import value_at
from pale_ember.core.effect.forces import Attractor, Vortex
from pale_ember.core.effect.values import Range, between, fixed
from pale_ember.studio.controls.buttons import ChoiceEdit, SwitchEdit
from pale_ember.studio.controls.number import NumberEdit
from pale_ember.studio.fields.name_edits import NameEdit
from pale_ember.studio.fields.part_fields import Heading, PartsEdit
from tests.studio import driven
from tests.studio.driven import LEFT


class Parts(driven.Window):
    def parts(self, chapter, name):
        """The list editor of a chapter's field."""
        self.window.story.bring(chapter)
        self.qt.processEvents()
        edit = self.window.story.bodies[chapter].fields.list_of((chapter, name))
        self.qt.processEvents()
        return edit

    def row(self, edit, index, name):
        column = edit.blocks[index].fields
        return next(row for row in column.rows if row.path[-1] == name)

    def test_bursts_are_added_changed_fired_and_removed(self):
        edit = self.parts("outlet", "bursts")
        QTest.mouseClick(edit.add_button, LEFT)
        QTest.mouseClick(edit.add_button, LEFT)
        self.assertEqual([burst.key for burst in self.layer(0).outlet.bursts], [0, 1])
        self.row(edit, 0, "first_at").editor.set_by_hand(0.25)
        self.row(edit, 0, "count").editor._both_typed(7, 9)
        self.assertEqual(self.layer(0).outlet.bursts[0], Burst(key=0, first_at=0.25, count=between(7.0, 9.0)))
        self.settle()
        before = self.window.stage.answer.frame.layers[0].count
        moment = self.window.desk.player.moment
        edit.fire(0)
        self.assertGreater(self.window.desk.player.moment, moment)
        self.settle(lambda: self.window.stage.answer.frame.layers[0].count >= before + 6)
        edit.remove(0)
        self.assertEqual(self.window.desk.fired, ())
        QTest.mouseClick(edit.add_button, LEFT)
        self.assertEqual([burst.key for burst in self.layer(0).outlet.bursts], [1, 2])
        names = [edit.name for edit in self.window.document.past]
        self.assertIn("smoke: remove bursts", names)

    def test_forces_of_several_kinds_have_rows_of_their_own(self):
        edit = self.parts("forces", "more")
        edit.add(Vortex)
        edit.add(Attractor)
        self.assertEqual([force.key for force in self.layer(0).forces.more], [0, 1])
        self.row(edit, 0, "strength").editor._both_typed(2, 5)
        self.row(edit, 1, "falloff").editor.set_by_hand(2.0)
        edit.blocks[1].fields.reveal(("forces", "more", 1, "region")).editor.choose("in a sphere")
        whirl, attractor = self.layer(0).forces.more
        self.assertEqual((whirl.strength, attractor.falloff, attractor.region), (between(2.0, 5.0), 2.0, "in a sphere"))
        self.assertIn("carried around by a vortex of 2 – 5 m/s²", self.window.story.chapters["forces"].sentence.text)
        self.settle()

    def test_a_rule_chooses_its_layer_by_name(self):
        edit = self.parts("offspring", "rules")
        QTest.mouseClick(edit.add_button, LEFT)
        names = self.row(edit, 0, "layer").editor
        self.assertIsInstance(names, NameEdit)
        self.assertEqual([called for _, called in names.options()], ["tongues", "sparks"])
        names.choose(self.layer(2).id)
        self.row(edit, 0, "when").editor.choose("ends")
        self.assertEqual(names.text(), "sparks")
        self.assertIn("spawns 3 of sparks", self.window.story.chapters["offspring"].sentence.text)
        self.settle(lambda: self.window.stage.answer.frame.layers[2].count > 0)

    def test_whatever_takes_the_keyboard_has_a_name_and_switches_choices_and_folds_a_role(self):
        for name, chapter in self.window.story.chapters.items():
            self.window.story.bring(name)
            if chapter.standing is not None:
                chapter.standing.show_all(True)
        self.window.transport.open_stage()
        self.qt.processEvents()
        seen = 0
        for widget in self.window.findChildren(QWidget):
            if widget.focusPolicy() != Qt.FocusPolicy.NoFocus and not isinstance(widget, (QAbstractItemView, QScrollArea, QScrollBar)):
                seen += 1
                self.assertTrue(widget.accessibleName(), f"{type(widget).__name__} in {type(widget.parent()).__name__}")
        self.assertGreater(seen, 200)
        for kind, base in (
            (SwitchEdit, QAbstractButton),
            (Heading, QAbstractButton),
            (ChoiceEdit, QComboBox),
            (NumberEdit, QAbstractSpinBox),
        ):
            self.assertTrue(issubclass(kind, base))
            self.assertTrue(self.window.findChildren(kind))
        for number in self.window.findChildren(NumberEdit):
            self.assertEqual(number.accessibleDescription() or number.text(), number.text())
            self.assertEqual(number.property("value"), number.value)
        rate = self.field("outlet", "rate").editor.high
        before = rate.value
        rate.stepUp()  # as an assistive tool does
        self.assertGreater(self.window.desk.layer.outlet.rate.high, before)

    def test_headings_fold_by_mouse_and_keys(self):
        panel = self.window.transport.open_stage()
        heading = next(one for one in panel.findChildren(Heading) if one.text() == "carrier")
        row = panel.fields.reveal(("carrier", "moves"))
        QTest.mouseClick(heading, LEFT, pos=QPoint(10, 10))
        self.assertFalse(row.isVisible())
        QTest.keyClick(heading, Qt.Key.Key_Return)
        self.assertTrue(row.isVisible())

    def test_further_lanes_are_added_edited_and_removed(self):
        life = self.window.story.bodies["life"]
        life.add_lane("velocity x")
        life.add_lane("colour")
        self.assertEqual([lane.drives for lane in self.layer(0).life.more], ["velocity x", "colour"])
        block = life.blocks[0]
        block.editors["over"].choose("speed")
        block.editors["high"].set_by_hand(12.0)
        block.lane.select(1)
        self.assertTrue(life.key_band.isVisible())
        life.key_band.set_by_hand(0.5)
        block.lane.set_ease(1, "handles")
        self.assertTrue(life.slope_before.isVisible())
        lane = self.layer(0).life.more[0]
        self.assertEqual((lane.over, lane.high, lane.curve.keys[1].band, lane.curve.keys[1].ease), ("speed", 12.0, 0.5, "handles"))
        block.lane.edited.emit(None, None)
        self.assertEqual([lane.drives for lane in self.layer(0).life.more], ["colour"])
        self.settle()

    def test_ranges_take_lists_and_axes_their_own(self):
        size = self.field("birth", "size").editor
        self.type_into(size.high, "0.2; 0.5; 1")
        self.assertEqual(self.layer(0).birth.size, Range(low=0.2, high=1.0, choices=(0.2, 0.5, 1.0)))
        self.assertIn("one of 0.2, 0.5, 1", self.window.story.chapters["birth"].sentence.text)
        size.toggle()
        self.assertTrue(self.layer(0).birth.size.fixed)
        push = self.field("birth", "push").editor
        push.parts["y"]._both_typed(1.0, 2.0)
        self.assertEqual(self.layer(0).birth.push.y, between(1.0, 2.0))
        self.assertEqual(self.layer(0).birth.push.x, fixed(0.0))

    def test_the_stage_and_the_layer_have_rows(self):
        transport = self.window.transport
        transport.open_stage()
        panel = transport.panel
        edits = {edit.path: edit for edit in panel.findChildren(PartsEdit)}
        edits[("props",)].add(edits[("props",)].kind)
        self.row(edits[("props",)], 0, "shape").editor.choose("sphere")
        carrier = next(row for row in panel.fields._parts if row[0] == ("carrier",))[2]
        next(row for row in carrier.rows if row.path[-1] == "moves").editor.choose("circle")
        stage = self.effect.stage
        self.assertEqual((stage.props[0].shape, stage.carrier.moves), ("sphere", "circle"))
        contact = self.field("contact", "surfaces").editor
        contact.choose("prop")
        self.assertEqual(self.layer(0).contact.surfaces, ("prop",))
        contact.choose("")
        self.assertEqual(self.layer(0).contact.surfaces, ())
        self.window.story.bodies["place"].fields.reveal(("rides_on",)).editor.choose(self.layer(1).id)
        self.assertEqual(value_at(self.layer(0), ("rides_on",)), self.layer(1).id)
        self.settle()
        panel.close()


if __name__ == "__main__":
    unittest.main()
