"""Several numbers on one line: a range, and a vector."""

from __future__ import annotations

import re

from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from pale_ember.core.effect.fields import Field
from pale_ember.core.effect.values import PerAxis, Range
from pale_ember.studio import theme
from pale_ember.studio.fields.arithmetic import NotANumber, number_from
from pale_ember.studio.fields.buttons import IconButton
from pale_ember.studio.fields.number import NumberEdit


def range_from(text: str, unit: str, now: float) -> tuple[float, float]:
    """Low and high from what was typed: `0.6 - 1.1`, `0.6 to 1.1`, `0.8 ± 0.2`, `0.8 ± 25%`, or one number for both.

    Raises NotANumber.
    """
    plain = text.replace("+-", "±").replace("+/-", "±").strip()
    if "±" in plain:
        middle_text, share = (part.strip() for part in plain.split("±", 1))
        middle = number_from(middle_text, unit, now)
        part = (
            abs(middle) * number_from(share[:-1], "", 0) / 100 if share.endswith("%") else number_from(share, unit, 0)
        )
        return tuple(sorted((middle - part, middle + part)))  # type: ignore[return-value]
    both = re.fullmatch(r"\s*(-?[^\s]+?)\s*(?:–|\bto\b|\s-\s|(?<=[\d.])-(?=[\d.]))\s*(-?.+)", plain)
    if both:
        try:
            low, high = (number_from(one, unit, now) for one in both.groups())
            return tuple(sorted((low, high)))  # type: ignore[return-value]
        except NotANumber:
            pass
    value = number_from(plain, unit, now)
    return value, value


def choices_from(text: str, unit: str, now: float) -> tuple[float, ...]:
    """The numbers of a list such as `0.2; 0.5; 1`, or nothing where the text is no list."""
    if ";" not in text:
        return ()
    try:
        return tuple(number_from(part, unit, now) for part in text.split(";") if part.strip())
    except NotANumber:
        return ()


class _End(NumberEdit):
    """One end of a range; typing a whole range into it is understood."""

    typed_range = pyqtSignal(float, float)
    typed_choices = pyqtSignal(object)

    def _take_line(self) -> None:
        choices = choices_from(self._line.text(), self.field.unit, self.value) if self._line is not None else ()
        if choices:
            self._close_line()
            self.typed_choices.emit(choices)
            self.setFocus()
            return
        if self._line is not None:
            try:
                low, high = range_from(self._line.text(), self.field.unit, self.value)
            except NotANumber:
                low = high = 0.0
            if low != high:
                self._close_line()
                self.typed_range.emit(low, high)
                self.setFocus()
                return
        super()._take_line()


class RangeEdit(QWidget):
    """Minimum and maximum on one line, minimum first; one number when they are the same."""

    edited = pyqtSignal(object, object)
    finished = pyqtSignal()

    def __init__(self, field: Field, default: Range, name: str = "") -> None:
        super().__init__()
        self.field, self.default, self.value = field, default, default
        self._idle = False
        bare = Field(field.label, field.help, soft=field.soft, least=field.least, most=field.most)
        self.low = _End(bare, whole=field.whole, default=default.low, name=f"{name or field.label}, least", bar=False)
        self.high = _End(field, whole=field.whole, default=default.high, name=f"{name or field.label}, most", bar=False)
        self.kind = IconButton("range", "")
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(1)
        row.addWidget(self.kind)
        row.addWidget(self.low, 2)
        row.addWidget(self.high, 3)
        self.low.edited.connect(self._low_edited)
        self.high.edited.connect(self._high_edited)
        for end in (self.low, self.high):
            end.finished.connect(self.finished)
            end.typed_range.connect(self._both_typed)
            end.typed_choices.connect(self._choices_typed)
        self.kind.clicked.connect(self.toggle)
        self.show_value(default)

    @property
    def idle(self) -> bool:
        return self._idle

    @idle.setter
    def idle(self, idle: bool) -> None:
        self._idle = self.low.idle = self.high.idle = idle
        self.update()

    def show_value(self, value: Range) -> None:
        self.value = value
        self.low.show_value(value.least)
        self.high.show_value(value.most)
        self.low.setVisible(not value.fixed)
        self.kind.show_icon("fixed" if value.fixed else "range")
        self.kind.setToolTip(
            "The same for every particle. Click to draw it anew for each."
            if value.fixed
            else f"One of {', '.join(f'{one:g}' for one in value.choices)} for each. Type a range or a number to change it."
            if value.choices
            else "Drawn once per particle, between the two. Click to make it the same for all."
        )
        self.update()

    def toggle(self) -> None:
        """Fixed becomes a quarter either side; a range becomes its middle."""
        if self.value.fixed:
            part = abs(self.value.low) * 0.25 or (self.field.soft or (0, 1))[1] * 0.1
            low, high = self.low.limited(self.value.low - part), self.high.limited(self.value.low + part)
        else:
            low = high = self.value.middle
        self._tell(low, high, None)
        self.finished.emit()

    def _both_typed(self, low: float, high: float) -> None:
        self._tell(self.low.limited(low), self.high.limited(high), None)
        self.finished.emit()

    def _low_edited(self, low: float, stroke: object) -> None:
        self._tell(low, max(low, self.value.high), stroke)

    def _high_edited(self, high: float, stroke: object) -> None:
        self._tell(high if self.value.fixed else min(self.value.low, high), high, stroke)

    def _choices_typed(self, choices: tuple[float, ...]) -> None:
        kept = tuple(float(self.low.limited(one)) for one in choices)
        self.show_value(replace(self.value, low=min(kept), high=max(kept), choices=kept))
        self.edited.emit(self.value, None)
        self.finished.emit()

    def _tell(self, low: float, high: float, stroke: object) -> None:
        self.show_value(replace(self.value, low=float(low), high=float(high), choices=()))
        self.edited.emit(self.value, stroke)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        left = self.kind.width() + 6
        y, width = self.height() - 3.0, self.width() - left - 5
        painter.setPen(QPen(theme.LINE, 2))
        painter.drawLine(QPointF(left, y), QPointF(left + width, y))
        low, high = self.field.soft or (0.0, 1.0)
        low, high = min(low, self.value.low), max(high, self.value.high)
        if high > low and not self._idle:
            first = left + width * (self.value.low - low) / (high - low)
            last = left + width * (self.value.high - low) / (high - low)
            painter.setPen(QPen(theme.EMBER, 2))
            painter.drawLine(QPointF(first, y), QPointF(max(last, first + 2), y))
        if not self.value.fixed:
            painter.setPen(theme.ASH)
            box = QRectF(self.high.x() - 5, 0, 10, self.height() - 2)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, "–")


class PerAxisEdit(QWidget):
    """A range for each axis, one below the other."""

    edited = pyqtSignal(object, object)
    finished = pyqtSignal()

    def __init__(self, field: Field, default: PerAxis, name: str = "") -> None:
        super().__init__()
        self.value = default
        self._idle = False
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(1)
        self.parts = {}
        for letter in "xyz":
            part = RangeEdit(field, getattr(default, letter), f"{name or field.label}, {letter}")
            part.setFixedHeight(24)
            part.edited.connect(lambda value, stroke, letter=letter: self._part_edited(letter, value, stroke))
            part.finished.connect(self.finished)
            column.addWidget(part)
            self.parts[letter] = part
        self.setFixedHeight(74)

    @property
    def idle(self) -> bool:
        return self._idle

    @idle.setter
    def idle(self, idle: bool) -> None:
        self._idle = idle
        for part in self.parts.values():
            part.idle = idle

    def show_value(self, value: PerAxis) -> None:
        self.value = value
        for letter, part in self.parts.items():
            part.show_value(getattr(value, letter))

    def _part_edited(self, letter: str, value: Range, stroke: object) -> None:
        self.value = replace(self.value, **{letter: value})
        self.edited.emit(self.value, stroke)


class VectorEdit(QWidget):
    """Two or three numbers on one line."""

    edited = pyqtSignal(object, object)
    finished = pyqtSignal()

    def __init__(self, field: Field, default: tuple[float, ...], name: str = "") -> None:
        super().__init__()
        self.value = default
        self.field = field
        self._idle = False
        bare = Field(field.label, field.help, soft=field.soft, least=field.least, most=field.most)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(1)
        self.parts = []
        for i, letter in enumerate("xyz"[: len(default)]):
            part = NumberEdit(bare, default=default[i], name=f"{name or field.label}, {letter}")
            part.setMinimumWidth(34)
            part.edited.connect(lambda value, stroke, i=i: self._part_edited(i, value, stroke))
            part.finished.connect(self.finished)
            row.addWidget(part, 1)
            self.parts.append(part)

    @property
    def idle(self) -> bool:
        return self._idle

    @idle.setter
    def idle(self, idle: bool) -> None:
        self._idle = idle
        for part in self.parts:
            part.idle = idle
            part.update()

    def show_value(self, value: tuple[float, ...]) -> None:
        self.value = value
        for part, one in zip(self.parts, value, strict=True):
            part.show_value(one)

    def _part_edited(self, index: int, value: float, stroke: object) -> None:
        changed = [*self.value]
        changed[index] = float(value)
        self.value = tuple(changed)
        self.edited.emit(self.value, stroke)
