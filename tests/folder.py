"""A folder of its own for a test."""

import hashlib
import json
import tempfile
import unittest
from pathlib import Path


class InFolder(unittest.TestCase):
    """`folder` is there for one test, and gone after it."""

    def setUp(self):
        super().setUp()
        kept = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)  # a process may still be writing there
        self.addCleanup(kept.cleanup)
        self.folder = Path(kept.name)


def listed(files):
    """Files of a package, and the manifest that knows them."""
    told = [{"name": name, "bytes": len(data), "sha256": hashlib.sha256(data).hexdigest()} for name, data in files.items()]
    return files | {"manifest.json": json.dumps({"format": "pale-ember package", "version": 1, "files": told}).encode()}
