"""Pictures of tiles, read away from the window when they come into sight; those not seen for long are let go."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Iterable

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QImage

from pale_ember.studio.kit.tasks import Task

_MOST = 160
"""Pictures that are held."""


class PictureStore(QObject):
    """Pictures by name. read : makes one, away from the window; None where there is none."""

    came = pyqtSignal()

    def __init__(self, read: Callable[[str], QImage | None]) -> None:
        super().__init__()
        self._read = read
        self._lock = threading.Lock()
        self._held: OrderedDict[str, QImage | None] = OrderedDict()
        self._wanted: list[str] = []
        self._task: Task | None = None

    def get(self, name: str) -> QImage | None:
        """A picture, if it has been read."""
        with self._lock:
            if name not in self._held:
                return None
            self._held.move_to_end(name)
            return self._held[name]

    def want(self, names: Iterable[str]) -> None:
        """Reads what is missing of some, and leaves what was wanted before."""
        with self._lock:
            self._wanted = [name for name in names if name and name not in self._held]
        if self._wanted and self._task is None:
            self._task = Task(self._work, name="tiles")
            self._task.progressed.connect(lambda _: self.came.emit())
            self._task.done.connect(self._rest)
            self._task.failed.connect(self._rest)
            self._task.start()

    def clear(self) -> None:
        """Lets all go: the same names mean others from now on."""
        with self._lock:
            self._held.clear()
            self._wanted = []

    def drop(self, name: str) -> None:
        """Lets one go: it has become another."""
        with self._lock:
            self._held.pop(name, None)

    def _work(self, progress: Callable[[int], bool]) -> None:
        while (name := self._next()) is not None:
            image = self._read(name)
            with self._lock:
                self._held[name] = image
                while len(self._held) > _MOST:
                    self._held.popitem(last=False)
            if not progress(0):
                return

    def _next(self) -> str | None:
        with self._lock:
            return self._wanted.pop(0) if self._wanted else None

    def _rest(self, _: object = None) -> None:
        self._task = None
        self.came.emit()
        if self._wanted:
            self.want(self._wanted)

    def end(self) -> None:
        """Stops reading."""
        with self._lock:
            self._wanted = []
        if self._task is not None:
            self._task.cancel()
            self._task.wait()
            self._task = None
