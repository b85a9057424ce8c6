"""Work away from the window: one thread, progress, cancel, and every end is told."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable, Iterator
from typing import Any, TypeVar

from PyQt6.QtCore import QObject, pyqtSignal

from pale_ember.machine.error_log import unforeseen

Thing = TypeVar("Thing")


class TaskStopped(Exception):  # noqa: N818 - it is what happened
    """Work that was not to go on."""


def while_wanted(things: Iterable[Thing], progress: Callable[[int], bool]) -> Iterator[Thing]:
    """Things one after the other as long as `progress(how many are done)` agrees. Raises TaskStopped."""
    for done, thing in enumerate(things):
        if not progress(done):
            raise TaskStopped("Stopped; nothing was written.")
        yield thing


class Task(QObject):
    """Runs `work(progress)` on a thread. `progress(done)` tells how far it is and returns whether to go on.

    expected : errors whose own words are for the artist; any other is told as unforeseen. Exactly one of `done` and
    `failed` follows `start`.
    """

    progressed = pyqtSignal(int)
    done = pyqtSignal(object)
    failed = pyqtSignal(str)

    def __init__(
        self, work: Callable[[Callable[[int], bool]], Any], expected: tuple[type[Exception], ...] = (), *, name: str = "task"
    ) -> None:
        super().__init__()
        self._work, self._expected = work, expected
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name=f"pale-ember-{name}", daemon=True)

    def start(self) -> None:
        """Begins the work."""
        self._thread.start()

    @property
    def running(self) -> bool:
        """Whether it works."""
        return self._thread.is_alive()

    def cancel(self) -> None:
        """Asks it to stop."""
        self._stop.set()

    def wait(self, seconds: float = 30.0) -> None:
        """Waits until it has ended."""
        if self._thread.is_alive():
            self._thread.join(timeout=seconds)

    def _progress(self, done: int) -> bool:
        self.progressed.emit(done)
        return not self._stop.is_set()

    def _run(self) -> None:
        try:
            result = self._work(self._progress)
        except self._expected as error:
            self.failed.emit(str(error))
        except Exception as error:  # noqa: BLE001 - a thread's last word
            self.failed.emit(unforeseen(error))
        else:
            self.done.emit(result)
