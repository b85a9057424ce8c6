"""A folder of its own for a test."""

import tempfile
import unittest
from pathlib import Path


class InFolder(unittest.TestCase):
    """`folder` is there for one test, and gone after it."""

    def setUp(self):
        super().setUp()
        kept = tempfile.TemporaryDirectory()
        self.addCleanup(kept.cleanup)
        self.folder = Path(kept.name)
