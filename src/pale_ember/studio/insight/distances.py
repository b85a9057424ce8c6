"""The distance steps of an effect: from how far on, how much is left."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from pale_ember.core.effect.edit import with_value
from pale_ember.core.effect.fields import Field, fields_of
from pale_ember.core.effect.model import DistanceStep
from pale_ember.studio.controls.buttons import IconButton, SwitchEdit, WordButton
from pale_ember.studio.controls.number import NumberEdit
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.kit import theme


class DistanceSteps(QWidget):
    """The distance steps: from how far on, how much is left; and a switch by which the camera's distance is heeded."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.rows: list[tuple[NumberEdit, NumberEdit]] = []
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 8, 0, 0)
        self._column.setSpacing(2)
        head = QHBoxLayout()
        title = QLabel("Distance steps")
        title.setFont(theme.font(theme.BODY, theme.font().Weight.DemiBold))
        self.add_button = WordButton("step", "Add a step: fewer particles from the camera's distance on", icon="plus")
        self.add_button.clicked.connect(self._add)
        self.seen = SwitchEdit(Field("preview distance steps", "Whether the stage shows the step for its camera's distance."), False)
        self.seen.edited.connect(lambda on, _stroke: desk.looking.show_by_distance(on))
        heeded = QLabel("preview")
        theme.tone(heeded, "ash")
        head.addWidget(title)
        head.addWidget(self.add_button)
        head.addStretch(1)
        head.addWidget(heeded)
        head.addWidget(self.seen)
        self._column.addLayout(head)
        self._lines: list[QWidget] = []
        desk.document.changed.connect(lambda old, new: self.refresh() if old.distances != new.distances else None)
        desk.document.opened.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        steps = self.desk.effect.distances
        if len(steps) != len(self.rows):
            for line in self._lines:
                line.hide()
                line.deleteLater()
            self._lines, self.rows = [], []
            for i in range(len(steps)):
                self._add_line(i)
        for (beyond, share), step in zip(self.rows, steps, strict=True):
            beyond.show_value(step.beyond)
            share.show_value(step.share)

    def _add_line(self, i: int) -> None:
        line = QWidget()
        row = QHBoxLayout(line)
        row.setContentsMargins(0, 0, 0, 0)
        editors = []
        for name, word in (("beyond", "beyond"), ("share", "share")):
            declared = fields_of(DistanceStep)[name]
            editor = NumberEdit(declared.field, default=declared.default, name=f"{declared.field.label} {i + 1}")
            editor.edited.connect(lambda value, stroke, name=name: self._set(i, name, value, stroke))
            editor.finished.connect(self.desk.document.end_stroke)
            row.addWidget(QLabel(word))
            row.addWidget(editor, 1)
            editors.append(editor)
        gone = IconButton("cross", f"Remove distance step {i + 1}", size=20)
        gone.clicked.connect(lambda: self._drop(i))
        row.addWidget(gone)
        self._column.addWidget(line)
        self._lines.append(line)
        self.rows.append((editors[0], editors[1]))

    def _set(self, i: int, name: str, value: object, stroke: object) -> None:
        self.desk.document.change(f"distance step: {name}", with_value(self.desk.effect, ("distances", i, name), value), stroke)

    def _add(self) -> None:
        steps, here = self.desk.effect.distances, round(self.desk.looking.camera.distance, 1)
        share = steps[-1].share / 2 if steps else 0.5
        step = DistanceStep(beyond=max([here, *(each.beyond + 5 for each in steps)]), share=max(round(share, 3), 0.01))
        self.desk.document.change("a distance step", with_value(self.desk.effect, ("distances",), (*steps, step)))

    def _drop(self, i: int) -> None:
        steps = self.desk.effect.distances
        left = (*steps[:i], *steps[i + 1 :])
        self.desk.document.change("no such distance step", with_value(self.desk.effect, ("distances",), left))
