"""A line to type into and the list of what it finds: one way to find, wherever it is asked for."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QAbstractListModel, QEvent, QModelIndex, QObject, QPointF, QRectF, QSize, Qt, QTimer
from PyQt6.QtGui import QInputMethodEvent, QKeyEvent, QPainter, QPen, QTextCharFormat, QTextFormat
from PyQt6.QtWidgets import QLabel, QLineEdit, QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem, QVBoxLayout, QWidget

from pale_ember.core.insight.search import Entry, FieldPlace
from pale_ember.studio.controls.less_more_pictures import PAIRS, WIDTH, paint_pair
from pale_ember.studio.kit import fitted_text, theme
from pale_ember.studio.kit.popups import Panel

ROW = 38
_MOST_SHOWN = 9
_MOST_TYPED = 600
"""Signs that a line takes: what is pasted by mistake is not read for seconds."""
_LEAST = 60
"""Pixels of the line and what is around the list."""


_OF_LINE = (
    Qt.Key.Key_A, Qt.Key.Key_C, Qt.Key.Key_V, Qt.Key.Key_X, Qt.Key.Key_Z, Qt.Key.Key_Left, Qt.Key.Key_Right,
    Qt.Key.Key_Home, Qt.Key.Key_End, Qt.Key.Key_Backspace, Qt.Key.Key_Delete, Qt.Key.Key_Control, Qt.Key.Key_Shift,
)  # fmt: skip
"""Keys that a line has a use for with Ctrl; others close it and are commands."""


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
        return QSize(200, ROW)

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
        taken = fitted_text.width_of(entry.title) + 10
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.ASH)
        painter.drawText(top.adjusted(taken, 0, 0, 0), middle, entry.where)
        pair = entry.does.path[-1] if isinstance(entry.does, FieldPlace) and entry.does.path[-1] in PAIRS else ""
        room = low.width() - (WIDTH + 12 if pair else 0)
        help_ = painter.fontMetrics().elidedText(entry.help, Qt.TextElideMode.ElideRight, int(room))
        painter.drawText(low, middle, help_)
        if pair:
            paint_pair(painter, pair, QPointF(low.right() - WIDTH, low.top()))
        painter.setPen(theme.EMBER)
        painter.drawText(top, middle | Qt.AlignmentFlag.AlignRight, now)
        painter.restore()


def underline(line: QLineEdit, parts: list[tuple[int, int]]) -> None:
    """Underlines parts of a line, each from one place to another, as it does what an input method has not finished."""
    form = QTextCharFormat()
    form.setUnderlineStyle(QTextCharFormat.UnderlineStyle.WaveUnderline)
    form.setUnderlineColor(theme.EMBER)
    marked = QTextFormat(form)  # As which alone it goes through a variant.
    kind, at = QInputMethodEvent.AttributeType.TextFormat, line.cursorPosition()
    marks = [QInputMethodEvent.Attribute(kind, begin - at, end - begin, marked) for begin, end in parts]
    line.inputMethodEvent(QInputMethodEvent("", marks))


class Finder(Panel):
    """Opens over the window, finds while one types, and closes when something is taken."""

    def __init__(self, parent: QWidget, name: str, placeholder: str, width: int) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setAccessibleName(name)
        self.line = QLineEdit()
        self.line.setPlaceholderText(placeholder)
        self.line.setAccessibleName("search for")
        self.line.setFixedHeight(30)
        self.line.setMaxLength(_MOST_TYPED)
        self.line.textChanged.connect(self.sift)
        self.line.installEventFilter(self)
        self._lost: list[tuple[int, int]] = []
        # The line paints its text anew after it has told of it.
        self._marks = QTimer(self, singleShot=True, interval=0)
        self._marks.timeout.connect(lambda: underline(self.line, self._lost))
        self.results = _Results(self.now)
        self.list = QListView()
        self.list.setModel(self.results)
        self.list.setItemDelegate(_Row(self.list))
        self.list.setAccessibleName("found")
        self.list.setFrameShape(QListView.Shape.NoFrame)
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.setUniformItemSizes(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.clicked.connect(lambda index: self._take(self.results.entries[index.row()]))
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 10, 8, 8)
        column.setSpacing(6)
        column.addWidget(self.line)
        column.addWidget(self.list, 1)
        self.none = QLabel("Nothing found. Try another word for it.")
        self.none.setAlignment(Qt.AlignmentFlag.AlignCenter)
        theme.tone(self.none, "ash")
        self.none.hide()
        column.addWidget(self.none, 1)
        self.setFixedSize(width, _LEAST + ROW)

    def found(self, text: str) -> list[Entry]:
        """What is found by a text."""
        raise NotImplementedError

    def now(self, entry: Entry) -> str:
        """What an entry is now, in a few signs."""
        return ""

    def take(self, entry: Entry) -> None:
        """Does what an entry stands for."""
        raise NotImplementedError

    def lost(self) -> list[tuple[int, int]]:
        """What of the text is not understood, from one place to another."""
        return []

    def turn(self, entry: Entry) -> bool:
        """Goes on to another sense of an entry; says whether it has one."""
        return False

    def sift(self) -> None:
        """Shows what is found by what is typed, and underlines what of it is not understood."""
        text = self.line.text()
        self.results.show(self.found(text.strip()))
        before = len(text) - len(text.lstrip())
        self._lost = [(begin + before, end + before) for begin, end in self.lost()]
        self._marks.start()
        if self.results.entries:
            self.list.setCurrentIndex(self.results.index(0))
        nothing = not self.results.entries and bool(self.line.text().strip())
        self.none.setVisible(nothing)
        self.list.setVisible(not nothing)
        self.setFixedHeight(self.height_for(len(self.results.entries)))

    def height_for(self, count: int) -> int:
        """Pixels that it takes with so many entries."""
        return _LEAST + min(max(count, 1), _MOST_SHOWN) * ROW

    def _take(self, entry: Entry) -> None:
        text = self.line.text().strip()
        lost = ", ".join(text[begin:end] for begin, end in self.lost())
        if lost:
            # What was understood is done; the rest stands there to be said otherwise.
            self.take(entry)
            self.line.setText(lost)
            self.line.selectAll()
            return
        self.close()
        self.take(entry)

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
                else:
                    # What found nothing is typed over by what comes next.
                    self.line.selectAll()
                return True
            if key in (Qt.Key.Key_Tab, Qt.Key.Key_Backtab) and count:
                row = self.list.currentIndex().row()
                if self.turn(self.results.entries[row]):
                    self.sift()
                    self.list.setCurrentIndex(self.results.index(row))
                else:
                    self.list.setCurrentIndex(self.results.index((row + (1 if key == Qt.Key.Key_Tab else -1)) % count))
                return True
            if event.modifiers() & Qt.KeyboardModifier.ControlModifier and key not in _OF_LINE:
                window = self.parentWidget().window()
                self.close()
                return getattr(window, "press_shortcut", lambda event: False)(event)
        return super().eventFilter(watched, event)
