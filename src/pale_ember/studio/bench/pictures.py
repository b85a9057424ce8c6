"""The pictures of the document on the bench, one row each: what they are, and who wears them."""

from __future__ import annotations

from PyQt6.QtCore import QRect, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from pale_ember.core.effect.recipe.recipe import RECIPE, Recipe
from pale_ember.studio.bench.bench_selection import BenchSelection, worn_by
from pale_ember.studio.controls.colour import picture_image
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painted

_ROW = 46


class RecipeList(QWidget):
    """The pictures of the document, one row each."""

    renamed = pyqtSignal()

    def __init__(self, chosen: BenchSelection) -> None:
        super().__init__()
        self.chosen = chosen
        self._thumbs: dict[str, tuple[int, QImage]] = {}
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName("pictures of this effect")
        chosen.turned.connect(self.refresh)
        # Who wears a picture changes without it.
        chosen.desk.document.changed.connect(lambda: self.update())
        self.refresh()

    def refresh(self) -> None:
        recipe = self.chosen.recipe
        self.setFixedHeight(max(len(self.chosen.recipes), 1) * _ROW)
        self.setAccessibleDescription(recipe.name if recipe is not None else "")
        self.update()

    def line_of(self, index: int) -> QRect:
        """Where a picture's name stands."""
        return QRect(50, index * _ROW + 4, self.width() - 56, 24)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        index = int(event.position().y() // _ROW)
        if index < len(self.chosen.recipes):
            self.chosen.choose(index)
            self.setFocus()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.renamed.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down) and self.chosen.recipes:
            by = 1 if event.key() == Qt.Key.Key_Down else -1
            self.chosen.choose(min(max(self.chosen.index + by, 0), len(self.chosen.recipes) - 1))
        else:
            super().keyPressEvent(event)

    def _thumb(self, recipe: Recipe) -> QImage | None:
        known = self.chosen.desk.shelf.known(RECIPE + recipe.name)
        if known is None:
            return None
        kept = self._thumbs.get(recipe.name)
        if kept is None or kept[0] != id(known):
            side = min(known.shape[0] // recipe.rows or 1, known.shape[1] // recipe.columns or 1)
            row, column = divmod(recipe.frames // 2, recipe.columns)
            part = known[row * side : (row + 1) * side, column * side : (column + 1) * side]
            step = max(side // 80, 1)
            self._thumbs[recipe.name] = kept = id(known), picture_image(part[::step, ::step] if part.size else known)
        return kept[1]

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        if not self.chosen.recipes:
            painter.setPen(theme.ASH)
            painter.setFont(theme.font())
            painter.drawText(
                self.rect().adjusted(8, 0, 0, 0),
                Qt.AlignmentFlag.AlignVCenter | Qt.TextFlag.TextWordWrap,
                "none yet: + picture makes one",
            )
        for k, recipe in enumerate(self.chosen.recipes):
            box = QRectF(0, k * _ROW, self.width(), _ROW).adjusted(1, 1, -1, -1)
            chosen = k == self.chosen.index
            painter.setPen(QPen(theme.EMBER, 1) if chosen and self.hasFocus() else Qt.PenStyle.NoPen)
            painter.setBrush(theme.RAISED if chosen else Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(box, 4, 4)
            well = QRectF(5, box.top() + 3, 38, 38)
            painter.fillRect(well, theme.WELL)
            thumb = self._thumb(recipe)
            if thumb is not None:
                painter.drawImage(well, thumb)
            painter.setFont(theme.font())
            painter.setPen(theme.BONE if chosen else theme.ASH)
            painter.drawText(QRectF(51, box.top() + 3, self.width() - 56, 20), Qt.AlignmentFlag.AlignVCenter, recipe.name)
            painter.setFont(theme.font(theme.SMALL))
            painter.setPen(theme.ASH)
            wearers = worn_by(self.chosen.desk.effect, recipe)
            told = used(recipe) + (f" · on {', '.join(wearers)}" if wearers else " · not used")
            shown = painter.fontMetrics().elidedText(told, Qt.TextElideMode.ElideRight, self.width() - 58)
            painter.drawText(QRectF(51, box.top() + 22, self.width() - 56, 18), Qt.AlignmentFlag.AlignVCenter, shown)


def used(recipe: Recipe) -> str:
    """A recipe's grid and size in a few words."""
    grid = f" · {recipe.frames} frames" if recipe.frames > 1 else ""
    return f"{recipe.size} px{grid}"
