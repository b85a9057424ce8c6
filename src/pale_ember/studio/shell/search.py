"""One search for everything: fields by any word for them with what they are now, commands with their keys, layers,
starting points, effects of the quay. Return goes there; a value behind the words is set there."""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import partial
from typing import Any

from PyQt6.QtCore import QAbstractListModel, QEvent, QModelIndex, QObject, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import (
    QLineEdit,
    QListView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from pale_ember.core.effect.fields import Part, why_idle
from pale_ember.core.effect.model import Layer, Stage
from pale_ember.core.effect.starts import STARTS
from pale_ember.core.effect.values import Curve, Gradient, PerAxis, Range, Tints
from pale_ember.core.insight.search import Entry, Place, field_entries, ranked
from pale_ember.core.insight.sentences import SENTENCES, number, span
from pale_ember.formats.document import called
from pale_ember.studio.document.desk import Desk, Target
from pale_ember.studio.kit import texts, theme
from pale_ember.studio.kit.popups import on_screen
from pale_ember.studio.shell.files import demo_effects
from pale_ember.studio.stage.transport import WAYS

_ROW = 38
_MOST_SHOWN = 9
_SIZE = QSize(560, 60 + _ROW)
_VALUE = re.compile(r"^(?P<words>.*?\S)\s+(?P<value>[-+(.]?[\d.].*)$")
"""Words, and behind them something that begins like a number."""


def told(value: Any, unit: str) -> str:
    """A value of a field in a few signs; nothing where it cannot be told so."""
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, Range):
        return span(value, unit)
    if isinstance(value, (int, float)):
        gap = "" if unit in ("", "°", "×") else " "
        return f"{number(value)}{gap}{unit}"
    if isinstance(value, str):
        return value.partition(":")[2] or value
    if isinstance(value, tuple) and all(isinstance(part, (int, float)) for part in value):
        return ", ".join(number(part) for part in value)
    if isinstance(value, (Curve, Gradient)):
        return f"{len(value.keys if isinstance(value, Curve) else value.stops)} points"
    if isinstance(value, tuple) and not all(isinstance(part, str) for part in value):
        return f"{len(value)} of them"
    return "" if isinstance(value, (PerAxis, Tints, type(None))) else ", ".join(value)


class _Results(QAbstractListModel):
    """What was found, for the list; `told` says what an entry is now."""

    def __init__(self, now: Callable[[Entry], str]) -> None:
        super().__init__()
        self.entries: list[Entry] = []
        self._now = now

    def show(self, entries: list[Entry]) -> None:
        self.beginResetModel()
        self.entries = entries
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return len(self.entries)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        entry = self.entries[index.row()]
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return f"{entry.title}, {entry.where}"
        if role == Qt.ItemDataRole.ToolTipRole:
            return entry.help
        if role == Qt.ItemDataRole.UserRole:
            return entry, self._now(entry)
        return None


class _Row(QStyledItemDelegate):
    """A result: what it is called and what it is now, and below where it stands and what it does."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(_SIZE.width() - 40, _ROW)

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        entry, now = index.data(Qt.ItemDataRole.UserRole)
        box = QRectF(option.rect)
        painter.save()
        if option.state & QStyle.StateFlag.State_Selected:
            painter.setPen(QPen(theme.EMBER, 1))
            painter.setBrush(theme.SURFACE)
            painter.drawRoundedRect(box.adjusted(1.5, 1.5, -1.5, -1.5), 5, 5)
        left, right = box.left() + 12, box.right() - 12
        middle = Qt.AlignmentFlag.AlignVCenter
        top, low = QRectF(left, box.top() + 3, right - left, 17), QRectF(left, box.top() + 19, right - left, 15)
        painter.setFont(theme.font())
        painter.setPen(theme.BONE)
        painter.drawText(top, middle, entry.title)
        taken = texts.width_of(entry.title, theme.font()) + 10
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.ASH)
        painter.drawText(top.adjusted(taken, 0, 0, 0), middle, entry.where)
        help_ = painter.fontMetrics().elidedText(entry.help, Qt.TextElideMode.ElideRight, int(low.width()))
        painter.drawText(low, middle, help_)
        painter.setPen(theme.EMBER)
        painter.drawText(top, middle | Qt.AlignmentFlag.AlignRight, now)
        painter.restore()


class Search(QWidget):
    """A line to type into, and what it finds. Emits `sought(Target)` for fields; others are simply done."""

    sought = pyqtSignal(object)

    def __init__(self, desk: Desk, parent: QWidget, others: list[Entry]) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.desk, self.others = desk, others
        self.setAccessibleName("search")
        self.setFixedSize(_SIZE)
        self.line = QLineEdit()
        self.line.setPlaceholderText("find anything: bloom, flipbook, rate 60, save…")
        self.line.setAccessibleName("search for")
        self.line.setFixedHeight(30)
        self.line.textChanged.connect(self._sift)
        self.line.installEventFilter(self)
        self.results = _Results(self._now)
        self.list = QListView()
        self.list.setModel(self.results)
        self.list.setItemDelegate(_Row(self.list))
        self.list.setAccessibleName("found")
        self.list.setFrameShape(QListView.Shape.NoFrame)
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.setUniformItemSizes(True)
        self.list.clicked.connect(lambda index: self._take(self.results.entries[index.row()]))
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 10, 8, 8)
        column.setSpacing(6)
        column.addWidget(self.line)
        column.addWidget(self.list, 1)

    def open_over(self, anchor: QWidget) -> None:
        """Opens in the upper middle of a widget."""
        box = on_screen(anchor)
        self.move(box.center().x() - self.width() // 2, box.top() + 60)
        self.show()
        self.line.setFocus()

    def asked(self) -> tuple[str, str]:
        """The words that were typed, and the value behind them, if any."""
        text = self.line.text().strip()
        match = _VALUE.match(text)
        return (match["words"], match["value"]) if match else (text, "")

    def _sift(self) -> None:
        words, value = self.asked()
        fields = field_entries() if value == "" else tuple(entry for entry in field_entries() if _settable(entry))
        self.results.show(ranked(words, [*fields, *(self.others if value == "" else ())]))
        if self.results.entries:
            self.list.setCurrentIndex(self.results.index(0))
        rows = min(max(len(self.results.entries), 1), _MOST_SHOWN)
        self.setFixedHeight(_SIZE.height() if not words else 60 + rows * _ROW)

    def _root(self, kind: type[Part]) -> Any:
        return self.desk.layer if kind is Layer else self.desk.effect.stage if kind is Stage else self.desk.effect

    def _now(self, entry: Entry) -> str:
        """What an entry is now: a field its value, or that it has no effect; a command its keys."""
        if not isinstance(entry.does, Place):
            return entry.words[0] if entry.where == "command" else ""
        root, field = self._root(entry.does.kind), entry.does.declared.field
        found = entry.does.within(root)
        if found is None:
            return ""
        holder, value = found
        now, typed = told(value, field.unit_of(holder)), self.asked()[1]
        if typed:
            return f"{now} → {typed}"
        return now if why_idle(field, root, holder) is None else f"{now} · no effect just now"

    def _take(self, entry: Entry) -> None:
        value = self.asked()[1]
        self.close()
        if isinstance(entry.does, Place):
            self.sought.emit(Target(entry.does.kind, entry.does.path, entry.title, value))
        else:
            entry.does()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Up and Down move in the list while the line keeps the keyboard; Return takes what is marked there."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            steps = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1, Qt.Key.Key_PageDown: 8, Qt.Key.Key_PageUp: -8}
            key, count = Qt.Key(event.key()), len(self.results.entries)
            if key in steps and count:
                row = min(max(self.list.currentIndex().row() + steps[key], 0), count - 1)
                self.list.setCurrentIndex(self.results.index(row))
                return True
            if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                if count:
                    self._take(self.results.entries[self.list.currentIndex().row()])
                return True
        return super().eventFilter(watched, event)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.RAISED)
        painter.setPen(QPen(theme.LINE, 1))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        if not self.results.entries and self.line.text().strip():
            painter.setPen(theme.ASH)
            painter.drawText(
                self.rect(), Qt.AlignmentFlag.AlignCenter, "Nothing is called that. Try another word for it."
            )


def everything(window: Any) -> list[Entry]:
    """What can be found besides fields: commands, layers, ways of looking, starting points, effects of the quay."""
    desk, add = window.desk, window.layers.table.add
    entries = [
        Entry(command.words, "command", (", ".join(command.keys), *command.also), "", command.does)
        for command in window.commands
    ]
    for layer in desk.effect.layers:
        told_look = SENTENCES["look"](desk.effect, layer)
        entries.append(Entry(layer.name, "layer", (), told_look, lambda layer=layer: desk.select(layer.id)))
    for shows, text in WAYS.items():
        entries.append(
            Entry(
                shows,
                "way of looking",
                (text, "view mode"),
                f"Shows {text}.",
                lambda shows=shows: desk.looking.look_at(shows),
            )
        )
    for name, (text, _) in STARTS.items():
        entries.append(
            Entry(f"add {name}", "starting point", ("new layer", "emitter"), text, lambda name=name: add(name))
        )
    for path in demo_effects():
        opens = partial(window.files.open_copy, path)
        entries.append(Entry(f"open {called(path)}", "effect of the quay", ("demo", "example"), "Opens a copy.", opens))
    return entries


def _settable(entry: Entry) -> bool:
    """Whether a number can be typed into a field as it stands."""
    return isinstance(entry.does, Place) and entry.does.declared.type in (int, float, Range)
