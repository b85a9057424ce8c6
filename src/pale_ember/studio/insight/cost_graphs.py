"""What the effect costs, drawn: over the time, and layer by layer."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from pale_ember.core.effect.edit import layer_of
from pale_ember.studio.controls.colour import layer_colour
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painted

_ROW = 18


class SpentGraph(QWidget):
    """How much is screens painted over time, layer upon layer; a click goes to that moment, the worst is marked."""

    went = pyqtSignal(float)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setFixedHeight(96)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName("screens painted over time")

    def _box(self) -> QRectF:
        return QRectF(self.rect()).adjusted(6, 8, -6, -18)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        spent = self.desk.spent.spending
        if spent is not None and len(spent.moments) > 1:
            box, count = self._box(), len(spent.moments)
            k = round((event.position().x() - box.left()) / box.width() * (count - 1))
            self.went.emit(float(spent.moments[min(max(k, 0), count - 1)]))

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = self._box()
        painter.setPen(QPen(theme.LINE, 1))
        painter.setBrush(theme.WELL)
        painter.drawRoundedRect(box.adjusted(-4, -4, 4, 4), 5, 5)
        spent = self.desk.spent.spending
        if spent is None or len(spent.moments) < 2:
            return
        high = max(float(spent.painted.max()), 1e-6)
        xs = [box.left() + k / (len(spent.moments) - 1) * box.width() for k in range(len(spent.moments))]
        below = 0 * spent.moments
        painter.setPen(Qt.PenStyle.NoPen)
        for layer in self.desk.effect.layers:
            own = spent.layers.get(layer.id)
            if own is None:
                continue
            above = below + own.painted
            tops = [QPointF(x, box.bottom() - y / high * box.height()) for x, y in zip(xs, above.tolist(), strict=True)]
            feet = [QPointF(x, box.bottom() - y / high * box.height()) for x, y in zip(xs, below.tolist(), strict=True)]
            painter.setBrush(theme.with_alpha(layer_colour(layer), 0.7))
            painter.drawPolygon(QPolygonF([*tops, *reversed(feet)]))
            below = above
        worst = xs[spent.worst]
        painter.setPen(QPen(theme.WARNING, 1.2))
        painter.drawLine(QPointF(worst, box.top()), QPointF(worst, box.bottom()))
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.ASH)
        painter.drawText(
            QRectF(box.left(), box.bottom() + 4, box.width(), 14),
            Qt.AlignmentFlag.AlignLeft,
            f"most at {spent.moments[spent.worst]:.2f} s: {high:.2g} screens, {high * self.desk.spent.budget.pixels / 1e6:.2g} "
            "million pixels",
        )


class SpentTable(QWidget):
    """A line for the target's limits, and one for each layer: alive, a step's time, painted, textures. A click selects a layer."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setAccessibleName("what each layer costs")
        self.setToolTip("Particles alive · microseconds of a step · how often the screen is painted · megabytes of GPU memory")
        desk.selected.connect(self.update)

    def refresh(self) -> None:
        spent = self.desk.spent.spending
        self.setFixedHeight(_ROW * ((len(spent.layers) if spent is not None else 0) + 3) + 6)
        self.setAccessibleDescription("; ".join(self.desk.spent.left()))
        self.update()

    def _sums(self) -> list[tuple[str, float | None, str]]:
        """What is counted: how it is called, the share of the target that it takes if any is set, and the figure."""
        spent, shares = self.desk.spent.spending, self.desk.spent.shares()
        if spent is None:
            return []
        seconds = sum(own.seconds for own in spent.layers.values())
        return [
            ("alive", shares["alive"], f"{spent.alive.max(initial=0):.0f}"),
            ("µs/step", None, f"{seconds * 1e6:.0f}"),
            ("screens", shares["painted"], f"{spent.painted.max(initial=0):.2f}"),
            ("MB", shares["textures"], f"{sum(spent.textures.values()) / 2**20:.1f}"),
        ]

    def mousePressEvent(self, event: QMouseEvent) -> None:
        spent, row = self.desk.spent.spending, int(event.position().y() // _ROW) - 3
        if spent is not None and 0 <= row < len(spent.layers):
            self.desk.select(list(spent.layers)[row])

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        spent = self.desk.spent.spending
        if spent is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.font(theme.SMALL))
        names, wide = 88, (self.width() - 88) / 4
        left, right = (
            Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft,
            Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
        )

        def cell(column: int, row: int) -> QRectF:
            return QRectF(names + column * wide, row * _ROW, wide - 4, _ROW)

        for column, (name, share, figure) in enumerate(self._sums()):
            over = share is not None and share > 1
            painter.setPen(theme.ASH)
            painter.drawText(cell(column, 0), right, name)
            painter.setPen(theme.WARNING if over else theme.BONE)
            painter.drawText(cell(column, 1), right, figure)
            if share is None:
                continue
            bar = cell(column, 2).adjusted(6, 6, 0, -8)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.WELL)
            painter.drawRect(bar)
            painter.setBrush(theme.WARNING if over else theme.GLASS)
            painter.drawRect(QRectF(bar.left(), bar.top(), bar.width() * min(share, 1.0), bar.height()))
        painter.setPen(theme.ASH)
        painter.drawText(QRectF(0, _ROW, names, _ROW), left, "in all")
        painter.drawText(QRectF(0, 2 * _ROW, names, _ROW), left, f"of {self.desk.spent.target}")
        for row, (identity, own) in enumerate(spent.layers.items(), 3):
            layer = layer_of(self.desk.effect, identity)
            if layer is None:
                continue
            top = row * _ROW
            painter.setPen(Qt.PenStyle.NoPen)
            if identity == self.desk.selection:
                painter.setBrush(theme.RAISED)
                painter.drawRoundedRect(QRectF(0, top, self.width(), _ROW), 3, 3)
            painter.setBrush(layer_colour(layer))
            painter.drawRect(QRectF(0, top + 5, 3, 8))
            painter.setPen(theme.BONE)
            name = painter.fontMetrics().elidedText(layer.name, Qt.TextElideMode.ElideRight, names - 12)
            painter.drawText(QRectF(8, top, names - 8, _ROW), left, name)
            painter.setPen(theme.ASH)
            figures = (f"{own.alive.max():.0f}", f"{own.seconds * 1e6:.0f}", f"{own.painted.max():.3f}", f"{own.textures / 2**20:.1f}")
            for column, text in enumerate(figures):
                painter.drawText(cell(column, row), right, text)
