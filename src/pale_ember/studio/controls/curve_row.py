"""A curve or a gradient as one row among other fields: something to add, and a small lane once it is there."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from pale_ember.core.effect.fields import Declared
from pale_ember.core.effect.values import Curve, Gradient, Stop, curve
from pale_ember.studio.controls.buttons import WordButton
from pale_ember.studio.controls.curve_lane import CurveLane
from pale_ember.studio.controls.gradient_lane import GradientLane
from pale_ember.studio.controls.lanes import LaneEdit

_MARGIN = 6


class _SmallCurve(CurveLane):
    room = _MARGIN, _MARGIN

    def paint_label(self, painter: QPainter) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)


class _SmallGradient(GradientLane):
    room = _MARGIN, _MARGIN

    def paint_label(self, painter: QPainter) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)


class CurveRow(QWidget):
    """A curve or gradient that may be missing."""

    edited = pyqtSignal(object, object)
    finished = pyqtSignal()

    def __init__(self, declared: Declared, kind: type) -> None:
        super().__init__()
        self.kind, self.idle = kind, False
        self.optional = declared.type is not kind
        self.value: Curve | Gradient | None = declared.default
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.lane: LaneEdit = _SmallCurve(declared, 54) if kind is Curve else _SmallGradient(declared, 42)
        self.lane.setAccessibleName(declared.field.label)
        self.adder = WordButton("add", declared.field.help, icon="plus")
        self.adder.clicked.connect(self.add)
        column.addWidget(self.adder, 0, Qt.AlignmentFlag.AlignRight)
        column.addWidget(self.lane)
        self.lane.edited.connect(self._told)
        self.lane.finished.connect(self.finished)
        self.lane.grown.connect(self._grow)
        self.show_value(declared.default)

    def add(self) -> None:
        """Gives the field a curve."""
        value = curve((0, 1), (1, 1)) if self.kind is Curve else Gradient(stops=(Stop(at=0.0), Stop(at=1.0)))
        self._told(value, None)

    def _grow(self) -> None:
        """Shows the lane large, or small again."""
        self.lane.set_large(not self.lane.large)
        self._fit()

    def _told(self, value: object, stroke: object) -> None:
        if value is None and not self.optional:
            return
        self.show_value(value)  # type: ignore[arg-type]
        self.edited.emit(value, stroke)

    def show_value(self, value: Curve | Gradient | None) -> None:
        """Shows a value; nobody is told of an edit."""
        self.value = value
        self.lane.setVisible(value is not None)
        self.adder.setVisible(value is None)
        if value is not None:
            self.lane.show_value(value)
        self._fit()

    def _fit(self) -> None:
        """Takes the height that it needs now."""
        value = self.value
        self.setFixedHeight(26 if value is None else self.lane.minimumHeight())
        parent = self.parentWidget()
        if parent is not None and parent.height() != self.height() + 2:
            parent.setFixedHeight(self.height() + 2)
