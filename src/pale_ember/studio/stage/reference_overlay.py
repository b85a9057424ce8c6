"""The reference painted over the stage's picture: beside it, under the line, over it, or what differs."""

from __future__ import annotations

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter

from pale_ember.formats.footage import placed
from pale_ember.studio.document.reference import ReferenceFootage
from pale_ember.studio.kit import theme

HALF = 0.5


def divides(reference: ReferenceFootage) -> bool:
    """Whether it is seen to the right of the line that can be dragged."""
    return reference.footage is not None and reference.how.shows == "line"


def paint(painter: QPainter, reference: ReferenceFootage, moment: float, share: float, width: float, height: float) -> None:
    """Paints what is seen of it at a real moment of the effect, s. share : how much of the picture's width is left of the line."""
    how, image = reference.how, reference.image_at(moment)
    if image is None or how.shows == "hidden":
        return
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    if how.shows == "beside":
        half = QRectF(HALF * width, 0, width - HALF * width, height)
        painter.setClipRect(half)
        painter.fillRect(half, theme.Lit.FLOOR)
        fits = min(half.width() / max(image.width(), 1), half.height() / max(image.height(), 1))
        wide, high = image.width() * fits, image.height() * fits
        painter.drawImage(QRectF(half.center().x() - wide / 2, half.center().y() - high / 2, wide, high), image)
    else:
        box = QRectF(*placed(image.width(), image.height(), width, height, how.place, how.scale))
        if how.shows == "line":
            right = QRectF(share * width, 0, width - share * width, height)
            painter.setClipRect(right)
            painter.fillRect(right, theme.Lit.FLOOR)
        elif how.shows == "over":
            painter.setOpacity(how.opacity)
        else:
            painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_Difference)
        painter.drawImage(box, image)
    painter.restore()
