"""The transport: which moment is shown, and whether time runs."""

from __future__ import annotations

import math
import time

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

SPEEDS = (0.0625, 0.125, 0.25, 0.5, 1.0, 2.0)

LONGEST_JUMP = 0.1
"""When drawing falls behind, time slows rather than leaping further than this, in seconds."""


class Playback(QObject):
    """A moment in real seconds since the effect's start, counting on across loops."""

    moved = pyqtSignal()
    """The moment changed, or playing began or ended."""

    begun = pyqtSignal()
    """It plays from the start again."""

    def __init__(self) -> None:
        super().__init__()
        self.moment, self.speed, self.playing = 0.0, 1.0, False
        self.repeat = False
        """Whether what is over begins again."""
        self.waits = True
        """Time stands, playing or not, until the stage has shown its first picture: no beginning is missed."""
        self.part: tuple[float, float] | None = None
        """The part of the timeline that is played over and over, s; nothing of the document."""
        self._length = math.inf
        self._last = 0.0
        self._timer = QTimer(self, interval=16)
        self._timer.timeout.connect(self._tick)

    def play(self) -> None:
        """Lets time run."""
        if not self.playing:
            self.playing = True
            self._last = time.perf_counter()
            self._timer.start()
            self.moved.emit()

    def pause(self) -> None:
        """Stops time."""
        if self.playing:
            self.playing = False
            self._timer.stop()
            self.moved.emit()

    def toggle(self) -> None:
        """Plays or pauses."""
        (self.pause if self.playing else self.play)()

    def again(self) -> None:
        """From the start, playing."""
        self.moment = self.part[0] if self.part is not None else 0.0
        self._last = time.perf_counter()
        self.begun.emit()
        self.play()
        self.moved.emit()

    def go_to(self, moment: float) -> None:
        """Goes to a moment, s."""
        self.moment = max(moment, 0.0)
        self.moved.emit()

    def play_part(self, part: tuple[float, float] | None, length: float) -> None:
        """Plays a part of a timeline of so many seconds over and over; None plays all of it again."""
        self.part, self._length = part, length
        self.moved.emit()

    def _wrapped(self, moment: float) -> float:
        """A moment brought back into the part that is played, in the loop that it is in."""
        if self.part is None:
            return moment
        first, last = self.part
        loop = max(math.floor((moment - first) / self._length), 0) * self._length
        within = moment - loop
        return moment if first <= within < last else loop + first

    def step(self, steps: int, per_second: int) -> None:
        """Pauses and moves by whole steps of the simulation."""
        self.pause()
        at = self.moment * per_second
        # From between two steps, the first step is to the nearer one on that side.
        whole = math.ceil(at - 1e-6) if steps < 0 else math.floor(at + 1e-6)
        self.go_to((whole + steps) / per_second)

    def _tick(self) -> None:
        now = time.perf_counter()
        if self.waits:
            self._last = now
            return
        self.moment = self._wrapped(self.moment + min(now - self._last, LONGEST_JUMP) * self.speed)
        self._last = now
        self.moved.emit()
