"""The order in which a window begins: the picture first, the rest when the stage has played for a while."""

from __future__ import annotations

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from pale_ember.studio.stage.view import StageView
from pale_ember.studio.stage.worker import Worker

_PLAYS_FIRST = 1000
"""Milliseconds that the stage has for itself, from its first picture on, before the effect is checked."""


class StartOrder(QObject):
    """The window is asked for and painted, then the worker begins, which reads its kernels; once the stage has played for a while all
    has begun, and what takes a process of its own may."""

    begun = pyqtSignal()

    def __init__(self, stage: StageView, worker: Worker) -> None:
        super().__init__(stage)
        self._stage, self._worker = stage, worker
        self._left = {"asked", "painted", "played"}
        """What has still to happen."""

    @property
    def over(self) -> bool:
        """Whether all has begun, and nothing has ended."""
        return not self._left

    def painted(self) -> None:
        """The window is painted."""
        if "painted" in self._left:
            QTimer.singleShot(0, lambda: self.step("painted"))

    def step(self, name: str) -> None:
        """Something has happened."""
        if name in self._left:
            self._left.discard(name)
            if self._left == {"played"}:
                self._stage.shown.connect(self._played)
                QTimer.singleShot(5 * _PLAYS_FIRST, lambda: self.step("played"))
                self._worker.start()
            elif not self._left:
                self.begun.emit()

    def end(self) -> None:
        """Nothing begins any more."""
        self._left.add("never")

    def _played(self) -> None:
        self._stage.shown.disconnect(self._played)
        QTimer.singleShot(_PLAYS_FIRST, lambda: self.step("played"))
