"""Colours: a swatch that opens a picker in sRGB, for a linear value that may be brighter than white."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRect, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor, QImage, QKeyEvent, QLinearGradient, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from pale_ember.core.effect.fields import Field
from pale_ember.core.effect.model import Layer
from pale_ember.core.effect.values import Colour, three
from pale_ember.core.texture.light import to_bytes, to_coded, to_linear
from pale_ember.core.words.arithmetic import NotANumber, number_from
from pale_ember.studio.controls.buttons import IconButton
from pale_ember.studio.controls.number import NumberEdit
from pale_ember.studio.controls.text_entry import EntryLine, refuse
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.kit.popups import on_screen, open_beside


def screen_codes(linear: np.ndarray) -> np.ndarray:
    """Linear colours (n, 3) as the screen shows them, coded 0 to 1; brighter than white keeps its hue."""
    return to_coded(linear / np.maximum(linear.max(axis=1, keepdims=True), 1.0))


def screen_colour(linear: Colour, opacity: float = 1.0) -> QColor:
    """A linear colour as the screen shows it; brighter than white keeps its hue."""
    colour = QColor.fromRgbF(*screen_codes(np.array([linear], float))[0].tolist())
    colour.setAlphaF(opacity)
    return colour


class ColourPicker(QWidget):
    """A field of saturation and value, a bar of hue, and numbers. Emits linear colours live."""

    edited = pyqtSignal(object, object)

    def __init__(self, colour: Colour, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setFixedSize(236, 280)
        self._exact: Colour | None = colour
        """The very colour that was given or typed, until one is picked by eye."""
        self._strength = max(1.0, *colour)
        shown = screen_colour(colour)
        self._hue, self._saturation, self._value, _ = (max(part, 0.0) for part in shown.getHsvF())
        self._stroke: object = None
        self._drags = ""
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 182, 12, 10)
        row = QHBoxLayout()
        self.code = EntryLine("", self)
        self.code.setFixedWidth(84)
        self.code.setAccessibleName("sRGB code")
        self.code.setToolTip("The colour as the screen shows it: #ff8800, or red, green and blue in linear light")
        self.linear = EntryLine("", self)
        self.linear.setAccessibleName("linear red, green, blue")
        self.linear.setToolTip("Red, green and blue in linear light, of any size: 50, 17, 9")
        for line in (self.code, self.linear):
            line.editingFinished.connect(lambda line=line: self._typed(line))
        strength = Field("strength", "Factor beyond white.", unit="×", soft=(1, 10), least=1, most=1e5)
        self.strength = NumberEdit(strength, default=1.0)
        self.strength.show_value(self._strength)
        self.strength.edited.connect(self._strength_edited)
        row.addWidget(self.code)
        row.addWidget(QLabel("strength"))
        row.addWidget(self.strength)
        column.addLayout(row)
        row = QHBoxLayout()
        row.addWidget(QLabel("linear"))
        row.addWidget(self.linear)
        column.addLayout(row)
        self._show_code()

    def colour(self) -> Colour:
        if self._exact is not None:
            return self._exact
        shown = QColor.fromHsvF(min(self._hue, 1.0), self._saturation, self._value)
        linear = to_linear(np.array(shown.getRgbF()[:3])) * self._strength
        return three(linear, 5)

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
        self._exact = None
        self._tell(self._stroke)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._drags = ""

    def _strength_edited(self, value: float, stroke: object) -> None:
        if self._exact is not None:
            self._exact = three((part * value / self._strength for part in self._exact), 6)
        self._strength = value
        self._tell(stroke)

    def _typed(self, line: EntryLine) -> None:
        """Takes a code or three linear numbers, in either line."""
        if line.text() == self._shown[line]:
            return
        try:
            colour = colour_from(line.text())
            if is_code(line.text()):
                colour = three(part * self._strength for part in colour)
        except NotANumber as error:
            refuse(line, line.text(), str(error))
            self._show_code()
            return
        self._exact = colour
        self._strength = max(1.0, *colour)
        self.strength.show_value(self._strength)
        hue, self._saturation, self._value, _ = screen_colour(colour).getHsvF()
        self._hue = max(hue, 0.0) if hue is not None else 0.0
        self._tell(None)

    def _tell(self, stroke: object) -> None:
        self._show_code()
        self.update()
        self.edited.emit(self.colour(), stroke)

    def _show_code(self) -> None:
        code = QColor.fromHsvF(min(self._hue, 1.0), self._saturation, self._value).name()
        self._shown = {self.code: code, self.linear: ", ".join(f"{part:.4g}" for part in self.colour())}
        for line, text in self._shown.items():
            line.setText(text)

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
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


def is_code(text: str) -> bool:
    """Whether a text is one word, as sRGB codes are."""
    return len(text.replace(",", " ").replace(";", " ").split()) == 1


def colour_from(text: str) -> Colour:
    """A linear colour from an sRGB code (`#ff8800`, `f80`) or from three linear numbers of any size (`50, 17, 9`).

    Raises NotANumber.
    """
    parts = [part for part in re.split(r"[,;\s]+", text.strip()) if part]
    if len(parts) == 3:
        values = tuple(number_from(part, "", 0.0) for part in parts)
        if min(values) < 0:
            raise NotANumber("light is never less than 0")
        return values  # type: ignore[return-value]
    code = text.strip().removeprefix("#")
    colour = QColor(f"#{code}")
    if len(code) not in (3, 6) or not colour.isValid():
        raise NotANumber("expected a code such as #ff8800, or three linear numbers such as 50, 17, 9")
    return three(to_linear(np.array(colour.getRgbF()[:3])), 5)


def open_picker(anchor: QWidget, colour: Colour, tell, part: QRect | None = None) -> ColourPicker:
    """Opens a picker beside a widget, or a part of it; `tell(colour, stroke)` hears every change."""
    picker = ColourPicker(colour, anchor)
    picker.edited.connect(tell)
    open_beside(picker, on_screen(anchor, part), anchor.screen().availableGeometry())
    picker.code.setFocus()
    picker.code.selectAll()
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
        """Shows a value; nobody is told of an edit."""
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

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(self.rect()).adjusted(4, 5, -5, -5)
        painter.setPen(QPen(theme.EMBER if self.hasFocus() else theme.LINE, 1))
        painter.setBrush(self.brush(box))
        painter.drawRoundedRect(box, 4, 4)


class ColourEdit(_Swatch):
    """One colour."""


class TintsEdit(_Swatch):
    """The colours of particles: one for all, or two between which each particle's is drawn, told apart by a gap."""

    def __init__(self, field: Field, default: Any, name: str = "") -> None:
        super().__init__(field, default, name)
        self._split = False
        """Whether the artist wants two, though they are the same just now."""
        self.kind = IconButton("range", "")
        self.kind.setParent(self)
        self.kind.move(0, 2)
        self.kind.clicked.connect(self.toggle)
        self._show_kind()

    @property
    def ranged(self) -> bool:
        return self._split or self.value.first != self.value.second

    def show_value(self, value: Any) -> None:
        """Shows a value; nobody is told of an edit."""
        super().show_value(value)
        self._show_kind()

    def _show_kind(self) -> None:
        self.kind.show_icon("range" if self.ranged else "fixed")
        self.kind.setToolTip(
            "Drawn once per particle, between the first and the second. Click to give all the first."
            if self.ranged
            else "The same for every particle. Click to draw it for each particle, between two colours."
        )
        self.update()

    def toggle(self) -> None:
        """One colour becomes two to tell apart; two become the first."""
        if self.ranged:
            self._split = False
            self.show_value(replace(self.value, second=self.value.first))
            self.edited.emit(self.value, None)
        else:
            self._split = True
            self._show_kind()

    def pick(self, second: bool) -> None:
        """Opens the picker for one of the colours."""
        self.open_end("second" if second and self.ranged else "first")

    def open_end(self, end: str) -> None:
        """Opens the picker on an end; on both where there is one colour."""
        ends = (end,) if self.ranged else ("first", "second")
        self.open(getattr(self.value, end), lambda picked: replace(self.value, **dict.fromkeys(ends, picked)))

    def boxes(self) -> list[QRectF]:
        whole = QRectF(self.rect()).adjusted(24, 5, -5, -5)
        if not self.ranged:
            return [whole]
        half = (whole.width() - 8) / 2
        return [QRectF(whole.left(), whole.top(), half, whole.height()), QRectF(whole.right() - half, whole.top(), half, whole.height())]

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self.pick(event.position().x() >= (24 + self.width()) / 2)

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        boxes = self.boxes()
        for box, colour in zip(boxes, (self.value.first, self.value.second), strict=False):
            painter.setPen(QPen(theme.EMBER if self.hasFocus() else theme.LINE, 1))
            painter.setBrush(screen_colour(colour, 0.35 if self.idle else 1.0))
            painter.drawRoundedRect(box, 4, 4)
        if len(boxes) > 1:
            painter.setPen(theme.ASH)
            painter.drawText(self.rect().adjusted(19, 0, 0, 0), Qt.AlignmentFlag.AlignCenter, "–")


def standing_frame(frames: int) -> int:
    """Which frame stands for all: where there are more than a few, the one in the middle says more than the first."""
    return frames // 2 if frames > 4 else 0


def middle_frame(sheet: np.ndarray, columns: int, rows: int) -> np.ndarray:
    """The frame (h, w, 4) that stands for a sheet."""
    row, column = divmod(standing_frame(columns * rows), columns)
    height, width = max(sheet.shape[0] // rows, 1), max(sheet.shape[1] // columns, 1)
    return sheet[row * height : (row + 1) * height, column * width : (column + 1) * width]


def picture_image(pixels: np.ndarray) -> QImage:
    """A linear, straight picture over black, for a thumbnail. pixels : (h, w, 4) float32."""
    coded = np.ascontiguousarray(to_bytes(pixels[..., :3] * pixels[..., 3:]))
    height, width = coded.shape[:2]
    return QImage(coded.data, width, height, 3 * width, QImage.Format.Format_RGB888).copy()


def layer_colour(layer: Layer) -> QColor:
    """A quiet colour that stands for a layer: its own, pulled towards bone."""
    tint = layer.birth.tint.first
    stops = layer.life.colour.stops if layer.life.colour else ()
    middle = stops[len(stops) // 2].colour if stops else (1.0, 1.0, 1.0)
    own = screen_colour((tint[0] * middle[0] + 0.02, tint[1] * middle[1] + 0.02, tint[2] * middle[2] + 0.02))
    hue, saturation, _, _ = own.getHslF()
    return QColor.fromHslF(max(hue or 0.0, 0.0), min(saturation or 0.0, 0.5), 0.62)
