"""The files of a document, looked after: what other programs change is told."""

from __future__ import annotations

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from pale_ember.formats.shelf import Shelf

EVERY = 400
"""Milliseconds between two looks."""


class Watch(QObject):
    """Looks every now and then whether a picture or a mesh that is used has changed on disk."""

    changed = pyqtSignal(object)
    """The names of what has, sorted."""

    def __init__(self, shelf: Shelf) -> None:
        super().__init__()
        self._shelf, self._seen = shelf, shelf.stamps()
        self._timer = QTimer(self, interval=EVERY)
        self._timer.timeout.connect(self.look)
        self._timer.start()

    def follow(self, shelf: Shelf) -> None:
        """Looks after another document's files."""
        self._shelf, self._seen = shelf, shelf.stamps()

    def look(self) -> None:
        """Looks now."""
        seen = self._shelf.stamps()
        names = sorted(name for name, stamp in seen.items() if name in self._seen and self._seen[name] != stamp)
        self._seen = seen
        if names:
            self.changed.emit(names)

    def end(self) -> None:
        self._timer.stop()
