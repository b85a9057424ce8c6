"""Painting by hand: strokes of a brush become part of the recipe."""

from __future__ import annotations

from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QLabel, QWidget

from pale_ember.core.effect.fields import fields_of
from pale_ember.core.effect.recipe.sources import Paint, Stroke
from pale_ember.studio.bench.bench_selection import BenchSelection
from pale_ember.studio.bench.picture_view import PictureView
from pale_ember.studio.controls.buttons import WordButton
from pale_ember.studio.fields.row import editor_for
from pale_ember.studio.kit import theme

_TOOLS = fields_of(Stroke)


class BrushPanel(QWidget):
    """The brush, and what strokes on the picture do while a paint step is chosen."""

    def __init__(self, chosen: BenchSelection, view: PictureView) -> None:
        super().__init__()
        self.chosen, self.view = chosen, view
        self.stroke = Stroke()
        self._growing: list[float] | None = None
        self._token: object = None
        grid = QGridLayout(self)
        grid.setContentsMargins(13, 4, 8, 4)
        grid.setVerticalSpacing(2)
        self.edits: dict[str, QWidget] = {}
        for row, name in enumerate(("tool", "tip", "size", "flow", "colour", "mirror", "around", "tiles")):
            declared = _TOOLS[name]
            edit = editor_for(declared, chosen.desk)
            edit.edited.connect(lambda value, stroke, name=name: self._set(name, value))
            self.edits[name] = edit
            label = QLabel(declared.field.label)
            theme.tone(label, "ash")
            label.setToolTip(declared.field.help)
            grid.addWidget(label, row, 0)
            grid.addWidget(edit, row, 1)
        self.back = WordButton("take back the last stroke", "Ctrl+Z does so too")
        self.back.clicked.connect(self._back)
        grid.addWidget(self.back, 8, 0, 1, 2, Qt.AlignmentFlag.AlignLeft)
        grid.setColumnStretch(1, 1)
        view.pressed.connect(self._begin)
        view.dragged.connect(self._go)
        view.let_go.connect(self._end)
        chosen.turned.connect(self.refresh)

    @property
    def step(self) -> Paint | None:
        step = self.chosen.step
        return step if isinstance(step, Paint) and step.on else None

    def refresh(self) -> None:
        painting = self.step is not None
        self.view.brush = self.stroke.size if painting else 0.0
        self.view.setCursor(Qt.CursorShape.CrossCursor if painting else Qt.CursorShape.ArrowCursor)
        self.back.setEnabled(painting and bool(self.step.strokes))
        self.view.update()

    def _set(self, name: str, value: object) -> None:
        self.stroke = replace(self.stroke, **{name: value})
        self.refresh()

    def _begin(self, x: float, y: float, pressure: float) -> None:
        if self.step is not None:
            self._growing, self._token = [x, y, pressure], object()
            self._lay(first=True)

    def _go(self, x: float, y: float, pressure: float) -> None:
        if self._growing is not None:
            self._growing += [round(x, 4), round(y, 4), round(pressure, 3)]
            self._lay(first=False)

    def _lay(self, *, first: bool) -> None:
        step = self.step
        if step is None or self._growing is None:
            return
        stroke = replace(self.stroke, path=tuple(self._growing))
        before = step.strokes if first else step.strokes[:-1]
        self.chosen.change_step(self.stroke.tool, replace(step, strokes=(*before, stroke)), self._token)

    def _end(self) -> None:
        self._growing = None
        self.chosen.desk.document.end_stroke()

    def _back(self) -> None:
        step = self.step
        if step is not None and step.strokes:
            self.chosen.change_step("take back a stroke", replace(step, strokes=step.strokes[:-1]))
