"""The texture bench: pictures of the effect made step by step, looked through, and worn by the effect that plays on."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QHideEvent, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QShowEvent
from PyQt6.QtWidgets import QFileDialog, QFrame, QHBoxLayout, QLabel, QProgressBar, QScrollArea, QVBoxLayout, QWidget

from pale_ember.core.effect.edit import with_value
from pale_ember.core.effect.model import Effect
from pale_ember.core.effect.recipe.recipe import RECIPE, Recipe
from pale_ember.core.effect.recipe.sources import Gas, Paint, Picture
from pale_ember.core.effect.recipe.step import Step
from pale_ember.core.texture.advice import advise, advised_size
from pale_ember.core.texture.cards import card_recipe
from pale_ember.core.texture.library import PREFIX
from pale_ember.core.texture.recipes.cut import between_frames, frame_in
from pale_ember.draw.context import NoOpenGL
from pale_ember.formats.disk import write_whole
from pale_ember.formats.encoding import ENDINGS, picture_bytes
from pale_ember.formats.pictures import KINDS, PictureError
from pale_ember.formats.taking import FILMS
from pale_ember.studio.bench.bringing import Baked, baked_layers, recipe_of_files, with_baked
from pale_ember.studio.bench.brush import BrushPanel
from pale_ember.studio.bench.chosen import Chosen, OfRecipe, worn_by
from pale_ember.studio.bench.cutting import CutPanel
from pale_ember.studio.bench.lanes import LanesEdit
from pale_ember.studio.bench.looking import LookBar
from pale_ember.studio.bench.maker import Maker, Wish
from pale_ember.studio.bench.starts import STARTS
from pale_ember.studio.bench.steer import Steered
from pale_ember.studio.bench.steps import StepFinder, StepsList, used
from pale_ember.studio.bench.view import Histogram, PictureView
from pale_ember.studio.controls.buttons import IconButton, WordButton
from pale_ember.studio.controls.colour import picture_image
from pale_ember.studio.controls.typed import OpenLine
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.fields.library import Library, with_card
from pale_ember.studio.fields.parts import FieldsColumn
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.popups import Menu
from pale_ember.studio.kit.settings import last_folder
from pale_ember.studio.kit.tasks import Stopped, Task, while_wanted

_LEFT, _RIGHT = 248, 312
_CORNER = 196
"""Pixels of the live effect's height."""
_ROW = 46
_LONGEST = 14
"""Letters of a layer's name that have room beside *wear it*."""
_POLL = 120
"""Milliseconds between two looks at how far a gas is."""


class BenchPage(QWidget):
    """Pictures and steps at the left, the picture in the middle, the effect and the step's numbers at the right."""

    left = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.chosen = Chosen(desk)
        self.maker, self.steered = Maker(), Steered()
        self.view, self.histogram = PictureView(), Histogram()
        self.bar = LookBar(self.view)
        self.frame = 0
        self.sheet: np.ndarray | None = None
        self._wished: Wish | None = None
        self._columns: dict[type[Step], FieldsColumn] = {}
        self._poll = QTimer(self, interval=_POLL)
        self._poll.timeout.connect(self._tell_progress)
        self._play = QTimer(self, interval=50)
        self._play.timeout.connect(self._next_frame)
        self._between: tuple[int, str, list[np.ndarray]] | None = None
        """The frames half way between those of a sheet: of which, how they were made, and they."""
        self._half = False
        self._task: Task | None = None
        self._token: object = None
        self._build()
        self.maker.painted.connect(self._painted)
        self.maker.laid.connect(self._laid)
        self.maker.failed.connect(self._failed)
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
        self.pictures = RecipeList(self.chosen)
        self.pictures.renamed.connect(self.rename)
        self.steps = StepsList(self.chosen)
        self.new_button = WordButton("picture", "A new picture: a shape, a gas, by hand, from the library", icon="plus")
        self.new_button.clicked.connect(self._open_new)
        self.wear_button = WordButton("wear it", "The selected layer wears this picture, with its grid")
        self.wear_button.colour = theme.EMBER
        self.wear_button.clicked.connect(self.wear)
        self.on_button = WordButton("", "The layer that is to wear it", menu=True)
        self.on_button.clicked.connect(self._open_layers)
        self.more_button = WordButton("more", "Duplicate, remove, save as a file", menu=True)
        self.more_button.clicked.connect(self._open_more)
        self.add_button = WordButton("step (/)", "A shape, a noise, something from elsewhere, or a change", icon="plus")
        self.add_button.clicked.connect(self.open_adding)
        left = _Panel(_LEFT)
        column = QVBoxLayout(left)
        column.setContentsMargins(8, 8, 6, 8)
        column.setSpacing(3)
        column.addLayout(_head("Pictures of this effect", self.new_button))
        column.addWidget(_scrolled(self.pictures), 2)
        row = QHBoxLayout()
        row.addWidget(self.wear_button)
        row.addWidget(self.on_button)
        row.addStretch(1)
        row.addWidget(self.more_button)
        column.addLayout(row)
        column.addSpacing(4)
        column.addLayout(_head("Steps, first to last", self.add_button))
        column.addWidget(_scrolled(self.steps), 3)
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(1)
        column.addWidget(self.bar)
        column.addWidget(self.view, 1)
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
            self.desk, OfRecipe(self.desk, self.chosen), (), Recipe,
            only=("size", "frames", "columns", "loop", "each", "holds", "author", "licence"),
        )  # fmt: skip
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
        self.advice.setStyleSheet(f"color: {theme.ASH.name()}")
        for widget in (self.title, self.cut, self.brush, self.lanes, heading, self.whole, self.advice):
            self._fields.addWidget(widget)
        self._fields.addStretch(1)
        column.addWidget(_scrolled(inner), 1)
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

    def _foot(self) -> QWidget:
        foot = _Panel(0)
        column = QVBoxLayout(foot)
        column.setContentsMargins(8, 4, 8, 4)
        column.setSpacing(2)
        line = QHBoxLayout()
        self.values = QLabel()
        self.values.setStyleSheet(f"color: {theme.ASH.name()}")
        self.view.pointed.connect(self.values.setText)
        self.said = QLabel()
        self.said.setStyleSheet(f"color: {theme.WARNING.name()}")
        self.stop_button = WordButton("stop", "Stops the gas that is being simulated")
        self.stop_button.clicked.connect(self._stop_gas)
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setFixedSize(150, 5)
        line.addWidget(self.values, 1)
        line.addWidget(self.said)
        line.addWidget(self.progress)
        line.addWidget(self.stop_button)
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
        if self._task is not None:
            self._task.cancel()
            self._task.wait()
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
        if recipe is not None:
            self.whole.show_root(recipe)
            self.advice.setText(self._advised(recipe))
        self._show_step(step)
        self.bar.show_recipe(recipe, step)
        self.frame = min(self.frame, recipe.frames - 1) if recipe is not None else 0
        if isinstance(step, Gas) and self.steered.on:
            self.steered.tell(step)
        self.view.takes_strokes = (isinstance(step, Paint) and step.on) or (isinstance(step, Gas) and self.steered.on)
        self._want()

    def _advised(self, recipe: Recipe) -> str:
        """What it takes up, and whether that is too much for what it is worn by."""
        bytes_ = recipe.size**2 * recipe.columns * recipe.rows * 4 * 4 // 3
        told = (
            f"{recipe.size * recipe.columns} × {recipe.size * recipe.rows} pixels, {bytes_ / 2**20:.2g} MB in memory."
        )
        widest = max(
            (layer.birth.size.most for layer in self.desk.effect.layers if layer.name in self.chosen.wearers()),
            default=0.0,
        )
        more = advised_size(widest, recipe.size) if widest > 0 else ""
        return f"{told} {more[:1].upper()}{more[1:]}{'.' * bool(more)}" if more else told

    def _show_layer(self) -> None:
        layer = self.desk.layer
        name = layer.name if layer is not None else ""
        self.on_button.show_text(f"on {name if len(name) <= _LONGEST else name[: _LONGEST - 1] + '…'}")
        self.on_button.setToolTip(f"The layer that is to wear it: {name}")

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
        _point(column, self.chosen.place)
        column.show_root(self.chosen.recipe)
        column.show()

    def _want(self) -> None:
        recipe = self.chosen.recipe
        self.view.empty = recipe is None
        if recipe is None or not self.isVisible():
            self.view.show_pixels(np.zeros((4, 4, 4), np.float32))
            return
        if self._wished is None or self._wished.recipe.name != recipe.name:
            self.sheet = None
        self.said.setText("")
        self._wished = Wish(recipe, self.desk.effect.recipes, self.frame, self.bar.part)
        self.maker.want(self._wished, self.desk.shelf)

    def _current(self, wish: Wish) -> bool:
        recipe = self.chosen.recipe
        return recipe is not None and wish.recipe.name == recipe.name and wish.part == self.bar.part

    def _painted(self, wish: Wish, frame: np.ndarray) -> None:
        if self._current(wish) and not self.steered.on:
            self.view.show_pixels(frame)
            self.histogram.show_pixels(frame)

    def _laid(self, wish: Wish, sheet: np.ndarray) -> None:
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
        if self._task is None:
            sheet, recipe = self.sheet, self._sheet_of

            def work(progress: Callable[[int], bool]) -> list[np.ndarray]:
                cells = [frame_in(sheet, recipe, k) for k in range(recipe.frames)]
                after = [*cells[1:], cells[0]] if recipe.loop else cells[1:]
                pairs = while_wanted(zip(cells, after, strict=False), progress)
                return [between_frames(one, two, 0.5, moved=how == "moved") for one, two in pairs]

            self._begin(work, lambda halves: setattr(self, "_between", (id(sheet), how, halves)))
        return None

    # Gases ---------------------------------------------------------------------------------------------------------

    def _gas_made(self) -> None:
        if self.isVisible():
            self._want()

    def _tell_progress(self) -> None:
        progress = self.desk.gases.progress
        for widget in (self.progress, self.stop_button):
            widget.setVisible(progress is not None or (widget is self.stop_button and self._task is not None))
        if progress is not None:
            self.progress.setRange(0, progress[1])
            self.progress.setValue(progress[0])

    def _stop_gas(self) -> None:
        if self._task is not None:
            self._task.cancel()
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

    # Deeds ---------------------------------------------------------------------------------------------------------

    def open_adding(self) -> StepFinder:
        finder = StepFinder(self, self.chosen)
        finder.open_at(self.add_button)
        return finder

    def _open_new(self) -> None:
        menu = Menu(self)
        menu.addAction("from the library…").triggered.connect(self._open_library)
        menu.addAction("from files or a clip…").triggered.connect(self._ask_files)
        baked = menu.addAction("baked from the chosen layers, in their place")
        baked.setToolTip("A sheet of them, worn by one layer that stands for them; they are hidden")
        baked.triggered.connect(self.bake_layers)
        menu.addSeparator()
        for name, (help_, recipe) in STARTS.items():
            action = menu.addAction(name)
            action.setToolTip(help_)
            action.triggered.connect(lambda _=False, recipe=recipe: self.chosen.add_recipe(recipe))
        menu.open_at(self.new_button)

    def _open_library(self) -> None:
        self.library = Library(self, self.desk)
        self.library.chosen.connect(self.open_picture)
        self.library.open_beside(self.new_button)

    def _ask_files(self) -> None:
        kinds = " ".join(f"*{kind}" for kind in (*KINDS, *FILMS))
        names, _ = QFileDialog.getOpenFileNames(self, "Frames, or a clip", str(last_folder()), f"Frames ({kinds})")
        if names:
            self.bring_files([Path(name) for name in names])

    def _folder(self, why: str) -> Path | None:
        """Where the document's pictures lie; asks for a place where it has none."""
        if self.desk.folder is None:
            self.desk.save_asked.emit(f"{why} will lie beside the effect: save that first.")
        return self.desk.folder

    def bring_files(self, paths: list[Path]) -> None:
        """Lays files or a clip into a sheet beside the document, and works on it."""
        folder = self._folder("The sheet")
        if folder is not None:
            self._begin(lambda progress: recipe_of_files(paths, folder, progress), self.chosen.add_recipe)

    def bake_layers(self) -> None:
        """Bakes the chosen layers into a sheet, and puts one layer in their place."""
        chosen, folder = tuple(key for key in self.desk.chosen if key), self._folder("The sheet")
        if folder is None or not chosen:
            return

        def put(baked: Baked) -> None:
            self.desk.document.change("bake layers", with_baked(self.desk.effect, chosen, baked))
            self.desk.select(baked.layer.id)
            self.said.setText(baked.told)

        self._begin(lambda progress: baked_layers(self.desk, chosen, folder, progress), put)

    def _begin(self, work: Callable[[Callable[[int], bool]], Any], then: Callable[[Any], object]) -> None:
        """Does something away from the window, one thing at a time."""
        if self._task is not None:
            self._failed("something else is still being made; wait, or stop it")
            return
        self.said.setText("being made…")

        def done(result: Any) -> None:
            self._task = None
            self.said.setText("")
            then(result)

        def failed(text: str) -> None:
            self._task = None
            self._failed(text)

        self._task = Task(work, (PictureError, OSError, Stopped, NoOpenGL), name="bench")
        self._task.done.connect(done)
        self._task.failed.connect(failed)
        self._task.start()

    def take(self, name: str) -> None:
        """Works on the picture that the selected layer wears; a card's recipe is copied, and the layer wears the copy."""
        if not name or name.startswith(RECIPE):
            self.open_picture(name)
            return
        layer = self.desk.layer
        self.open_picture(name)
        recipe = self.chosen.recipe
        if recipe is not None and layer is not None and layer.look.picture == name:
            look = with_card(layer.look, RECIPE + recipe.name, self.desk)
            self.desk.document.change_layer(f"wear {recipe.name}", layer.id, ("look",), look)

    def open_picture(self, name: str) -> None:
        """Works on a picture by its name: a recipe of the document as it is, a copy of a card, or a file as a first step."""
        if name.startswith(RECIPE):
            index = next((k for k, each in enumerate(self.chosen.recipes) if RECIPE + each.name == name), -1)
            if index >= 0:
                self.chosen.choose(index)
            return
        card = card_recipe(name.removeprefix(PREFIX)) if name.startswith(PREFIX) else None
        self.chosen.add_recipe(card if card is not None else _of_file(name))

    def wear(self) -> None:
        """The selected layer wears the picture."""
        recipe, layer = self.chosen.recipe, self.desk.layer
        if recipe is None or layer is None:
            return
        known = self.desk.shelf.known(RECIPE + recipe.name)
        blend: str = layer.look.blend
        if recipe.gas is not None and recipe.gas.glow > 0:
            blend = "premultiplied"
        elif known is not None and len(known) > 4:
            blend = advise(known).blend
        look = replace(with_card(layer.look, RECIPE + recipe.name, self.desk), blend=blend)  # type: ignore[arg-type]
        self.desk.document.change_layer(f"wear {recipe.name}", layer.id, ("look",), look)

    def flow(self) -> None:
        """The selected layer's frames are carried along the motion of this sheet."""
        recipe, layer = self.chosen.recipe, self.desk.layer
        if recipe is None or layer is None:
            return
        shelf, recipes = self.desk.shelf, self.desk.effect.recipes

        def put(reach: float) -> None:
            look = replace(
                layer.look,
                between="along vectors",
                vectors=f"{RECIPE}{recipe.name}#motion",
                vectors_reach=round(reach, 5),
            )
            self.desk.document.change_layer(f"{recipe.name}: frames flow", layer.id, ("look",), look)

        self._begin(lambda progress: shelf.made.reach(recipe, recipes), put)

    def rename(self) -> None:
        recipe = self.chosen.recipe
        if recipe is not None:
            OpenLine(self.pictures, recipe.name, self.chosen.rename, self.pictures.line_of(self.chosen.index))

    def _open_more(self) -> None:
        recipe = self.chosen.recipe
        if recipe is None:
            return
        menu = Menu(self)
        menu.addAction("Rename\tF2").triggered.connect(self.rename)
        menu.addAction("Duplicate").triggered.connect(lambda: self.chosen.add_recipe(recipe))
        flow = menu.addAction("Carry the layer's frames along its motion")
        flow.setEnabled(recipe.frames > 1)
        flow.triggered.connect(self.flow)
        menu.addAction("Save as a file…").triggered.connect(lambda: self.ask_and_save())
        menu.addSeparator()
        wearers = self.chosen.wearers()
        remove = menu.addAction("Remove" if not wearers else f"Remove (worn by {', '.join(wearers)})")
        remove.triggered.connect(self.chosen.remove_recipe)
        menu.open_at(self.more_button)

    def ask_and_save(self) -> None:
        recipe = self.chosen.recipe
        if recipe is None:
            return
        kinds = " ".join(f"*{ending}" for ending in ENDINGS)
        start = last_folder() / f"{recipe.name.replace(' ', '-')}.png"
        name, _ = QFileDialog.getSaveFileName(self, "Save the picture", str(start), f"Pictures ({kinds})")
        if name:
            self.save(name)

    def save(self, name: str) -> None:
        """Writes the whole sheet as it is; its ending says as what."""
        path = Path(name)
        if self.sheet is None:
            self._failed("the picture is still being made")
            return
        try:
            write_whole(path, picture_bytes(self.sheet, path.suffix.lower()))
        except (PictureError, OSError) as error:
            self._failed(str(error))
            return
        self.said.setText(f"saved as {path.name}")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.left.emit()
        else:
            super().keyPressEvent(event)


def _of_file(name: str) -> Recipe:
    recipe = STARTS["a picture of your own"][1]
    return replace(
        with_value(recipe, ("steps", 0, "picture"), name), name=name.rsplit(".", 1)[0].partition(":")[2] or name
    )


def _point(column: FieldsColumn, place: int) -> None:
    """Lets the rows of a column show another step of the same kind."""
    column.aim(("steps", place))


class RecipeList(QWidget):
    """The pictures of the document, one row each."""

    renamed = pyqtSignal()

    def __init__(self, chosen: Chosen) -> None:
        super().__init__()
        self.chosen = chosen
        self._thumbs: dict[str, tuple[int, QImage]] = {}
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName("pictures of this effect")
        chosen.turned.connect(self.refresh)
        # Who wears a picture changes without it.
        chosen.desk.document.changed.connect(lambda: self.update())
        self.refresh()

    def refresh(self) -> None:
        recipe = self.chosen.recipe
        self.setFixedHeight(max(len(self.chosen.recipes), 1) * _ROW)
        self.setAccessibleDescription(recipe.name if recipe is not None else "")
        self.update()

    def line_of(self, index: int):
        from PyQt6.QtCore import QRect

        return QRect(50, index * _ROW + 4, self.width() - 56, 24)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        index = int(event.position().y() // _ROW)
        if index < len(self.chosen.recipes):
            self.chosen.choose(index)
            self.setFocus()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.renamed.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down) and self.chosen.recipes:
            by = 1 if event.key() == Qt.Key.Key_Down else -1
            self.chosen.choose(min(max(self.chosen.index + by, 0), len(self.chosen.recipes) - 1))
        else:
            super().keyPressEvent(event)

    def _thumb(self, recipe: Recipe) -> QImage | None:
        known = self.chosen.desk.shelf.known(RECIPE + recipe.name)
        if known is None:
            return None
        kept = self._thumbs.get(recipe.name)
        if kept is None or kept[0] != id(known):
            side = min(known.shape[0] // recipe.rows or 1, known.shape[1] // recipe.columns or 1)
            row, column = divmod(recipe.frames // 2, recipe.columns)
            part = known[row * side : (row + 1) * side, column * side : (column + 1) * side]
            step = max(side // 80, 1)
            self._thumbs[recipe.name] = kept = id(known), picture_image(part[::step, ::step] if part.size else known)
        return kept[1]

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        if not self.chosen.recipes:
            painter.setPen(theme.ASH)
            painter.setFont(theme.font())
            painter.drawText(self.rect().adjusted(8, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter | Qt.TextFlag.TextWordWrap,
                             "none yet: + picture makes one")  # fmt: skip
        for k, recipe in enumerate(self.chosen.recipes):
            box = QRectF(0, k * _ROW, self.width(), _ROW).adjusted(1, 1, -1, -1)
            chosen = k == self.chosen.index
            painter.setPen(QPen(theme.EMBER, 1) if chosen and self.hasFocus() else Qt.PenStyle.NoPen)
            painter.setBrush(theme.RAISED if chosen else Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(box, 4, 4)
            well = QRectF(5, box.top() + 3, 38, 38)
            painter.fillRect(well, theme.WELL)
            thumb = self._thumb(recipe)
            if thumb is not None:
                painter.drawImage(well, thumb)
            painter.setFont(theme.font())
            painter.setPen(theme.BONE if chosen else theme.ASH)
            painter.drawText(
                QRectF(51, box.top() + 3, self.width() - 56, 20), Qt.AlignmentFlag.AlignVCenter, recipe.name
            )
            painter.setFont(theme.font(theme.SMALL))
            painter.setPen(theme.ASH)
            wearers = worn_by(self.chosen.desk.effect, recipe)
            told = used(recipe) + (f" · on {', '.join(wearers)}" if wearers else " · not worn")
            shown = painter.fontMetrics().elidedText(told, Qt.TextElideMode.ElideRight, self.width() - 58)
            painter.drawText(QRectF(51, box.top() + 22, self.width() - 56, 18), Qt.AlignmentFlag.AlignVCenter, shown)


class _Panel(QWidget):
    def __init__(self, wide: int) -> None:
        super().__init__()
        if wide:
            self.setFixedWidth(wide)

    def paintEvent(self, event: QPaintEvent) -> None:
        QPainter(self).fillRect(self.rect(), theme.SURFACE)


def _head(text: str, button: IconButton | WordButton) -> QHBoxLayout:
    row = QHBoxLayout()
    label = QLabel(text)
    label.setFont(theme.font(theme.STRONG, theme.font().Weight.DemiBold))
    row.addWidget(label)
    row.addStretch(1)
    row.addWidget(button)
    return row


def _scrolled(inner: QWidget) -> QScrollArea:
    area = QScrollArea()
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setWidgetResizable(True)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setWidget(inner)
    area.setAlignment(Qt.AlignmentFlag.AlignTop)
    area.viewport().setAutoFillBackground(False)
    inner.setAutoFillBackground(False)
    return area


__all__ = ["BenchPage", "Effect"]
