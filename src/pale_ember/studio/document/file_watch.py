"""The files of a document, looked after: what other programs change is told."""

from __future__ import annotations

import threading
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from pale_ember.formats.files import stamp_of
from pale_ember.formats.shelf import Shelf

EVERY = 0.4
"""Seconds between two looks."""


class FileWatch(QObject):
    """Looks every now and then whether a picture or a mesh that is used has changed on disk; on a thread, for a disk may be
    far away."""

    changed = pyqtSignal(object)
    """The names of what has, sorted."""
    document_changed = pyqtSignal()
    """The document's own file has, perhaps by us."""

    def __init__(self, shelf: Shelf, document: Path | None = None) -> None:
        super().__init__()
        self._shelf, self._ends = shelf, threading.Event()
        self.document = document
        """The file of the open document."""
        self._thread = threading.Thread(target=self._run, name="pale-ember-watch", daemon=True)
        self._thread.start()

    def follow(self, shelf: Shelf) -> None:
        """Looks after another document's files."""
        self._shelf = shelf

    def _run(self) -> None:
        shelf, seen = self._shelf, self._shelf.stamps()
        file = self.document, stamp_of(self.document)
        while not self._ends.wait(EVERY):
            before, seen = (seen if self._shelf is shelf else {}), self._shelf.stamps()
            shelf = self._shelf
            # What was read since the last look may have changed since it was read.
            names = sorted(name for name, stamp in seen.items() if before.get(name, shelf.first.get(name)) != stamp)
            if names and not self._ends.is_set():
                self.changed.emit(names)
            was, file = file, (self.document, stamp_of(self.document))
            # Of another document too: it may have changed since it was read.
            if was != file and not self._ends.is_set():
                self.document_changed.emit()

    def end(self) -> None:
        """Ends the thread."""
        self._ends.set()
