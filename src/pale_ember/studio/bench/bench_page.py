"""The texture bench: pictures of the effect made step by step, looked through, and worn by the effect that plays on."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QHideEvent, QPainter, QPaintEvent, QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QProgressBar, QVBoxLayout, QWidget

from pale_ember.core.effect.recipe.recipe import Recipe
from pale_ember.core.effect.recipe.sources import Gas, Paint, Picture
from pale_ember.core.effect.recipe.step import Step
from pale_ember.core.texture.advice import advised_size
from pale_ember.core.texture.recipes.cut import between_frames, frame_in
from pale_ember.formats.files import room_told
from pale_ember.formats.recipe_pictures import forecast
from pale_ember.studio.bench.beginnings import Beginnings
from pale_ember.studio.bench.bench_selection import BenchSelection, OfRecipe
from pale_ember.studio.bench.brush import BrushPanel
from pale_ember.studio.bench.cut_panel import CutPanel
from pale_ember.studio.bench.gas_steering import GasSteering
from pale_ember.studio.bench.lanes import LanesEdit
from pale_ember.studio.bench.picture_actions import PictureActions
from pale_ember.studio.bench.picture_view import Histogram, PictureView
from pale_ember.studio.bench.pictures import RecipeList
from pale_ember.studio.bench.recipe_painter import PaintRequest, RecipePainter
from pale_ember.studio.bench.steps import StepFinder, StepsList
from pale_ember.studio.bench.view_bar import ViewBar
from pale_ember.studio.controls.buttons import IconButton, WordButton
from pale_ember.studio.controls.colour import standing_frame
from pale_ember.studio.controls.text_entry import OpenLine
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.fields.part_fields import FieldsColumn
from pale_ember.studio.kit import fitted_text, theme
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.kit.popups import Menu
from pale_ember.studio.kit.scrolling import Scrolling
from pale_ember.studio.kit.tasks import while_wanted

_LEFT, _RIGHT = 248, 312
_CORNER = 196
"""Pixels of the live effect's height."""
_SCREEN = 1080
"""Pixels of the height of the screen that a picture is judged for."""
_LONGEST = 14
"""Letters of a layer's name that have room beside *wear it*."""
_POLL = 120
"""Milliseconds between two looks at how far a gas is."""


class BenchPage(QWidget):
    """Pictures and steps at the left, the picture in the middle, the effect and the step's numbers at the right."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.chosen = BenchSelection(desk)
        self.maker, self.steered = RecipePainter(), GasSteering()
        self.view, self.histogram = PictureView(), Histogram()
        self.bar = ViewBar(self.view)
        self.frame, self._looked_at = 0, -1
        """The frame that is looked at, and of which picture."""
        self.sheet: np.ndarray | None = None
        self._wished: PaintRequest | None = None
        self._columns: dict[type[Step], FieldsColumn] = {}
        self._poll = QTimer(self, interval=_POLL)
        self._poll.timeout.connect(self._tell_progress)
        self._play = QTimer(self, interval=50)
        self._play.timeout.connect(self._next_frame)
        self._between: tuple[int, str, list[np.ndarray]] | None = None
        """The frames half way between those of a sheet: of which, how they were made, and they."""
        self._half = False
        self.deeds = PictureActions(desk, self.chosen, self)
        self._token: object = None
        self._build()
        self.maker.painted.connect(self._painted)
        self.maker.laid.connect(self._laid)
        self.maker.failed.connect(self._failed)
        self.deeds.said.connect(self.said.setText)
        self.deeds.failed.connect(self._failed)
        self.deeds.rename_asked.connect(self.rename)
        self.steered.seen.connect(self._steered_seen)
        self.steered.failed.connect(self._failed)
        self.chosen.turned.connect(self.refresh)
        desk.gas_made.connect(self._gas_made)
        desk.selected.connect(self._show_layer)
        self.view.pressed.connect(self._grip_source)
        self.view.dragged.connect(self._drag_source)
        self.view.let_go.connect(desk.document.end_stroke)

    # Building ------------------------------------------------------------------------------------------------------

    def _build(self) -> None:
        self.beginnings = Beginnings(self.desk, self.deeds)
        self.pictures = RecipeList(self.chosen)
        self.pictures.renamed.connect(self.rename)
        self.steps = StepsList(self.chosen)
        self.new_button = WordButton("picture", "Add a picture: a shape, a gas, painted by hand, from the library", icon="plus")
        self.new_button.clicked.connect(lambda: self.deeds.open_new(self.new_button))
        self.wear_button = WordButton("use on layer", "Puts this picture, with its grid, on the layer named beside")
        self.wear_button.colour = theme.EMBER
        self.wear_button.clicked.connect(self.deeds.wear)
        self.on_button = WordButton("on", "The layer that gets the picture", menu=True)
        self.on_button.setAccessibleName("the layer that gets the picture")
        self.on_button.clicked.connect(self._open_layers)
        self.more_button = WordButton("more", "Duplicate, remove, save as a file", menu=True)
        self.more_button.clicked.connect(lambda: self.deeds.open_more(self.more_button))
        self.add_button = WordButton("step (/)", "Add a shape, a noise, a picture or a change", icon="plus")
        self.add_button.clicked.connect(self.open_adding)
        left = _Panel(_LEFT)
        column = QVBoxLayout(left)
        column.setContentsMargins(8, 8, 6, 8)
        column.setSpacing(3)
        column.addLayout(_head("Pictures of this effect", self.new_button))
        column.addWidget(Scrolling(self.pictures), 2)
        row = QHBoxLayout()
        row.addWidget(self.wear_button)
        row.addWidget(self.on_button)
        row.addStretch(1)
        row.addWidget(self.more_button)
        column.addLayout(row)
        column.addSpacing(4)
        column.addLayout(_head("Steps, first to last", self.add_button))
        column.addWidget(Scrolling(self.steps), 3)
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(1)
        column.addWidget(self.bar)
        column.addWidget(self.view, 1)
        self.empty = Scrolling(self.beginnings)
        column.addWidget(self.empty, 1)
        column.addWidget(self.bar.time)
        column.addWidget(self._foot())
        right = _Panel(_RIGHT)
        column = QVBoxLayout(right)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        self.corner = QVBoxLayout()
        holder = QWidget()
        holder.setFixedHeight(_CORNER)
        holder.setLayout(self.corner)
        self.corner.setContentsMargins(0, 0, 0, 0)
        column.addWidget(holder)
        self._fields = QVBoxLayout()
        self._fields.setContentsMargins(4, 2, 6, 6)
        self._fields.setSpacing(2)
        inner = QWidget()
        inner.setLayout(self._fields)
        self.whole = FieldsColumn(
            self.desk,
            OfRecipe(self.desk, self.chosen),
            (),
            Recipe,
            only=("size", "frames", "columns", "loop", "each", "holds", "author", "licence"),
        )
        self.title = QLabel()
        self.title.setFont(theme.font(theme.STRONG, theme.font().Weight.DemiBold))
        self.title.setContentsMargins(9, 4, 0, 2)
        self.brush = BrushPanel(self.chosen, self.view)
        self.lanes = LanesEdit(self.chosen)
        self.cut = CutPanel(self.chosen)
        self.heading = heading = QLabel("The picture")
        heading.setFont(theme.font(theme.STRONG, theme.font().Weight.DemiBold))
        heading.setContentsMargins(9, 8, 0, 2)
        self.advice = QLabel()
        self.advice.setWordWrap(True)
        self.advice.setContentsMargins(9, 0, 6, 4)
        theme.tone(self.advice, "ash")
        for widget in (self.title, self.cut, self.brush, self.lanes, heading, self.whole, self.advice):
            self._fields.addWidget(widget)
        self._fields.addStretch(1)
        column.addWidget(Scrolling(inner), 1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(1)
        whole.addWidget(left)
        whole.addWidget(middle, 1)
        whole.addWidget(right)
        self.bar.frame_asked.connect(self.show_frame)
        self.bar.play.toggled.connect(lambda on: self._play.start() if on else self._play.stop())
        self.bar.part_asked.connect(lambda part: self._want())
        self.bar.steer.toggled.connect(self._steer)
        self.bar.seen_asked.connect(self._show_as_seen)

    def _foot(self) -> QWidget:
        foot = _Panel(0)
        column = QVBoxLayout(foot)
        column.setContentsMargins(8, 4, 8, 4)
        column.setSpacing(2)
        line = QHBoxLayout()
        self.values = QLabel()
        theme.tone(self.values, "ash")
        self.view.pointed.connect(self.values.setText)
        self.said = QLabel()
        theme.tone(self.said, "warning")
        self.stop_button = WordButton("stop", "Stop simulating")
        self.stop_button.clicked.connect(self._stop_gas)
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setFixedSize(150, 5)
        self.left = QLabel()
        theme.tone(self.left, "ash")
        self.left.setContentsMargins(6, 0, 0, 0)
        self.left.setFixedWidth(round(fitted_text.width_of("about 000 s more")) + 14)
        line.addWidget(self.values, 1)
        line.addWidget(self.said)
        line.addWidget(self.progress)
        line.addWidget(self.left)
        line.addWidget(self.stop_button)
        # What comes while a gas is made has its room before: nothing above it moves.
        line.addStrut(self.stop_button.sizeHint().height())
        column.addWidget(self.histogram)
        column.addLayout(line)
        return foot

    # Showing -------------------------------------------------------------------------------------------------------

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.refresh()
        self._poll.start()

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        self._poll.stop()
        self._play.stop()
        self.bar.play.setChecked(False)
        self.bar.steer.setChecked(False)

    def end(self) -> None:
        """Ends what works in the background."""
        self.deeds.end()
        self.steered.stop()
        self.maker.end()

    def refresh(self) -> None:
        """Shows the recipe and its step as they are."""
        if not self.isVisible():
            return
        recipe, step = self.chosen.recipe, self.chosen.step
        self._show_layer()
        for button in (self.wear_button, self.more_button):
            button.setEnabled(recipe is not None)
        self.whole.setVisible(recipe is not None)
        self.heading.setVisible(recipe is not None)
        self.advice.setVisible(recipe is not None)
        if recipe is not None:
            self.whole.show_root(recipe)
            self.advice.setText(self._advised(recipe))
        self._show_step(step)
        self.bar.show_recipe(recipe, step)
        self._show_standing_frame(recipe)
        if isinstance(step, Gas) and self.steered.on:
            self.steered.tell(step)
        self.view.takes_strokes = (isinstance(step, Paint) and step.on) or (isinstance(step, Gas) and self.steered.on)
        self._want()

    def _show_standing_frame(self, recipe: Recipe | None) -> None:
        """Looks at the frame that stands for a picture, where it is another than before."""
        frames = recipe.frames if recipe is not None else 1
        index = self.chosen.index if recipe is not None else -1
        self.frame = standing_frame(frames) if self._looked_at != index else min(self.frame, frames - 1)
        self._looked_at = index
        self.bar.show_frame(self.frame)

    def _show_as_seen(self, on: bool) -> None:
        """Shows the picture as large as it is on a screen, on whoever wears it or is selected."""
        layer = next((each for each in self.desk.effect.layers if each.name in self.chosen.wearers()), self.desk.layer)
        camera = self.desk.looking.first_camera()
        wide = layer.birth.size.most * layer.scale if layer is not None else 1.0
        pixels = wide * _SCREEN / (2 * np.tan(np.radians(camera.fov) / 2) * camera.distance)
        self.view.look(on_screen=float(np.clip(pixels, 2, 4000)) if on else 0.0)

    def _advised(self, recipe: Recipe) -> str:
        """What it takes up, and whether that is too much for what it is worn by."""
        bytes_ = recipe.size**2 * recipe.columns * recipe.rows * 4 * 4 // 3
        told = f"{recipe.size * recipe.columns} × {recipe.size * recipe.rows} pixels, {room_told(bytes_)} in memory."
        widest = max((layer.birth.size.most for layer in self.desk.effect.layers if layer.name in self.chosen.wearers()), default=0.0)
        more = advised_size(widest, recipe.size) if widest > 0 else ""
        advised = f"{more[:1].upper()}{more[1:]}." if more else ""
        return " ".join(filter(None, (told, forecast(recipe, self.maker.a_pixel, self.desk.gases.pace), advised)))

    def _show_layer(self) -> None:
        layer = self.desk.layer
        name = layer.name if layer is not None else ""
        self.on_button.show_text(f"on {name if len(name) <= _LONGEST else name[: _LONGEST - 1] + '…'}")
        self.on_button.setToolTip(f"The layer that gets the picture: {name}")

    def _open_layers(self) -> None:
        menu = Menu(self)
        for layer in self.desk.effect.layers:
            action = menu.addAction(layer.name)
            action.setCheckable(True)
            action.setChecked(layer.id == self.desk.selection)
            action.triggered.connect(lambda _=False, key=layer.id: self.desk.select(key))
        menu.open_at(self.on_button)

    def _show_step(self, step: Step | None) -> None:
        for column in self._columns.values():
            column.hide()
        self.title.setText(step.kind.capitalize() if step is not None else "")
        self.title.setToolTip((type(step).__doc__ or "").strip() if step is not None else "")
        self.brush.setVisible(isinstance(step, Paint))
        self.cut.setVisible(isinstance(step, Picture))
        self.lanes.setVisible(step is not None and not isinstance(step, (Paint, Gas)))
        if step is None or self.chosen.recipe is None:
            return
        if self.lanes.isVisibleTo(self):
            self.lanes.show_step(step)
        kind = type(step)
        if kind not in self._columns:
            subject = OfRecipe(self.desk, self.chosen)
            column = FieldsColumn(self.desk, subject, ("steps", 0), kind, skip=("on", "lanes"))
            column.open_parts()
            self._columns[kind] = column
            self._fields.insertWidget(1, column)
        column = self._columns[kind]
        column.aim(("steps", self.chosen.place))
        column.show_root(self.chosen.recipe)
        column.show()

    def _want(self) -> None:
        recipe = self.chosen.recipe
        self.view.setVisible(recipe is not None)
        self.empty.setVisible(recipe is None)
        self.beginnings.refresh()
        if recipe is None or not self.isVisible():
            self.view.show_pixels(np.zeros((4, 4, 4), np.float32))
            self.histogram.clear()
            self.maker.want(None, self.desk.shelf)
            return
        if self._wished is None or self._wished.recipe.name != recipe.name:
            self.sheet = None
        self.said.setText("")
        self._wished = PaintRequest(recipe, self.desk.effect.recipes, self.frame, self.bar.part)
        self.maker.want(self._wished, self.desk.shelf)

    def _current(self, wish: PaintRequest) -> bool:
        recipe = self.chosen.recipe
        return recipe is not None and wish.recipe.name == recipe.name and wish.part == self.bar.part

    def _painted(self, wish: PaintRequest, frame: np.ndarray) -> None:
        if self._current(wish):
            self.advice.setText(self._advised(wish.recipe))
        if self._current(wish) and not self.steered.on:
            self.view.show_pixels(frame)
            self.histogram.show_pixels(frame)

    def _laid(self, wish: PaintRequest, sheet: np.ndarray) -> None:
        if not self._current(wish):
            return
        self.sheet = sheet
        self._sheet_of = wish.recipe
        if not self.steered.on:
            self.show_frame(self.frame)
        self.pictures.update()

    def _failed(self, text: str) -> None:
        self.said.setText(text)
        self.said.setToolTip(text)

    def show_frame(self, index: int) -> None:
        """Looks at a frame of the sheet."""
        recipe = self.chosen.recipe
        self.frame = index
        self.bar.show_frame(index)
        if self.sheet is None or recipe is None or self._sheet_of.name != recipe.name:
            self._want()
            return
        of = self._sheet_of
        pixels = frame_in(self.sheet, of, index)
        before = frame_in(self.sheet, of, index - 1) if self.bar.onion.isChecked() and index > 0 else None
        self.view.show_pixels(pixels, before)
        if not self._play.isActive():
            self.histogram.show_pixels(pixels)

    def _next_frame(self) -> None:
        recipe = self.chosen.recipe
        if recipe is None or recipe.frames < 2 or self.sheet is None:
            return
        halves = self._halves()
        self._half = halves is not None and not self._half
        if self._half and halves is not None and self.frame < len(halves):
            self.view.show_pixels(halves[self.frame])
        else:
            self.show_frame((self.frame + 1) % recipe.frames)

    def _halves(self) -> list[np.ndarray] | None:
        """The frames half way, as they are to be looked at; None where frames are cut, or they are still being made."""
        how = self.bar.between.value
        if how == "cut" or self.sheet is None:
            return None
        if self._between is not None and self._between[:2] == (id(self.sheet), how):
            return self._between[2]
        if self.deeds.task is None:
            sheet, recipe = self.sheet, self._sheet_of

            def work(progress: Callable[[int], bool]) -> list[np.ndarray]:
                cells = [frame_in(sheet, recipe, k) for k in range(recipe.frames)]
                after = [*cells[1:], cells[0]] if recipe.loop else cells[1:]
                pairs = while_wanted(zip(cells, after, strict=False), progress)
                return [between_frames(one, two, 0.5, moved=how == "moved") for one, two in pairs]

            self.deeds.begin(work, lambda halves: setattr(self, "_between", (id(sheet), how, halves)))
        return None

    # Gases ---------------------------------------------------------------------------------------------------------

    def _gas_made(self) -> None:
        if self.isVisible():
            self._want()

    def _tell_progress(self) -> None:
        progress = self.desk.gases.progress
        for widget in (self.progress, self.left, self.stop_button):
            widget.setVisible(progress is not None or (widget is self.stop_button and self.deeds.task is not None))
        if progress is not None:
            self.progress.setRange(0, progress[1])
            self.progress.setValue(progress[0])
            left = self.desk.gases.left
            self.left.setText("being simulated" if left is None else f"about {max(round(left), 1)} s more")

    def _stop_gas(self) -> None:
        if self.deeds.task is not None:
            self.deeds.task.cancel()
            return
        self.desk.gases.stop()
        self.said.setText("stopped: what is shown is coarse")

    def _steer(self, on: bool) -> None:
        step = self.chosen.step
        if on and isinstance(step, Gas):
            self.desk.gases.stop()
            self.steered.start(step)
        else:
            self.steered.stop()
        self.refresh()

    def _steered_seen(self, pixels: np.ndarray) -> None:
        if self.steered.on:
            self.view.show_pixels(pixels)

    def _grip_source(self, x: float, y: float, pressure: float) -> None:
        if isinstance(self.chosen.step, Gas) and self.steered.on:
            self._token = object()
            self._drag_source(x, y, pressure)

    def _drag_source(self, x: float, y: float, pressure: float) -> None:
        step = self.chosen.step
        if isinstance(step, Gas) and self.steered.on:
            self.chosen.change_step("source", replace(step, source_at=(round(x, 3), round(y, 3))), self._token)

    # Actions ---------------------------------------------------------------------------------------------------------

    def open_adding(self) -> StepFinder:
        """Opens the list of steps to add."""
        finder = StepFinder(self, self.chosen)
        finder.open_at(self.add_button)
        return finder

    def rename(self) -> None:
        """Opens the picture's name for typing."""
        recipe = self.chosen.recipe
        if recipe is not None:
            OpenLine(self.pictures, recipe.name, self.chosen.rename, self.pictures.line_of(self.chosen.index))


class _Panel(QWidget):
    def __init__(self, wide: int) -> None:
        super().__init__()
        if wide:
            self.setFixedWidth(wide)

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.fillRect(self.rect(), theme.SURFACE)


def _head(text: str, button: IconButton | WordButton) -> QHBoxLayout:
    row = QHBoxLayout()
    label = QLabel(text)
    label.setFont(theme.font(theme.STRONG, theme.font().Weight.DemiBold))
    row.addWidget(label)
    row.addStretch(1)
    row.addWidget(button)
    return row
