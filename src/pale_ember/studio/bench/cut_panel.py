"""A sheet cut into frames: its grid seen and dragged over the whole picture, frames dropped by a click."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from pale_ember.core.effect.recipe.sources import Picture
from pale_ember.core.texture.advice import guess_grid, thinned
from pale_ember.core.texture.recipes.cut import frame_numbers
from pale_ember.studio.bench.bench_selection import BenchSelection
from pale_ember.studio.controls.buttons import WordButton
from pale_ember.studio.controls.colour import picture_image
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painted

_SIDE = 290
_REACH = 7
"""Pixels around a line of the grid in which it is taken hold of."""


def told_frames(kept: list[int], count: int) -> str:
    """Frames as a text: 0-3, 6; nothing for all in their order."""
    if kept == list(range(count)):
        return ""
    parts: list[list[int]] = []
    for number in kept:
        if parts and number == parts[-1][-1] + 1:
            parts[-1].append(number)
        else:
            parts.append([number])
    return ", ".join(f"{part[0]}-{part[-1]}" if len(part) > 1 else f"{part[0]}" for part in parts)


class CutView(QWidget):
    """The whole picture under its grid. A line is dragged to make frames wider or narrower; a frame is clicked away, or back."""

    def __init__(self, chosen: BenchSelection) -> None:
        super().__init__()
        self.chosen = chosen
        self._image: tuple[object, QImage] | None = None
        self._grip = ""
        self._token: object = None
        self.setFixedHeight(_SIDE)
        self.setMouseTracking(True)
        self.setAccessibleName("grid of the sheet")
        self.setToolTip("Drag a line to set the grid; click a frame to leave it out, or take it back.")

    @property
    def step(self) -> Picture | None:
        step = self.chosen.step
        return step if isinstance(step, Picture) else None

    def pixels(self) -> np.ndarray | None:
        step = self.step
        return self.chosen.desk.shelf.known(step.picture) if step is not None else None

    def box(self) -> QRectF:
        """Where the picture lies."""
        pixels = self.pixels()
        tall, wide = pixels.shape[:2] if pixels is not None else (1, 1)
        scale = min((self.width() - 16) / wide, (self.height() - 8) / tall)
        return QRectF((self.width() - wide * scale) / 2, 4, wide * scale, tall * scale)

    def _line_at(self, at: QPointF) -> str:
        """The kind of line under a place: "columns", "rows" or none. The first line of each kind is the one to hold."""
        step, box = self.step, self.box()
        if step is None or not box.adjusted(-_REACH, -_REACH, _REACH, _REACH).contains(at):
            return ""
        if abs(at.x() - (box.left() + box.width() / step.columns)) < _REACH:
            return "columns"
        if abs(at.y() - (box.top() + box.height() / step.rows)) < _REACH:
            return "rows"
        return ""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._grip, self._token = self._line_at(event.position()), object()
            if not self._grip:
                self._flip(event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        step, box, at = self.step, self.box(), event.position()
        if self._grip and step is not None:
            columns = self._grip == "columns"
            whole = box.width() if columns else box.height()
            away = at.x() - box.left() if columns else at.y() - box.top()
            count = min(max(round(whole / max(away, whole / 64)), 1), 64)
            if getattr(step, self._grip) != count:
                self.chosen.change_step(self._grip, replace(step, frames="", **{self._grip: count}), self._token)
            return
        kind = self._line_at(at)
        shapes = {"columns": Qt.CursorShape.SplitHCursor, "rows": Qt.CursorShape.SplitVCursor}
        self.setCursor(shapes.get(kind, Qt.CursorShape.PointingHandCursor))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._grip = ""
        self.chosen.desk.document.end_stroke()

    def _flip(self, at: QPointF) -> None:
        """Leaves the frame under a place out, or takes it back."""
        step, box, recipe = self.step, self.box(), self.chosen.recipe
        if step is None or recipe is None or not box.contains(at):
            return
        column = int((at.x() - box.left()) / box.width() * step.columns)
        row = int((at.y() - box.top()) / box.height() * step.rows)
        number, count = row * step.columns + column, step.columns * step.rows
        kept = frame_numbers(step.frames, count)
        if number in kept and len(kept) == 1:
            return
        kept = [each for each in kept if each != number] if number in kept else sorted([*kept, number])
        self.chosen.change_step("frames", replace(step, frames=told_frames(kept, count)))

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        pixels, step = self.pixels(), self.step
        painter.fillRect(self.rect(), theme.WELL)
        if pixels is None or step is None:
            painter.setPen(theme.ASH)
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "being read…")
            return
        if self._image is None or self._image[0] is not pixels:
            self._image = pixels, picture_image(thinned(pixels, 2 * _SIDE))
        box = self.box()
        painter.drawImage(box, self._image[1])
        count = step.columns * step.rows
        kept = set(frame_numbers(step.frames, count))
        wide, tall = box.width() / step.columns, box.height() / step.rows
        for number in range(count):
            row, column = divmod(number, step.columns)
            cell = QRectF(box.left() + column * wide, box.top() + row * tall, wide, tall)
            if number not in kept:
                painter.fillRect(cell, theme.with_alpha(theme.FLOOR, 0.78))
        for k in range(step.columns + 1):
            painter.setPen(QPen(theme.EMBER if k == 1 else theme.with_alpha(theme.BONE, 0.35), 1))
            x = box.left() + k * wide
            painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
        for k in range(step.rows + 1):
            painter.setPen(QPen(theme.EMBER if k == 1 else theme.with_alpha(theme.BONE, 0.35), 1))
            y = box.top() + k * tall
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))


class CutPanel(QWidget):
    """What can be done with a picture that is taken: its grid guessed, its frames all taken, its play made longer."""

    def __init__(self, chosen: BenchSelection) -> None:
        super().__init__()
        self.chosen = chosen
        self.view = CutView(chosen)
        guess = WordButton("guess the grid", "Find the frames by the gaps between them")
        guess.clicked.connect(self.guess)
        take = WordButton("play its frames", "Give the picture on the bench as many frames")
        take.clicked.connect(self.take_frames)
        row = QHBoxLayout()
        row.setContentsMargins(8, 0, 8, 0)
        row.addWidget(guess)
        row.addWidget(take)
        row.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 2, 0, 2)
        column.addWidget(self.view)
        column.addLayout(row)
        chosen.turned.connect(self.view.update)

    def guess(self) -> None:
        step, pixels = self.view.step, self.view.pixels()
        if step is not None and pixels is not None:
            columns, rows = guess_grid(pixels)
            self.chosen.change_step("grid as guessed", replace(step, columns=columns, rows=rows, frames=""))

    def take_frames(self) -> None:
        """The sheet on the bench becomes as long as what is taken, and as large as its frames are."""
        step, recipe, pixels = self.view.step, self.chosen.recipe, self.view.pixels()
        if step is None or recipe is None or pixels is None:
            return
        count = len(frame_numbers(step.frames, step.columns * step.rows))
        size = max(pixels.shape[1] // step.columns, pixels.shape[0] // step.rows, 4)
        columns = step.columns if count % step.columns == 0 else int(np.ceil(np.sqrt(count)))
        self.chosen.change("its frames", replace(recipe, frames=count, columns=columns, size=min(size, 4096)))
