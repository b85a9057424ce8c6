"""Several numbers on one line: a range, and a vector."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from pale_ember.core.effect.fields import Field
from pale_ember.core.effect.values import PerAxis, Range, moved
from pale_ember.core.words.arithmetic import NotANumber, choices_from, is_range, range_from, range_said, sides_from
from pale_ember.studio.controls.buttons import IconButton
from pale_ember.studio.controls.number import NumberEdit, shown_exactly
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painted


class _End(NumberEdit):
    """One end of a range; a whole range or a list typed into it is understood."""

    typed_ends = pyqtSignal(float, float)
    typed_choices = pyqtSignal(object)
    typed_sides = pyqtSignal(object, float)
    left = pyqtSignal()

    def take_text(self, text: str) -> str:
        """Takes a typed range; gives what is wrong with it."""
        try:
            sides = sides_from(text, self.unit, self.value) if self.field.times else None
            if sides is not None:
                self.typed_sides.emit(Range(low=self.limited(sides[0]), high=self.limited(sides[1])), sides[2])
                return ""
            choices = choices_from(text, self.unit, self.value)
            low, high = (0.0, 0.0) if choices else range_from(text, self.unit, self.value)
        except NotANumber as error:
            return str(error)
        if choices:
            self.typed_choices.emit(choices)
        elif low != high or is_range(text):
            self.typed_ends.emit(low, high)
        else:
            self.take_typed(low)
        return ""

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.left.emit()


class SpanHand(NumberEdit):
    """A whole range in the hand: a drag, the wheel and keys move both its ends; what is typed may be both."""

    sides = pyqtSignal(object, float)
    """(range, height as a share of it): a width was typed with its height."""

    def __init__(self, field: Field, default: Range, name: str = "") -> None:
        super().__init__(field, whole=field.whole, default=default.middle, name=name, bar=False)
        self.usual, self.range = default, default

    @property
    def changed(self) -> bool:
        """Whether it differs from its default."""
        return self.range != self.usual

    def show_value(self, value: Range) -> None:
        """Shows a value; nobody is told of an edit."""
        self.range = value
        super().show_value(value.middle)

    def set_by_hand(self, value: float, stroke: object = None) -> None:
        """Moves the range so that its middle comes as near to `value` as its limits allow."""
        by = value - self.range.middle
        if self.field.least is not None:
            by = max(by, self.field.least - self.range.least)
        if self.field.most is not None:
            by = min(by, self.field.most - self.range.most)
        if by:
            self.tell(moved(self.range, by), stroke)

    def tell(self, value: Range, stroke: object = None) -> None:
        """Takes a range from the artist and tells of it."""
        self.show_value(value)
        self.edited.emit(value, stroke)

    def reset(self) -> None:
        """Goes back to the default."""
        self._close_line()
        if self.changed:
            self.tell(self.usual)
        self.finished.emit()

    def exactly(self) -> str:
        ends = self.range.choices or ((self.range.low,) if self.range.fixed else (self.range.low, self.range.high))
        return ("; " if self.range.choices else " – ").join(shown_exactly(end, self.whole) for end in ends)

    def take_text(self, text: str) -> str:
        """Takes a typed range; gives what is wrong with it."""
        try:
            sides = sides_from(text, self.unit, self.value) if self.field.times else None
            if sides is not None:
                self.sides.emit(Range(low=self.limited(sides[0]), high=self.limited(sides[1])), sides[2])
                return ""
            value = range_said(text, self.unit, self.range, self.limited)
        except NotANumber as error:
            return str(error)
        self.tell(value)
        self.finished.emit()
        return ""


class _Between(SpanHand):
    """The dash between two ends: dragged, it moves both."""

    def __init__(self, field: Field, default: Range, name: str) -> None:
        super().__init__(field, default, name)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setToolTip("Drag to move both ends")
        self.setMinimumWidth(12)
        self.setFixedWidth(12)

    def type_in(self, begun: str = "") -> None:
        """Typing is for the ends."""

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setPen(theme.EMBER if self.underMouse() else theme.ASH)
        painter.drawText(QRectF(self.rect()).adjusted(0, 0, 0, -2), Qt.AlignmentFlag.AlignCenter, "–")


class RangeEdit(QWidget):
    """Minimum and maximum on one line, minimum first; one number when they are the same."""

    edited = pyqtSignal(object, object)
    finished = pyqtSignal()
    sides = pyqtSignal(object, float)
    """(range, height as a share of it): a width was typed with its height."""

    def __init__(self, field: Field, default: Range, name: str = "") -> None:
        super().__init__()
        self.got = np.zeros(0)
        """What the particles alive really drew."""
        self.followed: float | None = None
        """What the one that is followed drew."""
        self.field, self.default, self.value = field, default, default
        self._idle = False
        self.low = _End(field, whole=field.whole, default=default.low, name=f"{name or field.label}, minimum", bar=False)
        self.high = _End(field, whole=field.whole, default=default.high, name=f"{name or field.label}, maximum", bar=False)
        self.low.tells_unit = False
        self.between = _Between(field, default, f"{name or field.label}, both ends")
        self.kind = IconButton("range", "")
        # By keys a range is typed: 1 - 2, or 1.
        self.kind.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(1)
        row.addWidget(self.kind)
        row.addWidget(self.low, 2)
        row.addWidget(self.between)
        row.addWidget(self.high, 3)
        self.between.edited.connect(lambda value, stroke: self._tell_range(value, stroke))
        self.between.finished.connect(self.finished)
        self.low.edited.connect(self._low_edited)
        self.high.edited.connect(self._high_edited)
        self._spread: tuple[float, float, float] | None = None
        """What a range was before it was made one number: the number, low and high."""
        for end in (self.low, self.high):
            end.finished.connect(self._finished)
            end.left.connect(self._settle)
            end.typed_ends.connect(self._both_typed)
            end.typed_choices.connect(self._choices_typed)
            end.typed_sides.connect(self.sides)
        self.kind.clicked.connect(self.toggle)
        self.show_value(default)

    @property
    def idle(self) -> bool:
        """Whether it has no effect just now."""
        return self._idle

    @idle.setter
    def idle(self, idle: bool) -> None:
        self._idle = self.low.idle = self.high.idle = idle
        self.update()

    def show_value(self, value: Range) -> None:
        """Shows a value; nobody is told of an edit."""
        self.value = value
        self.low.show_value(value.least)
        self.high.show_value(value.most)
        self.between.show_value(value)
        self._settle()
        self.kind.show_icon("fixed" if value.fixed else "range")
        self.kind.setToolTip(
            "The same for every particle. Click to draw it for each particle."
            if value.fixed
            else f"One of {', '.join(f'{choice:g}' for choice in value.choices)} for each. Type a range or a number to change it."
            if value.choices
            else "Drawn once per particle, between the two. Click to make it the same for all."
        )
        self.update()

    def show_got(self, values: np.ndarray, followed: float | None = None) -> None:
        """Shows on the bar what the particles alive really drew, and the one that is followed."""
        self.got = values if not self.value.fixed else np.zeros(0)
        self.followed = followed if not self.value.fixed else None
        self.update()

    def _settle(self) -> None:
        """The low end goes when both are the same, but never out of the hand."""
        ranged = not self.value.fixed or self.low.busy
        self.low.setVisible(ranged)
        self.between.setVisible(ranged)

    def _finished(self) -> None:
        self._settle()
        self.finished.emit()

    def toggle(self) -> None:
        """A range becomes its middle; one number becomes the range it was, or a quarter to either side."""
        if not self.value.fixed:
            middle = self.value.middle
            self._spread = (middle, self.value.low, self.value.high) if not self.value.choices else None
            self._tell(middle, middle, None)
        elif self._spread is not None and self._spread[0] == self.value.low:
            self._tell(*self._spread[1:], None)
        else:
            part = abs(self.value.low) * 0.25 or (self.field.soft or (0, 1))[1] * 0.1
            self._tell(self.low.limited(self.value.low - part), self.low.limited(self.value.low + part), None)
        self.finished.emit()

    def _both_typed(self, low: float, high: float) -> None:
        self._tell(self.low.limited(low), self.low.limited(high), None)
        self.finished.emit()

    def _low_edited(self, low: float, stroke: object) -> None:
        """An end that is dragged stops at the other; one that is typed past it takes the other along, and says so."""
        high = self.value.most
        if stroke is None and low > high:
            self.low.say(f"{self.field.label}: the maximum goes along, it was {high:g}")
            high = low
        self._tell(min(low, high), high, stroke)

    def _high_edited(self, high: float, stroke: object) -> None:
        low = self.value.least
        if self.value.fixed and not self.low.isVisible():
            self._tell(high, high, stroke)
        else:
            if stroke is None and high < low:
                self.high.say(f"{self.field.label}: the minimum goes along, it was {low:g}")
                low = high
            self._tell(low, max(low, high), stroke)

    def _choices_typed(self, choices: tuple[float, ...]) -> None:
        kept = tuple(float(self.low.limited(choice)) for choice in choices)
        self.show_value(replace(self.value, low=min(kept), high=max(kept), choices=kept))
        self.edited.emit(self.value, None)
        self.finished.emit()

    def _tell(self, low: float, high: float, stroke: object) -> None:
        self._tell_range(replace(self.value, low=float(low), high=float(high), choices=()), stroke)

    def _tell_range(self, value: Range, stroke: object) -> None:
        self.show_value(value)
        self.edited.emit(value, stroke)

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
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
            painter.setPen(QPen(theme.with_alpha(theme.GLASS, 0.6), 1))
            xs = np.unique(np.round(left + width * np.clip((self.got - low) / (high - low), 0.0, 1.0))) + 0.5
            painter.drawLines([QLineF(x, y + 1.5, x, y + 3) for x in xs.tolist()])
            if self.followed is not None:
                x = left + width * min(max((self.followed - low) / (high - low), 0.0), 1.0)
                painter.setPen(QPen(theme.BONE, 2))
                painter.drawLine(QPointF(x, y - 3), QPointF(x, y + 3))


def quiet(text: str) -> QLabel:
    """A word beside a number: its axis, or its unit."""
    label = QLabel(text)
    label.setFont(theme.font(10))
    theme.tone(label, "ash")
    return label


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
            row = QHBoxLayout()
            row.setSpacing(2)
            row.addWidget(quiet(letter.upper()))
            row.addWidget(part, 1)
            column.addLayout(row)
            self.parts[letter] = part
        self.setFixedHeight(74)

    @property
    def idle(self) -> bool:
        """Whether it has no effect just now."""
        return self._idle

    @idle.setter
    def idle(self, idle: bool) -> None:
        self._idle = idle
        for part in self.parts.values():
            part.idle = idle

    def show_value(self, value: PerAxis) -> None:
        """Shows a value; nobody is told of an edit."""
        self.value = value
        for letter, part in self.parts.items():
            part.show_value(getattr(value, letter))

    def _part_edited(self, letter: str, value: Range, stroke: object) -> None:
        self.value = replace(self.value, **{letter: value})
        self.edited.emit(self.value, stroke)
