"""Thinning: fewer particles for the same picture, found away from the window and seen beside what is."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QHideEvent, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from pale_ember.core.effect.model import Effect
from pale_ember.core.effect.reuse import kept
from pale_ember.core.insight.thinning import SHARES, ThinnedEffect, fewest, thinned_throughout, thinning
from pale_ember.draw.small import SMALL
from pale_ember.studio.controls.buttons import WordButton
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.insight.analysis_link import AnalysisLink
from pale_ember.studio.insight.distances import DistanceSteps
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.kit.scrolling import Scrolling
from pale_ember.studio.kit.side_panel import SidePage, quiet

_STRONGER = 6
"""How many times as strong differences are shown."""
_HIGH = 2.4
"""Differences that the curve shows."""


class CountCurve(QWidget):
    """How plain the difference is over the count of particles; a click, a drag or the arrow keys choose one."""

    chosen = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.results: list[ThinnedEffect] = []
        self.index = 0
        self.setFixedHeight(130)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("difference over count")

    def show_results(self, results: list[ThinnedEffect], index: int) -> None:
        self.results, self.index = results, index
        self.setAccessibleDescription(f"{results[index].most} alive" if results else "")
        self.update()

    def _at(self, result: ThinnedEffect) -> QPointF:
        box = QRectF(self.rect()).adjusted(34, 10, -14, -24)
        most = max(self.results[0].most, 1)
        share = result.most / most
        return QPointF(box.left() + (1 - share) * box.width(), box.bottom() - min(result.difference, _HIGH) / _HIGH * box.height())

    def _choose(self, x: float) -> None:
        if self.results:
            self.choose(min(range(len(self.results)), key=lambda i: abs(self._at(self.results[i]).x() - x)))

    def choose(self, index: int) -> None:
        index = min(max(index, 0), len(self.results) - 1)
        if self.results and index != self.index:
            self.chosen.emit(index)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._choose(event.position().x())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._choose(event.position().x())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if step:
            self.choose(self.index + step)
        else:
            super().keyPressEvent(event)

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.font(theme.SMALL))
        box = QRectF(self.rect()).adjusted(34, 10, -14, -24)
        painter.setPen(QPen(theme.EMBER if self.hasFocus() else theme.LINE, 1))
        painter.setBrush(theme.WELL)
        painter.drawRoundedRect(box.adjusted(-6, -6, 6, 6), 5, 5)
        bound = box.bottom() - box.height() / _HIGH
        painter.setPen(QPen(theme.ASH, 1, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(box.left(), bound), QPointF(box.right(), bound))
        painter.setPen(theme.ASH)
        painter.drawText(QRectF(box.left() + 2, bound - 16, box.width(), 14), Qt.AlignmentFlag.AlignLeft, "visible difference")
        if not self.results:
            return
        points = [self._at(result) for result in self.results]
        painter.setPen(QPen(theme.GLASS, 1.6))
        painter.drawPolyline(points)
        painter.setPen(Qt.PenStyle.NoPen)
        for i, (point, result) in enumerate(zip(points, self.results, strict=True)):
            painter.setBrush(theme.EMBER if i == self.index else theme.GLASS if result.difference <= 1 else theme.WARNING)
            painter.drawEllipse(point, 5 if i == self.index else 3, 5 if i == self.index else 3)
        painter.setPen(theme.ASH)
        for i in {0, self.index, len(self.results) - 1}:
            where = QRectF(points[i].x() - 20, box.bottom() + 7, 40, 14)
            painter.setPen(theme.BONE if i == self.index else theme.ASH)
            painter.drawText(where, Qt.AlignmentFlag.AlignCenter, f"{self.results[i].most}")


class ChangePicture(QWidget):
    """Where the mean pictures differ, made stronger so that it is seen at all."""

    def __init__(self) -> None:
        super().__init__()
        self._image: QImage | None = None
        self.setFixedSize(*SMALL)
        self.setAccessibleName("what differs")
        self.setToolTip(f"Where the mean picture differs from what it was, {_STRONGER} times as strong")

    def show_change(self, change: np.ndarray | None) -> None:
        self._image = None
        if change is not None:
            codes = np.ascontiguousarray(np.clip(change * (255 * _STRONGER), 0, 255).astype(np.uint8))
            height, width = codes.shape[:2]
            self._image = QImage(codes.tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888).copy()
        self.update()

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.fillRect(self.rect(), theme.WELL)
        if self._image is not None:
            painter.drawImage(self.rect(), self._image)
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.ASH)
        painter.drawText(self.rect().adjusted(6, 0, 0, -4), Qt.AlignmentFlag.AlignBottom, f"what differs, × {_STRONGER}")


class ThinningPage(SidePage):
    """Finds the fewest particles of a layer, or of the effect, that keep the picture; shows what is and what would be side by side."""

    title = "Thin out"

    def __init__(self, desk: Desk, checker: AnalysisLink) -> None:
        super().__init__()
        self.desk, self.checker = desk, checker
        self.running = False
        self.results: list[ThinnedEffect] = []
        self._of: Effect | None = None
        self._name = ""
        told = quiet("Finds the fewest particles that keep the picture, each larger and stronger instead.")
        self.layer_button = WordButton("the layer", "Thins the selected layer", icon="plus")
        self.layer_button.clicked.connect(lambda: self.begin(whole=False))
        self.whole_button = WordButton("the effect", "Thins all layers, one after the other", icon="plus")
        self.whole_button.clicked.connect(lambda: self.begin(whole=True))
        self.stop_button = WordButton("stop", "Stops; what was found so far stays")
        self.stop_button.clicked.connect(self.stop)
        self.take_button = WordButton("apply", "Applies it; one step of undo", icon="plus")
        self.take_button.colour = theme.EMBER
        self.take_button.clicked.connect(self.take)
        begin = QHBoxLayout()
        for button in (self.layer_button, self.whole_button):
            button.colour = theme.EMBER
            begin.addWidget(button)
        begin.addStretch(1)
        end = QHBoxLayout()
        end.addWidget(self.stop_button)
        end.addWidget(self.take_button)
        end.addStretch(1)
        self.curve = CountCurve()
        self.curve.chosen.connect(self.show_result)
        self.said = QLabel()
        self.said.setWordWrap(True)
        self.said.setMinimumHeight(66)
        self.said.setAlignment(Qt.AlignmentFlag.AlignTop)
        inner = QWidget()
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(Scrolling(inner))
        column = QVBoxLayout(inner)
        column.setContentsMargins(12, 6, 10, 8)
        column.addWidget(told)
        column.addLayout(begin)
        column.addWidget(self.curve)
        column.addWidget(self.said)
        column.addLayout(end)
        self.change = ChangePicture()
        column.addWidget(self.change, 0, Qt.AlignmentFlag.AlignLeft)
        self.steps = DistanceSteps(desk)
        column.addWidget(self.steps)
        column.addStretch(1)
        desk.document.changed.connect(self._edited)
        desk.selected.connect(self.refresh)
        checker.worked.connect(self._so_far)
        checker.ended.connect(self._ended)
        self.refresh()

    def refresh(self) -> None:
        layer = self.desk.layer
        self.layer_button.show_text(layer.name if layer is not None else "the layer")
        self.layer_button.setEnabled(layer is not None and not self.running)
        self.whole_button.setEnabled(bool(self.desk.effect.layers) and not self.running)
        self.stop_button.setVisible(self.running)
        self.take_button.setVisible(not self.running)
        self.take_button.setEnabled(bool(self.results) and self.curve.index > 0 and not self.running)

    def begin(self, *, whole: bool) -> None:
        """Begins to look for fewer."""
        layer, effect = self.desk.layer, self.desk.effect
        if self.running or (layer is None and not whole):
            return
        self.forget()
        self._of, self._name = effect, effect.name if whole or layer is None else layer.name
        self.running = True
        steps = thinned_throughout if whole or layer is None else partial(thinning, identities=[layer.id])
        self.checker.work(self, effect, steps)
        count, each = (len(effect.layers) + 1, "two seconds") if whole else (len(SHARES), "a second")
        self.said.setText(f"Looking for fewer of {self._name}: up to {count} steps, about {each} for each.")
        self.refresh()

    def stop(self) -> None:
        """Stops looking for fewer."""
        self.checker.leave(self)

    def _so_far(self, whose: object, result: ThinnedEffect) -> None:
        if whose is self and self._of is not None and self._of is self.desk.effect:
            self.results.append(replace(result, effect=kept(result.effect, self._of)))
            self.curve.show_results(self.results, len(self.results) - 1)

    def _ended(self, whose: object, why: str) -> None:
        if whose is not self:
            return
        self.running = False
        if why:
            self.said.setText(why)
        elif self._of is self.desk.effect and self.results:
            self._take_results(self.results, self.results.index(fewest(self.results)))
        self.refresh()

    def _take_results(self, results: list[ThinnedEffect], index: int) -> None:
        self.results = results
        self.curve.show_results(results, index)
        self.show_result(index)

    def show_result(self, index: int) -> None:
        """Shows one of what was found, beside what is."""
        result, before = self.results[index], self.results[0]
        self.change.show_change(result.change)
        self.curve.show_results(self.results, index)
        if index == 0:
            self.desk.looking.offer("", None)
            self.said.setText(
                f"{before.most} live at once: as it is."
                if len(self.results) > 1 and fewest(self.results) is not before
                else f"{before.most} live at once, and fewer would be seen."
            )
        else:
            apart = result.apart
            verdict = "hardly seen" if result.difference <= 1 else "the difference is seen"
            self.said.setText(
                f"{before.most} → {result.most} live at once: {verdict}.\nSimilarity {apart.alike:.3f}, colour {apart.hue:.0%}, "
                f"unevenness {apart.grain:.3f}, area {apart.area:.0%}. On the stage it is to the right of the line."
            )
            self.desk.looking.offer(f"{result.most} alive", result.effect)
        self.refresh()

    def take(self) -> None:
        """Makes it the document: one step of the history."""
        if self.results and self._of is self.desk.effect and self.curve.index > 0:
            result = self.results[self.curve.index]
            self.desk.document.change(f"{self._name}: thinned to {result.most}", result.effect)

    def forget(self) -> None:
        """Lets go of what was found."""
        self.results = []
        self.curve.show_results([], 0)
        self.change.show_change(None)
        self.said.clear()
        if self.desk.looking.offered is not None:
            self.desk.looking.offer("", None)
        self.refresh()

    def _edited(self, old: Effect, new: Effect) -> None:
        if self._of is not None and new is not self._of:
            self.stop()
            taken = any(result.effect is new for result in self.results)
            self.forget()
            if taken:
                self.said.setText("Applied. Ctrl+Z brings all of them back.")
        elif not self.results and not self.running:
            self.said.clear()

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        if self.desk.looking.offered is not None:
            self.desk.looking.offer("", None)
