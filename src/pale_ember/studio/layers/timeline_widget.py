"""A widget along the effect's time: where moments lie, which part is seen, and time in the hand."""

from __future__ import annotations

import math

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import QApplication, QWidget

from pale_ember.studio.document.desk import Desk
from pale_ember.studio.layers.row import GRAB, MARGIN, NAMES

SHORTEST = 0.05
"""Seconds of the timeline that are seen at least."""

_ZOOM = 1.25


class TimelineWidget(QWidget):
    """Has the effect's time from left to right behind its names."""

    zoomed = pyqtSignal()
    """Another part of the timeline is seen."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.view: tuple[float, float] | None = None
        """The part of the timeline that is seen, s, where it is not all."""

    def length(self) -> float:
        """Real seconds across the timeline: one loop."""
        return self.desk.effect.duration / self.desk.effect.tempo

    def seen(self) -> tuple[float, float]:
        """The part of the timeline that is seen, s."""
        return self.view if self.view is not None and self.view[1] <= self.length() else (0.0, self.length())

    def x_at(self, time: float) -> float:
        """Where a moment lies, in pixels."""
        begin, end = self.seen()
        return NAMES + (time - begin) / (end - begin) * (self.width() - NAMES - MARGIN)

    def time_at(self, x: float) -> float:
        """The moment at a place, s."""
        begin, end = self.seen()
        return begin + (x - NAMES) / max(self.width() - NAMES - MARGIN, 1) * (end - begin)

    def zoom(self, factor: float, x: float) -> None:
        """Shows a shorter or longer part of the timeline, what is under a place staying there."""
        begin, end = self.seen()
        span = min(max((end - begin) * factor, SHORTEST), self.length())
        held = min(max(self.time_at(x), begin), end)
        self._see(held - (held - begin) / (end - begin) * span, span)

    def pan(self, share: float) -> None:
        """Moves along the timeline by a share of what is seen."""
        begin, end = self.seen()
        self._see(begin + share * (end - begin), end - begin)

    def see_all(self) -> None:
        """Shows the whole time."""
        self._see(0.0, self.length())

    def _see(self, begin: float, span: float) -> None:
        begin = min(max(begin, 0.0), self.length() - span)
        self.view = None if span >= self.length() - 1e-9 else (begin, begin + span)
        self.update()
        self.zoomed.emit()

    def snapped(self, time: float, layer: str = "", cue: int = -1) -> float:
        """A moment, or the next cue, burst, playhead or end of the loop that is hardly seen apart from it; the bursts of a
        layer and a cue that are in the hand aside."""
        effect, now = self.desk.effect, self.desk.player.moment
        marks = [0.0, self.length(), now % self.length() if effect.loop else now]
        marks += [each.at / effect.tempo for i, each in enumerate(effect.cues) if i != cue]
        others = (each for each in effect.layers if each.id != layer)
        marks += [burst.first_at / (effect.tempo * each.tempo) for each in others for burst in each.outlet.bursts]
        near = min(marks, key=lambda mark: abs(mark - time))
        free = QApplication.keyboardModifiers() & Qt.KeyboardModifier.AltModifier
        return near if not free and abs(self.x_at(near) - self.x_at(time)) <= GRAB else time

    def wheelEvent(self, event: QWheelEvent) -> None:
        """With Ctrl the wheel comes nearer in time, with Shift it goes along; else rows scroll."""
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.zoom(_ZOOM ** (-event.angleDelta().y() / 120), event.position().x())
        elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.pan(-event.angleDelta().y() / 120 * 0.1)
        else:
            event.ignore()
            return
        event.accept()

    def take_time(self, begun: float, x: float, held: Qt.KeyboardModifier) -> None:
        """A drag along the time has come from one place to another: holds time there, or with Shift plays what lies
        between over and over."""
        if held & Qt.KeyboardModifier.ShiftModifier:
            ends = sorted(min(max(self.time_at(place), 0.0), self.length()) for place in (begun, x))
            self.desk.player.play_part((ends[0], ends[1]) if x != begun else None, self.length())
        else:
            self.scrub(x)

    def scrub(self, x: float) -> None:
        """Holds time at a place of the ruler, in the loop that is shown."""
        self.desk.player.pause()
        loop = self.desk.player.moment // self.length() if self.desk.effect.loop else 0
        time = max(self.time_at(x), 0.0)
        if self.desk.effect.loop:
            time = min(time, self.length() - 1e-6)
        self.desk.player.go_to(loop * self.length() + time)

    def playhead_x(self) -> float | None:
        """Where the playhead stands, or None when the moment lies beyond a one-shot's end."""
        moment, length = self.desk.player.moment, self.length()
        time = moment % length if self.desk.effect.loop else moment
        begin, end = self.seen()
        return self.x_at(time) if begin <= time <= min(end, length) else None

    def ticks(self) -> list[tuple[float, float]]:
        """The times that the ruler writes, and where they stand."""
        begin, end = self.seen()
        length = end - begin
        steps = (0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.25, 0.5, 1, 2, 5, 10, 30, 60, 300, 600)
        every = next((s for s in steps if length / s <= 6), 1200)
        first = math.ceil(begin / every - 1e-6)
        return [(i * every, self.x_at(i * every)) for i in range(first, math.floor(end / every + 1e-6) + 1)]
