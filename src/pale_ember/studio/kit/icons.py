"""Our own icons: thin strokes in a box of 16, drawn when asked for."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QIcon, QPainter, QPainterPath, QPen, QPixmap

from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painter_on

# Strokes as polylines in a 16 × 16 box; "o x y r" is a circle, a leading "f" fills.
_SHAPES: dict[str, tuple[str, ...]] = {
    "play": ("f 5 3 13 8 5 13 5 3",),
    "pause": ("f 4 3 6.5 3 6.5 13 4 13", "f 9.5 3 12 3 12 13 9.5 13"),
    "again": ("3 3 3 13", "f 13 3 13 13 5 8 13 3"),
    "back": ("10 4 6 8 10 12",),
    "forward": ("6 4 10 8 6 12",),
    "undo": ("6 3 3 6 6 9", "3 6 10 6 12.5 7 13 9.5 12 12 9.5 13 7 13"),
    "redo": ("10 3 13 6 10 9", "13 6 6 6 3.5 7 3 9.5 4 12 6.5 13 9 13"),
    "plus": ("8 3.5 8 12.5", "3.5 8 12.5 8"),
    "cross": ("4.5 4.5 11.5 11.5", "11.5 4.5 4.5 11.5"),
    "shown": ("fo 8 8 3.2",),
    "hidden": ("o 8 8 3.2",),
    "solo": ("o 8 8 2", "8 1.8 8 4", "8 12 8 14.2", "1.8 8 4 8", "12 8 14.2 8"),
    "down": ("4.5 6.5 8 10 11.5 6.5",),
    "camera": ("2.5 5 10 5 10 12 2.5 12 2.5 5", "10 8 13.5 6 13.5 11 10 9"),
    "list": ("3 4.5 13 4.5", "3 8 13 8", "3 11.5 13 11.5"),
    "sheet": ("2.5 2.5 13.5 2.5 13.5 13.5 2.5 13.5 2.5 2.5", "2.5 8 13.5 8", "8 2.5 8 13.5"),
    "fold": ("9.5 4.5 6 8 9.5 11.5",),
    "offspring": ("o 3.5 8 1.6", "5.5 8 13 8", "10 5.2 13 8 10 10.8"),
    "lock": ("4 7.5 12 7.5 12 13 4 13 4 7.5", "5.5 7.5 5.5 5 8 3 10.5 5 10.5 7.5"),
    "problem": ("8 3.2 13.4 12.6 2.6 12.6 8 3.2", "8 6.8 8 9.4", "8 10.9 8 11.1"),
    "search": ("o 7 7 3.6", "9.8 9.8 13 13"),
    "folder": ("2.5 4.5 6.5 4.5 8 6 13.5 6 13.5 12.5 2.5 12.5 2.5 4.5",),
    "file": ("4 2.5 10 2.5 12.5 5 12.5 13.5 4 13.5 4 2.5", "10 2.5 10 5 12.5 5"),
    "up": ("4.5 9.5 8 6 11.5 9.5",),
    "grave": ("f 8 2.6 14 13.2 2 13.2 8 2.6",),
    "range": ("2.5 8 13.5 8", "2.5 5.5 2.5 10.5", "13.5 5.5 13.5 10.5"),
    "fixed": ("o 8 8 2", "2.5 8 6 8", "10 8 13.5 8"),
}


def problem(colour: QColor) -> str:
    """The icon of a problem: filled where it is grave, which its colour alone does not tell everybody."""
    return "grave" if colour == theme.WARNING else "problem"


def paint(painter: QPainter, name: str, box: QRectF, colour: QColor, width: float = 1.5) -> None:
    """Paints an icon into a box."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    scale = min(box.width(), box.height()) / 16
    painter.translate(box.center().x() - 8 * scale, box.center().y() - 8 * scale)
    painter.scale(scale, scale)
    pen = QPen(colour, width)
    pen.setCapStyle(Qt.PenCapStyle.RoundCap)
    pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
    for stroke in _SHAPES[name]:
        kind, *rest = stroke.split() if stroke[0].isalpha() else ("", *stroke.split())
        numbers = [float(n) for n in rest]
        painter.setPen(pen if "f" not in kind else Qt.PenStyle.NoPen)
        painter.setBrush(colour if "f" in kind else Qt.BrushStyle.NoBrush)
        if "o" in kind:
            x, y, r = numbers
            painter.drawEllipse(QPointF(x, y), r, r)
            continue
        path = QPainterPath(QPointF(*numbers[:2]))
        for i in range(2, len(numbers), 2):
            path.lineTo(numbers[i], numbers[i + 1])
        painter.drawPath(path)
    painter.restore()


def icon(name: str, colour: QColor = theme.BONE) -> QIcon:
    """An icon for Qt's own widgets."""
    drawn = QIcon()
    for size in (16, 32):
        pixmap = QPixmap(QSize(size, size))
        pixmap.fill(Qt.GlobalColor.transparent)
        with painter_on(pixmap) as painter:
            paint(painter, name, QRectF(0, 0, size, size), colour)
        drawn.addPixmap(pixmap)
    return drawn
