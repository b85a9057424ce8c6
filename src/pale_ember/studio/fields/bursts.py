"""The bursts of an outlet: one line each, and a way to add one."""

from __future__ import annotations

from msgspec.structs import replace
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from pale_ember.core.effect.chapters import Burst, Outlet
from pale_ember.core.effect.edit import with_burst
from pale_ember.core.effect.fields import fields_of
from pale_ember.studio import theme
from pale_ember.studio.fields.buttons import IconButton, WordButton
from pale_ember.studio.fields.number import NumberEdit


class BurstsEdit(QWidget):
    """Edits a tuple of bursts."""

    edited = pyqtSignal(object, object)
    finished = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.value: tuple[Burst, ...] = ()
        self.idle = False
        self._lines: list[tuple[QWidget, NumberEdit, NumberEdit]] = []
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(1)
        self.add = WordButton("burst", "Bear some particles all at once", icon="plus")
        self.add.clicked.connect(self.add_burst)
        self._column.addWidget(self.add, 0, Qt.AlignmentFlag.AlignRight)
        self._fit()

    def add_burst(self) -> None:
        time = self.value[-1].time + 0.5 if self.value else 0.0
        self._tell(with_burst(Outlet(bursts=self.value), time).bursts, None)

    def show_value(self, value: tuple[Burst, ...]) -> None:
        self.value = value
        while len(self._lines) > len(value):
            self._lines.pop()[0].deleteLater()
        while len(self._lines) < len(value):
            self._lines.append(self._line(len(self._lines)))
        for (_, time, count), burst in zip(self._lines, value, strict=True):
            time.show_value(burst.time)
            count.show_value(burst.count)
        self._fit()

    def _line(self, index: int) -> tuple[QWidget, NumberEdit, NumberEdit]:
        declared = fields_of(Burst)
        line = QWidget()
        row = QHBoxLayout(line)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        time = NumberEdit(declared["time"].field, default=0.0, name=f"burst {index + 1}, at")
        count = NumberEdit(declared["count"].field, whole=True, default=20, name=f"burst {index + 1}, count")
        times = QLabel("at")
        times.setStyleSheet(f"color: {theme.ASH.name()}")
        for edit in (time, count):
            edit.setMinimumWidth(32)
        remove = IconButton("cross", "Remove this burst", size=18)
        for widget, stretch in ((count, 2), (times, 0), (time, 3), (remove, 0)):
            row.addWidget(widget, stretch)
        time.edited.connect(lambda value, stroke: self._set(index, "time", value, stroke))
        count.edited.connect(lambda value, stroke: self._set(index, "count", int(value), stroke))
        time.finished.connect(self.finished)
        count.finished.connect(self.finished)
        remove.clicked.connect(lambda: self._tell((*self.value[:index], *self.value[index + 1 :]), None))
        self._column.insertWidget(index, line)
        return line, time, count

    def _set(self, index: int, name: str, value: float, stroke: object) -> None:
        burst = replace(self.value[index], **{name: value})
        self._tell((*self.value[:index], burst, *self.value[index + 1 :]), stroke)

    def _tell(self, value: tuple[Burst, ...], stroke: object) -> None:
        self.show_value(value)
        self.edited.emit(value, stroke)

    def _fit(self) -> None:
        self.setFixedHeight(26 + 26 * len(self._lines))
        parent = self.parentWidget()
        if parent is not None:
            parent.setFixedHeight(self.height() + 2)
