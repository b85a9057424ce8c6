"""The reference painted over the stage's picture: beside it, under the line, over it, or what differs."""

from __future__ import annotations

from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from pale_ember.core.effect.stage import Reference, Stage
from pale_ember.formats.footage import placed
from pale_ember.studio.document.reference import PLATE, ReferenceFootage
from pale_ember.studio.kit import theme

HALF = 0.5
_INSIDE, _NEAR = 16.0, 10.0
"""Pixels that grips lie inside of the frame, and within which they are taken hold of."""


def divides(reference: ReferenceFootage) -> bool:
    """Whether it is seen to the right of the line that can be dragged."""
    return reference.footage is not None and reference.how.shows == "line"


def paint(painter: QPainter, reference: ReferenceFootage, moment: float, share: float, width: float, height: float) -> None:
    """Paints what is seen of it at a real moment of the effect, s. share : how much of the picture's width is left of the line."""
    how = reference.how
    image = None if how.shows in ("hidden", "behind") else reference.image_at(moment)
    if image is None:
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
    if reference.held and how.shows != "beside":
        _paint_grips(painter, _frame(reference, width, height))


def stage_before(reference: ReferenceFootage, stage: Stage, moment: float) -> Stage:
    """The stage as it is drawn: where the reference lies behind the effect, that instead of ground and props."""
    if not reference.lies_behind(moment):
        return stage
    return replace(stage, background="picture", picture=PLATE, ground=False, figure=False, props=(), fog=0.0)


# Its place and size in the hand ---------------------------------------------------------------------------------


def _frame(reference: ReferenceFootage, width: float, height: float) -> QRectF:
    assert reference.footage is not None
    high, wide = reference.footage.shape
    return QRectF(*placed(wide, high, width, height, reference.how.place, reference.how.scale))


def _grips(frame: QRectF) -> dict[str, QPointF]:
    """Where it is taken hold of: at its top for its size, at its foot for its place; a little inside, or they would be off the stage."""
    return {"scale": QPointF(frame.center().x(), frame.top() + _INSIDE), "place": QPointF(frame.center().x(), frame.bottom() - _INSIDE)}


def _paint_grips(painter: QPainter, frame: QRectF) -> None:
    painter.setPen(QPen(theme.Lit.GLASS, 1, Qt.PenStyle.DashLine))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRect(frame)
    painter.setPen(QPen(theme.Lit.FLOOR, 1))
    painter.setBrush(theme.Lit.GLASS)
    for at in _grips(frame).values():
        painter.drawRect(QRectF(at.x() - 4, at.y() - 4, 8, 8))


def grip_at(reference: ReferenceFootage, at: QPointF, width: float, height: float) -> str:
    """What of the reference is under a place of the stage: its place, its scale, or nothing."""
    if not reference.held or reference.footage is None or reference.how.shows not in ("line", "over", "difference"):
        return ""
    grips = _grips(_frame(reference, width, height))
    return next((name for name, grip in grips.items() if (grip - at).manhattanLength() <= _NEAR), "")


def pulled(reference: ReferenceFootage, grip: str, last: QPointF, at: QPointF, width: float, height: float) -> Reference:
    """How the reference is seen once a grip has been pulled from a place of the stage to another."""
    how, frame = reference.how, _frame(reference, width, height)
    if grip == "place":
        moved = at - last
        return replace(how, place=(round(how.place[0] + moved.x() / height, 4), round(how.place[1] - moved.y() / height, 4)))
    middle = frame.center()
    before, after = (max(middle.y() - each.y(), 1.0) for each in (last, at))
    return replace(how, scale=float(f"{min(max(how.scale * after / before, 0.01), 100.0):.4g}"))
