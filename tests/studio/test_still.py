"""Nothing moves that the hand did not move."""

import random
import time
import unittest

from PyQt6.QtCore import QPoint, QRect
from PyQt6.QtGui import QCursor
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QWidget

from pale_ember.core.effect.story import STORY
from pale_ember.formats.document import load
from pale_ember.studio.controls.buttons import ChoiceEdit, SwitchEdit
from pale_ember.studio.controls.number import NumberEdit
from pale_ember.studio.controls.range_edit import RangeEdit
from pale_ember.studio.fields.lists import PartsEdit
from pale_ember.studio.fields.row import FieldRow
from pale_ember.studio.fields.sentence import Sentence
from pale_ember.studio.fields.visible_rows import Title
from pale_ember.studio.kit.scrolling import Scrolling
from pale_ember.studio.shell.files import demo_effects
from pale_ember.studio.shell.header import Header
from pale_ember.studio.shell.hints import HintLine
from pale_ember.studio.stage.transport import Readout
from pale_ember.studio.story.chapter import Chapter
from tests.studio import driven

ACTS = 300
EXCEPTIONS = {
    "words": "The words of a sentence, and of the line of figures and hints, are as long as what they say: in their own room.",
    "shown": "What a search or a key asks for is brought into view: the strip or the rows of its chapter are scrolled.",
    "own place": "A row that comes while the pointer is elsewhere comes at its own place: those below it make room.",
    "needed": "A choice that makes other rows of its chapter needed, or needless: they come or go below it.",
    "inside": "What a control is made of, where it became another kind of control: a range that becomes a list.",
}
"""What may move besides, and why."""


def within(widget, kinds):
    while widget is not None:
        if isinstance(widget, kinds):
            return widget
        widget = widget.parentWidget()
    return None


class Still(driven.Window):
    def boxes(self):
        """Where every widget that is seen lies in the window."""
        places = {}
        for widget in self.window.findChildren(QWidget):
            if widget.isVisible() and widget.window() is self.window:
                places[widget] = QRect(widget.mapTo(self.window, QPoint()), widget.size())
        return places

    def moved(self, before, after, hand):
        """What lies elsewhere, but for what may. hand : what was acted on, whether it goes there, and whether the pointer was near."""
        acted, goes_there, near = hand
        rows = [{widget for widget in told if isinstance(widget, FieldRow)} for told in (before, after)]
        chose = isinstance(acted, FieldRow) and isinstance(acted.editor, (ChoiceEdit, SwitchEdit)) and rows[0] != rows[1]
        for widget, box in before.items():
            now = after.get(widget)
            if now is None or now == box or within(widget, (Sentence, Header, HintLine, Readout)):
                continue
            if acted is not None and (widget is acted or acted.isAncestorOf(widget)):
                continue
            row = within(widget, FieldRow)
            if row is not None and row is not widget and after.get(row) == before.get(row):
                continue
            scrolled = within(widget.parentWidget(), Scrolling)
            if scrolled is not None and widget is scrolled.widget() and box.topLeft() == now.topLeft():
                continue  # There is more or less to be scrolled.
            chapter = within(widget, Chapter)
            if goes_there and any(area.isAncestorOf(widget) for area in (self.window.story.area, self.window.layers.area)):
                continue
            if not near and within(widget, (FieldRow, Title)) is not None:
                continue
            if isinstance(widget, PartsEdit) and box.topLeft() == now.topLeft():
                continue  # It holds more or fewer parts.
            if chose and chapter is within(acted, Chapter) and box.top() > before[acted].top():
                continue  # Rows that come with a choice stand above what is below it, lists as well.
            yield f"{type(widget).__name__} {widget.accessibleName()} of {chapter and chapter.name}: {box} -> {now}"

    def act(self, dice):
        """Does something by chance; (what it was, what was acted on, whether it goes somewhere, whether the pointer is near)."""
        story = self.window.story
        kind = dice.choice(("value",) * 6 + ("choice",) * 3 + ("add",) * 2 + ("search", "digit", "undo", "undo", "redo"))
        rows = [
            row
            for name in STORY
            if name != "life"
            for row in story.bodies[name].fields.rows
            if row.visibleRegion().contains(QPoint(40, 12))
        ]
        if kind in ("value", "choice"):
            wanted = (NumberEdit, RangeEdit) if kind == "value" else (ChoiceEdit, SwitchEdit)
            rows = [row for row in rows if isinstance(row.editor, wanted)]
            if not rows:
                return "nothing", None, False, True
            row = dice.choice(rows)
            QCursor.setPos(row.mapToGlobal(QPoint(40, 12)))
            self.wait_for(within(row, Chapter).underMouse, 2)
            self.work()
            before = self.boxes()
            if kind == "value":
                editor = row.editor.high if isinstance(row.editor, RangeEdit) else row.editor
                editor.take_text(dice.choice(("0.25", "*1.5", "0.1 - 0.4" if isinstance(row.editor, RangeEdit) else "3")))
            elif isinstance(row.editor, SwitchEdit):
                row.editor.click()
            else:
                row.editor.choose(dice.choice(row.editor.options))
            return f"{kind} {row.path}", before, row, False, True
        before = self.boxes()
        if kind == "add":
            name = dice.choice([name for name in STORY if name != "life"])
            adding = story.open_adding(name)
            entry = dice.choice(adding.found(""))
            adding._take(entry)
            return f"add {entry.title}", before, None, True, False
        if kind == "search":
            search = self.window.open.search()
            search.line.setText(dice.choice(("size 0.3", "drag 2", "additive", "gravity", "vortex", "turn", "smoke", "fade")))
            QTest.keyClick(search.line, "\r")
            return "search", before, None, True, False
        if kind == "digit":
            self.window.story.open_by_number(dice.choice(STORY))
            return "digit", before, None, True, True
        (self.window.undo if kind == "undo" else self.window.redo)()
        return kind, before, None, False, self.near()

    def work(self):
        for _ in range(4):
            self.qt.processEvents()
            time.sleep(0.003)

    def near(self):
        return any(chapter.near() for chapter in self.window.story.chapters.values())

    def test_no_act_moves_any_control_but_the_one_it_is_about(self):
        self.assertLessEqual(len(EXCEPTIONS), 5)
        self.window.worker.stop()
        dice, acts, faults = random.Random(25), 0, []
        effects = [load(path)[0] for path in demo_effects()]
        layers = [(effect, layer.id) for effect in effects for layer in effect.layers]
        share = ACTS / 2 / len(layers)
        for size in ((1280, 800), (1920, 1080)):
            self.window.resize(*size)
            for i, (effect, identity) in enumerate(layers):
                if self.effect is not effect:
                    self.window.document.open(effect, None)
                self.window.desk.select(identity)
                for _ in range(round(share * (i + 1)) - round(share * i)):
                    self.work()
                    told, *rest = self.act(dice)
                    if told == "nothing":
                        continue
                    before, *hand = rest
                    self.work()
                    faults += [f"{size} {told}: {each}" for each in self.moved(before, self.boxes(), hand)]
                    acts += 1
        self.assertGreater(acts, 0.9 * ACTS)
        self.maxDiff = None
        self.assertEqual(faults[:12], [], f"{len(faults)} in {acts} acts")


if __name__ == "__main__":
    unittest.main()
