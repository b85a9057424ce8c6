"""Pictures and meshes of the artist's own, taken beside the document and into a layer."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtCore import QMimeData, QObject, pyqtSignal
from PyQt6.QtWidgets import QApplication, QFileDialog, QMessageBox, QWidget

from pale_ember.core.effect.edit import credit_of, index_of, layer_of, with_credit, with_value
from pale_ember.core.effect.look import Look
from pale_ember.core.effect.model import Credit
from pale_ember.core.texture.advice import advise, advised_size, guess_grid
from pale_ember.formats import meshes, pictures
from pale_ember.studio.desk import Desk
from pale_ember.studio.settings import last_folder
from pale_ember.studio.tasks import Task

KINDS = (*pictures.KINDS, *meshes.KINDS)
"""Endings of files that can be dropped on a layer."""


def dropped(mime: QMimeData | None) -> list[Path]:
    """The files of a drag that a layer can take."""
    urls = mime.urls() if mime is not None else []
    found = [Path(url.toLocalFile()) for url in urls if url.isLocalFile()]
    return [path for path in found if path.suffix.lower() in KINDS]


def ask_picture(desk: Desk, parent: QWidget) -> Path | None:
    """A picture chosen from disk."""
    start = str(desk.folder or last_folder())
    kinds = " ".join(f"*{kind}" for kind in pictures.KINDS)
    name, _ = QFileDialog.getOpenFileName(parent, "A picture for this layer", start, f"Pictures ({kinds})")
    return Path(name) if name else None


@dataclass(frozen=True, slots=True)
class _Taken:
    """What was made of a file away from the window: its name beside the document, and how it changes a look."""

    name: str
    dress: Callable[[Look], tuple[Look, str]]
    credit: Credit | None = None
    width: int = 0


class CopyError(Exception):
    """A file could not be copied beside the document; the message says why and what to do."""


class Importer(QObject):
    """Takes files into layers, one at a time. Reading and copying go on away from the window."""

    done = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._task: Task | None = None

    @property
    def busy(self) -> bool:
        return self._task is not None

    def take(self, path: Path, layer: str = "") -> None:
        """Takes a picture or a mesh into a layer, the selected one to begin with, and tells what was made of it."""
        identity = layer or self.desk.selection
        if not identity or self.busy:
            return
        if self.desk.folder is None:
            self.desk.save_asked.emit(f"{path.name} is kept beside the effect: save it first.")
        folder = self.desk.folder
        if folder is None:
            return
        self.desk.hinted.emit(f"Taking {path.name}…", None)
        errors = (pictures.PictureError, meshes.MeshError, CopyError)
        self._task = Task(lambda _: _taken(self.desk, path, folder), errors, name="importer")
        self._task.done.connect(lambda taken: self._apply(taken, identity))
        self._task.failed.connect(lambda text: self._apply(text, identity))
        self._task.start()

    def _apply(self, taken: _Taken | str, identity: str) -> None:
        self._task = None
        layer = layer_of(self.desk.effect, identity)
        if isinstance(taken, str):
            QMessageBox.warning(QApplication.activeWindow(), "Pale Ember", taken)
        elif layer is not None:
            look, told = taken.dress(layer.look)
            effect = with_value(self.desk.effect, ("layers", index_of(self.desk.effect, identity), "look"), look)
            if taken.credit is not None:
                effect = with_credit(effect, taken.credit)
            self.desk.document.change(f"{layer.name}: {taken.name}", effect)
            advice = advised_size(layer.birth.size.most, taken.width // look.columns) if taken.width else ""
            self.desk.hinted.emit(f"{taken.name}: {told}{f' {advice}.' if advice else ''} Ctrl+Z takes it back.", None)
        self.done.emit()


def _taken(desk: Desk, path: Path, folder: Path) -> _Taken:
    """Reads a file and copies it beside the document. Raises PictureError, MeshError and CopyError."""
    if path.suffix.lower() in meshes.KINDS:
        meshes.read_mesh(path)
        name = _beside(path, folder)
        desk.shelf_mesh(name)

        def wear(look: Look) -> tuple[Look, str]:
            return replace(look, drawn_as="mesh", solid=replace(look.solid, mesh=name)), "each particle is one now."

        return _Taken(name, wear)
    pictures.read_picture(path)
    name = _beside(path, folder)
    pixels = desk.shelf_get(name)
    columns, rows = guess_grid(pixels)
    advice = advise(pixels)

    def dress(look: Look) -> tuple[Look, str]:
        """Its grid and blend, as they were read off it."""
        surface = replace(look.surface, channel="all", invert=advice.invert)
        made = replace(look, picture=name, columns=columns, rows=rows, blend=advice.blend, surface=surface)
        frames = f"{columns}×{rows} frames, " if columns * rows > 1 else ""
        return made, f"{frames}{advice.blend}. {advice.why}"

    author, licence = pictures.credit_in(path)
    credit = Credit(file=name, author=author, licence=licence) if author or licence else None
    return _Taken(name, dress, credit, pixels.shape[1])


def _beside(path: Path, folder: Path) -> str:
    """The file's name beside the document, copied there if need be, under another name where its own is taken. Raises
    CopyError."""
    if path.resolve().is_relative_to(folder.resolve()):
        return path.resolve().relative_to(folder.resolve()).as_posix()
    name = path.name
    if (folder / name).exists() and (folder / name).read_bytes() != path.read_bytes():
        taken = {one.name for one in folder.iterdir()}
        name = next(n for i in range(2, len(taken) + 3) if (n := f"{path.stem}-{i}{path.suffix}") not in taken)
    if not (folder / name).exists():
        try:
            shutil.copyfile(path, folder / name)
        except OSError as error:
            raise CopyError(
                f"{path.name}: could not be copied beside the effect ({error.strerror}); make room there"
            ) from None
    return name


def credit_line(desk: Desk, name: str) -> str:
    """Author and licence of a file, as far as they are known."""
    credit = credit_of(desk.effect, name)
    return " · ".join(part for part in (credit.author, credit.licence) if part)
