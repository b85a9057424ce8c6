"""Numbers of a step that change over the frames of its sheet."""

from __future__ import annotations

from msgspec.structs import replace
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from pale_ember.core.effect.fields import Declared, fields_of
from pale_ember.core.effect.recipe.step import Step, StepLane
from pale_ember.core.effect.values import Curve, curve
from pale_ember.core.texture.recipes.paint import numbers_of
from pale_ember.studio.bench.bench_selection import BenchSelection, with_at
from pale_ember.studio.controls.buttons import IconButton, WordButton
from pale_ember.studio.controls.curve_row import CurveRow
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.popups import Menu


class LanesEdit(QWidget):
    """The lanes of the chosen step, and a way to add one."""

    def __init__(self, chosen: BenchSelection) -> None:
        super().__init__()
        self.chosen = chosen
        self.rows: list[_LaneRow] = []
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(13, 2, 4, 2)
        self._column.setSpacing(2)
        self.adder = WordButton("over frames", "A number that changes from the first frame to the last", icon="plus")
        self.adder.clicked.connect(self._open)
        self._column.addWidget(self.adder)

    def show_step(self, step: Step) -> None:
        kinds = [lane.drives for lane in step.lanes]
        if [row.drives for row in self.rows] != kinds or any(row.kind is not type(step) for row in self.rows):
            for row in self.rows:
                row.hide()
                row.deleteLater()
            self.rows = []
            for k, lane in enumerate(step.lanes):
                self.rows.append(_LaneRow(self.chosen, type(step), lane.drives, k))
                self._column.insertWidget(k, self.rows[-1])
        for row, lane in zip(self.rows, step.lanes, strict=True):
            row.edit.show_value(lane.curve)
        recipe = self.chosen.recipe
        one = recipe is not None and (recipe.frames < 2 or recipe.each == "its own")
        self.adder.setEnabled(bool(numbers_of(step)))
        self.adder.setToolTip(
            "A number that changes from the first frame to the last" + ("; give the picture frames to see it" if one else "")
        )

    def _open(self) -> None:
        step = self.chosen.step
        if step is None:
            return
        menu = Menu(self)
        taken = {lane.drives for lane in step.lanes}
        for name in numbers_of(step):
            if name not in taken:
                action = menu.addAction(fields_of(type(step))[name].field.label)
                action.triggered.connect(lambda _=False, name=name: self.add(name))
        menu.open_at(self.adder)

    def add(self, name: str) -> None:
        """Adds a lane that begins at what the number is."""
        step = self.chosen.step
        if step is not None:
            now = float(getattr(step, name))
            lane = StepLane(drives=name, curve=curve((0.0, now), (1.0, now), ease="straight"))
            self.chosen.change_step(f"{name} over frames", replace(step, lanes=(*step.lanes, lane)))


class _LaneRow(QWidget):
    def __init__(self, chosen: BenchSelection, kind: type[Step], drives: str, index: int) -> None:
        super().__init__()
        self.chosen, self.kind, self.drives, self.index = chosen, kind, drives, index
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        head = QHBoxLayout()
        known = fields_of(kind).get(drives)
        label = QLabel(known.field.label if known is not None else drives)
        theme.tone(label, "bone")
        remove = IconButton("cross", "Remove: the number is one for all frames", size=18)
        remove.clicked.connect(self._remove)
        head.addWidget(label)
        head.addStretch(1)
        head.addWidget(remove)
        column.addLayout(head)
        field = known.field if known is not None else fields_of(StepLane)["curve"].field
        declared = Declared("curve", Curve, field, StepLane().curve)
        self.edit = CurveRow(declared, Curve)
        self.edit.edited.connect(self._edited)
        self.edit.finished.connect(chosen.desk.document.end_stroke)
        holder = QWidget()
        inner = QVBoxLayout(holder)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.addWidget(self.edit)
        column.addWidget(holder)

    def _edited(self, value: object, stroke: object) -> None:
        step = self.chosen.step
        if isinstance(value, Curve) and step is not None and self.index < len(step.lanes):
            lanes = with_at(step.lanes, self.index, replace(step.lanes[self.index], curve=value))
            self.chosen.change_step(f"{self.drives} over frames", replace(step, lanes=lanes), stroke)

    def _remove(self) -> None:
        step = self.chosen.step
        if step is not None:
            lanes = tuple(lane for k, lane in enumerate(step.lanes) if k != self.index)
            self.chosen.change_step(f"{self.drives} the same for all frames", replace(step, lanes=lanes))
