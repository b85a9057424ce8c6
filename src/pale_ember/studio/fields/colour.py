"""Colours: a swatch that opens a picker in sRGB, for a linear value that may be brighter than white."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor, QImage, QKeyEvent, QLinearGradient, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from pale_ember.core.effect.fields import Field
from pale_ember.core.effect.values import Colour
from pale_ember.formats.pictures import to_coded, to_linear
from pale_ember.studio import theme
from pale_ember.studio.fields.number import NumberEdit


def screen_colour(linear: Colour, opacity: float = 1.0) -> QColor:
    """A linear colour as the screen shows it; brighter than white keeps its hue."""
    values = np.array(linear, float)
    made = QColor.fromRgbF(*to_coded(values / max(1.0, float(values.max()))).tolist())
    made.setAlphaF(opacity)
    return made


class ColourPicker(QWidget):
    """A field of saturation and value, a bar of hue, and numbers. Emits linear colours live."""

    edited = pyqtSignal(object, object)

    def __init__(self, colour: Colour, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setFixedSize(236, 246)
        self._strength = max(1.0, *colour)
        shown = screen_colour(colour)
        self._hue, self._saturation, self._value, _ = (max(part, 0.0) for part in shown.getHsvF())  # type: ignore[misc]
        self._stroke: object = None
        self._drags = ""
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 182, 12, 10)
        row = QHBoxLayout()
        self.code = QLineEdit()
        self.code.setFixedWidth(84)
        self.code.setAccessibleName("sRGB code")
        self.code.editingFinished.connect(self._code_typed)
        strength = Field("strength", "Factor beyond white.", unit="×", soft=(1, 10), least=1, most=1e5)
        self.strength = NumberEdit(strength, default=1.0)
        self.strength.show_value(self._strength)
        self.strength.edited.connect(self._strength_edited)
        row.addWidget(self.code)
        row.addWidget(QLabel("strength"))
        row.addWidget(self.strength)
        column.addLayout(row)
        self._show_code()

    def colour(self) -> Colour:
        shown = QColor.fromHsvF(min(self._hue, 1.0), self._saturation, self._value)
        linear = to_linear(np.array(shown.getRgbF()[:3])) * self._strength
        return tuple(round(float(part), 5) for part in linear)  # type: ignore[return-value]

    def _field(self) -> QRectF:
        return QRectF(12, 12, 180, 160)

    def _bar(self) -> QRectF:
        return QRectF(204, 12, 20, 160)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._stroke = object()
        at = event.position()
        self._drags = "field" if self._field().contains(at) else "bar" if self._bar().contains(at) else ""
        if not self.rect().contains(at.toPoint()):
            self.close()
        self.mouseMoveEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        box = self._field() if self._drags == "field" else self._bar()
        x = min(max((event.position().x() - box.left()) / box.width(), 0), 1)
        y = min(max((event.position().y() - box.top()) / box.height(), 0), 1)
        if self._drags == "field":
            self._saturation, self._value = x, 1 - y
        elif self._drags == "bar":
            self._hue = y
        else:
            return
        self._tell(self._stroke)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._drags = ""

    def _strength_edited(self, value: float, stroke: object) -> None:
        self._strength = value
        self._tell(stroke)

    def _code_typed(self) -> None:
        colour = QColor(self.code.text() if self.code.text().startswith("#") else f"#{self.code.text()}")
        if colour.isValid():
            hue, self._saturation, self._value, _ = colour.getHsvF()  # type: ignore[misc]
            self._hue = max(hue, 0.0)  # type: ignore[type-var]
            self._tell(None)

    def _tell(self, stroke: object) -> None:
        self._show_code()
        self.update()
        self.edited.emit(self.colour(), stroke)

    def _show_code(self) -> None:
        self.code.setText(QColor.fromHsvF(min(self._hue, 1.0), self._saturation, self._value).name())

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), theme.RAISED)
        painter.setPen(QPen(theme.LINE, 1))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        box = self._field()
        for start, end, colours in (
            (box.topLeft(), box.topRight(), (QColor("white"), QColor.fromHsvF(min(self._hue, 1.0), 1, 1))),
            (box.topLeft(), box.bottomLeft(), (QColor(0, 0, 0, 0), QColor(0, 0, 0))),
        ):
            slope = QLinearGradient(start, end)
            slope.setColorAt(0, colours[0])
            slope.setColorAt(1, colours[1])
            painter.fillRect(box, slope)
        bar = self._bar()
        slope = QLinearGradient(bar.topLeft(), bar.bottomLeft())
        for i in range(7):
            slope.setColorAt(i / 6, QColor.fromHsvF(i / 6 % 1, 0.9, 1))
        painter.fillRect(bar, slope)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for colour, width in ((theme.FLOOR, 3.0), (theme.BONE, 1.5)):
            painter.setPen(QPen(colour, width))
            spot = QPointF(box.left() + self._saturation * box.width(), box.top() + (1 - self._value) * box.height())
            painter.drawEllipse(spot, 5, 5)
            y = bar.top() + self._hue * bar.height()
            painter.drawLine(QPointF(bar.left() - 2, y), QPointF(bar.right() + 2, y))


def open_picker(anchor: QWidget, colour: Colour, tell) -> ColourPicker:
    """Opens a picker near a widget; `tell(colour, stroke)` hears every change."""
    picker = ColourPicker(colour, anchor)
    picker.edited.connect(tell)
    place = anchor.mapToGlobal(QPoint(0, anchor.height() + 2))
    screen = anchor.screen().availableGeometry()
    picker.move(
        min(place.x(), screen.right() - 240), place.y() if place.y() + 250 < screen.bottom() else place.y() - 280
    )
    picker.show()
    return picker


class _Swatch(QWidget):
    """What a colour's editor is: a field of it that opens a picker by click or key."""

    edited = pyqtSignal(object, object)
    finished = pyqtSignal()

    def __init__(self, field: Field, default: Any, name: str = "") -> None:
        super().__init__()
        self.value, self.idle = default, False
        self.setFixedHeight(24)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(name or field.label)

    def show_value(self, value: Any) -> None:
        self.value = value
        self.update()

    def open(self, colour: Colour, changed: Callable[[Colour], Any]) -> None:
        """Opens a picker on a colour; `changed` makes the whole value of what is picked."""

        def tell(picked: Colour, stroke: object) -> None:
            self.show_value(changed(picked))
            self.edited.emit(self.value, stroke)

        open_picker(self, colour, tell)

    def pick(self, second: bool) -> None:
        """Opens the picker; `second` for the right half, or with Shift."""
        self.open(self.value, lambda picked: picked)

    def brush(self, box: QRectF) -> QBrush:
        return QBrush(screen_colour(self.value, 0.35 if self.idle else 1.0))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self.pick(event.position().x() >= self.width() / 2)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return):
            self.pick(bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(self.rect()).adjusted(4, 5, -5, -5)
        painter.setPen(QPen(theme.EMBER if self.hasFocus() else theme.LINE, 1))
        painter.setBrush(self.brush(box))
        painter.drawRoundedRect(box, 4, 4)


class ColourEdit(_Swatch):
    """One colour."""


class TintsEdit(_Swatch):
    """The two colours between which each particle's is drawn."""

    def pick(self, second: bool) -> None:
        self.open_end("second" if second else "first")

    def open_end(self, end: str) -> None:
        self.open(getattr(self.value, end), lambda picked: replace(self.value, **{end: picked}))

    def brush(self, box: QRectF) -> QBrush:
        slope = QLinearGradient(box.topLeft(), box.topRight())
        slope.setColorAt(0.35, screen_colour(self.value.first))
        slope.setColorAt(0.65, screen_colour(self.value.second))
        return QBrush(slope)


def picture_image(pixels: np.ndarray) -> QImage:
    """A linear, straight picture over black, for a thumbnail."""
    light = to_coded(pixels[..., :3] * pixels[..., 3:])
    coded = np.ascontiguousarray((light * 255 + 0.5).astype(np.uint8))
    height, width = coded.shape[:2]
    return QImage(coded.data, width, height, 3 * width, QImage.Format.Format_RGB888).copy()
