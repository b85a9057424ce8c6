"""Texts that are never cut off: on one line where there is room, else smaller, or on two lines."""

from __future__ import annotations

import functools

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QFont, QFontMetricsF, QPainter

from pale_ember.studio.kit import theme

_SMALLEST = 11
"""Pixels below which nobody reads."""

_WRAPPED = 11
"""Pixels of a text on two lines in a row."""


@functools.lru_cache(8192)
def width_of(text: str, pixels: int = theme.BODY) -> float:
    """Pixels that a text takes on one line, in letters so many pixels high."""
    return QFontMetricsF(theme.font(pixels)).horizontalAdvance(text)


def fitting(text: str, room: float, most: int = theme.BODY) -> QFont:
    """The font in which a text goes into a room of so many pixels, `most` pixels high where it can be."""
    for pixels in range(most, _SMALLEST, -1):
        if width_of(text, pixels) <= room:
            return theme.font(pixels)
    return theme.font(_SMALLEST)


def wrapped(text: str, room: float) -> tuple[QFont, list[str]]:
    """A label's font and its lines, two at most: it is broken where its halves are most alike."""
    if width_of(text) <= room or " " not in text:
        return fitting(text, room), [text]
    words = text.split(" ")
    halves = [(" ".join(words[:k]), " ".join(words[k:])) for k in range(1, len(words))]
    lines = min(halves, key=lambda pair: max(width_of(line, _WRAPPED) for line in pair))
    return theme.font(_WRAPPED), list(lines)


def paint_label(painter: QPainter, box: QRectF, text: str) -> None:
    """Paints a label at the left of a box, in the painter's pen."""
    font, lines = wrapped(text, box.width())
    painter.setFont(font)
    height = box.height() if len(lines) == 1 else _WRAPPED + 1.0
    top = box.center().y() - 0.5 * height * len(lines)
    for i, line in enumerate(lines):
        painter.drawText(
            QRectF(box.left(), top + i * height, box.width() + 4, height),
            Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft,
            line,
        )
