"""The pictures and meshes of a folder: who uses them, twins, what nobody uses; renamed, moved, made one, removed."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QMessageBox, QVBoxLayout, QWidget

from pale_ember.core.texture.library import PREFIX
from pale_ember.folder.index import FolderIndex
from pale_ember.folder.listing import EffectCard, read_card
from pale_ember.folder.pictures import FileCard, pictures_in
from pale_ember.folder.renaming import FolderChange, FolderChangeError, moving, removing, replacing
from pale_ember.formats.pictures import PictureError, library_picture, read_picture
from pale_ember.studio.controls.buttons import WordButton
from pale_ember.studio.controls.colour import picture_image
from pale_ember.studio.effects.details import WIDE
from pale_ember.studio.effects.picture_store import PictureStore
from pale_ember.studio.effects.tiles import GalleryTile, TileGrid
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.scrolling import Scrolling
from pale_ember.studio.kit.side_panel import quiet
from pale_ember.studio.kit.tasks import Task

_SHOWS = ("all", "files", "library", "unused", "twins", "missing")
_SIDE = 256


def _thumbnail(path: Path) -> QImage | None:
    try:
        ships = path.name.startswith(PREFIX)
        if ships or path.suffix.lower() in (".exr", ".dds"):
            pixels = library_picture(path.name.removeprefix(PREFIX)) if ships else read_picture(path)
            step = max(max(pixels.shape[:2]) // _SIDE, 1)
            return picture_image(np.ascontiguousarray(pixels[::step, ::step]))
        with Image.open(path) as picture:
            picture.thumbnail((_SIDE, _SIDE))
            small = picture.convert("RGBA")
            return QImage(small.tobytes(), small.width, small.height, 4 * small.width, QImage.Format.Format_RGBA8888).copy()
    except (OSError, ValueError, PictureError):
        return None


class PicturesView(QWidget):
    """Tiles of all files, and what can be done with the one in hand."""

    counted = pyqtSignal(str)
    said = pyqtSignal(str)
    changed = pyqtSignal()
    """Files of the folder were changed."""

    def __init__(self) -> None:
        super().__init__()
        self.index = FolderIndex(Path())
        self.files: dict[str, tuple[object, FileCard]] = {}
        self.done: list[FolderChange] = []
        """What was done, the last at the end; each is undone as one."""
        self._task: Task | None = None
        self._changing: Task | None = None
        self.writable = True
        self._outdated = False
        """Whether files were changed here while they were looked through."""
        self._named = ""
        """The file whose name stands in the line."""
        self.store = PictureStore(lambda name: _thumbnail(self.index.folder / name))
        self.grid = TileGrid("pictures of the folder", self.store.get)
        self.grid.nothing = "No pictures here."
        self.grid.chosen.connect(self._show_chosen)
        self.store.came.connect(self.grid.update)
        self.words = QLineEdit()
        self.words.setFixedHeight(28)
        self.words.setPlaceholderText("search: a name, an effect that uses it")
        self.words.setAccessibleName("search pictures of the folder")
        self.words.textChanged.connect(lambda _: self.sift())
        self.shows = {name: WordButton(name, checkable=True) for name in _SHOWS}
        self.only = _SHOWS[0]
        head = QHBoxLayout()
        head.setContentsMargins(10, 6, 10, 0)
        head.addWidget(self.words, 1)
        for name, button in self.shows.items():
            button.setChecked(name == _SHOWS[0])
            button.clicked.connect(lambda _=False, name=name: self.show_only(name))
            head.addWidget(button)
        left = QVBoxLayout()
        left.setSpacing(4)
        left.addLayout(head)
        left.addWidget(Scrolling(self.grid, self._look_at_seen), 1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addLayout(left, 1)
        whole.addWidget(self._panel())
        self._show_chosen()

    def _panel(self) -> QWidget:
        panel = QWidget()
        panel.setFixedWidth(WIDE + 24)
        column = QVBoxLayout(panel)
        column.setContentsMargins(12, 12, 12, 8)
        column.setSpacing(6)
        self.title = QLabel()
        self.title.setFont(theme.font(theme.STRONG, theme.font().Weight.DemiBold))
        self.title.setWordWrap(True)
        self.told = quiet()
        self.name_line = QLineEdit()
        self.name_line.setAccessibleName("name of the file, below the folder")
        self.name_line.setFixedHeight(28)
        self.name_line.returnPressed.connect(self.rename)
        self.name_line.textChanged.connect(lambda _: self._offer_rename())
        self.rename_button = WordButton("Rename", "Renames or moves the file, and every document that names it")
        self.rename_button.colour = theme.EMBER
        self.rename_button.clicked.connect(self.rename)
        self.twin_button = WordButton("Keep only this one", "Every effect that uses a twin uses this file instead; the twins are removed")
        self.twin_button.clicked.connect(self.unite)
        self.remove_button = WordButton("Remove", "Removes the file, which no effect uses")
        self.remove_button.clicked.connect(self.remove)
        self.undo_button = WordButton("Undo", "", icon="undo")
        self.undo_button.clicked.connect(self.undo)
        self.totals = quiet()
        column.addWidget(self.title)
        column.addWidget(self.told)
        column.addWidget(self.name_line)
        row = QHBoxLayout()
        for widget in (self.rename_button, self.twin_button, self.remove_button):
            row.addWidget(widget)
        row.addStretch(1)
        column.addLayout(row)
        column.addStretch(1)
        column.addWidget(self.undo_button)
        column.addWidget(self.totals)
        return panel

    # What is there ---------------------------------------------------------------------------------------------------

    def show_index(self, index: FolderIndex, totals: str, *, writable: bool) -> None:
        """Shows the files of a folder. totals : what all of them take, in words."""
        if index.folder != self.index.folder:
            self.files, self.done = {}, []
            self.store.clear()
        self.index, self.writable = index, writable
        self.totals.setText(totals)
        if self._task is None:
            cards, known = list(index.cards.values()), self.files
            self._task = Task(lambda _: pictures_in(index.folder, cards, known), name="pictures of the folder")
            self._task.done.connect(self._found)
            self._task.failed.connect(self._failed)
            self._task.start()

    def _failed(self, text: str) -> None:
        self._task = None
        self.said.emit(text)

    def _found(self, files: dict[str, tuple[object, FileCard]]) -> None:
        self._task = None
        if self._outdated:
            self._outdated = False
            self.changed.emit()
            return
        for name, (stamp, _) in self.files.items():
            if name in files and files[name][0] != stamp:
                self.store.drop(name)
        self.files = files
        self.sift()
        self._show_chosen()

    def show_only(self, name: str) -> None:
        """Shows all, those that nobody uses, those of which there are two, or those that are missing."""
        self.only = name
        for known, button in self.shows.items():
            button.setChecked(known == name)
        self.sift()

    def sift(self) -> None:
        """Shows what fits the words."""
        words = self.words.text().lower().split()
        fits: dict[str, Callable[[FileCard], bool]] = {
            "all": lambda _: True,
            "files": lambda card: not card.ships,
            "library": lambda card: card.ships,
            "unused": lambda card: not card.used,
            "twins": lambda card: bool(card.twins),
            "missing": lambda card: bool(card.fault),
        }
        every = [card for _, card in self.files.values()]
        left = [
            card
            for card in every
            if fits[self.only](card) and all(word in f"{card.name} {' '.join(card.used)}".lower() for word in words)
        ]
        self.grid.show_tiles([self._tile(card) for card in left])
        unused, twins = sum(not card.used for card in every), sum(bool(card.twins) for card in every)
        files = sum(not card.ships for card in every)
        if self.index.unread:
            self.counted.emit(f"{files} files; effects are still being read")
            self._look_at_seen()
            return
        self.counted.emit(f"{files} files, {unused} unused, {twins} that are alike, {len(every) - files} of the library")
        self._look_at_seen()

    @staticmethod
    def _tile(card: FileCard) -> GalleryTile:
        size = f"{card.wide} × {card.tall} · " if card.wide else ""
        used = f"used by {len(card.used)}" if card.used else "unused"
        twins = ", has a twin" if card.twins else ""
        said = card.fault or ("" if card.is_picture else "a mesh")
        return GalleryTile(card.name, card.name.removeprefix(PREFIX), f"{size}{used}{twins}", bool(card.fault), said)

    def _look_at_seen(self) -> None:
        self.store.want(
            [tile.key for tile in self.grid.seen() if self.files[tile.key][1].is_picture and not self.files[tile.key][1].fault]
        )

    def search_for(self, text: str) -> None:
        """Begins to search with what was typed over the tiles."""
        self.words.setFocus()
        self.words.setText(text)

    # The one in hand -------------------------------------------------------------------------------------------------

    @property
    def card(self) -> FileCard | None:
        """The file in hand."""
        known = self.files.get(self.grid.selection[-1]) if self.grid.selection else None
        return known[1] if known is not None else None

    def _show_chosen(self) -> None:
        card = self.card
        for widget in (self.name_line, self.rename_button, self.twin_button, self.remove_button):
            widget.setVisible(card is not None and self.writable and not card.ships and bool(card.size))
        self.undo_button.setVisible(bool(self.done))
        self.undo_button.setToolTip(f"Undo: {self.done[-1].name}" if self.done else "")
        if card is None:
            self._named = ""
            self.title.setText("")
            self.told.setText("Click a file to see who uses it, and to rename or move it with every document that names it.")
            return
        self.title.setText(f"{card.name.removeprefix(PREFIX)}, of the library" if card.ships else card.name)
        size = (
            f"{card.wide} × {card.tall} pixels, {card.memory / 2**20:.1f} MB as a texture" if card.wide else f"{card.size / 1024:.0f} kB"
        )
        used = f"Used by {', '.join(dict.fromkeys(card.used))}." if card.used else "Nobody uses it."
        twins = f"It holds the same as {', '.join(card.twins)}." if card.twins else ""
        self.told.setText("\n\n".join(filter(None, [card.fault or size, used, twins])))
        if card.name != self._named:
            # What is being typed stays, whatever else is found meanwhile.
            self._named = card.name
            self.name_line.setText(card.name)
        self.twin_button.setVisible(bool(card.twins) and self.writable)
        self.remove_button.setVisible(bool(card.size) and not card.used and self.writable and not self.index.unread)
        self._offer_rename()

    def _offer_rename(self) -> None:
        card = self.card
        self.rename_button.setEnabled(card is not None and self.name_line.text().strip() not in ("", card.name))

    def _do(self, change: Callable[[], FolderChange]) -> None:
        """Does a change, away from the window; one at a time."""
        if self.index.unread:
            self.said.emit("Effects are still being read: it is not known yet who uses it. Try again in a moment.")
            return

        def work(_: Callable[[int], bool]) -> tuple[FolderChange, list[EffectCard]]:
            made = change()
            made.do()
            return made, self._read_again(made)

        self._run(work, self._done)

    def _run(self, work: Callable[[Callable[[int], bool]], Any], done: Callable[[Any], None]) -> None:
        if self._changing is not None:
            return
        self._changing = Task(work, (FolderChangeError,), name="files of the folder")
        for signal, then in ((self._changing.done, done), (self._changing.failed, self.said.emit)):
            signal.connect(self._rest)
            signal.connect(then)
        self._changing.start()

    def _rest(self, _: object) -> None:
        self._changing = None

    def _read_again(self, change: FolderChange) -> list[EffectCard]:
        """What was written here is known at once, whoever else has still to be read."""
        folder = self.index.folder
        return [read_card(folder, path.relative_to(folder).with_suffix("").as_posix()) for path in change.documents]

    def _done(self, told: tuple[FolderChange, list[EffectCard]]) -> None:
        change, cards = told
        self.done.append(change)
        for old, new in change.moved.items():
            before, after = (path.relative_to(self.index.folder).as_posix() for path in (old, new))
            self.files[after] = None, dataclasses.replace(self.files.pop(before)[1], name=after)
            self.grid.selection = [after]
        self.sift()
        self._tell_changed(cards)
        count = len(cards)
        self.said.emit(f"{change.name}: done, with {count} document{'s' * (count != 1)}. Ctrl+Z undoes all of it.")

    def _tell_changed(self, cards: list[EffectCard]) -> None:
        for card in cards:
            self.index.take(card)
        self._outdated = self._task is not None
        self.changed.emit()
        self._show_chosen()

    def rename(self) -> None:
        """Renames or moves the file in hand, with every document that names it."""
        card, name, cards = self.card, self.name_line.text(), list(self.index.cards.values())
        self.grid.setFocus()  # keys are commands again
        if card is not None and name.strip() != card.name:
            self._do(lambda: moving(self.index.folder, cards, card.name, name))

    def unite(self) -> None:
        """Everybody uses the file in hand; its twins go."""
        card, cards = self.card, list(self.index.cards.values())
        if card is not None:
            self._do(lambda: replacing(self.index.folder, cards, card.twins, card.name))

    def remove(self) -> None:
        """Removes the file in hand, which nobody uses."""
        card = self.card
        buttons = QMessageBox.StandardButton
        told = f"“{card.name}” goes from the folder. Undo brings it back as long as this window is open." if card is not None else ""
        if card is not None and QMessageBox.question(self, "Remove a file", told, buttons.Ok | buttons.Cancel) == buttons.Ok:
            self._do(lambda: removing(self.index.folder, card.name))

    def undo(self) -> None:
        """Undoes what was done last, with every document."""
        if not self.done:
            self.said.emit("Nothing to undo here.")
            return
        change = self.done[-1]

        def work(_: Callable[[int], bool]) -> list[EffectCard]:
            change.undo()
            return self._read_again(change)

        def done(cards: list[EffectCard]) -> None:
            self.done.remove(change)
            self._tell_changed(cards)
            self.said.emit(f"Undid: {change.name}")

        self._run(work, done)

    def end(self) -> None:
        """Stops what runs; what is being changed is changed whole."""
        self.store.end()
        for task in (self._task, self._changing):
            if task is not None:
                task.wait()
