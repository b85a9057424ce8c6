"""One way to paint: every painter ends, whatever happens while it paints, and an error costs a part of a picture, not the window.

A painter that is left to end when its name goes stays alive in the traceback of an error, and is freed on a device that is long gone.
"""

from __future__ import annotations

import functools
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import TypeVar

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPixmap
from PyQt6.QtWidgets import QWidget

from pale_ember.studio.kit import theme

_W = TypeVar("_W", bound=QWidget)


@contextmanager
def painter_on(pixmap: QPixmap) -> Iterator[QPainter]:
    """A painter of a kept picture. What goes wrong goes on to whoever wanted the picture."""
    painter = QPainter(pixmap)
    try:
        yield painter
    finally:
        painter.end()


def painted(paint: Callable[[_W, QPainter, QPaintEvent], None]) -> Callable[[_W, QPaintEvent], None]:
    """Makes a `paintEvent` of a method that paints with the painter given."""

    @functools.wraps(paint)
    def paint_event(widget: _W, event: QPaintEvent) -> None:
        paint_whole(widget, lambda painter: paint(widget, painter, event))

    return paint_event


def paint_whole(widget: QWidget, paint: Callable[[QPainter], None]) -> None:
    """Paints a widget. Where that goes wrong what was on the screen stays there, and it is said, once for each widget."""
    painter = QPainter(widget)
    try:
        paint(painter)
    except Exception as error:  # noqa: BLE001 - told like all that nobody expected
        failed: Exception | None = error
    else:
        failed = None
    finally:
        painter.end()
    if failed is not None:
        _keep(widget)
        _tell(widget, failed)


def _keep(widget: QWidget) -> None:
    """Puts back what is still seen: nothing of the new picture has gone to the screen."""
    window, screen = widget.window(), widget.screen()
    if window is None or screen is None or not widget.isVisible():
        return
    at = widget.mapTo(window, widget.rect().topLeft())
    seen = screen.grabWindow(window.winId(), at.x(), at.y(), widget.width(), widget.height())
    if not seen.isNull():
        painter = QPainter(widget)
        painter.drawPixmap(0, 0, seen)
        painter.end()


def _tell(widget: QWidget, error: Exception) -> None:
    told = f"{type(error).__name__}: {error}"
    if told != widget.property(_TOLD):
        widget.setProperty(_TOLD, told)
        sys.excepthook(type(error), error, error.__traceback__)


_TOLD = "told"
"""What went wrong in a widget last, kept with it."""


def paint_lit(painter: QPainter, box: QRectF, where: Qt.AlignmentFlag, text: str, colour: QColor) -> None:
    """Writes on a picture, with a shadow: what is behind may be as bright as the letters."""
    for shade, shift in ((theme.Lit.FLOOR, 1.0), (colour, 0.0)):
        painter.setPen(shade)
        painter.drawText(box.translated(shift, shift), where, text)
