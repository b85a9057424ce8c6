"""Texts that name something: typed, or chosen from what is there."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QDragEnterEvent, QDropEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QFileDialog, QVBoxLayout, QWidget

from pale_ember.core.effect.edit import layer_of
from pale_ember.core.effect.fields import Field
from pale_ember.core.effect.files import files_of, meshes_of
from pale_ember.core.effect.recipe.recipe import RECIPE
from pale_ember.core.effect.stage import GROUND
from pale_ember.core.effect.starting_points import Start
from pale_ember.core.effect.tree import may_carry, may_spawn, with_new_child
from pale_ember.core.geometry.mesh import SOLID, SOLIDS
from pale_ember.core.texture.library import PICTURES, PREFIX
from pale_ember.formats.meshes import KINDS as MESH_KINDS
from pale_ember.formats.pictures import KINDS
from pale_ember.studio.controls.buttons import paint_chosen
from pale_ember.studio.controls.chips import paint_chip
from pale_ember.studio.controls.text_entry import EntryLine
from pale_ember.studio.document.asset_import import dropped
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.fields.library import Library
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.kit.popups import Menu
from pale_ember.studio.kit.saved_items import every_start
from pale_ember.studio.kit.settings import last_folder

Options = Callable[[], list[tuple[str, str]]]
"""What may be chosen just now: (value, how it is called)."""


class TextEdit(QWidget):
    """A line of text; taken when Return is pressed or it is left."""

    edited = pyqtSignal(object, object)
    finished = pyqtSignal()

    def __init__(self, field: Field, default: str, name: str = "") -> None:
        super().__init__()
        self.value, self.idle = default, False
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self._line = EntryLine(default, self)
        self._line.setAccessibleName(name or field.label)
        self.setAccessibleName(name or field.label)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._line.editingFinished.connect(self._take)
        column.addWidget(self._line)
        self.setFixedHeight(24)

    def show_value(self, value: str) -> None:
        self.value = value
        if not self._line.hasFocus() and self._line.text() != value:
            self._line.setText(value)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._line.setFocus()
            self._line.selectAll()
        else:
            super().keyPressEvent(event)

    def _take(self) -> None:
        text = self._line.text().strip()
        if text != self.value:
            self.value = text
            self.edited.emit(text, None)


def ask_file(parent: QWidget, title: str, kinds: tuple[str, ...]) -> Path | None:
    """A file of some kinds, chosen from disk."""
    wanted = " ".join(f"*{kind}" for kind in kinds)
    name, _ = QFileDialog.getOpenFileName(parent, title, str(last_folder()), f"Files ({wanted})")
    return Path(name) if name else None


class NameEdit(QWidget):
    """One of the names there are just now; `several` of them for a tuple."""

    edited = pyqtSignal(object, object)
    finished = pyqtSignal()
    brought = pyqtSignal(Path)
    """A file of the artist's own is to be used here."""
    tried = pyqtSignal(str)
    """A name is pointed at, to be seen; "" when none is any longer."""

    def __init__(
        self, field: Field, options: Options, nothing: str, called: Callable[[str], str] = str, *,
        several: bool = False, name: str = "", kinds: tuple[str, ...] = (),
    ) -> None:  # fmt: skip
        super().__init__()
        self.field, self.options, self.nothing, self.called, self.several = field, options, nothing, called, several
        self.value: str | tuple[str, ...] = () if several else ""
        self.idle, self.kinds = False, kinds
        self.told: str | None = None
        """The words it has in a sentence, where it stands in one."""
        self.more: Callable[[Menu], None] | None = None
        """What its menu has besides."""
        self.setAcceptDrops(bool(kinds))
        self.setFixedHeight(24)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName(name or field.label)
        self.setAttribute(Qt.WidgetAttribute.WA_Hover)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def show_value(self, value: str | tuple[str, ...]) -> None:
        self.value = value
        self.update()

    def text(self) -> str:
        """What is chosen, as it is called. Painted often, so no folder is looked through for it."""
        chosen = (self.value,) if isinstance(self.value, str) else self.value
        return ", ".join(self.called(name) for name in chosen if name) or self.nothing

    def choose(self, value: str, stroke: object = None) -> None:
        """Takes a name, or of several takes it in or out."""
        if isinstance(self.value, tuple):
            new: str | tuple[str, ...] = (
                tuple(name for name in self.value if name != value) if value in self.value else (*self.value, value)
            )
            new = () if value == "" else new
        else:
            new = value
        if new != self.value:
            self.show_value(new)
            self.edited.emit(new, stroke)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self.open()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return):
            self.open()
        else:
            super().keyPressEvent(event)

    def open(self) -> None:
        menu = Menu(self)
        for value, called in [("", self.nothing), *self.options()]:
            action = menu.addAction(called)
            action.setCheckable(True)
            action.setChecked(value in self.value if isinstance(self.value, tuple) and value else value == self.value)
            action.triggered.connect(lambda _=False, value=value: self.choose(value))
        if self.more is not None:
            self.more(menu)
        if self.kinds:
            menu.addSeparator()
            menu.addAction("a file…").triggered.connect(self._ask_file)
        menu.open_at(self)

    def _ask_file(self) -> None:
        path = ask_file(self, f"A file for {self.field.label}", self.kinds)
        if path is not None:
            self.brought.emit(path)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if dropped(event.mimeData(), self.kinds):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        for path in dropped(event.mimeData(), self.kinds)[:1]:
            self.brought.emit(path)

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        if self.told is not None:
            paint_chip(painter, self, self.told, changed=bool(self.value))
        else:
            paint_chosen(painter, self, self.text(), idle=self.idle)


class PictureName(NameEdit):
    """A picture: chosen from the library, where pointing at one shows it on the stage."""

    def __init__(self, desk: Desk, *arguments: Any, **named: Any) -> None:
        super().__init__(*arguments, **named)
        self.desk = desk
        self.library: Library | None = None

    def open(self) -> None:
        self.library = Library(self, self.desk, none=self.nothing)
        self.library.chosen.connect(self.choose)
        self.library.tried.connect(self.tried)
        self.library.file_asked.connect(self._ask_file)
        self.library.open_beside(self)


def name_edit(desk: Desk, field: Field, *, several: bool = False) -> NameEdit | TextEdit:
    """The editor of a text that names something of this kind."""

    def spawned() -> list[tuple[str, str]]:
        return [(layer.id, layer.name) for layer in may_spawn(desk.effect, desk.selection)]

    def above() -> list[tuple[str, str]]:
        return [(layer.id, layer.name) for layer in may_carry(desk.effect, desk.selection)]

    def anchors() -> list[tuple[str, str]]:
        return [(anchor.name, anchor.name) for anchor in desk.effect.stage.anchors]

    def props() -> list[tuple[str, str]]:
        return [(GROUND, GROUND), *((prop.name, prop.name) for prop in desk.effect.stage.props)]

    def own(kinds: tuple[str, ...], used: list[str]) -> list[str]:
        """The files that are used, wherever they lie, and those beside the document."""
        folder = desk.folder
        beside = sorted(path.name for path in folder.iterdir() if path.suffix.lower() in kinds) if folder else []
        return list(dict.fromkeys([*(name for name in used if not name.startswith((PREFIX, SOLID, RECIPE))), *beside]))

    def meshes() -> list[tuple[str, str]]:
        files = own(MESH_KINDS, meshes_of(desk.effect))
        names = [name for file in files for name in (file, *(f"{file}#{part}" for part in desk.shelf.objects(file)))]
        return [*((SOLID + name, name) for name in SOLIDS), *((name, name) for name in dict.fromkeys(names))]

    def densities() -> list[tuple[str, str]]:
        return [("vertex colour", "vertex colour"), *((name, name) for name in own(KINDS, files_of(desk.effect)))]

    def pictures() -> list[tuple[str, str]]:
        files = own(KINDS, files_of(desk.effect))
        made = [(RECIPE + recipe.name, recipe.name) for recipe in desk.effect.recipes]
        return [*made, *((PREFIX + name, name) for name in PICTURES), *((name, name) for name in files)]

    def cues() -> list[tuple[str, str]]:
        return [(cue.name, f"{cue.name}, at {cue.at:g} s") for cue in desk.effect.cues]

    def stands() -> list[tuple[str, str]]:
        return [(thing.name, thing.name) for thing in desk.effect.stage.grounds()]

    known: dict[str, tuple[Options, str]] = {
        "stand": (stands, "the carrier"), "cue": (cues, "the effect's start"),
        "spawned": (spawned, "none"), "above": (above, "none"), "anchor": (anchors, "none"), "prop": (props, "all"),
        "mesh": (meshes, "none"), "density": (densities, "even"), "picture": (pictures, "none"),
    }  # fmt: skip
    if field.names not in known:
        return TextEdit(field, "")
    options, nothing = known[field.names]

    def called(value: str) -> str:
        layer = layer_of(desk.effect, value) if field.names in ("spawned", "above") else None
        return layer.name if layer is not None else value.removeprefix(PREFIX).removeprefix(SOLID).removeprefix(RECIPE)

    kinds = {"mesh": MESH_KINDS, "picture": KINDS, "density": KINDS}.get(field.names, ())
    if field.names == "picture":
        return PictureName(desk, field, options, nothing, called, several=several, kinds=kinds)
    made = NameEdit(field, options, nothing, called, several=several, kinds=kinds)
    if field.names == "spawned":
        made.more = partial(_offer_new, desk, made)
    return made


def _offer_new(desk: Desk, editor: NameEdit, menu: Menu) -> None:
    """Offers a new layer, from a starting point, that is born only there."""
    new = menu.addMenu("a new layer")
    for name, start in every_start().items():
        new.addAction(name).triggered.connect(lambda _=False, name=name, start=start: take(name, start))

    def take(name: str, start: Start) -> None:
        stroke = object()
        effect, child = with_new_child(desk.effect, start.make())
        desk.document.change(f"add {name}", effect, stroke)
        editor.choose(child, stroke)
        desk.document.end_stroke()
