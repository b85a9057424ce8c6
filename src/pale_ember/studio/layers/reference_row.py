"""When the reference runs: a bar under the ruler, dragged whole or by its ends."""

from __future__ import annotations

from msgspec.structs import replace
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from pale_ember.core.effect.edit import with_value
from pale_ember.core.effect.stage import Reference
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.layers.layer_table import LayerTable
from pale_ember.studio.layers.row import NAMES

HEIGHT = 16
_NEAR = 6
"""Pixels from an end within which it is taken hold of."""
_SHORTEST = 0.05
"""Seconds of footage that are left at least."""


class ReferenceRow(QWidget):
    """Seen while there is footage that runs. The bar moves when it begins, its ends cut it in and out; with Shift the right end changes
    its tempo."""

    def __init__(self, table: LayerTable) -> None:
        super().__init__()
        self.table, self.reference = table, table.desk.reference
        self._taken: tuple[str, float, Reference] | None = None
        """What is in the hand, where it was taken, s, and how the footage was seen then."""
        self._stroke: object = None
        self.setFixedHeight(HEIGHT)
        self.setMouseTracking(True)
        self.setAccessibleName("when the reference runs")
        self.setToolTip("The reference: drag it to when it begins, its ends to cut it; with Shift the right end changes its tempo")
        self.reference.changed.connect(self._show)
        table.desk.document.changed.connect(self._show)
        table.zoomed.connect(self.update)
        self._show()

    def _show(self, *_: object) -> None:
        # By its name: nothing moves when it has been read.
        self.setVisible(self.reference.runs)
        self.update()

    def span(self) -> tuple[float, float]:
        """From when to when it runs, in real seconds of the effect."""
        how, footage = self.reference.how, self.reference.footage
        lasts = 0.0 if footage is None else max(footage.ends(how) - how.first, 0.0) / how.tempo
        return how.offset, how.offset + lasts

    def part_at(self, x: float) -> str:
        """What of the bar is at a place."""
        if self.reference.footage is None:
            return ""
        left, right = (self.table.x_at(at) for at in self.span())
        if abs(x - right) <= _NEAR:
            return "end"
        if abs(x - left) <= _NEAR:
            return "begin"
        return "bar" if left < x < right else ""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        part = self.part_at(event.position().x())
        if event.button() == Qt.MouseButton.LeftButton and part:
            part = "tempo" if part == "end" and event.modifiers() & Qt.KeyboardModifier.ShiftModifier else part
            self._taken, self._stroke = (part, self.table.time_at(event.position().x()), self.reference.how), object()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        x = event.position().x()
        if self._taken is None:
            shapes = {"bar": Qt.CursorShape.OpenHandCursor, "": Qt.CursorShape.ArrowCursor}
            self.setCursor(shapes.get(self.part_at(x), Qt.CursorShape.SizeHorCursor))
            return
        part, begun, how = self._taken
        by = self.table.time_at(x) - begun
        effect = with_value(self.table.desk.effect, ("stage", "reference"), self._moved(how, part, by))
        self.table.desk.document.change("when the reference runs", effect, self._stroke)

    def _moved(self, how: Reference, part: str, by: float) -> Reference:
        """The reference with a part of its bar so many seconds farther on."""
        footage = self.reference.footage
        assert footage is not None
        ends = footage.ends(how)
        if part == "bar":
            return replace(how, offset=round(how.offset + by, 3))
        if part == "begin":
            first = min(max(how.first + by * how.tempo, 0.0), ends - _SHORTEST)
            return replace(how, first=round(first, 3), offset=round(how.offset + (first - how.first) / how.tempo, 3))
        if part == "tempo":
            lasts = (ends - how.first) / how.tempo
            return replace(how, tempo=float(f"{min(max((ends - how.first) / max(lasts + by, _SHORTEST), 0.01), 100.0):.4g}"))
        last = min(max(ends + by * how.tempo, how.first + _SHORTEST), footage.length)
        return replace(how, last=0.0 if last >= footage.length - 1e-6 else round(last, 3))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._taken = None
        self.table.desk.document.end_stroke()

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.ASH)
        painter.drawText(QRectF(12, 0, NAMES - 20, HEIGHT), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, "reference")
        if self.reference.footage is None:
            return
        left, right = (self.table.x_at(at) for at in self.span())
        painter.setClipRect(QRectF(NAMES - 2, 0, self.width() - NAMES + 2, HEIGHT))
        painter.setPen(QPen(theme.GLASS, 1))
        painter.setBrush(theme.with_alpha(theme.GLASS, 0.28))
        painter.drawRoundedRect(QRectF(left, 3, max(right - left, 2.0), HEIGHT - 6), 3, 3)
