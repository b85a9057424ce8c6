"""Two or three numbers of one thing, edited on one line."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QApplication, QBoxLayout, QHBoxLayout, QVBoxLayout, QWidget

from pale_ember.core.effect.fields import Field
from pale_ember.core.words.arithmetic import number_from
from pale_ember.studio.controls.number import NumberEdit
from pale_ember.studio.controls.range_edit import quiet
from pale_ember.studio.kit import theme


def _told(text: str) -> list[str]:
    """The numbers of a text, one after the other."""
    return re.split(r"[,;\s]+", text.strip())


class _Part(NumberEdit):
    """One number of several; all of them typed into it are understood."""

    def __init__(self, all_typed: Callable[[str], bool], field: Field, **more: Any) -> None:
        super().__init__(field, **more)
        self._all_typed = all_typed

    def take_text(self, text: str) -> str:
        return "" if self._all_typed(text) else super().take_text(text)


class VectorEdit(QWidget):
    """Two or three numbers on one line; below each other where words stand before them."""

    edited = pyqtSignal(object, object)
    finished = pyqtSignal()

    def __init__(self, field: Field, default: tuple[float, ...], name: str = "") -> None:
        super().__init__()
        self.value = default
        self.field = field
        self._idle = False
        self.linked = False
        """Whether a change of one number changes all in proportion."""
        row: QBoxLayout = QVBoxLayout(self) if field.letters else QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(1)
        self.parts = []
        letters = field.letters or "XYZ"[: len(default)]
        for i, letter in enumerate(letters):
            part = _Part(self._all_typed, field, default=default[i], name=f"{name or field.label}, {letter}", letter=letter)
            part.tells_unit = bool(field.letters)
            part.setMinimumWidth(30)
            part.edited.connect(lambda value, stroke, i=i: self._part_edited(i, value, stroke))
            part.finished.connect(self.finished)
            row.addWidget(part, 1)
            self.parts.append(part)
        self._unit = quiet(field.unit)
        self._unit.setVisible(bool(field.unit) and not field.letters)
        row.addWidget(self._unit)
        if field.letters:
            self.setFixedHeight(25 * len(letters) - 1)

    @property
    def idle(self) -> bool:
        """Whether it has no effect just now."""
        return self._idle

    @idle.setter
    def idle(self, idle: bool) -> None:
        if idle == self._idle:
            return
        self._idle = idle
        for part in self.parts:
            part.idle = idle
            part.update()
        theme.tone(self._unit, "dim" if idle else "ash")

    def show_value(self, value: tuple[float, ...]) -> None:
        """Shows a value; nobody is told of an edit."""
        self.value = value
        for part, span in zip(self.parts, value, strict=True):
            part.show_value(span)

    def _all_typed(self, text: str) -> bool:
        """Takes all numbers where a text tells them all, whichever part it was typed into."""
        try:
            numbers = [number_from(each, self.field.unit, now) for each, now in zip(_told(text), self.value, strict=True)]
        except ValueError:
            return False
        self.show_value(tuple(part.limited(number) for part, number in zip(self.parts, numbers, strict=True)))
        self.edited.emit(self.value, None)
        self.finished.emit()
        return True

    def _part_edited(self, index: int, value: float, stroke: object) -> None:
        before, after = self.value[index], float(value)
        if QApplication.keyboardModifiers() & Qt.KeyboardModifier.AltModifier:
            changed = [part + after - before for part in self.value]
        elif self.linked:
            changed = [part * after / before if before else after for part in self.value]
        else:
            changed = [*self.value]
        changed[index] = after
        self.show_value(tuple(round(self.parts[i].limited(part), 9) for i, part in enumerate(changed)))
        self.edited.emit(self.value, stroke)

    def link(self, on: bool) -> None:
        """Lets a change of one number change all in proportion, or no longer."""
        self.linked = on
        self._unit.setText(f"= {self.field.unit}" if on else self.field.unit)
        self._unit.setVisible(bool(self._unit.text()) and not self.field.letters)
