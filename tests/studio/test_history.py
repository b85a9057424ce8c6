"""The history of the open document."""

import unittest

from msgspec.structs import replace

from pale_ember.app import application
from pale_ember.studio.document.history import Document
from tests.examples import drip, effect


class History(unittest.TestCase):
    def test_an_edit_after_an_undo_leaves_nothing_to_redo(self):
        self.qt = application()
        document = Document(effect(drip()))
        first, second = replace(document.effect, name="first"), replace(document.effect, name="second")
        document.change("first", first)
        document.undo()
        document.change("second", second)
        self.assertEqual((document.future, document.redo()), ([], None))
        self.assertIs(document.effect, second)
        self.assertEqual(document.undo(), "second")
        self.assertEqual(document.redo(), "second")


if __name__ == "__main__":
    unittest.main()
