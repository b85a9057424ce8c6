"""Strokes: what the wheel or a key does again and again is one step in the history, and ends by itself."""

from __future__ import annotations

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

PAUSE = 500
"""Milliseconds without another turn or key after which a stroke is over."""


class RepeatedEdit(QObject):
    """Gives the stroke that a repeated small edit belongs to."""

    ended = pyqtSignal()

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._stroke: object = None
        self._timer = QTimer(self, singleShot=True, interval=PAUSE)
        self._timer.timeout.connect(self.end)

    def current(self) -> object:
        """The stroke going on, or a new one; it goes on for a while from now."""
        if self._stroke is None:
            self._stroke = object()
        self._timer.start()
        return self._stroke

    @property
    def going(self) -> bool:
        """Whether it goes on."""
        return self._stroke is not None

    def end(self) -> None:
        """Ends it now."""
        if self._stroke is not None:
            self._stroke = None
            self._timer.stop()
            self.ended.emit()
