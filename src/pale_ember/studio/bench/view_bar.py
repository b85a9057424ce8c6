"""How the picture on the bench is looked at: one line over it."""

from __future__ import annotations

from typing import Literal

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QSlider, QWidget

from pale_ember.core.effect.fields import Field
from pale_ember.core.effect.recipe.recipe import ANY, Recipe
from pale_ember.core.effect.recipe.sources import Gas
from pale_ember.core.effect.recipe.step import Step
from pale_ember.studio.bench.picture_view import CHANNELS, GROUNDS, PictureView
from pale_ember.studio.controls.buttons import ChoiceEdit, IconButton, WordButton
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.kit.two_sided_bar import TwoSidedBar

_PART_WORDS = {"": "its picture", "light": "lit from six sides", "motion": "motion", "normals": "normals", "depth": "depth"}


class ViewBar(TwoSidedBar):
    """Channel, ground, tiling, smaller sizes, frames, and what else a gas tells."""

    frame_asked = pyqtSignal(int)
    part_asked = pyqtSignal(str)
    seen_asked = pyqtSignal(bool)

    def __init__(self, view: PictureView) -> None:
        super().__init__(36, (8, 8), 4)
        self.view = view
        self.part = ""
        self.channel = _choice("seen as", CHANNELS, lambda value: view.look(channel=value), "Channels to show")
        self.ground = _choice("over", tuple(GROUNDS), lambda value: view.look(ground=value), "Background to show it over")
        self.parts = _choice("part", tuple(_PART_WORDS.values()), self._take_part, "Other pictures of the gas")
        self.found = _choice("part", tuple(_PART_WORDS[part] for part in ANY), self._take_part, "Motion found between its frames")
        self.tiled = WordButton("3 × 3", "Repeats it side by side, to show seams", checkable=True)
        self.tiled.toggled.connect(lambda on: view.look(tiled=on))
        self.small = WordButton("mip levels", "Steps through the smaller sizes that a graphics card uses far away", menu=False)
        self.small.clicked.connect(self._next_mip)
        self.seen = WordButton(
            "as seen", "Shows it as large as on a particle, on a screen 1080 pixels high, from the first view", checkable=True
        )
        self.seen.toggled.connect(self.seen_asked)
        self.steer = WordButton(
            "steer", "Runs the gas live while you change its numbers and drag its source", icon="play", checkable=True
        )
        self.play = IconButton("play", "Plays the frames", size=22, checkable=True)
        self.onion = WordButton("onion skin", "Shows the frame before through this one", checkable=True)
        self.onion.toggled.connect(self._take_onion)
        self.between = _choice(
            "between frames",
            ("cut", "mixed", "moved"),
            lambda value: None,
            "How frames are played: cut, mixed, or each carried along the motion that is found",
        )
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setMinimumWidth(90)
        self.slider.setAccessibleName("frame")
        self.slider.valueChanged.connect(self.frame_asked)
        self.number = QLabel()
        self.number.setFixedWidth(44)
        theme.tone(self.number, "ash")
        self.fill((self.channel, self.ground, self.parts, self.found), (self.tiled, self.small, self.seen))
        self.time = _Line()
        """The line of what has frames; it stands below the picture."""
        for control in (self.steer, self.play, self.slider, self.number, self.between, self.onion):
            self.time.row.addWidget(control)
        self.time.row.addStretch(1)
        self._of = 1

    def show_recipe(self, recipe: Recipe | None, step: Step | None) -> None:
        """Shows what can be looked at of a recipe."""
        frames = recipe.frames if recipe is not None else 1
        gas = recipe is not None and recipe.gas is not None
        self._of = frames
        self.slider.blockSignals(True)
        self.slider.setRange(0, max(frames - 1, 0))
        self.slider.blockSignals(False)
        for widget in (self.play, self.between, self.slider, self.number, self.onion):
            widget.setVisible(frames > 1)
        self.parts.setVisible(gas)
        self.found.setVisible(not gas and frames > 1)
        self.steer.setVisible(isinstance(step, Gas))
        self.time.setVisible(frames > 1 or isinstance(step, Gas))
        if not isinstance(step, Gas) and self.steer.isChecked():
            self.steer.setChecked(False)
        if not gas and (self.part not in ANY or frames < 2):
            self.part = ""
        for choice in (self.parts, self.found):
            if _PART_WORDS[self.part] in choice.options:
                choice.show_value(_PART_WORDS[self.part])
        self.show_frame(self.slider.value())

    def show_frame(self, index: int) -> None:
        """Shows which frame is seen."""
        self.slider.blockSignals(True)
        self.slider.setValue(index)
        self.slider.blockSignals(False)
        self.number.setText(f"{index + 1} / {self._of}")

    def _take_onion(self, on: bool) -> None:
        self.view.look(onion=on)
        self.frame_asked.emit(self.slider.value())

    def _take_part(self, value: str) -> None:
        self.part = next(part for part, word in _PART_WORDS.items() if word == value)
        self.part_asked.emit(self.part)

    def _next_mip(self) -> None:
        most = max(self.view.pixels.shape[0].bit_length() - 1, 0)
        mip = (self.view.mip + 1) % (most + 1)
        self.view.look(mip=mip)
        self.small.show_text(f"1 / {2**mip}" if mip else "mip levels")

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.fillRect(self.rect(), theme.SURFACE)


class _Line(QWidget):
    """A line on the ground of all panels."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(32)
        self.row = QHBoxLayout(self)
        self.row.setContentsMargins(8, 2, 8, 0)
        self.row.setSpacing(6)

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.fillRect(self.rect(), theme.SURFACE)


def _choice(label: str, words: tuple[str, ...], take, tip: str) -> ChoiceEdit:
    edit = ChoiceEdit(Field(label, tip), Literal[words], words[0])
    edit.edited.connect(lambda value, _: take(value))
    edit.setToolTip(tip)
    return edit
