"""Buttons, switches and choices."""

from __future__ import annotations

from collections.abc import Mapping
from typing import get_args

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QAbstractButton, QComboBox, QSizePolicy, QWidget

from pale_ember.core.effect.fields import Field
from pale_ember.studio.controls.chips import paint_chip
from pale_ember.studio.kit import fitted_text, icons, theme
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.kit.popups import Menu


class Button(QAbstractButton):
    """Return presses a button, as Space does."""

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.click()
        else:
            super().keyPressEvent(event)


class IconButton(Button):
    """A small button with one of our icons."""

    def __init__(self, icon: str, tip: str, *, size: int = 20, checkable: bool = False) -> None:
        super().__init__()
        self._icon = icon
        self.colour = theme.ASH
        self.setFixedSize(size, size)
        self.setCheckable(checkable)
        self.setToolTip(tip)
        self.setAccessibleName(tip or icon)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAttribute(Qt.WidgetAttribute.WA_Hover)

    def show_icon(self, icon: str) -> None:
        """Shows another icon."""
        if icon != self._icon:
            self._icon = icon
            self.update()

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.isEnabled() and (self.underMouse() or self.hasFocus()):
            painter.setPen(QPen(theme.EMBER, 1) if self.hasFocus() else Qt.PenStyle.NoPen)
            painter.setBrush(theme.LINE)
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4)
        colour = theme.DIM if not self.isEnabled() else theme.EMBER if self.isChecked() else self.colour
        if self.isEnabled() and self.underMouse() and not self.isChecked():
            colour = theme.BONE
        side = min(16, self.height() - 4)
        box = QRectF((self.width() - side) / 2, (self.height() - side) / 2, side, side)
        icons.paint(painter, self._icon, box, colour)


class WordButton(Button):
    """A word that can be pressed, with an icon before it or an arrow behind it."""

    def __init__(self, text: str, tip: str = "", *, menu: bool = False, icon: str = "", checkable: bool = False) -> None:
        super().__init__()
        self._menu_mark, self._icon = menu, icon
        self.colour: QColor = theme.ASH
        self.setText(text)
        self.setToolTip(tip)
        self.setCheckable(checkable)
        self.setAccessibleName(text)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAttribute(Qt.WidgetAttribute.WA_Hover)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)

    def show_text(self, text: str) -> None:
        """Shows another text, with room for it."""
        if text != self.text():
            self.setText(text)
            self.setAccessibleName(text)
            self.updateGeometry()
            self.update()

    def sizeHint(self) -> QSize:
        width = QFontMetricsF(theme.font()).horizontalAdvance(self.text()) + 14
        width += 14 if self._menu_mark else 0
        width += 20 if self._icon else 0
        return QSize(round(width), 26)

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        self.paint_on(painter)

    def paint_on(self, painter: QPainter) -> None:
        """Paints the button with a painter that is open."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.isEnabled():
            painter.setPen(QPen(theme.EMBER, 1) if self.hasFocus() else Qt.PenStyle.NoPen)
            painter.setBrush(theme.LINE if self.underMouse() else theme.RAISED)
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(1.5, 1.5, -1.5, -1.5), 5, 5)
        colour = theme.DIM if not self.isEnabled() else theme.EMBER if self.isChecked() else self.colour
        if self.isEnabled() and self.underMouse() and not self.isChecked():
            colour = theme.BONE
        left = 7.0
        if self._icon:
            icons.paint(painter, self._icon, QRectF(left, self.height() / 2 - 7, 14, 14), colour)
            left += 20
        painter.setFont(theme.font())
        painter.setPen(colour)
        box = QRectF(left, 0, self.width() - left, self.height())
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, self.text())
        if self._menu_mark:
            icons.paint(painter, "down", QRectF(self.width() - 16, self.height() / 2 - 6, 12, 12), colour)


class SwitchEdit(Button):
    """On or off."""

    edited = pyqtSignal(object, object)
    finished = pyqtSignal()

    def __init__(self, field: Field, default: bool, name: str = "") -> None:
        super().__init__()
        self.idle = False
        self.setCheckable(True)
        self.setChecked(default)
        self.setFixedSize(34, 22)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName(name or field.label)
        self.setAttribute(Qt.WidgetAttribute.WA_Hover)
        self.clicked.connect(lambda: self.edited.emit(self.value, None))

    @property
    def value(self) -> bool:
        """What it is set to."""
        return self.isChecked()

    def show_value(self, value: bool) -> None:
        """Shows a value; nobody is told of an edit."""
        self.setChecked(value)

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        rail = QRectF(4, 5, 26, 12)
        dim = self.idle or not self.isEnabled()
        on = theme.DIM if dim else theme.EMBER
        painter.setPen(QPen(theme.EMBER if self.hasFocus() else theme.LINE, 1))
        painter.setBrush(theme.with_alpha(on, 0.35) if self.value else theme.WELL)
        painter.drawRoundedRect(rail, 6, 6)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(on if self.value else theme.DIM if dim else theme.ASH)
        painter.drawEllipse(QPointF(rail.right() - 6 if self.value else rail.left() + 6, rail.center().y()), 4, 4)


def paint_chosen(painter: QPainter, widget: QWidget, text: str, *, idle: bool) -> None:
    """Paints what is chosen in a widget that opens a list."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    if widget.underMouse() or widget.hasFocus():
        painter.setPen(QPen(theme.EMBER if widget.hasFocus() else theme.LINE, 1))
        painter.setBrush(theme.RAISED)
        painter.drawRoundedRect(QRectF(widget.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4)
    box = QRectF(widget.rect()).adjusted(4, 0, -18, -2)
    painter.setFont(fitted_text.fitting(text, box.width()))
    painter.setPen(theme.DIM if idle else theme.BONE)
    shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideMiddle, round(box.width()) + 1)
    painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, shown)
    icons.paint(painter, "down", QRectF(widget.width() - 16, widget.height() / 2 - 7, 12, 12), theme.ASH)


class ChoiceEdit(QComboBox):
    """One of a few words, each with its explanation in the menu. The wheel passes by."""

    edited = pyqtSignal(object, object)
    finished = pyqtSignal()

    def __init__(self, field: Field, kind: object, default: str, name: str = "") -> None:
        super().__init__()
        self.field, self.idle = field, False
        self.options = list(get_args(kind))
        """What can be chosen just now."""
        self._helps = dict(zip(self.options, field.options, strict=False))
        self.addItems(self.options)
        self.setCurrentText(default)
        self.setFixedHeight(24)
        self.setMinimumWidth(60)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName(name or field.label)
        self.setAttribute(Qt.WidgetAttribute.WA_Hover)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.default = default
        self.told: str | None = None
        """The words it has in a sentence, where it stands in one."""
        self.holds: Mapping[str, str] = {}
        """What an option stands for just now, where that has a name."""

    def called(self, option: str) -> str:
        """How an option is called just now."""
        held = self.holds.get(option, "")
        return f"{held} ({option})" if held else option

    @property
    def value(self) -> str:
        """What it is set to."""
        return self.currentText()

    def show_value(self, value: str) -> None:
        """Shows a value; nobody is told of an edit."""
        self.setCurrentText(value)

    def choose(self, value: str) -> None:
        """Takes an option, as a click on it does."""
        if value != self.value:
            self.show_value(value)
            self.edited.emit(value, None)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        event.accept()  # The menu opens when the button is let go, so that no entry is under it.

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self.showPopup()

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()

    def showPopup(self) -> None:
        menu = Menu(self)
        for option in self.options:
            action = menu.addAction(self.called(option))
            action.setToolTip(self._helps.get(option, ""))
            action.triggered.connect(lambda _=False, option=option: self.choose(option))
            if option == self.value:
                menu.setActiveAction(action)
        menu.open_at(self)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()))
        if step:
            self.choose(self.options[(self.options.index(self.value) + step) % len(self.options)])
        elif event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.showPopup()
        else:
            event.ignore()

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        if self.told is not None:
            paint_chip(painter, self, self.told, changed=self.value != self.default)
        else:
            paint_chosen(painter, self, self.called(self.value), idle=self.idle or not self.isEnabled())
