"""Nothing is cut off at 1280×800: every label is measured against its room, at 100 and at 200 percent."""

import unittest

from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRectF, QSizeF
from PyQt6.QtGui import QFont, QFontMetricsF
from PyQt6.QtWidgets import QLabel, QScrollArea

from pale_ember.core.effect.fields import Part, fields_of, kinds_of
from pale_ember.core.effect.forces import Gust, Vortex
from pale_ember.core.effect.model import Effect
from pale_ember.core.effect.outlet import Outlet
from pale_ember.core.effect.strips import Ribbon
from pale_ember.core.effect.values import Range
from pale_ember.formats.document import load
from pale_ember.studio.controls.buttons import ChoiceEdit, WordButton
from pale_ember.studio.controls.number import NumberEdit
from pale_ember.studio.controls.vector_edit import VectorEdit
from pale_ember.studio.fields.part_fields import Heading
from pale_ember.studio.fields.row import LABEL_WIDTH, FieldRow
from pale_ember.studio.kit import fitted_text, theme
from pale_ember.studio.shell.files import demo_effects
from pale_ember.studio.stage.shape_overlay import name_spots
from pale_ember.studio.story.chapter import Chapter
from tests.studio import driven

SLACK = 1.5
"""Pixels that rounding may take."""


def width(text, font):
    """The wider of what a text takes at either scale."""
    twice = QFont(font)
    twice.setPixelSize(2 * font.pixelSize())
    return max(QFontMetricsF(font).horizontalAdvance(text), QFontMetricsF(twice).horizontalAdvance(text) / 2)


def declared(part, seen):
    """Every field that is shown anywhere in an effect."""
    if part in seen:
        return
    seen.add(part)
    for one in fields_of(part).values() if part is not Range else ():
        yield one
        for inner in (one.type, *getattr(one.type, "__args__", ())):
            if isinstance(inner, type) and issubclass(inner, Part):
                for kind in (inner, *kinds_of(inner).values()):
                    yield from declared(kind, seen)


class NamesOnTheStage(unittest.TestCase):
    def test_they_stand_clear_of_each_other_and_of_every_dot_and_are_left_out_where_there_is_no_room(self):
        room = QRectF(0, 0, 300, 200)
        dots = [QPointF(250, 100), QPointF(252, 112), QPointF(150, 150), QPointF(290, 5), *[QPointF(20, 20 + 9 * i) for i in range(9)]]
        spots = name_spots(dots, [QSizeF(60, 14)] * len(dots), room)
        boxes = [box for box in spots if box is not None]
        self.assertTrue(all(room.contains(box) for box in boxes))
        for i, box in enumerate(boxes):
            self.assertFalse(any(box.intersects(other) for other in boxes[:i]))
            self.assertFalse(any(box.contains(dot) for dot in dots))
        self.assertLess(spots[0].right(), 250, "no room at its right")
        self.assertGreater(spots[2].left(), 150)
        self.assertIsNone(spots[5], "between its neighbours' dots")


class Labels(driven.Window):
    def test_every_label_of_a_field_has_room_on_two_lines_at_most(self):
        labels = {one.field.label for one in declared(Effect, set())}
        self.assertGreater(len(labels), 150)
        for label in labels:
            font, lines = fitted_text.wrapped(label, LABEL_WIDTH - 15)
            self.assertLessEqual(len(lines), 2)
            for line in lines:
                self.assertLessEqual(width(line, font), LABEL_WIDTH - 15 + 4, label)

    def test_all_that_is_written_in_the_window_has_room(self):
        self.window.document.change_layer("all", self.layer(0).id, ("forces", "more"), (Vortex(), Gust(key=1)))
        self.settle()
        self.window.transport.open_stage()
        seen = 0
        for chapter in (*self.window.story.chapters.values(), self.window.transport.panel):
            if isinstance(chapter, Chapter):
                self.window.story.bring(chapter.name)
                if chapter.standing is not None:
                    chapter.standing.show_all(True)
            for heading in chapter.findChildren(Heading):
                heading.open()
            self.qt.processEvents()
            for area in chapter.findChildren(QScrollArea):
                self.assertLessEqual(area.widget().minimumSizeHint().width(), area.viewport().width(), chapter)
            for choice in chapter.findChildren(ChoiceEdit):
                for option in choice.options if choice.isVisible() and choice.told is None else ():
                    room = choice.width() - 22
                    self.assertLessEqual(width(option, fitted_text.fitting(option, room)), room + SLACK, option)
                    seen += 1
        self.assertGreater(seen, 40)
        for page in (self.window.thinning, self.window.checks, self.window.costs, self.window.variations, self.window.matching):
            self.window.flip_side(page)
            self.qt.processEvents()
            for area in page.findChildren(QScrollArea):
                self.assertLessEqual(area.widget().minimumSizeHint().width(), area.viewport().width(), page.title)

    def test_every_button_label_and_heading_has_room(self):
        self.window.transport.open_stage()
        for root in (self.window, self.window.transport.panel):
            for button in root.findChildren(WordButton):
                if button.isVisible():
                    self.assertGreaterEqual(button.width() + SLACK, button.sizeHint().width(), button.text())
            for label in root.findChildren(QLabel):
                if label.isVisible() and not label.wordWrap():
                    self.assertLessEqual(width(label.text(), label.font()), label.width() + SLACK, label.text())
            for heading in root.findChildren(Heading):
                if heading.isVisible():
                    room = heading.width() - 40
                    self.assertLessEqual(width(heading.text(), theme.font(theme.SMALL)), room + SLACK, heading.text())
        for text, room in ((self.window.readout._text[1], self.window.readout.width() - 108),):
            self.assertLessEqual(width(text, fitted_text.fitting(text, room, theme.SMALL)), room + SLACK, text)

    def test_numbers_stay_whole_with_their_letters(self):
        for vector in self.window.findChildren(VectorEdit):
            if vector.isVisible():
                for part in vector.parts:
                    self.assertTrue(part.letter)
                    self.assertGreater(part.width() - width(part.letter, theme.font(10)), 28)

    def test_the_name_of_every_effect_of_the_quay_has_room_above(self):
        font = theme.font(14, theme.font().Weight.DemiBold)
        for path in demo_effects():
            self.window.document.change("name", replace(self.effect, name=load(path)[0].name))
            for page in (self.window.bench, self.window.down):
                self.window.screens.flip("Textures")
                self.assertIs(self.window.screens.currentWidget(), page)
                self.qt.processEvents()
                name = self.window.header.name
                self.assertLessEqual(width(self.effect.name, font), name.room() + SLACK, self.effect.name)
        self.assertEqual(self.window.width(), 1280)

    def test_units_follow_what_a_number_means(self):
        length = fields_of(Ribbon)["length"].field
        self.assertEqual([length.unit_of(Ribbon(measured=way)) for way in ("in time", "in metres")], ["s", "m"])
        self.window.document.change_layer("drawn", self.layer(0).id, ("look", "drawn_as"), "ribbon")
        self.settle()
        self.window.story.bring("look")
        body = self.window.story.bodies["look"].fields
        row = body.reveal(("look", "ribbon", "length"))
        self.assertIsInstance(row, FieldRow)
        self.assertTrue(row.editor.text().endswith(" s"), row.editor.text())
        body.reveal(("look", "ribbon", "measured")).editor.choose("in metres")
        self.settle()
        self.assertTrue(row.editor.text().endswith(" m"), row.editor.text())
        self.assertEqual(row.editor.take_text("30 cm"), "")
        self.assertAlmostEqual(self.layer(0).look.ribbon.length, 0.3)
        offset = self.field("outlet", "offset").editor
        self.assertIsInstance(offset.parts[0], NumberEdit)
        self.assertEqual(offset.parts[1].take_text("25 cm"), "")
        self.assertEqual(self.layer(0).outlet.offset, (*Outlet().offset[:1], 0.25, 0.0))


if __name__ == "__main__":
    unittest.main()
