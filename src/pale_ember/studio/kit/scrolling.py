"""What is higher than its room, scrolled; and whom a turning wheel belongs to."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import QFrame, QScrollArea, QWidget

PAUSE = 500
"""Milliseconds that the wheel or the pointer rests before the wheel may turn something else."""


class Scrolling(QScrollArea):
    """As wide as its room, and scrolled where it is higher. It lies on what is behind it."""

    def __init__(self, inner: QWidget, scrolled: Callable[[], object] | None = None) -> None:
        """scrolled : called when it did: what lay under the pointer has gone from there, and is not told."""
        super().__init__()
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setWidget(inner)
        self.viewport().setAutoFillBackground(False)  # type: ignore[union-attr]
        inner.setAutoFillBackground(False)
        self._last: int | None = None
        """When the wheel last scrolled, by the clock of its events, ms: what is answered late is no pause."""
        bar = self.verticalScrollBar()
        if scrolled is not None and bar is not None:
            bar.valueChanged.connect(lambda _: scrolled())

    @staticmethod
    def around(widget: QWidget) -> Scrolling | None:
        """The one that scrolls a widget, if any does."""
        parent = widget.parentWidget()
        while parent is not None and not isinstance(parent, Scrolling):
            parent = parent.parentWidget()
        return parent

    def goes_on(self, event: QWheelEvent) -> bool:
        """Whether a click of the wheel belongs to a run that scrolls: that goes on, whatever came under the pointer by it."""
        return self._last is not None and event.timestamp() - self._last < PAUSE

    def leave_off(self) -> None:
        """Something in it was taken in hand: the wheel may turn that at once."""
        self._last = None

    def wheelEvent(self, event: QWheelEvent) -> None:
        self._last = event.timestamp()
        super().wheelEvent(event)
