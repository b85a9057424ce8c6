"""What is higher than its room, scrolled; and whom a turning wheel belongs to."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QWheelEvent
from PyQt6.QtWidgets import QFrame, QScrollArea, QScrollBar, QStyle, QStyleOptionSlider, QWidget

from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painted

PAUSE = 500
"""Milliseconds that the wheel or the pointer rests before the wheel may turn something else."""


class _Bar(QScrollBar):
    """Seen only where there is something to scroll; its room is always there, so that nothing gives way to it."""

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        if self.maximum() > self.minimum():
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            style = QStyleOptionSlider()
            self.initStyleOption(style)
            part = QStyle.SubControl.SC_ScrollBarSlider
            box = self.style().subControlRect(QStyle.ComplexControl.CC_ScrollBar, style, part, self)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.LINE)
            painter.drawRoundedRect(QRectF(box), 3, 3)


class Scrolling(QScrollArea):
    """As wide as its room, and scrolled where it is higher. It lies on what is behind it."""

    def __init__(self, inner: QWidget, scrolled: Callable[[], object] | None = None) -> None:
        """scrolled : called when it did: what lay under the pointer has gone from there, and is not told."""
        super().__init__()
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollBar(_Bar())
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOn)
        self.setWidget(inner)
        self.viewport().setAutoFillBackground(False)
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
        """Whether a click of the wheel belongs to a run that scrolls this or what this lies in: that goes on, whatever came under the
        pointer by it."""
        outer = Scrolling.around(self)
        return self._runs(event) or (outer is not None and outer.goes_on(event))

    def _runs(self, event: QWheelEvent) -> bool:
        return self._last is not None and event.timestamp() - self._last < PAUSE

    def leave_off(self) -> None:
        """Something in it was taken in hand: the wheel may turn that at once."""
        self._last = None
        outer = Scrolling.around(self)
        if outer is not None:
            outer.leave_off()

    def wheelEvent(self, event: QWheelEvent) -> None:
        outer = Scrolling.around(self)
        if outer is not None and outer.goes_on(event):
            event.ignore()
            return
        before = self._place()
        runs = self._runs(event)
        self._scroll(event)
        if runs or self._place() != before:
            # A run that has come to the end scrolls nothing else.
            self._last = event.timestamp()
            event.accept()
        else:
            event.ignore()

    def _place(self) -> tuple[int, ...]:
        return tuple(bar.value() for bar in (self.horizontalScrollBar(), self.verticalScrollBar()) if bar is not None)

    def _scroll(self, event: QWheelEvent) -> None:
        super().wheelEvent(event)


class Sideways(Scrolling):
    """As high as its room, and scrolled from side to side where it is wider, by any wheel."""

    def __init__(self, inner: QWidget) -> None:
        super().__init__(inner)
        self.setHorizontalScrollBar(_Bar())
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOn)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)

    def _scroll(self, event: QWheelEvent) -> None:
        bar, turned = self.horizontalScrollBar(), event.angleDelta()
        if bar is not None:
            bar.setValue(bar.value() - (turned.x() or turned.y()))
