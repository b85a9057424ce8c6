"""The number: drag it, type it, wheel it, double-click for its default."""

from __future__ import annotations

import math

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, QTimer, pyqtProperty, pyqtSignal  # type: ignore[attr-defined]
from PyQt6.QtGui import QContextMenuEvent, QEnterEvent, QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QAbstractSpinBox, QSizePolicy, QToolTip

from pale_ember.core.effect.fields import Field
from pale_ember.core.words.arithmetic import NotANumber, number_from, shown_number
from pale_ember.core.words.values import within
from pale_ember.studio.controls.chips import chip_width, paint_chip
from pale_ember.studio.controls.text_entry import OpenLine
from pale_ember.studio.kit import fitted_text, theme
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.kit.scrolling import PAUSE, Scrolling
from pale_ember.studio.kit.strokes import RepeatedEdit

_DEAD_ZONE = 3
_BEGINS = "0123456789.,-*+("
"""Signs that open a focused number for typing."""
_TYPED = 110
"""Pixels that a line for typing has at least, where the number stands in a sentence."""
_PIXELS_ACROSS = 220
"""Pixels of dragging that run through the soft range once."""


class NumberEdit(QAbstractSpinBox):
    """One number of a declared field. Emits `edited(value, stroke)` live; edits of one drag share their stroke. letter :
    what stands before it, where it is one of several.

    A spin box, so that assistive tools know its role, its value and how to step it. The line that Qt gives it is never
    shown: a number is painted where it stands, and a line is opened over it only for typing.
    """

    edited = pyqtSignal(object, object)
    finished = pyqtSignal()

    def __init__(
        self, field: Field, *, whole: bool = False, default: float = 0.0, name: str = "", bar: bool = True, letter: str = ""
    ) -> None:
        super().__init__()
        self.field, self.whole, self.default, self.bar = field, whole, default, bar
        self.unit, self.letter = field.unit, letter
        self.tells_unit = True
        self.leftward = False
        """Whether the number stands at the left, beside its word."""
        self.told: str | None = None
        """The words it has in a sentence, where it stands in one."""
        self.sense = 1.0
        """-1 where a drag to the right makes it less: its words tell how far below zero it is."""
        self._value: float = default
        self.idle = False
        self._pressed: QPointF | None = None
        self._dragging = False
        self._exact = 0.0
        self._stroke: object = None
        self._line: OpenLine | None = None
        self._taken = False
        """Whether its line was just closed by a key: the next sign is no more for it."""
        self._turns = RepeatedEdit(self)
        self._turns.ended.connect(self.finished)
        self._rested = False
        """Whether the pointer has rested on it."""
        self._resting = QTimer(self, singleShot=True, interval=PAUSE)
        self._resting.timeout.connect(self._rest)
        line = self.lineEdit()
        if line is not None:
            line.hide()
            line.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setFrame(False)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.SizeHorCursor)
        self.setFixedHeight(24)
        self.setMinimumWidth(40)
        self.setAccessibleName(name or field.label)
        self.setAttribute(Qt.WidgetAttribute.WA_Hover)

    @pyqtProperty(float)
    def value(self) -> float:
        """The number."""
        return self._value

    @property
    def changed(self) -> bool:
        """Whether it is other than its default."""
        return bool(self._value != self.default)

    def show_value(self, value: float) -> None:
        """Shows a value; nobody is told of an edit."""
        if value != self._value:
            self._take(value)

    def _take(self, value: float) -> None:
        self._value = value
        self.setAccessibleDescription(self.text())
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(40 if self.told is None else chip_width(self.told), 24)

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def text(self) -> str:
        """The number with its unit, as it is written."""
        unit = self.unit if self.tells_unit else ""
        gap = "" if unit in ("°", "×", "/s", "°/s") else " "
        return shown_number(self._value, self.whole) + (gap + unit if unit else "")

    def limited(self, value: float) -> float:
        """The nearest value that nature and memory allow."""
        return within(self.field, value, whole=self.whole)

    def set_by_hand(self, value: float, stroke: object = None) -> None:
        """Takes a value from the artist and tells of it."""
        value = self.limited(value)
        if value != self._value:
            self._take(value)
            self.edited.emit(value, stroke)

    def span(self) -> tuple[float, float]:
        """Where the drag bar runs: the soft range, wide enough for the value."""
        low, high = self.field.soft or (0.0, 1.0)
        return min(low, self._value), max(high, self._value)

    def _nudge(self, fine: bool, coarse: bool) -> float:
        low, high = self.field.soft or (0.0, 1.0)
        size = 10 ** math.floor(math.log10(max((high - low) / 50, 1e-9)) + 0.3)
        size *= 0.1 if fine else 10 if coarse else 1
        return max(1, round(size)) if self.whole else size

    # Mouse -----------------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._pressed, self._dragging, self._exact = event.position(), False, self._value
            self._stroke = object()
            if (area := Scrolling.around(self)) is not None:
                area.leave_off()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._pressed is None:
            return
        moved = event.position().x() - self._pressed.x()
        if not self._dragging and abs(moved) < _DEAD_ZONE:
            return
        self._dragging = True
        low, high = self.field.soft or (0.0, 1.0)
        modifiers = event.modifiers()
        per_pixel = (high - low) / _PIXELS_ACROSS
        if modifiers & Qt.KeyboardModifier.ShiftModifier:
            per_pixel *= 0.1
        if modifiers & Qt.KeyboardModifier.ControlModifier:
            per_pixel *= 10
        self._pressed = event.position()
        self._exact += moved * per_pixel * self.sense
        if not self.whole:
            # A drag that runs into a limit turns back at once.
            self._exact = self.limited(self._exact)
        digits = max(0, 1 - math.floor(math.log10(max(per_pixel, 1e-9))))
        self.set_by_hand(round(self.limited(self._exact), min(digits, 9)), self._stroke)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton or self._pressed is None:
            return
        self._pressed = None
        if self._dragging:
            self._dragging = False
            self.finished.emit()
        else:
            self.type_in()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.reset()

    def reset(self) -> None:
        """Goes back to the default."""
        self._close_line()
        self.set_by_hand(self.default)
        self.finished.emit()

    def _rest(self) -> None:
        self._rested = True

    def enterEvent(self, event: QEnterEvent) -> None:
        self._resting.start()
        super().enterEvent(event)

    def leaveEvent(self, event: QEvent) -> None:
        self._rested = False
        self._resting.stop()
        super().leaveEvent(event)

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Turns the number only when it was clicked, or when the pointer has rested on it: a wheel that scrolls past
        changes nothing."""
        area = Scrolling.around(self)
        scrolls = area is not None and area.goes_on(event)
        if scrolls or not (self.hasFocus() or self.typing or self._rested):
            self._resting.start()
            event.ignore()
            return
        if self._line is not None:
            self._line.finish(stays=False)
        clicks = event.angleDelta().y() / 120
        modifiers = event.modifiers()
        fine = bool(modifiers & Qt.KeyboardModifier.ShiftModifier)
        self._step(clicks, fine, bool(modifiers & Qt.KeyboardModifier.ControlModifier))
        event.accept()

    # Keyboard --------------------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        coarse = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if key in (Qt.Key.Key_Up, Qt.Key.Key_Down) and not event.modifiers() & Qt.KeyboardModifier.AltModifier:
            self._step(1 if key == Qt.Key.Key_Up else -1, fine, coarse)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.type_in()
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.reset()
        elif event.text() and event.text() in _BEGINS and not self._taken:
            self.type_in(event.text())
        else:
            event.ignore()

    def _step(self, steps: float, fine: bool = False, coarse: bool = False) -> None:
        step = steps * self.sense * self._nudge(fine, coarse)
        self.set_by_hand(round(self._value + step, 9), self._turns.current())

    def stepBy(self, steps: int) -> None:
        """Steps the number, as assistive tools ask for it."""
        self._step(steps)

    def stepEnabled(self) -> QAbstractSpinBox.StepEnabledFlag:
        return QAbstractSpinBox.StepEnabledFlag.StepUpEnabled | QAbstractSpinBox.StepEnabledFlag.StepDownEnabled

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """The row's menu is meant, not the hidden line's."""
        event.ignore()

    def event(self, event: QEvent) -> bool:
        """Keys are commands before the hidden line takes them; what begins a number comes to it as any key does."""
        if event.type() == QEvent.Type.ShortcutOverride:
            return False
        return super().event(event)

    def type_in(self, begun: str = "") -> None:
        """Opens the number for typing, with all of it selected or with what was already typed."""
        self._close_line()
        self._turns.end()
        line = OpenLine(self, self.exactly(), self.take_text, begun=begun, least=_TYPED if self.told is not None else 0)
        line.setAlignment(Qt.AlignmentFlag.AlignRight if self.told is None else Qt.AlignmentFlag.AlignLeft)
        line.setFont(theme.font())
        line.installEventFilter(self)
        self._line = line

    def exactly(self) -> str:
        """What is typed over, with every digit that matters."""
        return shown_exactly(self._value, self.whole)

    @property
    def typing(self) -> bool:
        """Whether a line is open over the number."""
        return self._line is not None and self._line.is_open

    @property
    def held(self) -> bool:
        """Whether it is being changed just now, so that it must keep its place."""
        return self._dragging or self.typing or self._turns.going

    @property
    def busy(self) -> bool:
        """Whether the number is in the hand: dragged, typed or focused."""
        return self._dragging or self.typing or self.hasFocus()

    def eventFilter(self, watched: object, event: QEvent) -> bool:
        if watched is self._line and event.type() == QEvent.Type.MouseButtonDblClick:
            self.reset()
            return True
        if event.type() == QEvent.Type.KeyPress:
            self._taken = event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape)  # type: ignore[attr-defined]
        return False

    def take_text(self, text: str) -> str:
        """Takes what was typed; returns why not where it is refused."""
        try:
            value = number_from(text, self.unit, self._value)
        except NotANumber as error:
            return str(error)
        self.take_typed(value)
        return ""

    def take_typed(self, value: float) -> None:
        """Takes what was typed; gives what is wrong with it."""
        limited = self.limited(value)
        if limited != value and not self.whole:
            bound = "at least" if value < limited else "at most"
            self.say(f"{self.field.label}: {bound} {limited:g} {self.unit}")
        self.set_by_hand(value)
        self.finished.emit()

    def say(self, text: str) -> None:
        """Says something of what was typed, below it."""
        QToolTip.showText(self.mapToGlobal(self.rect().bottomLeft()), text, self)

    def _close_line(self) -> None:
        if self._line is not None:
            line, self._line = self._line, None
            line.close_line()

    def focusInEvent(self, event: QFocusEvent) -> None:
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self._taken = False
        self._turns.end()
        self.update()

    @property
    def dim(self) -> bool:
        """Whether it cannot matter just now."""
        return self.idle or not self.isEnabled()

    def quiet(self) -> bool:
        """Whether the number is shown as something less than told."""
        return self.idle

    # Paint -----------------------------------------------------------------------------------------------------

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        if self.told is not None:
            paint_chip(painter, self, self.told, changed=self.changed)
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        lively = self.underMouse() or self.hasFocus()
        if lively:
            painter.setPen(QPen(theme.EMBER if self.hasFocus() else theme.LINE, 1))
            painter.setBrush(theme.RAISED)
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4)
        painter.setFont(theme.font())
        painter.setPen(theme.DIM if self.dim else theme.ASH if self.quiet() else theme.BONE)
        box = QRectF(self.rect()).adjusted(4, 0, -5, -2)
        if self.letter:
            painter.save()
            painter.setFont(theme.font(10))
            painter.setPen(theme.DIM if self.dim else theme.ASH)
            painter.drawText(box, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, self.letter)
            painter.restore()
            box.setLeft(box.left() + fitted_text.width_of(self.letter, 10) + 2)
        text = self.text()
        room = painter.fontMetrics().horizontalAdvance(text)
        if room > box.width():
            # A number that loses its sign or a digit is another number: without its unit, then smaller.
            text = shown_number(self._value, self.whole)
            room = painter.fontMetrics().horizontalAdvance(text)
            if room > box.width() - 1:
                painter.setFont(theme.font(max(int(theme.BODY * (box.width() - 1) / room), 6)))
        side = Qt.AlignmentFlag.AlignLeft if self.leftward else Qt.AlignmentFlag.AlignRight
        painter.drawText(box, side | Qt.AlignmentFlag.AlignVCenter, text)
        if self.bar:
            self._paint_bar(painter)

    def _paint_bar(self, painter: QPainter) -> None:
        low, high = self.span()
        width = self.width() - 10
        y = self.height() - 3.0
        painter.setPen(QPen(theme.LINE, 2))
        painter.drawLine(QPointF(5, y), QPointF(5 + width, y))
        if high > low and not self.dim:
            zero = min(max((0 - low) / (high - low), 0), 1)
            share = min(max((self._value - low) / (high - low), 0), 1)
            painter.setPen(QPen(theme.EMBER, 2))
            painter.drawLine(QPointF(5 + width * zero, y), QPointF(5 + width * share, y))


class FollowEdit(NumberEdit):
    """A number that follows something else until it is told: shown then in the quiet colour, as what it comes to."""

    def __init__(self, field: Field, name: str = "") -> None:
        super().__init__(field, default=0.0, name=name)
        self.follows = True

    def follow(self, otherwise: float) -> None:
        """Takes what the number is where it is not told."""
        self.default = otherwise
        if self.follows:
            super().show_value(otherwise)

    def show_value(self, value: float | None) -> None:
        """Shows a value; nobody is told of an edit."""
        self.follows = value is None
        super().show_value(self.default if value is None else value)

    def set_by_hand(self, value: float, stroke: object = None) -> None:
        """Takes a number as a drag or a key makes it."""
        self.follows = False
        super().set_by_hand(value, stroke)

    def reset(self) -> None:
        """Follows again."""
        self._close_line()
        if not self.follows:
            self.show_value(None)
            self.edited.emit(None, None)
            self.finished.emit()

    def quiet(self) -> bool:
        return self.idle or self.follows


def shown_exactly(value: float, whole: bool) -> str:
    """A number with every digit that matters, for typing over."""
    return str(int(value)) if whole else f"{value:.7g}"
