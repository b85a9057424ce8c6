"""What an effect takes up, against what targets allow."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from pale_ember.core.insight.effect_cost import TARGETS, Budget, over_budget
from pale_ember.formats.handover.package import Package
from pale_ember.studio.handover.file_list import told_size
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painted

_ROW, _HEAD = 28, 38


class BudgetView(QWidget):
    """A bar for each target and each thing that is counted; what is beyond runs over its end."""

    def __init__(self) -> None:
        super().__init__()
        self._counted: dict[str, str] = {}
        self._rows: dict[str, tuple[float, ...]] = {}
        self.setFixedHeight(_HEAD + _ROW * len(TARGETS))
        self.setAccessibleName("budget, against targets")

    def show_package(self, package: Package, targets: dict[str, Budget]) -> list[str]:
        """Shows a package against targets; gives what is beyond which target and what would cut it, in sentences."""
        textures = {name: int(known["memory"]) for name, known in package.textures.items()}
        drawn = sum(layer.shown for layer in package.effect.layers)
        total, said = sum(textures.values()), []
        self._counted = {"particles": f"{package.cost.most}", "textures": told_size(total), "layers": f"{drawn}"}
        self._rows = {}
        self.setFixedHeight(_HEAD + _ROW * len(targets))
        for name, budget in targets.items():
            self._rows[name] = (package.cost.most / budget.particles, total / budget.textures, drawn / budget.layers)
            said += [f"{name}: {each}" for each in over_budget(package.effect, package.cost, textures, budget)]
        self.setAccessibleDescription("; ".join(said) or "within all targets")
        self.update()
        return said

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.font(theme.SMALL))
        wide = (self.width() - 68) / 3
        for column, (heading, told) in enumerate(self._counted.items()):
            box = QRectF(68 + column * wide, 0, wide - 8, 18)
            painter.setPen(theme.ASH)
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, heading)
            painter.setPen(theme.BONE)
            painter.drawText(box.translated(0, 16), Qt.AlignmentFlag.AlignVCenter, told)
        for row, (name, shares) in enumerate(self._rows.items()):
            top = _HEAD + row * _ROW
            painter.setPen(theme.BONE)
            painter.drawText(QRectF(0, top, 68, _ROW), Qt.AlignmentFlag.AlignVCenter, name)
            for column, share in enumerate(shares):
                box = QRectF(68 + column * wide, top, wide - 12, _ROW)
                colour = theme.WARNING if share > 1 else theme.GLASS
                bar = QRectF(box.left(), box.bottom() - 6, box.width(), 3)
                painter.fillRect(bar, theme.LINE)
                bar.setWidth(box.width() * min(share, 1.0))
                painter.fillRect(bar, colour)
                painter.setPen(theme.WARNING if share > 1 else theme.BONE)
                painter.drawText(box.adjusted(0, 0, 0, -7), Qt.AlignmentFlag.AlignVCenter, f"{share:.0%}")
