"""A dialog that makes something away from the window: its fields, how far it is, and one button that begins and stops."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any, Literal

from PyQt6.QtGui import QCloseEvent
from PyQt6.QtWidgets import QDialog, QFormLayout, QLabel, QProgressBar, QPushButton, QWidget

from pale_ember.core.effect.fields import Field
from pale_ember.draw.context import NoOpenGL
from pale_ember.formats.disk import write_whole
from pale_ember.studio.controls.buttons import ChoiceEdit
from pale_ember.studio.controls.number import NumberEdit
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.tasks import Task


class WriteError(Exception):
    """A file that could not be written, in a sentence."""


def kept(files: Mapping[Path, bytes]) -> str:
    """Writes files, each whole; tells what was kept. Raises WriteError."""
    for path, data in files.items():
        try:
            write_whole(path, data)
        except OSError as error:
            raise WriteError(f"{path.name}: could not be written ({error.strerror}); choose another place.") from None
    size = sum(len(data) for data in files.values())
    return f"Exported {', '.join(path.name for path in files)}, {size / 2**20:.1f} MB."


class ExportDialog(QDialog):
    """What dialogs that make things have in common: a form, a task with its progress, and what is said of its end."""

    def __init__(self, desk: Desk, title: str, begins: str, parent: QWidget | None = None) -> None:
        """begins : the word on the button, Stop while something is made."""
        super().__init__(parent)
        self.setWindowTitle(f"{title} — Pale Ember")
        self.desk, self.effect, self._begins = desk, desk.effect, begins
        self.task: Task | None = None
        self.form = QFormLayout()
        self.form.setHorizontalSpacing(16)
        self.verdict = QLabel()
        self.verdict.setWordWrap(True)
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setFixedHeight(6)
        self.button = QPushButton(begins)
        self.button.setDefault(True)

    def number(self, field: Field, start: float, whole: bool, edited: Callable[[Any], None]) -> NumberEdit:
        """A number of the form."""
        editor = NumberEdit(field, whole=whole, default=start)
        editor.setMinimumWidth(110)
        editor.edited.connect(lambda value, _stroke: edited(value))
        self.form.addRow(field.label, editor)
        return editor

    def choice(
        self, label: str, words: tuple[str, ...], edited: Callable[[str], None], helps: tuple[str, ...] = (), *, form: bool = True
    ) -> ChoiceEdit:
        """A choice, the first word chosen. form : whether it stands in the form, under its label."""
        made = ChoiceEdit(Field(label, "", options=helps), Literal[words], words[0])
        made.edited.connect(lambda value, _stroke: edited(value))
        if form:
            self.form.addRow(label, made)
        return made

    def quiet(self, text: str = "") -> QLabel:
        """A line that explains."""
        label = QLabel(text)
        label.setWordWrap(True)
        theme.tone(label, "ash")
        return label

    def make(
        self,
        work: Callable[[Callable[[int], bool]], Any],
        count: int,
        done: Callable[[Any], None],
        expected: tuple[type[Exception], ...] = (),
    ) -> None:
        """Begins. work : gets a function that takes how much of `count` is done, 0 for what cannot be told. expected : errors
        whose words are for the artist."""
        self.progress.setRange(0, count)
        self.button.setText("Stop")
        self.verdict.setText("")
        self.task = Task(work, (NoOpenGL, MemoryError, WriteError, *expected), name="making")
        self.task.progressed.connect(self.progress.setValue)
        self.task.done.connect(lambda _: self.rest())
        self.task.done.connect(done)
        self.task.failed.connect(self.rest)
        self.task.start()

    def rest(self, said: str = "") -> None:
        """Nothing is made any more."""
        self.task = None
        self.button.setText(self._begins)
        self.progress.setRange(0, 1)
        self.progress.reset()
        self.verdict.setText(said)

    def closeEvent(self, event: QCloseEvent) -> None:
        if self.task is not None:
            task = self.task
            task.cancel()
            task.wait()
        super().closeEvent(event)
