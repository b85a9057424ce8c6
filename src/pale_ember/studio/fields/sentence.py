"""A chapter's sentence as its first editor: every value in it is dragged, wheeled, typed or chosen where it stands."""

from __future__ import annotations

import types
from collections.abc import Sequence
from typing import Any, Literal, Union, get_args, get_origin

from PyQt6.QtCore import QPoint, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QEnterEvent, QMouseEvent, QPainter, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import QWidget

from pale_ember.core.effect.edit import Path, is_there, value_at
from pale_ember.core.effect.fields import Declared, Field, Part, fields_of
from pale_ember.core.effect.model import Layer
from pale_ember.core.effect.values import Range
from pale_ember.core.insight.sentences import Piece, Told, plainly
from pale_ember.studio.controls.buttons import Button, ChoiceEdit
from pale_ember.studio.controls.chips import DIFFERS, HEIGHT, chip_width, paint_chip
from pale_ember.studio.controls.number import FollowEdit, NumberEdit
from pale_ember.studio.controls.range_edit import SpanHand
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.fields.edit_target import Subject
from pale_ember.studio.fields.name_edits import NameEdit, name_edit
from pale_ember.studio.fields.row import with_sides
from pale_ember.studio.kit import fitted_text, theme
from pale_ember.studio.kit.painting import painted

_LINE = 21
"""Pixels from one line to the next."""
_LEFT, _RIGHT = 5, 6


class LinkPiece(Button):
    """A value that is edited elsewhere: pressed, it leads there."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.told = ""
        self.changed = False
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAttribute(Qt.WidgetAttribute.WA_Hover)

    def sizeHint(self) -> QSize:
        return QSize(chip_width(self.told), HEIGHT)

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        paint_chip(painter, self, self.told, changed=self.changed)


def declared_in(layer: Layer, path: Path) -> Declared:
    """The declaration of what stands at a path of a layer; of a number in a vector or a part in a list, that of the whole
    under the number's type."""
    if isinstance(path[-1], int):
        whole = declared_in(layer, path[:-1])
        values = value_at(layer, path[:-1])
        if values and isinstance(values[0], float):
            return Declared(whole.name, float, whole.field, whole.default[path[-1]])
        return whole
    kind: type[Part] = type(value_at(layer, path[:-1]))
    return fields_of(kind)[path[-1]]


def _piece_editor(desk: Desk, declared: Declared) -> Any:
    """The editor of a value in a sentence."""
    kind, field, default = declared.type, declared.field, declared.default
    name = f"{field.label}, in the sentence"
    if kind is Range:
        return SpanHand(field, default, name)
    if get_origin(kind) in (Union, types.UnionType) and float in get_args(kind):
        return FollowEdit(field, name)
    if kind in (int, float):
        return NumberEdit(field, whole=kind is int, default=default, name=name, bar=False)
    if get_origin(kind) is Literal:
        return ChoiceEdit(field, kind, default, name)
    if field.names and field.names != "picture" and (kind is str or kind == tuple[str, ...]):
        return name_edit(desk, field, several=kind is not str)
    return LinkPiece(name)


def room_for(lines: int) -> int:
    """Pixels that so many lines take."""
    return lines * _LINE + 2


class Sentence(QWidget):
    """A sentence in words and pieces, as high as it needs to be: it is scrolled in the room it is given. What is in the hand keeps
    its place."""

    sought = pyqtSignal(object)
    """The path of a value that is edited elsewhere."""
    write_asked = pyqtSignal()
    """It is to be opened as text."""

    def __init__(self, desk: Desk, subject: Subject) -> None:
        super().__init__()
        self.desk, self.subject = desk, subject
        self._told: Told = []
        self._editors: dict[Path, Any] = {}
        self._values: dict[Path, object] = {}
        """What the pieces show, until they are edited here."""
        self._spare: dict[Path, QWidget] = {}
        self._words: list[tuple[QPoint, str]] = []

    @property
    def text(self) -> str:
        return plainly(self._told)

    def piece(self, *path: str | int) -> QWidget:
        """The editor of the value at a path of the layer. Raises KeyError where the sentence does not tell it."""
        return self._editors[path]

    def show_told(self, told: Told, layer: Layer) -> None:
        """Shows a sentence of a layer."""
        if told == self._told:
            for path, editor in self._editors.items():
                self._show_value(path, layer, editor.told)
            return
        same = [piece.path for piece in told] == [piece.path for piece in self._told]
        self._told = told
        self.setAccessibleName(plainly(told))
        wanted = {piece.path: piece for piece in told if piece.path}
        for path in [path for path in self._editors if path not in wanted]:
            self._spare[path] = self._editors.pop(path)
            self._spare[path].hide()
        for path, piece in wanted.items():
            self._show_piece(path, piece, layer)
        held = any(isinstance(editor, NumberEdit) and editor.held for editor in self._editors.values())
        if same and held:
            self.update()
        else:
            self._lay()

    def mark_differing(self, others: Sequence[Layer]) -> None:
        """Marks the values that another layer, of those that are told, has otherwise."""
        for path, editor in self._editors.items():
            differs = any(not is_there(other, path) or value_at(other, path) != value_at(self.subject.root, path) for other in others)
            if bool(editor.property(DIFFERS)) != differs:
                editor.setProperty(DIFFERS, differs)
                editor.update()

    def _show_piece(self, path: Path, piece: Piece, layer: Layer) -> None:
        declared = declared_in(layer, path)
        editor = self._editors.get(path) or self._spare.pop(path, None)
        if editor is None:
            editor = _piece_editor(self.desk, declared)
            editor.setParent(self)
            self._connect(editor, path, declared.field)
        if isinstance(editor, NumberEdit):
            editor.unit = declared.field.unit_of(value_at(layer, path[:-1])) if not isinstance(path[-1], int) else ""
            told_below_zero = isinstance(path[-1], int) and value_at(layer, path) < 0 and piece.text[:1] != "-"
            editor.sense = -1.0 if told_below_zero else 1.0
        self._editors[path] = editor
        self._show_value(path, layer, piece.text)
        if isinstance(editor, LinkPiece):
            editor.changed = value_at(layer, path) != declared.default
        editor.show()

    def _show_value(self, path: Path, layer: Layer, told: str) -> None:
        """Shows the value at a path, and its words, unless they stand there."""
        editor: Any = self._editors[path]
        value = value_at(layer, path)
        if path in self._values and self._values[path] == value and editor.told == told:
            return
        self._values[path], editor.told = value, told
        if not isinstance(editor, LinkPiece):
            editor.show_value(value)
        editor.update()

    def _change(self, label: str, path: Path, value: object, stroke: object) -> None:
        self._values.pop(path, None)
        self.subject.change(label, path, value, stroke)

    def _connect(self, editor: Any, path: Path, field: Field) -> None:
        editor.setToolTip(field.help)
        if isinstance(editor, LinkPiece):
            editor.clicked.connect(lambda: self.sought.emit(path))
            return
        editor.edited.connect(lambda value, stroke: self._change(field.label, path, value, stroke))
        editor.finished.connect(self._finish)
        if isinstance(editor, SpanHand) and field.times:
            editor.sides.connect(
                lambda width, share: self._change(field.label, path[:-1], with_sides(self.subject.root, path, width, share), None)
            )
        if isinstance(editor, NameEdit):
            editor.kinds = ()
            editor.setAcceptDrops(False)

    def _finish(self) -> None:
        """What was in the hand is let go: words and pieces find their places."""
        self.desk.document.end_stroke()
        self._lay()

    def _lay(self) -> None:
        """Gives words and pieces their places, line by line."""
        right = self.width() - _RIGHT
        x, y = float(_LEFT), 0
        self._words.clear()
        space = fitted_text.width_of(" ")
        for piece in self._told:
            if piece.path:
                wide = min(chip_width(piece.text), right - _LEFT)
                if x + wide > right and x > _LEFT:
                    x, y = float(_LEFT), y + _LINE
                self._editors[piece.path].setFixedSize(wide, HEIGHT)
                self._editors[piece.path].move(round(x), y)
                x += wide
                continue
            for word in piece.text.replace(" ", "\0 \0").split("\0"):
                if word == " ":
                    x += space
                elif word:
                    sign = word[0] in ",.;:"
                    width = fitted_text.width_of(word)
                    if x + width > right and not sign:
                        x, y = float(_LEFT), y + _LINE
                    self._words.append((QPoint(round(x), y), word))
                    x += width
        self.setFixedHeight(y + room_for(1))
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if event.size().width() != event.oldSize().width():
            self._lay()

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setFont(theme.font())
        painter.setPen(theme.ASH)
        height = painter.fontMetrics().ascent()
        for point, word in self._words:
            painter.drawText(QPoint(point.x(), point.y() + (HEIGHT + height) // 2 - 2), word)

    def enterEvent(self, event: QEnterEvent) -> None:
        self.desk.hinted.emit(
            "Drag a value of the sentence, or click it to type or to choose. F2, or a double-click between the words, edits it as text.",
            None,
        )

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.write_asked.emit()
