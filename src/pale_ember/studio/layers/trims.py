"""The row of trims over the selected layer or the whole effect: each word is dragged, wheeled or typed, and is neutral
again when it is let go."""

from __future__ import annotations

from typing import Literal

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from pale_ember.core.effect.fields import Field
from pale_ember.core.effect.model import Effect
from pale_ember.core.effect.trims import TRIMS, changed_fields, trimmed
from pale_ember.core.words.arithmetic import shown_number
from pale_ember.studio.controls.buttons import ChoiceEdit
from pale_ember.studio.controls.chips import HEIGHT, chip_width
from pale_ember.studio.controls.number import NumberEdit
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.kit import fitted_text
from pale_ember.studio.kit.tab_stops import ButtonRow


class _Word(NumberEdit):
    """One trim: its name while it is neutral, and how much while it is in the hand."""

    def __init__(self, name: str) -> None:
        trim = TRIMS[name]
        field = Field(name, trim.help, unit=trim.unit, soft=trim.soft, least=None if trim.unit == "°" else 0.01)
        super().__init__(field, default=trim.neutral, name=f"trim: {name}", bar=False)
        self.word = self.told = name
        self.setToolTip(trim.help)
        self.setFixedSize(max(chip_width(name), chip_width("×0.00")), HEIGHT)

    def _take(self, value: float) -> None:
        amount = shown_number(value, whole=self.unit == "°")
        sign = f"{amount}°" if self.unit == "°" else f"×{amount}"
        self.told = self.word if value == self.default else sign
        super()._take(value)

    def reset(self) -> None:
        """There is nothing to go back to: undo does."""


class TrimRow(QWidget):
    """All trims in a row."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._base: tuple[object, Effect] | None = None
        """The stroke that goes on, and the effect as it was before."""
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        self.setFixedHeight(24)
        over = Field("trims of", "Layers that the trims change.", options=("The layer that is selected.", "All layers."))
        self.over = ChoiceEdit(over, Literal["layer", "effect"], "layer")
        self.over.setFixedWidth(round(fitted_text.width_of("effect")) + 26)
        row.addWidget(self.over)
        row.addStretch(1)
        self.words = {name: _Word(name) for name in TRIMS}
        for name, word in self.words.items():
            row.addWidget(word, 0, Qt.AlignmentFlag.AlignVCenter)
            word.edited.connect(lambda value, stroke, name=name: self._edited(name, value, stroke))
            word.finished.connect(lambda word=word: self._finish(word))
        ButtonRow(self, self.over, *self.words.values())

    def _edited(self, name: str, amount: float, stroke: object) -> None:
        desk = self.desk
        if stroke is None or self._base is None or self._base[0] is not stroke:
            self._base = stroke, desk.effect
        base = self._base[1]
        chosen = [layer.id for layer in base.layers] if self.over.value == "effect" else list(desk.chosen)
        after = trimmed(base, name, amount, chosen)
        whose = "effect" if self.over.value == "effect" else desk.layer.name if desk.layer is not None else ""
        desk.document.change(f"{whose}: trim {name}", after, stroke)
        moved = changed_fields(base, after)
        desk.hinted.emit(f"{name}: {', '.join(moved)}" if moved else f"{name}: nothing to change here", None)

    def _finish(self, word: NumberEdit) -> None:
        self._base = None
        self.desk.document.end_stroke()
        word.show_value(word.default)
